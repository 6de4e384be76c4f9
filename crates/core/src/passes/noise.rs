//! The `noise` pass: bands of noise to terrain, tiles, tags or heights. Reach: the cell; the whole map
//! where bands are shares of it.

use super::becomes::Becomes;
use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::map::Tilemap;
use crate::noise::Noise;
use crate::seed::part_of_one;

/// Up to where a band goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum BandEnd {
    /// A value of the noise, from 0 to 1.
    Value(f32),
    /// A share of the cells, exact to rounding; of equal values the first cells come first.
    Share(f64),
    /// A share between two, drawn by the seed.
    ShareBetween(f64, f64),
    /// All that is left.
    Rest,
}

/// Cells of low noise to cells of high noise, band by band.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct NoiseStep {
    /// The noise; its name is that of the pass.
    pub noise: Noise,
    /// From the lowest values up.
    pub bands: Vec<(BandEnd, Becomes)>,
    /// How far all ends of bands move together: one number between these two, drawn by the seed. An end at a
    /// value moves by that, an end at a share by that part of all cells.
    pub shift: [f64; 2],
}

crate::setters! {
    NoiseStep { shift: [f64; 2], }
}

impl NoiseStep {
    /// Bands from the lowest values up.
    pub const fn new(noise: Noise, bands: Vec<(BandEnd, Becomes)>) -> Self {
        Self { noise, bands, shift: [0.0; 2] }
    }

    fn drawn_shift(&self, scene: &Scene<'_>) -> f64 {
        let [least, most] = self.shift;
        if least == most {
            return least;
        }
        let part = part_of_one(scene.seed.stream(&[scene.name, "shift"]).bits());
        least + part * (most - least)
    }
}

impl Step for NoiseStep {
    fn kind(&self) -> &'static str {
        "noise"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        self.bands.iter().for_each(|(_, becomes)| becomes.note(&mut access.writes));
        access
    }

    /// The cell, or the whole map where bands are shares of it.
    fn reach(&self) -> Reach {
        let alone =
            |(up_to, _): &(BandEnd, Becomes)| matches!(up_to, BandEnd::Value(_) | BandEnd::Rest);
        if self.bands.iter().all(alone) { Reach::Cell } else { Reach::Map }
    }

    /// O(cells), and sorting them where there are many bands.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let (seed, pace) = (scene.seed, scene.pace);
        let place = scene.cells(map)?;
        let extent = map.layout().extent();
        let at = self.noise.sampler(map.layout().lattice(), seed, scene.name);
        let looks = seed.keyed(&[scene.name, "look"]);
        let mut cells: Vec<(f32, u32)> = Vec::with_capacity(place.count());
        for index in place.indices() {
            pace.cells(1)?;
            cells.push((at(extent.cell(index)), index as u32));
        }
        let all = cells.len();
        // Few bands are parted from the rest one by one; for many, all cells are put in order first.
        let sorted = self.bands.len() > 12;
        if sorted {
            cells.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        }
        // What is left is higher than what was taken, so no band needs more than to be parted from it.
        let mut left = &mut cells[..];
        let shift = self.drawn_shift(scene);
        let (mut share, mut report) = (shift, PassReport::new(scene.name));
        let mut next = map.clone();
        for (number, (up_to, becomes)) in self.bands.iter().enumerate() {
            let taken = all - left.len();
            let mut up_to_share = |part: f64| {
                share += part;
                ((share.max(0.0) * all as f64).round() as usize).saturating_sub(taken)
            };
            let count = match *up_to {
                BandEnd::Value(value) if sorted => {
                    left.partition_point(|cell| cell.0 < value + shift as f32)
                }
                BandEnd::Value(value) => lower_first(left, value + shift as f32),
                BandEnd::Share(part) => up_to_share(part),
                BandEnd::ShareBetween(least, most) => {
                    let mut drawn = seed.stream(&[scene.name, "share", &number.to_string()]);
                    up_to_share(least + part_of_one(drawn.bits()) * (most - least))
                }
                BandEnd::Rest => left.len(),
            };
            let count = count.min(left.len());
            let parted = sorted || matches!(up_to, BandEnd::Value(_));
            if !parted && count > 0 && count < left.len() {
                // Of equal values the first cells come first.
                left.select_nth_unstable_by(count, |a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            }
            let (band, rest) = left.split_at_mut(count);
            let band = band.iter().map(|&(_, index)| index as usize);
            report.cells += becomes.lay(&mut next, looks, band, pace)?;
            left = rest;
        }
        *map = next;
        Ok(Work::Done(report))
    }
}

/// Puts the cells below a value first; says how many they are.
fn lower_first(cells: &mut [(f32, u32)], value: f32) -> usize {
    let mut count = 0;
    for at in 0..cells.len() {
        if cells[at].0 < value {
            cells.swap(count, at);
            count += 1;
        }
    }
    count
}
