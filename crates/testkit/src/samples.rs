//! Samples from which windows are read, committed so that measures of them stay what they are.

use lantern_quilt_core::constraints::{Sample, Window, WindowRule, WindowSample};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::tileset::Tileset;

/// A garden that wraps: moss, lanes, ponds and lanterns.
const GARDEN: [&str; 11] = [
    "~~.....o--~",
    "~~~~....--~",
    "-----------",
    ".~~~....--.",
    "....o...--.",
    "~~~~....--o",
    "~~~~....--.",
    "........--.",
    "-----------",
    "o.......--.",
    "~~......--~",
];

/// Columns, rows and levels of a rock garden.
const ROCKERY: [i32; 3] = [10, 10, 6];

/// The kinds of its cells, air first.
const KINDS: [&str; 5] = ["air", "moss", "rock", "water", "lamp"];
const AIR: usize = 0;
const MOSS: usize = 1;
const ROCK: usize = 2;
const WATER: usize = 3;
const LAMP: usize = 4;

/// What stands in a cell of a rock garden.
type Rockery = fn([i32; 3]) -> usize;

/// Rock gardens by name, with the turns in which they count, mirrored too. They wrap to all sides but up and down.
const ROCKERIES: [(&str, Rockery, u8); 5] = [
    ("hill", hill, 1),
    ("steps", steps, 1),
    ("ponds", ponds, 1),
    ("arches", arches, 4),
    ("pillars", pillars, 4),
];

/// Ground up to a height, with something on top.
fn ground(z: i32, height: i32, top: usize) -> usize {
    match z - height {
        ..0 => MOSS,
        0 => top,
        _ => AIR,
    }
}

/// One kind up to a height.
const fn up_to(z: i32, height: i32, kind: usize) -> usize {
    if z <= height { kind } else { AIR }
}

/// A round hill with a rock on its side and a lamp on top.
fn hill([x, y, z]: [i32; 3]) -> usize {
    let far = (x - 4).pow(2) + (y - 5).pow(2);
    let height = (4 - far / 5).max(1);
    match (x, y) {
        (4, 5) | (1, 8) => ground(z, height, LAMP),
        (7 | 8, 3..=5) => up_to(z, height, ROCK),
        _ => ground(z, height, AIR),
    }
}

/// Terraces that rise and fall, with walls of rock and a channel.
fn steps([x, y, z]: [i32; 3]) -> usize {
    let height = 1 + (x / 2).min(4 - x / 2).max(0) + i32::from(y > 6);
    match (x, y) {
        (_, 3) if z == height - 1 => WATER,
        (2 | 8, _) if y != 3 && z < height => ROCK,
        (4, 0 | 8) => ground(z, height, LAMP),
        _ => ground(z, height, AIR),
    }
}

/// Two ponds of rocks, one over the other, and a fall between them.
fn ponds([x, y, z]: [i32; 3]) -> usize {
    let upper = (1..5).contains(&x) && (1..6).contains(&y);
    let lower = (6..9).contains(&x) && (2..9).contains(&y);
    let rim = x == 1 || x == 4 || y == 1 || y == 5;
    match (upper, lower) {
        _ if (4..6).contains(&x) && y == 3 => up_to(z, 2, WATER),
        (true, _) if rim => up_to(z, 3, ROCK),
        (true, _) => ground(z, 2, WATER),
        (_, true) => up_to(z, 0, WATER),
        _ if (x, y) == (0, 8) => ground(z, 2, LAMP),
        _ => ground(z, 1 + i32::from(y > 7), AIR),
    }
}

/// Arches over a stream.
fn arches([x, y, z]: [i32; 3]) -> usize {
    let stream = (4..7).contains(&x);
    match (stream, y) {
        (true, 2 | 7) if z == 3 => ROCK,
        (false, 2 | 7) if x == 3 || x == 7 => up_to(z, 3, ROCK),
        (true, _) => up_to(z, 0, WATER),
        _ if (x, y) == (1, 4) || (x, y) == (8, 5) => ground(z, 1, LAMP),
        _ => ground(z, 1 + i32::from(x < 2) + i32::from(x == 9 && y > 4), AIR),
    }
}

/// Pillars of several heights on moss, some with lamps, some joined at the top.
fn pillars([x, y, z]: [i32; 3]) -> usize {
    let height = |x: i32, y: i32| match (x, y) {
        (1, 1) | (5, 6) => 4,
        (5, 1) | (1, 6) => 3,
        (8, 4) => 2,
        _ => 0,
    };
    let high = height(x, y);
    let beam = z == 4 && (x == 1 && (2..6).contains(&y) || y == 6 && (2..5).contains(&x));
    match z {
        0 if (3..5).contains(&x) && (3..5).contains(&y) => WATER,
        0 => MOSS,
        _ if beam || z <= high => ROCK,
        _ if high > 0 && z == high + 1 && x > 4 => LAMP,
        _ => AIR,
    }
}

/// Five rock gardens with at least 300 windows of 3x3x3 voxels each; what stands on the ground stands there only.
///
/// # Panics
/// Never: the samples are committed.
pub fn rockeries() -> Vec<(&'static str, Tileset, WindowRule)> {
    let mut set = TilesetBuilder::new(Lattice::Box);
    let any = set.socket(Socket::plain("any"));
    let tiles = KINDS.map(|kind| set.tile(Tile::new(kind).all(any)));
    let set = set.build().expect("valid by construction");
    let extent = Extent::new(Cell::default(), ROCKERY.map(|length| length as u32)).expect("small");
    let wrap = Wrap { x: true, y: true, z: false };
    let layout = Layout::new(Lattice::Box, extent, wrap).expect("wide enough");
    let garden = |(name, kind, turns): (&'static str, Rockery, u8)| {
        let posed = |cell: Cell| (tiles[kind([cell.x, cell.y, cell.z])], Orientation::AS_DRAWN);
        let sample = Sample {
            layout,
            cells: extent.iter().map(|cell| Some(posed(cell))).collect(),
            turns,
            mirror: Mirror::EastWest,
            alike: Vec::new(),
        };
        let edges = vec![Side::Down, Side::Up];
        let samples = vec![WindowSample { edges, ..WindowSample::new(sample) }];
        (name, set.clone(), WindowRule::new(Window::Block([3, 3, 3]), samples))
    };
    ROCKERIES.into_iter().map(garden).collect()
}

/// One tile for each kind of cell, with alike sides: only windows restrict what may touch. About 400 windows of 3x3 cells,
/// in all turns and mirrors.
///
/// # Panics
/// Never: the sample is committed.
pub fn garden() -> (Tileset, WindowRule) {
    let kinds: Vec<char> = ".-~o".chars().collect();
    let mut set = TilesetBuilder::new(Lattice::Square);
    let any = set.socket(Socket::plain("any"));
    let tiles: Vec<_> =
        kinds.iter().map(|kind| set.tile(Tile::new(format!("kind {kind}")).all(any))).collect();
    let extent = Extent::flat(GARDEN[0].len() as u32, GARDEN.len() as u32).expect("small");
    let wrap = Wrap { x: true, y: true, z: false };
    let posed = |letter: char| {
        let kind = kinds.iter().position(|&kind| kind == letter).expect("one of the kinds");
        Some((tiles[kind], Orientation::AS_DRAWN))
    };
    let sample = Sample {
        layout: Layout::new(Lattice::Square, extent, wrap).expect("wide enough"),
        cells: GARDEN.iter().flat_map(|row| row.chars().map(posed)).collect(),
        turns: 4,
        mirror: Mirror::EastWest,
        alike: Vec::new(),
    };
    let windows = WindowRule::new(Window::Block([3, 3, 1]), vec![WindowSample::new(sample)]);
    (set.build().expect("valid by construction"), windows)
}
