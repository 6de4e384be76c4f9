//! Cells as numbers with a rim around them, so that stepping to a neighbour is one addition.
//!
//! Between rows lies one cell of rim, which serves the row before as its east and the row after as
//! its west edge; likewise between levels. Rim cells hold a domain of their own (*outside*, or
//! *ghost* where the map wraps), so the hot loop needs no test for the edge.
//!
//! The axis along which a hex lattice shifts runs innermost and its stride is even: the parity
//! that decides the neighbours of a hex cell is then the lowest bit of its number.

use crate::lattice::{Cell, Lattice, Layout};
use std::ops::Range;

/// A power of two, so that no index is out of range.
const MOST_SIDES: usize = 8;

/// Steps to neighbours, for a loop that has no time for bounds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Ways {
    steps: [i32; 2 * MOST_SIDES],
    others: [u32; MOST_SIDES],
    /// Steps to where cells around lie: the next rows and levels, or the next two rows.
    far: [i32; 4],
    parity_mask: u32,
    parity_flip: u32,
}

impl Ways {
    /// Numbers of which each cell beyond a side, and not in the row of the cell itself, has one beside
    /// it or is one. Some may lie outside the map.
    #[inline]
    pub(super) fn around(&self, at: u32) -> [u32; 4] {
        self.far.map(|step| at.wrapping_add_signed(step))
    }

    /// The steps beyond all sides.
    #[inline]
    pub(super) fn steps(&self, at: u32) -> &[i32] {
        let parity = (at & self.parity_mask ^ self.parity_flip) as usize;
        &self.steps[parity * MOST_SIDES..][..MOST_SIDES]
    }

    /// The step beyond a side, and the bits of all sides but that across.
    #[inline]
    pub(super) fn of<const SIDES: usize>(&self, at: u32, side: usize) -> (i32, u32) {
        let side = side % MOST_SIDES;
        // Lattices of four sides do not shift.
        let parity =
            if SIDES == 4 { 0 } else { (at & self.parity_mask ^ self.parity_flip) as usize };
        (self.steps[(parity * MOST_SIDES + side) % (2 * MOST_SIDES)], self.others[side])
    }
}

#[derive(Clone, Debug)]
pub(super) struct Padded<const SIDES: usize> {
    layout: Layout,
    /// Whether rows and columns change places (pointy hexagons).
    swapped: bool,
    lengths: [usize; 3],
    stride: usize,
    level: usize,
    base: usize,
    /// Steps for both parities; alike on lattices without shift. From a cell inside each leads to another or
    /// to the rim, within `len`: what the unchecked loop takes for granted.
    steps: [[i32; SIDES]; 2],
    opposites: [u8; SIDES],
    /// Ands the cell number: 1 on hex lattices, else 0.
    parity_mask: u32,
    parity_flip: u32,
}

impl<const SIDES: usize> Padded<SIDES> {
    pub(super) fn new(layout: Layout) -> Self {
        let lattice = layout.lattice();
        debug_assert_eq!(lattice.sides().len(), SIDES);
        let swapped = lattice == Lattice::HexPointy;
        let hex = swapped || lattice == Lattice::HexFlat;
        let [width, height, depth] = layout.extent().size().map(|length| length as usize);
        let lengths = if swapped { [height, width, depth] } else { [width, height, depth] };
        let stride = if hex { (lengths[0] + 2) & !1 } else { lengths[0] + 1 };
        let level = stride * (lengths[1] + 1);
        let base = stride + 2 + if lattice.is_solid() { level } else { 0 };
        let origin = layout.extent().origin();
        let shifted = if swapped { origin.y } else { origin.x };
        let mut this = Self {
            layout,
            swapped,
            lengths,
            stride,
            level,
            base,
            steps: [[0; SIDES]; 2],
            opposites: std::array::from_fn(|side| {
                let opposite = lattice.sides()[side].opposite();
                lattice.side_index(opposite).expect("sides come in pairs") as u8
            }),
            parity_mask: u32::from(hex),
            // The first cell has number `base`; its coordinate's parity is that of the origin.
            parity_flip: if hex { (base as i32 + shifted).rem_euclid(2) as u32 } else { 0 },
        };
        for parity in 0..2 {
            // Any cell of that parity will do, since steps do not depend on the rest.
            let from = if swapped { Cell::new(0, parity) } else { Cell::new(parity, 0) };
            for (at, &side) in lattice.sides().iter().enumerate() {
                let to = lattice.step(from, side).expect("small coordinates");
                let (da, db) = (to.x - from.x, to.y - from.y);
                let (da, db) = if swapped { (db, da) } else { (da, db) };
                let dc = to.z - from.z;
                this.steps[parity as usize][at] =
                    da + db * this.stride as i32 + dc * this.level as i32;
            }
        }
        this
    }

    pub(super) fn layout(&self) -> Layout {
        self.layout
    }

    /// Cells with rim.
    pub(super) fn len(&self) -> usize {
        let solid = usize::from(self.layout.lattice().is_solid());
        self.base + self.level * (self.lengths[2] + solid) + self.stride + 2
    }

    /// Cells with rim that a layout would need, for reckoning before anything is allocated.
    pub(super) fn len_of(layout: Layout) -> u64 {
        Self::new(layout).len() as u64
    }

    /// Steps at hand.
    pub(super) fn ways(&self) -> Ways {
        let row = self.stride as i32;
        // In boxes changes continue to other levels, elsewhere to the row after the next.
        let solid = self.layout.lattice().is_solid();
        let further = if solid { self.level as i32 } else { 2 * row };
        let mut ways = Ways {
            steps: [0; 2 * MOST_SIDES],
            others: [0; MOST_SIDES],
            far: [row, -row, further, -further],
            parity_mask: self.parity_mask,
            parity_flip: self.parity_flip,
        };
        for side in 0..SIDES {
            ways.steps[side] = self.steps[0][side];
            ways.steps[MOST_SIDES + side] = self.steps[1][side];
            ways.others[side] = !(1 << self.opposites[side]) & ((1 << SIDES) - 1);
        }
        ways
    }

    /// From a cell to the one beyond each side.
    #[inline]
    pub(super) fn steps(&self, at: u32) -> &[i32; SIDES] {
        let parity = (at & self.parity_mask) ^ self.parity_flip;
        &self.steps[parity as usize & 1]
    }

    #[inline]
    pub(super) fn neighbour(&self, at: u32, side: usize) -> u32 {
        at.wrapping_add_signed(self.steps(at)[side])
    }

    /// The number of the side across from a side.
    #[inline]
    pub(super) fn opposite(&self, side: usize) -> u8 {
        self.opposites[side]
    }

    /// The number of a cell that lies inside.
    pub(super) fn number(&self, cell: Cell) -> u32 {
        let origin = self.layout.extent().origin();
        let (a, b) = ((cell.x - origin.x) as usize, (cell.y - origin.y) as usize);
        let (a, b) = if self.swapped { (b, a) } else { (a, b) };
        let c = (cell.z - origin.z) as usize;
        debug_assert!(a < self.lengths[0] && b < self.lengths[1] && c < self.lengths[2]);
        (self.base + a + b * self.stride + c * self.level) as u32
    }

    /// The cell of a number that lies inside.
    pub(super) fn cell(&self, at: u32) -> Cell {
        let rest = at as usize - self.base;
        let (c, rest) = (rest / self.level, rest % self.level);
        let (b, a) = (rest / self.stride, rest % self.stride);
        let (x, y) = if self.swapped { (b, a) } else { (a, b) };
        let origin = self.layout.extent().origin();
        Cell { x: origin.x + x as i32, y: origin.y + y as i32, z: origin.z + c as i32 }
    }

    /// Whether a number is that of a cell inside, and not of the rim.
    pub(super) fn is_inside(&self, at: u32) -> bool {
        let Some(rest) = (at as usize).checked_sub(self.base) else { return false };
        let (level, rest) = (rest / self.level, rest % self.level);
        let (row, column) = (rest / self.stride, rest % self.stride);
        column < self.lengths[0] && row < self.lengths[1] && level < self.lengths[2]
    }

    /// The neighbour beyond the edge of a map that wraps, or `None` where it does not.
    #[cold]
    pub(super) fn wrapped(&self, at: u32, side: usize) -> Option<u32> {
        let lattice = self.layout.lattice();
        let beyond = self.layout.neighbour(self.cell(at), lattice.sides()[side])?;
        Some(self.number(beyond))
    }

    /// Whether any edge wraps.
    pub(super) fn wraps(&self) -> bool {
        let wrap = self.layout.wrap();
        wrap.x || wrap.y || wrap.z
    }

    /// Runs of numbers of all cells inside, in rising order, so far as they lie within `part`.
    pub(super) fn inside(&self, part: Range<usize>) -> impl Iterator<Item = Range<usize>> + '_ {
        let [length, rows, levels] = self.lengths;
        let before = part.start.saturating_sub(self.base);
        let (level, row) = (before / self.level, before % self.level / self.stride);
        let first = level * rows + row.min(rows);
        (first..rows * levels)
            .map(move |row| self.base + row % rows * self.stride + row / rows * self.level)
            .take_while(move |&start| start < part.end)
            .map(move |start| start.max(part.start)..(start + length).min(part.end))
            .filter(|run| !run.is_empty())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::{Extent, Wrap};
    use rstest::rstest;

    fn agrees<const SIDES: usize>(lattice: Lattice, origin: Cell, size: [u32; 3]) {
        let extent = Extent::new(origin, size).unwrap();
        let layout = Layout::new(lattice, extent, Wrap::NONE).unwrap();
        let padded = Padded::<SIDES>::new(layout);
        let len = padded.len();
        let inside: Vec<u32> = padded.inside(0..len).flatten().map(|at| at as u32).collect();
        assert_eq!(inside.len(), extent.cells());
        assert!(inside.is_sorted());
        for slice in [1, 3, 7] {
            let parts = (0..len).step_by(slice).map(|from| from..(from + slice).min(len));
            let sliced = parts.flat_map(|part| padded.inside(part)).flatten();
            assert!(sliced.map(|at| at as u32).eq(inside.iter().copied()));
        }
        for cell in extent.iter() {
            let at = padded.number(cell);
            assert_eq!(padded.cell(at), cell);
            for (number, &side) in lattice.sides().iter().enumerate() {
                let to = padded.neighbour(at, number);
                let (stride, others) = padded.ways().of::<SIDES>(at, number);
                assert_eq!(at.wrapping_add_signed(stride), to);
                let across = 1u32 << padded.opposite(number);
                assert_eq!((others & across, others | across), (0, (1 << SIDES) - 1));
                assert!((to as usize) < padded.len());
                let near = |other: u32| to.abs_diff(other) <= 1;
                assert!(near(at) || padded.ways().around(at).into_iter().any(near));
                match layout.neighbour(cell, side) {
                    Some(beyond) => assert_eq!(to, padded.number(beyond), "{cell} {side}"),
                    None => assert!(inside.binary_search(&to).is_err(), "{cell} {side}"),
                }
            }
        }
    }

    #[rstest]
    #[case([5, 4, 1])]
    #[case([4, 5, 1])]
    #[case([1, 1, 1])]
    #[case([1, 7, 1])]
    fn steps_agree_with_the_lattice(#[case] size: [u32; 3]) {
        for origin in [Cell::new(0, 0), Cell::new(-3, 2), Cell::new(2, -3), Cell::new(-1, -1)] {
            agrees::<4>(Lattice::Square, origin, size);
            agrees::<6>(Lattice::HexPointy, origin, size);
            agrees::<6>(Lattice::HexFlat, origin, size);
            agrees::<6>(Lattice::Box, origin, size);
            agrees::<6>(Lattice::Box, Cell { z: -2, ..origin }, [size[0], size[1], 3]);
        }
    }
}
