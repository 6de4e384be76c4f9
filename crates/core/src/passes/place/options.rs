//! What a `place` pass can be asked for.

use crate::grid::Plane;
use crate::lattice::Side;
use crate::map::Item;
use crate::noise::Noise;
use crate::passes::becomes::Becomes;
use crate::passes::condition::Condition;
use crate::passes::step::Scene;
use std::num::NonZeroU32;
use std::sync::Arc;

/// What a part of a set is.
#[derive(Clone, Debug, PartialEq)]
pub enum Thing {
    /// An item.
    Item {
        /// Its name.
        name: Arc<str>,
        /// How common each of its looks is; without any it is a marker.
        looks: Vec<f64>,
        /// Its tags.
        tags: Arc<[String]>,
    },
    /// A tile, on the layer of the pass.
    Tile {
        /// Its name.
        name: String,
        /// How common each of its looks is; without any it has one.
        looks: Vec<f64>,
    },
    /// Nothing; the cell stays free of other things.
    Room,
}

/// One of the things that are placed together.
#[derive(Clone, Debug, PartialEq)]
pub struct SetPiece {
    /// What it is.
    pub what: Thing,
    /// The side it faces as drawn.
    pub faces: Side,
    /// Cells east and south of the place, as drawn (on hexagons as [`Shift::drawn`](crate::lattice::Shift::drawn)
    /// counts them); turns with the set.
    pub at: [i32; 2],
    /// Cells east and south of the middle, as drawn; turns with the set.
    pub offset: [f32; 2],
}

/// Things that are placed together, and how common they are.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// Against other choices.
    pub weight: f64,
    /// What is placed; the first part stands at the place itself.
    pub parts: Vec<SetPiece>,
}

/// Where in a cell things stand.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum CellSpot {
    /// In its middle.
    #[default]
    Cell,
    /// On this side.
    Side(Side),
    /// On each side across which a condition holds.
    SideTowards(Condition),
    /// One for each connected region of cells, in its middle.
    Region,
}

/// Which way things face.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Facing {
    /// As drawn; on a side, outward.
    #[default]
    AsDrawn,
    /// This way.
    Side(Side),
    /// On a side, into the cell.
    Inward,
    /// The neighbour for which a condition holds; of several one by chance, of none the cell is left out.
    Towards(Condition),
    /// The other way.
    Away(Condition),
    /// So that the neighbour lies to the right. On square and box lattices.
    Along(Condition),
    /// Any way, in so many equal steps; where they are the ways to the sides, a side.
    Steps(u16),
}

/// A chance that differs from cell to cell.
#[derive(Clone, Debug, PartialEq)]
pub enum Density {
    /// Nothing up to a value of the noise, then rising evenly to the most where it is 1.
    Noise {
        /// The noise; its name is that of the pass.
        noise: Noise,
        /// Where it begins, from 0 to 1.
        above: f32,
        /// The highest chance.
        most: f64,
    },
    /// In 1/255.
    Picture(Plane<u8>),
}

/// How many are placed.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Amount {
    /// As many as fit.
    #[default]
    All,
    /// A number between two, drawn by the seed; as many as fit up to it.
    Between {
        /// The fewest.
        least: u64,
        /// The most.
        most: u64,
    },
    /// Each place by itself.
    Chance(f64),
    /// Each place by itself, more in some cells than in others.
    Density(Density),
}

/// Which places are taken first.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum SiteOrder {
    /// By chance.
    #[default]
    Random,
    /// Row by row.
    Rows,
    /// Those nearest to cells for which a condition holds; of equally near ones by chance.
    Nearest(Condition),
    /// Those farthest from them.
    Farthest(Condition),
}

/// Which items go where something is placed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Replace {
    /// None: what stands there stays, and nothing is placed upon it.
    #[default]
    Nothing,
    /// Every one, unless its pass [keeps](crate::recipe::Pass::keep) it.
    All,
    /// Those of these names or tags, with the same exception.
    Named(Vec<String>),
}

impl Replace {
    /// Whether an item goes.
    pub(in crate::passes) fn takes(&self, item: &Item, scene: &Scene<'_>) -> bool {
        let meant = match self {
            Self::Nothing => false,
            Self::All => true,
            Self::Named(names) => {
                names.iter().any(|name| **name == *item.name || item.tags.contains(name))
            }
        };
        meant && !scene.keeps(&item.pass)
    }
}

/// Tags that cells get or lose where something was placed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Mark {
    /// Tags that they get.
    pub add: Vec<String>,
    /// Tags that they lose.
    pub remove: Vec<String>,
    /// Cells east and south of the place, as drawn (on hexagons as [`Shift::drawn`](crate::lattice::Shift::drawn)
    /// counts them); turns with the set.
    pub at: [i32; 2],
    /// All cells within so many steps of that.
    pub within: u32,
}

/// Things set by rule.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout, Side};
/// use lantern_quilt_core::passes::{Amount, Choice, PlaceStep, SetPiece, Thing};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let spot = Thing::Item { name: "musician".into(), looks: vec![], tags: [].into() };
/// let part = SetPiece { what: spot, faces: Side::South, at: [0, 0], offset: [0.0, 0.0] };
/// let band = PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part] }])
///     .amount(Amount::Between { least: 3, most: 3 })
///     .apart(6.0);
/// let recipe = Recipe::new([Pass::new("band", band)]);
/// let made = recipe.make(Layout::flat(Lattice::Square, 24, 16)?, &Seed::default())?;
/// assert!(made.passes[0].items == 3 && made.map.items().len() == 3);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct PlaceStep {
    /// Where in the cells of its pass.
    pub on: CellSpot,
    /// How many.
    pub amount: Amount,
    /// For how many cells of a connected region the amount is, when it is a number or a chance: larger regions
    /// get more. Numbers are rounded down.
    pub per: Option<NonZeroU32>,
    /// Whether too few are no error.
    pub wished: bool,
    /// The least distance between two, in cells from middle to middle; on hexagons in steps.
    pub apart: f32,
    /// Which places are taken first.
    pub order: SiteOrder,
    /// What is placed, by weight.
    pub what: Vec<Choice>,
    /// Which way it faces.
    pub facing: Facing,
    /// Cells east and south of the middle, as drawn; turns with the set.
    pub offset: [f32; 2],
    /// How far it may lie off that by chance, in cells either way.
    pub jitter: [f32; 2],
    /// The smallest and the largest scale.
    pub scale: [f32; 2],
    /// How far it leans to the side it faces, in degrees, from the least to the most by chance.
    pub tilt: [f32; 2],
    /// How far above its place, in cells.
    pub lift: f32,
    /// Whether it stands on whatever surface is below it; see [`Item::stands`](crate::map::Item::stands).
    pub stands: bool,
    /// Whether it may stand where an item stands.
    pub overlap: bool,
    /// Which items that stand there go.
    pub replace: Replace,
    /// Tags around what was placed.
    pub marks: Vec<Mark>,
    /// What the cells become that sets stand in.
    pub becomes: Vec<Becomes>,
}

crate::setters! {
    PlaceStep {
        on: CellSpot,
        amount: Amount,
        per: Option<NonZeroU32>,
        wished: bool,
        apart: f32,
        order: SiteOrder,
        facing: Facing,
        offset: [f32; 2],
        jitter: [f32; 2],
        scale: [f32; 2],
        tilt: [f32; 2],
        lift: f32,
        stands: bool,
        overlap: bool,
        replace: Replace,
        marks: Vec<Mark>,
        becomes: Vec<Becomes>,
    }
}

impl PlaceStep {
    /// As many as fit of what there is.
    pub fn new(what: Vec<Choice>) -> Self {
        Self {
            on: CellSpot::Cell,
            amount: Amount::All,
            per: None,
            wished: false,
            apart: 0.0,
            order: SiteOrder::Random,
            what,
            facing: Facing::AsDrawn,
            offset: [0.0; 2],
            jitter: [0.0; 2],
            scale: [1.0; 2],
            tilt: [0.0; 2],
            lift: 0.0,
            stands: false,
            overlap: false,
            replace: Replace::Nothing,
            marks: Vec::new(),
            becomes: Vec::new(),
        }
    }

    /// The conditions it has besides that of its pass.
    pub(in crate::passes) fn conditions(&self) -> impl Iterator<Item = &Condition> {
        let on = match &self.on {
            CellSpot::SideTowards(what) => Some(what),
            CellSpot::Cell | CellSpot::Side(_) | CellSpot::Region => None,
        };
        let order = match &self.order {
            SiteOrder::Nearest(what) | SiteOrder::Farthest(what) => Some(what),
            SiteOrder::Random | SiteOrder::Rows => None,
        };
        let facing = match &self.facing {
            Facing::Towards(what) | Facing::Away(what) | Facing::Along(what) => Some(what),
            Facing::AsDrawn | Facing::Side(_) | Facing::Inward | Facing::Steps(_) => None,
        };
        on.into_iter().chain(order).chain(facing)
    }
}

impl Choice {
    /// Whether a tile is among its parts.
    pub(super) fn is_tiled(&self) -> bool {
        self.parts.iter().any(|part| matches!(part.what, Thing::Tile { .. }))
    }
}
