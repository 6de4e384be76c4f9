//! What a run does where tries do not get any further: one rung after the other.

use super::{Job, Outcome, Run, StopReason, single};
use crate::limits::Climb;
use crate::observe::Observer;
use crate::solve::blocks::Blocks;
use crate::solve::count::{CountError, count};
use crate::solve::kernel::Dead;
use crate::solve::learn::{self, Learner};

/// Bytes that the rung that learns may take for what it knows from the start.
const LEARN_BYTES: u64 = 1 << 30;
/// Conflicts it learns from, unless a proof is wanted.
const LEARN_CONFLICTS: u64 = 100_000;

/// Work and bytes of counting fills before a proof is searched for.
const COUNT_STEPS: u64 = 5_000_000;
const COUNT_BYTES: u64 = 1 << 28;

impl Run {
    /// What comes after a cell ran out for which this rung finds nothing, or `proved` that there is
    /// nothing.
    pub(super) fn give_up(&mut self, dead: Dead, proved: bool, observer: &mut dyn Observer) {
        self.leave_rung();
        let counted = if proved { Ok(true) } else { self.counts_none() };
        let climbs = counted.and_then(|proved| Ok((proved, !proved && self.climb(dead)?)));
        let Ok((proved, climbs)) = climbs else {
            self.outcome = Some(Outcome::Stopped(StopReason::Bytes));
            return;
        };
        let search = self.job.search;
        // A rule of the whole map is not mended by a hole.
        let whole = dead.cause.is_none() && dead.broken.is_none();
        if climbs {
            observer.rung(self.climbed);
        } else if search.holes && whole {
            if !self.kernel.choosing() {
                // There is no whole fill, so no rung that searches for one is worth it.
                self.climbed = Climb::Proof;
            }
            self.holes.push(dead.cell);
            self.kernel.punch(dead.cell);
        } else if proved {
            self.outcome = Some(Outcome::Impossible(self.contradiction(dead)));
        } else if self.attempt < search.attempts.max(1) {
            self.next_attempt(observer);
        } else {
            self.outcome = Some(Outcome::Contradiction(self.contradiction(dead)));
        }
    }

    /// Goes back to the state of the try before the rung.
    fn leave_rung(&mut self) {
        if let Some(rung) = self.rung.take() {
            self.past = self.past.and(rung.tally());
        }
    }

    /// Whether a proof is wanted and counting, which is quick in narrow spaces, shows that there is no
    /// fill. Asked once.
    fn counts_none(&self) -> Result<bool, TooLittle> {
        let Job { rules, space, search, limits, .. } = &self.job;
        if search.climb != Climb::Proof || self.climbed > Climb::Reopen {
            return Ok(false);
        }
        let mut narrow = *limits;
        (narrow.steps, narrow.bytes) = (Some(COUNT_STEPS), limits.bytes.min(COUNT_BYTES));
        match count(rules, space, &narrow) {
            Ok(fills) => Ok(fills == 0),
            Err(CountError::TooWide) if limits.bytes < COUNT_BYTES => Err(TooLittle),
            Err(_) => Ok(false),
        }
    }

    /// Goes on block by block over a fill that repeats; whether there is one.
    pub(super) fn lay_blocks(&mut self) -> bool {
        self.climbed = Climb::Blocks;
        if !self.keeps_all(Climb::Blocks) {
            return false;
        }
        let Job { rules, space, search, seed, name, crew, .. } = &self.job;
        let blocks = Blocks::new(rules, space, *search, seed, name, crew.clone());
        let Some(blocks) = blocks else { return false };
        self.rung = Some(Box::new(blocks));
        true
    }

    /// Whether a rung keeps all rules of the whole map; one that does not is left out, which is noted.
    fn keeps_all(&mut self, rung: Climb) -> bool {
        let mut constraints = self.job.space.constraints().iter();
        let keeps = constraints.all(|kept| kept.rule.kept_by(rung));
        if !keeps && !self.left_out.contains(&rung) {
            self.left_out.push(rung);
        }
        keeps
    }

    /// Steps onto the next rung, each of which is tried once; whether there was one. Which there are
    /// depends on rules and space alone: a limit that is too small for one ends the run.
    fn climb(&mut self, dead: Dead) -> Result<bool, TooLittle> {
        let wanted = self.job.search.climb;
        if self.climbed < Climb::Blocks && wanted >= Climb::Blocks && self.lay_blocks() {
            return Ok(true);
        }
        if self.climbed >= Climb::Learn || wanted < Climb::Learn {
            return Ok(false);
        }
        self.climbed = Climb::Learn;
        let keeps_all = self.keeps_all(Climb::Learn);
        let Job { rules, space, search, seed, name, limits, .. } = &self.job;
        let bytes = learn::most_bytes(rules, space);
        if !keeps_all || bytes > LEARN_BYTES {
            return Ok(false);
        }
        if bytes > limits.bytes {
            return Err(TooLittle);
        }
        let budget = if search.climb == Climb::Proof { u64::MAX } else { LEARN_CONFLICTS };
        let stream = seed.stream(&[name, "learn"]);
        self.rung = Some(Box::new(Learner::new(rules, space, budget, dead, stream, |cell| {
            single(self.kernel.words(cell))
        })));
        Ok(true)
    }
}

/// The limit of bytes is too small for what comes next.
struct TooLittle;
