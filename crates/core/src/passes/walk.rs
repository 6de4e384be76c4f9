//! The `walk` pass: walkers that go on by chance. Reach: the map.

use super::becomes::Becomes;
use super::condition::{Condition, within};
use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use super::ways::{Around, Ground};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Side};
use crate::limits::Stopped;
use crate::map::{Names, Numbers, Tilemap};
use crate::seed::{Stream, Weighted, part_of_one};
use thiserror::Error;

/// Walkers that begin at cells of a condition and go on by chance, each for so many steps.
///
/// A walker goes straight for a while, then chooses a way again: it keeps on by the chance
/// [`straight`](Self::straight), and else takes any way by its weight. Where it cannot go on it goes back
/// to an earlier cell of its own walk, which costs no steps, or ends.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::passes::{Becomes, Condition, WalkStep};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let rim = Condition::Border { least: 0, most: 0 };
/// let root = WalkStep::new(rim, [40, 40])
///     .straight(0.6)
///     .becomes(vec![Becomes::Tag("root".into())])
///     .plane(Some("reached".into()));
/// let recipe = Recipe::new([Pass::new("root", root)]);
/// let made = recipe.make(Layout::flat(Lattice::HexPointy, 20, 20)?, &Seed::default())?;
/// assert_eq!(made.map.tag("root").unwrap().count(), 41, "40 steps over cells of its own");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct WalkStep {
    /// Where walkers may begin; which of these cells, chance decides, each walker at another while there
    /// are enough.
    pub from: Condition,
    /// The fewest and the most steps of a walker.
    pub steps: [u32; 2],
    /// How many walkers, one after the other.
    pub walkers: u32,
    /// Which cells can be gone over; the first ones too.
    pub through: Condition,
    /// The cells that one step reaches.
    pub around: Around,
    /// The chance to keep on where a way is chosen, from 0 to 1.
    pub straight: f64,
    /// The fewest and the most steps before a way is chosen again.
    pub runs: [u32; 2],
    /// How common each way is that crosses this side (first); default 1.
    pub weights: Vec<(Side, f64)>,
    /// Whether a cell may be walked over twice.
    pub crosses: bool,
    /// How many steps a walk keeps off all that was walked before, its own cells next to the one it stands on left
    /// out. 0 keeps off nothing; without effect where walks cross.
    pub apart: u32,
    /// Where a walker ends, besides by its steps.
    pub until: Option<Condition>,
    /// What a walker does that cannot go on.
    pub stuck: Stuck,
    /// What the cells become.
    pub becomes: Vec<Becomes>,
    /// A plane for the order in which cells were reached, from 0.
    pub plane: Option<String>,
}

/// What a walker does that cannot go on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Stuck {
    /// It goes on from the latest cell of its walk from which there is a way.
    #[default]
    Nearest,
    /// It goes on from any cell of its walk from which there is a way.
    Random,
    /// It ends.
    Ends,
}

crate::setters! {
    WalkStep {
        walkers: u32,
        through: Condition,
        around: Around,
        straight: f64,
        runs: [u32; 2],
        weights: Vec<(Side, f64)>,
        crosses: bool,
        apart: u32,
        until: Option<Condition>,
        stuck: Stuck,
        becomes: Vec<Becomes>,
        plane: Option<String>,
    }
}

/// Nobody can begin to walk.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
#[error(
    "no walk can start: no cell has {from} and {through}; let an earlier pass make one, or change `from`"
)]
pub struct WalkError {
    /// Where walkers begin, in words.
    pub from: String,
    /// What they go over, in words.
    pub through: String,
}

impl WalkStep {
    /// One walker over every cell, by sides, that never crosses its own walk.
    pub fn new(from: Condition, steps: [u32; 2]) -> Self {
        Self {
            from,
            steps,
            walkers: 1,
            through: Condition::default(),
            around: Around::Sides,
            straight: 0.5,
            runs: [1, 1],
            weights: Vec::new(),
            crosses: false,
            apart: 0,
            until: None,
            stuck: Stuck::Nearest,
            becomes: Vec::new(),
            plane: None,
        }
    }
}

impl Step for WalkStep {
    fn kind(&self) -> &'static str {
        "walk"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        let conditions = [&self.from, &self.through];
        for what in conditions.into_iter().chain(&self.until) {
            access.reads.unite(&what.reads());
        }
        self.becomes.iter().for_each(|becomes| becomes.note(&mut access.writes));
        access.writes.planes.unite(&Names::of(&self.plane));
        access
    }

    fn reach(&self) -> Reach {
        Reach::Map
    }

    /// O(cells + steps x (1 + apart^4)), 5 bytes a cell and 12 a step.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let cells = |what: &Condition| what.paced(map, scene.seed, scene.name, scene.pace);
        let (from, open, place) = (cells(&self.from)?, cells(&self.through)?, scene.cells(map)?);
        let until = self.until.as_ref().map(cells).transpose()?;
        let ground = Ground::new(map.layout(), self.around, &open);
        let drawn = scene.seed.keyed(&[scene.name, "walk", "start"]);
        let mut starts: Vec<(u64, Cell)> = from
            .iter()
            .filter(|&cell| open.get(cell))
            .map(|cell| (drawn.bits(cell), cell))
            .collect();
        starts.sort_unstable();
        if starts.is_empty() {
            let error =
                WalkError { from: self.from.to_string(), through: self.through.to_string() };
            return Err(StepError::Other(Box::new(error)));
        }
        let weight = |way| {
            let side = ground.side(way);
            let said = self.weights.iter().find(|(known, _)| *known == side);
            said.map_or(1.0, |(_, weight)| weight.max(0.0))
        };
        let mut walk = Walk {
            step: self,
            weights: (0..ground.ways()).map(weight).collect(),
            ground,
            until,
            order: Plane::new(map.layout().extent(), NEVER),
            reached: Vec::new(),
        };
        for number in 0..self.walkers as usize {
            let chance = scene.seed.stream(&[scene.name, "walk", &number.to_string()]);
            walk.go(starts[number % starts.len()].1, chance, scene)?;
        }
        let mut walked = BitPlane::of_cells(open.extent(), &walk.reached);
        walked.intersect(&place);
        let looks = scene.seed.keyed(&[scene.name, "look"]);
        let (mut report, mut next) = (PassReport::new(scene.name), map.clone());
        for becomes in &self.becomes {
            report.cells += becomes.lay(&mut next, looks, walked.indices(), scene.pace)?;
        }
        if let Some(plane) = &self.plane {
            let number = |&order: &u32| (order != NEVER).then_some(i64::from(order));
            let order = Numbers::from_values(open.extent(), walk.order.values().iter().map(number));
            next.plane_mut(plane).take_at(&order.expect("one a cell"), walked.indices());
        }
        *map = next;
        Ok(Work::Done(report))
    }
}

/// A cell that nobody reached.
const NEVER: u32 = u32::MAX;

/// All walks of a pass.
struct Walk<'s, 'g> {
    step: &'s WalkStep,
    ground: Ground<'g>,
    weights: Vec<f64>,
    until: Option<BitPlane>,
    /// When each cell was reached first.
    order: Plane<u32>,
    /// The cells in that order.
    reached: Vec<Cell>,
}

impl Walk<'_, '_> {
    fn reach(&mut self, cell: Cell) {
        let order = self.order.get_mut(cell).expect("inside");
        if *order == NEVER {
            *order = self.reached.len() as u32;
            self.reached.push(cell);
        }
    }

    /// One walk, from its first cell to its end.
    fn go(&mut self, start: Cell, mut chance: Stream, scene: &Scene<'_>) -> Result<(), Stopped> {
        let between = |chance: &mut Stream, [least, most]: [u32; 2]| {
            let more = u64::from(most.saturating_sub(least)) + 1;
            least.saturating_add(chance.below(more) as u32)
        };
        let steps = between(&mut chance, self.step.steps);
        // Cells of this walk from which there may still be a way; each leaves it once.
        let mut behind = vec![start];
        let (mut at, mut way, mut run) = (start, None, 0);
        self.reach(start);
        let mut left = steps;
        while left > 0 && !self.until.as_ref().is_some_and(|until| until.get(at)) {
            scene.pace.cells(1)?;
            let straight = way.filter(|_| run > 0).filter(|&way| self.leads(at, way).is_some());
            let chosen = straight.or_else(|| {
                run = between(&mut chance, self.step.runs).max(1);
                self.choose(at, way, &mut chance)
            });
            let Some(next) = chosen else {
                let Some(back) = self.back(&mut behind, &mut chance) else { break };
                (at, way, run) = (back, None, 0);
                continue;
            };
            at = self.leads(at, next).expect("it was chosen because it leads somewhere");
            (way, run, left) = (Some(next), run.saturating_sub(1), left - 1);
            self.reach(at);
            behind.push(at);
        }
        Ok(())
    }

    /// The cell that a way leads to, when it can be gone.
    fn leads(&self, at: Cell, way: usize) -> Option<Cell> {
        if self.weights[way] <= 0.0 {
            return None;
        }
        let to = self.ground.step(at, way)?.to;
        let free =
            self.step.crosses || self.order.get(to) == Some(&NEVER) && self.keeps_off(at, to);
        (free && self.ground.open.get(to)).then_some(to)
    }

    /// Whether nothing that was walked lies too close to a cell, but what is near the one it is reached from.
    fn keeps_off(&self, at: Cell, to: Cell) -> bool {
        let apart = self.step.apart;
        if apart == 0 {
            return true;
        }
        let layout = self.ground.layout();
        let near = within(layout, at, apart - 1);
        let walked = |cell: &Cell| self.order.get(*cell).is_some_and(|&order| order != NEVER);
        !within(layout, to, apart).iter().any(|cell| walked(cell) && !near.contains(cell))
    }

    /// A way to go on: the one gone before by the chance to keep on, else any by its weight.
    fn choose(&self, at: Cell, before: Option<usize>, chance: &mut Stream) -> Option<usize> {
        let (keep, pick) = (chance.bits(), chance.bits());
        let keeps = part_of_one(keep) < self.step.straight;
        if let Some(before) = before.filter(|&before| keeps && self.leads(at, before).is_some()) {
            return Some(before);
        }
        let free: Vec<usize> =
            (0..self.weights.len()).filter(|&way| self.leads(at, way).is_some()).collect();
        let picked = Weighted::new(free.iter().map(|&way| self.weights[way])).pick(pick)?;
        free.get(picked).copied()
    }

    /// An earlier cell to go on from. Cells from which there is no way are forgotten: there never is again.
    fn back(&self, behind: &mut Vec<Cell>, chance: &mut Stream) -> Option<Cell> {
        let goes_on =
            |cell: Cell| (0..self.weights.len()).any(|way| self.leads(cell, way).is_some());
        loop {
            let place = match self.step.stuck {
                Stuck::Ends => return None,
                Stuck::Nearest => behind.len().checked_sub(1)?,
                Stuck::Random if behind.is_empty() => return None,
                Stuck::Random => chance.below(behind.len() as u64) as usize,
            };
            if goes_on(behind[place]) {
                return Some(behind[place]);
            }
            behind.swap_remove(place);
        }
    }
}
