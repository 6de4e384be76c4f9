//! Words that quilts and maps share, as types for their schemas.

#![allow(dead_code, reason = "these types describe files and are never made")]

use schemars::JsonSchema;

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Lattice {
    Square,
    HexPointy,
    HexFlat,
    Box,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Axis {
    X,
    Y,
    Z,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Side {
    North,
    NorthEast,
    East,
    SouthEast,
    South,
    SouthWest,
    West,
    NorthWest,
    Up,
    Down,
}
