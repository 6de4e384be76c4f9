//! Gradient noise on a lattice of whole numbers: simplex (`OpenSimplex2`) and Perlin, in two and three
//! dimensions, with octaves.
//!
//! Near the origin this gives, bit by bit, what the crate `fastnoise-lite` gives (a test compares them).
//! Farther out that crate, which knows coordinates of 32 bits only, runs out of digits between one
//! cell and the next: at 10^8 its noise is steps, at 5 * 10^8 it is flat. Here a coordinate is split
//! into the whole lattice place, which may be any number, and the rest, which keeps all its digits.
//!
//! Sources: Perlin, Improving Noise, 2002; for the simplex variant, its gradients and hashes the source of
//! that crate (MIT).

#![allow(
    clippy::excessive_precision,
    reason = "as published, so that they round as they do elsewhere"
)]

use std::ops::{Add, Mul, Neg, Sub};

const PRIMES: [i32; 3] = [501_125_321, 1_136_930_381, 1_720_413_743];
const MIX: i32 = 0x27d4_eb2d;

/// A quarter of the 24 directions, 15 degrees apart; the rest are these, turned.
const SLANTS: [[f32; 2]; 6] = [
    [0.130_526_192_220_052, 0.991_444_861_373_81],
    [0.382_683_432_365_09, 0.923_879_532_511_287],
    [0.608_761_429_008_721, 0.793_353_340_291_235],
    [0.793_353_340_291_235, 0.608_761_429_008_721],
    [0.923_879_532_511_287, 0.382_683_432_365_09],
    [0.991_444_861_373_81, 0.130_526_192_220_052],
];

/// Which noise.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum NoiseKind {
    /// Simplex noise.
    #[default]
    Simplex,
    /// Perlin's gradient noise.
    Perlin,
}

/// A coordinate: of 32 bits near the origin, where maps of old must stay as they were, of 64 far out.
pub(super) trait Real:
    Copy
    + PartialOrd
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + Neg<Output = Self>
{
    fn of(value: f32) -> Self;
    /// The whole number below (or, of a negative whole number, the one before it) and the rest.
    fn floor(self) -> (i32, f32);
    /// The nearest whole number and the rest.
    fn round(self) -> (i32, f32);
}

macro_rules! real {
    ($type:ty, $whole:ty) => {
        impl Real for $type {
            #[inline]
            fn of(value: f32) -> Self {
                Self::from(value)
            }

            #[inline]
            fn floor(self) -> (i32, f32) {
                let whole = if self >= 0.0 { self as $whole } else { self as $whole - 1 };
                (whole as i32, (self - whole as Self) as f32)
            }

            #[inline]
            fn round(self) -> (i32, f32) {
                let whole = (if self >= 0.0 { self + 0.5 } else { self - 0.5 }) as $whole;
                (whole as i32, (self - whole as Self) as f32)
            }
        }
    };
}

real!(f32, i32);
real!(f64, i64);

/// Noise of one kind.
#[derive(Clone, Copy, Debug)]
pub(super) struct Gradient {
    pub(super) kind: NoiseKind,
    pub(super) seed: i32,
    /// Humps a cell.
    pub(super) frequency: f32,
    pub(super) octaves: u8,
}

impl Gradient {
    /// The noise at a place, about -1 to 1. O(octaves).
    pub(super) fn flat<R: Real>(&self, at: [R; 2]) -> f32 {
        let [mut x, mut y] = at.map(|at| at * R::of(self.frequency));
        if self.kind == NoiseKind::Simplex {
            const ROOT: f32 = 1.732_050_807_568_877_2;
            let skew = (x + y) * R::of(0.5 * (ROOT - 1.0));
            (x, y) = (x + skew, y + skew);
        }
        self.sum([x, y], |seed, [x, y]| match self.kind {
            NoiseKind::Simplex => simplex_2(seed, x.floor(), y.floor()),
            NoiseKind::Perlin => perlin_2(seed, x.floor(), y.floor()),
        })
    }

    /// The same in three dimensions.
    pub(super) fn solid<R: Real>(&self, at: [R; 3]) -> f32 {
        let [mut x, mut y, mut z] = at.map(|at| at * R::of(self.frequency));
        if self.kind == NoiseKind::Simplex {
            // A turn of the lattice, not a skew.
            let r = (x + y + z) * R::of(2.0 / 3.0);
            (x, y, z) = (r - x, r - y, r - z);
        }
        self.sum([x, y, z], |seed, at| match self.kind {
            NoiseKind::Simplex => simplex_3(seed, at.map(Real::round)),
            NoiseKind::Perlin => perlin_3(seed, at.map(Real::floor)),
        })
    }

    /// Octaves, each of half the strength and half the scale, so that all of them stay within -1 to 1.
    fn sum<R: Real, const N: usize>(
        &self,
        mut at: [R; N],
        one: impl Fn(i32, [R; N]) -> f32,
    ) -> f32 {
        if self.octaves <= 1 {
            return one(self.seed, at);
        }
        let (mut strength, mut whole) = (0.5, 1.0);
        for _ in 1..self.octaves {
            whole += strength;
            strength *= 0.5;
        }
        let (mut sum, mut strength, mut seed) = (0.0, 1.0 / whole, self.seed);
        for _ in 0..self.octaves {
            sum += one(seed, at) * strength;
            seed = seed.wrapping_add(1);
            at = at.map(|at| at * R::of(2.0));
            strength *= 0.5;
        }
        sum
    }
}

/// Where a place lies in the hash of an axis.
fn primed(axis: usize, whole: i32) -> i32 {
    whole.wrapping_mul(PRIMES[axis])
}

fn mixed(hash: i32) -> usize {
    let hash = hash.wrapping_mul(MIX);
    (hash ^ (hash >> 15)) as usize
}

/// The slope of a lattice place, taken some way from it.
fn slope_2(seed: i32, x: i32, y: i32, away: [f32; 2]) -> f32 {
    // 24 directions, five times over, and eight of them once more.
    let number = mixed(seed ^ x ^ y) >> 1 & 127;
    let number = if number < 120 { number % 24 } else { (number - 120) * 3 + 1 };
    let [a, b] = SLANTS[number % 6];
    let [gx, gy] = match number / 6 {
        0 => [a, b],
        1 => [b, -a],
        2 => [-a, -b],
        _ => [-b, a],
    };
    away[0] * gx + away[1] * gy
}

fn slope_3(seed: i32, at: [i32; 3], away: [f32; 3]) -> f32 {
    // The middles of the twelve edges of a cube, five times over, and four of them once more.
    const EDGES: [[i8; 3]; 12] = [
        [0, 1, 1],
        [0, -1, 1],
        [0, 1, -1],
        [0, -1, -1],
        [1, 0, 1],
        [-1, 0, 1],
        [1, 0, -1],
        [-1, 0, -1],
        [1, 1, 0],
        [-1, 1, 0],
        [1, -1, 0],
        [-1, -1, 0],
    ];
    const LAST: [usize; 4] = [8, 1, 9, 3];
    let number = mixed(seed ^ at[0] ^ at[1] ^ at[2]) >> 2 & 63;
    let edge = EDGES[if number < 60 { number % 12 } else { LAST[number - 60] }].map(f32::from);
    (away[0] * edge[0] + away[1] * edge[1]) + away[2] * edge[2]
}

fn between(a: f32, b: f32, t: f32) -> f32 {
    a + t * (b - a)
}

fn smooth(t: f32) -> f32 {
    t * t * t * (t * (t * 6.0 - 15.0) + 10.0)
}

fn fourth(value: f32) -> f32 {
    (value * value) * (value * value)
}

fn simplex_2(seed: i32, (i, x): (i32, f32), (j, y): (i32, f32)) -> f32 {
    const ROOT: f32 = 1.732_050_807_568_877_2;
    const G: f32 = (3.0 - ROOT) / 6.0;
    let t = (x + y) * G;
    let (x, y) = (x - t, y - t);
    let (i, j) = (primed(0, i), primed(1, j));
    let (east, south) = (i.wrapping_add(PRIMES[0]), j.wrapping_add(PRIMES[1]));
    let a = 0.5 - x * x - y * y;
    let here = if a <= 0.0 { 0.0 } else { fourth(a) * slope_2(seed, i, j, [x, y]) };
    let c = (2.0 * (1.0 - 2.0 * G) * (1.0 / G - 2.0)) * t
        + ((-2.0 * (1.0 - 2.0 * G) * (1.0 - 2.0 * G)) + a);
    let far = if c <= 0.0 {
        0.0
    } else {
        let away = [x + (2.0 * G - 1.0), y + (2.0 * G - 1.0)];
        fourth(c) * slope_2(seed, east, south, away)
    };
    let (away, place) = if y > x {
        ([x + G, y + (G - 1.0)], [i, south])
    } else {
        ([x + (G - 1.0), y + G], [east, j])
    };
    let b = 0.5 - away[0] * away[0] - away[1] * away[1];
    let beside = if b <= 0.0 { 0.0 } else { fourth(b) * slope_2(seed, place[0], place[1], away) };
    (here + beside + far) * 99.836_854_463_036_47
}

fn perlin_2(seed: i32, (i, x): (i32, f32), (j, y): (i32, f32)) -> f32 {
    let (across, down) = (smooth(x), smooth(y));
    let (i, j) = (primed(0, i), primed(1, j));
    let (east, south) = (i.wrapping_add(PRIMES[0]), j.wrapping_add(PRIMES[1]));
    let row = |j: i32, y: f32| {
        between(slope_2(seed, i, j, [x, y]), slope_2(seed, east, j, [x - 1.0, y]), across)
    };
    between(row(j, y), row(south, y - 1.0), down) * 1.424_769_110_467_781_3
}

fn perlin_3(seed: i32, at: [(i32, f32); 3]) -> f32 {
    let [x, y, z] = at.map(|(_, rest)| rest);
    let [across, down, up] = [x, y, z].map(smooth);
    let place = |axis: usize, step: i32| {
        primed(axis, at[axis].0).wrapping_add(if step == 1 { PRIMES[axis] } else { 0 })
    };
    let corner = |dx: i32, dy: i32, dz: i32| {
        let away = [x - dx as f32, y - dy as f32, z - dz as f32];
        slope_3(seed, [place(0, dx), place(1, dy), place(2, dz)], away)
    };
    let row = |dy, dz| between(corner(0, dy, dz), corner(1, dy, dz), across);
    let level = |dz| between(row(0, dz), row(1, dz), down);
    between(level(0), level(1), up) * 0.964_921_414_852_142_3
}

/// Two lattices of cubes, the second half a cube away.
fn simplex_3(mut seed: i32, at: [(i32, f32); 3]) -> f32 {
    let mut rest = at.map(|(_, rest)| rest);
    let mut sign = rest.map(|rest| (-1.0 - rest) as i32 | 1);
    let mut gap: [f32; 3] = std::array::from_fn(|axis| sign[axis] as f32 * -rest[axis]);
    let mut place: [i32; 3] = std::array::from_fn(|axis| primed(axis, at[axis].0));
    let mut value = 0.0;
    let mut a = (0.6 - rest[0] * rest[0]) - (rest[1] * rest[1] + rest[2] * rest[2]);
    for second in [false, true] {
        if a > 0.0 {
            value += fourth(a) * slope_3(seed, place, rest);
        }
        let axis = if gap[0] >= gap[1] && gap[0] >= gap[2] {
            0
        } else if gap[1] > gap[0] && gap[1] >= gap[2] {
            1
        } else {
            2
        };
        let b = a + gap[axis] + gap[axis];
        if b > 1.0 {
            let (mut beside, mut away) = (place, rest);
            beside[axis] = place[axis].wrapping_sub(sign[axis].wrapping_mul(PRIMES[axis]));
            away[axis] = rest[axis] + sign[axis] as f32;
            value += fourth(b - 1.0) * slope_3(seed, beside, away);
        }
        if second {
            break;
        }
        gap = gap.map(|gap| 0.5 - gap);
        rest = std::array::from_fn(|axis| sign[axis] as f32 * gap[axis]);
        a = a + (0.75 - gap[0]) - (gap[1] + gap[2]);
        place =
            std::array::from_fn(|axis| place[axis].wrapping_add((sign[axis] >> 1) & PRIMES[axis]));
        sign = sign.map(|sign| -sign);
        seed = !seed;
    }
    value * 32.694_282_531_738_28
}

#[cfg(test)]
mod tests {
    use super::*;
    use fastnoise_lite::{FastNoiseLite, FractalType, NoiseType};
    use proptest::prelude::*;

    fn twin(noise: &Gradient) -> FastNoiseLite {
        let mut twin = FastNoiseLite::with_seed(noise.seed);
        twin.set_noise_type(Some(match noise.kind {
            NoiseKind::Simplex => NoiseType::OpenSimplex2,
            NoiseKind::Perlin => NoiseType::Perlin,
        }));
        twin.set_frequency(Some(noise.frequency));
        if noise.octaves > 1 {
            twin.set_fractal_type(Some(FractalType::FBm));
            twin.set_fractal_octaves(Some(i32::from(noise.octaves)));
        }
        twin
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]

        #[test]
        fn near_the_origin_it_is_the_noise_of_the_crate(
            simplex: bool, seed in any::<i32>().prop_map(|seed| seed / 2), scale in 0.01f32..40.0,
            octaves in 1u8..9, at in prop::array::uniform3(-16_000i32..16_000), half: bool,
        ) {
            let kind = if simplex { NoiseKind::Simplex } else { NoiseKind::Perlin };
            let noise = Gradient { kind, seed, frequency: 1.0 / scale, octaves };
            let twin = twin(&noise);
            for step in 0..8 {
                let [x, y, z] = at.map(|at| (at + step) as f32 + if half { 0.5 } else { 0.0 });
                let flat = noise.flat([x, y]);
                prop_assert_eq!(flat.to_bits(), twin.get_noise_2d(x, y).to_bits());
                let solid = noise.solid([x, y, z]);
                prop_assert_eq!(solid.to_bits(), twin.get_noise_3d(x, y, z).to_bits());
            }
        }

        /// Where coordinates of 64 bits take over nothing jumps.
        #[test]
        fn near_and_far_meet(simplex: bool, seed: i32, scale in 4.0f32..40.0, y in -1e4..1e4f32) {
            let kind = if simplex { NoiseKind::Simplex } else { NoiseKind::Perlin };
            let noise = Gradient { kind, seed, frequency: 1.0 / scale, octaves: 1 };
            let place = [16_384.0, y, 3.0];
            let exact = place.map(f64::from);
            let (near, far) = (noise.flat([place[0], y]), noise.flat([exact[0], exact[1]]));
            prop_assert!((near - far).abs() < 0.01, "{} {}", near, far);
            let (near, far) = (noise.solid(place), noise.solid(exact));
            prop_assert!((near - far).abs() < 0.01, "{} {}", near, far);
        }
    }

    /// How much it changes from cell to cell, and how far it reaches, are the same everywhere.
    #[test]
    fn far_out_it_is_as_lively_as_near() {
        for (kind, octaves) in
            [(NoiseKind::Simplex, 1), (NoiseKind::Simplex, 4), (NoiseKind::Perlin, 1)]
        {
            let noise = Gradient { kind, seed: 5, frequency: 1.0 / 9.0, octaves };
            let lively = |from: f64, solid: bool| -> f64 {
                let at = |x: i32, y: i32| {
                    let [x, y] = [x, y].map(|at| from + f64::from(at));
                    if solid { noise.solid([x, y, from]) } else { noise.flat([x, y]) }
                };
                let steps = (0..64).flat_map(|y| (0..64).map(move |x| (x, y)));
                steps.map(|(x, y)| f64::from((at(x + 1, y) - at(x, y)).abs())).sum()
            };
            for solid in [false, true] {
                let near = lively(0.0, solid);
                for from in [1e5, 1e8, -5e8, 2e9, -2.1e9] {
                    let ratio = lively(from, solid) / near;
                    assert!((0.7..1.4).contains(&ratio), "{kind:?} {octaves} {from} {ratio}");
                }
            }
        }
    }
}
