//! A bank of reeds in still water, with moss where it is dry: water, and shapes between four cells each.

use crate::brush::{MOSS, OUTLINE, WATER, lily};
use crate::canvas::{Canvas, chance, ramp, rgb};
use crate::ground::shore;
use lantern_quilt::autotile::Scheme;
use lantern_quilt::picture::Picture;

const CELL: i32 = 16;
const COLUMNS: i32 = 8;
const REED: [u32; 5] = [0x26382f, 0x46572f, 0x77863c, 0xa9a552, 0xd8c97e];
const HEAD: [u32; 2] = [0x4a2f33, 0x8a5a3a];

/// Still water; the third has a lily, the fourth a light that floats.
fn water(number: i32) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    let purpose = 700 + number.unsigned_abs() as u64;
    canvas.each(|x, y, _, _| {
        let wave = chance(x / 4, y, purpose) - 0.5;
        let glint = wave > 0.47 && y % 5 == 2;
        Some(ramp(&WATER, if glint { 0.85 } else { 0.4 + wave * 0.16 }, x, y))
    });
    match number {
        2 => lily(&mut canvas, 7.5, 8.5, 4.2, true),
        3 => {
            canvas.glow(8.0, 8.0, 7.5, 0.7);
            canvas.rect(5, 10, 6, 1, rgb(OUTLINE));
            canvas.rect(6, 6, 4, 4, rgb(0xe88a2c));
            canvas.rect(7, 6, 2, 4, rgb(0xfff0b8));
        }
        _ => {}
    }
    canvas
}

/// Stalks that stand in the water, darker at its edge; some have brown heads.
fn reed(joins: u8, look: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        // The edge is of single stalks.
        let ragged = (chance(x / 2, 3, 710) - 0.5) * 1.6;
        let d = shore(joins, px, py) + if shore(joins, px, py) < 6.0 { ragged } else { 0.0 };
        let stalk = chance(x, y / 6, 711 + look);
        let head = chance(x, y / 4, 715 + look) > 0.93 && d > 2.5;
        match d {
            d if d < -0.4 => None,
            d if d < 0.6 => Some(rgb(WATER[0])),
            _ if head => Some(rgb(HEAD[usize::from(y % 4 < 2)])),
            d if d < 2.0 => Some(ramp(&REED, 0.12 + stalk * 0.3, x, y)),
            _ => Some(ramp(&REED, 0.2 + stalk * 0.75, x, y)),
        }
    });
    canvas
}

/// Moss on dry ground, with a soft shadow where it ends among reeds; the second look has flowers.
fn moss(joins: u8, look: u64) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, px, py| {
        let tuft = chance(x / 2, i32::midpoint(y, x / 2 % 2), 720 + look) - 0.5;
        match shore(joins, px, py) {
            d if d < -0.2 => None,
            d if d < 0.8 => Some(rgb(REED[0])),
            d if d < 2.0 => Some(rgb(MOSS[1])),
            d if d < 3.2 => Some(ramp(&MOSS, 0.9 + tuft * 0.3, x, y)),
            _ => Some(ramp(&MOSS, 0.6 + tuft * 0.45, x, y)),
        }
    });
    if look == 1 && joins == 0b1111 {
        for (x, y, hex) in [(4, 5, 0xf6cbd6), (10, 9, 0xfbe3e6), (6, 12, 0xffe9a8)] {
            canvas.set(x, y, rgb(hex));
            canvas.set(x + 1, y, rgb(hex));
            canvas.set(x, y + 1, rgb(MOSS[0]));
        }
    }
    canvas
}

/// Rows of eight: water, then 16 shapes of reed and 16 of moss, each in two looks.
pub fn sheet() -> Picture {
    let mut sheet =
        Picture::new((CELL * COLUMNS) as u32, (CELL * 9) as u32, [0; 4]).expect("small");
    let mut lay = |column: i32, row: i32, canvas: Canvas| {
        sheet.lay(&canvas.into_picture(), i64::from(column * CELL), i64::from(row * CELL));
    };
    for number in 0..4 {
        lay(number, 0, water(number));
    }
    for (number, &joins) in Scheme::Dual.shapes().iter().enumerate() {
        let (column, row) = (number as i32 % COLUMNS, number as i32 / COLUMNS);
        for look in 0..2 {
            lay(column, 1 + 2 * look + row, reed(joins, look.unsigned_abs().into()));
            lay(column, 5 + 2 * look + row, moss(joins, look.unsigned_abs().into()));
        }
    }
    sheet
}
