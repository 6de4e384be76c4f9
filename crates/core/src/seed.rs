//! One seed decides everything: streams named by path, values keyed by place, pinned sampling.
//!
//! A [`Seed`] is a text or a number. Whatever needs chance asks it for a [`Stream`] by a path such
//! as `["ground", "fill"]`, or, where a value belongs to a place (a look, jitter), for a [`Keyed`]
//! source that answers per cell. So adding a pass or enlarging a map leaves other values alone.
//!
//! All of it is pinned: seeds are hashed by XXH3 (64 bit), streams are PCG XSL 128/64 (MCG), and
//! ranged numbers are the high half of a product. Test vectors guard them.

use crate::lattice::Cell;
use rand_core::{Rng, SeedableRng};
use rand_pcg::Pcg64Mcg;
use std::fmt;
use xxhash_rust::xxh3::{xxh3_64, xxh3_64_with_seed};

/// Where all chance of a run comes from: a text or a number, kept as written.
///
/// A text that is a whole number means that number: `"7"` and `7` are the same seed.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Seed {
    text: String,
    value: u64,
    /// Added to the end of every path; 0 adds nothing.
    roll: u32,
}

impl Seed {
    /// The seed of a text.
    pub fn from_text(text: &str) -> Self {
        let value = text.parse::<u64>().unwrap_or_else(|_| xxh3_64(text.as_bytes()));
        Self { text: text.to_owned(), value, roll: 0 }
    }

    /// The seed of a number.
    pub fn from_number(number: u64) -> Self {
        Self { text: number.to_string(), value: number, roll: 0 }
    }

    /// The seed as written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The same with other chance in every path: `roll/N` is added to each. Roll 0 is the seed as it is.
    ///
    /// ```
    /// use lantern_quilt_core::seed::Seed;
    ///
    /// let seed = Seed::from_text("first lamp");
    /// let rolled = seed.stream(&["stalls", "roll/2"]).bits();
    /// assert_eq!(seed.rolled(2).stream(&["stalls"]).bits(), rolled);
    /// assert_eq!(seed.rolled(0), seed);
    /// ```
    #[must_use]
    pub fn rolled(&self, roll: u32) -> Self {
        Self { roll, ..self.clone() }
    }

    /// A sequence of chance named by `path`.
    pub fn stream(&self, path: &[&str]) -> Stream {
        Stream(Pcg64Mcg::seed_from_u64(self.key(path)))
    }

    /// Values keyed by place, named by `path`.
    pub fn keyed(&self, path: &[&str]) -> Keyed {
        Keyed(self.key(path))
    }

    fn key(&self, path: &[&str]) -> u64 {
        // Each part is hashed with the key so far as its seed, so ["a", "b"] is not ["ab"].
        let next = |key, part: &str| xxh3_64_with_seed(part.as_bytes(), key);
        let key = path.iter().fold(xxh3_64(&self.value.to_le_bytes()), |key, part| next(key, part));
        if self.roll == 0 { key } else { next(key, &format!("roll/{}", self.roll)) }
    }
}

impl Default for Seed {
    /// The seed of runs that name none.
    fn default() -> Self {
        Self::from_text("first lamp")
    }
}

impl fmt::Display for Seed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// A pinned sequence of random numbers.
#[derive(Clone, Debug)]
pub struct Stream(Pcg64Mcg);

impl Stream {
    /// The next 64 bits.
    pub fn bits(&mut self) -> u64 {
        self.0.next_u64()
    }

    /// A sequence of its own, begun from this one.
    pub(crate) fn split(&mut self) -> Self {
        Self(Pcg64Mcg::seed_from_u64(self.bits()))
    }

    /// A number below `end`; zero when `end` is zero.
    ///
    /// The bias is below `end` / 2^64.
    pub fn below(&mut self, end: u64) -> u64 {
        scale(self.bits(), end)
    }
}

/// Values that belong to a cell: asking twice, or in another order, gives the same.
#[derive(Clone, Copy, Debug)]
pub struct Keyed(u64);

impl Keyed {
    /// The 64 bits of `cell`.
    pub fn bits(self, cell: Cell) -> u64 {
        let mut place = [0; 12];
        place[..4].copy_from_slice(&cell.x.to_le_bytes());
        place[4..8].copy_from_slice(&cell.y.to_le_bytes());
        place[8..].copy_from_slice(&cell.z.to_le_bytes());
        xxh3_64_with_seed(&place, self.0)
    }

    /// A number below `end` for `cell`; zero when `end` is zero.
    pub fn below(self, cell: Cell, end: u64) -> u64 {
        scale(self.bits(cell), end)
    }
}

/// Maps 64 random bits onto 0 up to below 1, by the 53 of them that an `f64` holds exactly.
pub(crate) fn part_of_one(bits: u64) -> f64 {
    (bits >> 11) as f64 / (1_u64 << 53) as f64
}

/// Maps 64 random bits onto `0..end`: the high half of the product.
pub(crate) fn scale(bits: u64, end: u64) -> u64 {
    divide(bits, end).0
}

/// A number below `end` as by [`scale`], and the low half of the product: what of the random bits
/// that number left open.
///
/// Whichever the number, the rest takes values all over `0..2^64`, `end` apart from each other.
#[inline]
pub(crate) fn divide(bits: u64, end: u64) -> (u64, u64) {
    let product = u128::from(bits) * u128::from(end);
    ((product >> 64) as u64, product as u64)
}

/// Weights as whole numbers, added up.
#[derive(Clone, Debug)]
pub(crate) struct Weighted(Vec<u64>);

impl Weighted {
    /// None of them may be picked when there are none.
    pub(crate) fn new(weights: impl IntoIterator<Item = f64>) -> Self {
        const PARTS: f64 = (1_u64 << 40) as f64;
        let weights: Vec<f64> = weights.into_iter().map(|weight| weight.max(0.0)).collect();
        let all: f64 = weights.iter().sum();
        let mut sum = 0;
        let part = |weight: f64| if all > 0.0 { (weight / all * PARTS).round() as u64 } else { 1 };
        Self(
            weights
                .into_iter()
                .map(|weight| {
                    sum += part(weight);
                    sum
                })
                .collect(),
        )
    }

    /// The one that 64 random bits pick, by weight.
    pub(crate) fn pick(&self, bits: u64) -> Option<usize> {
        let all = *self.0.last()?;
        let at = scale(bits, all);
        Some(self.0.partition_point(|&end| end <= at))
    }
}
