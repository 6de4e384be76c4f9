//! Conditions, as types.

use super::{Levels, OneOrMore};
use crate::files::words::Side;
use schemars::JsonSchema;
use std::collections::BTreeMap;

/// A table of conditions, with keys of its own before them.
macro_rules! with_where {
    ($(#[$about:meta])* $name:ident { $($(#[$doc:meta])* $key:ident: $kind:ty,)* }) => {
        $(#[$about])*
        #[derive(JsonSchema)]
        #[schemars(deny_unknown_fields)]
        pub(in crate::files::quilt) struct $name {
            $($(#[$doc])* $key: $kind,)*
            /// One of these terrains lies there.
            terrain: Option<OneOrMore<String>>,
            /// The layer that `tile` and `empty` speak of. Default any.
            layer: Option<String>,
            /// One of these tiles stands there.
            tile: Option<OneOrMore<String>>,
            /// The cell, or a tile on it, has one of these tags.
            tag: Option<OneOrMore<String>>,
            /// One of these items stands there.
            item: Option<OneOrMore<String>>,
            /// A colour of a picture with one pixel a cell.
            plan: Option<Painted>,
            /// Whether no tile stands there.
            empty: Option<bool>,
            /// Lowest and highest height.
            height: Option<[i64; 2]>,
            /// Least and greatest number of each of these planes.
            value: Option<BTreeMap<String, [i64; 2]>>,
            /// Least and most steps from the border of the map.
            border: Option<[u32; 2]>,
            /// First and last column.
            x: Option<[i64; 2]>,
            /// First and last row.
            y: Option<[i64; 2]>,
            /// On boxes: a level, or the lowest and the highest.
            z: Option<Levels>,
            /// The north-west (and lowest) cell of a box of cells; with `size`.
            at: Option<Vec<i64>>,
            /// Columns and rows of that box, of box maps also levels.
            size: Option<Vec<u32>>,
            near: Option<Box<Near>>,
            reachable: Option<Box<Reachable>>,
            count: Option<Box<CountAround>>,
            /// On the outer edge of cells of which this holds.
            edge: Option<Box<Where>>,
            noise: Option<NoiseRange>,
            /// All of these hold.
            all: Option<OneOrMore<Box<Where>>>,
            /// One of these holds.
            any: Option<OneOrMore<Box<Where>>>,
            /// None of these holds.
            none: Option<OneOrMore<Box<Where>>>,
        }
    };
}

with_where! {
    /// Which cells; all of them must hold.
    Where {}
}

with_where! {
    /// The nearest cell of which the rest holds is so far away. Default next to it.
    Near {
        /// At most so many cells away.
        within: Option<f64>,
        /// At least so many cells away.
        beyond: Option<f64>,
        /// Whether distance is straight; by default it is steps across sides.
        straight: Option<bool>,
        /// Steps lead over cells of which this holds.
        through: Option<Box<Where>>,
        /// It lies towards this side.
        side: Option<Side>,
    }
}

/// A way leads there over cells of which something holds.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Reachable {
    /// Where ways begin.
    from: Where,
    /// Where they may go, their first and last cell included. Default anywhere.
    through: Option<Where>,
    /// The most steps across sides.
    within: Option<u32>,
}

with_where! {
    /// What entering a cell costs where the rest holds.
    Cost {
        /// A whole number from 0.
        cost: u64,
    }
}

with_where! {
    /// So many cells around meet the rest.
    CountAround {
        /// `"sides"`, `"moore"`, or so many steps. Default sides.
        around: Option<Around>,
        least: Option<u32>,
        most: Option<u32>,
    }
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Around {
    Named(AroundName),
    Steps(u32),
}

/// The cells that one step reaches. Default those across sides.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(in crate::files::quilt) enum AroundCell {
    Sides,
    Moore,
}

/// What cells become.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct Made {
    terrain: Option<String>,
    tile: Option<String>,
    tag: Option<String>,
    height: Option<i64>,
    /// A number for each of these planes.
    value: Option<BTreeMap<String, i64>>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum AroundName {
    Sides,
    Moore,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(in crate::files::quilt) enum NoiseKind {
    Simplex,
    Perlin,
}

/// Smooth random values.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct Noise {
    scale: Option<f64>,
    octaves: Option<u8>,
    stretch: Option<[f64; 2]>,
    kind: Option<NoiseKind>,
}

/// Noise in a range.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct NoiseRange {
    scale: Option<f64>,
    octaves: Option<u8>,
    stretch: Option<[f64; 2]>,
    kind: Option<NoiseKind>,
    /// From 0 to 1.
    above: Option<f64>,
    below: Option<f64>,
}

/// A colour of a picture.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Painted {
    picture: String,
    colour: String,
}
