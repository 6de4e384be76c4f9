//! Where a rule of a fill is written.

use crate::lattice::{Cell, Side};
use std::fmt;

/// Where a rule of a fill is written; from the quilt to the explanation.
#[derive(Clone, Copy, Default, PartialEq, Eq, Hash)]
pub struct Source {
    /// What said it.
    pub kind: SourceKind,
    /// From where to where in the text that it was read from, in bytes. Core makes nothing of it.
    pub at: Option<[u32; 2]>,
}

/// What says something that a fill must keep.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum SourceKind {
    /// Code.
    #[default]
    Code,
    /// A border rule for this side.
    Border(Side),
    /// The ring: what alone stands along the border.
    Ring,
    /// The only tiles of a pass.
    Only,
    /// A pin of this cell.
    Pin(Cell),
    /// A limit.
    Limit,
    /// A count.
    Count,
    /// What hangs together.
    Connected,
    /// What ends nowhere.
    Closed,
    /// What keeps its distance.
    Distance,
    /// Tiles of several cells, which nothing may cut.
    Whole,
    /// What samples of windows show at the edges of the map.
    Edges,
    /// What stands there already.
    Kept,
}

impl Source {
    /// Said by that, and read from nowhere.
    pub const fn of(kind: SourceKind) -> Self {
        Self { kind, at: None }
    }
}

impl fmt::Debug for Source {
    /// Without its place in the text: the place of a rule changes no map.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Source").field(&self.kind).finish()
    }
}

impl fmt::Display for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.kind {
            SourceKind::Code => f.write_str("a restriction"),
            SourceKind::Border(side) => write!(f, "the border rule for {side}"),
            SourceKind::Ring => f.write_str("the ring"),
            SourceKind::Only => f.write_str("`only`"),
            SourceKind::Pin(cell) => write!(f, "the pin at {cell}"),
            SourceKind::Limit => f.write_str("a limit"),
            SourceKind::Count => f.write_str("a count"),
            SourceKind::Connected => f.write_str("`connected`"),
            SourceKind::Closed => f.write_str("`closed`"),
            SourceKind::Distance => f.write_str("a distance"),
            SourceKind::Whole => f.write_str("a tile of several cells, which would be cut"),
            SourceKind::Edges => f.write_str("what the samples show at this edge"),
            SourceKind::Kept => f.write_str("what stands there"),
        }
    }
}
