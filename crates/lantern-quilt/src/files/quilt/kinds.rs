//! Tiles, tags and sockets by name, and the lists of pairs that are made of them.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::model::Model;
use lantern_quilt_core::constraints::{Accept, PairRule, Selector};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::orient::Orientation;

/// `{ socket = "moss" }`, `{ tile = ["hedge", "fern"] }`, `{ tag = "green" }`, or several of them.
pub(super) fn read_named(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<Accept> {
    let Some(mut keys) = value.table(notes) else { return Vec::new() };
    let named = take_named(&mut keys, value, model, notes);
    keys.finish(notes);
    named
}

/// The same from keys among others; `value` is where they stand.
pub(super) fn take_named(
    keys: &mut Keys<'_>,
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<Accept> {
    let (mut named, mut found) = (Vec::new(), false);
    for kind in ["socket", "tile", "tag"] {
        let Some(list) = keys.take(kind) else { continue };
        found = true;
        for value in list.one_or_more(notes) {
            let Some(name) = value.text(notes) else { continue };
            match model.look_up(kind, name) {
                (found, names) if found.is_empty() => {
                    unknown_name(kind, &value, name, names, notes);
                }
                (found, _) => named.extend(found),
            }
        }
    }
    if !found {
        let text = format!("`{}` names no tiles", value.name());
        let help = "write `{ socket = \"...\" }`, `{ tile = \"...\" }` or `{ tag = \"...\" }`";
        let finding = Finding::new(Code::MissingKey, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    }
    named
}

/// As [`take_named`], with `turned` and `mirrored` for one orientation only.
pub(super) fn take_kinds(
    keys: &mut Keys<'_>,
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<Selector> {
    let named = take_named(keys, value, model, notes);
    let orientation = take_orientation(keys, model, notes);
    named.into_iter().map(|what| Selector { what, orientation }).collect()
}

/// `turned = 1`, `mirrored = true`; nothing said is any orientation.
pub(super) fn take_orientation(
    keys: &mut Keys<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<Orientation> {
    let lattice = model.lattice();
    let turns = i64::from(lattice.turns());
    let turned = keys.take("turned").and_then(|v| v.whole(0..turns, Code::BadTurns, notes));
    let mirrored = keys.take("mirrored").and_then(|v| v.boolean(notes));
    (turned.is_some() || mirrored.is_some())
        .then(|| Orientation::new(lattice, turned.unwrap_or(0) as u8, mirrored.unwrap_or(false)))
}

/// `[[allow]]` and `[[forbid]]`.
pub(super) fn read_lists(top: &mut Keys<'_>, model: &Model, notes: &mut Notes) -> Vec<PairRule> {
    let mut lists = Vec::new();
    for (key, allow) in [("allow", true), ("forbid", false)] {
        let entries = top.take(key).map(|value| value.array(notes)).unwrap_or_default();
        for entry in entries {
            let Some(mut keys) = entry.table(notes) else { continue };
            let mut kinds = |key, help| {
                let Some(value) = keys.need(key, help, notes) else { return Vec::new() };
                let Some(mut keys) = value.table(notes) else { return Vec::new() };
                let kinds = take_kinds(&mut keys, &value, model, notes);
                keys.finish(notes);
                kinds
            };
            let from = kinds("what", "`what = { tile = \"...\" }`, the first of each pair");
            let beside = kinds("beside", "`beside = { tag = \"...\" }`, the second of each pair");
            let on = keys.take("on");
            let sides = on.map_or_else(
                || model.lattice().sides().to_vec(),
                |value| read_sides(&value, model, notes),
            );
            keys.finish(notes);
            if !from.is_empty() && !beside.is_empty() {
                lists.push(PairRule { allow, from, beside, sides });
            }
        }
    }
    lists
}

/// A side, or several.
fn read_sides(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<Side> {
    let lattice = model.lattice();
    let mut sides = Vec::new();
    for value in value.one_or_more(notes) {
        let Some(name) = value.text(notes) else { continue };
        match Side::from_name(name).filter(|side| lattice.sides().contains(side)) {
            Some(side) => sides.push(side),
            None => {
                let text = format!("a {lattice} cell has no side `{}`", shorten(name));
                let names = lattice.sides().iter().map(|side| side.name());
                let finding = Finding::new(Code::UnknownSide, value.subject(), text);
                notes.add(finding.among(name, names), value.span.clone());
            }
        }
    }
    sides
}
