//! Light on what is seen: soft from the sky, warm from one side, with shadows, shade in the nooks and a glow
//! around what gives light.

use super::camera::Camera;
use super::fill::{Sample, Target};
use super::style::{Backdrop, ViewStyle};
use crate::picture::{Picture, PictureError};
use glam::{Vec2, Vec3};

/// Everything that the light needs to know.
pub(super) struct Lit<'a> {
    pub(super) target: &'a Target,
    pub(super) camera: &'a Camera,
    /// What the light sees, and how.
    pub(super) shadow: &'a Target,
    pub(super) from: &'a Camera,
    /// Towards the light.
    pub(super) towards: Vec3,
    pub(super) style: &'a ViewStyle,
    pub(super) backdrop: Backdrop,
    /// Samples a pixel, along one side.
    pub(super) fine: i32,
    /// The length of a cell.
    pub(super) cell: f32,
    pub(super) module: Vec3,
    /// Whether lines are drawn between cells.
    pub(super) lined: bool,
}

/// Where shade in the nooks is looked for: rings of places around, each with its direction.
const AROUND: [(f32, f32, f32); 12] = [
    (1.0, 0.0, 0.25),
    (0.5, 0.866, 0.5),
    (-0.5, 0.866, 0.75),
    (-1.0, 0.0, 0.33),
    (-0.5, -0.866, 0.6),
    (0.5, -0.866, 1.0),
    (0.866, 0.5, 0.9),
    (0.0, 1.0, 0.3),
    (-0.866, 0.5, 0.5),
    (-0.866, -0.5, 1.0),
    (0.0, -1.0, 0.4),
    (0.866, -0.5, 0.65),
];

/// Where shadows are looked up around a place, so that their edges are soft.
const SOFT: [(f32, f32); 9] = [
    (0.0, 0.0),
    (0.9, 0.3),
    (-0.7, 0.7),
    (0.2, -0.9),
    (-0.9, -0.3),
    (0.5, 0.9),
    (-0.3, -0.5),
    (0.7, -0.6),
    (-0.2, 0.4),
];

impl Lit<'_> {
    /// The picture, its samples joined. O(samples).
    pub(super) fn picture(&self) -> Result<Picture, PictureError> {
        let (width, height) = (self.target.width / self.fine, self.target.height / self.fine);
        let mut light = vec![(Vec3::ZERO, Vec3::ZERO); width as usize * height as usize];
        // Each pixel is worked out by itself: how many do it at once changes nothing.
        let hands = std::thread::available_parallelism().map_or(1, usize::from).min(8);
        let rows = (height as usize).div_ceil(hands * 8).max(1);
        let bands: Vec<(usize, &mut [(Vec3, Vec3)])> =
            light.chunks_mut(rows * width.max(1) as usize).enumerate().collect();
        let bands = std::sync::Mutex::new(bands.into_iter());
        std::thread::scope(|scope| {
            for _ in 0..hands {
                scope.spawn(|| {
                    loop {
                        let band = bands.lock().ok().and_then(|mut bands| bands.next());
                        let Some((number, band)) = band else { break };
                        for (row, pixels) in band.chunks_mut(width as usize).enumerate() {
                            let y = (number * rows + row) as i32;
                            for (x, pixel) in pixels.iter_mut().enumerate() {
                                *pixel = self.pixel(x as i32, y);
                            }
                        }
                    }
                });
            }
        });
        let (mut light, glow): (Vec<Vec3>, Vec<Vec3>) = light.into_iter().unzip();
        if glow.iter().any(|glow| *glow != Vec3::ZERO) {
            halo(&mut light, &glow, width as usize, height as usize);
        }
        let mut picture = Picture::new(width as u32, height as u32, [0, 0, 0, 255])?;
        for (index, light) in light.into_iter().enumerate() {
            let [r, g, b] =
                light.to_array().map(|value| (value.clamp(0.0, 1.0).sqrt() * 255.0 + 0.5) as u8);
            let (x, y) = (index % width as usize, index / width as usize);
            picture.set(x as u32, y as u32, [r, g, b, 255]);
        }
        Ok(picture)
    }

    /// The light of a pixel, and what of it shines by itself.
    fn pixel(&self, x: i32, y: i32) -> (Vec3, Vec3) {
        let fine = self.fine;
        let all = (fine * fine) as f32;
        let (mut sum, mut shining) = (Vec3::ZERO, Vec3::ZERO);
        let mut ground = None;
        let mut open = None;
        // Most samples of a pixel lie on one face.
        let mut last: Option<([i8; 3], f32, Vec3)> = None;
        let near = 0.2 * self.cell;
        for dy in 0..fine {
            for dx in 0..fine {
                let (sx, sy) = (x * fine + dx, y * fine + dy);
                let sample =
                    &self.target.samples[sy as usize * self.target.width as usize + sx as usize];
                if !sample.is_seen() {
                    sum += *ground.get_or_insert_with(|| self.ground(x, y));
                    continue;
                }
                let known = last.filter(|(normal, depth, _)| {
                    *normal == sample.normal && (depth - sample.depth).abs() < near
                });
                let (.., light) = known.unwrap_or_else(|| {
                    let open = *open.get_or_insert_with(|| self.open(sample, sx, sy));
                    (sample.normal, sample.depth, self.on_face(sample, sx, sy, open))
                });
                last = Some((sample.normal, sample.depth, light));
                let glow = Vec3::from(sample.glow.map(linear));
                let mut colour = Vec3::from(sample.colour.map(linear));
                if self.lined && self.is_on_line(sample, sx, sy) {
                    colour = colour.lerp(Vec3::ONE, 0.45);
                }
                sum += colour * light + glow;
                shining += glow;
            }
        }
        (sum / all, shining / all)
    }

    /// Whether a sample lies on a line between cells, on a face that looks up.
    fn is_on_line(&self, sample: &Sample, x: i32, y: i32) -> bool {
        if sample.normal[1] < 80 {
            return false;
        }
        let point = self.camera.point(Vec2::new(x as f32 + 0.5, y as f32 + 0.5), sample.depth);
        let near = |at: f32, length: f32| {
            let along = at / length;
            (along - along.round()).abs() * length < 0.012 * self.cell
        };
        near(point.x, self.module.x) || near(point.z, self.module.z)
    }

    /// How open the surroundings of a sample are: 1 in the open, less in nooks.
    fn open(&self, sample: &Sample, x: i32, y: i32) -> f32 {
        let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
        self.open_at(self.camera.point(at, sample.depth), normal_of(sample), sample.depth, x, y)
    }

    fn open_at(&self, point: Vec3, normal: Vec3, depth: f32, x: i32, y: i32) -> f32 {
        let reach = 0.45 * self.cell;
        let far = (reach * self.camera.scale(depth)).clamp(2.0, 60.0);
        // Turned from place to place, so that no pattern is seen.
        let turn = ((x / self.fine * 7 + y / self.fine * 13) % 8) as f32 / 8.0 * 0.9;
        let mut shade = 0.0;
        for (dx, dy, ring) in AROUND {
            let (dx, dy) = (dx - dy * turn, dy + dx * turn);
            let (nx, ny) = (x + (dx * ring * far) as i32, y + (dy * ring * far) as i32);
            let Some(other) = self.target.at(nx, ny).filter(|other| other.is_seen()) else {
                continue;
            };
            let there = self.camera.point(Vec2::new(nx as f32 + 0.5, ny as f32 + 0.5), other.depth);
            let way = there - point;
            let length = way.length();
            if length < 1e-4 || length > 2.5 * reach {
                continue;
            }
            let above = (way.dot(normal) / length - 0.12).max(0.0);
            shade += above * (1.0 - (length / (2.5 * reach)));
        }
        (1.0 - shade / 3.6).clamp(0.25, 1.0)
    }

    /// How much of the light reaches a point.
    fn lit(&self, point: Vec3, normal: Vec3) -> f32 {
        // The more a face lies along the light, the further off it is asked.
        let off = 0.03 + 0.07 * (1.0 - normal.dot(self.towards).clamp(0.0, 1.0));
        let seen = self.from.see(point + normal * (off * self.cell));
        let wide = 0.05 * self.cell * self.from.scale(1.0);
        let mut sum = 0.0;
        for (dx, dy) in SOFT {
            let (sx, sy) = (seen.at.x + dx * wide, seen.at.y + dy * wide);
            let there = self.shadow.at(sx.floor() as i32, sy.floor() as i32);
            let hidden = there.is_some_and(|there| there.depth > seen.depth + 0.04 * self.cell);
            sum += if hidden { 0.0 } else { 1.0 / SOFT.len() as f32 };
        }
        sum
    }

    /// The light on a face.
    fn on_face(&self, sample: &Sample, x: i32, y: i32, open: f32) -> Vec3 {
        let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
        let point = self.camera.point(at, sample.depth);
        let normal = normal_of(sample);
        let facing = normal.dot(self.towards);
        let direct = if facing > 0.0 { facing * self.lit(point, normal) } else { 0.0 };
        let sky = self.style.sky().lerp(self.style.below(), 0.5 - 0.5 * normal.y);
        self.style.sun() * direct + sky * open
    }

    /// The backdrop: ground around the map that fades away, in shadow where the map is in the way.
    fn ground(&self, x: i32, y: i32) -> Vec3 {
        let (x, y) = (x * self.fine + self.fine / 2, y * self.fine + self.fine / 2);
        let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
        let back = self.style.behind();
        let Some(point) = self.camera.floor(at, self.backdrop.floor) else { return back };
        let Backdrop { least, most, .. } = self.backdrop;
        let out = (least - point).max(point - most).max(Vec3::ZERO);
        let far = Vec2::new(out.x, out.z).length() / self.backdrop.fade;
        let near = (1.0 - far).clamp(0.0, 1.0);
        let near = near * near * (3.0 - 2.0 * near);
        if near == 0.0 {
            return back;
        }
        let depth = self.camera.see(point).depth;
        let open = self.open_at(point, Vec3::Y, depth, x, y);
        let lit = self.lit(point, Vec3::Y);
        let shade = (0.45 + 0.55 * lit) * (0.35 + 0.65 * open);
        let ground = self.style.floor() * shade;
        back.lerp(ground, near)
    }
}

/// A glow around what gives light: what shines, twice blurred along rows and columns, is added.
fn halo(light: &mut [Vec3], glow: &[Vec3], width: usize, height: usize) {
    let reach = (width / 70).max(3);
    let mut soft = glow.to_vec();
    for _ in 0..2 {
        soft = blurred(&soft, width, height, reach);
    }
    for (light, soft) in light.iter_mut().zip(soft) {
        *light += soft * 0.85;
    }
}

/// The mean of a window around each value, along rows and then along columns. O(values).
fn blurred(values: &[Vec3], width: usize, height: usize, reach: usize) -> Vec<Vec3> {
    let window = 2 * reach + 1;
    let along = |from: &[Vec3], to: &mut [Vec3], start: usize, step: usize, count: usize| {
        let value = |at: isize| match usize::try_from(at) {
            Ok(at) if at < count => from[start + at * step],
            _ => Vec3::ZERO,
        };
        let mut sum: Vec3 = (0..reach as isize).map(value).sum();
        for at in 0..count as isize {
            sum += value(at + reach as isize) - value(at - reach as isize - 1);
            to[start + at as usize * step] = sum / window as f32;
        }
    };
    let mut rows = vec![Vec3::ZERO; values.len()];
    for y in 0..height {
        along(values, &mut rows, y * width, 1, width);
    }
    let mut all = vec![Vec3::ZERO; values.len()];
    for x in 0..width {
        along(&rows, &mut all, x, width, height);
    }
    all
}

fn linear(value: u8) -> f32 {
    let value = f32::from(value) / 255.0;
    value * value
}

fn normal_of(sample: &Sample) -> Vec3 {
    Vec3::from(sample.normal.map(f32::from)).normalize_or(Vec3::Y)
}
