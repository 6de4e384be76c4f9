//! Recipes: passes in order, and the runner that follows them.
//!
//! A [`Recipe`] is a list of [`Pass`]es, each a [`Step`](crate::passes::Step) with a name and a place. A
//! [`Maker`] follows it over one map, slice by slice: it owns all it needs, so it can be kept anywhere
//! and sent to another thread. Given the [`Results`] of an earlier run it does again only what changed.
//!
//! `expect` says what must hold in the end, `pass` holds recipes, `made` what came of one, `results` what
//! is kept for the next run, `maker` follows, `rehearsal` counts over many seeds what holds.

mod expect;
mod made;
mod maker;
mod pass;
mod rehearsal;
mod results;

pub use expect::{Expectation, Unmet};
pub use made::{FillReport, Made, MakeError};
pub use maker::{MakeProgress, MakeStatus, Maker};
pub use pass::{Pass, Recipe};
pub use rehearsal::{Demand, Rehearsal};
pub use results::Results;
