//! Tilesets, adjacency rules and wave function collapse on square, hex and box lattices.
//!
//! This crate is computation only: no files, decoders, terminal, clock or threads. Use it directly
//! in a game; use `lantern-quilt`, which re-exports it, for quilt files, pictures and maps.
//!
//! # Smallest example
//!
//! ```
//! use lantern_quilt_core::prelude::*;
//!
//! let mut set = TilesetBuilder::new(Lattice::Square);
//! let moss = set.socket(Socket::plain("moss"));
//! let path = set.socket(Socket::plain("path"));
//! set.tile(Tile::new("hedge").all(moss).weight(6.0));
//! set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
//! set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4));
//! let ground = Collapse::new("ground", set.build().unwrap(), Constraints::default())?;
//!
//! let layout = Layout::flat(Lattice::Square, 16, 9)?;
//! let mut run = ground.job(layout, &Seed::from_text("first lamp")).begin()?;
//! assert!(run.fill().is_filled());
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Layers
//!
//! Four stages, four types, each buildable in code without the one before: text (in the outer
//! crate), the checked [`Tileset`], compiled [`Rules`](rules::Rules), and a
//! [`Run`]. Modules are listed in dependency order: each uses only those above it.
//!
//! # Limits
//!
//! At most 10 240 poses and 2^31 - 1 cells; see [`limits`]. Same tileset, space, search, seed and
//! version give the same map on every platform.

mod setters;
pub mod id;
mod digest;
pub mod lattice;
pub mod orient;
pub mod seed;
pub mod limits;
pub mod observe;
pub mod finding;
pub mod grid;
pub mod noise;
pub mod tileset;
pub mod map;
pub mod constraints;
pub mod verify;
pub mod rules;
pub mod pattern;
pub mod solve;
mod domains;
pub mod explain;
pub mod autotile;
pub mod audit;
pub mod passes;
pub mod recipe;

pub use crate::constraints::Constraints;
pub use crate::lattice::{Cell, Lattice, Layout};
pub use crate::limits::Limits;
pub use crate::map::Tilemap;
pub use crate::passes::{Collapse, TileFill};
pub use crate::recipe::{Made, Maker, Recipe};
pub use crate::seed::Seed;
pub use crate::solve::{Job, Outcome, Run, Search, Status};
pub use crate::tileset::{Tile, Tileset, TilesetBuilder};

/// What most users name.
pub mod prelude {
    pub use crate::constraints::{Accept, BorderRule, Constraints, Pin};
    pub use crate::id::{Id, PoseId};
    pub use crate::lattice::{Cell, Extent, Lattice, Layout, Side, Wrap};
    pub use crate::limits::{Climb, Crew, Limits, Stop};
    pub use crate::map::{Layer, Placed, Tilemap};
    pub use crate::observe::{Flow, Observer, Progress};
    pub use crate::orient::Orientation;
    pub use crate::passes::{Collapse, TileFill, layer_of};
    pub use crate::rules::{PoseSet, Rules};
    pub use crate::seed::Seed;
    pub use crate::solve::{Job, Outcome, Run, Search, Space, Status};
    pub use crate::tileset::{Face, Mirror, Socket, Tile, Tileset, TilesetBuilder};
}
