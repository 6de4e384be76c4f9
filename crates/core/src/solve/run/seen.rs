//! What somebody saw of a run who looks at it again.

use crate::solve::outcome::Tally;

/// What was seen last.
#[derive(Debug)]
pub(super) struct Seen {
    /// For each cell of the extent its pose and one, or 0.
    pub(super) poses: Vec<u32>,
    /// How many changes there had been, once cells were being chosen.
    pub(super) changes: Option<usize>,
    pub(super) tally: Tally,
    pub(super) holes: usize,
}
