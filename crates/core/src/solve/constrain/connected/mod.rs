//! That cells which hold some poses hang together.
//!
//! Two cells are linked while both can show each other what joins them. So the pieces of what is *possible* only ever
//! fall apart further: one without a cell that must belong to it can belong to nothing, and two that both have such a
//! cell are a contradiction. Where cells changed, searches go out from all that is left around them, step by step in
//! turn, until they have met: their cost is that of the smaller pieces, not that of the map.

mod cut;
mod follow;
mod searches;

use self::follow::Follows;
use super::ground::{Ground, MOST_SIDES, NOWHERE};
use super::seen::Seen;
use super::steps::Marks;
use super::{Constraint, Follower, Held, MOST_LEARNED, Parts};
use crate::grid::BitPlane;
use crate::lattice::Cell;
use crate::limits::Climb;
use crate::rules::PoseSet;
use std::fmt;
use std::sync::Arc;

/// The place of what hangs together among the sets; what reaches over each side comes behind it.
const OF: usize = 0;

/// Cells that hold one of some poses hang together.
#[derive(Clone, Debug)]
pub(crate) struct Joined {
    /// What hangs together; then for each side what of it reaches over that side, unless all of it does.
    sets: Vec<PoseSet>,
    regions: u32,
    /// Each piece has one of these.
    from: Option<BitPlane>,
}

impl Joined {
    /// `over` has a set for each side, or is empty.
    pub(crate) fn new(
        poses: PoseSet,
        over: Vec<PoseSet>,
        regions: u32,
        from: Option<BitPlane>,
    ) -> Self {
        let sets = std::iter::once(poses).chain(over).collect();
        Self { sets, regions: regions.max(1), from }
    }

    /// The cells that one is linked to, by what can be.
    #[inline]
    fn linked(&self, seen: &[Seen], ground: &dyn Ground, opposites: &Opposites, at: u32) -> Few {
        let plain = self.sets.len() == 1;
        let mut few = Few::default();
        for (side, beyond) in ground.around(at).into_iter().enumerate() {
            if beyond == NOWHERE {
                continue;
            }
            let joined = if plain {
                seen[OF].is_can(beyond)
            } else {
                seen[1 + side].is_can(at) && seen[1 + opposites[side]].is_can(beyond)
            };
            if joined {
                few.push(beyond);
            }
        }
        few
    }

    /// The cells of which each piece needs one, in rising order.
    fn roots(&self, ground: &dyn Ground) -> Option<Vec<u32>> {
        let from = self.from.as_ref()?;
        let mut roots: Vec<u32> = from.iter().filter_map(|cell| ground.number(cell)).collect();
        roots.sort_unstable();
        Some(roots)
    }

    /// The pieces of what can be. O(cells).
    fn pieces(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        roots: Option<&[u32]>,
        marks: &mut Marks,
    ) -> Vec<Piece> {
        let opposites = opposites(ground);
        marks.begin(ground.len());
        let linked = |at| self.linked(seen, ground, &opposites, at);
        pieces(seen[OF].cans(), linked, |at| seen[OF].is_must(at), roots, marks)
    }
}

/// The pieces of some cells. O(cells).
fn pieces(
    cells: impl Iterator<Item = u32>,
    linked: impl Fn(u32) -> Few,
    is_must: impl Fn(u32) -> bool,
    roots: Option<&[u32]>,
    marks: &mut Marks,
) -> Vec<Piece> {
    let mut pieces = Vec::new();
    for first in cells {
        if !marks.mark(first) {
            continue;
        }
        let mut cells = vec![first];
        let mut at = 0;
        while at < cells.len() {
            for beyond in linked(cells[at]) {
                if marks.mark(beyond) {
                    cells.push(beyond);
                }
            }
            at += 1;
        }
        let must = cells.iter().any(|&cell| is_must(cell));
        let rooted =
            roots.is_some_and(|roots| cells.iter().any(|cell| roots.binary_search(cell).is_ok()));
        pieces.push(Piece { cells, must, rooted });
    }
    pieces
}

/// Cells that can hang together.
struct Piece {
    cells: Vec<u32>,
    /// Whether one of them must.
    must: bool,
    /// Whether it has one of the cells that each piece needs.
    rooted: bool,
}

impl fmt::Display for Joined {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.regions, &self.from) {
            (1, None) => f.write_str("one connected piece"),
            (regions, None) => write!(f, "{regions} connected pieces"),
            (_, Some(_)) => f.write_str("that all is reached from where it begins"),
        }
    }
}

impl Constraint for Joined {
    fn watched(&self) -> &[PoseSet] {
        &self.sets
    }

    fn holds(&self, seen: &[Seen], ground: &dyn Ground) -> bool {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        match roots {
            Some(_) => pieces.iter().all(|piece| piece.rooted),
            None if self.regions == 1 => pieces.len() <= 1,
            None => pieces.len() == self.regions as usize,
        }
    }

    fn fails(&self, _: [u64; 2], near: Cell) -> String {
        if self.from.is_some() {
            format!("what stands near {near} cannot be reached from there")
        } else {
            format!("what stands near {near} cannot be reached from the rest")
        }
    }

    fn parts(&self, seen: &[Seen], ground: &dyn Ground) -> Parts {
        self.parted(seen, ground)
    }

    fn kept_by(&self, rung: Climb, cells: usize) -> bool {
        rung < Climb::Blocks || rung != Climb::Blocks && cells <= MOST_LEARNED
    }

    fn refute(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
    ) -> Option<Vec<Held>> {
        self.cut_off(seen, ground, never)
    }

    fn follower(&self, ground: &Arc<dyn Ground>) -> Option<Box<dyn Follower>> {
        Some(Box::new(Follows::new(self, ground)))
    }
}

/// The side across from each.
type Opposites = [usize; MOST_SIDES];

fn opposites(ground: &dyn Ground) -> Opposites {
    std::array::from_fn(|side| if side < ground.sides() { ground.opposite(side) } else { 0 })
}

/// A few cells: at most as many as one has sides.
#[derive(Clone, Copy, Default)]
struct Few {
    all: [u32; MOST_SIDES],
    len: usize,
}

impl Few {
    fn push(&mut self, one: u32) {
        self.all[self.len] = one;
        self.len += 1;
    }
}

impl IntoIterator for Few {
    type Item = u32;
    type IntoIter = std::iter::Take<std::array::IntoIter<u32, MOST_SIDES>>;

    fn into_iter(self) -> Self::IntoIter {
        self.all.into_iter().take(self.len)
    }
}
