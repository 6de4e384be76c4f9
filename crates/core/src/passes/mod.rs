//! The steps of a recipe, one a file.

mod collapse;

pub use collapse::{Collapse, layer_of};
