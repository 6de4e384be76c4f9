//! Things that turn on every lattice: ways between cells, tiles of several cells, sets and stamps.

use lantern_quilt_core::lattice::Shift;
use lantern_quilt_core::map::{Item, Layer, Placed, Terrain, Tilemap};
use lantern_quilt_core::passes::{
    Amount, Choice, Condition, Facing, FillStep, Mark, PlaceStep, SetPiece, StampStep, Thing,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_core::tileset::block::{Block, Part};
use lantern_quilt_core::verify::verify;
use lantern_quilt_testkit::maps::{any_map, follow, layout_of};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Where one ends up that crosses these sides, on a map without edges.
fn walked(lattice: Lattice, from: Cell, sides: impl IntoIterator<Item = Side>) -> Cell {
    sides.into_iter().fold(from, |cell, side| lattice.step(cell, side).unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    /// A way that is turned and mirrored is the way across sides that are turned and mirrored.
    #[test]
    fn shifts_turn_as_ways_across_sides_do(
        lattice in 0usize..4, from in (-9i32..9, -9i32..9), to in (-9i32..9, -9i32..9),
        ways in proptest::collection::vec(0usize..6, 0..12), turns in 0u8..6, mirrored: bool,
    ) {
        let lattice = Lattice::ALL[lattice];
        let turn = Orientation::new(lattice, turns, mirrored);
        let sides: Vec<Side> = ways.iter().map(|&way| lattice.sides()[way % lattice.sides().len()]).collect();
        let (from, to) = (Cell::new(from.0, from.1), Cell::new(to.0, to.1));
        let shift = Shift::between(lattice, from, walked(lattice, from, sides.clone()));
        let shift = if mirrored { shift.mirrored(lattice) } else { shift };
        let layout = if lattice.is_solid() {
            Layout::new(lattice, Extent::new(Cell::at(-40, -40, -40), [81; 3]).unwrap(), Wrap::NONE)
        } else {
            Layout::new(lattice, Extent::new(Cell::new(-40, -40), [81, 81, 1]).unwrap(), Wrap::NONE)
        };
        let turned = sides.into_iter().map(|side| turn.side(lattice, side));
        let there = layout.unwrap().shifted(to, shift.turned(lattice, turn.turns()));
        prop_assert_eq!(there, Some(walked(lattice, to, turned)));
    }

    /// A stamp leaves on each cell what the small map has there, found by crossing turned sides; so do the parts
    /// of a set and the marks around it.
    #[test]
    fn stamps_and_sets_turn_with_the_lattice(
        lattice in 0usize..4, wrap in any::<[bool; 3]>(), size in [1u32..4, 1u32..4], seed in 0u64..99,
        values in proptest::collection::vec(any::<u8>(), 40), way in 0usize..6, at in [-1i32..3, -1i32..3],
    ) {
        let layout = layout_of(lattice, [8, 7, 2], [wrap[0], wrap[1], false]);
        let lattice = layout.lattice();
        let around = lattice.around();
        let facing = around[way % around.len()];
        let faces = around[0];
        let turn = Orientation::new(lattice, lattice.turns_between(faces, facing), false);
        let small = any_map(Layout::flat(lattice, size[0], size[1]).unwrap(), &values);
        let held = StampStep::held(small.layout());
        let mut chooser = PlaceStep::new(Vec::new());
        (chooser.amount, chooser.facing) = (Amount::Between { least: 1, most: 1 }, Facing::Side(facing));
        chooser.marks = vec![Mark { add: vec!["mark".into()], at, ..Mark::default() }];
        let stamp = StampStep::new(chooser, vec![(1.0, Arc::new(small.clone()))], faces);
        let mut map = Tilemap::new(layout);
        let middle = layout.extent().cell(layout.extent().cells() / 2 + 3);
        let here = Condition::Within(Extent::new(middle, [1; 3]).unwrap());
        let pass = Pass::new("stamp", stamp).within(here.clone());
        let done = follow(&pass, &mut map, &Seed::from_number(seed)).placing.unwrap();
        // From the held cell to another one by sides, and along the turned sides from where it is held.
        let target = |to: Cell| -> Option<Cell> {
            let mut at = middle;
            for side in sides_to(lattice, held, to) {
                // A way may leave the map on its way to a cell inside: it is walked without edges.
                at = lattice.step(at, turn.side(lattice, side))?;
            }
            layout.moved(middle, [at.x - middle.x, at.y - middle.y, at.z - middle.z])
        };
        let own = small.layout().extent();
        let terrain = small.terrain().unwrap();
        let fits = own.iter().filter(|&cell| terrain.at(cell, own).is_some()).all(|cell| target(cell).is_some());
        prop_assert!(done.sets == 1 || !fits || terrain.cells.iter().flatten().count() < own.cells());
        if done.sets == 1 {
            for cell in own.iter() {
                let Some(name) = terrain.at(cell, own) else { continue };
                let there = map.terrain().unwrap().at(target(cell).unwrap(), layout.extent());
                prop_assert!(there == Some(name) || wrap[0] || wrap[1]);
            }
        }
        // The parts of a set.
        let part = |name: &str, at| SetPiece {
            what: Thing::Item { name: name.into(), looks: vec![], tags: [].into() }, faces, at, offset: [0.0; 2],
        };
        let parts = vec![part("post", [0, 0]), part("lamp", at)];
        let mut step = PlaceStep::new(vec![Choice { weight: 1.0, parts }]);
        step.facing = Facing::Side(facing);
        step.marks = vec![Mark { add: vec!["mark".into()], at, ..Mark::default() }];
        let mut map = Tilemap::new(layout);
        follow(&Pass::new("set", step).within(here), &mut map, &Seed::from_number(seed));
        let mut at_to = middle;
        for side in sides_to(lattice, Cell::new(0, 0), Cell::new(at[0], at[1])) {
            at_to = lattice.step(at_to, turn.side(lattice, side)).unwrap();
        }
        let wanted = layout.moved(middle, [at_to.x - middle.x, at_to.y - middle.y, 0]);
        let found: Vec<(&str, Cell)> = map.items().iter().map(|item| (&*item.name, item.cell)).collect();
        let mut want: Vec<(&str, Cell)> = wanted.filter(|&there| there != middle || at == [0, 0])
            .map(|there| vec![("lamp", there), ("post", middle)]).unwrap_or_default();
        if at == [0, 0] {
            want = vec![("lamp", middle), ("post", middle)];
        }
        let sorted = |mut all: Vec<(&'static str, Cell)>| { all.sort(); all };
        let found = found.into_iter().map(|(name, cell)| (if name == "lamp" { "lamp" } else { "post" }, cell));
        prop_assert_eq!(sorted(found.collect()), sorted(want.into_iter()
            .map(|(name, cell)| (if name == "lamp" { "lamp" } else { "post" }, cell)).collect()));
        let marked: Vec<Cell> = map.tag("mark").map(|plane| plane.iter().collect()).unwrap_or_default();
        prop_assert_eq!(marked, if map.items().is_empty() { vec![] } else { wanted.into_iter().collect() });
    }
}

/// Sides that lead from one cell to another, found by trying longer and longer ways.
fn sides_to(lattice: Lattice, from: Cell, to: Cell) -> Vec<Side> {
    let mut ways: BTreeMap<Cell, Vec<Side>> = BTreeMap::from([(from, Vec::new())]);
    while !ways.contains_key(&to) {
        for (cell, way) in ways.clone() {
            for &side in lattice.around() {
                let there = lattice.step(cell, side).unwrap();
                let longer = way.iter().copied().chain([side]);
                ways.entry(there).or_insert_with(|| longer.collect());
            }
        }
    }
    ways[&to].clone()
}

/// A fill with tiles of several cells: each of them is whole, with every part where it belongs.
#[rstest]
fn tiles_of_several_cells_are_whole(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
    #[values([2, 1, 1], [2, 2, 1], [1, 3, 1])] span: [u32; 3],
    #[values(Mirror::No, Mirror::EastWest)] mirror: Mirror,
) {
    let mut set = TilesetBuilder::new(lattice);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss).weight(3.0));
    let sides = lattice.sides();
    let shows = |number: usize| if number < 2 { path } else { moss };
    let lane = sides
        .iter()
        .enumerate()
        .fold(Tile::new("lane"), |tile, (number, &side)| tile.side(side, [shows(number)]));
    set.tile(lane.turns(lattice.turns()));
    let hall = Tile::new("hall").all(moss).turns(lattice.turns()).mirror(mirror).weight(4.0);
    let parts = set.block(&Block::new(hall, span).part([0; 3], sides[0], [path]));
    assert_eq!(parts.len() as u32, span[0] * span[1]);
    let set = set.build().unwrap();
    let fill = Collapse::new("ground", set.clone(), Constraints::default()).unwrap();
    let size = if lattice.is_solid() { [6, 6, 2] } else { [10, 9, 1] };
    let layout =
        Layout::new(lattice, Extent::new(Cell::default(), size).unwrap(), Wrap::NONE).unwrap();
    let mut halls = 0;
    for seed in 0..4 {
        let pass = Pass::new("ground", FillStep::new(fill.clone()));
        let mut map = Tilemap::new(layout);
        follow(&pass, &mut map, &Seed::from_number(seed));
        let layer = map.layer("ground").unwrap();
        assert!(verify(layer, layout, |_| true, &set, &Constraints::default()).is_empty());
        for (cell, first) in
            layout.extent().iter().filter_map(|cell| Some((cell, layer.get(cell)?)))
        {
            let Some(part) = first.part.filter(|&at| at == [0; 3]) else { continue };
            halls += 1;
            for at in (0..span[1]).flat_map(|y| (0..span[0]).map(move |x| [x, y, part[2]])) {
                let shift = Part { at, span }.from_first(lattice, first.orientation);
                let there = layout.shifted(cell, shift).and_then(|there| layer.get(there)).unwrap();
                assert_eq!(
                    (&*there.tile, there.part, there.orientation),
                    ("hall", Some(at), first.orientation)
                );
            }
        }
    }
    assert!(halls > 4, "{halls}");
    // No part stands without its first one.
    let all: usize = (span[0] * span[1]) as usize;
    let mut map = Tilemap::new(layout);
    follow(&Pass::new("ground", FillStep::new(fill)), &mut map, &Seed::from_number(9));
    let layer: &Layer = map.layer("ground").unwrap();
    let placed: Vec<&Placed> = layout.extent().iter().filter_map(|cell| layer.get(cell)).collect();
    let count = |wanted: &dyn Fn(&Placed) -> bool| placed.iter().filter(|one| wanted(one)).count();
    assert_eq!(count(&|one| one.part.is_some()), all * count(&|one| one.part == Some([0; 3])));
}

/// Items on stamps turn by sixths, with their sides and offsets.
#[test]
fn what_stands_on_a_stamp_turns_by_sixths() {
    let lattice = Lattice::HexFlat;
    let mut small = Tilemap::new(Layout::flat(lattice, 1, 1).unwrap());
    let mut ground = Terrain::new(small.layout().extent());
    ground.lay(0, Some("gravel"));
    small.set_terrain(Some(ground));
    let lamp = Item {
        side: Some(Side::North),
        facing: Some(Side::NorthEast),
        ..Item::new("lamp", Cell::default())
    };
    small.set_items(vec![Item { offset: [0.0, -0.25, 0.0], ..lamp }]);
    let mut chooser = PlaceStep::new(Vec::new());
    chooser.facing = Facing::Side(Side::SouthEast);
    let stamp = StampStep::new(chooser, vec![(1.0, Arc::new(small))], Side::North);
    let mut map = Tilemap::new(Layout::flat(lattice, 1, 1).unwrap());
    follow(&Pass::new("stamp", stamp), &mut map, &Seed::default());
    let lamp = &map.items()[0];
    assert_eq!(
        (lamp.side, lamp.facing, lamp.turn),
        (Some(Side::SouthEast), Some(Side::South), 120.0)
    );
    assert!((lamp.offset[0] - 0.216_506).abs() < 1e-4 && (lamp.offset[1] - 0.125).abs() < 1e-4);
}
