//! The checked model: sockets, tiles, weights and tags of one lattice.
//!
//! A [`TilesetBuilder`] takes what an artist says and answers with a [`Tileset`] or with findings,
//! all of them at once. A built set is consistent: names are unique, every side of every tile has
//! a face, turns divide the lattice's turns, being mates is mutual and weights are whole numbers.

pub mod block;
mod checked;
pub mod outlines;
pub mod pixels;
mod shares;
mod socket;
mod tile;

pub use checked::CheckedTile;
pub use shares::GroupShare;
pub use socket::{Face, Socket};
pub(crate) use tile::orientations;
pub use tile::{Mirror, Tile};

use crate::finding::{Code, Finding, Subject, allowed};
use crate::id::{Id, IdVec, SocketId, TagId, TileId};
use crate::lattice::{Lattice, Side};
use crate::orient::Orientation;
use block::Part;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::fmt;
use tile::FaceSpec;

/// The least weight a tile may have.
pub const LEAST_WEIGHT: f64 = 1e-6;
/// The greatest weight a tile may have.
pub const GREATEST_WEIGHT: f64 = 1e6;
/// A weight of 1 as a whole number. A multiple of 24, so that any group of poses shares it evenly.
pub const WEIGHT_UNIT: f64 = 24e6;

type Names<I> = HashMap<String, I, FxBuildHasher>;

/// Why a set cannot be built: everything that is wrong with it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct TilesetError {
    /// What was found, in the order of sockets and tiles; not empty.
    pub findings: Vec<Finding>,
}

impl fmt::Display for TilesetError {
    /// One line a finding.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, finding) in self.findings.iter().enumerate() {
            let end = if number == 0 { "" } else { "\n" };
            write!(f, "{end}{finding}")?;
        }
        Ok(())
    }
}

impl std::error::Error for TilesetError {}

/// Gathers sockets, tags and tiles.
#[derive(Clone, Debug)]
pub struct TilesetBuilder {
    lattice: Lattice,
    sockets: IdVec<SocketId, Socket>,
    tags: IdVec<TagId, String>,
    tiles: Vec<Tile>,
    /// Orientations left out, and the one that represents each.
    merged: Vec<(TileId, Orientation, Orientation)>,
}

impl TilesetBuilder {
    /// An empty set of a lattice.
    pub fn new(lattice: Lattice) -> Self {
        Self {
            lattice,
            sockets: IdVec::new(),
            tags: IdVec::new(),
            tiles: Vec::new(),
            merged: Vec::new(),
        }
    }

    /// Adds a socket.
    pub fn socket(&mut self, socket: Socket) -> SocketId {
        self.sockets.push(socket)
    }

    /// Makes two sockets mates; being mates is mutual.
    ///
    /// # Panics
    /// When an id is of another set.
    pub fn mate(&mut self, a: SocketId, b: SocketId) {
        self.sockets[a].mates.push(b);
    }

    /// Makes `a` meet the mirror image of `b`; that is mutual, and they may be the same socket.
    ///
    /// Handed sockets that are mates meet left to right; these meet left to left.
    ///
    /// # Panics
    /// When an id is of another set.
    pub fn mate_mirrored(&mut self, a: SocketId, b: SocketId) {
        self.sockets[a].mirrored.push(b);
    }

    /// The tag of that name, added when new.
    pub fn tag(&mut self, name: &str) -> TagId {
        let known = self.tags.pairs().find(|(_, tag)| *tag == name).map(|(id, _)| id);
        known.unwrap_or_else(|| self.tags.push(name.to_owned()))
    }

    /// Adds a tile.
    pub fn tile(&mut self, tile: Tile) -> TileId {
        self.tiles.push(tile);
        TileId::from_index(self.tiles.len() - 1)
    }

    /// Leaves out an orientation of a tile, because another shows and looks the same and represents
    /// it: the weight goes to those that are left.
    ///
    /// The set itself cannot tell, since it knows no pictures; see [`Tileset::same_faces`].
    pub fn merge(&mut self, tile: TileId, gone: Orientation, into: Orientation) {
        if gone != into {
            self.merged.push((tile, gone, into));
        }
    }

    /// The weight of a tile, or of each of its poses, as it was given.
    pub fn weight(&self, tile: TileId) -> f64 {
        self.tiles[tile.index()].weight
    }

    /// Gives a tile another weight.
    ///
    /// # Panics
    /// When the id is of another set.
    pub fn set_weight(&mut self, tile: TileId, weight: f64) {
        self.tiles[tile.index()].weight = weight;
    }

    /// Whether a side of a tile was given that socket.
    ///
    /// # Panics
    /// When the tile's id is of another set.
    pub fn shows(&self, tile: TileId, side: Side, socket: SocketId) -> bool {
        let faces = self.tiles[tile.index()].faces_in_order(self.lattice);
        let index = self.lattice.side_index(side);
        index.is_some_and(|index| faces[index].iter().any(|face| face.socket == socket))
    }

    /// Puts `face` on a side of a tile that was given `stand_in`; elsewhere nothing happens.
    ///
    /// For sides that are known only later, such as those that [`pixels`] tell.
    ///
    /// # Panics
    /// When the id is of another set.
    pub fn replace_face(&mut self, tile: TileId, side: Side, stand_in: SocketId, face: Face) {
        self.tiles[tile.index()].replace_face(self.lattice, side, stand_in, face);
    }

    /// Checks everything.
    ///
    /// # Errors
    /// Every mistake found, in the order of sockets and tiles. O(tiles x sides + sockets x mates).
    pub fn build(mut self) -> Result<Tileset, TilesetError> {
        let mut findings = Vec::new();
        self.check_sockets(&mut findings);
        let mut names = Names::default();
        let mut tiles = IdVec::new();
        if self.tiles.is_empty() {
            findings.push(
                Finding::new(Code::NoTiles, Subject::Quilt, "the set has no tile")
                    .help("add at least one tile with its sides"),
            );
        }
        let mut merged = vec![Vec::new(); self.tiles.len()];
        for &(tile, gone, into) in &self.merged {
            merged[tile.index()].push((gone, into));
        }
        for tile in std::mem::take(&mut self.tiles) {
            let id = TileId::from_index(tiles.len());
            // All parts of a tile have its name, which means the first.
            let later = tile.part.is_some_and(|part| part.at != [0; 3]);
            if !later && names.insert(tile.name.clone(), id).is_some() {
                findings.push(duplicate(Subject::Tile(tile.name.clone()), "tile", &tile.name));
            }
            let mut tile = self.check_tile(tile, &mut findings);
            for &(gone, into) in &merged[id.index()] {
                if tile.orientations.contains(&into) {
                    tile.orientations.retain(|&orientation| orientation != gone);
                    tile.merged.push((gone, into));
                }
            }
            if tile.each {
                tile.weight *= tile.orientations.len() as u64;
            }
            tiles.push(tile);
        }
        if findings.is_empty() {
            findings.extend(shares::settle(&mut tiles));
        }
        if !findings.is_empty() {
            return Err(TilesetError { findings });
        }
        Ok(Tileset { lattice: self.lattice, sockets: self.sockets, tags: self.tags, tiles, names })
    }

    fn check_sockets(&mut self, findings: &mut Vec<Finding>) {
        let mut seen = Names::default();
        for (id, socket) in self.sockets.pairs() {
            if seen.insert(socket.name.clone(), id).is_some() {
                let subject = Subject::Socket(socket.name.clone());
                findings.push(duplicate(subject, "socket", &socket.name));
            }
        }
        let pairs = |mates: fn(&Socket) -> &Vec<SocketId>| -> Vec<(SocketId, SocketId)> {
            let all = self.sockets.pairs();
            all.flat_map(|(id, socket)| mates(socket).iter().map(move |&mate| (id, mate))).collect()
        };
        let (straight, mirrored) =
            (pairs(|socket| &socket.mates), pairs(|socket| &socket.mirrored));
        for (a, b) in straight {
            if self.sockets.get(b).is_some() && a != b {
                self.sockets[b].mates.push(a);
            }
        }
        for (a, b) in mirrored {
            if self.sockets.get(b).is_some() {
                self.sockets[b].mirrored.push(a);
            }
        }
        for id in self.sockets.ids() {
            let socket = &mut self.sockets[id];
            socket.itself |= socket.mates.contains(&id);
            socket.mates.retain(|&mate| mate != id);
            socket.mates.sort_unstable();
            socket.mates.dedup();
            socket.mirrored.sort_unstable();
            socket.mirrored.dedup();
        }
    }

    fn check_tile(&self, tile: Tile, findings: &mut Vec<Finding>) -> CheckedTile {
        let lattice = self.lattice;
        let subject = || Subject::Tile(tile.name.clone());
        let odd = |weight: &&f64| !(LEAST_WEIGHT..=GREATEST_WEIGHT).contains(*weight);
        if let Some(weight) = std::iter::once(&tile.weight).chain(&tile.looks).find(odd) {
            findings.push(odd_weight(subject(), *weight));
        }
        findings.extend(tile.share.and_then(|share| shares::check(&tile.name, share)));
        let turns_fit = tile.turns > 0 && lattice.turns().is_multiple_of(tile.turns);
        if !turns_fit {
            let fit = if lattice.turns() == 4 { "1, 2 or 4" } else { "1, 2, 3 or 6" };
            findings.push(
                Finding::new(
                    Code::BadTurns,
                    subject(),
                    format!("{} turns do not fit a {lattice} lattice", tile.turns),
                )
                .help(format!("a tile of this lattice takes {fit} turns")),
            );
        }
        let faces = self.check_faces(&tile, findings);
        let orientations = orientations_or_one(lattice, &tile, turns_fit);
        CheckedTile {
            weight: whole_weight(tile.weight),
            turns: tile.turns,
            mirror: tile.mirror,
            tags: tile.tags,
            looks: tile.looks.iter().map(|weight| whole_weight(*weight)).collect(),
            each: tile.each,
            share: tile.share.map(f64::to_bits),
            share_of: None,
            due: None,
            part: tile.part,
            name: tile.name,
            faces,
            orientations,
            merged: Vec::new(),
        }
    }

    fn check_faces(&self, tile: &Tile, findings: &mut Vec<Finding>) -> Vec<Vec<Face>> {
        let sides = self.lattice.sides();
        let names: Vec<&str> = sides.iter().map(|side| side.name()).collect();
        let mut faces: Vec<Vec<Face>> = vec![Vec::new(); sides.len()];
        match &tile.faces {
            FaceSpec::Open => {}
            FaceSpec::Bare => return faces,
            FaceSpec::Partly(list) => return list.clone(),
            FaceSpec::All(all) => faces.fill(all.clone()),
            FaceSpec::InOrder(list) => {
                for (slot, given) in faces.iter_mut().zip(list) {
                    slot.clone_from(given);
                }
                if list.len() > sides.len() {
                    let text = format!("{} sides given, a cell has {}", list.len(), sides.len());
                    findings.push(
                        Finding::new(Code::UnknownSide, Subject::Tile(tile.name.clone()), text)
                            .help(allowed(&names)),
                    );
                }
            }
            FaceSpec::Named(named) => {
                for (side, given) in named {
                    if let Some(index) = self.lattice.side_index(*side) {
                        faces[index].extend(given);
                    } else {
                        let text = format!("a {} cell has no side `{side}`", self.lattice);
                        findings.push(
                            Finding::new(
                                Code::UnknownSide,
                                Subject::TileSide(tile.name.clone(), *side),
                                text,
                            )
                            .among(side.name(), names.iter().copied()),
                        );
                    }
                }
            }
        }
        let open: Vec<&str> =
            (0..sides.len()).filter(|&i| faces[i].is_empty()).map(|i| names[i]).collect();
        if !open.is_empty() {
            let text = format!("no socket on {}", open.join(", "));
            findings.push(
                Finding::new(Code::MissingSide, Subject::Tile(tile.name.clone()), text)
                    .help("name a socket for each side, or one for all"),
            );
        }
        faces
    }
}

fn orientations_or_one(lattice: Lattice, tile: &Tile, turns_fit: bool) -> Vec<Orientation> {
    let turns = if turns_fit { tile.turns } else { 1 };
    tile::orientations(lattice, turns, tile.mirror)
}

fn whole_weight(weight: f64) -> u64 {
    // One out of range is a finding of its own; nothing may overflow meanwhile.
    ((weight.min(GREATEST_WEIGHT) * WEIGHT_UNIT).round() as u64).max(24)
}

fn odd_weight(subject: Subject, weight: f64) -> Finding {
    Finding::new(Code::BadWeight, subject, format!("weight {weight} is out of range")).help(
        "a weight is a number from 0.000001 to 1000000; remove a tile to make it never appear",
    )
}

fn duplicate(subject: Subject, kind: &str, name: &str) -> Finding {
    Finding::new(Code::DuplicateName, subject, format!("two {kind}s are named `{name}`"))
        .help("rename one of them")
}

/// A consistent set of tiles; see the [module](self).
#[derive(Clone, Debug)]
pub struct Tileset {
    lattice: Lattice,
    sockets: IdVec<SocketId, Socket>,
    tags: IdVec<TagId, String>,
    tiles: IdVec<TileId, CheckedTile>,
    names: Names<TileId>,
}

impl Tileset {
    /// The lattice its tiles are made for.
    pub const fn lattice(&self) -> Lattice {
        self.lattice
    }

    /// Whether any of its tiles has a share.
    pub fn has_shares(&self) -> bool {
        self.tiles.iter().any(|tile| tile.share.is_some())
    }

    /// Its sockets.
    pub const fn sockets(&self) -> &IdVec<SocketId, Socket> {
        &self.sockets
    }

    /// The names of its tags.
    pub const fn tags(&self) -> &IdVec<TagId, String> {
        &self.tags
    }

    /// Its tiles.
    pub const fn tiles(&self) -> &IdVec<TileId, CheckedTile> {
        &self.tiles
    }

    /// The same set with one tile more, which may only use sockets and tags of this one.
    ///
    /// # Errors
    /// As [`TilesetBuilder::build`].
    pub fn with_tile(&self, tile: Tile) -> Result<Self, TilesetError> {
        let mut tiles: Vec<Tile> = self.tiles.iter().map(CheckedTile::as_given).collect();
        tiles.push(tile);
        let (sockets, tags) = (self.sockets.clone(), self.tags.clone());
        let mut merged = Vec::new();
        for (id, tile) in self.tiles.pairs() {
            merged.extend(tile.merged.iter().map(|&(gone, into)| (id, gone, into)));
        }
        let mut more =
            TilesetBuilder { lattice: self.lattice, sockets, tags, tiles, merged }.build()?;
        for (id, tile) in self.tiles.pairs() {
            more.tiles[id].share = tile.share;
            more.tiles[id].share_of.clone_from(&tile.share_of);
            more.tiles[id].due = tile.due;
        }
        Ok(more)
    }

    /// The part at `at` of the tile of that name. O(parts).
    pub fn find_part(&self, name: &str, at: [u32; 3]) -> Option<TileId> {
        let first = self.find(name)?;
        let part = |id: &TileId| self.tiles[*id].part.is_some_and(|part| part.at == at);
        let same = |id: &TileId| self.tiles[*id].name == name;
        (first.index()..self.tiles.len()).map(TileId::from_index).take_while(same).find(part)
    }

    /// The tile of that name when it covers one cell, or the part of it that is meant.
    pub fn find_at(&self, name: &str, part: Option<[u32; 3]>) -> Option<TileId> {
        match part {
            None => self.find(name).filter(|&tile| self.tiles[tile].part.is_none()),
            Some(at) => self.find_part(name, at),
        }
    }

    /// Whether a tile continues beyond a side: what lies there is the next part of it.
    pub fn goes_on(&self, tile: TileId, orientation: Orientation, side: Side) -> bool {
        self.tiles[tile].part.is_some()
            && self.faces(tile, orientation, side).iter().any(|f| self.sockets[f.socket].joint)
    }

    /// The tile of that name; of one that covers several cells the first part. O(1).
    pub fn find(&self, name: &str) -> Option<TileId> {
        self.names.get(name).copied()
    }

    /// Every tile in every orientation it may take: the order of pose numbers.
    pub fn poses(&self) -> impl Iterator<Item = (TileId, Orientation)> + '_ {
        self.tiles.pairs().flat_map(|(id, tile)| tile.orientations.iter().map(move |&o| (id, o)))
    }

    /// The faces that a tile in an orientation shows on `side`, sorted.
    ///
    /// Empty when the lattice has no such side.
    pub fn faces(&self, tile: TileId, orientation: Orientation, side: Side) -> Vec<Face> {
        let lattice = self.lattice;
        let drawn = orientation.inverse(lattice).side(lattice, side);
        let Some(index) = lattice.side_index(drawn) else { return Vec::new() };
        let mut faces: Vec<Face> = self.tiles[tile].faces[index]
            .iter()
            .map(|face| {
                let frame = orientation.frame(drawn, face.frame);
                Face { socket: face.socket, frame: self.sockets[face.socket].reduce(frame) }
            })
            .collect();
        faces.sort_unstable();
        faces.dedup();
        faces
    }

    /// Whether a tile shows the same on every side in both orientations.
    pub fn same_faces(&self, tile: TileId, a: Orientation, b: Orientation) -> bool {
        let sides = self.lattice.sides();
        sides.iter().all(|&side| self.faces(tile, a, side) == self.faces(tile, b, side))
    }

    /// Whether a face on `side` meets a face on the opposite side of the cell beyond.
    pub fn faces_meet(&self, a: Face, b: Face, side: Side) -> bool {
        socket::meets(a, &self.sockets[a.socket], b, &self.sockets[b.socket], side)
    }

    /// The face in words: `moss`, `edging left`.
    pub fn face_name(&self, face: Face) -> String {
        let socket = &self.sockets[face.socket];
        if socket.joint {
            return "the next part".to_owned();
        }
        let mut name = socket.name.clone();
        if socket.handed {
            name.push_str(if face.frame.flipped { " right" } else { " left" });
        }
        if socket.turn_bound && face.frame.turns > 0 {
            name.push_str(&format!(" turned {}", face.frame.turns));
        }
        name
    }

    /// A pose in words: `path_bend turned 1`, or just the name when as drawn.
    pub fn pose_name(&self, tile: TileId, orientation: Orientation) -> String {
        let CheckedTile { name, part, .. } = &self.tiles[tile];
        let mut words = name.clone();
        if orientation != Orientation::AS_DRAWN {
            words.push_str(&format!(" {orientation}"));
        }
        if let Some(Part { at: [x, y, z], span: [_, _, high] }) = part {
            let level = if *high > 1 { format!(", {z}") } else { String::new() };
            words.push_str(&format!(", part {x}, {y}{level}"));
        }
        words
    }
}
