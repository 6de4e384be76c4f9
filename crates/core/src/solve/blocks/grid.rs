//! The fixed global grid: blocks, then the seams between them, then where seams cross.
//!
//! Along each axis a cell whose coordinate is a multiple of [`SIDE`] lies on a line. Blocks lie
//! between lines; a seam is what lies within [`SEAM`] of a line. Every choice of block or seam for
//! each axis is a *class* of boxes; two boxes of one class never touch, so they can be filled in any
//! order or at once. Where an axis closes on itself, the last stretch may touch the first across the
//! closing edge; then it is a class of its own. Classes follow each other, those with fewer seams first.

use crate::lattice::{Cell, Extent, Layout};

/// Cells from one line to the next.
pub(super) const SIDE: i32 = 64;
/// How far a seam reaches on both sides of its line.
pub(super) const SEAM: i32 = 5;

/// The boxes of each class.
pub(super) fn classes(layout: Layout) -> Vec<Vec<Extent>> {
    let (extent, wrap) = (layout.extent(), layout.wrap());
    let axes = if layout.lattice().is_solid() { 3 } else { 2 };
    let Cell { x, y, z } = extent.origin();
    let [width, height, depth] = extent.size();
    let all = [(x, width, wrap.x), (y, height, wrap.y), (z, depth, wrap.z)];
    let groups = |axis: usize, seams: bool| -> Vec<Vec<Stretch>> {
        let (from, length, closes) = all[axis];
        if axis >= axes {
            return vec![vec![(from, length)]];
        }
        apart(along(from, length, seams), from, length, closes)
    };
    let mut choices: Vec<u32> = (0..1 << axes).collect();
    choices.sort_by_key(|choice| choice.count_ones());
    let mut classes = Vec::new();
    for choice in choices {
        let [across, down, up]: [Vec<Vec<Stretch>>; 3] =
            std::array::from_fn(|axis| groups(axis, choice >> axis & 1 == 1));
        for (up, down) in up.iter().flat_map(|up| down.iter().map(move |down| (up, down))) {
            classes.extend(across.iter().map(|across| boxes(across, down, up)));
        }
    }
    classes
}

/// A part of an axis: where it begins, and how many cells it has.
type Stretch = (i32, u32);

/// All boxes of these columns, rows and levels.
fn boxes(across: &[Stretch], down: &[Stretch], up: &[Stretch]) -> Vec<Extent> {
    let mut boxes = Vec::with_capacity(across.len() * down.len() * up.len());
    for &(z, depth) in up {
        for &(y, height) in down {
            boxes.extend(across.iter().filter_map(|&(x, width)| {
                Extent::new(Cell { x, y, z }, [width, height, depth]).ok()
            }));
        }
    }
    boxes
}

/// Stretches in groups of which none touches another: all of them, or the last by itself where it
/// touches the first across a closing edge.
fn apart(mut all: Vec<Stretch>, from: i32, length: u32, closes: bool) -> Vec<Vec<Stretch>> {
    let end = i64::from(from) + i64::from(length);
    let at_end = |&(at, long): &Stretch| i64::from(at) + i64::from(long) == end;
    let touching = closes
        && all.len() > 1
        && all.first().is_some_and(|&(at, _)| at == from)
        && all.last().is_some_and(at_end);
    let last = if touching { all.pop() } else { None };
    std::iter::once(all).chain(last.map(|last| vec![last])).collect()
}

/// The stretches of an axis between lines, or around them.
fn along(from: i32, length: u32, seams: bool) -> Vec<Stretch> {
    let (start, end) = (i64::from(from), i64::from(from) + i64::from(length));
    let (side, seam) = (i64::from(SIDE), i64::from(SEAM));
    let first = start.div_euclid(side);
    let last = (end - 1).div_euclid(side) + 1;
    (first..=last)
        .filter_map(|number| {
            let line = number * side;
            let (a, b) =
                if seams { (line - seam, line + seam + 1) } else { (line + 1, line + side) };
            let (a, b) = (a.max(start), b.min(end));
            (a < b).then(|| (a as i32, (b - a) as u32))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::{ExtentError, Lattice, Wrap};
    use rstest::rstest;

    #[rstest]
    #[case(Lattice::Square, [0, 0, 0], [200, 130, 1])]
    #[case(Lattice::Square, [0, 0, 0], [64, 64, 1])]
    #[case(Lattice::Square, [-7, 60, 0], [70, 3, 1])]
    #[case(Lattice::HexFlat, [-70, 3, 0], [64, 1, 1])]
    #[case(Lattice::HexPointy, [5, -64, 0], [129, 128, 1])]
    #[case(Lattice::Box, [-3, 60, 5], [70, 10, 66])]
    fn boxes_of_a_class_never_touch_and_all_cells_are_covered(
        #[case] lattice: Lattice,
        #[case] from: [i32; 3],
        #[case] size: [u32; 3],
        #[values([false; 3], [true, false, false], [false, true, true], [true; 3])] wrap: [bool; 3],
    ) {
        let [x, y, z] = from;
        let extent = Extent::new(Cell { x, y, z }, size).unwrap();
        let wrap = Wrap { x: wrap[0], y: wrap[1], z: wrap[2] && lattice.is_solid() };
        let layout = match Layout::new(lattice, extent, wrap) {
            Err(ExtentError::OddWrap { .. }) => return,
            layout => layout.unwrap(),
        };
        let classes = classes(layout);
        for boxes in &classes {
            let mut owner = vec![usize::MAX; extent.cells()];
            for (number, one) in boxes.iter().enumerate() {
                for cell in one.iter() {
                    let index = extent.index(cell).expect("inside");
                    assert_eq!(owner[index], usize::MAX);
                    owner[index] = number;
                }
            }
            for cell in extent.iter() {
                let here = owner[extent.index(cell).unwrap()];
                for &side in lattice.sides() {
                    let Some(beyond) = layout.neighbour(cell, side) else { continue };
                    let there = owner[extent.index(beyond).unwrap()];
                    assert!(here == there || here == usize::MAX || there == usize::MAX);
                }
            }
        }
        let covered = |cell: Cell| classes.iter().flatten().any(|one| one.contains(cell));
        assert!(extent.iter().all(covered));
    }
}
