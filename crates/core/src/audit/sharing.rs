//! Who has a share, and when one is off.

use crate::id::TileId;
use crate::tileset::Tileset;

/// A share may be off by so much, in parts of the map or of itself, whichever is more.
const TOLERANCE: [f64; 2] = [0.02, 0.2];

/// Whether a share is missed by more than the tolerance.
pub(super) fn is_off(wanted: f64, reached: f64) -> bool {
    let [of_map, of_itself] = TOLERANCE;
    (reached - wanted).abs() > of_map.max(wanted * of_itself)
}

/// A tile with a share, or the tiles of a group that has one.
pub(super) struct Sharing {
    pub(super) of: String,
    /// Groups may be called as tiles are.
    in_group: bool,
    pub(super) share: f64,
    pub(super) tiles: Vec<TileId>,
}

/// Who has shares, in the order of tiles. O(tiles x groups).
pub(super) fn sharing(tileset: &Tileset) -> Vec<Sharing> {
    let mut all: Vec<Sharing> = Vec::new();
    for (id, tile) in tileset.tiles().pairs() {
        let Some(share) = tile.share() else { continue };
        let (of, in_group) = (tile.share_of(), tile.is_in_group());
        match all.iter_mut().find(|known| known.in_group == in_group && known.of == of) {
            Some(known) => {
                known.share += share;
                known.tiles.push(id);
            }
            None => all.push(Sharing { of: of.to_owned(), in_group, share, tiles: vec![id] }),
        }
    }
    all
}
