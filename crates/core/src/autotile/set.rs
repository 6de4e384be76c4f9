//! A set of shapes: which tile represents which neighbourhood.

use super::drawing::{Drawing, MOST_KINDS, Neighbourhood, Sign};
use super::scheme::Scheme;
use crate::lattice::{Lattice, Side};
use crate::map::Placed;
use crate::orient::Orientation;
use crate::tileset::{Mirror, orientations};
use thiserror::Error;

/// Which terrains a set distinguishes: other ones, its own, and those that drawings name.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Kinds {
    joined: Vec<String>,
    named: Vec<String>,
}

impl Kinds {
    /// Terrains that count as the same, and terrains that drawings name.
    pub fn new(joined: Vec<String>, named: Vec<String>) -> Self {
        Self { joined, named }
    }

    /// The terrains that are kinds of their own, from kind 2 on.
    pub fn named(&self) -> &[String] {
        &self.named
    }

    /// How many there are.
    pub fn count(&self) -> usize {
        self.named.len() + 2
    }

    /// The kind of a terrain, or of a cell without one.
    pub fn kind(&self, terrain: Option<&str>) -> u8 {
        let Some(terrain) = terrain else { return 0 };
        match self.named.iter().position(|name| name == terrain) {
            Some(place) => place as u8 + 2,
            None => u8::from(self.joined.iter().any(|name| name == terrain)),
        }
    }

    /// What accepts any joined terrain.
    pub fn same(&self) -> Sign {
        let named = self.named.iter().enumerate().filter(|(_, name)| self.joined.contains(name));
        named.fold(1 << 1, |sign, (place, _)| sign | 1 << (place + 2))
    }

    /// What accepts just one terrain that is named.
    pub fn only(&self, terrain: &str) -> Option<Sign> {
        self.named.iter().position(|name| name == terrain).map(|place| 1 << (place + 2))
    }
}

/// On which cells walls stand where heights differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Edge {
    /// On the upper ones: a neighbour is joined when it is not lower.
    Upper,
    /// On the lower ones: a neighbour is joined when it is not higher.
    Lower,
}

/// What a set looks at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShapeBasis {
    /// One terrain against all others; `on` are the terrains whose cells get a tile.
    Terrain {
        /// Terrains whose cells show the set.
        on: Vec<String>,
        /// What is distinguished around them.
        kinds: Kinds,
    },
    /// Several terrains, corner by corner.
    Blend(Kinds),
    /// Heights: kinds 0, 1 and 2 are lower, as high and higher neighbours.
    Heights(Edge),
}

impl ShapeBasis {
    /// Kinds of neighbours.
    pub fn kinds(&self) -> usize {
        match self {
            Self::Terrain { kinds, .. } | Self::Blend(kinds) => kinds.count(),
            Self::Heights(_) => 3,
        }
    }

    /// What accepts a joined neighbour.
    pub fn same(&self) -> Sign {
        match self {
            Self::Terrain { kinds, .. } | Self::Blend(kinds) => kinds.same(),
            Self::Heights(Edge::Upper) => 0b110,
            Self::Heights(Edge::Lower) => 0b011,
        }
    }
}

/// What lies beyond an edge of the map.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Outside {
    /// The same as the cell that looks there; between cells and for heights, as at the edge.
    #[default]
    Same,
    /// Something else: nothing, or the depth.
    Other,
    /// A terrain.
    Terrain(String),
}

/// A tile and the neighbourhoods that it is for.
#[derive(Clone, Debug, PartialEq)]
pub struct ShapeTile {
    /// Its name; without one the cell stays empty.
    pub tile: Option<String>,
    /// Where it fits.
    pub drawing: Drawing,
    /// How many ways round it is used, as for any tile.
    pub turns: u8,
    /// Whether it is mirrored as well.
    pub mirror: Mirror,
    /// How common it is against others that fit the same.
    pub weight: f64,
    /// How often it goes before those without a chance, from 0 to 1.
    pub chance: Option<f64>,
    /// How common its looks are against each other; at least one.
    pub looks: Vec<f64>,
}

crate::setters! {
    ShapeTile { turns: u8, mirror: Mirror, weight: f64, chance: Option<f64>, looks: Vec<f64>, }
}

impl ShapeTile {
    /// A tile for a drawing: as drawn, of weight 1, with one look.
    pub fn new(tile: impl Into<String>, drawing: Drawing) -> Self {
        Self {
            tile: Some(tile.into()),
            drawing,
            turns: 1,
            mirror: Mirror::No,
            weight: 1.0,
            chance: None,
            looks: vec![1.0],
        }
    }

    /// A neighbourhood in which nothing is drawn.
    pub fn empty(drawing: Drawing) -> Self {
        Self { tile: None, ..Self::new("", drawing) }
    }
}

/// Why a set cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum ShapeError {
    /// A scheme that the lattice has no neighbourhood for.
    #[error("`{scheme}` shapes do not fit a {lattice} lattice")]
    Lattice {
        /// The scheme.
        scheme: Scheme,
        /// The lattice.
        lattice: Lattice,
    },
    /// More terrains than can be distinguished.
    #[error("{0} terrains are more than a set can tell apart (62)")]
    Kinds(usize),
    /// No tile at all.
    #[error("there is no tile")]
    Empty,
    /// A number of turns that the lattice does not have.
    #[error("{turns} turns do not fit a {lattice} lattice")]
    Turns {
        /// The turns.
        turns: u8,
        /// The lattice.
        lattice: Lattice,
    },
    /// More tiles, turns and looks than a layer can hold.
    #[error("{0} tiles in all turns and looks are more than a layer can hold (60 000)")]
    Many(usize),
    /// A weight or chance that is not one.
    #[error("{0} is not a weight: it must be above 0 and at most 1 000 000, a chance from 0 to 1")]
    Weight(String),
}

/// One tile in one orientation.
#[derive(Clone, Debug)]
pub(crate) struct Entry {
    pub(crate) drawing: Drawing,
    /// Which of the set's tiles.
    pub(crate) tile: usize,
    breadth: u128,
    /// Palette numbers of its looks, and how common each is.
    looks: Vec<(Option<u32>, u64)>,
}

/// Palette numbers (or no tile), each with the sum of the weights up to it.
pub(crate) type Options = Vec<(Option<u32>, u64)>;

/// Which tiles represent a neighbourhood.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Pick {
    /// What one is chosen from.
    pub(crate) options: Options,
    /// Those that may go before: the number of the entry, its chance, and its own options.
    pub(crate) before: Vec<(usize, f64, Options)>,
    /// Whether no tile is for it and the nearest stands in.
    pub(crate) stands_in: bool,
}

/// A checked set of shapes; see [the module's page](super).
#[derive(Clone, Debug)]
pub struct ShapeSet {
    name: String,
    scheme: Scheme,
    lattice: Lattice,
    of: ShapeBasis,
    tiles: Vec<ShapeTile>,
    entries: Vec<Entry>,
    palette: Vec<Placed>,
    /// What lies beyond the map to the north, east, south and west.
    pub outside: [Outside; 4],
    /// Whether a neighbourhood without a tile is an error.
    pub strict: bool,
    /// A tag that it follows in place of a terrain: the cells that have it count as the first terrain of a
    /// [`ShapeBasis::Terrain`], all others as none.
    pub tag: Option<String>,
}

/// Weights are counted in these parts.
const PARTS: f64 = 65_536.0;

impl ShapeSet {
    /// Checks a set. O(tiles x orientations).
    ///
    /// # Errors
    /// See [`ShapeError`].
    pub fn new(
        name: impl Into<String>,
        scheme: Scheme,
        lattice: Lattice,
        of: ShapeBasis,
        tiles: Vec<ShapeTile>,
    ) -> Result<Self, ShapeError> {
        if !scheme.fits(lattice) {
            return Err(ShapeError::Lattice { scheme, lattice });
        }
        let kinds = of.kinds();
        if kinds > MOST_KINDS {
            return Err(ShapeError::Kinds(kinds - 2));
        }
        if tiles.is_empty() {
            return Err(ShapeError::Empty);
        }
        let (mut entries, mut palette) = (Vec::new(), Vec::new());
        for (number, tile) in tiles.iter().enumerate() {
            let turns = tile.turns;
            if turns == 0 || !lattice.turns().is_multiple_of(turns) {
                return Err(ShapeError::Turns { turns, lattice });
            }
            let is_weight = |weight: &f64| weight.is_finite() && *weight > 0.0 && *weight <= 1e6;
            let weights = tile.looks.iter().chain([&tile.weight]);
            let wrong = weights.copied().find(|weight| !is_weight(weight));
            let wrong = wrong.or(tile.chance.filter(|chance| !(0.0..=1.0).contains(chance)));
            if let Some(wrong) = wrong.or(tile.looks.is_empty().then_some(0.0)) {
                return Err(ShapeError::Weight(wrong.to_string()));
            }
            let all: f64 = tile.looks.iter().sum();
            let first = entries.len();
            for orientation in orientations(lattice, turns, tile.mirror) {
                let drawing = tile.drawing.turned(scheme, lattice, orientation);
                if entries[first..].iter().any(|one: &Entry| one.drawing == drawing) {
                    continue;
                }
                let mut looks = Vec::with_capacity(tile.looks.len());
                for (look, weight) in tile.looks.iter().enumerate() {
                    let parts = ((tile.weight * weight / all * PARTS).round() as u64).max(1);
                    let placed = tile.tile.as_ref().map(|name| {
                        let look = look as u32;
                        palette.push(Placed { look, ..Placed::new(name).oriented(orientation) });
                        palette.len() as u32 - 1
                    });
                    looks.push((placed, parts));
                }
                let breadth = drawing.breadth(scheme, kinds);
                entries.push(Entry { drawing, tile: number, breadth, looks });
            }
        }
        if palette.len() > 60_000 {
            return Err(ShapeError::Many(palette.len()));
        }
        Ok(Self {
            name: name.into(),
            scheme,
            lattice,
            of,
            tiles,
            entries,
            palette,
            outside: Default::default(),
            strict: false,
            tag: None,
        })
    }

    /// Its name, which is also that of its layer.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The neighbourhood.
    pub const fn scheme(&self) -> Scheme {
        self.scheme
    }

    /// The lattice it is for.
    pub const fn lattice(&self) -> Lattice {
        self.lattice
    }

    /// What it looks at.
    pub const fn of(&self) -> &ShapeBasis {
        &self.of
    }

    /// The tiles as given.
    pub fn tiles(&self) -> &[ShapeTile] {
        &self.tiles
    }

    /// Every tile in every orientation and look it may take: the palette of its layer.
    pub fn palette(&self) -> &[Placed] {
        &self.palette
    }

    pub(crate) fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// What lies beyond a side of the map.
    pub(crate) fn beyond(&self, side: Side) -> &Outside {
        let number = match side {
            Side::North | Side::NorthEast => 0,
            Side::East => 1,
            Side::South | Side::SouthWest | Side::SouthEast => 2,
            _ => 3,
        };
        &self.outside[number]
    }

    /// The orientations of the tile that represents a neighbourhood, by palette number; see
    /// [`choose`](Self::choose) for how one is chosen.
    ///
    /// Of the drawings that fit, those that accept the fewest neighbourhoods; without any, the one that
    /// differs in the fewest sides, then in the fewest corners, then the first.
    pub(crate) fn pick(&self, around: Neighbourhood) -> Pick {
        let fit = |entry: &&Entry| entry.drawing.fits(self.scheme, around);
        let chance = |entry: &Entry| self.tiles[entry.tile].chance;
        let fitting: Vec<&Entry> =
            self.entries.iter().filter(fit).filter(|entry| chance(entry).is_none()).collect();
        let narrowest = fitting.iter().map(|entry| entry.breadth).min();
        let mut pick = Pick::default();
        let sum = |entries: &mut dyn Iterator<Item = &Entry>| {
            let mut total = 0;
            let looks = entries.flat_map(|entry| entry.looks.iter());
            looks
                .map(|&(number, parts)| {
                    total += parts;
                    (number, total)
                })
                .collect()
        };
        match narrowest {
            Some(breadth) => {
                let mut best = fitting.into_iter().filter(|entry| entry.breadth == breadth);
                pick.options = sum(&mut best);
            }
            None => {
                let plain = self.entries.iter().filter(|entry| chance(entry).is_none());
                let nearest = plain.min_by_key(|one| one.drawing.misfit(self.scheme, around));
                pick.options = sum(&mut nearest.into_iter());
                pick.stands_in = true;
            }
        }
        for (number, entry) in self.entries.iter().enumerate().filter(|(_, entry)| fit(entry)) {
            if let Some(chance) = chance(entry) {
                pick.before.push((number, chance, sum(&mut std::iter::once(entry))));
            }
        }
        pick
    }

    /// Every tile that may represent a neighbourhood by weight, and whether one only stands in.
    pub fn choices(&self, around: Neighbourhood) -> (Vec<Option<&Placed>>, bool) {
        let pick = self.pick(around);
        let before = pick.before.iter().flat_map(|(_, _, options)| options);
        let numbers = before.chain(&pick.options).map(|(number, _)| *number);
        let placed = numbers.map(|number| number.map(|number| &self.palette[number as usize]));
        (placed.collect(), pick.stands_in)
    }

    /// The neighbourhood in words: which slots are joined, of heights which neighbours are lower or higher.
    pub fn words(&self, around: Neighbourhood) -> String {
        let side = |slot: usize| -> &'static str {
            const ROUND: [Side; 8] = [
                Side::North,
                Side::NorthEast,
                Side::East,
                Side::SouthEast,
                Side::South,
                Side::SouthWest,
                Side::West,
                Side::NorthWest,
            ];
            match self.scheme {
                Scheme::Four => ROUND[2 * slot].name(),
                Scheme::Eight => ROUND[slot].name(),
                Scheme::Dual => ROUND[2 * slot + 1].name(),
                Scheme::Six => self.lattice.sides()[slot].name(),
            }
        };
        let told: Vec<String> = (0..self.scheme.slots())
            .filter_map(|slot| match &self.of {
                ShapeBasis::Blend(kinds) => {
                    let kind = usize::from(around[slot]);
                    let name = kind.checked_sub(2).map_or("nothing", |at| &kinds.named[at]);
                    Some(format!("{} {name}", side(slot)))
                }
                of => (of.same() >> around[slot] & 1 == 1).then(|| side(slot).to_owned()),
            })
            .collect();
        if let ShapeBasis::Heights(_) = self.of {
            let of_kind = |kind: u8, word: &str| {
                let slots = (0..self.scheme.slots()).filter(|&slot| around[slot] == kind);
                let sides: Vec<&str> = slots.map(side).collect();
                (!sides.is_empty()).then(|| format!("{word} {}", sides.join(", ")))
            };
            let parts: Vec<String> =
                of_kind(0, "lower").into_iter().chain(of_kind(2, "higher")).collect();
            return if parts.is_empty() { "all as high".to_owned() } else { parts.join(" and ") };
        }
        let joined = match (&self.of, told.is_empty()) {
            (ShapeBasis::Blend(_), _) => return told.join(", "),
            (_, true) => "nothing joined".to_owned(),
            _ => format!("joined {}", told.join(", ")),
        };
        // Terrains that some drawing names make a difference besides.
        let ShapeBasis::Terrain { kinds, .. } = &self.of else { return joined };
        let named = kinds.named.iter().enumerate().filter_map(|(at, name)| {
            let slots =
                (0..self.scheme.slots()).filter(|&slot| usize::from(around[slot]) == at + 2);
            let sides: Vec<&str> = slots.map(side).collect();
            (!sides.is_empty()).then(|| format!("; {name} {}", sides.join(", ")))
        });
        named.fold(joined, |words, more| words + &more)
    }
}

impl ShapeSet {
    /// The neighbourhood of two kinds only, where a slot is joined or not.
    pub fn around(&self, joins: super::Joins) -> Neighbourhood {
        let same = self.of.same().trailing_zeros() as u8;
        let other = (!self.of.same()).trailing_zeros() as u8;
        std::array::from_fn(|slot| {
            let inside = slot < self.scheme.slots();
            match (inside, joins >> slot & 1) {
                (false, _) => 0,
                (_, 1) => same,
                _ => other,
            }
        })
    }

    /// The shapes of one look of a set, in the order of [`Scheme::shapes`], drawn once where turns and
    /// mirrors make others of them; named `NAME/00`, `NAME/01` and so on by their number among all.
    /// A shape with nothing joined between cells (`dual`) needs no tile.
    pub fn arranged(
        name: &str,
        scheme: Scheme,
        lattice: Lattice,
        same: Sign,
        turns: u8,
        mirror: Mirror,
    ) -> Vec<ShapeTile> {
        let group: Vec<Orientation> = orientations(lattice, turns, mirror);
        let tile = |joins| {
            let drawing = Drawing::of_shape(scheme, joins, same);
            if scheme == Scheme::Dual && joins == 0 {
                return ShapeTile::empty(drawing);
            }
            let number = scheme.number(joins);
            let tile = ShapeTile::new(format!("{name}/{number:02}"), drawing);
            ShapeTile { turns, mirror, ..tile }
        };
        scheme.drawn(lattice, &group).into_iter().map(tile).collect()
    }
}
