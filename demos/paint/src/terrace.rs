//! The tea terrace: 24 pixel tiles seen from above, on the night of the festival.

use crate::brush::{
    AMBER, OUTLINE, SOIL, STONE, TEA, WATER, WOOD, boulders, ferns, gravel, hedge, lantern, lily,
    moss, pagoda, post, rill,
};
use crate::canvas::{Canvas, chance, dither, length, ramp, rgb, segment};
use lantern_quilt::picture::Picture;

/// Pixels along a tile.
pub const CELL: i32 = 24;
const HALF: f32 = 12.0;

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
        tile(name, &|c, p| hedge(c, |x, y| run(arms, x, y), p));
    }
    for (name, arms) in [
        ("path_straight", STRAIGHT),
        ("path_bend", BEND),
        ("path_tee", TEE),
        ("path_cross", CROSS),
        ("path_end", END),
    ] {
        tile(name, &|c, p| gravel(c, |x, y| run(arms, x, y), 5.4, p));
    }
    tile("path_lanterns", &|c, p| {
        gravel(c, |x, y| run(STRAIGHT, x, y), 5.4, p);
        for x in [3, 20] {
            c.glow(x as f32 + 0.5, 11.0, 8.0, 0.9);
            post(c, x, 12, 18);
            lantern(c, x, 10);
        }
    });
    tile("stall_tea", &|c, p| {
        gravel(c, |x, y| run(END, x, y), 5.4, p);
        stall(c, [0xb5483a, 0xf0deb4], [0x6aa65a, 0xd8c79c, 0x8a5a3a]);
    });
    tile("stall_paper", &|c, p| {
        gravel(c, |x, y| run(END, x, y), 5.4, p);
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
        gravel(c, |x, y| run(END, x, y), 5.4, p);
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
    tile("rill_straight", &|c, p| rill(c, |x, y| run(STRAIGHT, x, y), p));
    tile("rill_bend", &|c, p| rill(c, |x, y| run(BEND, x, y), p));
    tile("rill_spring", &|c, p| {
        rill(c, |x, y| run(END, x, y), p);
        boulders(c);
        c.rect(10, 11, 4, 3, rgb(WATER[4]));
    });
    tile("rill_mouth", &|c, p| {
        water(c, Shore::Straight, p);
        rill(c, |x, y| run(END, x, y), p);
        c.each(|x, y, px, py| {
            (py < 0.5 && px.abs() < 2.6 && py > -4.0)
                .then(|| ramp(&WATER, 0.6 + chance(x, y, p) * 0.3, x, y))
        });
    });
    tile("rill_bridge", &|c, p| {
        rill(c, |x, y| run([false, true, false, true], x, y), p);
        gravel(c, |x, y| run(STRAIGHT, x, y), 5.4, p);
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
