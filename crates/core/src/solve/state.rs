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
    /// Cells with more than one pose.
    pub(super) open: usize,
    pub(super) queue: Queue,
    /// Whether the queue is told of changes; not before the first propagation is done.
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
