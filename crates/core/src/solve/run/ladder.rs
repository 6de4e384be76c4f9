//! What a run does where tries do not get any further: one rung after the other.
//!
//! | wanted | after the first try | after all tries |
//! |---|---|---|
//! | `blocks` | a base is laid and varied | |
//! | `learn` | and the map is searched with learning, for a pinned number of conflicts | |
//! | `proof` | fills are counted for a moment, then both in turn, each time for longer | the search continues without end |
//!
//! So a proof costs little where there is a fill to be found, and narrow spaces are soon counted.

use super::rungs::{Ladder, Prepares, Rung};
use super::{Job, Outcome, Run, StopReason, single};
use crate::limits::Climb;
use crate::observe::Observer;
use crate::solve::blocks::{Laid, Laying};
use crate::solve::count::{CountError, Counter};
use crate::solve::kernel::{Dead, Kernel as _};
use crate::solve::learn::{self, Learning};

/// Bytes that the rung that learns may take for what it knows from the start.
const LEARN_BYTES: u64 = 1 << 30;
/// Conflicts it learns from, until a proof is all that is left.
const LEARN_CONFLICTS: u64 = 100_000;

/// Work of counting fills before a proof is searched for, and bytes of it in all.
const COUNT_FIRST: u64 = 250_000;
const COUNT_BYTES: u64 = 1 << 28;
/// Conflicts learned from before counting continues, and up to how much work, in turn.
const TURNS: [(u64, u64); 2] = [(5_000, 1_250_000), (25_000, 5_000_000)];

impl Run {
    /// What comes after a cell ran out for which this rung finds nothing, or `proved` that there is
    /// nothing.
    pub(super) fn give_up(&mut self, dead: Dead, proved: bool, observer: &mut dyn Observer) {
        self.leave_rung();
        self.ladder.stuck = Some(dead);
        if proved { self.settle(dead, true, observer) } else { self.climb(dead, observer) }
    }

    /// Goes back to the state of the try before the rung.
    fn leave_rung(&mut self) {
        let Some(rung) = self.rung.take() else { return };
        self.past = self.past.and(rung.tally());
        if let Rung::Learn(learner) = rung
            && self.job.search.climb == Climb::Proof
            && self.climbed < Climb::Proof
        {
            self.ladder.learner = Some(learner);
        }
    }

    /// Steps onto the next rung, each of which is tried once. Which there are depends on rules and space
    /// alone: a limit that is too small for one ends the run.
    fn climb(&mut self, dead: Dead, observer: &mut dyn Observer) {
        let wanted = self.job.search.climb;
        let counts = wanted == Climb::Proof && self.climbed < Climb::Proof;
        if counts && self.counts(COUNT_FIRST) {
            return;
        }
        if self.climbed < Climb::Blocks && wanted >= Climb::Blocks && self.lay_blocks() {
            return;
        }
        if self.climbed < Climb::Learn && wanted >= Climb::Learn {
            self.climbed = Climb::Learn;
            match self.learns(dead) {
                Ok(true) => return,
                Ok(false) => {}
                Err(TooLittle) => {
                    self.outcome = Some(Outcome::Stopped(StopReason::Bytes));
                    return;
                }
            }
        }
        while counts && let Some(&(_, work)) = TURNS.get(self.ladder.turn) {
            if self.counts(work) {
                return;
            }
            self.ladder.turn += 1;
            let conflicts = TURNS.get(self.ladder.turn).map_or(LEARN_CONFLICTS, |turn| turn.0);
            if self.learns_on(conflicts) {
                return;
            }
        }
        self.settle(dead, false, observer);
    }

    /// What comes when no rung is left, or it is proved that there is no fill.
    fn settle(&mut self, dead: Dead, proved: bool, observer: &mut dyn Observer) {
        let search = self.job.search;
        // A rule of the whole map is not mended by a hole.
        let whole = dead.cause.is_none() && dead.broken.is_none();
        let goes_on = self.ladder.learner.is_some() && !proved;
        if search.holes && whole && !goes_on {
            if !self.kernel.choosing() {
                // There is no whole fill, so no rung that searches for one is worth it.
                self.climbed = Climb::Proof;
            }
            self.holes.push(dead.cell);
            self.kernel.punch(dead.cell);
        } else if proved {
            self.outcome = Some(Outcome::Impossible(self.contradiction(dead)));
        } else if self.attempt < search.attempts.max(1) && !(search.holes && goes_on) {
            self.next_attempt(observer);
        } else if self.learns_on(u64::MAX) {
            self.climbed = Climb::Proof;
            observer.rung(Climb::Proof);
        } else {
            self.outcome = Some(Outcome::Contradiction(self.contradiction(dead)));
        }
    }

    /// Takes up the search that learns again, for so many conflicts in all; whether there is one.
    fn learns_on(&mut self, conflicts: u64) -> bool {
        let Some(mut learner) = self.ladder.learner.take() else { return false };
        learner.go_on(conflicts);
        self.past = self.past.without(learner.tally());
        self.rung = Some(Rung::Learn(learner));
        self.forget_moments();
        true
    }

    /// Begins or continues to count fills, up to so much work; whether there is anything to count.
    fn counts(&mut self, work: u64) -> bool {
        let Ladder { counter, counted, prepares, .. } = &mut self.ladder;
        if *counted == 0 {
            *counter = Counter::new(&self.job.rules, &self.job.space).ok().map(Box::new);
        }
        let counts = counter.is_some() && *counted < work;
        if counts {
            (*counted, *prepares) = (work, Some(Prepares::Count(work)));
        }
        counts
    }

    /// Goes on block by block over a fill that repeats; whether that can be tried.
    pub(super) fn lay_blocks(&mut self) -> bool {
        self.climbed = Climb::Blocks;
        if !self.keeps_all(Climb::Blocks) {
            return false;
        }
        let Job { rules, space, search, seed, name, crew, .. } = &self.job;
        let laying = Laying::new(rules, space, *search, seed, name, crew.clone());
        self.ladder.prepares = Some(Prepares::Lay(Box::new(laying)));
        true
    }

    /// Whether a rung keeps all rules of the whole map; one that does not is left out, which is noted.
    fn keeps_all(&mut self, rung: Climb) -> bool {
        let (mut constraints, cells) =
            (self.job.space.constraints().iter(), self.job.space.cells());
        let keeps = constraints.all(|kept| kept.rule.kept_by(rung, cells));
        if !keeps && !self.left_out.contains(&rung) {
            self.left_out.push(rung);
        }
        keeps
    }

    /// Goes on with learning; whether that can be tried.
    fn learns(&mut self, dead: Dead) -> Result<bool, TooLittle> {
        let keeps_all = self.keeps_all(Climb::Learn);
        let Job { rules, space, search, seed, name, limits, .. } = &self.job;
        let bytes = learn::most_bytes(rules, space);
        if !keeps_all || bytes > LEARN_BYTES {
            return Ok(false);
        }
        // What was tried before is still held.
        let held = self.job.most_bytes().saturating_add(bytes);
        let Some(left) = limits.bytes.checked_sub(held) else { return Err(TooLittle) };
        let stream = seed.stream(&[name, "learn"]);
        let proof = search.climb == Climb::Proof;
        let conflicts = if proof { TURNS[0].0 } else { LEARN_CONFLICTS };
        let learning = Learning::new(rules, space, (conflicts, left), dead, stream);
        self.ladder.prepares = Some(Prepares::Learn(Box::new(learning)));
        Ok(true)
    }

    /// Goes on getting ready what comes next.
    pub(super) fn prepare(&mut self, steps: &mut u64, observer: &mut dyn Observer) {
        let Some(mut prepares) = self.ladder.prepares.take() else { return };
        let stuck = self.ladder.stuck;
        let before = *steps;
        let Job { rules, space, limits, .. } = &self.job;
        let mut rung = None;
        let mut ready = false;
        while *steps > 0 && !ready {
            match &mut prepares {
                Prepares::Lay(laying) => match laying.work(space, steps) {
                    Laid::Working => {}
                    Laid::Nothing => ready = true,
                    Laid::Ready(blocks) => {
                        rung = Some(Rung::Blocks(blocks));
                        ready = true;
                    }
                },
                Prepares::Learn(learning) => {
                    *steps -= 1;
                    let before = |cell| single(&self.kernel.words(cell));
                    if let Some(learner) = learning.work(rules, space, &before) {
                        rung = Some(Rung::Learn(Box::new(learner)));
                        ready = true;
                    }
                }
                Prepares::Count(most) => {
                    *steps -= 1;
                    let Some(counter) = &mut self.ladder.counter else { break };
                    let mut narrow = *limits;
                    let left = limits.bytes.saturating_sub(self.job.most_bytes());
                    (narrow.steps, narrow.bytes) = (None, left.min(COUNT_BYTES));
                    match counter.work(rules, space, &narrow) {
                        Ok(None) => ready = counter.done > *most,
                        Ok(Some(0)) => {
                            self.past.steps += before - *steps;
                            if let Some(dead) = stuck {
                                self.settle(dead, true, observer);
                            }
                            return;
                        }
                        Err(CountError::TooWide) if left < COUNT_BYTES => {
                            self.outcome = Some(Outcome::Stopped(StopReason::Bytes));
                            return;
                        }
                        Ok(Some(_)) | Err(_) => {
                            self.ladder.counter = None;
                            ready = true;
                        }
                    }
                }
            }
        }
        self.past.steps += match &mut prepares {
            Prepares::Lay(laying) => laying.take_counted(),
            _ => before - *steps,
        };
        if !ready {
            self.ladder.prepares = Some(prepares);
        } else if rung.is_some() {
            self.rung = rung;
            self.forget_moments();
            if stuck.is_some() {
                observer.rung(self.climbed);
            }
        } else if let Some(dead) = stuck {
            self.climb(dead, observer);
        }
    }
}

/// The limit of bytes is too small for what comes next.
struct TooLittle;
