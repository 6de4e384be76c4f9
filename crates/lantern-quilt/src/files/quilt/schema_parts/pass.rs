//! What all passes share, and what those share that choose places.

use super::OneOrMore;
use super::condition::{NoiseKind, Where};
use crate::files::words::Side;
use schemars::JsonSchema;

/// The keys that all passes share, and those of one kind.
macro_rules! a_pass {
    ($(#[$about:meta])* $name:ident = $kind:literal { $($(#[$doc:meta])* $key:ident: $type:ty,)* }) => {
        $(#[$about])*
        #[derive(JsonSchema)]
        #[schemars(deny_unknown_fields)]
        pub(in crate::files::quilt::passes) struct $name {
            #[schemars(extend("const" = $kind))]
            pass: String,
            /// Default the kind of the pass.
            name: Option<String>,
            /// Whether it is followed. Default yes.
            on: Option<bool>,
            /// Parts that a game shows and hides together.
            group: Option<String>,
            r#where: Option<$crate::files::quilt::schema_parts::Where>,
            /// Other chance for this pass alone. Default 0.
            roll: Option<u32>,
            /// The chance that it is done at all, from 0 to 1. Default always.
            appears: Option<$crate::files::quilt::schema_parts::pass::Appears>,
            /// Whether what it places stays, whatever later passes replace and clear.
            keep: Option<bool>,
            $($(#[$doc])* $key: $type,)*
        }
    };
}
pub(in crate::files::quilt) use a_pass;

/// A pass that chooses places, with keys of its own before those that say where.
macro_rules! choosing {
    ($(#[$about:meta])* $name:ident = $kind:literal { $($(#[$doc:meta])* $key:ident: $type:ty,)* }) => {
        $crate::files::quilt::schema_parts::a_pass! {
            $(#[$about])*
            $name = $kind {
                $($(#[$doc])* $key: $type,)*
                /// The layer that tiles go to.
                into: Option<String>,
                exactly: Option<u32>,
                least: Option<u32>,
                most: Option<u32>,
                /// For how many cells of a connected region the number or the chance is.
                per: Option<u32>,
                /// Passes whose things lie below its own, besides those before it.
                drawn_above: Option<$crate::files::quilt::schema_parts::OneOrMore<String>>,
                /// Whether too few are no error.
                wished: Option<bool>,
                /// The chance of each place, from 0 to 1.
                chance: Option<f64>,
                density: Option<$crate::files::quilt::schema_parts::pass::Density>,
                /// The least distance from one to the next, in cells.
                apart: Option<f64>,
                /// Which places are taken first. Default by chance.
                order: Option<$crate::files::quilt::schema_parts::pass::PlaceOrder>,
                /// Which way things face. Default as drawn; on a side outward.
                facing: Option<$crate::files::quilt::schema_parts::pass::Facing>,
                /// A side of the cell, or each one towards something.
                side: Option<$crate::files::quilt::schema_parts::pass::OnSide>,
                /// Whether one stands in the middle of each region of cells.
                centre: Option<bool>,
                /// Cells east and south of the middle, as drawn.
                offset: Option<[f64; 2]>,
                /// Cells that it may be off by chance.
                jitter: Option<$crate::files::quilt::schema_parts::pass::OneOrTwo>,
                /// How far it leans to the side it faces, in degrees, by chance.
                tilt: Option<$crate::files::quilt::schema_parts::pass::OneOrTwo>,
                /// How far above its place, in cells.
                lift: Option<f64>,
                /// Whether it stands on the surface of the model below it.
                stands: Option<bool>,
                /// The smallest and the largest scale.
                scale: Option<$crate::files::quilt::schema_parts::pass::OneOrTwo>,
                /// Whether it may stand where an item stands.
                overlap: Option<bool>,
                /// Whether items that stand there go, or which: by name or tag.
                replace: Option<$crate::files::quilt::schema_parts::pass::Replaced>,
                /// Tags around what was placed.
                marks: Option<$crate::files::quilt::schema_parts::OneOrMore<$crate::files::quilt::schema_parts::pass::Mark>>,
            }
        }
    };
}
pub(in crate::files::quilt) use choosing;

/// The chance that the pass is done: one number, or a chance that grows with the number of cells.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum Appears {
    Always(f64),
    Per(AppearsPer),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct AppearsPer {
    /// From 0 to 1.
    chance: f64,
    /// For how many cells that is.
    per: u32,
}

/// A chance that differs from cell to cell: by a picture, or nothing up to a value of noise and rising
/// from there.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct Density {
    picture: Option<String>,
    scale: Option<f64>,
    octaves: Option<u8>,
    stretch: Option<[f64; 2]>,
    kind: Option<NoiseKind>,
    above: Option<f64>,
    most: Option<f64>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum Replaced {
    All(bool),
    Named(OneOrMore<String>),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum OneOrTwo {
    One(f64),
    Two([f64; 2]),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum PlaceOrder {
    Named(PlaceOrderName),
    By(PlaceOrderBy),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(in crate::files::quilt) enum PlaceOrderName {
    Random,
    Rows,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct PlaceOrderBy {
    nearest: Option<Where>,
    farthest: Option<Where>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum Facing {
    /// A side, `"inward"` or `"random"`.
    Named(String),
    By(FacingBy),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct FacingBy {
    towards: Option<Where>,
    away: Option<Where>,
    /// So that what holds lies to the right.
    along: Option<Where>,
    /// By chance, in so many equal steps.
    steps: Option<u16>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(in crate::files::quilt) enum OnSide {
    Named(Side),
    Towards(SideTowards),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct SideTowards {
    towards: Where,
}

/// Tags that cells get or lose where something was placed.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(in crate::files::quilt) struct Mark {
    add: Option<OneOrMore<String>>,
    remove: Option<OneOrMore<String>>,
    /// Cells east and south of the place, as drawn; turns with the thing.
    at: Option<[i32; 2]>,
    /// All cells within so many steps of that.
    within: Option<u32>,
}
