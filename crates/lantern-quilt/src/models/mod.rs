//! Models of tiles and items: meshes, how they stand in a cell, and the files they come from and go to.
//!
//! A [`Model`] is made of [`Part`]s, one a material, in the axes of glTF: x east, y up, z south, in metres, with
//! the middle of the cell's floor at zero. `mesh` holds them, `placing` brings what a file holds into a cell,
//! [`ModelArt`] knows which tile has which model. With the feature `models`, `file` reads glTF and OBJ.

mod art;
#[cfg(feature = "models")]
mod file;
#[cfg(feature = "models")]
mod finish;
#[cfg(feature = "models")]
mod gltf;
mod limits;
#[cfg(feature = "files")]
pub(crate) mod meet;
#[cfg(all(feature = "models", feature = "files"))]
pub(crate) mod mend;
mod mesh;
#[cfg(feature = "models")]
mod obj;
mod placing;
#[cfg(feature = "models")]
mod read;
mod seams;
pub(crate) mod sides;
#[cfg(feature = "models")]
mod texture;
pub(crate) mod voxels;

pub use art::{ModelArt, ModelSource};
#[cfg(feature = "models")]
pub use file::{ModelError, ModelFile, Remark};
pub use limits::ModelLimits;
#[cfg(all(feature = "models", feature = "files"))]
pub use mend::{LeftAlone, Mended};
pub(crate) use mesh::matrix_of;
pub use mesh::{Bounds, Material, Model, Part, Texture};
pub use placing::{Guess, Origin, Placing, UpAxis};
#[cfg(all(feature = "models", feature = "files"))]
pub(crate) use placing::{SLACK, overhang};
pub use seams::NearSide;
pub use sides::{SideFrame, SideShape};
pub use voxels::{MOST_VOXELS, Voxels};
