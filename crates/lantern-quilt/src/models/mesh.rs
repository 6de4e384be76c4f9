//! Meshes as plain data: points, triangles, materials and textures.

use crate::picture::Picture;
use glam::{Mat3, Vec2, Vec3, Vec4};
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::orient::Orientation;
use std::sync::Arc;

/// A picture on a material.
#[derive(Clone, PartialEq)]
pub struct Texture {
    /// Its pixels, to be drawn.
    pub picture: Picture,
    /// The file it was read from, PNG or JPEG, to be written again as it is.
    pub data: Arc<[u8]>,
    /// `image/png` or `image/jpeg`.
    pub mime: &'static str,
    /// Its sampler as glTF JSON, when it has one.
    pub sampler: Option<String>,
}

impl std::fmt::Debug for Texture {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Texture({:?}, {} bytes of {})", self.picture, self.data.len(), self.mime)
    }
}

/// What a part of a model is made of.
#[derive(Clone, Debug, PartialEq)]
pub struct Material {
    /// Its name; may be empty.
    pub name: String,
    /// Its colour, linear, with alpha.
    pub colour: [f32; 4],
    /// The picture that its colour is multiplied by, and which texture coordinates it takes.
    pub texture: Option<(Arc<Texture>, usize)>,
    /// The light that it gives by itself, linear.
    pub glow: [f32; 3],
    /// Where alpha is below this, nothing is drawn.
    pub cutoff: Option<f32>,
    /// Whether what lies behind shines through.
    pub see_through: bool,
    /// Whether it can be seen from behind.
    pub double_sided: bool,
    /// As glTF JSON, its textures numbered as in `textures`; none where the file had no glTF material.
    pub json: Option<String>,
    /// Every texture that its JSON names.
    pub textures: Vec<Arc<Texture>>,
}

impl Material {
    /// An opaque material of one colour, linear.
    pub fn plain(name: impl Into<String>, colour: [f32; 3]) -> Self {
        let [r, g, b] = colour;
        Self {
            name: name.into(),
            colour: [r, g, b, 1.0],
            texture: None,
            glow: [0.0; 3],
            cutoff: None,
            see_through: false,
            double_sided: false,
            json: None,
            textures: Vec::new(),
        }
    }
}

/// Triangles of one material.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Part {
    /// Points in metres: x east, y up, z south.
    pub points: Vec<Vec3>,
    /// One a point, of length 1.
    pub normals: Vec<Vec3>,
    /// One a point, or none: a direction, and 1 or -1 for the hand.
    pub tangents: Vec<Vec4>,
    /// Sets of texture coordinates, each one a point, from the top left corner.
    pub uvs: Vec<Vec<Vec2>>,
    /// Colours, linear, one a point or none.
    pub colours: Vec<Vec4>,
    /// Three points each, anticlockwise for who looks at them.
    pub triangles: Vec<[u32; 3]>,
    /// What it is made of.
    pub material: Option<Arc<Material>>,
}

impl Part {
    /// The same with every point moved by a matrix and an offset. Normals stay perpendicular; where the
    /// matrix mirrors, triangles keep their fronts. O(points).
    #[must_use]
    pub fn moved(&self, matrix: Mat3, offset: Vec3) -> Self {
        let mirrors = matrix.determinant() < 0.0;
        let normal = matrix.inverse().transpose();
        let direction = |v: Vec3| v.try_normalize().unwrap_or(Vec3::Y);
        let tangent = |t: &Vec4| {
            let hand = if mirrors { -t.w } else { t.w };
            direction(matrix * t.truncate()).extend(hand)
        };
        Self {
            points: self.points.iter().map(|&p| matrix * p + offset).collect(),
            normals: self.normals.iter().map(|&n| direction(normal * n)).collect(),
            tangents: self.tangents.iter().map(tangent).collect(),
            triangles: if mirrors {
                self.triangles.iter().map(|&[a, b, c]| [a, c, b]).collect()
            } else {
                self.triangles.clone()
            },
            ..self.clone()
        }
    }
}

/// A box around a model.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounds {
    /// The least x, y and z.
    pub least: Vec3,
    /// The greatest x, y and z.
    pub most: Vec3,
}

impl Bounds {
    /// Around some points; `None` without any.
    pub fn around(points: impl IntoIterator<Item = Vec3>) -> Option<Self> {
        let mut points = points.into_iter();
        let first = points.next()?;
        let one = Self { least: first, most: first };
        Some(points.fold(one, |all, p| Self { least: all.least.min(p), most: all.most.max(p) }))
    }

    /// Around both.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self { least: self.least.min(other.least), most: self.most.max(other.most) }
    }

    /// Its lengths.
    pub fn size(&self) -> Vec3 {
        self.most - self.least
    }
}

/// A model: what stands in a cell, or an item. Without triangles it is air.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Model {
    /// What messages and nodes call it: its file, and its node when it is one of several.
    pub name: String,
    /// Its parts, one a material.
    pub parts: Vec<Part>,
}

impl Model {
    /// The box around it; `None` when it is air.
    pub fn bounds(&self) -> Option<Bounds> {
        Bounds::around(self.parts.iter().flat_map(|part| part.points.iter().copied()))
    }

    /// How many triangles it has.
    pub fn triangles(&self) -> usize {
        self.parts.iter().map(|part| part.triangles.len()).sum()
    }

    /// The same, moved.
    #[must_use]
    pub fn moved(&self, matrix: Mat3, offset: Vec3) -> Self {
        let parts = self.parts.iter().map(|part| part.moved(matrix, offset)).collect();
        Self { name: self.name.clone(), parts }
    }

    /// The same as an orientation has it: mirrored west to east, then turned clockwise.
    #[must_use]
    pub fn oriented(&self, lattice: Lattice, orientation: Orientation) -> Self {
        if orientation == Orientation::AS_DRAWN {
            return self.clone();
        }
        self.moved(matrix_of(lattice, orientation), Vec3::ZERO)
    }

    /// The highest point over a spot of the floor; `None` where nothing is above it. O(triangles).
    pub fn top_at(&self, x: f32, z: f32) -> Option<f32> {
        let mut top: Option<f32> = None;
        for part in &self.parts {
            for triangle in &part.triangles {
                let [a, b, c] = triangle.map(|index| part.points[index as usize]);
                if let Some(y) = height_in([a, b, c], x, z) {
                    top = Some(top.map_or(y, |top| top.max(y)));
                }
            }
        }
        top
    }
}

/// What an orientation does to points.
pub(crate) fn matrix_of(lattice: Lattice, orientation: Orientation) -> Mat3 {
    let [cos, sin] = orientation.cosine_and_sine(lattice).map(|v| v as f32);
    let mirror = if orientation.mirrored() { -1.0 } else { 1.0 };
    // Clockwise seen from above: east goes to south.
    Mat3::from_cols(Vec3::new(cos, 0.0, sin) * mirror, Vec3::Y, Vec3::new(-sin, 0.0, cos))
}

/// The height of a triangle over a spot, its edges included.
fn height_in([a, b, c]: [Vec3; 3], x: f32, z: f32) -> Option<f32> {
    let area = (b.x - a.x) * (c.z - a.z) - (c.x - a.x) * (b.z - a.z);
    if area == 0.0 {
        return None;
    }
    let u = ((x - a.x) * (c.z - a.z) - (c.x - a.x) * (z - a.z)) / area;
    let v = ((b.x - a.x) * (z - a.z) - (x - a.x) * (b.z - a.z)) / area;
    const SLACK: f32 = 1e-4;
    (u >= -SLACK && v >= -SLACK && u + v <= 1.0 + SLACK)
        .then_some(a.y + u * (b.y - a.y) + v * (c.y - a.y))
}
