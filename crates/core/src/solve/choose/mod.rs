//! Which open cell is decided next.
//!
//! [`Buckets`] rank cells by level; a [`Sequence`] takes them in a fixed order. To add an order,
//! give it a variant of [`Order`](super::Order), a ranking or a sequence in `search`, and a row in
//! the tables of `tests/engines.rs` and `tests/orders.rs`.

mod buckets;
mod sequence;

pub(super) use buckets::{Bucket, Buckets, CLOSED, Hands, POOLED, Standing, keep};
pub(super) use sequence::Sequence;

use crate::seed::Stream;

/// The open cells of a search.
#[derive(Clone, Debug)]
pub(super) enum Queue {
    Levels(Buckets),
    Fixed(Sequence),
}

impl Queue {
    /// So many cells are pooled from the start.
    pub(super) fn fill_pool(&mut self, cells: usize) {
        if let Self::Levels(buckets) = self {
            buckets.fill_pool(cells);
        }
    }

    /// One more cell is pooled.
    #[inline]
    pub(super) fn join_pool(&mut self, at: u32) {
        match self {
            Self::Levels(buckets) => buckets.join_pool(at),
            Self::Fixed(sequence) => sequence.reopen(at),
        }
    }

    /// One pooled cell fewer.
    #[inline]
    pub(super) fn leave_pool(&mut self) {
        if let Self::Levels(buckets) = self {
            buckets.leave_pool();
        }
    }

    /// Enters a cell at a level from 1 up.
    #[inline]
    pub(super) fn enter(&mut self, at: u32, level: u8) {
        match self {
            Self::Levels(buckets) => buckets.enter(at, level),
            Self::Fixed(sequence) => sequence.reopen(at),
        }
    }

    /// Whether something is to be tidied before the next choice.
    #[inline]
    pub(super) fn is_crowded(&self) -> bool {
        matches!(self, Self::Levels(buckets) if buckets.is_crowded())
    }

    /// Takes out the open cell to decide, with random bits to pick its pose by; `None` when all are
    /// closed.
    #[inline]
    pub(super) fn choose(
        &mut self,
        stream: &mut Stream,
        cells: usize,
        standing: impl Fn(u32) -> Standing + Copy,
    ) -> Option<(u32, u64)> {
        match self {
            Self::Levels(buckets) => {
                buckets.tidy(|entries, level| {
                    keep(entries, |at| standing(at) == Standing::from(level))
                });
                buckets.choose(stream, cells, standing)
            }
            Self::Fixed(sequence) => {
                let at = sequence.next_open(cells, |at| standing(at) == CLOSED)?;
                Some((at, stream.bits()))
            }
        }
    }
}
