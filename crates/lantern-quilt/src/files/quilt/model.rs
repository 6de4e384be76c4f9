//! Sockets and tiles, from the quilt's text.

use super::cursor::{Notes, shorten};
use super::looks::LookSpec;
use super::modules::BlockSpec;
use crate::art::{NearSeam, TileArt};
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::{Accept, Sample};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::{Id, SocketId, TileId};
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::{
    Face, GREATEST_WEIGHT, LEAST_WEIGHT, Socket, Tile, Tileset, TilesetBuilder,
};
use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// On a side: whatever any socket meets.
pub(super) const ANY: &str = "any";
/// On a side: its own pixels, which meet pixels like them.
pub(super) const PIXELS: &str = "pixels";
/// On a side: what of its model lies there, which meets outlines like it.
pub(super) const GEOMETRY: &str = "geometry";
/// The tile of a transparent pixel of a pattern, on boxes.
pub(super) const AIR: &str = "air";
/// On a side: nothing, so it can only look out of the map.
pub(super) const BORDER: &str = "border";

/// What a name means on a side that no socket may have.
pub(super) fn reserved(name: &str) -> Option<&'static str> {
    let meaning = match name {
        ANY => "`any` meets everything",
        BORDER => "`border` meets nothing",
        PIXELS => "`pixels` meets pixels like its own",
        GEOMETRY => "`geometry` meets outlines like its own",
        _ => return None,
    };
    Some(meaning)
}

/// Tiles and sockets as read; built once nothing is wrong with the text.
#[derive(Debug)]
pub(super) struct Model {
    builder: TilesetBuilder,
    /// The set as it stands, checked once after each change.
    built: OnceCell<Result<Arc<Tileset>, Vec<Finding>>>,
    lattice: Lattice,
    /// By name, each with whether it is handed.
    pub(super) sockets: BTreeMap<String, (SocketId, bool)>,
    /// What sides show that only look out of the map.
    pub(super) border: SocketId,
    /// By name; of a tile of several cells every part.
    pub(super) tiles: BTreeMap<String, Vec<TileId>>,
    pub(super) tags: BTreeMap<String, lantern_quilt_core::id::TagId>,
    /// Tiles whose weight is given.
    pub(super) weighted: BTreeSet<TileId>,
    /// Whether any tile has a share, so that fills are steered.
    pub(super) shared: bool,
    /// Whether there are samples, so that sides may be left to them.
    pub(super) sampled: bool,
    /// Where each look of each tile is, in tile order.
    pub(super) looks: Vec<LookSpec>,
    /// What tiles without a model look like in three dimensions.
    pub(super) blocks: Vec<BlockSpec>,
    /// Tiles of one colour that samples of patterns show.
    pub(super) painted: Vec<(String, Rgba)>,
    /// Stands in for what pixels will tell.
    pub(super) pixels: SocketId,
    /// Stands in for what geometry will show.
    pub(super) geometry: SocketId,
    /// Pixel sides that would meet but for a few pixels.
    pub(super) near: Vec<NearSeam>,
}

impl Model {
    /// Without sockets and tiles of its own.
    pub(super) fn new(lattice: Lattice, sampled: bool) -> Self {
        let mut builder = TilesetBuilder::new(lattice);
        let border = builder.socket(Socket::border(BORDER));
        let pixels = builder.socket(Socket::border(PIXELS));
        let geometry = builder.socket(Socket::border(GEOMETRY));
        Self {
            builder,
            built: OnceCell::new(),
            lattice,
            border,
            sockets: BTreeMap::new(),
            tiles: BTreeMap::new(),
            tags: BTreeMap::new(),
            weighted: BTreeSet::new(),
            shared: false,
            sampled,
            looks: Vec::new(),
            blocks: Vec::new(),
            painted: Vec::new(),
            pixels,
            geometry,
            near: Vec::new(),
        }
    }

    /// Adds a tile for each colour that samples of patterns show, and one for air; says whether there are any.
    pub(super) fn add_painted(&mut self, (colours, air): (BTreeSet<Rgba>, bool)) -> bool {
        let colours = colours.into_iter().map(|colour| (to_hex(colour), Some(colour)));
        let air = air.then(|| (AIR.to_owned(), None));
        let mut any = false;
        for (name, colour) in colours.chain(air) {
            any = true;
            if self.tiles.contains_key(&name) {
                continue;
            }
            let tile = self.building().tile(Tile::new(&*name).bare());
            if self.lattice.is_solid() {
                self.blocks.push(BlockSpec { tile: name.clone(), air: colour.is_none(), colour });
            }
            self.painted.extend(colour.map(|colour| (name.clone(), colour)));
            self.tiles.insert(name, vec![tile]);
        }
        any
    }

    /// What the set is built from, to change it.
    pub(super) fn building(&mut self) -> &mut TilesetBuilder {
        self.built.take();
        &mut self.builder
    }

    /// The set as it stands, or what is wrong with it.
    pub(super) fn built(&self) -> &Result<Arc<Tileset>, Vec<Finding>> {
        self.built.get_or_init(|| {
            let built = self.builder.clone().build();
            built.map(Arc::new).map_err(|error| error.findings)
        })
    }

    /// The set as it stands, if nothing is wrong with it.
    pub(super) fn set(&self) -> Option<Arc<Tileset>> {
        self.built().as_ref().ok().cloned()
    }

    pub(super) fn socket_names(&self) -> impl Iterator<Item = &str> {
        self.sockets.keys().map(String::as_str)
    }

    /// Every face there is: what `any` means.
    pub(super) fn every_face(&self) -> Vec<Face> {
        let both = |&(id, handed): &(SocketId, bool)| {
            let right = handed.then(|| Face::right(id));
            std::iter::once(Face::new(id)).chain(right)
        };
        self.sockets.values().flat_map(both).collect()
    }

    /// Whether any side is read from pixels or geometry.
    pub(super) fn derives_sides(&self) -> bool {
        let mut tiles = self.tiles.values().flatten();
        let sides = self.lattice.sides();
        tiles.any(|&tile| {
            sides.iter().any(|&side| self.is_shown(tile, side) || self.is_geometric(tile, side))
        })
    }

    /// Whether a side of a tile is read from what it shows.
    pub(super) fn is_shown(&self, tile: TileId, side: Side) -> bool {
        self.builder.shows(tile, side, self.pixels)
    }

    /// Whether a side of a tile is read from its geometry.
    pub(super) fn is_geometric(&self, tile: TileId, side: Side) -> bool {
        self.builder.shows(tile, side, self.geometry)
    }

    /// Whether a tile is shown by its colour alone, or not at all.
    fn is_plain(&self, tile: &str) -> bool {
        let modelled = self.looks.iter().any(|look| look.tile == tile && look.model.is_some());
        let coloured = |block: &BlockSpec| block.air || block.colour.is_some();
        !modelled && self.blocks.iter().any(|block| block.tile == tile && coloured(block))
    }

    /// Leaves out poses that show and look just as an earlier pose of the same tile does.
    pub(super) fn merge_poses(&mut self, art: &TileArt) {
        let Some(set) = self.set() else { return };
        for (id, tile) in set.tiles().pairs().filter(|(_, tile)| tile.part().is_none()) {
            let looks = art.looks(tile.name());
            // Without a picture nobody can tell; without sides it is for samples to say.
            let bare = set.faces(id, Orientation::AS_DRAWN, self.lattice.sides()[0]).is_empty();
            // A colour alone is the same whichever way it is turned.
            let plain = looks.is_empty() && self.is_plain(tile.name());
            if (looks.is_empty() && !plain) || (bare && !self.sampled) {
                continue;
            }
            let mut kept: Vec<(Orientation, Vec<Picture>)> = Vec::new();
            for &orientation in tile.orientations() {
                let turned: Vec<Picture> =
                    looks.iter().map(|look| look.posed(self.lattice, orientation)).collect();
                let same = |(other, drawn): &(Orientation, Vec<Picture>)| {
                    set.same_faces(id, *other, orientation) && *drawn == turned
                };
                if let Some(&(into, _)) = kept.iter().find(|one| same(one)) {
                    self.building().merge(id, orientation, into);
                } else {
                    kept.push((orientation, turned));
                }
            }
        }
    }

    /// Tiles without a weight of their own are as common as samples show them.
    pub(super) fn learn_weights(&mut self, samples: &[Sample]) {
        let Some(set) = self.set() else { return };
        let mut counts = vec![0.0; set.tiles().len()];
        for sample in samples {
            counts.iter_mut().zip(sample.counts(&set)).for_each(|(sum, more)| *sum += more);
        }
        // A large sample counts further than weights go: then all of them are smaller by as much.
        let most = counts.iter().copied().fold(0.0, f64::max);
        let smaller = (most / GREATEST_WEIGHT).max(1.0);
        self.built.take();
        for &tile in self.tiles.values().flatten() {
            if self.weighted.contains(&tile) {
                let own = self.builder.weight(tile);
                if smaller > 1.0 {
                    self.builder.set_weight(tile, (own / smaller).max(LEAST_WEIGHT));
                }
            } else if counts[tile.index()] > 0.0 {
                self.builder.set_weight(tile, (counts[tile.index()] / smaller).max(LEAST_WEIGHT));
            }
        }
    }

    pub(super) const fn lattice(&self) -> Lattice {
        self.lattice
    }

    /// The tile of a name, or its first part; else the names there are.
    pub(super) fn tile_named(&self, name: &str) -> Result<TileId, Vec<&str>> {
        let first = self.tiles.get(name).and_then(|parts| parts.first().copied());
        first.ok_or_else(|| self.tiles.keys().map(String::as_str).collect())
    }

    /// The name of a tile.
    pub(super) fn name_of(&self, tile: TileId) -> &str {
        let named = self.tiles.iter().find(|(_, parts)| parts.contains(&tile));
        named.map_or("", |(name, _)| name)
    }

    /// The part of a known tile that stands in its north-west corner in an orientation, and that
    /// orientation; where none is given and it matters, it is as drawn.
    pub(super) fn at_corner(
        &self,
        name: &str,
        orientation: Option<Orientation>,
    ) -> (TileId, Option<Orientation>) {
        let parts = &self.tiles[name];
        let (&[first, ..], Some(set)) = (&parts[..], self.set()) else {
            return (parts[0], orientation);
        };
        // Hexagons have no corner that stays one when they turn: there it is always the first part.
        if parts.len() == 1 || self.lattice.turns() == 6 {
            return (first, orientation.or((parts.len() > 1).then(Orientation::default)));
        }
        let turned = orientation.unwrap_or_default();
        let corner = |tile: &&TileId| {
            set.tiles()[**tile].part().is_some_and(|part| part.placed(turned) == [0; 3])
        };
        (parts.iter().find(corner).copied().unwrap_or(first), Some(turned))
    }

    /// What a name means as a tile (all its parts), a tag or a socket, and the names there are.
    pub(super) fn look_up(&self, kind: &str, name: &str) -> (Vec<Accept>, Vec<&str>) {
        fn names<T>(map: &BTreeMap<String, T>) -> Vec<&str> {
            map.keys().map(String::as_str).collect()
        }
        match kind {
            "socket" => {
                let found = self.sockets.get(name).map(|&(id, _)| Accept::Socket(id));
                (found.into_iter().collect(), names(&self.sockets))
            }
            "tile" => {
                let parts = self.tiles.get(name).into_iter().flatten();
                (parts.map(|&id| Accept::Tile(id)).collect(), names(&self.tiles))
            }
            _ => {
                let found = self.tags.get(name).map(|&id| Accept::Tag(id));
                (found.into_iter().collect(), names(&self.tags))
            }
        }
    }
}

/// A name that another file of the quilt has given already.
pub(super) fn twice(
    kind: &str,
    name: &str,
    subject: Subject,
    span: Range<usize>,
    notes: &mut Notes,
) {
    let text = format!("another file of this quilt has a {kind} `{}` already", shorten(name));
    let finding = Finding::new(Code::DuplicateName, subject, text);
    notes.add(finding.help("rename one of them, or take one out"), span);
}
