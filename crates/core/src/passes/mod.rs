//! The steps of a recipe, one a file.

mod autotile;
mod collapse;
mod plan;
mod refill;

pub use autotile::{Autotile, Changed, STAND_IN, StandIn};
pub use collapse::{Collapse, Shade, Stands, layer_of};
pub use plan::{ColourKey, Plan, Planned, Stray, steps_of};
pub use refill::{Refill, RefillError};
