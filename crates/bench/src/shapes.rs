//! Autotiling: a large plan, and single strokes.

use crate::Row;
use crate::clock::{in_turns, median, seconds};
use lantern_quilt::autotile::{Kinds, Scheme, ShapeBasis, ShapeSet};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{Autotile, ColourKey, Plan};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::Pass;
use lantern_quilt_testkit::maps::follow;

const MOSS: [u8; 4] = [47, 107, 58, 255];
const SAND: [u8; 4] = [216, 195, 138, 255];

fn key() -> ColourKey {
    let colours = [(MOSS, "moss"), (SAND, "sand")];
    let colours = colours.map(|([r, g, b, _], name)| ([r, g, b], name.to_owned())).to_vec();
    ColourKey { colours, near: 0 }
}

/// Blotches of moss on sand.
fn pixels(size: u32) -> Vec<[u8; 4]> {
    let keyed = Seed::from_number(1).keyed(&["bench", "plan"]);
    let extent = Extent::flat(size, size).expect("small");
    let blotch = |cell: Cell| keyed.bits(Cell::new(cell.x / 5, cell.y / 3)) % 5 < 2;
    extent.iter().map(|cell| if blotch(cell) { MOSS } else { SAND }).collect()
}

fn set(scheme: Scheme) -> Autotile {
    let moss = vec!["moss".to_owned()];
    let of = ShapeBasis::Terrain { on: moss.clone(), kinds: Kinds::new(moss, Vec::new()) };
    let tiles = ShapeSet::arranged("moss", scheme, Lattice::Square, of.same(), 1, Mirror::No);
    let set = ShapeSet::new("moss", scheme, Lattice::Square, of, tiles).expect("sound");
    Autotile::new(vec![set])
}

fn planned(pixels: &[[u8; 4]], size: u32) -> Tilemap {
    let read = Plan::read(pixels, size, &key()).expect("whole rows");
    let plan = Plan::of_terrain([size, size], read.terrain).expect("one a cell");
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, size, size).expect("small"));
    follow(&Pass::new("plan", plan), &mut map, &Seed::default());
    map
}

/// A whole plan autotiled, against reading its pixels through the key.
pub fn plan(name: &str, rounds: usize) -> Vec<Row> {
    const SIZE: u32 = 4096;
    let pixels = pixels(SIZE);
    let seed = Seed::default();
    let mut rows = Vec::new();
    for scheme in [Scheme::Eight, Scheme::Dual, Scheme::Four] {
        let autotile = Pass::new("ground", set(scheme));
        let mut map = planned(&pixels, SIZE);
        let pair = in_turns(
            rounds,
            |_| seconds(|| follow(&autotile, &mut map, &seed)),
            |_| seconds(|| Plan::read(&pixels, SIZE, &key())),
        );
        let cells = f64::from(SIZE) * f64::from(SIZE);
        rows.push(Row {
            case: format!("{name} {scheme} {SIZE}"),
            ours: format!("{:.1} ns/cell", pair.ours / cells * 1e9),
            against: format!("reading {:.1} ns", pair.theirs / cells * 1e9),
            value: pair.ratio,
            unit: "x",
            goal: Some(4.0),
        });
    }
    rows
}

/// One stroke on a large map against one on a small map.
pub fn paint(name: &str, rounds: usize) -> Vec<Row> {
    let seed = Seed::default();
    let autotile = set(Scheme::Eight);
    let mut maps = [64u32, 4096].map(|size| {
        let mut map = planned(&pixels(size), size);
        follow(&Pass::new("ground", autotile.clone()), &mut map, &seed);
        map
    });
    let mut stroke = |number: usize, round: usize| {
        const STROKES: i32 = 400;
        let map = &mut maps[number];
        let took = (0..STROKES).map(|at| {
            let cell = Cell::new(2 + at % 60, 2 + at / 60 * 7);
            let terrain = if (at + round as i32) % 2 == 0 { "moss" } else { "sand" };
            seconds(|| autotile.paint(map, &seed, cell, Some(terrain)))
        });
        median(took.collect())
    };
    let mut large = Vec::new();
    let mut small = Vec::new();
    for round in 0..rounds.max(1) {
        small.push(stroke(0, round));
        large.push(stroke(1, round));
    }
    let (large, small) = (median(large), median(small));
    vec![Row {
        case: format!("{name} 4096 to 64"),
        ours: format!("{:.1} us", large * 1e6),
        against: format!("64x64 {:.1} us", small * 1e6),
        value: large / small,
        unit: "x",
        goal: Some(1.5),
    }]
}
