//! `pass = "autotile"`: the sets of shapes it lays, by default all from the ground up.

use super::parts::common::{Common, Kind, Read, Reading};
use crate::files::quilt::cursor::{Keys, Notes, shorten, unknown_name};
use crate::files::quilt::shapes::ShapeSpec;
use crate::files::report::Located;
use lantern_quilt_core::autotile::ShapeSet;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::passes::Autotile;

pub(super) const KIND: Kind = Kind {
    name: "autotile",
    lays_tiles: true,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::AutotilePass>(),
};

fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let (specs, names) = (reading.shapes, &mut reading.names);
    let named = keys.take("shapes");
    let strict = keys.take("strict").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let (path, span) = (keys.path().to_owned(), keys.span.clone());
    keys.finish(notes);
    let mut sets: Vec<ShapeSet> = Vec::new();
    match named {
        Some(value) => {
            for value in value.one_or_more(notes) {
                let Some(name) = value.text(notes) else { continue };
                match specs.iter().find(|spec| spec.set.name() == name) {
                    Some(spec) if sets.iter().any(|set| set.name() == spec.set.name()) => {
                        let text = format!("`{}` is named twice", shorten(name));
                        let finding = Finding::new(Code::DuplicateName, value.subject(), text);
                        notes.add(finding.help("take one out"), value.span.clone());
                    }
                    Some(spec) => sets.push(spec.set.clone()),
                    None => {
                        let names = specs.iter().map(|spec| spec.set.name());
                        unknown_name("set of shapes", &value, name, names, notes);
                    }
                }
            }
        }
        None => {
            let mut all: Vec<&ShapeSpec> = specs.iter().collect();
            all.sort_by_key(|spec| spec.rank);
            sets.extend(all.into_iter().map(|spec| spec.set.clone()));
        }
    }
    if sets.is_empty() {
        // What is wrong with those that there are was said.
        let is_told = |located: &Located| matches!(&located.finding.subject, Subject::Field(path) if path.starts_with("shapes.") || path.ends_with(".shapes"));
        if notes.findings.iter().any(is_told) {
            return None;
        }
        let subject = Subject::Field(path.clone());
        let finding = Finding::new(Code::MissingKey, subject, "no shapes are defined");
        let help = "add `[shapes.NAME]` with `scheme` and `at`, NAME being a terrain";
        notes.add(finding.help(help), span.clone());
        return None;
    }
    for set in &mut sets {
        set.strict |= strict;
        if let Some(tag) = set.tag.as_ref().filter(|tag| !names.tags.contains(*tag)) {
            let text = format!(
                "`{}` follows the tag `{}`, which no pass before this one gives",
                set.name(),
                shorten(tag)
            );
            let finding = Finding::new(Code::PassOrder, Subject::Field(path.clone()), text);
            let given = names.tags.iter().map(String::as_str);
            notes.add(finding.among(tag, given), span.clone());
        }
        names.layers.insert(common.into.clone().unwrap_or_else(|| set.name().to_owned()));
        names.standing.extend(set.tiles().iter().filter_map(|tile| tile.tile.clone()));
    }
    Read::step(Autotile::new(sets))
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{OneOrMore, a_pass};
    use schemars::JsonSchema;

    a_pass! {
        /// Tiles of the right shape over terrain.
        AutotilePass = "autotile" {
            /// The layer that its tiles go to. Default one for each set.
            into: Option<String>,
            /// Sets of shapes, the lowest first. Default all, in the order of the terrains.
            shapes: Option<OneOrMore<String>>,
            /// Whether shapes that are missing are an error in all of them.
            strict: Option<bool>,
        }
    }
}
