//! The map's file as types, for a JSON Schema that games and scripts check and read by.
//!
//! The reader takes rows in value by value and needs types of its own; a test holds the two together.

#![allow(dead_code, reason = "these types describe a file and are never made")]

use crate::files::words::{Axis, Lattice, Side};
use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use std::collections::BTreeMap;

/// The JSON Schema (draft 2020-12) of map files.
///
/// ```
/// let schema = lantern_quilt::files::map_schema();
/// assert_eq!(schema["title"], "Map");
/// ```
pub fn map_schema() -> serde_json::Value {
    let generator = SchemaSettings::draft2020_12().into_generator();
    generator.into_root_schema_for::<Map>().to_value()
}

/// A finished or partial map. It stands alone: layers name their tiles.
#[derive(JsonSchema)]
struct Map {
    /// The version of the format.
    #[schemars(range(min = 1, max = 2))]
    lantern_quilt_map: u8,
    /// Program and version.
    made_by: Option<String>,
    quilt: Option<Quilt>,
    /// As it was written.
    seed: Option<String>,
    lattice: Lattice,
    /// The cell of least column, row and level.
    origin: Option<[i32; 3]>,
    /// Columns, rows and levels.
    #[schemars(inner(range(min = 1)))]
    size: [u32; 3],
    /// Axes that close upon themselves.
    wrap: Option<Vec<Axis>>,
    terrain: Option<Terrain>,
    /// The height of each cell, in steps.
    heights: Option<Vec<Vec<i32>>>,
    /// By name, rows of `#` where the tag is and `.` where it is not.
    tags: Option<BTreeMap<String, Vec<String>>>,
    /// Whole numbers by name, null where there is none.
    planes: Option<BTreeMap<String, Vec<Vec<Option<i32>>>>>,
    /// Things that stand in cells or on sides of them.
    items: Option<Vec<Item>>,
    /// Open sides where more may be joined.
    connectors: Option<Vec<Connector>>,
    /// From the ground up.
    layers: Option<Vec<Layer>>,
}

/// Where the map came from.
#[derive(JsonSchema)]
struct Quilt {
    /// The quilt's file name.
    file: Option<String>,
    /// Of its text and art, in hexadecimal.
    hash: Option<String>,
    variant: Option<String>,
    /// Values that were changed, as `path=value`.
    set: Option<Vec<String>>,
}

/// The kind of ground of each cell.
#[derive(JsonSchema)]
struct Terrain {
    palette: Vec<String>,
    /// A number of the palette for each cell, counted from 0; null is none.
    rows: Vec<Vec<Option<u32>>>,
}

/// Tiles over cells.
#[derive(JsonSchema)]
struct Layer {
    name: String,
    origin: Option<[i32; 3]>,
    #[schemars(inner(range(min = 1)))]
    size: [u32; 3],
    /// How far from its cells it is drawn: cells east, south and up.
    offset: Option<[f32; 3]>,
    palette: Vec<Placed>,
    /// When each cell was decided, counted from 0.
    decided: Option<Vec<Vec<Option<i32>>>>,
    /// A number of the palette for each cell, counted from 0; null is nothing.
    rows: Vec<Vec<Option<u32>>>,
}

/// What a cell shows.
#[derive(JsonSchema)]
struct Placed {
    tile: String,
    /// Clockwise, after mirroring.
    turn: Option<u8>,
    /// West to east.
    mirror: Option<bool>,
    /// Which of its looks, counted from 0.
    look: Option<u32>,
    /// Which part of a tile of several cells: column, row and level as drawn.
    part: Option<[u32; 3]>,
    /// The pass that laid it, when that is not the one the layer is named after.
    pass: Option<String>,
    group: Option<String>,
}

/// A thing in a cell or on a side of it.
#[derive(JsonSchema)]
struct Item {
    cell: [i32; 3],
    name: String,
    /// The side that it stands on and is faced from.
    side: Option<Side>,
    /// Which of its looks, counted from 0; a marker has none.
    look: Option<u32>,
    /// Cells east, south and up of the middle of its place.
    offset: Option<[f32; 3]>,
    facing: Option<Side>,
    /// Clockwise seen from above, in degrees.
    turn: Option<f32>,
    /// Towards the side it faces, in degrees.
    tilt: Option<f32>,
    /// Against its natural size.
    scale: Option<f32>,
    /// How many things of its place stand below it.
    stacked: Option<u32>,
    /// Whether it stands on the surface below it and not on the floor of its cell.
    stands: Option<bool>,
    /// How high that surface is above the floor, in cells.
    height: Option<f32>,
    /// Higher numbers are drawn above lower ones.
    drawn: Option<i32>,
    tags: Option<Vec<String>>,
    pass: Option<String>,
    group: Option<String>,
    /// Counts what its pass placed, from 1.
    number: Option<u32>,
}

/// An open side.
#[derive(JsonSchema)]
struct Connector {
    cell: [i32; 3],
    side: Side,
    /// Steps above the floor of its cell.
    level: Option<i32>,
    /// What may be joined.
    name: String,
    /// What it belongs to.
    piece: Option<String>,
}
