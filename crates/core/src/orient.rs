//! Turns and mirrors as a finite group, and how each acts on sides and on their frames.
//!
//! An [`Orientation`] first mirrors (west becomes east) and then turns clockwise as seen from
//! above. On squares and boxes there are 8 of them, on hexagons 12: the dihedral groups of those
//! orders.
//!
//! A face can also lie in its own plane in several ways: its [`Frame`]. A standing face is either
//! as drawn or mirrored (told when looking out of that side); a flat one (up, down) is seen from
//! above and can be turned too. An orientation maps a side to a side and a frame to a frame.

use crate::lattice::{Lattice, Shift, Side};
use std::fmt;

/// Degrees clockwise from north at which the first side of a lattice lies.
pub(crate) const fn first_side(lattice: Lattice) -> u16 {
    match lattice {
        Lattice::HexPointy => 30,
        Lattice::Square | Lattice::HexFlat | Lattice::Box => 0,
    }
}

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

    /// First `self`, then `next`.
    #[must_use]
    pub const fn then(self, next: Self) -> Self {
        let inner = if next.flipped { 4 - self.turns } else { self.turns };
        Self { turns: (next.turns + inner) % 4, flipped: self.flipped != next.flipped }
    }

    /// The frame that undoes this one.
    #[must_use]
    pub const fn inverse(self) -> Self {
        if self.flipped { self } else { Self { turns: (4 - self.turns) % 4, flipped: false } }
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
        lattice.sides()
            [self.place(lattice, usize::from(lattice.turns()), first_side(lattice), index)]
    }

    /// Where a shift ends up.
    #[must_use]
    pub(crate) fn shift(self, lattice: Lattice, shift: Shift) -> Shift {
        let mirrored = if self.mirrored { shift.mirrored(lattice) } else { shift };
        mirrored.turned(lattice, self.turns)
    }

    /// Where a direction ends up, in degrees clockwise from north.
    ///
    /// ```
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::orient::Orientation;
    ///
    /// let mirrored_once_round = Orientation::new(Lattice::HexPointy, 1, true);
    /// assert_eq!(mirrored_once_round.direction(Lattice::HexPointy, 30), 30);
    /// ```
    pub const fn direction(self, lattice: Lattice, degrees: u16) -> u16 {
        let degrees = degrees % 360;
        let mirrored = if self.mirrored { 360 - degrees } else { degrees };
        (mirrored + self.turns as u16 * (360 / lattice.turns() as u16)) % 360
    }

    /// Where one of some places ends up that lie evenly around a cell, clockwise, the first of them so many
    /// degrees from north.
    pub(crate) fn place(self, lattice: Lattice, places: usize, first: u16, place: usize) -> usize {
        let step = 360 / places as u16;
        let to = self.direction(lattice, first + place as u16 * step);
        usize::from((to + 360 - first) % 360 / step) % places
    }

    /// Cosine and sine of its turns, clockwise, mirroring left out: the same bits everywhere.
    pub const fn cosine_and_sine(self, lattice: Lattice) -> [f64; 2] {
        const HALF_ROOT_3: f64 = 0.866_025_403_784_438_6;
        match self.turns as u16 * (360 / lattice.turns() as u16) {
            60 => [0.5, HALF_ROOT_3],
            90 => [0.0, 1.0],
            120 => [-0.5, HALF_ROOT_3],
            180 => [-1.0, 0.0],
            240 => [-0.5, -HALF_ROOT_3],
            270 => [0.0, -1.0],
            300 => [0.5, -HALF_ROOT_3],
            _ => [1.0, 0.0],
        }
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
