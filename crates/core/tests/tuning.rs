//! Numbers for so many cells, bands that move together, the order of drawing, parts of maps, rehearsals.

use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::map::{Item, Placed, Shown, Tilemap};
use lantern_quilt_core::noise::Noise;
use lantern_quilt_core::passes::{
    Amount, AssignStep, BandEnd, Becomes, CellSpot, Choice, ClearStep, Condition, NoiseStep,
    PlaceStep, SetPiece, TagStep, Thing,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::{Expectation, Pass, Recipe, Rehearsal};
use lantern_quilt_testkit::maps::{any_map, follow, layout_of};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;
use std::num::NonZeroU32;

fn place(name: &str) -> PlaceStep {
    let what = Thing::Item { name: name.into(), looks: vec![], tags: [].into() };
    let part = SetPiece { what, faces: Side::South, at: [0; 2], offset: [0.0; 2] };
    PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part] }])
}

/// The connected regions of some cells, by walking from each in turn.
fn regions(layout: Layout, cells: &BitPlane) -> Vec<BTreeSet<Cell>> {
    let mut all: Vec<BTreeSet<Cell>> = Vec::new();
    for cell in cells.iter() {
        if all.iter().any(|region| region.contains(&cell)) {
            continue;
        }
        let (mut region, mut open) = (BTreeSet::new(), vec![cell]);
        while let Some(at) = open.pop() {
            if cells.get(at) && region.insert(at) {
                open.extend(
                    layout.lattice().around().iter().filter_map(|&side| layout.neighbour(at, side)),
                );
            }
        }
        all.push(region);
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    /// Each region gets the number for so many cells of its own, rounded down; a chance grows with it.
    #[test]
    fn numbers_for_so_many_cells_are_those_of_each_region(
        lattice in 0usize..4, wrap in any::<[bool; 3]>(), values in proptest::collection::vec(any::<u8>(), 200),
        least in 0u64..4, more in 0u64..3, per in 1u32..9, seed in 0u64..99,
    ) {
        let layout = layout_of(lattice, [6, 5, 2], wrap);
        let map = any_map(layout, &values);
        let open = Condition::Terrain(vec!["moss".into(), "sand".into()]);
        let cells = open.cells(&map, &Seed::default(), "");
        let regions = regions(layout, &cells);
        let mut clear = map.clone();
        clear.set_items(Vec::new());
        let amount = Amount::Between { least, most: least + more };
        let step = place("lamp").amount(amount).per(NonZeroU32::new(per));
        let mut made = clear.clone();
        let told = follow(&Pass::new("lamps", step).within(open.clone()), &mut made, &Seed::from_number(seed));
        let mut wanted = 0;
        for region in &regions {
            let found = made.items().iter().filter(|item| region.contains(&item.cell)).count() as u64;
            let cells = region.len() as u64;
            let [low, high] = [least, least + more].map(|number| (number * cells / u64::from(per)).min(cells));
            prop_assert!((low..=high).contains(&found), "{found} of {low} to {high}");
            wanted += least * cells / u64::from(per);
        }
        prop_assert_eq!(told.placing.unwrap().least, wanted);
        // A region of as many cells as the chance is for, or more, has the whole chance.
        let step = place("lamp").amount(Amount::Chance(1.0)).per(NonZeroU32::new(per)).on(CellSpot::Region);
        let mut made = clear;
        follow(&Pass::new("lamps", step).within(open), &mut made, &Seed::from_number(seed));
        for region in regions.iter().filter(|region| region.len() as u32 >= per) {
            prop_assert!(made.items().iter().any(|item| region.contains(&item.cell)));
        }
    }

    /// All ends of bands move by one number.
    #[test]
    fn bands_move_together(least in -0.5f64..0.4, more in 0.0f64..0.3, by_value: bool, many: bool, seed in 0u64..500) {
        let layout = Layout::flat(Lattice::Square, 30, 20).unwrap();
        let band = |end: f64, tag: &str| {
            let end = if by_value { BandEnd::Value(end as f32) } else { BandEnd::Share(0.2) };
            (end, Becomes::Tag(tag.to_owned()))
        };
        let ends = if many { 13 } else { 2 };
        let bands: Vec<_> = (1..=ends).map(|number| band(0.2 * f64::from(number), &format!("t{number}"))).collect();
        let step = NoiseStep::new(Noise::new(6.0), bands).shift([least, least + more]);
        let counts = |step: NoiseStep| {
            let mut map = Tilemap::new(layout);
            follow(&Pass::new("bands", step), &mut map, &Seed::from_number(seed));
            (1..=ends).map(|number| map.tag(&format!("t{number}")).map_or(0, BitPlane::count)).collect::<Vec<_>>()
        };
        let moved = counts(step.clone());
        // There is one number between the two with which every band is as it is by that number alone.
        let fixed = |by: f64| counts(step.clone().shift([by, by]));
        let [low, high] = [fixed(least), fixed(least + more)];
        let ends_of = |counts: &[usize]| counts.iter().scan(0, |sum, n| { *sum += n; Some(*sum) }).collect::<Vec<_>>();
        for ((end, low), high) in ends_of(&moved).into_iter().zip(ends_of(&low)).zip(ends_of(&high)) {
            prop_assert!(low <= end && end <= high, "{low} {end} {high}");
        }
        if !by_value && !many {
            let first = moved[0] as f64 / 600.0;
            let shift = first - 0.2;
            let all = (((0.4 + shift) * 600.0).round() as usize).min(600);
            prop_assert!(first == 0.0 || moved[0] + moved[1] == all || first >= 1.0, "{moved:?}");
        }
    }

    /// A part of a map has what the map has there, and keeps its cells.
    #[test]
    fn a_part_of_a_map_is_that_part(
        lattice in 0usize..4, values in proptest::collection::vec(any::<u8>(), 90),
        at in [-6i32..6, -1i32..9, -1i32..3], size in [1u32..6, 1u32..6, 1u32..3],
    ) {
        let layout = layout_of(lattice, [4, 3, 2], [true; 3]);
        let map = any_map(layout, &values);
        let solid = layout.lattice().is_solid();
        let [z, levels] = if solid { [at[2], size[2] as i32] } else { [0, 1] };
        let cells = Extent::new(Cell::at(at[0], at[1], z), [size[0], size[1], levels as u32]).unwrap();
        let inside: Vec<Cell> = layout.extent().iter().filter(|&cell| cells.contains(cell)).collect();
        let Some(part) = map.cropped(cells) else {
            prop_assert!(inside.is_empty());
            return Ok(());
        };
        let extent = part.layout().extent();
        prop_assert_eq!(extent.iter().collect::<Vec<_>>(), inside.clone());
        for &cell in &inside {
            let of = |map: &Tilemap| {
                let extent = map.layout().extent();
                let tags: Vec<(String, bool)> = map.tags().map(|(n, p)| (n.to_owned(), p.get(cell))).collect();
                let numbers: Vec<_> = map.planes().map(|(n, p)| (n.to_owned(), p.get(cell))).collect();
                let tiles: Vec<_> = map.layers().map(|layer| layer.get(cell).cloned()).collect();
                let items: Vec<Item> = map.items().iter().filter(|item| item.cell == cell).cloned().collect();
                let ground = map.terrain().and_then(|one| one.at(cell, extent)).map(str::to_owned);
                (ground, map.heights().map(|one| one.get(cell).copied()), tags, numbers, tiles, items)
            };
            prop_assert_eq!(of(&part), of(&map));
        }
    }
}

#[rstest]
#[case(0, 0..=0)]
#[case(50, 60..=140)]
#[case(100, 150..=250)]
#[case(250, 400..=400)]
fn passes_appear_by_the_cells_of_their_place(
    #[case] cells: usize,
    #[case] times: std::ops::RangeInclusive<usize>,
) {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 25, 10).unwrap());
    let extent = map.layout().extent();
    map.set_tag(
        "court",
        Some(BitPlane::from_fn(extent, |cell| extent.index(cell).unwrap() < cells)),
    );
    let pass = Pass::new("a", AssignStep { becomes: vec![Becomes::Height(2)] });
    let pass = pass.within(Condition::Tag("court".into())).appears(0.5);
    let recipe = Recipe::new([pass.appears_per(NonZeroU32::new(100).unwrap())]);
    let done = (0..400).filter(|&seed| {
        let mut maker = recipe.over(map.clone(), &Seed::from_number(seed));
        maker.make().unwrap();
        !maker.passes()[0].left_out
    });
    let count = done.count();
    assert!(times.contains(&count), "{count}");
}

/// Passes in order, each behind those it is drawn above (`a>b,c`); and the circle that there is.
#[rstest]
#[case("a b c", &[0, 1, 2], "")]
#[case("a>c b c", &[2, 0, 1], "")]
#[case("a>b,c b>d c d", &[3, 2, 0, 1], "")]
#[case("a>nobody b>a", &[0, 1], "")]
#[case("a>a b", &[1, 0], "a")]
#[case("a>c b>a c>b d", &[1, 2, 3, 0], "a c b")]
fn things_are_drawn_in_order(#[case] passes: &str, #[case] order: &[i32], #[case] circle: &str) {
    let passes: Vec<(&str, Vec<&str>)> = passes
        .split(' ')
        .map(|pass| {
            pass.split_once('>')
                .map_or((pass, vec![]), |(name, above)| (name, above.split(',').collect()))
        })
        .collect();
    let recipe = Recipe::new(
        passes.iter().map(|(name, above)| Pass::new(*name, place(name)).drawn_above(above.clone())),
    );
    assert_eq!(
        (recipe.drawn(), recipe.drawn_in_circle().join(" ")),
        (order.to_vec(), circle.to_owned())
    );
    let made = recipe
        .make(Layout::flat(Lattice::Square, passes.len() as u32, 1).unwrap(), &Seed::default());
    for item in made.unwrap().map.items() {
        let number = passes.iter().position(|(name, _)| **name == *item.pass).unwrap();
        assert_eq!(item.drawn, order[number]);
    }
}

/// Layers, passes and groups are shown and hidden by name.
#[rstest]
#[case(&[], &[], "moss ground/a ground/b post lamp")]
#[case(&["lights"], &[], "lamp")]
#[case(&["ground"], &[], "ground/a")]
#[case(&["floor"], &[], "ground/a ground/b")]
#[case(&["terrain", "posts"], &[], "moss post")]
#[case(&[], &["lights", "terrain"], "ground/a ground/b post")]
#[case(&["lights", "posts"], &["lights"], "post")]
fn parts_are_shown_by_name(#[case] show: &[&str], #[case] hide: &[&str], #[case] want: &str) {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 4, 1).unwrap());
    map.terrain_mut().lay(0, Some("moss"));
    let layer = map.layer_mut("floor");
    for (x, pass) in [(1, "ground"), (2, "tiles")] {
        let placed =
            Placed { pass: Some(pass.into()), ..Placed::new(if x == 1 { "a" } else { "b" }) };
        let number = layer.add(placed);
        layer.set(Cell::new(x, 0), Some(number));
    }
    let item = |name: &str, pass: &str, group: Option<&str>| Item {
        pass: pass.into(),
        group: group.map(Into::into),
        ..Item::new(name, Cell::new(3, 0))
    };
    map.set_items(vec![item("post", "posts", None), item("lamp", "lamps", Some("lights"))]);
    let shown = Shown::default().show(show.iter().copied()).hide(hide.iter().copied());
    assert!(shown.unknown(&map.part_names()).is_none());
    let seen = shown.of(&map);
    let ground = seen.terrain().and_then(|one| one.at(Cell::new(0, 0), map.layout().extent()));
    let tiles = seen
        .layers()
        .flat_map(|layer| map.layout().extent().iter().filter_map(|cell| layer.get(cell)));
    let items = seen.items().iter().map(|item| item.name.to_string());
    let all = ground.map(str::to_owned).into_iter();
    let all = all.chain(tiles.map(|placed| format!("ground/{}", placed.tile))).chain(items);
    assert_eq!(all.collect::<Vec<_>>().join(" "), want);
}

/// A rehearsal says how often each demand holds, which pass is at fault, and which passes end maps early.
#[test]
fn a_rehearsal_counts_what_holds() {
    let lamps = place("lamp").amount(Amount::Between { least: 3, most: 3 });
    let storm = ClearStep { terrain: false, items: true, layers: vec![] };
    let dry = TagStep { add: vec!["dry".into()], remove: vec![] };
    let from = Condition::Tag("dry".into());
    let walk =
        lantern_quilt_core::passes::WalkStep::new(from, [3, 3]).becomes(vec![Becomes::Height(1)]);
    let lit = Expectation::new("lit", Condition::Item(vec!["lamp".into()])).least(3);
    let vain = Expectation::new("vain", Condition::Tag("wet".into()));
    let recipe = Recipe::new([
        Pass::new("lamps", lamps),
        Pass::new("storm", storm).appears(0.3),
        Pass::new("dry", dry).appears(0.8),
        Pass::new("walk", walk),
    ]);
    let recipe = recipe.expecting([lit, vain]);
    let mut rehearsal = Rehearsal::default();
    let (mut stormy, mut stuck) = (0, 0);
    for seed in 0..100 {
        let mut maker =
            recipe.maker(Layout::flat(Lattice::Square, 6, 4).unwrap(), &Seed::from_number(seed));
        let error = maker.make().err();
        stuck += u32::from(error.is_some());
        stormy += u32::from(error.is_none() && !maker.passes()[1].left_out);
        rehearsal.add(&recipe, &maker.finish(), error.as_ref(), &seed.to_string());
    }
    assert!(stuck > 5 && stormy > 10, "{stuck} {stormy}");
    assert_eq!((rehearsal.maps(), rehearsal.finished()), (100, 100 - stuck));
    let held: Vec<(&str, bool, u32)> = rehearsal
        .demands()
        .iter()
        .map(|one| (&*one.name, one.is_expected, one.asked - one.held))
        .collect();
    assert_eq!(
        held,
        [("lamps", false, stormy), ("lit", true, stormy), ("vain", true, 100 - stuck)]
    );
    assert!(rehearsal.demands()[..2].iter().all(|one| one.blamed["storm"] == stormy));
    let found: Vec<String> = rehearsal.findings().iter().map(ToString::to_string).collect();
    assert!(
        found[0].contains(&format!("`walk` ends {stuck} of 100 trial maps early")),
        "{found:?}"
    );
    assert!(
        found[1].contains("warning[sometimes-fails]")
            && found[1].contains("`storm` is at fault on")
    );
    assert!(found[3].contains("error[never-holds] expect.vain") && found.len() == 4, "{found:?}");
}
