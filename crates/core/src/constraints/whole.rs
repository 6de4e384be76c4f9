//! What must hold of a map as a whole: what hangs together, what may end nowhere, and what keeps its distance.

use super::area::Area;
use super::pairs::Selector;
use super::source::{Source, SourceKind};
use crate::id::{SocketId, TileId};
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::tileset::Tileset;

/// All cells that hold tiles of some kinds form one piece.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Connected {
    /// What hangs together: anything of one of these. A socket means what carries it on any side.
    pub kinds: Vec<Selector>,
    /// Two neighbours hang together where both show one of these to each other; without any, wherever they touch.
    pub over: Vec<SocketId>,
    /// Into how many pieces they may fall; at least 1.
    pub regions: u32,
    /// Each piece has a cell in this area. Default: anywhere.
    pub from: Option<Area>,
    /// Where it is written.
    pub source: Source,
}

impl Connected {
    /// One piece of these, wherever they touch.
    pub fn new(kinds: Vec<Selector>) -> Self {
        let source = Source::of(SourceKind::Connected);
        Self { kinds, over: Vec::new(), regions: 1, from: None, source }
    }

    /// The same, joined only through sides that both show one of these.
    #[must_use]
    pub fn over(mut self, sockets: Vec<SocketId>) -> Self {
        self.over = sockets;
        self
    }

    /// Whether a tile in an orientation belongs to it.
    pub fn concerns(&self, set: &Tileset, tile: TileId, turned: Orientation) -> bool {
        covers_any(&self.kinds, set, tile, turned)
    }

    /// Whether a tile in an orientation hangs together with what lies beyond a side, if that does so too.
    pub fn reaches(&self, set: &Tileset, tile: TileId, turned: Orientation, side: Side) -> bool {
        self.concerns(set, tile, turned)
            && (self.over.is_empty() || shows_any(&self.over, set, tile, turned, side))
    }
}

/// No side that shows one of these sockets looks out of the map, or at a cell that takes no part.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Closed {
    /// The sockets.
    pub sockets: Vec<SocketId>,
    /// Tiles on which they may end.
    pub except: Vec<Selector>,
    /// Where it is written.
    pub source: Source,
}

impl Closed {
    /// None of these may end.
    pub fn new(sockets: Vec<SocketId>) -> Self {
        Self { sockets, except: Vec::new(), source: Source::of(SourceKind::Closed) }
    }

    /// Whether a tile in an orientation may stand where this side looks at nothing.
    pub fn admits(&self, set: &Tileset, tile: TileId, turned: Orientation, side: Side) -> bool {
        !shows_any(&self.sockets, set, tile, turned, side)
            || covers_any(&self.except, set, tile, turned)
    }
}

/// How far tiles of some kinds are from tiles of others, in steps over sides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Distance {
    /// What keeps its distance: anything of one of these. A socket means what carries it on any side.
    pub kinds: Vec<Selector>,
    /// From what.
    pub to: Vec<Selector>,
    /// No such pair of cells is fewer steps apart. 0 and 1 demand nothing.
    pub least: u32,
    /// Each of `kinds` has another cell of `to` within so many steps. Default: none needed.
    pub most: Option<u32>,
    /// Where it is written.
    pub source: Source,
}

impl Distance {
    /// Demands nothing yet.
    pub fn new(kinds: Vec<Selector>, to: Vec<Selector>) -> Self {
        Self { kinds, to, least: 0, most: None, source: Source::of(SourceKind::Distance) }
    }

    /// The same with at least so many steps.
    #[must_use]
    pub const fn least(mut self, steps: u32) -> Self {
        self.least = steps;
        self
    }

    /// The same with at most so many steps.
    #[must_use]
    pub const fn most(mut self, steps: u32) -> Self {
        self.most = Some(steps);
        self
    }

    /// Whether a tile in an orientation is one of `kinds`, and whether it is one of `to`.
    pub fn concerns(&self, set: &Tileset, tile: TileId, turned: Orientation) -> [bool; 2] {
        [&self.kinds, &self.to].map(|kinds| covers_any(kinds, set, tile, turned))
    }
}

fn covers_any(kinds: &[Selector], set: &Tileset, tile: TileId, turned: Orientation) -> bool {
    let sides = set.lattice().sides();
    kinds.iter().any(|kind| sides.iter().any(|&side| kind.covers(set, tile, turned, side)))
}

fn shows_any(
    sockets: &[SocketId],
    set: &Tileset,
    tile: TileId,
    turned: Orientation,
    side: Side,
) -> bool {
    set.faces(tile, turned, side).iter().any(|face| sockets.contains(&face.socket))
}
