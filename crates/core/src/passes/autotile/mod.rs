//! The `autotile` pass: terrains or heights to tiles of the right shape. Reach: 1 cell.
//!
//! Each set of shapes makes a layer of its own, from the first to the last; see
//! [`autotile`](crate::autotile) for what stands where.
//!
//! `sight` is what a set sees of a map, `rows` lays whole layers, `lay` is the pass, `paint` keeps layers
//! right while a map is painted.

mod lay;
mod paint;
mod rows;
mod sight;

pub use lay::{Autotile, STAND_IN};
pub use paint::Changed;
