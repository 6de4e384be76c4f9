//! The quilt file as types, for a JSON Schema that editors complete and check by.
//!
//! The reader itself keeps the place of everything it reads, and says more than a schema can; a test
//! holds the two together.

#![allow(
    dead_code,
    clippy::large_enum_variant,
    reason = "these types describe a file and are never made"
)]

use super::passes::KINDS;
use super::schema_parts::{Kind, OneOrMore, Place, Where};
use crate::files::words::{Axis, Lattice, Side};
use schemars::generate::SchemaSettings;
use schemars::transform::{Transform, transform_subschemas};
use schemars::{JsonSchema, Schema, SchemaGenerator};
use shapes::{Arrangement, Shapes};
use std::borrow::Cow;
use std::collections::BTreeMap;

/// The JSON Schema (draft 2020-12) of quilt files, or of the files that they include.
///
/// ```
/// let schema = lantern_quilt::files::quilt_schema(false);
/// assert_eq!(schema["title"], "Quilt");
/// ```
pub fn quilt_schema(included: bool) -> serde_json::Value {
    let settings = SchemaSettings::draft2020_12().with_transform(NoNull);
    let generator = settings.into_generator();
    let schema = if included {
        generator.into_root_schema_for::<Shared>()
    } else {
        generator.into_root_schema_for::<Quilt>()
    };
    schema.to_value()
}

/// TOML has no null: what may be left out is left out.
#[derive(Clone, Debug)]
struct NoNull;

impl Transform for NoNull {
    fn transform(&mut self, schema: &mut Schema) {
        if let Some(serde_json::Value::Array(types)) = schema.get_mut("type") {
            types.retain(|one| one != "null");
            if let [only] = &types[..] {
                let only = only.clone();
                schema.insert("type".to_owned(), only);
            }
        }
        if let Some(serde_json::Value::Array(any)) = schema.get_mut("anyOf") {
            any.retain(|one| one.get("type").is_none_or(|kind| kind != "null"));
            if let [serde_json::Value::Object(only)] = &any[..] {
                let only = only.clone();
                schema.remove("anyOf");
                for (key, value) in only {
                    schema.insert(key, value);
                }
            }
        }
        transform_subschemas(self, schema);
    }
}

/// A project: tiles, what may touch what, and how a map is made of them.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Quilt {
    /// The version of the format.
    #[schemars(extend("const" = 1))]
    quilt: u8,
    title: Option<String>,
    /// Files whose sheets, sockets, tiles, keys and lists of pairs belong to this quilt.
    include: Option<OneOrMore<String>>,
    map: Map,
    /// Pictures that tiles are cut from.
    sheets: Option<BTreeMap<String, Sheet>>,
    seams: Option<Seams>,
    /// How models stand in their cells: for all, and by folder or file.
    models: Option<models::Models>,
    /// Light and background of shaded pictures.
    view: Option<models::ViewColours>,
    /// What sides show.
    sockets: Option<BTreeMap<String, Socket>>,
    tiles: Option<BTreeMap<String, Tile>>,
    /// Kinds of ground from below up, each with the colours and the letter that mean it in plans.
    terrains: Option<BTreeMap<String, OneOrMore<String>>>,
    /// Which tile of a sheet is which shape of a terrain.
    shapes: Option<BTreeMap<String, Shapes>>,
    /// Lists of tiles with their neighbourhoods, for several sets of shapes.
    arrangements: Option<BTreeMap<String, Arrangement>>,
    /// What characters mean in drawings.
    keys: Option<BTreeMap<String, BTreeMap<String, Meaning>>>,
    /// Finished maps that pairs and weights are learned from.
    sample: Option<Vec<Sample>>,
    /// Samples whose windows are all that a fill may show.
    pattern: Option<Vec<patterns::Pattern>>,
    /// Pairs that may touch whatever their sides show.
    allow: Option<Vec<Pairs>>,
    /// Pairs that may not touch whatever else allows them.
    forbid: Option<Vec<Pairs>>,
    /// Things that passes place.
    items: Option<BTreeMap<String, items::Item>>,
    /// The same quilt with other passes and values.
    variants: Option<BTreeMap<String, items::Variant>>,
    /// The passes that make a map.
    #[schemars(length(min = 1))]
    recipe: Vec<Pass>,
    /// What must hold of a finished map.
    expect: Option<Vec<Expected>>,
    /// Findings that are meant.
    accept: Option<Vec<Accepted>>,
}

/// What must hold of a finished map.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Expected {
    /// What it is called.
    name: String,
    /// The cells that are meant.
    r#where: Where,
    /// What all of them must meet.
    meets: Option<Where>,
    /// Whether cells that touch count as one. Default no.
    joined: Option<bool>,
    exactly: Option<u32>,
    /// The fewest. Default 1, or 0 with `most` or `meets`.
    least: Option<u32>,
    most: Option<u32>,
}

/// A file that quilts include.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Shared {
    /// The version of the format.
    #[schemars(extend("const" = 1))]
    quilt: u8,
    /// Files that belong to it.
    include: Option<OneOrMore<String>>,
    /// Pictures that tiles are cut from.
    sheets: Option<BTreeMap<String, Sheet>>,
    /// What sides show.
    sockets: Option<BTreeMap<String, Socket>>,
    tiles: Option<BTreeMap<String, Tile>>,
    /// Things that passes place.
    items: Option<BTreeMap<String, items::Item>>,
    /// Which tile of a sheet is which shape of a terrain.
    shapes: Option<BTreeMap<String, Shapes>>,
    /// Lists of tiles with their neighbourhoods, for several sets of shapes.
    arrangements: Option<BTreeMap<String, Arrangement>>,
    /// What characters mean in drawings.
    keys: Option<BTreeMap<String, BTreeMap<String, Meaning>>>,
    /// Pairs that may touch whatever their sides show.
    allow: Option<Vec<Pairs>>,
    /// Pairs that may not touch whatever else allows them.
    forbid: Option<Vec<Pairs>>,
}

/// The grid.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Map {
    lattice: Lattice,
    /// Columns, rows, and on boxes levels.
    size: Place,
    /// The first cell.
    origin: Option<Place>,
    /// Axes whose ends meet.
    wrap: Option<Vec<Axis>>,
    /// What chance begins with.
    seed: Option<Seed>,
    /// Width, depth and height of a cell in metres, for models. Default one metre each.
    module: Option<[f64; 3]>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Seed {
    Number(u64),
    Text(String),
}

/// A picture that tiles are cut from.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Sheet {
    /// A PNG, relative to this file.
    file: String,
    /// Width and height of a cell in pixels.
    cell: [u16; 2],
    /// Pixels before the first column and row; two when they differ.
    margin: Option<Pixels>,
    /// Pixels between cells, columns and rows; two when they differ.
    spacing: Option<Pixels>,
}

/// One number of pixels, or one from west to east and one from north to south.
#[derive(JsonSchema)]
#[serde(untagged)]
enum Pixels {
    Both(u16),
    Each([u16; 2]),
}

/// What voxels meet.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum VoxelMatch {
    Colour,
    Filled,
}

/// How sides that show their pixels or their geometry meet.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Seams {
    /// How far a pixel may be from the one it lies against, in any channel.
    tolerance: Option<u8>,
    /// How far apart points of models may be that are the same, in metres. Default 0.001.
    point_tolerance: Option<f64>,
    /// The socket of sides in which nothing of the model lies.
    air: Option<String>,
    /// Whether voxels meet only voxels of their colour, or any. Default `colour`.
    r#match: Option<VoxelMatch>,
    /// The angle between normals along a seam that is reported, in degrees. Default 5.
    angle: Option<f64>,
    /// Whether normals along seams matter. Default yes.
    normals: Option<bool>,
    /// The furthest that mending moves a point, in metres. Default 0.01.
    most_move: Option<f64>,
    /// The most that mending turns a normal, in degrees. Default 60.
    most_turn: Option<f64>,
}

/// What sides show; it meets itself unless told otherwise.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Socket {
    /// Other sockets that it meets; that is mutual.
    mates: Option<Vec<String>>,
    /// Whether it meets its own kind. Default yes.
    itself: Option<bool>,
    /// Whether its mirror image is another shape: written "NAME left" and "NAME right".
    handed: Option<bool>,
    /// Whether turns of a flat face (up, down) are distinguished.
    turn_bound: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Tile {
    /// Column and row in its sheet.
    at: Option<[u32; 2]>,
    /// The sheet, where there are several.
    sheet: Option<String>,
    /// A PNG of its own in place of a sheet.
    picture: Option<String>,
    /// On boxes: how many levels of voxels its picture shows side by side.
    slices: Option<u32>,
    /// Its model.
    model: Option<models::Model>,
    /// Whether the model may leave its cell.
    overhang: Option<bool>,
    /// Whether there is nothing to see of it, in three dimensions.
    air: Option<bool>,
    /// The colour of its block on box maps, where it has no model.
    colour: Option<String>,
    /// Pictures for the turns after the first, for art that must not turn.
    turned: Option<Vec<Picture>>,
    /// Further pictures of the tile.
    looks: Option<Vec<Look>>,
    /// What its sides show: one socket for all, or one a side.
    sides: Option<Sides>,
    /// How common it is, shared by its poses.
    weight: Option<f64>,
    /// How common each of its poses is, in place of `weight`.
    pose_weight: Option<f64>,
    /// What part of the cells of a map it should be, in place of `weight`: 0.15 is 15 %.
    share: Option<f64>,
    /// How many ways round it is used: 1, 2 or 4; on hexagons 1, 2, 3 or 6; or all that the lattice has.
    turns: Option<models::Turns>,
    mirror: Option<Mirror>,
    tags: Option<Vec<String>>,
    /// Whether its picture stays as drawn when the tile turns.
    upright: Option<bool>,
    /// How many cells it covers.
    span: Option<Place>,
    /// Sides of single cells that differ from those of the whole.
    parts: Option<Vec<Part>>,
}

/// Where a picture is.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Picture {
    at: Option<[u32; 2]>,
    sheet: Option<String>,
    picture: Option<String>,
}

/// A further picture of a tile.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Look {
    at: Option<[u32; 2]>,
    sheet: Option<String>,
    picture: Option<String>,
    slices: Option<u32>,
    model: Option<models::Model>,
    overhang: Option<bool>,
    turned: Option<Vec<Picture>>,
    /// How common it is against the others; the first has 1.
    weight: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Part {
    /// Column and row, from the north-west cell.
    at: Place,
    sides: Sides,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum Mirror {
    EastWest,
    NorthSouth,
    Both,
}

/// A socket, or several of which any fits; `any`, `border`, `pixels` and `geometry` have a meaning of their own.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Sides {
    All(OneOrMore<String>),
    Each(EachSide),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct EachSide {
    /// Every side that is neither up nor down.
    around: Option<OneOrMore<String>>,
    north: Option<OneOrMore<String>>,
    north_east: Option<OneOrMore<String>>,
    east: Option<OneOrMore<String>>,
    south_east: Option<OneOrMore<String>>,
    south: Option<OneOrMore<String>>,
    south_west: Option<OneOrMore<String>>,
    west: Option<OneOrMore<String>>,
    north_west: Option<OneOrMore<String>>,
    up: Option<OneOrMore<String>>,
    down: Option<OneOrMore<String>>,
}

/// What a character means: a tile as drawn, or in a pose.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Meaning {
    Tile(String),
    Posed(Posed),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Posed {
    tile: String,
    /// Of a tile of several cells, the one that is meant.
    part: Option<[u32; 2]>,
    /// Clockwise turns.
    turned: Option<u8>,
    mirrored: Option<bool>,
}

/// A finished map: `text` with a `key`, a `picture` painted with the tiles, or a saved `map`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Sample {
    text: Option<String>,
    /// The name of one of the `keys`, or what each character means.
    key: Option<Legend>,
    map: Option<String>,
    picture: Option<String>,
    /// In how many turns it counts.
    turns: Option<u8>,
    mirror: Option<Mirror>,
    wrap: Option<Vec<Axis>>,
    /// Tiles that count as one.
    alike: Option<Vec<Vec<String>>>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Legend {
    Named(String),
    Here(BTreeMap<String, Meaning>),
}

/// Pairs: one of `what`, with one of `beside` beyond its side `on` (any side when not said).
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Pairs {
    what: Kind,
    beside: Kind,
    on: Option<OneOrMore<Side>>,
}

/// One step.
struct Pass;

impl JsonSchema for Pass {
    fn schema_name() -> Cow<'static, str> {
        "Pass".into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let kinds: Vec<Schema> = KINDS.iter().map(|kind| (kind.schema)(generator)).collect();
        schemars::json_schema!({ "description": "One step.", "anyOf": kinds })
    }
}

/// A finding that is meant.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Accepted {
    /// Its code.
    code: String,
    /// What it is about, as `check --json` prints it.
    subject: String,
    /// Of a finding that lists places: those that are meant.
    places: Option<OneOrMore<String>>,
    /// A sentence for whoever reads this next.
    why: String,
}

mod items;
mod models;
mod patterns;
mod shapes;
#[cfg(test)]
mod tests;
