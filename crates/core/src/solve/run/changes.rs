//! What changed since somebody last looked.

use super::Run;
use super::seen::Seen;
use crate::id::{Id, PoseId};
use crate::lattice::Cell;
use crate::solve::outcome::Tally;

/// A cell that was decided, or that is open again.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Change {
    /// The cell.
    pub cell: Cell,
    /// Its pose; `None` when it was taken back, or became a hole.
    pub pose: Option<PoseId>,
}

impl Run {
    /// The cells that were decided, decided otherwise or taken back since it was last asked, in cell order; at
    /// first all that are decided. Takes four bytes a cell from the first call on.
    ///
    /// O(changes) as long as nothing was taken back and the changes are still in the undo window, else
    /// O(cells). The map does not change by being looked at.
    ///
    /// ```
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
    /// let mut run = Job::new(&rules, Space::new(Layout::flat(Lattice::Square, 8, 8)?)).begin()?;
    /// let mut drawn = 0;
    /// while run.advance(1) == Status::Working {
    ///     drawn += run.drain_changes().len();
    /// }
    /// assert_eq!(drawn + run.drain_changes().len(), 64);
    /// assert!(run.drain_changes().is_empty());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn drain_changes(&mut self) -> Vec<Change> {
        let extent = self.job.space.layout().extent();
        let seen = self.seen.take();
        let tally = self.tally();
        let since = seen.as_ref().filter(|seen| {
            let only_decided =
                Tally { steps: tally.steps, decisions: tally.decisions, ..seen.tally };
            self.rung.is_none() && only_decided == tally && seen.holes == self.holes.len()
        });
        let since = since.and_then(|seen| self.kernel.changed_since(seen.changes?));
        let changed = self.kernel.choosing().then(|| self.kernel.changes());
        let mut poses = seen.map_or_else(|| vec![0; extent.cells()], |seen| seen.poses);
        let cells: Box<dyn Iterator<Item = Cell>> = match since {
            Some(mut cells) => {
                cells.sort_unstable_by_key(|&cell| extent.index(cell));
                cells.dedup();
                Box::new(cells.into_iter())
            }
            None => Box::new(extent.iter()),
        };
        let mut changes = Vec::new();
        for cell in cells {
            let pose = self.decided(cell);
            let now = pose.map_or(0, |pose| pose.index() as u32 + 1);
            let Some(index) = extent.index(cell).filter(|&index| poses[index] != now) else {
                continue;
            };
            poses[index] = now;
            changes.push(Change { cell, pose });
        }
        self.seen = Some(Seen { poses, changes: changed, tally, holes: self.holes.len() });
        changes
    }
}
