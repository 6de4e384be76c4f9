//! The orders there are, and what each needs.

use super::{Buckets, Laying, Queue, Sequence};
use crate::id::TileId;
use crate::lattice::{Cell, Lattice, Layout};
use crate::solve::measure::Ranking;

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
    /// In half the time of [`Order::Entropy`] (bench rows `sequence`). Sets in which every pair of a western
    /// and a northern neighbour leaves a pose
    /// ([`Rules::never_stuck_by_rows`](crate::rules::Rules::never_stuck_by_rows)) never get stuck so on an
    /// open map without restrictions. Whether others get stuck more often or less depends on the set and is best tried out
    /// ([`first_goes`](crate::audit::trial::first_goes)). Tiles compete with others than by entropy,
    /// so they want other weights, and shapes may lean away from the corner where it begins.
    Rows,
    /// From this cell outward, nearest first; equals row by row.
    ///
    /// Cells need not be ranked, and what is decided together lies together. On sets of many poses
    /// that takes two thirds of the time of [`Order::Entropy`] (bench rows `sequence`), but more
    /// contradictions may be met.
    Outward(Cell),
    /// The same from the middle of the map, whatever its size.
    FromCentre,
    /// As [`Order::Entropy`], but only among cells that cannot hold this tile, the *filler*, any more; when there is
    /// none left, all others become the filler.
    ///
    /// So a structure spreads from what is placed, by the sides that the filler does not meet, and nothing begins
    /// elsewhere. Where the filler does not meet itself cells may run out. Something must be placed first: a pin, a
    /// count, a limit, or what stands there already.
    Spread(TileId),
}

impl Order {
    /// How domains are ranked.
    pub(in crate::solve) const fn ranking(self) -> Ranking {
        match self {
            Self::Entropy | Self::Grow | Self::Spread(_) => Ranking::Entropy,
            Self::Options => Ranking::Options,
            Self::Random | Self::Rows | Self::Outward(_) | Self::FromCentre => Ranking::Flat,
        }
    }

    /// Whether cells that nothing has restricted are drawn only when there is no other.
    pub(in crate::solve) const fn spares_untouched(self) -> bool {
        match self {
            Self::Grow => true,
            Self::Entropy
            | Self::Options
            | Self::Random
            | Self::Rows
            | Self::Outward(_)
            | Self::FromCentre
            | Self::Spread(_) => false,
        }
    }

    /// Empties `queue` for this order, keeping memory where it can. Some orders are laid out first: then
    /// the sequence that comes of it is the queue. Pooled cells are at `pool_level`; cells are numbered
    /// below `len`.
    pub(in crate::solve) fn begin(
        self,
        queue: &mut Queue,
        layout: Layout,
        len: usize,
        pool_level: u8,
    ) -> Option<Laying> {
        let cells = layout.extent().cells();
        match self {
            Self::Entropy | Self::Options | Self::Random | Self::Grow | Self::Spread(_) => {
                if !matches!(queue, Queue::Levels(_)) {
                    *queue = Queue::Levels(Buckets::default());
                }
                if let Queue::Levels(buckets) = queue {
                    buckets.reset(pool_level, self.spares_untouched());
                }
                None
            }
            // Cells of pointy hexagons are numbered by columns.
            Self::Rows if layout.lattice() == Lattice::HexPointy => {
                Some(Laying::new(None, cells, len))
            }
            Self::Rows => {
                *queue = Queue::Fixed(Sequence::by_number());
                None
            }
            Self::Outward(from) => Some(Laying::new(Some(from), cells, len)),
            Self::FromCentre => {
                let (origin, [w, h, d]) = (layout.extent().origin(), layout.extent().size());
                let middle = Cell {
                    x: origin.x + (w / 2) as i32,
                    y: origin.y + (h / 2) as i32,
                    z: origin.z + (d / 2) as i32,
                };
                Some(Laying::new(Some(middle), cells, len))
            }
        }
    }
}
