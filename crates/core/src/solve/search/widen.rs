//! The move from tables to bits in the middle, some cells at a time.

use super::Searcher;
use crate::lattice::{Cell, Layout};
use crate::observe::Observer;
use crate::rules::Rules;
use crate::seed::Stream;
use crate::solve::kernel::{Kernel, Pause, Tries};
use crate::solve::outcome::Tally;
use crate::solve::propagate::{Domains, Memo, OverBits, TablesFull, over_bits};
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::any::Any;
use std::borrow::Cow;

/// Bytes of cells or changes copied in one unit.
const BYTES: usize = 1 << 14;

/// The search of `from`, which is spent, in the same state over bits.
///
/// # Panics
///
/// If `from` does not search over tables: nothing else is ever full.
pub(super) fn widened<D: Domains + 'static, const S: usize>(
    from: &mut Searcher<D, S>,
) -> Box<dyn Tries> {
    let from: &mut dyn Any = from;
    let from: &mut Searcher<Memo, S> = from.downcast_mut().expect("bits hold any domain");
    let fresh = Searcher::new(&from.rules, from.search, from.state.padded.layout());
    let from = std::mem::replace(from, fresh);
    over_bits(from.rules.poses().len(), Moves(from))
}

struct Moves<const S: usize>(Searcher<Memo, S>);

impl<const S: usize> OverBits for Moves<S> {
    type Output = Box<dyn Tries>;

    fn over<E: Domains + 'static>(self) -> Box<dyn Tries> {
        Box::new(Widening::<E, S>::new(self.0))
    }
}

/// A search on its way from tables to an engine that holds any domain, and then over that one.
#[derive(Debug)]
struct Widening<E: Domains, const S: usize> {
    /// Until everything is copied.
    from: Option<Searcher<Memo, S>>,
    to: Searcher<E, S>,
    /// Cells copied, and changes that can be taken back.
    cells: usize,
    changes: usize,
}

impl<E: Domains, const S: usize> Widening<E, S> {
    /// Cells or changes copied in one unit.
    const AT_ONCE: usize = BYTES / size_of::<E::Dom>();

    fn new(from: Searcher<Memo, S>) -> Self {
        let mut to = Searcher::new(&from.rules, from.search, from.state.padded.layout());
        to.state.cells.reserve_exact(from.state.padded.len());
        to.state.trail = from.state.trail.empty_from_here(E::OUTSIDE);
        let changes = to.state.trail.end();
        Self { from: Some(from), to, cells: 0, changes }
    }

    /// Copies some more; whether everything is copied.
    fn tell(&mut self) -> bool {
        let Self { from, to, cells, changes } = self;
        let Some(from) = from else { return true };
        let domains = &mut to.domains;
        let mut last: Option<(<Memo as Domains>::Dom, E::Dom)> = None;
        let mut tell = |dom: <Memo as Domains>::Dom| match last {
            Some((before, told)) if before == dom => told,
            _ => {
                let told = if Memo::is_real(dom) {
                    domains.of(from.domains.words(&dom)).expect("bits hold any domain")
                } else if dom == Memo::OUTSIDE {
                    E::OUTSIDE
                } else {
                    E::GHOST
                };
                last = Some((dom, told));
                told
            }
        };
        let until = (*cells + Self::AT_ONCE).min(from.state.cells.len());
        to.state.cells.extend(from.state.cells[*cells..until].iter().map(|&dom| tell(dom)));
        let left = Self::AT_ONCE - (until - *cells);
        *cells = until;
        let until = (*changes + left).min(from.state.trail.end());
        for position in *changes..until {
            let change = from.state.trail.get(position);
            to.state.trail.push(change.at, tell(change.before), change.news);
        }
        *changes = until;
        if *cells < from.state.cells.len() || *changes < from.state.trail.end() {
            return false;
        }
        to.state.common = tell(from.state.common);
        to.untouched = tell(from.untouched);
        to.full = tell(from.full);
        (to.filler, to.swept) = (from.filler.clone(), from.swept);
        to.opened = from.opened.iter().map(|&(at, dom)| (at, tell(dom))).collect();
        to.state.head = from.state.head;
        to.state.telling = from.state.telling;
        to.state.whole_until = from.state.whole_until;
        to.state.open = from.state.open;
        std::mem::swap(&mut to.state.queue, &mut from.state.queue);
        to.mid = from.mid.clone();
        if let Some(watching) = &mut to.mid.watching {
            watching.forget_domains();
        }
        true
    }

    fn now(&self) -> &dyn Kernel
    where
        E: 'static,
    {
        match &self.from {
            Some(from) => from,
            None => &self.to,
        }
    }
}

impl<E: Domains + 'static, const S: usize> Kernel for Widening<E, S> {
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        while self.from.is_some() {
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            *steps -= 1;
            if self.tell() {
                self.from = None;
            }
        }
        self.to.work(space, steps, observer)
    }

    fn words(&self, cell: Cell) -> Cow<'_, [u64]> {
        self.now().words(cell)
    }

    fn newest(&self) -> Option<Cell> {
        self.now().newest()
    }

    fn open(&self) -> usize {
        self.now().open()
    }

    fn choosing(&self) -> bool {
        self.now().choosing()
    }

    fn tally(&self) -> Tally {
        self.now().tally()
    }

    fn changes(&self) -> usize {
        self.now().changes()
    }

    fn changed_since(&self, changes: usize) -> Option<Vec<Cell>> {
        self.now().changed_since(changes)
    }
}

impl<E: Domains + 'static, const S: usize> Tries for Widening<E, S> {
    fn begin(&mut self, space: &Space, search: Search, stream: Stream) -> Result<(), TablesFull> {
        self.from = None;
        self.to.begin(space, search, stream)
    }

    fn widened(&mut self) -> Box<dyn Tries> {
        unreachable!("bits hold any domain")
    }

    fn born_dead(&self) -> &[Cell] {
        self.to.born_dead()
    }

    fn punch(&mut self, cell: Cell) {
        self.to.punch(cell);
    }

    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool {
        self.to.serves(rules, space, search)
    }

    fn check_indices(&mut self, checked: bool) {
        self.to.check_indices(checked);
    }

    fn relayout(&mut self, layout: Layout) {
        self.from = None;
        self.to.relayout(layout);
    }
}
