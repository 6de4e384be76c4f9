//! Lists: pairs that may or may not touch, whatever their sides show.

use super::Accept;
use crate::id::TileId;
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::tileset::Tileset;

/// A tile, a tag or a socket; in one orientation, or in any.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Selector {
    /// What it is. A socket means whatever carries it on the side in question.
    pub what: Accept,
    /// In which orientation; any when `None`.
    pub orientation: Option<Orientation>,
}

impl Selector {
    /// Anything of this kind, in any orientation.
    pub const fn any(what: Accept) -> Self {
        Self { what, orientation: None }
    }

    /// Whether a tile in an orientation is of this kind, seen on `side`.
    pub fn covers(&self, set: &Tileset, tile: TileId, turned: Orientation, side: Side) -> bool {
        self.orientation.is_none_or(|only| set.tiles()[tile].stands_for(only) == Some(turned))
            && match self.what {
                Accept::Tile(wanted) => tile == wanted,
                Accept::Tag(tag) => set.tiles()[tile].tags().contains(&tag),
                Accept::Socket(socket) => {
                    set.faces(tile, turned, side).iter().any(|face| face.socket == socket)
                }
            }
    }
}

/// Says of pairs that they may touch, or may not.
///
/// What sides show comes first; then every rule that allows adds pairs, then every rule that forbids
/// takes pairs away. A pair is the same from both sides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PairRule {
    /// Whether the pairs may touch; else they may not.
    pub allow: bool,
    /// The first of each pair: one of these.
    pub from: Vec<Selector>,
    /// The second: one of these.
    pub beside: Vec<Selector>,
    /// On which sides of the first the second lies.
    pub sides: Vec<Side>,
}

impl PairRule {
    /// Whether it speaks of the pair in which `b` lies beyond `side` of `a`.
    pub fn concerns(
        &self,
        set: &Tileset,
        a: (TileId, Orientation),
        side: Side,
        b: (TileId, Orientation),
    ) -> bool {
        let (here, there) = (side, side.opposite());
        let covers = |kinds: &[Selector], (tile, turned): (TileId, Orientation), side| {
            kinds.iter().any(|kind| kind.covers(set, tile, turned, side))
        };
        let forwards = self.sides.contains(&here)
            && covers(&self.from, a, here)
            && covers(&self.beside, b, there);
        forwards
            || self.sides.contains(&there)
                && covers(&self.from, b, there)
                && covers(&self.beside, a, here)
    }
}
