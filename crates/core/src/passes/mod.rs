//! The passes of a recipe, one a file.

mod autotile;
mod collapse;
mod condition;
mod marks;
mod noise;
mod place;
mod plan;
mod profile;
mod refill;
mod stamp;
mod sums;

pub use autotile::{Autotile, Changed, STAND_IN, StandIn};
pub use collapse::{Collapse, HOLE, Shade, Stands, layer_of};
pub use condition::{Around, Condition, Metric};
pub use marks::{ClearPass, TagPass};
pub use noise::{Becomes, Noise, NoiseKind, NoisePass, UpTo};
pub use place::{
    Choice, Demand, Density, Facing, Many, Mark, On, Part, PlaceOrder, PlacePass, Placing, What,
};
pub use plan::{ColourKey, Plan, Planned, Stray, steps_of};
pub use profile::ProfilePass;
pub use refill::{Refill, RefillError, mark_holes};
pub use stamp::StampPass;
