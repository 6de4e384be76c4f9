//! The faces of a cell.

use std::fmt;

/// One face of a cell, named by the direction in which one looks out of it.
///
/// Which of them a cell has depends on its [`Lattice`](super::Lattice).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs, reason = "the names are compass directions")]
pub enum Side {
    North,
    NorthEast,
    East,
    SouthEast,
    South,
    SouthWest,
    West,
    NorthWest,
    Up,
    Down,
}

impl Side {
    /// Every side of every lattice, clockwise from north, then up and down.
    pub const ALL: [Self; 10] = [
        Self::North,
        Self::NorthEast,
        Self::East,
        Self::SouthEast,
        Self::South,
        Self::SouthWest,
        Self::West,
        Self::NorthWest,
        Self::Up,
        Self::Down,
    ];

    /// The side that touches this one across the border of two cells.
    #[must_use]
    pub const fn opposite(self) -> Self {
        match self {
            Self::North => Self::South,
            Self::NorthEast => Self::SouthWest,
            Self::East => Self::West,
            Self::SouthEast => Self::NorthWest,
            Self::South => Self::North,
            Self::SouthWest => Self::NorthEast,
            Self::West => Self::East,
            Self::NorthWest => Self::SouthEast,
            Self::Up => Self::Down,
            Self::Down => Self::Up,
        }
    }

    /// Whether the face lies flat (up or down) instead of standing.
    pub const fn is_flat(self) -> bool {
        matches!(self, Self::Up | Self::Down)
    }

    /// The name as written in quilts and messages: `north`, `north_east`, ...
    pub const fn name(self) -> &'static str {
        match self {
            Self::North => "north",
            Self::NorthEast => "north_east",
            Self::East => "east",
            Self::SouthEast => "south_east",
            Self::South => "south",
            Self::SouthWest => "south_west",
            Self::West => "west",
            Self::NorthWest => "north_west",
            Self::Up => "up",
            Self::Down => "down",
        }
    }

    /// The side of that [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|side| side.name() == name)
    }
}

impl fmt::Display for Side {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
