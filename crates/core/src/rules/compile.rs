//! Tilesets and pair lists to compiled rules.

use super::{MAX_POSE_WEIGHT, MAX_POSES, Pose, PoseSet, Rules, RulesError, SideTable, Tables};
use crate::constraints::{Constraints, PairRule, Posed, Selector};
use crate::id::{Id, IdVec, PoseId, RowId};
use crate::lattice::{Lattice, Side};
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::sync::{Arc, OnceLock};

impl Rules {
    /// Compiles a tileset.
    ///
    /// Poses come in the order of [`Tileset::poses`]. O(labels^2 + labels x poses) a side, where
    /// labels are the distinct faces shown on that side.
    ///
    /// # Errors
    /// [`RulesError::TooManyPoses`].
    pub fn compile(tileset: &Tileset) -> Result<Self, RulesError> {
        Self::compile_with(tileset, &Constraints::default())
    }

    /// Compiles a tileset with what samples show and lists say.
    ///
    /// A pair may touch if its faces meet or a sample shows it; then lists that allow add pairs, then
    /// lists that forbid take pairs away. O(poses^2 x lists / 64) a side more, and the samples.
    ///
    /// # Errors
    /// [`RulesError::TooManyPoses`].
    pub fn compile_with(tileset: &Tileset, constraints: &Constraints) -> Result<Self, RulesError> {
        let lists = &constraints.pairs;
        let lattice = tileset.lattice();
        let poses: IdVec<PoseId, Pose> =
            tileset.poses().map(|(tile, orientation)| Pose { tile, orientation }).collect();
        let weights = poses.iter().map(|pose| tileset.tiles()[pose.tile].pose_weight()).collect();
        check(&poses, &weights)?;
        let labels: Vec<Labels> =
            (0..lattice.sides().len()).map(|side| Labels::read(tileset, &poses, side)).collect();
        let number: HashMap<Posed, PoseId, FxBuildHasher> =
            poses.pairs().map(|(id, pose)| ((pose.tile, pose.orientation), id)).collect();
        let mut shown: Vec<Vec<(PoseId, PoseId)>> = vec![Vec::new(); lattice.sides().len()];
        for (here, side, there) in
            constraints.samples.iter().flat_map(|sample| sample.pairs(tileset).into_keys())
        {
            let side = lattice.side_index(side).expect("a side of the lattice");
            shown[side].push((number[&here], number[&there]));
        }
        let sides = (0..lattice.sides().len())
            .map(|side| {
                let side_name = lattice.sides()[side];
                let here = &labels[side];
                let beyond = lattice.side_index(side_name.opposite()).expect("sides come in pairs");
                let there = &labels[beyond];
                let row_of_label = |faces: &[Face]| {
                    let mut row = PoseSet::empty(poses.len());
                    for (other, poses) in there.faces.iter().zip(&there.poses) {
                        let meet =
                            |a: &Face| other.iter().any(|&b| tileset.faces_meet(*a, b, side_name));
                        if faces.iter().any(meet) {
                            row.unite(poses);
                        }
                    }
                    row
                };
                let rows: Vec<PoseSet> =
                    here.faces.iter().map(|faces| row_of_label(faces)).collect();
                if lists.is_empty() && constraints.samples.is_empty() {
                    return distinct(here.of_pose.iter().map(|&label| &rows[label]));
                }
                let mut rows: Vec<PoseSet> =
                    here.of_pose.iter().map(|&label| rows[label].clone()).collect();
                for &(pose, other) in &shown[side] {
                    rows[pose.index()].insert(other);
                }
                // What is forbidden goes last, whatever the order in which it was said.
                for list in lists.iter().filter(|list| list.allow) {
                    apply(list, tileset, &poses, side_name, |pose, others| {
                        rows[pose].unite(others);
                    });
                }
                for list in lists.iter().filter(|list| !list.allow) {
                    apply(list, tileset, &poses, side_name, |pose, others| {
                        rows[pose].subtract(others);
                    });
                }
                keep_joints(tileset, &poses, side_name, &mut rows, |pose| {
                    let faces = &here.faces[here.of_pose[pose.index()]];
                    row_of_label(faces)
                });
                distinct(rows.iter())
            })
            .collect();
        let due: IdVec<PoseId, u64> =
            poses.iter().map(|pose| tileset.tiles()[pose.tile].pose_due()).collect();
        let due = (due != weights).then_some(due);
        Ok(rules_of(lattice, poses, weights, sides, false).with_due(due))
    }
}

impl Rules {
    /// Rules of poses that carry a label on each side: two may touch where both carry the same, none where one carries
    /// none. `labels` has those of each side, in the order of [`Lattice::sides`], by poses.
    pub(crate) fn from_labels(
        lattice: Lattice,
        poses: IdVec<PoseId, Pose>,
        weights: IdVec<PoseId, u64>,
        labels: &[Vec<Option<u32>>],
    ) -> Result<Self, RulesError> {
        check(&poses, &weights)?;
        let sides = (0..lattice.sides().len())
            .map(|side| {
                let back = lattice.side_index(lattice.sides()[side].opposite());
                let there = &labels[back.expect("sides come in pairs")];
                let mut rows: HashMap<u32, PoseSet, FxBuildHasher> = HashMap::default();
                for (pose, label) in there.iter().enumerate() {
                    if let Some(label) = *label {
                        let row = rows.entry(label).or_insert_with(|| PoseSet::empty(poses.len()));
                        row.insert(PoseId::from_index(pose));
                    }
                }
                let none = PoseSet::empty(poses.len());
                let row = |label: &Option<u32>| label.and_then(|label| rows.get(&label));
                distinct(labels[side].iter().map(|label| row(label).unwrap_or(&none)))
            })
            .collect();
        Ok(rules_of(lattice, poses, weights, sides, true))
    }
}

/// Leaves between the parts of a tile only what their sides say, whatever samples and lists do.
fn keep_joints(
    tileset: &Tileset,
    poses: &IdVec<PoseId, Pose>,
    side: Side,
    rows: &mut [PoseSet],
    by_label: impl Fn(PoseId) -> PoseSet,
) {
    let goes_on = |pose: &Pose, side| tileset.goes_on(pose.tile, pose.orientation, side);
    let inner = PoseSet::from_fn(poses.len(), |id| goes_on(&poses[id], side.opposite()));
    for ((id, pose), row) in poses.pairs().zip(rows) {
        if goes_on(pose, side) {
            *row = by_label(id);
        } else {
            row.subtract(&inner);
        }
    }
}

/// Tells of each pose that a list concerns on `side`, with the poses beyond that it is paired with.
fn apply(
    list: &PairRule,
    tileset: &Tileset,
    poses: &IdVec<PoseId, Pose>,
    side: Side,
    mut each: impl FnMut(usize, &PoseSet),
) {
    let covered = |kinds: &[Selector], side: Side| {
        PoseSet::from_fn(poses.len(), |id| {
            let pose = poses[id];
            kinds.iter().any(|kind| kind.covers(tileset, pose.tile, pose.orientation, side))
        })
    };
    let back = side.opposite();
    if list.sides.contains(&side) {
        let others = covered(&list.beside, back);
        covered(&list.from, side).iter().for_each(|pose| each(pose.index(), &others));
    }
    if list.sides.contains(&back) {
        let others = covered(&list.from, back);
        covered(&list.beside, side).iter().for_each(|pose| each(pose.index(), &others));
    }
}

pub(super) fn from_pairs(
    lattice: Lattice,
    poses: IdVec<PoseId, Pose>,
    weights: IdVec<PoseId, u64>,
    may_touch: impl Fn(usize, usize, usize) -> bool,
) -> Result<Rules, RulesError> {
    check(&poses, &weights)?;
    let sides = (0..lattice.sides().len())
        .map(|side| {
            let opposite = lattice.sides()[side].opposite();
            let back = lattice.side_index(opposite).expect("sides come in pairs");
            let rows: Vec<PoseSet> = (0..poses.len())
                .map(|a| {
                    PoseSet::from_fn(poses.len(), |b| {
                        may_touch(side, a, b.index()) && may_touch(back, b.index(), a)
                    })
                })
                .collect();
            distinct(rows.iter())
        })
        .collect();
    Ok(rules_of(lattice, poses, weights, sides, false))
}

fn rules_of(
    lattice: Lattice,
    poses: IdVec<PoseId, Pose>,
    weights: IdVec<PoseId, u64>,
    sides: Vec<SideTable>,
    windows: bool,
) -> Rules {
    let (never_stuck, labelled) = (OnceLock::new(), OnceLock::new());
    let due = None;
    Rules(Arc::new(Tables { lattice, poses, weights, due, sides, never_stuck, labelled, windows }))
}

fn check(poses: &IdVec<PoseId, Pose>, weights: &IdVec<PoseId, u64>) -> Result<(), RulesError> {
    if poses.is_empty() {
        return Err(RulesError::NoPoses);
    }
    if poses.len() > MAX_POSES {
        return Err(RulesError::TooManyPoses { poses: poses.len() });
    }
    match weights.iter().position(|weight| !(1..=MAX_POSE_WEIGHT).contains(weight)) {
        Some(pose) => {
            Err(RulesError::BadWeight { pose, weight: weights[PoseId::from_index(pose)] })
        }
        None => Ok(()),
    }
}

/// The distinct lists of faces that poses show on one side, in order of first use.
struct Labels {
    faces: Vec<Vec<Face>>,
    poses: Vec<PoseSet>,
    of_pose: Vec<usize>,
}

impl Labels {
    fn read(tileset: &Tileset, poses: &IdVec<PoseId, Pose>, side: usize) -> Self {
        let side = tileset.lattice().sides()[side];
        let mut known: HashMap<Vec<Face>, usize, FxBuildHasher> = HashMap::default();
        let mut labels = Self { faces: Vec::new(), poses: Vec::new(), of_pose: Vec::new() };
        for (id, pose) in poses.pairs() {
            let faces = tileset.faces(pose.tile, pose.orientation, side);
            let label = *known.entry(faces).or_insert_with_key(|faces| {
                labels.faces.push(faces.clone());
                labels.poses.push(PoseSet::empty(poses.len()));
                labels.faces.len() - 1
            });
            labels.poses[label].insert(id);
            labels.of_pose.push(label);
        }
        labels
    }
}

/// The distinct rows in order of first use, and each pose's number among them.
fn distinct<'a>(rows: impl Iterator<Item = &'a PoseSet>) -> SideTable {
    let mut known: HashMap<&PoseSet, RowId, FxBuildHasher> = HashMap::default();
    let mut table = SideTable { rows: IdVec::new(), row_of: IdVec::new() };
    for row in rows {
        let id = *known.entry(row).or_insert_with(|| table.rows.push(row.clone()));
        table.row_of.push(id);
    }
    table
}
