//! An evening market on a terrace: ground in quarters, stalls and lanterns seen from above, and the plan
//! of its lanes.

use crate::brush::{
    AMBER, MOSS, OUTLINE, SOIL, STONE, TEA, WATER, WOOD, ferns, gravel, lily, moss, pagoda,
};
use crate::canvas::{Canvas, chance, length, ramp, rgb, segment};
use crate::ground::depth;
use crate::weave::weave;
use lantern_quilt::picture::{Picture, Rgba};

const CELL: i32 = 24;
const CLOTHS: [[u32; 4]; 3] = [
    [0x6b2f3e, 0x9c4548, 0xefe0bd, 0xcdb98f],
    [0x2b3a78, 0x4a5fa5, 0xefe0bd, 0xcdb98f],
    [0x1f5143, 0x3f8a5b, 0xefd9a0, 0xc7a868],
];
const FRUIT: [[u32; 2]; 4] =
    [[0xc94f3a, 0xf0906a], [0xe0a030, 0xffd970], [0x6a9a3c, 0xa9d468], [0x8a5aa0, 0xc79ad6]];

/// How deep a pixel of a cell lies inside a patch joined to these of its eight neighbours.
fn deep(joins: u8, px: f32, py: f32, round: f32) -> f32 {
    depth(joins, px * 16.0 / 24.0, py * 16.0 / 24.0, round) * 1.5
}

fn moss_tile(number: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    moss(&mut canvas, 310 + number * 7);
    canvas
}

/// Roughness that is the same on both sides of a seam.
fn rough(x: i32, y: i32, purpose: u64) -> f32 {
    if x.min(y) > 0 && x.max(y) < CELL - 1 { chance(x / 2, y / 2, purpose) - 0.5 } else { 0.0 }
}

fn gravel_tile(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    gravel(&mut canvas, |px, py| 8.0 - deep(joins, px, py, 4.0), 8.0, 71);
    canvas
}

/// Clipped rows of tea, two to a cell, with soil between them.
fn tea_tile(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = deep(joins, px, py, 5.0) + rough(x, y, 72) * 1.4;
        let (row, leaf) = ((y % 12) as f32 - 5.5, chance(x, y, 73));
        let bump = (chance(x / 4, y / 12, 76) - 0.5) * 2.0;
        match (d, 4.6 + bump - row.abs()) {
            (d, _) if d < 0.0 => None,
            (d, _) if d < 1.4 => Some(rgb(MOSS[0])),
            (_, top) if top < 0.0 => Some(ramp(&SOIL, 0.4 + leaf * 0.4, x, y)),
            (_, top) if top < 1.0 => Some(rgb(OUTLINE)),
            (_, top) => Some(ramp(&TEA, 0.32 + top * 0.09 - row * 0.05 + (leaf - 0.5) * 0.3, x, y)),
        }
    });
    canvas
}

fn pond_tile(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = deep(joins, px, py, 5.0);
        let wave = chance(x / 3, y, 55) - 0.5;
        match d {
            d if d < 0.0 => None,
            d if d < 1.0 => Some(rgb(OUTLINE)),
            d if d < 3.6 => Some(ramp(&STONE, 0.7 - (px + py) * 0.02 + wave * 0.4, x, y)),
            d if d < 4.6 => Some(rgb(STONE[0])),
            d if d < 6.2 => Some(rgb(WATER[1])),
            _ => Some(ramp(&WATER, 0.42 + wave * 0.45, x, y)),
        }
    });
    canvas
}

fn lily_pads(kind: usize) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    lily(&mut canvas, 9.0, 10.0, 4.6 - kind as f32 * 0.7, kind == 0);
    lily(&mut canvas, 17.0, 16.0, 3.0, false);
    canvas
}

/// Still water on gravel, with the evening in it.
fn puddle_tile(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = deep(joins, px, py, 6.0) + rough(x, y, 74) * 1.6;
        let shine = chance(x / 5, y, 75);
        match d {
            d if d < 1.0 => None,
            d if d < 2.0 => Some([0x2e, 0x2a, 0x44, 180]),
            _ if shine > 0.93 => Some(rgb(0xd9a560)),
            _ => Some(ramp(&[0x2a3562, 0x3b4d80, 0x53699c, 0x7d8fb8], 0.35 + shine * 0.4, x, y)),
        }
    });
    canvas
}

/// The ground: four mosses; then tea, gravel, puddles and pond in five drawings each.
pub fn ground() -> Picture {
    let mut sheet = Picture::new((CELL * 5) as u32, (CELL * 5) as u32, [0; 4]).expect("small");
    let mut lay = |column: usize, row: i32, canvas: Canvas| {
        sheet.lay(&canvas.into_picture(), column as i64 * 24, i64::from(row * CELL));
    };
    for number in 0..4 {
        lay(number, 0, moss_tile(number as u64));
    }
    let kinds: [fn(u8) -> Canvas; 4] = [tea_tile, gravel_tile, puddle_tile, pond_tile];
    for (row, kind) in kinds.into_iter().enumerate() {
        for (column, joins) in [0, 0x11, 0x44, 0x55, 0xff].into_iter().enumerate() {
            lay(column, row as i32 + 1, kind(joins));
        }
    }
    sheet
}

/// A counter with what is sold on it, in front of a mat.
fn counter(kind: usize) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, _, _| {
        (2..22).contains(&x).then_some(())?;
        (2..13).contains(&y).then(|| weave(x, y, kind % 2))
    });
    canvas.rect(0, 12, 24, 11, rgb(OUTLINE));
    canvas.each(|x, y, _, _| {
        let plank = (y - 13) / 3;
        ((1..23).contains(&x) && (13..22).contains(&y)).then(|| {
            let grain = chance(x / 3, plank, 20 + kind as u64) * 0.3;
            ramp(&WOOD, if (y - 13) % 3 == 2 { 0.25 } else { 0.6 + grain }, x, y)
        })
    });
    for number in 0..8 {
        let (x, y) = (2 + number % 4 * 5 + number / 4 * 2, 14 + number / 4 * 4);
        let [dark, light] = FRUIT[(kind + number as usize / 3) % 4];
        canvas.rect(x, y, 3, 3, rgb(dark));
        canvas.rect(x, y, 2, 2, rgb(light));
    }
    canvas
}

/// A striped cloth over a stall, its scalloped edge to the front; rolled up, a bundle.
fn awning(kind: usize, rolled: bool) -> Canvas {
    let mut canvas = Canvas::new(48, CELL);
    let [dark, mid, light, shade] = CLOTHS[kind % CLOTHS.len()];
    let (top, bottom) = if rolled { (4, 9) } else { (1, 15) };
    canvas.each(|x, y, _, _| {
        let x = x - 8;
        let stripe = x / 4 % 2 == 0;
        let scallop = if rolled { 0 } else { [2, 3, 3, 2][(x % 4) as usize & 3] };
        let inside = (0..32).contains(&x) && y >= top && y < bottom + scallop;
        inside.then(|| {
            let rim = x == 0 || x == 31 || y == top || y + 1 >= bottom + scallop;
            let ridge = (y - top) as f32 / (bottom - top) as f32;
            match (rim, stripe) {
                (true, _) => rgb(OUTLINE),
                (_, true) if ridge < 0.55 => rgb(mid),
                (_, true) => rgb(dark),
                (_, false) if ridge < 0.55 => rgb(light),
                (_, false) => rgb(shade),
            }
        })
    });
    canvas
}

fn crate_box() -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.rect(5, 5, 14, 14, rgb(OUTLINE));
    canvas.each(|x, y, _, _| {
        ((6..18).contains(&x) && (6..18).contains(&y)).then(|| {
            let gap = (y - 6) % 4 == 3;
            ramp(&WOOD, if gap { 0.15 } else { 0.75 - (x - 6) as f32 * 0.02 }, x, y)
        })
    });
    canvas.rect(6, 6, 2, 12, rgb(WOOD[1]));
    canvas.rect(16, 6, 2, 12, rgb(WOOD[1]));
    canvas
}

fn basket(kind: usize) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| match length(px, py) {
        d if d < 5.0 => {
            let [dark, light] = FRUIT[kind % 4];
            Some(rgb(if (x + y) % 3 == 0 { dark } else { light }))
        }
        d if d < 7.0 => Some(ramp(&WOOD, if (x + y) % 2 == 0 { 0.9 } else { 0.55 }, x, y)),
        d if d < 8.0 => Some(rgb(OUTLINE)),
        _ => None,
    });
    canvas
}

/// A lantern in its light.
fn lit_lantern() -> Canvas {
    let mut canvas = Canvas::new(120, 120);
    canvas.glow(60.0, 60.0, 58.0, 0.8);
    canvas.glow(60.0, 60.0, 22.0, 1.3);
    canvas.rect(56, 55, 9, 11, rgb(OUTLINE));
    for (dy, half) in [(-4, 2), (-3, 3), (-2, 3), (-1, 3), (0, 3), (1, 3), (2, 3), (3, 3), (4, 2)] {
        for dx in -half..=half {
            let value = 1.0 - (dx as f32).abs() * 0.2 - (dy as f32).abs() * 0.06;
            let ribs = if dy % 2 == 0 { 0.0 } else { 0.12 };
            canvas.set(60 + dx, 60 + dy, ramp(&AMBER, value - ribs, dx, dy));
        }
    }
    canvas.rect(58, 54, 5, 1, rgb(WOOD[2]));
    canvas.rect(58, 65, 5, 1, rgb(WOOD[2]));
    canvas
}

fn lantern_post() -> Canvas {
    let mut canvas = Canvas::new(CELL, 48);
    canvas.rect(9, 37, 7, 4, [0x14, 0x16, 0x2e, 120]);
    canvas.rect(11, 12, 3, 27, rgb(OUTLINE));
    canvas.rect(12, 13, 1, 25, rgb(WOOD[2]));
    canvas.rect(8, 12, 9, 3, rgb(OUTLINE));
    canvas.rect(9, 13, 7, 1, rgb(WOOD[3]));
    canvas
}

/// A rope between two pegs, along the south of where it stands.
fn rope() -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    for x in 0..24 {
        let sag = i32::from((6..18).contains(&x));
        canvas.set(x, 11 + sag, rgb(OUTLINE));
        canvas.set(x, 10 + sag, rgb(if x % 3 == 0 { AMBER[1] } else { AMBER[2] }));
    }
    for x in [0, 22] {
        canvas.rect(x, 8, 2, 6, rgb(OUTLINE));
        canvas.rect(x, 8, 2, 1, rgb(WOOD[3]));
    }
    canvas
}

fn leaf(kind: usize) -> Canvas {
    let [dark, light] =
        [[0xa8501f, 0xe88a2c], [0x8c3a34, 0xc9705a], [0x7a8a3c, 0xb9c25e]][kind % 3];
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|_, _, px, py| {
        let wide = 1.7 - (px * 0.42).powi(2);
        (py.abs() < wide && px.abs() < 3.2).then(|| rgb(if py > 0.0 { dark } else { light }))
    });
    canvas
}

fn fern(kind: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    ferns(&mut canvas, 40 + kind);
    canvas
}

/// Things in rows of six cells: small ones first, then awnings, then what is higher than a cell.
pub fn things() -> Picture {
    let mut sheet = Picture::new(144, 312, [0; 4]).expect("small");
    let mut lay = |column: i64, row: i64, canvas: Canvas| {
        sheet.lay(&canvas.into_picture(), column * 24, row * 24);
    };
    for kind in 0..3 {
        lay(kind, 0, counter(kind as usize));
        lay(kind, 1, fern(kind as u64));
        lay(kind + 3, 1, leaf(kind as usize));
        lay(kind * 2, 2, awning(kind as usize, false));
        lay(kind * 2, 3, awning(kind as usize, true));
    }
    lay(3, 0, crate_box());
    lay(4, 0, basket(0));
    lay(5, 0, basket(1));
    lay(0, 4, rope());
    lay(1, 4, basket(2));
    lay(2, 4, lily_pads(0));
    lay(3, 4, lily_pads(1));
    lay(4, 4, lantern_post());
    let mut tower = Canvas::new(CELL, CELL);
    pagoda(&mut tower);
    lay(5, 4, tower);
    lay(0, 8, lit_lantern());
    sheet
}

/// What the colours of the plan are; the quilt says the same.
const GRAVEL_PLAN: Rgba = rgb(0xd8c79c);
const POND_PLAN: Rgba = rgb(0x2f6f95);

/// One pixel a cell, clear where nothing is planned: lanes to a round place, and a pond.
pub fn plan(width: i32, height: i32) -> Picture {
    let mut plan = Picture::new(width as u32, height as u32, [0; 4]).expect("small");
    let lanes = [
        ((-1.0, 9.0), (9.0, 9.0)),
        ((9.0, 9.0), (16.0, 13.0)),
        ((16.0, 13.0), (28.0, 13.0)),
        ((28.0, 13.0), (34.0, 8.0)),
        ((34.0, 8.0), (45.0, 8.0)),
        ((20.0, 13.0), (20.0, 28.0)),
        ((20.0, 22.0), (32.0, 22.0)),
    ];
    for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
        let at = (x as f32 + 0.5, y as f32 + 0.5);
        let lane = lanes.iter().any(|&(from, to)| segment(at, from, to) < 1.4);
        let place = length(at.0 - 21.5, at.1 - 12.5) < 4.6;
        let pond = length((at.0 - 37.0) * 0.8, at.1 - 18.5) < 4.2
            || length(at.0 - 33.5, at.1 - 17.0) < 2.6;
        if lane || place {
            plan.set(x as u32, y as u32, GRAVEL_PLAN);
        } else if pond {
            plan.set(x as u32, y as u32, POND_PLAN);
        }
    }
    plan
}
