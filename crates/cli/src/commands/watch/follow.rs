//! Keeps the board up to date: waits for files to change, reads the quilt, makes its map.

use super::board::{Asked, Board};
use crate::args;
use crate::failure::Failure;
use crate::making::asked::{now, seed_text};
use lantern_quilt::draw::page_data;
use lantern_quilt::files::{Quilt, Report};
use lantern_quilt::limits::Stop;
use lantern_quilt::observe::{Flow, Observer, Progress};
use lantern_quilt::passes::PassReport;
use lantern_quilt::recipe::{MakeError, MakeStatus, Results};
use lantern_quilt::seed::Seed;
use notify::{Event, EventKind, RecursiveMode, Watcher};
use serde_json::{Value, json};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// Files that do not change for so long are read.
const QUIET: Duration = Duration::from_millis(30);
/// A mistake is shown when it is still there so much later: an editor may be in the middle of writing.
const DOUBT: Duration = Duration::from_millis(120);
/// How often a page is told how far a fill is, and Ctrl-C is looked for.
const BEAT: Duration = Duration::from_millis(150);

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
    let mut follower = Follower {
        args,
        board,
        stop,
        newer,
        changes,
        results: Results::default(),
        seen: None,
        turn: 0,
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
    /// What passes made: those whose input is the same are not done again.
    results: Results,
    /// The hash of what is shown, its seed and variant.
    seen: Option<(String, String)>,
    /// How many seeds away from the first one.
    turn: u32,
    /// The variant that is shown.
    variant: Option<String>,
}

impl Follower<'_> {
    /// Waits until something changed and is quiet again, or another seed is asked for.
    fn wait(&mut self) {
        while !self.stop.load(Ordering::Relaxed) {
            let asked = self.board.asked();
            let any = !asked.is_empty();
            for one in asked {
                match one {
                    Asked::Next => self.turn = self.turn.saturating_add(1),
                    Asked::Back => self.turn = self.turn.saturating_sub(1),
                    Asked::Variant(name) => {
                        self.variant = Some(name).filter(|name| !name.is_empty());
                    }
                }
            }
            if any {
                return;
            }
            match self.changes.recv_timeout(BEAT) {
                Ok(()) => {
                    while self.changes.recv_timeout(QUIET).is_ok() {}
                    return;
                }
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => std::thread::sleep(BEAT),
            }
        }
    }

    /// Reads the quilt and shows its map, or what is wrong with it.
    fn look(&mut self) {
        let mut changes = self.args.changes.changes();
        changes.variant.clone_from(&self.variant);
        let options = self.args.reading.options().with(changes);
        match Quilt::open_with(&self.args.quilt, &options) {
            Ok(quilt) => self.make(&quilt),
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
        let first = self.args.seed.as_deref().map_or_else(|| quilt.seed.clone(), seed_text);
        let seed = match self.turn {
            0 => first,
            turn => Seed::from_text(&format!("{}/{turn}", first.text())),
        };
        let variant = self.variant.clone().unwrap_or_default();
        let key = (quilt.hash.clone(), format!("{}/{variant}", seed.text()));
        if self.seen.as_ref() == Some(&key) {
            return;
        }
        let started = now();
        let results = std::mem::take(&mut self.results);
        let mut maker = quilt.maker(quilt.layout, &seed).reusing(results.clone());
        let stop = Either([Arc::clone(self.stop), Arc::clone(&self.newer)]);
        let mut teller = Teller { board: self.board, told: started, started };
        let mut times = Vec::new();
        let mut began = now();
        loop {
            let known = maker.reused();
            match maker.advance_with(u64::MAX, &stop, &mut teller) {
                MakeStatus::Working => {}
                MakeStatus::Done(_) => {
                    // What was not done again took no time.
                    times.push((maker.reused() == known).then(|| began.elapsed()));
                    began = now();
                }
                MakeStatus::Ended => break,
            }
        }
        let error = maker.error().cloned();
        if matches!(error, Some(MakeError::Stopped { .. })) {
            // Something newer is there already.
            self.results = results;
            return;
        }
        self.results = maker.results();
        let reused = maker.reused();
        let made = maker.finish();
        let failure = error.or_else(|| made.check().err()).map(|error| error.with_causes());
        let mut options = quilt.look();
        options.failed = made.unmet.iter().flat_map(|unmet| unmet.cells.clone()).collect();
        let passes = quilt.recipe.passes().len();
        let took = started.elapsed().as_secs_f64() * 1000.0;
        let mut status = format!("{took:.0} ms, {} of {passes} passes done again", passes - reused);
        let (holes, stand_ins) = (
            made.fills.iter().map(|fill| fill.holes.len()).sum::<usize>(),
            made.stand_ins().map(|one| one.count).sum::<u64>(),
        );
        for (count, what) in [(holes as u64, "holes"), (stand_ins, "stand-ins")] {
            if count > 0 {
                status.push_str(&format!(", {count} {what}"));
            }
        }
        let warnings = quilt.findings.to_json();
        match page_data(&made.map, &quilt.art, &options) {
            Ok(mut data) => {
                self.seen = Some(key);
                data["passes"] = passes_of(&made.passes, &times, quilt);
                data["variants"] = quilt.variants.clone().into();
                data["variant"] = self.variant.clone().into();
                let failure = failure.map(|text| json!({ "severity": "error", "message": text }));
                let findings =
                    warnings.as_array().cloned().unwrap_or_default().into_iter().chain(failure);
                let findings: Vec<Value> = findings.collect();
                self.board.change(|shown| {
                    shown.status = status;
                    shown.findings = findings.into();
                    shown.show(data.to_string());
                });
            }
            Err(error) => {
                status = error.to_string();
                self.board.change(|shown| shown.status = status);
            }
        }
    }
}

/// What each pass did; its time when it was done again.
fn passes_of(reports: &[PassReport], times: &[Option<Duration>], quilt: &Quilt) -> Value {
    let one = |(report, time): (&PassReport, &Option<Duration>)| {
        let ms = time.map(|time| format!("{:.1}", time.as_secs_f64() * 1000.0));
        let at = quilt.stands(&report.name).map(|at| format!("{}:{}", at.file, at.line));
        json!({ "name": report.name, "ms": ms, "cells": report.cells, "items": report.items, "at": at })
    };
    reports.iter().zip(times).map(one).collect()
}

/// Either of two flags.
struct Either([Arc<AtomicBool>; 2]);

impl Stop for Either {
    fn requested(&self) -> bool {
        self.0.iter().any(|flag| flag.load(Ordering::Relaxed))
    }
}

/// Tells pages how far a long fill is.
struct Teller<'a> {
    board: &'a Board,
    told: Instant,
    started: Instant,
}

impl Observer for Teller<'_> {
    fn progress(&mut self, progress: &Progress) -> Flow {
        if self.told.elapsed() >= BEAT {
            self.told = now();
            let (seconds, Progress { decided, cells, .. }) =
                (self.started.elapsed().as_secs_f64(), progress);
            let status = format!("filling: {decided} of {cells} cells, {seconds:.1} s");
            self.board.change(|shown| shown.status = status);
        }
        Flow::Continue
    }
}
