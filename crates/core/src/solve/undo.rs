//! The undo window: the newest changes in a ring, older ones forgotten.
//!
//! The ring is the worklist of propagation as well: changes not yet propagated are its tail. It
//! grows only while one decision changes more cells than it holds.

/// One change: which cell, what it held before, and which neighbours it concerns.
#[derive(Clone, Copy, Debug)]
pub(super) struct Change<D> {
    pub(super) at: u32,
    pub(super) before: D,
    /// A bit a side beyond which the change leaves less than before; and [`MADE`].
    ///
    /// The side that a restriction came from is left out: what was taken away had no partner there,
    /// so it was nobody's partner there (Mackworth 1977, AC-3).
    pub(super) news: u8,
}

/// The change is a decision, to which all up to the next one belong.
pub(super) const MADE: u8 = 1 << 7;

/// Places of the smallest ring.
const LEAST: usize = 1024;

/// Places past the ring's end, for a loop that writes straight on and carries over later.
pub(super) const SPARE: usize = 512;

#[derive(Clone, Debug)]
pub(super) struct Trail<D> {
    /// A power of two of places, and [`SPARE`]. The unchecked loop writes so many past any end; it relies on
    /// the length and on cells of changes lying inside the map.
    ring: Vec<Change<D>>,
    mask: usize,
    start: usize,
    end: usize,
}

/// The same ring with its places at hand, for a loop that keeps them in registers.
pub(super) struct Hands<'a, D> {
    /// With its spare places.
    pub(super) ring: &'a mut [Change<D>],
    pub(super) mask: usize,
    pub(super) start: usize,
    pub(super) end: usize,
}

impl<D: Copy> Hands<'_, D> {
    /// Carries over what was written past the ring's end, so far as `slot`; where to write on.
    pub(super) fn carry(&mut self, slot: usize) -> usize {
        let length = self.mask + 1;
        if slot < length {
            return slot;
        }
        self.ring.copy_within(length..slot, 0);
        slot - length
    }

    /// As [`Trail::cut`].
    #[cold]
    pub(super) fn cut(&mut self, window: usize) -> bool {
        let is_made = |&position: &usize| self.ring[position & self.mask].news & MADE != 0;
        let Some(last) = (self.start..self.end).rev().find(is_made) else {
            self.start = self.end;
            return false;
        };
        let fits = self.end.saturating_sub(window).max(self.start);
        let first = (fits..last).find(is_made).unwrap_or(last);
        // Mostly the oldest is one, so this is soon told.
        let gone = (self.start..first).any(|position| is_made(&position));
        self.start = first;
        gone
    }
}

impl<D: Copy> Trail<D> {
    /// An empty trail; `blank` fills unused places.
    pub(super) fn new(capacity: usize, blank: D) -> Self {
        let capacity = capacity.next_power_of_two().max(LEAST);
        Self {
            ring: vec![Change { at: 0, before: blank, news: 0 }; capacity + SPARE],
            mask: capacity - 1,
            start: 0,
            end: 0,
        }
    }

    pub(super) fn clear(&mut self) {
        (self.start, self.end) = (0, 0);
    }

    /// Forgets everything; positions continue from where they were.
    pub(super) fn forget(&mut self) {
        self.start = self.end;
    }

    /// Where the newest decision is.
    pub(super) fn newest_made(&self) -> Option<usize> {
        (self.start..self.end).rev().find(|&position| self.get(position).news & MADE != 0)
    }

    pub(super) fn hands(&mut self) -> Hands<'_, D> {
        Hands { ring: &mut self.ring, mask: self.mask, start: self.start, end: self.end }
    }

    /// The places as a loop left them.
    pub(super) fn put_back(&mut self, start: usize, end: usize) {
        (self.start, self.end) = (start, end);
    }

    /// Forgets whole decisions, oldest first, until at most `window` changes or one decision is
    /// left. Changes that belong to no decision go at once. Says whether a decision went.
    pub(super) fn cut(&mut self, window: usize) -> bool {
        let mut hands = self.hands();
        let gone = hands.cut(window);
        self.start = hands.start;
        gone
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
    pub(super) fn push(&mut self, at: u32, before: D, news: u8) {
        // So many places are left free that a loop finds room for a whole decision.
        if self.end - self.start > self.mask - SPARE {
            self.resize((self.mask + 1) * 2);
        }
        debug_assert_eq!(self.ring.len(), self.mask + 1 + SPARE);
        let slot = self.end & self.mask;
        self.ring[slot] = Change { at, before, news };
        self.end += 1;
    }

    /// Makes room for so many more changes at once.
    pub(super) fn reserve(&mut self, more: usize) {
        let places = (self.len() + more + SPARE + 1).next_power_of_two();
        if places > self.mask + 1 {
            self.resize(places);
        }
    }

    /// Gives back room that one large change took: a small ring stays in the processor's memory.
    pub(super) fn trim(&mut self, window: usize) {
        let places = (2 * window.max(self.len()) + 2 * SPARE).max(LEAST).next_power_of_two();
        if places < self.mask + 1 {
            self.resize(places);
        }
    }

    #[cold]
    fn resize(&mut self, places: usize) {
        let mask = places - 1;
        let mut ring = vec![self.ring[0]; places + SPARE];
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

    /// An empty trail of other domains, of the same size, that begins where this one does.
    pub(super) fn empty_from_here<E: Copy>(&self, blank: E) -> Trail<E> {
        let other = Trail::new(self.mask + 1, blank);
        Trail { start: self.start, end: self.start, ..other }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Against a plain deque of changes, each with whether it is a decision.
        #[test]
        fn behaves_as_a_deque(steps in prop::collection::vec(0u8..9, 0..1500), window in 0usize..900) {
            let mut trail = Trail::new(16, 0u16);
            let mut model = std::collections::VecDeque::new();
            for (number, step) in steps.into_iter().enumerate() {
                match step {
                    0 => prop_assert_eq!(trail.pop().map(|c| c.at), model.pop_back().map(|c: (u32, bool)| c.0)),
                    1 => {
                        let made = |model: &std::collections::VecDeque<(u32, bool)>| {
                            model.iter().filter(|change| change.1).count()
                        };
                        let before = made(&model);
                        if before == 0 {
                            model.clear();
                        }
                        // What lies before the first decision belongs to none and goes as well.
                        while model.len() > window && made(&model) > 1
                            || model.front().is_some_and(|change| !change.1)
                        {
                            model.pop_front();
                        }
                        prop_assert_eq!(trail.cut(window), made(&model) < before);
                    }
                    2 if number % 3 == 0 => trail.reserve(number * 7),
                    2 if number % 3 == 1 => trail.trim(window),
                    _ => {
                        let news = if step < 4 { MADE } else { 5 };
                        trail.push(number as u32, number as u16, news);
                        model.push_back((number as u32, step < 4));
                    }
                }
                prop_assert_eq!(trail.len(), model.len());
                prop_assert!(trail.len() <= trail.hands().mask + 1 - SPARE);
                let newest = model.iter().rposition(|change| change.1);
                prop_assert_eq!(trail.newest_made(), newest.map(|at| at + trail.end() - trail.len()));
            }
            let first = trail.end() - trail.len();
            for (offset, (at, _)) in model.iter().enumerate() {
                prop_assert_eq!(trail.get(first + offset).at, *at);
            }
        }

        /// What a loop writes straight on is what would have been pushed, lap after lap.
        #[test]
        fn what_is_carried_over_lies_where_it_was_pushed(lengths in prop::collection::vec(0..SPARE, 1..12)) {
            let (mut straight, mut pushed) = (Trail::new(16, 0u16), Trail::new(16, 0u16));
            for (number, length) in lengths.into_iter().enumerate() {
                // The window is full at most.
                for trail in [&mut straight, &mut pushed] {
                    trail.cut(300);
                }
                let mut hands = straight.hands();
                let (start, end) = (hands.start, hands.end);
                let first = end & hands.mask;
                for offset in 0..length {
                    let news = if offset % 7 == 0 { MADE } else { number as u8 };
                    let change = Change { at: offset as u32, before: number as u16, news };
                    hands.ring[first + offset] = change;
                    pushed.push(change.at, change.before, change.news);
                }
                let next = hands.carry(first + length);
                prop_assert_eq!(next, (end + length) & hands.mask);
                straight.put_back(start, end + length);
                prop_assert_eq!((straight.len(), straight.end()), (pushed.len(), pushed.end()));
                for position in straight.end() - straight.len()..straight.end() {
                    let [a, b] = [&straight, &pushed].map(|trail| trail.get(position));
                    prop_assert_eq!((a.at, a.before, a.news), (b.at, b.before, b.news));
                }
            }
        }
    }
}
