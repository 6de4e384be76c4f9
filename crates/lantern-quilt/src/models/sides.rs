//! What of a model lies in the planes of the sides of its cell.

use super::mesh::Model;
use glam::Vec3;
use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::tileset::outlines::{FURTHEST, Outline, Point, UNITS_PER_MILLIMETRE};
use std::collections::BTreeMap;

/// Units in a metre.
const UNITS: f64 = UNITS_PER_MILLIMETRE * 1000.0;

/// Points that are no further from the plane of a side than this part of the cell, and not in it, are
/// reported: they were probably meant to be.
const ALMOST: f64 = 1.0 / 500.0;

/// A length in metres in units of 1/1024 mm; what is too far out is cut.
pub(crate) fn units(metres: f32) -> i32 {
    let most = f64::from(FURTHEST);
    let exact = (f64::from(metres) * UNITS).clamp(-most, most);
    // Rounded, halves away from zero: much faster than `round` where the processor has no such step.
    (exact + 0.5_f64.copysign(exact)) as i32
}

/// A place (east, south and up, in units) in metres, in the axes of models.
pub(crate) fn metres([east, south, up]: [i32; 3]) -> Vec3 {
    let metres = |units: i32| (f64::from(units) / UNITS) as f32;
    Vec3::new(metres(east), metres(up), metres(south))
}

/// Units of 1/1024 mm in millimetres.
pub(crate) fn millimetres(units: f64) -> f64 {
    units / UNITS_PER_MILLIMETRE
}

/// The cells that a model fills, and which of them is meant.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SideFrame {
    /// Of a cell: width, height and depth in metres.
    pub cell: Vec3,
    /// Which of the cells: column, row and level from the north-west.
    pub at: [u32; 3],
    /// How many cells.
    pub span: [u32; 3],
}

/// What of a model lies in the plane of one side.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SideShape {
    /// Points and edges there that triangles use which leave the plane.
    pub outline: Outline,
    /// Of each point of the outline the vertices of the model: part and number.
    pub vertices: Vec<Vec<[u32; 2]>>,
    /// Of each point of the outline its normal (right, up and outwards; on flat sides east, south and up),
    /// where the model is shaded smoothly and has one there.
    pub normals: Vec<Option<Vec3>>,
    /// Triangles that cross the plane.
    pub crossing: usize,
    /// How many points nearly lie in the plane, and the least and greatest distance in millimetres.
    pub almost: Option<(usize, [f64; 2])>,
}

impl SideFrame {
    /// Of a model that fills one cell.
    pub const fn single(cell: Vec3) -> Self {
        Self { cell, at: [0; 3], span: [1; 3] }
    }

    /// Where the cell begins that is meant, from the middle of the floor of the first.
    fn offset(&self) -> Vec3 {
        let [x, y, z] = self.at.map(|v| v as f32);
        self.cell * Vec3::new(x, z, y)
    }

    /// A place in the cell that is meant, in units: east, south and up.
    pub(crate) fn place(&self, point: Vec3) -> [i32; 3] {
        let p = point - self.offset();
        [units(p.x), units(p.z), units(p.y)]
    }

    /// Half the width and depth of a cell, and its height, in units: so the far side is just opposite.
    pub(crate) fn halves(&self) -> [i32; 3] {
        [units(self.cell.x / 2.0), units(self.cell.z / 2.0), units(self.cell.y)]
    }

    #[cfg(all(feature = "models", feature = "files"))]
    /// From the middle of the first cell to that of the one that is meant, in units.
    pub(crate) fn first(&self) -> [i32; 3] {
        let [wide, deep, high] = self.halves();
        let [x, y, z] = self.at.map(|v| v as i32);
        [2 * wide * x, 2 * deep * y, high * z]
    }

    #[cfg(all(feature = "models", feature = "files"))]
    /// A place moved into the plane of a side.
    pub(crate) fn laid_in(&self, side: Side, [east, south, up]: [i32; 3]) -> [i32; 3] {
        let [wide, deep, high] = self.halves();
        match side {
            Side::East => [wide, south, up],
            Side::West => [-wide, south, up],
            Side::South => [east, deep, up],
            Side::North => [east, -deep, up],
            Side::Up => [east, south, high],
            _ => [east, south, 0],
        }
    }

    /// How far a place lies beyond a side.
    fn beyond(&self, side: Side, [east, south, up]: [i32; 3]) -> i32 {
        let [wide, deep, high] = self.halves();
        match side {
            Side::East => east - wide,
            Side::West => -east - wide,
            Side::South => south - deep,
            Side::North => -south - deep,
            Side::Up => up - high,
            _ => -up,
        }
    }

    /// Whether a place of that side belongs to this cell and not to the next one that the model fills.
    fn is_own(&self, side: Side, [east, south, up]: [i32; 3], tolerance: i32) -> bool {
        let [wide, deep, high] = self.halves();
        let within = |axis: usize, value: i32, least: i32, most: i32| {
            (self.at[axis] == 0 || value >= least - tolerance)
                && (self.at[axis] + 1 == self.span[axis] || value <= most + tolerance)
        };
        let along = |axis: usize| match axis {
            0 => within(0, east, -wide, wide),
            1 => within(1, south, -deep, deep),
            _ => within(2, up, 0, high),
        };
        let across = match side {
            Side::East | Side::West => 0,
            Side::North | Side::South => 1,
            _ => 2,
        };
        (0..3).all(|axis| axis == across || along(axis))
    }
}

/// A place as someone sees it who looks out of a side; flat sides are seen from above.
pub(crate) fn in_plane(side: Side, [east, south, up]: [i32; 3]) -> Point {
    match side {
        Side::East => [south, up],
        Side::West => [-south, up],
        Side::South => [-east, up],
        Side::North => [east, up],
        _ => [east, south],
    }
}

/// The place of a point in the plane of a side.
pub(crate) fn out_of_plane(side: Side, [x, y]: Point, [wide, deep, high]: [i32; 3]) -> [i32; 3] {
    match side {
        Side::East => [wide, x, y],
        Side::West => [-wide, -x, y],
        Side::South => [-x, deep, y],
        Side::North => [x, -deep, y],
        Side::Up => [x, y, high],
        _ => [x, y, 0],
    }
}

/// A direction as [`in_plane`] has places: right, up and outwards; on flat sides east, south and up. Twice gives it
/// back.
pub(crate) fn direction_in_plane(side: Side, v: Vec3) -> Vec3 {
    match side {
        Side::East => Vec3::new(v.z, v.y, v.x),
        Side::West => Vec3::new(-v.z, v.y, -v.x),
        Side::South => Vec3::new(-v.x, v.y, v.z),
        Side::North => Vec3::new(v.x, v.y, -v.z),
        _ => Vec3::new(v.x, v.z, v.y),
    }
}

/// Whether two directions are the same to the eye: within a degree.
pub(crate) fn is_same(a: Vec3, b: Vec3) -> bool {
    a.dot(b) > 0.999_847
}

/// What the normals at a point are.
#[derive(Clone, Copy)]
enum Shading {
    /// One, and whether a triangle there is shaded smoothly.
    One(Vec3, bool),
    Several,
}

/// Where the points of each part of a model lie, in units.
pub(crate) fn places(model: &Model, frame: &SideFrame) -> Vec<Vec<[i32; 3]>> {
    let parts = model.parts.iter();
    parts.map(|part| part.points.iter().map(|&point| frame.place(point)).collect()).collect()
}

impl SideShape {
    /// What of a model lies in the plane of a side; points no further than `tolerance` from it, in units of
    /// 1/1024 mm, lie in it, and points no further from each other are one. O(n log n) in triangles.
    ///
    /// Triangles in the plane itself (caps) do not count: only where others leave it.
    pub fn of(model: &Model, frame: &SideFrame, side: Side, tolerance: u32) -> Self {
        Self::read(model, &places(model, frame), frame, side, tolerance)
    }

    /// The same, with the places of the model's points in hand, which are the same for all sides.
    pub(crate) fn read(
        model: &Model,
        places: &[Vec<[i32; 3]>],
        frame: &SideFrame,
        side: Side,
        tolerance: u32,
    ) -> Self {
        let slack = tolerance as i32;
        let almost = (f64::from(frame.cell.max_element()) * UNITS * ALMOST) as i32;
        let mut found = Self::default();
        let mut seen: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        let mut points: Vec<Point> = Vec::new();
        let mut vertices: Vec<[u32; 2]> = Vec::new();
        let mut shading: Vec<Shading> = Vec::new();
        let mut edges: Vec<[u32; 2]> = Vec::new();
        let mut missed: BTreeMap<[i32; 3], i32> = BTreeMap::new();
        for (number, (part, places)) in model.parts.iter().zip(places).enumerate() {
            let beyond: Vec<i32> = places.iter().map(|&p| frame.beyond(side, p)).collect();
            for triangle in &part.triangles {
                let out = triangle.map(|index| beyond[index as usize]);
                let inside = out.map(|out| out.abs() <= slack);
                if out.iter().any(|&out| out > slack) && out.iter().any(|&out| out < -slack) {
                    found.crossing += 1;
                }
                if inside == [true; 3]
                    || inside == [false; 3] && out.iter().all(|o| o.abs() > almost)
                {
                    continue;
                }
                let smooth = triangle.iter().any(|&index| {
                    let normal = |index: u32| part.normals.get(index as usize).copied();
                    normal(index).zip(normal(triangle[0])).is_some_and(|(a, b)| !is_same(a, b))
                });
                let mut corners = [None; 3];
                for (corner, &index) in corners.iter_mut().zip(triangle) {
                    let place = places[index as usize];
                    if !frame.is_own(side, place, slack) {
                        continue;
                    }
                    let out = beyond[index as usize].abs();
                    if out > slack {
                        if out <= almost {
                            missed.insert(place, out);
                        }
                        continue;
                    }
                    let vertex = [number as u32, index];
                    let point = *seen.entry(vertex).or_insert_with(|| {
                        points.push(in_plane(side, place));
                        vertices.push(vertex);
                        let normal = part.normals.get(index as usize).copied();
                        shading.push(Shading::One(normal.unwrap_or(Vec3::ZERO), false));
                        points.len() as u32 - 1
                    });
                    if smooth && let Shading::One(_, smooth) = &mut shading[point as usize] {
                        *smooth = true;
                    }
                    *corner = Some(point);
                }
                for (a, b) in [(0, 1), (1, 2), (2, 0)] {
                    edges.extend(corners[a].zip(corners[b]).map(|(a, b)| [a, b]));
                }
            }
        }
        let (outline, became) = Outline::welded(&points, &edges, tolerance);
        found.vertices = vec![Vec::new(); outline.points().len()];
        let mut one: Vec<Option<Shading>> = vec![None; outline.points().len()];
        for ((&point, vertex), shading) in became.iter().zip(vertices).zip(shading) {
            found.vertices[point as usize].push(vertex);
            let known = &mut one[point as usize];
            *known = Some(match (*known, shading) {
                (None, shading) => shading,
                (Some(Shading::One(a, smooth)), Shading::One(b, also)) if is_same(a, b) => {
                    Shading::One(a, smooth || also)
                }
                _ => Shading::Several,
            });
        }
        found.normals = one
            .into_iter()
            .map(|shading| match shading {
                Some(Shading::One(normal, true)) => Some(direction_in_plane(side, normal)),
                _ => None,
            })
            .collect();
        let bounds = (missed.values().min(), missed.values().max());
        if let (Some(&least), Some(&most)) = bounds {
            let both = [least, most].map(|units| millimetres(f64::from(units)));
            found.almost = Some((missed.len(), both));
        }
        found.outline = outline;
        found
    }
}
