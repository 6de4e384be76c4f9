//! Wave function collapse over compiled rules.
//!
//! The solver sees numbers: poses, sides and support rows. It knows no sockets, names or pictures,
//! so square, hex and box lattices are one solver with other tables.
//!
//! A [`Job`] joins [`Rules`](crate::rules::Rules), a [`Space`], a [`Search`], a seed and limits; it
//! begins a [`Run`], which ends in an [`Outcome`]. Inside, from the ground up: `measure` (pinned
//! entropy and picks), `padded` (cells as numbers), `undo`, `propagate` (engines), `choose` (which
//! cell is next), `search` (one try), `engines`
//! (which one serves), `run` (tries and outcome, and the ladder it climbs where cells run out).
//!
//! Its upper rungs are `blocks` (a fill that repeats, varied block by block) and `learn` (search that
//! learns from conflicts). [`count`] and [`fills`] list all fills of a small space,
//! [`smallest_cause`] why there is none.
//!
//! Source: the method is constraint propagation to arc consistency (Mackworth 1977) with a
//! least-entropy choice of cells and chronological backtracking.

mod beside;
mod blocks;
mod cause;
mod choose;
mod constrain;
mod count;
mod engines;
mod kernel;
mod learn;
mod measure;
mod outcome;
mod own;
mod padded;
mod propagate;
mod run;
mod search;
mod settings;
mod space;
mod state;
mod steer;
mod undo;

pub use crate::limits::Climb;
pub(crate) use beside::beside;
#[doc(hidden)]
pub use blocks::BLOCK_REACH;
pub use cause::{Cause, smallest_cause};
pub use choose::Order;
pub use constrain::{About, Broken};
pub(crate) use constrain::{Counts, Distances, Joined};
pub use count::{CountError, Fills, count, fills};
pub use outcome::{Contradiction, Outcome, StopReason, Tally};
pub use run::{Change, Job, Run, RunError, Scratch, Status};
pub use settings::Search;
pub use space::{Region, Restriction, Scale, Space};
