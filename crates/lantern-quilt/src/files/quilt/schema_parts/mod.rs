//! What the JSON Schema of passes and that of the rest of a quilt share.

#![allow(
    dead_code,
    clippy::large_enum_variant,
    reason = "these types describe a file and are never made"
)]

mod condition;
pub(super) mod pass;

pub(super) use condition::{AroundCell, Cost, Made, Noise, NoiseKind, Where};
pub(super) use pass::{a_pass, choosing};

use schemars::JsonSchema;

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum OneOrMore<T> {
    One(T),
    More(Vec<T>),
}

/// Two numbers, or three on boxes.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Place {
    Flat([i64; 2]),
    Solid([i64; 3]),
}

/// Two numbers, or on boxes three, of which the level may be counted from the top.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum PlaceOfPin {
    Flat([i64; 2]),
    Solid((i64, i64, Level)),
}

/// A level of a box map: its number, or `"top"` and `"top-1"` and so on.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Level {
    Number(i64),
    FromTop(String),
}

/// One level, or the lowest and the highest of several.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Levels {
    One(Level),
    Range([Level; 2]),
}

/// Tiles, tags or sockets; in any pose, or in one.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Kind {
    socket: Option<OneOrMore<String>>,
    tile: Option<OneOrMore<String>>,
    tag: Option<OneOrMore<String>>,
    turned: Option<u8>,
    mirrored: Option<bool>,
}

/// Tiles, tags or sockets.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Named {
    socket: Option<OneOrMore<String>>,
    tile: Option<OneOrMore<String>>,
    tag: Option<OneOrMore<String>>,
}
