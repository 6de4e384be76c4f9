//! Which steps lead from a cell.

use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Lattice, Layout, Side};
use crate::limits::{Pace, Stopped};
use crate::map::{Item, Tilemap};

/// The cells that one step reaches.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Around {
    /// Those across a side.
    #[default]
    Sides,
    /// On squares and boxes those across a corner as well, where no corner is cut: both cells beside the
    /// step can be gone over too.
    Moore,
}

/// One way to step: across a side, or across two for a corner.
type Step = (Side, Option<Side>);

/// The map as one who walks sees it.
#[derive(Debug)]
pub(in crate::passes) struct Ground<'a> {
    layout: Layout,
    steps: Vec<Step>,
    /// The cells that can be gone over.
    pub(in crate::passes) open: &'a BitPlane,
    pub(in crate::passes) walls: Walls,
    heights: Option<&'a Plane<i32>>,
    /// The most by which the heights of two cells of a step may differ.
    most_step: Option<u32>,
}

/// What items block: sides of cells, and whole cells.
#[derive(Debug, Default)]
pub(in crate::passes) struct Walls {
    /// One bit a side of the lattice; nothing when no side is blocked.
    sides: Option<Plane<u16>>,
    cells: Option<BitPlane>,
}

/// A step from one cell to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::passes) struct Crossing {
    pub(in crate::passes) to: Cell,
    /// How many items' places are crossed.
    pub(in crate::passes) walls: u32,
    /// By how many levels the step is higher than it may be.
    pub(in crate::passes) over: u32,
}

impl Walls {
    /// What the items block for which `blocks` holds. O(items), and O(cells) when there are any.
    pub(in crate::passes) fn of(
        map: &Tilemap,
        pace: &Pace<'_>,
        blocks: impl Fn(&Item) -> bool,
    ) -> Result<Self, Stopped> {
        let (layout, mut walls) = (map.layout(), Self::default());
        let (lattice, extent) = (layout.lattice(), layout.extent());
        for item in map.items() {
            pace.cells(1)?;
            if !blocks(item) {
                continue;
            }
            let Some(side) = item.side else {
                walls.cells.get_or_insert_with(|| BitPlane::new(extent)).set(item.cell, true);
                continue;
            };
            let sides = walls.sides.get_or_insert_with(|| Plane::new(extent, 0));
            let beyond = layout.neighbour(item.cell, side).map(|there| (there, side.opposite()));
            for (cell, side) in [Some((item.cell, side)), beyond].into_iter().flatten() {
                if let (Some(slot), Some(bit)) = (sides.get_mut(cell), lattice.side_index(side)) {
                    *slot |= 1 << bit;
                }
            }
        }
        Ok(walls)
    }

    fn on(&self, lattice: Lattice, cell: Cell, side: Side) -> bool {
        let Some(sides) = &self.sides else { return false };
        let bits = sides.get(cell).copied().unwrap_or(0);
        lattice.side_index(side).is_some_and(|bit| bits >> bit & 1 == 1)
    }

    fn fills(&self, cell: Cell) -> bool {
        self.cells.as_ref().is_some_and(|cells| cells.get(cell))
    }
}

impl<'a> Ground<'a> {
    pub(in crate::passes) fn new(layout: Layout, around: Around, open: &'a BitPlane) -> Self {
        use Side::{East, North, South, West};
        let sides = layout.lattice().sides().iter().map(|&side| (side, None));
        let corners = [(North, East), (South, East), (South, West), (North, West)];
        let corners = corners.map(|(first, then)| (first, Some(then)));
        let square = matches!(layout.lattice(), Lattice::Square | Lattice::Box);
        let corners = corners.into_iter().filter(|_| square && around == Around::Moore);
        Self {
            layout,
            steps: sides.chain(corners).collect(),
            open,
            walls: Walls::default(),
            heights: None,
            most_step: None,
        }
    }

    /// The same with items in the way.
    pub(in crate::passes) fn walled(mut self, walls: Walls) -> Self {
        self.walls = walls;
        self
    }

    /// The same with steps that may be so high.
    pub(in crate::passes) fn stepped(
        mut self,
        heights: Option<&'a Plane<i32>>,
        most_step: Option<u32>,
    ) -> Self {
        (self.heights, self.most_step) = (heights, most_step);
        self
    }

    /// Heights, where they matter.
    pub(in crate::passes) const fn heights(&self) -> Option<&'a Plane<i32>> {
        self.heights
    }

    pub(in crate::passes) const fn layout(&self) -> Layout {
        self.layout
    }

    /// How many ways to step there are; they have the numbers below.
    pub(in crate::passes) const fn ways(&self) -> usize {
        self.steps.len()
    }

    /// The number of the way back.
    pub(in crate::passes) fn back(&self, way: usize) -> usize {
        let (first, then) = self.steps[way];
        let back = (first.opposite(), then.map(Side::opposite));
        self.steps.iter().position(|&step| step == back).expect("every way has a way back")
    }

    /// The side that the way crosses first.
    pub(in crate::passes) fn side(&self, way: usize) -> Side {
        self.steps[way].0
    }

    /// The step of that way, open or not; none off the map, and none that cuts a corner. O(1).
    pub(in crate::passes) fn step(&self, from: Cell, way: usize) -> Option<Crossing> {
        let (first, then) = self.steps[way];
        match then {
            None => self.across(from, first),
            Some(then) => {
                let free = |a: Side, b: Side| {
                    let beside = self.free(from, a).filter(|&beside| self.open.get(beside))?;
                    self.free(beside, b)
                };
                let to = free(first, then).filter(|&to| free(then, first) == Some(to))?;
                let over = self.over(from, to);
                (over == 0).then_some(Crossing { to, walls: 0, over })
            }
        }
    }

    /// The cell of that way, whatever is in between. O(1).
    pub(in crate::passes) fn beyond(&self, from: Cell, way: usize) -> Option<Cell> {
        let (first, then) = self.steps[way];
        let across = self.layout.neighbour(from, first)?;
        then.map_or(Some(across), |then| self.layout.neighbour(across, then))
    }

    /// The step across a side.
    fn across(&self, from: Cell, side: Side) -> Option<Crossing> {
        let to = self.layout.neighbour(from, side)?;
        let walled = self.walls.on(self.layout.lattice(), from, side);
        let walls = u32::from(walled) + u32::from(self.walls.fills(to));
        Some(Crossing { to, walls, over: self.over(from, to) })
    }

    /// The cell across a side when nothing is in the way.
    fn free(&self, from: Cell, side: Side) -> Option<Cell> {
        self.across(from, side).filter(Crossing::is_free).map(|step| step.to)
    }

    fn over(&self, from: Cell, to: Cell) -> u32 {
        let (Some(heights), Some(most)) = (self.heights, self.most_step) else { return 0 };
        let height = |cell| heights.get(cell).copied().unwrap_or(0);
        height(from).abs_diff(height(to)).saturating_sub(most)
    }

    /// Whether a cell can be stood on.
    pub(in crate::passes) fn is_open(&self, cell: Cell) -> bool {
        self.open.get(cell) && !self.walls.fills(cell)
    }
}

impl Crossing {
    /// Whether neither items nor heights are in the way.
    pub(in crate::passes) const fn is_free(&self) -> bool {
        self.walls == 0 && self.over == 0
    }
}
