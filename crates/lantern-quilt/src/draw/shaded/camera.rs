//! Where one looks from: flat (orthographic) views in which cells are whole pixels apart, and deep
//! (perspective) ones.

use crate::models::Bounds;
use glam::{Mat3, Vec2, Vec3};

/// Where one looks at a map from: above one of its sides or corners, or straight from above.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum View {
    /// From the north.
    North,
    /// From the north-east.
    NorthEast,
    /// From the east.
    East,
    /// From the south-east.
    #[default]
    SouthEast,
    /// From the south.
    South,
    /// From the south-west.
    SouthWest,
    /// From the west.
    West,
    /// From the north-west.
    NorthWest,
    /// Straight from above, north at the top.
    Top,
}

/// Half the square root of two, and of the two numbers whose squares are a third and two thirds.
const HALF_ROOT_2: f32 = std::f32::consts::FRAC_1_SQRT_2;
const ROOT_1_3: f32 = 0.577_350_26;
const ROOT_2_3: f32 = 0.816_496_6;

impl View {
    /// Every view.
    pub const ALL: [Self; 9] = [
        Self::North,
        Self::NorthEast,
        Self::East,
        Self::SouthEast,
        Self::South,
        Self::SouthWest,
        Self::West,
        Self::NorthWest,
        Self::Top,
    ];

    /// The name as written in commands.
    pub const fn name(self) -> &'static str {
        match self {
            Self::North => "north",
            Self::NorthEast => "north_east",
            Self::East => "east",
            Self::SouthEast => "south_east",
            Self::South => "south",
            Self::SouthWest => "south_west",
            Self::West => "west",
            Self::NorthWest => "north_west",
            Self::Top => "top",
        }
    }

    /// The view of that [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.name() == name)
    }

    /// To the right of the picture.
    pub(super) fn right(self) -> Vec3 {
        let h = HALF_ROOT_2;
        match self {
            Self::South | Self::Top => Vec3::X,
            Self::SouthEast => Vec3::new(h, 0.0, -h),
            Self::East => Vec3::NEG_Z,
            Self::NorthEast => Vec3::new(-h, 0.0, -h),
            Self::North => Vec3::NEG_X,
            Self::NorthWest => Vec3::new(-h, 0.0, h),
            Self::West => Vec3::Z,
            Self::SouthWest => Vec3::new(h, 0.0, h),
        }
    }

    /// Towards who looks.
    pub(super) fn towards(self) -> Vec3 {
        match self {
            Self::Top => Vec3::Y,
            // The same height above the horizon from everywhere: cells on edge show three equal faces.
            _ => self.right().cross(Vec3::Y) * ROOT_2_3 + Vec3::Y * ROOT_1_3,
        }
    }
}

/// From points in metres to the samples of a picture.
#[derive(Clone, Debug)]
pub(super) enum Camera {
    /// Everything is as large wherever it is.
    Flat {
        /// To column, row and depth.
        matrix: Mat3,
        offset: Vec2,
        back: Mat3,
        /// Samples a metre.
        scale: f32,
    },
    /// What is near is larger.
    Deep { eye: Vec3, right: Vec3, up: Vec3, forward: Vec3, focal: f32, middle: Vec2 },
}

/// A point in a picture: column, row, depth (nearer is greater), and by how much it is shrunk.
#[derive(Clone, Copy, Debug)]
pub(super) struct Seen {
    pub(super) at: Vec2,
    pub(super) depth: f32,
    pub(super) shrunk: f32,
}

impl Camera {
    /// A flat view of all `framed` points, in a picture of that many samples, with a margin. Where cells
    /// are wide enough they lie whole samples apart, so that what is drawn once can be stamped.
    pub(super) fn flat(
        right: Vec3,
        towards: Vec3,
        framed: &[Vec3],
        module: Vec3,
        size: [f32; 2],
        margin: f32,
    ) -> Self {
        let up = towards.cross(right);
        let (least, most) = extent_of(framed, right, up);
        let room = Vec2::from(size) * (1.0 - 2.0 * margin);
        let span = (most - least).max(Vec2::splat(1e-6));
        let mut scale = (room / span).min_element();
        loop {
            let matrix = Self::matrix(right, up, towards, module, scale);
            let flat = |p: Vec3| (matrix * p).truncate();
            let least = framed.iter().map(|&p| flat(p)).fold(Vec2::INFINITY, Vec2::min);
            let most = framed.iter().map(|&p| flat(p)).fold(Vec2::NEG_INFINITY, Vec2::max);
            let span = most - least;
            if span.x <= room.x + 1.0 && span.y <= room.y + 1.0 {
                let offset = (Vec2::from(size) / 2.0 - (least + most) / 2.0).round();
                return Self::Flat { matrix, offset, back: matrix.inverse(), scale };
            }
            scale *= 0.99;
        }
    }

    /// Cells lie whole samples apart in it, where they are wide enough.
    fn matrix(right: Vec3, up: Vec3, towards: Vec3, module: Vec3, scale: f32) -> Mat3 {
        const WIDE: f32 = 10.0;
        let axis = |axis: Vec3, length: f32| {
            let step = Vec2::new(axis.dot(right), -axis.dot(up)) * length * scale;
            let step = if step.length() >= WIDE { step.round() } else { step };
            (step / length).extend(axis.dot(towards))
        };
        Mat3::from_cols(axis(Vec3::X, module.x), axis(Vec3::Y, module.y), axis(Vec3::Z, module.z))
    }

    /// A deep view of a ball, from a direction.
    pub(super) fn deep(towards: Vec3, middle: Vec3, radius: f32, size: [f32; 2]) -> Self {
        let forward = -towards;
        let right = forward.cross(Vec3::Y).normalize_or(Vec3::X);
        let up = right.cross(forward);
        // An angle of view of about 28 degrees from edge to edge.
        let away = radius * 4.2;
        let focal = size[0].min(size[1]) * 0.5 * (away * away - radius * radius).sqrt() / radius;
        let eye = middle + towards * away;
        Self::Deep { eye, right, up, forward, focal: focal * 0.96, middle: Vec2::from(size) / 2.0 }
    }

    /// How much of the picture some points take from its middle, where 1 is at the edge.
    pub(super) fn taken(&self, points: &[Vec3], size: [f32; 2]) -> f32 {
        let half = Vec2::from(size) / 2.0;
        let from_middle = |point: &Vec3| ((self.see(*point).at - half) / half).abs().max_element();
        points.iter().map(from_middle).fold(0.0, f32::max)
    }

    /// The same view, so many times as large.
    pub(super) fn zoomed(mut self, by: f32) -> Self {
        if let Self::Deep { focal, .. } = &mut self {
            *focal *= by;
        }
        self
    }

    pub(super) fn see(&self, point: Vec3) -> Seen {
        match self {
            Self::Flat { matrix, offset, .. } => {
                let seen = *matrix * point;
                Seen { at: seen.truncate() + *offset, depth: seen.z, shrunk: 1.0 }
            }
            Self::Deep { eye, right, up, forward, focal, middle } => {
                let from = point - *eye;
                let shrunk = 1.0 / from.dot(*forward).max(1e-3);
                let across = Vec2::new(from.dot(*right), -from.dot(*up));
                Seen { at: *middle + across * (focal * shrunk), depth: shrunk, shrunk }
            }
        }
    }

    /// The point that was seen there.
    pub(super) fn point(&self, at: Vec2, depth: f32) -> Vec3 {
        match self {
            Self::Flat { offset, back, .. } => *back * (at - *offset).extend(depth),
            Self::Deep { eye, right, up, forward, focal, middle } => {
                let far = 1.0 / depth.max(1e-9);
                let across = (at - *middle) * (far / focal);
                *eye + *forward * far + *right * across.x - *up * across.y
            }
        }
    }

    /// Where the floor at a height is seen there; `None` above the horizon.
    pub(super) fn floor(&self, at: Vec2, height: f32) -> Option<Vec3> {
        match self {
            Self::Flat { .. } => {
                let (near, far) = (self.point(at, 0.0), self.point(at, -1.0));
                let step = far - near;
                (step.y != 0.0).then(|| near + step * ((height - near.y) / step.y))
            }
            Self::Deep { eye, .. } => {
                let along = self.point(at, 1.0) - *eye;
                let far = (height - eye.y) / along.y;
                (along.y != 0.0 && far > 0.0).then(|| *eye + along * far)
            }
        }
    }

    /// Samples a metre at a depth.
    pub(super) fn scale(&self, depth: f32) -> f32 {
        match self {
            Self::Flat { scale, .. } => *scale,
            Self::Deep { focal, .. } => focal * depth,
        }
    }

    /// Towards who looks from a point.
    pub(super) fn towards(&self, point: Vec3) -> Vec3 {
        match self {
            Self::Flat { back, .. } => back.z_axis.normalize_or(Vec3::Y),
            Self::Deep { eye, .. } => (*eye - point).normalize_or(Vec3::Y),
        }
    }
}

/// The corners of a box.
pub(super) fn corners(Bounds { least, most }: Bounds) -> [Vec3; 8] {
    std::array::from_fn(|n| {
        let pick = |bit: usize, a: f32, b: f32| if n >> bit & 1 == 0 { a } else { b };
        Vec3::new(pick(0, least.x, most.x), pick(1, least.y, most.y), pick(2, least.z, most.z))
    })
}

fn extent_of(points: &[Vec3], right: Vec3, up: Vec3) -> (Vec2, Vec2) {
    let flat = points.iter().map(|p| Vec2::new(p.dot(right), -p.dot(up)));
    flat.fold((Vec2::INFINITY, Vec2::NEG_INFINITY), |(least, most), p| (least.min(p), most.max(p)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cameras(size: [f32; 2]) -> Vec<Camera> {
        let bounds = Bounds { least: Vec3::new(-3.0, -1.0, -2.0), most: Vec3::new(4.0, 5.0, 6.0) };
        let framed = corners(bounds);
        let flat = View::ALL.map(|view| {
            Camera::flat(
                view.right(),
                view.towards(),
                &framed,
                Vec3::new(1.0, 2.0, 1.5),
                size,
                0.05,
            )
        });
        let deep = [Vec3::new(0.3, 0.5, 1.0), Vec3::new(-1.0, 0.2, 0.1)]
            .map(|towards| Camera::deep(towards.normalize(), Vec3::new(0.5, 2.0, 2.0), 6.5, size));
        flat.into_iter().chain(deep).collect()
    }

    proptest! {
        /// A point that was seen is found again from where it was seen; its floor is that of its height, and
        /// all that is framed lies in the picture.
        #[test]
        fn what_is_seen_is_found_again(x in -3.0f32..4.0, y in -1.0f32..5.0, z in -2.0f32..6.0) {
            let (point, size) = (Vec3::new(x, y, z), [640.0, 400.0]);
            for camera in cameras(size) {
                let seen = camera.see(point);
                prop_assert!((camera.point(seen.at, seen.depth) - point).length() < 2e-2, "{camera:?}");
                if let Some(floor) = camera.floor(seen.at, y) {
                    // From the side a floor is seen at a shallow angle.
                    prop_assert!((floor - point).length() < 8e-2, "{floor} {point} {camera:?}");
                }
                if matches!(camera, Camera::Flat { .. }) {
                    prop_assert!(seen.at.x > 0.0 && seen.at.x < 640.0 && seen.at.y > 0.0 && seen.at.y < 400.0);
                }
            }
        }

        /// Who is nearer to the eye is seen nearer.
        #[test]
        fn depth_grows_towards_the_eye(x in -3.0f32..4.0, z in -2.0f32..6.0, far in 0.05f32..2.0) {
            let point = Vec3::new(x, 1.0, z);
            for camera in cameras([320.0, 200.0]) {
                let nearer = point + camera.towards(point) * far;
                prop_assert!(camera.see(nearer).depth > camera.see(point).depth);
            }
        }
    }

    /// Views look down on the map, at right angles to what is right in the picture.
    #[test]
    fn views_are_square() {
        for view in View::ALL {
            let (right, towards) = (view.right(), view.towards());
            assert!((right.length() - 1.0).abs() < 1e-6 && (towards.length() - 1.0).abs() < 1e-6);
            assert!(right.dot(towards).abs() < 1e-6 && right.y == 0.0 && towards.y > 0.5);
            assert_eq!(View::from_name(view.name()), Some(view));
        }
        assert_eq!(View::from_name("above"), None);
    }
}
