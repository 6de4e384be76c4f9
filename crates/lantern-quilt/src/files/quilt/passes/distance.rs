//! `pass = "distance"`: steps from each cell to what a condition names, as a plane of numbers.

use super::parts::common::{Common, Kind, Read, Reading};
use crate::files::quilt::cursor::{Keys, Notes};
use lantern_quilt_core::passes::DistanceStep;

pub(super) const KIND: Kind = Kind {
    name: "distance",
    lays_tiles: false,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::DistancePass>(),
};

/// `from = { tag = "gate" }`, `plane = "far"`.
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let from = keys.need("from", "`from = { tag = \"...\" }`, the cells at distance 0", notes);
    let from = from.map(|from| reading.names.read(&from, &mut reading.grounds, notes));
    let plane = keys.take("plane").and_then(|value| value.text(notes));
    let plane = plane.map_or_else(|| common.name.clone(), str::to_owned);
    keys.finish(notes);
    reading.names.planes.insert(plane.clone());
    Read::step(DistanceStep { from: from.unwrap_or_default(), plane })
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{Where, a_pass};
    use schemars::JsonSchema;

    a_pass! {
        /// Writes how many steps it is to the nearest cell that meets a condition.
        DistancePass = "distance" {
            /// The cells at distance 0.
            from: Where,
            /// The plane that the numbers go to. Default the name of the pass.
            plane: Option<String>,
        }
    }
}
