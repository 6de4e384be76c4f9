//! How the cells of a search lie: which number lies beyond which side.

use crate::lattice::{Cell, Lattice, Layout, Side};
use crate::solve::padded::{Padded, Ways};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::fmt::Debug;

/// Sides at most.
pub(super) const MOST_SIDES: usize = 8;
/// Beyond the end of the map.
pub(super) const NOWHERE: u32 = u32::MAX;

/// Cells by the numbers that rules see.
pub(crate) trait Ground: Debug + Send + Sync {
    /// How many sides a cell has.
    fn sides(&self) -> usize;

    fn lattice(&self) -> Lattice;

    /// Whether a number is that of a cell.
    fn is_cell(&self, at: u32) -> bool;

    /// The side across.
    fn opposite(&self, side: usize) -> usize;

    /// The cell beyond a side; `None` where the map ends. One that takes no part holds nothing.
    fn beyond(&self, at: u32, side: usize) -> Option<u32>;

    /// The cells beyond all sides at once; where the map ends [`NOWHERE`], or a number that never holds anything.
    fn around(&self, at: u32) -> [u32; MOST_SIDES] {
        std::array::from_fn(|side| {
            let beyond = (side < self.sides()).then(|| self.beyond(at, side)).flatten();
            beyond.unwrap_or(NOWHERE)
        })
    }

    /// Steps to the cells beyond sides, where none leads around; from a cell inside they lead to a number below
    /// [`len`](Self::len).
    fn ways(&self) -> Option<Ways> {
        None
    }

    /// The number of a cell, if it has one.
    fn number(&self, cell: Cell) -> Option<u32>;

    /// Numbers are below this.
    fn len(&self) -> usize;
}

impl<const S: usize> Ground for Padded<S> {
    fn sides(&self) -> usize {
        S
    }

    fn lattice(&self) -> Lattice {
        self.layout().lattice()
    }

    fn is_cell(&self, at: u32) -> bool {
        self.is_inside(at)
    }

    fn opposite(&self, side: usize) -> usize {
        usize::from(Padded::opposite(self, side))
    }

    fn beyond(&self, at: u32, side: usize) -> Option<u32> {
        let beyond = self.neighbour(at, side);
        if self.is_inside(beyond) {
            return Some(beyond);
        }
        if self.wraps() { self.wrapped(at, side) } else { None }
    }

    fn around(&self, at: u32) -> [u32; MOST_SIDES] {
        let mut all = [NOWHERE; MOST_SIDES];
        for (beyond, step) in all.iter_mut().zip(self.steps(at)) {
            *beyond = at.wrapping_add_signed(*step);
        }
        if self.wraps() {
            for (side, beyond) in all.iter_mut().enumerate().take(S) {
                *beyond = self.beyond(at, side).unwrap_or(NOWHERE);
            }
        }
        all
    }

    fn ways(&self) -> Option<Ways> {
        (!self.wraps()).then(|| Padded::ways(self))
    }

    fn number(&self, cell: Cell) -> Option<u32> {
        self.layout().extent().contains(cell).then(|| Padded::number(self, cell))
    }

    fn len(&self) -> usize {
        Padded::len(self)
    }
}

/// Cells in the order of a list, and behind them all others of the map.
#[derive(Debug)]
pub(crate) struct Listed {
    layout: Layout,
    opposites: Vec<usize>,
    numbers: HashMap<Cell, u32, FxBuildHasher>,
    around: Vec<[u32; MOST_SIDES]>,
}

impl Listed {
    /// O(cells x sides).
    pub(crate) fn new(layout: Layout, cells: &[Cell]) -> Self {
        let mut numbers: HashMap<Cell, u32, FxBuildHasher> =
            cells.iter().copied().zip(0..).collect();
        let mut cells = cells.to_vec();
        for cell in layout.extent().iter() {
            if !numbers.contains_key(&cell) {
                numbers.insert(cell, cells.len() as u32);
                cells.push(cell);
            }
        }
        let sides = layout.lattice().sides();
        let opposite = |side: &Side| layout.lattice().side_index(side.opposite());
        let around = |&cell: &Cell| {
            let mut all = [NOWHERE; MOST_SIDES];
            for (beyond, &side) in all.iter_mut().zip(sides) {
                let cell = layout.neighbour(cell, side);
                *beyond = cell.map_or(NOWHERE, |cell| numbers[&cell]);
            }
            all
        };
        let around = cells.iter().map(around).collect();
        let opposites = sides.iter().map(|side| opposite(side).expect("in pairs")).collect();
        Self { layout, opposites, numbers, around }
    }
}

impl Ground for Listed {
    fn sides(&self) -> usize {
        self.opposites.len()
    }

    fn lattice(&self) -> Lattice {
        self.layout.lattice()
    }

    fn is_cell(&self, _: u32) -> bool {
        true
    }

    fn opposite(&self, side: usize) -> usize {
        self.opposites[side]
    }

    fn beyond(&self, at: u32, side: usize) -> Option<u32> {
        Some(self.around[at as usize][side]).filter(|&beyond| beyond != NOWHERE)
    }

    fn around(&self, at: u32) -> [u32; MOST_SIDES] {
        self.around[at as usize]
    }

    fn number(&self, cell: Cell) -> Option<u32> {
        self.numbers.get(&cell).copied()
    }

    fn len(&self) -> usize {
        self.around.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::{Extent, Wrap};
    use rstest::rstest;

    /// Both grounds say of every cell and side what the layout says, one by one and at once.
    fn agrees<const S: usize>(layout: Layout) {
        let sides = layout.lattice().sides();
        let cells: Vec<Cell> = layout.extent().iter().collect();
        let (padded, listed) =
            (Padded::<S>::new(layout), Listed::new(layout, &cells[..cells.len() / 2]));
        let grounds: [&dyn Ground; 2] = [&padded, &listed];
        for ground in grounds {
            assert_eq!(ground.sides(), sides.len());
            for &cell in &cells {
                let at = ground.number(cell).unwrap();
                assert!((at as usize) < ground.len());
                let around = ground.around(at);
                for (number, &side) in sides.iter().enumerate() {
                    let beyond = layout.neighbour(cell, side).and_then(|cell| ground.number(cell));
                    assert_eq!(ground.beyond(at, number), beyond, "{cell} {side}");
                    assert_eq!(sides[ground.opposite(number)], side.opposite());
                    let inside =
                        cells.iter().any(|&one| ground.number(one) == Some(around[number]));
                    assert_eq!(inside.then_some(around[number]), beyond, "{cell} {side}");
                }
                assert!(around[sides.len()..].iter().all(|&beyond| beyond == NOWHERE));
            }
            assert_eq!(ground.number(Cell { x: 99, y: 99, z: 0 }), None);
        }
    }

    #[rstest]
    fn grounds_agree_with_the_layout(
        #[values([4, 6, 1], [2, 2, 1], [6, 4, 1])] size: [u32; 3],
        #[values([0, 0, 0], [-3, 5, -1])] origin: [i32; 3],
        #[values(false, true)] x: bool,
        #[values(false, true)] y: bool,
    ) {
        let [ox, oy, oz] = origin;
        let of = |lattice, size, z| {
            let extent = Extent::new(
                Cell { x: ox, y: oy, z: if lattice == Lattice::Box { oz } else { 0 } },
                size,
            )
            .unwrap();
            Layout::new(lattice, extent, Wrap { x, y, z }).unwrap()
        };
        agrees::<4>(of(Lattice::Square, size, false));
        agrees::<6>(of(Lattice::HexPointy, size, false));
        agrees::<6>(of(Lattice::HexFlat, size, false));
        agrees::<6>(of(Lattice::Box, [size[0], size[1], 3], x));
    }
}
