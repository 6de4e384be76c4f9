//! Ways over the cells of a map: where a step may go, what it costs, and which way is the cheapest.
//!
//! From the ground up: `ground` (steps), `cheapest` (Dijkstra's search), `blocked` (what lies in the way).
//! The `route` and `walk` passes stand on it.

mod blocked;
mod cheapest;
mod ground;

pub(super) use blocked::in_the_way;
pub(super) use cheapest::{Cheapest, Costs, Way};
pub use ground::Around;
pub(super) use ground::{Ground, Walls};
