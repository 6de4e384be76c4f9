//! Open cells in one bucket a level: the least level is found in a few words, a tie broken in O(1).
//!
//! Cells that were never touched since the run began all have the same domain, and most cells of a
//! large map are of that kind for most of the time. They are not put into buckets but counted as a
//! *pool*, so that starting a run and holding it open costs no more than the cells at work.

use crate::seed::Stream;

/// Not in any bucket: decided, or outside.
const NOWHERE: u8 = 0;

#[derive(Clone, Debug, Default)]
pub(crate) struct Buckets {
    buckets: Vec<Vec<u32>>,
    /// One bit a bucket that is not empty.
    filled: [u64; 4],
    /// The level each cell is at, `NOWHERE` when decided.
    level: Vec<u8>,
    /// The place of each cell in its bucket; `POOLED` in the pool.
    place: Vec<u32>,
    pool: usize,
    pool_level: u8,
    /// No pooled cell has a number below this.
    pool_start: usize,
    open: usize,
}

const POOLED: u32 = u32::MAX;

impl Buckets {
    /// Empties everything, for cells numbered below `len`.
    pub(crate) fn reset(&mut self, len: usize, pool_level: u8) {
        self.buckets.resize_with(256, Vec::new);
        self.buckets.iter_mut().for_each(Vec::clear);
        self.filled = [0; 4];
        self.level.clear();
        self.level.resize(len, NOWHERE);
        self.place.clear();
        self.place.resize(len, 0);
        (self.pool, self.pool_level, self.pool_start) = (0, pool_level, 0);
        self.open = 0;
    }

    /// How many cells are open.
    pub(crate) fn open(&self) -> usize {
        self.open
    }

    /// Adds an untouched cell; cells must come in rising order.
    #[inline]
    pub(crate) fn add_pooled(&mut self, at: u32) {
        self.level[at as usize] = self.pool_level;
        self.place[at as usize] = POOLED;
        self.pool += 1;
        self.open += 1;
    }

    /// Moves a cell to a level; 0 takes it out.
    #[inline]
    pub(crate) fn update(&mut self, at: u32, level: u8) {
        let old = self.level[at as usize];
        if old == level {
            return;
        }
        if old == NOWHERE {
            self.open += 1;
        } else {
            self.take_out(at, old);
        }
        self.level[at as usize] = level;
        if level == NOWHERE {
            self.open -= 1;
        } else {
            let bucket = &mut self.buckets[usize::from(level)];
            self.place[at as usize] = bucket.len() as u32;
            bucket.push(at);
            self.filled[usize::from(level / 64)] |= 1 << (level % 64);
        }
    }

    #[inline]
    fn take_out(&mut self, at: u32, level: u8) {
        let place = self.place[at as usize];
        if place == POOLED {
            self.pool -= 1;
            return;
        }
        let bucket = &mut self.buckets[usize::from(level)];
        bucket.swap_remove(place as usize);
        if let Some(&moved) = bucket.get(place as usize) {
            self.place[moved as usize] = place;
        } else if bucket.is_empty() {
            self.filled[usize::from(level / 64)] &= !(1 << (level % 64));
        }
    }

    /// An open cell of the least level, every one of them as likely; `None` when all are decided.
    #[inline]
    pub(crate) fn choose(&mut self, stream: &mut Stream) -> Option<u32> {
        let word = self.filled.iter().position(|&word| word != 0);
        let least = word.map(|word| (word * 64) as u32 + self.filled[word].trailing_zeros());
        let pool_level = u32::from(self.pool_level);
        if self.pool > 0 && least.is_none_or(|least| pool_level <= least) {
            let rivals = match least {
                Some(least) if least == pool_level => self.buckets[least as usize].len(),
                _ => 0,
            };
            let number = stream.below((self.pool + rivals) as u64) as usize;
            return Some(match number.checked_sub(rivals) {
                Some(_) => self.draw_pooled(stream),
                None => self.buckets[pool_level as usize][number],
            });
        }
        let bucket = &self.buckets[least? as usize];
        let number = if bucket.len() == 1 { 0 } else { stream.below(bucket.len() as u64) };
        Some(bucket[number as usize])
    }

    /// A pooled cell: by a few darts, and when the pool is sparse the first one at or after a dart.
    #[cold]
    fn draw_pooled(&mut self, stream: &mut Stream) -> u32 {
        const DARTS: usize = 32;
        let pooled = |this: &Self, at: usize| {
            this.place[at] == POOLED
                && this.level[at] != NOWHERE
                && this.level[at] == this.pool_level
        };
        for _ in 0..DARTS {
            let at = self.pool_start
                + stream.below((self.place.len() - self.pool_start) as u64) as usize;
            if pooled(self, at) {
                return at as u32;
            }
        }
        // The pool only shrinks, so cells passed over here are never looked at again.
        while !pooled(self, self.pool_start) {
            self.pool_start += 1;
        }
        self.pool_start as u32
    }
}
