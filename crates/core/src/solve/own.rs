//! Weights that differ from cell to cell.
//!
//! Cells with the same scales share a *profile*: a table of weights. Only levels and picks depend on
//! it, so propagation runs as ever; the queue is told after each decision instead of at each change,
//! by the level of the cell's own weights, which is kept here.

use super::choose::{CLOSED, Standing};
use super::measure::{Ranking, Weights};
use super::space::Space;
use crate::lattice::Cell;
use crate::rules::{PoseSet, Rules};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Profiles at most; with more, scales are told apart less finely.
const MOST_PROFILES: usize = 4096;

/// The level of untouched cells when they are drawn only in need.
const LAST: u8 = u8::MAX;

#[derive(Clone, Debug)]
pub(super) struct OwnWeights {
    profiles: Vec<Profile>,
    /// The profile of each cell, rim included.
    of_cell: Vec<u16>,
    /// The level of each cell; 0 when decided or taking no part.
    levels: Vec<u8>,
}

#[derive(Clone, Debug)]
struct Profile {
    weights: Weights,
    each: Vec<u64>,
}

impl OwnWeights {
    /// The weights of `space`, for cells numbered below `len`.
    pub(super) fn new(
        rules: &Rules,
        space: &Space,
        ranking: Ranking,
        len: usize,
        number: impl Fn(Cell) -> u32,
    ) -> Self {
        let scales = space.scales();
        let mut kept_bits = 8;
        let (profiles, of_cell) = loop {
            let mut known: HashMap<Vec<u8>, u16, FxBuildHasher> = HashMap::default();
            let mut of_cell = vec![0; len];
            let fits = space.layout().extent().iter().all(|cell| {
                // Kept bits are repeated downwards, so that black and white stay what they are.
                let coarse = |value: u8| match kept_bits {
                    8 => value,
                    bits => {
                        let top = u32::from(value) >> (8 - bits);
                        (top * 255 / ((1 << bits) - 1)) as u8
                    }
                };
                let at = scales.iter().map(|s| coarse(s.plane.get(cell).copied().unwrap_or(255)));
                let next = known.len();
                let profile = *known.entry(at.collect()).or_insert(next as u16);
                of_cell[number(cell) as usize] = profile;
                known.len() <= MOST_PROFILES
            });
            if fits || kept_bits == 1 {
                let mut keys: Vec<(Vec<u8>, u16)> = known.into_iter().collect();
                keys.sort_unstable_by_key(|&(_, profile)| profile);
                break (keys, of_cell);
            }
            kept_bits -= 1;
        };
        let sets: Vec<&PoseSet> = scales.iter().map(|scale| &scale.poses).collect();
        let profile = |(values, _): &(Vec<u8>, u16)| {
            let each: Vec<u64> = rules
                .weights()
                .pairs()
                .map(|(pose, &weight)| {
                    let scaled = |weight: u64, (set, &value): (&&PoseSet, &u8)| {
                        let value = if set.contains(pose) { value } else { 255 };
                        (u128::from(weight) * u128::from(value) / 255) as u64
                    };
                    // At least 1: a scale of nothing makes a pose a last resort, not a forbidden one.
                    sets.iter().zip(values).fold(weight, scaled).max(1)
                })
                .collect();
            Profile { weights: Weights::new(ranking, each.iter().copied()), each }
        };
        Self { profiles: profiles.iter().map(profile).collect(), of_cell, levels: vec![0; len] }
    }

    /// Notes what a cell holds now, and tells its level. `untouched`: it is to be drawn last.
    pub(super) fn note(&mut self, at: u32, set: &[u64], untouched: bool) -> u8 {
        let level = match self.profile(at).weights.level(set) {
            0 => 0,
            _ if untouched => LAST,
            level => level.min(LAST - 1),
        };
        self.levels[at as usize] = level;
        level
    }

    /// A cell takes part no longer.
    pub(super) fn close(&mut self, at: u32) {
        self.levels[at as usize] = 0;
    }

    #[inline]
    pub(super) fn standing(&self, at: u32) -> Standing {
        match self.levels[at as usize] {
            0 => CLOSED,
            level => Standing::from(level),
        }
    }

    /// The pose that 64 random bits pick from what a cell holds.
    pub(super) fn pick(&self, at: u32, set: &[u64], random: u64) -> usize {
        self.profile(at).weights.pick(set, random)
    }

    /// The weight of each pose in a cell.
    pub(super) fn each(&self, at: u32) -> &[u64] {
        &self.profile(at).each
    }

    fn profile(&self, at: u32) -> &Profile {
        &self.profiles[usize::from(self.of_cell[at as usize])]
    }
}

/// Bytes for cells numbered below `len`.
pub(super) fn most_bytes(rules: &Rules, len: u64) -> u64 {
    len * 3 + MOST_PROFILES as u64 * rules.poses().len() as u64 * 32
}
