//! Models of tiles and items: meshes, how they stand in a cell, and the files they come from and go to.
//!
//! A [`Model`] is made of [`Part`]s, one a material, in the axes of glTF: x east, y up, z south, in metres, with
//! the middle of the cell's floor at zero. `mesh` holds them, `placing` brings what a file holds into a cell,
//! [`ModelArt`] knows which tile has which model. With the feature `models`, `file` reads glTF and OBJ, and
//! `glb` writes maps.

mod art;
#[cfg(feature = "models")]
mod file;
#[cfg(feature = "models")]
mod glb;
#[cfg(feature = "models")]
mod gltf;
mod limits;
mod mesh;
#[cfg(feature = "models")]
mod obj;
mod placing;
mod scene;
#[cfg(feature = "models")]
mod texture;

pub use art::ModelArt;
#[cfg(feature = "models")]
pub use file::{ModelError, ModelFile, Remark};
#[cfg(feature = "models")]
pub use glb::{GlbOptions, write_glb, write_models};
pub use limits::ModelLimits;
pub use mesh::{Bounds, Material, Model, Part, Texture};
pub use placing::{Guess, Origin, Placing, UpAxis};
#[cfg(all(feature = "models", feature = "files"))]
pub(crate) use placing::{SLACK, overhang};
pub use scene::{Scene, Shape, Stood, StoodSource, Turned, settle_heights};
#[cfg(feature = "draw")]
pub(crate) use scene::{block_model, floor_of, place_of, to_light};
