//! How many cells hold one of some poses.

use super::ground::Ground;
use super::seen::Seen;
use super::{Bounds, Constraint, Verdict};
use crate::limits::Climb;
use crate::rules::PoseSet;
use std::fmt;

/// So many cells hold one of these, and not more than so many.
#[derive(Clone, Debug)]
pub(crate) struct Counts {
    poses: [PoseSet; 1],
    least: u64,
    most: Option<u64>,
    /// How many stand already where this space does not reach.
    elsewhere: u64,
}

impl Counts {
    pub(crate) fn new(poses: PoseSet, least: u64, most: Option<u64>) -> Self {
        Self { poses: [poses], least, most, elsewhere: 0 }
    }

    /// The same where so many stand already outside of the space.
    pub(crate) fn beside(mut self, elsewhere: u64) -> Self {
        self.elsewhere = elsewhere;
        self
    }
}

impl fmt::Display for Counts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.least, self.most) {
            (least, Some(most)) if least == most => write!(f, "exactly {least}"),
            (0, Some(most)) => write!(f, "at most {most}"),
            (least, Some(most)) => write!(f, "{least} to {most}"),
            (least, None) => write!(f, "at least {least}"),
        }
    }
}

impl Constraint for Counts {
    fn watched(&self) -> &[PoseSet] {
        &self.poses
    }

    fn judge(&self, seen: &[Seen]) -> Verdict {
        let [must, can] = self.found(seen);
        match self.most {
            _ if can < self.least => Verdict::Broken,
            Some(most) if must > most => Verdict::Broken,
            _ if can == must => Verdict::Holds,
            Some(most) if must == most => Verdict::MustNot(0),
            _ if can == self.least => Verdict::Must(0),
            _ => Verdict::Holds,
        }
    }

    fn wants(&self, seen: &[Seen]) -> Option<usize> {
        (self.found(seen)[0] < self.least).then_some(0)
    }

    fn holds(&self, seen: &[Seen], _: &dyn Ground) -> bool {
        let [must, can] = self.found(seen);
        must == can && must >= self.least && self.most.is_none_or(|most| must <= most)
    }

    fn found(&self, seen: &[Seen]) -> [u64; 2] {
        [seen[0].must() + self.elsewhere, seen[0].can() + self.elsewhere]
    }

    fn kept_by(&self, rung: Climb, _: usize) -> bool {
        rung != Climb::Blocks
    }

    fn tallies(&self) -> Vec<Bounds> {
        let too_many = self.most.is_some_and(|most| most < self.elsewhere);
        let least = if too_many { u64::MAX } else { self.least.saturating_sub(self.elsewhere) };
        let most = self.most.map(|most| most.saturating_sub(self.elsewhere));
        vec![Bounds { set: 0, least, most }]
    }
}
