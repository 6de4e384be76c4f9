//! Sets of many poses, and windows of samples, against noise.

use crate::Row;
use crate::cases::{against_noise, demo, plain, turning};
use crate::clock::{median, seconds_at_most};
use lantern_quilt::constraints::WindowRule;
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{Art, LearnOptions, Quilt, ReadError, learn};
use lantern_quilt::pattern::Patterns;
use lantern_quilt::prelude::*;
use lantern_quilt::tileset::Tileset;
use lantern_quilt_testkit::maps::made;
use lantern_quilt_testkit::samples;

/// From few poses to many: time a cell should rise without a jump. There is one tile more to every four poses, and so
/// many labels that about four poses fit between two neighbours.
pub fn widths(name: &str, rounds: usize) -> Vec<Row> {
    let row = |poses: usize| {
        let labels = ((poses as f64 / 4.0).sqrt() as usize).max(3);
        let rules = turning(Lattice::Square, poses / 4 + labels, labels);
        let name = format!("{name} ({} poses)", rules.poses().len());
        let rows = against_noise(&name, rounds, 0.0, &plain(&rules, 64, 64), 64, 64);
        // Read one after the other: what counts is that there is no jump.
        rows.into_iter().map(|row| Row { goal: None, ..row }).collect::<Vec<Row>>()
    };
    [60, 120, 250, 260, 500, 520, 1000, 2000].into_iter().flat_map(row).collect()
}

/// About 400 windows of 3x3 cells.
pub fn windows(name: &str, rounds: usize) -> Vec<Row> {
    let (set, windows) = samples::garden();
    let patterns = Patterns::read(&set, &windows).expect("the sample is committed");
    let name = format!("{name} ({} windows)", patterns.patterns().len());
    against_noise(&name, rounds, 400.0, &plain(patterns.rules(), 128, 128), 128, 128)
}

/// A fill by those windows.
pub fn garden(size: u32) -> Job {
    let (set, windows) = samples::garden();
    let patterns = Patterns::read(&set, &windows).expect("the sample is committed");
    plain(patterns.rules(), size, size)(0)
}

/// Sets of which few tiles fit between any two, by tiles and labels: rows share poses, so nothing is known of what a change
/// takes.
pub fn sparse(name: &str, rounds: usize) -> Vec<Row> {
    let row = |(tiles, labels, goal): (usize, usize, f64)| {
        let rules = turning(Lattice::Square, tiles, labels);
        let name = format!("{name} ({} poses)", rules.poses().len());
        against_noise(&name, rounds, goal, &plain(&rules, 64, 64), 64, 64)
    };
    [(57, 10, 300.0), (80, 10, 350.0)].into_iter().flat_map(row).collect()
}

/// The quilt learned from a painted terrace.
pub fn learned(name: &str, rounds: usize) -> Vec<Row> {
    let quilt = learned_terrace();
    let fill = quilt.collapse().expect("it fills").clone();
    let layout = Layout::flat(Lattice::Square, 512, 512).expect("small");
    let name = format!("{name} ({} poses)", fill.rules().poses().len());
    let job = move |seed| fill.job(layout, &Seed::from_number(seed));
    against_noise(&name, rounds, 60.0, &job, 512, 512)
}

/// What `learn` makes of a picture of the demo.
fn learned_terrace() -> Quilt {
    let terrace = demo("terrace");
    let layout = Layout::new(Lattice::Square, Extent::flat(40, 30).expect("small"), Wrap::FLAT);
    let layout = layout.expect("wide enough");
    let map = made(terrace.maker(layout, &Seed::from_number(1))).map;
    let picture = draw(&map, &terrace.art, &DrawOptions::default()).expect("small");
    let mut options = LearnOptions::default();
    (options.cell, options.wrap) = ([24, 24], true);
    let learned = learn(&picture, SHEET, SAMPLE, &options).expect("painted with tiles");
    let png = |picture: &Picture| picture.to_png(&[]).expect("small");
    let art = Pictures { sheet: png(&learned.sheet), sample: png(&picture) };
    Quilt::read(&learned.quilt, "learned", &art).unwrap_or_else(|report| panic!("{report}"))
}

const SHEET: &str = "sheet.png";
const SAMPLE: &str = "sample.png";

/// The pictures of a learned quilt.
struct Pictures {
    sheet: Vec<u8>,
    sample: Vec<u8>,
}

impl Art for Pictures {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        match path {
            SHEET => Ok(self.sheet.clone()),
            SAMPLE => Ok(self.sample.clone()),
            _ => Err(ReadError::Missing { path: path.into() }),
        }
    }

    fn near(&self, _: &str) -> Vec<String> {
        Vec::new()
    }
}

/// How many first fills of rock gardens end well without a restart, within a minute each.
pub fn voxels(name: &str, _rounds: usize) -> Vec<Row> {
    const SEEDS: u64 = 4;
    let extent = Extent::new(Cell::default(), [24, 24, 16]).expect("small");
    let layout = Layout::new(Lattice::Box, extent, Wrap::NONE).expect("open");
    let row = |(garden, set, windows): (&str, Tileset, WindowRule)| {
        let patterns = Patterns::read(&set, &windows).expect("the sample is committed");
        let mut space = Space::new(layout);
        space.keep_edges(&patterns);
        let (mut good, mut times) = (0, Vec::new());
        for seed in 0..SEEDS {
            let job = Job::new(patterns.rules(), space.clone()).seed(Seed::from_number(seed));
            let mut run = job.search(Search::default().attempts(1)).begin().expect("small");
            times.push(seconds_at_most(60.0, || run.advance(1000) == Status::Working));
            good += u64::from(run.outcome().is_some_and(Outcome::is_filled));
        }
        Row {
            case: format!("{name}: {garden} ({} windows)", patterns.patterns().len()),
            ours: format!("{good} of {SEEDS}"),
            against: format!("median {:.1} s", median(times)),
            value: good as f64 / SEEDS as f64 * 100.0,
            unit: "%",
            // At least.
            goal: Some(-90.0),
        }
    };
    samples::rockeries().into_iter().map(row).collect()
}
