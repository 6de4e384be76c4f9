//! The pieces of `basin`: seven voxels each way, every piece a row of seven slices, the lowest first.

use crate::canvas::{chance, rgb};
use lantern_quilt::picture::Picture;

/// Voxels along each axis of a piece.
const SIDE: i32 = 7;

const SOIL: u32 = 0x4a3b33;
const MOSS: [u32; 3] = [0x4a7a4c, 0x3f6d45, 0x5a8a55];
const FERN: u32 = 0x2f7350;
const STONE: [u32; 3] = [0x6d7390, 0x7b819d, 0x8f95ac];
const BED: u32 = 0x39415e;
const WATER: u32 = 0x2a6a94;
const LILY: u32 = 0x6fae62;
const BLOOM: u32 = 0xe79ab4;
const LAMP: u32 = 0xffbe55;

/// The surface of the water, of the ground, and the top of the rim around a basin.
const LEVELS: [i32; 3] = [2, 3, 4];

/// What stands on a piece besides.
#[derive(Clone, Copy, PartialEq)]
enum Extra {
    None,
    Lantern,
    Fern,
    Lilies,
    Rock,
    Spout,
    /// The upper half of a lantern, over nothing.
    Lamp,
}

/// Every piece: which of its corners are water (north-west, north-east, south-east, south-west), and what stands on it.
const PIECES: [([bool; 4], Extra); 13] = {
    const W: bool = true;
    const M: bool = false;
    [
        ([M, M, M, M], Extra::None),
        ([M, M, M, M], Extra::Lantern),
        ([M, M, M, M], Extra::Fern),
        ([M, M, W, W], Extra::None),
        ([M, M, W, W], Extra::Spout),
        ([M, M, W, M], Extra::None),
        ([W, M, W, W], Extra::None),
        ([M, W, M, W], Extra::None),
        ([W, W, W, W], Extra::None),
        ([W, W, W, W], Extra::Lilies),
        ([W, W, W, W], Extra::Rock),
        ([M, M, M, M], Extra::Rock),
        ([M, M, M, M], Extra::Lamp),
    ]
};

/// How much of a column is water: 0 on moss, 1 on water. Along a side only its two corners count.
fn wet([nw, ne, se, sw]: [bool; 4], x: i32, y: i32) -> f32 {
    let [x, y] = [x, y].map(|v| v as f32 / (SIDE - 1) as f32);
    let [nw, ne, se, sw] = [nw, ne, se, sw].map(|water| f32::from(u8::from(water)));
    (nw * (1.0 - x) + ne * x) * (1.0 - y) + (sw * (1.0 - x) + se * x) * y
}

fn voxel((corners, extra): ([bool; 4], Extra), number: i32, [x, y, z]: [i32; 3]) -> Option<u32> {
    let [water, ground, rim] = LEVELS;
    let wet = wet(corners, x, y);
    // Along sides nothing may depend on the piece.
    let inner = (1..SIDE - 1).contains(&x) && (1..SIDE - 1).contains(&y);
    let dice = |purpose: u64| if inner { chance(x + 9 * number, y, purpose) } else { 0.9 };
    let pick = |colours: [u32; 3], purpose: u64| colours[(dice(purpose) * 2.99) as usize];
    let (mx, my) = (x - SIDE / 2, y - SIDE / 2);
    let away = mx.abs().max(my.abs());
    match extra {
        Extra::Lantern if away == 0 && z > ground => return Some(STONE[0]),
        Extra::Lantern if away <= 1 && z == ground + 1 => return Some(STONE[1]),
        Extra::Lamp => {
            return match (z, away) {
                (1, 0..=1) => Some(STONE[1]),
                (2 | 3, 0..=1) => Some(LAMP),
                (0 | 6, 0) | (4, 0..=2) | (5, 0..=1) => Some(STONE[0]),
                _ => None,
            };
        }
        Extra::Fern if inner && z == ground + 1 && chance(x, y, 811) < 0.35 => return Some(FERN),
        Extra::Fern if mx.abs() + my.abs() <= 1 && z == ground + 2 => return Some(FERN),
        Extra::Lilies if z == water + 1 && inner && chance(x, y, 812) < 0.3 => {
            return Some(if chance(x, y, 813) < 0.25 { BLOOM } else { LILY });
        }
        Extra::Rock if z > ground - 2 && mx * mx + my * my + (z - ground) * (z - ground) <= 5 => {
            return Some(pick(STONE, 814 + z as u64));
        }
        // A stone mouth in the rim, with water that falls from it.
        Extra::Spout if mx == 0 && (1..=3).contains(&y) && z == rim + 1 => return Some(STONE[0]),
        Extra::Spout if mx == 0 && y == 4 && (water + 1..=rim).contains(&z) => return Some(WATER),
        _ => {}
    }
    if wet > 0.6 {
        return match z {
            0 => Some(BED),
            _ if z <= water => Some(WATER),
            _ => None,
        };
    }
    if wet > 0.25 {
        return (z <= rim).then(|| if z == rim { STONE[2] } else { pick(STONE, 820 + z as u64) });
    }
    match z {
        _ if z < ground => Some(SOIL),
        _ if z == ground => Some(pick(MOSS, 830)),
        _ => None,
    }
}

/// A row for each piece.
pub fn pieces() -> Picture {
    let size = [SIDE * SIDE, SIDE * PIECES.len() as i32].map(|v| v as u32);
    let mut picture = Picture::new(size[0], size[1], [0; 4]).expect("small");
    for (number, piece) in (0..).zip(PIECES) {
        for z in 0..SIDE {
            for (x, y) in (0..SIDE).flat_map(|y| (0..SIDE).map(move |x| (x, y))) {
                if let Some(colour) = voxel(piece, number, [x, y, z]) {
                    let at = [z * SIDE + x, number * SIDE + y].map(|v| v as u32);
                    picture.set(at[0], at[1], rgb(colour));
                }
            }
        }
    }
    picture
}
