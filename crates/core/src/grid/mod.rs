//! Planes: one value, or one bit, for each cell of an extent; and distances over them.

mod distance;

pub use distance::{UNREACHED, steps_from, steps_through, straight_from};
pub(crate) use distance::{steps, steps_over, steps_to, straight};

use crate::digest::{Digest, digest};
use crate::lattice::{Cell, Extent};
use crate::limits::{Pace, Stopped};
use std::fmt::{self, Debug};
use std::ops::Range;

/// One value for each cell of an extent, row by row and level by level.
#[derive(Clone, PartialEq, Eq)]
pub struct Plane<T> {
    extent: Extent,
    values: Vec<T>,
}

impl<T: Debug> Debug for Plane<T> {
    /// With a digest of its values, of which there may be millions.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let values = digest(&self.values);
        f.debug_struct("Plane").field("extent", &self.extent).field("digest", &values).finish()
    }
}

impl<T: Clone> Plane<T> {
    /// A plane that holds `value` everywhere.
    pub fn new(extent: Extent, value: T) -> Self {
        Self { extent, values: vec![value; extent.cells()] }
    }

    /// A plane of the given values, or `None` when there is not one a cell.
    pub fn from_values(extent: Extent, values: Vec<T>) -> Option<Self> {
        (values.len() == extent.cells()).then_some(Self { extent, values })
    }
}

impl<T> Plane<T> {
    /// The cells it covers.
    pub const fn extent(&self) -> Extent {
        self.extent
    }

    /// The values in cell order.
    pub fn values(&self) -> &[T] {
        &self.values
    }

    /// The values in cell order, to change.
    pub fn values_mut(&mut self) -> &mut [T] {
        &mut self.values
    }

    /// The value of `cell`, or `None` outside.
    pub fn get(&self, cell: Cell) -> Option<&T> {
        self.extent.index(cell).map(|index| &self.values[index])
    }

    /// The value of `cell`, to change, or `None` outside.
    pub fn get_mut(&mut self, cell: Cell) -> Option<&mut T> {
        self.extent.index(cell).map(|index| &mut self.values[index])
    }

    /// Sets the values of a box inside, given in its own order. Panics when it is not inside or there are
    /// fewer. O(box).
    pub(crate) fn paste(&mut self, box_of: Extent, values: &[T])
    where
        T: Copy,
    {
        let (origin, [width, height, depth]) = (box_of.origin(), box_of.size());
        let mut rows = values.chunks_exact(width as usize);
        for z in 0..depth as i32 {
            for y in 0..height as i32 {
                let from = Cell { x: origin.x, y: origin.y + y, z: origin.z + z };
                let start = self.extent.index(from).expect("inside");
                let row = rows.next().expect("a value a cell");
                self.values[start..start + row.len()].copy_from_slice(row);
            }
        }
    }

    /// The values row by row; a box lists all rows of one level before the next.
    pub fn rows(&self) -> std::slice::ChunksExact<'_, T> {
        self.values.chunks_exact(self.extent.width() as usize)
    }
}

/// One bit for each cell of an extent.
#[derive(Clone, PartialEq, Eq, Hash)]
pub struct BitPlane {
    extent: Extent,
    words: Vec<u64>,
}

impl Debug for BitPlane {
    /// With a digest of its cells, of which there may be millions.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut cells = Digest::new();
        self.words.iter().for_each(|word| cells.bytes(&word.to_le_bytes()));
        f.debug_struct("BitPlane")
            .field("extent", &self.extent)
            .field("count", &self.count())
            .field("digest", &cells.finish())
            .finish()
    }
}

impl BitPlane {
    /// A plane in which no cell is set.
    pub fn new(extent: Extent) -> Self {
        Self { extent, words: vec![0; extent.cells().div_ceil(64)] }
    }

    /// A plane in which every cell is set.
    pub fn full(extent: Extent) -> Self {
        let mut plane = Self { extent, words: vec![u64::MAX; extent.cells().div_ceil(64)] };
        if let (rest @ 1.., Some(last)) = (extent.cells() % 64, plane.words.last_mut()) {
            *last = (1 << rest) - 1;
        }
        plane
    }

    /// A plane of the given bits in cell order, 64 to a word from the lowest; `None` when there are not as
    /// many words as the cells need, or bits beyond them are set.
    pub fn from_words(extent: Extent, words: Vec<u64>) -> Option<Self> {
        let cells = extent.cells();
        let beyond =
            words.last().is_some_and(|last| !cells.is_multiple_of(64) && last >> (cells % 64) > 0);
        (words.len() == cells.div_ceil(64) && !beyond).then_some(Self { extent, words })
    }

    /// A plane in which just the cells that `inside` accepts are set.
    pub fn from_fn(extent: Extent, mut inside: impl FnMut(Cell) -> bool) -> Self {
        let mut plane = Self::new(extent);
        for (index, cell) in extent.iter().enumerate() {
            if inside(cell) {
                plane.words[index / 64] |= 1 << (index % 64);
            }
        }
        plane
    }

    /// A plane in which just these cells are set; those outside are left out.
    pub(crate) fn of_cells<'c>(extent: Extent, cells: impl IntoIterator<Item = &'c Cell>) -> Self {
        let mut plane = Self::new(extent);
        for &cell in cells {
            plane.set(cell, true);
        }
        plane
    }

    /// As [`from_fn`](Self::from_fn), unless it is stopped; `inside` also gets the place of each cell.
    pub(crate) fn paced(
        extent: Extent,
        pace: &Pace<'_>,
        mut inside: impl FnMut(usize, Cell) -> bool,
    ) -> Result<Self, Stopped> {
        let mut plane = Self::new(extent);
        let mut cells = extent.iter();
        for (number, word) in plane.words.iter_mut().enumerate() {
            pace.cells(64)?;
            for (bit, cell) in cells.by_ref().take(64).enumerate() {
                *word |= u64::from(inside(number * 64 + bit, cell)) << bit;
            }
        }
        Ok(plane)
    }

    /// The cells it covers.
    pub const fn extent(&self) -> Extent {
        self.extent
    }

    /// Whether `cell` is set; cells outside are not.
    pub fn get(&self, cell: Cell) -> bool {
        self.extent.index(cell).is_some_and(|index| self.has(index))
    }

    /// Whether the cell at a place in cell order is set.
    pub(crate) fn has(&self, index: usize) -> bool {
        self.words[index / 64] >> (index % 64) & 1 == 1
    }

    /// Sets or clears `cell`; returns whether it lies inside.
    pub fn set(&mut self, cell: Cell, value: bool) -> bool {
        let Some(i) = self.extent.index(cell) else { return false };
        let bit = 1 << (i % 64);
        if value {
            self.words[i / 64] |= bit;
        } else {
            self.words[i / 64] &= !bit;
        }
        true
    }

    /// Whether any of the cells of these places is set.
    pub(crate) fn any_in(&self, places: Range<usize>) -> bool {
        if places.is_empty() {
            return false;
        }
        let (first, last) = (places.start / 64, (places.end - 1) / 64);
        let from = u64::MAX << (places.start % 64);
        let to = u64::MAX >> (63 - (places.end - 1) % 64);
        if first == last {
            return self.words[first] & from & to != 0;
        }
        self.words[first] & from != 0
            || self.words[first + 1..last].iter().any(|&word| word != 0)
            || self.words[last] & to != 0
    }

    /// Clears what `other`, of the same extent, does not have. O(cells / 64).
    ///
    /// # Panics
    /// When the extents differ.
    pub fn intersect(&mut self, other: &Self) {
        assert_eq!(self.extent, other.extent, "planes of one extent");
        self.words.iter_mut().zip(&other.words).for_each(|(word, &more)| *word &= more);
    }

    /// Sets what `other`, of the same extent, has. O(cells / 64).
    ///
    /// # Panics
    /// When the extents differ.
    pub fn unite(&mut self, other: &Self) {
        assert_eq!(self.extent, other.extent, "planes of one extent");
        self.words.iter_mut().zip(&other.words).for_each(|(word, &more)| *word |= more);
    }

    /// Clears what `other`, of the same extent, has. O(cells / 64).
    ///
    /// # Panics
    /// When the extents differ.
    pub fn subtract(&mut self, other: &Self) {
        assert_eq!(self.extent, other.extent, "planes of one extent");
        self.words.iter_mut().zip(&other.words).for_each(|(word, &more)| *word &= !more);
    }

    /// How many cells are set.
    pub fn count(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    /// The cells that are set, in cell order. O(cells / 64) and what is set.
    pub fn iter(&self) -> impl Iterator<Item = Cell> + '_ {
        self.indices().map(|index| self.extent.cell(index))
    }

    /// The places of the cells that are set, in cell order.
    pub(crate) fn indices(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().flat_map(|(number, &word)| {
            let mut left = word;
            std::iter::from_fn(move || {
                let bit = left.trailing_zeros() as usize;
                left &= left.wrapping_sub(1);
                (bit < 64).then_some(number * 64 + bit)
            })
        })
    }
}
