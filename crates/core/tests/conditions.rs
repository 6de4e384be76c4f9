//! Conditions and the passes that use them, against a second, simple implementation.

use lantern_quilt_core::constraints::Level;
use lantern_quilt_core::grid::{BitPlane, UNREACHED, steps_from, straight_from};
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::noise::{Noise, NoiseKind};
use lantern_quilt_core::passes::{
    BandEnd, Becomes, ClearStep, Condition, CountArea, DistanceStep, Metric, NoiseStep, TagStep,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_testkit::maps::{any_map, follow, layout_of, steps_between, straight_between};
use proptest::prelude::*;
use rstest::rstest;

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn distances_are_the_least_over_all_cells(
        lattice in 0usize..4, size in [1u32..6, 1u32..5, 1u32..4], wrap in any::<[bool; 3]>(),
        bits in proptest::collection::vec(0u8..6, 240),
    ) {
        let layout = layout_of(lattice, size, wrap);
        let extent = layout.extent();
        let set = BitPlane::from_fn(extent, |cell| bits[extent.index(cell).unwrap()] == 0);
        let (steps, straight) = (steps_from(layout, &set), straight_from(layout, &set));
        let square = matches!(layout.lattice(), Lattice::Square | Lattice::Box);
        for (index, cell) in extent.iter().enumerate() {
            let near = set.iter().map(|there| steps_between(layout, cell, there)).min();
            prop_assert_eq!(steps.values()[index], near.unwrap_or(UNREACHED));
            let near = set.iter().map(|there| {
                if square {
                    straight_between(layout, cell, there)
                } else {
                    steps_between(layout, cell, there).pow(2)
                }
            });
            prop_assert_eq!(straight.values()[index], near.min().unwrap_or(UNREACHED));
        }
    }
}

/// A level by its number, or counted from the top.
fn level() -> impl Strategy<Value = Level> {
    prop_oneof![(-2i32..5).prop_map(Level::At), (0u32..4).prop_map(Level::FromTop)]
}

fn conditions() -> impl Strategy<Value = Condition> {
    let names = |names: &[&str]| names.iter().map(|&name| name.to_owned()).collect::<Vec<_>>();
    let plain = prop_oneof![
        Just(Condition::Terrain(names(&["moss", "pond", "none"]))),
        Just(Condition::Tile { layer: None, tiles: names(&["fern"]) }),
        Just(Condition::Tile { layer: Some("other".to_owned()), tiles: names(&["fern"]) }),
        Just(Condition::Empty(None)),
        Just(Condition::Tag("walk".to_owned())),
        Just(Condition::Tag("nobody".to_owned())),
        (0i32..3, 0i32..5).prop_map(|(least, most)| Condition::Height { least, most }),
        (-2i32..3, 0i32..5, any::<bool>()).prop_map(|(least, most, known)| {
            Condition::Value { plane: if known { "far" } else { "none" }.to_owned(), least, most }
        }),
        (0u32..2, 0u32..3).prop_map(|(least, most)| Condition::Border { least, most }),
        Just(Condition::Item(names(&["lamp", "other"]))),
        Just(Condition::Painted {
            cells: BitPlane::from_fn(Extent::new(Cell::at(-2, 2, 0), [2, 9, 2]).unwrap(), |c| c.y
                % 2
                == 0),
            of: "a stripe".to_owned()
        }),
        Just(Condition::Within(Extent::new(Cell::at(-2, 3, 0), [2, 3, 1]).unwrap())),
        (-3i32..2, 0i32..6, -1i32..3).prop_map(|(x, y, z)| {
            let most = Cell::at(x + 2, y + 3, z.saturating_add(1));
            Condition::Between { least: Cell::at(x, y, z), most }
        }),
        (level(), level()).prop_map(|(least, most)| Condition::Levels { least, most }),
        (0.0f32..0.6).prop_map(|least| Condition::Noise {
            noise: Noise::new(3.0),
            least,
            most: 1.0
        }),
    ];
    plain.prop_recursive(3, 12, 3, |inner| {
        let boxed = inner.clone().prop_map(Box::new);
        let around =
            prop_oneof![Just(CountArea::Sides), Just(CountArea::Moore), Just(CountArea::Steps(2))];
        prop_oneof![
            (boxed.clone(), 0.0f32..2.0, 0.0f32..4.0, metric(inner.clone())).prop_map(
                |(what, least, most, metric)| Condition::Near { what, least, most, metric }
            ),
            (boxed.clone(), boxed.clone(), prop_oneof![0u32..5, Just(u32::MAX)])
                .prop_map(|(from, through, most)| Condition::Reachable { from, through, most }),
            (boxed.clone(), around, 0u32..3, 0u32..6).prop_map(|(what, around, least, most)| {
                Condition::Count { what, around, least, most }
            }),
            boxed.prop_map(Condition::Edge),
            proptest::collection::vec(inner.clone(), 0..3).prop_map(Condition::All),
            proptest::collection::vec(inner.clone(), 0..3).prop_map(Condition::Any),
            proptest::collection::vec(inner, 0..3).prop_map(Condition::None),
        ]
    })
}

fn metric(inner: impl Strategy<Value = Condition> + 'static) -> impl Strategy<Value = Metric> {
    let sides =
        prop_oneof![Just(Side::North), Just(Side::East), Just(Side::SouthWest), Just(Side::Up)];
    prop_oneof![
        Just(Metric::Steps),
        Just(Metric::Straight),
        inner.prop_map(|through| Metric::Through(Box::new(through))),
        sides.prop_map(Metric::Towards),
    ]
}

/// Steps from a cell to one for which `goal` holds, over cells for which `open` does; the goal need not.
fn steps_through(
    layout: Layout,
    from: Cell,
    goal: &dyn Fn(Cell) -> bool,
    open: &dyn Fn(Cell) -> bool,
) -> Option<u32> {
    let (mut seen, mut rim) = (vec![from], vec![from]);
    for steps in 0.. {
        if rim.iter().any(|&at| goal(at)) {
            return Some(steps);
        }
        let sides = layout.lattice().sides();
        let next = rim.iter().filter(|&&at| open(at));
        let next = next.flat_map(|&at| sides.iter().map(move |&side| (at, side)));
        let next: Vec<Cell> = next.filter_map(|(at, side)| layout.neighbour(at, side)).collect();
        rim = next.into_iter().filter(|there| !seen.contains(there)).collect();
        rim.sort_unstable();
        rim.dedup();
        seen.extend(&rim);
        if rim.is_empty() {
            return None;
        }
    }
    None
}

/// Steps from a cell towards a side to the first cell for which `goal` holds.
fn steps_towards(
    layout: Layout,
    from: Cell,
    side: Side,
    goal: &dyn Fn(Cell) -> bool,
) -> Option<u32> {
    let mut at = from;
    for steps in 0..200 {
        if goal(at) {
            return Some(steps);
        }
        at = layout.neighbour(at, side)?;
    }
    None
}

/// The same, asked of one cell at a time.
fn holds(condition: &Condition, map: &Tilemap, cell: Cell) -> bool {
    let layout = map.layout();
    let extent = layout.extent();
    let layers = |name: &Option<String>| {
        let name = name.clone();
        map.layers().filter(move |layer| name.as_ref().is_none_or(|name| layer.name == *name))
    };
    match condition {
        Condition::Terrain(names) => {
            let terrain = map.terrain().unwrap().at(cell, extent);
            terrain.is_some_and(|name| names.iter().any(|one| one == name))
        }
        Condition::Tile { layer, tiles } => layers(layer)
            .any(|one| one.get(cell).is_some_and(|placed| tiles.contains(&placed.tile))),
        Condition::Empty(layer) => layers(layer).all(|one| one.get(cell).is_none()),
        Condition::Tag(tag) => map.tag(tag).is_some_and(|plane| plane.get(cell)),
        Condition::Height { least, most } => {
            let height = map.heights().unwrap().get(cell).unwrap();
            least <= height && height <= most
        }
        Condition::Value { plane, least, most } => {
            let number = map.plane(plane).and_then(|plane| plane.get(cell));
            number.is_some_and(|number| *least <= number && number <= *most)
        }
        Condition::Between { least, most } => {
            let pairs =
                [(least.x, cell.x, most.x), (least.y, cell.y, most.y), (least.z, cell.z, most.z)];
            pairs.into_iter().all(|(low, at, high)| low <= at && at <= high)
        }
        Condition::Levels { least, most } => {
            // By the list of all levels there are.
            let levels: Vec<i32> =
                (0..extent.depth() as i32).map(|z| extent.origin().z + z).collect();
            let of = |level: &Level| match level {
                Level::At(z) => *z,
                Level::FromTop(down) => levels
                    .iter()
                    .rev()
                    .nth(*down as usize)
                    .copied()
                    .unwrap_or(levels[0] - 1 - *down as i32 + levels.len() as i32),
            };
            of(least) <= cell.z && cell.z <= of(most)
        }
        Condition::Border { least, most } => {
            // Walking straight out until the map ends.
            let sides = [Side::North, Side::East, Side::South, Side::West, Side::Up, Side::Down];
            let mut far = u32::MAX;
            for side in sides {
                let (dx, dy, dz) = match side {
                    Side::North => (0, -1, 0),
                    Side::East => (1, 0, 0),
                    Side::South => (0, 1, 0),
                    Side::West => (-1, 0, 0),
                    Side::Up => (0, 0, 1),
                    _ => (0, 0, -1),
                };
                let wrap = layout.wrap();
                let closed = dx != 0 && wrap.x || dy != 0 && wrap.y || dz != 0 && wrap.z;
                if closed || dz != 0 && !layout.lattice().is_solid() {
                    continue;
                }
                let steps = (1..1000).find(|step| {
                    !extent.contains(Cell::at(
                        cell.x + dx * step,
                        cell.y + dy * step,
                        cell.z + dz * step,
                    ))
                });
                far = far.min(steps.unwrap() as u32 - 1);
            }
            *least <= far && far <= *most
        }
        Condition::Within(inside) => inside.contains(cell),
        Condition::Item(names) => map
            .items()
            .iter()
            .any(|item| item.cell == cell && names.iter().any(|name| **name == *item.name)),
        Condition::Painted { cells, .. } => cells.get(cell),
        Condition::Noise { noise, least, most } => {
            let value = noise.sampler(layout.lattice(), &Seed::from_number(7), "props")(cell);
            *least <= value && value <= *most
        }
        Condition::Reachable { from, through, most } => {
            let open = |cell| holds(through, map, cell);
            let goal = |cell| open(cell) && holds(from, map, cell);
            open(cell) && steps_through(layout, cell, &goal, &open).is_some_and(|far| far <= *most)
        }
        Condition::Near { what, least, most, metric: Metric::Through(through) } => {
            let goal = |cell| holds(what, map, cell);
            let far = steps_through(layout, cell, &goal, &|cell| holds(through, map, cell));
            far.is_some_and(|far| (*least..=*most).contains(&(far as f32)))
        }
        Condition::Near { what, least, most, metric: Metric::Towards(side) } => {
            let far = steps_towards(layout, cell, *side, &|cell| holds(what, map, cell));
            far.is_some_and(|far| (*least..=*most).contains(&(far as f32)))
        }
        Condition::Near { what, least, most, metric } => {
            let far = extent.iter().filter(|&there| holds(what, map, there)).map(|there| {
                let square = matches!(layout.lattice(), Lattice::Square | Lattice::Box);
                match metric {
                    Metric::Straight if square => {
                        f64::from(straight_between(layout, cell, there)).sqrt()
                    }
                    _ => f64::from(steps_between(layout, cell, there)),
                }
            });
            let far = far.fold(f64::INFINITY, f64::min);
            far >= f64::from(*least) - 1e-9 && far <= f64::from(*most) + 1e-9
        }
        Condition::Count { what, around, least, most } => {
            let counted = |there: Cell| match around {
                CountArea::Steps(steps) => steps_between(layout, cell, there) <= *steps,
                CountArea::Sides => steps_between(layout, cell, there) == 1,
                _ if layout.lattice() != Lattice::Square => steps_between(layout, cell, there) == 1,
                CountArea::Moore => {
                    let gaps = straight_between(layout, cell, there);
                    gaps == 1 || gaps == 2
                }
            };
            let met = extent
                .iter()
                .filter(|&there| there != cell && counted(there) && holds(what, map, there));
            (*least..=*most).contains(&(met.count() as u32))
        }
        Condition::Edge(what) => {
            let open = |side: &Side| {
                layout.neighbour(cell, *side).is_none_or(|there| !holds(what, map, there))
            };
            holds(what, map, cell) && layout.lattice().sides().iter().any(open)
        }
        Condition::All(parts) => parts.iter().all(|part| holds(part, map, cell)),
        Condition::Any(parts) => parts.iter().any(|part| holds(part, map, cell)),
        Condition::None(parts) => !parts.iter().any(|part| holds(part, map, cell)),
        other => panic!("{other:?} has no second implementation"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]
    #[test]
    fn conditions_hold_where_they_hold(
        condition in conditions(), lattice in 0usize..4, size in [1u32..4, 1u32..4, 1u32..3],
        wrap in any::<[bool; 3]>(), values in proptest::collection::vec(any::<u8>(), 80),
    ) {
        let layout = layout_of(lattice, size, wrap);
        let map = any_map(layout, &values);
        let plane = condition.cells(&map, &Seed::from_number(7), "props");
        for cell in layout.extent().iter() {
            prop_assert_eq!(plane.get(cell), holds(&condition, &map, cell), "{} {:?}", cell, condition);
        }
    }

    #[test]
    fn bands_take_their_shares_and_nothing_else(
        shares in proptest::collection::vec(0.0f64..0.5, 1..20), size in [1u32..12, 1u32..9],
        values in proptest::collection::vec(any::<u8>(), 108), octaves in 1u8..4, perlin: bool,
    ) {
        let layout = Layout::flat(Lattice::Square, size[0], size[1]).unwrap();
        let mut map = any_map(layout, &values);
        let before = map.clone();
        let noise = Noise {
            kind: if perlin { NoiseKind::Perlin } else { NoiseKind::Simplex },
            octaves,
            stretch: [2.0, 1.0],
            ..Noise::new(4.0)
        };
        let place = Condition::Terrain(vec!["moss".to_owned(), "sand".to_owned()]);
        let bands = shares.iter().enumerate().map(|(n, &share)| {
            (BandEnd::Share(share), Becomes::Height(100 + n as i32))
        });
        let pass = Pass::new("hills", NoiseStep::new(noise, bands.collect())).within(place.clone());
        let seed = Seed::from_number(7);
        let changed = follow(&pass, &mut map, &seed).cells;
        let all = place.cells(&before, &seed, "hills").count();
        let (old, new) = (before.heights().unwrap(), map.heights().unwrap());
        let count = |height: i32| new.values().iter().filter(|&&one| one == height).count();
        let mut sum = 0.0;
        let mut taken = 0;
        for (n, share) in shares.iter().enumerate() {
            sum += share;
            let want = ((sum * all as f64).round() as usize).min(all) - taken;
            prop_assert_eq!(count(100 + n as i32), want);
            taken += want;
        }
        prop_assert_eq!(changed, taken as u64);
        // Lower noise lies in lower bands; other cells are as they were.
        let at = noise.sampler(Lattice::Square, &seed, "hills");
        let cells: Vec<Cell> = layout.extent().iter().collect();
        for (index, &cell) in cells.iter().enumerate() {
            let height = new.values()[index];
            prop_assert!(height == old.values()[index] || height >= 100);
            for (other, &there) in cells.iter().enumerate() {
                let beyond = new.values()[other];
                prop_assert!(height < 100 || beyond <= height || at(cell) <= at(there));
            }
        }
        prop_assert!(cells.iter().all(|&cell| (0.0..=1.0).contains(&at(cell))));
    }
}

/// However many bands there are, a cell becomes what the first says whose end lies above its noise.
#[rstest]
fn bands_end_at_their_values(#[values(1, 4, 12, 13, 40)] count: usize) {
    let (layout, seed) = (Layout::flat(Lattice::Square, 40, 30).unwrap(), Seed::from_number(8));
    let end = |number: usize| 0.2 + 0.6 * (number + 1) as f32 / count as f32;
    let band = |number: usize| (BandEnd::Value(end(number)), Becomes::Height(number as i32));
    let bands: Vec<(BandEnd, Becomes)> =
        (0..count).map(band).chain([(BandEnd::Rest, Becomes::Height(99))]).collect();
    let noise = Noise::new(5.0);
    let mut map = Tilemap::new(layout);
    follow(&Pass::new("hills", NoiseStep::new(noise, bands)), &mut map, &seed);
    let at = noise.sampler(Lattice::Square, &seed, "hills");
    for cell in layout.extent().iter() {
        let want = (0..count).find(|&number| at(cell) < end(number)).unwrap_or(99);
        assert_eq!(map.heights().unwrap().get(cell), Some(&(want as i32)), "{cell}");
    }
}

#[rstest]
#[case(BandEnd::Value(0.0), 0)]
#[case(BandEnd::Value(2.0), 30)]
#[case(BandEnd::Share(0.3), 9)]
#[case(BandEnd::Share(7.0), 30)]
#[case(BandEnd::Rest, 30)]
fn marks_are_made_and_cleared(#[case] up_to: BandEnd, #[case] want: usize) {
    let layout = Layout::flat(Lattice::Square, 6, 5).unwrap();
    let seed = Seed::default();
    let mut map = Tilemap::new(layout);
    let bands = vec![(up_to, Becomes::Tag("fern".to_owned())), (BandEnd::Rest, Becomes::AsIs)];
    let noise = Noise::new(3.0);
    let pass = Pass::new("ferns", NoiseStep::new(noise, bands));
    assert_eq!(follow(&pass, &mut map, &seed).cells as usize, want);
    let ferns = Condition::Tag("fern".to_owned());
    assert_eq!(ferns.cells(&map, &seed, "x").count(), want);
    let strings = |names: &[&str]| names.iter().map(|&name| name.to_owned()).collect::<Vec<_>>();
    let tag = TagStep { add: strings(&["green"]), remove: strings(&["fern", "nobody"]) };
    let tag = Pass::new("swap", tag).within(ferns.clone());
    assert_eq!(follow(&tag, &mut map, &seed).cells as usize, 2 * want);
    assert_eq!(ferns.cells(&map, &seed, "x").count(), 0);
    assert_eq!(map.tags().len(), 2, "a tag that is only taken away is not made");
    // Adding cells to the map, or another pass, leaves the noise of a cell as it was.
    let larger = Layout::flat(Lattice::Square, 60, 50).unwrap();
    let at = noise.sampler(larger.lattice(), &seed, "ferns");
    assert_eq!(
        at(Cell::new(3, 3)),
        noise.sampler(Lattice::Square, &seed, "ferns")(Cell::new(3, 3))
    );
    let values: Vec<u8> = (0..30).collect();
    let mut map = any_map(layout, &values);
    let moss = Condition::Terrain(strings(&["moss"]));
    let count = moss.cells(&map, &seed, "x").count();
    let clear = ClearStep { items: false, terrain: true, layers: strings(&["ground"]) };
    let clear = Pass::new("clear", clear).within(moss.clone());
    let tiles = map.layers().next().unwrap().cells().iter().flatten().count();
    let cleared = follow(&clear, &mut map, &seed).cells as usize;
    let gone = tiles - map.layers().next().unwrap().cells().iter().flatten().count();
    assert_eq!((cleared, moss.cells(&map, &seed, "x").count()), (count + gone, 0));
}

/// Planes of numbers: written where the pass is, read by conditions behind it, and blank beyond reach.
#[rstest]
fn distances_go_into_a_plane(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(false, true)] part: bool,
) {
    let layout = layout_of(lattice, [5, 4, 2], [lattice == 0, false, false]);
    let values: Vec<u8> = (0..240).map(|n| (n * 7 % 251) as u8).collect();
    let (mut map, seed) = (any_map(layout, &values), Seed::default());
    map.set_plane("far", None);
    let from = Condition::Tag("walk".to_owned());
    let place = if part { Condition::Empty(None) } else { Condition::default() };
    let step = DistanceStep { from: from.clone(), plane: "far".to_owned() };
    let pass = Pass::new("measure", step).within(place.clone());
    let cells = place.cells(&map, &seed, "x");
    assert_eq!(follow(&pass, &mut map, &seed).cells as usize, cells.count());
    let steps = steps_from(layout, &from.cells(&map, &seed, "x"));
    let far = map.plane("far").unwrap();
    for cell in layout.extent().iter() {
        let want = steps.get(cell).filter(|_| cells.get(cell)).map(|&steps| steps as i32);
        assert_eq!(far.get(cell), want, "{cell}");
    }
    let near = Condition::Value { plane: "far".to_owned(), least: 1, most: 2 };
    assert!(
        near.cells(&map, &seed, "x").iter().all(|cell| (1..=2).contains(steps.get(cell).unwrap()))
    );
    // From nowhere there is no way.
    let step = DistanceStep { from: Condition::Tag("nobody".to_owned()), plane: "far".to_owned() };
    follow(&Pass::new("again", step), &mut map, &seed);
    assert!(map.plane("far").unwrap().iter().all(|number| number.is_none()));
}
