//! What a broken rule is about, for a picture.

use super::ground::Listed;
use super::seen::{Seen, Standing};
use super::{Constraint, Kept};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Layout};
use crate::rules::PoseSet;

/// What of a map a rule of the whole map is about, by what cells may hold when a run ended; see
/// [`Run::about`](crate::solve::Run::about).
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct About {
    /// Cells that belong together: each piece of what must hang together, the largest first, with all that it could
    /// still reach; what must be counted; what keeps its distance, and from what.
    pub parts: Vec<BitPlane>,
    /// Cells that keep the smallest piece apart from the others.
    pub cut: BitPlane,
    /// Cells that could still hold what is counted.
    pub open: BitPlane,
}

/// The same by numbers of cells.
#[derive(Debug, Default)]
pub(crate) struct Parts {
    pub(crate) parts: Vec<Vec<u32>>,
    pub(crate) cut: Vec<u32>,
    pub(crate) open: Vec<u32>,
}

impl Parts {
    /// What must hold one of each set, and what may.
    pub(super) fn of(seen: &[Seen]) -> Self {
        let cans = |set: &Seen, must: bool| -> Vec<u32> {
            set.cans().filter(|&at| set.is_must(at) == must).collect()
        };
        Self {
            parts: seen.iter().map(|set| cans(set, true)).collect(),
            cut: Vec::new(),
            open: seen.first().map_or_else(Vec::new, |set| cans(set, false)),
        }
    }
}

/// What a rule is about where cells hold so much. O(cells x sets).
pub(in crate::solve) fn about(
    Kept { rule, .. }: &Kept,
    layout: Layout,
    held: impl Fn(Cell) -> Option<PoseSet>,
) -> About {
    let extent = layout.extent();
    let cells: Vec<Cell> = extent.iter().collect();
    let ground = Listed::new(layout, &cells);
    let sets = rule.watched();
    let mut seen = vec![Seen::new(cells.len()); sets.len()];
    for (at, &cell) in (0..).zip(&cells) {
        let Some(held) = held(cell) else { continue };
        for (set, seen) in sets.iter().zip(&mut seen) {
            seen.put(at, Standing::of(held.words(), set));
        }
    }
    let parts = Constraint::parts(&**rule, &seen, &ground);
    let plane = |numbers: &[u32]| {
        let mut plane = BitPlane::new(extent);
        for &at in numbers {
            plane.set(cells[at as usize], true);
        }
        plane
    };
    About {
        parts: parts.parts.iter().map(|part| plane(part)).collect(),
        cut: plane(&parts.cut),
        open: plane(&parts.open),
    }
}
