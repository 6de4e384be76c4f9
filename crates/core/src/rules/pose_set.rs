//! A set of poses as a row of bits.

use crate::id::{Id, PoseId};

/// A set of poses; all sets of one rule table have the same length.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct PoseSet {
    poses: usize,
    words: Vec<u64>,
}

impl PoseSet {
    /// The empty set of `poses` possible ones.
    pub fn empty(poses: usize) -> Self {
        Self { poses, words: vec![0; poses.div_ceil(64)] }
    }

    /// The set of all `poses`.
    pub fn full(poses: usize) -> Self {
        let mut set = Self { poses, words: vec![u64::MAX; poses.div_ceil(64)] };
        if !poses.is_multiple_of(64)
            && let Some(last) = set.words.last_mut()
        {
            *last = (1 << (poses % 64)) - 1;
        }
        set
    }

    /// The set of those that `keep` accepts.
    pub fn from_fn(poses: usize, mut keep: impl FnMut(PoseId) -> bool) -> Self {
        let mut set = Self::empty(poses);
        for pose in (0..poses).map(PoseId::from_index) {
            if keep(pose) {
                set.insert(pose);
            }
        }
        set
    }

    pub(crate) fn from_words(poses: usize, words: &[u64]) -> Self {
        Self { poses, words: words[..poses.div_ceil(64)].to_vec() }
    }

    /// How many poses there could be.
    pub const fn universe(&self) -> usize {
        self.poses
    }

    /// How many are in the set.
    pub fn len(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    /// Whether none is in the set.
    pub fn is_empty(&self) -> bool {
        self.words.iter().all(|&word| word == 0)
    }

    /// Whether `pose` is in the set.
    pub fn contains(&self, pose: PoseId) -> bool {
        self.words.get(pose.index() / 64).is_some_and(|word| word >> (pose.index() % 64) & 1 == 1)
    }

    /// Adds a pose.
    ///
    /// # Panics
    /// When the pose is out of range.
    pub fn insert(&mut self, pose: PoseId) {
        assert!(pose.index() < self.poses, "{pose:?} of {}", self.poses);
        self.words[pose.index() / 64] |= 1 << (pose.index() % 64);
    }

    /// Takes a pose out.
    pub fn remove(&mut self, pose: PoseId) {
        if let Some(word) = self.words.get_mut(pose.index() / 64) {
            *word &= !(1 << (pose.index() % 64));
        }
    }

    /// Keeps what is in both.
    ///
    /// # Panics
    /// When the sets are of different numbers of poses.
    pub fn intersect(&mut self, other: &Self) {
        assert_eq!(self.poses, other.poses, "sets of different rules");
        for (word, &mask) in self.words.iter_mut().zip(&other.words) {
            *word &= mask;
        }
    }

    /// Takes out what is in the other.
    ///
    /// # Panics
    /// When the sets are of different numbers of poses.
    pub fn subtract(&mut self, other: &Self) {
        assert_eq!(self.poses, other.poses, "sets of different rules");
        for (word, &mask) in self.words.iter_mut().zip(&other.words) {
            *word &= !mask;
        }
    }

    /// Adds what is in the other.
    ///
    /// # Panics
    /// When the sets are of different numbers of poses.
    pub fn unite(&mut self, other: &Self) {
        assert_eq!(self.poses, other.poses, "sets of different rules");
        for (word, &mask) in self.words.iter_mut().zip(&other.words) {
            *word |= mask;
        }
    }

    /// Whether some pose is in both.
    pub(crate) fn meets(&self, other: &Self) -> bool {
        self.words.iter().zip(&other.words).any(|(&a, &b)| a & b != 0)
    }

    /// The poses in order.
    pub fn iter(&self) -> impl Iterator<Item = PoseId> + '_ {
        bits(&self.words).map(PoseId::from_index)
    }

    /// The only pose of the set, if there is just one.
    pub fn single(&self) -> Option<PoseId> {
        let mut poses = self.iter();
        poses.next().filter(|_| poses.next().is_none())
    }

    /// The bits, lowest pose first.
    pub fn words(&self) -> &[u64] {
        &self.words
    }
}

/// The numbers of the set bits, in order.
pub(crate) fn bits(words: &[u64]) -> Bits<'_> {
    Bits { words, next: 0, word: 0 }
}

/// See [`bits`]. Written out, since propagation without tables is little else.
#[derive(Clone, Debug)]
pub(crate) struct Bits<'a> {
    words: &'a [u64],
    /// The word after the one at hand.
    next: usize,
    word: u64,
}

impl Iterator for Bits<'_> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        while self.word == 0 {
            self.word = *self.words.get(self.next)?;
            self.next += 1;
        }
        let bit = self.word.trailing_zeros() as usize;
        self.word &= self.word - 1;
        Some((self.next - 1) * 64 + bit)
    }

    #[inline]
    fn fold<B, F: FnMut(B, usize) -> B>(mut self, first: B, mut each: F) -> B {
        let mut sum = first;
        loop {
            let base = self.next.wrapping_sub(1).wrapping_mul(64);
            while self.word != 0 {
                sum = each(sum, base + self.word.trailing_zeros() as usize);
                self.word &= self.word - 1;
            }
            let Some(&word) = self.words.get(self.next) else { return sum };
            (self.word, self.next) = (word, self.next + 1);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Taken one by one, all at once, or first so and then so: the same numbers.
        #[test]
        fn bits_come_alike_in_every_way(
            words in prop::collection::vec(prop_oneof![Just(0u64), Just(u64::MAX), any::<u64>()], 0..5),
            first in 0usize..200,
        ) {
            let all: Vec<usize> =
                (0..words.len() * 64).filter(|&at| words[at / 64] >> (at % 64) & 1 == 1).collect();
            let mut rest = bits(&words);
            let mut taken: Vec<usize> = rest.by_ref().take(first).collect();
            rest.for_each(|bit| taken.push(bit));
            prop_assert_eq!(&taken, &all);
            prop_assert_eq!(bits(&words).sum::<usize>(), all.iter().sum());
        }
    }
}
