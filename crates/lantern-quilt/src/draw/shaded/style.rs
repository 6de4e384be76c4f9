//! The light, and what lies behind and around.

use crate::picture::Rgba;
use crate::scene::to_light;
use glam::Vec3;

/// The light and what lies behind, in shaded pictures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct ViewStyle {
    /// The colour of the light. Default a neutral white.
    pub light: Option<Rgba>,
    /// The colour behind everything. Default a pale grey.
    pub background: Option<Rgba>,
    /// The colour of the ground around the map. Default that of the background.
    pub ground: Option<Rgba>,
}

lantern_quilt_core::setters! {
    ViewStyle { light: Option<Rgba>, background: Option<Rgba>, ground: Option<Rgba>, }
}

const PALE: Rgba = [208, 211, 216, 255];

impl ViewStyle {
    pub(in crate::draw) fn sun(&self) -> Vec3 {
        Vec3::from(to_light(self.light.unwrap_or([255, 250, 240, 255])))
    }

    /// The light from above, bluish, dimmer where the light is.
    pub(in crate::draw) fn sky(&self) -> Vec3 {
        self.sun() * Vec3::new(0.50, 0.54, 0.62)
    }

    /// The light from below.
    pub(in crate::draw) fn below(&self) -> Vec3 {
        self.sun() * Vec3::new(0.26, 0.25, 0.26)
    }

    pub(in crate::draw) fn behind(&self) -> Vec3 {
        Vec3::from(to_light(self.background.unwrap_or(PALE)))
    }

    pub(in crate::draw) fn floor(&self) -> Vec3 {
        Vec3::from(to_light(self.ground.or(self.background).unwrap_or(PALE)))
    }
}

/// The ground around a map.
#[derive(Clone, Copy, Debug)]
pub(super) struct Backdrop {
    pub(super) floor: f32,
    pub(super) least: Vec3,
    pub(super) most: Vec3,
    /// How far from the map it fades away.
    pub(super) fade: f32,
}
