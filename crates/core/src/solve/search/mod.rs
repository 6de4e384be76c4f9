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
mod heed;
mod kernel;
mod reopen;

use self::reopen::Heat;
use super::choose::{Buckets, CLOSED, POOLED, Queue, Standing};
use super::constrain::{Broken, Watching};
use super::kernel::{Dead, Pause, ranking};
use super::measure::Weights;
use super::outcome::Tally;
use super::own::OwnWeights;
use super::padded::Padded;
use super::propagate::{Course, Domains, Halt, Sprint, TablesFull};
use super::settings::{Order, Search};
use super::space::Space;
use super::state::{State, Wave};
use super::steer::Steering;
use super::undo::{MADE, Trail};
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Layout};
use crate::observe::Observer;
use crate::rules::{Rules, bits};
use crate::seed::{Seed, Stream};

/// Changes propagated, or cells scanned, in one unit at most.
const UNIT: usize = 4096;

#[derive(Clone, Copy, Debug)]
enum Phase {
    /// Scanning all cells once, from this number on, so that the empty map reaches a fixed point.
    Scan(usize),
    /// Telling the rules of the whole map what cells hold, from this number on.
    Watch(usize),
    /// A cell is to be chosen.
    Choose,
    /// This cell is to hold this pose.
    Place(u32, u32),
    /// Changes are to be propagated.
    Spread,
    /// A cell ran out.
    Mend(u32),
    /// This pose is to be taken from this cell.
    Remove(u32, u32),
    /// It has ended.
    Ended(Pause),
}

/// The search over engine `D` on cells of `S` sides.
#[derive(Debug)]
pub(super) struct Searcher<D: Domains, const S: usize> {
    rules: Rules,
    search: Search,
    domains: D,
    state: State<D::Dom, S>,
    committed: bool,
    stream: Stream,
    phase: Phase,
    steering: Option<Steering>,
    own: Option<OwnWeights>,
    /// The rules of the whole map, when there are any.
    watching: Option<Watching>,
    /// The one of them that was broken last.
    broken: Option<Broken>,
    /// Changes before this are known to steering and own weights.
    followed: usize,
    tally: Tally,
    least_open: usize,
    stale: u32,
    heat: Heat,
    /// Whether the first propagation is done.
    choosing: bool,
    /// What cells hold that nothing has restricted.
    untouched: D::Dom,
    /// Whether the engine checks all indices.
    checked: bool,
    /// How far the first propagation came before a cell ran out.
    scanned: usize,
    /// Cells that restrictions alone left nothing, where those become holes.
    born_dead: Vec<Cell>,
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
        let weights = Weights::new(ranking(search.order), rules.weights().iter().copied());
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
                common: D::OUTSIDE,
            },
            committed: false,
            stream: Seed::default().stream(&[]),
            phase: Phase::Ended(Pause::Working),
            steering: None,
            own: None,
            watching: None,
            broken: None,
            followed: 0,
            tally: Tally::default(),
            least_open: usize::MAX,
            stale: 0,
            heat: Heat::default(),
            choosing: false,
            untouched: D::OUTSIDE,
            checked: false,
            scanned: 0,
            born_dead: Vec::new(),
        }
    }

    /// The level of a cell, by its own weights when it has some.
    fn level_at(&mut self, at: u32) -> u8 {
        let dom = self.state.cells[at as usize];
        match &mut self.own {
            None => self.domains.level(dom),
            Some(own) => {
                let last = self.search.order == Order::Grow && dom == self.untouched;
                own.note(at, self.domains.words(&dom), last)
            }
        }
    }

    /// Tells the steering and the queue of own weights what changed since they last heard.
    fn follow(&mut self) {
        for position in self.followed..self.state.trail.end() {
            let at = self.state.trail.get(position).at;
            let dom = self.state.cells[at as usize];
            if let Some(steering) = &mut self.steering
                && self.domains.is_decided(dom)
            {
                steering.count(at, bits(self.domains.words(&dom)).next().expect("decided"));
            }
            if self.own.is_some() {
                let level = self.level_at(at);
                if level > 0 {
                    self.state.queue.enter(at, level);
                }
            }
        }
        self.followed = self.state.trail.end();
    }

    fn dead(&self, at: u32) -> Dead {
        Dead { broken: self.broken, ..Dead::at(self.state.padded.cell(at)) }
    }

    fn unit(
        &mut self,
        space: &Space,
        observer: &mut dyn Observer,
        tell: bool,
    ) -> Result<(), TablesFull> {
        if let Phase::Scan(from) = self.phase {
            return self.scan(from);
        }
        if let Phase::Watch(from) = self.phase {
            self.watch(from);
            return Ok(());
        }
        if let Phase::Mend(dead) = self.phase {
            self.mend(space, dead)?;
        }
        if let Phase::Place(at, pose) = self.phase {
            return self.place(at, pose, observer, tell);
        }
        if let Phase::Remove(at, pose) = self.phase {
            let dom = self.state.cells[at as usize];
            let mut words = self.domains.words(&dom).to_vec();
            words[pose as usize / 64] &= !(1 << (pose % 64));
            if words.iter().all(|&word| word == 0) {
                self.phase = Phase::Mend(at);
                return Ok(());
            }
            let left = self.domains.of(&words)?;
            let (was, level) = (self.domains.level(dom), self.domains.level(left));
            let news = self.domains.news(dom, left);
            self.state.change(at, left, was, level, news);
            self.phase = Phase::Spread;
        }
        if let Phase::Spread = self.phase {
            self.propagate(observer)?;
        }
        Ok(())
    }

    /// Chooses a cell and a pose for it.
    #[inline(always)]
    fn decide(&mut self, observer: &mut dyn Observer, tell: bool) -> Result<(), TablesFull> {
        if self.watching.is_some()
            && let Some((at, pose)) = self.wanted()
        {
            return self.place(at, pose as u32, observer, tell);
        }
        let (domains, cells, common) = (&self.domains, &self.state.cells[..], self.state.common);
        let (queue, stream) = (&mut self.state.queue, &mut self.stream);
        let chosen = match &self.own {
            None => queue.choose(stream, cells.len(), |at| standing(domains, cells, common, at)),
            Some(own) => queue.choose(stream, cells.len(), |at| own.standing(at)),
        };
        let Some((at, random)) = chosen else {
            self.phase = Phase::Ended(self.last_check());
            return Ok(());
        };
        let dom = self.state.cells[at as usize];
        let pose = match (&self.steering, &self.own) {
            (None, None) => self.domains.pick(dom, random),
            (None, Some(own)) => own.pick(at, self.domains.words(&dom), random),
            (Some(steering), own) => {
                let own = own.as_ref().map(|own| own.each(at));
                steering.pick(self.domains.words(&dom), random, own)
            }
        };
        self.place(at, pose as u32, observer, tell)
    }

    /// Whether nobody needs to hear of each decision.
    #[inline]
    fn can_sprint(&self) -> bool {
        self.steering.is_none() && self.own.is_none() && self.watching.is_none()
    }

    /// Lets the engine make decisions in its own way; whether it made or began any.
    #[inline(always)]
    fn sprint(&mut self, steps: &mut u64, observer: &mut dyn Observer) -> Result<bool, TablesFull> {
        let window = self.search.window as usize;
        let course = Course { decisions: *steps, window, unit: UNIT, checked: self.checked };
        let Sprint { halt, decisions, open, committed } =
            self.domains.sprint(&mut self.state, &mut self.stream, course);
        self.note_best(open);
        self.committed |= committed;
        self.tally.decisions += decisions;
        // The step of a decision not done with is counted when it is.
        let done = decisions - u64::from(matches!(halt, Halt::Spread(_)));
        self.tally.steps += done;
        *steps -= done;
        match halt {
            Halt::Spent => return Ok(true),
            Halt::Choose => return Ok(false),
            Halt::Spread(changes) => self.propagate_up_to(UNIT - changes, observer)?,
        }
        self.tally.steps += 1;
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
                // The choice is made; whoever goes on must not make it again.
                self.phase = Phase::Place(at, pose);
                return Err(full);
            }
        };
        let dom = self.state.cells[at as usize];
        let (was, news) = (self.domains.level(dom), self.domains.news(dom, only));
        self.state.change(at, only, was, 0, news | MADE);
        self.tally.decisions += 1;
        if tell {
            let pose = PoseId::from_index(pose as usize);
            observer.decided(self.state.padded.cell(at), pose);
        }
        self.propagate(observer)
    }

    #[inline(always)]
    fn propagate(&mut self, observer: &mut dyn Observer) -> Result<(), TablesFull> {
        self.propagate_up_to(UNIT, observer)
    }

    /// Propagates so many changes at most.
    #[inline(always)]
    fn propagate_up_to(
        &mut self,
        changes: usize,
        observer: &mut dyn Observer,
    ) -> Result<(), TablesFull> {
        self.phase = Phase::Spread;
        match self.domains.wave(&mut self.state, changes)? {
            Wave::More => {}
            Wave::Done => {
                if self.steering.is_some() || self.own.is_some() {
                    self.follow();
                }
                if self.watching.is_some() && !self.heed(observer)? {
                    return Ok(());
                }
                self.settle();
                self.phase = Phase::Choose;
            }
            Wave::Dead(at) => {
                self.broken = None;
                self.tally.contradictions += 1;
                observer.contradiction(self.state.padded.cell(at));
                self.phase = Phase::Mend(at);
            }
        }
        Ok(())
    }
}
