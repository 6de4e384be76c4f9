//! Tile rules for games, wave function collapse, and pictures of the maps that follow.
//!
//! Say what each side of a tile shows, how the tile may turn and how common it is; get whole maps that keep the
//! rules. Square, hexagonal and box lattices, millions of cells, near the speed of noise.
//!
//! # Should I use this?
//!
//! Yes, when you draw or program maps of tiles and want them made by rules: fully, in part, over noise and plans,
//! with things placed on them. The same quilt, seed and version give the same map on every machine. No, when you
//! look for a level editor, or for rooms joined by corridors: passes are rules over cells.
//!
//! # Two minutes with a file
//!
//! A quilt is one TOML file with its art beside it. Open it, make its map, draw it:
//!
//! ```
//! # #[cfg(all(feature = "files", feature = "draw"))]
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! use lantern_quilt::prelude::*;
//! # let demos = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace");
//! # let folder = tempfile::tempdir()?;
//! # let here = std::path::Path::new(demos);
//!
//! let quilt = Quilt::open(&here.join("terrace.quilt.toml"))?;
//! let made = quilt.make(&quilt.seed)?;
//! let picture = draw(&made.map, &quilt.art, &DrawOptions::default())?;
//! # let there = folder.path().join("terrace.png");
//! picture.write_png(std::fs::File::create(there)?, &[])?;
//! # Ok(())
//! # }
//! # #[cfg(not(all(feature = "files", feature = "draw")))]
//! # fn main() {}
//! ```
//!
//! # Two minutes in code
//!
//! ```
//! use lantern_quilt::prelude::*;
//!
//! let mut set = TilesetBuilder::new(Lattice::Square);
//! let (moss, path) = (set.socket(Socket::plain("moss")), set.socket(Socket::plain("path")));
//! set.tile(Tile::new("moss").all(moss).weight(6.0));
//! set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
//! set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4));
//! let ground = Collapse::new("ground", set.build()?, Constraints::default())?;
//!
//! let layout = Layout::flat(Lattice::Square, 40, 25)?;
//! let mut ground = TileFill::new(ground, layout, &Seed::from_number(7))?;
//! assert!(ground.run_mut().fill().is_filled());
//! let tile = ground.tile(Cell::new(3, 2)).expect("all are decided");
//! assert!(["moss", "bend", "straight"].contains(&tile.name) && tile.turn < 4);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # In a game loop
//!
//! Work for a share of each frame, then draw what changed:
//!
//! ```
//! use lantern_quilt::frame::Budget;
//! use lantern_quilt::prelude::*;
//! use std::time::Duration;
//!
//! # let mut set = TilesetBuilder::new(Lattice::HexFlat);
//! # let moss = set.socket(Socket::plain("moss"));
//! # set.tile(Tile::new("moss").all(moss));
//! # let ground = Collapse::new("ground", set.build()?, Constraints::default())?;
//! # let layout = Layout::flat(Lattice::HexFlat, 40, 25)?;
//! let mut ground = TileFill::new(ground, layout, &Seed::from_text("first lamp"))?;
//! let mut drawn = 0;
//! loop {
//!     let status = Budget::of(Duration::from_millis(2)).advance(ground.run_mut());
//!     for (_cell, _tile) in ground.drain_changes() {
//!         drawn += 1; // draw the tile, or clear the cell where there is none any more
//!     }
//!     if status == Status::Ended {
//!         break;
//!     }
//! }
//! assert!(drawn >= 40 * 25);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Features
//!
//! `files` reads and writes quilts and maps (modules `files` and `compare`), `draw` makes pictures of maps, `threads`
//! lends hands to fills that go block by block: these are on by default. `models` reads glTF and OBJ and writes GLB
//! (modules [`models`] and [`scene`]).
//! Without any of them this is `lantern-quilt-core`, which computes and is re-exported here whole, with pixels
//! ([`picture`]) and shares of frames ([`frame`]).
//!
//! # Limits
//!
//! 10 240 poses, 2^31 - 1 cells and whatever memory [`Limits`] allow: two bytes a cell, and some more for each
//! rule of the whole map.
//!
//! # Determinism
//!
//! A map follows from quilt, seed and version: not from the machine, the number of threads, how the work is sliced
//! or which engine does it. Releases that change the maps of a seed say so in the changelog.

pub use lantern_quilt_core::*;

#[cfg(feature = "draw")]
pub mod draw;
#[cfg(feature = "files")]
pub mod files;
pub mod art;
pub mod colour;
#[cfg(feature = "files")]
pub mod compare;
mod encode;
pub mod frame;
pub mod models;
pub mod picture;
pub mod placeholder;
pub mod scene;
#[cfg(feature = "threads")]
pub mod threads;

pub use crate::art::TileArt;
#[cfg(feature = "draw")]
pub use crate::draw::{DrawOptions, draw};
#[cfg(feature = "files")]
pub use crate::files::{Editor, Quilt, QuiltOptions, Report};
pub use crate::picture::Picture;

/// The README's code runs.
#[cfg(all(doctest, feature = "files", feature = "draw"))]
#[doc = include_str!("../../../README.md")]
struct Readme;

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
