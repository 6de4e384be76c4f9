//! Patterns: windows that stand only at the edge of maps, turns that add none, and trial maps that only repeat.

use super::missing::TrialReport;
use super::trial::{Trial, Trials};
use crate::constraints::{Constraints, Sample, WindowRule, WindowSample};
use crate::finding::{Code, Finding, Subject};
use crate::lattice::Cell;
use crate::pattern::Patterns;
use crate::solve::{Outcome, Run};
use crate::tileset::{Mirror, Tileset};

/// What is odd about the windows of a pattern of this name: windows that stand only at the edge of maps, and turns and
/// mirrors that add none. O(patterns^2 x sides) at worst, and twice the reading of each sample that turns.
pub fn audit_windows(
    name: &str,
    set: &Tileset,
    windows: &WindowRule,
    patterns: &Patterns,
) -> Vec<Finding> {
    let mut findings = Vec::new();
    let subject = || Subject::Field(format!("pattern.{name}"));
    let all = patterns.patterns().len();
    let lonely = patterns.dead_ends().len();
    if lonely > 0 {
        let (windows, stand) = if all == 1 { ("window", "stands") } else { ("windows", "stand") };
        let text = format!(
            "{lonely} of {all} {windows} of `{name}` {stand} only at the edge of a map: farther in, nothing goes \
             with {}",
            if lonely == 1 { "it" } else { "them" }
        );
        let help = "let the sample wrap (`wrap = [\"x\", \"y\"]`), name the `edges` where it ends as the map does, or \
                    draw more around what is shown";
        findings.push(Finding::new(Code::EdgeWindows, subject(), text).help(help));
    }
    for (number, sample) in windows.samples.iter().enumerate() {
        let idle = idle_turns(set, windows, sample);
        if idle.is_empty() {
            continue;
        }
        let of = match windows.samples.len() {
            1 => format!("`{name}`"),
            _ => format!("sample {} of `{name}`", number + 1),
        };
        let add = if idle.len() == 1 { "adds" } else { "add" };
        let idle = idle.join(" and ");
        let text = format!("{idle} of {of} {add} no window that it does not show as drawn");
        let help =
            "take it out; or draw the sample with something that looks different when it turns";
        findings.push(Finding::new(Code::IdleTurns, subject(), text).help(help));
    }
    findings
}

/// Which of turns and mirror add no window to a sample.
fn idle_turns(set: &Tileset, windows: &WindowRule, sample: &WindowSample) -> Vec<&'static str> {
    let (turns, mirror) = (sample.sample.turns, sample.sample.mirror);
    let shown = |turns: u8, mirror: Mirror| {
        let shown = Sample { turns, mirror, ..sample.sample.clone() };
        let sample = WindowSample { sample: shown, ..sample.clone() };
        Patterns::count(set, &WindowRule { samples: vec![sample], ..windows.clone() })
    };
    let all = shown(turns, mirror);
    let mut idle = Vec::new();
    let is_mirrored = mirror != Mirror::No;
    let idle_mirror = is_mirrored && shown(turns, Mirror::No) == all;
    if turns > 1 && shown(1, if idle_mirror { Mirror::No } else { mirror }) == all {
        idle.push("`turns`");
    }
    if idle_mirror {
        idle.push("`mirror`");
    }
    idle
}

/// Fills trial maps by a pattern, with a finding where each of them is one block of cells over and over.
pub fn try_windows(
    name: &str,
    set: &Tileset,
    constraints: &Constraints,
    trials: &Trials,
) -> (TrialReport, Option<Finding>) {
    let mut report = TrialReport::empty(set, trials);
    let Some(trial) = Trial::new(set, constraints, trials) else { return (report, None) };
    let mut placed = report.placed.clone();
    let mut varied = 0;
    let (filled, reached) = trial.fill(trials.seeds, |run| {
        let cells = run.space().layout().extent();
        let decided = cells.iter().filter_map(|cell| run.decided(cell));
        decided.for_each(|pose| placed[trial.rules.poses()[pose].tile] += 1);
        let is_filled = matches!(run.outcome(), Some(Outcome::Filled));
        varied += u32::from(is_filled && !repeats(run));
    });
    (report.filled, report.reached, report.placed) = (filled, reached, placed);
    let finding = (filled > 0 && varied == 0).then(|| {
        let text = format!("each trial map of `{name}` is one block of cells over and over");
        let help = "the sample leaves no choice: make its windows smaller, draw more of it, or let it turn";
        let subject = Subject::Field(format!("pattern.{name}"));
        Finding::new(Code::OnlyRepeats, subject, text).help(help)
    });
    (report, finding)
}

/// Whether a filled map is the same again after so many columns, and after so many rows, at most half of them.
fn repeats(run: &Run) -> bool {
    let extent = run.space().layout().extent();
    let [wide, high, _] = extent.size();
    let rules = run.rules();
    let at = |cell: Cell| run.decided(cell).map(|pose| rules.poses()[pose]);
    let same_after = |by: [i32; 2]| {
        extent.iter().all(|cell| {
            let other = Cell { x: cell.x + by[0], y: cell.y + by[1], ..cell };
            !extent.contains(other) || at(cell) == at(other)
        })
    };
    let across = (1..=wide as i32 / 2).any(|by| same_after([by, 0]));
    across && (1..=high as i32 / 2).any(|by| same_after([0, by]))
}
