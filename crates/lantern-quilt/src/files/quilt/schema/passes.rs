//! Conditions, and the passes that mark cells, as types.

use super::OneOrMore;
use schemars::JsonSchema;

/// A table of conditions, with keys of its own before them.
macro_rules! with_where {
    ($(#[$about:meta])* $name:ident { $($(#[$doc:meta])* $key:ident: $kind:ty,)* }) => {
        $(#[$about])*
        #[derive(JsonSchema)]
        #[schemars(deny_unknown_fields)]
        pub(in crate::files::quilt::schema) struct $name {
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
            /// Least and most steps from the border of the map.
            border: Option<[u32; 2]>,
            /// First and last column.
            x: Option<[i64; 2]>,
            /// First and last row.
            y: Option<[i64; 2]>,
            near: Option<Box<Near>>,
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
    /// Which cells; all that is said must hold.
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

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
enum AroundName {
    Sides,
    Moore,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum NoiseKind {
    Simplex,
    Perlin,
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

/// The keys that all passes share, and those of one kind.
macro_rules! a_pass {
    ($(#[$about:meta])* $name:ident = $kind:literal { $($(#[$doc:meta])* $key:ident: $type:ty,)* }) => {
        $(#[$about])*
        #[derive(JsonSchema)]
        #[schemars(deny_unknown_fields)]
        pub(in crate::files::quilt::schema) struct $name {
            #[schemars(extend("const" = $kind))]
            pass: String,
            /// Default the kind of the pass.
            name: Option<String>,
            /// Whether it is followed. Default yes.
            on: Option<bool>,
            /// Parts that a game shows and hides together.
            group: Option<String>,
            r#where: Option<$crate::files::quilt::schema::passes::Where>,
            $($(#[$doc])* $key: $type,)*
        }
    };
}
pub(super) use a_pass;

a_pass! {
    /// Bands of noise to terrain, tags or heights; or, with `surface`, strata below a surface.
    NoisePass = "noise" {
        /// The layer that tiles go to. Default one of its own.
        into: Option<String>,
        /// Cells from hump to hump. Default 8.
        scale: Option<f64>,
        /// Layers of ever finer noise: 1 to 8.
        octaves: Option<u8>,
        /// How many times wider humps are from west to east, and from north to south.
        stretch: Option<[f64; 2]>,
        kind: Option<NoiseKind>,
        /// From low values up.
        bands: Option<Vec<Band>>,
        /// The lowest and the highest surface, in cells from the bottom row.
        surface: Option<[u32; 2]>,
        /// The largest step from one column to the next.
        step: Option<u32>,
        /// From the surface down.
        strata: Option<Vec<Stratum>>,
    }
}

/// Up to a value or a share of the cells; without either all that is left.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Band {
    /// Up to this value, from 0 to 1.
    below: Option<f64>,
    /// This share of the cells, exact to rounding; of two one between, by the seed.
    share: Option<Share>,
    terrain: Option<String>,
    tile: Option<String>,
    tag: Option<String>,
    height: Option<i64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Share {
    Just(f64),
    Between([f64; 2]),
}

/// So many cells down; without a depth all that is left.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Stratum {
    depth: Option<u32>,
    terrain: Option<String>,
    tile: Option<String>,
    tag: Option<String>,
    height: Option<i64>,
}

a_pass! {
    /// Gives tags to cells and takes them away.
    TagPass = "tag" {
        add: Option<OneOrMore<String>>,
        remove: Option<OneOrMore<String>>,
    }
}

a_pass! {
    /// Takes away what lies on cells.
    ClearPass = "clear" {
        /// Whether terrain goes.
        terrain: Option<bool>,
        /// Whether items go.
        items: Option<bool>,
        /// The layers whose tiles go.
        layers: Option<OneOrMore<String>>,
    }
}
