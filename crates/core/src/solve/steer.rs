//! Keeps the frequencies of a finished map near the weights.
//!
//! Picking by weight alone does not: propagation decides many cells that nobody picked, and cells
//! that are decided early shape those around them. Steering counts the tiles that stand and leans
//! each pick towards those that are behind: a pose counts with its weight times the eighth power of
//! (wanted + 4) / (standing + 4), where wanted is the tile's share of all cells decided once this
//! pick is made. The power is high because most picks are between two or three poses only: a weaker
//! lean is not felt.

use crate::id::{Id, TileId};
use crate::rules::{Rules, bits};
use crate::seed::scale;

/// The share above which a tile's lead or lag is no longer felt, in 1/256.
const STRONGEST: u64 = 1 << 14;

#[derive(Clone, Debug)]
pub(super) struct Steering {
    /// The tile of each pose.
    tile_of: Vec<TileId>,
    /// The weight of each pose, in 32 bits.
    weights: Vec<u64>,
    /// Bits left out of weights for that.
    shift: u32,
    /// The summed weight of each tile's poses.
    wanted: Vec<u64>,
    total: u64,
    standing: Vec<u64>,
    decided: u64,
    /// Cells that are counted, one bit each.
    counted: Vec<u64>,
}

impl Steering {
    /// Nothing stands yet on cells numbered below `cells`.
    pub(super) fn new(rules: &Rules, cells: usize) -> Self {
        let tile_of: Vec<TileId> = rules.poses().iter().map(|pose| pose.tile).collect();
        let most = rules.weights().iter().copied().max().unwrap_or(1);
        let shift = (64 - most.leading_zeros()).saturating_sub(32);
        let weights: Vec<u64> = rules.weights().iter().map(|&w| (w >> shift).max(1)).collect();
        let tiles = tile_of.iter().map(|tile| tile.index() + 1).max().unwrap_or(0);
        let mut wanted = vec![0; tiles];
        for (tile, &weight) in tile_of.iter().zip(&weights) {
            wanted[tile.index()] += weight;
        }
        let total = wanted.iter().sum();
        let (standing, counted) = (vec![0; tiles], vec![0; cells.div_ceil(64)]);
        Self { tile_of, weights, shift, wanted, total, standing, decided: 0, counted }
    }

    /// A cell holds just this pose; counting it twice does nothing.
    pub(super) fn count(&mut self, at: u32, pose: usize) {
        let (word, bit) = (at as usize / 64, 1 << (at % 64));
        if self.counted[word] & bit == 0 {
            self.counted[word] |= bit;
            self.standing[self.tile_of[pose].index()] += 1;
            self.decided += 1;
        }
    }

    /// A cell no longer holds just this pose.
    pub(super) fn discount(&mut self, at: u32, pose: usize) {
        let (word, bit) = (at as usize / 64, 1 << (at % 64));
        if self.counted[word] & bit != 0 {
            self.counted[word] &= !bit;
            self.standing[self.tile_of[pose].index()] -= 1;
            self.decided -= 1;
        }
    }

    /// The pose that 64 random bits pick from a set; by a cell's own weights when it has some.
    pub(super) fn pick(&self, set: &[u64], random: u64, own: Option<&[u64]>) -> usize {
        let weight =
            |pose: usize| own.map_or(self.weights[pose], |own| (own[pose] >> self.shift).max(1));
        let leaned = |pose: usize| weight(pose) * self.lean(pose);
        let total: u64 = bits(set).map(leaned).sum();
        let mut point = scale(random, total);
        let mut last = 0;
        for pose in bits(set) {
            let weight = leaned(pose);
            if point < weight {
                return pose;
            }
            point -= weight;
            last = pose;
        }
        last
    }

    /// How far the tile of a pose is behind, at most 2^14.
    fn lean(&self, pose: usize) -> u64 {
        let tile = self.tile_of[pose].index();
        let share = u128::from(self.decided + 1) * u128::from(self.wanted[tile]) * 256;
        let wanted = (share / u128::from(self.total)) as u64 + 4 * 256;
        let ratio = wanted / (self.standing[tile] + 4);
        // The eighth power, cut at both ends so that no step leaves 64 bits.
        let square = (ratio.min(1 << 12) * ratio.min(1 << 12) / 256).min(1 << 16);
        let fourth = (square * square / 256).min(1 << 18);
        (fourth * fourth / 256).clamp(1, STRONGEST)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::Lattice;

    #[test]
    fn a_tile_that_is_behind_is_picked_more_often() {
        let rules = Rules::from_pairs(Lattice::Square, &[3, 1], |_, _, _| true).unwrap();
        let mut steering = Steering::new(&rules, 1000);
        let share = |steering: &Steering| {
            let picks = (0..1000u64).filter(|n| steering.pick(&[0b11], n << 54, None) == 0);
            picks.count()
        };
        // Nothing stands: of the first cell three quarters are the first tile's, which so leans ahead.
        let fresh = share(&steering);
        assert!((850..950).contains(&fresh), "{fresh}");
        // The first tile runs ahead: three quarters were wanted, all it has.
        (0..200).for_each(|at| steering.count(at, 0));
        assert!(share(&steering) < 300, "{}", share(&steering));
        // Counting twice does nothing, and what is taken back no longer counts.
        steering.count(5, 0);
        (0..200).for_each(|at| steering.discount(at, 0));
        steering.discount(7, 0);
        assert_eq!(share(&steering), fresh);
        assert_eq!(steering.pick(&[0b10], 12345, None), 1);
    }
}
