//! `border` of a fill: what may face out of the map, and what alone stands along its edge.

use super::areas::source_at;
use crate::files::quilt::cursor::{Keys, Notes, shorten};
use crate::files::quilt::kinds::{read_named, take_kinds};
use crate::files::quilt::model::Model;
use lantern_quilt_core::constraints::{Area, AreaRule, BorderRule, Keep, SourceKind};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Side;

/// `border = { north = { socket = "path" }, all = { tag = "edge" } }`: a rule for each side.
pub(in crate::files::quilt) fn read_border(
    keys: &Keys<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<BorderRule> {
    let mut rules = Vec::new();
    let sides = model.lattice().sides();
    let mut names = vec!["all", "around", "ring"];
    names.extend(sides.iter().map(|side| side.name()));
    for (name, span, value) in keys.entries() {
        let side = Side::from_name(name).filter(|side| sides.contains(side));
        if name == "ring" {
            continue;
        }
        if side.is_none() && name != "all" && name != "around" {
            let text = format!("a {} map has no border `{}`", model.lattice(), shorten(name));
            let finding = Finding::new(Code::UnknownSide, value.subject(), text);
            notes.add(finding.among(name, names.iter().copied()), span);
            continue;
        }
        let accept = read_named(&value, model, notes);
        let meant = |one: &&Side| match side {
            Some(side) => **one == side,
            None => name == "all" || !one.is_flat(),
        };
        rules.extend(sides.iter().filter(meant).map(|&side| BorderRule {
            side,
            accept: accept.clone(),
            source: source_at(SourceKind::Border(side), &value.span),
        }));
    }
    rules
}

/// `ring = { tile = "hedge" }`: nothing else stands along the border.
pub(in crate::files::quilt) fn read_ring(
    mut keys: Keys<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<AreaRule> {
    let value = keys.take("ring")?;
    let mut named = value.table(notes)?;
    let kinds = take_kinds(&mut named, &value, model, notes);
    named.finish(notes);
    let area = Area::FromBorder { least: 0, most: 0 };
    let source = source_at(SourceKind::Ring, &value.span);
    (!kinds.is_empty()).then_some(AreaRule { kinds, area, keep: Keep::Filling, source })
}
