//! The start of a try: first domains, the first propagation, and the queue.

use super::{Phase, Searcher, UNIT};
use crate::lattice::{Cell, Lattice};
use crate::rules::bits;
use crate::solve::choose::{Buckets, Queue, Sequence};
use crate::solve::kernel::{Dead, Pause};
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::settings::Order;
use crate::solve::space::Space;
use crate::solve::state::{Wave, alike};
use crate::solve::steer::Steering;
use crate::solve::undo::Change;

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// Fills `cells` with first domains; the first cell left with nothing is returned. Where holes are
    /// left, such cells become holes at once.
    pub(super) fn first_domains(&mut self, space: &Space) -> Result<Option<Dead>, TablesFull> {
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
        let mut born_dead = Vec::new();
        for (cause, restriction) in space.restrictions().pairs() {
            // Neighbouring cells mostly hold the same, so the last answer is kept.
            let mut last: Option<(D::Dom, Option<D::Dom>)> = None;
            let mut full = false;
            let (domains, cells, padded) =
                (&mut self.domains, &mut self.state.cells, &self.state.padded);
            let holes = self.search.holes;
            space.for_each_covered(&restriction.place, |cell| {
                let at = padded.number(cell) as usize;
                let dom = cells[at];
                if !D::is_real(dom) {
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
                        full |= left.is_err();
                        let left = left.unwrap_or(None);
                        last = Some((dom, left));
                        left
                    }
                };
                match left {
                    Some(left) => cells[at] = left,
                    None if holes => {
                        cells[at] = D::OUTSIDE;
                        born_dead.push(cell);
                    }
                    None => dead = dead.or(Some(Dead { cause: Some(cause), ..Dead::at(cell) })),
                }
            });
            if full {
                return Err(TablesFull);
            }
        }
        self.born_dead = born_dead;
        Ok(dead)
    }

    /// One unit of the first propagation.
    pub(super) fn scan(&mut self, from: usize) -> Result<(), TablesFull> {
        match self.domains.wave(&mut self.state, UNIT)? {
            Wave::More => {}
            Wave::Dead(at) => self.ends(from, at),
            Wave::Done => {
                // Nothing of the first propagation is ever taken back.
                self.state.trail.cut(0);
                let to = (from + UNIT).min(self.state.cells.len());
                // Neighbouring cells mostly hold the same, and mostly it says nothing.
                let mut quiet = D::OUTSIDE;
                let mut at = from;
                while at < to {
                    let dom = self.state.cells[at];
                    if dom == quiet || !D::is_real(dom) {
                        at += alike(&self.state.cells[at..to]);
                        continue;
                    }
                    let news = self.domains.news(D::OUTSIDE, dom);
                    if news == 0 {
                        quiet = dom;
                        continue;
                    }
                    self.phase = Phase::Scan(at);
                    let change = Change { at: at as u32, before: D::OUTSIDE, news };
                    if let Some(dead) = self.domains.spread(&mut self.state, change)? {
                        self.ends(at, dead);
                        return Ok(());
                    }
                    at += 1;
                }
                self.phase = Phase::Scan(to);
                if to == self.state.cells.len() && self.state.head == self.state.trail.end() {
                    self.fill_queue();
                    self.phase = match &mut self.watching {
                        Some(watching) => {
                            watching.heard_up_to(self.state.trail.end());
                            Phase::Watch(0)
                        }
                        None => Phase::Choose,
                    };
                }
            }
        }
        Ok(())
    }

    /// Tells the rules of the whole map what some cells hold, from this one on.
    pub(super) fn watch(&mut self, from: usize) {
        let Some(watching) = &mut self.watching else { return };
        let to = (from + UNIT).min(self.state.cells.len());
        for at in from..to {
            watching.tell(&self.domains, at as u32, self.state.cells[at]);
        }
        let all = to == self.state.cells.len();
        self.phase = if all { Phase::Spread } else { Phase::Watch(to) };
    }

    /// A cell ran out while those before `scanned` were through.
    fn ends(&mut self, scanned: usize, dead: u32) {
        self.scanned = scanned;
        self.phase = Phase::Ended(Pause::Impossible(self.dead(dead)));
    }

    pub(super) fn fill_queue(&mut self) {
        // The most common domain, when one holds the majority of cells (Boyer and Moore 1991), run
        // by run of cells that hold the same.
        let (mut common, mut lead) = (D::OUTSIDE, 0usize);
        let mut at = 0;
        while at < self.state.cells.len() {
            let (dom, length) = (self.state.cells[at], alike(&self.state.cells[at..]));
            at += length;
            if !D::is_real(dom) {
                continue;
            }
            if dom == common {
                lead += length;
            } else if lead < length {
                (common, lead) = (dom, length - lead);
            } else {
                lead -= length;
            }
        }
        let level = if D::is_real(common) { self.domains.level(common) } else { 0 };
        self.untouched = if level > 0 { common } else { D::OUTSIDE };
        // Cells with weights of their own do not stand together, whatever they hold.
        self.state.common = if self.own.is_some() { D::OUTSIDE } else { self.untouched };
        self.domains.pool(self.state.common);
        self.reset_queue(level);
        let (mut pooled, mut entered) = (0, 0);
        let mut at = 0;
        while at < self.state.cells.len() {
            let dom = self.state.cells[at];
            let length = alike(&self.state.cells[at..]);
            if dom == self.state.common {
                pooled += length;
            } else if D::is_real(dom) && !self.domains.is_decided(dom) {
                entered += length;
                for at in at..at + length {
                    let level = self.level_at(at as u32);
                    self.state.queue.enter(at as u32, level);
                }
            }
            at += length;
        }
        if !D::is_real(self.state.common) {
            pooled = 0;
        }
        self.state.queue.fill_pool(pooled);
        self.state.open = pooled + entered;
        self.least_open = self.state.open;
        self.state.telling = self.own.is_none();
        self.choosing = true;
        self.followed = self.state.trail.end();
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

    /// An empty queue of the order asked for, keeping memory where it can.
    pub(super) fn reset_queue(&mut self, pool_level: u8) {
        let layout = self.state.padded.layout();
        let len = self.state.cells.len();
        let order = self.search.order;
        let sequence = match order {
            Order::Rows if layout.lattice() == Lattice::HexPointy => {
                let rows = layout.extent().iter().map(|cell| self.state.padded.number(cell));
                Sequence::of(rows.collect(), len)
            }
            Order::Rows => Sequence::by_number(),
            Order::Outward(from) => Sequence::of(self.outward(from), len),
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

    /// The numbers of all cells by their distance from one, equals row by row.
    ///
    /// Distances in a map lie close together, so they are counted and not compared: linear in cells.
    fn outward(&self, from: Cell) -> Vec<u32> {
        let padded = &self.state.padded;
        let (lattice, extent) = (padded.layout().lattice(), padded.layout().extent());
        let nearest = extent.iter().map(|cell| lattice.distance(from, cell)).min().unwrap_or(0);
        let ring = |cell| (lattice.distance(from, cell) - nearest) as usize;
        let mut places = Vec::new();
        for cell in extent.iter() {
            places.resize(places.len().max(ring(cell) + 1), 0u32);
            places[ring(cell)] += 1;
        }
        let mut all = 0;
        for place in &mut places {
            all += std::mem::replace(place, all);
        }
        let mut numbers = vec![0; all as usize];
        for cell in extent.iter() {
            let place = &mut places[ring(cell)];
            numbers[*place as usize] = padded.number(cell);
            *place += 1;
        }
        numbers
    }
}
