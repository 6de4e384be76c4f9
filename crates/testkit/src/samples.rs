//! Samples from which windows are read, committed so that measures of them stay what they are.

use lantern_quilt_core::constraints::{Sample, Window, WindowSample, Windows};
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

/// A tile a kind of cell, of which none says what it meets: windows do. About 400 windows of 3x3 cells, in all turns and
/// mirrors.
///
/// # Panics
/// Never: the sample is committed.
pub fn garden() -> (Tileset, Windows) {
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
    let windows =
        Windows { window: Window::Block([3, 3, 1]), samples: vec![WindowSample::new(sample)] };
    (set.build().expect("valid by construction"), windows)
}
