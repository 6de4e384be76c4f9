//! The undo window: the newest changes in a ring, older ones forgotten.
//!
//! The ring is the worklist of propagation as well: changes not yet propagated are its tail. It
//! grows only while one decision changes more cells than it holds.

/// One change: which cell, what it held before, and from which side it was restricted.
///
/// The neighbour on that side need not be told: what was taken away had no partner there, so it was
/// nobody's partner there (Mackworth 1977, AC-3).
#[derive(Clone, Copy, Debug)]
pub(super) struct Change<D> {
    pub(super) at: u32,
    pub(super) before: D,
    /// The number of a side, or [`NO_SIDE`].
    pub(super) from: u8,
}

/// The change came from no neighbour: a decision, or one taken back.
pub(super) const NO_SIDE: u8 = 8;

#[derive(Clone, Debug)]
pub(super) struct Trail<D> {
    ring: Vec<Change<D>>,
    mask: usize,
    start: usize,
    end: usize,
}

impl<D: Copy> Trail<D> {
    /// An empty trail; `blank` fills unused places.
    pub(super) fn new(capacity: usize, blank: D) -> Self {
        let capacity = capacity.next_power_of_two().max(16);
        Self {
            ring: vec![Change { at: 0, before: blank, from: NO_SIDE }; capacity],
            mask: capacity - 1,
            start: 0,
            end: 0,
        }
    }

    pub(super) fn clear(&mut self) {
        (self.start, self.end) = (0, 0);
    }

    pub(super) fn len(&self) -> usize {
        self.end - self.start
    }

    /// One past the newest change; positions only ever grow, except by [`pop`](Self::pop).
    pub(super) fn end(&self) -> usize {
        self.end
    }

    #[inline]
    pub(super) fn get(&self, position: usize) -> Change<D> {
        self.ring[position & self.mask]
    }

    #[inline]
    pub(super) fn push(&mut self, at: u32, before: D, from: u8) {
        if self.end - self.start > self.mask {
            self.grow();
        }
        let slot = self.end & self.mask;
        self.ring[slot] = Change { at, before, from };
        self.end += 1;
    }

    #[cold]
    fn grow(&mut self) {
        let mut ring = Vec::with_capacity(self.ring.len() * 2);
        ring.resize(self.ring.len() * 2, self.ring[0]);
        let mask = ring.len() - 1;
        for position in self.start..self.end {
            ring[position & mask] = self.ring[position & self.mask];
        }
        (self.ring, self.mask) = (ring, mask);
    }

    pub(super) fn pop(&mut self) -> Option<Change<D>> {
        (self.end > self.start).then(|| {
            self.end -= 1;
            self.get(self.end)
        })
    }

    /// Forgets everything before `position`.
    pub(super) fn forget(&mut self, position: usize) {
        self.start = position.clamp(self.start, self.end);
    }

    /// The same trail with its domains told in another way.
    pub(super) fn map<E: Copy>(&self, blank: E, mut tell: impl FnMut(D) -> E) -> Trail<E> {
        let mut other = Trail::new(self.ring.len(), blank);
        (other.start, other.end) = (self.start, self.start);
        for position in self.start..self.end {
            let change = self.get(position);
            other.push(change.at, tell(change.before), change.from);
        }
        other
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn behaves_as_a_deque(steps in prop::collection::vec(0u8..8, 0..400)) {
            let mut trail = Trail::new(16, 0u16);
            let mut model = std::collections::VecDeque::new();
            let mut first = 0;
            for (number, step) in steps.into_iter().enumerate() {
                match step {
                    0 => prop_assert_eq!(trail.pop().map(|c| c.at), model.pop_back()),
                    1 if !model.is_empty() => {
                        first += 1;
                        trail.forget(first);
                        model.pop_front();
                    }
                    _ => {
                        trail.push(number as u32, number as u16, NO_SIDE);
                        model.push_back(number as u32);
                    }
                }
                prop_assert_eq!(trail.len(), model.len());
            }
            for (offset, at) in model.iter().enumerate() {
                prop_assert_eq!(trail.get(first + offset).at, *at);
            }
        }
    }
}
