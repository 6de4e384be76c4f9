//! A table that a loop reaches into without asking whether it may.
//!
//! Debug builds, and so all tests, check every index all the same, and
//! [`Job::checked`](crate::solve::Job::checked) runs the loop with them checked.

use std::ops::{Deref, DerefMut, Index, IndexMut};

/// A slice whose indices are checked, or known to be in range.
pub(super) struct Table<S, const CHECKED: bool>(S);

impl<S, const CHECKED: bool> Table<S, CHECKED> {
    /// The table over a slice.
    ///
    /// # Safety
    /// Unless `CHECKED`, every index that it is asked for must be in range.
    #[inline(always)]
    pub(super) unsafe fn new(slice: S) -> Self {
        Self(slice)
    }
}

impl<T, S: Deref<Target = [T]>, const CHECKED: bool> Table<S, CHECKED> {
    /// Asks for an entry to be at hand soon; it need not exist.
    #[inline(always)]
    pub(super) fn foresee(&self, at: usize) {
        #[cfg(target_arch = "x86_64")]
        {
            use std::arch::x86_64::{_MM_HINT_T0, _mm_prefetch};
            // SAFETY: any address may be asked for; nothing is read.
            unsafe { _mm_prefetch::<_MM_HINT_T0>(self.0.as_ptr().wrapping_add(at).cast()) };
        }
        #[cfg(not(target_arch = "x86_64"))]
        let _ = at;
    }
}

impl<T, S: Deref<Target = [T]>, const CHECKED: bool> Index<usize> for Table<S, CHECKED> {
    type Output = T;

    #[inline(always)]
    fn index(&self, at: usize) -> &T {
        debug_assert!(at < self.0.len(), "{at} of {}", self.0.len());
        // SAFETY: that it is in range was promised to `new`.
        if CHECKED { &self.0[at] } else { unsafe { self.0.get_unchecked(at) } }
    }
}

impl<T, S: DerefMut<Target = [T]>, const CHECKED: bool> IndexMut<usize> for Table<S, CHECKED> {
    #[inline(always)]
    fn index_mut(&mut self, at: usize) -> &mut T {
        debug_assert!(at < self.0.len(), "{at} of {}", self.0.len());
        // SAFETY: that it is in range was promised to `new`.
        if CHECKED { &mut self.0[at] } else { unsafe { self.0.get_unchecked_mut(at) } }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Reads and writes as a slice does; what lies outside never passes a debug build.
    #[rstest]
    #[case(4)]
    #[should_panic(expected = "5 of 5")]
    #[case(5)]
    fn a_table_is_a_slice(#[case] at: usize) {
        fn swapped<const CHECKED: bool>(at: usize) -> [u8; 5] {
            let mut slice = [1, 2, 3, 4, 5];
            // SAFETY: a debug build checks every index.
            let mut table = unsafe { Table::<_, CHECKED>::new(&mut slice[..]) };
            (table[at], table[0]) = (table[0], table[at]);
            slice
        }
        assert_eq!((swapped::<true>(at), swapped::<false>(at)), ([5, 2, 3, 4, 1], [5, 2, 3, 4, 1]));
    }
}
