//! A small canvas: colours, dithering, and shapes told by their distance.

use lantern_quilt::picture::{Picture, Rgba};
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// An opaque colour written as 0xRRGGBB.
pub const fn rgb(hex: u32) -> Rgba {
    [(hex >> 16) as u8, (hex >> 8) as u8, hex as u8, 255]
}

/// A value in 0..1 that belongs to a place and a purpose.
pub fn chance(x: i32, y: i32, purpose: u64) -> f32 {
    let mut place = [0; 8];
    place[..4].copy_from_slice(&x.to_le_bytes());
    place[4..].copy_from_slice(&y.to_le_bytes());
    (xxh3_64_with_seed(&place, purpose) >> 40) as f32 / (1u32 << 24) as f32
}

/// The threshold of ordered dithering at a pixel, in 0..1 (Bayer 1973).
pub fn dither(x: i32, y: i32) -> f32 {
    const BAYER: [[u8; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];
    (f32::from(BAYER[y.rem_euclid(4) as usize][x.rem_euclid(4) as usize]) + 0.5) / 16.0
}

/// Picks along a ramp of colours from dark to light; `value` 0..1, dithered between neighbours.
pub fn ramp(colours: &[u32], value: f32, x: i32, y: i32) -> Rgba {
    let steps = (colours.len() - 1) as f32;
    let at = (value.clamp(0.0, 1.0) * steps).min(steps - 0.001);
    let up = at.fract() > 0.15 + 0.7 * dither(x, y);
    rgb(colours[at as usize + usize::from(up)])
}

/// A square or hexagonal tile under the brush; (0, 0) is its middle.
pub struct Canvas {
    pub width: i32,
    pub height: i32,
    picture: Picture,
}

impl Canvas {
    pub fn new(width: i32, height: i32) -> Self {
        let picture = Picture::new(width as u32, height as u32, [0; 4]).expect("tiles are small");
        Self { width, height, picture }
    }

    /// The distance from a place to the nearest side of the tile; below zero outside.
    pub fn rim(&self) -> fn(f32, f32) -> f32 {
        if self.width == self.height { |x, y| 12.0 - x.abs().max(y.abs()) } else { hex_rim }
    }

    /// Takes away what lies more than a pixel outside the hexagon.
    pub fn cut_hexagon(&mut self) {
        for y in 0..self.height {
            for x in 0..self.width {
                let px = x as f32 + 0.5 - self.width as f32 / 2.0;
                let py = y as f32 + 0.5 - self.height as f32 / 2.0;
                if hex_rim(px, py) < -1.0 {
                    self.picture.set(x as u32, y as u32, [0; 4]);
                }
            }
        }
    }

    pub fn into_picture(self) -> Picture {
        self.picture
    }

    pub fn set(&mut self, x: i32, y: i32, colour: Rgba) {
        self.picture.blend(i64::from(x), i64::from(y), colour);
    }

    pub fn rect(&mut self, x: i32, y: i32, w: i32, h: i32, colour: Rgba) {
        for dy in 0..h {
            for dx in 0..w {
                self.set(x + dx, y + dy, colour);
            }
        }
    }

    /// Calls `paint` for every pixel with its number and its place from the middle.
    pub fn each(&mut self, paint: impl Fn(i32, i32, f32, f32) -> Option<Rgba>) {
        for y in 0..self.height {
            for x in 0..self.width {
                let px = x as f32 + 0.5 - self.width as f32 / 2.0;
                let py = y as f32 + 0.5 - self.height as f32 / 2.0;
                if let Some(colour) = paint(x, y, px, py) {
                    self.set(x, y, colour);
                }
            }
        }
    }

    /// Warm light around a place, gone before it reaches `reach` pixels.
    pub fn glow(&mut self, cx: f32, cy: f32, reach: f32, strength: f32) {
        for y in 0..self.height {
            for x in 0..self.width {
                let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
                let near = 1.0 - (dx * dx + dy * dy).sqrt() / reach;
                if near > 0.0 {
                    let level = (near * near * strength * 6.0 + dither(x, y) * 0.9).floor() / 6.0;
                    if level > 0.0 {
                        let alpha = (level.min(1.0) * 150.0) as u8;
                        self.set(x, y, [255, 176, 72, alpha]);
                    }
                }
            }
        }
    }
}

/// The distance to the nearest side of a hexagon 28 pixels wide with a corner at the top.
fn hex_rim(x: f32, y: f32) -> f32 {
    14.0 - x.abs().max(x.abs() * 0.5 + y.abs() * 0.866)
}

/// Distance from a point to the segment from `a` to `b`.
pub fn segment(p: (f32, f32), a: (f32, f32), b: (f32, f32)) -> f32 {
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    let along = ((p.0 - a.0) * dx + (p.1 - a.1) * dy) / (dx * dx + dy * dy).max(1e-6);
    let t = along.clamp(0.0, 1.0);
    let (ex, ey) = (p.0 - a.0 - t * dx, p.1 - a.1 - t * dy);
    (ex * ex + ey * ey).sqrt()
}

pub fn length(x: f32, y: f32) -> f32 {
    (x * x + y * y).sqrt()
}
