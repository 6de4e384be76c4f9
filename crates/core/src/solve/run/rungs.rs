//! What a run climbs with: the rungs, what is got ready for them, and how far it is.

use crate::solve::blocks::{Blocks, Laying};
use crate::solve::count::Counter;
use crate::solve::kernel::{Dead, Kernel};
use crate::solve::learn::{Learner, Learning};
use std::ops::{Deref, DerefMut};

/// A search of the whole map that is no try.
#[derive(Debug)]
pub(super) enum Rung {
    Blocks(Box<Blocks>),
    Learn(Box<Learner>),
}

impl Deref for Rung {
    type Target = dyn Kernel;

    fn deref(&self) -> &Self::Target {
        match self {
            Self::Blocks(blocks) => &**blocks,
            Self::Learn(learner) => &**learner,
        }
    }
}

impl DerefMut for Rung {
    fn deref_mut(&mut self) -> &mut Self::Target {
        match self {
            Self::Blocks(blocks) => &mut **blocks,
            Self::Learn(learner) => &mut **learner,
        }
    }
}

/// What a run got ready before it continues.
#[derive(Debug)]
pub(super) enum Prepares {
    /// Fills are counted, up to so much work.
    Count(u64),
    Lay(Box<Laying>),
    Learn(Box<Learning>),
}

/// How far a run is up the ladder.
#[derive(Debug, Default)]
pub(super) struct Ladder {
    /// What is being got ready.
    pub(super) prepares: Option<Prepares>,
    /// Where tries did not get any further.
    pub(super) stuck: Option<Dead>,
    /// Fills counted so far, unless that was given up, and up to how much work.
    pub(super) counter: Option<Box<Counter>>,
    pub(super) counted: u64,
    /// The search that learns, while it is paused, and turns taken.
    pub(super) learner: Option<Box<Learner>>,
    pub(super) turn: usize,
}
