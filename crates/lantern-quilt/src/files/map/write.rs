//! A map to JSON, row by row.

use super::VERSION;
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Extent, Side};
use lantern_quilt_core::map::{Connector, Indices, Item, Layer, Numbers, Placed, Tilemap};
use serde::Serialize;
use serde_json::json;
use std::io::{self, Write};

/// Writes `map` as JSON. About 3 bytes a cell and layer; O(cells) time, and no memory by the size of the map.
///
/// # Errors
/// When `out` fails.
pub fn write_json(map: &Tilemap, mut out: impl Write) -> io::Result<()> {
    let out = &mut out;
    let layout = map.layout();
    writeln!(out, "{{")?;
    field(out, "lantern_quilt_map", &VERSION)?;
    field(out, "made_by", &concat!("lantern-quilt ", env!("CARGO_PKG_VERSION")))?;
    let mut quilt = json!({ "file": map.origin.quilt, "hash": map.origin.hash });
    if !map.origin.variant.is_empty() {
        quilt["variant"] = json!(map.origin.variant);
    }
    if !map.origin.set.is_empty() {
        quilt["set"] = json!(map.origin.set);
    }
    field(out, "quilt", &quilt)?;
    field(out, "seed", &map.origin.seed)?;
    field(out, "lattice", &layout.lattice().name())?;
    extent(out, layout.extent())?;
    let wrap = layout.wrap();
    let axes = [("x", wrap.x), ("y", wrap.y), ("z", wrap.z)];
    let axes: Vec<&str> = axes.iter().filter(|(_, on)| *on).map(|(axis, _)| *axis).collect();
    field(out, "wrap", &axes)?;
    if let Some(terrain) = map.terrain() {
        write!(out, "\"terrain\": {{\"palette\": ")?;
        value(out, &terrain.palette)?;
        write!(out, ", \"rows\": ")?;
        index_rows(out, &terrain.cells, layout.extent())?;
        writeln!(out, "}},")?;
    }
    if let Some(heights) = map.heights() {
        write!(out, "\"heights\": ")?;
        rows(out, heights.rows(), |out, row| {
            list(out, row.iter(), |out, height| write!(out, "{height}"))
        })?;
        writeln!(out, ",")?;
    }
    named(out, "tags", map.tags(), bit_rows)?;
    named(out, "planes", map.planes(), number_rows)?;
    if !map.items().is_empty() {
        write!(out, "\"items\": ")?;
        rows(out, map.items().iter(), |out, item| value(out, &ItemOut::of(item)))?;
        writeln!(out, ",")?;
    }
    if !map.connectors().is_empty() {
        write!(out, "\"connectors\": ")?;
        rows(out, map.connectors().iter(), |out, one| value(out, &ConnectorOut::of(one)))?;
        writeln!(out, ",")?;
    }
    writeln!(out, "\"layers\": [")?;
    for (number, one) in map.layers().enumerate() {
        layer(out, one)?;
        writeln!(out, "{}", if number + 1 < map.layers().len() { "," } else { "" })?;
    }
    writeln!(out, "]\n}}")
}

/// A value on one line.
fn value(out: &mut impl Write, value: &impl Serialize) -> io::Result<()> {
    serde_json::to_writer(out, value).map_err(Into::into)
}

fn field(out: &mut impl Write, key: &str, content: &impl Serialize) -> io::Result<()> {
    write!(out, "\"{key}\": ")?;
    value(out, content)?;
    writeln!(out, ",")
}

fn extent(out: &mut impl Write, extent: Extent) -> io::Result<()> {
    let origin = extent.origin();
    field(out, "origin", &[origin.x, origin.y, origin.z])?;
    field(out, "size", &extent.size())
}

/// A table of planes by name; nothing when there are none.
fn named<'a, W: Write, T: 'a>(
    out: &mut W,
    key: &str,
    planes: impl ExactSizeIterator<Item = (&'a str, &'a T)>,
    rows_of: impl Fn(&mut W, &T) -> io::Result<()>,
) -> io::Result<()> {
    let count = planes.len();
    if count == 0 {
        return Ok(());
    }
    writeln!(out, "\"{key}\": {{")?;
    for (number, (name, plane)) in planes.enumerate() {
        value(out, &name)?;
        write!(out, ": ")?;
        rows_of(out, plane)?;
        writeln!(out, "{}", if number + 1 < count { "," } else { "" })?;
    }
    writeln!(out, "}},")
}

fn layer(out: &mut impl Write, layer: &Layer) -> io::Result<()> {
    writeln!(out, "{{")?;
    field(out, "name", &layer.name)?;
    extent(out, layer.extent())?;
    if layer.offset() != [0.0; 3] {
        field(out, "offset", &layer.offset())?;
    }
    write!(out, "\"palette\": ")?;
    rows(out, layer.palette().iter(), |out, placed| value(out, &PlacedOut::of(placed)))?;
    if let Some(decided) = layer.decided() {
        write!(out, ",\n\"decided\": ")?;
        number_rows(out, decided)?;
    }
    write!(out, ",\n\"rows\": ")?;
    index_rows(out, layer.cells(), layer.extent())?;
    write!(out, "}}")
}

/// What a cell of a layer shows; what is missing is zero or false.
#[derive(Serialize)]
struct PlacedOut<'a> {
    tile: &'a str,
    #[serde(skip_serializing_if = "is_default")]
    turn: u8,
    #[serde(skip_serializing_if = "is_default")]
    mirror: bool,
    #[serde(skip_serializing_if = "is_default")]
    look: u32,
    #[serde(skip_serializing_if = "is_default")]
    part: Option<[u32; 3]>,
    #[serde(skip_serializing_if = "is_default")]
    pass: Option<&'a str>,
    #[serde(skip_serializing_if = "is_default")]
    group: Option<&'a str>,
}

impl<'a> PlacedOut<'a> {
    fn of(placed: &'a Placed) -> Self {
        Self {
            tile: &placed.tile,
            turn: placed.orientation.turns(),
            mirror: placed.orientation.mirrored(),
            look: placed.look,
            part: placed.part,
            pass: placed.pass.as_deref(),
            group: placed.group.as_deref(),
        }
    }
}

/// An item; what is missing is zero, false or as drawn.
#[derive(Serialize)]
struct ItemOut<'a> {
    cell: [i32; 3],
    name: &'a str,
    #[serde(skip_serializing_if = "is_default")]
    side: Option<&'static str>,
    #[serde(skip_serializing_if = "is_default")]
    look: Option<u32>,
    #[serde(skip_serializing_if = "is_default")]
    offset: [f32; 3],
    #[serde(skip_serializing_if = "is_default")]
    facing: Option<&'static str>,
    #[serde(skip_serializing_if = "is_default")]
    turn: f32,
    #[serde(skip_serializing_if = "is_default")]
    tilt: f32,
    #[serde(skip_serializing_if = "Option::is_none")]
    scale: Option<f32>,
    #[serde(skip_serializing_if = "is_default")]
    stacked: u32,
    #[serde(skip_serializing_if = "is_default")]
    stands: bool,
    #[serde(skip_serializing_if = "is_default")]
    height: f32,
    #[serde(skip_serializing_if = "is_default")]
    drawn: i32,
    #[serde(skip_serializing_if = "is_default")]
    tags: &'a [String],
    #[serde(skip_serializing_if = "is_default")]
    pass: &'a str,
    #[serde(skip_serializing_if = "is_default")]
    group: Option<&'a str>,
    #[serde(skip_serializing_if = "is_default")]
    number: u32,
}

impl<'a> ItemOut<'a> {
    fn of(item: &'a Item) -> Self {
        Self {
            cell: [item.cell.x, item.cell.y, item.cell.z],
            name: &item.name,
            side: item.side.map(Side::name),
            look: item.look,
            offset: item.offset,
            facing: item.facing.map(Side::name),
            turn: item.turn,
            tilt: item.tilt,
            scale: Some(item.scale).filter(|&scale| scale != 1.0),
            stacked: item.stacked,
            stands: item.stands,
            height: item.height,
            drawn: item.drawn,
            tags: &item.tags,
            pass: &item.pass,
            group: item.group.as_deref(),
            number: item.number,
        }
    }
}

/// A connector; what is missing is zero or no name.
#[derive(Serialize)]
struct ConnectorOut<'a> {
    cell: [i32; 3],
    side: &'static str,
    #[serde(skip_serializing_if = "is_default")]
    level: i32,
    name: &'a str,
    #[serde(skip_serializing_if = "is_default")]
    piece: &'a str,
}

impl<'a> ConnectorOut<'a> {
    fn of(one: &'a Connector) -> Self {
        Self {
            cell: [one.cell.x, one.cell.y, one.cell.z],
            side: one.side.name(),
            level: one.level,
            name: &one.name,
            piece: &one.piece,
        }
    }
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// The places of each row of an extent, in cell order.
fn row_starts(extent: Extent) -> (impl Iterator<Item = usize>, usize) {
    let width = extent.width() as usize;
    ((0..extent.cells()).step_by(width.max(1)), width)
}

fn index_rows(out: &mut impl Write, cells: &Indices, extent: Extent) -> io::Result<()> {
    let (starts, width) = row_starts(extent);
    rows(out, starts, |out, start| {
        list(out, start..start + width, |out, index| number(out, cells.get(index)))
    })
}

fn number_rows(out: &mut impl Write, numbers: &Numbers) -> io::Result<()> {
    let (starts, width) = row_starts(numbers.extent());
    rows(out, starts, |out, start| {
        list(out, start..start + width, |out, index| number(out, numbers.at(index)))
    })
}

fn bit_rows(out: &mut impl Write, bits: &BitPlane) -> io::Result<()> {
    let mut cells = bits.extent().iter();
    let (starts, width) = row_starts(bits.extent());
    let mut row = Vec::with_capacity(width);
    rows(out, starts, |out, _| {
        row.clear();
        row.extend(cells.by_ref().take(width).map(|cell| if bits.get(cell) { b'#' } else { b'.' }));
        write!(out, "\"")?;
        out.write_all(&row)?;
        write!(out, "\"")
    })
}

fn number(out: &mut impl Write, number: Option<impl std::fmt::Display>) -> io::Result<()> {
    match number {
        Some(number) => write!(out, "{number}"),
        None => write!(out, "null"),
    }
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
