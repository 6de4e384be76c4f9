//! Learning from painted maps: what is cut, what may touch, how common tiles come out.
#![cfg(all(feature = "files", feature = "draw"))]

use lantern_quilt::audit::tune::{OrderTried, Tuning, try_order, tune};
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{
    Art, LEARNED_ORDERS, LearnError, LearnOptions, Learned, Quilt, ReadError, learn,
    with_learned_weights,
};
use lantern_quilt::limits::Alone;
use lantern_quilt::prelude::*;
use lantern_quilt::solve::Order;
use lantern_quilt::verify::verify;
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::path::Path;

struct Pictures(BTreeMap<String, Vec<u8>>);

impl Art for Pictures {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        self.0.get(path).cloned().ok_or_else(|| ReadError::Missing { path: path.into() })
    }

    fn near(&self, _: &str) -> Vec<String> {
        Vec::new()
    }
}

/// The quilt of what was learned, with its pictures in memory.
fn quilt(learned: &Learned, sample: &Picture, steer: bool) -> Quilt {
    let art = Pictures(BTreeMap::from([
        ("a-tiles.png".to_owned(), learned.sheet.to_png(&[]).unwrap()),
        ("a \"sample\".png".to_owned(), sample.to_png(&[]).unwrap()),
    ]));
    assert!(learned.quilt.contains("steer = true"), "what is learned is steered");
    let text = learned.quilt.replace("steer = true", &format!("steer = {steer}"));
    Quilt::read(&text, "a", &art).unwrap_or_else(|report| panic!("{report}"))
}

fn learned(sample: &Picture, options: &LearnOptions) -> Learned {
    learn(sample, "a-tiles.png", "a \"sample\".png", options).unwrap()
}

/// The tea terrace as a painted map.
fn painted(seed: u64) -> Picture {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace/terrace.quilt.toml");
    let quilt = Quilt::open(Path::new(path)).unwrap();
    let extent = Extent::new(Cell::default(), [40, 30, 1]).unwrap();
    let layout = Layout::new(Lattice::Square, extent, Wrap::FLAT).unwrap();
    let map = made(quilt.maker(layout, &Seed::from_number(seed))).map;
    draw(&map, &quilt.art, &DrawOptions::default()).unwrap()
}

/// Fills like a painted map: nothing touches that does not touch there, and the share of cells that
/// would have to hold another tile for tiles to be as common as there.
fn apart(sample: &Picture, join: bool, steer: bool, fills: u64) -> f64 {
    let mut options = LearnOptions::default();
    (options.cell, options.join, options.wrap) = ([24, 24], join, true);
    let learned = learned(sample, &options);
    let quilt = quilt(&learned, sample, steer);
    let (set, constraints) =
        (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().constraints());
    assert_eq!((set.tiles().len(), learned.size), (learned.pieces, [40, 30]));
    let wanted = constraints.samples[0].counts(set);
    assert_eq!(wanted.iter().sum::<f64>(), 1200.0);
    let mut got = vec![0.0; wanted.len()];
    let layout = Layout::flat(Lattice::Square, 28, 28).unwrap();
    for seed in 0..fills {
        let map = made(quilt.maker(layout, &Seed::from_number(seed))).map;
        // The judge looks through the sample for each pair, which takes its time.
        if seed < 2 {
            assert_eq!(
                verify(map.layers().next().unwrap(), layout, |_| true, set, constraints),
                []
            );
        }
        for cell in layout.extent().iter() {
            let tile = &map.layers().next().unwrap().get(cell).unwrap().tile;
            got[set.find(tile).unwrap().index()] += 1.0;
        }
    }
    let cells = (fills * 784) as f64;
    wanted.iter().zip(&got).map(|(wanted, got)| (wanted / 1200.0 - got / cells).abs() / 2.0).sum()
}

/// With steering, tiles come out about as often as they are in the sample, and twice as near to that
/// as without. (Where turned copies are joined, each pose of a tile is as common as the others instead.)
#[test]
fn a_learned_quilt_makes_maps_like_its_sample() {
    const SAMPLES: u64 = 4;
    let (mut steered, mut free) = (0.0, 0.0);
    for seed in 1..=SAMPLES {
        let sample = painted(seed);
        steered += apart(&sample, false, true, 20);
        free += apart(&sample, false, false, 20);
        apart(&sample, true, true, 1);
    }
    assert!(steered < 0.1 * SAMPLES as f64, "{steered}");
    assert!(steered * 2.0 < free, "{steered} against {free}");
}

/// Three pictures: one the same in all turns, one in two with its quarter turn, one in none with one.
#[test]
fn turned_copies_join_in_as_many_poses_as_look_different() {
    let colours = [[9, 9, 9, 255], [200, 0, 0, 255], [0, 0, 200, 255]];
    let cells: [[usize; 4]; 5] =
        [[0, 0, 0, 0], [1, 0, 0, 1], [0, 1, 1, 0], [2, 0, 0, 0], [0, 2, 0, 0]];
    let mut sample = Picture::new(12, 2, [0; 4]).unwrap();
    for (number, cell) in cells.iter().enumerate() {
        for (at, &colour) in cell.iter().enumerate() {
            sample.set(number as u32 * 2 + at as u32 % 2, at as u32 / 2, colours[colour]);
        }
    }
    let mut options = LearnOptions::default();
    options.cell = [2, 2];
    for (join, pieces, poses) in [(false, 5, 5), (true, 3, 1 + 2 + 4)] {
        options.join = join;
        let learned = learned(&sample, &options);
        // The sixth cell is transparent and no tile.
        assert_eq!((learned.pieces, learned.size), (pieces, [6, 1]));
        let quilt = quilt(&learned, &sample, true);
        assert_eq!(quilt.collapse().unwrap().rules().poses().len(), poses);
        let shown = &quilt.collapse().unwrap().constraints().samples[0].cells;
        assert_eq!(shown.iter().filter(|cell| cell.is_none()).count(), 1);
        let [fourth, fifth] = [shown[3].unwrap(), shown[4].unwrap()];
        assert_eq!(fourth.0 == fifth.0, join);
        assert_eq!(fifth.1.turns(), u8::from(join));
    }
}

/// A sample of cells of 4 x 4 pixels, drawn in letters: water that runs down or across, a bend, a plain
/// cell and a lamp that stands upright.
fn drawn(rows: &[&str]) -> Picture {
    let mut sample = Picture::new(rows[0].len() as u32 * 4, rows.len() as u32 * 4, [0; 4]).unwrap();
    let wet = |letter: u8, x: u32, y: u32| match letter {
        b'|' => x == 1 || x == 2,
        b'-' => y == 1 || y == 2,
        b'L' => (x == 1 || x == 2) && y < 3 || (y == 1 || y == 2) && x > 0,
        b'J' => (x == 1 || x == 2) && y < 3 || (y == 1 || y == 2) && x < 3,
        b'i' => x == 2 && y == 1,
        _ => false,
    };
    for (row, letters) in rows.iter().enumerate() {
        for (column, letter) in letters.bytes().enumerate() {
            for (x, y) in (0..4).flat_map(|y| (0..4).map(move |x| (x, y))) {
                let colour = if wet(letter, x, y) { [40, 90, 200, 255] } else { [30, 80, 40, 255] };
                sample.set(column as u32 * 4 + x, row as u32 * 4 + y, colour);
            }
        }
    }
    sample
}

/// Rivers never tear: where water leaves a cell, it enters the next.
#[rstest]
#[case::both_ways(&[".|...|.", "-J...L-", "......."], Some(4), &[1, 2, 4])]
#[case::one_way_only(&[".|..", ".|..", ".|.."], Some(2), &[1, 1])]
#[case::upright(&[".|..", ".|i.", ".|.."], None, &[1, 1, 1])]
fn lines_are_joined_whole(
    #[case] rows: &[&str],
    #[case] turns: Option<u8>,
    #[case] poses: &[usize],
) {
    let sample = drawn(rows);
    let mut options = LearnOptions::default();
    (options.cell, options.join, options.wrap) = ([4, 4], true, turns.is_none());
    let learned = learned(&sample, &options);
    let quilt = quilt(&learned, &sample, true);
    let collapse = quilt.collapse().unwrap();
    let found: Vec<usize> =
        collapse.tileset().tiles().iter().map(|tile| tile.orientations().len()).collect();
    assert_eq!(found, poses, "{}", learned.quilt);
    assert_eq!(collapse.constraints().samples[0].turns, turns.unwrap_or(1), "{}", learned.quilt);
    assert_eq!(quilt.findings.findings, []);
    let layout = Layout::flat(Lattice::Square, 9, 9).unwrap();
    for seed in 0..6 {
        let map = made(quilt.maker(layout, &Seed::from_number(seed))).map;
        let shown = draw(&map, &quilt.art, &DrawOptions::default()).unwrap();
        let wet = |x: u32, y: u32| shown.get(x, y).unwrap() == [40, 90, 200, 255];
        for (a, b) in (0..8).flat_map(|at| (0..36).map(move |along| (at * 4 + 3, along))) {
            assert_eq!(wet(a, b), wet(a + 1, b), "seed {seed}, across at {a}, {b}");
            assert_eq!(wet(b, a), wet(b, a + 1), "seed {seed}, down at {b}, {a}");
        }
    }
}

#[test]
fn what_cannot_be_learned_from_is_said() {
    let told = |sample: &Picture, cell: [u32; 2], join: bool| -> LearnError {
        let mut options = LearnOptions::default();
        (options.cell, options.join) = (cell, join);
        learn(sample, "a", "b", &options).unwrap_err()
    };
    let blank = Picture::new(24, 36, [0; 4]).unwrap();
    assert_eq!(
        told(&blank, [16, 16], false).to_string(),
        "24 x 36 pixels are not a whole number of cells of 16 x 16; square cells that fit: 2, 3, 4, 6, 12"
    );
    let odd = Picture::new(7, 11, [1; 4]).unwrap();
    assert!(told(&odd, [16, 16], false).to_string().ends_with("no square cell fits"));
    assert!(matches!(told(&blank, [12, 12], false), LearnError::Empty));
    assert!(matches!(told(&blank, [12, 6], true), LearnError::NotSquare { .. }));
    let mut noise = Picture::new(64, 64, [0; 4]).unwrap();
    (0..64).for_each(|y| (0..64).for_each(|x| noise.set(x, y, [x as u8, y as u8, 1, 255])));
    assert!(matches!(told(&noise, [1, 1], false), LearnError::TooMany));
    // A cell of no size is one pixel, not a crash.
    assert!(matches!(told(&noise, [0, 0], false), LearnError::TooMany));
}

/// The nearest order is written with the figures; the lowest entropy stays where no other is nearer by far.
#[rstest]
#[case::nearer([0.1, 0.05, 0.2, 0.02], 0, "\"rows\"")]
#[case::as_near([0.1, 0.099, 0.2, 0.095], 0, "\"entropy\"")]
#[case::fails_too_often([0.1, 0.05, 0.2, 0.02], 9, "{ from = \"centre\" }")]
fn the_order_is_the_one_that_trials_advise(
    #[case] off: [f64; 4],
    #[case] failed: u32,
    #[case] order: &str,
) {
    let sample = painted(1);
    let mut options = LearnOptions::default();
    options.cell = [24, 24];
    let mut learned = learned(&sample, &options);
    let tried: Vec<OrderTried> = LEARNED_ORDERS
        .iter()
        .zip(off)
        .map(|((order, _), off)| {
            let failed = if *order == Order::Rows { failed } else { 0 };
            OrderTried { order: *order, variation: Some(off), failed }
        })
        .collect();
    let text = learned.with_order(&tried, 12, 48);
    assert!(text.ends_with(&format!("order = {order}\n")), "{text}");
    assert!(text.contains("# \"entropy\": 10.0 %\n"), "{text}");
    learned.quilt = text;
    let read = quilt(&learned, &sample, true);
    let known = LEARNED_ORDERS.iter().find(|one| one.1 == order).unwrap().0;
    assert_eq!(read.collapse().unwrap().search.order, known);
}

/// Weights are written as they were measured: the quilt that is read makes the same maps.
#[test]
fn weights_are_the_ones_that_trials_found() {
    let sample = drawn(&[".|...|.", "-J...L-", ".......", "...i..."]);
    let mut options = LearnOptions::default();
    (options.cell, options.wrap) = ([4, 4], true);
    let mut learned = learned(&sample, &options);
    let before = quilt(&learned, &sample, false);
    let collapse = before.collapse().unwrap();
    let (set, constraints) = (collapse.tileset(), collapse.constraints());
    let tuning = Tuning::default().size(24).fills(128).steer(false);
    let tuned =
        tune(set, constraints, &tuning, &Alone, &mut |_| ControlFlow::Continue(())).unwrap();
    assert!(tuned.variation[1] < tuned.variation[0], "{:?}", tuned.variation);
    learned.quilt = with_learned_weights(&learned.with_order(&[], 12, 24), set, &tuned);
    assert!(learned.quilt.contains("\n[recipe.weights]\npiece_"), "{}", learned.quilt);
    let after = quilt(&learned, &sample, false);
    assert_eq!(after.findings.findings, []);
    // An eighth of the fills measures what was found.
    let again =
        try_order(after.collapse().unwrap().tileset(), constraints, &tuning.fills(16), &Alone);
    assert_eq!(again.unwrap().variation, Some(tuned.variation[1]));
    let worse = {
        let mut worse = tuned;
        worse.variation.reverse();
        worse
    };
    assert_eq!(with_learned_weights("quilt = 1", set, &worse), "quilt = 1");
}
