//! Weights that differ from cell to cell.
//!
//! Cells with the same scales share a *profile*: a table of weights. Only levels and picks depend on
//! it, so propagation runs as ever; the queue is told after each decision instead of at each change,
//! by the level of the cell's own weights, which is kept here.

use super::choose::{CLOSED, Standing};
use super::measure::{Ranking, Weights};
use super::space::{Scale, Space};
use crate::id::PoseId;
use crate::lattice::Cell;
use crate::rules::Rules;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Profiles at most; with more, scales are distinguished less finely.
const MOST_PROFILES: usize = 4096;

/// The level of untouched cells when they are drawn only in need.
const LAST: u8 = u8::MAX;

#[derive(Clone, Debug)]
pub(super) struct OwnWeights {
    ranking: Ranking,
    /// Those made so far.
    profiles: Vec<Profile>,
    /// The profile of each cell, rim included.
    of_cell: Vec<u16>,
    /// The level of each cell; 0 when decided or taking no part.
    levels: Vec<u8>,
    /// The values of scales that make each profile.
    known: HashMap<Vec<u8>, u16, FxBuildHasher>,
    keys: Vec<Vec<u8>>,
    /// Bits of values by which profiles differ.
    kept_bits: u32,
    /// How many cells have their profile.
    done: usize,
}

#[derive(Clone, Debug)]
struct Profile {
    weights: Weights,
    each: Vec<u64>,
}

impl OwnWeights {
    /// Room for the weights of cells numbered below `len`; [`work`](Self::work) makes them.
    pub(super) fn new(ranking: Ranking, len: usize) -> Self {
        Self {
            ranking,
            profiles: Vec::new(),
            of_cell: vec![0; len],
            levels: vec![0; len],
            known: HashMap::default(),
            keys: Vec::new(),
            kept_bits: 8,
            done: 0,
        }
    }

    /// Reads up to `most` more cells or makes one profile; whether all weights are made.
    pub(super) fn work(
        &mut self,
        rules: &Rules,
        space: &Space,
        most: usize,
        number: impl Fn(Cell) -> u32,
    ) -> bool {
        let extent = space.layout().extent();
        if self.done < extent.cells() {
            self.read(space, most, number);
            return false;
        }
        if let Some(values) = self.keys.get(self.profiles.len()) {
            let profile = self.profile_of(rules, space, values);
            self.profiles.push(profile);
        }
        self.profiles.len() == self.keys.len()
    }

    /// Finds the profiles of more cells; from the start again when there are too many different ones.
    fn read(&mut self, space: &Space, most: usize, number: impl Fn(Cell) -> u32) {
        let scales = space.scales();
        let kept_bits = self.kept_bits;
        // Kept bits are repeated downwards, so that black and white stay what they are.
        let coarse = |value: u8| match kept_bits {
            8 => value,
            bits => {
                let top = u32::from(value) >> (8 - bits);
                (top * 255 / ((1 << bits) - 1)) as u8
            }
        };
        let mut values = Vec::with_capacity(scales.len());
        for cell in space.layout().extent().iter().skip(self.done).take(most) {
            values.clear();
            let at = scales.iter().map(|s| coarse(s.plane.get(cell).copied().unwrap_or(255)));
            values.extend(at);
            let profile = match self.known.get(&values) {
                Some(&profile) => profile,
                None => {
                    let next = self.keys.len() as u16;
                    self.known.insert(values.clone(), next);
                    self.keys.push(values.clone());
                    next
                }
            };
            self.of_cell[number(cell) as usize] = profile;
            self.done += 1;
            if self.keys.len() > MOST_PROFILES && self.kept_bits > 1 {
                self.kept_bits -= 1;
                self.known.clear();
                self.keys.clear();
                self.done = 0;
                return;
            }
        }
    }

    fn profile_of(&self, rules: &Rules, space: &Space, values: &[u8]) -> Profile {
        let weight = |(pose, &weight): (PoseId, &u64)| {
            let scaled = |weight: u64, (scale, &value): (&Scale, &u8)| {
                let value = if scale.poses.contains(pose) { value } else { 255 };
                (u128::from(weight) * u128::from(value) / 255) as u64
            };
            // At least 1: a scale of nothing makes a pose a last resort, not a forbidden one.
            space.scales().iter().zip(values).fold(weight, scaled).max(1)
        };
        let each: Vec<u64> = rules.weights().pairs().map(weight).collect();
        Profile { weights: Weights::new(self.ranking, each.iter().copied()), each }
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
