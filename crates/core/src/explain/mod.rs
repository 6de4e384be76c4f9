//! Numbers of a failure back to tiles, sides and rules; in `lost` those of a fill on its way, in `wanted` the window
//! that was wanted where a fill goes by windows.

mod lost;
mod wanted;

pub use lost::lost;
pub use wanted::{WantedCell, WantedWindow, wanted};

use crate::constraints::Source;
use crate::finding::allowed;
use crate::id::{CauseId, ConstraintId, PoseId};
use crate::lattice::{Cell, Side};
use crate::rules::{PoseSet, Rules};
use crate::solve::{Contradiction, Space};
use crate::tileset::Tileset;
use std::collections::BTreeMap;
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

/// Who took poses from the cell that ran out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Taker {
    /// A border rule, pin or limit: the first that does not allow them there.
    Restriction(CauseId),
    /// A rule of the whole map that counts them, where no neighbour took them.
    Rule(ConstraintId),
    /// The neighbour beyond this side: the first that shows nothing they go with.
    Neighbour(Side),
}

/// Poses that one rule or neighbour took from the cell that ran out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Taken {
    /// Who took them.
    pub by: Taker,
    /// Their names, sorted.
    pub poses: Vec<String>,
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
    /// Every pose there is, by who took it: restrictions first, then neighbours side by side.
    pub taken: Vec<Taken>,
    /// The rule of the whole map that was broken, when no cell ran out.
    pub broken: Option<Shortfall>,
    /// What a tile would have to show to fit: one of these faces on each of these sides, anything on
    /// others. Empty when a restriction took all, or when a neighbour shows nothing at all.
    pub missing: Vec<(Side, Vec<String>)>,
    /// The window that was wanted, where the fill goes by windows of samples.
    pub window: Option<WantedWindow>,
}

/// A rule of the whole map that cannot be kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shortfall {
    /// Where it is written.
    pub source: Source,
    /// What it demands, in words.
    pub demand: String,
    /// Why that cannot be, in words.
    pub why: String,
    /// How many must stand.
    pub must: u64,
    /// How many can.
    pub can: u64,
}

impl fmt::Display for Shortfall {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { source, demand, why, .. } = self;
        write!(f, "{source} demands {demand}; {why}")
    }
}

/// How many poses are named before "and N more".
const NAMED: usize = 3;

/// Puts a contradiction of a run in `space` into words. O(poses x (sides + restrictions)).
pub fn explain(
    contradiction: &Contradiction,
    space: &Space,
    rules: &Rules,
    tileset: &Tileset,
) -> Explanation {
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
        .collect::<Vec<_>>();
    let mut taken: BTreeMap<Taker, Vec<String>> = BTreeMap::new();
    for pose in rules.poses().ids() {
        if let Some(by) = taker(contradiction, space, rules, pose) {
            taken.entry(by).or_default().push(name(pose));
        }
    }
    let wanted = demands.iter().filter(|demand| demand.neighbour.is_some());
    let mut missing: Vec<(Side, Vec<String>)> = wanted
        .map(|demand: &Demand| (demand.side, mates(demand, contradiction, rules, tileset)))
        .collect();
    let by_neighbours = taken.keys().any(|by| matches!(by, Taker::Neighbour(_)));
    if !by_neighbours || missing.iter().any(|(_, faces)| faces.is_empty()) {
        missing.clear();
    }
    missing.retain(|(side, faces)| *faces != shown(rules.poses().ids(), *side, rules, tileset));
    let taken = taken.into_iter().map(|(by, mut poses)| {
        poses.sort_unstable();
        Taken { by, poses }
    });
    Explanation {
        cell: contradiction.cell,
        last: names(&contradiction.before),
        broken: contradiction.broken.map(|broken| {
            let (source, demand) = space.demand(broken.rule);
            let (must, can) = (broken.must, broken.can);
            let why = space.failure(broken.rule, [must, can], contradiction.cell);
            Shortfall { source, demand, why, must, can }
        }),
        taken: taken.collect(),
        missing,
        window: None,
        demands,
    }
}

/// Who took a pose from the cell that ran out.
fn taker(
    contradiction: &Contradiction,
    space: &Space,
    rules: &Rules,
    pose: PoseId,
) -> Option<Taker> {
    if let Some(cause) = space.cause(contradiction.cell, pose) {
        return Some(Taker::Restriction(cause));
    }
    let around = contradiction.around.iter();
    let around = around.map(|(side, beyond)| (*side, beyond.as_ref().map(|(_, set)| set.clone())));
    let by_neighbour =
        lost::by_neighbour(rules, &around.collect::<Vec<_>>(), pose).map(Taker::Neighbour);
    let by_rule = || {
        let mut rules = space.constraints().pairs();
        let rule = rules.find(|(_, kept)| kept.rule.watched().iter().any(|set| set.contains(pose)));
        rule.map(|(id, _)| Taker::Rule(id))
    };
    by_neighbour.or_else(by_rule)
}

/// The faces that some tile shows and that go with what a neighbour may hold, sorted.
fn mates(
    demand: &Demand,
    contradiction: &Contradiction,
    rules: &Rules,
    tileset: &Tileset,
) -> Vec<String> {
    let (side, sides) = (demand.side, rules.lattice().sides());
    let number = sides.iter().position(|&one| one == side).expect("a side of the lattice");
    let beyond = contradiction.around.iter().find(|(one, _)| *one == side);
    let Some((_, Some((_, set)))) = beyond else { return Vec::new() };
    let fits = rules.poses().ids().filter(|&pose| {
        let mut common = set.clone();
        common.intersect(rules.support(number, pose));
        !common.is_empty()
    });
    shown(fits, side, rules, tileset)
}

/// The faces that some poses show on a side, sorted.
fn shown(
    poses: impl Iterator<Item = PoseId>,
    side: Side,
    rules: &Rules,
    tileset: &Tileset,
) -> Vec<String> {
    let mut faces: Vec<String> = poses
        .flat_map(|pose| {
            let pose = rules.poses()[pose];
            tileset.faces(pose.tile, pose.orientation, side)
        })
        .map(|face| tileset.face_name(face))
        .collect();
    faces.sort_unstable();
    faces.dedup();
    faces
}

impl fmt::Display for Demand {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Some(cell) = self.neighbour else {
            return write!(f, "{}: the map ends there", self.side);
        };
        let cell = if f.alternate() { format!("{cell:#}") } else { cell.to_string() };
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
        if let Some(broken) = &self.broken {
            return write!(f, "{broken}");
        }
        if let Some(window) = &self.window {
            let levels = self.demands.iter().any(|demand| demand.side.is_flat());
            let cell = self.cell;
            let cell = if levels { format!("{cell:#}") } else { cell.to_string() };
            return write!(f, "no sample shows the window that is wanted at cell {cell}{window}");
        }
        // Where there are levels, all of them are named, also level 0.
        if self.demands.iter().any(|demand| demand.side.is_flat()) {
            write!(f, "no tile fits cell {:#}", self.cell)?;
            self.demands.iter().try_for_each(|demand| write!(f, "\n  {demand:#}"))?;
        } else {
            write!(f, "no tile fits cell {}", self.cell)?;
            self.demands.iter().try_for_each(|demand| write!(f, "\n  {demand}"))?;
        }
        let kept_out = |taken: &&Taken| matches!(taken.by, Taker::Restriction(_));
        let count: usize = self.taken.iter().filter(kept_out).map(|taken| taken.poses.len()).sum();
        if count > 0 {
            let s = if count == 1 { "" } else { "s" };
            write!(f, "\n  {count} pose{s} may not stand there by a border rule, pin or limit")?;
        } else if !self.missing.is_empty() {
            let side = |(side, faces): &(Side, Vec<String>)| format!("{side} {}", faces.join("/"));
            let sides: Vec<String> = self.missing.iter().map(side).collect();
            write!(f, "\n  a tile would fit with {}", sides.join(", "))?;
        }
        Ok(())
    }
}
