//! The longest single call of `advance(60)`, which a page that draws sixty times a second makes: how long
//! a fill may keep its caller waiting.

use crate::Row;
use crate::cases::{demo, hex_40, square_16, turning};
use crate::clock::seconds;
use lantern_quilt::grid::Plane;
use lantern_quilt::prelude::*;
use lantern_quilt::solve::{Order, Status};
use lantern_quilt_testkit::{known, sets};

/// Steps of a call.
const STEPS: u64 = 60;
/// A call's time is the shortest of so many runs: all do the same, but a machine has other things to do.
const RUNS: usize = 3;

/// The longest call in seconds, its number and how many there were, and whether the map was filled. `calls`
/// bounds long searches.
fn longest(job: &Job, calls: usize) -> (f64, [usize; 2], bool) {
    let mut times: Vec<f64> = Vec::new();
    let mut filled = false;
    for round in 0..RUNS {
        let mut begun = None;
        for call in 0..calls {
            let mut status = Status::Working;
            // A run begins within the first call.
            let took = seconds(|| {
                let begin = || job.clone().begin().expect("within limits");
                status = begun.get_or_insert_with(begin).advance(STEPS);
            });
            match times.get_mut(call).filter(|_| round > 0) {
                Some(least) => *least = least.min(took),
                None => times.push(took),
            }
            if status == Status::Ended {
                break;
            }
        }
        filled = begun.is_some_and(|run| run.outcome().is_some_and(Outcome::is_filled));
    }
    let slowest = times.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).expect("one call");
    (*slowest.1, [slowest.0, times.len()], filled)
}

fn square(size: u32) -> Layout {
    Layout::flat(Lattice::Square, size, size).expect("small")
}

fn open(rules: &Rules, layout: Layout) -> Job {
    Job::new(rules, Space::new(layout)).seed(Seed::from_number(1))
}

fn with(mut change: impl FnMut(&mut Search)) -> Search {
    let mut search = Search::default();
    change(&mut search);
    search
}

/// Every engine and every state that a run can be in, each with a set that leads there.
fn jobs() -> Vec<(&'static str, Job)> {
    let (sixteen, some, many) =
        (square_16(), turning(Lattice::Square, 11, 3), turning(Lattice::Square, 16, 4));
    let widest = turning(Lattice::Square, 200, 12);
    let hexes = hex_40();
    let terrace = demo("terrace");
    let terrace = terrace.collapse().expect("it fills");
    let ground = terrace.job(square(1024), &Seed::from_number(1));
    let solid = Extent::new(Cell::default(), [64, 64, 32]).expect("small");
    let solid = Layout::new(Lattice::Box, solid, Wrap::NONE).expect("open");
    let hex = Layout::flat(Lattice::HexPointy, 1024, 1024).expect("small");
    let layout = square(1024);
    let mut shaded = Space::new(layout);
    let fade = layout.extent().iter().map(|cell| (cell.x / 4) as u8).collect();
    let first = many.select(|pose| pose.tile.index() % 2 == 0);
    shaded.scale(first.clone(), Plane::from_values(layout.extent(), fade).expect("one a cell"));
    let mut counted = Space::new(square(512));
    counted.count(many.select(|pose| pose.tile.index() == 0), 100, Some(100));
    let mut stream = Seed::from_number(100).stream(&["planted"]);
    let tight = sets::planted(6, 1.2, [2, 3], &mut stream);
    let (ice, multiplying, dominoes) = (known::ice(), known::multiplying(), known::dominoes());
    let corners = [Cell::new(0, 0), Cell::new(11, 11)];
    let board = Layout::flat(Lattice::Square, 12, 12).expect("small");
    let proof = with(|search| search.climb = Climb::Proof);
    vec![
        ("poses-16 2048", open(&sixteen, square(2048))),
        ("rows 2048", open(&sixteen, square(2048)).search(with(|s| s.order = Order::Rows))),
        ("poses-53 1024", open(&many, layout)),
        ("hex rows 1024", open(&hexes, hex).search(with(|s| s.order = Order::Rows))),
        ("many poses 512", open(&widest, square(512))),
        ("bits 1024", open(&many, layout).plain(true)),
        ("terrace 1024", ground.clone()),
        (
            "outward 1024",
            open(&many, layout).search(with(|s| s.order = Order::Outward(Cell::new(9, 9)))),
        ),
        ("steer 1024", open(&many, layout).search(with(|s| s.steer = true))),
        ("shades 1024", Job::new(&many, shaded).seed(Seed::from_number(1))),
        ("counts 512", Job::new(&many, counted).seed(Seed::from_number(1))),
        ("box 64x64x32", open(&sets::boxes(), solid)),
        ("blocks 1024", open(&some, layout).search(with(|s| s.blocks = true))),
        ("planted 256", open(&tight, square(256))),
        ("ice 64", Job::new(&ice, known::domain_walls(&ice, 64)).seed(Seed::from_number(3))),
        ("multiplying 64", open(&multiplying, square(64))),
        ("proof 64", open(&multiplying, square(64)).search(proof)),
        (
            "impossible 12",
            Job::new(&dominoes, known::board(&dominoes, board, &corners)).search(proof),
        ),
    ]
}

pub fn pauses(name: &str, _rounds: usize) -> Vec<Row> {
    let rows = jobs().into_iter().map(|(what, job)| {
        let (slowest, [number, calls], filled) = longest(&job, 200_000);
        Row {
            case: format!("{name} {what}"),
            ours: format!("{:.2} ms", slowest * 1e3),
            against: format!("call {number} of {calls}{}", if filled { "" } else { ", no fill" }),
            value: slowest * 1e3,
            unit: "ms",
            goal: Some(5.0),
        }
    });
    rows.collect()
}
