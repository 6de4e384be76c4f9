//! A run under watch: after every step its domains are compared with plain arc consistency.

use crate::brute::fixed_point;
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::rules::PoseSet;
use lantern_quilt_core::solve::{Outcome, Run, Status};

/// The most cells of a watched run: the check costs cells x poses^2 a step.
pub const MOST_CELLS: usize = 4096;

/// Fills step by step, comparing each fixed point with [`fixed_point`] worked out from what the
/// cells held before and the one cell that was decided since.
///
/// # Panics
/// When they differ, or the space is too large to watch.
pub fn fill(run: &mut Run) -> &Outcome {
    let cells: Vec<Cell> = run.space().layout().extent().iter().collect();
    assert!(cells.len() <= MOST_CELLS, "{} cells are too many to watch", cells.len());
    let poses = run.rules().poses().len();
    let read = |run: &Run| -> Vec<PoseSet> {
        cells
            .iter()
            .map(|&cell| run.domain(cell).unwrap_or_else(|| PoseSet::empty(poses)))
            .collect()
    };
    let mut before: Option<Vec<PoseSet>> = None;
    while run.advance(1) == Status::Working {
        let tally = run.tally();
        // Only a step that decided and met no contradiction has a fixed point to compare.
        let plain_step = tally.contradictions == 0 && tally.attempts == 1 && tally.decisions > 0;
        let now = read(run);
        if let (true, Some(mut start)) = (plain_step, before.take()) {
            let newest = run.newest().expect("a decision was made");
            let at = cells.iter().position(|&cell| cell == newest).expect("inside");
            start[at].intersect(&now[at]);
            let want =
                fixed_point(run.rules(), run.space(), start).expect("no contradiction was met");
            assert_eq!(now, want, "after deciding {newest}");
        }
        before = Some(now);
    }
    run.outcome().expect("ended")
}
