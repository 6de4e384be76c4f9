//! Keeps the frequencies of a map near the weights, from its first cells to its last.
//!
//! Picking by weight alone does not: propagation decides many cells that nobody picked, and cells
//! that are decided early shape those around them. Steering counts the tiles that stand (of patterns the
//! windows), the latest most, and every few decisions multiplies the weight of each kind by a factor that
//! grows while it is rarer than wanted and shrinks while it is more frequent (multiplicative weights:
//! Arora, Hazan, Kale 2012). Factors stay from batch to batch, so a kind that propagation always slights
//! is always favoured; and what counts is the recent past, so an early error is not made good by a late one.
//! On top of its factor a kind is pulled by how far it is behind now, so that factors do not swing and small
//! maps come near their shares as well.

use super::measure::pick_by;
use crate::rules::Rules;

/// Decisions between two looks at what stands: at first, and in the long run.
const BATCHES: [u64; 2] = [8, 64];

/// The past that counts, in cells: what was decided so long ago counts with a factor of 1/e. It is short at first, or
/// small maps would end before factors have moved.
const PASTS: [u64; 2] = [64, 512];

/// How far a factor moves in the time of one past, in parts of how far its kind is off.
const GAIN: u64 = 4;

/// The power of how far a kind is behind now: most picks are between two or three poses only, and a weaker pull has no
/// effect on small maps.
const HASTE: u32 = 5;

/// A cell, in the fine units in which the past fades.
const CELL: u64 = 1 << 10;

/// The factor of a kind that is as frequent as wanted, and how far factors go.
const ONE: u64 = 1 << 24;
const LEAST: i64 = 1 << 14;
const MOST: i64 = 1 << 34;

/// Bits of factors that picks go by: with weights and the most poses their sums stay below 64 bits.
const PULL_BITS: u32 = 16;
/// Bits that are left out for that.
const FINE_BITS: u32 = ONE.ilog2() - PULL_BITS;

/// Bits of a fraction, of which 1 is so much; and how many times as frequent as it is a kind is wanted at most.
const FRACTION: u32 = 16;
const MOST_BEHIND: u64 = 1 << 20;

/// A few cells that are added to what is wanted and to what stands, so that one cell of a rare kind counts for little.
const SLACK: i64 = 4 * CELL as i64;

/// Bits of the fraction in which shares are held.
const SHARE_BITS: u32 = 32;

/// Bits of weights: with factors and the most poses their sums stay below 64 bits.
const WEIGHT_BITS: u32 = 22;

#[derive(Clone, Debug)]
pub(super) struct Steering {
    /// What each pose counts as: its tile, or the window it is.
    kind_of: Vec<usize>,
    /// The weight of each pose, in so many bits.
    weights: Vec<u64>,
    /// Bits left out of weights for that.
    shift: u32,
    /// The share of each kind, by the weights of its poses.
    wanted: Vec<u64>,
    /// What stands of each kind, in [`CELL`]s that fade.
    recent: Vec<u64>,
    /// What each kind needs for its share, as found so far.
    factors: Vec<u64>,
    /// What its weight is multiplied by now: more than its factor while it is rarer than wanted.
    pulls: Vec<u64>,
    /// Weights times pulls.
    leaned: Vec<u64>,
    /// Cells decided now, and at the last look.
    decided: u64,
    looked: u64,
    /// Decisions made, and how many are left until the next look.
    made: u64,
    left: u64,
    /// Cells that are counted, one bit each.
    counted: Vec<u64>,
}

impl Steering {
    /// Nothing stands yet on cells numbered below `cells`.
    pub(super) fn new(rules: &Rules, cells: usize) -> Self {
        let kind_of: Vec<usize> = rules.poses().ids().map(|pose| rules.kind_of(pose)).collect();
        let most = rules.weights().iter().copied().max().unwrap_or(1);
        let shift = (64 - most.leading_zeros()).saturating_sub(WEIGHT_BITS);
        let weights: Vec<u64> = rules.weights().iter().map(|&w| (w >> shift).max(1)).collect();
        let kinds = kind_of.iter().map(|kind| kind + 1).max().unwrap_or(0);
        let mut wanted = vec![0; kinds];
        for (&kind, &due) in kind_of.iter().zip(rules.due().iter()) {
            wanted[kind] += (due >> shift).max(1);
        }
        let total: u64 = wanted.iter().sum();
        for share in &mut wanted {
            *share = ((u128::from(*share) << SHARE_BITS) / u128::from(total)) as u64;
        }
        Self {
            kind_of,
            shift,
            wanted,
            recent: vec![0; kinds],
            factors: vec![ONE; kinds],
            pulls: vec![1 << PULL_BITS; kinds],
            leaned: weights.iter().map(|weight| weight << PULL_BITS).collect(),
            weights,
            decided: 0,
            looked: 0,
            made: 0,
            left: BATCHES[0],
            counted: vec![0; cells.div_ceil(64)],
        }
    }

    /// A cell holds just this pose; counting it twice does nothing.
    pub(super) fn count(&mut self, at: u32, pose: usize) {
        let (word, bit) = (at as usize / 64, 1 << (at % 64));
        if self.counted[word] & bit == 0 {
            self.counted[word] |= bit;
            self.recent[self.kind_of[pose]] += CELL;
            self.decided += 1;
        }
    }

    /// A cell no longer holds just this pose.
    pub(super) fn discount(&mut self, at: u32, pose: usize) {
        let (word, bit) = (at as usize / 64, 1 << (at % 64));
        if self.counted[word] & bit != 0 {
            self.counted[word] &= !bit;
            let recent = &mut self.recent[self.kind_of[pose]];
            *recent = recent.saturating_sub(CELL);
            self.decided -= 1;
        }
    }

    /// How many decisions may be made by [`leaned`](Self::leaned) before it must be asked again; all cells that are
    /// decided are counted.
    pub(super) fn ahead(&mut self) -> u64 {
        if self.left == 0 {
            self.look();
            self.left = (self.made / 8).clamp(BATCHES[0], BATCHES[1]);
        }
        self.left
    }

    /// So many decisions were made.
    pub(super) fn made(&mut self, decisions: u64) {
        self.made += decisions;
        self.left -= decisions;
    }

    /// The weight of each pose by which to pick now.
    pub(super) fn leaned(&self) -> &[u64] {
        &self.leaned
    }

    /// The pose that 64 random bits pick from a set; by a cell's own weights when it has some.
    pub(super) fn pick(&mut self, set: &[u64], random: u64, own: Option<&[u64]>) -> usize {
        self.ahead();
        self.made(1);
        let Some(own) = own else { return pick_by(|pose| self.leaned[pose], set, random) };
        let leaned =
            |pose: usize| (own[pose] >> self.shift).max(1) * self.pulls[self.kind_of[pose]];
        pick_by(leaned, set, random)
    }

    /// Moves the factors by what was decided since the last look. O(poses).
    #[cold]
    fn look(&mut self) {
        let past = self.decided.clamp(PASTS[0], PASTS[1]);
        let since = self.decided.saturating_sub(self.looked).min(past / 4);
        self.looked = self.decided;
        // Divisions take most of the time of a look: they are made once, or once a kind.
        let fade = (since << FRACTION) / past;
        let step = (fade * GAIN) as i64;
        let seen: u64 = self.recent.iter().sum();
        let kinds =
            self.wanted.iter().zip(&mut self.recent).zip(&mut self.factors).zip(&mut self.pulls);
        for (((&wanted, recent), factor), pull) in kinds {
            let want = ((u128::from(seen) * u128::from(wanted)) >> SHARE_BITS) as i64 + SLACK;
            let have = *recent as i64 + SLACK;
            let rarer = (want - have) * (1 << FRACTION) / (want + have);
            let moved =
                *factor as i64 + ((*factor as i64 * ((step * rarer) >> FRACTION)) >> FRACTION);
            *factor = moved.clamp(LEAST, MOST) as u64;
            // The inner division is rounded down, so a remainder below half a cell stays. Without it tiles are 9 % off
            // in place of 7 (`lantern-quilt-bench frequencies`).
            *recent -= *recent / past * since;
            let behind = ((want as u64) << FRACTION) / have as u64;
            let behind = behind.clamp(1, MOST_BEHIND);
            let pulled =
                |pull: u64, _| ((pull * behind) >> FRACTION).clamp(LEAST as u64, MOST as u64);
            *pull = (0..HASTE).fold(*factor, pulled) >> FINE_BITS;
        }
        for ((leaned, &kind), &weight) in
            self.leaned.iter_mut().zip(&self.kind_of).zip(&self.weights)
        {
            *leaned = weight * self.pulls[kind];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::Lattice;

    /// Of a thousand picks among both, those of the first.
    fn share(steering: &Steering) -> usize {
        let pick = |n: u64| pick_by(|pose| steering.leaned()[pose], &[0b11], n << 54);
        (0..1000).filter(|&n| pick(n) == 0).count()
    }

    #[test]
    fn a_tile_that_is_rarer_than_wanted_is_picked_more_often() {
        let rules = Rules::from_pairs(Lattice::Square, &[3, 1], |_, _, _| true).unwrap();
        let mut steering = Steering::new(&rules, 10_000);
        assert!((730..770).contains(&share(&steering)), "nothing stands: by weight alone");
        let mut cells = 0..;
        let mut batch = |steering: &mut Steering, pose: usize| {
            cells.by_ref().take(60).for_each(|at| steering.count(at, pose));
            let ahead = steering.ahead();
            steering.made(ahead);
            steering.ahead();
        };
        let mut last = share(&steering);
        for _ in 0..8 {
            batch(&mut steering, 0);
            let now = share(&steering);
            // In the end it is hardly picked at all.
            assert!(now < last || now < 5, "the first tile runs ahead: {now} after {last}");
            last = now;
        }
        for _ in 0..60 {
            batch(&mut steering, 1);
        }
        assert!(share(&steering) > 950, "the second has long run ahead: {}", share(&steering));
    }

    #[test]
    fn cells_are_counted_once_and_may_be_taken_back() {
        let rules = Rules::from_pairs(Lattice::Square, &[3000, 1000], |_, _, _| true).unwrap();
        let mut steering = Steering::new(&rules, 100);
        (0..3).for_each(|_| steering.count(5, 0));
        assert_eq!((steering.recent[0], steering.decided), (CELL, 1));
        steering.discount(7, 0);
        steering.discount(5, 0);
        assert_eq!((steering.recent[0], steering.decided), (0, 0));
        assert_eq!(steering.pick(&[0b10], 12345, None), 1);
        let own = [1, 1000];
        let picks = (0..64u64).filter(|n| steering.pick(&[0b11], n << 58, Some(&own)) == 1);
        assert_eq!(picks.count(), 63, "a cell's own weights count where it has some");
    }
}
