//! What came of a recipe.

use super::expect::Unmet;
use crate::finding::Finding;
use crate::lattice::Cell;
use crate::map::Tilemap;
use crate::passes::{PassReport, Placing, Routed, StandIn};
use crate::solve::{Outcome, RunError, Tally};
use std::error::Error;
use std::sync::Arc;
use thiserror::Error;

/// A map that a recipe made, finished or not.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Made {
    /// The map.
    pub map: Tilemap,
    /// What each pass did.
    pub passes: Vec<PassReport>,
    /// How each fill ended.
    pub fills: Vec<FillReport>,
    /// Expectations that the finished map does not meet.
    pub unmet: Vec<Unmet>,
}

/// How a fill of a recipe ended.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct FillReport {
    /// The name of its pass.
    pub pass: String,
    /// How it ended.
    pub outcome: Outcome,
    /// What it did.
    pub tally: Tally,
    /// Cells or blocks that took part.
    pub cells: u64,
    /// Cells left as holes.
    pub holes: Vec<Cell>,
}

/// Why no map was made.
#[derive(Clone, Debug, Error)]
#[non_exhaustive]
pub enum MakeError {
    /// A fill cannot begin.
    #[error("the pass `{pass}` cannot begin")]
    Begin {
        /// The pass.
        pass: String,
        /// Why.
        #[source]
        error: RunError,
    },
    /// A pass cannot be done.
    #[error("the pass `{pass}` cannot be done")]
    Step {
        /// The pass.
        pass: String,
        /// Why.
        #[source]
        error: Arc<dyn Error + Send + Sync>,
    },
    /// A fill ended without filling every cell.
    #[error("the pass `{pass}` did not get filled: {}", outcome.why())]
    Unfilled {
        /// The pass.
        pass: String,
        /// How it ended.
        outcome: Box<Outcome>,
    },
    /// It was asked to stop.
    #[error("stopped in the pass `{pass}`")]
    Stopped {
        /// The pass.
        pass: String,
    },
    /// Fewer things stand than are demanded.
    #[error("{}", texts(findings))]
    TooFew {
        /// One for each pass that placed too few.
        findings: Vec<Finding>,
    },
    /// The map is not what its recipe expects: ways or expectations fail, and whatever else is short.
    #[error("{}", texts(findings))]
    Unmet {
        /// One for each thing that fails.
        findings: Vec<Finding>,
    },
    /// A strict set of shapes misses some.
    #[error("the map needs {} shapes that no tile has, and their set is strict", missing.len())]
    MissingShapes {
        /// The shapes.
        missing: Vec<StandIn>,
    },
}

impl MakeError {
    /// The pass that it is about, when it is about one.
    pub fn pass(&self) -> Option<&str> {
        match self {
            Self::Begin { pass, .. }
            | Self::Step { pass, .. }
            | Self::Unfilled { pass, .. }
            | Self::Stopped { pass } => Some(pass),
            Self::TooFew { .. } | Self::Unmet { .. } | Self::MissingShapes { .. } => None,
        }
    }

    /// What it says, and what its causes say.
    pub fn with_causes(&self) -> String {
        let mut text = self.to_string();
        let mut cause = self.source();
        while let Some(error) = cause {
            text.push_str(&format!(": {error}"));
            cause = error.source();
        }
        text
    }
}

fn texts(findings: &[Finding]) -> String {
    let texts: Vec<&str> = findings.iter().map(|finding| finding.message.as_str()).collect();
    texts.join("\n")
}

impl Made {
    /// Shapes that were missing, and what stands in their place.
    pub fn stand_ins(&self) -> impl Iterator<Item = &StandIn> {
        self.passes.iter().flat_map(|pass| &pass.stand_ins)
    }

    /// Passes that placed fewer things than their quilt demands, or wishes.
    pub fn short(&self) -> impl Iterator<Item = &Placing> {
        self.passes.iter().filter_map(|pass| pass.placing.as_ref()).filter(|one| one.is_short())
    }

    /// Passes that lead ways, and found some that are missing.
    pub fn unreached(&self) -> impl Iterator<Item = &Routed> {
        let routed = self.passes.iter().filter_map(|pass| pass.routed.as_ref());
        routed.filter(|routed| !routed.missed.is_empty())
    }

    /// Whether the map is what its recipe demands, as far as it was followed.
    ///
    /// # Errors
    /// When a strict set misses a shape, too few things stand, a target is not reached, or an expectation
    /// is not met.
    pub fn check(&self) -> Result<(), MakeError> {
        let missing: Vec<StandIn> = self.stand_ins().filter(|one| one.strict).cloned().collect();
        if !missing.is_empty() {
            return Err(MakeError::MissingShapes { missing });
        }
        let demanded = self.short().filter(|placing| !placing.wished);
        let findings: Vec<Finding> = demanded.filter_map(Placing::finding).collect();
        let unreached = self.unreached().filter(|routed| !routed.wished);
        let more: Vec<Finding> = unreached
            .filter_map(Routed::finding)
            .chain(self.unmet.iter().map(Unmet::finding))
            .collect();
        match (findings.is_empty(), more.is_empty()) {
            (true, true) => Ok(()),
            (false, true) => Err(MakeError::TooFew { findings }),
            _ => Err(MakeError::Unmet { findings: findings.into_iter().chain(more).collect() }),
        }
    }
}
