//! Turns and mirrors as a finite group, and how each acts on sides and on their frames.
//!
//! An [`Orientation`] first mirrors (west becomes east) and then turns clockwise as seen from
//! above. On squares and boxes there are 8 of them, on hexagons 12: the dihedral groups of those
//! orders.
//!
//! A face can also lie in its own plane in several ways: its [`Frame`]. A standing face is either
//! as drawn or mirrored (told when looking out of that side); a flat one (up, down) is seen from
//! above and can be turned too. An orientation maps a side to a side and a frame to a frame.

use crate::lattice::{Lattice, Side};
use std::fmt;

/// A mirror image or not, then a number of clockwise turns.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Orientation {
    turns: u8,
    mirrored: bool,
}

/// How a face lies in its plane, against how it was drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Frame {
    /// Quarter turns clockwise seen from above; zero for a standing face.
    pub turns: u8,
    /// Whether left and right are exchanged.
    pub flipped: bool,
}

impl Frame {
    /// As drawn.
    pub const AS_DRAWN: Self = Self { turns: 0, flipped: false };
    /// As drawn, with left and right exchanged.
    pub const FLIPPED: Self = Self { turns: 0, flipped: true };

    /// The eight frames of a square face.
    pub fn all() -> impl Iterator<Item = Self> {
        [false, true]
            .into_iter()
            .flat_map(|flipped| (0..4).map(move |turns| Self { turns, flipped }))
    }

    /// The frame in which the face on the other side of the border must lie to match.
    ///
    /// Someone looking out of a standing side sees the other face's left at their right; flat
    /// faces are both seen from above.
    #[must_use]
    pub const fn across(self, side: Side) -> Self {
        if side.is_flat() { self } else { Self { turns: self.turns, flipped: !self.flipped } }
    }
}

impl Orientation {
    /// As drawn.
    pub const AS_DRAWN: Self = Self { turns: 0, mirrored: false };

    /// `turns` clockwise turns of a cell of `lattice`, after mirroring west to east if `mirrored`.
    ///
    /// Turns are taken modulo the lattice's number of turns.
    pub const fn new(lattice: Lattice, turns: u8, mirrored: bool) -> Self {
        Self { turns: turns % lattice.turns(), mirrored }
    }

    /// Clockwise turns.
    pub const fn turns(self) -> u8 {
        self.turns
    }

    /// Whether it mirrors west to east before turning.
    pub const fn mirrored(self) -> bool {
        self.mirrored
    }

    /// The whole group: the plain turns, then the mirrored ones.
    pub fn all(lattice: Lattice) -> impl Iterator<Item = Self> {
        [false, true].into_iter().flat_map(move |mirrored| {
            (0..lattice.turns()).map(move |turns| Self { turns, mirrored })
        })
    }

    /// First `self`, then `next`.
    #[must_use]
    pub const fn then(self, next: Self, lattice: Lattice) -> Self {
        let n = lattice.turns();
        let inner = if next.mirrored { n - self.turns } else { self.turns };
        Self { turns: (next.turns + inner) % n, mirrored: self.mirrored != next.mirrored }
    }

    /// The orientation that undoes this one.
    #[must_use]
    pub const fn inverse(self, lattice: Lattice) -> Self {
        let n = lattice.turns();
        if self.mirrored { self } else { Self { turns: (n - self.turns) % n, mirrored: false } }
    }

    /// Where `side` ends up; sides the lattice does not have stay as they are.
    pub fn side(self, lattice: Lattice, side: Side) -> Side {
        if side.is_flat() {
            return side;
        }
        let Some(index) = lattice.side_index(side) else { return side };
        let n = usize::from(lattice.turns());
        let mirrored = match (self.mirrored, lattice) {
            (false, _) => index,
            (true, Lattice::HexPointy) => n - 1 - index,
            (true, _) => (n - index) % n,
        };
        lattice.sides()[(mirrored + usize::from(self.turns)) % n]
    }

    /// How a face in `frame` on `side` lies after this orientation (on the side where it ends up).
    #[must_use]
    pub const fn frame(self, side: Side, frame: Frame) -> Frame {
        let flipped = frame.flipped != self.mirrored;
        if side.is_flat() {
            let inner = if self.mirrored { 4 - frame.turns } else { frame.turns };
            Frame { turns: (self.turns + inner) % 4, flipped }
        } else {
            Frame { turns: frame.turns, flipped }
        }
    }
}

impl fmt::Display for Orientation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.mirrored, self.turns) {
            (false, 0) => f.write_str("as drawn"),
            (false, n) => write!(f, "turned {n}"),
            (true, 0) => f.write_str("mirrored"),
            (true, n) => write!(f, "mirrored, turned {n}"),
        }
    }
}
