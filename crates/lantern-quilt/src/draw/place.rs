//! Where cells lie in a picture.

use lantern_quilt_core::lattice::{Cell, Lattice, Layout};

/// The corner of each cell, in pixels.
#[derive(Clone, Copy, Debug)]
pub(super) struct Placement {
    layout: Layout,
    cell: [i64; 2],
    /// From one column to the next, and from one row to the next.
    step: [i64; 2],
    /// Of hexagons whose art is not regular: how many pixels its slanted sides are high (or wide).
    slant: Option<i64>,
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
        Some(Self { layout, cell, step: step.map(|s| s.max(1)), slant: None })
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
        Self { cell: by(self.cell), step: by(self.step), slant, ..self }
    }

    pub(super) fn cell(&self) -> [i64; 2] {
        self.cell
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
        (px, py)
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

    /// Whether a pixel of a cell's box belongs to the cell.
    pub(super) fn covers(&self, x: i64, y: i64) -> bool {
        let [w, h] = self.cell;
        // Twice the distance from the middle, so that it stays whole.
        let (dx, dy) = ((2 * x + 1 - w).abs(), (2 * y + 1 - h).abs());
        if let Some(slant) = self.slant {
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
