//! Modules of voxels: little boxes of one colour each, read from slices side by side.

use super::mesh::{Material, Model, Part};
use super::sides::units;
use crate::picture::{Picture, Rgba};
use glam::Vec3;
use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::tileset::outlines::{Outline, Point};
use std::sync::Arc;

/// The sides of a voxel, in the order of the bits of hidden sides.
pub(crate) const SIDES: [Side; 6] =
    [Side::North, Side::East, Side::South, Side::West, Side::Up, Side::Down];

/// The most voxels of a module along each axis.
pub const MOST_VOXELS: u32 = 64;

/// A module of voxels.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Voxels {
    /// Columns, rows and levels.
    size: [u32; 3],
    /// Level by level from the lowest, row by row from the north; clear ones are air.
    colours: Vec<Rgba>,
}

impl Voxels {
    /// From a picture of so many slices side by side, the lowest first; each is seen from above, with north at
    /// the top. `None` when the picture cannot be divided so, or has more than 64 voxels along an axis.
    pub fn from_slices(picture: &Picture, slices: u32) -> Option<Self> {
        let (wide, deep) = (picture.width().checked_div(slices)?, picture.height());
        let fits = wide > 0 && wide * slices == picture.width();
        if !fits || wide.max(deep).max(slices) > MOST_VOXELS {
            return None;
        }
        let places = (0..slices)
            .flat_map(|z| (0..deep).flat_map(move |y| (0..wide).map(move |x| [z * wide + x, y])));
        let colours = places.map(|[x, y]| picture.get(x, y).unwrap_or([0; 4])).collect();
        Some(Self { size: [wide, deep, slices], colours })
    }

    /// Columns, rows and levels.
    pub const fn size(&self) -> [u32; 3] {
        self.size
    }

    /// The colour of a voxel; `None` outside, and where there is air.
    pub fn get(&self, [x, y, z]: [i32; 3]) -> Option<Rgba> {
        let [wide, deep, high] = self.size.map(|length| length as i32);
        let inside = (0..wide).contains(&x) && (0..deep).contains(&y) && (0..high).contains(&z);
        let index = || ((z * deep + y) * wide + x) as usize;
        inside.then(|| self.colours[index()]).filter(|colour| colour[3] > 0)
    }

    /// Whether every voxel is air.
    pub fn is_air(&self) -> bool {
        self.colours.iter().all(|colour| colour[3] == 0)
    }

    /// The voxels along a side, each with where it lies across and up (on flat sides east and south).
    fn layer(&self, side: Side) -> impl Iterator<Item = ([i32; 2], [i32; 3])> {
        let [wide, deep, high] = self.size.map(|length| length as i32);
        let (across, up) = match side {
            Side::East | Side::West => (deep, high),
            Side::North | Side::South => (wide, high),
            _ => (wide, deep),
        };
        (0..up).flat_map(move |v| {
            (0..across).map(move |u| {
                let voxel = match side {
                    Side::East => [wide - 1, u, v],
                    Side::West => [0, deep - 1 - u, v],
                    Side::South => [wide - 1 - u, deep - 1, v],
                    Side::North => [u, 0, v],
                    Side::Up => [u, v, high - 1],
                    _ => [u, v, 0],
                };
                ([u, v], voxel)
            })
        })
    }

    /// What a side shows: a point in the middle of each voxel along it, marked by its colour, or all alike.
    /// `module` is the size of a cell in metres: width, height and depth.
    pub fn side(&self, side: Side, module: Vec3, by_colour: bool) -> Outline {
        let [wide, deep, high] = self.size;
        let (across, step, rise) = match side {
            Side::East | Side::West => (deep, module.z / deep as f32, module.y / high as f32),
            Side::North | Side::South => (wide, module.x / wide as f32, module.y / high as f32),
            _ => (wide, module.x / wide as f32, module.z / deep as f32),
        };
        // Half steps in whole units, so that mirror images are exact.
        let [step, rise] = [step, rise].map(|metres| units(metres / 2.0).max(1));
        let middle = |number: i32, count: u32| 2 * number + 1 - count as i32;
        let points: Vec<(Point, u32)> = self
            .layer(side)
            .filter_map(|([u, v], voxel)| {
                let colour = self.get(voxel)?;
                let up = if side.is_flat() { middle(v, deep) } else { 2 * v + 1 };
                let mark = if by_colour { u32::from_be_bytes(colour) } else { 1 };
                Some(([middle(u, across) * step, up * rise], mark))
            })
            .collect();
        Outline::marked(&points)
    }

    /// Whether every voxel along a side of this one has an opaque one before it, on the opposite side of another.
    /// Both as they stand in a map, each the size of the other.
    pub(crate) fn is_covered(&self, side: Side, by: &Self) -> bool {
        let beyond = side.opposite();
        let opaque: Vec<([i32; 3], bool)> = by
            .layer(beyond)
            .map(|(_, voxel)| (voxel, by.get(voxel).is_some_and(|colour| colour[3] == 255)))
            .collect();
        let axis = match side {
            Side::East | Side::West => 0,
            Side::North | Side::South => 1,
            _ => 2,
        };
        self.size == by.size
            && self.layer(side).all(|(_, voxel)| {
                let before = |other: &[i32; 3]| (0..3).all(|a| a == axis || other[a] == voxel[a]);
                self.get(voxel).is_none()
                    || opaque.iter().any(|(other, opaque)| *opaque && before(other))
            })
    }

    /// Whether every voxel along a side is opaque.
    pub(crate) fn is_wall(&self, side: Side) -> bool {
        self.layer(side).all(|(_, voxel)| self.get(voxel).is_some_and(|colour| colour[3] == 255))
    }

    /// The same mirrored west to east, then turned clockwise by quarters.
    #[must_use]
    pub(crate) fn posed(&self, turns: u8, mirrored: bool) -> Self {
        let [wide, deep, high] = self.size;
        let size = if turns % 2 == 1 { [deep, wide, high] } else { self.size };
        let source = |x: u32, y: u32| {
            // Back to where the voxel was drawn.
            let [x, y] = match turns % 4 {
                0 => [x, y],
                1 => [y, deep - 1 - x],
                2 => [wide - 1 - x, deep - 1 - y],
                _ => [wide - 1 - y, x],
            };
            [if mirrored { wide - 1 - x } else { x }, y]
        };
        let mut colours = Vec::with_capacity(self.colours.len());
        for z in 0..high {
            for y in 0..size[1] {
                for x in 0..size[0] {
                    let [x, y] = source(x, y);
                    colours.push(self.colours[((z * deep + y) * wide + x) as usize]);
                }
            }
        }
        Self { size, colours }
    }

    /// A model of those faces that can be seen: not between two voxels, and not on sides whose bit is set in
    /// `hidden` (north, east, south, west, up, down). `module` is the size of a cell. O(voxels).
    pub fn model(&self, name: &str, module: Vec3, hidden: u8) -> Model {
        let [wide, deep, high] = self.size.map(|length| length as f32);
        let step = Vec3::new(module.x / wide, module.y / high, module.z / deep);
        let corner = Vec3::new(-module.x / 2.0, 0.0, -module.z / 2.0);
        let mut material = Material::plain("voxels", [1.0; 3]);
        let solid = Part { material: Some(Arc::new(material.clone())), ..Part::default() };
        "clear voxels".clone_into(&mut material.name);
        material.see_through = true;
        let clear = Part { material: Some(Arc::new(material)), ..Part::default() };
        let mut parts = [solid, clear];
        let [columns, rows, levels] = self.size.map(|length| length as i32);
        for z in 0..levels {
            for y in 0..rows {
                for x in 0..columns {
                    let Some(colour) = self.get([x, y, z]) else { continue };
                    let part = &mut parts[usize::from(colour[3] < 255)];
                    let least = corner + step * Vec3::new(x as f32, z as f32, y as f32);
                    for (bit, side) in SIDES.into_iter().enumerate() {
                        let [dx, dy, dz] = towards(side);
                        let beyond = [x + dx, y + dy, z + dz];
                        let outside = beyond[0] < 0
                            || beyond[1] < 0
                            || beyond[2] < 0
                            || beyond[0] >= columns
                            || beyond[1] >= rows
                            || beyond[2] >= levels;
                        // Clear voxels hide each other, opaque ones hide all.
                        let shown = match self.get(beyond) {
                            None => !outside || hidden & 1 << bit == 0,
                            Some(other) => other[3] < 255 && colour[3] == 255,
                        };
                        if shown {
                            push(part, least, step, side, colour);
                        }
                    }
                }
            }
        }
        let parts = parts.into_iter().filter(|part| !part.triangles.is_empty()).collect();
        Model { name: name.to_owned(), parts }
    }
}

/// One step to a side: columns, rows and levels.
pub(crate) const fn towards(side: Side) -> [i32; 3] {
    match side {
        Side::North => [0, -1, 0],
        Side::East => [1, 0, 0],
        Side::South => [0, 1, 0],
        Side::West => [-1, 0, 0],
        Side::Up => [0, 0, 1],
        _ => [0, 0, -1],
    }
}

/// A face of a box, anticlockwise for who looks at it.
fn push(part: &mut Part, least: Vec3, size: Vec3, side: Side, colour: Rgba) {
    let [east, south, up] = towards(side).map(|v| v as f32);
    let out = Vec3::new(east, up, south);
    let (right, above) = match side {
        Side::North => (Vec3::NEG_X, Vec3::Y),
        Side::East => (Vec3::NEG_Z, Vec3::Y),
        Side::West => (Vec3::Z, Vec3::Y),
        Side::Up => (Vec3::X, Vec3::NEG_Z),
        Side::Down => (Vec3::X, Vec3::Z),
        _ => (Vec3::X, Vec3::Y),
    };
    let middle = least + size / 2.0 + out * size / 2.0;
    let first = part.points.len() as u32;
    let light = |v: u8| (f32::from(v) / 255.0).powi(2);
    let [r, g, b, a] = colour;
    for (x, y) in [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)] {
        part.points.push(middle + right * size * x + above * size * y);
        part.normals.push(out);
        part.colours.push(glam::Vec4::new(light(r), light(g), light(b), f32::from(a) / 255.0));
    }
    part.triangles.extend([[first, first + 1, first + 2], [first, first + 2, first + 3]]);
}
