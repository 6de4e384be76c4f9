//! Laying a base over a map, and mending it where it may not stand; some cells at a time.

use super::base::{Seeking, Sought};
use super::part::{Parted, Parting};
use super::torus::Base;
use super::vary::{Varied, Varying};
use super::{Blocks, grid};
use crate::grid::{BitPlane, Plane};
use crate::id::{CauseId, Id, PoseId};
use crate::lattice::{Cell, Extent};
use crate::limits::{Climb, Crew};
use crate::observe::Silent;
use crate::rules::{PoseSet, Rules, bits};
use crate::seed::Seed;
use crate::solve::engines::kernel;
use crate::solve::kernel::{Pause, Tries};
use crate::solve::outcome::Tally;
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::sync::{Arc, Mutex};

/// Decisions taken back in a box without getting further, at most.
const PATIENCE: u32 = 200;
/// How far from where the base may not stand cells are opened, one after the other.
const MEND_REACH: [u32; 4] = [2, 4, 8, 16];
/// Cells opened, counted around each such place, and steps in filling them, at most.
const MEND_CELLS: u64 = 1 << 26;
const MEND_STEPS: u64 = 1 << 22;
/// Cells looked at in one unit, and places that are widened.
const AT_ONCE: usize = 2048;
const PLACES: usize = 16;

/// A map that is being made ready to be filled block by block.
#[derive(Debug)]
pub(in crate::solve) struct Laying {
    rules: Rules,
    search: Search,
    seed: Seed,
    name: String,
    crew: Arc<dyn Crew>,
    stage: Stage,
    /// The base without variety, while a larger one is laid.
    small: Option<Base>,
    /// The pose laid in each cell; then the same as a plane.
    laid: Vec<u16>,
    fill: Option<Plane<u16>>,
    /// Where the base may not stand.
    wrong: Vec<Cell>,
    /// Which of the reaches is tried, and the cells within it.
    reach: usize,
    near: Option<BitPlane>,
    /// Steps not yet taken by [`take_counted`](Self::take_counted).
    counted: u64,
    tally: Tally,
}

/// What is done next, in this order; numbers are of cells and places to continue from.
#[derive(Debug)]
enum Stage {
    Seek(Box<Seeking>),
    /// The base is kept for when there is no larger one.
    Vary(Base, Box<Varying>),
    Lay(Base),
    Judge(CauseId, usize),
    /// Cells around wrong ones are opened.
    Widen(usize),
    Part(Box<Parting>),
    Mend {
        part: Box<Space>,
        tries: Box<dyn Tries>,
        left: u64,
    },
    Put {
        part: Box<Space>,
        tries: Box<dyn Tries>,
        from: usize,
    },
    Ready,
}

/// What comes of a unit of work.
#[derive(Debug)]
pub(in crate::solve) enum Laid {
    Working,
    /// There is no base, or it cannot be mended.
    Nothing,
    Ready(Box<Blocks>),
}

impl Laying {
    pub(in crate::solve) fn new(
        rules: &Rules,
        space: &Space,
        search: Search,
        seed: &Seed,
        name: &str,
        crew: Arc<dyn Crew>,
    ) -> Self {
        let mut search = search;
        (search.climb, search.attempts, search.holes) = (Climb::Backtrack, 1, false);
        search.patience = search.patience.min(PATIENCE);
        let seeking = Seeking::new(space.layout(), seed.stream(&[name, "base"]));
        Self {
            rules: rules.clone(),
            search,
            seed: seed.clone(),
            name: name.to_owned(),
            crew,
            stage: Stage::Seek(Box::new(seeking)),
            small: None,
            laid: Vec::new(),
            fill: None,
            wrong: Vec::new(),
            reach: 0,
            near: None,
            counted: 0,
            tally: Tally::default(),
        }
    }

    /// Works for up to `steps` units and counts them down.
    pub(in crate::solve) fn work(&mut self, space: &Space, steps: &mut u64) -> Laid {
        while *steps > 0 {
            *steps -= 1;
            let stage = std::mem::replace(&mut self.stage, Stage::Ready);
            // Fills within a unit count their own steps.
            self.counted += u64::from(!matches!(stage, Stage::Vary(..) | Stage::Mend { .. }));
            match self.unit(space, stage, steps) {
                None => return Laid::Nothing,
                Some(Stage::Ready) => return Laid::Ready(Box::new(self.blocks(space))),
                Some(stage) => self.stage = stage,
            }
        }
        Laid::Working
    }

    /// The steps since the last call. Their sum does not depend on how the work is sliced.
    pub(in crate::solve) fn take_counted(&mut self) -> u64 {
        std::mem::take(&mut self.counted)
    }

    fn pose(&self, cell: Cell) -> Option<PoseId> {
        let pose = self.fill.as_ref()?.get(cell)?;
        Some(Id::from_index(usize::from(*pose)))
    }

    /// One unit of a stage; the stage that is next, none when it cannot be done.
    fn unit(&mut self, space: &Space, stage: Stage, steps: &mut u64) -> Option<Stage> {
        let extent = space.layout().extent();
        Some(match stage {
            Stage::Seek(mut seeking) => match seeking.work(&self.rules, space) {
                Sought::Working => Stage::Seek(seeking),
                Sought::Nothing => return None,
                Sought::Found(base) => {
                    let stream = self.seed.stream(&[&self.name, "vary"]);
                    Stage::Vary(base, Box::new(Varying::new(space.layout(), stream)))
                }
            },
            Stage::Vary(base, mut varying) => {
                let before = varying.tally.steps;
                let varied = varying.work(&self.rules, space, self.search, steps);
                self.counted += varying.tally.steps - before;
                match varied {
                    Varied::Working => Stage::Vary(base, varying),
                    Varied::Nothing => {
                        self.tally = self.tally.and(Tally { steps: 0, ..varying.tally });
                        self.lay(base, extent)
                    }
                    Varied::Found(larger) => {
                        self.tally = self.tally.and(Tally { steps: 0, ..varying.tally });
                        self.small = Some(base);
                        self.lay(larger, extent)
                    }
                }
            }
            Stage::Lay(base) => {
                let some = extent.iter().skip(self.laid.len()).take(AT_ONCE);
                self.laid.extend(some.map(|cell| base.at(cell).index() as u16));
                if self.laid.len() < extent.cells() {
                    return Some(Stage::Lay(base));
                }
                self.fill = Plane::from_values(extent, std::mem::take(&mut self.laid));
                Stage::Judge(CauseId::from_index(0), 0)
            }
            Stage::Judge(cause, from) => match space.restrictions().get(cause) {
                Some(restriction) => {
                    let mut wrong = Vec::new();
                    let next = space.each_covered(&restriction.place, from, AT_ONCE, |cell| {
                        if self.pose(cell).is_some_and(|pose| !restriction.allowed.contains(pose)) {
                            wrong.push(cell);
                        }
                    });
                    self.wrong.append(&mut wrong);
                    match next {
                        Some(from) => Stage::Judge(cause, from),
                        None => Stage::Judge(CauseId::from_index(cause.index() + 1), 0),
                    }
                }
                None if self.wrong.is_empty() => Stage::Ready,
                None => self.widen_or_lay(space)?,
            },
            Stage::Widen(from) => {
                let layout = space.layout();
                let until = self.wrong.len().min(from + PLACES);
                let near = self.near.get_or_insert_with(|| BitPlane::new(extent));
                for &cell in &self.wrong[from..until] {
                    for (cell, _) in layout.near(cell, MEND_REACH[self.reach]) {
                        near.set(cell, true);
                    }
                }
                if until < self.wrong.len() {
                    Stage::Widen(until)
                } else {
                    Stage::Part(Box::new(Parting::new(space, layout, self.near.take())))
                }
            }
            Stage::Part(mut parting) => {
                match parting.work(&self.rules, space, &|cell| self.pose(cell)) {
                    Parted::Working => Stage::Part(parting),
                    Parted::Nothing => self.lay_small(extent)?,
                    Parted::Part(part, near) => {
                        self.near = near;
                        let reach = MEND_REACH[self.reach].to_string();
                        let stream = self.seed.stream(&[&self.name, "mend", &reach]);
                        let search = self.mending();
                        let mut tries = kernel(&self.rules, search, part.layout());
                        if tries.begin(&part, search, stream.clone()).is_err() {
                            tries = tries.widened();
                            tries.begin(&part, search, stream).expect("bits hold any domain");
                        }
                        Stage::Mend { part: Box::new(part), tries, left: MEND_STEPS }
                    }
                }
            }
            Stage::Mend { part, mut tries, mut left } => {
                let before = tries.tally().steps;
                let work = tries.work(&part, &mut left.min(*steps + 1), &mut Silent);
                let took = tries.tally().steps - before;
                left = left.saturating_sub(took);
                self.counted += took;
                *steps = (*steps + 1).saturating_sub(took.max(1));
                match work {
                    Ok(Pause::Working) if left > 0 => Stage::Mend { part, tries, left },
                    Err(_) => Stage::Mend { part, tries: tries.widened(), left },
                    Ok(pause) => {
                        self.tally = self.tally.and(Tally { steps: 0, ..tries.tally() });
                        if pause == Pause::Filled {
                            return Some(Stage::Put { part, tries, from: 0 });
                        }
                        self.reach += 1;
                        self.widen_or_lay(space)?
                    }
                }
            }
            Stage::Put { part, tries, from } => {
                let near = self.near.as_ref()?;
                let fill = self.fill.as_mut()?;
                for cell in extent.iter().skip(from).take(AT_ONCE) {
                    if near.get(cell) && space.contains(cell) {
                        let pose = bits(&tries.words(cell)).next().expect("filled");
                        *fill.get_mut(cell).expect("inside") = pose as u16;
                    }
                }
                let from = from + AT_ONCE;
                if from < extent.cells() { Stage::Put { part, tries, from } } else { Stage::Ready }
            }
            Stage::Ready => Stage::Ready,
        })
    }

    /// Begins to lay a base over the map.
    fn lay(&mut self, base: Base, extent: Extent) -> Stage {
        self.laid.clear();
        self.laid.reserve_exact(extent.cells());
        (self.reach, self.near) = (0, None);
        self.wrong.clear();
        Stage::Lay(base)
    }

    /// The small base again where the larger one cannot be mended.
    fn lay_small(&mut self, extent: Extent) -> Option<Stage> {
        let base = self.small.take()?;
        Some(self.lay(base, extent))
    }

    fn widen_or_lay(&mut self, space: &Space) -> Option<Stage> {
        self.widen(space).or_else(|| self.lay_small(space.layout().extent()))
    }

    /// Opens cells around wrong ones, within the reach that is tried now; none when that is too far.
    fn widen(&mut self, space: &Space) -> Option<Stage> {
        let depth = if space.layout().lattice().is_solid() { 3 } else { 2 };
        let reach = MEND_REACH.get(self.reach)?;
        let opened = self.wrong.len() as u64 * u64::from(2 * reach + 1).pow(depth);
        self.near = None;
        (opened <= MEND_CELLS).then_some(Stage::Widen(0))
    }

    fn mending(&self) -> Search {
        let mut search = self.search;
        (search.climb, search.patience) = (Climb::Reopen, PATIENCE);
        search
    }

    fn blocks(&mut self, space: &Space) -> Blocks {
        let poses = self.rules.poses().len();
        let alone = |one| PoseSet::from_fn(poses, |pose| pose.index() == one);
        Blocks {
            rules: self.rules.clone(),
            search: self.search,
            fill: self.fill.take().expect("laid"),
            cells: space.cells(),
            classes: grid::classes(space.layout()),
            class: 0,
            begun: 0,
            done: 0,
            pieces: Vec::new(),
            at_once: super::at_once(&self.rules),
            seed: self.seed.clone(),
            name: std::mem::take(&mut self.name),
            crew: self.crew.clone(),
            spare: Mutex::new(Vec::new()),
            alone: (0..poses).map(alone).collect(),
            tally: self.tally,
        }
    }
}
