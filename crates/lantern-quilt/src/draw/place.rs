//! Where cells lie in a picture.

use super::average::Ratio;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout};

/// The corner of each cell, in pixels.
#[derive(Clone, Copy, Debug)]
pub(super) struct Placement {
    layout: Layout,
    cell: [i64; 2],
    /// From one column to the next, and from one row to the next.
    step: [i64; 2],
    /// Of hexagons whose art is not regular: how many pixels its slanted sides are high (or wide).
    slant: Option<i64>,
    /// Where the picture begins in that of the whole map.
    from: [i64; 2],
    /// What it is made smaller by at the end, each way.
    smaller: [Ratio; 2],
}

impl Placement {
    /// `None` when a cell has no pixels.
    pub(super) fn new(layout: Layout, cell: [u32; 2]) -> Option<Self> {
        if cell.contains(&0) {
            return None;
        }
        let cell = cell.map(i64::from);
        // A regular hexagon overlaps the next row by a quarter of its height; so do its tiles.
        let step = match layout.lattice() {
            Lattice::HexPointy => [cell[0], (cell[1] * 3).div_euclid(4)],
            Lattice::HexFlat => [(cell[0] * 3).div_euclid(4), cell[1]],
            _ => cell,
        };
        let (step, smaller) = (step.map(|s| s.max(1)), [Ratio { of: 1, parts: 1 }; 2]);
        Some(Self { layout, cell, step, slant: None, from: [0; 2], smaller })
    }

    /// The same for hexagons whose slanted sides take so many pixels.
    pub(super) fn slanted(mut self, slant: Option<u32>) -> Self {
        let Some(slant) = slant.map(i64::from) else { return self };
        match self.layout.lattice() {
            Lattice::HexPointy => self.step[1] = (self.cell[1] - slant).max(1),
            Lattice::HexFlat => self.step[0] = (self.cell[0] - slant).max(1),
            _ => return self,
        }
        self.slant = Some(slant.max(1));
        self
    }

    pub(super) fn scaled(self, scale: u32) -> Self {
        let by = |v: [i64; 2]| v.map(|v| v * i64::from(scale));
        let slant = self.slant.map(|slant| slant * i64::from(scale));
        let from = by(self.from);
        Self { cell: by(self.cell), step: by(self.step), slant, from, ..self }
    }

    /// The same for a picture that begins so many pixels farther east and south.
    pub(super) fn moved(self, by: [i64; 2]) -> Self {
        Self { from: [self.from[0] + by[0], self.from[1] + by[1]], ..self }
    }

    /// The same for a picture that is made smaller.
    pub(super) fn smaller(self, smaller: [Ratio; 2]) -> Self {
        Self { smaller, ..self }
    }

    /// The cells of the map, of its lowest level, that may reach into a picture of that size.
    pub(super) fn seen(&self, size: [u32; 2]) -> Extent {
        let extent = self.layout.extent();
        let axis = |axis: usize, length: u32| {
            let (step, from) = (self.step[axis], self.from[axis]);
            // Hexagons lie half a cell lower in every other column, and cells reach past the next one.
            let first = (from - self.cell[axis] * 3 / 2).div_euclid(step);
            let last = (from + i64::from(size[axis])).div_euclid(step);
            let first = first.clamp(0, i64::from(length) - 1);
            (first, (last.clamp(first, i64::from(length) - 1) - first + 1) as u32)
        };
        let ((x, wide), (y, high)) = (axis(0, extent.width()), axis(1, extent.height()));
        let origin = extent.origin();
        let from = Cell { x: origin.x + x as i32, y: origin.y + y as i32, ..origin };
        Extent::new(from, [wide, high, 1]).unwrap_or(extent)
    }

    /// Left, top, right and bottom of the pixels of some cells.
    pub(super) fn around(&self, cells: Extent) -> [i64; 4] {
        let corner = |x: i32, y: i32| self.corner(Cell { x, y, ..cells.origin() });
        let (x, y) = (cells.origin().x, cells.origin().y);
        let (right, bottom) = (x + cells.width() as i32 - 1, y + cells.height() as i32 - 1);
        // Rows (or columns) of hexagons are shifted by turns: the next one tells.
        let ends = [(x, y), (right, bottom), (x, bottom), (right, y)]
            .into_iter()
            .chain((cells.height() > 1).then_some((x, y + 1)))
            .chain((cells.height() > 1).then_some((right, y + 1)))
            .chain((cells.width() > 1).then_some((x + 1, y)))
            .chain((cells.width() > 1).then_some((x + 1, bottom)));
        let [wide, high] = self.cell;
        ends.map(|(x, y)| corner(x, y))
            .fold([i64::MAX, i64::MAX, i64::MIN, i64::MIN], |[l, t, r, b], (x, y)| {
                [l.min(x), t.min(y), r.max(x + wide), b.max(y + high)]
            })
    }

    pub(super) fn cell(&self) -> [i64; 2] {
        [0, 1].map(|axis| self.small(axis, self.cell[axis]).max(1))
    }

    /// From one column to the next, and from one row to the next, in the picture of the whole map.
    #[cfg(feature = "files")]
    pub(super) const fn step(&self) -> [i64; 2] {
        self.step
    }

    fn small(&self, axis: usize, length: i64) -> i64 {
        let Ratio { of, parts } = self.smaller[axis];
        if of == parts { length } else { (length * of as i64).div_euclid(parts as i64) }
    }

    /// The top left corner of a cell's picture.
    pub(super) fn corner(&self, cell: Cell) -> (i64, i64) {
        let origin = self.layout.extent().origin();
        let (x, y) =
            (i64::from(cell.x) - i64::from(origin.x), i64::from(cell.y) - i64::from(origin.y));
        let (mut px, mut py) = (x * self.step[0], y * self.step[1]);
        match self.layout.lattice() {
            Lattice::HexPointy if cell.y.rem_euclid(2) == 1 => px += self.cell[0] / 2,
            Lattice::HexFlat if cell.x.rem_euclid(2) == 1 => py += self.cell[1] / 2,
            _ => {}
        }
        (self.small(0, px - self.from[0]), self.small(1, py - self.from[1]))
    }

    /// Width and height of the whole map.
    pub(super) fn size(&self) -> (u64, u64) {
        let extent = self.layout.extent();
        let (columns, rows) = (i64::from(extent.width()), i64::from(extent.height()));
        let mut width = (columns - 1) * self.step[0] + self.cell[0];
        let mut height = (rows - 1) * self.step[1] + self.cell[1];
        match self.layout.lattice() {
            Lattice::HexPointy => width += self.cell[0] / 2,
            Lattice::HexFlat => height += self.cell[1] / 2,
            _ => {}
        }
        (width as u64, height as u64)
    }

    /// The corners of a hexagon from the upper left corner of its box; nothing for squares, which are their box.
    pub(super) fn outline(&self) -> Option<[[i64; 2]; 6]> {
        let [w, h] = self.cell();
        let slant = |quarter: i64| self.slant.map_or(quarter, |slant| self.small(0, slant));
        match self.layout.lattice() {
            Lattice::HexPointy => {
                let s = slant(h / 4);
                Some([[w / 2, 0], [w, s], [w, h - s], [w / 2, h], [0, h - s], [0, s]])
            }
            Lattice::HexFlat => {
                let s = slant(w / 4);
                Some([[s, 0], [w - s, 0], [w, h / 2], [w - s, h], [s, h], [0, h / 2]])
            }
            Lattice::Square | Lattice::Box => None,
        }
    }

    /// Whether a pixel of a cell's box belongs to the cell.
    pub(super) fn covers(&self, x: i64, y: i64) -> bool {
        let [w, h] = self.cell();
        // Twice the distance from the middle, so that it stays whole.
        let (dx, dy) = ((2 * x + 1 - w).abs(), (2 * y + 1 - h).abs());
        if let Some(slant) = self.slant.map(|slant| self.small(0, slant).max(1)) {
            // How far from the pointed end, and how wide the hexagon is there.
            let (across, wide, from_end) = match self.layout.lattice() {
                Lattice::HexPointy => (dx, w, y.min(h - 1 - y)),
                _ => (dy, h, x.min(w - 1 - x)),
            };
            return from_end >= slant || across * slant * 2 <= wide * (2 * from_end + 1);
        }
        match self.layout.lattice() {
            Lattice::HexPointy => dy * w * 2 + dx * h <= 2 * w * h,
            Lattice::HexFlat => dx * h * 2 + dy * w <= 2 * w * h,
            _ => true,
        }
    }
}
