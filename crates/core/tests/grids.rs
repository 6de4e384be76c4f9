//! Extents, planes, layers and regions against plain models.

use lantern_quilt_core::grid::{BitPlane, Plane, steps_from, straight_from};
use lantern_quilt_core::id::{CauseId, IdVec, TileId};
use lantern_quilt_core::map::{Indices, Item};
use lantern_quilt_core::passes::{
    Choice, Condition, CountArea, PlaceStep, SetPiece, SiteOrder, Thing,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_core::solve::{Region, Space};
use lantern_quilt_testkit::maps::follow;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

prop_compose! {
    fn extents()(x in -9i32..9, y in -9i32..9, z in -3i32..3, w in 1u32..7, h in 1u32..6, d in 1u32..4) -> Extent {
        Extent::new(Cell::at(x, y, z), [w, h, d]).unwrap()
    }
}

fn cells(extent: &Extent) -> BTreeSet<Cell> {
    extent.iter().collect()
}

proptest! {
    #[test]
    fn numbers_and_cells_are_inverse(extent in extents(), x in -12i32..12, y in -12i32..12, z in -5i32..5) {
        for (index, cell) in extent.iter().enumerate() {
            prop_assert_eq!(extent.index(cell), Some(index));
            prop_assert_eq!(extent.cell(index), cell);
        }
        let cell = Cell::at(x, y, z);
        prop_assert_eq!(extent.contains(cell), cells(&extent).contains(&cell));
    }

    #[test]
    fn boxes_intersect_as_sets(a in extents(), b in extents()) {
        let want: BTreeSet<Cell> = cells(&a).intersection(&cells(&b)).copied().collect();
        let got = a.intersection(&b).map(|both| cells(&both)).unwrap_or_default();
        prop_assert_eq!(got, want);
    }

    #[test]
    fn bit_planes_are_sets(extent in extents(), steps in prop::collection::vec((0usize..200, any::<bool>()), 0..60)) {
        let (mut plane, mut set) = (BitPlane::new(extent), BTreeSet::new());
        for (index, value) in steps {
            let cell = extent.cell(index % extent.cells());
            prop_assert!(plane.set(cell, value));
            if value { set.insert(cell); } else { set.remove(&cell); }
        }
        prop_assert_eq!(plane.count(), set.len());
        prop_assert_eq!(plane.iter().collect::<BTreeSet<_>>(), set.clone());
        prop_assert_eq!(BitPlane::from_fn(extent, |cell| set.contains(&cell)), plane);
    }

    #[test]
    fn indices_are_a_vector_whatever_their_width(values in prop::collection::vec(prop::option::of(0u32..200_000), 1..40)) {
        let mut indices = Indices::new(values.len(), 10);
        for (at, &value) in values.iter().enumerate() {
            indices.set(at, value);
        }
        prop_assert_eq!(indices.iter().collect::<Vec<_>>(), values.clone());
        prop_assert_eq!(indices.len(), values.len());
    }

    #[test]
    fn pose_sets_are_sets(size in 1usize..200, a in prop::collection::btree_set(0usize..200, 0..40), b in prop::collection::btree_set(0usize..200, 0..40)) {
        let inside = |set: &BTreeSet<usize>| -> BTreeSet<usize> { set.iter().copied().filter(|&p| p < size).collect() };
        let (a, b) = (inside(&a), inside(&b));
        let of = |set: &BTreeSet<usize>| PoseSet::from_fn(size, |pose| set.contains(&pose.index()));
        let back = |set: &PoseSet| -> BTreeSet<usize> { set.iter().map(Id::index).collect() };
        let (mut both, mut either) = (of(&a), of(&a));
        both.intersect(&of(&b));
        either.unite(&of(&b));
        prop_assert_eq!(back(&both), a.intersection(&b).copied().collect());
        prop_assert_eq!(back(&either), a.union(&b).copied().collect());
        prop_assert_eq!(of(&a).len(), a.len());
        prop_assert_eq!(of(&a).single().map(Id::index), (a.len() == 1).then(|| *a.first().unwrap()));
        prop_assert_eq!(PoseSet::full(size).len(), size);
        let mut less = of(&a);
        for pose in &a {
            less.remove(PoseId::from_index(*pose));
        }
        prop_assert!(less.is_empty());
    }
}

#[test]
fn planes_hold_a_value_a_cell() {
    let extent = Extent::flat(3, 2).unwrap();
    let mut plane = Plane::new(extent, 0);
    *plane.get_mut(Cell::new(2, 1)).unwrap() = 5;
    assert_eq!((plane.get(Cell::new(2, 1)), plane.get(Cell::new(3, 1))), (Some(&5), None));
    assert_eq!(plane.rows().map(|row| row.iter().sum::<i32>()).collect::<Vec<_>>(), [0, 5]);
    assert!(Plane::from_values(extent, vec![1; 5]).is_none());
}

#[test]
fn layers_name_what_stands_and_refuse_what_is_not_there() {
    let extent = Extent::flat(2, 2).unwrap();
    let placed = |tile: &str| Placed::new(tile);
    let mut layer = Layer::new("ground", extent, vec![placed("moss")]);
    assert_eq!((layer.add(placed("hedge")), layer.add(placed("moss"))), (1, 0));
    assert!(layer.set(Cell::new(1, 1), Some(1)));
    assert!(!layer.set(Cell::new(1, 1), Some(2)) && !layer.set(Cell::new(2, 1), Some(0)));
    assert_eq!(layer.get(Cell::new(1, 1)).map(|placed| placed.tile.as_str()), Some("hedge"));
    assert_eq!((layer.get(Cell::new(0, 0)), layer.get(Cell::new(5, 5))), (None, None));
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 2, 2).unwrap());
    map.put_layer(layer);
    assert!(map.layer("ground").is_some() && map.layer("sky").is_none());
}

#[test]
fn items_are_sorted_by_cell_and_side() {
    let item = |x, y, side, name: &str| Item { side, ..Item::new(name, Cell::new(x, y)) };
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 4, 4).unwrap());
    map.set_items(vec![
        item(1, 2, None, "d"),
        item(3, 0, Some(Side::West), "b"),
        item(3, 0, None, "a"),
        item(0, 2, None, "c"),
        item(1, 2, None, "e"),
    ]);
    let names: String = map.items().iter().map(|item| &*item.name).collect();
    assert_eq!(names, "abcde");
}

/// Which cells a place covers: each a letter row by row, `x` covered, `-` not, space outside.
#[rstest]
#[case::everywhere(Region::Everywhere, "xx x/xxxx/ xxx")]
#[case::cell(Region::Cell(Cell::new(1, 1)), "-- -/-x--/ ---")]
#[case::outside(Region::Cell(Cell::new(2, 0)), "-- -/----/ ---")]
#[case::within(Region::Within(Extent::new(Cell::new(1, 1), [9, 9, 1]).unwrap()), "-- -/-xxx/ xxx")]
#[case::facing_north(Region::Facing(Side::North), "xx x/--x-/ ---")]
#[case::facing_west(Region::Facing(Side::West), "x- x/x---/ x--")]
fn places_cover_cells(#[case] place: Region, #[case] want: &str) {
    let layout = Layout::flat(Lattice::Square, 4, 3).unwrap();
    let outline =
        BitPlane::from_fn(layout.extent(), |c| c != Cell::new(2, 0) && c != Cell::new(0, 2));
    let mut space = Space::new(layout).outlined(outline);
    let cause = space.restrict(place.clone(), PoseSet::empty(1));
    let rows: Vec<String> = (0..3)
        .map(|y| {
            let letter = |x| {
                let cell = Cell::new(x, y);
                match (space.contains(cell), space.covers(&place, cell)) {
                    (false, _) => ' ',
                    (_, true) => 'x',
                    _ => '-',
                }
            };
            (0..4).map(letter).collect()
        })
        .collect();
    assert_eq!(rows.join("/"), want);
    assert_eq!(space.cells(), 10);
    // A pose that is kept out is kept out by that restriction, and by none where it does not hold.
    for cell in layout.extent().iter().filter(|&cell| space.contains(cell)) {
        let blamed = space.cause(cell, PoseId::from_index(0));
        assert_eq!(blamed, space.covers(&place, cell).then_some(cause));
    }
}

#[test]
fn id_vectors_are_indexed_by_their_own_ids() {
    let mut names: IdVec<TileId, &str> = IdVec::new();
    let (a, b) = (names.push("a"), names.push("b"));
    names[b] = "c";
    assert_eq!((names[a], names.get(b), names.len()), ("a", Some(&"c"), 2));
    assert_eq!(
        names.pairs().map(|(id, name)| (id.index(), *name)).collect::<Vec<_>>(),
        [(0, "a"), (1, "c")]
    );
    assert_eq!(names.ids().collect::<Vec<_>>(), [a, b]);
    assert_eq!(format!("{:?} {:?}", a, CauseId::from_index(7)), "TileId(0) CauseId(7)");
}

/// Steps from the border, against the least distance to any cell at it.
#[rstest]
fn steps_from_the_border_are_distances(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
    #[values(false, true)] wrapped: bool,
) {
    use lantern_quilt_core::constraints::{Area, steps_from_border};
    let depth = if lattice.is_solid() { 5 } else { 1 };
    let extent = Extent::new(Cell::new(-4, 6), [8, 6, depth]).unwrap();
    let wrap = Wrap { x: wrapped, y: false, z: false };
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    let steps = steps_from_border(layout);
    let at_border =
        |cell: Cell| lattice.sides().iter().any(|&side| layout.neighbour(cell, side).is_none());
    let rim: Vec<Cell> = extent.iter().filter(|&cell| at_border(cell)).collect();
    let shifted = |cell: Cell, by: i32| Cell { x: cell.x + by * 8, ..cell };
    for cell in extent.iter() {
        // Around a ring the way may be shorter the other way round.
        let around = if wrapped { -1..=1 } else { 0..=0 };
        let ways = around.flat_map(|by| rim.iter().map(move |&one| shifted(one, by)));
        let want = ways.map(|one| lattice.distance(cell, one)).min();
        assert_eq!(steps.get(cell).copied().unwrap().map(u64::from), want, "{cell}");
    }
    for (least, most) in [(0, 0), (1, 2), (2, 1), (0, 9)] {
        let cells = Area::FromBorder { least, most }.cells(layout);
        for cell in extent.iter() {
            let within = steps.get(cell).unwrap().is_some_and(|s| (least..=most).contains(&s));
            assert_eq!(cells.get(cell), within);
        }
    }
}

#[test]
fn a_map_without_border_is_no_steps_from_it() {
    let extent = Extent::new(Cell::default(), [4, 4, 1]).unwrap();
    let layout = Layout::new(Lattice::Square, extent, Wrap::FLAT).unwrap();
    let steps = lantern_quilt_core::constraints::steps_from_border(layout);
    assert!(steps.values().iter().all(Option::is_none));
}

proptest! {
    /// Cells counted on, against cells worked out one by one, up to the ends of the coordinates.
    #[test]
    fn cells_come_in_their_order(
        size in [1u32..5, 1u32..5, 1u32..4], at in [0usize..3, 0usize..3, 0usize..3], skips in prop::collection::vec(0usize..7, 0..9),
    ) {
        // The least origin, the middle, and as far up as such a size may lie.
        let from = |axis: usize| [i32::MIN, -2, i32::MAX - size[axis] as i32][at[axis]];
        let origin = Cell::at(from(0), from(1), from(2));
        let extent = Extent::new(origin, size).unwrap();
        let cells: Vec<Cell> = (0..extent.cells()).map(|index| extent.cell(index)).collect();
        prop_assert_eq!(extent.iter().collect::<Vec<_>>(), cells.clone());
        prop_assert_eq!(extent.iter().len(), cells.len());
        for (index, &cell) in cells.iter().enumerate() {
            prop_assert_eq!(extent.index(cell), Some(index));
            let [dx, dy, dz] = [index % size[0] as usize, index / size[0] as usize % size[1] as usize, index / (size[0] * size[1]) as usize];
            prop_assert_eq!(cell, Cell::at(origin.x + dx as i32, origin.y + dy as i32, origin.z + dz as i32));
        }
        // Cells passed over are passed over.
        let (mut ours, mut plain) = (extent.iter(), cells.iter().copied());
        for skip in skips {
            prop_assert_eq!(ours.nth(skip), plain.nth(skip));
            prop_assert_eq!(ours.len(), plain.len());
        }
        // Whatever lies one step off is outside, and so are the ends of the coordinates.
        let [wide, high, deep] = size.map(|length| length as i32);
        for (dx, dy, dz) in [(-1, 0, 0), (wide, 0, 0), (0, -1, 0), (0, high, 0), (0, 0, -1), (0, 0, deep)] {
            let (x, y, z) = (origin.x.checked_add(dx), origin.y.checked_add(dy), origin.z.checked_add(dz));
            if let (Some(x), Some(y), Some(z)) = (x, y, z) {
                prop_assert_eq!(extent.index(Cell::at(x, y, z)), None);
            }
        }
        for end in [i32::MIN, i32::MAX] {
            let inside = |at: i32, axis: usize| i64::from(end) >= i64::from(at) && i64::from(end) < i64::from(at) + i64::from(size[axis]);
            prop_assert_eq!(extent.contains(Cell { x: end, ..origin }), inside(origin.x, 0));
            prop_assert_eq!(extent.contains(Cell { z: end, ..origin }), inside(origin.z, 2));
        }
    }

    /// Set cells in order, and what lies beyond a side leads back.
    #[test]
    fn set_cells_are_listed_and_neighbours_are_mutual(
        lattice in 0usize..4, size in [1u32..5, 1u32..5, 1u32..3], wrap in any::<[bool; 3]>(), bits in any::<u64>(),
    ) {
        let layout = lantern_quilt_testkit::maps::layout_of(lattice, size, wrap);
        let extent = layout.extent();
        let set = BitPlane::from_fn(extent, |cell| bits >> (extent.index(cell).unwrap() % 64) & 1 == 1);
        let listed: Vec<Cell> = extent.iter().filter(|&cell| set.get(cell)).collect();
        prop_assert_eq!(set.count(), listed.len());
        prop_assert_eq!(set.iter().collect::<Vec<_>>(), listed);
        for (cell, &side) in extent.iter().flat_map(|cell| layout.lattice().sides().iter().map(move |side| (cell, side))) {
            if let Some(there) = layout.neighbour(cell, side) {
                prop_assert!(extent.contains(there));
                prop_assert_eq!(layout.neighbour(there, side.opposite()), Some(cell));
            }
        }
    }
}

/// A small layout somewhere, and the same one elsewhere. On hexagons it moves by even steps.
fn twins(lattice: Lattice, size: [u32; 3], wrap: Wrap, ends: [bool; 3]) -> (Layout, Layout) {
    let depth = if lattice.is_solid() { size[2] } else { 1 };
    let size = [size[0] * 2, size[1] * 2, depth];
    let far = |axis: usize| {
        // The last coordinate lies one before the largest.
        let last = i64::from(i32::MAX) - i64::from(size[axis]);
        let even = last - last.rem_euclid(2);
        let far = if ends[axis] { even as i32 } else { i32::MIN };
        if axis == 2 && !lattice.is_solid() { 0 } else { far }
    };
    let at = |x, y, z| {
        let extent = Extent::new(Cell { x, y, z }, size).unwrap();
        Layout::new(lattice, extent, Wrap { z: wrap.z && lattice.is_solid(), ..wrap }).unwrap()
    };
    (at(0, 0, 0), at(far(0), far(1), far(2)))
}

proptest! {
    /// The cells around one, against all cells measured the shorter way round.
    #[test]
    fn near_cells_are_those_within_reach(
        extent in extents(), wrap in any::<[bool; 3]>(), at in 0usize..200, radius in 0u32..9,
    ) {
        let wrap = Wrap { x: wrap[0], y: wrap[1], z: wrap[2] };
        let layout = Layout::new(Lattice::Box, extent, wrap).unwrap();
        let middle = extent.cell(at % extent.cells());
        let gap = |a: i32, b: i32, length: u32, closes: bool| {
            let gap = a.abs_diff(b);
            if closes { gap.min(length - gap) } else { gap }
        };
        let [w, h, d] = extent.size();
        let far = |c: Cell| {
            gap(c.x, middle.x, w, wrap.x).max(gap(c.y, middle.y, h, wrap.y)).max(gap(c.z, middle.z, d, wrap.z))
        };
        let want: BTreeSet<(Cell, u32)> =
            extent.iter().map(|cell| (cell, far(cell))).filter(|(_, far)| *far <= radius).collect();
        let found: Vec<(Cell, u32)> = layout.near(middle, radius).collect();
        prop_assert_eq!(found.len(), want.len());
        prop_assert_eq!(found.into_iter().collect::<BTreeSet<_>>(), want);
    }

    /// At the ends of the coordinate range everything is as it is near the origin.
    #[test]
    fn far_away_is_as_near(
        lattice in 0usize..4, size in prop::array::uniform3(1u32..4), wrap in any::<[bool; 3]>(),
        ends in any::<[bool; 3]>(), bits: u64, by in prop::array::uniform3(-9i32..9),
        least in 1u32..4, apart in 1u8..4,
    ) {
        let lattice = Lattice::ALL[lattice];
        let wrap = Wrap { x: wrap[0], y: wrap[1], z: wrap[2] };
        let (near, far) = twins(lattice, size, wrap, ends);
        let (n, f) = (near.extent(), far.extent());
        let shift = |cell: Option<Cell>| cell.map(|cell| n.index(cell).unwrap());
        let back = |cell: Option<Cell>| cell.map(|cell| f.index(cell).unwrap());
        let set = |extent: Extent| BitPlane::from_fn(extent, |c| bits >> (extent.index(c).unwrap() % 64) & 1 == 1);
        for (a, b) in n.iter().zip(f.iter()) {
            for &side in lattice.sides() {
                prop_assert_eq!(shift(near.neighbour(a, side)), back(far.neighbour(b, side)));
            }
            let by = if lattice.turns() == 6 { by.map(|step| step / 2 * 2) } else { by };
            prop_assert_eq!(shift(near.moved(a, by)), back(far.moved(b, by)));
            let around = |layout: Layout, cell| -> Vec<_> {
                layout.near(cell, least).map(|(c, gap)| (layout.extent().index(c), gap)).collect()
            };
            prop_assert_eq!(around(near, a), around(far, b));
        }
        let (here, there) = (set(n), set(f));
        for distances in [steps_from, straight_from] {
            let (a, b) = (distances(near, &here), distances(far, &there));
            prop_assert_eq!(a.values(), b.values());
        }
        // Conditions and places, in an order that is not left to chance.
        let placed = |layout: Layout, set: &BitPlane| {
            let what = Condition::Painted { cells: set.clone(), of: "some".to_owned() };
            let part = |x, y| SetPiece {
                what: Thing::Item { name: "post".into(), looks: vec![], tags: [].into() },
                faces: lattice.sides()[0],
                at: if lattice.turns() == 6 { [0, 0] } else { [x, y] },
                offset: [0.0; 2],
            };
            let set = Choice { weight: 1.0, parts: vec![part(0, 0), part(by[0] % 3, by[1] % 3)] };
            let mut pass = PlaceStep::new(vec![set]);
            let place = Condition::Count { what: Box::new(what), around: CountArea::Steps(least), least, most: 9 };
            (pass.apart, pass.order, pass.overlap) = (f32::from(apart) * 0.8, SiteOrder::Rows, true);
            let mut map = Tilemap::new(layout);
            follow(&Pass::new("posts", pass).within(place), &mut map, &Seed::default());
            map.items().iter().map(|item| layout.extent().index(item.cell)).collect::<Vec<_>>()
        };
        prop_assert_eq!(placed(near, &here), placed(far, &there));
    }
}
