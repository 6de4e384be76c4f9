//! From one cell to another, in a form that turns.

use super::{Cell, Lattice, Layout, Side};

/// How far one cell lies from another, in a form that turns and mirrors with what is drawn over both.
///
/// On hexagons it counts steps along two of the three axes, because columns and rows shift from one to the
/// next (Patel, Hexagonal Grids: axial coordinates).
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout, Shift};
///
/// let layout = Layout::flat(Lattice::HexPointy, 9, 9)?;
/// let east = Shift::between(Lattice::HexPointy, Cell::new(2, 2), Cell::new(4, 2));
/// // Two cells to the east become two to the south-east, and six turns come round.
/// assert_eq!(layout.shifted(Cell::new(4, 4), east.turned(Lattice::HexPointy, 1)), Some(Cell::new(5, 6)));
/// assert_eq!(east.turned(Lattice::HexPointy, 6), east);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Shift {
    /// Columns and rows; on hexagons steps along the axes: of pointy ones to the east and to the south-east,
    /// of flat ones to the south-east and to the south.
    axes: [i64; 2],
    levels: i64,
}

impl Shift {
    /// From one cell to another, with no regard to any map's edge.
    pub fn between(lattice: Lattice, from: Cell, to: Cell) -> Self {
        let ([a, b], [c, d]) = (axes(lattice, from), axes(lattice, to));
        Self { axes: [c - a, d - b], levels: i64::from(to.z) - i64::from(from.z) }
    }

    /// So many columns east and rows south; on hexagons from a cell whose row (or column) is not shifted.
    pub fn drawn(lattice: Lattice, [x, y]: [i32; 2]) -> Self {
        Self::between(lattice, Cell::new(0, 0), Cell::new(x, y))
    }

    /// To the cell beyond a side; nowhere where the lattice has no such side.
    pub(crate) fn over(lattice: Lattice, side: Side) -> Self {
        let from = Cell::default();
        lattice.step(from, side).map_or_else(Self::default, |to| Self::between(lattice, from, to))
    }

    /// First this, then another.
    #[must_use]
    pub(crate) const fn plus(self, other: Self) -> Self {
        let ([a, b], [c, d]) = (self.axes, other.axes);
        Self { axes: [a + c, b + d], levels: self.levels + other.levels }
    }

    /// The way back.
    #[must_use]
    pub(crate) const fn back(self) -> Self {
        let [a, b] = self.axes;
        Self { axes: [-a, -b], levels: -self.levels }
    }

    /// How many times a step along one axis it goes that way; 0 where it goes the other.
    pub(crate) fn along(self, step: Self) -> u64 {
        let ([a, b], [c, d]) = (self.axes, step.axes);
        u64::try_from(a * c + b * d + self.levels * step.levels).unwrap_or(0)
    }

    /// After so many clockwise turns of the lattice.
    #[must_use]
    pub fn turned(self, lattice: Lattice, turns: u8) -> Self {
        let once = |[a, b]: [i64; 2]| if lattice.turns() == 6 { [-b, a + b] } else { [-b, a] };
        let turns = turns % lattice.turns();
        Self { axes: (0..turns).fold(self.axes, |axes, _| once(axes)), ..self }
    }

    /// With east and west exchanged.
    #[must_use]
    pub fn mirrored(self, lattice: Lattice) -> Self {
        let [a, b] = self.axes;
        let axes = match lattice {
            Lattice::HexPointy => [-a - b, b],
            Lattice::HexFlat => [-a, a + b],
            Lattice::Square | Lattice::Box => [-a, b],
        };
        Self { axes, ..self }
    }

    /// For sorting by rows, then along them.
    pub(crate) const fn row_first(self) -> (i64, i64, i64) {
        (self.levels, self.axes[1], self.axes[0])
    }

    /// So many cells farther along the first axis, which on all lattices but flat hexagons goes east.
    pub(crate) const fn then_east(self, cells: u32) -> Self {
        let [a, b] = self.axes;
        Self { axes: [a + cells as i64, b], ..self }
    }

    pub(super) const fn axes(self) -> [i64; 2] {
        self.axes
    }

    /// The cell so far from another, with no regard to any map's edge; `None` where coordinates end.
    pub fn cell_from(self, lattice: Lattice, cell: Cell) -> Option<Cell> {
        let [x, y, z] = self.from(lattice, cell)?;
        let far = |from: i32, by: i32| from.checked_add(by);
        Some(Cell { x: far(cell.x, x)?, y: far(cell.y, y)?, z: far(cell.z, z)? })
    }

    /// Columns, rows and levels from a cell; `None` where coordinates end.
    pub(crate) fn from(self, lattice: Lattice, cell: Cell) -> Option<[i32; 3]> {
        let [a, b] = axes(lattice, cell);
        let [a, b] = [a + self.axes[0], b + self.axes[1]];
        let [x, y] = match lattice {
            Lattice::HexPointy => [a + b.div_euclid(2), b],
            Lattice::HexFlat => [a, b + a.div_euclid(2)],
            Lattice::Square | Lattice::Box => [a, b],
        };
        let gap = |to: i64, from: i32| i32::try_from(to - i64::from(from)).ok();
        Some([gap(x, cell.x)?, gap(y, cell.y)?, i32::try_from(self.levels).ok()?])
    }
}

fn axes(lattice: Lattice, cell: Cell) -> [i64; 2] {
    let [x, y] = [cell.x, cell.y].map(i64::from);
    match lattice {
        Lattice::HexPointy => [x - y.div_euclid(2), y],
        Lattice::HexFlat => [x, y - x.div_euclid(2)],
        Lattice::Square | Lattice::Box => [x, y],
    }
}

impl Layout {
    /// The cell so far away, wrapped; `None` when it lies off the map. O(1).
    pub fn shifted(&self, cell: Cell, by: Shift) -> Option<Cell> {
        self.moved(cell, by.from(self.lattice(), cell)?)
    }
}

impl Lattice {
    /// Clockwise turns from one side to another; 0 where one of them is up or down or of another lattice.
    pub fn turns_between(self, from: Side, to: Side) -> u8 {
        let step = 360 / u16::from(self.turns());
        let angles = self.angle(to).zip(self.angle(from));
        angles.map_or(0, |(to, from)| ((to + 360 - from) % 360 / step) as u8)
    }
}
