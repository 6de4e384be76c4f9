//! How a fill searches. These values are part of what decides a map.

/// How a fill searches; kept in the quilt, because it decides the result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Search {
    /// Which open cell is decided next. Default [`Order::Entropy`].
    pub order: Order,
    /// How many changes of cells can be taken back, at most. Older decisions are committed.
    /// Default 16 384; more finds fills that less misses, and takes memory.
    pub window: u32,
    /// Backtracks without a new best before a try is given up. Default 1000.
    pub patience: u32,
    /// Tries before the fill ends as a contradiction. Default 20, at least 1.
    pub attempts: u32,
}

impl Default for Search {
    fn default() -> Self {
        Self { order: Order::Entropy, window: 16_384, patience: 1000, attempts: 20 }
    }
}

/// Which open cell is decided next. Ties are broken by the seed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Order {
    /// The cell of lowest Shannon entropy (in steps of a sixteenth of a bit).
    #[default]
    Entropy,
}
