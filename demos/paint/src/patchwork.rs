//! Patchwork quilts hung to dry: 16 x 16 pixel patches, and the sample they are learned from.

use crate::brush::{AMBER, OUTLINE, lantern};
use crate::canvas::{Canvas, chance, rgb};
use lantern_quilt::picture::{Picture, Rgba};

const CELL: i32 = 16;
const INDIGO: [u32; 3] = [0x272e68, 0x343d80, 0x4c589c];
const MOSS: [u32; 3] = [0x2b5c43, 0x3a7450, 0x5b9a68];
const PLUM: [u32; 3] = [0x5a2c50, 0x7a3e66, 0x9c5a80];
const LINEN: [u32; 3] = [0xb7a384, 0xd3c29d, 0xe8dcba];

fn cloth(x: i32, y: i32, colours: &[u32; 3], purpose: u64) -> Rgba {
    let thread = (x + y) % 2 == 0;
    let value = usize::from(thread) + usize::from(chance(x, y, purpose) > 0.75);
    rgb(colours[value.min(2)])
}

/// A patch of one or two cloths, with a stitch around it.
fn patch(purpose: u64, pick: impl Fn(f32, f32) -> &'static [u32; 3]) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    let last = CELL - 1;
    canvas.each(|x, y, px, py| {
        let colours = pick(px, py);
        let rim = x.min(y).min(last - x).min(last - y);
        Some(match rim {
            0 => rgb(OUTLINE),
            1 if (x + y) % 3 != 0 => rgb(colours[2]),
            _ => cloth(x, y, colours, purpose),
        })
    });
    canvas
}

/// Every tile in sheet order: name and picture.
pub fn tiles() -> Vec<(&'static str, Picture)> {
    let mut all = Vec::new();
    let mut tile = |name: &'static str, canvas: Canvas| all.push((name, canvas.into_picture()));
    tile("indigo", patch(1, |_, _| &INDIGO));
    tile("moss", patch(2, |_, _| &MOSS));
    tile("plum", patch(3, |_, _| &PLUM));
    tile("linen", patch(4, |_, _| &LINEN));
    // Two triangles; the light one lies in the north-east.
    tile("half", patch(5, |px, py| if px > py { &LINEN } else { &INDIGO }));
    tile("goose", patch(6, |px, py| if py + 8.0 > px.abs() * 2.0 { &PLUM } else { &LINEN }));
    tile(
        "pinwheel",
        patch(7, |px, py| {
            let blade = (px > 0.0) != (py > 0.0);
            if blade == (px.abs() > py.abs()) { &MOSS } else { &LINEN }
        }),
    );
    tile("star", patch(8, |px, py| if px.abs() + py.abs() < 6.0 { &LINEN } else { &PLUM }));
    let mut canvas = patch(9, |_, _| &INDIGO);
    canvas.glow(8.0, 8.0, 8.0, 1.0);
    lantern(&mut canvas, 8, 8);
    tile("lantern", canvas);
    let mut canvas = patch(10, |_, _| &INDIGO);
    canvas.each(|_, _, px, py| {
        (px * px + py * py < 20.0 && (px - 2.0).powi(2) + (py + 1.0).powi(2) > 12.0)
            .then(|| rgb(AMBER[3]))
    });
    tile("moon", canvas);
    all
}
