//! Many decisions of an engine in its own way: how far it may go, and where it came to a stop.

/// Where a sprint came to a stop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Halt {
    /// All decisions that were asked for are made.
    Spent,
    /// Before a choice.
    Choose,
    /// Before the change at the head, so many into the decision's own.
    Spread(usize),
}

/// What a sprint did.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Sprint {
    pub(crate) halt: Halt,
    /// Decisions made, the one under way included.
    pub(crate) decisions: u64,
    /// Open cells after the newest decision that is done with; `usize::MAX` when none is.
    pub(crate) open: usize,
    /// Whether old decisions were committed.
    pub(crate) committed: bool,
}

/// What bounds a sprint.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Course<'a> {
    /// Decisions to make.
    pub(crate) decisions: u64,
    /// The undo window.
    pub(crate) window: usize,
    /// Changes that one decision may make before it counts as more than one step.
    pub(crate) unit: usize,
    /// Whether all indices are checked.
    pub(crate) checked: bool,
    /// The weight of each pose to pick by, where it is not that of the rules. All changes are then kept until the
    /// sprint is over, because they are counted after it.
    pub(crate) leaned: Option<&'a [u64]>,
}
