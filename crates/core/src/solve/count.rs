//! All fills of a small space: counted exactly, or one after the other.
//!
//! Counting goes cell by cell and keeps, of what was placed, only what cells to come can see of it:
//! how many ways lead to each such *frontier*. Source: transfer matrices, cell by cell (Jensen 2003).

use super::constrain::keeps;
use super::space::Space;
use crate::id::{Id, PoseId};
use crate::lattice::Cell;
use crate::limits::Limits;
use crate::rules::{PoseSet, Rules};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
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
    /// The space has rules of the whole map, which counting by frontiers does not see.
    #[error("fills under a rule of the whole map are not counted; go through them with `fills`")]
    Constrained,
}

/// How many fills a space has. Weights do not matter.
///
/// Its time and memory grow with the number of frontiers: exponentially with the shortest side of the
/// space and only linearly with the longest. [`Limits::bytes`] and [`Limits::steps`] (a way to go on
/// from one frontier) bound it.
///
/// ```
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::count;
///
/// // Proper colourings of a 3 x 3 grid with three colours.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a != b)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 3, 3)?);
/// assert_eq!(count(&rules, &space, &Limits::default())?, 246);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When the limits do not allow it, there are too many, or the space has rules of the whole map.
///
/// # Panics
/// When rules and space are of different lattices.
pub fn count(rules: &Rules, space: &Space, limits: &Limits) -> Result<u128, CountError> {
    if !space.constraints().is_empty() {
        return Err(CountError::Constrained);
    }
    let goes_with = goes_with(rules);
    let mut frontiers: Counted = HashMap::default();
    frontiers.insert(Vec::new(), 1);
    let mut done = 0;
    for step in steps(rules, space) {
        let mut next: Counted = HashMap::default();
        for (frontier, ways) in &frontiers {
            for group in &step.groups {
                let fits = step.checks.iter().zip(&group.shown).all(|(check, &here)| {
                    let there = usize::from(frontier[check.slot]);
                    goes_with[check.side][there].contains(&here)
                });
                if !fits {
                    continue;
                }
                let mut key = Vec::with_capacity(step.stay.len() + group.kept.len());
                key.extend(step.stay.iter().map(|&slot| frontier[slot]));
                key.extend_from_slice(&group.kept);
                let more = ways.checked_mul(group.poses).ok_or(CountError::TooMany)?;
                let all = next.entry(key).or_default();
                *all = all.checked_add(more).ok_or(CountError::TooMany)?;
            }
            done += step.groups.len() as u64;
            let bytes = next.len() as u64 * (step.stay.len() as u64 * 2 + 96);
            if bytes > limits.bytes || limits.steps.is_some_and(|most| done > most) {
                return Err(CountError::TooWide);
            }
        }
        frontiers = next;
    }
    Ok(frontiers.into_values().next().unwrap_or(0))
}

/// How many ways lead to each frontier: rows of sides that look at cells to come.
type Counted = HashMap<Vec<u16>, u128, FxBuildHasher>;

/// One cell placed.
struct Step {
    /// Places of the frontier that the cell looks at.
    checks: Vec<Check>,
    /// Places of the frontier that stay, in order.
    stay: Vec<usize>,
    groups: Vec<Group>,
}

struct Check {
    slot: usize,
    /// The side of the earlier cell that looks at this one.
    side: usize,
}

/// Poses that look alike from all cells beside.
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

/// The cells that take part, so that few look at cells to come: along the shortest axis first.
fn order(space: &Space) -> Vec<Cell> {
    let extent = space.layout().extent();
    let mut axes = [0, 1, 2];
    axes.sort_by_key(|&axis| std::cmp::Reverse(extent.size()[axis]));
    let mut cells: Vec<Cell> = extent.iter().filter(|&cell| space.contains(cell)).collect();
    cells.sort_by_key(|cell| axes.map(|axis| [cell.x, cell.y, cell.z][axis]));
    cells
}

fn steps(rules: &Rules, space: &Space) -> impl Iterator<Item = Step> {
    let sides = rules.lattice().sides();
    let opposite =
        |side: usize| rules.lattice().side_index(sides[side].opposite()).expect("in pairs");
    let goes_with = goes_with(rules);
    let mut placed: HashMap<Cell, (), FxBuildHasher> = HashMap::default();
    let mut frontier: Vec<(Cell, usize)> = Vec::new();
    order(space).into_iter().map(move |cell| {
        let (mut checks, mut looks, mut news, mut own) = (vec![], vec![], vec![], vec![]);
        for (side, &name) in sides.iter().enumerate() {
            let Some(beyond) = space.neighbour(cell, name) else { continue };
            if beyond == cell {
                own.push(side);
            } else if placed.contains_key(&beyond) {
                let asked = (beyond, opposite(side));
                let slot = frontier.iter().position(|&one| one == asked).expect("looked at");
                checks.push(Check { slot, side: opposite(side) });
                looks.push(side);
            } else {
                news.push(side);
            }
        }
        let mut groups: Vec<Group> = Vec::new();
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
            match groups.iter_mut().find(|group| group.shown == shown && group.kept == kept) {
                Some(group) => group.poses += 1,
                None => groups.push(Group { shown, kept, poses: 1 }),
            }
        }
        let asked: Vec<usize> = checks.iter().map(|check| check.slot).collect();
        let stay: Vec<usize> = (0..frontier.len()).filter(|slot| !asked.contains(slot)).collect();
        placed.insert(cell, ());
        frontier = stay.iter().map(|&slot| frontier[slot]).collect();
        frontier.extend(news.into_iter().map(|side| (cell, side)));
        Step { checks, stay, groups }
    })
}

/// All fills of a space, one after the other; made by [`fills`].
#[derive(Clone, Debug)]
pub struct Fills {
    rules: Rules,
    space: Space,
    cells: Vec<Cell>,
    first: Vec<PoseSet>,
    /// The poses placed so far, cell by cell.
    placed: Vec<PoseId>,
    /// The pose to try next in the cell after them.
    next: usize,
    ended: bool,
}

/// Iterates over all fills of a space: for each the pose of every cell that takes part, in cell order.
///
/// Cell by cell, poses by number; a cell is checked against those before it. So it takes little
/// memory, and time exponential in the number of cells: for small spaces.
///
/// ```
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::fills;
///
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 4, 3)?);
/// assert_eq!(fills(&rules, &space).count(), 2, "both chequerboards");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fills(rules: &Rules, space: &Space) -> Fills {
    let extent = space.layout().extent();
    let cells: Vec<Cell> = extent.iter().filter(|&cell| space.contains(cell)).collect();
    let first = cells.iter().map(|&cell| space.first_domain(rules.poses().len(), cell)).collect();
    Fills {
        rules: rules.clone(),
        space: space.clone(),
        cells,
        first,
        placed: Vec::new(),
        next: 0,
        ended: false,
    }
}

impl Fills {
    /// Whether a fill keeps the rules of the whole map.
    fn keeps(&self, fill: &[PoseId]) -> bool {
        let poses = self.rules.poses().len();
        let held = fill.iter().map(|&pose| PoseSet::from_fn(poses, |one| one == pose));
        let rules = self.space.constraints();
        rules.is_empty() || keeps(rules, &held.collect::<Vec<_>>())
    }

    /// Whether a pose goes with the cells before its own.
    fn fits(&self, pose: PoseId) -> bool {
        let at = self.placed.len();
        let lattice = self.rules.lattice();
        self.first[at].contains(pose)
            && lattice.sides().iter().enumerate().all(|(side, &name)| {
                let beyond = self.space.neighbour(self.cells[at], name);
                let index =
                    beyond.and_then(|cell| self.cells[..=at].iter().position(|&c| c == cell));
                index.is_none_or(|index| {
                    let there = self.placed.get(index).copied().unwrap_or(pose);
                    self.rules.support(side, pose).contains(there)
                })
            })
    }
}

impl Iterator for Fills {
    type Item = Vec<PoseId>;

    fn next(&mut self) -> Option<Vec<PoseId>> {
        while !self.ended {
            if self.placed.len() == self.cells.len() {
                let fill = self.placed.clone();
                match self.placed.pop() {
                    Some(last) => self.next = last.index() + 1,
                    None => self.ended = true,
                }
                if self.keeps(&fill) {
                    return Some(fill);
                }
                continue;
            }
            let poses = self.rules.poses().len();
            let fit = (self.next..poses).map(Id::from_index).find(|&pose| self.fits(pose));
            match (fit, self.placed.last().copied()) {
                (Some(pose), _) => {
                    self.placed.push(pose);
                    self.next = 0;
                }
                (None, Some(last)) => {
                    self.placed.pop();
                    self.next = last.index() + 1;
                }
                (None, None) => self.ended = true,
            }
        }
        None
    }
}
