//! Why a quilt's map cannot be filled, by its own lines.

use super::checked::Quilt;
use super::said::Said;
use lantern_quilt_core::constraints::Source;
use lantern_quilt_core::limits::{Climb, Limits, Stop};
use lantern_quilt_core::solve::{Cause, Outcome, Run, smallest_cause};
use std::fmt;

/// Most cells of a map for which a small cause is looked for unless a proof was asked for.
const MOST_CELLS: usize = 4096;

/// What is to blame when no fill exists. Shown, it says so and what to do.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Blame {
    /// The tiles alone.
    Tiles,
    /// What the quilt says at these places, together.
    Said(Vec<Said>),
}

impl Quilt {
    /// What is to blame for a fill of this quilt that was shown to be impossible, looked for on small maps
    /// and where the last rung was a proof; `None` otherwise, when nothing was found within `limits`, or
    /// `stop` asked to stop.
    ///
    /// Takes as many proofs as the quilt says things that the fill must keep, each of bounded work.
    pub fn blame(
        &self,
        run: &Run,
        climb: Climb,
        limits: &Limits,
        stop: &dyn Stop,
    ) -> Option<Blame> {
        let sources = Self::cause(run, climb, limits, stop)?;
        if sources.is_empty() {
            return Some(Blame::Tiles);
        }
        Some(Blame::Said(sources.into_iter().filter_map(|source| self.said(source)).collect()))
    }

    /// The same as where things were said; none of them when the tiles alone are to blame.
    pub(super) fn cause(
        run: &Run,
        climb: Climb,
        limits: &Limits,
        stop: &dyn Stop,
    ) -> Option<Vec<Source>> {
        let small = run.space().layout().extent().cells() <= MOST_CELLS;
        let impossible = matches!(run.outcome(), Some(Outcome::Impossible(_)));
        if !impossible || !(climb == Climb::Proof || small) {
            return None;
        }
        match smallest_cause(run.rules(), run.space(), limits, stop)? {
            Cause::Said { restrictions, rules } => {
                let space = run.space();
                let restricted =
                    restrictions.iter().map(|&cause| space.restrictions()[cause].source);
                let demanded = rules.iter().map(|&rule| space.demand(rule).0);
                Some(restricted.chain(demanded).collect())
            }
            _ => Some(Vec::new()),
        }
    }
}

impl fmt::Display for Blame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Tiles => f.write_str(
                "no border, pin, limit or count is to blame: these tiles never fill a map of this shape; \
                 draw another or change its size",
            ),
            Self::Said(said) => {
                f.write_str("these together leave no fill; let one of them accept more:")?;
                said.iter().try_for_each(|one| write!(f, "\n  {one}"))
            }
        }
    }
}
