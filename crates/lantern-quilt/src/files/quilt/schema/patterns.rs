//! `[[pattern]]` as types.

use super::{Meaning, Mirror};
use crate::files::quilt::schema_parts::OneOrMore;
use crate::files::words::Axis;
use schemars::JsonSchema;
use std::collections::BTreeMap;

/// Samples whose windows are all that a fill may show; the window is `cells` or `within`. A single sample may stand in
/// the pattern itself.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Pattern {
    /// What fills call it: `pattern = "trellis"`.
    name: String,
    /// Columns, rows and on boxes levels of a window, 2 to 5 each.
    #[schemars(length(min = 2, max = 3))]
    cells: Option<Vec<u8>>,
    /// A window is a cell and all within so many steps of it, 1 to 3.
    #[schemars(range(min = 1, max = 3))]
    within: Option<u8>,
    /// Several samples, which add up.
    samples: Option<Vec<PatternSample>>,
    #[schemars(flatten)]
    sample: PatternSample,
}

/// A small map: `text` with a `key`, a PNG whose `pixels` are cells, a `picture` painted with the tiles, or a saved
/// `map`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct PatternSample {
    text: Option<String>,
    /// A PNG of one pixel a cell. Without a `key` each colour is a tile of its own, named as the colour.
    pixels: Option<String>,
    picture: Option<String>,
    map: Option<String>,
    /// What characters of a `text` or colours of `pixels` mean: the name of one of the `keys`, or a table.
    key: Option<Signs>,
    /// How far a colour may be from the key.
    near: Option<u16>,
    /// On boxes: how many levels lie side by side in the picture, or one below the other in the text, the lowest first.
    slices: Option<u16>,
    /// In how many turns it counts.
    turns: Option<u8>,
    mirror: Option<Mirror>,
    wrap: Option<Vec<Axis>>,
    /// Where the edge of the sample is the edge of the map: sides, `around` or `all`.
    edges: Option<OneOrMore<String>>,
    /// How much it counts against other samples. Default 1.
    weight: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Signs {
    Named(String),
    Here(BTreeMap<String, Meaning>),
}
