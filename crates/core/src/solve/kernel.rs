//! What a run drives: a search over some engine, behind one interface.

use super::constrain::Broken;
use super::outcome::Tally;
use super::propagate::TablesFull;
use super::settings::Search;
use super::space::Space;
use crate::id::CauseId;
use crate::lattice::{Cell, Layout};
use crate::observe::Observer;
use crate::rules::Rules;
use crate::seed::Stream;
use std::borrow::Cow;
use std::fmt::Debug;

/// Why a kernel paused.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Pause {
    /// The steps are used up.
    Working,
    /// All cells are decided.
    Filled,
    /// This cell ran out and nothing is left to take back within the window.
    Failed(Dead),
    /// This cell runs out whatever is chosen.
    Impossible(Dead),
}

/// A cell that ran out, and what did it when no neighbour did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Dead {
    pub(super) cell: Cell,
    /// A restriction.
    pub(super) cause: Option<CauseId>,
    /// A rule of the whole map, which any cell would break.
    pub(super) broken: Option<Broken>,
}

impl Dead {
    /// Run out by its neighbours.
    pub(super) const fn at(cell: Cell) -> Self {
        Self { cell, cause: None, broken: None }
    }
}

/// A search under way; what [`Run`](super::Run) drives.
pub(super) trait Kernel: Debug + Send + Sync {
    /// Works for up to `steps` units and counts them down.
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull>;
    /// The bits of a cell that takes part.
    fn words(&self, cell: Cell) -> Cow<'_, [u64]>;
    /// The cell decided last.
    fn newest(&self) -> Option<Cell>;
    /// Open cells.
    fn open(&self) -> usize;
    /// Whether the first propagation is done.
    fn choosing(&self) -> bool;
    /// Counts since it began.
    fn tally(&self) -> Tally;
    /// How many changes of cells there have been that were not taken back.
    fn changes(&self) -> usize {
        0
    }
    /// The cells of all changes but the first so many, when they are still known.
    fn changed_since(&self, _changes: usize) -> Option<Vec<Cell>> {
        None
    }
}

/// A search over some engine that can be begun again and again.
pub(super) trait Tries: Kernel {
    /// Starts a try. On an error nothing has begun.
    fn begin(&mut self, space: &Space, search: Search, stream: Stream) -> Result<(), TablesFull>;
    /// The same search, in the same state, over bits; this one is spent.
    fn widened(&mut self) -> Box<dyn Tries>;
    /// Cells that restrictions alone left nothing, which are holes from the start, so far as they are
    /// known before the first propagation; none where no holes are left.
    fn born_dead(&self) -> &[Cell] {
        &[]
    }
    /// Leaves a cell that ran out as a hole and continues.
    fn punch(&mut self, cell: Cell);
    /// Whether it was made for these rules and fills such a space in such a way.
    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool;
    /// Whether indices are to be checked from now on, where that makes a difference.
    fn check_indices(&mut self, _checked: bool) {}
    /// Moves to another layout, keeping tables.
    fn relayout(&mut self, layout: Layout);
}
