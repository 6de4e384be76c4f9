//! Pose sets as so many words, without a branch on any of them.

/// A set as so many words; words past its own are empty.
pub(super) fn wide<const W: usize>(words: &[u64]) -> [u64; W] {
    let mut all = [0; W];
    all[..words.len()].copy_from_slice(words);
    all
}

/// What one set has and another has not.
#[inline]
pub(super) fn without<const W: usize>(one: &[u64; W], other: &[u64; W]) -> [u64; W] {
    std::array::from_fn(|word| one[word] & !other[word])
}

/// Takes from a set what another has.
#[inline]
pub(super) fn subtract<const W: usize>(set: &mut [u64; W], other: &[u64; W]) {
    set.iter_mut().zip(other).for_each(|(word, other)| *word &= !other);
}

/// Leaves only what a mask has.
#[inline]
pub(super) fn cut<const W: usize>(set: &mut [u64; W], mask: &[u64; W]) {
    set.iter_mut().zip(mask).for_each(|(word, mask)| *word &= mask);
}

/// Adds what another set has.
#[inline]
pub(super) fn unite<const W: usize>(set: &mut [u64; W], other: &[u64; W]) {
    set.iter_mut().zip(other).for_each(|(word, other)| *word |= other);
}

/// Whether two sets have anything in common.
#[inline]
pub(super) fn meets<const W: usize>(one: &[u64; W], other: &[u64; W]) -> bool {
    one.iter().zip(other).fold(0, |any, (a, b)| any | (a & b)) != 0
}

/// Whether two sets are the same.
#[inline]
pub(super) fn same<const W: usize>(one: &[u64; W], other: &[u64; W]) -> bool {
    one.iter().zip(other).fold(0, |any, (a, b)| any | (a ^ b)) == 0
}

/// Whether a set is empty.
#[inline]
pub(super) fn is_empty<const W: usize>(set: &[u64; W]) -> bool {
    set.iter().fold(0, |any, word| any | word) == 0
}

/// How many poses a set has.
#[inline]
pub(super) fn count<const W: usize>(set: &[u64; W]) -> u32 {
    set.iter().map(|word| word.count_ones()).sum()
}
