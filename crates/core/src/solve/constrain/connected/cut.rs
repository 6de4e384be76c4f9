//! Why what stands cannot hang together, as something of which one must be otherwise.

use super::joined::{Joined, OF, Piece, opposites};
use crate::solve::constrain::ground::{Ground, NOWHERE};
use crate::solve::constrain::seen::Seen;
use crate::solve::constrain::steps::Marks;
use crate::solve::constrain::{Held, Parts};

impl Joined {
    /// A list of what is false now and of which one must be true, when pieces are cut off from each other. O(cells).
    pub(super) fn cut_off(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
    ) -> Option<Vec<Held>> {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        let mut fixed: Vec<&Piece> = pieces.iter().filter(|piece| piece.must).collect();
        let mut cut = if roots.is_some() {
            let lost = fixed.into_iter().filter(|piece| !piece.rooted);
            self.cut(seen, ground, never, lost.min_by_key(|piece| piece.cells.len())?)
        } else if fixed.len() > self.regions as usize {
            // Two of these are one: but for one of them, each would have to be left.
            fixed.sort_by_key(|piece| piece.cells.len());
            fixed.truncate(self.regions as usize + 1);
            let largest = fixed.pop()?;
            let cuts = fixed.iter().flat_map(|piece| self.cut(seen, ground, never, piece));
            cuts.chain(largest.given_up(seen)).collect()
        } else {
            let few = self.regions > 1 && pieces.len() < self.regions as usize;
            if !few || seen.iter().any(|seen| seen.opens() > 0) {
                return None;
            }
            self.few(seen, ground, never, &pieces)
        };
        cut.sort_unstable();
        cut.dedup();
        Some(cut)
    }

    /// The pieces that must belong, the largest first, and what cuts off the smallest. O(cells).
    pub(super) fn parted(&self, seen: &[Seen], ground: &dyn Ground) -> Parts {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        let mut fixed: Vec<&Piece> = pieces.iter().filter(|piece| piece.must).collect();
        fixed.sort_by_key(|piece| std::cmp::Reverse(piece.cells.len()));
        let lost = fixed.iter().rev().find(|piece| roots.is_none() || !piece.rooted);
        let mut met = Marks::default();
        met.begin(ground.len());
        for &at in fixed.iter().flat_map(|piece| &piece.cells) {
            met.mark(at);
        }
        // All that lies around it and belongs to no piece.
        let around = lost.into_iter().flat_map(|piece| &piece.cells);
        let around = around.flat_map(|&at| ground.around(at)).filter(|&at| at != NOWHERE);
        let cut = around.filter(|&at| met.mark(at)).collect();
        Parts {
            parts: fixed.iter().map(|piece| piece.cells.clone()).collect(),
            cut,
            open: Vec::new(),
        }
    }

    /// What would have to be for a piece to be more than what it is, or nothing. O(cells of it).
    fn cut(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
        piece: &Piece,
    ) -> Vec<Held> {
        let (plain, opposites) = (self.sets.len() == 1, opposites(ground));
        let mut cut: Vec<Held> = piece.given_up(seen).into_iter().collect();
        for &at in &piece.cells {
            for (side, beyond) in ground.around(at).into_iter().enumerate() {
                if beyond == NOWHERE {
                    continue;
                }
                // What is missing at either end is enough; best is what can never be.
                let ends = if plain {
                    [(beyond, OF), (beyond, OF)]
                } else {
                    [(at, 1 + side), (beyond, 1 + opposites[side])]
                };
                let missing = |&&(at, set): &&(u32, usize)| !seen[set].is_can(at);
                if ends.iter().any(|&(at, set)| never(at, set)) {
                    continue;
                }
                if let Some(&(at, set)) = ends.iter().find(missing) {
                    cut.push(Held { at, set, held: true });
                }
            }
        }
        cut
    }

    /// What would have to be for there to be more pieces: another cell, or one link less of those that hold them together.
    fn few(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
        pieces: &[Piece],
    ) -> Vec<Held> {
        let (plain, opposites) = (self.sets.len() == 1, opposites(ground));
        let others = (0..ground.len() as u32).filter(|&at| !seen[OF].is_can(at) && !never(at, OF));
        let mut all: Vec<Held> = others.map(|at| Held { at, set: OF, held: true }).collect();
        let mut marks = Marks::default();
        marks.begin(ground.len());
        for piece in pieces.iter().filter(|piece| piece.cells.len() > 1) {
            // The cells of a piece are in the order in which they were met, so each is reached from one before.
            marks.mark(piece.cells[0]);
            for &at in &piece.cells {
                for (side, beyond) in ground.around(at).into_iter().enumerate() {
                    let ends = if plain {
                        [(at, OF), (beyond, OF)]
                    } else {
                        [(at, 1 + side), (beyond, 1 + opposites[side])]
                    };
                    let linked = beyond != NOWHERE
                        && ends.iter().all(|&(at, set)| seen[set].is_can(at))
                        && marks.mark(beyond);
                    if linked {
                        all.extend(ends.map(|(at, set)| Held { at, set, held: false }));
                    }
                }
            }
        }
        all
    }
}

impl Piece {
    /// That the cell which must belong to it does not.
    fn given_up(&self, seen: &[Seen]) -> Option<Held> {
        let at = self.cells.iter().copied().find(|&at| seen[OF].is_must(at))?;
        Some(Held { at, set: OF, held: false })
    }
}
