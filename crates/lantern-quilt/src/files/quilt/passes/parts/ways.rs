//! What passes share that go over the map.

use super::names::Names;
use crate::files::quilt::cursor::{Keys, Notes, unknown_name};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::passes::Around;

/// `around = "moore"`.
pub(in crate::files::quilt::passes) fn take_around(
    keys: &mut Keys<'_>,
    lattice: Lattice,
    notes: &mut Notes,
) -> Around {
    let Some(value) = keys.take("around") else { return Around::Sides };
    match value.text(notes) {
        Some("moore") if lattice.turns() == 6 => {
            let text = "hexagons touch across sides alone";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("write \"sides\", or take the key out"), value.span.clone());
            Around::Sides
        }
        Some("moore") => Around::Moore,
        Some("sides") | None => Around::Sides,
        Some(other) => {
            unknown_name("neighbourhood", &value, other, ["sides", "moore"], notes);
            Around::Sides
        }
    }
}

/// Layers that earlier passes make.
pub(in crate::files::quilt::passes) fn take_layers(
    keys: &mut Keys<'_>,
    key: &'static str,
    names: &Names<'_>,
    notes: &mut Notes,
) -> Vec<String> {
    let mut layers = Vec::new();
    let listed = keys.take(key).map(|value| value.one_or_more(notes)).unwrap_or_default();
    for value in listed {
        match value.text(notes) {
            Some(layer) if names.layers.contains(layer) => layers.push(layer.to_owned()),
            Some(layer) => {
                let known = names.layers.iter().map(String::as_str);
                unknown_name("layer that an earlier pass makes", &value, layer, known, notes);
            }
            None => {}
        }
    }
    layers
}
