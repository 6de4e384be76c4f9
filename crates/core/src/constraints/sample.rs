//! Finished maps that pairs and weights are learned from.

use crate::id::TileId;
use crate::lattice::{Cell, Layout, Side};
use crate::orient::Orientation;
use crate::tileset::{Mirror, Tileset, orientations};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// A tile in an orientation.
pub type Posed = (TileId, Orientation);

/// A small finished map. Whatever stands beside each other in it may do so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sample {
    /// Its lattice, size and wrapping.
    pub layout: Layout,
    /// What stands in each cell, in cell order; nothing is learned of empty ones.
    pub cells: Vec<Option<Posed>>,
    /// In how many turns it counts, evenly spaced: a divisor of the lattice's turns.
    pub turns: u8,
    /// Which mirror images of it count too.
    pub mirror: Mirror,
    /// Tiles that count as one: what is shown of one holds for all of its group.
    pub alike: Vec<Vec<TileId>>,
}

impl Sample {
    /// The orientations in which it counts, as drawn among them.
    pub fn orientations(&self) -> Vec<Orientation> {
        orientations(self.layout.lattice(), self.turns, self.mirror)
    }

    /// Every pair that it shows, from both sides, turns and groups included.
    ///
    /// A tile that is used in one orientation only keeps its pose however the sample is turned;
    /// of others a pose that the set does not have shows nothing. O(cells x sides x turns) and the
    /// squares of groups.
    pub fn pairs(&self, set: &Tileset) -> HashMap<(Posed, Side, Posed), Cell, FxBuildHasher> {
        let lattice = self.layout.lattice();
        let mut shown: HashMap<(Posed, Side, Posed), Cell, FxBuildHasher> = HashMap::default();
        self.for_each_pair(|cell, here, side, there| {
            shown.entry((here, side, there)).or_insert(cell);
        });
        let mut pairs: HashMap<_, Cell, FxBuildHasher> = HashMap::default();
        let mut add = |pair: (Posed, Side, Posed), cell: Cell| {
            let first = pairs.entry(pair).or_insert(cell);
            *first = cell.min(*first);
        };
        for turn in self.orientations() {
            for (&((a, turned_a), side, (b, turned_b)), &cell) in &shown {
                let side = turn.side(lattice, side);
                for a in self.group(a).filter_map(|tile| pose(set, tile, turned_a, turn)) {
                    for b in self.group(b).filter_map(|tile| pose(set, tile, turned_b, turn)) {
                        add((a, side, b), cell);
                        add((b, side.opposite(), a), cell);
                    }
                }
            }
        }
        pairs
    }

    /// Whether it shows one pair. The same as asking [`pairs`](Self::pairs), found by looking at the
    /// map each time: for judges. O(cells x sides x turns).
    pub fn shows(&self, set: &Tileset, a: Posed, side: Side, b: Posed) -> bool {
        let lattice = self.layout.lattice();
        let mut found = false;
        for turn in self.orientations() {
            let is = |shown: Posed, wanted: Posed| {
                let counts = |tile: TileId| pose(set, tile, shown.1, turn) == Some(wanted);
                self.group(shown.0).any(counts)
            };
            self.for_each_pair(|_, here, on, there| {
                let on = turn.side(lattice, on);
                found |= on == side && is(here, a) && is(there, b);
                found |= on.opposite() == side && is(here, b) && is(there, a);
            });
        }
        found
    }

    /// How many cells hold each tile; groups share evenly.
    pub fn counts(&self, set: &Tileset) -> Vec<f64> {
        let mut counts = vec![0.0; set.tiles().len()];
        for &(tile, _) in self.cells.iter().flatten() {
            let size = self.group(tile).count() as f64;
            for other in self.group(tile) {
                counts[crate::id::Id::index(other)] += 1.0 / size;
            }
        }
        counts
    }

    /// A tile and whatever is alike.
    fn group(&self, tile: TileId) -> impl Iterator<Item = TileId> + '_ {
        let others = self.alike.iter().find(|group| group.contains(&tile));
        let others = others.map_or(&[][..], |group| &group[..]);
        std::iter::once(tile).chain(others.iter().copied().filter(move |&other| other != tile))
    }

    fn for_each_pair(&self, mut each: impl FnMut(Cell, Posed, Side, Posed)) {
        let extent = self.layout.extent();
        let at = |cell: Cell| extent.index(cell).and_then(|index| self.cells[index]);
        for cell in extent.iter() {
            let Some(here) = at(cell) else { continue };
            for &side in self.layout.lattice().sides() {
                if let Some(there) = self.layout.neighbour(cell, side).and_then(at) {
                    each(cell, here, side, there);
                }
            }
        }
    }
}

/// A tile as it stands in a sample that is turned.
pub(crate) fn pose(
    set: &Tileset,
    tile: TileId,
    shown: Orientation,
    turn: Orientation,
) -> Option<Posed> {
    let known = &set.tiles()[tile];
    if let [only] = known.orientations() {
        return Some((tile, *only));
    }
    known.stands_for(shown.then(turn, set.lattice())).map(|orientation| (tile, orientation))
}
