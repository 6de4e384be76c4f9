//! A scene as seen by a camera: everything that stands is stamped, then lit.

use super::camera::{Camera, View, corners};
use super::fill::{Mips, Stamp, Target, fill};
use super::light::Lit;
use super::style::Backdrop;
use crate::draw::{DrawError, DrawOptions};
use crate::models::Bounds;
use crate::picture::Picture;
use crate::scene::{Scene, Stood, floor_of};
use glam::{Mat3, Vec3};
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::Tilemap;
use std::collections::BTreeMap;

/// The size of a shaded picture when nobody says, in pixels.
pub(in crate::draw) const SIZE: [u32; 2] = [1280, 800];

/// Up to this many triangles are drawn with nine samples a pixel, more with four.
const FINE: usize = 400_000;

/// Columns and rows of a shaded picture.
pub(in crate::draw) fn size_of(options: &DrawOptions) -> [u32; 2] {
    if let Some(room) = options.fit {
        return room.map(|length| length.max(1));
    }
    let (scale, smaller) = (options.scale.max(1), options.smaller.max(1));
    options.size.unwrap_or(SIZE).map(|length| (length.saturating_mul(scale) / smaller).max(1))
}

/// Where points of a map lie in its shaded picture.
pub(in crate::draw) struct Projection {
    camera: Camera,
    fine: i32,
    pub(in crate::draw) module: Vec3,
}

impl Projection {
    /// Column and row of a point in metres.
    pub(in crate::draw) fn pixel(&self, point: Vec3) -> [i64; 2] {
        let seen = self.camera.see(point).at / self.fine as f32;
        [seen.x.round() as i64, seen.y.round() as i64]
    }

    /// Pixels a metre, nearly.
    pub(in crate::draw) fn scale(&self) -> f32 {
        self.camera.scale(1.0) / self.fine as f32
    }
}

/// The box around the cells that are shown and around all that stands on them.
pub(in crate::draw) fn bounds_of(map: &Tilemap, scene: &Scene, options: &DrawOptions) -> Bounds {
    let extent = map.layout().extent();
    let (first, size) = (extent.origin(), extent.size());
    let last = Cell::at(
        first.x + size[0] as i32 - 1,
        first.y + size[1] as i32 - 1,
        first.z + size[2] as i32 - 1,
    );
    let half = Vec3::new(scene.module.x / 2.0, 0.0, scene.module.z / 2.0);
    let mut all = Bounds {
        least: floor_of(first, scene.module) - half,
        most: floor_of(last, scene.module) + half,
    };
    let [low, high] = options.levels.unwrap_or([first.z, last.z]);
    all.least.y = low.max(first.z) as f32 * scene.module.y;
    // Empty levels at the top would only make everything smaller.
    all.most.y =
        if options.steady { (high.min(last.z) + 1) as f32 * scene.module.y } else { all.least.y };
    let around: Vec<Option<Bounds>> =
        scene.shapes.iter().map(|shape| shape.model.bounds()).collect();
    for stood in &scene.stood {
        let Some(bounds) = around[stood.shape as usize] else { continue };
        let size = bounds.least.abs().max(bounds.most.abs()) * stood.scale;
        let wide = Vec3::new(size.x.max(size.z), 0.0, size.x.max(size.z));
        let (low, high) = (bounds.least.y * stood.scale, bounds.most.y * stood.scale);
        let one = Bounds {
            least: stood.at - wide + Vec3::Y * low,
            most: stood.at + wide + Vec3::Y * high,
        };
        // Eaves may hang over the edge; what is placed next to the map may not shrink it to nothing.
        let reach = scene.module * 3.0;
        let near = Bounds { least: all.least - reach, most: all.most + reach * 4.0 };
        all = all.and(Bounds { least: one.least.max(near.least), most: one.most.min(near.most) });
    }
    all
}

/// Draws what stands.
pub(in crate::draw) fn draw_scene(
    scene: &Scene,
    bounds: Bounds,
    options: &DrawOptions,
) -> Result<(Picture, Projection), DrawError> {
    let view = options.view;
    let (right, towards) = (view.right(), view.towards());
    let size = size_of(options);
    let fine = fine_of(scene, size);
    let samples = size.map(|length| length as f32 * fine as f32);
    let framed = framed(scene, bounds, options.steady);
    let camera = Camera::flat(right, towards, &framed, scene.module, samples, 0.05);
    let mut target = Target::new(size[0] as i32 * fine, size[1] as i32 * fine);
    stamp(scene, &camera, &mut target);
    let light = light_from(right, towards);
    let (shadow, from) = shadows(scene, bounds, light);
    let lit = Lit {
        target: &target,
        camera: &camera,
        shadow: &shadow,
        from: &from,
        towards: light,
        style: &options.style,
        backdrop: backdrop(bounds, scene),
        fine,
        cell: scene.module.min_element(),
        module: scene.module,
        lined: options.grid,
    };
    let picture = lit.picture()?;
    Ok((picture, Projection { camera, fine, module: scene.module }))
}

/// Where an eye is that looks at a map on a turntable: `turn` is degrees from the south, anticlockwise seen from
/// above.
fn around(turn: f32) -> Vec3 {
    (Mat3::from_rotation_y(turn.to_radians()) * Vec3::new(0.0, 0.42, 1.0)).normalize()
}

/// Cameras around a map, all of one distance and zoom, so that it is in view from everywhere.
pub(super) fn turning_cameras(bounds: Bounds, size: [u32; 2], turns: &[f32]) -> Vec<Camera> {
    let size = size.map(|length| length as f32 * DEEP_FINE as f32);
    let middle = (bounds.least + bounds.most) / 2.0;
    let radius = bounds.size().length() / 2.0;
    let cameras: Vec<Camera> =
        turns.iter().map(|turn| Camera::deep(around(*turn), middle, radius, size)).collect();
    let points = corners(bounds);
    let taken = cameras.iter().map(|camera| camera.taken(&points, size)).fold(0.1, f32::max);
    cameras.into_iter().map(|camera| camera.zoomed(0.95 / taken)).collect()
}

/// Samples a pixel of deep views, along one side.
const DEEP_FINE: i32 = 2;

/// Draws what stands as seen by an eye that is near.
pub(super) fn draw_deep(
    scene: &Scene,
    bounds: Bounds,
    camera: &Camera,
    options: &DrawOptions,
) -> Result<Picture, DrawError> {
    let size = size_of(options).map(|length| length as i32 * DEEP_FINE);
    let mut target = Target::new(size[0], size[1]);
    let mut mips = Mips::default();
    for stood in &scene.stood {
        let matrix = stood.turned.matrix() * stood.scale;
        let see = |point: Vec3| camera.see(matrix * point + stood.at);
        let model = &scene.shapes[stood.shape as usize].model;
        fill(&mut target, model, matrix, &see, |point| camera.towards(point + stood.at), &mut mips);
    }
    // The light stays with the map, so that it turns through light and shadow.
    let light = light_from(View::SouthEast.right(), View::SouthEast.towards());
    let (shadow, from) = shadows(scene, bounds, light);
    let lit = Lit {
        target: &target,
        camera,
        shadow: &shadow,
        from: &from,
        towards: light,
        style: &options.style,
        backdrop: backdrop(bounds, scene),
        fine: DEEP_FINE,
        cell: scene.module.min_element(),
        module: scene.module,
        lined: options.grid,
    };
    Ok(lit.picture()?)
}

/// Looks at a cell from near, in perspective.
pub(super) fn close(
    scene: &Scene,
    bounds: Bounds,
    cell: Cell,
    options: &DrawOptions,
) -> Result<Picture, DrawError> {
    let size = size_of(options).map(|length| length as f32 * DEEP_FINE as f32);
    let middle = floor_of(cell, scene.module) + Vec3::Y * scene.module.y / 2.0;
    let reach = scene.module.max_element() * 2.6;
    // What lies flat below the eye is told from its side.
    let towards = match options.view {
        View::Top => (Vec3::Y + Vec3::Z * 0.02).normalize(),
        view => view.towards(),
    };
    draw_deep(scene, bounds, &Camera::deep(towards, middle, reach, size), options)
}

/// What must be in view: the floor, and whatever stands; the whole box where pictures must fit each other.
fn framed(scene: &Scene, bounds: Bounds, steady: bool) -> Vec<Vec3> {
    /// Of more things than this the box around them all is enough.
    const MOST: usize = 100_000;
    if steady || scene.stood.len() > MOST {
        return corners(bounds).to_vec();
    }
    let mut points = Vec::new();
    let floor = Bounds { most: Vec3 { y: bounds.least.y, ..bounds.most }, ..bounds };
    points.extend(corners(floor));
    let around: Vec<Option<Bounds>> = scene.shapes.iter().map(|s| s.model.bounds()).collect();
    for stood in &scene.stood {
        let Some(Bounds { least, most }) = around[stood.shape as usize] else { continue };
        let matrix = stood.turned.matrix() * stood.scale;
        let inside = |point: Vec3| point.clamp(bounds.least, bounds.most);
        points.extend(corners(Bounds { least, most }).map(|c| inside(matrix * c + stood.at)));
    }
    points
}

/// Samples a pixel, along one side.
fn fine_of(scene: &Scene, [width, height]: [u32; 2]) -> i32 {
    let triangles: usize = (scene.stood.iter())
        .map(|stood| scene.shapes[stood.shape as usize].model.triangles())
        .sum();
    let pixels = u64::from(width) * u64::from(height);
    match triangles {
        few if few <= FINE && pixels <= 2_000_000 => 3,
        _ if pixels <= 8_000_000 => 2,
        _ => 1,
    }
}

/// The light comes over the left shoulder of who looks.
fn light_from(right: Vec3, towards: Vec3) -> Vec3 {
    let ahead = Vec3::new(towards.x, 0.0, towards.z).normalize_or(right.cross(Vec3::Y));
    (ahead * 0.55 - right * 0.75 + Vec3::Y * 1.05).normalize()
}

fn backdrop(bounds: Bounds, scene: &Scene) -> Backdrop {
    let size = bounds.size();
    let fade = (size.x.max(size.z) * 0.22).max(scene.module.x * 1.5);
    Backdrop { floor: bounds.least.y, least: bounds.least, most: bounds.most, fade }
}

/// What the light sees, coarsely.
fn shadows(scene: &Scene, bounds: Bounds, light: Vec3) -> (Target, Camera) {
    const WIDE: i32 = 1400;
    let right = Vec3::Y.cross(light).normalize_or(Vec3::X);
    let size = [WIDE as f32; 2];
    let camera = Camera::flat(right, light, &corners(bounds), scene.module, size, 0.01);
    let mut target = Target::new(WIDE, WIDE);
    stamp(scene, &camera, &mut target);
    (target, camera)
}

/// How something is turned and scaled, bit by bit.
type Way = (u32, [u32; 4]);

fn way_of(stood: &Stood) -> Way {
    let turned = stood.turned;
    let bits = [turned.degrees, turned.tilt, turned.tilt_to, stood.scale].map(f32::to_bits);
    (stood.shape, bits)
}

/// Lays down all that stands, the nearest first: what lies behind then costs little.
fn stamp(scene: &Scene, camera: &Camera, target: &mut Target) {
    let mut mips = Mips::default();
    let mut stamps: BTreeMap<Way, Stamp> = BTreeMap::new();
    let mut order: Vec<(f32, u32)> = (scene.stood.iter().enumerate())
        .map(|(number, stood)| (camera.see(stood.at).depth, number as u32))
        .collect();
    order.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    for (_, number) in order {
        let stood = &scene.stood[number as usize];
        let way = way_of(stood);
        // Things turned by any angle would otherwise be kept without end.
        if stamps.len() > 4096 && !stamps.contains_key(&way) {
            stamps.clear();
        }
        let stamp = stamps.entry(way).or_insert_with(|| {
            let model = &scene.shapes[stood.shape as usize].model;
            let matrix = stood.turned.matrix() * stood.scale;
            Stamp::new(model, matrix, camera, &mut mips)
        });
        stamp.lay(target, camera.see(stood.at));
    }
}

/// The levels that a map has, least and greatest.
pub(in crate::draw) fn levels_of(extent: Extent) -> [i32; 2] {
    [extent.origin().z, extent.origin().z + extent.depth() as i32 - 1]
}
