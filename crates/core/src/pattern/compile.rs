//! Which patterns may touch, as rules.
//!
//! The part of a window that the window of a neighbour covers, too, is its label on that side. Two patterns may touch if
//! their labels are equal, so there is one support row for each label, and no pair of patterns is compared.

use super::Pattern;
use crate::constraints::Posed;
use crate::id::{IdVec, PoseId};
use crate::lattice::{Lattice, Shift, Side};
use crate::rules::{MAX_POSE_WEIGHT, Pose, Rules, RulesError};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// A pattern shown once has this weight, so that weights of samples keep their digits.
const ONCE: f64 = 65536.0;

/// Compiles patterns. O(patterns x sides x cells of a window), and the rows.
pub(super) fn rules(
    lattice: Lattice,
    shifts: &[Shift],
    patterns: &IdVec<PoseId, Pattern>,
) -> Result<Rules, RulesError> {
    let own = shifts.binary_search(&Shift::default()).expect("a window has its own cell");
    let pose = |pattern: &Pattern| {
        let (tile, orientation) = pattern.cells[own].expect("its own cell is never an edge");
        Pose { tile, orientation }
    };
    let weight = |pattern: &Pattern| {
        let weight = (pattern.frequency * ONCE).round();
        weight.clamp(1.0, MAX_POSE_WEIGHT as f64) as u64
    };
    // What both look at is the same list from either side, so one table of numbers serves all sides.
    let mut known: HashMap<Vec<Option<Posed>>, u32, FxBuildHasher> = HashMap::default();
    let labels: Vec<Vec<Option<u32>>> = lattice
        .sides()
        .iter()
        .map(|&side| {
            let shared = shared(lattice, shifts, side);
            let label = |pattern: &Pattern| {
                if pattern.looks_out.contains(&side) {
                    return None;
                }
                let cells = shared.iter().map(|&cell| pattern.cells[cell]).collect();
                let next = known.len() as u32;
                Some(*known.entry(cells).or_insert(next))
            };
            patterns.iter().map(label).collect()
        })
        .collect();
    let (poses, weights) = (patterns.iter().map(pose), patterns.iter().map(weight));
    Rules::from_labels(lattice, poses.collect(), weights.collect(), &labels)
}

/// The cells of a window that lie in that of the neighbour beyond a side, too. Both list them in the same order, for
/// sorted shifts stay sorted when all are moved.
fn shared(lattice: Lattice, shifts: &[Shift], side: Side) -> Vec<usize> {
    let step = Shift::over(lattice, side);
    let both = |shift: &Shift| shifts.binary_search(&shift.plus(step.back())).is_ok();
    (0..shifts.len()).filter(|&cell| both(&shifts[cell])).collect()
}
