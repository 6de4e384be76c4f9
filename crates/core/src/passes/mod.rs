//! What the passes of a recipe do, one kind a file.
//!
//! Each kind is a [`Step`]: it says what it looks at and what it changes, and does it where its pass
//! says. [`recipe`](crate::recipe) puts steps under names and follows them. From the ground up: `reach`
//! (how far a pass looks), `condition` (where), `report` (what it did), `step` (the trait), then the
//! kinds.

mod assign;
mod autotile;
mod becomes;
mod clear;
mod collapse;
mod condition;
mod distance;
mod noise;
mod place;
mod plan;
mod reach;
mod report;
mod route;
mod stamp;
mod step;
mod sums;
mod surface;
mod tag;
mod walk;
mod ways;

pub use assign::AssignStep;
pub use autotile::{Autotile, Changed, STAND_IN};
pub use becomes::Becomes;
pub use clear::ClearStep;
pub use collapse::{
    CellTile, Coarse, Collapse, FillStep, HOLE, Refill, RefillError, Shade, ShadeBy, TileFill,
    layer_of, mark_holes,
};
pub use condition::{Condition, Metric};
pub use distance::DistanceStep;
pub use noise::{BandEnd, NoiseStep};
pub use place::{
    Amount, CellSpot, Choice, Density, Facing, Mark, PlaceStep, Quota, Replace, SetPiece,
    SiteOrder, Thing,
};
pub use plan::{ColourKey, Plan, Planned, Stray, steps_of};
pub use reach::Reach;
pub use report::{PassReport, Placing, Routed, StandIn, Unreached, WayTo};
pub use route::{Carve, RouteError, RouteStep};
pub use stamp::StampStep;
pub use step::{Access, Lay, Scene, Step, StepError, Work};
pub use sums::CountArea;
pub use surface::SurfaceStep;
pub use tag::TagStep;
pub use walk::{Stuck, WalkError, WalkStep};
pub use ways::Around;
