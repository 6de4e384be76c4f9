//! Where everything of a map stands in three dimensions, and the same as GLB.
//!
//! `stood` makes a [`Scene`] of a map: what is drawn shaded and what is written are one. `block` builds boxes for
//! tiles without a model, `hidden` finds the sides of them that nobody sees, `turned` holds how things are turned.
//! With the feature `models`, `glb` writes a scene.

mod block;
#[cfg(feature = "models")]
mod glb;
mod hidden;
mod stood;
mod turned;

#[cfg(feature = "draw")]
pub(crate) use block::{block_model, to_light};
#[cfg(feature = "models")]
pub use glb::{GlbOptions, write_glb, write_models};
pub use stood::{Scene, Shape, Stood, StoodSource, settle_heights};
#[cfg(feature = "draw")]
pub(crate) use stood::{floor_of, place_of};
pub use turned::Turned;
