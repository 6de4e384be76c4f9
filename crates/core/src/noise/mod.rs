//! Smooth random values over the cells of a map.
//!
//! `sampler` gives each cell its value, `gradient` works it out.

mod gradient;
mod sampler;

pub use gradient::NoiseKind;
pub use sampler::Noise;
pub(crate) use sampler::{is_near, middle};
