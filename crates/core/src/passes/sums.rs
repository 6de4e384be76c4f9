//! Counts around cells by sums along rows.

use crate::grid::BitPlane;
use crate::lattice::{Cell, Lattice, Layout};
use crate::limits::{Pace, Stopped};

/// Which cells around one are counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum CountArea {
    /// Those across its sides.
    Sides,
    /// On squares also those across corners; on other lattices as [`Sides`](Self::Sides).
    Moore,
    /// All within so many steps, itself left out.
    Steps(u32),
}

/// How many cells of a set lie before each cell of its row, on rows that are padded on both sides.
pub(super) struct Sums {
    layout: Layout,
    /// Row by row, one more than cells.
    before: Vec<u32>,
    /// Cells in a padded row.
    width: usize,
    /// Cells and rows of padding.
    reach: usize,
    /// How far rows reach, from the one above all to the one below all; on hexagons in axial steps.
    spans: Vec<(i32, i32)>,
    set: BitPlane,
}

impl Sums {
    /// `None` on lattices whose neighbourhoods are no rows, and where a neighbourhood meets itself.
    pub(super) fn new(
        layout: Layout,
        set: &BitPlane,
        around: CountArea,
        pace: &Pace<'_>,
    ) -> Result<Option<Self>, Stopped> {
        let hex = match layout.lattice() {
            Lattice::Square => false,
            Lattice::HexPointy => true,
            Lattice::HexFlat | Lattice::Box => return Ok(None),
        };
        let steps = match around {
            CountArea::Steps(steps) if steps > 1024 => return Ok(None),
            CountArea::Steps(steps) => steps as i32,
            CountArea::Sides | CountArea::Moore => 1,
        };
        let spans: Vec<(i32, i32)> = (-steps..=steps)
            .map(|row| match around {
                CountArea::Moore if !hex => (-1, 1),
                _ if hex => ((-steps).max(-steps - row), steps.min(steps - row)),
                _ => (row.abs() - steps, steps - row.abs()),
            })
            .collect();
        // Half a cell of shift a row, at most.
        let reach = steps as usize + if hex { steps as usize / 2 + 1 } else { 0 };
        let (extent, wrap) = (layout.extent(), layout.wrap());
        let [wide, high] = [extent.width() as usize, extent.height() as usize];
        if wrap.x && 2 * reach + 1 > wide || wrap.y && 2 * steps as usize + 1 > high {
            return Ok(None);
        }
        let width = wide + 2 * reach;
        let rows = high + 2 * steps as usize;
        let mut before = Vec::with_capacity((width + 1) * rows);
        let fold = |at: usize, pad: usize, length: usize, wraps: bool| {
            let at = at as i64 - pad as i64;
            let inside = (0..length as i64).contains(&at);
            (inside || wraps).then(|| at.rem_euclid(length as i64) as usize)
        };
        let origin = extent.origin();
        for row in 0..rows {
            pace.cells(width)?;
            let y = fold(row, steps as usize, high, wrap.y);
            let mut sum = 0;
            before.push(0);
            for column in 0..width {
                let there = y.zip(fold(column, reach, wide, wrap.x)).is_some_and(|(y, x)| {
                    set.get(Cell { x: origin.x + x as i32, y: origin.y + y as i32, z: origin.z })
                });
                sum += u32::from(there);
                before.push(sum);
            }
        }
        Ok(Some(Self { layout, before, width, reach, spans, set: set.clone() }))
    }

    /// How many cells around one are set, itself left out.
    pub(super) fn around(&self, index: usize, cell: Cell) -> u32 {
        let wide = self.layout.extent().width() as usize;
        let (row, column) = (index / wide, index % wide);
        let hex = self.layout.lattice() == Lattice::HexPointy;
        let steps = self.spans.len() as i32 / 2;
        let mut sum = 0;
        for (number, &(from, to)) in self.spans.iter().enumerate() {
            // Axial columns begin half a cell further east with each row down.
            let shift = if hex {
                let y = i64::from(cell.y);
                ((y + number as i64 - i64::from(steps)).div_euclid(2) - y.div_euclid(2)) as i32
            } else {
                0
            };
            let start = (row + number) * (self.width + 1) + self.reach + column;
            let at = |step: i32| self.before[(start as i64 + i64::from(step + shift)) as usize];
            sum += at(to + 1) - at(from);
        }
        sum - u32::from(self.set.get(cell))
    }
}
