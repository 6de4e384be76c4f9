//! How much trouble places gave, and how wide to open cells around them.

use crate::lattice::Cell;
use std::collections::BTreeMap;

/// Radius of the first box at a place.
const NEAREST: u32 = 2;
/// Radius past which a place is given up.
const WIDEST: u32 = 24;
/// Cells a side of what counts as one place.
const PLACE: i32 = 8;
/// Cells that may be opened again in one try for each cell of the map, beside those of the settings.
const CELLS_EACH: u64 = 8;

/// How much trouble places gave.
#[derive(Clone, Debug, Default)]
pub(super) struct Heat {
    places: BTreeMap<[i32; 3], u32>,
    opened: u64,
}

fn place(cell: Cell) -> [i32; 3] {
    [cell.x, cell.y, cell.z].map(|along| along.div_euclid(PLACE))
}

impl Heat {
    /// The radius of the next box around a cell; `None` when enough was tried.
    pub(super) fn radius(&self, cell: Cell, cells: usize, opens: u64) -> Option<u32> {
        let radius = NEAREST + self.places.get(&place(cell)).copied().unwrap_or(0);
        let spent = self.opened >= opens + CELLS_EACH * cells as u64;
        (radius <= WIDEST && !spent).then_some(radius)
    }

    pub(super) fn warm(&mut self, cell: Cell, opened: usize) {
        *self.places.entry(place(cell)).or_default() += 1;
        self.opened += opened as u64;
    }
}
