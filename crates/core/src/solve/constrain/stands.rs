//! How each cell stands to all sets at once: two bits a set.

use super::seen::{Seen, Standing};
use std::ops::Range;

/// Sets in one word.
const IN_WORD: usize = 32;
/// The lower bit of each set, which alone means that a cell cannot hold one of it.
const LOWER: u64 = 0x5555_5555_5555_5555;

/// How one cell stands to all sets; never 0.
pub(super) type Packed = u64;

/// How all cells stand to all sets.
#[derive(Clone, Debug)]
pub(super) struct Stands {
    /// Words of a cell.
    each: usize,
    words: Vec<Packed>,
}

impl Stands {
    /// Of cells numbered below `len`, none of which can hold anything.
    pub(super) fn new(len: usize, sets: usize) -> Self {
        let each = sets.div_ceil(IN_WORD).max(1);
        Self { each, words: vec![LOWER; len * each] }
    }

    /// Bytes over so many cells.
    pub(super) fn bytes(len: u64, sets: u64) -> u64 {
        len * 8 * sets.div_ceil(IN_WORD as u64).max(1)
    }

    /// Words of a cell.
    pub(super) const fn each(&self) -> usize {
        self.each
    }

    /// Whether a cell can hold one of a set.
    #[inline]
    pub(super) fn is_can(&self, at: u32, set: usize) -> bool {
        self.words[at as usize * self.each + set / IN_WORD] >> (set % IN_WORD * 2 + 1) & 1 == 1
    }

    /// Of which of so many sets from one on a cell can hold one, a bit each; at most 8.
    #[inline]
    pub(super) fn cans(&self, at: u32, first: usize, many: usize) -> u8 {
        let from = first % IN_WORD;
        if from + many > IN_WORD {
            let can = |set: usize| u8::from(self.is_can(at, first + set)) << set;
            return (0..many).map(can).sum();
        }
        let word = self.words[at as usize * self.each + first / IN_WORD] >> (from * 2 + 1);
        // Brings every other bit together, by halves.
        let mut bits = word & 0x5555;
        for (shift, mask) in [(1, 0x3333), (2, 0x0f0f), (4, 0x00ff)] {
            bits = (bits | bits >> shift) & mask;
        }
        bits as u8 & (u8::MAX >> (8 - many))
    }

    /// Whether a cell must hold one of a set.
    #[inline]
    pub(super) fn is_must(&self, at: u32, set: usize) -> bool {
        self.words[at as usize * self.each + set / IN_WORD] >> (set % IN_WORD * 2) & 3 == 3
    }

    /// How all cells stand to one set. O(cells).
    pub(super) fn seen(&self, set: usize) -> Seen {
        let len = self.words.len() / self.each;
        let mut seen = Seen::new(len);
        for at in 0..len {
            let now = unpacked(self.words[at * self.each + set / IN_WORD], set % IN_WORD);
            if now != Standing::Cannot {
                seen.put(at as u32, now);
            }
        }
        seen
    }

    /// A word of a cell.
    #[inline]
    pub(super) fn word(&self, at: u32, word: usize) -> Packed {
        self.words[at as usize * self.each + word]
    }

    /// Sets the words of cells in a row, where each has one.
    pub(super) fn put_row(&mut self, row: Range<u32>, now: Packed) {
        debug_assert_eq!(self.each, 1);
        self.words[row.start as usize..row.end as usize].fill(now);
    }

    /// Sets a word of a cell; returns what it was.
    #[inline]
    pub(super) fn put(&mut self, at: u32, word: usize, now: Packed) -> Packed {
        std::mem::replace(&mut self.words[at as usize * self.each + word], now)
    }
}

/// Standings to sets, packed into words.
pub(super) fn pack(
    standings: impl Iterator<Item = Standing>,
    words: &mut Vec<Packed>,
    each: usize,
) {
    words.clear();
    words.resize(each, LOWER);
    for (set, standing) in standings.enumerate() {
        let bits = match standing {
            Standing::Cannot => 1,
            Standing::Open => 2,
            Standing::Must => 3,
        };
        let (word, shift) = (set / IN_WORD, set % IN_WORD * 2);
        words[word] = words[word] & !(3 << shift) | bits << shift;
    }
}

/// Marks a set among others, by the lower bit of each.
pub(super) fn mark(words: &mut Vec<u64>, set: usize) {
    if words.len() <= set / IN_WORD {
        words.resize(set / IN_WORD + 1, 0);
    }
    words[set / IN_WORD] |= 1 << (set % IN_WORD * 2);
}

/// How a word says that a cell stands to one of its sets.
#[inline]
pub(super) const fn unpacked(word: Packed, set: usize) -> Standing {
    match word >> (set * 2) & 3 {
        2 => Standing::Open,
        3 => Standing::Must,
        _ => Standing::Cannot,
    }
}

/// The sets of a word whose standing differs: the lower bit of each.
#[inline]
pub(super) const fn differing(before: Packed, now: Packed) -> u64 {
    let differ = before ^ now;
    (differ | differ >> 1) & LOWER
}

/// The sets of a word that a cell could hold one of and cannot any more: the lower bit of each.
#[inline]
pub(super) const fn lost(before: Packed, now: Packed) -> u64 {
    (before & !now) >> 1 & LOWER
}
