//! Items, and the passes that choose places, as types.

use super::passes::{Where, a_pass};
use super::{OneOrMore, Picture, Side};
use schemars::JsonSchema;
use std::collections::BTreeMap;

/// A thing that passes place; without a picture it is a marker for the game.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Item {
    /// Column and row in the sheet.
    at: Option<[u32; 2]>,
    /// The sheet, where there are several.
    sheet: Option<String>,
    /// A picture of its own.
    picture: Option<String>,
    /// Pictures for its turns after the first, evenly spaced.
    turned: Option<Vec<Picture>>,
    /// Further pictures of it.
    looks: Option<Vec<ItemLook>>,
    /// Columns and rows of the sheet that it covers.
    span: Option<[u32; 2]>,
    /// The pixel that stands in the middle of its place.
    anchor: Option<[i32; 2]>,
    /// Whether its picture stays as drawn whichever way it faces.
    upright: Option<bool>,
    /// The side it faces as drawn. Default south.
    faces: Option<Side>,
    tags: Option<OneOrMore<String>>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct ItemLook {
    at: Option<[u32; 2]>,
    sheet: Option<String>,
    picture: Option<String>,
    turned: Option<Vec<Picture>>,
    weight: Option<f64>,
}

/// Passes that are switched and values that are changed together.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Variant {
    /// Passes that are followed though they are off.
    on: Option<OneOrMore<String>>,
    /// Passes that are left out.
    off: Option<OneOrMore<String>>,
    /// Values by path: `"ground.scale" = 12`.
    set: Option<BTreeMap<String, serde_json::Value>>,
}

/// A pass that chooses places, with keys of its own before those that say where.
macro_rules! choosing {
    ($(#[$about:meta])* $name:ident = $kind:literal { $($(#[$doc:meta])* $key:ident: $type:ty,)* }) => {
        a_pass! {
            $(#[$about])*
            $name = $kind {
                $($(#[$doc])* $key: $type,)*
                /// The layer that tiles go to.
                into: Option<String>,
                exactly: Option<u32>,
                least: Option<u32>,
                most: Option<u32>,
                /// Whether too few are no error.
                wished: Option<bool>,
                /// The chance of each place, from 0 to 1.
                chance: Option<f64>,
                density: Option<Density>,
                /// The least distance from one to the next, in cells.
                apart: Option<f64>,
                /// Which places are taken first. Default by chance.
                order: Option<PlaceOrder>,
                /// Which way things face. Default as drawn; on a side outward.
                facing: Option<Facing>,
                /// A side of the cell, or each one towards something.
                side: Option<OnSide>,
                /// Whether one stands in the middle of each region of cells.
                centre: Option<bool>,
                /// Cells east and south of the middle, as drawn.
                offset: Option<[f64; 2]>,
                /// Cells that it may be off by chance.
                jitter: Option<OneOrTwo>,
                /// The smallest and the largest scale.
                scale: Option<OneOrTwo>,
                /// Whether it may stand where an item stands.
                overlap: Option<bool>,
                /// Whether items that stand there go.
                replace: Option<bool>,
                /// Tags around what was placed.
                marks: Option<OneOrMore<Mark>>,
            }
        }
    };
}

choosing! {
    /// Sets items and tiles by rule.
    PlacePass = "place" {
        /// What is placed, by weight.
        what: OneOrMore<What>,
    }
}

choosing! {
    /// Sets small maps in.
    StampPass = "stamp" {
        /// The small maps, by weight.
        stamps: OneOrMore<Stamp>,
        /// The cell of the north-west corner of one.
        at: Option<[i64; 2]>,
        /// The side they face as drawn. Default south.
        faces: Option<Side>,
    }
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Stamp {
    /// A saved map.
    map: Option<String>,
    /// Letters of terrains.
    text: Option<String>,
    weight: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum What {
    Item(String),
    Choice(Choice),
}

/// An item, a tile, or parts that are kept together.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Choice {
    item: Option<String>,
    tile: Option<String>,
    parts: Option<Vec<WhatPart>>,
    weight: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum WhatPart {
    Item(String),
    Part(SetPart),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct SetPart {
    item: Option<String>,
    tile: Option<String>,
    /// Cells east and south, as drawn; turns with the set.
    at: Option<[i32; 2]>,
    /// The same within the cell.
    offset: Option<[f64; 2]>,
}

/// A chance that differs from cell to cell: by a picture, or nothing up to a value of noise and rising
/// from there.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Density {
    picture: Option<String>,
    scale: Option<f64>,
    octaves: Option<u8>,
    stretch: Option<[f64; 2]>,
    kind: Option<super::passes::NoiseKind>,
    above: Option<f64>,
    most: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum OneOrTwo {
    One(f64),
    Two([f64; 2]),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum PlaceOrder {
    Named(PlaceOrderName),
    By(PlaceOrderBy),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum PlaceOrderName {
    Random,
    Rows,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct PlaceOrderBy {
    nearest: Option<Where>,
    farthest: Option<Where>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Facing {
    /// A side, `"inward"` or `"random"`.
    Named(String),
    By(FacingBy),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct FacingBy {
    towards: Option<Where>,
    away: Option<Where>,
    /// So that what holds lies to the right.
    along: Option<Where>,
    /// By chance, in so many equal steps.
    steps: Option<u16>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum OnSide {
    Named(Side),
    Towards(SideTowards),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct SideTowards {
    towards: Where,
}

/// Tags that cells get or lose where something was placed.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Mark {
    add: Option<OneOrMore<String>>,
    remove: Option<OneOrMore<String>>,
    /// Cells east and south of the place, as drawn; turns with the thing.
    at: Option<[i32; 2]>,
    /// All cells within so many steps of that.
    within: Option<u32>,
}
