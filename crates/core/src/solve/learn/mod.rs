//! Search that learns: for maps whose cells depend on each other over long distances, and for proofs.
//!
//! Where taking back and opening again keep meeting the same wall, each conflict here leaves a
//! *no-good* behind, so that no wall is met twice; with time and memory a fill is found or proved
//! not to exist. It knows nothing of the engines' tables.
//!
//! From the ground up: `clauses`, `tallies` (how many of some variables are true), `order`, `engine`
//! (variables that are true or false), `encode` (cells as such variables).

mod clauses;
mod encode;
mod engine;
mod order;
mod tallies;

use self::encode::Code;
use self::engine::{Engine, Found};
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

/// Words of clauses at most, learned ones included.
const MOST_WORDS: usize = 1 << 27;

/// A search with learning over all cells of a space.
#[derive(Debug)]
pub(super) struct Learner {
    code: Code,
    engine: Engine,
    /// Conflicts before it gives up.
    budget: u64,
    /// Whom to name when it does: the cell that ran out before.
    dead: Dead,
    stream: Stream,
    weights: Picks,
    /// What each cell may hold by now, in cell order of the whole map.
    words: Vec<Vec<u64>>,
    place: Vec<u32>,
    extent: Extent,
    open: usize,
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
    /// Begins. `before` tells what a cell held when the search before it gave up at `dead`.
    pub(super) fn new(
        rules: &Rules,
        space: &Space,
        budget: u64,
        dead: Dead,
        mut stream: Stream,
        before: impl Fn(Cell) -> Option<PoseId>,
    ) -> Self {
        let (code, mut engine) = Code::new(rules, space);
        let extent = space.layout().extent();
        let mut place = vec![u32::MAX; extent.cells()];
        for (at, &cell) in code.cells.iter().enumerate() {
            place[extent.index(cell).expect("inside")] = at as u32;
        }
        let weights = if space.scales().is_empty() {
            Picks::Alike(Weights::new(Ranking::Flat, rules.weights().iter().copied()))
        } else {
            let number = |cell| extent.index(cell).expect("inside") as u32;
            Picks::Own(OwnWeights::new(rules, space, Ranking::Flat, extent.cells(), number))
        };
        // Each cell leans towards what it held before, or a pose drawn by weight.
        for (at, first) in code.first.iter().enumerate() {
            if first.is_empty() {
                continue;
            }
            let index = extent.index(code.cells[at]).expect("inside");
            let wanted = weights.pick(index, first, stream.bits());
            let wanted = before(code.cells[at]).map_or(wanted, Id::index);
            for (var, poses) in code.vars(at).chain(code.counted(at)) {
                let bit = poses.words()[wanted / 64] >> (wanted % 64) & 1;
                engine.leaning[var as usize] = bit == 1;
            }
        }
        let words = code.first.iter().map(|first| first.words().to_vec()).collect();
        let open = code.cells.len();
        Self {
            code,
            engine,
            budget,
            dead,
            stream,
            weights,
            words,
            place,
            extent,
            open,
            ended: None,
            steps: 0,
        }
    }

    /// Reads from the variables what each cell may hold.
    fn read(&mut self) {
        self.open = 0;
        for at in 0..self.code.cells.len() {
            let mut held = PoseSet::empty(self.code.first[at].universe());
            let mut sure = held.clone();
            for (var, poses) in self.code.vars(at) {
                match self.engine.value(var) {
                    Some(true) => sure.unite(&poses),
                    None => held.unite(&poses),
                    Some(false) => {}
                }
            }
            if !sure.is_empty() {
                held = sure;
            }
            if self.ended == Some(Pause::Filled) {
                let index = self.extent.index(self.code.cells[at]).expect("inside");
                let pose = self.weights.pick(index, &held, self.stream.bits());
                held = PoseSet::from_fn(held.universe(), |id| id.index() == pose);
            }
            self.open += usize::from(held.len() > 1);
            self.words[at].copy_from_slice(held.words());
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
        let before = *steps;
        while self.ended.is_none() && *steps > 0 {
            self.ended = match self.engine.step() {
                Found::Working if self.engine.conflicts >= self.budget => {
                    Some(Pause::Failed(self.dead))
                }
                Found::Working if self.engine.words() > MOST_WORDS => {
                    Some(Pause::Failed(self.dead))
                }
                Found::Working => None,
                Found::Values => Some(Pause::Filled),
                Found::None => Some(Pause::Impossible(self.dead)),
            };
            *steps -= 1;
        }
        if before > *steps {
            self.steps += before - *steps;
            self.read();
        }
        Ok(self.ended.unwrap_or(Pause::Working))
    }

    fn words(&self, cell: Cell) -> &[u64] {
        let index = self.extent.index(cell).expect("takes part");
        &self.words[self.place[index] as usize]
    }

    fn newest(&self) -> Option<Cell> {
        None
    }

    fn open(&self) -> usize {
        self.open
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
