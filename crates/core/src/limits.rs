//! What a run may use, and the stop condition handed in.
//!
//! Limits are counted, never timed: clocks and Ctrl-C belong to the caller, who hands them in as a
//! [`Stop`].

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// What a run may use; reaching a limit ends it with the partial map, never with a crash.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// Most cells of a map. Checked before anything is allocated. Default 67 108 864 (2^26).
    pub cells: u64,
    /// Most bytes of working memory, reckoned before anything is allocated. Default 2 GiB.
    pub bytes: u64,
    /// Most steps (a decision, a backtrack, or a slice of the first propagation). Default none.
    pub steps: Option<u64>,
}

impl Default for Limits {
    fn default() -> Self {
        Self { cells: 1 << 26, bytes: 2 << 30, steps: None }
    }
}

/// Asked now and then whether to stop; the answer never changes what has been filled so far.
pub trait Stop {
    /// Whether to stop now.
    fn requested(&self) -> bool;
}

/// Never stops.
#[derive(Clone, Copy, Debug, Default)]
pub struct Never;

impl Stop for Never {
    fn requested(&self) -> bool {
        false
    }
}

impl Stop for AtomicBool {
    fn requested(&self) -> bool {
        self.load(Ordering::Relaxed)
    }
}

impl<T: Stop + ?Sized> Stop for Arc<T> {
    fn requested(&self) -> bool {
        (**self).requested()
    }
}
