//! Model files: read within limits, one model a node.

use super::mesh::Model;
use std::error::Error;
use std::fmt;
use thiserror::Error as ThisError;

/// Something that was left out or mended while a file was read.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Remark {
    /// An optional extension that is not known.
    Extension(String),
    /// Parts without normals: they were made, one a triangle.
    Normals(usize),
    /// Triangles without area.
    Degenerate(usize),
    /// Animations, skins or morph targets, which do nothing here.
    Moves(&'static str),
    /// A texture that could not be read, and why.
    Texture(String, String),
    /// Names that held control characters.
    Named(usize),
}

impl fmt::Display for Remark {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Extension(name) => write!(f, "the extension `{name}` is not known and left out"),
            Self::Normals(parts) => {
                write!(f, "{parts} part(s) have no normals; flat ones were made")
            }
            Self::Degenerate(count) => {
                write!(f, "{count} triangle(s) have no area and are left out")
            }
            Self::Moves(what) => write!(f, "{what} are left out"),
            Self::Texture(name, why) => write!(f, "the texture `{name}` is left out: {why}"),
            Self::Named(count) => {
                write!(f, "{count} name(s) hold control characters, which are left out")
            }
        }
    }
}

/// Why a model cannot be read.
#[derive(Debug, ThisError)]
#[non_exhaustive]
pub enum ModelError {
    /// It is neither glTF nor OBJ by its ending.
    #[error("models are read from .glb, .gltf and .obj files")]
    Ending,
    /// The file is damaged.
    #[error("not readable as {kind}: {why}")]
    Damaged {
        /// What it should be.
        kind: &'static str,
        /// What is wrong.
        why: String,
    },
    /// It needs an extension that is not supported.
    #[error("the file requires the extension `{0}`, which is not supported; export it without")]
    Extension(String),
    /// Some numbers are infinite or not numbers.
    #[error("{place} has a number that is not finite")]
    NotFinite {
        /// The node or the mesh.
        place: String,
    },
    /// A node that is flattened.
    #[error("the node `{0}` is scaled to nothing along some axis")]
    Flattened(String),
    /// Nodes that contain each other.
    #[error("the node `{0}` contains itself")]
    Circle(String),
    /// No node has that name.
    #[error("no node is named `{name}`")]
    NoNode {
        /// The name.
        name: String,
        /// Those there are.
        known: Vec<String>,
    },
    /// Several nodes have that name.
    #[error("{count} nodes are named `{name}`; rename all but one")]
    TwoNodes {
        /// The name.
        name: String,
        /// How many.
        count: usize,
    },
    /// More than all models may have.
    #[error(
        "it needs more {what} than the {most} left of what all models of a quilt may have together"
    )]
    TooLarge {
        /// `triangles`, `texture pixels` or `bytes`.
        what: &'static str,
        /// How many were left.
        most: u64,
    },
    /// A file beside it cannot be read.
    #[error("`{path}`, which the model names: {error}")]
    Beside {
        /// The file.
        path: String,
        /// Why not.
        error: Box<dyn Error + Send + Sync>,
    },
}

impl ModelError {
    pub(super) fn damaged(kind: &'static str, why: impl fmt::Display) -> Self {
        Self::Damaged { kind, why: clean(&why.to_string()).0 }
    }
}

/// Reads files beside a model by the paths it names, relative to the model.
pub type Beside<'a> = dyn FnMut(&str) -> Result<Vec<u8>, Box<dyn Error + Send + Sync>> + 'a;

/// A model file that was read: its models by node.
#[derive(Clone, Debug, Default)]
pub struct ModelFile {
    /// All that the file shows at once.
    pub(super) whole: Model,
    /// Each node that has a name, with what it and those below it show. The place of the node itself is left
    /// out: its own zero is that of the model.
    pub(super) nodes: Vec<(String, Result<Model, String>)>,
    /// What was left out or mended, each once.
    pub remarks: Vec<Remark>,
}

impl ModelFile {
    /// The names of its nodes in their order.
    pub fn nodes(&self) -> impl Iterator<Item = &str> {
        self.nodes.iter().map(|(name, _)| name.as_str())
    }

    /// The whole file as one model, or what one node and those below it show.
    ///
    /// # Errors
    /// When there is no such node, or several.
    pub fn model(&self, node: Option<&str>) -> Result<&Model, ModelError> {
        let Some(name) = node else { return Ok(&self.whole) };
        let mut named = self.nodes.iter().filter(|(known, _)| known == name);
        match (named.next(), named.count()) {
            (Some((_, model)), 0) => match model {
                Ok(model) => Ok(model),
                Err(flat) => Err(ModelError::Flattened(flat.clone())),
            },
            (Some(_), more) => Err(ModelError::TwoNodes { name: clean(name).0, count: more + 1 }),
            (None, _) => Err(ModelError::NoNode {
                name: clean(name).0,
                known: self.nodes().map(str::to_owned).collect(),
            }),
        }
    }
}

/// A text without control characters, and whether there were any.
pub(super) fn clean(text: &str) -> (String, bool) {
    let cleaned: String = text.chars().filter(|letter| !letter.is_control()).collect();
    let other = cleaned.len() != text.len();
    (cleaned, other)
}
