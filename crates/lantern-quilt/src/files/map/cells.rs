//! Rows of a map's file, each going where the cells of its kind are kept.

use super::MapError;
use super::tables::{Cells, Each, Rows, Shape, Whole};
use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::lattice::Extent;
use lantern_quilt_core::map::{Indices, Numbers};
use serde::Deserializer;
use serde::de::{MapAccess, Visitor};
use std::fmt;

/// Cells that were read, and the shape of their rows.
#[derive(Debug)]
pub(super) struct Grid<C> {
    pub(super) cells: C,
    shape: Shape,
}

impl<C: Cells> Grid<C> {
    /// Reads the value of a key into cells that have room.
    pub(super) fn read<'de, A: MapAccess<'de>>(
        mut cells: C,
        table: &mut A,
    ) -> Result<Self, A::Error> {
        let shape = table.next_value_seed(Rows(&mut cells))?;
        Ok(Self { cells, shape })
    }
}

impl<C> Grid<C> {
    /// The cells, when there is one for each of an extent.
    pub(super) fn of(self, extent: Extent, what: &str) -> Result<C, MapError> {
        let Shape { rows: found, width, ragged } = self.shape;
        let rows = extent.height() as usize * extent.depth() as usize;
        if let Some(row) = ragged {
            let text = format!("{what}: row {row} is not as long as the others");
            return Err(MapError::Inconsistent(text));
        }
        if found != rows || width != extent.width() as usize {
            return Err(MapError::Inconsistent(format!(
                "{what}: {found} rows of {width} cells where the size says {rows} of {}",
                extent.width()
            )));
        }
        Ok(self.cells)
    }
}

/// Room for cells, as far as what a file says of its size is believed before its rows bear it out.
pub(super) fn room(cells: Option<u64>) -> usize {
    const MOST: u64 = 1 << 24;
    cells.map_or(0, |cells| cells.min(MOST) as usize)
}

impl Cells for Indices {
    fn row<'de, D: Deserializer<'de>>(&mut self, row: D) -> Result<usize, D::Error> {
        row.deserialize_seq(Each::new(|number: Option<u32>| {
            if number == Some(u32::MAX) {
                return Err(format!("{} is past any palette", u32::MAX));
            }
            self.push(number);
            Ok(())
        }))
    }

    fn shrink(&mut self) {
        Indices::shrink_to_fit(self);
    }
}

/// Numbers as a plane keeps them.
#[derive(Debug)]
pub(super) struct Kept(pub(super) Vec<i32>);

impl Kept {
    pub(super) fn numbers(self, extent: Extent) -> Option<Numbers> {
        Numbers::from_kept(extent, self.0)
    }
}

impl Cells for Kept {
    fn row<'de, D: Deserializer<'de>>(&mut self, row: D) -> Result<usize, D::Error> {
        row.deserialize_seq(Each::new(|Whole(number)| {
            self.0.push(Numbers::kept(number));
            Ok(())
        }))
    }

    fn shrink(&mut self) {
        self.0.shrink_to_fit();
    }
}

/// Heights.
#[derive(Debug)]
pub(super) struct Heights(pub(super) Vec<i32>);

impl Heights {
    pub(super) fn plane(self, extent: Extent) -> Option<Plane<i32>> {
        Plane::from_values(extent, self.0)
    }
}

impl Cells for Heights {
    fn row<'de, D: Deserializer<'de>>(&mut self, row: D) -> Result<usize, D::Error> {
        row.deserialize_seq(Each::new(|height: i32| {
            self.0.push(height);
            Ok(())
        }))
    }

    fn shrink(&mut self) {
        self.0.shrink_to_fit();
    }
}

/// Bits, 64 to a word.
#[derive(Debug)]
pub(super) struct Bits {
    words: Vec<u64>,
    count: usize,
}

impl Bits {
    pub(super) fn with_room(cells: usize) -> Self {
        Self { words: Vec::with_capacity(cells.div_ceil(64)), count: 0 }
    }

    pub(super) fn plane(self, extent: Extent) -> Option<BitPlane> {
        BitPlane::from_words(extent, self.words)
    }
}

impl Cells for Bits {
    fn row<'de, D: Deserializer<'de>>(&mut self, row: D) -> Result<usize, D::Error> {
        row.deserialize_str(self)
    }

    fn shrink(&mut self) {
        self.words.shrink_to_fit();
    }
}

impl Visitor<'_> for &mut Bits {
    type Value = usize;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a row of `#` and `.`")
    }

    fn visit_str<E: serde::de::Error>(self, row: &str) -> Result<usize, E> {
        for letter in row.chars() {
            let set = match letter {
                '#' => 1,
                '.' => 0,
                other => {
                    let text = format!("`{}` stands in a row of `#` and `.`", other.escape_debug());
                    return Err(E::custom(text));
                }
            };
            if self.count.is_multiple_of(64) {
                self.words.push(0);
            }
            let last = self.words.last_mut().expect("just pushed");
            *last |= set << (self.count % 64);
            self.count += 1;
        }
        Ok(row.len())
    }
}
