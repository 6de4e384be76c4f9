//! How a fill searches. These values are part of what decides a map.

use super::choose::Order;
use crate::limits::Climb;

/// How a fill searches; kept in the quilt, because it decides the result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Search {
    /// Which open cell is decided next. Default [`Order::Entropy`].
    pub order: Order,
    /// Whether picks are leaned so that tiles come out as often as their weights say. Default no.
    /// Makes picks slower, and takes a bit a cell.
    pub steer: bool,
    /// How many changes of cells can be taken back, at most. Older decisions are committed.
    /// Default 16 384; more finds fills that less misses, and takes memory.
    pub window: u32,
    /// Backtracks without a new best before the next rung is climbed. Default 100.
    pub patience: u32,
    /// How far it goes before a try is given up. Default [`Climb::Learn`].
    pub climb: Climb,
    /// Whether the map is filled block by block over a small fill that repeats, where the rules have
    /// one: on several threads when the caller has them, and never stuck. Default no.
    pub blocks: bool,
    /// Whether a cell for which nothing is found is left as a hole, instead of beginning again: it
    /// takes part no longer, and [`Run::holes`](super::Run::holes) lists it. Default no.
    pub holes: bool,
    /// Tries before the fill ends as a contradiction. Default 20, at least 1.
    pub attempts: u32,
    /// Whether it is kept when each cell was decided: see [`Run::decision_of`](super::Run::decision_of). Default no. Takes
    /// four bytes a cell, and half as long again; the map does not change.
    pub record_decisions: bool,
    /// Cells that may be opened again in one try, beside some for each cell of the map.
    pub(super) opens: u64,
}

crate::setters! {
    Search {
        order: Order,
        steer: bool,
        window: u32,
        patience: u32,
        climb: Climb,
        blocks: bool,
        holes: bool,
        attempts: u32,
        record_decisions: bool,
    }
}

impl Default for Search {
    fn default() -> Self {
        Self {
            order: Order::Entropy,
            steer: false,
            window: 16_384,
            patience: 100,
            climb: Climb::Learn,
            blocks: false,
            holes: false,
            attempts: 20,
            record_decisions: false,
            opens: 1 << 16,
        }
    }
}
