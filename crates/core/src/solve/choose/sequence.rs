//! Cells in a fixed sequence: the next open one is decided, whatever it may hold.

use crate::lattice::{Cell, Layout};

/// A cursor over a sequence. No cell before the cursor is open.
#[derive(Clone, Debug)]
pub(crate) struct Sequence {
    /// The cells in order and the place of each; `None` when the order is that of their numbers.
    order: Option<Order>,
    cursor: usize,
}

/// The place of cells that are in no order is never asked for.
#[derive(Clone, Debug)]
struct Order {
    cells: Vec<u32>,
    place: Vec<u32>,
}

/// A sequence that is being laid out, some cells at a time: all cells in cell order, or by their distance
/// from one, equals in cell order.
///
/// Distances in a map lie close together, so they are counted and not compared: linear in cells.
#[derive(Clone, Debug)]
pub(crate) struct Laying {
    from: Option<Cell>,
    pass: Pass,
    at: usize,
    nearest: u64,
    /// How many cells are so far away; then where the next of them belongs.
    rings: Vec<u32>,
    order: Order,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Pass {
    Nearest,
    Count,
    Region,
}

impl Laying {
    /// From a cell outward, or in cell order. Cells are numbered below `len`.
    pub(crate) fn new(from: Option<Cell>, cells: usize, len: usize) -> Self {
        let order = Order { cells: vec![0; cells], place: vec![0; len] };
        let pass = if from.is_some() { Pass::Nearest } else { Pass::Region };
        Self { from, pass, at: 0, nearest: u64::MAX, rings: vec![0], order }
    }

    /// Lays out up to `most` more cells; the sequence when it is done.
    pub(crate) fn work(
        &mut self,
        layout: Layout,
        most: usize,
        number: impl Fn(Cell) -> u32,
    ) -> Option<Sequence> {
        let (extent, lattice) = (layout.extent(), layout.lattice());
        let distance = |cell| self.from.map_or(0, |from| lattice.distance(from, cell));
        let nearest = if self.from.is_some() { self.nearest } else { 0 };
        for cell in extent.iter().skip(self.at).take(most) {
            match self.pass {
                Pass::Nearest => self.nearest = self.nearest.min(distance(cell)),
                Pass::Count => {
                    let ring = (distance(cell) - nearest) as usize;
                    self.rings.resize(self.rings.len().max(ring + 1), 0);
                    self.rings[ring] += 1;
                }
                Pass::Region => {
                    let place = &mut self.rings[(distance(cell) - nearest) as usize];
                    let at = number(cell);
                    self.order.cells[*place as usize] = at;
                    self.order.place[at as usize] = *place;
                    *place += 1;
                }
            }
        }
        self.at = self.at.saturating_add(most);
        if self.at < extent.cells() {
            return None;
        }
        self.at = 0;
        match self.pass {
            Pass::Nearest => self.pass = Pass::Count,
            Pass::Count => {
                let mut all = 0;
                self.rings.iter_mut().for_each(|ring| all += std::mem::replace(ring, all));
                self.pass = Pass::Region;
            }
            Pass::Region => {
                let order = Order { cells: Vec::new(), place: Vec::new() };
                let order = std::mem::replace(&mut self.order, order);
                return Some(Sequence { order: Some(order), cursor: 0 });
            }
        }
        None
    }
}

impl Sequence {
    /// All numbers in rising order.
    pub(crate) fn by_number() -> Self {
        Self { order: None, cursor: 0 }
    }

    /// A cell was opened again.
    #[inline]
    pub(crate) fn reopen(&mut self, at: u32) {
        let place = self.order.as_ref().map_or(at, |order| order.place[at as usize]);
        self.cursor = self.cursor.min(place as usize);
    }

    /// The first open cell; `cells` is one past the largest cell number.
    #[inline]
    pub(crate) fn next_open(
        &mut self,
        cells: usize,
        is_closed: impl Fn(u32) -> bool,
    ) -> Option<u32> {
        let end = self.order.as_ref().map_or(cells, |order| order.cells.len());
        while self.cursor < end {
            let at = match &self.order {
                Some(order) => order.cells[self.cursor],
                None => self.cursor as u32,
            };
            if !is_closed(at) {
                return Some(at);
            }
            self.cursor += 1;
        }
        None
    }
}
