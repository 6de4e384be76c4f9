//! The tea terrace: 24 pixel tiles seen from above, on the night of the festival.

use crate::canvas::{Canvas, chance, dither, length, ramp, rgb, segment};
use lantern_quilt::picture::Picture;

/// Pixels along a tile.
pub const CELL: i32 = 24;
const HALF: f32 = 12.0;

const MOSS: [u32; 5] = [0x1b3138, 0x23433f, 0x2d5546, 0x3b6a4b, 0x558452];
const TEA: [u32; 5] = [0x16302f, 0x21503e, 0x347049, 0x569354, 0x8fbf68];
const SOIL: [u32; 3] = [0x251f33, 0x352a38, 0x46363c];
const GRAVEL: [u32; 5] = [0x4d465a, 0x746a70, 0x978978, 0xb5a588, 0xd8c79c];
const STONE: [u32; 5] = [0x2a2c4a, 0x494d6c, 0x6d7390, 0x949ab0, 0xbfc4cf];
const WATER: [u32; 5] = [0x111d45, 0x152b58, 0x1b3f6d, 0x275c82, 0x55a0a8];
const LEAF: [u32; 4] = [0x17323a, 0x1f5143, 0x2f7350, 0x62a565];
const WOOD: [u32; 4] = [0x24182a, 0x4a2f33, 0x74493a, 0xa56c46];
const AMBER: [u32; 4] = [0xa8501f, 0xe88a2c, 0xffbe55, 0xfff0b8];
const OUTLINE: u32 = 0x14162e;

/// Which sides of a tile something runs to: north, east, south, west.
type Arms = [bool; 4];
const ENDS: [(f32, f32); 4] = [(0.0, -13.0), (13.0, 0.0), (0.0, 13.0), (-13.0, 0.0)];

/// Distance from the middle line of something that runs to `arms`; two neighbouring arms bend.
fn run(arms: Arms, x: f32, y: f32) -> f32 {
    let count = arms.iter().filter(|&&arm| arm).count();
    if count == 2 && arms[0] && arms[1] {
        return (length(x - HALF, y + HALF) - HALF).abs();
    }
    let each = (0..4).filter(|&i| arms[i]).map(|i| segment((x, y), (0.0, 0.0), ENDS[i]));
    each.fold(f32::MAX, f32::min)
}

/// A little roughness that dies away towards the sides, so that neighbours still meet.
fn rough(x: i32, y: i32, px: f32, py: f32, purpose: u64) -> f32 {
    let inner = (HALF - px.abs().max(py.abs())).clamp(0.0, 3.0) / 3.0;
    (chance(x / 2, y / 2, purpose) - 0.5) * inner * 1.6
}

fn moss(canvas: &mut Canvas, purpose: u64) {
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

fn gravel(canvas: &mut Canvas, arms: Arms, half: f32, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = run(arms, px, py) - half + rough(x, y, px, py, purpose);
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

/// Signed distance to where raised or wet ground begins; below zero is inside.
#[derive(Clone, Copy)]
pub enum Shore {
    /// The northern half.
    Straight,
    /// The north-eastern corner.
    Corner,
    /// All but the south-western corner.
    Inner,
    /// The north-eastern and the south-western corner.
    Saddle,
    /// Everything.
    All,
}

fn shore(kind: Shore, x: f32, y: f32) -> f32 {
    let corner = length(x - HALF, y + HALF) - HALF;
    let far = length(x + HALF, y - HALF) - HALF;
    match kind {
        Shore::Straight => y,
        Shore::Corner => corner,
        Shore::Inner => -far,
        Shore::Saddle => corner.min(far),
        Shore::All => -30.0,
    }
}

fn tea(canvas: &mut Canvas, kind: Shore, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = shore(kind, px, py);
        (d < 0.0).then(|| ramp(&SOIL, 0.35 + (chance(x, y, purpose) - 0.5) * 0.8, x, y))
    });
    // Bushes on a grid that looks the same in every turn of the tile.
    for row in 0..4 {
        for column in 0..4 {
            let (cx, cy) = (column as f32 * 6.0 + 3.0, row as f32 * 6.0 + 3.0);
            if shore(kind, cx - HALF, cy - HALF) > -4.5 {
                continue;
            }
            canvas.each(|x, y, _, _| {
                let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
                let away = length(dx, dy);
                if away > 3.1 {
                    return None;
                }
                let leaf = chance(x, y, purpose ^ 9);
                let value = 0.95 - away * 0.27 + (leaf - 0.5) * 0.45;
                Some(ramp(&TEA, value, x, y))
            });
        }
    }
}

/// A course of set stones along a shore.
fn stones(canvas: &mut Canvas, kind: Shore, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = shore(kind, px, py);
        if d.abs() > 3.2 {
            return None;
        }
        let along = match kind {
            Shore::Straight | Shore::All => px + HALF,
            _ if length(px - HALF, py + HALF) < length(px + HALF, py - HALF) => {
                (py + HALF).atan2(HALF - px) * HALF
            }
            _ => (py - HALF).atan2(px + HALF).abs() * HALF,
        };
        // The joint falls in the middle of a stone at the sides, so that turns meet.
        let place = (along / 4.8).rem_euclid(1.0);
        if d.abs() > 2.4 {
            return Some(rgb(if d > 0.0 { 0x161b33 } else { SOIL[0] }));
        }
        if !(0.12..0.9).contains(&place) {
            return Some(rgb(STONE[0]));
        }
        let shade = chance((along / 4.8) as i32, 3, purpose) * 0.25 - 0.1;
        let round = 1.0 - (d.abs() / 2.6);
        Some(ramp(&STONE, 0.35 + round * 0.42 + shade + (chance(x, y, purpose) - 0.5) * 0.2, x, y))
    });
}

fn water(canvas: &mut Canvas, kind: Shore, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = shore(kind, px, py);
        if d > 2.6 {
            return None;
        }
        if d > 0.4 {
            let wet = chance(x, y, purpose ^ 3);
            return Some(ramp(&STONE, 0.12 + wet * 0.5 - d * 0.08, x, y));
        }
        if d > -1.2 {
            return Some(ramp(&WATER, 0.72 + (chance(x, y, purpose) - 0.5) * 0.5, x, y));
        }
        let deep = (-d / 10.0).clamp(0.0, 1.0);
        let wave = chance(x / 3, y, purpose ^ 0x15);
        let lift = if wave > 0.86 { 0.22 } else { 0.0 };
        Some(ramp(&WATER, 0.42 - deep * 0.16 + lift + (chance(x, y, purpose) - 0.5) * 0.08, x, y))
    });
}

fn lily(canvas: &mut Canvas, cx: f32, cy: f32, radius: f32, flower: bool) {
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

fn hedge(canvas: &mut Canvas, arms: Arms, purpose: u64) {
    const HALF_WIDTH: f32 = 5.0;
    canvas.each(|x, y, px, py| {
        let d = run(arms, px, py) - HALF_WIDTH;
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

fn rill(canvas: &mut Canvas, arms: Arms, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = run(arms, px, py) - 2.0;
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
fn lantern(canvas: &mut Canvas, cx: i32, cy: i32) {
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

fn post(canvas: &mut Canvas, x: i32, top: i32, bottom: i32) {
    canvas.rect(x - 1, top, 3, bottom - top, rgb(OUTLINE));
    canvas.rect(x, top, 1, bottom - top, rgb(WOOD[2]));
}

fn stall(canvas: &mut Canvas, cloth: [u32; 2], goods: [u32; 3]) {
    canvas.glow(12.0, 15.0, 11.5, 0.9);
    canvas.rect(3, 3, 18, 15, rgb(OUTLINE));
    // The counter with its goods, under a lit roof edge.
    canvas.rect(4, 12, 16, 5, rgb(WOOD[1]));
    canvas.rect(4, 12, 16, 1, rgb(AMBER[1]));
    canvas.rect(4, 16, 16, 1, rgb(WOOD[3]));
    for number in 0..7 {
        let hex = goods[number as usize % 3];
        canvas.rect(5 + number * 2, 14, 1, 2, rgb(hex));
    }
    for x in 4..20 {
        let stripe = cloth[usize::from((x / 3) % 2 == 0)];
        for y in 4..11 {
            let shade = if y < 5 { 0.0 } else { dither(x, y) * 0.25 };
            let [r, g, b, a] = rgb(stripe);
            let dim = |v: u8| (f32::from(v) * (1.0 - shade - (y - 4) as f32 * 0.03)) as u8;
            canvas.set(x, y, [dim(r), dim(g), dim(b), a]);
        }
        canvas.set(x, 11, rgb(if x % 3 == 1 { OUTLINE } else { stripe }));
    }
}

fn pagoda(canvas: &mut Canvas) {
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

fn hung_quilt(canvas: &mut Canvas) {
    let patches = [0xb5483a, 0xe0a94a, 0x3f6f8c, 0xd8c79c, 0x6a4a7c, 0x5f9a5a];
    post(canvas, 3, 4, 20);
    post(canvas, 20, 4, 20);
    canvas.rect(3, 5, 18, 1, rgb(WOOD[3]));
    canvas.rect(4, 6, 16, 13, rgb(OUTLINE));
    for row in 0..3 {
        for column in 0..4 {
            let hex = patches[(column * 5 + row * 2 + column / 2) as usize % 6];
            let (x, y) = (5 + column * 4, 6 + row * 4);
            canvas.rect(x - 1, y, 4, 4, rgb(hex));
            canvas.set(x + 1, y + 1, rgb(0xf4e3b8));
            canvas.rect(x - 1, y + 3, 4, 1, [20, 22, 46, 90]);
        }
    }
}

fn ferns(canvas: &mut Canvas, purpose: u64) {
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

fn boulders(canvas: &mut Canvas) {
    for (cx, cy, radius) in [(8.0, 9.0, 4.0), (15.5, 14.5, 3.0), (9.0, 17.0, 2.0)] {
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

/// Every tile in sheet order: name and picture.
pub fn tiles() -> Vec<(&'static str, Picture)> {
    const STRAIGHT: Arms = [true, false, true, false];
    const BEND: Arms = [true, true, false, false];
    const TEE: Arms = [true, true, false, true];
    const CROSS: Arms = [true; 4];
    const END: Arms = [false, false, true, false];
    let mut all: Vec<(&'static str, Picture)> = Vec::new();
    let mut tile = |name: &'static str, paint: &dyn Fn(&mut Canvas, u64)| {
        let purpose = 1000 + all.len() as u64;
        let mut canvas = Canvas::new(CELL, CELL);
        moss(&mut canvas, purpose);
        paint(&mut canvas, purpose);
        all.push((name, canvas.into_picture()));
    };
    tile("moss", &|_, _| {});
    tile("moss_fern", &|c, p| ferns(c, p));
    tile("moss_stone", &|c, _| boulders(c));
    tile("lantern_post", &|c, _| {
        c.glow(12.0, 9.0, 11.5, 1.1);
        post(c, 12, 10, 20);
        lantern(c, 12, 8);
    });
    tile("pagoda", &|c, _| pagoda(c));
    tile("hung_quilt", &|c, _| hung_quilt(c));
    for (name, arms) in
        [("hedge_straight", STRAIGHT), ("hedge_bend", BEND), ("hedge_tee", TEE), ("hedge_end", END)]
    {
        tile(name, &|c, p| hedge(c, arms, p));
    }
    for (name, arms) in [
        ("path_straight", STRAIGHT),
        ("path_bend", BEND),
        ("path_tee", TEE),
        ("path_cross", CROSS),
        ("path_end", END),
    ] {
        tile(name, &|c, p| gravel(c, arms, 5.4, p));
    }
    tile("path_lanterns", &|c, p| {
        gravel(c, STRAIGHT, 5.4, p);
        for x in [3, 20] {
            c.glow(x as f32 + 0.5, 11.0, 8.0, 0.9);
            post(c, x, 12, 18);
            lantern(c, x, 10);
        }
    });
    tile("stall_tea", &|c, p| {
        gravel(c, END, 5.4, p);
        stall(c, [0xb5483a, 0xf0deb4], [0x6aa65a, 0xd8c79c, 0x8a5a3a]);
    });
    tile("stall_paper", &|c, p| {
        gravel(c, END, 5.4, p);
        stall(c, [0x3f5f94, 0xf0deb4], [0xffbe55, 0xe88a2c, 0xfff0b8]);
    });
    tile("tea", &|c, p| tea(c, Shore::All, p));
    tile("tea_lantern", &|c, p| {
        tea(c, Shore::All, p);
        c.glow(12.0, 10.0, 11.5, 1.0);
        post(c, 12, 10, 19);
        lantern(c, 12, 8);
    });
    let shores = [Shore::Straight, Shore::Corner, Shore::Inner, Shore::Saddle];
    for (name, kind) in
        ["edging", "edging_corner", "edging_inner", "edging_saddle"].into_iter().zip(shores)
    {
        tile(name, &|c, p| {
            tea(c, kind, p);
            stones(c, kind, p);
        });
    }
    tile("edging_steps", &|c, p| {
        tea(c, Shore::Straight, p);
        stones(c, Shore::Straight, p);
        gravel(c, END, 5.4, p);
        for step in 0..4 {
            c.rect(6, 4 + step * 3, 12, 3, rgb(STONE[0]));
            c.rect(7, 4 + step * 3, 10, 2, rgb(STONE[2 + (step as usize % 2)]));
            c.rect(7, 4 + step * 3, 10, 1, rgb(STONE[4]));
        }
    });
    tile("pond", &|c, p| water(c, Shore::All, p));
    tile("pond_lilies", &|c, p| {
        water(c, Shore::All, p);
        lily(c, 8.0, 8.5, 4.0, false);
        lily(c, 16.0, 15.0, 3.2, false);
        lily(c, 7.0, 17.5, 2.4, false);
    });
    tile("pond_lotus", &|c, p| {
        water(c, Shore::All, p);
        lily(c, 12.5, 13.0, 5.0, true);
        lily(c, 18.0, 6.5, 2.6, false);
    });
    for (name, kind) in ["bank", "bank_corner", "bank_inner", "bank_saddle"].into_iter().zip(shores)
    {
        tile(name, &|c, p| water(c, kind, p));
    }
    tile("rill_straight", &|c, p| rill(c, STRAIGHT, p));
    tile("rill_bend", &|c, p| rill(c, BEND, p));
    tile("rill_spring", &|c, p| {
        rill(c, END, p);
        boulders(c);
        c.rect(10, 11, 4, 3, rgb(WATER[4]));
    });
    tile("rill_mouth", &|c, p| {
        water(c, Shore::Straight, p);
        rill(c, END, p);
        c.each(|x, y, px, py| {
            (py < 0.5 && px.abs() < 2.6 && py > -4.0)
                .then(|| ramp(&WATER, 0.6 + chance(x, y, p) * 0.3, x, y))
        });
    });
    tile("rill_bridge", &|c, p| {
        rill(c, [false, true, false, true], p);
        gravel(c, STRAIGHT, 5.4, p);
        for plank in 0..7 {
            let y = 5 + plank * 2;
            c.rect(5, y, 14, 2, rgb(WOOD[1]));
            c.rect(6, y, 12, 1, rgb(WOOD[2 + usize::from(plank % 2 == 0)]));
        }
        c.rect(5, 4, 1, 16, rgb(WOOD[0]));
        c.rect(18, 4, 1, 16, rgb(WOOD[0]));
    });
    all
}
