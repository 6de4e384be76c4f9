//! The fixed global grid: blocks, then the seams between them, then where seams cross.
//!
//! Along each axis a cell whose coordinate is a multiple of [`SIDE`] lies on a line. Blocks lie
//! between lines; a seam is what lies within [`SEAM`] of a line. Every choice of block or seam for
//! each axis is a *class* of boxes; two boxes of one class never touch, so they can be filled in any
//! order or at once. Classes follow each other, those with fewer seams first.

use crate::lattice::{Cell, Extent, Layout};

/// Cells from one line to the next.
pub(super) const SIDE: i32 = 64;
/// How far a seam reaches on both sides of its line.
pub(super) const SEAM: i32 = 5;

/// The boxes of each class.
pub(super) fn classes(layout: Layout) -> Vec<Vec<Extent>> {
    let extent = layout.extent();
    let (origin, size) = (extent.origin(), extent.size());
    let axes = if layout.lattice().is_solid() { 3 } else { 2 };
    let from = [origin.x, origin.y, origin.z];
    let ranges = |axis: usize, seams: bool| -> Vec<(i32, u32)> {
        if axis >= axes {
            return vec![(from[axis], size[axis])];
        }
        along(from[axis], size[axis], seams)
    };
    let mut choices: Vec<u32> = (0..1 << axes).collect();
    choices.sort_by_key(|choice| choice.count_ones());
    choices
        .into_iter()
        .map(|choice| {
            let [across, down, up]: [Vec<(i32, u32)>; 3] =
                std::array::from_fn(|axis| ranges(axis, choice >> axis & 1 == 1));
            let mut boxes = Vec::with_capacity(across.len() * down.len() * up.len());
            for &(z, depth) in &up {
                for &(y, height) in &down {
                    boxes.extend(across.iter().filter_map(|&(x, width)| {
                        Extent::new(Cell { x, y, z }, [width, height, depth]).ok()
                    }));
                }
            }
            boxes
        })
        .collect()
}

/// The stretches of an axis between lines, or around them.
fn along(from: i32, length: u32, seams: bool) -> Vec<(i32, u32)> {
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
    use crate::lattice::{Lattice, Wrap};
    use rstest::rstest;

    #[rstest]
    #[case(Lattice::Square, [0, 0, 0], [200, 130, 1])]
    #[case(Lattice::HexFlat, [-70, 3, 0], [64, 1, 1])]
    #[case(Lattice::Box, [-3, 60, 5], [70, 10, 66])]
    fn boxes_of_a_class_never_touch_and_all_cells_are_covered(
        #[case] lattice: Lattice,
        #[case] from: [i32; 3],
        #[case] size: [u32; 3],
    ) {
        let [x, y, z] = from;
        let extent = Extent::new(Cell { x, y, z }, size).unwrap();
        let layout = Layout::new(lattice, extent, Wrap::NONE).unwrap();
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
