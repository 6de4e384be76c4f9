//! Sets that no fill can get stuck on.

use super::Rules;
use crate::lattice::{Lattice, Side};

/// Pairs of support rows that are tried before the question is given up.
const MOST_PAIRS: usize = 1 << 18;

impl Rules {
    /// Whether a square map filled row by row can never get stuck, whatever is picked.
    ///
    /// That is so when every pair of a pose to the west and a pose to the north leaves a pose that
    /// may stand beside both. It holds for maps of any size that do not wrap and in which nothing
    /// is pinned or limited. It is worked out once, in O(rows east x rows south x poses / 64);
    /// sets with very many distinct rows are not proved and answer `false`.
    ///
    /// ```
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::rules::Rules;
    ///
    /// // Three colours, neighbours differ: two neighbours always leave one.
    /// let colours = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a != b)?;
    /// assert!(colours.never_stuck_by_rows());
    /// // With two there may be none left.
    /// let chequers = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
    /// assert!(!chequers.never_stuck_by_rows());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn never_stuck_by_rows(&self) -> bool {
        *self.0.never_stuck.get_or_init(|| {
            if self.lattice() != Lattice::Square {
                return false;
            }
            let [east, south] = [Side::East, Side::South]
                .map(|side| self.rows(self.lattice().side_index(side).expect("a side of squares")));
            east.len() * south.len() <= MOST_PAIRS
                && east.iter().all(|east| {
                    south.iter().all(|south| {
                        east.words().iter().zip(south.words()).any(|(a, b)| a & b != 0)
                    })
                })
        })
    }
}
