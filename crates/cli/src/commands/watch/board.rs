//! What pages are shown: the last good map, how things stand, and what is wrong.

use serde_json::{Value, json};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// Shared by the follower, which changes it, and the server, which waits for changes.
#[derive(Default)]
pub struct Board {
    shown: Mutex<Shown>,
    changed: Condvar,
    /// Set when a page asks to stop the fill under way.
    halt: AtomicBool,
    /// Set while another map is asked for.
    called: AtomicBool,
}

/// What is shown.
#[derive(Default)]
pub struct Shown {
    /// Counts every change.
    version: u64,
    map: Sheet,
    /// How open the cells of a long fill are.
    openness: Sheet,
    /// Small pictures of other seeds.
    prints: Sheet,
    pub status: String,
    /// How far a long fill is; null when none is under way.
    pub filling: Value,
    pub findings: Value,
    /// What pages asked for.
    asked: Vec<Asked>,
    ended: bool,
}

/// Something that pages fetch when its number has changed.
#[derive(Default)]
struct Sheet {
    number: u64,
    data: Arc<str>,
}

/// What a page may fetch.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// The map.
    Map,
    /// How open the cells of a fill are.
    Openness,
    /// Small pictures of other seeds.
    Prints,
}

/// What a page asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Asked {
    /// The next seed.
    Next,
    /// The seed before.
    Back,
    /// A seed by how many it is away from the first.
    Seed(u32),
    /// A variant; the quilt as it is when it has no name.
    Variant(String),
    /// Small pictures of the next seeds.
    Prints,
}

impl Board {
    fn shown(&self) -> MutexGuard<'_, Shown> {
        self.shown.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Changes what is shown, and wakes all that wait for it.
    pub fn change(&self, change: impl FnOnce(&mut Shown)) {
        let mut shown = self.shown();
        change(&mut shown);
        shown.version += 1;
        self.changed.notify_all();
    }

    /// What pages fetch, as JSON.
    pub fn part(&self, part: Part) -> Arc<str> {
        Arc::clone(&self.shown().sheet(part).data)
    }

    /// Waits for what comes after the state of a number, for a while, and returns the state.
    pub fn next(&self, after: u64, most: Duration) -> Value {
        let waits = |shown: &mut Shown| shown.version <= after && !shown.ended;
        let waited = self.changed.wait_timeout_while(self.shown(), most, waits);
        let (shown, _) = waited.unwrap_or_else(PoisonError::into_inner);
        let findings = if shown.findings.is_null() { json!([]) } else { shown.findings.clone() };
        json!({
            "version": shown.version, "status": shown.status, "findings": findings, "filling": shown.filling,
            "map": shown.map.number, "openness": shown.openness.number, "prints": shown.prints.number,
        })
    }

    /// Whether no map was shown yet.
    pub fn is_blank(&self) -> bool {
        self.shown().map.number == 0
    }

    /// Asks for something else to be shown.
    pub fn ask(&self, what: Asked) {
        let mut shown = self.shown();
        // Whoever holds the key down does not fill the memory.
        if shown.asked.len() < 64 {
            self.called.fetch_or(what != Asked::Prints, Ordering::Relaxed);
            shown.asked.push(what);
        }
    }

    /// What was asked for since the last time.
    pub fn asked(&self) -> Vec<Asked> {
        let mut shown = self.shown();
        self.called.store(false, Ordering::Relaxed);
        std::mem::take(&mut shown.asked)
    }

    /// Set while another map is asked for, so that one under way is not needed.
    pub const fn called(&self) -> &AtomicBool {
        &self.called
    }

    /// Asks to stop the fill under way.
    pub fn halt(&self) {
        self.halt.store(true, Ordering::Relaxed);
    }

    /// Set when a page asks to stop the fill under way.
    pub const fn halted(&self) -> &AtomicBool {
        &self.halt
    }

    pub fn end(&self) {
        self.change(|shown| shown.ended = true);
    }
}

impl Shown {
    const fn sheet(&mut self, part: Part) -> &mut Sheet {
        match part {
            Part::Map => &mut self.map,
            Part::Openness => &mut self.openness,
            Part::Prints => &mut self.prints,
        }
    }

    /// Shows another map, or other pictures.
    pub fn show(&mut self, part: Part, data: String) {
        let sheet = self.sheet(part);
        sheet.data = data.into();
        sheet.number += 1;
    }
}
