//! Windows of samples: what may stand near what, farther than from cell to cell.

use super::sample::Sample;
use super::source::{Source, SourceKind};
use crate::lattice::{Cell, Lattice, Layout, Shift, Side};

/// Which cells around one are looked at together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Window {
    /// A block of so many columns, rows and levels, of which the cell is the first.
    Block([u32; 3]),
    /// All cells within so many steps over sides, the cell in the middle; on hexagons a radius.
    Within(u32),
}

impl Window {
    /// The fewest and most cells of a block along one axis. Levels of flat maps are 1.
    pub const BLOCK: [u32; 2] = [2, 5];
    /// The fewest and most steps.
    pub const WITHIN: [u32; 2] = [1, 3];

    /// How many cells it goes beyond its own along any axis, at most.
    pub fn reach(self) -> u32 {
        match self {
            Self::Block(size) => size.into_iter().max().map_or(0, |most| most.saturating_sub(1)),
            Self::Within(steps) => steps,
        }
    }

    /// Where its cells lie, seen from the cell that it belongs to, which is one of them; sorted.
    ///
    /// ```
    /// use lantern_quilt_core::constraints::Window;
    /// use lantern_quilt_core::lattice::Lattice;
    ///
    /// assert_eq!(Window::Block([3, 3, 1]).shifts(Lattice::Square).len(), 9);
    /// assert_eq!(Window::Within(1).shifts(Lattice::Square).len(), 5);
    /// assert_eq!(Window::Within(2).shifts(Lattice::HexFlat).len(), 19);
    /// ```
    pub fn shifts(self, lattice: Lattice) -> Vec<Shift> {
        let middle = Cell::default();
        let cells = |from: [i32; 3], to: [i32; 3]| {
            let [x, y, z] = [0, 1, 2].map(|axis| from[axis]..=to[axis]);
            z.flat_map(move |z| {
                let x = x.clone();
                y.clone().flat_map(move |y| x.clone().map(move |x| Cell::at(x, y, z)))
            })
        };
        let shift = |cell: Cell| Shift::between(lattice, middle, cell);
        let mut shifts: Vec<Shift> = match self {
            Self::Block(size) => {
                cells([0; 3], size.map(|length| length as i32 - 1)).map(shift).collect()
            }
            Self::Within(steps) => {
                let far = steps as i32;
                let deep = if lattice.is_solid() { far } else { 0 };
                cells([-far, -far, -deep], [far, far, deep])
                    .filter(|&cell| lattice.distance(middle, cell) <= u64::from(steps))
                    .map(shift)
                    .collect()
            }
        };
        shifts.sort_unstable();
        shifts
    }
}

/// A map holds only windows that some sample shows, about as often as they do.
#[derive(Clone, Debug, PartialEq)]
pub struct WindowRule {
    /// What messages call it.
    pub name: String,
    /// Their shape.
    pub window: Window,
    /// What shows them.
    pub samples: Vec<WindowSample>,
    /// Where it is written.
    pub source: Source,
}

impl WindowRule {
    /// Windows of one shape, from some samples.
    pub fn new(window: Window, samples: impl Into<Vec<WindowSample>>) -> Self {
        Self {
            name: "pattern".to_owned(),
            window,
            samples: samples.into(),
            source: Source::of(SourceKind::Edges),
        }
    }
}

/// A sample of windows.
#[derive(Clone, Debug, PartialEq)]
pub struct WindowSample {
    /// The small map, with the turns and mirrors in which it counts. Windows with an empty cell show nothing.
    pub sample: Sample,
    /// How much it counts against other samples; greater than 0.
    pub weight: f64,
    /// Where the edge of the sample is the edge of the map: what stands there stands there only. Turned with it.
    /// On hexagons all sides or none. Where the sample wraps it has no edge.
    pub edges: Vec<Side>,
}

impl WindowSample {
    /// A sample that counts once and has no edge.
    pub const fn new(sample: Sample) -> Self {
        Self { sample, weight: 1.0, edges: Vec::new() }
    }

    /// Its edges, less those along which it wraps.
    pub(crate) fn open_edges(&self) -> impl Iterator<Item = Side> + '_ {
        let wrap = self.sample.layout.wrap();
        self.edges.iter().copied().filter(move |side| !wrap.is_over(*side))
    }

    /// Whether what lies so far from a cell of the sample, and off it, is beyond an edge of the map. The nearest way out
    /// does not count, only over which sides it lies.
    pub(crate) fn is_edge(&self, cell: Cell, by: Shift) -> bool {
        leads_over(self.sample.layout, &self.edges, cell, by)
    }
}

/// Whether a shift that leads out of a layout leads over one of some edges of it.
pub(crate) fn leads_over(layout: Layout, edges: &[Side], cell: Cell, by: Shift) -> bool {
    let lattice = layout.lattice();
    if lattice.turns() == 6 {
        return !edges.is_empty();
    }
    // On squares and boxes shifts are columns, rows and levels.
    edges.iter().any(|&side| by.along(Shift::over(lattice, side)) > room(&layout, cell, side))
}

/// How many cells lie beyond a side of one, without end where the map wraps.
fn room(layout: &Layout, cell: Cell, side: Side) -> u64 {
    let ([w, h, d], origin, wrap) =
        (layout.extent().size(), layout.extent().origin(), layout.wrap());
    let before = |at: i32, from: i32| u64::from(at.abs_diff(from));
    let after = |at: i32, from: i32, length: u32| u64::from(length) - 1 - before(at, from);
    let (wraps, room) = match side {
        Side::North => (wrap.y, before(cell.y, origin.y)),
        Side::South => (wrap.y, after(cell.y, origin.y, h)),
        Side::West => (wrap.x, before(cell.x, origin.x)),
        Side::East => (wrap.x, after(cell.x, origin.x, w)),
        Side::Down => (wrap.z, before(cell.z, origin.z)),
        Side::Up => (wrap.z, after(cell.z, origin.z, d)),
        _ => (true, 0),
    };
    if wraps { u64::MAX } else { room }
}
