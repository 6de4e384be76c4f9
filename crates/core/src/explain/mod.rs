//! Numbers of a failure back to tiles, sides and rules.

use crate::finding::allowed;
use crate::id::PoseId;
use crate::lattice::{Cell, Side};
use crate::rules::{PoseSet, Rules};
use crate::solve::Contradiction;
use crate::tileset::Tileset;
use std::fmt;

/// What one neighbour asks of the cell that ran out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Demand {
    /// The side of the cell that the neighbour lies beyond.
    pub side: Side,
    /// Where the neighbour stands; `None` where the map ends.
    pub neighbour: Option<Cell>,
    /// The neighbour's poses in words; a few at most.
    pub poses: Vec<String>,
    /// How many poses the neighbour may still hold.
    pub count: usize,
    /// The faces it shows towards the cell, in words, sorted.
    pub faces: Vec<String>,
}

/// A contradiction in the artist's words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Explanation {
    /// The cell that ran out.
    pub cell: Cell,
    /// What each side asks for.
    pub demands: Vec<Demand>,
    /// The last poses it could hold before a neighbour took them away.
    pub last: Vec<String>,
}

/// How many poses are named before "and N more".
const NAMED: usize = 3;

/// Puts a contradiction into words. O(poses x sides).
pub fn explain(contradiction: &Contradiction, rules: &Rules, tileset: &Tileset) -> Explanation {
    let name = |pose: PoseId| {
        let pose = rules.poses()[pose];
        tileset.pose_name(pose.tile, pose.orientation)
    };
    let names = |set: &PoseSet| set.iter().take(NAMED).map(name).collect::<Vec<_>>();
    let demands = contradiction
        .around
        .iter()
        .map(|(side, beyond)| match beyond {
            None => Demand {
                side: *side,
                neighbour: None,
                poses: Vec::new(),
                count: 0,
                faces: Vec::new(),
            },
            Some((cell, set)) => {
                let mut faces: Vec<_> = set
                    .iter()
                    .flat_map(|pose| {
                        let pose = rules.poses()[pose];
                        tileset.faces(pose.tile, pose.orientation, side.opposite())
                    })
                    .collect();
                faces.sort_unstable();
                faces.dedup();
                let mut faces: Vec<String> =
                    faces.into_iter().map(|face| tileset.face_name(face)).collect();
                faces.dedup();
                Demand {
                    side: *side,
                    neighbour: Some(*cell),
                    poses: names(set),
                    count: set.len(),
                    faces,
                }
            }
        })
        .collect();
    Explanation { cell: contradiction.cell, demands, last: names(&contradiction.before) }
}

impl fmt::Display for Demand {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Some(cell) = self.neighbour else {
            return write!(f, "{}: the map ends there", self.side);
        };
        write!(f, "{}: {cell} is {}", self.side, self.poses.join(" or "))?;
        if self.count > self.poses.len() {
            write!(f, " or {} more", self.count - self.poses.len())?;
        }
        let faces: Vec<&str> = self.faces.iter().map(String::as_str).collect();
        write!(f, ", showing {}", allowed(&faces).trim_start_matches("allowed here: "))
    }
}

impl fmt::Display for Explanation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "no tile fits cell {}", self.cell)?;
        self.demands.iter().try_for_each(|demand| write!(f, "\n  {demand}"))
    }
}
