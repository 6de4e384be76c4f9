//! A map to JSON, row by row.

use super::VERSION;
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::{Indices, Item, Layer, Tilemap};
use serde_json::{Value, json};
use std::io::{self, Write};

/// Writes `map` as JSON. About 3 bytes a cell; O(cells) time, O(row) memory.
///
/// # Errors
/// When `out` fails.
pub fn write_json(map: &Tilemap, mut out: impl Write) -> io::Result<()> {
    let out = &mut out;
    let layout = map.layout();
    writeln!(out, "{{")?;
    field(out, "lantern_quilt_map", &json!(VERSION))?;
    field(out, "made_by", &json!(concat!("lantern-quilt ", env!("CARGO_PKG_VERSION"))))?;
    let mut quilt = json!({ "file": map.origin.quilt, "hash": map.origin.hash });
    if !map.origin.variant.is_empty() {
        quilt["variant"] = json!(map.origin.variant);
    }
    if !map.origin.set.is_empty() {
        quilt["set"] = json!(map.origin.set);
    }
    field(out, "quilt", &quilt)?;
    field(out, "seed", &json!(map.origin.seed))?;
    field(out, "lattice", &json!(layout.lattice().name()))?;
    extent(out, layout.extent())?;
    let wrap = layout.wrap();
    let axes = [("x", wrap.x), ("y", wrap.y), ("z", wrap.z)];
    let axes: Vec<&str> = axes.iter().filter(|(_, on)| *on).map(|(axis, _)| *axis).collect();
    field(out, "wrap", &json!(axes))?;
    let width = layout.extent().width() as usize;
    if let Some(terrain) = map.terrain() {
        write!(out, "\"terrain\": {{\"palette\": {}, \"rows\": ", json!(terrain.palette))?;
        index_rows(out, &terrain.cells, width)?;
        writeln!(out, "}},")?;
    }
    if let Some(heights) = map.heights() {
        write!(out, "\"heights\": ")?;
        rows(out, heights.rows(), |out, row| {
            list(out, row.iter(), |out, value| write!(out, "{value}"))
        })?;
        writeln!(out, ",")?;
    }
    if map.tags().len() > 0 {
        writeln!(out, "\"tags\": {{")?;
        for (number, (name, plane)) in map.tags().enumerate() {
            write!(out, "{}: ", json!(name))?;
            let cells: Vec<Cell> = plane.extent().iter().collect();
            rows(out, cells.chunks(plane.extent().width() as usize), |out, row| {
                let bits: String =
                    row.iter().map(|&cell| if plane.get(cell) { '#' } else { '.' }).collect();
                write!(out, "\"{bits}\"")
            })?;
            writeln!(out, "{}", if number + 1 < map.tags().len() { "," } else { "" })?;
        }
        writeln!(out, "}},")?;
    }
    if !map.items().is_empty() {
        write!(out, "\"items\": ")?;
        rows(out, map.items().iter(), |out, one| write!(out, "{}", item(one)))?;
        writeln!(out, ",")?;
    }
    writeln!(out, "\"layers\": [")?;
    for (number, one) in map.layers().enumerate() {
        layer(out, one)?;
        writeln!(out, "{}", if number + 1 < map.layers().len() { "," } else { "" })?;
    }
    writeln!(out, "]\n}}")
}

fn field(out: &mut impl Write, key: &str, value: &Value) -> io::Result<()> {
    writeln!(out, "\"{key}\": {value},")
}

fn extent(out: &mut impl Write, extent: Extent) -> io::Result<()> {
    let origin = extent.origin();
    field(out, "origin", &json!([origin.x, origin.y, origin.z]))?;
    field(out, "size", &json!(extent.size()))
}

fn layer(out: &mut impl Write, layer: &Layer) -> io::Result<()> {
    writeln!(out, "{{")?;
    field(out, "name", &json!(layer.name))?;
    extent(out, layer.extent())?;
    if layer.offset() != [0.0; 3] {
        field(out, "offset", &json!(layer.offset()))?;
    }
    write!(out, "\"palette\": ")?;
    rows(out, layer.palette().iter(), |out, placed| {
        let mut entry = json!({ "tile": placed.tile });
        if placed.orientation.turns() > 0 {
            entry["turn"] = json!(placed.orientation.turns());
        }
        if placed.orientation.mirrored() {
            entry["mirror"] = json!(true);
        }
        if placed.look > 0 {
            entry["look"] = json!(placed.look);
        }
        if let Some(part) = placed.part {
            entry["part"] = json!(part);
        }
        if let Some(pass) = &placed.pass {
            entry["pass"] = json!(pass);
        }
        if let Some(group) = &placed.group {
            entry["group"] = json!(group);
        }
        write!(out, "{entry}")
    })?;
    write!(out, ",\n\"rows\": ")?;
    index_rows(out, layer.cells(), layer.extent().width() as usize)?;
    write!(out, "}}")
}

fn item(item: &Item) -> Value {
    let mut value = json!({ "cell": [item.cell.x, item.cell.y, item.cell.z], "name": &*item.name });
    if let Some(side) = item.side {
        value["side"] = json!(side.name());
    }
    if let Some(look) = item.look {
        value["look"] = json!(look);
    }
    if item.offset != [0.0; 3] {
        value["offset"] = json!(item.offset);
    }
    if let Some(facing) = item.facing {
        value["facing"] = json!(facing.name());
    }
    if item.turn != 0.0 {
        value["turn"] = json!(item.turn);
    }
    if item.scale != 1.0 {
        value["scale"] = json!(item.scale);
    }
    if !item.tags.is_empty() {
        value["tags"] = json!(&*item.tags);
    }
    if !item.pass.is_empty() {
        value["pass"] = json!(&*item.pass);
    }
    if let Some(group) = &item.group {
        value["group"] = json!(&**group);
    }
    if item.number > 0 {
        value["number"] = json!(item.number);
    }
    value
}

fn index_rows(out: &mut impl Write, cells: &Indices, width: usize) -> io::Result<()> {
    let starts = (0..cells.len()).step_by(width.max(1));
    rows(out, starts, |out, start| {
        list(out, start..start + width, |out, index| match cells.get(index) {
            Some(number) => write!(out, "{number}"),
            None => write!(out, "null"),
        })
    })
}

/// A list with one element a line.
fn rows<W: Write, T>(
    out: &mut W,
    items: impl Iterator<Item = T>,
    mut each: impl FnMut(&mut W, T) -> io::Result<()>,
) -> io::Result<()> {
    write!(out, "[")?;
    for (number, item) in items.enumerate() {
        write!(out, "{}", if number > 0 { ",\n" } else { "\n" })?;
        each(out, item)?;
    }
    write!(out, "\n]")
}

/// A list on one line.
fn list<W: Write, T>(
    out: &mut W,
    items: impl Iterator<Item = T>,
    mut each: impl FnMut(&mut W, T) -> io::Result<()>,
) -> io::Result<()> {
    write!(out, "[")?;
    for (number, item) in items.enumerate() {
        if number > 0 {
            write!(out, ",")?;
        }
        each(out, item)?;
    }
    write!(out, "]")
}
