//! All fills of a small space, one after the other.

use super::CountError;
use crate::id::{Id, PoseId};
use crate::lattice::Cell;
use crate::limits::{Limits, Stop};
use crate::rules::{PoseSet, Rules};
use crate::solve::constrain::{Listed, keeps};
use crate::solve::space::Space;
use std::fmt::{self, Debug};

/// All fills of a space, one after the other; made by [`fills`].
pub struct Fills<'s> {
    rules: Rules,
    space: Space,
    cells: Vec<Cell>,
    ground: Listed,
    first: Vec<PoseSet>,
    /// The poses placed so far, cell by cell.
    placed: Vec<PoseId>,
    /// The pose to try next in the cell after them.
    next: usize,
    ended: bool,
    /// Poses tried, and how many may be.
    tried: u64,
    most: Option<u64>,
    stop: &'s dyn Stop,
}

impl Debug for Fills<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (cells, placed) = (self.cells.len(), self.placed.len());
        f.debug_struct("Fills")
            .field("cells", &cells)
            .field("placed", &placed)
            .finish_non_exhaustive()
    }
}

/// Poses tried between two questions to the stop condition.
const AT_ONCE: u64 = 4096;

/// Iterates over all fills of a space: for each the pose of every cell that takes part, in cell order.
///
/// Cell by cell, poses by number; a cell is checked against those before it. So it takes little
/// memory, and time exponential in the number of cells: for small spaces. After [`Limits::steps`] poses
/// tried, or when `stop` asks to stop, it gives an error and ends.
///
/// ```
/// use lantern_quilt_core::limits::Never;
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::fills;
///
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 4, 3)?);
/// let all = fills(&rules, &space, &Limits::default(), &Never).collect::<Result<Vec<_>, _>>()?;
/// assert_eq!(all.len(), 2, "both chequerboards");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// The last item is [`CountError::TooWide`] or [`CountError::Stopped`] where it was ended so.
pub fn fills<'s>(rules: &Rules, space: &Space, limits: &Limits, stop: &'s dyn Stop) -> Fills<'s> {
    let extent = space.layout().extent();
    let cells: Vec<Cell> = extent.iter().filter(|&cell| space.contains(cell)).collect();
    let first = cells.iter().map(|&cell| space.first_domain(rules.poses().len(), cell)).collect();
    Fills {
        rules: rules.clone(),
        space: space.clone(),
        ground: Listed::new(space.layout(), &cells),
        cells,
        first,
        placed: Vec::new(),
        next: 0,
        ended: false,
        tried: 0,
        most: limits.steps,
        stop,
    }
}

impl Fills<'_> {
    /// Whether a fill keeps the rules of the whole map.
    fn keeps(&self, fill: &[PoseId]) -> bool {
        let poses = self.rules.poses().len();
        let held = fill.iter().map(|&pose| PoseSet::from_fn(poses, |one| one == pose));
        let rules = self.space.constraints();
        rules.is_empty() || keeps(rules, &self.ground, &held.collect::<Vec<_>>())
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

impl Iterator for Fills<'_> {
    type Item = Result<Vec<PoseId>, CountError>;

    fn next(&mut self) -> Option<Self::Item> {
        while !self.ended {
            self.tried += 1;
            if self.most.is_some_and(|most| self.tried > most) {
                self.ended = true;
                return Some(Err(CountError::TooWide));
            }
            if self.tried.is_multiple_of(AT_ONCE) && self.stop.requested() {
                self.ended = true;
                return Some(Err(CountError::Stopped));
            }
            if self.placed.len() == self.cells.len() {
                let fill = self.placed.clone();
                match self.placed.pop() {
                    Some(last) => self.next = last.index() + 1,
                    None => self.ended = true,
                }
                if self.keeps(&fill) {
                    return Some(Ok(fill));
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
