//! How what a model file holds is brought into a cell.

use super::mesh::{Bounds, Model};
use glam::{Mat3, Vec3};
use lantern_quilt_core::lattice::Side;

/// Where in its cell the zero of a model file lies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// In the lowest north-west corner.
    Corner,
    /// In the middle of the floor.
    #[default]
    Floor,
    /// In the middle of the cell.
    Centre,
}

impl Origin {
    /// Every origin, the likeliest first.
    pub const ALL: [Self; 3] = [Self::Floor, Self::Corner, Self::Centre];

    /// The name as written in quilts.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Corner => "corner",
            Self::Floor => "floor",
            Self::Centre => "centre",
        }
    }

    /// The origin of that [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.name() == name)
    }

    /// From the middle of the floor of the first of some cells of that size to the zero of the file.
    fn offset(self, module: Vec3, span: [u32; 3]) -> Vec3 {
        let corner = Vec3::new(-module.x / 2.0, 0.0, -module.z / 2.0);
        let [wide, deep, high] = span.map(|cells| cells as f32);
        let size = module * Vec3::new(wide, high, deep);
        match self {
            Self::Corner => corner,
            Self::Floor => corner + Vec3::new(size.x / 2.0, 0.0, size.z / 2.0),
            Self::Centre => corner + size / 2.0,
        }
    }
}

/// The axis of a file that points up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UpAxis {
    /// y, as glTF has it.
    #[default]
    Y,
    /// z, as many OBJ files have it.
    Z,
}

impl UpAxis {
    /// The name as written in quilts.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Y => "y",
            Self::Z => "z",
        }
    }
}

/// How the models of a file are brought into cells; what is `None` is guessed.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Placing {
    /// Where its zero lies.
    pub origin: Option<Origin>,
    /// Metres a unit of the file.
    pub scale: Option<f64>,
    /// Which axis points up.
    pub up: Option<UpAxis>,
    /// The side that its front faces; the front of a glTF file is +z.
    pub facing: Option<Side>,
}

/// What was settled on for a file, and whether that is more than the defaults.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Guess {
    /// Where its zero lies.
    pub origin: Origin,
    /// Metres a unit of the file.
    pub scale: f64,
    /// Which axis points up.
    pub up: UpAxis,
    /// The side that its front faces.
    pub facing: Side,
    /// Whether all models fit their cells like this.
    pub fits: bool,
    /// Whether something was guessed that is not the default.
    pub unusual: bool,
}

/// Scales that files come in, the likeliest first: metres, centimetres, millimetres, and inches.
const SCALES: [f64; 6] = [1.0, 0.01, 0.001, 0.0254, 100.0, 10.0];

/// How far a model may leave its cell before it counts as leaving it, in parts of the cell.
pub(crate) const SLACK: f32 = 1e-3;

impl Placing {
    /// What this says, and where it says nothing what `other` says.
    #[must_use]
    pub fn or(self, other: Self) -> Self {
        Self {
            origin: self.origin.or(other.origin),
            scale: self.scale.or(other.scale),
            up: self.up.or(other.up),
            facing: self.facing.or(other.facing),
        }
    }

    /// Settles what is left open, from the bounds of the models of a file, each with the cells that it covers
    /// (width, depth, height), and the size of a cell in metres (width, height, depth): the first that fits and is not tiny, else the defaults.
    ///
    /// ```
    /// use glam::Vec3;
    /// use lantern_quilt::models::{Bounds, Origin, Placing};
    ///
    /// let post = Bounds { least: Vec3::new(40.0, 0.0, 40.0), most: Vec3::new(60.0, 300.0, 60.0) };
    /// let guess = Placing::default().settled(&[(post, [1; 3])], Vec3::new(1.0, 3.0, 1.0), false);
    /// assert_eq!((guess.origin, guess.scale, guess.fits), (Origin::Corner, 0.01, true));
    /// ```
    pub fn settled(self, bounds: &[(Bounds, [u32; 3])], module: Vec3, may_lie: bool) -> Guess {
        let ups: &[UpAxis] = match self.up {
            Some(UpAxis::Z) => &[UpAxis::Z],
            None if may_lie => &[UpAxis::Y, UpAxis::Z],
            _ => &[UpAxis::Y],
        };
        let origins = self.origin.map_or(Origin::ALL.to_vec(), |one| vec![one]);
        let scales = self.scale.map_or(SCALES.to_vec(), |one| vec![one]);
        let facing = self.facing.unwrap_or(Side::South);
        let first = Guess {
            origin: origins[0],
            scale: scales[0],
            up: ups[0],
            facing,
            fits: bounds.is_empty(),
            unusual: false,
        };
        if bounds.is_empty() {
            return first;
        }
        for &scale in &scales {
            for &up in ups {
                for &origin in &origins {
                    let one = Guess { origin, scale, up, ..first };
                    let placed: Vec<(Bounds, [u32; 3])> = (bounds.iter())
                        .map(|&(bounds, span)| (one.bounds(bounds, module, span), span))
                        .collect();
                    let fits = placed.iter().all(|&(bounds, span)| {
                        overhang(bounds, module, span) <= SLACK * module.max_element()
                    });
                    let largest = placed.iter().map(|(b, _)| (b.size() / module).max_element());
                    // Something in the file is at least a quarter of a cell, or its unit is another.
                    if fits && largest.fold(0.0, f32::max) >= 0.25 {
                        let unusual = (origin, scale, up) != (first.origin, first.scale, first.up);
                        return Guess { fits: true, unusual, ..one };
                    }
                }
            }
        }
        first
    }
}

impl Guess {
    /// What it does to points of the file.
    pub fn matrix(&self) -> Mat3 {
        let up = match self.up {
            UpAxis::Y => Mat3::IDENTITY,
            // z goes up, and what was y goes north.
            UpAxis::Z => Mat3::from_cols(Vec3::X, Vec3::NEG_Z, Vec3::Y),
        };
        // Clockwise quarter turns from the front that looks south.
        let turned = match self.facing {
            Side::West => Mat3::from_cols(Vec3::Z, Vec3::Y, Vec3::NEG_X),
            Side::North => Mat3::from_cols(Vec3::NEG_X, Vec3::Y, Vec3::NEG_Z),
            Side::East => Mat3::from_cols(Vec3::NEG_Z, Vec3::Y, Vec3::X),
            _ => Mat3::IDENTITY,
        };
        turned * up * self.scale as f32
    }

    /// Brings a model of the file into a cell of that size, or into the cells that it covers.
    #[must_use]
    pub fn stand(&self, model: &Model, module: Vec3, span: [u32; 3]) -> Model {
        model.moved(self.matrix(), self.origin.offset(module, span))
    }

    /// Brings a model that stands in its cell back to how the file has it.
    #[must_use]
    pub fn lift(&self, model: &Model, module: Vec3, span: [u32; 3]) -> Model {
        let back = self.matrix().inverse();
        model.moved(back, back * -self.origin.offset(module, span))
    }

    fn bounds(&self, bounds: Bounds, module: Vec3, span: [u32; 3]) -> Bounds {
        let matrix = self.matrix();
        let ends = [matrix * bounds.least, matrix * bounds.most];
        let offset = self.origin.offset(module, span);
        Bounds { least: ends[0].min(ends[1]) + offset, most: ends[0].max(ends[1]) + offset }
    }
}

/// How far a box leaves the cells it may fill, in metres; 0 when it does not.
pub(crate) fn overhang(bounds: Bounds, module: Vec3, span: [u32; 3]) -> f32 {
    let [wide, deep, high] = span.map(|cells| cells as f32);
    let least = Vec3::new(-module.x / 2.0, 0.0, -module.z / 2.0);
    let most = least + module * Vec3::new(wide, high, deep);
    (least - bounds.least).max(bounds.most - most).max_element().max(0.0)
}
