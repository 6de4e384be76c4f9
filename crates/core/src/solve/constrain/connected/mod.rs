//! That cells which hold some poses hang together.
//!
//! Two cells are linked while both can show each other what joins them. So the pieces of what is *possible* only ever
//! fall apart further: one without a cell that must belong to it can belong to nothing, and two that both have such a
//! cell are a contradiction. Where cells changed, searches go out from all that is left around them, step by step in
//! turn, until they have met: their cost is that of the smaller pieces, not that of the map.
//!
//! On flat maps it is known beforehand how many pieces were cut off, mostly none, and then there is no search.
//!
//! `joined` has the pieces, `faces` counts cuts, `searches` goes out from cells, `follow` draws conclusions from changes, `cut` why pieces
//! cannot be one, and `rule` is how searches see all of it.

mod cut;
mod faces;
mod follow;
mod joined;
mod rule;
mod searches;

pub(crate) use joined::Joined;
