//! Shapes against brute force: counts, every neighbourhood, random maps, painting and plans.

use lantern_quilt_core::autotile::{
    Coverage, Drawing, Edge, Kinds, Outside, Quarter, Scheme, ShapeBasis, ShapeError, ShapeSet,
    ShapeTile, exercise, quarters,
};
use lantern_quilt_core::grid::Plane;
use lantern_quilt_core::map::{Terrain, Tilemap};
use lantern_quilt_core::passes::{Autotile, ColourKey, Plan, STAND_IN, StandIn, steps_of};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_testkit::maps::follow;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

fn names(names: &[&str]) -> Vec<String> {
    names.iter().map(|&name| name.to_owned()).collect()
}

/// Lays shapes over a map; says which were missing.
fn shaped(autotile: &Autotile, map: &mut Tilemap, seed: u64) -> Vec<StandIn> {
    follow(&Pass::new("ground", autotile.clone()), map, &Seed::from_number(seed)).stand_ins
}

/// Lays a plan; says how many of its cells lie outside.
fn lay(plan: Plan, map: &mut Tilemap) -> u64 {
    follow(&Pass::new("plan", plan), map, &Seed::default()).outside
}

fn moss() -> ShapeBasis {
    ShapeBasis::Terrain { on: names(&["moss"]), kinds: Kinds::new(names(&["moss"]), Vec::new()) }
}

fn lattice_of(scheme: Scheme) -> Lattice {
    if scheme == Scheme::Six { Lattice::HexPointy } else { Lattice::Square }
}

fn arranged(scheme: Scheme, turns: u8, mirror: Mirror) -> ShapeSet {
    let (of, lattice) = (moss(), lattice_of(scheme));
    let tiles = ShapeSet::arranged("moss", scheme, lattice, of.same(), turns, mirror);
    ShapeSet::new("moss", scheme, lattice, of, tiles).unwrap()
}

/// A map in which the cells that `moss` accepts are moss, and the others nothing.
fn painted(layout: Layout, moss: impl Fn(Cell) -> bool) -> Tilemap {
    let mut map = Tilemap::new(layout);
    let mut terrain = Terrain::new(layout.extent());
    let number = terrain.number("moss");
    for (index, cell) in layout.extent().iter().enumerate() {
        terrain.cells.set(index, moss(cell).then_some(number));
    }
    map.set_terrain(Some(terrain));
    map
}

/// The joined slots of the shape that stands on a cell, whichever tile and turn it is.
fn joins_at(map: &Tilemap, set: &ShapeSet, cell: Cell) -> Option<u8> {
    let placed = map.layer(set.name()).unwrap().get(cell)?;
    let number: usize = placed.tile.rsplit('/').next().unwrap().parse().unwrap();
    let shape = set.scheme().shapes()[number];
    Some(set.scheme().turned(set.lattice(), placed.orientation, shape))
}

#[rstest]
#[case(Scheme::Four, 1, Mirror::No, 16)]
#[case(Scheme::Four, 4, Mirror::No, 6)]
#[case(Scheme::Dual, 4, Mirror::No, 6)]
#[case(Scheme::Dual, 2, Mirror::Both, 7)]
#[case(Scheme::Eight, 1, Mirror::No, 47)]
#[case(Scheme::Eight, 4, Mirror::No, 15)]
#[case(Scheme::Eight, 4, Mirror::EastWest, 14)]
#[case(Scheme::Eight, 2, Mirror::No, 27)]
#[case(Scheme::Six, 1, Mirror::No, 64)]
#[case(Scheme::Six, 6, Mirror::No, 14)]
#[case(Scheme::Six, 6, Mirror::EastWest, 13)]
#[case(Scheme::Six, 3, Mirror::No, 24)]
fn as_many_drawings_as_burnside_counts(
    #[case] scheme: Scheme,
    #[case] turns: u8,
    #[case] mirror: Mirror,
    #[case] want: usize,
) {
    for lattice in Lattice::ALL.into_iter().filter(|&lattice| scheme.fits(lattice)) {
        let of = moss();
        let tiles = ShapeSet::arranged("moss", scheme, lattice, of.same(), turns, mirror);
        assert_eq!(tiles.len(), want, "{lattice}");
        // Orbits by the mean number of shapes that each element leaves as they are.
        let step = lattice.turns() / turns;
        let group = Orientation::all(lattice).filter(|one| {
            one.turns().is_multiple_of(step) && (!one.mirrored() || mirror != Mirror::No)
        });
        let group: Vec<Orientation> = group.collect();
        let fixed = group.iter().map(|&turn| {
            let stays = |&&shape: &&u8| scheme.turned(lattice, turn, shape) == shape;
            scheme.shapes().iter().filter(stays).count()
        });
        assert_eq!(fixed.sum::<usize>(), want * group.len());
        let set = ShapeSet::new("moss", scheme, lattice, of, tiles).unwrap();
        let coverage = Coverage::of(&set);
        assert_eq!((coverage.all, coverage.missing.len()), (scheme.shapes().len(), 0));
        assert!(coverage.doubled.is_empty() && coverage.unreachable.is_empty());
    }
}

#[test]
fn shapes_turn_with_their_pictures() {
    for scheme in Scheme::ALL {
        for lattice in Lattice::ALL.into_iter().filter(|&lattice| scheme.fits(lattice)) {
            for a in Orientation::all(lattice) {
                for joins in 0..=u8::MAX {
                    let joins = scheme.reduce(joins);
                    let back = scheme.turned(
                        lattice,
                        a.inverse(lattice),
                        scheme.turned(lattice, a, joins),
                    );
                    assert_eq!(back, joins, "{scheme} {lattice} {a}");
                }
                // Sides go where the lattice's own sides go.
                for (slot, &side) in lattice.sides().iter().enumerate() {
                    let step = if scheme == Scheme::Eight { 2 } else { 1 };
                    if scheme != Scheme::Dual {
                        let there = scheme.turned_slot(lattice, a, slot * step) / step;
                        assert_eq!(lattice.sides()[there], a.side(lattice, side));
                    }
                }
            }
        }
    }
}

/// The shape of the middle of a three by three text, told by words and not by bits: which of the
/// neighbours count, from the north clockwise.
fn reference(scheme: Scheme, rows: [[bool; 3]; 3]) -> Vec<&'static str> {
    let [[nw, n, ne], [w, here, e], [sw, s, se]] = rows;
    let told = match scheme {
        Scheme::Four => vec![(n, "n"), (e, "e"), (s, "s"), (w, "w")],
        Scheme::Eight => vec![
            (n, "n"),
            (ne && n && e, "ne"),
            (e, "e"),
            (se && s && e, "se"),
            (s, "s"),
            (sw && s && w, "sw"),
            (w, "w"),
            (nw && n && w, "nw"),
        ],
        // The cell to the north-west of the middle's own corner, and so on.
        _ => vec![(n, "ne"), (here, "se"), (w, "sw"), (nw, "nw")],
    };
    told.into_iter().filter(|(joined, _)| *joined).map(|(_, name)| name).collect()
}

fn slot_names(scheme: Scheme) -> &'static [&'static str] {
    match scheme {
        Scheme::Four => &["n", "e", "s", "w"],
        Scheme::Eight => &["n", "ne", "e", "se", "s", "sw", "w", "nw"],
        _ => &["ne", "se", "sw", "nw"],
    }
}

#[rstest]
#[case(Scheme::Four, 1, Mirror::No)]
#[case(Scheme::Four, 4, Mirror::No)]
#[case(Scheme::Dual, 1, Mirror::No)]
#[case(Scheme::Dual, 4, Mirror::EastWest)]
#[case(Scheme::Eight, 1, Mirror::No)]
#[case(Scheme::Eight, 4, Mirror::No)]
#[case(Scheme::Eight, 2, Mirror::Both)]
fn all_neighbourhoods_get_the_shape_of_the_reference(
    #[case] scheme: Scheme,
    #[case] turns: u8,
    #[case] mirror: Mirror,
) {
    let set = arranged(scheme, turns, mirror);
    let autotile = Autotile::new(vec![set.clone()]);
    let middle = Cell::new(1, 1);
    for number in 0..512u32 {
        let at = |cell: Cell| number >> (cell.y * 3 + cell.x) & 1 == 1;
        let mut map = painted(Layout::flat(Lattice::Square, 3, 3).unwrap(), at);
        assert_eq!(shaped(&autotile, &mut map, 0), []);
        let rows = [0, 1, 2].map(|y| [0, 1, 2].map(|x| at(Cell::new(x, y))));
        let want = reference(scheme, rows);
        let joins = joins_at(&map, &set, middle);
        let drawn = if scheme == Scheme::Dual { !want.is_empty() } else { at(middle) };
        assert_eq!(joins.is_some(), drawn, "{rows:?}");
        let Some(joins) = joins else { continue };
        let told: Vec<&str> = slot_names(scheme)
            .iter()
            .enumerate()
            .filter(|(slot, _)| joins >> slot & 1 == 1)
            .map(|(_, name)| *name)
            .collect();
        assert_eq!(told, want, "{rows:?}");
    }
}

#[rstest]
#[case(Lattice::HexPointy, 1)]
#[case(Lattice::HexPointy, 6)]
#[case(Lattice::HexFlat, 3)]
fn hexagons_join_across_their_sides(#[case] lattice: Lattice, #[case] turns: u8) {
    let of = moss();
    let tiles = ShapeSet::arranged("moss", Scheme::Six, lattice, of.same(), turns, Mirror::No);
    let set = ShapeSet::new("moss", Scheme::Six, lattice, of, tiles).unwrap();
    let layout = Layout::flat(lattice, 4, 4).unwrap();
    let autotile = Autotile::new(vec![set.clone()]);
    for number in (0..1u32 << 16).step_by(343) {
        let mut map = painted(layout, |cell| number >> (cell.y * 4 + cell.x) & 1 == 1);
        shaped(&autotile, &mut map, 0);
        let ground = map.terrain().unwrap();
        for cell in
            layout.extent().iter().filter(|&cell| ground.at(cell, layout.extent()).is_some())
        {
            let joins = joins_at(&map, &set, cell).unwrap();
            for (slot, &side) in lattice.sides().iter().enumerate() {
                // What lies outside counts as the same.
                let same = layout
                    .neighbour(cell, side)
                    .is_none_or(|beyond| ground.at(beyond, layout.extent()).is_some());
                assert_eq!(joins >> slot & 1 == 1, same, "{cell} {side}");
            }
        }
    }
}

/// Rows decide what lies past a corner: beyond the north or south, not the west or east.
#[rstest]
#[case(Lattice::HexPointy, &[(0, 0), (1, 0), (2, 0)], &[Side::NorthEast, Side::NorthWest])]
#[case(Lattice::HexFlat, &[(0, 0), (2, 0)], &[Side::North, Side::NorthEast, Side::NorthWest])]
#[case(Lattice::HexFlat, &[(1, 0)], &[Side::North])]
fn hexagons_have_an_outside_on_each_side(
    #[case] lattice: Lattice,
    #[case] cells: &[(i32, i32)],
    #[case] open: &[Side],
) {
    let of = moss();
    let tiles = ShapeSet::arranged("moss", Scheme::Six, lattice, of.same(), 1, Mirror::No);
    let mut set = ShapeSet::new("moss", Scheme::Six, lattice, of, tiles).unwrap();
    set.outside[0] = Outside::Other;
    let layout = Layout::flat(lattice, 3, 3).unwrap();
    let mut map = painted(layout, |_| true);
    shaped(&Autotile::new(vec![set.clone()]), &mut map, 0);
    for &(x, y) in cells {
        let joins = joins_at(&map, &set, Cell::new(x, y)).unwrap();
        for (slot, side) in lattice.sides().iter().enumerate() {
            assert_eq!(joins >> slot & 1 == 0, open.contains(side), "({x}, {y}) {side}");
        }
    }
    // Below the first row nothing is open.
    assert_eq!(joins_at(&map, &set, Cell::new(0, 1)), Some(63));
}

#[rstest]
#[case(Lattice::Square, 256)]
#[case(Lattice::HexPointy, 64)]
#[case(Lattice::HexFlat, 64)]
fn the_exercise_has_every_neighbourhood(#[case] lattice: Lattice, #[case] want: usize) {
    let (extent, painted) = exercise(lattice);
    let at = |cell: Cell| extent.index(cell).is_some_and(|index| painted[index]);
    let around = |cell: Cell| -> Vec<bool> {
        if lattice != Lattice::Square {
            let sides = lattice.sides().iter();
            return sides.map(|&side| at(lattice.step(cell, side).unwrap())).collect();
        }
        let rows = (-1..2).flat_map(|dy| (-1..2).map(move |dx| (dx, dy)));
        let beside = rows.filter(|&(dx, dy)| (dx, dy) != (0, 0));
        beside.map(|(dx, dy)| at(Cell::new(cell.x + dx, cell.y + dy))).collect()
    };
    let met: BTreeSet<Vec<bool>> = extent.iter().filter(|&cell| at(cell)).map(around).collect();
    assert_eq!(met.len(), want);
}

#[test]
fn quarters_depend_on_two_sides_and_the_corner_between_them() {
    for &shape in Scheme::Eight.shapes() {
        let on = |name: &str| {
            let slot = slot_names(Scheme::Eight).iter().position(|one| *one == name).unwrap();
            shape >> slot & 1 == 1
        };
        let ways = [("n", "e", "ne"), ("s", "e", "se"), ("s", "w", "sw"), ("n", "w", "nw")];
        let want =
            ways.map(|(upright, level, corner)| match (on(upright), on(level), on(corner)) {
                (false, false, _) => Quarter::Island,
                (true, false, _) => Quarter::Upright,
                (false, true, _) => Quarter::Level,
                (true, true, false) => Quarter::Crossing,
                (true, true, true) => Quarter::Inside,
            });
        assert_eq!(quarters(shape), want);
    }
    let all: BTreeSet<String> =
        Scheme::Eight.shapes().iter().map(|&shape| format!("{:?}", quarters(shape))).collect();
    assert_eq!(all.len(), 47, "no two shapes are made of the same quarters");
}

/// Sets of every kind, by number.
fn any_set(kind: usize) -> ShapeSet {
    let scheme = [Scheme::Four, Scheme::Eight, Scheme::Dual, Scheme::Six][kind % 4];
    let of = match kind / 4 {
        0 => ShapeBasis::Terrain {
            on: names(&["moss", "mat"]),
            kinds: Kinds::new(names(&["moss", "mat"]), Vec::new()),
        },
        1 => ShapeBasis::Terrain {
            on: names(&["moss"]),
            kinds: Kinds::new(names(&["moss"]), names(&["pond", "moss"])),
        },
        2 if scheme == Scheme::Dual => {
            ShapeBasis::Blend(Kinds::new(Vec::new(), names(&["moss", "mat", "pond"])))
        }
        _ => ShapeBasis::Heights(if kind.is_multiple_of(2) { Edge::Upper } else { Edge::Lower }),
    };
    let lattice = lattice_of(scheme);
    let mut tiles = ShapeSet::arranged("a", scheme, lattice, of.same(), 1, Mirror::No);
    if let ShapeBasis::Blend(kinds) = &of {
        // Some corners of two terrains, and nothing for three that meet.
        let signs = ["moss", "mat", "pond"].map(|name| kinds.only(name).unwrap());
        let drawn = (0..16u32).map(|number| {
            let corner = |slot: u32| signs[(number >> slot & 1) as usize + usize::from(number > 7)];
            ShapeTile::new(format!("a/{number}"), Drawing::new(&[0, 1, 2, 3].map(corner)))
        });
        tiles = drawn.collect();
    }
    // Some shapes are missing, some have looks, some a chance.
    tiles.retain(|tile| tile.tile.as_ref().is_none_or(|name| !name.ends_with('3')));
    tiles[0].looks = vec![1.0, 2.0];
    let rare = ShapeTile { chance: Some(0.3), ..ShapeTile::new("rare", Drawing::ANY) };
    tiles.push(rare);
    let mut set = ShapeSet::new(format!("set {kind}"), scheme, lattice, of, tiles).unwrap();
    set.outside = [
        Outside::Same,
        Outside::Other,
        Outside::Terrain("moss".to_owned()),
        Outside::Terrain("pond".to_owned()),
    ];
    set
}

/// A set that follows a tag lies as one that follows a terrain lies, whatever the ground is.
#[rstest]
fn shapes_follow_a_tag_as_a_terrain(
    #[values(Scheme::Four, Scheme::Eight, Scheme::Dual, Scheme::Six)] scheme: Scheme,
    #[values(Outside::Same, Outside::Other)] outside: Outside,
) {
    let layout = Layout::flat(lattice_of(scheme), 9, 7).unwrap();
    let keyed = Seed::from_number(4).keyed(&["lane"]);
    let is_lane = |cell: Cell| keyed.below(cell, 2) == 0;
    let mut by_terrain = arranged(scheme, 1, Mirror::No);
    by_terrain.outside = std::array::from_fn(|_| outside.clone());
    let mut by_tag = by_terrain.clone();
    by_tag.tag = Some("lane".to_owned());
    let mut plain = painted(layout, is_lane);
    shaped(&Autotile::new(vec![by_terrain]), &mut plain, 1);
    let mut tagged = painted(layout, |cell| cell.x % 3 == 0);
    let autotile = Autotile::new(vec![by_tag]);
    shaped(&autotile, &mut tagged, 1);
    assert_ne!(tagged.layer("moss"), plain.layer("moss"));
    // Cell by cell it comes to the same.
    for cell in layout.extent().iter().filter(|&cell| is_lane(cell)) {
        autotile.mark(&mut tagged, &Seed::from_number(1), cell, ("lane", true));
    }
    assert_eq!(tagged.layer("moss"), plain.layer("moss"));
    shaped(&autotile, &mut tagged, 1);
    assert_eq!(tagged.layer("moss"), plain.layer("moss"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    #[test]
    fn painting_cell_by_cell_is_a_full_pass(
        kinds in proptest::collection::vec(0usize..12, 1..3),
        size in [1u32..6, 1u32..6],
        wrap in any::<[bool; 2]>(),
        strokes in proptest::collection::vec((0i32..6, 0i32..6, 0usize..5, -1i32..3), 1..12),
    ) {
        // One lattice a map: hexagons need even sizes where they close.
        let six = kinds[0] % 4 == 3;
        let sets: Vec<ShapeSet> = kinds.iter().map(|&kind| any_set(kind)).collect();
        let mut sets: Vec<ShapeSet> =
            sets.into_iter().filter(|set| (set.scheme() == Scheme::Six) == six).collect();
        sets.dedup_by_key(|set| set.name().to_owned());
        let lattice = if six { Lattice::HexPointy } else { Lattice::Square };
        let [width, height] = if six { size.map(|length| length * 2) } else { size };
        let extent = Extent::new(Cell::new(-2, 4), [width, height, 1]).unwrap();
        let wrap = Wrap { x: wrap[0], y: wrap[1], z: false };
        let layout = Layout::new(lattice, extent, wrap).unwrap();
        let autotile = Autotile::new(sets);
        let seed = Seed::from_number(4);
        let mut map = Tilemap::new(layout);
        shaped(&autotile, &mut map, 4);
        for (x, y, terrain, height) in strokes {
            let cell = Cell::new(x - 2, y + 4);
            let before = map.clone();
            let mut changed = if terrain < 4 {
                let names = [Some("moss"), Some("pond"), Some("mat"), None];
                autotile.paint(&mut map, &seed, cell, names[terrain])
            } else {
                autotile.raise(&mut map, &seed, cell, height)
            };
            changed.sort();
            let mut whole = map.clone();
            let missing = shaped(&autotile, &mut whole, 4);
            prop_assert!(whole.layers().eq(map.layers()));
            let marked = |map: &Tilemap| -> Vec<Cell> {
                map.tag(STAND_IN).map(|plane| plane.iter().collect()).unwrap_or_default()
            };
            prop_assert_eq!(marked(&whole), marked(&map));
            prop_assert_eq!(missing.is_empty(), marked(&whole).is_empty());
            // Just the cells that differ are told.
            let mut told = Vec::new();
            for (number, (old, new)) in before.layers().zip(map.layers()).enumerate() {
                let differs = |cell: &Cell| old.get(*cell) != new.get(*cell);
                told.extend(old.extent().iter().filter(differs).map(|cell| (number, cell)));
            }
            let changed: Vec<(usize, Cell)> =
                changed.iter().map(|one| (one.layer, one.cell)).collect();
            let told: BTreeSet<(usize, Cell)> = told.into_iter().collect();
            prop_assert_eq!(changed.into_iter().collect::<BTreeSet<_>>(), told);
        }
    }

    #[test]
    fn neighbours_agree_about_what_they_share(
        scheme in 0usize..3, turns in 0usize..3, cells in proptest::collection::vec(any::<bool>(), 64),
    ) {
        let scheme = Scheme::ALL[scheme];
        let set = arranged(scheme, [1, 2, 4][turns], Mirror::No);
        let layout = Layout::flat(Lattice::Square, 8, 8).unwrap();
        let mut map = painted(layout, |cell| cells[(cell.y * 8 + cell.x) as usize]);
        shaped(&Autotile::new(vec![set.clone()]), &mut map, 0);
        let layer = map.layer("moss").unwrap();
        for cell in layer.extent().iter() {
            let Some(here) = joins_at(&map, &set, cell) else { continue };
            let on = |joins: u8, name: &str| {
                let slot = slot_names(scheme).iter().position(|one| *one == name).unwrap();
                joins >> slot & 1 == 1
            };
            let right = joins_at(&map, &set, Cell::new(cell.x + 1, cell.y));
            let below = joins_at(&map, &set, Cell::new(cell.x, cell.y + 1));
            let pairs: &[(&str, &str, &str, &str)] = match scheme {
                Scheme::Dual => &[("ne", "nw", "se", "ne"), ("se", "sw", "sw", "nw")],
                _ => &[("e", "w", "s", "n")],
            };
            for &(a, b, c, d) in pairs {
                if let Some(right) = right {
                    prop_assert_eq!(on(here, a), on(right, b));
                }
                if let Some(below) = below {
                    prop_assert_eq!(on(here, c), on(below, d));
                }
            }
        }
    }

    #[test]
    fn the_nearest_stands_in(gone in proptest::collection::btree_set(0usize..47, 1..46)) {
        let (of, scheme) = (moss(), Scheme::Eight);
        let mut tiles =
            ShapeSet::arranged("moss", scheme, Lattice::Square, of.same(), 1, Mirror::No);
        let mut number = 0;
        tiles.retain(|_| { number += 1; !gone.contains(&(number - 1)) });
        let left: Vec<u8> =
            (0..47).filter(|n| !gone.contains(n)).map(|n| scheme.shapes()[n]).collect();
        let set = ShapeSet::new("moss", scheme, Lattice::Square, of, tiles).unwrap();
        prop_assert_eq!(Coverage::of(&set).missing.len(), gone.len());
        for &shape in scheme.shapes() {
            let (chosen, stands_in) = set.choices(set.around(shape));
            let tile = &chosen[0].unwrap().tile;
            let number: usize = tile.rsplit('/').next().unwrap().parse().unwrap();
            // Corners beside a side that the drawing leaves open are no mistake.
            let wrong = |there: &u8| {
                let sides = (shape ^ there) & 0x55;
                let corners = (0..4).filter(|corner| {
                    let (before, at, after) = (corner * 2, corner * 2 + 1, (corner * 2 + 2) % 8);
                    let both = there >> before & there >> after & 1 == 1;
                    both && (shape ^ there) >> at & 1 == 1
                });
                (sides.count_ones(), corners.count())
            };
            let best = left.iter().copied().min_by_key(wrong).unwrap();
            prop_assert_eq!(scheme.shapes()[number], best);
            prop_assert_eq!(stands_in, best != shape);
        }
    }
}

#[test]
fn several_tiles_share_a_neighbourhood_by_weight_and_keep_their_cells() {
    let of = moss();
    let tile = |name: &str, weight: f64| ShapeTile { weight, ..ShapeTile::new(name, Drawing::ANY) };
    let rare = ShapeTile { chance: Some(0.1), ..tile("rare", 1.0) };
    let mut plain = tile("plain", 3.0);
    plain.looks = vec![1.0, 1.0];
    let tiles = vec![plain, tile("other", 1.0), rare];
    let set = ShapeSet::new("moss", Scheme::Four, Lattice::Square, of, tiles).unwrap();
    let autotile = Autotile::new(vec![set]);
    let fill = |size: u32| {
        let layout = Layout::flat(Lattice::Square, size, size).unwrap();
        let mut map = painted(layout, |_| true);
        shaped(&autotile, &mut map, 1);
        map.remove_layer("moss").unwrap()
    };
    let (small, large) = (fill(40), fill(100));
    assert!(small.extent().iter().all(|cell| small.get(cell) == large.get(cell)));
    let share = |what: &dyn Fn(&Placed) -> bool| {
        let cells = large.extent();
        cells.iter().filter(|&cell| large.get(cell).is_some_and(what)).count() as f64 / 1e4
    };
    let near = |value: f64, want: f64| assert!((value - want).abs() < 0.02, "{value} for {want}");
    near(share(&|placed| placed.tile == "rare"), 0.1);
    near(share(&|placed| placed.tile == "plain"), 0.9 * 0.75);
    near(share(&|placed| placed.tile == "plain" && placed.look == 1), 0.9 * 0.375);
}

#[test]
fn the_narrowest_drawing_goes_before_wider_ones() {
    let kinds = Kinds::new(names(&["moss"]), names(&["pond"]));
    let (same, pond) = (kinds.same(), kinds.only("pond").unwrap());
    let of = ShapeBasis::Terrain { on: names(&["moss"]), kinds };
    let tiles = vec![
        ShapeTile::new("any", Drawing::ANY),
        ShapeTile::new("bank", Drawing::new(&[!same])),
        ShapeTile::new("shore", Drawing::new(&[pond])),
        ShapeTile::new("never", Drawing::new(&[pond & same])),
    ];
    let set = ShapeSet::new("moss", Scheme::Four, Lattice::Square, of, tiles).unwrap();
    assert_eq!(Coverage::of(&set).unreachable, ["never"]);
    let autotile = Autotile::new(vec![set]);
    let mut map = painted(Layout::flat(Lattice::Square, 3, 2).unwrap(), |cell| cell.y == 1);
    autotile.paint(&mut map, &Seed::default(), Cell::new(2, 0), Some("pond"));
    autotile.paint(&mut map, &Seed::default(), Cell::new(0, 0), Some("moss"));
    let row = [0, 1, 2].map(|x| &*map.layers().next().unwrap().get(Cell::new(x, 1)).unwrap().tile);
    assert_eq!(row, ["any", "bank", "shore"]);
}

/// Every combination of three terrains in four corners.
fn blend() -> ShapeSet {
    let grounds = ["moss", "mat", "pond"];
    let kinds = Kinds::new(Vec::new(), names(&grounds));
    let tiles = (0..81usize).map(|number| {
        let corners = [number % 3, number / 3 % 3, number / 9 % 3, number / 27];
        let signs = corners.map(|corner| kinds.only(grounds[corner]).unwrap());
        let name = corners.map(|corner| grounds[corner]).join(" ");
        ShapeTile::new(name, Drawing::new(&signs))
    });
    let tiles = tiles.collect();
    ShapeSet::new("blend", Scheme::Dual, Lattice::Square, ShapeBasis::Blend(kinds), tiles).unwrap()
}

proptest! {
    #[test]
    fn blends_show_in_each_corner_what_lies_there(
        cells in proptest::collection::vec(0usize..4, 20), gone in proptest::collection::btree_set(0usize..81, 0..40),
    ) {
        let grounds = [Some("moss"), Some("mat"), Some("pond"), None];
        let layout = Layout::flat(Lattice::Square, 5, 4).unwrap();
        let mut map = Tilemap::new(layout);
        let mut terrain = Terrain::new(layout.extent());
        for (index, &cell) in cells.iter().enumerate() {
            let number = grounds[cell].map(|name| terrain.number(name));
            terrain.cells.set(index, number);
        }
        map.set_terrain(Some(terrain));
        let full = blend();
        let tiles = full.tiles().iter().enumerate().filter(|(number, _)| !gone.contains(number));
        let tiles: Vec<ShapeTile> = tiles.map(|(_, tile)| tile.clone()).collect();
        let left: Vec<Vec<String>> = tiles
            .iter()
            .map(|tile| tile.tile.as_ref().unwrap().split(' ').map(str::to_owned).collect())
            .collect();
        let set =
            ShapeSet::new("blend", Scheme::Dual, Lattice::Square, full.of().clone(), tiles).unwrap();
        shaped(&Autotile::new(vec![set]), &mut map, 0);
        let layer = map.layer("blend").unwrap();
        for cell in layer.extent().iter() {
            // Outside goes on as at the edge.
            let at = |dx: i32, dy: i32| {
                let (x, y) = ((cell.x + dx).clamp(0, 4), (cell.y + dy).clamp(0, 3));
                grounds[cells[(y * 5 + x) as usize]]
            };
            let corners = [at(0, -1), at(0, 0), at(-1, 0), at(-1, -1)];
            let placed = layer.get(cell).map(|placed| placed.tile.clone());
            if corners.contains(&None) {
                prop_assert_eq!(placed, None);
                continue;
            }
            // The first of those with the fewest wrong corners.
            let wrong = |tile: &Vec<String>| {
                tile.iter().zip(corners).filter(|(name, want)| Some(name.as_str()) != *want).count()
            };
            let best = left.iter().min_by_key(|tile| wrong(tile)).unwrap().join(" ");
            prop_assert_eq!(placed, Some(best));
        }
    }

    #[test]
    fn a_plan_in_pieces_is_the_plan(
        cells in proptest::collection::vec(0usize..3, 48), cut in (1usize..8, 1usize..6),
        near in 0u32..60, colours in proptest::collection::vec(any::<[u8; 3]>(), 2..5),
        pixels in proptest::collection::vec(any::<[u8; 4]>(), 24),
    ) {
        const WIDTH: usize = 8;
        let names = ["moss", "sand"];
        let piece = |from: [usize; 2], to: [usize; 2]| {
            let size = [to[0] - from[0], to[1] - from[1]];
            let mut terrain =
                Terrain { palette: Vec::new(), cells: lantern_quilt_core::map::Indices::new(size[0] * size[1], 0) };
            for (x, y) in (0..size[1]).flat_map(|y| (0..size[0]).map(move |x| (x, y))) {
                let cell = cells[(from[1] + y) * WIDTH + from[0] + x];
                let number = (cell < 2).then(|| terrain.number(names[cell]));
                terrain.cells.set(y * size[0] + x, number);
            }
            let corner = Cell::new(from[0] as i32 - 1, from[1] as i32 + 2);
            Plan::of_terrain(size.map(|one| one as u32), terrain).unwrap().at(corner)
        };
        let extent = Extent::new(Cell::new(-1, 2), [8, 6, 1]).unwrap();
        let layout = Layout::new(Lattice::Square, extent, Wrap::NONE).unwrap();
        let (mut whole, mut parts) = (Tilemap::new(layout), Tilemap::new(layout));
        lay(piece([0, 0], [WIDTH, 6]), &mut whole);
        let (x, y) = cut;
        for (from, to) in [([x, y], [8, 6]), ([0, 0], [x, y]), ([x, 0], [8, y]), ([0, y], [x, 6])] {
            if from[0] < to[0] && from[1] < to[1] {
                lay(piece(from, to), &mut parts);
            }
        }
        let ground = |map: &Tilemap| -> Vec<Option<String>> {
            let terrain = map.terrain().unwrap();
            extent.iter().map(|cell| terrain.at(cell, extent).map(str::to_owned)).collect()
        };
        prop_assert_eq!(ground(&whole), ground(&parts));
        // Seams between pieces are autotiled across.
        let autotile = Autotile::new(vec![arranged(Scheme::Eight, 1, Mirror::No)]);
        shaped(&autotile, &mut whole, 0);
        shaped(&autotile, &mut parts, 0);
        prop_assert!(whole.layers().eq(parts.layers()));

        // Colours go to the nearest of the key, if it is near enough.
        let entries = colours.iter().enumerate().map(|(place, &colour)| (colour, place.to_string()));
        let key = ColourKey { colours: entries.collect(), near };
        let planned = Plan::read(&pixels, 6, &key).unwrap();
        let mut strays = 0;
        for (index, &[r, g, b, a]) in pixels.iter().enumerate() {
            let far = |[kr, kg, kb]: [u8; 3]| {
                let pairs = [(r, kr), (g, kg), (b, kb), (a, 255)];
                pairs.iter().map(|&(p, q)| (f64::from(p) - f64::from(q)).powi(2)).sum::<f64>().sqrt()
            };
            let nearest = colours.iter().map(|&colour| far(colour)).fold(f64::MAX, f64::min);
            let read = planned.terrain.cells.get(index);
            if a == 0 {
                prop_assert_eq!(read, None);
            } else if nearest <= f64::from(near) {
                let name = &planned.terrain.palette[read.unwrap() as usize];
                prop_assert_eq!(far(colours[name.parse::<usize>().unwrap()]), nearest);
            } else {
                prop_assert_eq!(read, None);
                strays += 1;
            }
        }
        prop_assert_eq!(planned.strays.iter().map(|stray| stray.count).sum::<u64>(), strays);
    }
}

#[test]
fn walls_stand_where_heights_differ() {
    // A plateau of two steps with a step before it.
    let heights = [0, 0, 0, 0, 0, 2, 2, 0, 0, 2, 2, 1, 0, 0, 0, 0];
    let layout = Layout::flat(Lattice::Square, 4, 4).unwrap();
    for (edge, want) in [(Edge::Upper, "....|.##.|.###|...."), (Edge::Lower, "####|#..#|#..#|####")]
    {
        let of = ShapeBasis::Heights(edge);
        let tiles =
            ShapeSet::arranged("wall", Scheme::Eight, Lattice::Square, of.same(), 1, Mirror::No);
        let set = ShapeSet::new("wall", Scheme::Eight, Lattice::Square, of, tiles).unwrap();
        let mut map = Tilemap::new(layout);
        map.set_heights(Plane::from_values(layout.extent(), heights.to_vec()));
        assert_eq!(shaped(&Autotile::new(vec![set]), &mut map, 0), []);
        let row = |y: i32| -> String {
            let at =
                |x: i32| map.layers().next().unwrap().get(Cell::new(x, y)).map_or('.', |_| '#');
            (0..4).map(at).collect()
        };
        assert_eq!([0, 1, 2, 3].map(row).join("|"), want);
    }
}

#[rstest]
#[case(Scheme::Six, Lattice::Square, 1, 1.0, "`six` shapes do not fit a square lattice")]
#[case(Scheme::Eight, Lattice::Box, 1, 1.0, "`eight` shapes do not fit a box lattice")]
#[case(Scheme::Four, Lattice::Square, 3, 1.0, "3 turns do not fit a square lattice")]
#[case(Scheme::Four, Lattice::Square, 1, 0.0, "0 is not a weight")]
#[case(Scheme::Four, Lattice::Square, 1, f64::NAN, "NaN is not a weight")]
fn sets_that_cannot_be(
    #[case] scheme: Scheme,
    #[case] lattice: Lattice,
    #[case] turns: u8,
    #[case] weight: f64,
    #[case] says: &str,
) {
    let tile = ShapeTile { turns, weight, ..ShapeTile::new("a", Drawing::ANY) };
    let error = ShapeSet::new("a", scheme, lattice, moss(), vec![tile]).unwrap_err();
    assert!(error.to_string().starts_with(says), "{error}");
    let none = ShapeSet::new("a", Scheme::Four, Lattice::Square, moss(), Vec::new());
    assert_eq!(none.unwrap_err(), ShapeError::Empty);
}

#[rstest]
#[case(0, [Some("moss"), None, None, None], 3)]
#[case(2, [Some("moss"), Some("moss"), None, None], 2)]
#[case(20, [Some("moss"), Some("moss"), Some("sand"), None], 1)]
#[case(200, [Some("moss"), Some("moss"), Some("sand"), Some("moss")], 0)]
fn colours_near_the_key_are_accepted(
    #[case] near: u32,
    #[case] want: [Option<&str>; 4],
    #[case] strays: usize,
) {
    let colours = vec![
        ([10, 100, 10], "moss".to_owned()),
        ([200, 180, 120], "sand".to_owned()),
        ([12, 240, 12], "moss".to_owned()),
    ];
    let key = ColourKey { colours, near };
    // Just so, one off, further off, half seen through.
    let pixels = [[10, 100, 10, 255], [10, 101, 11, 255], [200, 190, 130, 255], [10, 100, 10, 128]];
    let planned = Plan::read(&pixels, 4, &key).unwrap();
    let extent = Extent::flat(4, 1).unwrap();
    let read = [0, 1, 2, 3].map(|x| planned.terrain.at(Cell::new(x, 0), extent));
    assert_eq!((read, planned.strays.len()), (want, strays));
    assert_eq!(planned.terrain.palette, ["moss", "sand"]);
    for stray in &planned.strays {
        assert!(stray.count == 1 && stray.nearest.as_ref().unwrap().2 > near);
    }
}

#[test]
fn plans_lie_over_each_other_and_end_at_the_map() {
    let layout = Layout::flat(Lattice::Square, 4, 3).unwrap();
    let mut map = Tilemap::new(layout);
    let of = |name: &str, cells: &[u8]| {
        let mut terrain = Terrain::new(Extent::flat(2, 2).unwrap());
        let number = terrain.number(name);
        for (index, _) in cells.iter().enumerate().filter(|(_, cell)| **cell == 1) {
            terrain.cells.set(index, Some(number));
        }
        Plan::of_terrain([2, 2], terrain).unwrap()
    };
    assert_eq!(lay(of("moss", &[1, 1, 1, 1]), &mut map), 0);
    // Its empty cells leave what was there; three of its cells lie outside.
    assert_eq!(lay(of("sand", &[1, 0, 1, 1]).at(Cell::new(1, 0)), &mut map), 0);
    assert_eq!(lay(of("pond", &[1, 1, 1, 1]).at(Cell::new(3, 2)), &mut map), 3);
    assert_eq!(lay(of("pond", &[1, 1, 1, 1]).at(Cell::new(9, 9)), &mut map), 4);
    let heights = Plan::of_heights([2, 1], steps_of(&[40, 255], 20)).unwrap();
    lay(heights.at(Cell::new(-1, 0)), &mut map);
    let ground = map.terrain().unwrap();
    let row = |y: i32| -> String {
        let at = |x| {
            ground
                .at(Cell::new(x, y), layout.extent())
                .map_or('.', |name| name.chars().next().unwrap())
        };
        (0..4).map(at).collect()
    };
    assert_eq!([0, 1, 2].map(row), ["ms..", "mss.", "...p"]);
    assert_eq!(map.heights().unwrap().get(Cell::new(0, 0)), Some(&12));
    assert_eq!(Plan::read(&[[0; 4]; 3], 2, &ColourKey::default()), None);
}
