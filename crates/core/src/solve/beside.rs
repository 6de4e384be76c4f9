//! What cells may hold beside others that stay as they are.

use super::space::Space;
use crate::id::PoseId;
use crate::lattice::{Cell, Extent, Side};
use crate::rules::{PoseSet, Rules};
use std::collections::BTreeMap;

/// What open cells may hold beside those that stay, which `fill` knows: cells by the words of what is
/// left to them. O(cells).
pub(crate) fn beside(
    rules: &Rules,
    space: &Space,
    cells: impl IntoIterator<Item = Cell>,
    is_open: &dyn Fn(Cell) -> bool,
    fill: &dyn Fn(Cell) -> Option<PoseId>,
) -> BTreeMap<Vec<u64>, Vec<Cell>> {
    let opposite = |side: Side| rules.lattice().side_index(side.opposite()).expect("in pairs");
    let sides: Vec<(Side, usize)> =
        rules.lattice().sides().iter().map(|&side| (side, opposite(side))).collect();
    let all = PoseSet::full(rules.poses().len());
    let mut left = all.clone();
    let mut found: BTreeMap<Vec<u64>, Vec<Cell>> = BTreeMap::new();
    for cell in cells {
        let mut narrowed = false;
        for &(side, back) in &sides {
            let Some(beyond) = space.neighbour(cell, side) else { continue };
            if is_open(beyond) {
                continue;
            }
            let Some(pose) = fill(beyond) else { continue };
            if !narrowed {
                left.unite(&all);
                narrowed = true;
            }
            left.intersect(rules.support(back, pose));
        }
        if !narrowed {
            continue;
        }
        match found.get_mut(left.words()) {
            Some(cells) => cells.push(cell),
            None => {
                found.insert(left.words().to_vec(), vec![cell]);
            }
        }
    }
    found
}

/// The cells of a box that have a side at its edge, row by row.
pub(super) fn frame(box_of: Extent, solid: bool) -> Vec<Cell> {
    let (Cell { x, y, z }, [width, height, depth]) = (box_of.origin(), box_of.size());
    let (right, bottom, top) = (width as i32 - 1, height as i32 - 1, depth as i32 - 1);
    let mut cells = Vec::new();
    for up in 0..=top {
        for down in 0..=bottom {
            let whole = down == 0 || down == bottom || solid && (up == 0 || up == top);
            let step = if whole { 1 } else { right.max(1) };
            cells.extend((0..=right).step_by(step as usize).map(|across| Cell {
                x: x + across,
                y: y + down,
                z: z + up,
            }));
        }
    }
    cells
}
