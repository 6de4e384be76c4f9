//! Sides that nearly meet.

use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::tileset::outlines::{Misfit, Outline};

/// Two sides whose outlines would meet but for a few points.
#[derive(Clone, Debug, PartialEq)]
pub struct NearSide {
    /// The tiles and their sides, as drawn.
    pub sides: [(String, Side); 2],
    /// The outline of the first, as someone sees it who looks out of its side.
    pub first: Outline,
    /// That of the second, laid over it.
    pub second: Outline,
    /// What is between them.
    pub misfit: Misfit,
}
