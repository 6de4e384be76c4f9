//! The steps of a recipe, one a file.

mod collapse;

pub use collapse::{Collapse, Shade, layer_of};
