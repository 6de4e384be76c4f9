//! `pass = "clear"`: what lies on cells is taken away.

use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::numbers::say_empty;
use super::parts::ways::take_layers;
use crate::files::quilt::cursor::{Keys, Notes};
use lantern_quilt_core::passes::ClearStep;

pub(super) const KIND: Kind = Kind {
    name: "clear",
    lays_tiles: false,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::ClearPass>(),
};

/// `terrain = true`, `items = true`, `layers = ["moss"]`.
fn read(
    _: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let names = &reading.names;
    let items = keys.take("items").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let terrain = keys.take("terrain").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let layers = take_layers(&mut keys, "layers", names, notes);
    if !terrain && !items && layers.is_empty() && !keys.has("layers") {
        say_empty(
            &keys,
            "a clear pass takes something away",
            "add `terrain`, `items` or `layers`",
            notes,
        );
    }
    keys.finish(notes);
    Read::step(ClearStep { terrain, items, layers })
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{OneOrMore, a_pass};
    use schemars::JsonSchema;

    a_pass! {
        /// Takes away what lies on cells.
        ClearPass = "clear" {
            /// Whether terrain goes.
            terrain: Option<bool>,
            /// Whether items go.
            items: Option<bool>,
            /// The layers whose tiles go.
            layers: Option<OneOrMore<String>>,
        }
    }
}
