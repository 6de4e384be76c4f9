//! What a fill by windows of samples will take, before it begins.

use super::asked::now;
use crate::output::{complain, counted};
use lantern_quilt::constraints::Window;
use lantern_quilt::files::Quilt;
use lantern_quilt::lattice::{Extent, Layout, Wrap};
use lantern_quilt::passes::Collapse;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Status;
use std::time::Duration;

/// Cells a side of the corner that is filled to learn how long the whole takes; on boxes fewer.
const PROBE: [u32; 2] = [48, 12];
/// How long that may take.
const PATIENCE: Duration = Duration::from_millis(100);
/// Steps between two looks at the clock.
const SLICE: u64 = 64;

/// `396 windows of 3x3 cells from 1 sample; a map takes up to 12 MiB`; nothing of other fills.
pub fn windowed(collapse: &Collapse, layout: Layout) -> Option<String> {
    let windows = collapse.constraints().windows.as_ref()?;
    let patterns = collapse.patterns()?.patterns().len() as u64;
    let of = match windows.window {
        Window::Block([columns, rows, 1]) => format!("{columns}x{rows} cells"),
        Window::Block([columns, rows, levels]) => format!("{columns}x{rows}x{levels} cells"),
        Window::Within(steps) => format!("cells within {}", counted(steps, "step")),
        _ => "cells".to_owned(),
    };
    let bytes = collapse.job(layout, &Seed::default()).most_bytes();
    Some(format!(
        "{} of {of} from {}; a map takes up to {} MiB",
        counted(patterns, "window"),
        counted(windows.samples.len() as u64, "sample"),
        (bytes >> 20).max(1)
    ))
}

/// Prints for each fill by windows how many there are, the most memory it may take and about how long.
pub fn announce(quilt: &Quilt, quiet: bool) {
    if quiet {
        return;
    }
    for (pass, fill) in quilt.fills() {
        let Some(windowed) = windowed(&fill.collapse, quilt.layout) else { continue };
        let took = expected(&fill.collapse, quilt.layout).map(|time| match time.as_secs() {
            0 => " and less than a second".to_owned(),
            seconds @ 1..=119 => format!(" and about {}", counted(seconds, "second")),
            more => format!(" and about {} minutes", more.div_ceil(60)),
        });
        complain(&format!("`{}`: {windowed}{}\n", pass.name, took.unwrap_or_default()));
    }
}

/// About how long a fill takes, by that of a corner of the map; `None` where it backtracks much.
fn expected(collapse: &Collapse, layout: Layout) -> Option<Duration> {
    let extent = layout.extent();
    let side = PROBE[usize::from(layout.lattice().is_solid())];
    let corner = Extent::new(extent.origin(), extent.size().map(|length| length.min(side))).ok()?;
    let corner = Layout::new(layout.lattice(), corner, Wrap::NONE).ok()?;
    let began = now();
    let mut run = collapse.job(corner, &Seed::default()).begin().ok()?;
    while run.advance(SLICE) != Status::Ended && began.elapsed() < PATIENCE {}
    // A corner that had to backtrack is no measure for the rest.
    let progress = run.progress();
    let decided = if run.tally().backtracks * 8 > progress.decided { 0 } else { progress.decided };
    if decided == 0 {
        return None;
    }
    Some(began.elapsed().mul_f64(extent.cells() as f64 / decided as f64))
}
