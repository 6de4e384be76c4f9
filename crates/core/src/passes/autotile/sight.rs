//! What a set of shapes sees of a map, and what it makes of that.

use crate::autotile::{Neighbourhood, Outside, Pick, Scheme, ShapeBasis, ShapeSet};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::map::{Layer, Terrain, Tilemap};
use crate::seed::{Keyed, Seed, scale};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Known neighbourhoods of one set, and what represents them.
pub(super) struct Picks<'a> {
    pub(super) set: &'a ShapeSet,
    pub(super) picks: Vec<Pick>,
    known: HashMap<u64, u32, FxBuildHasher>,
    /// What each may represent: looks and chances by place.
    looks: Keyed,
    chances: Vec<(usize, Keyed)>,
}

impl<'a> Picks<'a> {
    pub(super) fn new(set: &'a ShapeSet, seed: &Seed) -> Self {
        let path = |purpose: &'static str| ["autotile", set.name(), purpose];
        let [pass, name, purpose] = path("chance");
        let chances = set.entries().iter().enumerate();
        let chances = chances.filter(|(_, entry)| set.tiles()[entry.tile].chance.is_some());
        let chances = chances
            .map(|(number, _)| (number, seed.keyed(&[pass, name, purpose, &number.to_string()])));
        Self {
            set,
            picks: Vec::new(),
            known: HashMap::default(),
            looks: seed.keyed(&path("looks")),
            chances: chances.collect(),
        }
    }

    pub(super) fn number(&mut self, around: Neighbourhood) -> u32 {
        let (set, picks) = (self.set, &mut self.picks);
        *self.known.entry(u64::from_le_bytes(around)).or_insert_with(|| {
            picks.push(set.pick(around));
            picks.len() as u32 - 1
        })
    }

    /// The palette number that stands on a cell.
    pub(super) fn choose(&self, pick: u32, cell: Cell) -> Option<u32> {
        let pick = &self.picks[pick as usize];
        if let ([(only, _)], true) = (&pick.options[..], pick.before.is_empty()) {
            return *only;
        }
        for (entry, chance, options) in &pick.before {
            const WHOLE: f64 = 4_294_967_296.0;
            let keyed = self.chances.iter().find(|(number, _)| number == entry);
            if keyed.is_some_and(|(_, keyed)| (keyed.below(cell, 1 << 32) as f64) < chance * WHOLE)
            {
                return draw(options, self.looks.bits(cell));
            }
        }
        draw(&pick.options, self.looks.bits(cell))
    }
}

/// One of several by the sums of their weights.
fn draw(options: &[(Option<u32>, u64)], bits: u64) -> Option<u32> {
    let (_, total) = options.last()?;
    let at = scale(bits, *total);
    options[options.partition_point(|&(_, sum)| sum <= at)].0
}

/// What a set sees of a map: the kind of every cell, and of what lies beyond.
pub(super) struct Sight<'a> {
    pub(super) set: &'a ShapeSet,
    pub(super) layout: Layout,
    terrain: Option<&'a Terrain>,
    heights: Option<&'a Plane<i32>>,
    /// Where the tag is that the set follows.
    tagged: Option<&'a BitPlane>,
    /// The kind of each terrain of the map's palette, and of none (the last).
    pub(super) kinds: Vec<u8>,
    /// Whether its cells show the set.
    pub(super) on: Vec<bool>,
}

impl<'a> Sight<'a> {
    pub(super) fn new(set: &'a ShapeSet, map: &'a Tilemap) -> Self {
        let mut palette = map.terrain().map_or(&[][..], |terrain| &terrain.palette);
        if set.tag.is_some()
            && let ShapeBasis::Terrain { on, .. } = set.of()
        {
            palette = on.get(..1).unwrap_or_default();
        }
        let names = palette.iter().map(|name| Some(name.as_str())).chain([None]);
        let (mut kinds, mut on) = (Vec::new(), Vec::new());
        for name in names {
            let (kind, shows) = match set.of() {
                ShapeBasis::Terrain { on, kinds } => {
                    (kinds.kind(name), name.is_some_and(|name| on.iter().any(|one| one == name)))
                }
                ShapeBasis::Blend(kinds) => (kinds.kind(name), true),
                ShapeBasis::Heights(_) => (1, true),
            };
            kinds.push(kind);
            on.push(shows);
        }
        let (terrain, heights) = (map.terrain(), map.heights());
        let tagged = set.tag.as_ref().and_then(|tag| map.tag(tag));
        Self { set, layout: map.layout(), terrain, heights, tagged, kinds, on }
    }

    pub(super) fn terrain_at(&self, index: usize) -> usize {
        if self.set.tag.is_some() {
            return usize::from(!self.tagged.is_some_and(|tagged| tagged.has(index)));
        }
        let number = self.terrain.and_then(|terrain| terrain.cells.get(index));
        number.map_or(self.kinds.len() - 1, |number| number as usize)
    }

    fn kind_of(&self, outside: &Outside, inside: u8) -> u8 {
        match (self.set.of(), outside) {
            (ShapeBasis::Terrain { .. }, Outside::Same) if self.set.scheme() != Scheme::Dual => 1,
            (_, Outside::Same) => inside,
            (
                ShapeBasis::Heights(_) | ShapeBasis::Terrain { .. } | ShapeBasis::Blend(_),
                Outside::Other,
            ) => 0,
            (
                ShapeBasis::Terrain { kinds, .. } | ShapeBasis::Blend(kinds),
                Outside::Terrain(name),
            ) => kinds.kind(Some(name)),
            (ShapeBasis::Heights(_), Outside::Terrain(_)) => 1,
        }
    }

    /// The cell itself or the one that closing edges bring it to; otherwise the nearest inside, and
    /// beyond which side it lies: rows decide where both are past their end.
    pub(super) fn find(&self, x: i64, y: i64) -> (Cell, Option<Side>) {
        let (extent, wrap) = (self.layout.extent(), self.layout.wrap());
        let origin = extent.origin();
        let fold = |at: i64, from: i32, length: u32, closes: bool| {
            let (from, length) = (i64::from(from), i64::from(length));
            let inside = (from..from + length).contains(&at);
            match (inside, closes) {
                (true, _) => (at, 0),
                (_, true) => (from + (at - from).rem_euclid(length), 0),
                _ => (at.clamp(from, from + length - 1), if at < from { -1 } else { 1 }),
            }
        };
        let (x, across) = fold(x, origin.x, extent.width(), wrap.x);
        let (y, down) = fold(y, origin.y, extent.height(), wrap.y);
        let beyond = match (across, down) {
            (0, 0) => None,
            (_, -1) => Some(Side::North),
            (_, 1) => Some(Side::South),
            (-1, _) => Some(Side::West),
            _ => Some(Side::East),
        };
        (Cell { x: x as i32, y: y as i32, z: origin.z }, beyond)
    }

    pub(super) fn index(&self, cell: Cell) -> usize {
        self.layout.extent().index(cell).expect("inside")
    }

    fn height(&self, cell: Cell) -> i32 {
        self.heights.and_then(|heights| heights.get(cell)).copied().unwrap_or(0)
    }

    /// The kind of what lies at a place, seen from a cell.
    pub(super) fn seen(&self, from: Cell, (cell, beyond): (Cell, Option<Side>)) -> u8 {
        let inside = match self.set.of() {
            ShapeBasis::Heights(_) if beyond.is_some() => 1,
            ShapeBasis::Heights(_) => match self.height(cell).cmp(&self.height(from)) {
                std::cmp::Ordering::Less => 0,
                std::cmp::Ordering::Equal => 1,
                std::cmp::Ordering::Greater => 2,
            },
            _ => self.kinds[self.terrain_at(self.index(cell))],
        };
        beyond.map_or(inside, |side| self.kind_of(self.set.beyond(side), inside))
    }

    /// The neighbourhood of a cell of the set's layer; `None` when nothing of it is drawn there.
    pub(super) fn around(&self, cell: Cell) -> Option<Neighbourhood> {
        const EIGHT: [(i64, i64); 8] =
            [(0, -1), (1, -1), (1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1)];
        const DUAL: [(i64, i64); 4] = [(0, -1), (0, 0), (-1, 0), (-1, -1)];
        let scheme = self.set.scheme();
        let mut around = [0; 8];
        let (x, y) = (i64::from(cell.x), i64::from(cell.y));
        if scheme == Scheme::Dual {
            for (kind, (dx, dy)) in around.iter_mut().zip(DUAL) {
                *kind = self.seen(cell, self.find(x + dx, y + dy));
            }
            let blank = match self.set.of() {
                ShapeBasis::Blend(_) => around[..4].iter().any(|&kind| kind < 2),
                _ => false,
            };
            return (!blank).then_some(around);
        }
        if !self.on[self.terrain_at(self.index(cell))] {
            return None;
        }
        for (slot, kind) in around.iter_mut().enumerate().take(scheme.slots()) {
            let there = match scheme {
                Scheme::Six => {
                    let side = self.layout.lattice().sides()[slot];
                    match self.layout.neighbour(cell, side) {
                        Some(beyond) => (beyond, None),
                        None => match self.layout.lattice().step(cell, side) {
                            Some(Cell { x, y, .. }) => self.find(x.into(), y.into()),
                            None => (cell, Some(side)),
                        },
                    }
                }
                _ => {
                    let (dx, dy) = EIGHT[if scheme == Scheme::Four { slot * 2 } else { slot }];
                    self.find(x + dx, y + dy)
                }
            };
            *kind = self.seen(cell, there);
        }
        if matches!(self.set.of(), ShapeBasis::Heights(_)) {
            let same = self.set.of().same();
            let joined = |slot: usize| same >> around[slot] & 1 == 1;
            if (0..scheme.slots()).all(joined) {
                return None;
            }
        }
        Some(around)
    }
}

/// The extent of a set's layer: one cell larger between cells.
pub(super) fn extent_of(set: &ShapeSet, map: Extent) -> Option<Extent> {
    let [width, height, depth] = map.size();
    match set.scheme() {
        Scheme::Dual => Extent::new(map.origin(), [width + 1, height + 1, depth]).ok(),
        _ => Some(map),
    }
}

pub(super) fn blank_layer(set: &ShapeSet, extent: Extent) -> Layer {
    let offset = if set.scheme() == Scheme::Dual { [-0.5, -0.5, 0.0] } else { [0.0; 3] };
    Layer::new(set.name(), extent, set.palette().to_vec()).offset_by(offset)
}

/// The cell of the map nearest to one of a larger layer.
pub(super) fn inner(map: Extent, cell: Cell) -> Cell {
    let (origin, last) = (map.origin(), map.cell(map.cells() - 1));
    Cell { x: cell.x.clamp(origin.x, last.x), y: cell.y.clamp(origin.y, last.y), ..cell }
}
