//! Search that learns: for maps whose cells depend on each other over long distances, and for proofs.
//!
//! Where taking back and opening again keep meeting the same wall, each conflict here leaves a
//! *no-good* behind, so that no wall is met twice; with time and memory a fill is found or proved
//! not to exist. It knows nothing of the engines' tables.
//!
//! From the ground up: `lists`, `clauses`, `best`, `tallies` (how many of some variables are true), `order`,
//! `engine` (variables that are true or false), `encode` (cells as such variables), `whole` (rules of the whole map
//! that watch them).

mod best;
mod clauses;
mod encode;
mod engine;
mod lists;
mod order;
mod tallies;
mod whole;

use self::encode::{Code, Encoder};
use self::engine::{Engine, Found};
use self::whole::Whole;
use super::kernel::{Dead, Kernel, Pause};
use super::measure::{Ranking, Weights};
use super::outcome::Tally;
use super::own::OwnWeights;
use super::propagate::TablesFull;
use super::space::Space;
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent};
use crate::observe::Observer;
use crate::rules::{PoseSet, Rules};
use crate::seed::Stream;
use std::borrow::Cow;

/// Words of clauses at most, learned ones included.
const MOST_WORDS: usize = 1 << 27;
/// Cells looked at in one unit.
const AT_ONCE: usize = 16;

/// Cells whose own weights are looked at in one unit.
const OWN: usize = 64;

/// What a cell held before, by the search that gave up.
pub(super) type Before<'a> = &'a dyn Fn(Cell) -> Option<PoseId>;

/// A search with learning that is being got ready, some cells at a time.
#[derive(Debug)]
pub(super) struct Learning {
    encoder: Encoder,
    own: Option<OwnWeights>,
    /// When all is put into variables: what leans which way, from this cell on.
    made: Option<(Learner, usize)>,
    budget: u64,
    /// Bytes that clauses may come to take beyond those that are known from the start.
    bytes: u64,
    dead: Dead,
    stream: Stream,
}

impl Learning {
    /// Begins for a search of so many conflicts that may learn so many bytes; `dead` is whom to name when it does not find anything.
    pub(super) fn new(
        rules: &Rules,
        space: &Space,
        (budget, bytes): (u64, u64),
        dead: Dead,
        stream: Stream,
    ) -> Self {
        let cells = space.layout().extent().cells();
        let own = || OwnWeights::new(Ranking::Flat, cells);
        Self {
            encoder: Encoder::new(rules, space),
            own: (!space.scales().is_empty()).then(own),
            made: None,
            budget,
            bytes,
            dead,
            stream,
        }
    }

    /// One unit of work; the search when it is ready.
    pub(super) fn work(
        &mut self,
        rules: &Rules,
        space: &Space,
        before: Before<'_>,
    ) -> Option<Learner> {
        let Some((learner, from)) = &mut self.made else {
            let extent = space.layout().extent();
            let number = |cell| extent.index(cell).expect("inside") as u32;
            let weighed = self.own.as_mut().is_none_or(|own| own.work(rules, space, OWN, number));
            if weighed && self.encoder.work(rules, space) {
                let encoder = std::mem::replace(&mut self.encoder, Encoder::idle());
                let (code, mut engine) = encoder.done();
                let whole = Whole::new(space, &code).map(Box::new);
                if whole.is_some() {
                    engine.stop_before_decisions();
                }
                let picks = match self.own.take() {
                    Some(own) => Picks::Own(own),
                    None => {
                        let weights = rules.weights().iter().copied();
                        Picks::Alike(Weights::new(Ranking::Flat, weights))
                    }
                };
                let stream = self.stream.clone();
                // A list that grows is held twice for a moment.
                let more = usize::try_from(self.bytes / 16).unwrap_or(MOST_WORDS);
                let most_words = engine.words().saturating_add(more).min(MOST_WORDS);
                self.made = Some((
                    Learner {
                        code,
                        engine,
                        whole,
                        budget: self.budget,
                        most_words,
                        dead: self.dead,
                        stream,
                        picks,
                        extent,
                        fill: Vec::new(),
                        found: false,
                        ended: None,
                        steps: 0,
                    },
                    0,
                ));
            }
            return None;
        };
        let cells = learner.code.cells.len();
        let until = cells.min(*from + AT_ONCE);
        (*from..until).for_each(|at| learner.lean(at, before));
        *from = until;
        if until < cells { None } else { self.made.take().map(|(learner, _)| learner) }
    }
}

/// A search with learning over all cells of a space.
#[derive(Debug)]
pub(super) struct Learner {
    code: Code,
    engine: Engine,
    whole: Option<Box<Whole>>,
    /// Words of clauses at most.
    most_words: usize,
    /// Conflicts before it gives up.
    budget: u64,
    /// Whom to name when it does: the cell that ran out before.
    dead: Dead,
    stream: Stream,
    picks: Picks,
    extent: Extent,
    /// Whether the variables have values; then the pose of each cell read so far.
    found: bool,
    fill: Vec<u16>,
    ended: Option<Pause>,
    steps: u64,
}

/// Weights of the map, or of each cell.
#[derive(Debug)]
enum Picks {
    Alike(Weights),
    Own(OwnWeights),
}

impl Picks {
    /// The pose that 64 random bits pick for the cell of an index.
    fn pick(&self, index: usize, set: &PoseSet, random: u64) -> usize {
        match self {
            Self::Alike(weights) => weights.pick(set.words(), random),
            Self::Own(own) => own.pick(index as u32, set.words(), random),
        }
    }
}

/// Bytes that it takes for what it knows from the start.
pub(super) fn most_bytes(rules: &Rules, space: &Space) -> u64 {
    encode::most_bytes(rules, space)
}

impl Learner {
    /// Each cell leans towards what it held before, or a pose drawn by weight.
    fn lean(&mut self, at: usize, before: Before<'_>) {
        let Self { code, engine, picks, stream, extent, .. } = self;
        let first = &code.first[at];
        if first.is_empty() {
            return;
        }
        let index = extent.index(code.cells[at]).expect("inside");
        let wanted = picks.pick(index, first, stream.bits());
        let wanted = before(code.cells[at]).map_or(wanted, Id::index);
        for (var, poses) in code.vars(at).chain(code.watched_at(at)) {
            engine.lean(var, poses.words()[wanted / 64] >> (wanted % 64) & 1 == 1);
        }
    }

    /// Lets it continue for so many conflicts in all.
    pub(super) fn go_on(&mut self, budget: u64) {
        self.budget = budget;
        self.ended = None;
    }

    /// What a cell may hold by its variables.
    fn held(&self, at: usize) -> PoseSet {
        let mut held = PoseSet::empty(self.code.first[at].universe());
        let mut sure = held.clone();
        for (var, poses) in self.code.vars(at) {
            match self.engine.value(var) {
                Some(true) => sure.unite(&poses),
                None => held.unite(&poses),
                Some(false) => {}
            }
        }
        if sure.is_empty() { held } else { sure }
    }

    /// Reads the poses of more cells from the values found; whether all are read.
    fn read(&mut self) -> bool {
        let until = self.code.cells.len().min(self.fill.len() + AT_ONCE);
        for at in self.fill.len()..until {
            let index = self.extent.index(self.code.cells[at]).expect("inside");
            let pose = self.picks.pick(index, &self.held(at), self.stream.bits());
            self.fill.push(pose as u16);
        }
        until == self.code.cells.len()
    }

    fn step(&mut self) -> Option<Pause> {
        if self.found {
            return self.read().then_some(Pause::Filled);
        }
        match self.engine.step() {
            Found::Working if self.engine.conflicts >= self.budget => {
                Some(Pause::Failed(self.dead))
            }
            Found::Working if self.engine.words() > self.most_words => {
                Some(Pause::Failed(self.dead))
            }
            Found::Working => None,
            Found::Still => {
                let Self { whole, engine, code, .. } = self;
                let clause = whole.as_mut().and_then(|whole| whole.refute(engine, code))?;
                let refuted = engine.refute(clause) == Found::None;
                refuted.then_some(Pause::Impossible(self.dead))
            }
            Found::Values => {
                self.found = true;
                None
            }
            Found::None => Some(Pause::Impossible(self.dead)),
        }
    }
}

impl Kernel for Learner {
    fn work(
        &mut self,
        _space: &Space,
        steps: &mut u64,
        _observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        while self.ended.is_none() && *steps > 0 {
            self.ended = self.step();
            *steps -= 1;
            self.steps += 1;
        }
        Ok(self.ended.unwrap_or(Pause::Working))
    }

    fn words(&self, cell: Cell) -> Cow<'_, [u64]> {
        let at = self.code.place(self.extent.index(cell).expect("takes part"));
        let words = match self.fill.get(at) {
            Some(&pose) => {
                let universe = self.code.first[at].universe();
                PoseSet::from_fn(universe, |id| id.index() == usize::from(pose))
            }
            None => self.held(at),
        };
        Cow::Owned(words.words().to_vec())
    }

    fn newest(&self) -> Option<Cell> {
        None
    }

    /// As many cells count as open as the share of variables without a value.
    fn open(&self) -> usize {
        let (cells, vars) = (self.code.cells.len() as u64, self.engine.vars().max(1) as u64);
        match self.ended {
            Some(Pause::Filled) => 0,
            _ => (cells - cells * self.engine.known() as u64 / vars) as usize,
        }
    }

    fn choosing(&self) -> bool {
        true
    }

    fn tally(&self) -> Tally {
        Tally {
            steps: self.steps,
            decisions: self.engine.decisions,
            contradictions: self.engine.conflicts,
            learned: self.engine.conflicts,
            ..Tally::default()
        }
    }
}
