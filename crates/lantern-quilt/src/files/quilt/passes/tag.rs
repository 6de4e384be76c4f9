//! `pass = "tag"`: marks on cells.

use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::numbers::say_empty;
use super::parts::tags::take_tags;
use crate::files::quilt::cursor::{Keys, Notes};
use lantern_quilt_core::passes::TagStep;

pub(super) const KIND: Kind = Kind {
    name: "tag",
    lays_tiles: false,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::TagPass>(),
};

/// `add = ["walk"]`, `remove = "wet"`.
fn read(
    _: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let (add, remove) = take_tags(&mut keys, &mut reading.names, notes);
    if add.is_empty() && remove.is_empty() {
        say_empty(&keys, "a tag pass has no tags", "add `add` or `remove`", notes);
    }
    keys.finish(notes);
    Read::step(TagStep { add, remove })
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{OneOrMore, a_pass};
    use schemars::JsonSchema;

    a_pass! {
        /// Gives tags to cells and takes them away.
        TagPass = "tag" {
            add: Option<OneOrMore<String>>,
            remove: Option<OneOrMore<String>>,
        }
    }
}
