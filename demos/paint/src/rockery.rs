//! The sample of `rockery`: a small rock garden of voxels, its levels side by side.

use crate::canvas::{chance, rgb};
use lantern_quilt::picture::Picture;

const SIZE: [i32; 3] = [16, 16, 9];
const STONES: [u32; 2] = [0x6d7390, 0x8f95ac];
const MOSS: u32 = 0x4a7a4c;
const FERN: u32 = 0x2f7350;
const SAND: u32 = 0xc9b488;
const FURROW: u32 = 0xa8926a;
const WATER: u32 = 0x275c82;
const LAMP: u32 = 0xffbe55;

/// Rocks: where the middle of each lies, how wide and how high it is.
const ROCKS: [([f32; 2], f32, f32); 5] = [
    ([3.5, 4.5], 2.9, 6.4),
    ([6.5, 6.0], 2.1, 3.6),
    ([12.0, 4.0], 2.3, 4.4),
    ([11.5, 12.0], 3.0, 5.4),
    ([5.0, 12.5], 1.7, 2.6),
];

/// How high rock rises in a column; the ground is level 0.
fn height(x: i32, y: i32) -> i32 {
    let top = |([cx, cy], wide, high): ([f32; 2], f32, f32)| {
        let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
        let away = (dx * dx + dy * dy).sqrt() / wide;
        if away >= 1.0 { 0 } else { ((1.0 - away * away).sqrt() * high + 0.4) as i32 }
    };
    ROCKS.into_iter().map(top).max().unwrap_or(0)
}

/// The colour of a cell; nothing where there is air.
fn colour([x, y, z]: [i32; 3]) -> Option<u32> {
    let high = height(x, y);
    let pool = (8..11).contains(&x) && (8..10).contains(&y);
    if z == 0 {
        return Some(match high {
            _ if pool => WATER,
            1.. => STONES[0],
            _ if y % 3 == 1 => FURROW,
            _ => SAND,
        });
    }
    if z <= high {
        let bare = z < high || chance(x / 2, y / 2, 301) < 0.45;
        return Some(if bare { STONES[usize::from(z > 2)] } else { MOSS });
    }
    let around = [(1, 0), (-1, 0), (0, 1), (0, -1)];
    let lee = around.iter().any(|(dx, dy)| height(x + dx, y + dy) > 1);
    match (x, y, z) {
        (12, 8, 1 | 2) => Some(STONES[0]),
        (12, 8, 3) => Some(LAMP),
        (_, _, 1) if high == 0 && !pool && lee && chance(x, y, 302) < 0.3 => Some(FERN),
        _ => None,
    }
}

/// Levels side by side, the lowest first.
pub fn slices() -> Picture {
    let [wide, deep, high] = SIZE;
    let mut picture = Picture::new((wide * high) as u32, deep as u32, [0; 4]).expect("small");
    for z in 0..high {
        for (x, y) in (0..deep).flat_map(|y| (0..wide).map(move |x| (x, y))) {
            if let Some(colour) = colour([x, y, z]) {
                picture.set((z * wide + x) as u32, y as u32, rgb(colour));
            }
        }
    }
    picture
}
