//! A progress bar on standard error, only on a terminal, and Ctrl-C as a stop condition.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use lantern_quilt::limits::Climb;
use lantern_quilt::observe::{Flow, Observer, Progress};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, LazyLock};

static INTERRUPTED: LazyLock<Arc<AtomicBool>> = LazyLock::new(|| {
    let flag = Arc::new(AtomicBool::new(false));
    let inner = Arc::clone(&flag);
    let set = ctrlc::set_handler(move || {
        // A second Ctrl-C means it: leave at once.
        if inner.swap(true, Ordering::Relaxed) {
            std::process::exit(130);
        }
    });
    if let Err(error) = set {
        log::warn!("Ctrl-C ends the program at once: {error}");
    }
    flag
});

/// The stop condition that Ctrl-C sets.
pub fn interrupted() -> Arc<AtomicBool> {
    Arc::clone(&INTERRUPTED)
}

/// Shows cells, tries and backtracks of a fill.
pub struct Bar {
    bar: ProgressBar,
}

impl Bar {
    pub fn new(quiet: bool) -> Self {
        let target =
            if quiet { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr() };
        let bar = ProgressBar::with_draw_target(Some(0), target);
        let style = ProgressStyle::with_template(
            "{msg} {wide_bar} {human_pos} of {human_len} cells, {eta} left",
        );
        bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()).progress_chars("=> "));
        bar.set_message("filling");
        Self { bar }
    }
}

/// A bar that counts frames.
pub struct Frames(ProgressBar);

impl Frames {
    pub fn show(&self, number: u32, of: u32) {
        self.0.set_length(of.into());
        self.0.set_position(number.into());
    }
}

impl Drop for Frames {
    fn drop(&mut self) {
        self.0.finish_and_clear();
    }
}

/// A bar that counts the frames of a film.
pub fn filming(quiet: bool) -> Frames {
    Frames(counted("filming {wide_bar} {pos} of {len} frames, {eta} left", 0, quiet))
}

/// A bar that counts maps.
pub fn counting(verb: &str, maps: u64, quiet: bool) -> ProgressBar {
    counted(&format!("{verb} {{wide_bar}} {{pos}} of {{len}} maps, {{eta}} left"), maps, quiet)
}

fn counted(template: &str, all: u64, quiet: bool) -> ProgressBar {
    let target = if quiet { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr() };
    let bar = ProgressBar::with_draw_target(Some(all), target);
    let style = ProgressStyle::with_template(template);
    bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()).progress_chars("=> "));
    bar
}

impl Observer for Bar {
    fn pass(&mut self, name: &str, number: usize, of: usize) {
        log::debug!("pass {} of {of}: {name}", number + 1);
        self.bar.set_message(format!("{name} ({} of {of})", number + 1));
        self.bar.set_position(0);
        self.bar.set_length(0);
    }

    fn attempt(&mut self, number: u32) {
        if number > 1 {
            self.bar.set_message(format!("filling, try {number}"));
        }
    }

    fn rung(&mut self, rung: Climb) {
        self.bar.set_message(match rung {
            Climb::Blocks => "filling block by block",
            _ => "searching with learning",
        });
    }

    fn progress(&mut self, progress: &Progress) -> Flow {
        self.bar.set_length(progress.cells);
        self.bar.set_position(progress.decided);
        Flow::Continue
    }
}

impl Drop for Bar {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}
