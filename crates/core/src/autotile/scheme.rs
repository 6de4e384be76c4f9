//! Neighbourhoods, and the shapes that a tile can take in them.

use crate::lattice::Lattice;
use crate::orient::{Orientation, first_side};
use std::fmt;
use std::sync::LazyLock;

/// Which neighbours a shape depends on.
///
/// Slots are numbered clockwise. `four`: north, east, south, west. `eight`: north, north-east, east and
/// so on, so that even ones are sides and odd ones corners. `dual`: the four cells that meet at a
/// corner, from the north-eastern one. `six`: the sides of a hexagon, as in [`Lattice::sides`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Scheme {
    /// The von Neumann neighbourhood: 16 shapes.
    Four,
    /// The cells around a corner, as in marching squares: 16 shapes, drawn between cells.
    Dual,
    /// The Moore neighbourhood, where a corner counts only between two joined sides: 47 shapes.
    Eight,
    /// The six sides of a hexagon: 64 shapes.
    Six,
}

/// Which slots are joined: bit `n` is slot `n`.
pub type Joins = u8;

/// The shapes of every scheme, once derived.
static SHAPES: LazyLock<[Vec<Joins>; 4]> = LazyLock::new(|| Scheme::ALL.map(Scheme::derive));

impl Scheme {
    /// Every scheme.
    pub const ALL: [Self; 4] = [Self::Four, Self::Dual, Self::Eight, Self::Six];

    /// The name as written in quilts.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Four => "four",
            Self::Dual => "dual",
            Self::Eight => "eight",
            Self::Six => "six",
        }
    }

    /// The scheme of that [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|scheme| scheme.name() == name)
    }

    /// Whether cells of a lattice have such a neighbourhood.
    pub const fn fits(self, lattice: Lattice) -> bool {
        match lattice {
            Lattice::Square => !matches!(self, Self::Six),
            Lattice::HexPointy | Lattice::HexFlat => matches!(self, Self::Six),
            Lattice::Box => false,
        }
    }

    /// How many neighbours it looks at.
    pub const fn slots(self) -> usize {
        match self {
            Self::Four | Self::Dual => 4,
            Self::Eight => 8,
            Self::Six => 6,
        }
    }

    /// Whether a slot lies across a side; the others lie across a corner.
    pub const fn is_side(self, slot: usize) -> bool {
        match self {
            Self::Four | Self::Six => true,
            Self::Dual => false,
            Self::Eight => slot.is_multiple_of(2),
        }
    }

    /// The same without what makes no difference: in `eight`, corners beside a side that is not joined.
    ///
    /// ```
    /// use lantern_quilt_core::autotile::Scheme;
    /// // North-east alone, and between north and east.
    /// assert_eq!(Scheme::Eight.reduce(0b010), 0);
    /// assert_eq!(Scheme::Eight.reduce(0b111), 0b111);
    /// ```
    #[must_use]
    pub const fn reduce(self, joins: Joins) -> Joins {
        match self {
            Self::Four | Self::Dual => joins & 0x0f,
            Self::Six => joins & 0x3f,
            Self::Eight => {
                // A corner lies between the side before it and the side after it.
                let sides = joins & 0x55;
                let both = (sides << 1) & sides.rotate_right(1);
                sides | joins & both
            }
        }
    }

    /// Every shape, in the order in which they lie in sheets: by the number of joined sides, then of
    /// joined corners, then by slots.
    pub fn shapes(self) -> &'static [Joins] {
        &SHAPES[self as usize]
    }

    fn derive(self) -> Vec<Joins> {
        let mut shapes: Vec<Joins> = (0..=u8::MAX).map(|joins| self.reduce(joins)).collect();
        shapes.sort_unstable_by_key(|&joins| {
            let [sides, corners] = self.count(joins);
            (sides, corners, joins)
        });
        shapes.dedup();
        shapes
    }

    /// The number of a shape in [`shapes`](Self::shapes). O(shapes).
    pub fn number(self, joins: Joins) -> usize {
        let joins = self.reduce(joins);
        self.shapes().iter().position(|&shape| shape == joins).expect("reduced")
    }

    /// How many sides and how many corners are joined.
    pub fn count(self, joins: Joins) -> [usize; 2] {
        let mut count = [0; 2];
        for slot in (0..self.slots()).filter(|slot| joins >> slot & 1 == 1) {
            count[usize::from(!self.is_side(slot))] += 1;
        }
        count
    }

    /// Where a slot ends up when the tile is mirrored and turned.
    pub fn turned_slot(self, lattice: Lattice, orientation: Orientation, slot: usize) -> usize {
        // The first slot is the first side, or the corner after it.
        let first = first_side(lattice) + if self == Self::Dual { 45 } else { 0 };
        orientation.place(lattice, self.slots(), first, slot)
    }

    /// Joined slots after mirroring and turning.
    #[must_use]
    pub fn turned(self, lattice: Lattice, orientation: Orientation, joins: Joins) -> Joins {
        (0..self.slots())
            .filter(|slot| joins >> slot & 1 == 1)
            .fold(0, |all, slot| all | 1 << self.turned_slot(lattice, orientation, slot))
    }

    /// The shapes that must be drawn when others are made from them: of those that turn into each
    /// other, the first.
    ///
    /// ```
    /// use lantern_quilt_core::autotile::Scheme;
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::orient::Orientation;
    /// let turns = Orientation::all(Lattice::Square).filter(|one| !one.mirrored());
    /// assert_eq!(Scheme::Four.drawn(Lattice::Square, &turns.collect::<Vec<_>>()).len(), 6);
    /// ```
    pub fn drawn(self, lattice: Lattice, group: &[Orientation]) -> Vec<Joins> {
        let place = |joins: Joins| self.number(joins);
        let first = |&joins: &Joins| {
            let own = place(joins);
            group.iter().all(|&turn| place(self.turned(lattice, turn, joins)) >= own)
        };
        self.shapes().iter().copied().filter(first).collect()
    }

    /// Columns in which shapes lie in a sheet, unless the sheet says otherwise.
    pub const fn columns(self) -> u32 {
        match self {
            Self::Four | Self::Dual => 4,
            Self::Eight | Self::Six => 8,
        }
    }
}

impl fmt::Display for Scheme {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// The five ways in which a quarter of a tile lies between two sides and the corner between them, in
/// the order in which they are drawn: the tile of each alone would be an island, a run from north to
/// south, a run from west to east, a crossing and the inside.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Quarter {
    /// Neither side is joined.
    Island,
    /// Only the side to the north or south is.
    Upright,
    /// Only the side to the west or east is.
    Level,
    /// Both are, the corner is not.
    Crossing,
    /// All are.
    Inside,
}

/// The quarters of a shape of [`Scheme::Eight`]: north-east, south-east, south-west, north-west.
pub fn quarters(joins: Joins) -> [Quarter; 4] {
    std::array::from_fn(|quarter| {
        let joined = |slot: usize| joins >> (slot % 8) & 1 == 1;
        let corner = 2 * quarter + 1;
        let (before, after) = (joined(corner - 1), joined(corner + 1));
        // North and south are slots 0 and 4: before the first and third corner, after the others.
        let (upright, level) = if quarter % 2 == 0 { (before, after) } else { (after, before) };
        match (upright, level, joined(corner)) {
            (false, false, _) => Quarter::Island,
            (true, false, _) => Quarter::Upright,
            (false, true, _) => Quarter::Level,
            (true, true, false) => Quarter::Crossing,
            (true, true, true) => Quarter::Inside,
        }
    })
}
