//! Compiled rules: poses as numbers, and which may stand beside which.
//!
//! [`Rules`] are immutable, shared and cheap to clone. For each side of a cell they hold the
//! *distinct support rows* (the set of poses that may stand beyond that side) and, for each pose,
//! which of them is its own. Where sides are labelled there are as many rows as labels, so labels
//! need no table of their own.

mod compile;
mod pose_set;
mod safety;

pub use pose_set::PoseSet;
pub(crate) use pose_set::bits;

use crate::id::{Id, IdVec, PoseId, RowId, TileId};
use crate::lattice::{Lattice, Side};
use crate::orient::Orientation;
use crate::tileset::Tileset;
use std::sync::{Arc, OnceLock};
use thiserror::Error;

/// The most poses compiled rules may have.
pub const MAX_POSES: usize = 10_240;
/// The largest weight of a pose, so that sums stay exact.
pub const MAX_POSE_WEIGHT: u64 = 1 << 48;

/// Why rules cannot be compiled.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum RulesError {
    /// No pose at all.
    #[error("there is no pose to place: add a tile")]
    NoPoses,
    /// More than [`MAX_POSES`].
    #[error(
        "{poses} poses are more than the {MAX_POSES} a fill can hold: \
         give fewer tiles, or fewer turns and mirrors"
    )]
    TooManyPoses {
        /// How many there are.
        poses: usize,
    },
    /// A weight of zero or past [`MAX_POSE_WEIGHT`].
    #[error("the weight {weight} of pose {pose} is not in 1..={MAX_POSE_WEIGHT}")]
    BadWeight {
        /// The number of the pose.
        pose: usize,
        /// The weight given.
        weight: u64,
    },
}

/// A tile in one orientation.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Pose {
    /// The tile.
    pub tile: TileId,
    /// How it is turned and mirrored.
    pub orientation: Orientation,
}

/// Compiled rules; see the [module](self).
#[derive(Clone, Debug)]
pub struct Rules(Arc<Tables>);

#[derive(Debug)]
struct Tables {
    lattice: Lattice,
    poses: IdVec<PoseId, Pose>,
    weights: IdVec<PoseId, u64>,
    /// What steering keeps to, where that is not the weights.
    due: Option<IdVec<PoseId, u64>>,
    sides: Vec<SideTable>,
    /// Worked out when first asked.
    never_stuck: OnceLock<bool>,
    /// Whether rows of a side share no poses, worked out when first asked.
    labelled: OnceLock<bool>,
    /// Whether each pose is a window of a sample, and no tile in one orientation.
    windows: bool,
}

/// Support beyond one side.
#[derive(Debug)]
struct SideTable {
    rows: IdVec<RowId, PoseSet>,
    row_of: IdVec<PoseId, RowId>,
}

impl Rules {
    /// Rules from whole numbers alone: a weight a pose, and a judge of pairs.
    ///
    /// `may_touch(side, a, b)` says whether `b` may stand beyond side number `side` (in the order
    /// of [`Lattice::sides`]) of `a`; it is asked for every pair, so it is best for small sets.
    /// What it says of a side and of the opposite one is joined: a pair must be allowed by both.
    /// Poses get tile numbers of their own. O(poses^2 x sides).
    ///
    /// # Errors
    /// When there are no poses or too many, or a weight is out of range.
    pub fn from_pairs(
        lattice: Lattice,
        weights: &[u64],
        may_touch: impl Fn(usize, usize, usize) -> bool,
    ) -> Result<Self, RulesError> {
        let poses = (0..weights.len())
            .map(|i| Pose { tile: TileId::from_index(i), orientation: Orientation::AS_DRAWN })
            .collect();
        compile::from_pairs(lattice, poses, weights.iter().copied().collect(), may_touch)
    }

    /// The rules of the same tiles, all of them turned or mirrored: what may stand to the north of a pose may then stand
    /// where the north has gone. Poses keep their numbers, tiles and weights. O(poses^2 x sides).
    #[must_use]
    pub fn turned(&self, turn: Orientation) -> Self {
        let lattice = self.lattice();
        let drawn: Vec<usize> = lattice
            .sides()
            .iter()
            .map(|&side| turn.inverse(lattice).side(lattice, side))
            .map(|side| lattice.side_index(side).expect("a turned side is one of the lattice"))
            .collect();
        let may_touch = |side: usize, a: usize, b: usize| {
            self.support(drawn[side], PoseId::from_index(a)).contains(PoseId::from_index(b))
        };
        let rules =
            compile::from_pairs(lattice, self.poses().clone(), self.weights().clone(), may_touch)
                .expect("as many poses with the same weights");
        rules.with_due(self.0.due.clone())
    }

    /// The same rules, just made, whose steering keeps to other parts of the map than the weights.
    fn with_due(mut self, due: Option<IdVec<PoseId, u64>>) -> Self {
        if let Some(tables) = Arc::get_mut(&mut self.0) {
            tables.due = due;
        }
        self
    }

    /// The lattice they are for.
    pub fn lattice(&self) -> Lattice {
        self.0.lattice
    }

    /// Every pose.
    pub fn poses(&self) -> &IdVec<PoseId, Pose> {
        &self.0.poses
    }

    /// The weight of each pose.
    pub fn weights(&self) -> &IdVec<PoseId, u64> {
        &self.0.weights
    }

    /// What part of a map each pose is due, as weights: what steering keeps to.
    pub(crate) fn due(&self) -> &IdVec<PoseId, u64> {
        self.0.due.as_ref().unwrap_or(&self.0.weights)
    }

    /// The distinct support rows of side number `side`.
    ///
    /// # Panics
    /// When the lattice has no such side.
    pub fn rows(&self, side: usize) -> &IdVec<RowId, PoseSet> {
        &self.0.sides[side].rows
    }

    /// Which support row of side number `side` is that of `pose`.
    ///
    /// # Panics
    /// When the lattice has no such side, or the pose is of other rules.
    pub fn row_of(&self, side: usize, pose: PoseId) -> RowId {
        self.0.sides[side].row_of[pose]
    }

    /// The poses that may stand beyond side number `side` of `pose`.
    ///
    /// # Panics
    /// As [`row_of`](Self::row_of).
    pub fn support(&self, side: usize, pose: PoseId) -> &PoseSet {
        &self.rows(side)[self.row_of(side, pose)]
    }

    /// Whether no two rows of a side share a pose, as where two poses may touch if they carry the same label.
    /// Worked out once, in O(rows x poses / 64).
    pub(crate) fn has_labels(&self) -> bool {
        *self
            .0
            .labelled
            .get_or_init(|| (0..self.lattice().sides().len()).all(|side| self.are_rows_apart(side)))
    }

    /// Whether each pose is a window of a sample, and no tile in one orientation.
    pub(crate) fn are_windows(&self) -> bool {
        self.0.windows
    }

    /// What each pose counts as where frequencies are kept: its tile, or itself where it is a window of a sample.
    pub(crate) fn kind_of(&self, pose: PoseId) -> usize {
        if self.0.windows { pose.index() } else { self.poses()[pose].tile.index() }
    }

    /// Whether no two rows of one side share a pose. O(rows x poses / 64).
    pub(crate) fn are_rows_apart(&self, side: usize) -> bool {
        let mut seen = PoseSet::empty(self.poses().len());
        self.rows(side).iter().all(|row| {
            let apart = !row.meets(&seen);
            seen.unite(row);
            apart
        })
    }

    /// The set of poses that `keep` accepts.
    pub fn select(&self, mut keep: impl FnMut(&Pose) -> bool) -> PoseSet {
        PoseSet::from_fn(self.poses().len(), |id| keep(&self.poses()[id]))
    }

    /// What may stand where `side` looks out of a map so that no tile of several cells is cut; `None`
    /// when nothing could be.
    pub fn whole_at(&self, tileset: &Tileset, side: Side) -> Option<PoseSet> {
        let cut = |pose: &Pose| tileset.goes_on(pose.tile, pose.orientation, side);
        let any = self.poses().iter().any(cut);
        any.then(|| self.select(|pose| !cut(pose)))
    }

    /// Whether both are the very same tables.
    pub fn same(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}
