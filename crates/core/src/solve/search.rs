//! One try: first domains, decisions, propagation to a fixed point, and taking back.
//!
//! The search is written once, over any engine ([`Domains`]) and any number of sides. It works in
//! units of bounded size, and every piece of its state between two units is in [`Searcher`], so a
//! run can be cut anywhere and another engine can take over in the middle.

#![allow(
    clippy::inline_always,
    reason = "one decision is one piece of code: measured, a sixth of the time"
)]

use super::choose::{Buckets, CLOSED, POOLED, Queue, Sequence, Standing};
use super::kernel::{Dead, Kernel, Pause, ranking};
use super::measure::Weights;
use super::outcome::Tally;
use super::padded::Padded;
use super::propagate::{Course, Domains, Halt, Plain, Sprint, TablesFull};
use super::settings::{Order, Search};
use super::space::Space;
use super::state::{State, Wave};
use super::steer::Steering;
use super::undo::{Change, MADE, Trail};
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Lattice, Layout};
use crate::observe::Observer;
use crate::rules::{Rules, bits};
use crate::seed::{Seed, Stream};

/// Changes propagated, or cells scanned, in one unit at most.
const UNIT: usize = 4096;

#[derive(Clone, Copy, Debug)]
enum Phase {
    /// Scanning all cells once, from this number on, so that the empty map reaches a fixed point.
    Scan(usize),
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
    /// Changes before this are known to the steering.
    steered: usize,
    tally: Tally,
    least_open: usize,
    stale: u32,
}

/// Where a cell stands in the queue.
#[inline]
fn standing<D: Domains>(domains: &D, cells: &[D::Dom], common: D::Dom, at: u32) -> Standing {
    let dom = cells[at as usize];
    if !D::is_real(dom) {
        CLOSED
    } else if dom == common {
        POOLED
    } else {
        Standing::from(domains.level(dom))
    }
}

impl<D: Domains, const S: usize> Searcher<D, S> {
    pub(super) fn new(rules: &Rules, search: Search, layout: Layout) -> Self {
        let weights = Weights::new(ranking(search.order), rules.weights().iter().copied());
        Self {
            domains: D::new(rules, weights),
            rules: rules.clone(),
            search,
            state: State {
                padded: Padded::new(layout),
                cells: Vec::new(),
                trail: Trail::new(search.window.min(1 << 16) as usize, D::OUTSIDE),
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
            steered: 0,
            tally: Tally::default(),
            least_open: usize::MAX,
            stale: 0,
        }
    }

    /// Fills `cells` with first domains; the first cell left with nothing is returned.
    fn first_domains(&mut self, space: &Space) -> Result<Option<Dead>, TablesFull> {
        let full = self.rules.select(|_| true);
        let base = self.domains.of(full.words())?;
        let rim = if self.state.padded.wraps() { D::GHOST } else { D::OUTSIDE };
        self.state.cells.clear();
        self.state.cells.resize(self.state.padded.len(), rim);
        for run in self.state.padded.inside() {
            self.state.cells[run].fill(base);
        }
        if space.is_outlined() {
            for cell in space.layout().extent().iter().filter(|&cell| !space.contains(cell)) {
                self.state.cells[self.state.padded.number(cell) as usize] = D::OUTSIDE;
            }
        }
        let mut dead = None;
        for (cause, restriction) in space.restrictions().pairs() {
            // Neighbouring cells mostly hold the same, so the last answer is kept.
            let mut last: Option<(D::Dom, Option<D::Dom>)> = None;
            let mut full = false;
            let (domains, cells, padded) =
                (&mut self.domains, &mut self.state.cells, &self.state.padded);
            space.for_each_covered(&restriction.place, |cell| {
                let at = padded.number(cell) as usize;
                let dom = cells[at];
                let left = match last {
                    Some((before, left)) if before == dom => left,
                    _ => {
                        let words: Vec<u64> = domains
                            .words(&dom)
                            .iter()
                            .zip(restriction.allowed.words())
                            .map(|(&a, &b)| a & b)
                            .collect();
                        let none = words.iter().all(|&word| word == 0);
                        let left = if none { Ok(None) } else { domains.of(&words).map(Some) };
                        full |= left.is_err();
                        let left = left.unwrap_or(None);
                        last = Some((dom, left));
                        left
                    }
                };
                match left {
                    Some(left) => cells[at] = left,
                    None => dead = dead.or(Some(Dead { cell, cause: Some(cause) })),
                }
            });
            if full {
                return Err(TablesFull);
            }
        }
        Ok(dead)
    }

    /// One unit of the first propagation.
    fn scan(&mut self, from: usize) -> Result<(), TablesFull> {
        match self.domains.wave(&mut self.state, UNIT)? {
            Wave::More => {}
            Wave::Dead(at) => self.phase = Phase::Ended(Pause::Impossible(self.dead(at))),
            Wave::Done => {
                // Nothing of the first propagation is ever taken back.
                self.state.trail.cut(0);
                let to = (from + UNIT).min(self.state.cells.len());
                for at in from..to {
                    let dom = self.state.cells[at];
                    if D::is_real(dom) {
                        let news = self.domains.news(D::OUTSIDE, dom);
                        let change = Change { at: at as u32, before: D::OUTSIDE, news };
                        if news != 0
                            && let Some(dead) = self.domains.spread(&mut self.state, change)?
                        {
                            self.phase = Phase::Ended(Pause::Impossible(self.dead(dead)));
                            return Ok(());
                        }
                    }
                    self.phase = Phase::Scan(at + 1);
                }
                if to == self.state.cells.len() && self.state.head == self.state.trail.end() {
                    self.fill_queue();
                    self.phase = Phase::Choose;
                }
            }
        }
        Ok(())
    }

    fn fill_queue(&mut self) {
        // The most common domain, when one holds the majority of cells (Boyer and Moore 1991).
        let (mut common, mut lead) = (D::OUTSIDE, 0usize);
        for &dom in self.state.cells.iter().filter(|&&dom| D::is_real(dom)) {
            if lead == 0 {
                common = dom;
            }
            if dom == common { lead += 1 } else { lead -= 1 }
        }
        let pool_level = if D::is_real(common) { self.domains.level(common) } else { 0 };
        self.state.common = if pool_level > 0 { common } else { D::OUTSIDE };
        self.reset_queue(pool_level);
        let mut pooled = 0;
        let mut entered = 0;
        for at in 0..self.state.cells.len() {
            let dom = self.state.cells[at];
            if dom == self.state.common && pool_level > 0 {
                pooled += 1;
            } else if D::is_real(dom) && !self.domains.is_decided(dom) {
                entered += 1;
                self.state.queue.enter(at as u32, self.domains.level(dom));
            }
        }
        self.state.queue.fill_pool(pooled);
        self.state.open = pooled + entered;
        self.least_open = self.state.open;
        self.state.telling = true;
        self.steered = self.state.trail.end();
        self.steering =
            self.search.steer.then(|| Steering::new(&self.rules, self.state.cells.len()));
        if let Some(steering) = &mut self.steering {
            for (at, dom) in self.state.cells.iter().enumerate() {
                if D::is_real(*dom) && self.domains.is_decided(*dom) {
                    let pose = bits(self.domains.words(dom)).next().expect("decided");
                    steering.count(at as u32, pose);
                }
            }
        }
    }

    /// Tells the steering of cells decided since it last heard.
    fn count_decided(&mut self) {
        let Some(steering) = &mut self.steering else { return };
        for position in self.steered..self.state.trail.end() {
            let at = self.state.trail.get(position).at;
            let dom = self.state.cells[at as usize];
            if self.domains.is_decided(dom) {
                steering.count(at, bits(self.domains.words(&dom)).next().expect("decided"));
            }
        }
        self.steered = self.state.trail.end();
    }

    /// An empty queue of the order asked for, keeping memory where it can.
    fn reset_queue(&mut self, pool_level: u8) {
        let layout = self.state.padded.layout();
        let len = self.state.cells.len();
        let order = self.search.order;
        let sequence = match order {
            Order::Rows if layout.lattice() == Lattice::HexPointy => {
                let rows = layout.extent().iter().map(|cell| self.state.padded.number(cell));
                Sequence::of(rows.collect(), len)
            }
            Order::Rows => Sequence::by_number(),
            Order::Outward(from) => {
                let mut cells: Vec<Cell> = layout.extent().iter().collect();
                cells.sort_by_key(|&cell| layout.lattice().distance(from, cell));
                Sequence::of(
                    cells.into_iter().map(|cell| self.state.padded.number(cell)).collect(),
                    len,
                )
            }
            _ => {
                if !matches!(self.state.queue, Queue::Levels(_)) {
                    self.state.queue = Queue::Levels(Buckets::default());
                }
                if let Queue::Levels(buckets) = &mut self.state.queue {
                    buckets.reset(pool_level, order == Order::Grow);
                }
                return;
            }
        };
        self.state.queue = Queue::Fixed(sequence);
    }

    fn dead(&self, at: u32) -> Dead {
        Dead { cell: self.state.padded.cell(at), cause: None }
    }

    /// Notes a new best, and lets the window grow by an eighth before it is cut to size.
    #[inline(always)]
    fn settle(&mut self) {
        self.note_best(self.state.open);
        let window = self.search.window as usize;
        if self.state.trail.len() > window + window / 8 || self.state.trail.made() == 0 {
            self.committed |= self.state.trail.cut(window);
        }
    }

    /// Patience counts from the newest best.
    #[inline]
    fn note_best(&mut self, open: usize) {
        if open < self.least_open {
            self.least_open = open;
            self.stale = 0;
        }
    }

    /// Takes back everything since `mark`, where a decision was made.
    fn undo(&mut self, mark: usize) {
        let end = self.state.trail.end();
        while self.state.trail.end() > mark {
            let change = self.state.trail.pop().expect("the mark lies inside the trail");
            let dom = self.state.cells[change.at as usize];
            if self.domains.is_decided(dom) {
                self.state.open += 1;
                if let Some(steering) = &mut self.steering {
                    let pose = bits(self.domains.words(&dom)).next().expect("decided");
                    steering.discount(change.at, pose);
                }
            }
            self.state.cells[change.at as usize] = change.before;
            if dom == self.state.common {
                self.state.queue.leave_pool();
            }
            if change.before == self.state.common {
                self.state.queue.join_pool(change.at);
            }
        }
        // What was popped still lies in the ring; the queue hears of each cell once.
        for position in (mark..end).rev() {
            let change = self.state.trail.get(position);
            let first = self.state.cells[change.at as usize] == change.before;
            if first && change.before != self.state.common {
                self.state.queue.enter(change.at, self.domains.level(change.before));
            }
        }
        self.state.head = mark;
        self.steered = mark;
    }

    /// Takes back the newest decision after a cell ran out.
    fn mend(&mut self, dead: u32) {
        if self.stale >= self.search.patience {
            self.phase = Phase::Ended(Pause::Failed(self.dead(dead)));
            return;
        }
        let Some(mark) = self.state.trail.newest_made() else {
            let dead = self.dead(dead);
            let pause = if self.committed { Pause::Failed(dead) } else { Pause::Impossible(dead) };
            self.phase = Phase::Ended(pause);
            return;
        };
        self.stale += 1;
        self.tally.backtracks += 1;
        let at = self.state.trail.get(mark).at;
        let dom = self.state.cells[at as usize];
        let pose = bits(self.domains.words(&dom)).next().expect("it was decided there");
        self.undo(mark);
        self.phase = Phase::Remove(at, pose as u32);
    }

    fn unit(&mut self, observer: &mut dyn Observer, tell: bool) -> Result<(), TablesFull> {
        if let Phase::Scan(from) = self.phase {
            return self.scan(from);
        }
        if let Phase::Mend(dead) = self.phase {
            self.mend(dead);
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
        let (domains, cells, common) = (&self.domains, &self.state.cells[..], self.state.common);
        let stand = |at| standing(domains, cells, common, at);
        let Some(at) = self.state.queue.choose(&mut self.stream, cells.len(), stand) else {
            self.phase = Phase::Ended(Pause::Filled);
            return Ok(());
        };
        let (dom, random) = (self.state.cells[at as usize], self.stream.bits());
        let pose = match &self.steering {
            None => self.domains.pick(dom, random),
            Some(steering) => steering.pick(self.domains.words(&dom), random),
        };
        self.place(at, pose as u32, observer, tell)
    }

    /// Lets the engine make decisions in its own way; whether it made or began any.
    #[inline(always)]
    fn sprint(&mut self, steps: &mut u64, observer: &mut dyn Observer) -> Result<bool, TablesFull> {
        let course = Course { decisions: *steps, window: self.search.window as usize };
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
            Halt::Pick(at, random) => {
                let pose = self.domains.pick(self.state.cells[at as usize], random);
                self.place(at, pose as u32, observer, false)?;
            }
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
                if self.steering.is_some() {
                    self.count_decided();
                }
                self.settle();
                self.phase = Phase::Choose;
            }
            Wave::Dead(at) => {
                self.tally.contradictions += 1;
                observer.contradiction(self.state.padded.cell(at));
                self.phase = Phase::Mend(at);
            }
        }
        Ok(())
    }
}

impl<D: Domains + 'static, const S: usize> Kernel for Searcher<D, S> {
    fn begin(&mut self, space: &Space, search: Search, stream: Stream) -> Result<(), TablesFull> {
        self.search = search;
        self.stream = stream;
        self.state.trail.clear();
        self.state.head = 0;
        self.state.telling = false;
        self.committed = false;
        self.tally = Tally::default();
        self.stale = 0;
        // Every cell counts as open until the first propagation is done.
        self.state.open = self.state.padded.len();
        self.phase = match self.first_domains(space)? {
            Some(dead) => Phase::Ended(Pause::Impossible(dead)),
            None => Phase::Scan(0),
        };
        Ok(())
    }

    fn work(&mut self, steps: &mut u64, observer: &mut dyn Observer) -> Result<Pause, TablesFull> {
        let tell = observer.wants_decisions();
        loop {
            if let Phase::Ended(pause) = self.phase {
                return Ok(pause);
            }
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            if let Phase::Choose = self.phase {
                if !tell && self.steering.is_none() && self.sprint(steps, observer)? {
                    continue;
                }
                self.decide(observer, tell)?;
            } else {
                self.unit(observer, tell)?;
            }
            *steps -= 1;
            self.tally.steps += 1;
        }
    }

    fn widened(&self) -> Box<dyn Kernel> {
        match self.rules.poses().len() {
            0..64 => Box::new(self.over::<Plain<1>>()),
            64..128 => Box::new(self.over::<Plain<2>>()),
            128..256 => Box::new(self.over::<Plain<4>>()),
            256..1024 => Box::new(self.over::<Plain<16>>()),
            _ => Box::new(self.over::<Plain<161>>()),
        }
    }

    fn words(&self, cell: Cell) -> &[u64] {
        let dom = &self.state.cells[self.state.padded.number(cell) as usize];
        if D::is_real(*dom) { self.domains.words(dom) } else { &[] }
    }

    fn newest(&self) -> Option<Cell> {
        let mark = self.state.trail.newest_made()?;
        Some(self.state.padded.cell(self.state.trail.get(mark).at))
    }

    fn open(&self) -> usize {
        self.state.open
    }

    fn choosing(&self) -> bool {
        self.state.telling
    }

    fn tally(&self) -> Tally {
        self.tally
    }

    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool {
        self.rules.same(rules)
            && space.layout().lattice().sides().len() == S
            && ranking(self.search.order) == ranking(search.order)
    }

    fn relayout(&mut self, layout: Layout) {
        self.state.padded = Padded::new(layout);
    }
}

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// The same state over another engine, which holds any domain.
    fn over<E: Domains>(&self) -> Searcher<E, S> {
        let mut other = Searcher::<E, S>::new(&self.rules, self.search, self.state.padded.layout());
        let mut tell = |dom: D::Dom| {
            if D::is_real(dom) {
                other.domains.of(self.domains.words(&dom)).expect("bits hold any domain")
            } else if dom == D::OUTSIDE {
                E::OUTSIDE
            } else {
                E::GHOST
            }
        };
        other.state.cells = self.state.cells.iter().map(|&dom| tell(dom)).collect();
        other.state.trail = self.state.trail.map(E::OUTSIDE, &mut tell);
        other.state.head = self.state.head;
        other.state.telling = self.state.telling;
        other.committed = self.committed;
        other.state.queue.clone_from(&self.state.queue);
        other.state.common = tell(self.state.common);
        other.state.open = self.state.open;
        other.stream = self.stream.clone();
        other.phase = self.phase;
        other.steering.clone_from(&self.steering);
        other.steered = self.steered;
        other.tally = self.tally;
        other.least_open = self.least_open;
        other.stale = self.stale;
        other
    }
}
