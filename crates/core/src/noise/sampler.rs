//! A smooth random value for each cell.

use super::gradient::{Gradient, NoiseKind};
use crate::lattice::{Cell, Lattice};
use crate::seed::Seed;

/// A smooth random value for each cell.
///
/// The value of a cell depends on the seed, the name it is asked under and the cell alone. On hexagons
/// it is taken where the middle of the cell lies.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice};
/// use lantern_quilt_core::noise::Noise;
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

crate::setters! {
    Noise { kind: NoiseKind, octaves: u8, stretch: [f32; 2], }
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
        let noise = Gradient {
            kind: self.kind,
            seed: seed.keyed(&["noise", name]).bits(Cell::default()) as i32,
            frequency: 1.0 / self.scale.max(0.01),
            octaves: self.octaves.min(8),
        };
        let stretch = self.stretch.map(|stretch| stretch.max(0.01));
        move |cell| {
            let [x, y] = middle(lattice, cell);
            let z = f64::from(cell.z);
            let value = if is_near(cell) {
                let [x, y] = [x as f32 / stretch[0], y as f32 / stretch[1]];
                if lattice.is_solid() { noise.solid([x, y, z as f32]) } else { noise.flat([x, y]) }
            } else {
                let [x, y] = [x / f64::from(stretch[0]), y / f64::from(stretch[1])];
                if lattice.is_solid() { noise.solid([x, y, z]) } else { noise.flat([x, y]) }
            };
            (value * 0.5 + 0.5).clamp(0.0, 1.0)
        }
    }
}

/// Whether numbers of 32 bits tell where a cell and its parts lie. There they are used, as they always
/// were: exact ones would change maps.
pub(crate) fn is_near(cell: Cell) -> bool {
    const NEAR: u32 = 16_384;
    [cell.x, cell.y, cell.z].iter().all(|along| along.unsigned_abs() < NEAR)
}

/// Where the middle of a cell lies, in widths of a cell.
pub(crate) fn middle(lattice: Lattice, cell: Cell) -> [f64; 2] {
    // Rows of regular hexagons lie closer than they are high.
    const CLOSE: f32 = 0.866_025_4;
    let close = |at: i32| {
        if is_near(cell) { f64::from(at as f32 * CLOSE) } else { f64::from(at) * f64::from(CLOSE) }
    };
    let half = |at: i32| if at.rem_euclid(2) == 1 { 0.5 } else { 0.0 };
    let (x, y) = (f64::from(cell.x), f64::from(cell.y));
    match lattice {
        Lattice::HexPointy => [x + half(cell.y), close(cell.y)],
        Lattice::HexFlat => [close(cell.x), y + half(cell.x)],
        Lattice::Square | Lattice::Box => [x, y],
    }
}
