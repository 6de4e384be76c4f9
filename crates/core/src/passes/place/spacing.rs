//! What is taken already, and what is too close to it.

use super::footprint::Footprint;
use super::options::{PlaceStep, Replace, SetPiece, Thing};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Layout, Side};
use crate::map::{Spot, Tilemap};
use crate::passes::condition::within;
use crate::passes::step::Scene;
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;

/// Where things may still be set.
pub(super) struct Room {
    layout: Layout,
    /// Cells that hold an item.
    cells: BitPlane,
    /// Cells on which this pass laid a tile.
    tiles: BitPlane,
    /// Cells that hold one on a side, side by side.
    sides: Vec<(Side, BitPlane)>,
    /// Cells too close to what this pass set.
    close: Option<BitPlane>,
    /// From a cell to all that are too close, on lattices with straight axes.
    offsets: Vec<[i32; 3]>,
    /// Steps to the farthest cell that is too close, on others.
    steps: u32,
    /// Places taken by this pass.
    taken: Vec<Spot>,
}

impl Room {
    pub(super) fn new(step: &PlaceStep, map: &Tilemap, scene: &Scene<'_>) -> Self {
        let layout = map.layout();
        let mut room = Self {
            layout,
            cells: BitPlane::new(layout.extent()),
            tiles: BitPlane::new(layout.extent()),
            sides: Vec::new(),
            close: (step.apart > 0.0).then(|| BitPlane::new(layout.extent())),
            offsets: Vec::new(),
            steps: (step.apart.ceil().max(1.0) as u32 - 1).min(4096),
            taken: Vec::new(),
        };
        if layout.lattice().turns() == 4 {
            room.offsets = offsets(layout, step.apart);
        }
        if !step.overlap {
            for item in map.items().iter().filter(|item| !step.replace.takes(item, scene)) {
                room.fill(item.cell, item.side);
            }
        }
        room
    }

    fn fill(&mut self, cell: Cell, side: Option<Side>) {
        let Some(side) = side else {
            self.cells.set(cell, true);
            return;
        };
        let (cell, side) = Spot::new(self.layout, cell, Some(side)).told_from(side);
        let known = self.sides.iter().position(|(known, _)| *known == side);
        let number = known.unwrap_or_else(|| {
            self.sides.push((side, BitPlane::new(self.layout.extent())));
            self.sides.len() - 1
        });
        self.sides[number].1.set(cell, true);
    }

    pub(super) fn is_apart(&self, cell: Cell) -> bool {
        self.close.as_ref().is_none_or(|close| !close.get(cell))
    }

    /// Whether nothing of its kind stands in a cell, or on that side of it. Tiles lie below items.
    pub(super) fn is_free(&self, cell: Cell, part: &SetPiece, side: Option<Side>) -> bool {
        match side {
            _ if matches!(part.what, Thing::Tile { .. }) => !self.tiles.get(cell),
            Some(side) => {
                let (cell, side) = Spot::new(self.layout, cell, Some(side)).told_from(side);
                !self.sides.iter().any(|(known, plane)| *known == side && plane.get(cell))
            }
            None => !self.cells.get(cell),
        }
    }

    /// Whether nothing stands in the cells of a footprint, and all of them lie on the map.
    pub(super) fn has_room(&self, footprint: &Footprint, cell: Cell) -> bool {
        footprint.around(self.layout, cell).all(|run| {
            run.is_some_and(|ranges| !ranges.into_iter().any(|range| self.cells.any_in(range)))
        })
    }

    /// Takes the cells of a footprint.
    pub(super) fn take_cells(&mut self, footprint: &Footprint, cell: Cell) {
        let extent = self.layout.extent();
        for index in footprint.around(self.layout, cell).flatten().flatten().flatten() {
            let cell = extent.cell(index);
            self.cells.set(cell, true);
            self.taken.push(Spot::new(self.layout, cell, None));
        }
    }

    pub(super) fn take<'p>(
        &mut self,
        parts: impl Iterator<Item = (Cell, &'p SetPiece)>,
        side: Option<Side>,
    ) {
        for (cell, part) in parts {
            if matches!(part.what, Thing::Tile { .. }) {
                self.tiles.set(cell, true);
                continue;
            }
            self.fill(cell, side);
            self.taken.push(Spot::new(self.layout, cell, side));
        }
    }

    /// Nothing else of this pass stands too close to a place from now on.
    pub(super) fn keep_off(&mut self, at: Cell) {
        let Some(close) = &mut self.close else { return };
        for &offset in &self.offsets {
            if let Some(there) = self.layout.moved(at, offset) {
                close.set(there, true);
            }
        }
        if self.offsets.is_empty() {
            for there in within(self.layout, at, self.steps) {
                close.set(there, true);
            }
        }
    }

    /// The places whose items go, where what this pass sets replaces them.
    pub(super) fn replaced(self, replace: &Replace) -> HashSet<Spot, FxBuildHasher> {
        self.taken.into_iter().filter(|_| *replace != Replace::Nothing).collect()
    }
}

/// From a cell to all that lie closer than so many cells.
fn offsets(layout: Layout, apart: f32) -> Vec<[i32; 3]> {
    let reach = apart.ceil().clamp(0.0, 4096.0) as i32;
    let [width, height, depth] = layout.extent().size().map(|length| length.min(4097) as i32 - 1);
    let (x, y, z) = (reach.min(width), reach.min(height), reach.min(depth));
    let mut offsets = Vec::new();
    for (dz, dy) in (-z..=z).flat_map(|dz| (-y..=y).map(move |dy| (dz, dy))) {
        for dx in -x..=x {
            let square = i64::from(dx).pow(2) + i64::from(dy).pow(2) + i64::from(dz).pow(2);
            if (square as f64) < f64::from(apart) * f64::from(apart) {
                offsets.push([dx, dy, dz]);
            }
        }
    }
    offsets
}
