//! Following a recipe: pass by pass, with a bar while a fill runs and a line for each pass afterwards.

use super::fill::{drawn, now};
use crate::args;
use crate::failure::Failure;
use crate::progress::{Bar, interrupted};
use lantern_quilt::draw::{draw, side_by_side};
use lantern_quilt::files::{Made, Next, PassReport, Quilt};
use lantern_quilt::grid::BitPlane;
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::Placing;
use lantern_quilt::picture::Picture;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::{Outcome, Run};
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::sync::Arc;
use std::time::Duration;

/// A recipe that was followed as far as was asked for.
pub struct Course {
    pub made: Made,
    /// The last fill, or the one that did not end well.
    pub run: Option<Run>,
    /// Whether the quilt says all restrictions of that fill.
    pub plain: bool,
    /// Steps of each fill.
    pub steps: Vec<u64>,
    pub told: Vec<Told>,
    /// How long it took to make the map, without drawing.
    pub took: Duration,
    /// The map after each pass, side by side.
    pub frames: Option<Picture>,
}

/// What one pass did, and how long it took.
pub struct Told {
    pub report: PassReport,
    pub took: Duration,
}

/// The map before a pass, and the cells that it would use.
pub struct Before {
    pub map: Tilemap,
    pub cells: BitPlane,
}

/// Follows a recipe up to the pass that `--until` names, or the one that `--show-where` asks about.
pub fn follow(args: &args::Fill, quilt: &Quilt, seed: &Seed) -> Result<Course, Failure> {
    let mut options = drawn(args, quilt);
    options.labels = false;
    let mut making = quilt.begin(quilt.layout, seed);
    let (mut told, mut steps, mut frames) =
        (Vec::new(), Vec::new(), Vec::<(String, Picture)>::new());
    let (mut run, mut plain): (Option<Run>, bool) = (None, true);
    while let Some(name) = making.pass().map(|pass| pass.name.clone()) {
        if args.show_where.as_ref() == Some(&name) {
            break;
        }
        let started = now();
        let next = making.advance().map_err(Failure::job)?;
        let report = match next {
            Next::Pass(report) => report,
            Next::Fill(job) => {
                let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
                let mut filled = job.crew(Arc::new(crew)).begin().map_err(Failure::job)?;
                {
                    let (stop, mut bar) = (interrupted(), Bar::new(args.quiet));
                    log::debug!("filling {name}");
                    filled.fill_with(&stop, &mut bar);
                }
                steps.push(filled.tally().steps);
                let main = quilt.collapse().zip(making.fill());
                let main = main.is_some_and(|(main, fill)| main.name() == fill.collapse.name());
                plain = main && !making.is_restricted();
                let report = making.lay(&filled);
                run = Some(filled);
                report
            }
            Next::End => break,
        };
        told.push(Told { report, took: started.elapsed() });
        if args.steps.is_some() {
            let picture = draw(making.map(), &quilt.art, &options).map_err(Failure::job)?;
            frames.push((name.clone(), picture));
        }
        let failed = run.as_ref().is_some_and(|run| !run.outcome().is_some_and(Outcome::is_filled));
        if failed || args.until.as_ref() == Some(&name) {
            break;
        }
    }
    let frames = args.steps.as_ref().map(|_| side_by_side(&frames));
    let frames = frames.transpose().map_err(Failure::job)?;
    let took = told.iter().map(|one| one.took).sum();
    Ok(Course { made: making.finish(), run, plain, steps, told, took, frames })
}

/// The map before the pass that `--show-where` names, and the cells it would use.
pub fn before(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    pass: &str,
) -> Result<Before, Failure> {
    let mut making = quilt.begin(quilt.layout, seed);
    while making.pass().is_some_and(|one| one.name != pass) {
        if let Next::Fill(job) = making.advance().map_err(Failure::job)? {
            let mut run = job.begin().map_err(Failure::job)?;
            run.fill_with(&interrupted(), &mut Bar::new(args.quiet));
            making.lay(&run);
        }
    }
    let cells = making.cells().unwrap_or_else(|| BitPlane::new(quilt.layout.extent()));
    Ok(Before { map: making.finish().map, cells })
}

impl Course {
    /// A line a pass: how long, how many cells changed, how many items were placed.
    pub fn lines(&self) -> String {
        if self.told.len() < 2 {
            return String::new();
        }
        let widest = self.told.iter().map(|one| one.report.name.chars().count()).max().unwrap_or(0);
        let mut text = String::new();
        for Told { report, took } in &self.told {
            let mut did = Vec::new();
            let s = |number: u64| if number == 1 { "" } else { "s" };
            if report.changed > 0 || report.items == 0 {
                did.push(format!("{} cell{}", report.changed, s(report.changed)));
            }
            if report.items > 0 {
                did.push(format!("{} item{}", report.items, s(report.items)));
            }
            text.push_str(&format!(
                "\n  {:widest$}  {:>6.1} ms  {}",
                report.name,
                took.as_secs_f64() * 1000.0,
                did.join(", ")
            ));
        }
        text
    }

    /// The same for scripts.
    pub fn json(&self) -> serde_json::Value {
        let one = |one: &Told| {
            json!({
                "pass": one.report.name,
                "seconds": one.took.as_secs_f64(),
                "changed": one.report.changed,
                "items": one.report.items,
                "left": one.report.placing.as_ref().map(|placing| &placing.funnel),
            })
        };
        self.told.iter().map(one).collect()
    }

    /// Why the map is not what the quilt demands: too few things.
    pub fn refusal(&self) -> Option<String> {
        let demanded = self.made.short().filter(|placing| !placing.wished);
        let text: Vec<String> = demanded.map(funnel).collect();
        (!text.is_empty()).then(|| text.join("\n"))
    }

    /// What was wished for and did not fit, as lines of a summary.
    pub fn wishes(&self) -> String {
        let wished = self.made.short().filter(|placing| placing.wished);
        wished.map(|placing| format!("\n  {}", funnel(placing).replace('\n', "\n  "))).collect()
    }
}

/// How many were asked for, and what was left after each step.
fn funnel(placing: &Placing) -> String {
    let Some(finding) = placing.finding() else { return String::new() };
    let widest = placing.funnel.iter().map(|(_, count)| count.to_string().len()).max().unwrap_or(0);
    let mut text = finding.message;
    for (step, count) in &placing.funnel {
        text.push_str(&format!("\n  {count:>widest$}  {step}"));
    }
    text.push_str("\nloosen the step that takes the most, or ask for fewer");
    text
}
