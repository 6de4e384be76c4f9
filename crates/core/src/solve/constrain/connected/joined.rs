//! What hangs together, and its pieces by what can be.

use crate::grid::BitPlane;
use crate::rules::PoseSet;
use crate::solve::constrain::ground::{Ground, MOST_SIDES, NOWHERE};
use crate::solve::constrain::seen::Seen;
use crate::solve::constrain::steps::Marks;
use std::fmt;

/// The place of what hangs together among the sets; what reaches over each side comes behind it.
pub(super) const OF: usize = 0;

/// Cells that hold one of some poses hang together.
#[derive(Clone, Debug)]
pub(crate) struct Joined {
    /// What hangs together; then for each side what of it reaches over that side, unless all of it does.
    pub(super) sets: Vec<PoseSet>,
    pub(super) regions: u32,
    /// Each piece has one of these.
    pub(super) from: Option<BitPlane>,
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
    pub(super) fn linked(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        opposites: &Opposites,
        at: u32,
    ) -> Few {
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
    pub(super) fn roots(&self, ground: &dyn Ground) -> Option<Vec<u32>> {
        let from = self.from.as_ref()?;
        let mut roots: Vec<u32> = from.iter().filter_map(|cell| ground.number(cell)).collect();
        roots.sort_unstable();
        Some(roots)
    }

    /// Whether these are all pieces of what must be, as many and as rooted as they are to be.
    pub(super) fn is_kept(&self, pieces: &[Piece]) -> bool {
        match self.from {
            Some(_) => pieces.iter().all(|piece| piece.rooted),
            None if self.regions == 1 => pieces.len() <= 1,
            None => pieces.len() == self.regions as usize,
        }
    }

    /// The pieces of what can be. O(cells).
    pub(super) fn pieces(
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
pub(super) fn pieces<Linked: IntoIterator<Item = u32>>(
    cells: impl Iterator<Item = u32>,
    linked: impl Fn(u32) -> Linked,
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
pub(super) struct Piece {
    pub(super) cells: Vec<u32>,
    /// Whether one of them must.
    pub(super) must: bool,
    /// Whether it has one of the cells that each piece needs.
    pub(super) rooted: bool,
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

/// The side across from each.
pub(super) type Opposites = [usize; MOST_SIDES];

pub(super) fn opposites(ground: &dyn Ground) -> Opposites {
    std::array::from_fn(|side| if side < ground.sides() { ground.opposite(side) } else { 0 })
}

/// A few cells: at most as many as one has sides.
#[derive(Clone, Copy, Default)]
pub(super) struct Few {
    all: [u32; MOST_SIDES],
    len: usize,
}

impl Few {
    pub(super) fn push(&mut self, one: u32) {
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
