//! The `noise` pass: bands of noise to terrain, tiles, tags or heights. Reach: the cell.
//!
//! `sampler` gives each cell its value, `gradient` works it out.

mod gradient;
mod sampler;

pub use sampler::{Noise, NoiseKind};
pub(super) use sampler::{is_near, middle};

use super::condition::Condition;
use crate::grid::{BitPlane, Plane};
use crate::map::{Layer, Placed, Terrain, Tilemap};
use crate::seed::{Keyed, Seed, Weighted};

/// Up to where a band goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum UpTo {
    /// A value of the noise, from 0 to 1.
    Value(f32),
    /// A share of the cells, exact to rounding; of equal values the first cells come first.
    Share(f64),
    /// A share between two, drawn by the seed.
    ShareBetween(f64, f64),
    /// All that is left.
    Rest,
}

/// What the cells of a band become.
#[derive(Clone, Debug, PartialEq)]
pub enum Becomes {
    /// A terrain.
    Terrain(String),
    /// They get a tag.
    Tag(String),
    /// A height.
    Height(i32),
    /// A tile stands on them.
    Tile {
        /// On this layer, which is made where there is none.
        layer: String,
        /// What stands there.
        placed: Placed,
        /// How common each of its looks is; without any it has that of `placed`.
        looks: Vec<f64>,
    },
    /// Nothing.
    AsIs,
}

/// Cells of low noise to cells of high noise, band by band.
#[derive(Clone, Debug, PartialEq)]
pub struct NoisePass {
    /// Its name, which is also that of its noise.
    pub name: String,
    /// Which cells take part.
    pub place: Condition,
    /// The noise.
    pub noise: Noise,
    /// From the lowest values up.
    pub bands: Vec<(UpTo, Becomes)>,
}

impl NoisePass {
    /// Lays the bands; says how many cells changed. O(cells), and sorting them where there are many bands.
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> u64 {
        let place = self.place.cells(map, seed, &self.name);
        let extent = map.layout().extent();
        let at = self.noise.sampler(map.layout().lattice(), seed, &self.name);
        let looks = seed.keyed(&[&self.name, "look"]);
        let mut cells: Vec<(f32, u32)> =
            place.indices().map(|index| (at(extent.cell(index)), index as u32)).collect();
        let all = cells.len();
        // Few bands are parted from the rest one by one; for many, all cells are put in order first.
        let sorted = self.bands.len() > 12;
        if sorted {
            cells.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        }
        // What is left is higher than what was taken, so no band needs more than to be parted from it.
        let mut left = &mut cells[..];
        let (mut share, mut changed) = (0.0, 0);
        for (number, (up_to, becomes)) in self.bands.iter().enumerate() {
            let taken = all - left.len();
            let mut up_to_share = |part: f64| {
                share += part;
                ((share * all as f64).round() as usize).saturating_sub(taken)
            };
            let count = match *up_to {
                UpTo::Value(value) if sorted => left.partition_point(|cell| cell.0 < value),
                UpTo::Value(value) => lower_first(left, value),
                UpTo::Share(part) => up_to_share(part),
                UpTo::ShareBetween(least, most) => {
                    let mut drawn = seed.stream(&[&self.name, "share", &number.to_string()]);
                    let part = (drawn.bits() >> 11) as f64 / (1_u64 << 53) as f64;
                    up_to_share(least + part * (most - least))
                }
                UpTo::Rest => left.len(),
            };
            let count = count.min(left.len());
            let parted = sorted || matches!(up_to, UpTo::Value(_));
            if !parted && count > 0 && count < left.len() {
                // Of equal values the first cells come first.
                left.select_nth_unstable_by(count, |a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            }
            let (band, rest) = left.split_at_mut(count);
            changed += becomes.lay(map, looks, band.iter().map(|&(_, index)| index as usize));
            left = rest;
        }
        changed
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

impl Becomes {
    /// Makes it of some cells, by their place in the map; says how many of them were something else.
    /// `chance` picks the looks of tiles. O(cells).
    ///
    /// # Panics
    /// When a cell lies outside.
    pub fn lay(&self, map: &mut Tilemap, chance: Keyed, cells: impl Iterator<Item = usize>) -> u64 {
        let extent = map.layout().extent();
        let mut changed = 0;
        match self {
            Self::AsIs => {}
            Self::Terrain(name) => {
                let terrain = map.terrain.get_or_insert_with(|| Terrain::new(extent));
                let number = Some(terrain.number(name));
                for index in cells {
                    changed += u64::from(terrain.cells.get(index) != number);
                    terrain.cells.set(index, number);
                }
            }
            Self::Height(height) => {
                let heights = map.heights.get_or_insert_with(|| Plane::new(extent, 0));
                for index in cells {
                    changed += u64::from(heights.values()[index] != *height);
                    heights.values_mut()[index] = *height;
                }
            }
            Self::Tile { layer, placed, looks } => {
                let known = map.layers.iter().position(|known| known.name == *layer);
                let number = known.unwrap_or_else(|| {
                    map.layers.push(Layer::new(layer, extent, Vec::new()));
                    map.layers.len() - 1
                });
                let layer = &mut map.layers[number];
                let weighted = Weighted::new(looks.iter().copied());
                let numbers = (0..looks.len().max(1) as u32).map(|look| {
                    let look = if looks.is_empty() { placed.look } else { look };
                    layer.add(Placed { look, ..placed.clone() })
                });
                let numbers: Vec<u32> = numbers.collect();
                for cell in cells.map(|index| extent.cell(index)) {
                    let look = weighted.pick(chance.bits(cell)).unwrap_or(0);
                    let number = numbers[look];
                    let index = layer.extent().index(cell);
                    let before = index.and_then(|index| layer.cells().get(index));
                    changed += u64::from(before != Some(number));
                    layer.set(cell, Some(number));
                }
            }
            Self::Tag(name) => {
                let plane = map.tag_mut(name);
                for cell in cells.map(|index| extent.cell(index)) {
                    changed += u64::from(!plane.get(cell));
                    plane.set(cell, true);
                }
            }
        }
        changed
    }
}

impl Tilemap {
    /// The plane of a tag; one that no cell has is added.
    pub(super) fn tag_mut(&mut self, name: &str) -> &mut BitPlane {
        let place = match self.tags.binary_search_by(|(known, _)| known.as_str().cmp(name)) {
            Ok(place) => place,
            Err(place) => {
                let plane = BitPlane::new(self.layout().extent());
                self.tags.insert(place, (name.to_owned(), plane));
                place
            }
        };
        &mut self.tags[place].1
    }
}
