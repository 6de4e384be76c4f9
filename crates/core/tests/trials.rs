//! Random fills over a table of all kinds, judged by the verifier.

use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::seed::Seed;
use lantern_quilt_testkit::trials::{Judged, Kind, judge};
use rstest::rstest;

/// How many trials a case makes: `LANTERN_QUILT_TRIALS` of them, 60 when it is not set.
fn trials() -> u64 {
    std::env::var("LANTERN_QUILT_TRIALS").ok().and_then(|text| text.parse().ok()).unwrap_or(60)
}

/// The bench command `trials` judges as many as it is asked for.
#[rstest]
fn finished_maps_keep_every_rule(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
    #[values(false, true)] blocks: bool,
) {
    let mut all = Judged::default();
    // A step that has no divisor with the table in common meets every kind in the end.
    let mut kinds = (0..).map(|number| (number, Kind::of(number * 1_009)));
    let mut own =
        kinds.by_ref().filter(|(_, kind)| kind.lattice == lattice && kind.blocks == blocks);
    for _ in 0..trials() / if blocks { 4 } else { 1 } {
        let (number, kind) = own.next().expect("without end");
        let mut stream = Seed::from_number(number).stream(&["trials"]);
        let judged = judge(kind, &mut stream).unwrap_or_else(|broken| panic!("{number}: {broken}"));
        all.maps += judged.maps;
        all.with_holes += judged.with_holes;
    }
    assert!(all.maps >= trials() / if blocks { 16 } else { 3 }, "{all:?}");
}
