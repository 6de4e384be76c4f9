//! How a run ends: in an outcome, not in an error.

use super::constrain::Broken;
use crate::id::CauseId;
use crate::lattice::{Cell, Side};
use crate::rules::PoseSet;
use std::fmt;

/// What a run did, counted over all tries.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Tally {
    /// Tries begun.
    pub attempts: u32,
    /// Steps: decisions, backtracks and slices of long propagations.
    pub steps: u64,
    /// Cells set by choice.
    pub decisions: u64,
    /// Times a cell ran out of poses.
    pub contradictions: u64,
    /// Decisions taken back.
    pub backtracks: u64,
    /// Boxes of cells opened again.
    pub reopened: u64,
    /// Blocks filled over a fill that repeats.
    pub blocks: u64,
    /// Blocks that stayed as the fill that repeats has them.
    pub blocks_kept: u64,
    /// No-goods learned.
    pub learned: u64,
}

impl Tally {
    /// This without what another has counted, which will be counted again with more.
    pub(super) fn without(self, other: Self) -> Self {
        Self {
            attempts: self.attempts,
            steps: self.steps - other.steps,
            decisions: self.decisions - other.decisions,
            contradictions: self.contradictions - other.contradictions,
            backtracks: self.backtracks - other.backtracks,
            reopened: self.reopened - other.reopened,
            blocks: self.blocks - other.blocks,
            blocks_kept: self.blocks_kept - other.blocks_kept,
            learned: self.learned - other.learned,
        }
    }

    /// Both together; of tries the larger number.
    pub(super) fn and(self, other: Self) -> Self {
        Self {
            attempts: self.attempts.max(other.attempts),
            steps: self.steps + other.steps,
            decisions: self.decisions + other.decisions,
            contradictions: self.contradictions + other.contradictions,
            backtracks: self.backtracks + other.backtracks,
            reopened: self.reopened + other.reopened,
            blocks: self.blocks + other.blocks,
            blocks_kept: self.blocks_kept + other.blocks_kept,
            learned: self.learned + other.learned,
        }
    }
}

/// A cell that ran out of poses, with what stood around it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Contradiction {
    /// The cell.
    pub cell: Cell,
    /// What it could still hold before the last neighbour took that away.
    pub before: PoseSet,
    /// What each neighbour could hold, side by side; `None` where nothing lies beyond.
    pub around: Vec<(Side, Option<(Cell, PoseSet)>)>,
    /// The restriction that emptied it, when no neighbour did.
    pub cause: Option<CauseId>,
    /// The rule of the whole map that was broken, when that stopped the search and not this cell.
    pub broken: Option<Broken>,
}

/// Which limit ended a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum StopReason {
    /// The stop condition or the observer asked for it; the run can continue.
    Asked,
    /// [`Limits::steps`](crate::limits::Limits::steps).
    Steps,
    /// [`Limits::bytes`](crate::limits::Limits::bytes), which is too small for the rung that comes next.
    Bytes,
}

impl fmt::Display for StopReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Asked => "it was asked to stop",
            Self::Steps => "the limit of steps was reached",
            Self::Bytes => "the next rung needs more memory than the limit allows",
        })
    }
}

/// How a run ended.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Outcome {
    /// Every cell holds one pose and no rule is broken.
    Filled,
    /// All tries ran into a contradiction; the run shows the last one.
    Contradiction(Contradiction),
    /// No fill exists: this cell runs out whatever is chosen.
    Impossible(Contradiction),
    /// A limit was reached or a stop asked for; the run shows the partial map.
    Stopped(StopReason),
}

impl Outcome {
    /// Whether every cell is filled.
    pub const fn is_filled(&self) -> bool {
        matches!(self, Self::Filled)
    }

    /// Why it is not filled, in words; empty when it is.
    pub(crate) fn why(&self) -> String {
        match self {
            Self::Filled => String::new(),
            Self::Contradiction(at) => format!("no pose is left for {} in any try", at.cell),
            Self::Impossible(at) => format!("no pose fits {}, whatever is chosen", at.cell),
            Self::Stopped(why) => why.to_string(),
        }
    }

    /// The cell that ran out, if one did.
    pub const fn contradiction(&self) -> Option<&Contradiction> {
        match self {
            Self::Contradiction(at) | Self::Impossible(at) => Some(at),
            Self::Filled | Self::Stopped(_) => None,
        }
    }
}
