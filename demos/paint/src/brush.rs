//! Brushes that the demos share: ground, paths, hedges, water, stones and lanterns.

use crate::canvas::{Canvas, chance, length, ramp, rgb};

pub const MOSS: [u32; 5] = [0x1b3138, 0x23433f, 0x2d5546, 0x3b6a4b, 0x558452];
pub const TEA: [u32; 5] = [0x16302f, 0x21503e, 0x347049, 0x569354, 0x8fbf68];
pub const SOIL: [u32; 3] = [0x251f33, 0x352a38, 0x46363c];
pub const GRAVEL: [u32; 5] = [0x4d465a, 0x746a70, 0x978978, 0xb5a588, 0xd8c79c];
pub const STONE: [u32; 5] = [0x2a2c4a, 0x494d6c, 0x6d7390, 0x949ab0, 0xbfc4cf];
pub const WATER: [u32; 5] = [0x111d45, 0x152b58, 0x1b3f6d, 0x275c82, 0x55a0a8];
pub const LEAF: [u32; 4] = [0x17323a, 0x1f5143, 0x2f7350, 0x62a565];
pub const WOOD: [u32; 4] = [0x24182a, 0x4a2f33, 0x74493a, 0xa56c46];
pub const AMBER: [u32; 4] = [0xa8501f, 0xe88a2c, 0xffbe55, 0xfff0b8];
pub const OUTLINE: u32 = 0x14162e;

/// A little roughness that dies away towards the sides, so that neighbours still meet.
fn rough(x: i32, y: i32, rim: f32, purpose: u64) -> f32 {
    (chance(x / 2, y / 2, purpose) - 0.5) * rim.clamp(0.0, 3.0) / 3.0 * 1.6
}

/// Moss all over.
pub fn moss(canvas: &mut Canvas, purpose: u64) {
    canvas.each(|x, y, _, _| {
        let fine = chance(x, y, purpose);
        let tuft = chance(x / 2, i32::midpoint(y, x / 2 % 2), purpose ^ 0x4d);
        let value = 0.36 + (tuft - 0.5) * 0.34 + (fine - 0.5) * 0.22;
        Some(ramp(&MOSS, value, x, y))
    });
    for number in 0..5 {
        let (a, b) = (chance(number, 1, purpose), chance(number, 2, purpose));
        let (x, y) = (2 + (a * 19.0) as i32, 2 + (b * 19.0) as i32);
        canvas.set(x, y, rgb(MOSS[4]));
        canvas.set(x + 1, y + 1, rgb(MOSS[0]));
    }
}

/// A gravel path; `run` is the distance from its middle line.
pub fn gravel(canvas: &mut Canvas, run: impl Fn(f32, f32) -> f32, half: f32, purpose: u64) {
    let rim = canvas.rim();
    canvas.each(|x, y, px, py| {
        let d = run(px, py) - half + rough(x, y, rim(px, py), purpose);
        if d > 1.2 {
            return None;
        }
        if d > 0.0 {
            return Some(rgb(MOSS[0]));
        }
        let fine = chance(x, y, purpose ^ 5);
        let edge = (-d / half).clamp(0.0, 1.0);
        let value = 0.30 + edge * 0.32 + (fine - 0.5) * 0.42;
        Some(ramp(&GRAVEL, value, x, y))
    });
}

/// A lily pad.
pub fn lily(canvas: &mut Canvas, cx: f32, cy: f32, radius: f32, flower: bool) {
    canvas.each(|x, y, _, _| {
        let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
        let away = length(dx, dy);
        let notch = dx > 0.0 && dy.abs() < dx * 0.45;
        if away > radius || notch {
            return None;
        }
        let value = if away > radius - 1.0 { 0.35 } else { 0.8 - dy * 0.08 };
        Some(ramp(&LEAF, value, x, y))
    });
    if flower {
        let (x, y) = (cx as i32, cy as i32);
        for (dx, dy, hex) in [
            (0, -2, 0xe7a3bd),
            (-2, 0, 0xd886aa),
            (2, 0, 0xe7a3bd),
            (0, 2, 0xc46f98),
            (-1, -1, 0xf6cbd6),
            (1, -1, 0xfbe3e6),
            (-1, 1, 0xe7a3bd),
            (1, 1, 0xe7a3bd),
            (0, 0, 0xffe9a8),
        ] {
            canvas.set(x + dx, y + dy, rgb(hex));
        }
    }
}

/// A clipped hedge along a line.
pub fn hedge(canvas: &mut Canvas, run: impl Fn(f32, f32) -> f32, purpose: u64) {
    const HALF_WIDTH: f32 = 5.0;
    canvas.each(|x, y, px, py| {
        let d = run(px, py) - HALF_WIDTH;
        if d > 1.3 {
            return None;
        }
        if d > 0.0 {
            return Some(rgb(OUTLINE));
        }
        let leaf = chance(x, y, purpose);
        let clump = chance(x / 2, y / 2, purpose ^ 8);
        let top = (-d / HALF_WIDTH).clamp(0.0, 1.0);
        Some(ramp(&LEAF, 0.22 + top * 0.45 + (leaf - 0.5) * 0.35 + (clump - 0.5) * 0.3, x, y))
    });
}

/// A rill set in stone along a line.
pub fn rill(canvas: &mut Canvas, run: impl Fn(f32, f32) -> f32, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = run(px, py) - 2.0;
        if d > 2.4 {
            return None;
        }
        if d > 0.4 {
            let joint = chance(x / 2, y / 2, purpose ^ 4);
            return Some(ramp(&STONE, 0.25 + joint * 0.35 - d * 0.08, x, y));
        }
        let glint = chance(x, y, purpose) > 0.9;
        Some(ramp(&WATER, if glint { 1.0 } else { 0.55 + d * 0.1 }, x, y))
    });
}

/// A paper lantern, five pixels wide, lit from within.
pub fn lantern(canvas: &mut Canvas, cx: i32, cy: i32) {
    for (dy, half) in [(-3, 1), (-2, 2), (-1, 2), (0, 2), (1, 2), (2, 1)] {
        for dx in -half..=half {
            let value = 1.0 - (dx as f32).abs() * 0.28 - (dy as f32 + 0.5).abs() * 0.10;
            let ribs = if dy % 2 == 0 { 0.0 } else { 0.12 };
            canvas.set(cx + dx, cy + dy, ramp(&AMBER, value - ribs, cx + dx, cy + dy));
        }
    }
    canvas.rect(cx - 1, cy - 4, 3, 1, rgb(WOOD[0]));
    canvas.rect(cx - 1, cy + 3, 3, 1, rgb(WOOD[0]));
}

/// A post.
pub fn post(canvas: &mut Canvas, x: i32, top: i32, bottom: i32) {
    canvas.rect(x - 1, top, 3, bottom - top, rgb(OUTLINE));
    canvas.rect(x, top, 1, bottom - top, rgb(WOOD[2]));
}

/// A tiered lantern pagoda, lit from within.
pub fn pagoda(canvas: &mut Canvas) {
    canvas.glow(12.0, 12.0, 11.5, 1.0);
    let roof = [0x2b2546, 0x3b3158, 0x544474];
    for (ring, half) in [(0usize, 9), (1, 6), (2, 3)] {
        canvas.rect(12 - half - 1, 12 - half - 1, half * 2 + 2, half * 2 + 2, rgb(OUTLINE));
        canvas.rect(12 - half, 12 - half, half * 2, half * 2, rgb(AMBER[ring.min(2)]));
        canvas.rect(12 - half + 1, 12 - half + 1, half * 2 - 2, half * 2 - 2, rgb(roof[ring]));
        for step in 0..half {
            for (x, y) in [
                (12 - half + step, 12 - half + step),
                (11 + half - step, 12 - half + step),
                (12 - half + step, 11 + half - step),
                (11 + half - step, 11 + half - step),
            ] {
                canvas.set(x, y, rgb(0x8470a0));
            }
        }
    }
    canvas.rect(11, 11, 2, 2, rgb(AMBER[3]));
}

/// A few ferns.
pub fn ferns(canvas: &mut Canvas, purpose: u64) {
    for number in 0..5 {
        let x = 4 + (chance(number, 7, purpose) * 16.0) as i32;
        let y = 5 + (chance(number, 8, purpose) * 14.0) as i32;
        for reach in 0..4 {
            canvas.set(x - reach, y - reach / 2, rgb(LEAF[2]));
            canvas.set(x + reach, y - reach / 2, rgb(LEAF[3]));
            canvas.set(x, y - reach, rgb(LEAF[3]));
        }
        canvas.set(x, y + 1, rgb(MOSS[0]));
    }
}

/// Three boulders.
pub fn boulders(canvas: &mut Canvas) {
    // Placed for a square of 24; in the middle of larger tiles.
    let (left, top) = ((canvas.width - 24) as f32 / 2.0, (canvas.height - 24) as f32 / 2.0);
    for (cx, cy, radius) in [(8.0, 9.0, 4.0), (15.5, 14.5, 3.0), (9.0, 17.0, 2.0)] {
        let (cx, cy) = (cx + left, cy + top);
        canvas.each(|x, y, _, _| {
            let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
            let away = length(dx, dy);
            if away > radius + 1.0 {
                return None;
            }
            if away > radius {
                return Some(rgb(OUTLINE));
            }
            Some(ramp(&STONE, 0.55 - (dx + dy) * 0.09 + (chance(x, y, 5) - 0.5) * 0.2, x, y))
        });
    }
}
