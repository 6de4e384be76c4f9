//! The steps of a recipe, one a file.

mod collapse;
mod refill;

pub use collapse::{Collapse, Shade, Stands, layer_of};
pub use refill::{Refill, RefillError};
