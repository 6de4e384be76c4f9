//! Sets of many poses, and windows of samples, against noise.

use crate::Row;
use crate::cases::{against_noise, plain, turning};
use crate::clock::{median, seconds_at_most};
use lantern_quilt::constraints::WindowRule;
use lantern_quilt::pattern::Patterns;
use lantern_quilt::prelude::*;
use lantern_quilt::tileset::Tileset;
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
