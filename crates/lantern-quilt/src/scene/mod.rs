//! Where everything of a map stands in three dimensions, and the same as GLB.
//!
//! `stood` makes a [`Scene`] of a map: what is drawn shaded and what is written are one. With the feature
//! `models`, `glb` writes it.

#[cfg(feature = "models")]
mod glb;
mod stood;

#[cfg(feature = "models")]
pub use glb::{GlbOptions, write_glb, write_models};
pub use stood::{Scene, Shape, Stood, StoodSource, Turned, settle_heights};
#[cfg(feature = "draw")]
pub(crate) use stood::{block_model, floor_of, place_of, to_light};
