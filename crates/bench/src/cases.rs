//! The cases, in the order of the table.

use crate::clock::{in_turns, median, noise, seconds};
use crate::{MEMORY, Row};
use lantern_quilt::files::Quilt;
use lantern_quilt::prelude::*;
use lantern_quilt::solve::Scratch;
use lantern_quilt_testkit::sets;
use std::path::Path;

pub struct Case {
    pub name: &'static str,
    pub measure: fn(&str, usize) -> Vec<Row>,
}

pub const ALL: &[Case] = &[
    Case { name: "terrace-256", measure: terrace_256 },
    Case { name: "terrace-retries", measure: terrace_retries },
];

fn terrace() -> Quilt {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace/terrace.quilt.toml");
    Quilt::open(Path::new(path), None).expect("the demo is sound")
}

/// Fills once and gives back seconds, whether it was filled, and the scratch.
fn timed(job: Job, scratch: Scratch) -> (f64, bool, Scratch) {
    let mut run = None;
    let time = seconds(|| {
        let mut begun = job.begin_with(scratch).expect("within limits");
        begun.fill();
        run = Some(begun);
    });
    let run = run.expect("just begun");
    (time, run.outcome().is_some_and(Outcome::is_filled), run.into_scratch())
}

/// A fill of `width` x `height` (or of as many cells) against noise, with warm tables.
fn against_noise(
    name: &str,
    rounds: usize,
    goal: f64,
    job: &dyn Fn(u64) -> Job,
    width: u32,
    height: u32,
) -> Vec<Row> {
    let cells = f64::from(width) * f64::from(height);
    let (_, _, mut scratch) = timed(job(1000), Scratch::default());
    let mut failed = 0;
    let pair = in_turns(
        rounds,
        |round| {
            let (time, filled, used) = timed(job(round as u64), std::mem::take(&mut scratch));
            failed += usize::from(!filled);
            scratch = used;
            time
        },
        |round| noise(width, height, round),
    );
    let each = |time: f64| format!("{:.0} ns/cell", time / cells * 1e9);
    let mut ours = each(pair.ours);
    if failed > 0 {
        ours = format!("{ours} ({failed} failed)");
    }
    vec![Row {
        case: name.to_owned(),
        ours,
        against: format!("noise {}", each(pair.theirs)),
        value: pair.ratio,
        unit: "x",
        goal: Some(goal),
    }]
}

fn terrace_256(name: &str, rounds: usize) -> Vec<Row> {
    let quilt = terrace();
    let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
    let job = |seed: u64| quilt.collapse.job(layout, &Seed::from_number(seed));
    let mut rows = against_noise(name, rounds, 6.0, &job, 256, 256);
    drop(timed(job(0), Scratch::default()));
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    let mut run = job(0).begin().expect("within limits");
    run.fill();
    let peak = MEMORY.peak_usage() - before;
    rows.push(Row {
        case: format!("{name} peak memory"),
        ours: format!("{} KiB", peak / 1024),
        against: format!("{} cells", 256 * 256),
        value: peak as f64 / 65_536.0,
        unit: "B/cell",
        goal: None,
    });
    rows
}

fn terrace_retries(name: &str, _rounds: usize) -> Vec<Row> {
    let quilt = terrace();
    let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
    let (mut tries, mut backtracks) = (Vec::new(), Vec::new());
    for seed in 0..20 {
        let mut run =
            quilt.collapse.job(layout, &Seed::from_number(seed)).begin().expect("within limits");
        run.fill();
        tries.push(f64::from(run.tally().attempts - 1));
        backtracks.push(run.tally().backtracks as f64);
    }
    let row = |what: &str, values: Vec<f64>, goal| Row {
        case: format!("{name} {what}"),
        ours: format!("most {}", values.iter().copied().fold(0.0, f64::max)),
        against: "20 seeds".to_owned(),
        value: median(values),
        unit: "median",
        goal,
    };
    vec![row("tries again", tries, Some(0.0)), row("backtracks", backtracks, None)]
}

/// Fills one case's map a single time, so that a counter outside sees little else.
pub fn once(case: &str) {
    let job = match case {
        "16" => {
            let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
            Job::new(&sets::all_combinations(Lattice::Square, 2), Space::new(layout))
        }
        _ => {
            let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
            terrace().collapse.job(layout, &Seed::default())
        }
    };
    let (time, filled, _) = timed(job, Scratch::default());
    println!("{case}: filled {filled} in {:.1} ms", time * 1e3);
}
