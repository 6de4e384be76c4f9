//! Sets of many poses, and windows of samples, against noise.

use crate::Row;
use crate::cases::{against_noise, plain, turning};
use lantern_quilt::pattern::Patterns;
use lantern_quilt::prelude::*;
use lantern_quilt_testkit::samples;

/// From few poses to many: time a cell should rise without a jump. There is one tile more to every four poses, and so
/// many labels that about four poses fit between two neighbours.
pub fn widths(name: &str, rounds: usize) -> Vec<Row> {
    let row = |poses: usize| {
        let labels = ((poses as f64 / 4.0).sqrt() as usize).max(3);
        let rules = turning(Lattice::Square, poses / 4 + labels, labels);
        let name = format!("{name} ({} poses)", rules.poses().len());
        against_noise(&name, rounds, 350.0, &plain(&rules, 64, 64), 64, 64)
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
