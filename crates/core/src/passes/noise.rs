//! Noise over cells, and the `noise` pass: bands of it to terrain, tags or heights. Reach: the cell.

use super::condition::Condition;
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Lattice};
use crate::map::{Layer, Placed, Terrain, Tilemap};
use crate::seed::Seed;
use fastnoise_lite::{FastNoiseLite, FractalType, NoiseType};

/// Which noise.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum NoiseKind {
    /// Simplex noise.
    #[default]
    Simplex,
    /// Perlin's gradient noise.
    Perlin,
}

/// A smooth random value for each cell.
///
/// The value of a cell depends on the seed, the name it is asked under and the cell alone. On hexagons
/// it is taken where the middle of the cell lies.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice};
/// use lantern_quilt_core::passes::Noise;
/// use lantern_quilt_core::seed::Seed;
///
/// let at = Noise::new(12.0).sampler(Lattice::Square, &Seed::default(), "ferns");
/// let value = at(Cell::new(3, 4));
/// assert!((0.0..=1.0).contains(&value) && value == at(Cell::new(3, 4)));
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Noise {
    /// Which noise.
    pub kind: NoiseKind,
    /// Cells from one hump to the next, about.
    pub scale: f32,
    /// Layers, each of half the strength and half the scale: 1 to 8.
    pub octaves: u8,
    /// How many times wider humps are from west to east, and from north to south.
    pub stretch: [f32; 2],
}

impl Noise {
    /// One octave of simplex noise.
    pub const fn new(scale: f32) -> Self {
        Self { kind: NoiseKind::Simplex, scale, octaves: 1, stretch: [1.0, 1.0] }
    }

    /// What tells the value of a cell, from 0 to 1.
    pub fn sampler(
        self,
        lattice: Lattice,
        seed: &Seed,
        name: &str,
    ) -> impl Fn(Cell) -> f32 + use<> {
        let mut noise =
            FastNoiseLite::with_seed(seed.keyed(&["noise", name]).bits(Cell::default()) as i32);
        noise.set_noise_type(Some(match self.kind {
            NoiseKind::Simplex => NoiseType::OpenSimplex2,
            NoiseKind::Perlin => NoiseType::Perlin,
        }));
        noise.set_frequency(Some(1.0 / self.scale.max(0.01)));
        if self.octaves > 1 {
            noise.set_fractal_type(Some(FractalType::FBm));
            noise.set_fractal_octaves(Some(i32::from(self.octaves.min(8))));
        }
        let [wide, high] = self.stretch.map(|stretch| stretch.max(0.01));
        move |cell| {
            let (x, y) = middle(lattice, cell);
            let value = if lattice.is_solid() {
                noise.get_noise_3d(x / wide, y / high, cell.z as f32)
            } else {
                noise.get_noise_2d(x / wide, y / high)
            };
            (value * 0.5 + 0.5).clamp(0.0, 1.0)
        }
    }
}

/// Where the middle of a cell lies, in widths of a cell.
pub(super) fn middle(lattice: Lattice, cell: Cell) -> (f32, f32) {
    // Rows of regular hexagons lie closer than they are high.
    const CLOSE: f32 = 0.866_025_4;
    let (x, y) = (cell.x as f32, cell.y as f32);
    let half = |at: i32| if at.rem_euclid(2) == 1 { 0.5 } else { 0.0 };
    match lattice {
        Lattice::HexPointy => (x + half(cell.y), y * CLOSE),
        Lattice::HexFlat => (x * CLOSE, y + half(cell.x)),
        Lattice::Square | Lattice::Box => (x, y),
    }
}

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
#[derive(Clone, Debug, PartialEq, Eq)]
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
    /// Lays the bands; says how many cells changed. O(cells x bands).
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> u64 {
        let place = self.place.cells(map, seed, &self.name);
        let extent = map.layout().extent();
        let at = self.noise.sampler(map.layout().lattice(), seed, &self.name);
        let mut cells: Vec<(f32, u32)> =
            place.indices().map(|index| (at(extent.cell(index)), index as u32)).collect();
        let all = cells.len();
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
            if !matches!(up_to, UpTo::Value(_)) && count > 0 && count < left.len() {
                // Of equal values the first cells come first.
                left.select_nth_unstable_by(count, |a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            }
            let (band, rest) = left.split_at_mut(count);
            changed += becomes.lay(map, band.iter().map(|&(_, index)| index as usize));
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
    /// O(cells).
    ///
    /// # Panics
    /// When a cell lies outside.
    pub fn lay(&self, map: &mut Tilemap, cells: impl Iterator<Item = usize>) -> u64 {
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
            Self::Tile { layer, placed } => {
                let known = map.layers.iter().position(|known| known.name == *layer);
                let number = known.unwrap_or_else(|| {
                    map.layers.push(Layer::new(layer, extent, Vec::new()));
                    map.layers.len() - 1
                });
                let layer = &mut map.layers[number];
                let entry = Some(layer.add(placed.clone()));
                for cell in cells.map(|index| extent.cell(index)) {
                    changed += u64::from(layer.get(cell) != Some(placed));
                    layer.set(cell, entry);
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
