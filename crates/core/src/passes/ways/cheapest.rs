//! The cheapest ways from some cells to all others.
//!
//! Dijkstra's search (1959) over cells, or over cells and directions where bends cost something. Of ways
//! that cost the same the one of fewer steps is taken; so costs of 0 make no circles. Of those, going
//! back from its end, the one that keeps straight, then the one over the lower place in cell order.
//! So a way depends on no order of work.

use super::ground::{Crossing, Ground};
use crate::grid::BitPlane;
use crate::lattice::Cell;
use crate::limits::{Pace, Stopped};
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// What steps cost.
#[derive(Debug)]
pub(in crate::passes) struct Costs {
    /// What entering each cell costs, in cell order; empty where every cell costs 1.
    pub(in crate::passes) cells: Vec<u64>,
    /// What it costs to take away an item that is in the way; it cannot be without.
    pub(in crate::passes) open: Option<u64>,
    /// What each level costs by which a step is too high; it cannot be taken without.
    pub(in crate::passes) cut: Option<u64>,
    /// What a change of direction costs.
    pub(in crate::passes) bend: u64,
}

/// A way from where it begins.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(in crate::passes) struct Way {
    /// Its cells, the first and the last included.
    pub(in crate::passes) cells: Vec<Cell>,
    pub(in crate::passes) cost: u64,
}

/// Cost and steps from where ways begin.
type Far = (u64, u32);

const NOWHERE: Far = (u64::MAX, u32::MAX);

/// A search on its way. 16 bytes a state, of which there is one a cell, or one a cell and direction where
/// bends cost.
#[derive(Debug)]
pub(in crate::passes) struct Cheapest<'g, 'a> {
    ground: &'g Ground<'a>,
    costs: &'g Costs,
    /// Directions told apart, and one for ways that begin.
    kinds: usize,
    far: Vec<Far>,
    heap: BinaryHeap<Reverse<(Far, usize)>>,
}

impl<'g, 'a> Cheapest<'g, 'a> {
    pub(in crate::passes) fn new(ground: &'g Ground<'a>, costs: &'g Costs) -> Self {
        let kinds = if costs.bend > 0 { ground.ways() + 1 } else { 1 };
        let far = vec![NOWHERE; ground.open.extent().cells() * kinds];
        Self { ground, costs, kinds, far, heap: BinaryHeap::new() }
    }

    /// Lets ways begin at a cell, in any direction. One that is begun from later than others is as near
    /// as they are.
    pub(in crate::passes) fn begin(&mut self, cell: Cell) {
        if let Some(index) = self.ground.open.extent().index(cell) {
            let state = index * self.kinds + self.kinds - 1;
            if self.far[state] > (0, 0) {
                self.far[state] = (0, 0);
                self.heap.push(Reverse(((0, 0), state)));
            }
        }
    }

    /// Goes on to the nearest cell not yet passed for which `wanted` holds. O(n log n) of states passed.
    pub(in crate::passes) fn nearest(
        &mut self,
        pace: &Pace<'_>,
        mut wanted: impl FnMut(usize) -> bool,
    ) -> Result<Option<usize>, Stopped> {
        let extent = self.ground.open.extent();
        while let Some(Reverse((far, state))) = self.heap.pop() {
            if far > self.far[state] {
                continue;
            }
            pace.cells(1)?;
            let (index, kind) = (state / self.kinds, state % self.kinds);
            let cell = extent.cell(index);
            for way in 0..self.ground.ways() {
                let Some(step) = self.ground.step(cell, way) else { continue };
                let Some((to, cost)) = self.cost(step) else { continue };
                let turns = self.kinds > 1 && kind != way && kind + 1 != self.kinds;
                let bend = if turns { self.costs.bend } else { 0 };
                let next = (far.0.saturating_add(cost).saturating_add(bend), far.1 + 1);
                let state = to * self.kinds + if self.kinds > 1 { way } else { 0 };
                if next < self.far[state] {
                    self.far[state] = next;
                    self.heap.push(Reverse((next, state)));
                }
            }
            if wanted(index) {
                return Ok(Some(index));
            }
        }
        Ok(None)
    }

    /// The place that a step leads to, and what that costs besides a bend.
    fn cost(&self, step: Crossing) -> Option<(usize, u64)> {
        let to =
            self.ground.open.extent().index(step.to).filter(|_| self.ground.open.get(step.to))?;
        let each = |count: u32, cost: Option<u64>| match count {
            0 => Some(0),
            count => cost.map(|cost| cost.saturating_mul(u64::from(count))),
        };
        let more =
            each(step.walls, self.costs.open)?.saturating_add(each(step.over, self.costs.cut)?);
        let cell = self.costs.cells.get(to).copied().unwrap_or(1);
        Some((to, cell.saturating_add(more)))
    }

    /// What the cheapest way to a cell costs, when there is one.
    pub(in crate::passes) fn far(&self, index: usize) -> Option<u64> {
        let (best, _) = self.best(index);
        (best != NOWHERE).then_some(best.0)
    }

    fn best(&self, index: usize) -> (Far, usize) {
        let states = index * self.kinds..(index + 1) * self.kinds;
        // Where ways begin comes last, and is the nearest there is.
        let best = states.clone().map(|state| self.far[state]).min().unwrap_or(NOWHERE);
        let state = states.clone().find(|&state| self.far[state] == best);
        (best, state.unwrap_or(states.start))
    }

    /// The cheapest way to a cell. O(length).
    ///
    /// # Panics
    /// When there is none.
    pub(in crate::passes) fn way_to(&self, index: usize) -> Way {
        let extent = self.ground.open.extent();
        let (best, mut state) = self.best(index);
        assert_ne!(best, NOWHERE, "a way leads there");
        let mut cells = vec![extent.cell(index)];
        let mut came: Option<usize> = None;
        while self.far[state] != (0, 0) {
            let (from, way) = self.before(state, came);
            came = Some(way);
            state = from;
            cells.push(extent.cell(state / self.kinds));
        }
        cells.reverse();
        Way { cells, cost: best.0 }
    }

    /// The state before one, and the number of the way from it; straight on where that is as cheap.
    fn before(&self, state: usize, straight: Option<usize>) -> (usize, usize) {
        let extent = self.ground.open.extent();
        let (index, kind) = (state / self.kinds, state % self.kinds);
        let cell = extent.cell(index);
        let mut best: Option<(bool, usize, usize)> = None;
        for way in 0..self.ground.ways() {
            if self.kinds > 1 && way != kind {
                continue;
            }
            let Some(back) = self.ground.beyond(cell, self.ground.back(way)) else { continue };
            let Some(from) = extent.index(back).filter(|_| self.ground.open.get(back)) else {
                continue;
            };
            let Some(step) = self.ground.step(back, way) else { continue };
            let Some((_, cost)) = self.cost(step) else { continue };
            for kind in 0..self.kinds {
                let turns = self.kinds > 1 && kind != way && kind + 1 != self.kinds;
                let bend = if turns { self.costs.bend } else { 0 };
                let before = self.far[from * self.kinds + kind];
                let reaches = before != NOWHERE
                    && before.0.saturating_add(cost).saturating_add(bend) == self.far[state].0
                    && before.1 + 1 == self.far[state].1;
                let keeps = if self.kinds > 1 { kind == way } else { straight == Some(way) };
                let choice = (!keeps, from * self.kinds + kind, way);
                if reaches && best.is_none_or(|best| choice < best) {
                    best = Some(choice);
                }
            }
        }
        let (_, from, way) = best.expect("something led there");
        (from, way)
    }

    /// The cells to which a way leads, as far as it was searched.
    pub(in crate::passes) fn reached(&self) -> BitPlane {
        let extent = self.ground.open.extent();
        BitPlane::from_fn(extent, |cell| {
            extent.index(cell).is_some_and(|index| self.far(index).is_some())
        })
    }
}
