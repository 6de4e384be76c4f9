//! The search as a run drives it, and the move to another engine in the middle.

use super::reopen::Heat;
use super::{Phase, Searcher};
use crate::lattice::{Cell, Layout};
use crate::observe::Observer;
use crate::rules::{Rules, bits};
use crate::seed::Stream;
use crate::solve::constrain::Watching;
use crate::solve::kernel::{Kernel, Pause, Tries, ranking};
use crate::solve::outcome::Tally;
use crate::solve::own::OwnWeights;
use crate::solve::padded::Padded;
use crate::solve::propagate::{Domains, Plain, TablesFull};
use crate::solve::settings::Search;
use crate::solve::space::Space;

impl<D: Domains + 'static, const S: usize> Kernel for Searcher<D, S> {
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        let tell = observer.wants_decisions();
        loop {
            if let Phase::Ended(pause) = self.phase {
                return Ok(pause);
            }
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            if let Phase::Choose = self.phase {
                if !tell && self.can_sprint() && self.sprint(steps, observer)? {
                    continue;
                }
                self.decide(observer, tell)?;
            } else {
                self.unit(space, observer, tell)?;
            }
            *steps -= 1;
            self.tally.steps += 1;
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
        self.choosing
    }

    fn tally(&self) -> Tally {
        self.tally
    }
}

impl<D: Domains + 'static, const S: usize> Tries for Searcher<D, S> {
    fn begin(&mut self, space: &Space, search: Search, stream: Stream) -> Result<(), TablesFull> {
        self.search = search;
        self.stream = stream;
        self.state.trail.clear();
        self.state.head = 0;
        self.state.telling = false;
        self.choosing = false;
        let padded = &self.state.padded;
        self.own = (!space.scales().is_empty()).then(|| {
            let number = |cell| padded.number(cell);
            OwnWeights::new(&self.rules, space, ranking(search.order), padded.len(), number)
        });
        self.watching = Watching::new(space.constraints(), padded.len());
        self.broken = None;
        self.committed = false;
        self.tally = Tally::default();
        self.stale = 0;
        self.heat = Heat::default();
        self.scanned = 0;
        // Every cell counts as open until the first propagation is done.
        self.state.open = self.state.padded.len();
        self.phase = match self.first_domains(space)? {
            Some(dead) => Phase::Ended(Pause::Impossible(dead)),
            None => Phase::Scan(0),
        };
        Ok(())
    }

    fn widened(&self) -> Box<dyn Tries> {
        match self.rules.poses().len() {
            0..64 => Box::new(self.over::<Plain<1>>()),
            64..128 => Box::new(self.over::<Plain<2>>()),
            128..256 => Box::new(self.over::<Plain<4>>()),
            256..1024 => Box::new(self.over::<Plain<16>>()),
            _ => Box::new(self.over::<Plain<161>>()),
        }
    }

    fn born_dead(&self) -> &[Cell] {
        &self.born_dead
    }

    fn punch(&mut self, cell: Cell) {
        let at = self.state.padded.number(cell);
        if !self.choosing {
            // The first propagation goes on where it was.
            self.state.cells[at as usize] = D::OUTSIDE;
            let told = self.untold();
            self.state.trail.forget();
            self.tell(told);
            self.phase = Phase::Scan(self.scanned);
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
        } else if let Some(steering) = &mut self.steering {
            let pose = bits(self.domains.words(&dom)).next().expect("decided");
            steering.discount(at, pose);
        }
        self.state.cells[at as usize] = D::OUTSIDE;
        if let Some(watching) = &mut self.watching {
            watching.tell(&self.domains, at, D::OUTSIDE);
        }
        if let Some(own) = &mut self.own {
            own.close(at);
        }
        // Nothing is opened, but what was not propagated yet is told again.
        self.open_again(&[]);
    }

    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool {
        self.rules.same(rules)
            && space.layout().lattice().sides().len() == S
            && ranking(self.search.order) == ranking(search.order)
    }

    fn check_indices(&mut self, checked: bool) {
        self.checked = checked;
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
        other.own.clone_from(&self.own);
        other.watching.clone_from(&self.watching);
        if let Some(watching) = &mut other.watching {
            watching.forget_domains();
        }
        other.broken = self.broken;
        other.followed = self.followed;
        other.choosing = self.choosing;
        other.untouched = tell(self.untouched);
        other.tally = self.tally;
        other.least_open = self.least_open;
        other.stale = self.stale;
        other.heat.clone_from(&self.heat);
        other.scanned = self.scanned;
        other.born_dead.clone_from(&self.born_dead);
        other.checked = self.checked;
        other
    }
}
