//! What pages are shown: the last good map, how things stand, and what is wrong.

use serde_json::{Value, json};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// Shared by the follower, which changes it, and the server, which waits for changes.
#[derive(Default)]
pub struct Board {
    shown: Mutex<Shown>,
    changed: Condvar,
}

/// What is shown.
#[derive(Default)]
pub struct Shown {
    /// Counts every change.
    version: u64,
    /// Counts maps.
    map: u64,
    data: Arc<str>,
    pub status: String,
    pub findings: Value,
    /// What pages asked for.
    asked: Vec<Asked>,
    ended: bool,
}

/// What a page asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Asked {
    /// The next seed.
    Next,
    /// The seed before.
    Back,
    /// A variant; the quilt as it is when it has no name.
    Variant(String),
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

    /// The map that is shown, as JSON.
    pub fn map(&self) -> Arc<str> {
        Arc::clone(&self.shown().data)
    }

    /// Waits for what comes after the state of a number, for a while, and says how things stand.
    pub fn next(&self, after: u64, most: Duration) -> Value {
        let waits = |shown: &mut Shown| shown.version <= after && !shown.ended;
        let waited = self.changed.wait_timeout_while(self.shown(), most, waits);
        let (shown, _) = waited.unwrap_or_else(PoisonError::into_inner);
        let findings = if shown.findings.is_null() { json!([]) } else { shown.findings.clone() };
        json!({ "version": shown.version, "map": shown.map, "status": shown.status, "findings": findings })
    }

    /// Asks for something else to be shown.
    pub fn ask(&self, what: Asked) {
        let mut shown = self.shown();
        // Whoever holds the key down does not fill the memory.
        if shown.asked.len() < 64 {
            shown.asked.push(what);
        }
    }

    /// What was asked for since the last time.
    pub fn asked(&self) -> Vec<Asked> {
        std::mem::take(&mut self.shown().asked)
    }

    pub fn end(&self) {
        self.change(|shown| shown.ended = true);
    }
}

impl Shown {
    /// Shows another map.
    pub fn show(&mut self, data: String) {
        self.data = data.into();
        self.map += 1;
    }
}
