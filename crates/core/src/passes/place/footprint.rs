//! The cells of something large, row by row, so that whether it fits is asked a row at a time.

use crate::lattice::{Cell, Lattice, Layout, Shift};
use std::ops::Range;

/// Some cells around one, as runs along rows.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(in crate::passes) struct Footprint {
    runs: Vec<Run>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Run {
    first: Shift,
    length: u32,
}

impl Footprint {
    /// Of cells so far away.
    pub(in crate::passes) fn new(lattice: Lattice, mut cells: Vec<Shift>) -> Self {
        cells.sort_unstable_by_key(|shift| shift.row_first());
        let mut runs: Vec<Run> = Vec::new();
        for shift in cells {
            match runs.last_mut() {
                // Rows of flat hexagons go up and down.
                Some(Run { first, length })
                    if lattice != Lattice::HexFlat && first.then_east(*length) == shift =>
                {
                    *length += 1;
                }
                _ => runs.push(Run { first: shift, length: 1 }),
            }
        }
        Self { runs }
    }

    /// Its cells around one of a map, by their places in it; nothing for a run that lies off the map.
    pub(super) fn around(
        &self,
        layout: Layout,
        cell: Cell,
    ) -> impl Iterator<Item = Option<[Range<usize>; 2]>> + '_ {
        let (extent, wrap) = (layout.extent(), layout.wrap());
        let width = extent.width() as usize;
        self.runs.iter().map(move |run| {
            let start = layout.shifted(cell, run.first)?;
            let first = extent.index(start)?;
            let (column, length) = (first % width, run.length as usize);
            let (row, over) = (first - column, (column + length).saturating_sub(width));
            if over > 0 && !wrap.x {
                return None;
            }
            Some([first..first + length - over, row..row + over.min(width)])
        })
    }
}
