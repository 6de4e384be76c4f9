//! Autotiling: which shape a tile takes among its neighbours.
//!
//! A [`Scheme`] says which neighbours count and how many shapes follow from them. A [`ShapeSet`] says
//! which tile represents which neighbourhood, by a [`Drawing`] of each: what every neighbour must be.
//! Of the drawings that fit, those that accept the fewest neighbourhoods are used, by weight. Where none
//! fits, the nearest stands in: the one with the fewest wrong sides, then with the fewest wrong
//! corners, then the first; such places are counted and marked, never left out silently.
//!
//! The pass that lays a set over a map is [`Autotile`](crate::passes::Autotile); what is known of a set
//! before that is its [`Coverage`].
//!
//! ```
//! use lantern_quilt_core::autotile::{Scheme, quarters, Quarter};
//!
//! let counts = Scheme::ALL.map(|scheme| scheme.shapes().len());
//! assert_eq!(counts, [16, 16, 47, 64]);
//! // Joined to the north and east, with the corner between them: one quarter is all inside.
//! assert_eq!(quarters(0b0000_0111)[0], Quarter::Inside);
//! ```

mod coverage;
mod drawing;
mod exercise;
mod scheme;
mod set;
mod wanted;

pub use coverage::{Coverage, Doubled};
pub use drawing::{Drawing, MOST_KINDS, Neighbourhood, Sign};
pub use exercise::exercise;
pub use scheme::{Joins, Quarter, Scheme, quarters};
pub(crate) use set::Pick;
pub use set::{Edge, Kinds, Outside, ShapeBasis, ShapeError, ShapeSet, ShapeTile};
pub use wanted::{WantedShape, wanted_shapes};
