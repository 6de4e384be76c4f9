//! Open cells in one bucket a level: the least level is found in a few words, a tie broken in O(1).
//!
//! Buckets are lazy. A cell is entered when its level changes and never taken out; an entry that no
//! longer tells the truth is dropped when it is drawn. So the queue keeps nothing for each cell,
//! and moving a cell costs one write at the end of a list instead of several somewhere in memory.
//! A bucket that is full is tidied before it grows: what is untrue or said twice goes.
//!
//! Cells that were never touched all have the same domain, and most cells of a large map are of
//! that kind for most of the time. They are not entered at all but counted as a *pool*.

use super::Chosen;
use crate::seed::{Stream, divide};

/// Where a cell stands: its level, or one of these.
pub(crate) type Standing = u16;
/// Decided, or taking no part.
pub(crate) const CLOSED: Standing = 0;

/// Entries drawn at once, at most: some are of cells that stand elsewhere by now.
const DRAWS: usize = 256;

/// Open, with the domain of untouched cells.
pub(crate) const POOLED: Standing = 256;

/// Room of a bucket that is never tidied.
const SMALL: usize = 2048;

#[derive(Clone, Debug)]
pub(crate) struct Buckets {
    buckets: Box<[Bucket; 256]>,
    /// So many entries make each crowded. Apart from the buckets, which a loop has in its hands.
    limits: Box<[usize; 256]>,
    /// One bit a bucket that is not empty, and no other: the unchecked loop takes an entry of any bucket
    /// whose bit is set.
    filled: [u64; 4],
    pool: usize,
    pool_level: u8,
    /// No pooled cell has a number below this.
    pool_start: usize,
    /// One bit a bucket that was full and is to be tidied before the next choice.
    crowded: [u64; 4],
    /// Whether pooled cells are drawn only when there is no other.
    shy_pool: bool,
}

/// Cells entered at one level.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bucket {
    /// Room for entries; the first `len` are some. Never fewer than `len`, which the unchecked loop relies
    /// on; entries are numbers of cells inside the map.
    pub(crate) room: Box<[u32]>,
    pub(crate) len: usize,
}

/// The same queue with its parts at hand, for a loop that keeps them in registers.
pub(crate) struct Hands<'a> {
    pub(crate) buckets: &'a mut [Bucket],
    pub(crate) filled: &'a mut [u64; 4],
    pub(crate) pool: &'a mut usize,
    /// The level at which pooled cells are drawn; 256 when only in need.
    pub(crate) pool_level: usize,
}

impl Default for Buckets {
    fn default() -> Self {
        let mut buckets: Box<[Bucket; 256]> = Box::new(std::array::from_fn(|_| Bucket::default()));
        // Level 0 stays empty, but a loop may write where its next entry would be.
        buckets[0].room = Box::new([0]);
        Self {
            buckets,
            limits: Box::new([SMALL; 256]),
            filled: [0; 4],
            pool: 0,
            pool_level: 0,
            pool_start: 0,
            crowded: [0; 4],
            shy_pool: false,
        }
    }
}

impl Buckets {
    /// Bytes that buckets may keep however few cells there are.
    pub(crate) const LEAST_BYTES: u64 = 255 * SMALL as u64 * 4;

    /// Empties everything. Pooled cells are at `pool_level`, or last of all when `shy_pool`.
    pub(crate) fn reset(&mut self, pool_level: u8, shy_pool: bool) {
        self.shy_pool = shy_pool;
        for bucket in self.buckets.iter_mut() {
            bucket.len = 0;
            // When buckets are tidied must not depend on what was filled before.
            if bucket.room.len() > SMALL {
                bucket.resize(SMALL);
            }
        }
        (self.filled, self.crowded) = ([0; 4], [0; 4]);
        self.limits.fill(SMALL);
        (self.pool, self.pool_level, self.pool_start) = (0, pool_level, 0);
    }

    /// So many cells are pooled from the start.
    pub(crate) fn fill_pool(&mut self, cells: usize) {
        self.pool = cells;
    }

    /// One more cell is pooled.
    #[inline]
    pub(crate) fn join_pool(&mut self, at: u32) {
        self.pool += 1;
        self.pool_start = self.pool_start.min(at as usize);
    }

    /// One pooled cell fewer.
    #[inline]
    pub(crate) fn leave_pool(&mut self) {
        self.pool -= 1;
    }

    /// Enters a cell at a level from 1 up.
    #[inline]
    pub(crate) fn enter(&mut self, at: u32, level: u8) {
        let bucket = &mut self.buckets[usize::from(level)];
        if bucket.is_full() {
            let crowded = u64::from(bucket.len >= self.limits[usize::from(level)]);
            bucket.grow();
            self.crowded[usize::from(level / 64)] |= crowded << (level % 64);
        }
        bucket.room[bucket.len] = at;
        bucket.len += 1;
        debug_assert!(bucket.len <= bucket.room.len());
        self.filled[usize::from(level / 64)] |= 1 << (level % 64);
    }

    /// Makes room at a level where that asks for no tidying; whether it did.
    #[cold]
    pub(crate) fn widen(&mut self, level: u8) -> bool {
        let bucket = &mut self.buckets[usize::from(level)];
        let roomy = bucket.len < self.limits[usize::from(level)];
        if roomy && bucket.is_full() {
            bucket.grow();
        }
        roomy
    }

    /// All entries are true and each is there once, so there is nothing to tidy.
    pub(crate) fn is_tidy(&mut self) {
        for (level, bucket) in self.buckets.iter().enumerate() {
            if self.crowded[level / 64] >> (level % 64) & 1 == 1 {
                self.limits[level] = (bucket.len * 4).max(SMALL);
            }
        }
        self.crowded = [0; 4];
    }

    /// Whether [`tidy`](Self::tidy) has something to do.
    #[inline]
    pub(crate) fn is_crowded(&self) -> bool {
        self.crowded != [0; 4]
    }

    /// Tidies buckets that were full. `keep` moves entries that are true of a level to the front,
    /// and says how many those are.
    #[inline]
    pub(crate) fn tidy(&mut self, keep: impl Fn(&mut [u32], u8) -> usize + Copy) {
        if self.is_crowded() {
            for (level, bucket) in self.buckets.iter_mut().enumerate() {
                let (word, bit) = (level / 64, 1 << (level % 64));
                if self.crowded[word] & bit != 0 {
                    self.limits[level] = bucket.tidy(|entries| keep(entries, level as u8));
                    self.filled[word] &= !(u64::from(bucket.len == 0) << (level % 64));
                }
            }
            self.crowded = [0; 4];
        }
    }

    pub(crate) fn hands(&mut self) -> Hands<'_> {
        let pool_level = if self.shy_pool { 256 } else { usize::from(self.pool_level) };
        let Self { buckets, filled, pool, .. } = self;
        Hands { buckets: &mut buckets[..], filled, pool, pool_level }
    }

    /// Takes out an open cell of the least level, ties broken by the stream, with random bits to pick
    /// its pose by; `None` when all are closed. `cells` is one past the largest cell number.
    ///
    /// One random number serves both: the bits are what choosing the cell left of it.
    #[inline]
    pub(crate) fn choose(
        &mut self,
        stream: &mut Stream,
        cells: usize,
        standing: impl Fn(u32) -> Standing,
    ) -> Chosen {
        for _ in 0..DRAWS {
            let word = self.filled.iter().position(|&word| word != 0);
            let least = word.map(|word| (word * 64) as u32 + self.filled[word].trailing_zeros());
            let pool_level = u32::from(self.pool_level);
            if self.pool > 0 && least.is_none_or(|least| !self.shy_pool && pool_level <= least) {
                let rivals = match least {
                    Some(least) if least == pool_level => self.buckets[least as usize].len,
                    _ => 0,
                };
                let number = stream.below((self.pool + rivals) as u64) as usize;
                if number >= rivals {
                    let at = self.draw_pooled(stream, cells, standing);
                    return Chosen::Cell(at, stream.bits());
                }
            }
            let Some(level) = least else { return Chosen::None };
            let bucket = &mut self.buckets[level as usize];
            let (number, rest) = divide(stream.bits(), bucket.len as u64);
            let at = bucket.room[number as usize];
            bucket.len -= 1;
            bucket.room[number as usize] = bucket.room[bucket.len];
            self.filled[level as usize / 64] ^= u64::from(bucket.len == 0) << (level % 64);
            if u32::from(standing(at)) == level {
                return Chosen::Cell(at, rest);
            }
        }
        Chosen::Later
    }

    /// A pooled cell: by a few darts, and when the pool is sparse the first one there is.
    #[cold]
    fn draw_pooled(
        &mut self,
        stream: &mut Stream,
        cells: usize,
        standing: impl Fn(u32) -> Standing,
    ) -> u32 {
        const DARTS: usize = 32;
        for _ in 0..DARTS {
            let at = self.pool_start + stream.below((cells - self.pool_start) as u64) as usize;
            if standing(at as u32) == POOLED {
                return at as u32;
            }
        }
        // Cells passed over here are not looked at again unless one rejoins the pool.
        while standing(self.pool_start as u32) != POOLED {
            self.pool_start += 1;
        }
        self.pool_start as u32
    }
}

/// Moves the entries of which something is true to the front; how many those are.
pub(crate) fn keep(entries: &mut [u32], is_true: impl Fn(u32) -> bool) -> usize {
    let mut kept = 0;
    for entry in 0..entries.len() {
        let at = entries[entry];
        entries[kept] = at;
        kept += usize::from(is_true(at));
    }
    kept
}

impl Bucket {
    #[inline]
    pub(crate) fn is_full(&self) -> bool {
        self.len == self.room.len()
    }

    /// Makes room.
    #[cold]
    fn grow(&mut self) {
        self.resize((self.len * 2).max(64));
    }

    fn resize(&mut self, room: usize) {
        let mut entries = std::mem::take(&mut self.room).into_vec();
        entries.resize(room, 0);
        self.room = entries.into_boxed_slice();
    }

    /// How many entries make it crowded next.
    #[cold]
    fn tidy(&mut self, keep: impl Fn(&mut [u32]) -> usize) -> usize {
        let before = self.len;
        let kept = keep(&mut self.room[..before]);
        self.len = kept;
        // Mostly untrue entries are what filled it; else it may be the same cell many times.
        if kept > before / 4 * 3 {
            let mut entries = std::mem::take(&mut self.room).into_vec();
            entries.truncate(kept);
            entries.sort_unstable();
            entries.dedup();
            self.len = entries.len();
            self.room = entries.into_boxed_slice();
        }
        let limit = (self.len * 4).max(SMALL);
        self.resize(limit);
        limit
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::seed::Seed;
    use proptest::prelude::*;

    const CELLS: usize = 40;
    const COMMON: u8 = 9;

    /// What a search would do to its cells: change a level, or set a cell back to the common one.
    #[derive(Clone, Copy, Debug)]
    enum Step {
        Move(usize, u8),
        Restore(usize),
        Choose,
    }

    fn steps() -> impl Strategy<Value = Vec<Step>> {
        let step = prop_oneof![
            3 => (0..CELLS, 0u8..30).prop_map(|(at, level)| Step::Move(at, level)),
            1 => (0..CELLS).prop_map(Step::Restore),
            2 => Just(Step::Choose),
        ];
        prop::collection::vec(step, 0..300)
    }

    proptest! {
        /// Against a plain table: the chosen cell is open, and none is at a lesser level.
        #[test]
        fn the_least_open_cell_is_chosen(steps in steps(), shy: bool, tidy: bool) {
            // 255 represents the common domain, which is pooled.
            let mut model = [255u8; CELLS];
            let mut stream = Seed::from_number(1).stream(&["buckets"]);
            let mut buckets = Buckets::default();
            buckets.reset(COMMON, shy);
            buckets.fill_pool(CELLS);
            for step in steps {
                let stand = |model: &[u8; CELLS], at: u32| match model[at as usize] {
                    255 => POOLED,
                    level => Standing::from(level),
                };
                match step {
                    Step::Move(at, level) => {
                        if model[at] == 255 {
                            buckets.leave_pool();
                        }
                        if level > 0 {
                            buckets.enter(at as u32, level);
                        }
                        model[at] = level;
                    }
                    Step::Restore(at) if model[at] != 255 => {
                        buckets.join_pool(at as u32);
                        model[at] = 255;
                    }
                    Step::Restore(_) => {}
                    Step::Choose => {
                        if tidy {
                            buckets.crowded = [u64::MAX; 4];
                        }
                        buckets.tidy(|entries, level| {
                            keep(entries, |at| stand(&model, at) == Standing::from(level))
                        });
                        let chosen = loop {
                            match buckets.choose(&mut stream, CELLS, |at| stand(&model, at)) {
                                Chosen::Later => {}
                                Chosen::Cell(at, _) => break Some(at),
                                Chosen::None => break None,
                            }
                        };
                        let rank = |level: u8| match level {
                            255 if shy => 256,
                            255 => u32::from(COMMON),
                            level => u32::from(level),
                        };
                        let least = model.iter().filter(|&&l| l > 0).map(|&l| rank(l)).min();
                        prop_assert_eq!(chosen.map(|at| rank(model[at as usize])), least);
                        if let Some(at) = chosen {
                            if model[at as usize] == 255 {
                                buckets.leave_pool();
                            }
                            model[at as usize] = 0;
                        }
                    }
                }
            }
        }
    }

    /// When lists are tidied is part of what decides a map, so it must not depend on earlier ones.
    #[test]
    fn used_buckets_are_crowded_as_fresh_ones() {
        let until_crowded = |buckets: &mut Buckets| {
            buckets.reset(COMMON, false);
            (0..u32::MAX).find(|&at| {
                buckets.enter(at, 3);
                buckets.is_crowded()
            })
        };
        let (mut used, mut fresh) = (Buckets::default(), Buckets::default());
        until_crowded(&mut used);
        (0..SMALL as u32).for_each(|at| used.enter(at, 3));
        used.tidy(|entries, level| if level == 3 { entries.len() } else { 0 });
        assert_eq!(until_crowded(&mut used), until_crowded(&mut fresh));
    }

    /// Ties are broken evenly: of many cells at one level each comes first about as often, and what
    /// is left of the random number is spread evenly whichever came.
    #[test]
    fn ties_are_even() {
        let mut firsts = [[0; 4]; 7];
        let mut stream = Seed::from_number(2).stream(&["ties"]);
        for _ in 0..7000 {
            let mut buckets = Buckets::default();
            buckets.reset(COMMON, false);
            for at in 0..7 {
                buckets.enter(at, 3);
            }
            let Chosen::Cell(at, bits) = buckets.choose(&mut stream, 7, |_| 3) else { panic!() };
            firsts[at as usize][(bits >> 62) as usize] += 1;
        }
        // 250 each, and four and a half times the square root of that.
        let all = firsts.as_flattened();
        assert!(all.iter().all(|&n| (180..320).contains(&n)), "{firsts:?}");
    }
}
