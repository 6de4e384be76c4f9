//! Square, hex and box lattices: cells, sides, extents, wrapping and distance.
//!
//! One runtime [`Lattice`] value serves all of them, so that a quilt file can name its lattice.
//! Only this module knows how many sides there are and where the cell beyond one lies.

mod cell;
mod extent;
mod shift;
mod side;

pub use cell::Cell;
pub use extent::{Extent, ExtentError, Layout, MAX_CELLS, Wrap};
pub use shift::Shift;
pub use side::Side;

use std::fmt;

/// The shape of the grid.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Lattice {
    /// Squares in rows and columns.
    Square,
    /// Hexagons with a corner at the top; odd rows are shifted half a cell east.
    HexPointy,
    /// Hexagons with a side at the top; odd columns are shifted half a cell south.
    HexFlat,
    /// Boxes in rows, columns and levels.
    Box,
}

impl Lattice {
    /// Every lattice.
    pub const ALL: [Self; 4] = [Self::Square, Self::HexPointy, Self::HexFlat, Self::Box];

    /// The name as written in quilts and maps.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Square => "square",
            Self::HexPointy => "hex_pointy",
            Self::HexFlat => "hex_flat",
            Self::Box => "box",
        }
    }

    /// The lattice of that [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|lattice| lattice.name() == name)
    }

    /// The sides of a cell: first the standing ones clockwise, then up and down.
    ///
    /// This is the order of every per-side table in the crate.
    pub const fn sides(self) -> &'static [Side] {
        use Side::{
            Down, East, North, NorthEast, NorthWest, South, SouthEast, SouthWest, Up, West,
        };
        match self {
            Self::Square => &[North, East, South, West],
            Self::HexPointy => &[NorthEast, East, SouthEast, SouthWest, West, NorthWest],
            Self::HexFlat => &[North, NorthEast, SouthEast, South, SouthWest, NorthWest],
            Self::Box => &[North, East, South, West, Up, Down],
        }
    }

    /// The sides that are neither up nor down, clockwise.
    pub fn around(self) -> &'static [Side] {
        &self.sides()[..usize::from(self.turns())]
    }

    /// The place of `side` in [`sides`](Self::sides), or `None` when a cell has no such side.
    pub fn side_index(self, side: Side) -> Option<usize> {
        self.sides().iter().position(|&s| s == side)
    }

    /// How many turns bring a cell back: 4, or 6 for hexagons.
    pub const fn turns(self) -> u8 {
        match self {
            Self::Square | Self::Box => 4,
            Self::HexPointy | Self::HexFlat => 6,
        }
    }

    /// Degrees from north, clockwise seen from above, at which a side faces; `None` for up and down and
    /// for sides of other lattices.
    pub fn angle(self, side: Side) -> Option<u16> {
        let index = self.sides().iter().filter(|side| !side.is_flat()).position(|&s| s == side)?;
        let first = if self == Self::HexPointy { 30 } else { 0 };
        Some(first + index as u16 * (360 / u16::from(self.turns())))
    }

    /// Whether cells have an up and a down.
    pub const fn is_solid(self) -> bool {
        matches!(self, Self::Box)
    }

    /// The cell beyond `side`, with no regard to any map's edge.
    ///
    /// `None` when a cell of this lattice has no such side, or the coordinate would overflow.
    pub fn step(self, cell: Cell, side: Side) -> Option<Cell> {
        let [x, y, z] = self.way(cell, side)?;
        Some(Cell {
            x: cell.x.checked_add(x)?,
            y: cell.y.checked_add(y)?,
            z: cell.z.checked_add(z)?,
        })
    }

    /// From a cell to the one beyond a side of it.
    fn way(self, cell: Cell, side: Side) -> Option<[i32; 3]> {
        let way = match self {
            Self::Square | Self::Box => match side {
                Side::North => [0, -1, 0],
                Side::East => [1, 0, 0],
                Side::South => [0, 1, 0],
                Side::West => [-1, 0, 0],
                Side::Up if self.is_solid() => [0, 0, 1],
                Side::Down if self.is_solid() => [0, 0, -1],
                _ => return None,
            },
            Self::HexPointy => {
                let odd = cell.y.rem_euclid(2);
                match side {
                    Side::NorthEast => [odd, -1, 0],
                    Side::East => [1, 0, 0],
                    Side::SouthEast => [odd, 1, 0],
                    Side::SouthWest => [odd - 1, 1, 0],
                    Side::West => [-1, 0, 0],
                    Side::NorthWest => [odd - 1, -1, 0],
                    _ => return None,
                }
            }
            Self::HexFlat => {
                let odd = cell.x.rem_euclid(2);
                match side {
                    Side::North => [0, -1, 0],
                    Side::NorthEast => [1, odd - 1, 0],
                    Side::SouthEast => [1, odd, 0],
                    Side::South => [0, 1, 0],
                    Side::SouthWest => [-1, odd, 0],
                    Side::NorthWest => [-1, odd - 1, 0],
                    _ => return None,
                }
            }
        };
        Some(way)
    }

    /// The least number of steps across sides from `a` to `b`, with no regard to any map's edge.
    pub fn distance(self, a: Cell, b: Cell) -> u64 {
        let gap = |p: i32, q: i32| (i64::from(p) - i64::from(q)).unsigned_abs();
        match self {
            Self::Square | Self::Box => gap(a.x, b.x) + gap(a.y, b.y) + gap(a.z, b.z),
            Self::HexPointy | Self::HexFlat => {
                let [dq, dr] = Shift::between(self, a, b).axes();
                (dq.unsigned_abs() + dr.unsigned_abs() + (dq + dr).unsigned_abs()) / 2
            }
        }
    }
}

impl fmt::Display for Lattice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
