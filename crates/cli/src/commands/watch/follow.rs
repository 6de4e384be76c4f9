//! Keeps the board up to date: waits for files to change, reads the quilt, makes its map.

use super::board::{Asked, Board, Part};
use super::filling::{self, Any};
use super::prints::Prints;
use crate::args;
use crate::failure::Failure;
use crate::making::asked::{now, seed_text};
use crate::making::page::Stages;
use lantern_quilt::draw::page_data;
use lantern_quilt::files::{Quilt, Report};
use lantern_quilt::recipe::{Made, MakeError, Results};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::{Outcome, Run};
use lantern_quilt::threads::Threads;
use notify::{Event, EventKind, RecursiveMode, Watcher};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::Duration;

/// Files that do not change for so long are read.
const QUIET: Duration = Duration::from_millis(30);
/// A mistake is shown when it is still there so much later: an editor may be in the middle of writing.
const DOUBT: Duration = Duration::from_millis(120);
/// How often it looks whether a page asks for something, and for Ctrl-C.
const BEAT: Duration = Duration::from_millis(60);

/// Follows the quilt until `stop` is set.
pub fn follow(args: &args::Watch, board: &Board, stop: &Arc<AtomicBool>) -> Result<(), Failure> {
    let (sender, changes) = channel();
    let newer = Arc::new(AtomicBool::new(false));
    let flag = Arc::clone(&newer);
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<Event>| {
        let looked_at = |event: &Event| matches!(event.kind, EventKind::Access(_));
        if event.as_ref().is_ok_and(looked_at) {
            return;
        }
        flag.store(true, Ordering::Relaxed);
        // Nobody listens when the command has ended.
        let _ = sender.send(());
    })
    .map_err(Failure::job)?;
    // The folder and not the file: editors replace files.
    let folder = args.quilt.parent().filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new("."));
    watcher.watch(folder, RecursiveMode::Recursive).map_err(Failure::job)?;
    if let Some(root) = &args.reading.root {
        // Art and parts may lie beside the folder.
        watcher.watch(root, RecursiveMode::Recursive).map_err(Failure::job)?;
    }
    let crew = Threads::new(0).map_err(Failure::job)?;
    let mut follower = Follower {
        args,
        board,
        stop,
        newer,
        changes,
        crew: Arc::new(crew),
        results: Results::default(),
        quilt: None,
        prints: Prints::default(),
        seen: None,
        turn: 0,
        turns: BTreeSet::new(),
        variant: args.changes.variant.clone(),
    };
    while !stop.load(Ordering::Relaxed) {
        follower.newer.store(false, Ordering::Relaxed);
        follower.look();
        follower.wait();
    }
    Ok(())
}

struct Follower<'a> {
    args: &'a args::Watch,
    board: &'a Board,
    stop: &'a Arc<AtomicBool>,
    /// Set when files changed since they were read.
    newer: Arc<AtomicBool>,
    changes: Receiver<()>,
    crew: Arc<Threads>,
    /// What passes made: those whose input is the same are not done again.
    results: Results,
    /// The last that was read without a mistake.
    quilt: Option<Quilt>,
    prints: Prints,
    /// The hash of what is shown, its seed and variant.
    seen: Option<(String, String)>,
    /// How many seeds away from the first one.
    turn: u32,
    /// Those that were shown.
    turns: BTreeSet<u32>,
    /// The variant that is shown.
    variant: Option<String>,
}

impl Follower<'_> {
    /// Waits until something changed and is quiet again, or something else is asked for.
    fn wait(&mut self) {
        while !self.stop.load(Ordering::Relaxed) {
            if self.take_asked() {
                return;
            }
            let patience = if self.prints.is_due() { Duration::ZERO } else { BEAT };
            match self.changes.recv_timeout(patience) {
                Ok(()) => {
                    while self.changes.recv_timeout(QUIET).is_ok() {}
                    return;
                }
                Err(RecvTimeoutError::Timeout) => self.print(),
                Err(RecvTimeoutError::Disconnected) => std::thread::sleep(BEAT),
            }
        }
    }

    /// Takes what pages asked for; returns whether another map is asked for.
    fn take_asked(&mut self) -> bool {
        let mut other = false;
        for one in self.board.asked() {
            other |= one != Asked::Prints;
            match one {
                Asked::Next => self.turn = self.turn.saturating_add(1),
                Asked::Back => self.turn = self.turn.saturating_sub(1),
                Asked::Seed(turn) => self.turn = turn,
                Asked::Variant(name) => self.variant = Some(name).filter(|name| !name.is_empty()),
                Asked::Prints => self.prints.begin(self.turn, self.board),
            }
        }
        other
    }

    /// The next small picture of another seed, when some are due.
    fn print(&mut self) {
        if !self.prints.is_due() {
            return;
        }
        let Some(quilt) = self.quilt.take() else { return self.prints.clear(self.board) };
        let mut prints = std::mem::take(&mut self.prints);
        let seed = |turn| self.seed(&quilt, turn);
        let stop = Any(&[self.stop, &self.newer, self.board.called()]);
        prints.step(&quilt, seed, self.board, &stop);
        self.prints = prints;
        self.quilt = Some(quilt);
    }

    /// The seed that is so many away from the first.
    fn seed(&self, quilt: &Quilt, turn: u32) -> Seed {
        let first = self.args.seed.as_deref().map_or_else(|| quilt.seed.clone(), seed_text);
        match turn {
            0 => first,
            turn => Seed::from_text(&format!("{}/{turn}", first.text())),
        }
    }

    /// Reads the quilt and shows its map, or what is wrong with it.
    fn look(&mut self) {
        let mut changes = self.args.changes.changes();
        changes.variant.clone_from(&self.variant);
        let options = self.args.reading.options().with(changes);
        match Quilt::open_with(&self.args.quilt, &options) {
            Ok(quilt) => {
                self.make(&quilt);
                self.quilt = Some(quilt);
            }
            Err(report) => self.complain(&report),
        }
    }

    /// Shows what is wrong, over the last good map, unless it is mended at once.
    fn complain(&mut self, report: &Report) {
        if self.changes.recv_timeout(DOUBT).is_ok() {
            while self.changes.recv_timeout(QUIET).is_ok() {}
            return self.look();
        }
        self.seen = None;
        let findings = report.to_json();
        let count = report.findings.len();
        self.board.change(|shown| {
            shown.status = format!("{count} finding{}", if count == 1 { "" } else { "s" });
            shown.findings = findings;
        });
    }

    fn make(&mut self, quilt: &Quilt) {
        let seed = self.seed(quilt, self.turn);
        let variant = self.variant.clone().unwrap_or_default();
        let key = (quilt.hash.clone(), format!("{}/{variant}", seed.text()));
        if self.seen.as_ref() == Some(&key) {
            return;
        }
        if self.quilt.as_ref().is_none_or(|known| known.hash != quilt.hash) {
            self.prints.clear(self.board);
        }
        let halt = self.board.halted();
        halt.store(false, Ordering::Relaxed);
        let started = now();
        let results = std::mem::take(&mut self.results);
        let mut maker = quilt
            .maker(quilt.layout, &seed)
            .crew(self.crew.clone())
            .record_decisions(self.args.decided)
            .reusing(results.clone());
        let mut stages = Stages::kept();
        let stop = Any(&[self.stop, &self.newer, halt, self.board.called()]);
        let times = filling::follow(&mut maker, &mut stages, self.board, &stop);
        let error = maker.error().cloned();
        let halted = halt.load(Ordering::Relaxed);
        let stopped = matches!(error, Some(MakeError::Stopped { .. }));
        if stopped && !halted {
            // Something newer is there already, or asked for.
            self.results = results;
            return;
        }
        self.results = if stopped { results } else { maker.results() };
        let reused = maker.reused();
        let (made, run) = maker.finish_with_run();
        let passes = quilt.recipe.passes().len();
        let took = started.elapsed().as_secs_f64() * 1000.0;
        let status = if stopped {
            let seconds = took / 1000.0;
            format!(
                "stopped after {seconds:.1} s; save the quilt or take another seed to begin again"
            )
        } else {
            format!(
                "{took:.0} ms, {} of {passes} passes done again{}",
                passes - reused,
                told(&made)
            )
        };
        let failure =
            error.filter(|_| !stopped).or_else(|| made.check().err().filter(|_| !stopped));
        let failure = failure.map(|error| failed(quilt, &error, run.as_ref()));
        let details = stages.details(quilt, &made.passes, times);
        let mut options = quilt.look();
        options.failed = made.unmet.iter().flat_map(|unmet| unmet.cells.clone()).collect();
        let ended = run.as_ref().and_then(Run::outcome).and_then(Outcome::contradiction);
        options.failed.extend(ended.map(|at| at.cell));
        match page_data(&made.map, &quilt.art, &options, &details) {
            Ok(mut data) => {
                self.seen = Some(key);
                self.turns.insert(self.turn);
                data["variants"] = quilt.variants.clone().into();
                data["variant"] = self.variant.clone().into();
                data["turn"] = self.turn.into();
                let seeds =
                    self.turns.iter().map(|&turn| json!([turn, self.seed(quilt, turn).text()]));
                data["seeds"] = seeds.collect();
                let warnings = quilt.findings.to_json();
                let warnings = warnings.as_array().cloned().unwrap_or_default();
                let findings: Vec<Value> = failure.into_iter().chain(warnings).collect();
                self.board.change(|shown| {
                    shown.status = status;
                    shown.findings = findings.into();
                    shown.show(Part::Map, data.to_string());
                });
            }
            Err(error) => self.board.change(|shown| shown.status = error.to_string()),
        }
    }
}

/// A map that is not what the quilt demands, as a finding; with the place of its pass, or of the rule that was broken.
fn failed(quilt: &Quilt, error: &MakeError, run: Option<&Run>) -> Value {
    let mut at = error.pass().and_then(|pass| quilt.stands(pass));
    let mut message = error.with_causes();
    if let (MakeError::Unfilled { pass, outcome }, Some(run)) = (error, run)
        && let Some(ended) = outcome.contradiction()
        && let Some((_, fill)) = quilt.fills().find(|(filled, _)| filled.name == *pass)
    {
        let told = fill.collapse.explain(ended, run);
        message = format!("the pass `{pass}` did not get filled: {told}");
        at = told.broken.and_then(|broken| quilt.said(broken.source)).or(at);
    }
    let mut told = json!({ "severity": "error", "message": message });
    if let Some(at) = at {
        (told["file"], told["line"], told["column"]) =
            (at.file.into(), at.line.into(), at.column.into());
    }
    told
}

/// `, 3 holes, 2 stand-ins, 1 expectation not met`.
fn told(made: &Made) -> String {
    let holes: usize = made.fills.iter().map(|fill| fill.holes.len()).sum();
    let stand_ins: u64 = made.stand_ins().map(|one| one.count).sum();
    let connectors = made.map.connectors().len();
    let counts = [
        (holes as u64, "holes"),
        (stand_ins, "stand-ins"),
        (connectors as u64, "open connectors"),
        (made.unmet.len() as u64, "expectations not met"),
    ];
    let counts = counts.into_iter().filter(|(count, _)| *count > 0);
    counts.map(|(count, what)| format!(", {count} {what}")).collect()
}
