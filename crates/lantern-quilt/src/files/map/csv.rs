//! One layer as CSV: a row a cell. Box maps have a column `z` more.

use super::MapError;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice};
use lantern_quilt_core::map::{Layer, Placed};
use lantern_quilt_core::orient::Orientation;
use serde::Deserialize;
use std::io::{Read, Write};

/// Writes a layer: `x,y,tile,turn,mirror,look`, and empty fields where nothing stands. A layer with
/// tiles of several cells has a column `part` more, with column and row: `1 0`.
///
/// # Errors
/// When `out` fails.
pub fn write_csv(layer: &Layer, lattice: Lattice, out: impl Write) -> Result<(), MapError> {
    write_layers([layer], lattice, out)
}

/// Writes layers one after the other; where there are several, the first column is the name of each.
///
/// # Errors
/// When `out` fails.
pub fn write_layers<'l>(
    layers: impl IntoIterator<Item = &'l Layer>,
    lattice: Lattice,
    out: impl Write,
) -> Result<(), MapError> {
    let layers: Vec<&Layer> = layers.into_iter().collect();
    let mut out = csv::Writer::from_writer(out);
    let (solid, several) = (lattice.is_solid(), layers.len() > 1);
    let mut columns = if several { vec!["layer", "x", "y"] } else { vec!["x", "y"] };
    columns.extend(solid.then_some("z"));
    columns.extend(["tile", "turn", "mirror", "look"]);
    // Only maps with tiles of several cells say which part stands where.
    let mut entries = layers.iter().flat_map(|layer| layer.palette());
    let parts = entries.any(|placed| placed.part.is_some());
    columns.extend(parts.then_some("part"));
    out.write_record(&columns)?;
    for layer in layers {
        for (cell, number) in layer.extent().iter().zip(layer.cells().iter()) {
            if several {
                out.write_field(&layer.name)?;
            }
            out.write_field(cell.x.to_string())?;
            out.write_field(cell.y.to_string())?;
            if solid {
                out.write_field(cell.z.to_string())?;
            }
            let Some(number) = number else {
                out.write_record(vec![""; 4 + usize::from(parts)])?;
                continue;
            };
            let placed = &layer.palette()[number as usize];
            out.write_field(&placed.tile)?;
            out.write_field(placed.orientation.turns().to_string())?;
            out.write_field(if placed.orientation.mirrored() { "1" } else { "0" })?;
            out.write_field(placed.look.to_string())?;
            if parts {
                let [x, y, z] = placed.part.unwrap_or_default();
                let words = if solid { format!("{x} {y} {z}") } else { format!("{x} {y}") };
                out.write_field(placed.part.map_or_else(String::new, |_| words))?;
            }
            out.write_record(None::<&[u8]>)?;
        }
    }
    out.flush().map_err(csv::Error::from)?;
    Ok(())
}

#[derive(Deserialize)]
struct Row {
    #[serde(default)]
    layer: Option<String>,
    x: i32,
    y: i32,
    #[serde(default)]
    z: i32,
    tile: String,
    turn: Option<u8>,
    mirror: Option<u8>,
    look: Option<u32>,
    #[serde(default)]
    part: Option<String>,
}

/// Reads a layer; its extent is the box around all its rows, in any order. Of several layers, `name` is
/// the one that is read.
///
/// # Errors
/// When it is not CSV of those columns, holds no row, or its rows do not fill their box.
pub fn read_csv(name: &str, lattice: Lattice, data: impl Read) -> Result<Layer, MapError> {
    let rows: Result<Vec<Row>, _> = csv::Reader::from_reader(data).into_deserialize().collect();
    let mut rows = rows?;
    rows.retain(|row| row.layer.as_ref().is_none_or(|layer| layer == name));
    let first = rows.first().ok_or_else(|| MapError::Inconsistent("there is no row".to_owned()))?;
    let (mut least, mut most) = ([first.x, first.y, first.z], [first.x, first.y, first.z]);
    for row in &rows {
        for (axis, value) in [row.x, row.y, row.z].into_iter().enumerate() {
            least[axis] = least[axis].min(value);
            most[axis] = most[axis].max(value);
        }
    }
    let size: [u32; 3] = std::array::from_fn(|axis| {
        u32::try_from(i64::from(most[axis]) - i64::from(least[axis]) + 1).unwrap_or(u32::MAX)
    });
    let [x, y, z] = least;
    let extent =
        Extent::new(Cell { x, y, z }, size).map_err(|e| MapError::Inconsistent(e.to_string()))?;
    if extent.cells() != rows.len() {
        let text = format!("{} rows for a box of {} cells", rows.len(), extent.cells());
        return Err(MapError::Inconsistent(text));
    }
    let mut layer = Layer::new(name, extent, Vec::new());
    for row in rows {
        let cell = Cell { x: row.x, y: row.y, z: row.z };
        if row.tile.is_empty() {
            continue;
        }
        let orientation =
            Orientation::new(lattice, row.turn.unwrap_or(0), row.mirror.unwrap_or(0) != 0);
        let part = row.part.filter(|words| !words.is_empty());
        let part = part.map(|words| read_part(&words)).transpose()?;
        let look = row.look.unwrap_or(0);
        let number =
            layer.add(Placed { look, part, ..Placed::new(row.tile).oriented(orientation) });
        layer.set(cell, Some(number));
    }
    Ok(layer)
}

/// `1 0`, or with a level `1 0 2`.
fn read_part(words: &str) -> Result<[u32; 3], MapError> {
    let numbers: Result<Vec<u32>, _> = words.split(' ').map(str::parse).collect();
    match numbers.as_deref() {
        Ok(&[x, y]) => Ok([x, y, 0]),
        Ok(&[x, y, z]) => Ok([x, y, z]),
        _ => Err(MapError::Inconsistent(format!(
            "`{words}` is no part: write column and row, `1 0`"
        ))),
    }
}
