//! All fills of a small space: counted exactly here, one after the other in `fills`.
//!
//! Counting goes cell by cell and keeps, of what was placed, only what cells to come can see of it:
//! how many ways lead to each such *frontier*. Source: transfer matrices, cell by cell (Jensen 2003).

mod fills;

pub use fills::{Fills, fills};

use super::space::Space;
use crate::id::Id;
use crate::lattice::Cell;
use crate::limits::{Limits, Stop};
use crate::rules::{PoseSet, Rules};
use hashbrown::{HashMap, HashSet, hash_map};
use rustc_hash::FxBuildHasher;
use std::hash::BuildHasher as _;
use thiserror::Error;

/// Why fills were not counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum CountError {
    /// More frontiers, or more work, than the limits allow.
    #[error("counting these fills takes more than the limits allow: make the space narrower")]
    TooWide,
    /// More fills than 2^128.
    #[error("there are more than 2^128 fills")]
    TooMany,
    /// It was asked to stop.
    #[error("counting was stopped")]
    Stopped,
    /// The space has rules of the whole map, which counting by frontiers does not see.
    #[error("fills under a rule of the whole map are not counted; go through them with `fills`")]
    Constrained,
}

/// How many fills a space has. Weights do not matter.
///
/// Its time and memory grow with the number of frontiers: exponentially with the shortest side of the
/// space and only linearly with the longest. [`Limits::bytes`] and [`Limits::steps`] (a way to continue
/// from one frontier) bound it, and `stop` is asked now and then.
///
/// ```
/// use lantern_quilt_core::limits::Never;
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::count;
///
/// // Proper colourings of a 3 x 3 grid with three colours.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a != b)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 3, 3)?);
/// assert_eq!(count(&rules, &space, &Limits::default(), &Never)?, 246);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When the limits do not allow it, there are too many, the space has rules of the whole map, or `stop`
/// asked to stop.
///
/// # Panics
/// When rules and space are of different lattices.
pub fn count(
    rules: &Rules,
    space: &Space,
    limits: &Limits,
    stop: &dyn Stop,
) -> Result<u128, CountError> {
    let mut counter = Counter::new(rules, space)?;
    loop {
        if let Some(fills) = counter.work(rules, space, limits)? {
            return Ok(fills);
        }
        if stop.requested() {
            return Err(CountError::Stopped);
        }
    }
}

/// Ways to continue that are looked at in one unit.
const AT_ONCE: usize = 128;

/// Fills that are being counted, some frontiers at a time.
#[derive(Debug)]
pub(super) struct Counter {
    cells: Cells,
    goes_with: Vec<Vec<Vec<u16>>>,
    frontier: Frontier,
    /// The cell under way, and the frontiers before it of which not all have gone on.
    step: Option<Step>,
    before: Before,
    after: After,
    /// Ways to continue looked at so far.
    pub(super) done: u64,
}

impl Counter {
    pub(super) fn new(rules: &Rules, space: &Space) -> Result<Self, CountError> {
        if !space.constraints().is_empty() {
            return Err(CountError::Constrained);
        }
        let mut after = After::default();
        *after.entry(Vec::new()) = 1;
        Ok(Self {
            cells: Cells::new(space),
            goes_with: goes_with(rules),
            frontier: Frontier::default(),
            step: None,
            before: Before::default(),
            after,
            done: 0,
        })
    }

    /// One unit; how many fills there are when that is known.
    pub(super) fn work(
        &mut self,
        rules: &Rules,
        space: &Space,
        limits: &Limits,
    ) -> Result<Option<u128>, CountError> {
        let mut looked = 0;
        while looked < AT_ONCE {
            let Some((frontier, ways)) = self.before.next() else {
                // The frontiers after one cell are those before the next.
                let Some(cell) = self.cells.next(space) else {
                    return Ok(self.cells.ended().then(|| self.after.one()));
                };
                self.step = Some(self.frontier.place(rules, space, &self.goes_with, cell));
                self.before = std::mem::take(&mut self.after).all();
                return Ok(None);
            };
            let Some(step) = &self.step else { return Ok(None) };
            for group in &step.groups {
                let fits = step.checks.iter().zip(&group.shown).all(|(check, &here)| {
                    let there = usize::from(frontier[check.slot]);
                    self.goes_with[check.side][there].contains(&here)
                });
                if !fits {
                    continue;
                }
                let mut key = Vec::with_capacity(step.stay.len() + group.kept.len());
                key.extend(step.stay.iter().map(|&slot| frontier[slot]));
                key.extend_from_slice(&group.kept);
                let more = ways.checked_mul(group.poses).ok_or(CountError::TooMany)?;
                let all = self.after.entry(key);
                *all = all.checked_add(more).ok_or(CountError::TooMany)?;
            }
            looked += step.groups.len().max(1);
            self.done += step.groups.len() as u64;
            let bytes = self.after.len as u64 * (step.stay.len() as u64 * 2 + 96);
            if bytes > limits.bytes || limits.steps.is_some_and(|most| self.done > most) {
                return Err(CountError::TooWide);
            }
        }
        Ok(None)
    }
}

/// The cells that take part, so that few look at cells to come: along the shortest axis first.
#[derive(Clone, Debug)]
struct Cells {
    /// Axes from the longest, with the length of each.
    axes: [(usize, usize); 3],
    at: usize,
}

impl Cells {
    fn new(space: &Space) -> Self {
        let size = space.layout().extent().size();
        let mut axes = [0, 1, 2];
        axes.sort_by_key(|&axis| std::cmp::Reverse(size[axis]));
        Self { axes: axes.map(|axis| (axis, size[axis] as usize)), at: 0 }
    }

    fn ended(&self) -> bool {
        self.at == self.axes.iter().map(|axis| axis.1).product()
    }

    /// The next cell; none at the end, or after many that take no part.
    fn next(&mut self, space: &Space) -> Option<Cell> {
        let origin = space.layout().extent().origin();
        for _ in 0..AT_ONCE {
            if self.ended() {
                return None;
            }
            let mut rest = self.at;
            self.at += 1;
            let mut along = [origin.x, origin.y, origin.z];
            for &(axis, length) in self.axes.iter().rev() {
                along[axis] += (rest % length) as i32;
                rest /= length;
            }
            let cell = Cell { x: along[0], y: along[1], z: along[2] };
            if space.contains(cell) {
                return Some(cell);
            }
        }
        None
    }
}

/// How many ways lead to each frontier: rows of sides that look at cells to come.
type Counted = HashMap<Vec<u16>, u128, FxBuildHasher>;

/// Frontiers in many small tables, none of which takes long to grow.
#[derive(Debug)]
struct After {
    tables: [Counted; 256],
    len: usize,
}

impl Default for After {
    fn default() -> Self {
        Self { tables: std::array::from_fn(|_| Counted::default()), len: 0 }
    }
}

impl After {
    /// The ways that lead to a frontier, 0 at first.
    fn entry(&mut self, frontier: Vec<u16>) -> &mut u128 {
        let table = FxBuildHasher.hash_one(&frontier) >> 24 & 255;
        let entry = self.tables[table as usize].entry(frontier);
        self.len += usize::from(matches!(entry, hash_map::Entry::Vacant(_)));
        entry.or_default()
    }

    /// The ways of the only frontier, where all cells are placed.
    fn one(&self) -> u128 {
        self.tables.iter().find_map(|table| table.values().next()).copied().unwrap_or(0)
    }

    fn all(self) -> Before {
        let mut tables = self.tables.map(HashMap::into_iter).into_iter();
        Before { now: tables.next(), tables: Some(tables) }
    }
}

/// Frontiers one after the other.
#[derive(Debug, Default)]
struct Before {
    now: Option<hash_map::IntoIter<Vec<u16>, u128>>,
    tables: Option<std::array::IntoIter<hash_map::IntoIter<Vec<u16>, u128>, 256>>,
}

impl Iterator for Before {
    type Item = (Vec<u16>, u128);

    fn next(&mut self) -> Option<Self::Item> {
        loop {
            if let Some(found) = self.now.as_mut()?.next() {
                return Some(found);
            }
            self.now = self.tables.as_mut()?.next();
        }
    }
}

/// One cell placed.
#[derive(Clone, Debug)]
struct Step {
    /// Places of the frontier that the cell looks at.
    checks: Vec<Check>,
    /// Places of the frontier that stay, in order.
    stay: Vec<usize>,
    groups: Vec<Group>,
}

#[derive(Clone, Debug)]
struct Check {
    slot: usize,
    /// The side of the earlier cell that looks at this one.
    side: usize,
}

/// Poses that look alike from all cells beside.
#[derive(Clone, Debug)]
struct Group {
    /// The rows shown to cells that were placed before, check by check.
    shown: Vec<u16>,
    /// The rows shown to cells to come.
    kept: Vec<u16>,
    poses: u128,
}

/// For each side and row, the rows of the opposite side that go with it.
fn goes_with(rules: &Rules) -> Vec<Vec<Vec<u16>>> {
    let sides = rules.lattice().sides();
    (0..sides.len())
        .map(|side| {
            let back = rules.lattice().side_index(sides[side].opposite()).expect("in pairs");
            let beyond = |row: &PoseSet| {
                let mut rows: Vec<u16> =
                    row.iter().map(|pose| rules.row_of(back, pose).index() as u16).collect();
                rows.sort_unstable();
                rows.dedup();
                rows
            };
            rules.rows(side).iter().map(beyond).collect()
        })
        .collect()
}

/// Cells placed, and the sides that look at cells to come.
#[derive(Clone, Debug, Default)]
struct Frontier {
    placed: HashSet<Cell, FxBuildHasher>,
    sides: Vec<(Cell, usize)>,
}

impl Frontier {
    /// Places a cell.
    fn place(
        &mut self,
        rules: &Rules,
        space: &Space,
        goes_with: &[Vec<Vec<u16>>],
        cell: Cell,
    ) -> Step {
        let sides = rules.lattice().sides();
        let opposite =
            |side: usize| rules.lattice().side_index(sides[side].opposite()).expect("in pairs");
        let (mut checks, mut looks, mut news, mut own) = (vec![], vec![], vec![], vec![]);
        for (side, &name) in sides.iter().enumerate() {
            let Some(beyond) = space.neighbour(cell, name) else { continue };
            if beyond == cell {
                own.push(side);
            } else if self.placed.contains(&beyond) {
                let asked = (beyond, opposite(side));
                let slot = self.sides.iter().position(|&one| one == asked).expect("looked at");
                checks.push(Check { slot, side: opposite(side) });
                looks.push(side);
            } else {
                news.push(side);
            }
        }
        let mut known: HashMap<(Vec<u16>, Vec<u16>), u128, FxBuildHasher> = HashMap::default();
        for pose in space.first_domain(rules.poses().len(), cell).iter() {
            let row = |side: usize| rules.row_of(side, pose).index() as u16;
            let alone = |&side: &usize| {
                goes_with[side][usize::from(row(side))].contains(&row(opposite(side)))
            };
            if !own.iter().all(alone) {
                continue;
            }
            let shown: Vec<u16> = looks.iter().map(|&side| row(side)).collect();
            let kept: Vec<u16> = news.iter().map(|&side| row(side)).collect();
            *known.entry((shown, kept)).or_default() += 1;
        }
        let group = |((shown, kept), poses)| Group { shown, kept, poses };
        let groups = known.into_iter().map(group).collect();
        let asked: Vec<usize> = checks.iter().map(|check| check.slot).collect();
        let stay: Vec<usize> = (0..self.sides.len()).filter(|slot| !asked.contains(slot)).collect();
        self.placed.insert(cell);
        self.sides = stay.iter().map(|&slot| self.sides[slot]).collect();
        self.sides.extend(news.into_iter().map(|side| (cell, side)));
        Step { checks, stay, groups }
    }
}
