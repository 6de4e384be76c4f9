//! The cells of something large, row by row, so that whether it fits is asked a row at a time.

use crate::lattice::{Cell, Layout};
use std::ops::Range;

/// Some cells around one, as runs along rows.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(in crate::passes) struct Footprint {
    runs: Vec<Run>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Run {
    y: i32,
    x: i32,
    length: u32,
}

impl Footprint {
    /// Of cells so many columns and rows away.
    pub(in crate::passes) fn new(mut cells: Vec<[i32; 2]>) -> Self {
        cells.sort_unstable_by_key(|&[x, y]| (y, x));
        let mut runs: Vec<Run> = Vec::new();
        for [x, y] in cells {
            match runs.last_mut() {
                Some(run) if run.y == y && i64::from(run.x) + i64::from(run.length) == x.into() => {
                    run.length += 1;
                }
                _ => runs.push(Run { y, x, length: 1 }),
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
            let start = layout.moved(cell, [run.x, run.y, 0])?;
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
