//! What the engines work on: cells, the changes not yet propagated, and the queue that hears of them.

use super::choose::Queue;
use super::padded::Padded;
use super::undo::Trail;

/// Cells with their changes.
#[derive(Debug)]
pub(super) struct State<D, const S: usize> {
    pub(super) padded: Padded<S>,
    /// What each cell holds, rim included.
    pub(super) cells: Vec<D>,
    pub(super) trail: Trail<D>,
    /// The next change to propagate, as a position in the trail.
    pub(super) head: usize,
    /// Changes before this position restrict neighbours by all that the cell holds, for neighbours may hold poses that
    /// were never supported; later ones only by what the cell lost.
    pub(super) whole_until: usize,
    /// Cells with more than one pose.
    pub(super) open: usize,
    pub(super) queue: Queue,
    /// Whether the queue learns of changes; not before the first propagation is done.
    pub(super) telling: bool,
    /// The domain of untouched cells, which are pooled.
    pub(super) common: D,
}

/// How far propagation came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Wave {
    /// A fixed point is reached.
    Done,
    /// The budget is used up.
    More,
    /// This cell ran out of poses.
    Dead(u32),
}

/// How many cells from the first one on hold the same as it.
///
/// Runs are long on a fresh map, so it looks at blocks first, which compilers do many at a time.
pub(super) fn alike<D: Copy + PartialEq>(cells: &[D]) -> usize {
    let Some(&first) = cells.first() else { return 0 };
    let (blocks, _) = cells.as_chunks::<64>();
    let others = |block: &[D; 64]| block.iter().fold(0u8, |any, &dom| any | u8::from(dom != first));
    let whole = 64 * blocks.iter().take_while(|block| others(block) == 0).count();
    whole + cells[whole..].iter().take_while(|&&dom| dom == first).count()
}

impl<D: Copy + PartialEq, const S: usize> State<D, S> {
    /// Puts `dom`, which is less than what it held, into a cell. The levels are those of both.
    #[inline]
    pub(super) fn change(&mut self, at: u32, dom: D, was: u8, level: u8, news: u8) {
        let before = self.cells[at as usize];
        self.trail.push(at, before, news);
        self.cells[at as usize] = dom;
        self.heed(at, before, dom, was, level);
    }

    /// Tells the queue of a change that was made.
    #[inline]
    fn heed(&mut self, at: u32, before: D, after: D, was: u8, level: u8) {
        self.open -= usize::from(level == 0);
        if !self.telling {
            return;
        }
        let pooled = before == self.common;
        if pooled {
            self.queue.leave_pool();
        }
        if after == self.common {
            self.queue.join_pool(at);
        } else if level > 0 && (pooled || level != was) {
            self.queue.enter(at, level);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Against one look after the other, around the lengths of blocks.
        #[test]
        fn alike_counts_the_first_run(first in 0usize..200, rest in prop::collection::vec(0u16..2, 0..80)) {
            let mut cells = vec![1; first];
            cells.extend(&rest);
            let plain = cells.iter().take_while(|&&dom| Some(dom) == cells.first().copied()).count();
            prop_assert_eq!(alike(&cells), plain);
        }
    }
}
