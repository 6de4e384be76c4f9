//! What a search does next, unit by unit.

use crate::id::CauseId;
use crate::solve::kernel::Pause;

/// What a search does next.
#[derive(Clone, Copy, Debug)]
pub(super) enum Phase {
    /// A part of the beginning, from this cell or number on.
    Begin(Stage, usize),
    /// All cells tell once what they hold, from this number on, so that the empty map reaches a fixed
    /// point; those up to the second number before anything is propagated.
    Scan(usize, usize),
    /// Telling the rules of the whole map what cells hold, from this number on.
    Watch(usize),
    /// A cell is to be chosen.
    Choose,
    /// This cell is to hold this pose.
    Region(u32, u32),
    /// Changes are to be propagated.
    Spread,
    /// A cell ran out.
    Mend(u32),
    /// This pose is to be taken from this cell.
    Remove(u32, u32),
    /// Cells around this one are to be opened again, those from this number of them on.
    Reopen(u32, usize),
    /// It has ended.
    Ended(Pause),
}

/// What is done before the first propagation and after it, in this order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Stage {
    /// Weights of cells that have their own.
    Weigh,
    /// Every cell holds everything.
    Open,
    /// Cells outside the outline take no part.
    Outline,
    /// This restriction is put upon the cells it covers.
    Restrict(CauseId),
    /// The most common domain is looked for, when one holds the majority of cells.
    Common,
    /// Cells are put into a fixed order.
    Order,
    /// Open cells enter the queue.
    Enter,
}
