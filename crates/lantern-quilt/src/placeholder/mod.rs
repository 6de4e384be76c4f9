//! Placeholders for pieces that are missing: what their neighbours show at their sides, and hatching within.
//!
//! `flat` paints a picture, `solid` builds a model.

mod flat;
mod solid;

use crate::art::TileArt;
use lantern_quilt_core::audit::pieces::WantedPiece;
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::{Face, Tileset};
use std::sync::Arc;

pub use flat::placeholder_picture;
pub use solid::placeholder_model;

/// The pose with the most weight that shows a face on a side.
fn showing(set: &Tileset, side: Side, face: Face) -> Option<(TileId, Orientation)> {
    let shows = |&(tile, orientation): &(TileId, Orientation)| {
        set.faces(tile, orientation, side).contains(&face)
    };
    // The first of those that are as common.
    set.poses().filter(shows).reduce(|best, next| {
        let weight = |(tile, _): (TileId, Orientation)| set.tiles()[tile].pose_weight();
        if weight(next) > weight(best) { next } else { best }
    })
}

/// The art of a set with placeholders added, each by its name: models where the set has some, else pictures.
pub fn with_placeholders(
    art: &TileArt,
    set: &Tileset,
    pieces: &[(String, &WantedPiece)],
) -> TileArt {
    let mut more = art.clone();
    match art.models().filter(|models| !models.is_empty()) {
        Some(models) => {
            let mut models = models.clone();
            for (name, piece) in pieces {
                let model = placeholder_model(name, set, piece, &models);
                models.add_tile(name.clone(), 0, Arc::new(model));
            }
            more.set_models(models);
        }
        None => {
            for (name, piece) in pieces {
                more.add(name.clone(), placeholder_picture(set, piece, art));
            }
        }
    }
    more
}
