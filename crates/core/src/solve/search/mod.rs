//! One try: first domains, decisions, propagation to a fixed point, and taking back.
//!
//! The search is written once, over any engine ([`Domains`]) and any number of sides. It works in
//! units of bounded size, and every piece of its state between two units is in [`Searcher`], so a
//! run can be cut anywhere and another engine can take over in the middle.

#![allow(
    clippy::inline_always,
    reason = "one decision is one piece of code: measured, a sixth of the time"
)]

mod back;
mod begin;
mod heat;
mod heed;
mod kernel;
mod midway;
mod phase;
mod reopen;
mod widen;

use self::midway::Midway;
use self::phase::Phase;
use super::choose::{Buckets, CLOSED, Chosen, POOLED, Queue, Standing};
use super::constrain::Watching;
use super::kernel::Dead;
use super::measure::Weights;
use super::padded::Padded;
use super::propagate::{Course, Domains, Halt, Sprint, TablesFull};
use super::settings::Search;
use super::space::Space;
use super::state::{State, Wave};
use super::undo::{MADE, Trail};
use crate::id::{Id, PoseId};
use crate::lattice::Layout;
use crate::observe::Observer;
use crate::rules::{PoseSet, Rules, bits};

/// Changes propagated, or cells asked, in one unit at most.
const UNIT: usize = 256;
/// Changes propagated in one unit.
const WAVE: usize = 1024;

/// Decisions that an engine makes before it is known whether it has much to learn, what is much, and how
/// much of that counts as a step.
const LEAST_PACE: u64 = 4;
const MUCH_LEARNED: u64 = 64;
const LEARNED_A_STEP: u64 = 3;

/// The search over engine `D` on cells of `S` sides.
#[derive(Debug)]
pub(super) struct Searcher<D: Domains, const S: usize> {
    rules: Rules,
    search: Search,
    domains: D,
    state: State<D::Dom, S>,
    /// What cells hold before anything is known, and when nothing has restricted them.
    full: D::Dom,
    untouched: D::Dom,
    /// Decisions that the engine makes in its own way before it is asked how much it had to learn.
    pace: u64,
    /// The poses of the filler of a fill that spreads, and where open cells that can hold it are looked for next.
    filler: Option<PoseSet>,
    swept: u32,
    /// Cells that are being opened again, with what each may hold.
    opened: Vec<(u32, D::Dom)>,
    mid: Midway,
}

/// Whether some of these words' poses are in a set.
fn holds_any(words: &[u64], set: &PoseSet) -> bool {
    words.iter().zip(set.words()).any(|(word, set)| word & set != 0)
}

/// Where a cell stands in the queue.
#[inline]
fn standing<D: Domains>(domains: &D, cells: &[D::Dom], common: D::Dom, at: u32) -> Standing {
    let dom = cells[at as usize];
    // Cells that take no part are at the level of decided ones, and never pooled.
    match domains.level(dom) {
        0 => CLOSED,
        _ if dom == common => POOLED,
        level => Standing::from(level),
    }
}

impl<D: Domains, const S: usize> Searcher<D, S> {
    pub(crate) fn new(rules: &Rules, search: Search, layout: Layout) -> Self {
        let weights = Weights::new(search.order.ranking(), rules.weights().iter().copied());
        Self {
            domains: D::new(rules, weights),
            rules: rules.clone(),
            search,
            state: State {
                padded: Padded::new(layout),
                cells: Vec::new(),
                // A window with what it may grow by before it is cut to size.
                trail: Trail::new((search.window.min(1 << 15) / 8 * 9) as usize, D::OUTSIDE),
                head: 0,
                open: 0,
                queue: Queue::Levels(Buckets::default()),
                telling: false,
                whole_until: usize::MAX,
                common: D::OUTSIDE,
            },
            full: D::OUTSIDE,
            untouched: D::OUTSIDE,
            pace: LEAST_PACE,
            filler: None,
            swept: 0,
            opened: Vec::new(),
            mid: Midway::idle(),
        }
    }

    /// The level of a cell, by its own weights when it has some.
    fn level_at(&mut self, at: u32) -> u8 {
        let dom = self.state.cells[at as usize];
        match &mut self.mid.own {
            None => self.domains.level(dom),
            Some(own) => {
                let last = self.search.order.spares_untouched() && dom == self.untouched;
                own.note(at, self.domains.words(&dom), last)
            }
        }
    }

    /// Whether somebody hears of each change: the steering, and queues that are not told by the changes themselves.
    #[inline]
    fn is_followed(&self) -> bool {
        self.mid.steering.is_some() || self.mid.own.is_some() || self.filler.is_some()
    }

    /// Whether a fill that spreads has come to a cell that holds this.
    fn has_lost_filler(&self, dom: D::Dom) -> bool {
        let filler = self.filler.as_ref();
        filler.is_some_and(|filler| D::is_real(dom) && !holds_any(self.domains.words(&dom), filler))
    }

    /// Tells the steering and the queue of own weights what changed since they last heard.
    fn follow(&mut self) {
        let new = self.mid.followed..self.state.trail.end();
        if let Some(steering) = &mut self.mid.steering {
            for position in new.clone() {
                let at = self.state.trail.get(position).at;
                if let Some(pose) = self.domains.single(self.state.cells[at as usize]) {
                    steering.count(at, pose);
                }
            }
        }
        if self.mid.own.is_some() || self.filler.is_some() {
            for position in new {
                let at = self.state.trail.get(position).at;
                if self.mid.own.is_some() || self.has_lost_filler(self.state.cells[at as usize]) {
                    let level = self.level_at(at);
                    if level > 0 {
                        self.state.queue.enter(at, level);
                    }
                }
            }
        }
        self.mid.followed = self.state.trail.end();
    }

    /// Tells an observer which cells one pose is left of since it last heard.
    fn tell_closed(&mut self, observer: &mut dyn Observer) {
        let (trail, decisions) = (&self.state.trail, self.mid.tally.decisions);
        for position in self.mid.heard.max(trail.end() - trail.len())..trail.end() {
            let change = trail.get(position);
            let dom = self.state.cells[change.at as usize];
            if self.domains.is_decided(dom) && !self.domains.is_decided(change.before) {
                observer.closed(self.state.padded.cell(change.at), decisions);
            }
        }
        self.mid.heard = self.state.trail.end();
    }

    fn dead(&self, at: u32) -> Dead {
        Dead { broken: self.mid.broken, ..Dead::at(self.state.padded.cell(at)) }
    }

    fn unit(
        &mut self,
        space: &Space,
        observer: &mut dyn Observer,
        tell: bool,
    ) -> Result<(), TablesFull> {
        if let Phase::Begin(stage, from) = self.mid.phase {
            return self.begin_on(space, stage, from);
        }
        if let Phase::Scan(from, until) = self.mid.phase {
            return self.scan(from, until);
        }
        if let Phase::Watch(from) = self.mid.phase {
            self.watch(from);
            return Ok(());
        }
        if let Phase::Reopen(middle, from) = self.mid.phase {
            return self.reopen_on(space, middle, from);
        }
        if let Phase::Mend(dead) = self.mid.phase {
            self.mend(dead);
        }
        if let Phase::Region(at, pose) = self.mid.phase {
            return self.place(at, pose, observer, tell);
        }
        if let Phase::Remove(at, pose) = self.mid.phase {
            let dom = self.state.cells[at as usize];
            let mut words = self.domains.words(&dom).to_vec();
            words[pose as usize / 64] &= !(1 << (pose % 64));
            if words.iter().all(|&word| word == 0) {
                self.mid.phase = Phase::Mend(at);
                return Ok(());
            }
            let left = self.domains.of(&words)?;
            let (was, level) = (self.domains.level(dom), self.domains.level(left));
            let news = self.domains.news(dom, left);
            self.state.change(at, left, was, level, news);
            self.mid.phase = Phase::Spread;
        }
        if let Phase::Spread = self.mid.phase {
            self.propagate(observer)?;
        }
        Ok(())
    }

    /// Chooses a cell and a pose for it. Not done when the queue was not done: that is no step, since
    /// another engine may find its cell at once.
    #[inline(always)]
    fn decide(&mut self, observer: &mut dyn Observer, tell: bool) -> Result<bool, TablesFull> {
        if self.mid.watching.is_some()
            && let Some((at, pose)) = self.wanted()
        {
            return self.place(at, pose as u32, observer, tell).map(|()| true);
        }
        let (domains, cells, common) = (&self.domains, &self.state.cells[..], self.state.common);
        let (queue, stream) = (&mut self.state.queue, &mut self.mid.stream);
        let filler = self.filler.as_ref();
        // What can still be the filler is not decided yet.
        let waits = |at: u32| {
            filler.is_some_and(|filler| {
                let dom = cells[at as usize];
                D::is_real(dom) && holds_any(domains.words(&dom), filler)
            })
        };
        let chosen =
            match &self.mid.own {
                None if filler.is_none() => {
                    queue.choose(stream, cells.len(), |at| standing(domains, cells, common, at))
                }
                None => queue.choose(stream, cells.len(), |at| {
                    if waits(at) { CLOSED } else { standing(domains, cells, common, at) }
                }),
                Some(own) => queue.choose(stream, cells.len(), |at| {
                    if waits(at) { CLOSED } else { own.standing(at) }
                }),
            };
        let (at, random) = match chosen {
            Chosen::Cell(at, random) => (at, random),
            Chosen::Later => return Ok(false),
            Chosen::None => {
                if let Some((at, pose)) = self.left_to_fill() {
                    return self.place(at, pose, observer, tell).map(|()| true);
                }
                self.last_check(observer);
                return Ok(true);
            }
        };
        let dom = self.state.cells[at as usize];
        let pose = match (&mut self.mid.steering, &self.mid.own) {
            (None, None) => self.domains.pick(dom, random),
            (None, Some(own)) => own.pick(at, self.domains.words(&dom), random),
            (Some(steering), own) => {
                let own = own.as_ref().map(|own| own.each(at));
                steering.pick(self.domains.words(&dom), random, own)
            }
        };
        self.place(at, pose as u32, observer, tell).map(|()| true)
    }

    /// The next open cell that becomes the filler, once nothing else is to be decided.
    fn left_to_fill(&mut self) -> Option<(u32, u32)> {
        let filler = self.filler.as_ref()?;
        let cells = &self.state.cells;
        while let Some(&dom) = cells.get(self.swept as usize) {
            if D::is_real(dom) && !self.domains.is_decided(dom) {
                let held = bits(self.domains.words(&dom))
                    .find(|&pose| filler.contains(PoseId::from_index(pose)));
                return held.map(|pose| (self.swept, pose as u32));
            }
            self.swept += 1;
        }
        None
    }

    /// Whether nobody needs to hear of each decision.
    #[inline]
    fn can_sprint(&self) -> bool {
        self.filler.is_none()
            && self.mid.own.is_none()
            && self.mid.watching.as_ref().is_none_or(Watching::is_settled)
    }

    /// Lets the engine make decisions in its own way; whether it made or began any.
    #[inline(always)]
    fn sprint(&mut self, steps: &mut u64, observer: &mut dyn Observer) -> Result<bool, TablesFull> {
        let window = self.search.window as usize;
        self.state.trail.trim(window);
        let (decisions, checked) = (self.pace.min(*steps), self.mid.checked);
        let mut course = Course { decisions, window, unit: WAVE, checked, leaned: None };
        if let Some(steering) = &mut self.mid.steering {
            course.decisions = decisions.min(steering.ahead());
            course.leaned = Some(steering.leaned());
        }
        let learned = self.domains.learned();
        let Sprint { halt, decisions, open, committed } =
            self.domains.sprint(&mut self.state, &mut self.mid.stream, course);
        if let Some(watching) = &mut self.mid.watching {
            // It was settled: what changed meanwhile does not concern it.
            watching.heard_up_to(self.state.trail.end());
        }
        self.note_best(open);
        self.mid.committed |= committed;
        self.mid.tally.decisions += decisions;
        if let Some(steering) = &mut self.mid.steering {
            steering.made(decisions);
            if !matches!(halt, Halt::Spread(_)) {
                self.follow();
                self.settle();
            }
        }
        // The step of a decision not done with is counted when it is.
        let done = decisions - u64::from(matches!(halt, Halt::Spread(_)));
        self.mid.tally.steps += done;
        *steps -= done;
        // What an engine has to learn costs far more than what it knows.
        let learned = self.domains.learned() - learned;
        if learned > MUCH_LEARNED {
            self.pace = LEAST_PACE;
            *steps -= (learned / LEARNED_A_STEP).min(steps.saturating_sub(1));
        } else {
            self.pace = self.pace.saturating_mul(2);
        }
        match halt {
            Halt::Spent => return Ok(true),
            // The last step may have been made just before.
            Halt::Choose => return Ok(*steps == 0),
            Halt::Spread(changes) => self.propagate_up_to(WAVE - changes, observer)?,
        }
        self.mid.tally.steps += 1;
        *steps -= 1;
        Ok(true)
    }

    /// Puts a pose into a cell and propagates.
    #[inline(always)]
    fn place(
        &mut self,
        at: u32,
        pose: u32,
        observer: &mut dyn Observer,
        tell: bool,
    ) -> Result<(), TablesFull> {
        let only = match self.domains.only(pose as usize) {
            Ok(only) => only,
            Err(full) => {
                // The choice is made; whoever continues must not make it again.
                self.mid.phase = Phase::Region(at, pose);
                return Err(full);
            }
        };
        let dom = self.state.cells[at as usize];
        let (was, news) = (self.domains.level(dom), self.domains.news(dom, only));
        self.state.change(at, only, was, 0, news | MADE);
        self.mid.tally.decisions += 1;
        if tell {
            let pose = PoseId::from_index(pose as usize);
            observer.decided(self.state.padded.cell(at), pose);
        }
        self.propagate(observer)
    }

    #[inline(always)]
    fn propagate(&mut self, observer: &mut dyn Observer) -> Result<(), TablesFull> {
        self.propagate_up_to(WAVE, observer)
    }

    /// Propagates so many changes at most.
    #[inline(always)]
    fn propagate_up_to(
        &mut self,
        changes: usize,
        observer: &mut dyn Observer,
    ) -> Result<(), TablesFull> {
        self.mid.phase = Phase::Spread;
        match self.domains.wave(&mut self.state, changes)? {
            Wave::More => {}
            Wave::Done => {
                if observer.wants_decisions() {
                    self.tell_closed(observer);
                }
                if self.is_followed() {
                    self.follow();
                }
                if self.mid.watching.is_some() && !self.heed(observer)? {
                    return Ok(());
                }
                self.settle();
                self.mid.phase = if self.mid.crowded { self.enter_again() } else { Phase::Choose };
            }
            Wave::Dead(at) => {
                self.mid.broken = None;
                self.mid.tally.contradictions += 1;
                observer.contradiction(self.state.padded.cell(at));
                self.mid.phase = Phase::Mend(at);
            }
        }
        Ok(())
    }
}
