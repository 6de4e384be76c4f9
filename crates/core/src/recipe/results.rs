//! What passes made in one run, kept for the next.

use super::made::FillReport;
use super::pass::Pass;
use crate::digest::Digest;
use crate::map::{SavedParts, Tilemap};
use crate::passes::PassReport;
use crate::seed::Seed;
use std::collections::BTreeMap;
use std::fmt::Debug;

/// What the passes of a run made. Planes are shared with the map, so it costs what later passes changed.
#[derive(Clone, Debug, Default)]
pub struct Results {
    known: BTreeMap<u64, Known>,
}

/// What one pass made.
#[derive(Clone, Debug)]
pub(super) struct Known {
    pub(super) parts: SavedParts,
    pub(super) report: PassReport,
    pub(super) fill: Option<FillReport>,
}

impl Results {
    /// How many passes it knows.
    pub fn len(&self) -> usize {
        self.known.len()
    }

    /// Whether it knows none.
    pub fn is_empty(&self) -> bool {
        self.known.is_empty()
    }

    pub(super) fn find(&self, key: u64) -> Option<&Known> {
        self.known.get(&key)
    }

    pub(super) fn keep(&mut self, key: u64, known: Known) {
        self.known.insert(key, known);
    }
}

/// A hash of all that decides what a pass makes of a map. O(cells of what it looks at and changes).
pub(super) fn key_of(
    pass: &Pass,
    map: &Tilemap,
    seed: &Seed,
    (kept, drawn): (&[String], i32),
    changes: &dyn Debug,
) -> u64 {
    let Pass {
        name,
        group,
        into,
        place,
        roll,
        appears,
        appears_per,
        drawn_above: _,
        drawn_at: _,
        keep: _,
        step,
    } = pass;
    let access = pass.access();
    let mut parts = access.reads;
    // What it changes is part of what it begins with, too.
    parts.unite(&access.writes);
    let mut digest = Digest::new();
    digest.add(&(step.kind(), step.fingerprint(), name, group, into, place));
    digest.add(&(roll, appears.to_bits(), appears_per, kept, drawn));
    digest.add(&(seed.text(), map.layout(), changes, map.content(&parts)));
    digest.finish()
}
