//! What is so many steps around a cell.

use super::ground::Ground;

/// Marks of cells that were met, without clearing them each time.
#[derive(Clone, Debug, Default)]
pub(super) struct Marks {
    marks: Vec<u32>,
    now: u32,
}

impl Marks {
    /// Nothing is marked.
    pub(super) fn begin(&mut self, len: usize) {
        if self.marks.len() < len || self.now == u32::MAX {
            self.marks = vec![0; len];
            self.now = 0;
        }
        self.now += 1;
    }

    /// Marks a cell; whether it was not marked before.
    pub(super) fn mark(&mut self, at: u32) -> bool {
        let slot = &mut self.marks[at as usize];
        let new = *slot != self.now;
        *slot = self.now;
        new
    }

    pub(super) fn is_marked(&self, at: u32) -> bool {
        self.marks[at as usize] == self.now
    }
}

/// Cells within so many steps of one, which is not among them, from the nearest; `each` says whether to continue.
/// O(cells met x sides).
pub(super) fn within(
    ground: &dyn Ground,
    marks: &mut Marks,
    queue: &mut Vec<u32>,
    at: u32,
    steps: u32,
    mut each: impl FnMut(u32) -> bool,
) {
    marks.begin(ground.len());
    queue.clear();
    queue.push(at);
    marks.mark(at);
    let (mut from, mut to) = (0, 1);
    for _ in 0..steps {
        for index in from..to {
            let here = queue[index];
            for beyond in (0..ground.sides()).filter_map(|side| ground.beyond(here, side)) {
                if marks.mark(beyond) {
                    if !each(beyond) {
                        return;
                    }
                    queue.push(beyond);
                }
            }
        }
        (from, to) = (to, queue.len());
        if from == to {
            return;
        }
    }
}
