//! Things placed in cells or on sides of them.

use crate::lattice::{Cell, Layout, Side};
use std::sync::Arc;

/// A thing placed in a cell or on a side of it.
///
/// The side between two cells is one place; the item stores the cell it faces from. Names are shared,
/// so that a million items of one kind cost little more than their numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct Item {
    /// The cell it stands in, or faces from.
    pub cell: Cell,
    /// The side it stands on, if any.
    pub side: Option<Side>,
    /// What it is.
    pub name: Arc<str>,
    /// Which of its looks, counted from 0; `None` for a marker, which has no picture.
    pub look: Option<u32>,
    /// Away from the middle of the cell (or side), in cells.
    pub offset: [f32; 3],
    /// The side it faces, when it faces one.
    pub facing: Option<Side>,
    /// From the way it is drawn, clockwise seen from above, in degrees.
    pub turn: f32,
    /// Against its natural size.
    pub scale: f32,
    /// How far it leans over to the side it faces, in degrees.
    pub tilt: f32,
    /// How many things of its place stand below it, one upon the other; 0 is the lowest.
    pub stacked: u32,
    /// Whether it stands on whatever surface is below it, and not on the floor of its cell.
    pub stands: bool,
    /// How high that surface is above the floor of its cell, in cells; 0 until somebody has looked.
    pub height: f32,
    /// Things of a higher number are drawn above those of a lower one; equal ones in their order.
    pub drawn: i32,
    /// Its tags.
    pub tags: Arc<[String]>,
    /// The pass that placed it; empty when none did.
    pub pass: Arc<str>,
    /// The group of that pass.
    pub group: Option<Arc<str>>,
    /// Counts what its pass placed, from 1; things that are kept together share it. 0 when no pass did.
    pub number: u32,
}

impl Item {
    /// An item in the middle of a cell, as drawn.
    pub fn new(name: impl Into<Arc<str>>, cell: Cell) -> Self {
        Self {
            cell,
            side: None,
            name: name.into(),
            look: None,
            offset: [0.0; 3],
            facing: None,
            turn: 0.0,
            scale: 1.0,
            tilt: 0.0,
            stacked: 0,
            stands: false,
            height: 0.0,
            drawn: 0,
            tags: Arc::default(),
            pass: Arc::default(),
            group: None,
            number: 0,
        }
    }

    /// The place it takes.
    pub fn spot(&self, layout: Layout) -> Spot {
        Spot::new(layout, self.cell, self.side)
    }
}

/// A place for an item: a cell, or the side between two cells, whichever of them it is told from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Spot {
    cell: Cell,
    side: Option<Side>,
}

impl Spot {
    /// The cell and side that represent it; `side` where it is a cell.
    pub(crate) fn told_from(self, side: Side) -> (Cell, Side) {
        (self.cell, self.side.unwrap_or(side))
    }

    /// The place of a cell or of one of its sides.
    pub fn new(layout: Layout, cell: Cell, side: Option<Side>) -> Self {
        let beyond = side.and_then(|side| Some((layout.neighbour(cell, side)?, side.opposite())));
        match (side, beyond) {
            // Where an edge closes upon one cell, its two sides are one place as well.
            (Some(side), Some((there, back))) if (there, back) < (cell, side) => {
                Self { cell: there, side: Some(back) }
            }
            _ => Self { cell, side },
        }
    }
}
