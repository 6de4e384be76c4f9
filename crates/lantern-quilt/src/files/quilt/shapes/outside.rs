//! What lies outside the map counts as.

use super::Ground;
use crate::files::quilt::cursor::{Notes, Value, unknown_name};
use lantern_quilt_core::autotile::Outside;
use lantern_quilt_core::lattice::Side;

/// For each side, from the north: `"same"`, `"other"` or a terrain; or one for all.
pub(super) fn read_outside(
    ground: &Ground<'_>,
    value: &Value<'_>,
    notes: &mut Notes,
) -> [Outside; 4] {
    let one = |value: &Value<'_>, notes: &mut Notes| {
        if !value.is_text() {
            let terrain = value.table(notes).and_then(|mut keys| {
                let named = keys.need("terrain", "`{ terrain = \"moss\" }`", notes);
                let name = named.and_then(|value| ground.terrains.find(&value, notes));
                keys.finish(notes);
                name
            });
            return terrain.map_or(Outside::Same, Outside::Terrain);
        }
        match value.text(notes) {
            Some("other") => Outside::Other,
            Some(text) if text != "same" => {
                unknown_name("outside", value, text, ["same", "other"], notes);
                Outside::Same
            }
            _ => Outside::Same,
        }
    };
    const SIDES: [Side; 4] = [Side::North, Side::East, Side::South, Side::West];
    let names = SIDES.map(Side::name);
    let table = (!value.is_text()).then(|| value.table(notes)).flatten();
    let sided = table.filter(|keys| names.iter().any(|name| keys.has(name)));
    let Some(mut keys) = sided else {
        let all = one(value, notes);
        return std::array::from_fn(|_| all.clone());
    };
    let sides = ["north", "east", "south", "west"]
        .map(|side| keys.take(side).map_or(Outside::Same, |value| one(&value, notes)));
    keys.finish(notes);
    sides
}
