//! Cells in a fixed sequence: the next open one is decided, whatever it may hold.

/// A cursor over a sequence. No cell before the cursor is open.
#[derive(Clone, Debug)]
pub(crate) struct Sequence {
    /// The cells in order and the place of each; `None` when the order is that of their numbers.
    order: Option<Order>,
    cursor: usize,
}

#[derive(Clone, Debug)]
struct Order {
    cells: Vec<u32>,
    place: Vec<u32>,
}

impl Sequence {
    /// All numbers in rising order.
    pub(crate) fn by_number() -> Self {
        Self { order: None, cursor: 0 }
    }

    /// These cells in this order, numbered below `len`.
    pub(crate) fn of(cells: Vec<u32>, len: usize) -> Self {
        let mut place = vec![u32::MAX; len];
        for (number, &at) in cells.iter().enumerate() {
            place[at as usize] = number as u32;
        }
        Self { order: Some(Order { cells, place }), cursor: 0 }
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
