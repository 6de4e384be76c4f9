//! `pass = "assign"`: cells become something where a condition holds.

use super::parts::becomes::{HELP, Laid, take_becomes};
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::numbers::say_empty;
use crate::files::quilt::cursor::{Keys, Notes};
use lantern_quilt_core::passes::AssignStep;

pub(super) const KIND: Kind = Kind {
    name: "assign",
    lays_tiles: true,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::AssignPass>(),
};

/// `terrain = "moss"`, `height = 2`, `value = { depth = 3 }` and so on.
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let becomes = take_becomes(&mut keys, &Laid::of(common), &mut reading.names, notes);
    if becomes.is_empty() {
        say_empty(&keys, "the pass assigns nothing", HELP, notes);
    }
    keys.finish(notes);
    Read::step(AssignStep { becomes })
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::a_pass;
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// Makes something of the cells where it works.
        AssignPass = "assign" {
            /// The layer that tiles go to. Default one of its own.
            into: Option<String>,
            terrain: Option<String>,
            tile: Option<String>,
            tag: Option<String>,
            height: Option<i64>,
            /// A number for each of these planes.
            value: Option<BTreeMap<String, i64>>,
        }
    }
}
