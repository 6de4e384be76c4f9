//! The festival green: 24 x 24 pixel tiles, some of several cells, and the light that falls on it.

use crate::brush::{
    AMBER, MOSS, OUTLINE, STONE, WOOD, ferns, gravel, hedge, lantern, moss, pagoda, post,
};
use crate::canvas::{Canvas, chance, length, ramp, rgb, segment};
use lantern_quilt::picture::Picture;

const CELL: i32 = 24;

/// Moss of several cells; its rim is that of each cell, so that it meets any moss.
fn ground(wide: i32, deep: i32, purpose: u64) -> Canvas {
    let mut canvas = Canvas::new(wide * CELL, deep * CELL);
    moss(&mut canvas, purpose);
    canvas
}

/// Distance from the middle line of a path to some sides, on one cell of a larger tile.
fn path(sides: &'static [(f32, f32)]) -> impl Fn(f32, f32) -> f32 {
    move |x, y| {
        let to = |&end: &(f32, f32)| segment((x, y), (0.0, 0.0), end);
        sides.iter().map(to).fold(f32::MAX, f32::min)
    }
}

const NORTH: (f32, f32) = (0.0, -14.0);
const EAST: (f32, f32) = (14.0, 0.0);
const SOUTH: (f32, f32) = (0.0, 14.0);
const WEST: (f32, f32) = (-14.0, 0.0);

/// A path out of the south side of one of several cells.
fn doorstep(canvas: &mut Canvas, column: i32, purpose: u64) {
    let (wide, high) = (canvas.width, canvas.height);
    let middle = ((column * CELL + CELL / 2) as f32, (high - 8) as f32);
    let end = (middle.0, high as f32 + 2.0);
    gravel(
        canvas,
        move |px, py| {
            let place = (px + wide as f32 / 2.0, py + high as f32 / 2.0);
            segment(place, middle, end)
        },
        4.5,
        purpose,
    );
}

/// A market stall under a striped awning.
fn stall(stripes: [u32; 2], purpose: u64) -> Canvas {
    let mut canvas = ground(2, 1, purpose);
    doorstep(&mut canvas, 0, purpose);
    doorstep(&mut canvas, 1, purpose);
    canvas.rect(3, 2, 42, 17, rgb(OUTLINE));
    for x in 4..44 {
        for y in 3..11 {
            let colour = stripes[usize::from((x - 4) / 5 % 2 == 0)];
            canvas.set(x, y, rgb(colour));
            if y < 5 {
                canvas.set(x, y, [255, 255, 255, 40]);
            }
        }
        // The scalloped edge of the awning.
        if x % 5 != 4 {
            canvas.set(x, 11, rgb(stripes[usize::from((x - 4) / 5 % 2 == 0)]));
        }
    }
    canvas.rect(4, 13, 40, 5, rgb(WOOD[2]));
    canvas.rect(4, 13, 40, 1, rgb(WOOD[3]));
    for item in 0..9 {
        let x = 6 + item * 4 + (chance(item, 3, purpose) * 2.0) as i32;
        let ware =
            [AMBER[1], MOSS[4], 0xb05a6e, STONE[4]][(chance(item, 4, purpose) * 4.0) as usize];
        canvas.rect(x, 11, 3, 2, rgb(ware));
    }
    for x in [4, 43] {
        canvas.rect(x, 11, 1, 8, rgb(WOOD[1]));
    }
    canvas.glow(24.0, 13.0, 20.0, 0.7);
    canvas
}

/// A raised stage with a drum on it.
fn stage(purpose: u64) -> Canvas {
    let mut canvas = ground(3, 2, purpose);
    doorstep(&mut canvas, 1, purpose);
    canvas.rect(5, 5, 62, 36, rgb(OUTLINE));
    for y in 6..36 {
        for x in 6..66 {
            let plank = y / 5;
            let joint = (x + plank * 17) % 29 == 0 || y % 5 == 0;
            let value =
                if joint { 0.2 } else { 0.55 + (chance(x / 3, plank, purpose) - 0.5) * 0.3 };
            canvas.set(x, y, ramp(&WOOD, value, x, y));
        }
    }
    canvas.rect(6, 36, 60, 4, rgb(WOOD[1]));
    for x in (8..64).step_by(6) {
        canvas.rect(x, 36, 2, 4, rgb(WOOD[0]));
    }
    canvas.each(|x, y, px, py| {
        let d = length(px, (py + 3.0) * 1.15);
        match d {
            d if d < 7.5 => Some(ramp(&[0xc9b48a, 0xe8dcba, 0xf6efd6], 0.8 - d * 0.08, x, y)),
            d if d < 9.5 => Some(rgb(0x8c3440)),
            d if d < 10.5 => Some(rgb(OUTLINE)),
            _ => None,
        }
    });
    for (x, y) in [(9, 10), (62, 10), (9, 30), (62, 30)] {
        lantern(&mut canvas, x, y);
        canvas.glow(x as f32, y as f32, 13.0, 0.9);
    }
    canvas
}

/// A pagoda twice the usual size.
fn great_pagoda(purpose: u64) -> Canvas {
    let mut canvas = ground(2, 2, purpose);
    doorstep(&mut canvas, 0, purpose);
    let mut small = Canvas::new(CELL, CELL);
    pagoda(&mut small);
    let large = small.into_picture().scaled(2).expect("tiles are small");
    for y in 0..48u32 {
        for x in 0..48u32 {
            let colour = large.get(x, y).unwrap_or_default();
            if colour[3] == 255 {
                canvas.set(x as i32, y as i32, colour);
            }
        }
    }
    canvas.glow(24.0, 24.0, 23.0, 0.8);
    canvas
}

/// A string of lanterns across a path, seen from the same side whichever way the path runs.
fn lantern_string(north_south: bool, purpose: u64) -> Canvas {
    let mut canvas = ground(1, 1, purpose);
    let ends: &'static [(f32, f32)] = if north_south { &[NORTH, SOUTH] } else { &[EAST, WEST] };
    gravel(&mut canvas, path(ends), 5.0, purpose);
    if north_south {
        post(&mut canvas, 3, 3, 17);
        post(&mut canvas, 20, 3, 17);
        for x in 3..21 {
            let sag = 3 + ((x - 3) * (20 - x)) / 26;
            canvas.set(x, sag, rgb(WOOD[0]));
        }
        for (x, y) in [(8, 10), (15, 10)] {
            lantern(&mut canvas, x, y);
            canvas.glow(x as f32, y as f32, 10.0, 0.8);
        }
    } else {
        post(&mut canvas, 12, 1, 7);
        post(&mut canvas, 12, 18, 23);
        for y in 2..19 {
            canvas.set(12, y, rgb(WOOD[0]));
        }
        lantern(&mut canvas, 12, 12);
        canvas.glow(12.0, 12.0, 12.0, 1.0);
    }
    canvas
}

/// The sheet: names with column, row and the cells each covers, and the picture.
pub fn sheet() -> Picture {
    let mut sheet =
        Picture::new(8 * CELL as u32, 4 * CELL as u32, [0; 4]).expect("sheets are small");
    let mut next = 9000;
    let mut lay = |name: &str, [column, row]: [i32; 2], paint: &dyn Fn(u64) -> Canvas| {
        next += 1;
        let picture = paint(next).into_picture();
        sheet.lay(&picture, i64::from(column * CELL), i64::from(row * CELL));
        println!("  {name}: at = [{column}, {row}]");
    };
    let plain = |p: u64| ground(1, 1, p);
    let trodden = |ends: &'static [(f32, f32)]| {
        move |p: u64| {
            let mut canvas = ground(1, 1, p);
            gravel(&mut canvas, path(ends), 5.0, p);
            canvas
        }
    };
    lay("moss", [0, 0], &plain);
    lay("moss, ferns", [1, 0], &|p| {
        let mut canvas = plain(p);
        ferns(&mut canvas, p);
        canvas
    });
    lay("bush", [2, 0], &|p| {
        let mut canvas = plain(p);
        hedge(&mut canvas, |px, py| (length(px, py) - 3.5).max(0.0), p);
        canvas
    });
    lay("lantern", [3, 0], &|p| {
        let mut canvas = plain(p);
        canvas.glow(12.0, 10.0, 11.5, 1.2);
        post(&mut canvas, 12, 11, 21);
        lantern(&mut canvas, 12, 9);
        canvas
    });
    lay("path", [4, 0], &trodden(&[NORTH, SOUTH]));
    lay("path_bend", [5, 0], &trodden(&[NORTH, EAST]));
    lay("path_tee", [6, 0], &trodden(&[NORTH, EAST, WEST]));
    lay("path_cross", [7, 0], &trodden(&[NORTH, EAST, SOUTH, WEST]));
    lay("string", [0, 1], &|p| lantern_string(true, p));
    lay("string, turned", [1, 1], &|p| lantern_string(false, p));
    lay("gate", [2, 1], &|p| {
        let mut canvas = trodden(&[NORTH, SOUTH])(p);
        for x in [4, 19] {
            post(&mut canvas, x, 4, 22);
        }
        canvas.rect(1, 3, 22, 4, rgb(OUTLINE));
        canvas.rect(2, 4, 20, 2, rgb(0x9c4548));
        lantern(&mut canvas, 12, 10);
        canvas.glow(12.0, 10.0, 11.0, 0.9);
        canvas
    });
    lay("path_end", [3, 1], &trodden(&[NORTH]));
    lay("stall", [4, 1], &|p| stall([0xe8dcba, 0xc25a4a], p));
    lay("stall, indigo", [6, 1], &|p| stall([0xd3c29d, 0x3d4a94], p));
    lay("stage", [0, 2], &stage);
    lay("pagoda", [3, 2], &great_pagoda);
    sheet
}

/// Where lanterns hang: bright in the middle of the green, dark at its edges. One pixel a cell.
pub fn light(width: u32, height: u32) -> Picture {
    let mut light = Picture::new(width, height, rgb(0)).expect("maps are small");
    for y in 0..height {
        for x in 0..width {
            let part = |at: u32, of: u32| (at as f32 + 0.5) / of as f32 * 2.0 - 1.0;
            let away = length(part(x, width), part(y, height));
            let grey = ((1.0 - away * 0.9).clamp(0.02, 1.0) * 255.0) as u8;
            light.set(x, y, [grey, grey, grey, 255]);
        }
    }
    light
}
