//! The fill by rules, as types.

use super::passes::a_pass;
use super::{Kind, Named, OneOrMore, Place};
use schemars::JsonSchema;
use std::collections::BTreeMap;

a_pass! {
    /// A fill by the rules of tiles.
    CollapsePass = "collapse" {
        /// The layer that its tiles go to; what stands there already is kept.
        into: Option<String>,
        /// The only tiles that it uses.
        only: Option<Kind>,
        /// Columns and rows of the block that each tile stands for.
        coarse: Option<u32>,
        /// What the cells of each tile's block become.
        becomes: Option<BTreeMap<String, BlockBecomes>>,
        border: Option<Border>,
        order: Option<Order>,
        /// Whether the shares of tiles are kept near their weights.
        steer: Option<bool>,
        /// How far it climbs where cells run out.
        climb: Option<Rung>,
        /// Whether it goes block by block over a small fill that repeats.
        blocks: Option<bool>,
        /// Whether cells for which nothing is found stay holes, or what stands in them.
        holes: Option<Holes>,
        /// How often it begins anew.
        tries: Option<u32>,
        /// Backtracks before the next rung.
        patience: Option<u32>,
        /// How many decisions can be taken back.
        window: Option<u32>,
        /// Cells whose tile is given.
        pins: Option<Vec<Pin>>,
        /// Areas that tiles are kept to.
        limits: Option<Vec<Limit>>,
        /// How many there must be of some tiles.
        counts: Option<Vec<Count>>,
        /// Tiles that are more common where a picture is light.
        shades: Option<Vec<Shade>>,
    }
}

/// What the cells of a block become.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct BlockBecomes {
    terrain: Option<String>,
    tag: Option<OneOrMore<String>>,
}

/// What may face out of the map, by side; and what alone may stand along its edge.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Border {
    all: Option<Named>,
    ring: Option<Kind>,
    north: Option<Named>,
    north_east: Option<Named>,
    east: Option<Named>,
    south_east: Option<Named>,
    south: Option<Named>,
    south_west: Option<Named>,
    west: Option<Named>,
    north_west: Option<Named>,
    up: Option<Named>,
    down: Option<Named>,
}

/// How far a fill climbs.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum Rung {
    Backtrack,
    Reopen,
    Blocks,
    Learn,
    Proof,
}

/// Whether holes are left, or the tile that stands in them.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Holes {
    Left(bool),
    With(Fallback),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Fallback {
    tile: String,
}

/// Which cell comes next.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Order {
    Named(OrderName),
    From(From),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum OrderName {
    Entropy,
    Options,
    Random,
    Grow,
    Rows,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct From {
    from: Place,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Pin {
    at: Place,
    tile: String,
    turned: Option<u8>,
    mirrored: Option<bool>,
}

/// Tiles that stand `inside` or `outside` an area, or alone in it.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Limit {
    socket: Option<OneOrMore<String>>,
    tile: Option<OneOrMore<String>>,
    tag: Option<OneOrMore<String>>,
    turned: Option<u8>,
    mirrored: Option<bool>,
    inside: Option<Area>,
    outside: Option<Area>,
    fills: Option<Area>,
}

/// Columns, rows and levels; or steps from the border; or a colour of a picture of the map's size.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Area {
    x: Option<[i64; 2]>,
    y: Option<[i64; 2]>,
    z: Option<[i64; 2]>,
    border: Option<[u32; 2]>,
    mask: Option<String>,
    colour: Option<String>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Count {
    socket: Option<OneOrMore<String>>,
    tile: Option<OneOrMore<String>>,
    tag: Option<OneOrMore<String>>,
    turned: Option<u8>,
    mirrored: Option<bool>,
    exactly: Option<u32>,
    least: Option<u32>,
    most: Option<u32>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Shade {
    socket: Option<OneOrMore<String>>,
    tile: Option<OneOrMore<String>>,
    tag: Option<OneOrMore<String>>,
    turned: Option<u8>,
    mirrored: Option<bool>,
    /// A greyscale picture of the map's size.
    by: String,
}
