//! Learns blocks of 3x3 cells from a small drawing, and fills a larger map that holds nothing else.

use lantern_quilt::constraints::{Sample, Window, WindowRule, WindowSample};
use lantern_quilt::pattern::Patterns;
use lantern_quilt::prelude::*;
use std::error::Error;

/// Strings of lanterns that hang from a beam.
const DRAWN: [&str; 9] = [
    "==================",
    "..|...|..|....|...",
    "..|...|..o....|...",
    "..o...|..|....o...",
    "..|...o..|....|...",
    "..o......o....|...",
    "..............|...",
    "..............o...",
    "..................",
];

fn main() -> Result<(), Box<dyn Error>> {
    let kinds = ['.', '=', '|', 'o'];
    let mut set = TilesetBuilder::new(Lattice::Square);
    // All sides are alike: only the drawing decides what may touch.
    let any = set.socket(Socket::plain("any"));
    let tiles = kinds.map(|kind| set.tile(Tile::new(kind.to_string()).all(any)));
    let set = set.build().map_err(|errors| format!("{errors:?}"))?;

    let posed = |letter| {
        let kind = kinds.iter().position(|&kind| kind == letter)?;
        Some((tiles[kind], Orientation::AS_DRAWN))
    };
    let extent = Extent::flat(DRAWN[0].len() as u32, DRAWN.len() as u32)?;
    let sample = Sample {
        layout: Layout::new(Lattice::Square, extent, Wrap { x: true, y: false, z: false })?,
        cells: DRAWN.iter().flat_map(|row| row.chars().map(posed)).collect(),
        turns: 1,
        mirror: Mirror::No,
        alike: Vec::new(),
    };
    // The beam is the upper edge of the map, and nothing hangs below the lower one.
    let edges = vec![Side::North, Side::South];
    let samples = vec![WindowSample { edges, ..WindowSample::new(sample) }];
    let patterns = Patterns::read(&set, &WindowRule::new(Window::Block([3, 3, 1]), samples))?;
    println!("{} windows", patterns.patterns().len());

    let layout = Layout::flat(Lattice::Square, 72, 16)?;
    let mut space = Space::new(layout);
    space.keep_edges(&patterns);
    let seed = Seed::from_text("evening");
    let mut run = Job::new(patterns.rules(), space).seed(seed).begin()?;
    if !run.fill().is_filled() {
        return Err("no map was found: draw more of how strings can end".into());
    }
    for row in 0..16 {
        let pose = |column| run.decided(Cell::new(column, row)).expect("all cells are filled");
        let tile = |column| patterns.rules().poses()[pose(column)].tile;
        let line: String = (0..72).map(|column| kinds[tile(column).index()]).collect();
        println!("{line}");
    }
    Ok(())
}
