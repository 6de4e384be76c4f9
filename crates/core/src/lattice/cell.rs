//! The coordinate of a cell.

use std::fmt;

/// A cell of any lattice: `x` grows east, `y` grows south, `z` grows upwards.
///
/// Two-dimensional lattices keep `z` at zero. Hex lattices store rows of columns: `pointy` shifts
/// odd rows half a cell east, `flat` shifts odd columns half a cell south.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Cell {
    /// Column, growing east.
    pub x: i32,
    /// Row, growing south.
    pub y: i32,
    /// Level, growing upwards; zero in two dimensions.
    pub z: i32,
}

impl Cell {
    /// The cell at column `x` and row `y` on level zero.
    pub const fn new(x: i32, y: i32) -> Self {
        Self { x, y, z: 0 }
    }

    /// The cell at column `x`, row `y` and level `z`.
    pub const fn at(x: i32, y: i32, z: i32) -> Self {
        Self { x, y, z }
    }
}

impl fmt::Display for Cell {
    /// Column and row, and the level where it is not 0 or the form is the long one (`{:#}`).
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.z == 0 && !f.alternate() {
            write!(f, "({}, {})", self.x, self.y)
        } else {
            write!(f, "({}, {}, {})", self.x, self.y, self.z)
        }
    }
}
