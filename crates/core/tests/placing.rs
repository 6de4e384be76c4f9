//! What passes place, against a second, simple reading of what they promise.

use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::map::{Item, Spot, Terrain, Tilemap};
use lantern_quilt_core::noise::Noise;
use lantern_quilt_core::passes::{
    Amount, BandEnd, Becomes, CellSpot, Choice, Condition, Density, Facing, Mark, NoiseStep,
    PlaceStep, Placing, Replace, SetPiece, SiteOrder, StampStep, SurfaceStep, Thing,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_testkit::maps::{any_map, follow, layout_of, steps_between, straight_between};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;
use std::sync::Arc;

fn names(names: &[&str]) -> Vec<String> {
    names.iter().map(|&name| name.to_owned()).collect()
}

fn item(name: &str, faces: Side) -> SetPiece {
    let what = Thing::Item { name: name.into(), looks: vec![3.0, 1.0], tags: [].into() };
    SetPiece { what, faces, at: [0; 2], offset: [0.0; 2] }
}

/// What a pass has to say that places things.
fn placing(pass: &Pass, map: &mut Tilemap, seed: u64) -> Placing {
    follow(pass, map, &Seed::from_number(seed)).placing.unwrap()
}

fn alone(part: SetPiece) -> Vec<Choice> {
    vec![Choice { weight: 1.0, parts: vec![part] }]
}

/// How far two cells are apart, as the pass tells it.
fn apart(layout: Layout, a: Cell, b: Cell) -> f64 {
    if layout.lattice().turns() == 4 {
        f64::from(straight_between(layout, a, b)).sqrt()
    } else {
        f64::from(steps_between(layout, a, b))
    }
}

/// Whether two items stand in one place, by walking across the side of one.
fn same_place(layout: Layout, a: &Item, b: &Item) -> bool {
    let beyond = |item: &Item| {
        let side = item.side?;
        Some((layout.neighbour(item.cell, side)?, side.opposite()))
    };
    let is = |item: &Item, (cell, side): (Cell, Side)| item.cell == cell && item.side == Some(side);
    (a.cell == b.cell && a.side == b.side)
        || beyond(a).is_some_and(|place| is(b, place))
        || beyond(b).is_some_and(|place| is(a, place))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn what_is_placed_keeps_what_the_pass_promises(
        lattice in 0usize..4, size in [1u32..7, 1u32..6, 1u32..3], wrap in any::<[bool; 3]>(),
        values in proptest::collection::vec(any::<u8>(), 280),
        least in 0u64..6, more in 0u64..5, all: bool, far in 0u8..16, on in 0usize..4,
        facing in 0usize..7, order in 0usize..4, overlap: bool, replace: bool, seed: u64,
    ) {
        let layout = layout_of(lattice, size, wrap);
        let (lattice, extent) = (layout.lattice(), layout.extent());
        let sides = &lattice.sides()[..usize::from(lattice.turns())];
        let mut map = any_map(layout, &values);
        let old: Vec<Item> = extent
            .iter()
            .zip(&values)
            .filter(|(_, value)| **value % 5 == 0)
            .map(|(cell, value)| Item {
                side: (value % 2 == 0).then(|| sides[usize::from(*value) % sides.len()]),
                ..Item::new("old", cell)
            })
            .collect();
        map.set_items(old);
        let before = map.clone();
        let moss = Condition::Terrain(names(&["moss"]));
        let walk = Condition::Tag("walk".to_owned());
        let mut pass = PlaceStep::new(alone(item("post", sides[0])));
        pass.amount = if all { Amount::All } else { Amount::Between { least, most: least + more } };
        // Things may stand at just that distance.
        pass.apart = if far < 4 { 0.0 } else { f32::from(far) / 4.0 };
        pass.on = [CellSpot::Cell, CellSpot::Side(sides[1]), CellSpot::SideTowards(moss.clone()), CellSpot::Cell][on].clone();
        pass.facing = [
            Facing::AsDrawn,
            Facing::Side(sides[2]),
            Facing::Towards(walk.clone()),
            Facing::Away(walk.clone()),
            if lattice.turns() == 4 { Facing::Along(walk.clone()) } else { Facing::Inward },
            Facing::Steps(u16::from(lattice.turns())),
            Facing::Steps(5),
        ][facing].clone();
        pass.order = [
            SiteOrder::Random, SiteOrder::Rows, SiteOrder::Nearest(walk.clone()),
            SiteOrder::Farthest(walk),
        ][order].clone();
        (pass.overlap, pass.replace) = (overlap, if replace { Replace::All } else { Replace::Nothing });
        let place = Condition::None(vec![Condition::Terrain(names(&["pond"]))]);
        let told = placing(&Pass::new("props", pass.clone()).within(place), &mut map, seed);

        // Nothing else has changed, and what stood there stays unless it is replaced.
        prop_assert_eq!((map.terrain(), map.heights()), (before.terrain(), before.heights()));
        prop_assert!(map.tags().eq(before.tags()) && map.layers().eq(before.layers()));
        let new: Vec<&Item> = map.items().iter().filter(|item| &*item.pass == "props").collect();
        let kept: Vec<&Item> = map.items().iter().filter(|item| item.pass.is_empty()).collect();
        let hit = |old: &Item| new.iter().any(|one| same_place(layout, one, old));
        let want: Vec<&Item> =
            before.items().iter().filter(|old| !(replace && hit(old))).collect();
        prop_assert_eq!(&kept, &want);
        prop_assert!(replace || overlap || !kept.iter().any(|old| hit(old)));

        // Counted, numbered and apart.
        prop_assert_eq!(told.sets, new.len() as u64);
        let numbers: BTreeSet<u32> = new.iter().map(|item| item.number).collect();
        prop_assert_eq!(numbers, (1..=new.len() as u32).collect());
        prop_assert_eq!(told.is_short(), !all && told.sets < least);
        prop_assert_eq!(told.finding().is_some(), told.is_short());
        prop_assert!(all || told.sets <= least + more);
        for (number, one) in new.iter().enumerate() {
            for other in &new[number + 1..] {
                prop_assert!(!same_place(layout, one, other), "{one:?} {other:?}");
                let gap = apart(layout, one.cell, other.cell);
                prop_assert!(gap >= f64::from(pass.apart) - 1e-6, "{gap} {one:?} {other:?}");
            }
        }

        // Where and which way.
        let terrain = |cell: Cell| before.terrain().unwrap().at(cell, extent);
        let walk = before.tag("walk").unwrap();
        let tagged = |cell: Cell| walk.get(cell);
        let to_walk = |cell: Cell, side: Side| layout.neighbour(cell, side).is_some_and(tagged);
        let can_face = |cell: Cell| {
            !matches!(facing, 2 | 3) && (facing != 4 || lattice.turns() == 6)
                || sides.iter().any(|&side| to_walk(cell, side))
        };
        let turn = |side: Side| {
            let at = |side| sides.iter().position(|&one| one == side).unwrap();
            (at(side) + sides.len() - at(sides[0])) % sides.len() * 360 / sides.len()
        };
        for one in &new {
            prop_assert!(terrain(one.cell) != Some("pond") && can_face(one.cell));
            match on {
                1 => prop_assert_eq!(one.side, Some(sides[1])),
                2 => {
                    let there = layout.neighbour(one.cell, one.side.unwrap()).unwrap();
                    prop_assert_eq!(terrain(there), Some("moss"));
                }
                _ => prop_assert_eq!(one.side, None),
            }
            let faced = |side: Side| Some(side) == one.facing;
            let good = match facing {
                0 => one.facing == one.side.or(Some(sides[0])),
                1 => faced(sides[2]),
                2 => sides.iter().any(|&side| faced(side) && to_walk(one.cell, side)),
                3 => sides.iter().any(|&side| faced(side.opposite()) && to_walk(one.cell, side)),
                // What holds lies to the right of the one who looks along.
                4 if lattice.turns() == 4 => (0..4).any(|at| faced(sides[at]) && to_walk(one.cell, sides[(at + 1) % 4])),
                4 => one.facing == one.side.map(Side::opposite).or(Some(sides[0])),
                5 => one.facing.is_some(),
                _ => (one.turn / 72.0).fract() == 0.0 && one.turn < 360.0,
            };
            prop_assert!(good, "{facing} {one:?}");
            if let Some(side) = one.facing {
                prop_assert_eq!(one.turn as usize, turn(side));
            }
        }

        // Whatever was left out has no room: it is too close, or something stands there.
        if all || told.is_short() {
            let places = extent.iter().filter(|&cell| terrain(cell) != Some("pond") && can_face(cell));
            for cell in places {
                let there: Vec<Option<Side>> = match on {
                    1 => vec![Some(sides[1])],
                    2 => {
                        let moss = |side: &&Side| layout.neighbour(cell, **side).is_some_and(|c| terrain(c) == Some("moss"));
                        sides.iter().filter(moss).map(|&side| Some(side)).collect()
                    }
                    _ => vec![None],
                };
                for side in there {
                    let one = Item { side, ..Item::new("post", cell) };
                    let close = new.iter().any(|other| {
                        pass.apart > 0.0 && apart(layout, cell, other.cell) < f64::from(pass.apart)
                            || same_place(layout, &one, other)
                    });
                    let taken = !overlap && !replace
                        && before.items().iter().any(|other| same_place(layout, &one, other));
                    prop_assert!(close || taken, "{cell} {side:?} is free");
                }
            }
        }
        // The nearest and the farthest come first.
        if order > 1 && pass.apart == 0.0 {
            let far = |item: &&&Item| {
                let walks = extent.iter().filter(|&cell| tagged(cell));
                walks.map(|cell| (apart(layout, cell, item.cell) * 1000.0) as u64).min()
            };
            let mut sorted = new.clone();
            sorted.sort_by_key(|item| item.number);
            let mut fars: Vec<Option<u64>> = sorted.iter().map(|item| far(&item)).collect();
            if order == 3 {
                fars.reverse();
            }
            prop_assert!(fars.windows(2).all(|pair| pair[0] <= pair[1]), "{fars:?}");
        }
    }

    #[test]
    fn a_larger_map_places_the_same_where_it_was(
        size in [4u32..20, 4u32..16], chance in 0.0f64..1.0, dense: bool, seed: u64, steps in 1u16..9,
    ) {
        let mut pass = PlaceStep::new(alone(item("fern", Side::South)));
        let noise = Noise::new(5.0);
        pass.amount = if dense {
            Amount::Density(Density::Noise { noise, above: 0.3, most: chance })
        } else {
            Amount::Chance(chance)
        };
        (pass.facing, pass.jitter, pass.scale) = (Facing::Steps(steps), [0.4; 2], [0.5, 2.0]);
        let pass = Pass::new("ferns", pass);
        let place = |[width, height]: [u32; 2]| {
            let mut map = Tilemap::new(Layout::flat(Lattice::Square, width, height).unwrap());
            placing(&pass, &mut map, seed);
            map
        };
        let (small, large) = (place(size), place([40, 40]));
        let extent = small.layout().extent();
        let plain = |items: &[Item]| -> Vec<Item> {
            let inside = items.iter().filter(|item| extent.contains(item.cell));
            inside.map(|item| Item { number: 0, ..item.clone() }).collect()
        };
        prop_assert_eq!(plain(small.items()), plain(large.items()));
        for item in small.items() {
            prop_assert!(item.offset.iter().all(|part| part.abs() <= 0.4));
            prop_assert!((0.5..=2.0).contains(&item.scale) && item.look < Some(2));
        }
    }

    #[test]
    fn surfaces_are_as_steep_as_allowed_and_strata_as_deep(
        lattice in 0usize..4, size in [1u32..14, 3u32..9, 1u32..5], wrap in any::<[bool; 3]>(),
        least in 0u32..4, more in 0u32..9, step in 0u32..3, depths in [1u32..3, 1u32..3], seed: u64,
    ) {
        let layout = layout_of(lattice, size, wrap);
        let (solid, extent) = (layout.lattice().is_solid(), layout.extent());
        let pass = |step: Option<u32>| SurfaceStep {
            noise: Noise::new(4.0),
            surface: [least, least + more],
            step,
            strata: vec![
                (Some(depths[0]), vec![Becomes::Terrain("roots".to_owned()), Becomes::Tag("top".to_owned())]),
                (Some(depths[1]), vec![Becomes::Terrain("clay".to_owned())]),
                (None, vec![Becomes::Terrain("gravel".to_owned())]),
            ],
        };
        let seed = Seed::from_number(seed);
        let mut map = Tilemap::new(layout);
        let raw = pass(None).heights(layout, &seed, "hill");
        let found = pass(Some(step)).heights(layout, &seed, "hill");
        // Each column is as high as the steepest way down to any other column lets it be.
        let [width, height, depth] = extent.size();
        let rows = if solid { height } else { 1 };
        let gap = |a: u32, b: u32, length: u32, closes: bool| {
            let gap = a.abs_diff(b);
            if closes { gap.min(length - gap) } else { gap }
        };
        let at = |index: usize| (index as u32 % width, index as u32 / width);
        for (index, &high) in found.iter().enumerate() {
            let want = raw.iter().enumerate().map(|(other, raw)| {
                let ((x, y), (u, v)) = (at(index), at(other));
                let wrap = layout.wrap();
                raw + step * (gap(x, u, width, wrap.x) + gap(y, v, rows, wrap.y && solid))
            });
            prop_assert_eq!(Some(high), want.min());
        }
        prop_assert!(raw.iter().all(|high| (least..=least + more).contains(high)));
        follow(&Pass::new("hill", pass(Some(step))), &mut map, &seed);
        let origin = extent.origin();
        for cell in extent.iter() {
            let (x, y) = ((cell.x - origin.x) as u32, (cell.y - origin.y) as u32);
            let (column, up) = if solid { (y * width + x, (cell.z - origin.z) as u32) } else { (x, height - 1 - y) };
            prop_assert!(up < height.max(depth));
            let deep = i64::from(found[column as usize]) - i64::from(up);
            let want = match deep {
                deep if deep <= 0 => None,
                deep if deep <= i64::from(depths[0]) => Some("roots"),
                deep if deep <= i64::from(depths[0] + depths[1]) => Some("clay"),
                _ => Some("gravel"),
            };
            let ground = map.terrain().and_then(|terrain| terrain.at(cell, extent));
            prop_assert_eq!(ground, want);
            let top = map.tags().any(|(_, plane)| plane.get(cell));
            prop_assert_eq!(top, want == Some("roots"));
        }
    }
}

/// A counter facing south with a basket to its west and something before it.
#[rstest]
#[case(Side::South, [0, 1], [-1, 0], 0.0)]
#[case(Side::West, [-1, 0], [0, -1], 90.0)]
#[case(Side::North, [0, -1], [1, 0], 180.0)]
#[case(Side::East, [1, 0], [0, 1], 270.0)]
fn sets_turn_with_their_facing(
    #[case] facing: Side,
    #[case] front: [i32; 2],
    #[case] beside: [i32; 2],
    #[case] turn: f32,
) {
    let layout = Layout::flat(Lattice::Square, 9, 9).unwrap();
    let basket = SetPiece { at: [-1, 0], offset: [0.0, 0.25], ..item("basket", Side::South) };
    let flag = SetPiece {
        what: Thing::Tile { name: "flag".to_owned(), looks: vec![] },
        ..item("", Side::South)
    };
    let parts = vec![item("counter", Side::South), basket, flag];
    let mut pass = PlaceStep::new(vec![Choice { weight: 1.0, parts }]);
    pass.facing = Facing::Side(facing);
    pass.marks = vec![
        Mark { add: names(&["front"]), at: [0, 1], ..Mark::default() },
        Mark { add: names(&["busy"]), within: 2, ..Mark::default() },
        Mark { remove: names(&["busy", "nobody"]), ..Mark::default() },
    ];
    let one = Extent::new(Cell::new(4, 4), [1, 1, 1]).unwrap();
    let pass = Pass::new("stalls", pass).group("stalls").onto("things");
    let pass = pass.within(Condition::Within(one));
    let mut map = Tilemap::new(layout);
    let told = placing(&pass, &mut map, 0);
    assert_eq!((told.sets, told.items, told.tiles), (1, 2, 1));
    let at = |[x, y]: [i32; 2]| Cell::new(4 + x, 4 + y);
    let found: Vec<(&str, Cell, f32, u32)> =
        map.items().iter().map(|i| (&*i.name, i.cell, i.turn, i.number)).collect();
    let mut want = vec![("counter", at([0, 0]), turn, 1), ("basket", at(beside), turn, 1)];
    want.sort_by_key(|(_, cell, ..)| (cell.y, cell.x));
    assert_eq!(found, want);
    let basket = map.items().iter().find(|item| &*item.name == "basket").unwrap();
    let [x, y] = front.map(|part| part as f32 * 0.25);
    assert!((basket.offset[0] - x).abs() < 1e-6 && (basket.offset[1] - y).abs() < 1e-6);
    assert_eq!((basket.group.as_deref(), &*basket.pass), (Some("stalls"), "stalls"));
    let flag = map.layer("things").unwrap().get(at([0, 0])).unwrap();
    assert_eq!(f32::from(flag.orientation.turns()) * 90.0, turn);
    assert_eq!((flag.pass.as_deref(), flag.group.as_deref()), (Some("stalls"), Some("stalls")));
    let tagged = |tag: &str| -> Vec<Cell> { map.tag(tag).unwrap().iter().collect() };
    assert_eq!(tagged("front"), [at(front)]);
    let busy: Vec<Cell> = layout
        .extent()
        .iter()
        .filter(|&cell| (1..=2).contains(&steps_between(layout, cell, at([0, 0]))))
        .collect();
    assert_eq!(tagged("busy"), busy);
    assert!(map.tag("nobody").is_none());
    // Beyond the edge of the map a set does not fit.
    let mut small = Tilemap::new(Layout::new(Lattice::Square, one, Wrap::NONE).unwrap());
    assert_eq!(placing(&pass, &mut small, 0).sets, 0);
}

/// Tiles that passes lay show all of their looks, as often as those are common.
#[rstest]
#[case::placed("place")]
#[case::by_noise("noise")]
#[case::filled("fill")]
#[case::filled_again("refill")]
fn tiles_show_their_looks(#[case] by: &str) {
    let layout = Layout::flat(Lattice::Square, 60, 50).unwrap();
    let mut map = Tilemap::new(layout);
    let (seed, looks) = (Seed::from_number(3), vec![3.0, 1.0, 2.0]);
    match by {
        "place" => {
            let what = Thing::Tile { name: "flag".to_owned(), looks };
            let part = SetPiece { what, ..item("", Side::South) };
            follow(&Pass::new("flags", PlaceStep::new(alone(part))), &mut map, &seed);
        }
        "noise" => {
            let placed = Placed::new("flag");
            let becomes = Becomes::Tile { layer: "flags".to_owned(), placed, looks };
            let bands = vec![(BandEnd::Rest, becomes)];
            let step = NoiseStep::new(Noise::new(5.0), bands);
            follow(&Pass::new("flags", step), &mut map, &seed);
        }
        _ => {
            let mut set = TilesetBuilder::new(Lattice::Square);
            let cloth = set.socket(Socket::plain("cloth"));
            set.tile(Tile::new("flag").all(cloth).looks(looks));
            let collapse =
                Collapse::new("flags", set.build().unwrap(), Constraints::default()).unwrap();
            let mut layer = Layer::new("flags", layout.extent(), Vec::new());
            let refill =
                collapse.refill(layout, &layer, layout.extent(), |_| true).expect("all open");
            let again = by == "refill";
            let job =
                if again { refill.job(&collapse, &seed) } else { collapse.job(layout, &seed) };
            let mut run = job.begin().unwrap();
            assert!(run.fill().is_filled());
            refill.paste(&collapse, &run, &mut layer);
            map.put_layer(if again { layer } else { layer_of(&run, collapse.tileset(), "flags") });
        }
    }
    let layer = map.layer("flags").unwrap();
    let mut counts = [0; 3];
    for cell in layer.extent().iter() {
        counts[layer.get(cell).unwrap().look as usize] += 1;
    }
    for (count, want) in counts.into_iter().zip([1500, 500, 1000]) {
        assert!(want * 9 / 10 < count && count < want * 11 / 10, "{counts:?}");
    }
}

/// Each share that is drawn between two is drawn by itself.
#[test]
fn drawn_shares_differ() {
    let band = |name: &str| (BandEnd::ShareBetween(0.1, 0.3), Becomes::Terrain(name.to_owned()));
    let bands = vec![band("sand"), band("moss"), band("clay")];
    let pass = Pass::new("ground", NoiseStep::new(Noise::new(6.0), bands));
    let mut alike = 0;
    for number in 0..12 {
        let mut map = Tilemap::new(Layout::flat(Lattice::Square, 50, 40).unwrap());
        follow(&pass, &mut map, &Seed::from_number(number));
        let terrain = map.terrain().unwrap();
        let count = |kind: u32| terrain.cells.iter().filter(|cell| *cell == Some(kind)).count();
        let counts = [0, 1, 2].map(count);
        assert!(counts.iter().all(|count| (200..=600).contains(count)), "{counts:?}");
        alike +=
            usize::from(counts[0].abs_diff(counts[1]) < 20 && counts[1].abs_diff(counts[2]) < 20);
    }
    assert!(alike < 3, "{alike} maps of twelve with the same shares");
}

/// A small map turns any way, half round or not at all; with heights alone it is full.
#[rstest]
#[case::any_way(Facing::Steps(360), 4)]
#[case::quarters(Facing::Steps(4), 4)]
#[case::halves(Facing::Steps(2), 2)]
#[case::as_drawn(Facing::AsDrawn, 1)]
fn stamps_face_as_asked(#[case] facing: Facing, #[case] ways: usize) {
    let own = Layout::flat(Lattice::Square, 2, 1).unwrap();
    let mut small = Tilemap::new(own);
    small.set_heights(Plane::from_values(own.extent(), vec![1, 2]));
    let mut chooser = PlaceStep::new(Vec::new());
    (chooser.facing, chooser.amount) = (facing, Amount::Between { least: 30, most: 30 });
    chooser.apart = 4.0;
    let pass = StampStep::new(chooser, vec![(1.0, Arc::new(small))], Side::South);
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 60, 60).unwrap());
    assert_eq!(placing(&Pass::new("steps", pass), &mut map, 4).sets, 30);
    let heights = map.heights().unwrap();
    let mut found = BTreeSet::new();
    for cell in map.layout().extent().iter().filter(|&cell| heights.get(cell) == Some(&2)) {
        let lower = |side: &&Side| {
            let beyond = map.layout().neighbour(cell, **side);
            beyond.is_some_and(|beyond| heights.get(beyond) == Some(&1))
        };
        let beside: Vec<&Side> = Lattice::Square.sides().iter().filter(lower).collect();
        assert_eq!(beside.len(), 1, "{cell}");
        found.insert(*beside[0]);
    }
    assert_eq!(found.len(), ways, "{found:?}");
}

/// The middles of regions, drawn as text: each letter one region, capital where the item stands.
#[rstest]
#[case("aaa..bb/aAa..bb/aaa..b.", false, &[([1, 1], [0.0, 0.0])])]
#[case("aAa.b/a.a.B/a.a.b", false, &[([1, 0], [0.0, 0.0]), ([4, 1], [0.0, 0.0])])]
#[case("Aa....a", true, &[([0, 0], [0.0, 0.0])])]
#[case("aA", false, &[([0, 0], [0.5, 0.0])])]
fn regions_have_one_middle(
    #[case] drawn: &str,
    #[case] wraps: bool,
    #[case] want: &[([i32; 2], [f32; 2])],
) {
    let rows: Vec<&[u8]> = drawn.split('/').map(str::as_bytes).collect();
    let extent = Extent::flat(rows[0].len() as u32, rows.len() as u32).unwrap();
    let layout = Layout::new(Lattice::Square, extent, Wrap { x: wraps, ..Wrap::NONE }).unwrap();
    let mut map = Tilemap::new(layout);
    let inside = |cell: Cell| rows[cell.y as usize][cell.x as usize] != b'.';
    map.set_tag("in", Some(BitPlane::from_fn(extent, inside)));
    let mut pass = PlaceStep::new(alone(item("lantern", Side::South)));
    pass.on = CellSpot::Region;
    placing(&Pass::new("lights", pass).within(Condition::Tag("in".to_owned())), &mut map, 0);
    let found: Vec<([i32; 2], [f32; 2])> = map
        .items()
        .iter()
        .map(|item| ([item.cell.x, item.cell.y], [item.offset[0], item.offset[1]]))
        .collect();
    for one in want {
        assert!(found.contains(one), "{found:?}");
    }
}

proptest! {
    #[test]
    fn stamps_are_set_in_whole_and_turned(
        size in [1u32..4, 1u32..4], holes in proptest::collection::vec(any::<bool>(), 9),
        quarters in 0usize..4, seed: u64, most in 1u64..5,
    ) {
        let own = Layout::flat(Lattice::Square, size[0], size[1]).unwrap();
        let mut small = Tilemap::new(own);
        let mut terrain = Terrain::new(own.extent());
        let mut layer = Layer::new("court", own.extent(), vec![Placed::new("slab")]);
        let full: Vec<Cell> = own.extent().iter().zip(&holes).filter(|(_, hole)| !**hole).map(|(cell, _)| cell).collect();
        for (number, &cell) in full.iter().enumerate() {
            let kind = terrain.number(&format!("kind{number}"));
            terrain.cells.set(own.extent().index(cell).unwrap(), Some(kind));
            layer.set(cell, Some(0));
        }
        small.set_terrain(Some(terrain));
        small.put_layer(layer);
        small.set_items(full.iter().map(|&cell| Item { side: Some(Side::West), ..Item::new("bench", cell) }).collect());
        let facing = [Side::South, Side::West, Side::North, Side::East][quarters];
        let mut chooser = PlaceStep::new(Vec::new());
        (chooser.facing, chooser.amount) = (Facing::Side(facing), Amount::Between { least: 1, most });
        let pass = StampStep::new(chooser, vec![(1.0, Arc::new(small))], Side::South);
        let layout = Layout::flat(Lattice::Square, 14, 12).unwrap();
        let mut map = Tilemap::new(layout);
        let told = placing(&Pass::new("courts", pass), &mut map, seed);
        prop_assert!(told.sets > 0 || full.is_empty());
        prop_assert_eq!(told.tiles, if full.is_empty() { 0 } else { told.sets * full.len() as u64 });
        let mut demand = told.demand().unwrap();
        prop_assert_eq!(demand.lost(&map), 0);
        if let Some(last) = map.items().last().cloned() {
            // Without one bench and one slab of another copy, two are not whole, or one twice.
            let mut worn = map.clone();
            let mut items = worn.take_items();
            items.retain(|item| *item != last);
            worn.set_items(items);
            prop_assert_eq!(demand.lost(&worn), 1);
            prop_assert_eq!(demand.lost(&worn), 0, "told once");
            let first = map.items()[0].clone();
            worn.layer_mut("court").set(first.cell, None);
            prop_assert_eq!(demand.lost(&worn), u64::from(first.number != last.number));
        }
        // Every copy is the small map turned: cells relative to its first one say so.
        let turned = |cell: Cell| {
            let (mut x, mut y) = (cell.x - full[0].x, cell.y - full[0].y);
            for _ in 0..quarters {
                (x, y) = (-y, x);
            }
            [x, y]
        };
        let extent = layout.extent();
        let ground = |cell: Cell| map.terrain().and_then(|terrain| terrain.at(cell, extent));
        let firsts: Vec<Cell> = extent.iter().filter(|&cell| ground(cell) == Some("kind0")).collect();
        prop_assert_eq!(firsts.len() as u64, if full.is_empty() { 0 } else { told.sets });
        for first in firsts {
            for (number, &cell) in full.iter().enumerate() {
                let [x, y] = turned(cell);
                let there = Cell::new(first.x + x, first.y + y);
                let kind = format!("kind{number}");
                prop_assert_eq!(ground(there), Some(&*kind));
                let slab = map.layer("court").unwrap().get(there).unwrap();
                prop_assert_eq!(usize::from(slab.orientation.turns()), quarters);
                let side = [Side::West, Side::North, Side::East, Side::South][quarters];
                let bench = |item: &&Item| item.cell == there && item.side == Some(side);
                prop_assert_eq!(map.items().iter().filter(bench).count(), 1);
            }
        }
    }
}

#[test]
fn the_side_between_two_cells_is_one_place() {
    let layout =
        Layout::new(Lattice::Square, Extent::flat(4, 1).unwrap(), Wrap { x: true, ..Wrap::NONE });
    let layout = layout.unwrap();
    let spot = |x, side| Spot::new(layout, Cell::new(x, 0), Some(side));
    for x in 0..4 {
        assert_eq!(spot(x, Side::East), spot((x + 1) % 4, Side::West));
        assert_ne!(spot(x, Side::East), spot(x, Side::West));
        assert_ne!(spot(x, Side::North), spot(x, Side::South));
    }
}

/// Leaning, lifting and standing are as the pass has it: within its range, and by the place, not by turns.
#[rstest]
#[case([0.0, 0.0], 0.0, false)]
#[case([5.0, 5.0], 0.5, false)]
#[case([2.0, 30.0], 0.0, true)]
#[case([0.0, 180.0], -1.25, true)]
fn things_lean_and_stand(#[case] tilt: [f32; 2], #[case] lift: f32, #[case] stands: bool) {
    let layout = Layout::flat(Lattice::Square, 9, 7).unwrap();
    let step =
        PlaceStep::new(alone(item("post", Side::South))).tilt(tilt).lift(lift).stands(stands);
    let map = |seed: u64, width: u32| {
        let layout = Layout::flat(Lattice::Square, width, 7).unwrap();
        let mut map = Tilemap::new(layout);
        placing(&Pass::new("posts", step.clone()), &mut map, seed);
        map
    };
    let first = map(1, 9);
    assert_eq!(first.items().len(), layout.extent().cells());
    for one in first.items() {
        assert!((tilt[0]..=tilt[1]).contains(&one.tilt), "{one:?}");
        assert_eq!((one.offset[2], one.stands, one.height), (lift, stands, 0.0));
    }
    let leans: BTreeSet<u32> = first.items().iter().map(|one| one.tilt.to_bits()).collect();
    assert_eq!(leans.len() > 30, tilt[1] > tilt[0]);
    // A larger map leaves what it shares as it was; another seed does not.
    let larger = map(1, 12);
    let of = |one: &Item| (one.cell, one.look, one.tilt.to_bits());
    let shared = larger.items().iter().filter(|one| one.cell.x < 9).map(of);
    assert!(shared.eq(first.items().iter().map(of)));
    let leaning =
        |map: &Tilemap| map.items().iter().map(|one| one.tilt.to_bits()).collect::<Vec<_>>();
    assert_eq!(leaning(&map(2, 9)) == leaning(&first), tilt[0] == tilt[1]);
}

/// On boxes things stand on and below cells as well, one of each place, and face no way for that.
#[rstest]
#[case(Side::Up)]
#[case(Side::Down)]
fn boxes_have_sides_up_and_down(#[case] side: Side) {
    let extent = Extent::new(Cell::default(), [3, 2, 4]).unwrap();
    let layout = Layout::new(Lattice::Box, extent, Wrap::NONE).unwrap();
    let mut map = Tilemap::new(layout);
    let step = PlaceStep::new(alone(item("lamp", Side::South))).on(CellSpot::Side(side));
    placing(&Pass::new("lamps", step.clone()), &mut map, 3);
    assert_eq!(map.items().len(), extent.cells());
    for one in map.items() {
        assert_eq!((one.side, one.facing, one.turn), (Some(side), Some(Side::South), 0.0));
    }
    // The side between two levels is one place: from the other level nothing fits but at the far end.
    let other = step.on(CellSpot::Side(side.opposite()));
    let told = placing(&Pass::new("more", other), &mut map, 3);
    assert_eq!(told.sets, 3 * 2);
    let places: BTreeSet<Spot> = map.items().iter().map(|one| one.spot(layout)).collect();
    assert_eq!(places.len(), map.items().len());
}
