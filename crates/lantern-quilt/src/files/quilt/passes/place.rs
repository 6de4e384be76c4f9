//! `pass = "place"`: items and tiles by rule.

use super::parts::becomes::{Laid, read_becomes};
use super::parts::chooser::Reader;
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::names::Names;
use super::parts::numbers::{read_pair, take_weight};
use crate::files::quilt::cursor::{Keys, Notes, Value, unknown_name};
use crate::files::quilt::items::{ItemSpec, towards_us};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::passes::{Choice, PlaceStep, SetPiece, Thing};

pub(super) const KIND: Kind = Kind {
    name: "place",
    lays_tiles: true,
    fills: false,
    places: true,
    read,
    schema: |generator| generator.subschema_for::<schema::PlacePass>(),
};

fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, .. } = reading;
    let lattice = grounds.model.lattice();
    let mut reader = Reader { names, grounds, lattice };
    let what = keys.need("what", "what is placed: `what = \"NAME\"`, one of `[items]`", notes);
    let mut what: Vec<Choice> = match what {
        Some(value) => {
            let all = value.one_or_more(notes);
            all.iter().filter_map(|one| reader.read_choice(one, notes)).collect()
        }
        None => Vec::new(),
    };
    let parts = what.iter().flat_map(|choice| &choice.parts);
    let tiles: Vec<String> = parts
        .filter_map(|part| match &part.what {
            Thing::Tile { name, .. } => Some(name.clone()),
            _ => None,
        })
        .collect();
    let mut pass = reader.read_chooser(&mut keys, notes);
    pass.what.append(&mut what);
    let becomes = keys.take("becomes");
    let becomes = becomes.map(|value| read_becomes(&value, &Laid::of(common), names, notes));
    pass.becomes = becomes.unwrap_or_default();
    keys.finish(notes);
    if !tiles.is_empty() {
        names.layers.insert(common.layer().to_owned());
        names.standing.extend(tiles);
    }
    let parts = pass.what.iter().flat_map(|choice| &choice.parts);
    names.placed.extend(parts.filter_map(|part| match &part.what {
        Thing::Item { name, .. } => Some(name.to_string()),
        _ => None,
    }));
    say_early(&pass, common, names, notes);
    Read::step(pass)
}

/// Says that things are placed before there is any ground.
fn say_early(pass: &PlaceStep, common: &Common, names: &Names<'_>, notes: &mut Notes) {
    let items = pass.what.iter().flat_map(|choice| &choice.parts);
    let any = items.filter(|part| matches!(part.what, Thing::Item { .. })).count() > 0;
    if any && names.laid.is_empty() && names.standing.is_empty() {
        let text = format!("`{}` places items before any pass lays ground", common.name);
        let help = "passes run in order: move it behind those that lay terrain and tiles";
        let subject = Subject::Field(common.path.clone());
        let finding = Finding::new(Code::PassOrder, subject, text).help(help);
        notes.add(finding, common.span.clone());
    }
}

impl Reader<'_, '_, '_, '_> {
    /// A name, `{ item = "fern", weight = 3 }`, `{ tile = "flag" }`, or `{ parts = [...] }`.
    fn read_choice(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Choice> {
        if value.is_text() {
            let part = self.item_part(value, notes)?;
            return Some(Choice { weight: 1.0, parts: vec![part] });
        }
        let mut keys = value.table(notes)?;
        let weight = take_weight(&mut keys, notes);
        let parts = keys.take("parts");
        let one = keys.has("item") || keys.has("tile") || parts.is_none();
        let part = if one {
            self.take_part(&mut keys, value, notes)
        } else {
            // Asked for, so that they are offered where a key is unknown.
            let _ = (keys.take("item"), keys.take("tile"));
            None
        };
        keys.finish(notes);
        let mut all: Vec<SetPiece> = part.into_iter().collect();
        for part in parts.map(|parts| parts.array(notes)).unwrap_or_default() {
            all.extend(self.read_one_part(&part, notes));
        }
        (!all.is_empty()).then_some(Choice { weight, parts: all })
    }

    fn read_one_part(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<SetPiece> {
        if value.is_text() {
            return self.item_part(value, notes);
        }
        let mut keys = value.table(notes)?;
        let mut part = self.take_part(&mut keys, value, notes);
        if let Some(value) = keys.take("at") {
            let at = value.wholes(-64..65, Code::BadValue, notes);
            let [x, y] = at.unwrap_or_default();
            if let Some(part) = &mut part {
                part.at = [x as i32, y as i32];
            }
        }
        let offset = keys.take("offset").and_then(|value| read_pair(&value, false, notes));
        keys.finish(notes);
        part.map(|part| SetPiece { offset: offset.unwrap_or_default(), ..part })
    }

    /// `item = "post"` or `tile = "flag"`, from keys among others.
    fn take_part(
        &mut self,
        keys: &mut Keys<'_>,
        value: &Value<'_>,
        notes: &mut Notes,
    ) -> Option<SetPiece> {
        let (item, tile) = (keys.take("item"), keys.take("tile"));
        match (item, tile) {
            (Some(item), None) => self.item_part(&item, notes),
            (None, Some(tile)) => {
                let name = tile.text(notes)?;
                if !self.names.tiles.contains(name) {
                    let known = self.names.tiles.iter().map(String::as_str);
                    unknown_name("tile", &tile, name, known, notes);
                    return None;
                }
                let looks = self.names.looks_of(name);
                let what = Thing::Tile { name: name.to_owned(), looks };
                Some(SetPiece {
                    what,
                    faces: towards_us(self.lattice),
                    at: [0; 2],
                    offset: [0.0; 2],
                })
            }
            _ => {
                let text = "what is placed is an `item` or a `tile`";
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                notes.add(finding.help("keep one of them"), value.span.clone());
                None
            }
        }
    }

    fn item_part(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<SetPiece> {
        let name = value.text(notes)?;
        let Some(item) = self.names.items.iter().find(|item| *item.name == *name) else {
            let known = self.names.items.iter().map(|item| &*item.name);
            unknown_name("item", value, name, known, notes);
            return None;
        };
        let ItemSpec { name, weights, faces, tags, .. } = item;
        let what = Thing::Item { name: name.clone(), looks: weights.clone(), tags: tags.clone() };
        Some(SetPiece { what, faces: *faces, at: [0; 2], offset: [0.0; 2] })
    }
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{Made, OneOrMore, choosing};
    use schemars::JsonSchema;

    choosing! {
        /// Sets items and tiles by rule.
        PlacePass = "place" {
            /// What is placed, by weight.
            what: OneOrMore<What>,
            /// What the cells become that it stands in.
            becomes: Option<Made>,
        }
    }

    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum What {
        Item(String),
        Choice(Choice),
    }

    /// An item, a tile, or parts that are kept together.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Choice {
        item: Option<String>,
        tile: Option<String>,
        parts: Option<Vec<WhatPart>>,
        weight: Option<f64>,
    }

    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum WhatPart {
        Item(String),
        Part(SetPart),
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct SetPart {
        item: Option<String>,
        tile: Option<String>,
        /// Cells east and south, as drawn; turns with the set.
        at: Option<[i32; 2]>,
        /// The same within the cell.
        offset: Option<[f64; 2]>,
    }
}
