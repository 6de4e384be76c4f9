//! Models and the light on them, as types.

use schemars::JsonSchema;
use std::collections::BTreeMap;

/// A file, or a node of one and how it stands.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Model {
    File(String),
    Node(ModelNode),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct ModelNode {
    /// A .glb, .gltf or .obj file, relative to this file.
    file: String,
    /// A node of it, or an object of an .obj file. Default all of it.
    node: Option<String>,
    origin: Option<Origin>,
    scale: Option<f64>,
    up: Option<Up>,
    facing: Option<Facing>,
}

/// How models stand: for all, and by folder or file.
#[derive(JsonSchema)]
pub(super) struct Models {
    origin: Option<Origin>,
    /// Metres a unit of the file.
    scale: Option<f64>,
    up: Option<Up>,
    facing: Option<Facing>,
    /// A folder whose files go before those of the same name.
    folder: Option<String>,
    #[serde(flatten)]
    paths: BTreeMap<String, Standing>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Standing {
    origin: Option<Origin>,
    /// Metres a unit of the file.
    scale: Option<f64>,
    up: Option<Up>,
    facing: Option<Facing>,
}

/// Where in its cell the zero of a model lies.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Origin {
    Corner,
    Floor,
    Centre,
}

/// The axis of the file that points up.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Up {
    Y,
    Z,
}

/// The side that the front of the model faces.
#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum Facing {
    North,
    East,
    South,
    West,
}

/// A number, or all that the lattice has.
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Turns {
    Number(u8),
    All(AllTurns),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "snake_case")]
pub(super) enum AllTurns {
    All,
}

/// Colours of shaded pictures: `"#c05a2a"`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct ViewColours {
    light: Option<String>,
    background: Option<String>,
    /// Of the ground around the map. Default that of the background.
    ground: Option<String>,
}
