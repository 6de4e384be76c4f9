//! How many there must be of a kind.

use super::pairs::Selector;
use super::source::{Source, SourceKind};
use crate::id::TileId;
use crate::orient::Orientation;
use crate::tileset::Tileset;

/// How often tiles of some kinds stand in a map. A tile of several cells counts once.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Count {
    /// What is counted: anything of one of these. A socket means what carries it on any side.
    pub kinds: Vec<Selector>,
    /// The fewest.
    pub least: u64,
    /// The most; any number when `None`.
    pub most: Option<u64>,
    /// Where it is written.
    pub source: Source,
}

impl Count {
    /// Between so many and so many of these.
    pub fn new(kinds: Vec<Selector>, least: u64, most: Option<u64>) -> Self {
        Self { kinds, least, most, source: Source::of(SourceKind::Count) }
    }

    /// Whether a tile in an orientation is counted; of a tile of several cells, its first part is.
    pub fn counts(&self, set: &Tileset, tile: TileId, turned: Orientation) -> bool {
        let sides = set.lattice().sides();
        set.tiles()[tile].is_first()
            && sides
                .iter()
                .any(|&side| self.kinds.iter().any(|kind| kind.covers(set, tile, turned, side)))
    }
}
