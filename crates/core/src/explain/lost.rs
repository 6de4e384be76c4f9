//! Why an open cell may not hold what it may not.

use super::Taker;
use crate::id::PoseId;
use crate::lattice::{Cell, Side};
use crate::rules::{PoseSet, Rules};
use crate::solve::{Run, Space};

/// What an undecided cell of a run lost, by who took it: the first restriction that does not allow a pose, else the
/// first neighbour that no longer goes with it, else the first rule of the whole map that tells it from what is left.
/// What none of them explains was tried there and taken back, and is not named. Empty for cells that are decided, out
/// of poses or take no part.
///
/// Nothing of this is recorded while a fill goes on: it follows from what cells may hold. O(poses x (sides +
/// restrictions)).
///
/// ```
/// use lantern_quilt_core::explain::{Taker, lost};
/// use lantern_quilt_core::prelude::*;
///
/// // At most one lamp in the map: when it stands, all other cells lose it to that rule.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, _, _| true)?;
/// let lamp = rules.select(|pose| pose.tile.index() == 2);
/// let mut space = Space::new(Layout::flat(Lattice::Square, 4, 4)?);
/// let rule = space.count(lamp.clone(), 1, Some(1));
/// let mut run = Job::new(&rules, space).begin()?;
/// while run.progress().decided < 2 {
///     run.advance(1);
/// }
/// let open = run.space().layout().extent().iter().find(|&cell| run.options(cell) > 1).unwrap();
/// assert_eq!(lost(&run, open), [(Taker::Rule(rule), lamp)]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn lost(run: &Run, cell: Cell) -> Vec<(Taker, PoseSet)> {
    let (rules, space) = (run.rules(), run.space());
    let Some(left) = run.domain(cell).filter(|left| left.len() > 1) else { return Vec::new() };
    let around: Vec<(Side, Option<PoseSet>)> = (rules.lattice().sides().iter())
        .map(|&side| (side, space.neighbour(cell, side).and_then(|beyond| run.domain(beyond))))
        .collect();
    let mut lost: Vec<(Taker, PoseSet)> = Vec::new();
    for pose in rules.poses().ids().filter(|&pose| !left.contains(pose)) {
        let restricted = space.cause(cell, pose).map(Taker::Restriction);
        let by = restricted
            .or_else(|| by_neighbour(rules, &around, pose).map(Taker::Neighbour))
            .or_else(|| by_rule(space, &left, pose));
        let Some(by) = by else { continue };
        match lost.iter_mut().find(|(taker, _)| *taker == by) {
            Some((_, poses)) => poses.insert(pose),
            None => lost.push((by, PoseSet::from_fn(left.universe(), |one| one == pose))),
        }
    }
    lost.sort_by_key(|(by, _)| *by);
    lost
}

/// The first side beyond which nothing goes with a pose.
pub(super) fn by_neighbour(
    rules: &Rules,
    around: &[(Side, Option<PoseSet>)],
    pose: PoseId,
) -> Option<Side> {
    let mut sides = around.iter().enumerate();
    sides.find_map(|(number, (side, beyond))| {
        let meets = beyond.as_ref()?.meets(rules.support(number, pose));
        (!meets).then_some(*side)
    })
}

/// The first rule of the whole map that tells a pose from all that is left.
fn by_rule(space: &Space, left: &PoseSet, pose: PoseId) -> Option<Taker> {
    let tells = |set: &PoseSet| {
        let mut others = left.clone();
        others.subtract(set);
        if set.contains(pose) { !left.meets(set) } else { others.is_empty() }
    };
    let mut rules = space.constraints().pairs();
    let rule = rules.find(|(_, kept)| kept.rule.watched().iter().any(tells));
    rule.map(|(id, _)| Taker::Rule(id))
}
