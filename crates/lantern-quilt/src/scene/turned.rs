//! How things are turned and lean.

use crate::models::matrix_of;
use glam::{Mat3, Quat, Vec3};
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::orient::Orientation;

/// How something is turned.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Turned {
    /// Clockwise seen from above, in degrees.
    pub degrees: f32,
    /// How far it leans, in degrees.
    pub tilt: f32,
    /// Where it leans to: degrees from north, clockwise.
    pub tilt_to: f32,
}

impl Turned {
    /// As drawn.
    pub const NOT: Self = Self { degrees: 0.0, tilt: 0.0, tilt_to: 0.0 };

    /// As a quaternion of glTF.
    pub fn rotation(&self) -> Quat {
        let half = std::f32::consts::FRAC_1_SQRT_2;
        // Quarters are exact.
        let turned = match self.degrees {
            0.0 => Quat::IDENTITY,
            90.0 => Quat::from_xyzw(0.0, -half, 0.0, half),
            180.0 => Quat::from_xyzw(0.0, -1.0, 0.0, 0.0),
            270.0 => Quat::from_xyzw(0.0, half, 0.0, half),
            other => Quat::from_rotation_y(-other.to_radians()),
        };
        if self.tilt == 0.0 {
            return turned;
        }
        // Leaning to the north turns about the axis that points west.
        let to = Quat::from_rotation_y(-self.tilt_to.to_radians());
        Quat::from_axis_angle(to * Vec3::NEG_X, self.tilt.to_radians()) * turned
    }

    /// As a matrix; quarters are exact.
    pub fn matrix(&self) -> Mat3 {
        if self.tilt == 0.0 && self.degrees % 90.0 == 0.0 {
            let turns = (self.degrees / 90.0) as u8;
            return matrix_of(Lattice::Box, Orientation::new(Lattice::Box, turns, false));
        }
        Mat3::from_quat(self.rotation())
    }
}
