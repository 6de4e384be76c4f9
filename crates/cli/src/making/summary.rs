//! What a fill has to say when it ends: a line or JSON, what went wrong and why.

use super::course::Course;
use super::pieces::Wanted;
use super::words::{
    counts_json, counts_said, placed, shares_json, shares_said, sized, stand_ins_json,
    stand_ins_said, title_of, unmet_json, with_items,
};
use crate::args;
use crate::failure::Failure;
use crate::output::{self, cell_json, counted};
use lantern_quilt::constraints::SourceKind;
use lantern_quilt::explain::{Explanation, Taker, WantedWindow};
use lantern_quilt::files::{Blame, Quilt, Said};
use lantern_quilt::limits::Climb;
use lantern_quilt::map::{Repeats, repeats};
use lantern_quilt::passes::{Collapse, StandIn};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::{Contradiction, Outcome, Run, StopReason, Tally};
use serde_json::json;
use std::path::PathBuf;
use std::time::Duration;

/// What is reported about a fill that ended.
pub struct Summary<'a> {
    pub quilt: &'a Quilt,
    pub collapse: &'a Collapse,
    pub run: &'a Run,
    pub seed: &'a Seed,
    /// How many cells were filled again, of a map that was kept.
    pub again: Option<usize>,
    pub filled_in: Duration,
    /// Why no fill exists.
    pub blame: Option<Blame>,
    pub written: &'a [PathBuf],
    /// Shapes that were missing.
    pub stand_ins: Vec<StandIn>,
    /// The passes around the fill, unless a map was kept.
    pub course: Option<&'a Course>,
    /// What holes and the failed cell want.
    pub wanted: &'a Wanted,
}

impl Summary<'_> {
    pub fn json(&self) -> serde_json::Value {
        let tally = self.run.tally();
        let outcome = match self.run.outcome() {
            Some(Outcome::Filled) => "filled",
            Some(Outcome::Contradiction(_)) => "contradiction",
            Some(Outcome::Impossible(_)) => "impossible",
            _ => "stopped",
        };
        let failed = self.run.outcome().and_then(Outcome::contradiction);
        json!({
            "outcome": outcome,
            "seed": self.seed.text(),
            "filled_again": self.again,
            "size": self.quilt.layout.extent().size(),
            "poses": self.run.rules().poses().len(),
            "tries": tally.attempts,
            "decisions": tally.decisions,
            "backtracks": tally.backtracks,
            "boxes_opened": tally.reopened,
            "blocks": tally.blocks,
            "blocks_kept": tally.blocks_kept,
            "no_goods": tally.learned,
            "repeats": self.repeats().map(|one| json!({
                "shift": one.shift, "equal": one.equal, "beyond_chance": one.beyond_chance, "seen": one.is_seen(),
            })),
            "rungs_left_out": self.run.left_out().iter().map(|rung| rung.name()).collect::<Vec<_>>(),
            "holes": self.run.holes().iter().map(cell_json).collect::<Vec<_>>(),
            "seconds": self.filled_in.as_secs_f64(),
            "pieces": self.wanted.json(),
            "failed_cell": failed.map(|at| cell_json(&at.cell)),
            "failure": failed.map(|at| self.failure_json(at)),
            "cause": self.blame.as_ref().map(blame_json),
            "passes": self.course.map(Course::json),
            "counts": self.course.map(|course| counts_json(&course.made.map)),
            "shares": self.course.map(|course| shares_json(self.quilt, &course.made.map)),
            "unmet": self.course.map(|course| unmet_json(&course.made.unmet)),
            "stand_ins": stand_ins_json(&self.stand_ins),
            "written": self.written,
        })
    }

    /// Tells how it ended, and fails where the map is not what was asked for; `refused` says why not,
    /// besides the fill.
    pub fn end(
        &self,
        args: &args::Fill,
        refused: Option<String>,
        stdout_taken: bool,
    ) -> Result<(), Failure> {
        let filled = self.run.outcome().is_some_and(Outcome::is_filled);
        if filled && refused.is_none() {
            return self.print(args, stdout_taken);
        }
        if args.json {
            output::tell_json(&self.json(), stdout_taken)?;
        }
        Err(Failure::Job(refused.filter(|_| filled).unwrap_or_else(|| self.failure(args))))
    }

    fn print(&self, args: &args::Fill, stdout_taken: bool) -> Result<(), Failure> {
        if args.json {
            return output::tell_json(&self.json(), stdout_taken);
        }
        if args.quiet {
            return Ok(());
        }
        let tally = self.run.tally();
        let mut text = format!(
            "{}: {}{} cells of {}{} filled in {:.0} ms, seed \"{}\"",
            title_of(self.quilt, args),
            self.again.map_or_else(String::new, |again| format!("{again} of the ")),
            sized(self.quilt.layout),
            counted(self.run.rules().poses().len() as u64, "pose"),
            self.course.map(|course| with_items(&course.made.map)).unwrap_or_default(),
            self.filled_in.as_secs_f64() * 1000.0,
            self.seed
        );
        let did = recovery(&tally);
        if !did.is_empty() {
            text.push_str(&format!(", {}", did.join(", ")));
        }
        let holes = self.run.holes();
        if !holes.is_empty() {
            let some: Vec<String> =
                holes.iter().take(LISTED).map(|cell| placed(self.quilt.layout, *cell)).collect();
            let more = if holes.len() > LISTED { ", ..." } else { "" };
            let number = counted(holes.len() as u64, "hole");
            text.push_str(&format!("\n  {number}: {}{more}", some.join("; ")));
            text.push_str(&self.wanted.lines());
        }
        text.push_str(&self.repeats_said());
        if let Some(course) = self.course {
            text.push_str(&counts_said(&course.made.map));
            text.push_str(&shares_said(self.quilt, &course.made.map));
            text.push_str(&course.lines());
            text.push_str(&course.wishes());
        }
        text.push_str(&stand_ins_said(&self.stand_ins));
        output::tell(text, self.written, stdout_taken)
    }

    fn explained(&self, at: &Contradiction) -> Explanation {
        self.collapse.explain(at, self.run)
    }

    /// Where the quilt says what took poses from a cell.
    fn said(&self, by: Taker) -> Option<Said> {
        let space = self.run.space();
        let source = match by {
            Taker::Restriction(cause) => space.restrictions()[cause].source,
            Taker::Rule(rule) => space.demand(rule).0,
            Taker::Neighbour(_) => return None,
        };
        self.quilt.said(source)
    }

    fn failure_json(&self, at: &Contradiction) -> serde_json::Value {
        let told = self.explained(at);
        let sides = told.demands.iter().map(|demand| {
            json!({
                "side": demand.side.name(),
                "neighbour": demand.neighbour.as_ref().map(cell_json),
                "poses": demand.poses,
                "pose_count": demand.count,
                "shows": demand.faces,
            })
        });
        let taken = told.taken.iter().map(|taken| {
            let by = match taken.by {
                Taker::Neighbour(side) => json!({ "side": side.name() }),
                Taker::Restriction(_) | Taker::Rule(_) => {
                    json!({ "restriction": self.said(taken.by).as_ref().map(said_json) })
                }
            };
            json!({ "by": by, "poses": taken.poses })
        });
        let missing: serde_json::Map<String, serde_json::Value> = told
            .missing
            .iter()
            .map(|(side, faces)| (side.name().to_owned(), json!(faces)))
            .collect();
        let broken = told.broken.as_ref().map(|broken| {
            json!({
                "demand": broken.demand,
                "must": broken.must,
                "can": broken.can,
                "said": self.quilt.said(broken.source).as_ref().map(said_json),
            })
        });
        json!({
            "cell": cell_json(&told.cell),
            "broken": broken,
            "sides": sides.collect::<Vec<_>>(),
            "taken": taken.collect::<Vec<_>>(),
            "missing_piece": (!missing.is_empty()).then_some(missing),
            "window": told.window.as_ref().map(window_json),
        })
    }

    /// Where the quilt says what is broken, on a line of its own.
    fn demanded_at(&self, told: &Explanation) -> String {
        let broken = told.broken.as_ref();
        let said = broken.and_then(|broken| self.quilt.said(broken.source));
        said.map_or_else(String::new, |at| format!("\n  in {}:{}:{}", at.file, at.line, at.column))
    }

    /// Which rungs could not be used, and why.
    fn left_out(&self) -> String {
        let rungs = self.run.left_out().iter();
        let line = |rung: &Climb| {
            let kept = match rung {
                Climb::Blocks => "`counts`, `connected` or `distance`",
                _ => "`connected` or `distance` on more than 4096 cells",
            };
            format!("\nthe rung `{}` was left out: it cannot keep {kept}", rung.name())
        };
        rungs.map(line).collect()
    }

    /// How much of the map repeats, where it was filled by varying a small one that does.
    fn repeats(&self) -> Option<Repeats> {
        let tally = self.run.tally();
        let by_blocks = tally.blocks + tally.blocks_kept > 0
            && self.run.outcome().is_some_and(Outcome::is_filled);
        let layer = self.course?.made.map.layer(self.collapse.name()).filter(|_| by_blocks)?;
        repeats(layer, self.quilt.layout.lattice())
    }

    /// The same in words, where the eye would see it.
    fn repeats_said(&self) -> String {
        let Some(one) = self.repeats().filter(Repeats::is_seen) else { return String::new() };
        format!("\n  repeats  {}: draw more tiles, or ones that fit more others", one.in_words())
    }

    /// What the colours of a failed map mean, where one was drawn.
    fn legend(&self) -> &'static str {
        let drawn = self
            .written
            .iter()
            .any(|path| path.extension().is_some_and(|ending| ending == "png" || ending == "svg"));
        let at = self.run.outcome().and_then(Outcome::contradiction);
        let Some(broken) = at.and_then(|at| at.broken).filter(|_| drawn) else { return "" };
        match self.run.space().demand(broken.rule).0.kind {
            SourceKind::Connected => {
                "\nin the picture each piece has a colour of its own, faint where it could still go; \
                 white cells cut the smallest off"
            }
            SourceKind::Count => {
                "\nin the picture cells that count are amber; blue ones could still hold more"
            }
            SourceKind::Distance => {
                "\nin the picture what keeps its distance is amber, and what it keeps it from blue"
            }
            _ => "",
        }
    }

    /// What went wrong, where, and what to do next.
    pub fn failure(&self, args: &args::Fill) -> String {
        let tally = self.run.tally();
        let mut text = match self.run.outcome() {
            Some(Outcome::Contradiction(at)) => {
                let words = self.explained(at);
                let mut did = recovery(&tally);
                if did.is_empty() {
                    did.push(tries(tally.attempts));
                }
                let help = match self.collapse.search.climb {
                    Climb::Backtrack | Climb::Reopen | Climb::Blocks => {
                        "`--climb learn` goes further, `--climb proof` until a fill is found or \
                         proved not to exist"
                    }
                    Climb::Learn => {
                        "`--climb proof` searches until a fill is found or proved not to exist"
                    }
                    _ if self.run.left_out().contains(&Climb::Learn) => {
                        "maps of up to 4096 cells can be proved: try a smaller --size"
                    }
                    _ => "raise --limit-memory, or make the map smaller",
                };
                let next = if words.broken.is_some() {
                    "ask for less"
                } else if words.window.is_some() {
                    "draw a sample that shows it"
                } else {
                    "draw a tile that fits there"
                };
                format!(
                    "the map was not filled: after {} {words}{}\n{next}; {help}",
                    did.join(", "),
                    self.demanded_at(&words),
                ) + &self.left_out()
            }
            Some(Outcome::Impossible(at)) => {
                let words = self.explained(at);
                let place = self.demanded_at(&words);
                let mut text = format!("this map cannot be filled: {words}{place}");
                if let Some(blame) = &self.blame {
                    text.push_str(&format!("\n{blame}"));
                } else if at.cause.is_some() {
                    text.push_str("\nnothing is left for this cell; let one of these accept more:");
                    let told = self.explained(at);
                    for said in told.taken.iter().filter_map(|taken| self.said(taken.by)) {
                        text.push_str(&format!("\n  {said}"));
                    }
                }
                text
            }
            Some(Outcome::Stopped(why @ StopReason::Bytes)) => {
                format!(
                    "stopped: {why}; raise --limit-memory, or stop climbing before: --climb reopen"
                )
            }
            Some(Outcome::Stopped(StopReason::Steps)) => format!(
                "stopped after {} steps, the limit; raise --limit-steps to go further",
                tally.steps
            ),
            _ => {
                let progress = self.run.progress();
                let partial =
                    self.written.iter().find(|path| path.extension().is_some_and(|e| e == "json"));
                let further = match partial.filter(|_| self.quilt.recipe.passes().len() == 1) {
                    Some(path) => format!(
                        "`lantern-quilt fill {} --from {}` continues from there",
                        args.quilt.display(),
                        path.display()
                    ),
                    None if self.quilt.recipe.passes().len() > 1 => {
                        "the same command makes the map again from the start".to_owned()
                    }
                    None => {
                        "the same command fills the map again from the start; with a .json among \
                             its outputs it could go on"
                            .to_owned()
                    }
                };
                format!(
                    "stopped with {} of {} cells decided; {further}",
                    progress.decided, progress.cells
                )
            }
        };
        text.push_str(&format!(" (seed \"{}\")", self.seed));
        text.push_str(self.legend());
        if !self.written.is_empty() && !args.quiet {
            text.push_str("\npartial map written to:");
            for path in self.written {
                text.push_str(&format!("\n  {}", path.display()));
            }
        }
        text
    }
}

/// Cells listed by name, at most.
const LISTED: usize = 8;

fn blame_json(blame: &Blame) -> serde_json::Value {
    let said = match blame {
        Blame::Said(said) => said.iter().map(said_json).collect(),
        _ => Vec::new(),
    };
    json!({ "tiles": *blame == Blame::Tiles, "restrictions": said })
}

/// The window that was wanted, cell by cell, beside the nearest that a sample shows.
fn window_json(window: &WantedWindow) -> serde_json::Value {
    let cells = window.cells.iter().map(|cell| {
        json!({
            "at": cell.at,
            "wanted": cell.wanted,
            "torn": cell.torn,
            "nearest": cell.nearest,
            "differs": cell.differs,
        })
    });
    json!({ "differs": window.differs, "cells": cells.collect::<Vec<_>>() })
}

fn said_json(said: &Said) -> serde_json::Value {
    json!({ "what": said.what, "file": said.file, "line": said.line, "column": said.column })
}

/// What it took besides choosing, rung by rung.
fn recovery(tally: &Tally) -> Vec<String> {
    let rungs =
        [(tally.backtracks, "backtrack"), (tally.blocks, "block"), (tally.learned, "no-good")];
    let mut did: Vec<String> = rungs
        .iter()
        .filter(|(number, _)| *number > 0)
        .map(|&(number, what)| counted(number, what))
        .collect();
    if tally.reopened > 0 {
        let boxes = if tally.reopened == 1 { "box" } else { "boxes" };
        did.insert(did.len().min(1), format!("{} {boxes} opened again", tally.reopened));
    }
    if tally.attempts > 1 {
        did.push(tries(tally.attempts));
    }
    did
}

fn tries(number: u32) -> String {
    if number == 1 { "1 try".to_owned() } else { format!("{number} tries") }
}
