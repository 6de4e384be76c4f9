//! A box of cells with an origin, and how its edges close.

use super::{Cell, Lattice, Side};
use thiserror::Error;

/// The largest number of cells an extent may hold: 2^31 - 1, so that a cell number fits `u32`.
pub const MAX_CELLS: u64 = (1 << 31) - 1;

/// Why a size or an origin cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum ExtentError {
    /// A length is zero.
    #[error("a map needs at least one cell each way, not {width} x {height} x {depth}")]
    Empty {
        /// Cells from west to east.
        width: u32,
        /// Cells from north to south.
        height: u32,
        /// Levels.
        depth: u32,
    },
    /// More cells than [`MAX_CELLS`].
    #[error("{cells} cells are more than a map can hold ({MAX_CELLS})")]
    TooLarge {
        /// The product of the lengths.
        cells: u128,
    },
    /// The far corner leaves the range of `i32`.
    #[error("the map would reach past coordinate {}", i32::MAX)]
    OutOfRange,
    /// A two-dimensional lattice with several levels.
    #[error("a {lattice} map has one level, not {depth}")]
    Flat {
        /// The lattice asked for.
        lattice: Lattice,
        /// The levels asked for.
        depth: u32,
    },
    /// A hex map that closes across its shifted axis with an odd length.
    #[error(
        "a {lattice} map that wraps {axis} needs an even {axis} size, not {size}: \
         every second row or column is shifted by half a cell"
    )]
    OddWrap {
        /// The lattice asked for.
        lattice: Lattice,
        /// `x` or `y`.
        axis: char,
        /// The odd length.
        size: u32,
    },
}

/// A box of cells: an origin and a size, never empty and never past [`MAX_CELLS`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Extent {
    origin: Cell,
    size: [u32; 3],
}

impl Extent {
    /// A box of `size` (width, height, depth) whose least corner is `origin`.
    ///
    /// # Errors
    /// When a length is zero, or the box holds too many cells or leaves the coordinate range.
    pub fn new(origin: Cell, size: [u32; 3]) -> Result<Self, ExtentError> {
        let [width, height, depth] = size;
        if width == 0 || height == 0 || depth == 0 {
            return Err(ExtentError::Empty { width, height, depth });
        }
        let cells = u128::from(width) * u128::from(height) * u128::from(depth);
        if cells > u128::from(MAX_CELLS) {
            return Err(ExtentError::TooLarge { cells });
        }
        for (start, length) in [(origin.x, width), (origin.y, height), (origin.z, depth)] {
            if i64::from(start) + i64::from(length) > i64::from(i32::MAX) {
                return Err(ExtentError::OutOfRange);
            }
        }
        Ok(Self { origin, size })
    }

    /// A flat box of `width` x `height` at the origin.
    ///
    /// # Errors
    /// As [`Extent::new`].
    pub fn flat(width: u32, height: u32) -> Result<Self, ExtentError> {
        Self::new(Cell::default(), [width, height, 1])
    }

    /// The least corner.
    pub const fn origin(&self) -> Cell {
        self.origin
    }

    /// Width, height and depth in cells.
    pub const fn size(&self) -> [u32; 3] {
        self.size
    }

    /// Cells from west to east.
    pub const fn width(&self) -> u32 {
        self.size[0]
    }

    /// Cells from north to south.
    pub const fn height(&self) -> u32 {
        self.size[1]
    }

    /// Levels.
    pub const fn depth(&self) -> u32 {
        self.size[2]
    }

    /// The number of cells.
    pub const fn cells(&self) -> usize {
        self.size[0] as usize * self.size[1] as usize * self.size[2] as usize
    }

    /// The number of `cell`, counted row by row and level by level, or `None` outside.
    pub fn index(&self, cell: Cell) -> Option<usize> {
        // An extent ends within the range of coordinates, so what lies before it comes round to no less
        // than its length.
        let along = |value: i32, start: i32, length: u32| {
            let offset = value.wrapping_sub(start) as u32;
            (offset < length).then_some(offset as usize)
        };
        let x = along(cell.x, self.origin.x, self.size[0])?;
        let y = along(cell.y, self.origin.y, self.size[1])?;
        let z = along(cell.z, self.origin.z, self.size[2])?;
        Some((z * self.size[1] as usize + y) * self.size[0] as usize + x)
    }

    /// The cell of that number; the inverse of [`index`](Self::index).
    pub fn cell(&self, index: usize) -> Cell {
        let [width, height, _] = self.size;
        // Cells are fewer than numbers of 32 bits, which divide faster.
        let index = index as u32;
        let row = index / width;
        let level = if row < height { 0 } else { row / height };
        Cell {
            x: self.origin.x + (index - row * width) as i32,
            y: self.origin.y + (row - level * height) as i32,
            z: self.origin.z + level as i32,
        }
    }

    /// Whether `cell` lies inside.
    pub fn contains(&self, cell: Cell) -> bool {
        self.index(cell).is_some()
    }

    /// Every cell, row by row and level by level.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = Cell> + Clone + use<> {
        Cells { extent: *self, next: self.origin, left: self.cells() }
    }

    /// The cells both boxes share, or `None`.
    pub fn intersection(&self, other: &Self) -> Option<Self> {
        let cut = |a: i32, la: u32, b: i32, lb: u32| {
            let start = a.max(b);
            let end = (a + la as i32).min(b + lb as i32);
            (end > start).then(|| (start, (end - start) as u32))
        };
        let (x, w) = cut(self.origin.x, self.size[0], other.origin.x, other.size[0])?;
        let (y, h) = cut(self.origin.y, self.size[1], other.origin.y, other.size[1])?;
        let (z, d) = cut(self.origin.z, self.size[2], other.origin.z, other.size[2])?;
        Some(Self { origin: Cell { x, y, z }, size: [w, h, d] })
    }
}

/// Along which axes a map closes on itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Wrap {
    /// East and west edges touch.
    pub x: bool,
    /// North and south edges touch.
    pub y: bool,
    /// Top and bottom touch.
    pub z: bool,
}

impl Wrap {
    /// Open on every edge.
    pub const NONE: Self = Self { x: false, y: false, z: false };
    /// Closed east to west and north to south.
    pub const FLAT: Self = Self { x: true, y: true, z: false };

    /// Whether a map of squares or boxes wraps beyond a side. Slanted sides of hexagons lie along no axis: `false`.
    pub const fn is_over(self, side: Side) -> bool {
        match side {
            Side::North | Side::South => self.y,
            Side::East | Side::West => self.x,
            Side::Up | Side::Down => self.z,
            _ => false,
        }
    }
}

/// The cells of an extent, in their order.
#[derive(Clone, Debug)]
struct Cells {
    extent: Extent,
    next: Cell,
    left: usize,
}

impl Iterator for Cells {
    type Item = Cell;

    fn next(&mut self) -> Option<Cell> {
        self.left = self.left.checked_sub(1)?;
        let cell = self.next;
        // Counted from the origin: one past the end may be no coordinate.
        let Extent { origin, size } = self.extent;
        let is_last = |at: i32, from: i32, length: u32| at.wrapping_sub(from) as u32 + 1 == length;
        if !is_last(cell.x, origin.x, size[0]) {
            self.next.x += 1;
        } else if !is_last(cell.y, origin.y, size[1]) {
            self.next = Cell { x: origin.x, y: cell.y + 1, ..cell };
        } else if self.left > 0 {
            self.next = Cell { x: origin.x, y: origin.y, z: cell.z + 1 };
        }
        Some(cell)
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        (self.left, Some(self.left))
    }

    fn nth(&mut self, steps: usize) -> Option<Cell> {
        let Some(left) = self.left.checked_sub(steps).filter(|left| *left > 0) else {
            self.left = 0;
            return None;
        };
        self.next = self.extent.cell(self.extent.cells() - left);
        self.left = left;
        self.next()
    }
}

impl ExactSizeIterator for Cells {}

/// The cells near one, each coordinate with its distance; see [`Layout::near`].
#[derive(Clone, Debug)]
struct Near {
    across: Vec<(i32, u32)>,
    down: Vec<(i32, u32)>,
    up: Vec<(i32, u32)>,
    /// The number of the next one.
    at: usize,
}

impl Iterator for Near {
    type Item = (Cell, u32);

    fn next(&mut self) -> Option<(Cell, u32)> {
        let (width, height) = (self.across.len(), self.down.len());
        let row = self.at.checked_div(width)?;
        let &(z, up) = self.up.get(row.checked_div(height)?)?;
        let ((y, down), (x, across)) = (self.down[row % height], self.across[self.at % width]);
        self.at += 1;
        Some((Cell { x, y, z }, across.max(down).max(up)))
    }

    fn nth(&mut self, steps: usize) -> Option<(Cell, u32)> {
        self.at = self.at.saturating_add(steps);
        self.next()
    }
}

/// Lattice, extent and wrapping together: everything about which cells touch.
///
/// Its constructor refuses what cannot exist: several levels in two dimensions, or a hex map that
/// closes across its shifted axis with an odd length.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Layout {
    lattice: Lattice,
    extent: Extent,
    wrap: Wrap,
}

impl Layout {
    /// Checks and joins the three.
    ///
    /// # Errors
    /// [`ExtentError::Flat`] or [`ExtentError::OddWrap`].
    pub fn new(lattice: Lattice, extent: Extent, wrap: Wrap) -> Result<Self, ExtentError> {
        let [width, height, depth] = extent.size;
        if !lattice.is_solid() && (depth != 1 || extent.origin.z != 0) {
            return Err(ExtentError::Flat { lattice, depth });
        }
        if lattice == Lattice::HexPointy && wrap.y && height % 2 == 1 {
            return Err(ExtentError::OddWrap { lattice, axis: 'y', size: height });
        }
        if lattice == Lattice::HexFlat && wrap.x && width % 2 == 1 {
            return Err(ExtentError::OddWrap { lattice, axis: 'x', size: width });
        }
        Ok(Self { lattice, extent, wrap })
    }

    /// An open map of `width` x `height` at the origin.
    ///
    /// # Errors
    /// As [`Extent::new`] and [`Layout::new`].
    pub fn flat(lattice: Lattice, width: u32, height: u32) -> Result<Self, ExtentError> {
        Self::new(lattice, Extent::flat(width, height)?, Wrap::NONE)
    }

    /// The lattice.
    pub const fn lattice(&self) -> Lattice {
        self.lattice
    }

    /// The box of cells.
    pub const fn extent(&self) -> Extent {
        self.extent
    }

    /// Which axes close.
    pub const fn wrap(&self) -> Wrap {
        self.wrap
    }

    /// The cell beyond `side` of `cell`, wrapped; `None` when it lies off the map.
    ///
    /// Also `None` when the lattice has no such side. O(1).
    pub fn neighbour(&self, cell: Cell, side: Side) -> Option<Cell> {
        self.moved(cell, self.lattice.way(cell, side)?)
    }

    /// The cell so many columns, rows and levels away, wrapped; `None` when it lies off the map. O(1).
    pub fn moved(&self, cell: Cell, by: [i32; 3]) -> Option<Cell> {
        // A short way that comes round past the ends of the coordinates ends in no extent.
        let next = Cell {
            x: cell.x.wrapping_add(by[0]),
            y: cell.y.wrapping_add(by[1]),
            z: cell.z.wrapping_add(by[2]),
        };
        let short = by.iter().all(|step| step.unsigned_abs() < 1 << 30);
        if short && self.extent.contains(next) {
            return Some(next);
        }
        let fold = |at: i32, step: i32, start: i32, length: u32, wraps: bool| {
            let (length, start) = (i64::from(length), i64::from(start));
            let along = i64::from(at) + i64::from(step) - start;
            let inside = (0..length).contains(&along);
            (inside || wraps).then(|| (start + along.rem_euclid(length)) as i32)
        };
        let (origin, size, wrap) = (self.extent.origin, self.extent.size, self.wrap);
        Some(Cell {
            x: fold(cell.x, by[0], origin.x, size[0], wrap.x)?,
            y: fold(cell.y, by[1], origin.y, size[1], wrap.y)?,
            z: fold(cell.z, by[2], origin.z, size[2], wrap.z)?,
        })
    }

    /// The cells whose coordinates differ from those of `middle` by `radius` at most, wrapped, each
    /// with the largest of those differences; by level, row and column from the least.
    pub fn near(&self, middle: Cell, radius: u32) -> impl Iterator<Item = (Cell, u32)> + use<> {
        let axis = |at: i32, from: i32, length: u32, wraps: bool| -> Vec<(i32, u32)> {
            let (from, length) = (i64::from(from), i64::from(length));
            let (at, reach) = (i64::from(at) - from, i64::from(radius));
            let whole = wraps && 2 * reach + 1 >= length;
            let range = if whole { 0..=length - 1 } else { at - reach..=at + reach };
            let inside = range.filter(|i| wraps || (0..length).contains(i));
            let gap = |i: i64| {
                let gap = (i - at).abs();
                if wraps { gap.min((length - gap).abs()) } else { gap }
            };
            inside.map(|i| ((from + i.rem_euclid(length)) as i32, gap(i) as u32)).collect()
        };
        let ([w, h, d], origin, wrap) = (self.extent.size(), self.extent.origin(), self.wrap);
        let across = axis(middle.x, origin.x, w, wrap.x);
        let down = axis(middle.y, origin.y, h, wrap.y);
        let up = axis(middle.z, origin.z, d, wrap.z);
        Near { across, down, up, at: 0 }
    }
}
