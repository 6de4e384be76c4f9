//! How a fill searches. These values are part of what decides a map.

use crate::lattice::Cell;
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
        }
    }
}

/// Which open cell is decided next. Ties are broken by the seed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Order {
    /// The cell of lowest Shannon entropy (in steps of a sixteenth of a bit).
    #[default]
    Entropy,
    /// The cell with fewest poses left.
    Options,
    /// Any open cell, all as likely.
    Random,
    /// As [`Order::Entropy`], but only among cells that something has restricted, so that the map
    /// grows from what is placed; an untouched cell only when there is no other.
    Grow,
    /// Row by row from the top, each from the west; level by level in boxes.
    ///
    /// On sets in which every pair of a western and a northern neighbour leaves a pose
    /// ([`Rules::never_stuck_by_rows`](crate::rules::Rules::never_stuck_by_rows)) nothing can go wrong
    /// and nothing needs to be propagated; cells to come show what their decided neighbours leave.
    /// Others are filled as in any order, in half the time of [`Order::Entropy`] (bench rows
    /// `sequence`). Whether they get stuck more often or less depends on the set and is best tried out
    /// ([`first_goes`](crate::audit::trial::first_goes)). Tiles compete with others than by entropy,
    /// so they want other weights, and shapes may lean away from the corner where it begins.
    Rows,
    /// From this cell outward, nearest first; equals row by row.
    ///
    /// Cells need not be ranked, and what is decided together lies together. On sets of many poses
    /// that takes two thirds of the time of [`Order::Entropy`] (bench rows `sequence`), but more
    /// contradictions may be met.
    Outward(Cell),
}
