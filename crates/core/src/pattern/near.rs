//! Which patterns fit what stands in a map, and which come nearest.

use super::Patterns;
use crate::constraints::{Posed, leads_over};
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Layout, Side};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// What is known of a window of a map.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct SeenWindow {
    /// Of each cell, in the order of [`Patterns::shifts`]: nothing where anything may stand, else what stands there;
    /// `Some(None)` beyond an edge that samples show.
    pub cells: Vec<Option<Option<Posed>>>,
    /// The sides that samples show the edge at, and over which its own cell looks out of the map.
    pub looks_out: Vec<Side>,
}

/// A window of a map that no sample shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnseenWindow {
    /// The cell that it belongs to.
    pub cell: Cell,
    /// The pattern that differs in the fewest cells; of several the most frequent.
    pub nearest: PoseId,
    /// In how many cells that differs; looking out of the map over another side counts as one.
    pub differs: usize,
}

impl Patterns {
    /// The window of a cell of a map, of which `at` has what stands in each cell. O(cells of a window).
    pub fn window_at(
        &self,
        layout: Layout,
        cell: Cell,
        at: impl Fn(Cell) -> Option<Posed>,
    ) -> SeenWindow {
        let cells = self.shifts.iter().map(|&shift| match layout.shifted(cell, shift) {
            Some(there) => at(there).map(Some),
            None => leads_over(layout, &self.edges, cell, shift).then_some(None),
        });
        let out = |side: &&Side| layout.neighbour(cell, **side).is_none();
        SeenWindow {
            cells: cells.collect(),
            looks_out: self.edges.iter().filter(out).copied().collect(),
        }
    }

    /// The pattern that comes nearest to a window, and in how many cells it differs: 0 where it fits. Of several the
    /// most frequent, then the first. O(patterns x cells of a window).
    pub fn nearest(&self, window: &SeenWindow) -> (PoseId, usize) {
        let mut best = (PoseId::from_index(0), usize::MAX);
        let mut most = 0.0;
        for (id, pattern) in self.patterns.pairs() {
            let known = window.cells.iter().zip(&pattern.cells);
            let cells = known.filter(|(seen, has)| seen.as_ref().is_some_and(|seen| seen != *has));
            let out =
                |side: &&Side| pattern.looks_out.contains(side) != window.looks_out.contains(side);
            let differs = cells.count() + self.edges.iter().filter(out).count();
            if differs < best.1 || differs == best.1 && pattern.frequency > most {
                (best, most) = ((id, differs), pattern.frequency);
            }
        }
        best
    }

    /// The pattern behind a cell of a map; where what lies beyond the map leaves several, the most frequent. `None`
    /// where the cell is empty or no sample shows its window. O(patterns x cells of a window).
    pub fn behind(
        &self,
        layout: Layout,
        cell: Cell,
        at: impl Fn(Cell) -> Option<Posed>,
    ) -> Option<PoseId> {
        at(cell)?;
        let (id, differs) = self.nearest(&self.window_at(layout, cell, at));
        (differs == 0).then_some(id)
    }

    /// The patterns behind all cells of a map, in cell order, as [`behind`](Self::behind) has them. O(cells x cells of a
    /// window), and O(patterns x cells of a window) for each window that differs from all before.
    pub fn behind_all(
        &self,
        layout: Layout,
        at: impl Fn(Cell) -> Option<Posed>,
    ) -> Vec<Option<PoseId>> {
        let mut judged: HashMap<SeenWindow, (PoseId, usize), FxBuildHasher> = HashMap::default();
        let behind = layout.extent().iter().map(|cell| {
            at(cell)?;
            let window = self.window_at(layout, cell, &at);
            let (id, differs) =
                *judged.entry(window).or_insert_with_key(|window| self.nearest(window));
            (differs == 0).then_some(id)
        });
        behind.collect()
    }

    /// The windows of some cells of a map that no sample shows, whatever stands where nothing is known.
    /// O(cells x cells of a window), and O(patterns x cells of a window) for each window that differs from all before.
    pub fn unseen(
        &self,
        layout: Layout,
        cells: impl IntoIterator<Item = Cell>,
        at: impl Fn(Cell) -> Option<Posed>,
    ) -> Vec<UnseenWindow> {
        let mut judged: HashMap<SeenWindow, (PoseId, usize), FxBuildHasher> = HashMap::default();
        let judged = cells.into_iter().filter_map(|cell| {
            let window = self.window_at(layout, cell, &at);
            let (nearest, differs) =
                *judged.entry(window).or_insert_with_key(|window| self.nearest(window));
            (differs > 0).then_some(UnseenWindow { cell, nearest, differs })
        });
        judged.collect()
    }
}
