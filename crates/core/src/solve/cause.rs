//! Why a space cannot be filled: little of what it must keep, found by leaving out the rest.

use super::kernel::{Dead, Kernel as _, Pause};
use super::learn::{self, Learning};
use super::space::Space;
use crate::id::{CauseId, ConstraintId};
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
    /// The tiles alone: nothing else is needed to make it impossible on cells of this shape.
    Tiles,
    /// These together; leaving out any one was not shown to be impossible any more.
    Said {
        /// Restrictions.
        restrictions: Vec<CauseId>,
        /// Rules of the whole map.
        rules: Vec<ConstraintId>,
    },
}

/// A small cause for which `space` cannot be filled; `None` when it was not shown to be so within
/// `limits` (bytes of one proof, steps of all), or `stop` asked to stop.
///
/// Each restriction and each rule of the whole map is left out in turn, many at once at first, and stays
/// out when what is left still has no fill. At most about twice as many proofs as there are of them, each
/// of bounded work.
///
/// ```
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::solve::{Cause, Region, smallest_cause};
///
/// // A chequerboard: two cells at an odd distance cannot be alike.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
/// let mut space = Space::new(Layout::flat(Lattice::Square, 6, 6)?);
/// let first = || PoseSet::from_fn(2, |pose| pose.index() == 0);
/// let mut pin = |x, y| space.restrict(Region::Cell(Cell::new(x, y)), first());
/// let pins = [pin(0, 0), pin(1, 1), pin(3, 2), pin(4, 4)];
/// let cause = smallest_cause(&rules, &space, &Limits::default(), &false_stop());
/// let Some(Cause::Said { restrictions, rules }) = cause else { panic!("{cause:?}") };
/// assert!(restrictions.len() == 2 && rules.is_empty());
/// assert!(restrictions.contains(&pins[2]), "the only one on the other colour");
/// # fn false_stop() -> impl Stop { std::sync::atomic::AtomicBool::new(false) }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn smallest_cause(
    rules: &Rules,
    space: &Space,
    limits: &Limits,
    stop: &dyn Stop,
) -> Option<Cause> {
    let bytes = limits.bytes.checked_sub(learn::most_bytes(rules, space))?;
    let restrictions = space.restrictions().ids().map(Said::Restriction);
    let rules_of_all = space.constraints().ids().map(Said::Rule);
    let mut kept: Vec<Said> = restrictions.chain(rules_of_all).collect();
    let mut left = limits.steps.unwrap_or(u64::MAX);
    let mut impossible =
        |kept: &[Said]| is_impossible((rules, space), kept, (&mut left, bytes), stop);
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
    let (mut restrictions, mut rules) = (Vec::new(), Vec::new());
    for said in kept {
        match said {
            Said::Restriction(id) => restrictions.push(id),
            Said::Rule(id) => rules.push(id),
        }
    }
    Some(Cause::Said { restrictions, rules })
}

/// Something that a space must keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Said {
    Restriction(CauseId),
    Rule(ConstraintId),
}

/// Whether some of it alone is shown to leave no fill; `None` when asked to stop or when so many steps,
/// which are counted down, are used up.
fn is_impossible(
    (rules, space): (&Rules, &Space),
    kept: &[Said],
    (left, bytes): (&mut u64, u64),
    stop: &dyn Stop,
) -> Option<bool> {
    let is_kept = |said: Said| kept.binary_search(&said).is_ok();
    let some = space.with_only(|id| is_kept(Said::Restriction(id)), |id| is_kept(Said::Rule(id)));
    let stream = Seed::default().stream(&["cause"]);
    let dead = Dead::at(Cell::default());
    let mut learning = Learning::new(rules, &some, (CONFLICTS, bytes), dead, stream);
    let mut learner = loop {
        if let Some(learner) = learning.work(rules, &some, &|_| None) {
            break learner;
        }
        *left = left.checked_sub(1)?;
        if left.is_multiple_of(SLICE) && stop.requested() {
            return None;
        }
    };
    loop {
        let slice = SLICE.min(*left);
        let mut steps = slice;
        let pause = learner.work(&some, &mut steps, &mut Silent);
        *left -= slice - steps;
        match pause {
            Ok(Pause::Working) if *left == 0 || stop.requested() => return None,
            Ok(Pause::Working) => {}
            Ok(pause) => return Some(matches!(pause, Pause::Impossible(_))),
            Err(_) => unreachable!("a learner has no tables"),
        }
    }
}
