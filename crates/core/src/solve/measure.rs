//! Pinned numbers of a domain: its entropy level, and the pick by weight.
//!
//! Every engine must answer alike on every machine, so nothing here uses floating point.

use crate::rules::bits;
use crate::seed::scale;

/// How open cells are ranked; the level of a decided cell is 0, of an open one 1 to 255.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Ranking {
    /// By Shannon entropy, in sixteenths of a bit.
    Entropy,
    /// By the number of poses left.
    Options,
    /// All alike.
    Flat,
}

/// The base-2 logarithm of `x` (at least 1) with 16 bits of fraction, rounded down.
///
/// Source: the classical bit-by-bit method, squaring the mantissa once for each bit.
pub(super) fn log2(x: u64) -> u64 {
    let whole = u64::from(x.max(1).ilog2());
    let mut mantissa = x.max(1) << (63 - whole);
    let mut result = whole;
    for _ in 0..16 {
        let square = (u128::from(mantissa) * u128::from(mantissa)) >> 63;
        let carry = square >> 64 != 0;
        mantissa = if carry { (square >> 1) as u64 } else { square as u64 };
        result = result << 1 | u64::from(carry);
    }
    result
}

/// Weights of poses with what entropy needs of each.
#[derive(Clone, Debug)]
pub(super) struct Weights {
    ranking: Ranking,
    weight: Vec<u64>,
    /// Each weight again, with the product of it and its logarithm.
    measures: Vec<(u64, u128)>,
    /// The same where all products together need no more room.
    narrow: Vec<(u64, u64)>,
}

/// The level of poses that weigh so much together and whose logarithms have that mean.
fn level_of(total: u64, mean: u64) -> u8 {
    let entropy = log2(total).saturating_sub(mean);
    1 + (entropy >> 12).min(254) as u8
}

impl Weights {
    pub(super) fn new(ranking: Ranking, weight: impl Iterator<Item = u64>) -> Self {
        let weight: Vec<u64> = weight.collect();
        let measure = |&w: &u64| (w, u128::from(w) * u128::from(log2(w)));
        let measures: Vec<(u64, u128)> = weight.iter().map(measure).collect();
        let sum: u128 = measures.iter().map(|(_, log)| log).sum();
        let narrow = measures.iter().map(|&(weight, log)| (weight, log as u64));
        let narrow = if u64::try_from(sum).is_ok() { narrow.collect() } else { Vec::new() };
        Self { ranking, weight, measures, narrow }
    }

    /// The level of a set of poses; 0 when it has at most one.
    pub(super) fn level(&self, set: &[u64]) -> u8 {
        // Whether there are several is told sooner than how many.
        let mut words = set.iter().filter(|&&word| word != 0);
        let first = words.next().is_some_and(|word| !word.is_power_of_two());
        if !first && words.next().is_none() {
            return 0;
        }
        match self.ranking {
            Ranking::Flat => 1,
            Ranking::Options => {
                let count: u32 = set.iter().map(|word| word.count_ones()).sum();
                (count - 1).min(255) as u8
            }
            Ranking::Entropy => {
                if !self.narrow.is_empty() {
                    let (mut total, mut logs) = (0u64, 0u64);
                    bits(set).for_each(|pose| {
                        let (weight, log) = self.narrow[pose];
                        total += weight;
                        logs += log;
                    });
                    return level_of(total, logs / total);
                }
                let (mut total, mut logs) = (0u64, 0u128);
                bits(set).for_each(|pose| {
                    let (weight, log) = self.measures[pose];
                    total += weight;
                    logs += log;
                });
                // Division of the wide kind is slow, and seldom needed.
                let mean = match u64::try_from(logs) {
                    Ok(logs) => logs / total,
                    Err(_) => (logs / u128::from(total)) as u64,
                };
                level_of(total, mean)
            }
        }
    }

    /// The pose that 64 random bits pick from a set, in proportion to weight.
    pub(super) fn pick(&self, set: &[u64], random: u64) -> usize {
        pick_by(|pose| self.weight[pose], set, random)
    }

    /// The same pick, prepared for many draws from one set.
    pub(super) fn table(&self, set: &[u64]) -> PickTable {
        let count = set.iter().map(|word| word.count_ones() as usize).sum();
        let (mut poses, mut ends) = (Vec::with_capacity(count), Vec::with_capacity(count));
        let mut sum = 0;
        bits(set).for_each(|pose| {
            sum += self.weight[pose];
            poses.push(pose as u32);
            ends.push(sum);
        });
        let mut at = 0;
        let guide = std::array::from_fn(|part| {
            let point = scale((part as u64) << (64 - GUIDE_BITS), sum);
            while ends[at] <= point {
                at += 1;
            }
            at as u16
        });
        PickTable { poses, ends, guide }
    }
}

/// The pose that 64 random bits pick from a set, in proportion to weights whose sum stays below 64 bits.
///
/// Poses are laid end to end in order; the bits scaled to the total weight point at one.
#[inline]
pub(super) fn pick_by(weight: impl Fn(usize) -> u64, set: &[u64], random: u64) -> usize {
    let total: u64 = bits(set).map(&weight).sum();
    let mut point = scale(random, total);
    let mut last = 0;
    for pose in bits(set) {
        let weight = weight(pose);
        if point < weight {
            return pose;
        }
        point -= weight;
        last = pose;
    }
    last
}

const GUIDE_BITS: u32 = 5;

/// Where each pose of a set ends on the line of summed weights, with a guide into it.
#[derive(Clone, Debug)]
pub(super) struct PickTable {
    poses: Vec<u32>,
    ends: Vec<u64>,
    guide: [u16; 1 << GUIDE_BITS],
}

impl PickTable {
    /// Into how many parts [`sure`](Self::sure) divides random numbers.
    pub(super) const PARTS: usize = 1 << GUIDE_BITS;

    /// The part of a random number.
    #[inline]
    pub(super) fn part(random: u64) -> usize {
        (random >> (64 - GUIDE_BITS)) as usize
    }

    /// The pose that all random numbers of a part pick, when they do.
    pub(super) fn sure(&self, part: usize) -> Option<usize> {
        let last = (part as u64) << (64 - GUIDE_BITS) | u64::MAX >> GUIDE_BITS;
        let at = usize::from(self.guide[part]);
        (scale(last, self.total()) < self.ends[at]).then(|| self.poses[at] as usize)
    }

    /// The poses of the set, in order.
    pub(super) fn poses(&self) -> impl Iterator<Item = usize> {
        self.poses.iter().map(|&pose| pose as usize)
    }

    /// As [`pick_by`], with the weight of each pose of the rules: which of the [poses](Self::poses) it is.
    #[inline]
    pub(super) fn place_by(&self, weights: &[u64], random: u64) -> usize {
        let total: u64 = self.poses().map(|pose| weights[pose]).sum();
        let mut point = scale(random, total);
        for (place, pose) in self.poses().enumerate() {
            if point < weights[pose] {
                return place;
            }
            point -= weights[pose];
        }
        self.poses.len() - 1
    }

    fn total(&self) -> u64 {
        *self.ends.last().expect("a domain is never empty")
    }

    pub(super) fn pick(&self, random: u64) -> usize {
        let point = scale(random, self.total());
        let mut at = usize::from(self.guide[Self::part(random)]);
        while self.ends[at] <= point {
            at += 1;
        }
        self.poses[at] as usize
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn logarithms_are_pinned() {
        let one = 1 << 16;
        for (x, want) in [(1, 0), (2, one), (3, 103_872), (10, 217_705), (1 << 48, 48 * one)] {
            assert_eq!(log2(x), want, "log2 of {x}");
        }
        assert_eq!(log2(u64::MAX) >> 16, 63);
    }

    proptest! {
        #[test]
        fn logarithm_agrees_with_floating_point(x in 1u64..) {
            let want = (x as f64).log2() * 65536.0;
            prop_assert!((log2(x) as f64 - want).abs() < 2.0);
        }

        #[test]
        fn table_picks_as_the_plain_walk(
            weights in prop::collection::vec(1u64..1 << 40, 1..130),
            mask in prop::collection::vec(any::<u64>(), 3),
            random: u64,
        ) {
            let mut mask: Vec<u64> = mask;
            for (at, word) in mask.iter_mut().enumerate() {
                let left = weights.len().saturating_sub(at * 64).min(64);
                *word &= if left == 64 { u64::MAX } else { (1 << left) - 1 };
            }
            prop_assume!(mask.iter().any(|&w| w != 0));
            let all = Weights::new(Ranking::Entropy, weights.iter().copied());
            let (picked, table) = (all.pick(&mask, random), all.table(&mask));
            prop_assert_eq!(picked, table.pick(random));
            prop_assert_eq!(Some(picked), table.poses().nth(table.place_by(&weights, random)));
        }

        /// Of random numbers spread evenly, the first of each share included, each pose gets its weight.
        #[test]
        fn every_pose_gets_just_its_weight(weights in prop::collection::vec(1u64..9, 1..20)) {
            let total: u64 = weights.iter().sum();
            let set = [(1u64 << weights.len()) - 1];
            let table = Weights::new(Ranking::Flat, weights.iter().copied()).table(&set);
            let mut counts = vec![0; weights.len()];
            for point in 0..total {
                let random = ((u128::from(point) << 64).div_ceil(u128::from(total))) as u64;
                counts[table.pick(random)] += 1;
                // The last number of a share belongs to it, too.
                let last = ((u128::from(point + 1) << 64).div_ceil(u128::from(total)) - 1) as u64;
                prop_assert_eq!(table.pick(last), table.pick(random));
            }
            prop_assert_eq!(counts, weights);
        }

        #[test]
        fn entropy_level_agrees_with_floating_point(weights in prop::collection::vec(1u64..1000, 2..60)) {
            let total: f64 = weights.iter().map(|&w| w as f64).sum();
            let entropy: f64 = weights.iter().map(|&w| w as f64 / total).map(|p| -p * p.log2()).sum();
            let set = [(1u64 << weights.len()) - 1];
            let level = Weights::new(Ranking::Entropy, weights.into_iter()).level(&set);
            prop_assert!((f64::from(level) - 1.0 - entropy * 16.0).abs() < 1.01);
        }
    }
}
