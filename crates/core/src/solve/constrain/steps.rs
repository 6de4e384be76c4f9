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

#[cfg(test)]
mod tests {
    use super::super::ground::Listed;
    use super::*;
    use crate::lattice::{Cell, Extent, Lattice, Layout, Wrap};
    use rstest::rstest;
    use std::collections::BTreeSet;

    /// On open maps steps are the distance of the lattice; each cell is met once, the nearest first.
    #[rstest]
    fn steps_are_the_distance(
        #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)]
        lattice: Lattice,
        #[values(0, 1, 2, 3, 9)] steps: u32,
    ) {
        let depth = if lattice == Lattice::Box { 3 } else { 1 };
        let extent = Extent::new(Cell { x: -2, y: 3, z: 0 }, [6, 5, depth]).unwrap();
        let layout = Layout::new(lattice, extent, Wrap::NONE).unwrap();
        let cells: Vec<Cell> = extent.iter().collect();
        let ground = Listed::new(layout, &cells);
        let (mut marks, mut queue) = (Marks::default(), Vec::new());
        for (at, &from) in cells.iter().enumerate() {
            let mut met = Vec::new();
            within(&ground, &mut marks, &mut queue, at as u32, steps, |other| {
                met.push(cells[other as usize]);
                true
            });
            let far = |cell: &Cell| lattice.distance(from, *cell);
            assert!(met.is_sorted_by_key(far));
            let all: BTreeSet<Cell> = met.iter().copied().collect();
            assert_eq!(all.len(), met.len());
            let near =
                cells.iter().copied().filter(|cell| (1..=u64::from(steps)).contains(&far(cell)));
            assert_eq!(all, near.collect());
        }
    }

    /// It ends when it is told to, and marks are forgotten each time.
    #[test]
    fn it_ends_when_enough_is_seen() {
        let layout = Layout::flat(Lattice::Square, 9, 9).unwrap();
        let cells: Vec<Cell> = layout.extent().iter().collect();
        let ground = Listed::new(layout, &cells);
        let (mut marks, mut queue) = (Marks::default(), Vec::new());
        for round in 1..5 {
            let mut seen = 0;
            within(&ground, &mut marks, &mut queue, 40, 8, |_| {
                seen += 1;
                seen < round
            });
            assert_eq!(seen, round);
        }
    }
}
