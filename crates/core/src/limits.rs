//! What a run may use, and the stop condition handed in.
//!
//! Limits are counted, never timed: clocks and Ctrl-C belong to the caller, who hands them in as a
//! [`Stop`].

use std::cell::Cell;
use std::fmt::Debug;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use thiserror::Error;

/// What a run may use; reaching a limit ends it with the partial map, never with a crash.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// Most cells of a map. Checked before anything is allocated. Default 67 108 864 (2^26).
    pub cells: u64,
    /// Most bytes of working memory: the run, all rungs of recovery and what they learn. Reckoned before
    /// anything is allocated; learning stops where they are used up. Default 2 GiB.
    pub bytes: u64,
    /// Most steps (a decision, a backtrack, or a slice of longer work; see
    /// [`Run::advance`](crate::solve::Run::advance)). Default none.
    pub steps: Option<u64>,
}

crate::setters! {
    Limits { cells: u64, bytes: u64, steps: Option<u64>, }
}

impl Default for Limits {
    fn default() -> Self {
        Self { cells: 1 << 26, bytes: 2 << 30, steps: None }
    }
}

/// How far a fill climbs before it gives up. Each rung includes those before it.
///
/// Whatever the rung, the last resort is to begin again with other chances.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Climb {
    /// Decisions are taken back, within the window.
    Backtrack,
    /// Cells around the one that ran out are opened again, further out each time at the same place.
    Reopen,
    /// A small fill that repeats is laid over the map and varied block by block. Tried once.
    Blocks,
    /// The whole map is searched with learning from each conflict, as far as memory and a pinned
    /// number of conflicts allow. Tried once.
    #[default]
    Learn,
    /// The same with no bound but [`Limits`]: ends in a fill or in the proof that there is none.
    Proof,
}

impl Climb {
    /// Every rung, from the ground up.
    pub const ALL: [Self; 5] =
        [Self::Backtrack, Self::Reopen, Self::Blocks, Self::Learn, Self::Proof];

    /// Its name in files: `backtrack`, `reopen`, `blocks`, `learn`, `proof`.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Backtrack => "backtrack",
            Self::Reopen => "reopen",
            Self::Blocks => "blocks",
            Self::Learn => "learn",
            Self::Proof => "proof",
        }
    }

    /// The rung of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|rung| rung.name() == name)
    }
}

/// Who does work that comes in independent pieces: threads of the caller's, or nobody but the caller.
/// The result never depends on who does it.
pub trait Crew: Debug + Send + Sync {
    /// Calls `piece` once for each number below `pieces`, in any order, and returns when all are done.
    fn each(&self, pieces: usize, piece: &(dyn Fn(usize) + Sync));
}

/// Does piece after piece.
#[derive(Clone, Copy, Debug, Default)]
pub struct Alone;

impl Crew for Alone {
    fn each(&self, pieces: usize, piece: &(dyn Fn(usize) + Sync)) {
        (0..pieces).for_each(piece);
    }
}

/// Asked now and then whether to stop; the answer never changes what has been filled so far. A closure
/// is one.
///
/// ```
/// use lantern_quilt_core::prelude::*;
/// use std::cell::Cell as Count;
///
/// let rules = Rules::from_pairs(Lattice::Square, &[3, 1], |_, a, b| a == 0 || b == 0)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 300, 300)?);
/// let asked = Count::new(0);
/// let third = || asked.replace(asked.get() + 1) == 2;
/// let mut run = Job::new(&rules, space).begin()?;
/// run.fill_with(&third, &mut lantern_quilt_core::observe::Silent);
/// assert!(matches!(run.outcome(), Some(Outcome::Stopped(_))));
/// assert!(run.fill().is_filled(), "a stopped run continues");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Stop {
    /// Whether to stop now.
    fn requested(&self) -> bool;
}

/// Work was stopped half way; nothing of it was kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[error("stopped")]
pub struct Stopped;

/// Asks a [`Stop`] now and then while cells are worked through.
///
/// ```
/// use lantern_quilt_core::limits::{Never, Pace};
///
/// let pace = Pace::new(&Never);
/// assert!((0..1_000_000).all(|_| pace.cells(1).is_ok()));
/// ```
#[derive(Clone)]
pub struct Pace<'a> {
    stop: &'a dyn Stop,
    left: Cell<usize>,
}

impl Debug for Pace<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Pace").field("left", &self.left).finish_non_exhaustive()
    }
}

impl<'a> Pace<'a> {
    /// Cells between two questions.
    pub const CELLS: usize = 1 << 16;

    /// Asks `stop`.
    pub fn new(stop: &'a dyn Stop) -> Self {
        Self { stop, left: Cell::new(0) }
    }

    /// So many more cells are about to be worked through.
    ///
    /// # Errors
    /// When the caller wants to stop.
    pub fn cells(&self, count: usize) -> Result<(), Stopped> {
        match self.left.get().checked_sub(count) {
            Some(left) => self.left.set(left),
            None if self.stop.requested() => return Err(Stopped),
            None => self.left.set(Self::CELLS),
        }
        Ok(())
    }
}

impl Pace<'static> {
    /// Never stops.
    pub fn free() -> Self {
        Self::new(&Never)
    }
}

/// Never stops.
#[derive(Clone, Copy, Debug, Default)]
pub struct Never;

impl Stop for Never {
    fn requested(&self) -> bool {
        false
    }
}

impl<F: Fn() -> bool> Stop for F {
    fn requested(&self) -> bool {
        self()
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
