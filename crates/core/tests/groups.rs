//! Orientations are a group and act on sides and frames as one.

use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Side, Wrap};
use lantern_quilt_core::orient::{Frame, Orientation};
use rstest::rstest;
use std::collections::{BTreeMap, VecDeque};

#[rstest]
#[case(Lattice::Square, 8)]
#[case(Lattice::Box, 8)]
#[case(Lattice::HexPointy, 12)]
#[case(Lattice::HexFlat, 12)]
fn orientations_are_a_group(#[case] lattice: Lattice, #[case] order: usize) {
    let all: Vec<_> = Orientation::all(lattice).collect();
    assert_eq!(all.len(), order);
    let one = Orientation::AS_DRAWN;
    for &a in &all {
        assert_eq!(a.then(one, lattice), a);
        assert_eq!(one.then(a, lattice), a);
        assert_eq!(a.then(a.inverse(lattice), lattice), one);
        for &b in &all {
            let both = a.then(b, lattice);
            assert!(all.contains(&both));
            for &side in lattice.sides() {
                // Acting twice is acting once by the product: on sides, and on frames.
                assert_eq!(both.side(lattice, side), b.side(lattice, a.side(lattice, side)));
                assert_eq!(
                    both.side(lattice, side.opposite()),
                    both.side(lattice, side).opposite()
                );
                let quarter = lattice == Lattice::Box || !side.is_flat();
                for frame in Frame::all().filter(|_| quarter) {
                    let moved = a.side(lattice, side);
                    assert_eq!(both.frame(side, frame), b.frame(moved, a.frame(side, frame)));
                }
            }
            for &c in &all {
                assert_eq!(both.then(c, lattice), a.then(b.then(c, lattice), lattice));
            }
        }
    }
}

#[rstest]
fn faces_that_met_still_meet_after_any_orientation(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
) {
    for o in Orientation::all(lattice) {
        for &side in lattice.sides() {
            for frame in Frame::all() {
                let beyond = frame.across(side);
                assert_eq!(beyond.across(side.opposite()), frame, "across and back");
                let turned = o.frame(side, frame).across(o.side(lattice, side));
                assert_eq!(turned, o.frame(side.opposite(), beyond));
            }
        }
    }
}

#[rstest]
fn a_turn_moves_each_cell_beyond_a_side_to_the_cell_beyond_the_next(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
) {
    let turn = Orientation::new(lattice, 1, false);
    let standing: Vec<Side> = lattice.sides().iter().copied().filter(|s| !s.is_flat()).collect();
    for (at, &side) in standing.iter().enumerate() {
        assert_eq!(turn.side(lattice, side), standing[(at + 1) % standing.len()]);
    }
}

#[rstest]
#[case(Lattice::Square, Wrap::NONE, [5, 4, 1])]
#[case(Lattice::Square, Wrap::FLAT, [1, 2, 1])]
#[case(Lattice::HexPointy, Wrap::FLAT, [3, 4, 1])]
#[case(Lattice::HexFlat, Wrap::FLAT, [4, 3, 1])]
#[case(Lattice::HexPointy, Wrap::NONE, [6, 7, 1])]
#[case(Lattice::HexFlat, Wrap::NONE, [7, 6, 1])]
#[case(Lattice::Box, Wrap { x: true, y: false, z: true }, [3, 2, 3])]
fn neighbours_are_mutual_and_steps_measure_distance(
    #[case] lattice: Lattice,
    #[case] wrap: Wrap,
    #[case] size: [u32; 3],
    #[values(0, -3)] at: i32,
) {
    let z = if lattice.is_solid() { at } else { 0 };
    let extent = Extent::new(Cell::at(at, at, z), size).unwrap();
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    for cell in extent.iter() {
        for &side in lattice.sides() {
            if let Some(beyond) = layout.neighbour(cell, side) {
                assert_eq!(layout.neighbour(beyond, side.opposite()), Some(cell));
            } else {
                assert_ne!(wrap, Wrap::FLAT);
            }
        }
        if wrap == Wrap::NONE {
            // Breadth-first search is the meaning of distance.
            let mut steps = BTreeMap::from([(cell, 0)]);
            let mut queue = VecDeque::from([cell]);
            while let Some(from) = queue.pop_front() {
                for to in lattice.sides().iter().filter_map(|&s| layout.neighbour(from, s)) {
                    if !steps.contains_key(&to) {
                        steps.insert(to, steps[&from] + 1);
                        queue.push_back(to);
                    }
                }
            }
            assert!(steps.iter().all(|(&to, &n)| lattice.distance(cell, to) == n));
        }
    }
}

#[rstest]
#[case([0, 3, 1], "at least one cell")]
#[case([1_000_000_000, 1_000_000_000, 1], "more than a map can hold")]
fn impossible_extents_say_why(#[case] size: [u32; 3], #[case] why: &str) {
    let error = Extent::new(Cell::default(), size).unwrap_err().to_string();
    assert!(error.contains(why), "{error}");
}

#[rstest]
#[case(Lattice::HexPointy, [4, 3, 1], false)]
#[case(Lattice::HexPointy, [3, 4, 1], true)]
#[case(Lattice::HexFlat, [3, 4, 1], false)]
#[case(Lattice::HexFlat, [4, 3, 1], true)]
#[case(Lattice::Square, [3, 3, 2], false)]
fn layouts_refuse_what_cannot_exist(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] fits: bool,
) {
    let extent = Extent::new(Cell::default(), size).unwrap();
    assert_eq!(Layout::new(lattice, extent, Wrap::FLAT).is_ok(), fits);
}
