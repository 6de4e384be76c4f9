//! Triangles to samples with depth, and stamps of them.

use super::camera::{Camera, Seen};
use crate::models::{Material, Model, Part, Texture};
use crate::picture::Picture;
use glam::{Mat3, Vec2, Vec3, Vec4};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What is seen in one place.
#[derive(Clone, Copy, Debug)]
pub(super) struct Sample {
    /// Nearer is greater; negative infinity where nothing is seen.
    pub(super) depth: f32,
    /// The square root of its colour in light.
    pub(super) colour: [u8; 3],
    pub(super) normal: [i8; 3],
    /// The square root of the light it gives by itself.
    pub(super) glow: [u8; 3],
}

impl Sample {
    pub(super) const NONE: Self =
        Self { depth: f32::NEG_INFINITY, colour: [0; 3], normal: [0; 3], glow: [0; 3] };

    pub(super) fn is_seen(&self) -> bool {
        self.depth > f32::NEG_INFINITY
    }
}

/// Samples in rows from the top.
#[derive(Clone, Debug)]
pub(super) struct Target {
    pub(super) width: i32,
    pub(super) height: i32,
    pub(super) samples: Vec<Sample>,
}

impl Target {
    pub(super) fn new(width: i32, height: i32) -> Self {
        let count = (width.max(0) as usize) * (height.max(0) as usize);
        Self { width, height, samples: vec![Sample::NONE; count] }
    }

    pub(super) fn at(&self, x: i32, y: i32) -> Option<&Sample> {
        let inside = x >= 0 && y >= 0 && x < self.width && y < self.height;
        inside.then(|| &self.samples[y as usize * self.width as usize + x as usize])
    }
}

/// A model as it was drawn once, to be laid down again and again.
#[derive(Clone, Debug)]
pub(super) struct Stamp {
    /// Where its top left corner lies against the zero of the model.
    corner: [i32; 2],
    target: Target,
    /// In each row the first and one past the last sample that is seen.
    spans: Vec<[i32; 2]>,
}

impl Stamp {
    /// Draws a model as a flat camera sees it, with its zero at a whole sample.
    pub(super) fn new(model: &Model, matrix: Mat3, camera: &Camera, cache: &mut Mips) -> Self {
        let zero = camera.see(Vec3::ZERO);
        let from_zero = |point: Vec3| {
            let seen = camera.see(matrix * point);
            Seen { at: seen.at - zero.at, depth: seen.depth - zero.depth, shrunk: 1.0 }
        };
        let (mut least, mut most) = (Vec2::INFINITY, Vec2::NEG_INFINITY);
        for point in model.parts.iter().flat_map(|part| &part.points) {
            let seen = from_zero(*point).at;
            (least, most) = (least.min(seen), most.max(seen));
        }
        if least.x > most.x {
            return Self { corner: [0; 2], target: Target::new(0, 0), spans: Vec::new() };
        }
        let corner = [least.x.floor() as i32 - 1, least.y.floor() as i32 - 1];
        let size = [most.x.ceil() as i32 + 1 - corner[0], most.y.ceil() as i32 + 1 - corner[1]];
        let mut target = Target::new(size[0].clamp(0, 16_384), size[1].clamp(0, 16_384));
        let shift = Vec2::new(corner[0] as f32, corner[1] as f32);
        let see = |point: Vec3| {
            let seen = from_zero(point);
            Seen { at: seen.at - shift, ..seen }
        };
        fill(&mut target, model, matrix, &see, |_| camera.towards(Vec3::ZERO), cache);
        let spans = (target.samples.chunks(target.width.max(1) as usize))
            .map(|row| {
                let first = row.iter().position(Sample::is_seen).unwrap_or(row.len());
                let last = row.iter().rposition(Sample::is_seen).map_or(first, |last| last + 1);
                [first as i32, last as i32]
            })
            .collect();
        Self { corner, target, spans }
    }

    /// Lays it down with the zero of its model where the camera sees a point.
    pub(super) fn lay(&self, target: &mut Target, seen: Seen) {
        let (left, top) =
            (seen.at.x.round() as i32 + self.corner[0], seen.at.y.round() as i32 + self.corner[1]);
        for (row, &[first, last]) in self.spans.iter().enumerate() {
            let y = top + row as i32;
            if y < 0 || y >= target.height {
                continue;
            }
            let first = first.max(-left);
            let last = last.min(target.width - left);
            if first >= last {
                continue;
            }
            let from = row * self.target.width as usize;
            let to = y as usize * target.width as usize;
            let source = &self.target.samples[from + first as usize..from + last as usize];
            let there = (left + first) as usize + to;
            let under = &mut target.samples[there..there + source.len()];
            for (under, sample) in under.iter_mut().zip(source) {
                let depth = sample.depth + seen.depth;
                if depth > under.depth {
                    *under = Sample { depth, ..*sample };
                }
            }
        }
    }
}

/// Textures at half, a quarter and so on of their size.
#[derive(Debug, Default)]
pub(super) struct Mips(BTreeMap<usize, Vec<Picture>>);

impl Mips {
    fn of(&mut self, texture: &Arc<Texture>) -> &[Picture] {
        let key = Arc::as_ptr(texture) as usize;
        self.0.entry(key).or_insert_with(|| {
            let mut all = vec![texture.picture.clone()];
            while let Some(last) = all.last().filter(|p| p.width().min(p.height()) >= 2) {
                all.push(last.shrunk(2));
            }
            all
        })
    }
}

/// Draws a model into a target, nearer samples over farther ones.
pub(super) fn fill(
    target: &mut Target,
    model: &Model,
    matrix: Mat3,
    see: &dyn Fn(Vec3) -> Seen,
    towards: impl Fn(Vec3) -> Vec3,
    mips: &mut Mips,
) {
    let normal = matrix.inverse().transpose();
    let plain = Material::plain("", [0.8; 3]);
    for part in &model.parts {
        let material = part.material.as_deref().unwrap_or(&plain);
        let textured = (material.texture.as_ref())
            .and_then(|(texture, set)| Some((mips.of(texture), part.uvs.get(*set)?)));
        let seen: Vec<Seen> = part.points.iter().map(|&point| see(point)).collect();
        for triangle in &part.triangles {
            let corners = triangle.map(|index| index as usize);
            let [a, b, c] = corners.map(|index| part.points[index]);
            let out = normal * (b - a).cross(c - a);
            let front = out.dot(towards(matrix * a)) > 0.0;
            if !front && !material.double_sided {
                continue;
            }
            let flip = if front { 1.0 } else { -1.0 };
            let face = Face { part, material, corners, normal, flip };
            face.fill(target, corners.map(|index| seen[index]), textured);
        }
    }
}

/// One triangle and what it is made of.
struct Face<'a> {
    part: &'a Part,
    material: &'a Material,
    corners: [usize; 3],
    normal: Mat3,
    flip: f32,
}

/// Thresholds by place: what is half transparent is drawn in half of the samples.
const THRESHOLDS: [[u8; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];

impl Face<'_> {
    fn fill(
        &self,
        target: &mut Target,
        [a, b, c]: [Seen; 3],
        textured: Option<(&[Picture], &Vec<Vec2>)>,
    ) {
        let area = (b.at - a.at).perp_dot(c.at - a.at);
        if area.abs() < 1e-9 || !area.is_finite() {
            return;
        }
        let least = a.at.min(b.at).min(c.at);
        let most = a.at.max(b.at).max(c.at);
        let rows = (least.y - 0.5).ceil().max(0.0) as i32
            ..(most.y + 0.5).floor().min(target.height as f32) as i32;
        let columns = (least.x - 0.5).ceil().max(0.0) as i32
            ..(most.x + 0.5).floor().min(target.width as f32) as i32;
        let picture = textured.map(|(mips, uvs)| {
            let [ua, ub, uc] = self.corners.map(|index| uvs[index]);
            let texels = Vec2::new(mips[0].width() as f32, mips[0].height() as f32);
            let covered = ((ub - ua) * texels).perp_dot((uc - ua) * texels).abs();
            // Half as large for each four texels a sample.
            let (mut level, mut ratio) = (0, covered / area.abs());
            while ratio > 3.0 && level + 1 < mips.len() {
                (level, ratio) = (level + 1, ratio / 4.0);
            }
            (&mips[level], [ua, ub, uc])
        });
        let normals = self.corners.map(|index| self.normal * self.part.normals[index] * self.flip);
        let colours = (!self.part.colours.is_empty())
            .then(|| self.corners.map(|index| self.part.colours[index]));
        for y in rows {
            for x in columns.clone() {
                let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                let v = (at - a.at).perp_dot(c.at - a.at) / area;
                let w = (b.at - a.at).perp_dot(at - a.at) / area;
                let u = 1.0 - v - w;
                const EDGE: f32 = -1e-5;
                if u < EDGE || v < EDGE || w < EDGE {
                    continue;
                }
                let depth = a.depth * u + b.depth * v + c.depth * w;
                let place = y as usize * target.width as usize + x as usize;
                if depth <= target.samples[place].depth {
                    continue;
                }
                // What is farther away is closer together in the picture.
                let (u, v, w) = (u * a.shrunk, v * b.shrunk, w * c.shrunk);
                let sum = u + v + w;
                let (u, v, w) = (u / sum, v / sum, w / sum);
                let mut colour = Vec4::from(self.material.colour);
                if let Some([a, b, c]) = colours {
                    colour *= a * u + b * v + c * w;
                }
                if let Some((picture, [a, b, c])) = picture {
                    colour *= texel(picture, a * u + b * v + c * w);
                }
                let threshold = THRESHOLDS[y as usize % 4][x as usize % 4];
                let hidden = match self.material.cutoff {
                    Some(cutoff) => colour.w < cutoff,
                    None if self.material.see_through => {
                        colour.w * 16.0 <= f32::from(threshold) + 0.5
                    }
                    None => false,
                };
                if hidden {
                    continue;
                }
                let normal = normals[0] * u + normals[1] * v + normals[2] * w;
                let normal = normal.normalize_or(Vec3::Y) * 127.0;
                let stored = |value: f32| (value.clamp(0.0, 1.0).sqrt() * 255.0 + 0.5) as u8;
                target.samples[place] = Sample {
                    depth,
                    colour: [colour.x, colour.y, colour.z].map(stored),
                    normal: [normal.x, normal.y, normal.z].map(|value| value as i8),
                    glow: self.material.glow.map(stored),
                };
            }
        }
    }
}

/// The colour of a texture in light; it repeats.
fn texel(picture: &Picture, at: Vec2) -> Vec4 {
    let place = |at: f32, length: u32| {
        let along = (at - at.floor()) * length as f32;
        (along as u32).min(length - 1)
    };
    let pixel = picture.get(place(at.x, picture.width()), place(at.y, picture.height()));
    let [r, g, b, a] = pixel.unwrap_or([255; 4]).map(|value| f32::from(value) / 255.0);
    Vec4::new(r * r, g * g, b * b, a)
}

#[cfg(test)]
mod tests {
    use super::super::camera::View;
    use super::*;
    use crate::models::Bounds;
    use crate::scene::block_model;
    use rstest::rstest;

    /// A wedge with a picture and one with a colour, each in its own place.
    fn models() -> [Model; 2] {
        let mut picture = Picture::new(4, 4, [200, 40, 30, 255]).unwrap();
        picture.set(1, 2, [10, 220, 60, 255]);
        let block = block_model(Vec3::new(1.0, 0.7, 0.8), None, Some(picture), 0);
        let mut wedge = block_model(Vec3::ONE, Some([60, 90, 200, 255]), None, 0);
        for point in &mut wedge.parts[0].points {
            point.y *= 0.4 + 0.5 * point.x;
        }
        [block, wedge]
    }

    fn camera(view: View) -> Camera {
        let bounds = Bounds { least: Vec3::new(-2.0, 0.0, -2.0), most: Vec3::new(2.0, 2.0, 2.0) };
        let framed = super::super::camera::corners(bounds);
        Camera::flat(view.right(), view.towards(), &framed, Vec3::ONE, [240.0, 180.0], 0.05)
    }

    /// A stamp laid down is the model drawn there: sample by sample the same, wherever cells lie whole samples
    /// apart.
    #[rstest]
    fn stamps_are_what_filling_gives(
        #[values(View::SouthEast, View::North, View::West, View::NorthWest, View::Top)] view: View,
        #[values(0, 1, 2, 3)] quarters: u8,
    ) {
        let camera = camera(view);
        let matrix = crate::models::matrix_of(
            lantern_quilt_core::lattice::Lattice::Box,
            lantern_quilt_core::orient::Orientation::new(
                lantern_quilt_core::lattice::Lattice::Box,
                quarters,
                false,
            ),
        );
        for model in models() {
            let mut mips = Mips::default();
            let stamp = Stamp::new(&model, matrix, &camera, &mut mips);
            let (mut stamped, mut filled) = (Target::new(240, 180), Target::new(240, 180));
            for at in [Vec3::ZERO, Vec3::new(1.0, 0.0, -1.0), Vec3::new(-1.0, 1.0, 1.0)] {
                stamp.lay(&mut stamped, camera.see(at));
                let zero = camera.see(at);
                // The zero of a stamp lies on a whole sample.
                let shift = zero.at.round() - zero.at;
                let see = |point: Vec3| {
                    let seen = camera.see(matrix * point + at);
                    Seen { at: seen.at + shift, ..seen }
                };
                fill(&mut filled, &model, matrix, &see, |p| camera.towards(p), &mut mips);
            }
            let seen = stamped.samples.iter().filter(|sample| sample.is_seen()).count();
            assert!(seen > 500, "{seen}");
            let other = stamped.samples.iter().zip(&filled.samples).filter(|(a, b)| {
                a.colour != b.colour
                    || a.normal != b.normal
                    || (a.is_seen() && (a.depth - b.depth).abs() > 1e-3)
            });
            // Where two faces meet on the very middle of a sample, rounding decides.
            let other = other.count();
            assert!(other * 200 < seen, "{other} of {seen} differ");
        }
    }

    /// What is half transparent is drawn in half of the samples, what is below its cutoff in none.
    #[rstest]
    #[case(0.5, None, 0.4..0.6)]
    #[case(0.25, None, 0.15..0.35)]
    #[case(0.4, Some(0.5), 0.0..0.01)]
    #[case(0.6, Some(0.5), 0.99..1.1)]
    fn transparency_is_a_part_of_the_samples(
        #[case] alpha: f32,
        #[case] cutoff: Option<f32>,
        #[case] want: std::ops::Range<f32>,
    ) {
        let mut model = block_model(Vec3::ONE, Some([255; 4]), None, 0);
        let count = |model: &Model| {
            let camera = camera(View::Top);
            let mut target = Target::new(240, 180);
            fill(
                &mut target,
                model,
                Mat3::IDENTITY,
                &|p| camera.see(p),
                |p| camera.towards(p),
                &mut Mips::default(),
            );
            target.samples.iter().filter(|sample| sample.is_seen()).count() as f32
        };
        let whole = count(&model);
        let mut material = (**model.parts[0].material.as_ref().unwrap()).clone();
        (material.colour[3], material.cutoff, material.see_through) =
            (alpha, cutoff, cutoff.is_none());
        // Of one face only, so that nothing shines through to another.
        let normals = model.parts[0].normals.clone();
        model.parts[0].triangles.retain(|triangle| normals[triangle[0] as usize] == Vec3::Y);
        model.parts[0].material = Some(Arc::new(material));
        let part = count(&model) / whole;
        assert!(want.contains(&part), "{part}");
    }
}
