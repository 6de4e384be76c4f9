//! The search as a run drives it.

use super::Searcher;
use super::midway::Midway;
use super::phase::{Phase, Stage};
use super::widen::widened;
use crate::lattice::{Cell, Layout};
use crate::observe::Observer;
use crate::rules::{Rules, bits};
use crate::seed::Stream;
use crate::solve::choose::Order;
use crate::solve::constrain::Watching;
use crate::solve::kernel::{Kernel, Pause, Tries};
use crate::solve::outcome::Tally;
use crate::solve::own::OwnWeights;
use crate::solve::padded::Padded;
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::borrow::Cow;
use std::sync::Arc;

impl<D: Domains + 'static, const S: usize> Kernel for Searcher<D, S> {
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        let tell = observer.wants_decisions();
        loop {
            if let Phase::Ended(pause) = self.mid.phase {
                return Ok(pause);
            }
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            if let Phase::Choose = self.mid.phase {
                if !tell && self.can_sprint() && self.sprint(steps, observer)? {
                    continue;
                }
                self.mid.tally.steps += u64::from(self.decide(observer, tell)?);
            } else {
                self.unit(space, observer, tell)?;
                self.mid.tally.steps += 1;
            }
            *steps -= 1;
        }
    }

    fn words(&self, cell: Cell) -> Cow<'_, [u64]> {
        let at = self.state.padded.number(cell) as usize;
        let dom = self.state.cells.get(at).unwrap_or(&self.full);
        Cow::Borrowed(if D::is_real(*dom) { self.domains.words(dom) } else { &[] })
    }

    fn newest(&self) -> Option<Cell> {
        let mark = self.state.trail.newest_made()?;
        Some(self.state.padded.cell(self.state.trail.get(mark).at))
    }

    fn open(&self) -> usize {
        self.state.open
    }

    fn choosing(&self) -> bool {
        self.mid.choosing
    }

    fn tally(&self) -> Tally {
        self.mid.tally
    }

    fn changes(&self) -> usize {
        self.state.trail.end()
    }

    fn changed_since(&self, changes: usize) -> Option<Vec<Cell>> {
        let trail = &self.state.trail;
        let known = trail.end() - trail.len()..=trail.end();
        let cell = |position| self.state.padded.cell(trail.get(position).at);
        // What is known before the first choice is in no window.
        (self.mid.choosing && known.contains(&changes))
            .then(|| (changes..trail.end()).map(cell).collect())
    }
}

impl<D: Domains + 'static, const S: usize> Tries for Searcher<D, S> {
    fn begin(&mut self, space: &Space, search: Search, stream: Stream) -> Result<(), TablesFull> {
        let everything = self.rules.select(|_| true);
        self.full = self.domains.of(everything.words())?;
        self.search = search;
        self.filler = match search.order {
            Order::Spread(tile) => Some(self.rules.select(|pose| pose.tile == tile)),
            _ => None,
        };
        self.swept = 0;
        self.state.cells.clear();
        self.state.cells.reserve_exact(self.state.padded.len());
        self.state.trail.clear();
        self.state.head = 0;
        self.state.telling = false;
        self.state.whole_until = usize::MAX;
        // Every cell counts as open until the first propagation is done.
        self.state.open = self.state.padded.len();
        let len = self.state.padded.len();
        let own = !space.scales().is_empty();
        self.mid = Midway::new(stream, self.mid.checked);
        self.mid.own = own.then(|| OwnWeights::new(search.order.ranking(), len));
        let rules = space.constraints();
        // Where there is nothing to watch, nothing is copied.
        self.mid.watching = (!rules.is_empty())
            .then(|| Watching::new(rules, Arc::new(self.state.padded.clone())))
            .flatten();
        self.mid.phase = Phase::Begin(if own { Stage::Weigh } else { Stage::Open }, 0);
        Ok(())
    }

    fn widened(&mut self) -> Box<dyn Tries> {
        widened(self)
    }

    fn born_dead(&self) -> &[Cell] {
        &self.mid.born_dead
    }

    fn punch(&mut self, cell: Cell) {
        let at = self.state.padded.number(cell);
        if !self.mid.choosing {
            // The first propagation continues where it was.
            self.state.cells[at as usize] = D::OUTSIDE;
            let told = self.untold();
            self.state.trail.forget();
            self.tell(told);
            self.mid.phase = Phase::Scan(self.mid.scanned, self.mid.scanned);
            return;
        }
        // What was decided is heard of while the cell still holds something.
        self.follow();
        let dom = self.state.cells[at as usize];
        if dom == self.state.common {
            self.state.queue.leave_pool();
        }
        if !self.domains.is_decided(dom) {
            self.state.open -= 1;
        } else if let Some(steering) = &mut self.mid.steering {
            let pose = bits(self.domains.words(&dom)).next().expect("decided");
            steering.discount(at, pose);
        }
        self.state.cells[at as usize] = D::OUTSIDE;
        if let Some(watching) = &mut self.mid.watching {
            watching.tell(&self.domains, at, D::OUTSIDE);
        }
        if let Some(own) = &mut self.mid.own {
            own.close(at);
        }
        // Nothing is opened, but what was not propagated yet is told again.
        self.open_again(&[]);
    }

    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool {
        self.rules.same(rules)
            && space.layout().lattice().sides().len() == S
            && self.search.order.ranking() == search.order.ranking()
    }

    fn check_indices(&mut self, checked: bool) {
        self.mid.checked = checked;
    }

    fn relayout(&mut self, layout: Layout) {
        self.state.padded = Padded::new(layout);
    }
}
