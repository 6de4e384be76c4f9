//! Quilt files, tile rules, wave function collapse and pictures of the maps that follow.
//!
//! A quilt is one TOML file with its art. Open it, fill it, draw it:
//!
//! ```no_run
//! # #[cfg(all(feature = "files", feature = "draw"))]
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! use lantern_quilt::prelude::*;
//! use std::path::Path;
//!
//! let quilt = Quilt::open(Path::new("terrace.quilt.toml"))?;
//! let made = quilt.make(&quilt.seed)?;
//! let picture = draw(&made.map, &quilt.art, &DrawOptions::default())?;
//! picture.write_png(std::fs::File::create("terrace.png")?, &[])?;
//! # Ok(())
//! # }
//! # #[cfg(not(all(feature = "files", feature = "draw")))]
//! # fn main() {}
//! ```
//!
//! # Layers
//!
//! `lantern-quilt-core` computes and is re-exported here whole. On top of it, [`picture`] holds
//! pixels and [`threads`] lends hands to fills that go block by block; with the feature `files`, `files` reads and writes quilts and maps; with the feature
//! `draw`, `draw` makes pictures of maps. Both are on by default.

pub use lantern_quilt_core::*;

#[cfg(feature = "draw")]
pub mod draw;
#[cfg(feature = "files")]
pub mod files;
pub mod art;
pub mod colour;
#[cfg(feature = "files")]
pub mod compare;
pub mod frame;
pub mod picture;
#[cfg(feature = "threads")]
pub mod threads;

/// What most users name.
pub mod prelude {
    pub use crate::art::TileArt;
    #[cfg(feature = "draw")]
    pub use crate::draw::{DrawOptions, draw};
    #[cfg(feature = "files")]
    pub use crate::files::Quilt;
    pub use crate::picture::Picture;
    pub use lantern_quilt_core::prelude::*;
}
