//! `[items]`: things that passes place, with pictures of their own or as markers for the game.

use super::cursor::{Keys, Notes, Value, is_misplaced, shorten};
use super::looks::{LookSpec, take_look};
use super::model::twice;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::{Lattice, Side};
use std::sync::Arc;

/// A thing that can be placed.
#[derive(Debug)]
pub(super) struct ItemSpec {
    pub(super) name: Arc<str>,
    /// Where its pictures are; none for a marker.
    pub(super) drawn: Vec<LookSpec>,
    /// How common each look is.
    pub(super) weights: Vec<f64>,
    /// The pixel that stands in the middle of its place.
    pub(super) anchor: Option<[i32; 2]>,
    /// The side it faces as drawn.
    pub(super) faces: Side,
    pub(super) tags: Arc<[String]>,
}

/// The side that things face as drawn when nobody says: towards the one who looks.
pub(super) const fn towards_us(lattice: Lattice) -> Side {
    match lattice {
        Lattice::HexPointy => Side::SouthEast,
        _ => Side::South,
    }
}

/// The items of all files of a quilt.
pub(super) fn read_items(
    documents: &mut [Keys<'_>],
    lattice: Lattice,
    notes: &mut Notes,
) -> Vec<ItemSpec> {
    let mut items: Vec<ItemSpec> = Vec::new();
    for (document, top) in documents.iter_mut().enumerate() {
        notes.document = document;
        let Some(keys) = top.take("items").and_then(|value| value.table(notes)) else { continue };
        for (name, span, value) in keys.entries() {
            const OWN: [&str; 5] = ["at", "picture", "model", "looks", "tags"];
            if is_misplaced("items", (name, &span, &value), &OWN, notes) {
                continue;
            }
            let Some(keys) = value.table(notes) else { continue };
            if items.iter().any(|known| *known.name == *name) {
                twice("item", name, value.subject(), span, notes);
                continue;
            }
            items.push(read_item(name, keys, &value, lattice, notes));
        }
    }
    items
}

fn read_item(
    name: &str,
    mut keys: Keys<'_>,
    value: &Value<'_>,
    lattice: Lattice,
    notes: &mut Notes,
) -> ItemSpec {
    let mut drawn = vec![take_look(&mut keys, name, &value.span, notes)];
    let mut weights = vec![1.0];
    for value in keys.take("looks").map(|value| value.array(notes)).unwrap_or_default() {
        let Some(mut keys) = value.table(notes) else { continue };
        drawn.push(take_look(&mut keys, name, &value.span, notes));
        let weight = keys.take("weight").and_then(|value| value.number(notes));
        weights.push(weight.filter(|weight| weight.is_finite() && *weight > 0.0).unwrap_or(1.0));
        keys.finish(notes);
    }
    let span = keys.take("span").and_then(|value| value.wholes(1..65, Code::BadSize, notes));
    let anchor = keys
        .take("anchor")
        .and_then(|value| value.wholes(-4096..4097, Code::BadValue, notes))
        .map(|[x, y]: [i64; 2]| [x as i32, y as i32]);
    let upright = keys.take("upright").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let faces = keys.take("faces").and_then(|value| read_side(&value, lattice, notes));
    let tags = keys.take("tags").map(|value| value.one_or_more(notes)).unwrap_or_default();
    let tags = tags.iter().filter_map(|tag| tag.text(notes).map(str::to_owned)).collect();
    keys.finish(notes);
    let nothing = |look: &LookSpec| {
        look.drawn.at.is_none() && look.drawn.file.is_none() && look.model.is_none()
    };
    if drawn.len() == 1 && nothing(&drawn[0]) {
        (drawn, weights) = (Vec::new(), Vec::new());
    }
    for look in &mut drawn {
        (look.kind, look.upright) = ("item", upright);
        look.span = span.map_or([1, 1, 1], |[wide, high]: [i64; 2]| [wide as u32, high as u32, 1]);
    }
    let faces = faces.unwrap_or(towards_us(lattice));
    ItemSpec { name: name.into(), drawn, weights, anchor, faces, tags }
}

/// A side that things may stand on: on boxes also up and down.
pub(super) fn read_any_side(
    value: &Value<'_>,
    lattice: Lattice,
    notes: &mut Notes,
) -> Option<Side> {
    let named = value.text(notes).and_then(Side::from_name);
    match named.filter(|side| side.is_flat() && lattice.is_solid()) {
        Some(side) => Some(side),
        None => read_side(value, lattice, notes),
    }
}

/// A side of the lattice that is neither up nor down.
pub(super) fn read_side(value: &Value<'_>, lattice: Lattice, notes: &mut Notes) -> Option<Side> {
    let name = value.text(notes)?;
    let sides = || lattice.sides().iter().filter(|side| !side.is_flat());
    let side = Side::from_name(name).filter(|side| sides().any(|one| one == side));
    if side.is_none() {
        let flat = Side::from_name(name).is_some_and(|side| lattice.sides().contains(&side));
        let text = if flat {
            format!("things stand on and face sides around a cell, not `{name}`")
        } else {
            format!("a {lattice} cell has no side `{}`", shorten(name))
        };
        let finding = Finding::new(Code::UnknownSide, value.subject(), text);
        let finding = finding.among(name, sides().map(|side| side.name()));
        notes.add(finding, value.span.clone());
    }
    side
}
