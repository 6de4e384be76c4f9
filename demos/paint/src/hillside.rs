//! A hillside cut open: tea roots, red clay and spring gravel, in quarters; bushes and lanterns on it.

use crate::brush::{GRAVEL, LEAF, MOSS, OUTLINE, STONE, WATER, WOOD, lantern};
use crate::canvas::{Canvas, chance, length, ramp, rgb};
use crate::ground::depth;
use lantern_quilt::picture::Picture;

const CELL: i32 = 16;
const ROOTS: [u32; 4] = [0x2a2030, 0x43302f, 0x5f4434, 0x7d5d3f];
const CLAY: [u32; 4] = [0x4a2330, 0x6d3236, 0x8f463d, 0xb2634a];
const NIGHT: [u32; 3] = [0x14162e, 0x1a1d3d, 0x232750];

fn band(joins: u8, colours: &'static [u32], purpose: u64, grain: i32) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let inner = x.min(y) > 0 && x.max(y) < CELL - 1;
        let rough = if inner { chance(x / 2, y / 2, purpose) - 0.5 } else { 0.0 };
        // Layers lie on each other without a gap: a patch reaches to the edge of its cell.
        let d = depth(joins, px * 0.78, py * 0.78, 3.0) + rough;
        let lump = chance(x / grain, y / grain, purpose ^ 3);
        match d {
            d if d < -0.4 => None,
            d if d < 0.6 => Some(rgb(OUTLINE)),
            _ => Some(ramp(colours, 0.2 + lump * 0.5 + chance(x, y, purpose ^ 9) * 0.2, x, y)),
        }
    });
    canvas
}

/// Roots hang through the topsoil.
fn roots(joins: u8) -> Canvas {
    let mut canvas = band(joins, &ROOTS, 91, 2);
    for number in 0..3 {
        let mut x = 3 + number * 5;
        for y in 2..13 {
            x += (chance(y, number, 92) * 3.0) as i32 - 1;
            canvas.set(x, y, rgb(0xa98a5a));
        }
    }
    canvas
}

fn clay(joins: u8) -> Canvas {
    band(joins, &CLAY, 93, 3)
}

/// Gravel with water between the stones.
fn spring(joins: u8) -> Canvas {
    let mut canvas = band(joins, &GRAVEL, 95, 1);
    for (number, radius) in [(0, 1.5), (1, 1.1), (2, 1.8), (3, 1.2), (4, 0.9)] {
        let (cx, cy) = (2.0 + chance(number, 1, 96) * 12.0, 2.0 + chance(number, 2, 96) * 12.0);
        canvas.each(|x, y, px, py| {
            let away = length(x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
            let inside = depth(joins, px * 0.78, py * 0.78, 3.0) > 2.0;
            (inside && away < radius).then(|| {
                if number == 1 {
                    rgb(WATER[4])
                } else {
                    ramp(&STONE, 0.75 - (px + py) * 0.02, x, y)
                }
            })
        });
    }
    canvas
}

/// The night, some of it with a star.
fn night(number: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, _, _| Some(ramp(&NIGHT, 0.35 + chance(x / 4, y / 4, 97) * 0.15, x, y)));
    if number > 0 {
        let (x, y) = (3 + (chance(1, number as i32, 98) * 9.0) as i32, 4 + number as i32 * 2);
        canvas.set(x, y, rgb(0xf6e7c0));
        if number == 2 {
            for (dx, dy) in [(1, 0), (-1, 0), (0, 1), (0, -1)] {
                canvas.set(x + dx, y + dy, [0xf6, 0xe7, 0xc0, 110]);
            }
        }
    }
    canvas
}

/// The rock behind a hollow.
fn hollow(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = depth(joins, px * 0.78, py * 0.78, 3.0);
        let lump = chance(x / 3, y / 2, 99);
        match d {
            d if d < -0.4 => None,
            d if d < 0.8 => Some(rgb(OUTLINE)),
            _ => Some(ramp(&[0x1d1830, 0x2b2038, 0x3a2a3c], 0.2 + lump * 0.6, x, y)),
        }
    });
    canvas
}

/// A clipped tea bush on the surface.
fn bush(kind: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let (dx, dy) = (px / 7.0, (py - 3.0) / 6.0);
        let away = length(dx, dy) + (chance(x / 2, y / 2, 60 + kind) - 0.5) * 0.2;
        match away {
            d if y > 14 || d > 1.05 => None,
            d if d > 0.88 => Some(rgb(OUTLINE)),
            _ => Some(ramp(&LEAF, 0.55 - dy * 0.35 + chance(x, y, 61 + kind) * 0.2, x, y)),
        }
    });
    canvas
}

fn grass() -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    for x in 0..CELL {
        let high = 2 + (chance(x, 3, 62) * 4.0) as i32;
        for y in 0..high {
            canvas.set(x, 15 - y, rgb(MOSS[if y + 1 == high { 4 } else { 2 }]));
        }
    }
    canvas
}

fn lit_lantern() -> Canvas {
    let mut canvas = Canvas::new(80, 80);
    canvas.glow(40.0, 40.0, 39.0, 0.9);
    canvas.glow(40.0, 40.0, 16.0, 1.2);
    canvas.rect(40, 32, 1, 5, rgb(WOOD[2]));
    lantern(&mut canvas, 40, 40);
    canvas
}

/// The moon in its light.
fn moon() -> Canvas {
    let mut canvas = Canvas::new(80, 80);
    canvas.each(|x, y, px, py| {
        let away = length(px, py);
        let halo = ((1.0 - away / 39.0).max(0.0).powi(2) * 110.0) as u8;
        let crater = length(px + 3.0, py - 2.0) < 2.4 || length(px - 4.0, py + 4.0) < 1.7;
        let value = if crater { 0.2 } else { 0.8 - px * 0.02 };
        match away {
            d if d < 10.0 => Some(ramp(&[0xc9b98c, 0xe8dcb4, 0xfbf3d6], value, x, y)),
            _ if halo > 4 => Some([0xc8, 0xc4, 0xe8, halo]),
            _ => None,
        }
    });
    canvas
}

/// Night three times, then roots, clay, gravel and hollows in five drawings each; bushes, grass, and a
/// lantern of five cells.
pub fn sheet() -> Picture {
    let mut sheet = Picture::new((CELL * 5) as u32, (CELL * 16) as u32, [0; 4]).expect("small");
    let mut lay = |column: usize, row: i32, canvas: Canvas| {
        sheet.lay(&canvas.into_picture(), column as i64 * 16, i64::from(row * CELL));
    };
    for number in 0..3 {
        lay(number, 0, night(number as u64));
    }
    let kinds: [fn(u8) -> Canvas; 4] = [roots, clay, spring, hollow];
    for (row, kind) in kinds.into_iter().enumerate() {
        for (column, joins) in [0, 0x11, 0x44, 0x55, 0xff].into_iter().enumerate() {
            lay(column, row as i32 + 1, kind(joins));
        }
    }
    lay(0, 5, bush(0));
    lay(1, 5, bush(1));
    lay(2, 5, grass());
    lay(0, 6, lit_lantern());
    lay(0, 11, moon());
    sheet
}
