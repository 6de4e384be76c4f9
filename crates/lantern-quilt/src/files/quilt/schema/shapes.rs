//! Shapes and arrangements, as types.

use super::Mirror;
use super::models::Model;
use crate::files::quilt::schema_parts::OneOrMore;
use schemars::JsonSchema;

/// One tile for each neighbourhood of a terrain; one layer of the map.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Shapes {
    /// The terrain. Default the name of the set.
    terrain: Option<String>,
    /// A tag in place of a terrain: cells that have it are joined, over any ground.
    tag: Option<String>,
    /// Several terrains in place of one, distinguished in every corner.
    blend: Option<OneOrMore<String>>,
    /// Heights in place of a terrain: on which cells walls stand.
    heights: Option<Heights>,
    /// Further terrains that count as the same.
    joins: Option<OneOrMore<String>>,
    /// Terrains that it continues under. Default all for the lowest terrain, none for others.
    under: Option<OneOrMore<String>>,
    scheme: Option<Scheme>,
    /// The sheet, where there are several.
    sheet: Option<String>,
    /// Column and row of its first cell. Default the first of the sheet.
    at: Option<[u32; 2]>,
    /// Cells in a row of the sheet. Default 4, of `eight` and `six` 8.
    columns: Option<u32>,
    /// A list of tiles that several sets share.
    arrangement: Option<String>,
    /// Tiles with their neighbourhoods.
    tiles: Option<Vec<ShapeTile>>,
    /// A picture of the size of the sheet in which each tile is painted as what it is for.
    guide: Option<String>,
    /// Whether five cells in a row are all that is drawn, and shapes are made of their quarters.
    quarters: Option<bool>,
    /// How many ways round each drawing is used.
    turns: Option<u8>,
    mirror: Option<Mirror>,
    /// Further pictures of the whole set.
    looks: Option<Vec<ShapeLook>>,
    /// What lies outside the map counts as. Default the same.
    outside: Option<AllOutside>,
    /// Whether a shape that is missing is an error.
    strict: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum Heights {
    Upper,
    Lower,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum Scheme {
    Four,
    Dual,
    Eight,
    Six,
}

/// Tiles with their neighbourhoods.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Arrangement {
    scheme: Scheme,
    tiles: Vec<ShapeTile>,
}

/// A tile and what must lie around it.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct ShapeTile {
    /// Column and row from the first cell of the set.
    at: Option<[u32; 2]>,
    /// Its model, in place of a cell of the sheet.
    model: Option<Model>,
    /// Whether the model may leave its cell.
    overhang: Option<bool>,
    /// Whether the cell stays empty there.
    empty: Option<bool>,
    /// One sign a neighbour, row by row: # joined, . not, ? either, or the letter of a terrain.
    around: Option<String>,
    /// How common it is against others that fit the same.
    weight: Option<f64>,
    /// How often it goes before those without a chance: 0 to 1.
    chance: Option<f64>,
    turns: Option<u8>,
    mirror: Option<Mirror>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct ShapeLook {
    /// Column and row of its first cell.
    at: [u32; 2],
    weight: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum AllOutside {
    All(Outside),
    Sides(OutsideSides),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Outside {
    Named(OutsideName),
    Terrain(OutsideTerrain),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum OutsideName {
    Same,
    Other,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct OutsideTerrain {
    terrain: String,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct OutsideSides {
    north: Option<Outside>,
    east: Option<Outside>,
    south: Option<Outside>,
    west: Option<Outside>,
}
