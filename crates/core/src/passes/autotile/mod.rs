//! The `autotile` pass: terrains or heights to tiles of the right shape. Reach: 1 cell.
//!
//! Each set of shapes makes a layer of its own, from the first to the last; see
//! [`autotile`](crate::autotile) for what stands where.

use crate::autotile::{Around, Of, Outside, Pick, Scheme, ShapeSet};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::map::{Layer, Terrain, Tilemap};
use crate::seed::{Keyed, Seed, scale};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// The tag of cells on which a tile stands in for a shape that is missing.
pub const STAND_IN: &str = "stand_in";
/// Cells that are named of each missing shape.
const NAMED: usize = 8;

/// Lays sets of shapes over a map, and keeps them right while it is painted.
///
/// ```
/// use lantern_quilt_core::autotile::{Kinds, Of, Scheme, ShapeSet};
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::map::Tilemap;
/// use lantern_quilt_core::passes::Autotile;
/// use lantern_quilt_core::seed::Seed;
/// use lantern_quilt_core::tileset::Mirror;
///
/// let kinds = Kinds::new(vec!["moss".to_owned()], Vec::new());
/// let of = Of::Terrain { on: vec!["moss".to_owned()], kinds };
/// let tiles = ShapeSet::arranged("moss", Scheme::Four, Lattice::Square, of.same(), 1, Mirror::No);
/// let set = ShapeSet::new("moss", Scheme::Four, Lattice::Square, of, tiles)?;
/// let autotile = Autotile::new("ground", vec![set]);
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 8, 8)?);
/// let seed = Seed::default();
/// autotile.apply(&mut map, &seed);
/// let changed = autotile.paint(&mut map, &seed, Cell::new(3, 3), Some("moss"));
/// assert_eq!(changed.len(), 1);
/// // The new neighbour joins it: both change.
/// assert_eq!(autotile.paint(&mut map, &seed, Cell::new(4, 3), Some("moss")).len(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Autotile {
    name: String,
    sets: Vec<ShapeSet>,
}

/// A shape that was needed and that no tile has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StandIn {
    /// The set.
    pub set: String,
    /// The neighbourhood in words.
    pub wanted: String,
    /// What stands there in its place.
    pub tile: Option<String>,
    /// In how many cells.
    pub count: u64,
    /// The first of them, at most eight.
    pub first: Vec<Cell>,
    /// Whether the set is strict, so that this is an error.
    pub strict: bool,
}

/// A cell whose tile changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Changed {
    /// The layer, by its number in the map.
    pub layer: usize,
    /// The cell of that layer.
    pub cell: Cell,
}

/// Known neighbourhoods of one set, and what stands for them.
struct Picks<'a> {
    set: &'a ShapeSet,
    picks: Vec<Pick>,
    known: HashMap<u64, u32, FxBuildHasher>,
    /// What each may stand for: looks and chances by place.
    looks: Keyed,
    chances: Vec<(usize, Keyed)>,
}

impl<'a> Picks<'a> {
    fn new(set: &'a ShapeSet, seed: &Seed) -> Self {
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

    fn number(&mut self, around: Around) -> u32 {
        let (set, picks) = (self.set, &mut self.picks);
        *self.known.entry(u64::from_le_bytes(around)).or_insert_with(|| {
            picks.push(set.pick(around));
            picks.len() as u32 - 1
        })
    }

    /// The palette number that stands on a cell.
    fn choose(&self, pick: u32, cell: Cell) -> Option<u32> {
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
struct Sight<'a> {
    set: &'a ShapeSet,
    layout: Layout,
    terrain: Option<&'a Terrain>,
    heights: Option<&'a Plane<i32>>,
    /// The kind of each terrain of the map's palette, and of none (the last).
    kinds: Vec<u8>,
    /// Whether its cells show the set.
    on: Vec<bool>,
}

impl<'a> Sight<'a> {
    fn new(set: &'a ShapeSet, map: &'a Tilemap) -> Self {
        let palette = map.terrain.as_ref().map_or(&[][..], |terrain| &terrain.palette);
        let names = palette.iter().map(|name| Some(name.as_str())).chain([None]);
        let (mut kinds, mut on) = (Vec::new(), Vec::new());
        for name in names {
            let (kind, shows) = match set.of() {
                Of::Terrain { on, kinds } => {
                    (kinds.kind(name), name.is_some_and(|name| on.iter().any(|one| one == name)))
                }
                Of::Blend(kinds) => (kinds.kind(name), true),
                Of::Heights(_) => (1, true),
            };
            kinds.push(kind);
            on.push(shows);
        }
        let (terrain, heights) = (map.terrain.as_ref(), map.heights.as_ref());
        Self { set, layout: map.layout(), terrain, heights, kinds, on }
    }

    fn terrain_at(&self, index: usize) -> usize {
        let number = self.terrain.and_then(|terrain| terrain.cells.get(index));
        number.map_or(self.kinds.len() - 1, |number| number as usize)
    }

    fn kind_of(&self, outside: &Outside, inside: u8) -> u8 {
        match (self.set.of(), outside) {
            (Of::Terrain { .. }, Outside::Same) if self.set.scheme() != Scheme::Dual => 1,
            (_, Outside::Same) => inside,
            (Of::Heights(_) | Of::Terrain { .. } | Of::Blend(_), Outside::Other) => 0,
            (Of::Terrain { kinds, .. } | Of::Blend(kinds), Outside::Terrain(name)) => {
                kinds.kind(Some(name))
            }
            (Of::Heights(_), Outside::Terrain(_)) => 1,
        }
    }

    /// The cell itself or the one that closing edges bring it to; otherwise the nearest inside, and
    /// beyond which side it lies: rows decide where both are past their end.
    fn find(&self, x: i64, y: i64) -> (Cell, Option<Side>) {
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

    fn index(&self, cell: Cell) -> usize {
        self.layout.extent().index(cell).expect("inside")
    }

    fn height(&self, cell: Cell) -> i32 {
        self.heights.and_then(|heights| heights.get(cell)).copied().unwrap_or(0)
    }

    /// The kind of what lies at a place, seen from a cell.
    fn seen(&self, from: Cell, (cell, beyond): (Cell, Option<Side>)) -> u8 {
        let inside = match self.set.of() {
            Of::Heights(_) if beyond.is_some() => 1,
            Of::Heights(_) => match self.height(cell).cmp(&self.height(from)) {
                std::cmp::Ordering::Less => 0,
                std::cmp::Ordering::Equal => 1,
                std::cmp::Ordering::Greater => 2,
            },
            _ => self.kinds[self.terrain_at(self.index(cell))],
        };
        beyond.map_or(inside, |side| self.kind_of(self.set.beyond(side), inside))
    }

    /// The neighbourhood of a cell of the set's layer; `None` when nothing of it is drawn there.
    fn around(&self, cell: Cell) -> Option<Around> {
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
                Of::Blend(_) => around[..4].iter().any(|&kind| kind < 2),
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
        if matches!(self.set.of(), Of::Heights(_)) {
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
fn extent_of(set: &ShapeSet, map: Extent) -> Option<Extent> {
    let [width, height, depth] = map.size();
    match set.scheme() {
        Scheme::Dual => Extent::new(map.origin(), [width + 1, height + 1, depth]).ok(),
        _ => Some(map),
    }
}

impl Autotile {
    /// A pass of sets, the lowest first.
    pub fn new(name: impl Into<String>, sets: Vec<ShapeSet>) -> Self {
        Self { name: name.into(), sets }
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The sets, the lowest first.
    pub fn sets(&self) -> &[ShapeSet] {
        &self.sets
    }

    /// Makes the layers of all sets anew, and marks cells on which a tile stands in by the tag
    /// [`STAND_IN`]. Says which shapes were missing. O(cells x sets).
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> Vec<StandIn> {
        let mut missing = Vec::new();
        let mut marked = BitPlane::new(map.layout().extent());
        for set in &self.sets {
            let mut picks = Picks::new(set, seed);
            let sight = Sight::new(set, map);
            let Some(extent) = extent_of(set, map.layout().extent()) else { continue };
            let mut found: HashMap<u32, StandIn, FxBuildHasher> = HashMap::default();
            let mut layer = blank_layer(set, extent);
            let all: Vec<u16> = rows::lay(&sight, &mut picks, extent, |cell, around, pick| {
                let (placed, _) = set.choices(around);
                let tile = placed.first().copied().flatten().map(|one| one.tile.clone());
                let one = found.entry(pick).or_insert_with(|| StandIn {
                    set: set.name().to_owned(),
                    wanted: set.words(around),
                    tile,
                    count: 0,
                    first: Vec::new(),
                    strict: set.strict,
                });
                one.count += 1;
                if one.first.len() < NAMED {
                    one.first.push(cell);
                }
                marked.set(inner(map.layout().extent(), cell), true);
            });
            layer.fill_from(all);
            let mut found: Vec<StandIn> = found.into_values().collect();
            found.sort_by(|a, b| b.count.cmp(&a.count).then_with(|| a.first.cmp(&b.first)));
            missing.extend(found);
            let place = map.layers.iter().position(|known| known.name == layer.name);
            match place {
                Some(place) => map.layers[place] = layer,
                None => map.layers.push(layer),
            }
        }
        map.tags.retain(|(name, _)| name != STAND_IN);
        if !missing.is_empty() {
            map.tags.push((STAND_IN.to_owned(), marked));
            map.tags.sort_by(|(a, _), (b, _)| a.cmp(b));
        }
        missing
    }

    /// Paints one cell with a terrain, or clears it, and puts right the tiles around it; says which
    /// changed, by layer and cell. A map that [`apply`](Self::apply) has laid stays what `apply` would
    /// make of it. O(neighbours x sets), whatever the size of the map. Outside the map nothing happens.
    pub fn paint(
        &self,
        map: &mut Tilemap,
        seed: &Seed,
        cell: Cell,
        terrain: Option<&str>,
    ) -> Vec<Changed> {
        let extent = map.layout().extent();
        let Some(index) = extent.index(cell) else { return Vec::new() };
        let plane = map.terrain.get_or_insert_with(|| Terrain::new(extent));
        let number = terrain.map(|name| plane.number(name));
        plane.cells.set(index, number);
        self.put_right(map, seed, cell)
    }

    /// As [`paint`](Self::paint), for a height.
    pub fn raise(&self, map: &mut Tilemap, seed: &Seed, cell: Cell, height: i32) -> Vec<Changed> {
        let extent = map.layout().extent();
        let heights = map.heights.get_or_insert_with(|| Plane::new(extent, 0));
        let Some(slot) = heights.get_mut(cell) else { return Vec::new() };
        *slot = height;
        self.put_right(map, seed, cell)
    }

    fn put_right(&self, map: &mut Tilemap, seed: &Seed, cell: Cell) -> Vec<Changed> {
        let whole = map.layout().extent();
        let mut changed = Vec::new();
        for set in &self.sets {
            let Some(extent) = extent_of(set, whole) else { continue };
            let layer = match map.layers.iter().position(|layer| layer.name == set.name()) {
                Some(layer) => layer,
                None => {
                    map.layers.push(blank_layer(set, extent));
                    map.layers.len() - 1
                }
            };
            let mut picks = Picks::new(set, seed);
            let sight = Sight::new(set, map);
            let mut news = Vec::new();
            for near in touched(set, map.layout(), extent, cell) {
                let number = sight.around(near).and_then(|around| {
                    let pick = picks.number(around);
                    picks.choose(pick, near)
                });
                let index = extent.index(near).expect("inside");
                if map.layers[layer].cells().get(index) != number {
                    news.push((near, number));
                }
            }
            for (near, number) in news {
                map.layers[layer].set(near, number);
                changed.push(Changed { layer, cell: near });
            }
        }
        self.mark_again(map, seed, cell);
        changed.sort_unstable();
        changed
    }

    /// Marks the cells around one anew.
    fn mark_again(&self, map: &mut Tilemap, seed: &Seed, cell: Cell) {
        let (layout, whole) = (map.layout(), map.layout().extent());
        let mut marks: Vec<(Cell, bool)> =
            ring(layout, cell, 1).into_iter().map(|near| (near, false)).collect();
        for set in &self.sets {
            let Some(extent) = extent_of(set, whole) else { continue };
            let (sight, mut picks) = (Sight::new(set, map), Picks::new(set, seed));
            for (near, marked) in marks.iter_mut().filter(|(_, marked)| !marked) {
                let mut own = vec![*near];
                if set.scheme() == Scheme::Dual {
                    own.extend(past_the_end(whole, extent, *near));
                }
                *marked = own.into_iter().any(|cell| {
                    sight.around(cell).is_some_and(|around| {
                        let pick = picks.number(around);
                        picks.picks[pick as usize].stands_in
                    })
                });
            }
        }
        let place = map.tags.iter().position(|(name, _)| name == STAND_IN);
        let any = marks.iter().any(|(_, marked)| *marked);
        let plane = match (place, any) {
            (Some(place), _) => &mut map.tags[place].1,
            (None, false) => return,
            (None, true) => {
                map.tags.push((STAND_IN.to_owned(), BitPlane::new(whole)));
                map.tags.sort_by(|(a, _), (b, _)| a.cmp(b));
                let known = map.tags.iter_mut().find(|(name, _)| name == STAND_IN);
                &mut known.expect("just added").1
            }
        };
        for (cell, marked) in marks {
            plane.set(cell, marked);
        }
    }
}

fn blank_layer(set: &ShapeSet, extent: Extent) -> Layer {
    let offset = if set.scheme() == Scheme::Dual { [-0.5, -0.5, 0.0] } else { [0.0; 3] };
    Layer::new(set.name(), extent, set.palette().to_vec()).offset_by(offset)
}

/// The cell of the map nearest to one of a larger layer.
fn inner(map: Extent, cell: Cell) -> Cell {
    let (origin, last) = (map.origin(), map.cell(map.cells() - 1));
    Cell { x: cell.x.clamp(origin.x, last.x), y: cell.y.clamp(origin.y, last.y), ..cell }
}

/// Cells of a larger layer that [`inner`] brings to `cell`, besides itself.
fn past_the_end(map: Extent, layer: Extent, cell: Cell) -> Vec<Cell> {
    let beside = [(1, 0), (0, 1), (1, 1)];
    let there = |(dx, dy)| Cell { x: cell.x + dx, y: cell.y + dy, ..cell };
    let mut cells: Vec<Cell> = beside.into_iter().map(there).collect();
    cells.retain(|&one| layer.contains(one) && !map.contains(one) && inner(map, one) == cell);
    cells
}

/// The cells whose shape may change with one: itself and its neighbours, also past closing edges.
fn ring(layout: Layout, cell: Cell, reach: u32) -> Vec<Cell> {
    let mut cells: Vec<Cell> = Vec::new();
    let sides = layout.lattice().sides();
    let mut frontier = vec![cell];
    cells.push(cell);
    // Diagonal neighbours are two steps away.
    let steps = if layout.lattice().turns() == 6 { reach } else { 2 * reach };
    for _ in 0..steps {
        let from = std::mem::take(&mut frontier);
        for (at, &side) in from.iter().flat_map(|at| sides.iter().map(move |side| (at, side))) {
            if let Some(beyond) = layout.neighbour(*at, side)
                && !cells.contains(&beyond)
            {
                cells.push(beyond);
                frontier.push(beyond);
            }
        }
    }
    cells
}

/// The cells of a set's layer that see a cell of the map.
fn touched(set: &ShapeSet, layout: Layout, layer: Extent, cell: Cell) -> Vec<Cell> {
    let near = ring(layout, cell, 1);
    if set.scheme() != Scheme::Dual {
        return near;
    }
    let mut cells: Vec<Cell> = near;
    let (whole, last) = (layout.extent(), layer.cell(layer.cells() - 1));
    // The last column and row of the layer see the map's last, and across closing edges its first.
    for at in cells.clone() {
        cells.extend(past_the_end(whole, layer, at));
        let wrap = layout.wrap();
        let first = whole.origin();
        let (right, below) = (wrap.x && at.x == first.x, wrap.y && at.y == first.y);
        let far = [(right, false), (false, below), (right, below)];
        for (across, down) in far.into_iter().filter(|&(across, down)| across || down) {
            let x = if across { last.x } else { at.x };
            let y = if down { last.y } else { at.y };
            cells.push(Cell { x, y, ..at });
            cells.extend(past_the_end(whole, layer, Cell { x: x.min(last.x), y, ..at }));
        }
    }
    cells.sort_unstable();
    cells.dedup();
    cells.retain(|&one| layer.contains(one));
    cells
}

mod rows;
