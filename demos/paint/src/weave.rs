//! Woven festival mats: 16 x 16 pixel tiles whose sides are told by their pixels alone.

use crate::brush::{AMBER, OUTLINE};
use crate::canvas::{Canvas, chance, length, rgb};
use lantern_quilt::picture::{Picture, Rgba};

const CELL: i32 = 16;
/// Two cloths, each from dark to light.
const CLOTHS: [[u32; 4]; 2] =
    [[0x1c2150, 0x272e68, 0x343d80, 0x465196], [0x1f4637, 0x2b5c43, 0x3a7450, 0x4f8e60]];
const HEM: [u32; 3] = [0x6b2f3e, 0x9c4548, 0xc9705a];

/// Strips over and under each other, four pixels wide.
pub fn weave(x: i32, y: i32, cloth: usize) -> Rgba {
    let over = (x / 4 + y / 4) % 2 == 0;
    let across = if over { y % 4 } else { x % 4 };
    let along = if over { x % 4 } else { y % 4 };
    // A strip is light in its middle and dark where it dives.
    let value = match (across, along) {
        (0 | 3, _) => 0,
        (_, 0 | 3) => 1,
        _ => 2 + usize::from(chance(x, y, 40 + cloth as u64) > 0.7),
    };
    rgb(CLOTHS[cloth][value])
}

/// What a pixel of the rim shows: the same for every tile, and from either end of a side.
fn rim(step: i32, cloth: usize) -> Rgba {
    let step = step.min(CELL - 1 - step);
    rgb(CLOTHS[cloth][1 + usize::from(step % 4 == 1)])
}

fn at_rim(x: i32, y: i32) -> bool {
    x.min(y) == 0 || x.max(y) == CELL - 1
}

/// A tile of mats: which cloth lies in each quarter (north-west, north-east, south-east,
/// south-west), and whether an amber band runs to each side.
fn mat(quarters: [usize; 4], bands: [bool; 4]) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    let last = CELL - 1;
    let cloth =
        |px: f32, py: f32| quarters[[[0, 3], [1, 2]][usize::from(px > 0.0)][usize::from(py > 0.0)]];
    canvas.each(|x, y, px, py| {
        let cloth = cloth(px, py);
        let along = if y == 0 || y == last { x } else { y };
        Some(if at_rim(x, y) { rim(along, cloth) } else { weave(x, y, cloth) })
    });
    // A hem wherever the cloth changes, rounded where it turns.
    let joins = |i: usize| quarters[i] != quarters[(i + 1) % 4];
    let sides = [joins(0), joins(1), joins(2), joins(3)];
    let ends = [(0.0, -8.0), (8.0, 0.0), (0.0, 8.0), (-8.0, 0.0)];
    let run = |of: [bool; 4], px: f32, py: f32| {
        let mut least = f32::MAX;
        for (side, _) in of.iter().enumerate().filter(|(_, there)| **there) {
            let (ex, ey) = ends[side];
            least = least.min(crate::canvas::segment((px, py), (0.0, 0.0), (ex, ey)));
        }
        least
    };
    canvas.each(|x, y, px, py| {
        let d = run(sides, px, py);
        let stitch = !at_rim(x, y) && (x + y) % 4 == 0;
        (d <= 1.0).then(|| rgb(HEM[if stitch { 2 } else { 1 }]))
    });
    canvas.each(|x, y, px, py| {
        let d = run(bands, px, py);
        let stitch = if px.abs() > py.abs() { x } else { y };
        match d {
            d if d <= 1.5 => Some(rgb(AMBER[if !at_rim(x, y) && stitch % 4 < 2 { 2 } else { 1 }])),
            d if d <= 2.5 => Some(rgb(AMBER[0])),
            d if d <= 3.5 => Some(rgb(OUTLINE)),
            _ => None,
        }
    });
    canvas
}

/// A knot of thread in the middle.
fn knot(canvas: &mut Canvas, radius: f32) {
    canvas.each(|x, y, px, py| {
        let d = length(px, py);
        match d {
            d if d < radius - 1.0 => Some(rgb(AMBER[if (x + y) % 2 == 0 { 2 } else { 3 }])),
            d if d < radius => Some(rgb(AMBER[1])),
            d if d < radius + 1.0 => Some(rgb(OUTLINE)),
            _ => None,
        }
    });
}

/// A flower stitched on.
fn flower(canvas: &mut Canvas, petals: u32) {
    canvas.each(|_, _, px, py| {
        let around = py.atan2(px) * 5.0;
        let reach = 4.6 + around.cos() * 1.6;
        match length(px, py) {
            d if d < 1.3 => Some(rgb(AMBER[3])),
            d if d < reach => Some(rgb(petals)),
            d if d < reach + 0.9 => Some(rgb(OUTLINE)),
            _ => None,
        }
    });
}

/// Every tile in sheet order: name and picture.
pub fn tiles() -> Vec<(&'static str, Picture)> {
    const NO: [bool; 4] = [false; 4];
    let mut all = Vec::new();
    let mut tile = |name: &'static str, canvas: Canvas| all.push((name, canvas.into_picture()));
    tile("indigo", mat([0; 4], NO));
    let mut canvas = mat([0; 4], NO);
    flower(&mut canvas, 0xd98a9a);
    tile("indigo flower", canvas);
    let mut canvas = mat([0; 4], NO);
    flower(&mut canvas, 0x8fb7d8);
    tile("indigo bluebell", canvas);
    tile("moss", mat([1; 4], NO));
    let mut canvas = mat([1; 4], NO);
    flower(&mut canvas, 0xe6d9a0);
    tile("moss flower", canvas);
    tile("hem", mat([0, 0, 1, 1], NO));
    tile("hem_corner", mat([0, 0, 1, 0], NO));
    tile("hem_inner", mat([1, 1, 0, 1], NO));
    tile("hem_cross", mat([0, 1, 0, 1], NO));
    tile("band", mat([0; 4], [true, false, true, false]));
    tile("band_bend", mat([0; 4], [true, true, false, false]));
    tile("band_cross", mat([0; 4], [true; 4]));
    let mut canvas = mat([0; 4], [true, false, false, false]);
    knot(&mut canvas, 4.0);
    tile("band_knot", canvas);
    let mut canvas = mat([0; 4], [true, true, true, false]);
    knot(&mut canvas, 4.0);
    tile("band_tee", canvas);
    all
}
