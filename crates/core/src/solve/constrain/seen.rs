//! What a rule sees of each cell: whether it can, and whether it must, hold one of a set of poses.

use crate::rules::PoseSet;
use std::ops::Range;

/// Cells in a block, of which it is known how many are open.
const BLOCK: usize = 4096;

/// How one cell stands to a set of poses.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::solve) enum Standing {
    /// It holds none of them.
    Cannot,
    /// It may hold one of them, or another.
    Open,
    /// Whatever it will hold is one of them.
    Must,
}

impl Standing {
    /// How a cell stands that may hold the poses of these words.
    pub(in crate::solve) fn of(words: &[u64], set: &PoseSet) -> Self {
        let (mut within, mut without) = (false, false);
        for (&word, &set) in words.iter().zip(set.words()) {
            within |= word & set != 0;
            without |= word & !set != 0;
        }
        match (within, without) {
            (false, _) => Self::Cannot,
            (true, true) => Self::Open,
            (true, false) => Self::Must,
        }
    }
}

/// How all cells stand to one set of poses.
#[derive(Clone, Debug)]
pub(crate) struct Seen {
    /// Cells that can and need not.
    open: Vec<u64>,
    must: Vec<u64>,
    /// How many are open in each block.
    blocks: Vec<u32>,
    opens: u64,
    musts: u64,
}

impl Seen {
    /// Of cells numbered below `len`, none of which can.
    pub(in crate::solve) fn new(len: usize) -> Self {
        let words = len.div_ceil(64);
        Self {
            open: vec![0; words],
            must: vec![0; words],
            blocks: vec![0; len.div_ceil(BLOCK)],
            opens: 0,
            musts: 0,
        }
    }

    /// Bytes over so many cells.
    pub(super) const fn bytes(len: u64) -> u64 {
        len / 4 + len / 1024 + 64
    }

    /// How many cells must hold one.
    pub(crate) const fn must(&self) -> u64 {
        self.musts
    }

    /// How many cells can hold one, those that must among them.
    pub(crate) const fn can(&self) -> u64 {
        self.musts + self.opens
    }

    /// Whether a cell can hold one.
    pub(in crate::solve) fn is_can(&self, at: u32) -> bool {
        let word = at as usize / 64;
        (self.open[word] | self.must[word]) >> (at % 64) & 1 == 1
    }

    /// Whether a cell must hold one.
    pub(super) fn is_must(&self, at: u32) -> bool {
        self.must[at as usize / 64] >> (at % 64) & 1 == 1
    }

    /// All cells that can, in rising order. O(cells / 64), and one a cell that can.
    pub(super) fn cans(&self) -> impl Iterator<Item = u32> + '_ {
        let words = self.open.iter().zip(&self.must).map(|(open, must)| open | must);
        (0_u32..).zip(words).flat_map(|(word, bits)| {
            std::iter::successors(Some(bits).filter(|&bits| bits != 0), |bits| {
                Some(bits & (bits - 1)).filter(|&bits| bits != 0)
            })
            .map(move |bits| word * 64 + bits.trailing_zeros())
        })
    }

    /// Sets how a cell stands now.
    pub(in crate::solve) fn put(&mut self, at: u32, now: Standing) {
        let (word, bit) = (at as usize / 64, 1 << (at % 64));
        let (open, must) = (now == Standing::Open, now == Standing::Must);
        if (self.open[word] & bit != 0) != open {
            self.open[word] ^= bit;
            let block = &mut self.blocks[at as usize / BLOCK];
            if open {
                (*block, self.opens) = (*block + 1, self.opens + 1);
            } else {
                (*block, self.opens) = (*block - 1, self.opens - 1);
            }
        }
        if (self.must[word] & bit != 0) != must {
            self.must[word] ^= bit;
            self.musts = if must { self.musts + 1 } else { self.musts - 1 };
        }
    }

    /// Sets how many cells in a row stand now, which all stood alike. O(cells / 64).
    pub(in crate::solve) fn put_row(&mut self, row: Range<u32>, was: Standing, now: Standing) {
        let (mut at, end) = (row.start as usize, row.end as usize);
        while at < end {
            let to = (at / 64 * 64 + 64).min(end);
            let (word, many) = (at / 64, (to - at) as u64);
            let bits = (u64::MAX >> (64 - many)) << (at % 64);
            let block = &mut self.blocks[at / BLOCK];
            match was {
                Standing::Cannot => {}
                Standing::Open => {
                    self.open[word] &= !bits;
                    (*block, self.opens) = (*block - many as u32, self.opens - many);
                }
                Standing::Must => {
                    self.must[word] &= !bits;
                    self.musts -= many;
                }
            }
            match now {
                Standing::Cannot => {}
                Standing::Open => {
                    self.open[word] |= bits;
                    (*block, self.opens) = (*block + many as u32, self.opens + many);
                }
                Standing::Must => {
                    self.must[word] |= bits;
                    self.musts += many;
                }
            }
            at = to;
        }
    }

    /// The first open cell from one on. O(cells / 4096).
    pub(super) fn next_open(&self, from: u32) -> Option<u32> {
        let from = from as usize;
        let mut word = from / 64;
        let mut left = *self.open.get(word)? & (u64::MAX << (from % 64));
        while left == 0 {
            word += 1;
            while word.is_multiple_of(BLOCK / 64) && *self.blocks.get(word / (BLOCK / 64))? == 0 {
                word += BLOCK / 64;
            }
            left = *self.open.get(word)?;
        }
        Some((word * 64) as u32 + left.trailing_zeros())
    }

    /// The open cell of that number among them. O(cells / 4096).
    pub(super) fn nth_open(&self, mut number: u64) -> Option<u32> {
        let mut block = 0;
        while u64::from(*self.blocks.get(block)?) <= number {
            number -= u64::from(self.blocks[block]);
            block += 1;
        }
        let first = block * BLOCK / 64;
        for word in first.. {
            let mut left = *self.open.get(word)?;
            let here = u64::from(left.count_ones());
            if here > number {
                (0..number).for_each(|_| left &= left - 1);
                return Some((word * 64) as u32 + left.trailing_zeros());
            }
            number -= here;
        }
        None
    }

    /// How many are open.
    pub(in crate::solve) const fn opens(&self) -> u64 {
        self.opens
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Against a list of standings, over several blocks.
        #[test]
        fn cells_are_found_as_in_a_list(
            rows in prop::collection::vec((0u32..9000, 0u32..300, 0usize..3), 0..9),
            steps in prop::collection::vec((0u32..9000, 0usize..3), 1..120), from in 0u32..9000, number in 0u64..90,
        ) {
            const ALL: [Standing; 3] = [Standing::Cannot, Standing::Open, Standing::Must];
            let (mut seen, mut list) = (Seen::new(9000), vec![Standing::Cannot; 9000]);
            for (from, many, now) in rows {
                // As far as all stand alike.
                let was = list[from as usize];
                let alike = list[from as usize..].iter().take_while(|&&one| one == was).count() as u32;
                let row = from..from + many.min(alike);
                list[row.start as usize..row.end as usize].fill(ALL[now]);
                seen.put_row(row, was, ALL[now]);
            }
            for (at, now) in steps {
                seen.put(at, ALL[now]);
                list[at as usize] = ALL[now];
            }
            let open: Vec<u32> =
                (0..9000).filter(|&at| list[at as usize] == Standing::Open).collect();
            let must = list.iter().filter(|one| **one == Standing::Must).count() as u64;
            prop_assert_eq!((seen.must(), seen.can(), seen.opens()), (must, must + open.len() as u64, open.len() as u64));
            prop_assert_eq!(seen.next_open(from), open.iter().copied().find(|&at| at >= from));
            prop_assert_eq!(seen.nth_open(number), open.get(number as usize).copied());
        }
    }
}
