//! Where in a sheet each picture of a map is, as JSON beside the sheet.

use crate::art::TileArt;
use crate::draw::Packed;
use lantern_quilt_core::map::Tilemap;
use serde_json::json;
use std::io::{self, Write};

/// Writes where in a packed sheet each palette entry of each layer of its map is; `name` is the file name
/// of the sheet. One line of JSON.
///
/// # Errors
/// When `out` cannot be written to.
pub fn write_sheet(
    packed: &Packed,
    map: &Tilemap,
    art: &TileArt,
    name: &str,
    out: &mut dyn Write,
) -> io::Result<()> {
    let layers = map.layers().zip(&packed.places);
    let layers: Vec<_> =
        layers.map(|(layer, places)| json!({ "name": layer.name, "at": places })).collect();
    let told = json!({
        "lantern_quilt_sheet": 1,
        "sheet": name,
        "cell": art.cell(),
        "layers": layers,
    });
    writeln!(out, "{told}")
}
