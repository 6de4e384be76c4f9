//! Items and variants, as types.

use super::Picture;
use super::models::Model;
use crate::files::quilt::schema_parts::OneOrMore;
use crate::files::words::Side;
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
    /// Its model.
    model: Option<Model>,
    /// Whether the model may leave its cell.
    overhang: Option<bool>,
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
    model: Option<Model>,
    overhang: Option<bool>,
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
