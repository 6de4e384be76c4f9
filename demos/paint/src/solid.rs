//! Models out of bars, slopes and stacks.

use glam::{Mat3, Vec3};
use lantern_quilt::models::{Material, Model, Part};
use std::sync::Arc;

/// Something to look at, on its way to a model.
#[derive(Clone, Default)]
pub struct Solid {
    parts: Vec<Part>,
}

/// A material of that colour in light.
pub fn matte(name: &str, colour: [f32; 3]) -> Arc<Material> {
    Arc::new(Material::plain(name, colour))
}

/// A material that gives light.
pub fn shining(name: &str, colour: [f32; 3], glow: [f32; 3]) -> Arc<Material> {
    let mut material = Material::plain(name, colour);
    material.glow = glow;
    Arc::new(material)
}

impl Solid {
    fn part(&mut self, material: &Arc<Material>) -> &mut Part {
        let known = self.parts.iter().position(|part| {
            part.material.as_ref().is_some_and(|known| Arc::ptr_eq(known, material))
        });
        let place = known.unwrap_or_else(|| {
            self.parts.push(Part { material: Some(material.clone()), ..Part::default() });
            self.parts.len() - 1
        });
        &mut self.parts[place]
    }

    /// A face of three or four corners, anticlockwise for who looks at it.
    pub fn face(&mut self, corners: &[[f32; 3]], material: &Arc<Material>) {
        let part = self.part(material);
        let points: Vec<Vec3> = corners.iter().map(|&corner| Vec3::from(corner)).collect();
        let out = (points[1] - points[0]).cross(points[points.len() - 1] - points[0]);
        let out =
            out.normalize_or((points[2] - points[1]).cross(points[0] - points[1]).normalize());
        let first = part.points.len() as u32;
        part.normals.extend(points.iter().map(|_| out));
        part.points.extend(points);
        for last in 2..corners.len() as u32 {
            let triangle = [first, first + last - 1, first + last];
            let [a, b, c] = triangle.map(|index| part.points[index as usize]);
            // Where a face ends in a point, two of its corners are one.
            if (b - a).cross(c - a).length_squared() > 0.0 {
                part.triangles.push(triangle);
            }
        }
    }

    /// A box between two corners; `hidden` names faces that are left out: n, e, s, w, u, d.
    pub fn bar(&mut self, least: [f32; 3], most: [f32; 3], hidden: &str, material: &Arc<Material>) {
        let ([x0, y0, z0], [x1, y1, z1]) = (least, most);
        let faces = [
            ('s', [[x0, y0, z1], [x1, y0, z1], [x1, y1, z1], [x0, y1, z1]]),
            ('n', [[x1, y0, z0], [x0, y0, z0], [x0, y1, z0], [x1, y1, z0]]),
            ('e', [[x1, y0, z1], [x1, y0, z0], [x1, y1, z0], [x1, y1, z1]]),
            ('w', [[x0, y0, z0], [x0, y0, z1], [x0, y1, z1], [x0, y1, z0]]),
            ('u', [[x0, y1, z1], [x1, y1, z1], [x1, y1, z0], [x0, y1, z0]]),
            ('d', [[x0, y0, z0], [x1, y0, z0], [x1, y0, z1], [x0, y0, z1]]),
        ];
        for (name, corners) in faces {
            if !hidden.contains(name) {
                self.face(&corners, material);
            }
        }
    }

    /// Rings of eight corners, one above the other, each a height and a radius.
    pub fn stack(&mut self, middle: [f32; 2], rings: &[(f32, f32)], material: &Arc<Material>) {
        const ROUND: [[f32; 2]; 8] = [
            [1.0, 0.414],
            [0.414, 1.0],
            [-0.414, 1.0],
            [-1.0, 0.414],
            [-1.0, -0.414],
            [-0.414, -1.0],
            [0.414, -1.0],
            [1.0, -0.414],
        ];
        let at = |(y, radius): (f32, f32), side: usize| {
            let [x, z] = ROUND[side % 8];
            [middle[0] + x * radius * 0.924, y, middle[1] + z * radius * 0.924]
        };
        for two in rings.windows(2) {
            for side in 0..8 {
                let (next, [low, high]) = (side + 1, [two[0], two[1]]);
                let mut corners = vec![at(low, next), at(low, side)];
                if low.1 == 0.0 {
                    corners.pop();
                }
                corners.push(at(high, side));
                if high.1 > 0.0 {
                    corners.push(at(high, next));
                }
                self.face(&corners, material);
            }
        }
    }

    /// Gives all points texture coordinates: east and along the slope, so many times a metre.
    pub fn texture(&mut self, often: f32) {
        for part in &mut self.parts {
            let uv = |p: &Vec3| glam::Vec2::new(p.x * often, (p.z - p.y) * often);
            part.uvs = vec![part.points.iter().map(uv).collect()];
        }
    }

    /// Everything of another, turned clockwise by quarters and moved.
    pub fn add(&mut self, other: &Self, quarters: u8, by: [f32; 3]) {
        let turn = match quarters % 4 {
            1 => Mat3::from_cols(Vec3::Z, Vec3::Y, Vec3::NEG_X),
            2 => Mat3::from_cols(Vec3::NEG_X, Vec3::Y, Vec3::NEG_Z),
            3 => Mat3::from_cols(Vec3::NEG_Z, Vec3::Y, Vec3::X),
            _ => Mat3::IDENTITY,
        };
        for part in &other.parts {
            let moved = part.moved(turn, Vec3::from(by));
            let into = self.part(part.material.as_ref().expect("each has one"));
            let first = into.points.len() as u32;
            if let Some(uvs) = moved.uvs.first() {
                into.uvs.resize(1, Vec::new());
                into.uvs[0].resize(into.points.len(), glam::Vec2::ZERO);
                into.uvs[0].extend(uvs);
            }
            into.points.extend(moved.points);
            into.normals.extend(moved.normals);
            into.triangles.extend(moved.triangles.iter().map(|t| t.map(|index| index + first)));
        }
    }

    /// The model of that name.
    pub fn model(self, name: &str) -> Model {
        Model { name: name.to_owned(), parts: self.parts }
    }
}
