//! What passes and samples are read against.

use super::load::Load;
use super::model::Model;
use lantern_quilt_core::lattice::Layout;

/// The tiles, the map and the files of a quilt.
pub(super) struct Grounds<'a> {
    pub(super) model: &'a Model,
    pub(super) layout: Option<Layout>,
    pub(super) load: Load<'a>,
}
