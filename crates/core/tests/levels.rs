//! Levels of box maps: areas, plans, trial maps, and sets with a ground and a top.

use lantern_quilt_core::audit::company::{audit_company, inside};
use lantern_quilt_core::audit::trial::{Trials, first_goes, trial_extent};
use lantern_quilt_core::constraints::{Accept, Area, AreaRule, Keep, Level, Pin, Selector};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::id::SocketId;
use lantern_quilt_core::map::{Indices, Terrain, Tilemap};
use lantern_quilt_core::passes::Plan;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_core::solve::Scratch;
use lantern_quilt_testkit::maps::follow;
use proptest::prelude::*;
use rstest::rstest;

fn boxes(origin: Cell, size: [u32; 3]) -> Layout {
    Layout::new(Lattice::Box, Extent::new(origin, size).unwrap(), Wrap::NONE).unwrap()
}

proptest! {
    /// Areas of levels, of boxes and of both are what their cells say one by one, wherever the map lies.
    #[test]
    fn areas_are_their_cells(
        z in -5i32..5, depth in 1u32..7, low in -6i32..8, high in -6i32..8, down in 0u32..8,
        x in -2i32..4, top: bool,
    ) {
        let layout = boxes(Cell::at(-1, 2, z), [5, 2, depth]);
        let extent = layout.extent();
        let highest = z + depth as i32 - 1;
        let most = if top { Level::FromTop(down) } else { Level::At(high) };
        let end = if top { highest - down as i32 } else { high };
        let levels = Area::Levels { least: Level::At(low), most };
        let between = Area::Between {
            least: Cell::at(x, i32::MIN, i32::MIN),
            most: Cell::at(x + 1, i32::MAX, i32::MAX),
        };
        let both = Area::All(vec![between.clone(), levels.clone()]);
        prop_assert!(levels.is_of_levels() && !between.is_of_levels() && !both.is_of_levels());
        prop_assert_eq!(most.of(extent), end);
        let (levels, between, both) = (levels.cells(layout), between.cells(layout), both.cells(layout));
        for cell in extent.iter() {
            prop_assert_eq!(levels.get(cell), (low..=end).contains(&cell.z));
            prop_assert_eq!(between.get(cell), (x..=x + 1).contains(&cell.x));
            prop_assert_eq!(both.get(cell), levels.get(cell) && between.get(cell));
        }
        prop_assert_eq!(Area::All(Vec::new()).cells(layout), BitPlane::full(extent));
    }

    /// A plan of one level lies on all, one of several each on its own, and what lies beyond the map is counted.
    #[test]
    fn plans_lie_on_their_levels(
        at in [-2i32..4, -2i32..3, -2i32..4], levels in 0u32..4, numbers in proptest::collection::vec(0u32..3, 64),
    ) {
        let layout = boxes(Cell::at(0, 0, 0), [4, 3, 3]);
        let (wide, high) = (3u32, 2u32);
        let rows = high * levels.max(1);
        let mut terrain = Terrain {
            palette: vec!["moss".to_owned(), "pond".to_owned()],
            cells: Indices::new((wide * rows) as usize, 2),
        };
        for (index, number) in (0..(wide * rows) as usize).zip(&numbers) {
            terrain.cells.set(index, (*number < 2).then_some(*number));
        }
        let [x, y, z] = at;
        let plan = Plan::of_terrain([wide, rows], terrain.clone()).unwrap().at(Cell::at(x, y, z));
        let plan = if levels > 0 { plan.levels(levels).unwrap() } else { plan };
        prop_assert_eq!(plan.size(), [wide, high]);
        let outside = plan.outside(layout.extent());
        let mut map = Tilemap::new(layout);
        follow(&Pass::new("plan", plan), &mut map, &Seed::default());
        let mut inside = 0;
        for cell in layout.extent().iter() {
            let (dx, dy, dz) = (cell.x - x, cell.y - y, cell.z - z);
            let level = if levels > 0 { dz } else { 0 };
            let within = (0..wide as i32).contains(&dx) && (0..high as i32).contains(&dy)
                && (levels == 0 || (0..levels as i32).contains(&dz));
            inside += u64::from(within);
            let index = (level * high as i32 + dy) * wide as i32 + dx;
            let want = within.then(|| terrain.cells.get(index as usize)).flatten();
            let want = want.map(|number| terrain.palette[number as usize].as_str());
            prop_assert_eq!(map.terrain().and_then(|t| t.at(cell, layout.extent())), want);
        }
        let all = u64::from(wide * high) * u64::from(if levels > 0 { levels } else { 3 });
        prop_assert_eq!(outside, all - inside);
    }
}

#[rstest]
#[case(Lattice::Square, 64, [64, 64, 1])]
#[case(Lattice::HexFlat, 20, [20, 20, 1])]
#[case(Lattice::Box, 64, [16, 16, 16])]
#[case(Lattice::Box, 4, [4, 4, 4])]
fn trial_maps_have_a_stated_size(
    #[case] lattice: Lattice,
    #[case] size: u32,
    #[case] want: [u32; 3],
) {
    assert_eq!(trial_extent(lattice, size), want);
}

#[rstest]
#[case(Level::At(-3), "-3")]
#[case(Level::FromTop(0), "top")]
#[case(Level::FromTop(2), "top-2")]
fn levels_have_words(#[case] level: Level, #[case] want: &str) {
    assert_eq!(level.to_string(), want);
}

/// A ground that only stands at the bottom, air above it, and a post that ends in the air on one side.
fn grounded(post_closes: bool) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Box);
    let [soil, air, core] = ["soil", "air", "core"].map(|name| set.socket(Socket::plain(name)));
    let foot = set.socket(Socket::border("foot"));
    let around = |socket: SocketId, up, down| [socket, socket, socket, socket, up, down];
    set.tile(Tile::new("ground").sides(around(soil, air, foot)));
    set.tile(Tile::new("air").sides(around(air, air, air)).weight(3.0));
    let east = if post_closes { air } else { core };
    set.tile(Tile::new("post").sides([air, east, air, air, air, air]));
    set.build().unwrap()
}

/// What stands on the ground is not taken for something that cannot stand inside a map; what finds no
/// neighbour around still is.
#[rstest]
#[case(true, 0)]
#[case(false, 1)]
fn a_ground_is_no_dead_end(#[case] closes: bool, #[case] found: usize) {
    let set = grounded(closes);
    let rules = Rules::compile(&set).unwrap();
    let names: Vec<String> = audit_company(&set, &rules)
        .iter()
        .filter(|finding| finding.code == lantern_quilt_core::finding::Code::NeverInside)
        .map(|finding| finding.message.clone())
        .collect();
    assert_eq!(names.len(), found, "{names:?}");
    assert_eq!(inside(&rules).iter().count(), 3 - found);
}

/// Trial maps of boxes keep limits of whole levels, so that a ground lies at the bottom there as well.
#[rstest]
#[case(true, 20)]
#[case(false, 0)]
fn trials_keep_limits_of_levels(#[case] possible: bool, #[case] filled: u32) {
    let set = grounded(true);
    let ground = set.tiles().ids().next().unwrap();
    let level = if possible { Level::At(0) } else { Level::At(1) };
    let area = Area::Levels { least: level, most: level };
    let rule = AreaRule::new(vec![Selector::any(Accept::Tile(ground))], area, Keep::Filling);
    let constraints = Constraints { areas: vec![rule], ..Constraints::default() };
    let trials = Trials::default().size(8).seeds(20);
    assert_eq!(first_goes(&set, &constraints, &trials), filled);
}

/// Pins from the top stand at the top of whatever map is filled.
#[rstest]
fn pins_follow_the_top(#[values(2, 5, 9)] depth: u32, #[values(0, 1)] down: u32) {
    let set = grounded(true);
    let post = set.tiles().ids().nth(2).unwrap();
    let mut pin = Pin::new(Cell::at(1, 2, 0), post);
    pin.level = Some(Level::FromTop(down));
    let constraints = Constraints { pins: vec![pin], ..Constraints::default() };
    let layout = boxes(Cell::at(0, 0, -4), [4, 4, depth]);
    let want = Cell::at(1, 2, -4 + depth as i32 - 1 - down as i32);
    assert_eq!(pin.cell_in(layout.extent()), want);
    let pass = Collapse::new("fill", set, constraints).unwrap();
    let mut run = pass.begin(layout, &Seed::from_number(3), Scratch::default()).unwrap();
    assert!(run.fill().is_filled());
    assert_eq!(pass.layer(&run).get(want).unwrap().tile, "post");
}
