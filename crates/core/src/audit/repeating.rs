//! Whether maps of a tight set look like wallpaper.

use super::missing::TrialReport;
use super::trial::{Trial, Trials};
use crate::constraints::Constraints;
use crate::finding::{Code, Finding, Subject};
use crate::limits::{Climb, Limits};
use crate::map::{Repeats, repeats};
use crate::passes::layer_of;
use crate::seed::Seed;
use crate::solve::{Job, Search};
use crate::tileset::Tileset;

/// Cells a side of the map that is looked at, and steps after which it is given up.
const SIZE: u32 = 128;
const MOST_STEPS: u64 = 1 << 19;

/// A finding where a map of the set is filled block by block over a fill that repeats, and the eye sees that it does.
///
/// Only sets of which hardly a trial map was filled on the first try are looked at, with one fill of 128 x 128 cells; sets
/// on boxes are not.
pub fn audit_repeating(
    tileset: &Tileset,
    constraints: &Constraints,
    trials: &Trials,
    report: &TrialReport,
) -> Option<Finding> {
    let lattice = tileset.lattice();
    if report.filled * 10 > report.fills || lattice.is_solid() {
        return None;
    }
    let trial = Trial::new(tileset, constraints, &trials.size(SIZE))?;
    let mut search = Search::default().steer(trials.steer);
    (search.order, search.climb, search.attempts) = (trials.order, Climb::Blocks, 1);
    let limits = Limits::default().steps(Some(MOST_STEPS));
    let job = Job::new(&trial.rules, trial.space.clone()).search(search).limits(limits);
    let mut run = job.name("trial").seed(Seed::from_number(0)).begin().ok()?;
    let filled = run.fill().is_filled();
    let tally = run.tally();
    if !filled || tally.blocks + tally.blocks_kept == 0 {
        return None;
    }
    let found = repeats(&layer_of(&run, tileset, "trial"), lattice).filter(Repeats::is_seen)?;
    let text = format!(
        "maps are only filled block by block over a small fill, and repeat: of {SIZE}x{SIZE} cells {}",
        found.in_words()
    );
    let help = "draw more tiles, or ones that fit more others: the missing pieces help most";
    Some(Finding::new(Code::Repeating, Subject::Quilt, text).help(help))
}
