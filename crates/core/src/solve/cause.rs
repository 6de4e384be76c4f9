//! Why a space cannot be filled: few of its restrictions, found by leaving out the others.

use super::kernel::{Dead, Kernel as _, Pause};
use super::learn::{self, Learner};
use super::space::Space;
use crate::id::CauseId;
use crate::lattice::Cell;
use crate::limits::{Limits, Stop};
use crate::observe::Silent;
use crate::rules::Rules;
use crate::seed::Seed;

/// Conflicts in each attempt to show that some restrictions are enough.
const CONFLICTS: u64 = 20_000;
/// Steps between two questions to the stop condition.
const SLICE: u64 = 4096;

/// What is to blame when no fill exists.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Cause {
    /// The tiles alone: no restriction is needed to make it impossible on cells of this shape.
    Tiles,
    /// These restrictions together; leaving out any one was not shown to be impossible any more.
    Restrictions(Vec<CauseId>),
}

/// A small cause for which `space` cannot be filled; `None` when it was not shown to be so within
/// `limits`, or `stop` asked to stop.
///
/// Each restriction is left out in turn, many at once at first, and stays out when what is left still
/// has no fill. At most about twice as many proofs as restrictions, each of bounded work.
///
/// ```
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::{Cause, Place, smallest_cause};
///
/// // A chequerboard: two cells at an odd distance cannot be alike.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
/// let mut space = Space::new(Layout::flat(Lattice::Square, 6, 6)?);
/// let first = || PoseSet::from_fn(2, |pose| pose.index() == 0);
/// let mut pin = |x, y| space.restrict(Place::Cell(Cell::new(x, y)), first());
/// let pins = [pin(0, 0), pin(1, 1), pin(3, 2), pin(4, 4)];
/// let cause = smallest_cause(&rules, &space, &Limits::default(), &false_stop());
/// let Some(Cause::Restrictions(found)) = cause else { panic!("{cause:?}") };
/// assert_eq!(found.len(), 2);
/// assert!(found.contains(&pins[2]), "the only one on the other colour");
/// # fn false_stop() -> impl Stop { std::sync::atomic::AtomicBool::new(false) }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn smallest_cause(
    rules: &Rules,
    space: &Space,
    limits: &Limits,
    stop: &dyn Stop,
) -> Option<Cause> {
    if learn::most_bytes(rules, space) > limits.bytes {
        return None;
    }
    let mut kept: Vec<CauseId> = space.restrictions().ids().collect();
    let impossible = |kept: &[CauseId]| is_impossible(rules, space, kept, stop);
    if !impossible(&kept)? {
        return None;
    }
    if impossible(&[])? {
        return Some(Cause::Tiles);
    }
    let mut chunk = kept.len().next_power_of_two() / 2;
    while chunk > 0 {
        let mut from = 0;
        while from < kept.len() {
            let to = (from + chunk).min(kept.len());
            let mut fewer = kept.clone();
            fewer.drain(from..to);
            if impossible(&fewer)? { kept = fewer } else { from = to }
        }
        chunk /= 2;
    }
    Some(Cause::Restrictions(kept))
}

/// Whether some restrictions alone are shown to leave no fill; `None` when asked to stop.
fn is_impossible(rules: &Rules, space: &Space, kept: &[CauseId], stop: &dyn Stop) -> Option<bool> {
    let some = space.with_only(|cause| kept.binary_search(&cause).is_ok());
    let dead = Dead { cell: Cell::default(), cause: None };
    let stream = Seed::default().stream(&["cause"]);
    let mut learner = Learner::new(rules, &some, CONFLICTS, dead, stream, |_| None);
    loop {
        match learner.work(&some, &mut SLICE.clone(), &mut Silent) {
            Ok(Pause::Working) if stop.requested() => return None,
            Ok(Pause::Working) => {}
            Ok(pause) => return Some(matches!(pause, Pause::Impossible(_))),
            Err(_) => unreachable!("a learner has no tables"),
        }
    }
}
