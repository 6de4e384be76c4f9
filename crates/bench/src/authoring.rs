//! What an artist waits for before a fill: checks, and rules learned from a picture.

use crate::Row;
use crate::cases::demo;
use crate::clock::seconds;
use lantern_quilt::audit::audit;
use lantern_quilt::audit::company::audit_company;
use lantern_quilt::audit::missing::missing_pieces;
use lantern_quilt::audit::trial::Trials;
use lantern_quilt::files::{LearnOptions, learn};
use lantern_quilt::prelude::*;
use lantern_quilt_testkit::sets;

/// Seconds of a check: quick parts alone, and with trial fills.
pub fn check(name: &str, _rounds: usize) -> Vec<Row> {
    let none = Constraints::default();
    let set = |tiles: usize, labels: usize| {
        let mut stream = Seed::from_number(9).stream(&["check"]);
        sets::random_turning(Lattice::Square, tiles, labels, &mut stream)
    };
    let (small, large) = (set(64, 6), set(290, 4));
    let (few, many) = (Rules::compile(&small).expect("few"), Rules::compile(&large).expect("some"));
    let all = seconds(|| {
        let report = missing_pieces(&small, &none, &Trials::default());
        (report, audit(&small, &few, &none), audit_company(&small, &few))
    });
    // A demo in which pieces are missing, so that they are tried.
    let comb = demo("comb");
    let tried = seconds(|| comb.check(Some(&Trials::default())));
    let quick = seconds(|| (audit(&large, &many, &none), audit_company(&large, &many)));
    let row = |what: &str, poses: usize, time: f64, goal: f64| Row {
        case: format!("{name} {what}, {poses} poses"),
        ours: format!("{time:.2} s"),
        against: "limit".to_owned(),
        value: time,
        unit: "s",
        goal: Some(goal),
    };
    vec![
        row("with trials", few.poses().len(), all, 2.0),
        row(
            "of the comb, with trials",
            comb.collapse().expect("it fills").rules().poses().len(),
            tried,
            2.0,
        ),
        row("without", many.poses().len(), quick, 1.0),
    ]
}

/// Seconds to learn from a painted map of 256x256 cells and 100 tiles.
pub fn learn_sample(name: &str, _rounds: usize) -> Vec<Row> {
    let (cells, cell) = (256, 16);
    let mut stream = Seed::from_number(4).stream(&["learn"]);
    let mut sample = Picture::new(cells * cell, cells * cell, [0, 0, 0, 255]).expect("small");
    for y in 0..cells {
        for x in 0..cells {
            let tile = stream.below(100) as u8;
            for inner in 0..cell {
                sample.set(x * cell + inner, y * cell + inner, [tile, inner as u8, 9, 255]);
            }
        }
    }
    let mut pieces = 0;
    let time = seconds(|| {
        let learned =
            learn(&sample, "a.png", "b.png", &LearnOptions::default()).expect("100 tiles");
        pieces = learned.pieces;
        learned
    });
    vec![Row {
        case: format!("{name} 256x256, {pieces} tiles"),
        ours: format!("{time:.2} s"),
        against: "limit".to_owned(),
        value: time,
        unit: "s",
        goal: Some(1.0),
    }]
}
