//! A festival ground of raked sand, moss, woven mats and a lily pond: shapes, and the plan they follow.

use crate::brush::{AMBER, MOSS, OUTLINE, STONE, WATER, lily};
use crate::canvas::{Canvas, chance, length, ramp, rgb};
use crate::weave::weave;
use lantern_quilt::autotile::Scheme;
use lantern_quilt::picture::{Picture, Rgba};

const CELL: i32 = 16;
const COLUMNS: i32 = 8;
const SAND: [u32; 5] = [0x3a3753, 0x4d4762, 0x625870, 0x786a7c, 0x92808a];
const HEM: [u32; 3] = [0x6b2f3e, 0x9c4548, 0xc9705a];
/// How far from the edge of its cell a patch ends where nothing joins it.
const INSET: f32 = 2.0;

/// How deep a pixel lies inside a patch that is joined to these of its eight neighbours; below zero
/// outside. `round` is the radius of its corners.
pub fn depth(joins: u8, px: f32, py: f32, round: f32) -> f32 {
    let on = |slot: usize| joins >> (slot % 8) & 1 == 1;
    // The corner of this quarter, between the side before and after it.
    let corner = match (px > 0.0, py > 0.0) {
        (true, false) => 1,
        (true, true) => 3,
        (false, true) => 5,
        (false, false) => 7,
    };
    let (upright, level) = if corner % 4 == 1 {
        (on(corner - 1), on(corner + 1))
    } else {
        (on(corner + 1), on(corner - 1))
    };
    let (u, v, edge) = (px.abs(), py.abs(), 8.0 - INSET);
    match (upright, level) {
        (false, false) => {
            let (x, y) = ((u - edge + round).max(0.0), (v - edge + round).max(0.0));
            if x > 0.0 && y > 0.0 { round - length(x, y) } else { edge - u.max(v) }
        }
        (true, false) => edge - u,
        (false, true) => edge - v,
        (true, true) if !on(corner) => {
            let (x, y) = (8.0 - u, 8.0 - v);
            (if round > 2.0 { length(x, y) } else { x.max(y) }) - INSET
        }
        _ => 8.0,
    }
}

/// Sand with rake marks; some with a stone or a lantern that the rake went around.
fn sand(number: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let fine = chance(x, y, 900 + number) - 0.5;
        let middle = if number >= 2 { length(px, py) } else { 99.0 };
        // Marks run west to east, and in rings around what stands there.
        let mark = if middle < 7.0 { (middle - 0.5) as i32 % 3 == 0 } else { y % 4 == 1 };
        let value = 0.56 + fine * 0.2 - if mark { 0.3 } else { 0.0 };
        match middle {
            d if number == 2 && d < 2.6 => Some(ramp(&STONE, 0.75 - (px + py) * 0.09, x, y)),
            d if d < 3.4 => Some(rgb(SAND[0])),
            _ => Some(ramp(&SAND, value, x, y)),
        }
    });
    if number == 3 {
        canvas.glow(8.0, 7.0, 8.5, 0.9);
        canvas.rect(5, 4, 6, 7, rgb(OUTLINE));
        canvas.rect(6, 5, 4, 5, rgb(AMBER[1]));
        canvas.rect(7, 5, 2, 5, rgb(AMBER[3]));
        canvas.rect(6, 7, 4, 1, rgb(AMBER[2]));
        canvas.rect(6, 11, 4, 1, rgb(OUTLINE));
    }
    canvas
}

fn moss(joins: u8) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let rough = (chance(x, y, 77) - 0.5) * 0.9;
        let d = depth(joins, px, py, 4.0)
            + if x.min(y) > 0 && x.max(y) < CELL - 1 { rough } else { 0.0 };
        let tuft = chance(x / 2, i32::midpoint(y, x / 2 % 2), 78) - 0.5;
        match d {
            d if d < -0.9 => None,
            d if d < 0.2 => Some([OUTLINE as u8 / 2 + 20, 30, 46, 150]),
            d if d < 1.4 => Some(rgb(MOSS[1])),
            d if d < 2.6 => Some(ramp(&MOSS, 0.9 + tuft * 0.3, x, y)),
            _ => Some(ramp(&MOSS, 0.55 + tuft * 0.5, x, y)),
        }
    });
    canvas
}

/// A mat of one of two cloths, with a hem and a fringe.
fn mat(joins: u8, cloth: usize) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = depth(joins, px, py, 1.0);
        let along = if px.abs() > py.abs() { y } else { x };
        match d {
            d if d < -1.0 => None,
            d if d < 0.0 => (along % 2 == 0).then(|| rgb(AMBER[0])),
            d if d < 1.0 => Some(rgb(OUTLINE)),
            d if d < 2.0 => Some(rgb(HEM[1])),
            d if d < 3.0 => Some(rgb(if along % 4 < 2 { AMBER[2] } else { HEM[2] })),
            d if d < 4.0 => Some(rgb(HEM[0])),
            _ => Some(weave(x, y, cloth)),
        }
    });
    canvas
}

/// How deep a pixel lies inside what fills these quarters around a corner of four cells, from the north-eastern one;
/// below zero outside.
pub fn shore(joins: u8, px: f32, py: f32) -> f32 {
    let wet = |quarter: usize| joins >> (quarter % 4) & 1 == 1;
    let quarter = match (px > 0.0, py > 0.0) {
        (true, false) => 0,
        (true, true) => 1,
        (false, true) => 2,
        (false, false) => 3,
    };
    // The quarter beyond the upright line through the middle, and beyond the level one.
    let (over, under) = if quarter % 2 == 0 {
        (wet(quarter + 3), wet(quarter + 1))
    } else {
        (wet(quarter + 1), wet(quarter + 3))
    };
    let (u, v, round) = (px.abs(), py.abs(), 6.0);
    let shore = 1.0;
    match (wet(quarter), over, under) {
        (false, _, _) => -9.0,
        (true, false, false) => {
            let (x, y) = ((shore + round - u).max(0.0), (shore + round - v).max(0.0));
            if x > 0.0 && y > 0.0 { round - length(x, y) } else { u.min(v) - shore }
        }
        (true, false, true) => u - shore,
        (true, true, false) => v - shore,
        (true, true, true) if !wet(quarter + 2) => length(u, v) - shore,
        _ => 8.0,
    }
}

/// Water around a corner of four cells; joined are those that are pond, from the north-eastern one.
fn pond(joins: u8, lilies: bool) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let d = shore(joins, px, py);
        let wave = chance(x / 3, y, 55) - 0.5;
        match d {
            d if d < -0.6 => None,
            d if d < 0.6 => Some(rgb(OUTLINE)),
            d if d < 2.2 => Some(ramp(&STONE, 0.75 - (px + py) * 0.03 + wave * 0.3, x, y)),
            d if d < 3.2 => Some(rgb(STONE[0])),
            d if d < 4.4 => Some(rgb(WATER[1])),
            _ => Some(ramp(&WATER, 0.42 + wave * 0.45, x, y)),
        }
    });
    if lilies && joins == 0b1111 {
        lily(&mut canvas, 5.0, 6.0, 3.4, true);
        lily(&mut canvas, 11.5, 11.0, 2.6, false);
    }
    canvas
}

/// Rows of eight: sand, the 47 shapes of moss, five quarters of two mats, 16 shapes of pond twice.
pub fn sheet() -> Picture {
    let mut sheet =
        Picture::new((CELL * COLUMNS) as u32, (CELL * 13) as u32, [0; 4]).expect("small");
    let mut lay = |column: i32, row: i32, canvas: Canvas| {
        sheet.lay(&canvas.into_picture(), i64::from(column * CELL), i64::from(row * CELL));
    };
    for number in 0..4 {
        lay(number, 0, sand(number as u64));
    }
    for (number, &joins) in Scheme::Eight.shapes().iter().enumerate() {
        let number = number as i32;
        lay(number % COLUMNS, 1 + number / COLUMNS, moss(joins));
    }
    // An island, a run from north to south, one from west to east, a crossing, the inside.
    for (cloth, row) in [(0, 7), (1, 8)] {
        for (column, joins) in [0, 0x11, 0x44, 0x55, 0xff].into_iter().enumerate() {
            lay(column as i32, row, mat(joins, cloth));
        }
    }
    for (number, &joins) in Scheme::Dual.shapes().iter().enumerate() {
        let number = number as i32;
        for (lilies, row) in [(false, 9), (true, 11)] {
            lay(number % COLUMNS, row + number / COLUMNS, pond(joins, lilies));
        }
    }
    sheet
}

/// What the colours of the plan are; the quilt says the same.
const PLAN: [Rgba; 5] = [rgb(0xd8c38a), rgb(0x2f6b3a), rgb(0x35408a), rgb(0x8fc274), rgb(0x3f8fb5)];

/// One pixel a cell: moss around a pond, a way between two rows of mats.
pub fn plan(width: i32, height: i32) -> Picture {
    let mut plan = Picture::new(width as u32, height as u32, PLAN[0]).expect("small");
    let mounds = [
        (5.0, 5.0, 5.2),
        (11.0, 8.0, 4.4),
        (40.0, 23.0, 6.4),
        (33.0, 25.5, 4.2),
        (3.0, 24.0, 4.6),
        (45.0, 3.0, 4.8),
        (24.0, 28.5, 3.4),
    ];
    let pools = [(9.0, 6.0, 3.0), (6.0, 5.0, 2.4), (38.0, 24.0, 3.2), (41.5, 22.0, 2.2)];
    let inside = |x: i32, y: i32, rounds: &[(f32, f32, f32)], wobble: u64| {
        let (fx, fy) = (x as f32 + 0.5, y as f32 + 0.5);
        let rough = chance(x, y, wobble) * 0.9;
        rounds.iter().any(|&(cx, cy, r)| length(fx - cx, (fy - cy) * 1.15) < r + rough)
    };
    for y in 0..height {
        for x in 0..width {
            if inside(x, y, &mounds, 5) {
                plan.set(x as u32, y as u32, PLAN[1]);
            }
            if inside(x, y, &pools, 6) {
                plan.set(x as u32, y as u32, PLAN[4]);
            }
        }
    }
    // Mats lie in two rows along a way, and one large one before the stage.
    let mut mat = |x: i32, y: i32, w: i32, h: i32, kind: usize| {
        for (dx, dy) in (0..h).flat_map(|dy| (0..w).map(move |dx| (dx, dy))) {
            plan.set((x + dx) as u32, (y + dy) as u32, PLAN[2 + kind]);
        }
    };
    for number in 0..5 {
        mat(14 + number * 5, 11, 3, 3, number as usize % 2);
        mat(14 + number * 5, 16, 3, 3, (number as usize + 1) % 2);
    }
    mat(17, 2, 14, 6, 0);
    mat(20, 4, 8, 2, 1);
    mat(12, 21, 9, 1, 1);
    mat(12, 21, 1, 5, 1);
    mat(20, 21, 1, 4, 1);
    mat(34, 6, 2, 2, 1);
    mat(36, 8, 2, 2, 0);
    mat(41, 11, 5, 7, 0);
    mat(43, 13, 1, 3, 1);
    mat(3, 12, 6, 5, 1);
    mat(5, 14, 2, 1, 0);
    plan
}
