//! What a fill must satisfy besides the sides of tiles, as data: samples, lists of pairs, border
//! rules, pins, areas that tiles are kept to, counts, and what holds of the whole map.
//!
//! Nothing here knows the solver. [`verify`](crate::verify) reads these rules as they stand;
//! [`passes`](crate::passes) turns them into first domains.

mod area;
mod count;
mod pairs;
mod sample;
mod source;
mod whole;
mod windows;

pub use area::{Area, AreaRule, Keep, Level, steps_from_border};
pub use count::Count;
pub use pairs::{PairRule, Selector};
pub(crate) use sample::pose;
pub use sample::{Posed, Sample};
pub use source::{Source, SourceKind};
pub use whole::{Closed, Connected, Distance};
pub(crate) use windows::leads_over;
pub use windows::{Window, WindowRule, WindowSample};

use crate::id::{SocketId, TagId, TileId};
use crate::lattice::{Cell, Extent, Side};
use crate::orient::Orientation;
use crate::tileset::Tileset;
use std::sync::Arc;

/// What is accepted somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Accept {
    /// A side that carries this socket, in either hand.
    Socket(SocketId),
    /// This tile, in any pose.
    Tile(TileId),
    /// Tiles with this tag.
    Tag(TagId),
}

/// What may face out of one side of the map. Edges that wrap have no border.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BorderRule {
    /// The side of the cell that looks out of the map.
    pub side: Side,
    /// It must be one of these.
    pub accept: Vec<Accept>,
    /// Where it is written.
    pub source: Source,
}

impl BorderRule {
    /// One of these may face out of a side.
    pub fn new(side: Side, accept: Vec<Accept>) -> Self {
        Self { side, accept, source: Source::of(SourceKind::Border(side)) }
    }

    /// Whether a tile in an orientation may stand where this side looks out of the map.
    pub fn admits(&self, tileset: &Tileset, tile: TileId, orientation: Orientation) -> bool {
        self.accept.iter().any(|one| match *one {
            Accept::Socket(socket) => {
                let faces = tileset.faces(tile, orientation, self.side);
                faces.iter().any(|face| face.socket == socket)
            }
            Accept::Tile(wanted) => tile == wanted,
            Accept::Tag(tag) => tileset.tiles()[tile].tags().contains(&tag),
        })
    }
}

/// A cell whose tile is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pin {
    /// Where.
    pub cell: Cell,
    /// Its level, where that is counted from the top of a box map; else it is that of the cell.
    pub level: Option<Level>,
    /// Which tile.
    pub tile: TileId,
    /// In which orientation; any when `None`.
    pub orientation: Option<Orientation>,
    /// Where it is written.
    pub source: Source,
}

impl Pin {
    /// A tile in any orientation.
    pub fn new(cell: Cell, tile: TileId) -> Self {
        Self {
            cell,
            level: None,
            tile,
            orientation: None,
            source: Source::of(SourceKind::Pin(cell)),
        }
    }

    /// The cell in a map.
    pub fn cell_in(&self, extent: Extent) -> Cell {
        Cell { z: self.level.map_or(self.cell.z, |level| level.of(extent)), ..self.cell }
    }

    /// The same in just one.
    #[must_use]
    pub const fn oriented(mut self, orientation: Orientation) -> Self {
        self.orientation = Some(orientation);
        self
    }

    /// Whether a tile in an orientation may stand there.
    pub fn admits(&self, tileset: &Tileset, tile: TileId, orientation: Orientation) -> bool {
        let known = &tileset.tiles()[self.tile];
        let turned = |only| known.stands_for(only) == Some(orientation);
        tile == self.tile && self.orientation.is_none_or(turned)
    }
}

/// All constraints of a fill.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Constraints {
    /// Border rules; several for one side must all hold.
    pub borders: Vec<BorderRule>,
    /// Pinned cells.
    pub pins: Vec<Pin>,
    /// Finished maps: what stands beside each other in them may do so.
    pub samples: Vec<Sample>,
    /// Pairs that may or may not touch.
    pub pairs: Vec<PairRule>,
    /// Areas that tiles are kept to or out of.
    pub areas: Vec<AreaRule>,
    /// How many there must be of some kinds.
    pub counts: Vec<Count>,
    /// What hangs together.
    pub connected: Vec<Connected>,
    /// What ends nowhere.
    pub closed: Vec<Closed>,
    /// What keeps its distance.
    pub distances: Vec<Distance>,
    /// The only windows it may show. Then sides, samples and lists of pairs are ignored.
    pub windows: Option<Arc<WindowRule>>,
}

impl Constraints {
    /// Whether some of them can only be judged over the whole map.
    pub fn reach_far(&self) -> bool {
        !self.connected.is_empty() || !self.distances.is_empty()
    }
}
