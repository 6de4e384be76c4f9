//! What ways should lead to.

use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Layout};
use crate::limits::{Pace, Stopped};

/// Targets, and which of them are still wanted.
#[derive(Debug)]
pub(super) struct Targets {
    /// The number of the target that each cell belongs to.
    of: Plane<u32>,
    /// One cell of each target, until it is reached.
    wanted: Vec<Option<Cell>>,
    left: usize,
}

const NONE: u32 = u32::MAX;

impl Targets {
    /// Each of some cells, or all that touch across sides as one. O(cells).
    pub(super) fn new(
        layout: Layout,
        cells: &BitPlane,
        joined: bool,
        pace: &Pace<'_>,
    ) -> Result<Self, Stopped> {
        let mut of = Plane::new(cells.extent(), NONE);
        let mut wanted = Vec::new();
        for cell in cells.iter() {
            pace.cells(1)?;
            if of.get(cell) != Some(&NONE) {
                continue;
            }
            let number = wanted.len() as u32;
            wanted.push(Some(cell));
            let mut open = vec![cell];
            while let Some(at) = open.pop() {
                let slot = of.get_mut(at).expect("inside");
                if *slot != NONE {
                    continue;
                }
                *slot = number;
                if joined {
                    let sides = layout.lattice().sides().iter();
                    let beyond = sides.filter_map(|&side| layout.neighbour(at, side));
                    open.extend(beyond.filter(|&there| cells.get(there)));
                }
            }
        }
        let left = wanted.len();
        Ok(Self { of, wanted, left })
    }

    /// How many have not been reached.
    pub(super) const fn left(&self) -> usize {
        self.left
    }

    /// Whether the cell at a place belongs to one that has not been reached.
    pub(super) fn wants(&self, index: usize) -> bool {
        let number = self.of.values()[index];
        number != NONE && self.wanted[number as usize].is_some()
    }

    /// Notes that one was reached.
    pub(super) fn reach(&mut self, index: usize) {
        let number = self.of.values()[index];
        if let Some(wanted) = self.wanted.get_mut(number as usize) {
            self.left -= usize::from(wanted.take().is_some());
        }
    }

    /// The first cell of each that was not reached, in cell order.
    pub(super) fn missed(&self) -> Vec<Cell> {
        self.wanted.iter().copied().flatten().collect()
    }
}
