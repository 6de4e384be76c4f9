//! One table of measured ratios: `cargo run --release -p lantern-quilt-bench [CASE] [--json]`.
//!
//! Every time is measured beside what it is compared with, in the same run and in turns, so that a
//! machine's mood cancels out. A case is named by the start of its name.

mod authoring;
mod cases;
mod clock;
mod models;
mod mutants;
mod passes;
mod pauses;
mod recovery;
mod shapes;
mod shares;
mod sides;
mod slips;
mod trials;
mod ways;
mod whole;
mod wide;

use clap::Parser;
use peak_alloc::PeakAlloc;
use serde_json::json;
use std::process::ExitCode;

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

/// Measures fills against noise on this machine.
#[derive(Parser)]
struct Args {
    /// Only cases whose name begins so
    case: Option<String>,
    /// Print rows as JSON
    #[arg(long)]
    json: bool,
    /// Rounds of each comparison
    #[arg(long, default_value_t = 7)]
    rounds: usize,
    /// Fill this case's map once and do nothing else, for a profiler or an instruction counter
    #[arg(long, value_name = "CASE")]
    once: Option<String>,
    /// Fill so many random maps of every kind, have each judged by the verifier, and measure nothing
    #[arg(long, value_name = "COUNT")]
    trials: Option<u64>,
    /// Read so many quilts, maps, plans and pictures that were changed at random, use what can still be
    /// read, and measure nothing
    #[arg(long, value_name = "COUNT")]
    mutants: Option<u64>,
    /// Make every slip of an artist on every demo, print how many `check` finds, and measure nothing
    #[arg(long)]
    slips: bool,
    /// Name the slips that are missed
    #[arg(long, requires = "slips")]
    missed: bool,
    /// Of those inputs just this one
    #[arg(long, value_name = "NUMBER", requires = "mutants")]
    only: Option<u64>,
    /// The seed of random inputs
    #[arg(long, value_name = "NUMBER", default_value_t = 1)]
    seed: u64,
}

/// One row of the table.
#[derive(Debug)]
pub struct Row {
    /// Its name.
    pub case: String,
    /// Our own figure, in words.
    pub ours: String,
    /// What it is compared with, in words.
    pub against: String,
    /// The figure that is judged.
    pub value: f64,
    /// Its unit.
    pub unit: &'static str,
    /// The most (or, when negative, the least) that `value` should be.
    pub goal: Option<f64>,
}

impl Row {
    fn holds(&self) -> Option<bool> {
        self.goal.map(|goal| if goal < 0.0 { self.value >= -goal } else { self.value <= goal })
    }
}

fn main() -> ExitCode {
    let args = Args::parse();
    if let Some(case) = &args.once {
        cases::once(case);
        return ExitCode::SUCCESS;
    }
    if let Some(count) = args.trials {
        return if trials::run(count, args.seed) { ExitCode::SUCCESS } else { ExitCode::FAILURE };
    }
    if let Some(count) = args.mutants {
        let sound = mutants::run(count, args.seed, args.only);
        return if sound { ExitCode::SUCCESS } else { ExitCode::FAILURE };
    }
    if args.slips {
        return if slips::run(args.missed) { ExitCode::SUCCESS } else { ExitCode::FAILURE };
    }
    let wanted = |name: &str| args.case.as_ref().is_none_or(|case| name.starts_with(case.as_str()));
    let mut rows = Vec::new();
    if !args.json {
        println!(
            "{:<34} {:>16} {:>18} {:>9} {:>6}  holds",
            "case", "ours", "against", "value", "goal"
        );
    }
    for case in cases::ALL.iter().filter(|case| wanted(case.name)) {
        for row in (case.measure)(case.name, args.rounds) {
            if !args.json {
                let goal = row.goal.map_or(String::new(), |goal| format!("{}", goal.abs()));
                let holds = row.holds().map_or("", |holds| if holds { "yes" } else { "no" });
                println!(
                    "{:<34} {:>16} {:>18} {:>7.2} {} {:>5}  {holds}",
                    row.case, row.ours, row.against, row.value, row.unit, goal
                );
            }
            rows.push(row);
        }
    }
    if args.json {
        let rows: Vec<_> = rows
            .iter()
            .map(|row| {
                json!({
                    "case": row.case, "value": row.value, "unit": row.unit,
                    "goal": row.goal.map(f64::abs), "holds": row.holds(),
                    "ours": row.ours, "against": row.against,
                })
            })
            .collect();
        println!("{}", serde_json::Value::from(rows));
    }
    ExitCode::SUCCESS
}
