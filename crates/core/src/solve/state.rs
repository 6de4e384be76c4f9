//! What the engines work on: cells, the changes not yet propagated, and the rim around them.

use super::padded::Padded;
use super::undo::Trail;

/// Cells with their changes.
#[derive(Debug)]
pub(super) struct State<D, const S: usize> {
    pub(super) padded: Padded<S>,
    /// What each cell holds, rim included.
    pub(super) cells: Vec<D>,
    pub(super) trail: Trail<D>,
    /// The next change to propagate, as a position in the trail.
    pub(super) head: usize,
    /// Cells with more than one pose.
    pub(super) open: usize,
}

/// How far propagation came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Wave {
    /// A fixed point is reached.
    Done,
    /// The budget is used up.
    More,
    /// This cell ran out of poses.
    Dead(u32),
}

impl<D: Copy + PartialEq, const S: usize> State<D, S> {
    /// Puts `dom`, which is less than what it held, into a cell.
    #[inline]
    pub(super) fn change(&mut self, at: u32, dom: D, decided: bool, from: u8) {
        self.trail.push(at, self.cells[at as usize], from);
        self.open -= usize::from(decided);
        self.cells[at as usize] = dom;
    }
}
