//! Which open cell is decided next.
//!
//! [`Buckets`] rank cells by level; a [`Sequence`] takes them in a fixed order. To add an order, give it a
//! variant in `order`, whose matches say what it needs, and a row in the tables of `tests/engines.rs` and
//! `tests/orders.rs`.

mod buckets;
mod order;
mod sequence;

pub(super) use buckets::{Bucket, Buckets, CLOSED, Hands, POOLED, Standing, keep};
pub use order::Order;
pub(super) use sequence::{Laying, Sequence};

use crate::seed::Stream;

/// What a queue chose.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Chosen {
    /// This cell, with random bits to pick its pose by.
    Cell(u32, u64),
    /// Nothing yet: many entries were out of date. It continues when asked again.
    Later,
    /// All cells are closed.
    None,
}

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

    /// All open cells are in it, each once.
    pub(super) fn is_tidy(&mut self) {
        if let Self::Levels(buckets) = self {
            buckets.is_tidy();
        }
    }

    /// Whether something is to be tidied before the next choice.
    #[inline]
    pub(super) fn is_crowded(&self) -> bool {
        matches!(self, Self::Levels(buckets) if buckets.is_crowded())
    }

    /// Takes out the open cell to decide.
    #[inline]
    pub(super) fn choose(
        &mut self,
        stream: &mut Stream,
        cells: usize,
        standing: impl Fn(u32) -> Standing + Copy,
    ) -> Chosen {
        match self {
            Self::Levels(buckets) => {
                buckets.tidy(|entries, level| {
                    keep(entries, |at| standing(at) == Standing::from(level))
                });
                buckets.choose(stream, cells, standing)
            }
            Self::Fixed(sequence) => match sequence.next_open(cells, |at| standing(at) == CLOSED) {
                Some(at) => Chosen::Cell(at, stream.bits()),
                None => Chosen::None,
            },
        }
    }
}
