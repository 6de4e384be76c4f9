//! Filling block by block over a fill that repeats: seamless, in any order and by any number of hands.
//!
//! The rules give a small fill that closes on itself (`base`); laid over the map it breaks no rule.
//! Where borders, pins or limits do not allow it, it is mended first. Then the boxes of a fixed grid
//! (`grid`) are filled anew, class by class, each with what stands around it kept (`part`); a box
//! that cannot be filled stays as it is. So at every moment the map is whole.
//!
//! A box reads only the cells around it, and there are at most four classes (eight in boxes), so what
//! a cell becomes depends on nothing farther away than [`BLOCK_REACH`] cells, but for the base and the
//! mended places. Across an edge that closes it may depend on twice as much: the last boxes there are
//! classes of their own.

mod base;
mod grid;
mod part;

use self::base::Base;
use self::part::part;
use super::engines::kernel;
use super::kernel::{Kernel, Pause, Tries};
use super::outcome::Tally;
use super::propagate::TablesFull;
use super::settings::Search;
use super::space::Space;
use crate::grid::{BitPlane, Plane};
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::limits::{Climb, Crew};
use crate::observe::{Observer, Silent};
use crate::rules::{PoseSet, Rules};
use crate::seed::{Seed, Stream};
use std::sync::{Arc, Mutex};

/// Boxes filled before the caller is asked whether to go on.
const BATCH: usize = 128;
/// How often a box is tried.
const TRIES: u32 = 2;
/// Decisions taken back in a box without getting further, at most.
const PATIENCE: u32 = 200;
/// How far from where the base may not stand cells are opened, one after the other.
const MEND_REACH: [u32; 4] = [2, 4, 8, 16];
/// Cells opened, counted around each such place, and steps in filling them, at most.
const MEND_CELLS: u64 = 1 << 26;
const MEND_STEPS: u64 = 1 << 22;
/// How far away, in cells along each axis, what a cell becomes can depend on when a map is filled block
/// by block; the base and places where it is mended aside, and across an edge that closes.
pub const BLOCK_REACH: i32 = 3 * grid::SIDE;

/// A map filled block by block.
#[derive(Debug)]
pub(super) struct Blocks {
    rules: Rules,
    search: Search,
    fill: Plane<u16>,
    cells: usize,
    classes: Vec<Vec<Extent>>,
    /// The class under way, and how many of its boxes are done.
    class: usize,
    done: usize,
    seed: Seed,
    name: String,
    crew: Arc<dyn Crew>,
    /// Kernels to be used again; which one serves a box never shows.
    spare: Mutex<Vec<Box<dyn Tries>>>,
    /// For each pose the set of just it.
    alone: Vec<PoseSet>,
    tally: Tally,
}

/// What a box became.
type Filled = (Option<Vec<u16>>, Tally);

impl Blocks {
    /// Lays the base and mends it; `None` when there is no base or it cannot be mended.
    pub(super) fn new(
        rules: &Rules,
        space: &Space,
        search: Search,
        seed: &Seed,
        name: &str,
        crew: Arc<dyn Crew>,
    ) -> Option<Self> {
        let layout = space.layout();
        let base = Base::find(rules, space, &mut seed.stream(&[name, "base"]))?;
        let extent = layout.extent();
        let laid = extent.iter().map(|cell| base.at(cell).index() as u16).collect();
        let poses = rules.poses().len();
        let mut search = search;
        (search.climb, search.attempts) = (Climb::Backtrack, 1);
        search.patience = search.patience.min(PATIENCE);
        let mut blocks = Self {
            rules: rules.clone(),
            search,
            fill: Plane::from_values(extent, laid).expect("one pose a cell"),
            cells: space.cells(),
            classes: grid::classes(layout),
            class: 0,
            done: 0,
            seed: seed.clone(),
            name: name.to_owned(),
            crew,
            spare: Mutex::new(Vec::new()),
            alone: (0..poses)
                .map(|one| PoseSet::from_fn(poses, |pose| pose.index() == one))
                .collect(),
            tally: Tally::default(),
        };
        blocks.mend(space).then_some(blocks)
    }

    fn pose(&self, cell: Cell) -> Option<PoseId> {
        self.fill.get(cell).map(|&pose| Id::from_index(usize::from(pose)))
    }

    /// Fills places anew where the base may not stand, wider and wider; whether that went well.
    fn mend(&mut self, space: &Space) -> bool {
        let layout = space.layout();
        let mut wrong: Vec<Cell> = Vec::new();
        for restriction in space.restrictions() {
            space.for_each_covered(&restriction.place, |cell| {
                if self.pose(cell).is_some_and(|pose| !restriction.allowed.contains(pose)) {
                    wrong.push(cell);
                }
            });
        }
        if wrong.is_empty() {
            return true;
        }
        let depth = if layout.lattice().is_solid() { 3 } else { 2 };
        for reach in MEND_REACH {
            if wrong.len() as u64 * u64::from(2 * reach + 1).pow(depth) > MEND_CELLS {
                return false;
            }
            let mut near = BitPlane::new(layout.extent());
            for &cell in &wrong {
                for (cell, _) in layout.near(cell, reach) {
                    near.set(cell, true);
                }
            }
            let fill = |cell| self.pose(cell);
            let open = |cell| near.get(cell);
            let Some(space) = part(&self.rules, space, layout, Some(&open), &fill) else { break };
            let mut search = self.search;
            (search.climb, search.patience) = (Climb::Reopen, PATIENCE);
            let stream = self.seed.stream(&[&self.name, "mend", &reach.to_string()]);
            let mut tries = kernel(&self.rules, &space, search);
            let (filled, tally) = fill_once(&mut tries, &space, search, stream, MEND_STEPS);
            self.tally = self.tally.and(tally);
            if filled {
                for cell in near.iter().filter(|&cell| space.contains(cell)) {
                    self.put(cell, first(tries.words(cell)));
                }
                return true;
            }
        }
        false
    }

    fn put(&mut self, cell: Cell, pose: usize) {
        *self.fill.get_mut(cell).expect("inside") = pose as u16;
    }

    /// A box filled anew; nothing when it stays as it is.
    fn fill_box(&self, space: &Space, box_of: Extent) -> Filled {
        let none = (None, Tally::default());
        let layout = layout_of(space.layout(), box_of);
        let fill = |cell| self.pose(cell);
        let Some(part) = part(&self.rules, space, layout, None, &fill) else { return none };
        let spare = self.spare.lock().expect("no piece panics").pop();
        let mut tries = match spare.filter(|spare| spare.serves(&self.rules, &part, self.search)) {
            Some(mut spare) => {
                spare.relayout(layout);
                spare
            }
            None => kernel(&self.rules, &part, self.search),
        };
        let Cell { x, y, z } = box_of.origin();
        let place = format!("{x},{y},{z}");
        let mut result = none;
        for number in 0..TRIES {
            let path = [self.name.as_str(), "block", &place, &number.to_string()];
            let stream = self.seed.stream(&path);
            let (filled, tally) = fill_once(&mut tries, &part, self.search, stream, u64::MAX);
            result.1 = result.1.and(tally);
            if filled {
                let kept = |cell| self.pose(cell).map_or(0, Id::index);
                let pose = |cell| {
                    if part.contains(cell) { first(tries.words(cell)) } else { kept(cell) }
                };
                result.0 = Some(box_of.iter().map(|cell| pose(cell) as u16).collect());
                break;
            }
        }
        self.spare.lock().expect("no piece panics").push(tries);
        result
    }
}

/// Fills a space in one go; whether that went well, and what it took.
fn fill_once(
    tries: &mut Box<dyn Tries>,
    space: &Space,
    search: Search,
    stream: Stream,
    most: u64,
) -> (bool, Tally) {
    let mut left = most;
    if tries.begin(space, search, stream.clone()).is_err() {
        *tries = tries.widened();
        tries.begin(space, search, stream).expect("bits hold any domain");
    }
    loop {
        match tries.work(space, &mut left, &mut Silent) {
            Ok(pause) => return (pause == Pause::Filled, tries.tally()),
            Err(_) => *tries = tries.widened(),
        }
    }
}

/// The one pose that a cell holds.
fn first(words: &[u64]) -> usize {
    crate::rules::bits(words).next().expect("filled")
}

/// A box as a layout of its own. Along axes that close and that it covers, it closes as well.
fn layout_of(layout: Layout, box_of: Extent) -> Layout {
    let (wrap, whole, size) = (layout.wrap(), layout.extent().size(), box_of.size());
    let wrap = Wrap {
        x: wrap.x && size[0] == whole[0],
        y: wrap.y && size[1] == whole[1],
        z: wrap.z && size[2] == whole[2],
    };
    Layout::new(layout.lattice(), box_of, wrap).expect("it closes as the whole does")
}

impl Kernel for Blocks {
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        _observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        while let Some(boxes) = self.classes.get(self.class) {
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            let batch: Vec<Extent> = boxes.iter().skip(self.done).take(BATCH).copied().collect();
            let results: Vec<Mutex<Filled>> = batch.iter().map(|_| Mutex::default()).collect();
            self.crew.each(batch.len(), &|number| {
                let filled = self.fill_box(space, batch[number]);
                *results[number].lock().expect("no piece panics") = filled;
            });
            let mut worked = 0;
            for (box_of, result) in batch.iter().zip(results) {
                let (filled, tally) = result.into_inner().expect("no piece panics");
                worked += tally.steps;
                self.tally = self.tally.and(tally);
                let Some(filled) = filled else { continue };
                self.tally.blocks += 1;
                self.fill.paste(*box_of, &filled);
            }
            *steps = steps.saturating_sub(worked.max(1));
            self.done += batch.len();
            if self.done >= self.classes[self.class].len() {
                (self.class, self.done) = (self.class + 1, 0);
            }
        }
        Ok(Pause::Filled)
    }

    fn words(&self, cell: Cell) -> &[u64] {
        self.alone[usize::from(*self.fill.get(cell).expect("takes part"))].words()
    }

    fn newest(&self) -> Option<Cell> {
        None
    }

    /// Cells that no box was filled around yet count as open.
    fn open(&self) -> usize {
        let all = self.classes.iter().map(Vec::len).sum::<usize>().max(1);
        let done = self.classes[..self.class].iter().map(Vec::len).sum::<usize>() + self.done;
        self.cells - (self.cells as u64 * done as u64 / all as u64) as usize
    }

    fn choosing(&self) -> bool {
        true
    }

    fn tally(&self) -> Tally {
        self.tally
    }
}
