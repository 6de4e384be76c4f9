//! Who listens to a run: one trait with empty defaults.
//!
//! Progress bars, films and tests are all observers. Core itself never prints.

use crate::id::PoseId;
use crate::lattice::Cell;
use crate::limits::Climb;

/// Whether to continue.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Flow {
    /// Go on.
    Continue,
    /// End the run as stopped, with the partial map.
    Stop,
}

/// How far a run is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Progress {
    /// Cells to fill.
    pub cells: u64,
    /// Whether the empty map has reached its fixed point, so that cells are being chosen.
    pub choosing: bool,
    /// Cells that hold one pose by now; none before cells are being chosen.
    pub decided: u64,
    /// The try under way, counted from 1.
    pub attempt: u32,
    /// Steps so far, over all tries.
    pub steps: u64,
    /// Backtracks so far, over all tries.
    pub backtracks: u64,
    /// The rung of recovery it stands on, above taking back and opening again.
    pub rung: Option<Climb>,
}

/// Hears what happens in a run. Every method does nothing unless written.
pub trait Observer {
    /// A pass of a recipe begins, the first as number 0 of so many.
    fn pass(&mut self, _name: &str, _number: usize, _of: usize) {}

    /// A try begins; the first is 1.
    fn attempt(&mut self, _number: u32) {}

    /// The fill steps onto a rung of recovery above taking back and opening again.
    fn rung(&mut self, _rung: Climb) {}

    /// Called every few thousand steps.
    fn progress(&mut self, _progress: &Progress) -> Flow {
        Flow::Continue
    }

    /// A cell ran out of poses; the run will backtrack, try again or end.
    fn contradiction(&mut self, _cell: Cell) {}

    /// Whether [`decided`](Self::decided) and [`closed`](Self::closed) are wanted: one call a decision and
    /// one a cell, which cost time.
    fn wants_decisions(&self) -> bool {
        false
    }

    /// `cell` was set to `pose` by choice (not by propagation).
    fn decided(&mut self, _cell: Cell, _pose: PoseId) {}

    /// One pose is left of `cell` after so many decisions of this try, by choice or by what followed from
    /// one. A cell that is opened again closes again. Fills block by block close whole boxes, which they count
    /// like decisions.
    fn closed(&mut self, _cell: Cell, _after: u64) {}
}

/// Hears nothing.
#[derive(Clone, Copy, Debug, Default)]
pub struct Silent;

impl Observer for Silent {}
