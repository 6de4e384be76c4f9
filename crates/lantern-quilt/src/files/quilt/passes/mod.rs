//! The kinds of passes, from the quilt's text: one a file, all in one list.

mod assign;
mod autotile;
mod clear;
mod collapse;
mod distance;
mod noise;
mod parts;
mod place;
mod plan;
mod route;
mod stamp;
mod tag;
mod walk;

pub(super) use parts::common::{Common, FillSpec, Kind, Read, Reading};
pub(super) use parts::names::known_names;

/// Every kind of pass.
pub(super) const KINDS: [Kind; 12] = [
    collapse::KIND,
    plan::KIND,
    autotile::KIND,
    noise::KIND,
    tag::KIND,
    distance::KIND,
    clear::KIND,
    place::KIND,
    stamp::KIND,
    assign::KIND,
    route::KIND,
    walk::KIND,
];
