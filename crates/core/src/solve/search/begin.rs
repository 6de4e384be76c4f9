//! The start of a try: first domains, the first propagation, and the queue; each some cells at a time.

use super::phase::{Phase, Stage};
use super::{Searcher, UNIT};
use crate::id::{CauseId, Id};
use crate::rules::bits;
use crate::solve::choose::Queue;
use crate::solve::kernel::{Dead, Pause};
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::space::Space;
use crate::solve::state::{Wave, alike};
use crate::solve::steer::Steering;
use crate::solve::undo::Change;

/// Cells of which little is asked, in one unit.
const EASY: usize = 1 << 14;

/// Cells that are opened in one unit. All engines take as many steps, so that a limit of steps ends a fill
/// at the same place on each.
const OPENED: usize = 512;
/// Cells that tell what they hold before anything is propagated. Which cell runs out first depends on it.
const BATCH: usize = 4096;

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// One unit of a stage, from that cell or number on.
    pub(super) fn begin_on(
        &mut self,
        space: &Space,
        stage: Stage,
        from: usize,
    ) -> Result<(), TablesFull> {
        let first = || {
            if space.restrictions().is_empty() {
                return Phase::Scan(0, 0);
            }
            Phase::Begin(Stage::Restrict(CauseId::from_index(0)), 0)
        };
        let cells = self.state.cells.len();
        self.mid.phase = match stage {
            Stage::Weigh => {
                let (padded, own) = (&self.state.padded, &mut self.mid.own);
                let number = |cell| padded.number(cell);
                let made =
                    own.as_mut().is_none_or(|own| own.work(&self.rules, space, UNIT, number));
                Phase::Begin(if made { Stage::Open } else { stage }, 0)
            }
            Stage::Open => {
                let to = (from + OPENED).min(self.state.padded.len());
                self.open_cells(to);
                match to == self.state.padded.len() {
                    false => Phase::Begin(stage, to),
                    true if space.is_outlined() => Phase::Begin(Stage::Outline, 0),
                    true => first(),
                }
            }
            Stage::Outline => {
                let extent = space.layout().extent();
                for cell in extent.iter().skip(from).take(UNIT) {
                    if !space.contains(cell) {
                        self.state.cells[self.state.padded.number(cell) as usize] = D::OUTSIDE;
                    }
                }
                let to = from + UNIT;
                if to < extent.cells() { Phase::Begin(stage, to) } else { first() }
            }
            Stage::Restrict(cause) => {
                let next = CauseId::from_index(cause.index() + 1);
                match self.restrict(space, cause, from)? {
                    Some(to) => Phase::Begin(stage, to),
                    None if next.index() < space.restrictions().len() => {
                        Phase::Begin(Stage::Restrict(next), 0)
                    }
                    None => match self.mid.dead {
                        Some(dead) => Phase::Ended(Pause::Impossible(dead)),
                        None => Phase::Scan(0, 0),
                    },
                }
            }
            Stage::Common => {
                let to = (from + EASY).min(cells);
                self.seek_common(from, to);
                if to < cells {
                    Phase::Begin(stage, to)
                } else {
                    self.empty_queue();
                    let laid = self.mid.laying.is_some();
                    Phase::Begin(if laid { Stage::Order } else { Stage::Enter }, 0)
                }
            }
            Stage::Order => {
                let padded = &self.state.padded;
                let number = |cell| padded.number(cell);
                let laying = self.mid.laying.as_mut();
                let laid = laying.and_then(|laying| laying.work(padded.layout(), UNIT, number));
                if let Some(sequence) = laid {
                    self.state.queue = Queue::Fixed(sequence);
                    self.mid.laying = None;
                }
                let laid = self.mid.laying.is_none();
                Phase::Begin(if laid { Stage::Enter } else { stage }, 0)
            }
            Stage::Enter => {
                // A cell's own weights are looked at one by one.
                let unit = if self.mid.own.is_some() { UNIT / 16 } else { UNIT };
                let to = (from + unit).min(cells);
                self.enter_cells(from, to);
                if to < cells {
                    Phase::Begin(stage, to)
                } else {
                    let again = self.mid.choosing;
                    self.start_choosing();
                    match &mut self.mid.watching {
                        Some(watching) if !again => {
                            watching.heard_up_to(self.state.trail.end());
                            Phase::Watch(0)
                        }
                        _ => Phase::Choose,
                    }
                }
            }
        };
        Ok(())
    }

    /// Cells up to this number hold everything, those of the rim nothing.
    fn open_cells(&mut self, to: usize) {
        let cells = &mut self.state.cells;
        let from = cells.len();
        let rim = if self.state.padded.wraps() { D::GHOST } else { D::OUTSIDE };
        cells.resize(to, rim);
        for run in self.state.padded.inside(from..to) {
            cells[run].fill(self.full);
        }
    }

    /// Puts a restriction upon some of the cells it covers; where to continue. A cell left with nothing is
    /// noted, or becomes a hole at once where holes are left.
    fn restrict(
        &mut self,
        space: &Space,
        cause: CauseId,
        from: usize,
    ) -> Result<Option<usize>, TablesFull> {
        let restriction = &space.restrictions()[cause];
        // Neighbouring cells mostly hold the same, so the last answer is kept.
        let mut last: Option<(D::Dom, Option<D::Dom>)> = None;
        let mut full = false;
        let (domains, cells, padded) =
            (&mut self.domains, &mut self.state.cells, &self.state.padded);
        let (mid, holes) = (&mut self.mid, self.search.holes);
        let next = space.each_covered(&restriction.place, from, UNIT, |cell| {
            let at = padded.number(cell) as usize;
            let dom = cells[at];
            if full || !D::is_real(dom) {
                return;
            }
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
                    // Whoever continues does this unit again: restricting twice is restricting once.
                    full = left.is_err();
                    if full {
                        return;
                    }
                    let left = left.unwrap_or(None);
                    last = Some((dom, left));
                    left
                }
            };
            match left {
                Some(left) => cells[at] = left,
                None if holes => {
                    cells[at] = D::OUTSIDE;
                    mid.born_dead.push(cell);
                }
                None => {
                    mid.dead = mid.dead.or(Some(Dead { cause: Some(cause), ..Dead::at(cell) }));
                }
            }
        });
        if full { Err(TablesFull) } else { Ok(next) }
    }

    /// One unit of the first propagation: cells tell what they hold, those up to `until` before anything
    /// is propagated.
    pub(super) fn scan(&mut self, from: usize, mut until: usize) -> Result<(), TablesFull> {
        if from == until {
            match self.domains.wave(&mut self.state, UNIT)? {
                Wave::More => return Ok(()),
                Wave::Dead(at) => {
                    self.ends(from, at);
                    return Ok(());
                }
                // Nothing of the first propagation is ever taken back.
                Wave::Done => self.state.trail.cut(0),
            };
            until = (from + BATCH).min(self.state.cells.len());
        }
        // Neighbouring cells mostly hold the same, and mostly it says nothing.
        let mut quiet = D::OUTSIDE;
        let (mut at, mut told) = (from, 0);
        while at < until && told < UNIT {
            let dom = self.state.cells[at];
            if dom == quiet || !D::is_real(dom) {
                at += alike(&self.state.cells[at..until]);
                continue;
            }
            let news = self.domains.news(D::OUTSIDE, dom);
            if news == 0 {
                quiet = dom;
                continue;
            }
            self.mid.phase = Phase::Scan(at, until);
            let change = Change { at: at as u32, before: D::OUTSIDE, news };
            if let Some(dead) = self.domains.spread(&mut self.state, change)? {
                self.ends(at, dead);
                return Ok(());
            }
            (at, told) = (at + 1, told + 1);
        }
        self.mid.phase = Phase::Scan(at, until);
        let all = at == self.state.cells.len();
        if all && self.state.head == self.state.trail.end() {
            self.mid.phase = self.enter_again();
        }
        Ok(())
    }

    /// All open cells are to enter an empty queue.
    pub(super) const fn enter_again(&mut self) -> Phase {
        self.state.common = D::OUTSIDE;
        (self.mid.lead, self.mid.crowded) = (0, false);
        Phase::Begin(Stage::Common, 0)
    }

    /// Tells the rules of the whole map what some cells hold, from this one on.
    pub(super) fn watch(&mut self, from: usize) {
        let Some(watching) = &mut self.mid.watching else { return };
        let to = (from + UNIT).min(self.state.cells.len());
        let mut at = from;
        while at < to {
            let end = at + alike(&self.state.cells[at..to]);
            watching.tell_row(&self.domains, at as u32..end as u32, self.state.cells[at]);
            at = end;
        }
        let all = to == self.state.cells.len();
        self.mid.phase = if all { Phase::Spread } else { Phase::Watch(to) };
    }

    /// A cell ran out while those before `scanned` were through.
    fn ends(&mut self, scanned: usize, dead: u32) {
        self.mid.scanned = scanned;
        self.mid.phase = Phase::Ended(Pause::Impossible(self.dead(dead)));
    }

    /// The most common domain so far, when one holds the majority of cells (Boyer and Moore 1991), run by
    /// run of cells that hold the same.
    fn seek_common(&mut self, from: usize, to: usize) {
        let cells = &self.state.cells[..to];
        let (common, lead) = (&mut self.state.common, &mut self.mid.lead);
        let mut at = from;
        while at < to {
            let (dom, length) = (cells[at], alike(&cells[at..]));
            at += length;
            if !D::is_real(dom) {
                continue;
            }
            if dom == *common {
                *lead += length;
            } else if *lead < length {
                (*common, *lead) = (dom, length - *lead);
            } else {
                *lead -= length;
            }
        }
    }

    /// An empty queue, or one that is to be laid out, when the most common domain is known.
    fn empty_queue(&mut self) {
        let common = self.state.common;
        let level = if D::is_real(common) { self.domains.level(common) } else { 0 };
        self.untouched = if level > 0 { common } else { D::OUTSIDE };
        // Cells with weights of their own do not stand together, whatever they hold.
        let alone = self.mid.own.is_some() || self.filler.is_some();
        self.state.common = if alone { D::OUTSIDE } else { self.untouched };
        self.domains.pool(self.state.common);
        let (layout, len) = (self.state.padded.layout(), self.state.cells.len());
        self.mid.laying = self.search.order.begin(&mut self.state.queue, layout, len, level);
        (self.mid.pooled, self.mid.entered) = (0, 0);
        self.mid.steering = self.search.steer.then(|| Steering::new(&self.rules, len));
    }

    /// Puts the open ones of some cells into the queue, or into its pool.
    fn enter_cells(&mut self, from: usize, to: usize) {
        let mut at = from;
        while at < to {
            let dom = self.state.cells[at];
            let length = alike(&self.state.cells[at..to]);
            if dom == self.state.common {
                self.mid.pooled += length;
            } else if D::is_real(dom) && !self.domains.is_decided(dom) {
                self.mid.entered += length;
                for at in at..at + length {
                    let level = self.level_at(at as u32);
                    self.state.queue.enter(at as u32, level);
                }
            } else if D::is_real(dom)
                && let Some(steering) = &mut self.mid.steering
            {
                let pose = bits(self.domains.words(&dom)).next().expect("decided");
                (at..at + length).for_each(|at| steering.count(at as u32, pose));
            }
            at += length;
        }
    }

    /// All open cells are in the queue.
    fn start_choosing(&mut self) {
        if !D::is_real(self.state.common) {
            self.mid.pooled = 0;
        }
        self.state.queue.fill_pool(self.mid.pooled);
        self.state.queue.is_tidy();
        self.state.open = self.mid.entered + self.mid.pooled;
        self.mid.least_open = self.state.open;
        self.state.telling = self.mid.own.is_none() && self.filler.is_none();
        self.state.whole_until = self.state.trail.end();
        self.mid.choosing = true;
        self.mid.followed = self.state.trail.end();
    }
}
