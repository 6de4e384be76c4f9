//! Sides that are open: where more may be joined to a map.

use crate::lattice::{Cell, Side};
use std::sync::Arc;

/// An open side of a grown piece or room, where more may be joined.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Connector {
    /// The cell whose side is open.
    pub cell: Cell,
    /// The side, as seen from that cell.
    pub side: Side,
    /// How high it lies above the floor of its cell, in steps of height.
    pub level: i32,
    /// What may be joined: only connectors of one name go together.
    pub name: Arc<str>,
    /// The piece or room that it belongs to; empty when that has no name.
    pub piece: Arc<str>,
}

impl Connector {
    /// A connector on the floor, of no piece.
    pub fn new(name: impl Into<Arc<str>>, cell: Cell, side: Side) -> Self {
        Self { cell, side, level: 0, name: name.into(), piece: "".into() }
    }
}
