//! Brute force over small spaces: the ground truth for the solver.

use lantern_quilt_core::id::PoseId;
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::rules::{PoseSet, Rules};
use lantern_quilt_core::solve::Space;

/// Whether any fill of `space` exists, by trying everything cell by cell.
///
/// Gives up with `None` after `budget` placements.
pub fn exists(rules: &Rules, space: &Space, budget: u64) -> Option<bool> {
    Some(Walk::new(rules, space, budget).count(1)? > 0)
}

/// How many fills of `space` exist, by trying everything cell by cell.
///
/// Gives up with `None` after `budget` placements.
pub fn count(rules: &Rules, space: &Space, budget: u64) -> Option<u128> {
    Walk::new(rules, space, budget).count(u128::MAX)
}

struct Walk<'a> {
    rules: &'a Rules,
    space: &'a Space,
    cells: Vec<Cell>,
    fill: Vec<(Cell, PoseId)>,
    left: u64,
}

impl<'a> Walk<'a> {
    fn new(rules: &'a Rules, space: &'a Space, budget: u64) -> Self {
        let cells = space.layout().extent().iter().filter(|&c| space.contains(c)).collect();
        Self { rules, space, cells, fill: Vec::new(), left: budget }
    }

    /// Fills that begin with what is placed, at most so many.
    fn count(&mut self, most: u128) -> Option<u128> {
        let Some(&cell) = self.cells.get(self.fill.len()) else { return Some(1) };
        let mut all = 0;
        for pose in self.rules.poses().ids() {
            self.left = self.left.checked_sub(1)?;
            if self.space.cause(cell, pose).is_some() {
                continue;
            }
            self.fill.push((cell, pose));
            if fits(self.rules, self.space, &self.fill) {
                all += self.count(most - all)?;
            }
            self.fill.pop();
            if all >= most {
                break;
            }
        }
        Some(all)
    }
}

/// Whether the newest placement fits all earlier ones (and itself, where a map wraps that far).
fn fits(rules: &Rules, space: &Space, fill: &[(Cell, PoseId)]) -> bool {
    let &(cell, pose) = fill.last().expect("just pushed");
    let sides = rules.lattice().sides();
    fill.iter().all(|&(other, there)| {
        sides.iter().enumerate().all(|(number, &side)| {
            let out = space.neighbour(cell, side) != Some(other)
                || rules.support(number, pose).contains(there);
            let back = space.neighbour(other, side) != Some(cell)
                || rules.support(number, there).contains(pose);
            out && back
        })
    })
}

/// The greatest set of poses of each cell, within `start`, in which every pose has a partner in
/// every neighbour; `None` when a cell runs out. The plainest arc consistency there is.
pub fn fixed_point(rules: &Rules, space: &Space, mut start: Vec<PoseSet>) -> Option<Vec<PoseSet>> {
    let extent = space.layout().extent();
    let sides = rules.lattice().sides();
    loop {
        let mut changed = false;
        for (index, cell) in extent.iter().enumerate().filter(|&(_, cell)| space.contains(cell)) {
            for pose in start[index].clone().iter() {
                let held = sides.iter().enumerate().all(|(number, &side)| {
                    space.neighbour(cell, side).is_none_or(|beyond| {
                        let there = &start[extent.index(beyond).expect("neighbours lie inside")];
                        there.iter().any(|other| rules.support(number, pose).contains(other))
                    })
                });
                if !held {
                    start[index].remove(pose);
                    changed = true;
                }
            }
            if start[index].is_empty() {
                return None;
            }
        }
        if !changed {
            return Some(start);
        }
    }
}

/// The first pair of neighbours that a finished run leaves against the rules, or the first cell that
/// is not decided or holds what it may not; holes aside.
pub fn broken(run: &lantern_quilt_core::solve::Run) -> Option<Cell> {
    let (rules, space) = (run.rules(), run.space());
    let sides = rules.lattice().sides();
    let is_hole = |cell: Cell| run.holes().contains(&cell);
    space.layout().extent().iter().filter(|&c| space.contains(c) && !is_hole(c)).find(|&cell| {
        let Some(pose) = run.decided(cell) else { return true };
        let breaks = |(number, &side)| {
            let beyond = space.neighbour(cell, side).filter(|&beyond| !is_hole(beyond));
            beyond
                .and_then(|beyond| run.decided(beyond))
                .is_some_and(|there| !rules.support(number, pose).contains(there))
        };
        space.cause(cell, pose).is_some() || sides.iter().enumerate().any(breaks)
    })
}
