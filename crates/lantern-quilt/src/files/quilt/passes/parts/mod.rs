//! What kinds of passes share, from the ground up.

pub(super) mod areas;
pub(super) mod becomes;
pub(super) mod border;
pub(super) mod chooser;
pub(super) mod common;
pub(super) mod condition;
pub(super) mod names;
pub(super) mod noise;
pub(super) mod numbers;
pub(super) mod order;
pub(in crate::files::quilt) mod shares;
pub(super) mod tags;
pub(super) mod ways;
pub(super) mod whole;
