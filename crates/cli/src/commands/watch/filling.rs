//! Makes a map in slices, so that pages see the progress of a long fill and can stop it.

use super::board::{Board, Part};
use crate::making::asked::now;
use crate::making::page::Stages;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt::TileArt;
use lantern_quilt::draw::{DrawOptions, PageDetails, is_flat, page_data};
use lantern_quilt::limits::Stop;
use lantern_quilt::map::Tilemap;
use lantern_quilt::observe::Silent;
use lantern_quilt::recipe::{MakeStatus, Maker};
use lantern_quilt::solve::Run;
use serde_json::{Value, json};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How often the progress of a fill is reported to pages.
const BEAT: Duration = Duration::from_millis(250);
/// Steps between two looks at the clock.
const STEPS: u64 = 1 << 14;
/// Maps of more cells are not shown while they are filled.
const MOST_CELLS: usize = 1 << 18;

/// Any of some flags.
pub struct Any<'a>(pub &'a [&'a AtomicBool]);

impl Stop for Any<'_> {
    fn requested(&self) -> bool {
        self.0.iter().any(|flag| flag.load(Ordering::Relaxed))
    }
}

/// Follows a recipe to its end and keeps the map after each pass. Gives how long each pass took, where it was done
/// again.
pub fn follow(
    maker: &mut Maker,
    stages: &mut Stages,
    board: &Board,
    stop: &dyn Stop,
) -> Vec<Option<Duration>> {
    let started = now();
    let (mut began, mut told) = (started, started);
    let mut times = Vec::new();
    let mut known = maker.reused();
    loop {
        match maker.advance_with(STEPS, stop, &mut Silent) {
            MakeStatus::Working => {}
            MakeStatus::Done(number) => {
                // What was not done again took no time.
                times.push((maker.reused() == known).then(|| began.elapsed()));
                stages.add(&maker.passes()[number].name, maker.map());
                known = maker.reused();
                began = now();
            }
            MakeStatus::Ended => break,
        }
        if told.elapsed() >= BEAT {
            tell(maker, board, started);
            told = now();
        }
    }
    board.change(|shown| shown.filling = Value::Null);
    times
}

/// Reports progress to pages.
fn tell(maker: &Maker, board: &Board, started: Instant) {
    let seconds = started.elapsed().as_secs_f64();
    let progress = maker.progress();
    let pass = maker.next().map_or("", |pass| pass.name.as_str());
    let mut status =
        format!("{pass}: pass {} of {}, {seconds:.1} s", progress.done + 1, progress.passes);
    let mut filling = json!({ "pass": pass, "seconds": seconds });
    let mut openness = None;
    if let Some(fill) = progress.fill {
        status = format!("{pass}: {} of {} cells, {seconds:.1} s", fill.decided, fill.cells);
        (filling["decided"], filling["cells"]) = (fill.decided.into(), fill.cells.into());
        if let Some((mean, data)) = maker.run().and_then(open_cells) {
            status.push_str(&format!(", {mean:.0} % open"));
            filling["open"] = mean.into();
            let mut data = data;
            if board.is_blank() {
                data["blank"] = blank(maker.map());
            }
            openness = Some(data.to_string());
        }
    }
    board.change(|shown| {
        shown.status = status;
        shown.filling = filling;
        if let Some(data) = openness {
            shown.show(Part::Openness, data);
        }
    });
}

/// How open cells are, in percent, and each of them: 0 decided, 255 as open as can be, on a scale of halvings.
fn open_cells(run: &Run) -> Option<(f64, Value)> {
    let extent = run.space().layout().extent();
    if extent.cells() > MOST_CELLS {
        return None;
    }
    let most = (run.rules().poses().len().max(2) as f64).log2();
    let part = |cell| (run.options(cell).max(1) as f64).log2() / most;
    let parts: Vec<f64> = extent.iter().map(part).collect();
    let mean = parts.iter().sum::<f64>() / parts.len().max(1) as f64 * 100.0;
    let bytes: Vec<u8> = parts.iter().map(|part| (part * 255.0).round() as u8).collect();
    let [columns, rows, levels] = extent.size();
    let data = json!({
        "size": [columns, rows, levels], "origin": [extent.origin().x, extent.origin().y, extent.origin().z],
        "cells": STANDARD.encode(bytes),
    });
    Some((mean, data))
}

/// A page of a flat map of that size without anything on it, until there is one.
fn blank(map: &Tilemap) -> Value {
    let empty = Tilemap::new(map.layout());
    let (art, options) = (TileArt::new([16, 16]), DrawOptions::default());
    if !is_flat(empty.layout(), &art) {
        return Value::Null;
    }
    let mut data =
        page_data(&empty, &art, &options, &PageDetails::default()).unwrap_or(Value::Null);
    let [columns, rows, _] = empty.layout().extent().size();
    data["about"] = format!("{columns} x {rows} cells").into();
    data
}
