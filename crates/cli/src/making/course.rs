//! Following a recipe: pass by pass, with a bar while a fill runs and a line for each pass afterwards.

use super::asked::{drawn, now};
use super::beforehand::announce;
use super::page::Stages;
use crate::args;
use crate::failure::Failure;
use crate::output::{cell_json, counted};
use crate::progress::{Bar, interrupted};
use lantern_quilt::draw::{PageDetails, Steps};
use lantern_quilt::files::{Output, Quilt};
use lantern_quilt::finding::Finding;
use lantern_quilt::grid::BitPlane;
use lantern_quilt::limits::Limits;
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{PassReport, Placing, Routed, Unreached, WayTo};
use lantern_quilt::picture::Picture;
use lantern_quilt::recipe::{Made, MakeError, MakeStatus, Maker, Unmet};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Run;
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Steps of a fill between two looks at whether it has ended.
pub const STEPS: u64 = 1 << 20;

/// A recipe that was followed as far as was asked for.
pub struct Course {
    pub made: Made,
    /// The last fill, or the one that did not end well.
    pub run: Option<Run>,
    /// Why it ended early.
    pub error: Option<MakeError>,
    /// How long each pass took.
    pub times: Vec<Duration>,
    /// The map after each pass, side by side.
    pub frames: Option<Picture>,
    /// What pages show besides the map.
    pub page: PageDetails,
}

/// The map before a pass, and the cells that it would use.
pub struct Before {
    pub map: Tilemap,
    pub cells: BitPlane,
}

/// What all fills may use.
pub fn limits(args: &args::Fill) -> Limits {
    let mut limits = Limits::default();
    limits.cells = args.limit_cells;
    limits.bytes = args.limit_memory.saturating_mul(1 << 20);
    limits.steps = args.limit_steps;
    limits
}

/// A recipe to be followed, with what the arguments ask of its fills.
pub fn maker(args: &args::Fill, quilt: &Quilt, seed: &Seed) -> Result<Maker, Failure> {
    let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
    Ok(alone(args, quilt, seed).crew(Arc::new(crew)))
}

/// The same on one thread.
pub fn alone(args: &args::Fill, quilt: &Quilt, seed: &Seed) -> Maker {
    let maker = quilt.maker(quilt.layout, seed).limits(limits(args));
    let maker = maker.holes(args.holes).record_decisions(args.decided);
    match args.climb {
        Some(rung) => maker.climb(rung),
        None => maker,
    }
}

/// Follows a recipe up to the pass that `--until` names.
pub fn follow(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    outputs: &[Output],
) -> Result<Course, Failure> {
    announce(quilt, args.quiet);
    let mut maker = maker(args, quilt, seed)?;
    let count = quilt.recipe.passes().len();
    let count = args
        .until
        .as_ref()
        .and_then(|name| {
            quilt.recipe.passes().iter().position(|pass| pass.name == *name).map(|at| at + 1)
        })
        .unwrap_or(count);
    let steps =
        |maker: &Maker| Steps::new(maker.map().clone(), &quilt.art, drawn(args, quilt), count);
    let mut frames = args.steps.as_ref().map(|_| steps(&maker));
    let mut stages = Stages::of(outputs);
    let mut times = Vec::new();
    let mut started = now();
    let (stop, mut bar) = (interrupted(), Bar::new(args.quiet));
    loop {
        let status = maker.advance_with(STEPS, &stop, &mut bar);
        let failed = matches!(maker.error(), Some(MakeError::Unfilled { .. }));
        let done = match status {
            MakeStatus::Working => continue,
            MakeStatus::Done(number) => Some(number),
            MakeStatus::Ended => maker.passes().len().checked_sub(1).filter(|_| failed),
        };
        if let Some(number) = done {
            times.push(started.elapsed());
            let name = &maker.passes()[number].name;
            stages.add(name, maker.map());
            if let Some(frames) = &mut frames {
                frames.add(name, maker.map()).map_err(Failure::job)?;
            }
            if args.until.as_ref() == Some(name) {
                break;
            }
            started = now();
        }
        if status == MakeStatus::Ended {
            break;
        }
    }
    drop(bar);
    let error = maker.error().cloned();
    if let Some(error @ (MakeError::Begin { pass, .. } | MakeError::Step { pass, .. })) = &error {
        return Err(Failure::Job(error.with_causes() + &at(quilt, pass)));
    }
    let frames = frames.map(Steps::finish).transpose().map_err(Failure::job)?;
    let (made, run) = maker.finish_with_run();
    times.resize(made.passes.len(), Instant::elapsed(&started));
    let page = stages.details(quilt, &made.passes, times.iter().copied().map(Some));
    Ok(Course { made, run, error, times, frames, page })
}

/// The map before the pass that `--show-where` names, and the cells it would use.
pub fn before(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    pass: &str,
) -> Result<Before, Failure> {
    let mut maker = maker(args, quilt, seed)?;
    let (stop, mut bar) = (interrupted(), Bar::new(args.quiet));
    while maker.next().is_some_and(|one| one.name != pass) {
        maker.advance_with(STEPS, &stop, &mut bar);
        if let Some(error) = maker.error() {
            return Err(Failure::Job(error.with_causes()));
        }
    }
    let cells = maker.next_cells().unwrap_or_else(|| BitPlane::new(quilt.layout.extent()));
    Ok(Before { map: maker.finish().map, cells })
}

impl Course {
    /// How long it took to make the map, without drawing.
    pub fn took(&self) -> Duration {
        self.times.iter().sum()
    }

    /// Steps of each fill.
    pub fn steps(&self) -> Vec<u64> {
        self.made.fills.iter().map(|fill| fill.tally.steps).collect()
    }

    fn told(&self) -> impl ExactSizeIterator<Item = (&PassReport, &Duration)> {
        self.made.passes.iter().zip(&self.times)
    }

    /// A line a pass: how long, how many cells changed, how many items were placed.
    pub fn lines(&self) -> String {
        if self.told().len() < 2 {
            return String::new();
        }
        let widest = self.told().map(|(one, _)| one.name.chars().count()).max().unwrap_or(0);
        let mut text = String::new();
        for (report, took) in self.told() {
            let mut did = Vec::new();
            let places = report.placing.is_some() && report.cells == 0;
            if report.cells > 0 || report.items == 0 && !places {
                did.push(counted(report.cells, "cell"));
            }
            if report.items > 0 || places {
                did.push(counted(report.items, "item"));
            }
            if report.left_out {
                did = vec!["left out by chance".to_owned()];
            }
            if let Some(routed) = &report.routed {
                let all = routed.ways.len() + routed.missed.len();
                let (steps, cost) = routed.total();
                let steps = counted(steps, "step");
                did.push(format!("{} of {all} reached, {steps}, cost {cost}", routed.ways.len()));
            }
            if report.outside > 0 {
                did.push(format!("{} of its own outside the map", counted(report.outside, "cell")));
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
        let one = |(report, took): (&PassReport, &Duration)| {
            json!({
                "pass": report.name,
                "seconds": took.as_secs_f64(),
                "changed": report.cells,
                "items": report.items,
                "outside": report.outside,
                "left": report.placing.as_ref().map(|placing| &placing.funnel),
                "left_out": report.left_out,
                "ways": report.routed.as_ref().map(routed_json),
            })
        };
        self.told().map(one).collect()
    }

    /// Why the map is not what the quilt demands: too few things, targets that are not reached, or
    /// expectations that are not met.
    pub fn refusal(&self, quilt: &Quilt) -> Option<String> {
        let demanded = self.made.short().filter(|placing| !placing.wished);
        let unreached = self.made.unreached().filter(|routed| !routed.wished);
        let findings =
            unreached.filter_map(Routed::finding).chain(self.made.unmet.iter().map(Unmet::finding));
        let text: Vec<String> = demanded
            .map(|placing| funnel(placing) + &at(quilt, &placing.pass))
            .chain(findings.map(|one| said(&one) + &at(quilt, &one.subject.to_string())))
            .collect();
        (!text.is_empty()).then(|| text.join("\n"))
    }

    /// What kind of demand was not met.
    pub fn outcome(&self) -> &'static str {
        let mut unreached = self.made.unreached().filter(|routed| !routed.wished);
        if !self.made.unmet.is_empty() {
            "unmet"
        } else if unreached.next().is_some() {
            "not reached"
        } else {
            "too few"
        }
    }

    /// What was asked for and did not fit, as lines of a summary.
    pub fn wishes(&self) -> String {
        let wished = self.made.short().filter(|placing| placing.wished);
        let unreached = self.made.unreached().filter(|routed| routed.wished);
        let findings = unreached.filter_map(Routed::finding);
        let idle = self.made.passes.iter().filter_map(PassReport::idle_finding);
        let texts = wished.map(funnel).chain(findings.chain(idle).map(|one| said(&one)));
        texts.map(|text| format!("\n  {}", text.replace('\n', "\n  "))).collect()
    }
}

/// A finding with what to do.
fn said(finding: &Finding) -> String {
    format!("{}\n  {}", finding.message, finding.help)
}

/// Where the quilt has what a text is about, on a line of its own.
fn at(quilt: &Quilt, name: &str) -> String {
    let stands = quilt.stands(name);
    stands.map_or_else(String::new, |at| format!("\n  in {}:{}:{}", at.file, at.line, at.column))
}

/// The ways that a pass found, for scripts.
fn routed_json(routed: &Routed) -> serde_json::Value {
    let way =
        |way: &WayTo| json!({ "to": cell_json(&way.target), "steps": way.steps, "cost": way.cost });
    let missed = |one: &Unreached| {
        let blocked: Vec<_> = one.blocked.iter().map(cell_json).collect();
        json!({ "to": cell_json(&one.target), "in_the_way": blocked })
    };
    json!({
        "reached": routed.ways.iter().map(way).collect::<Vec<_>>(),
        "missed": routed.missed.iter().map(missed).collect::<Vec<_>>(),
    })
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
