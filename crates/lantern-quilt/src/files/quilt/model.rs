//! Sockets and tiles, from the quilt's text.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::constraints::{Accept, Sample};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::{Id, SocketId, TileId};
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::{Face, Mirror, Socket, Tile, Tileset, TilesetBuilder};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// On a side: whatever any socket meets.
const ANY: &str = "any";
/// On a side: nothing, so it can only look out of the map.
const BORDER: &str = "border";

/// Tiles and sockets as read; built once nothing is wrong with the text.
#[derive(Debug)]
pub(super) struct Model {
    builder: TilesetBuilder,
    lattice: Lattice,
    /// By name, each with whether it is handed.
    sockets: BTreeMap<String, (SocketId, bool)>,
    /// What sides show that only look out of the map.
    border: SocketId,
    tiles: BTreeMap<String, TileId>,
    tags: BTreeMap<String, lantern_quilt_core::id::TagId>,
    /// Tiles whose weight is said.
    weighted: BTreeSet<TileId>,
    /// Whether there are samples, so that sides may be left to them.
    sampled: bool,
    /// Where each look of each tile is, in tile order.
    pub(super) pictures: Vec<PictureSpec>,
}

/// Where the picture of a tile is.
#[derive(Debug)]
pub(super) struct PictureSpec {
    pub(super) tile: String,
    pub(super) span: Range<usize>,
    pub(super) at: Option<([u32; 2], Range<usize>)>,
    pub(super) sheet: Option<(String, Range<usize>)>,
    pub(super) file: Option<(String, Range<usize>)>,
    /// More than half a turn's worth of poses: quarter turns need a square cell.
    pub(super) quarter_turns: bool,
    pub(super) turns_span: Range<usize>,
}

impl Model {
    pub(super) fn build(self, notes: &mut Notes) -> Option<Tileset> {
        match self.builder.build() {
            Ok(tileset) => Some(tileset),
            Err(findings) => {
                for finding in findings {
                    notes.add_of_model(finding, "");
                }
                None
            }
        }
    }

    fn socket_names(&self) -> impl Iterator<Item = &str> {
        self.sockets.keys().map(String::as_str)
    }

    /// Every face there is: what `any` means.
    fn every_face(&self) -> Vec<Face> {
        let both = |&(id, handed): &(SocketId, bool)| {
            let right = handed.then(|| Face::right(id));
            std::iter::once(Face::new(id)).chain(right)
        };
        self.sockets.values().flat_map(both).collect()
    }

    /// Every tile by name, with the orientations it may take.
    pub(super) fn poses(&self) -> impl Iterator<Item = (&str, TileId, Vec<Orientation>)> {
        let set = self.builder.clone().build().ok();
        self.tiles.iter().filter_map(move |(name, &tile)| {
            let orientations = set.as_ref()?.tiles()[tile].orientations().to_vec();
            Some((name.as_str(), tile, orientations))
        })
    }

    /// Leaves out poses that show and look just as an earlier pose of the same tile does.
    pub(super) fn merge_poses(&mut self, art: &TileArt) {
        let Ok(set) = self.builder.clone().build() else { return };
        for (id, tile) in set.tiles().pairs() {
            let looks = art.looks(tile.name());
            // Without a picture nobody can tell; without sides it is for samples to say.
            let bare = set.faces(id, Orientation::AS_DRAWN, self.lattice.sides()[0]).is_empty();
            if looks.is_empty() || (bare && !self.sampled) {
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
                    self.builder.merge(id, orientation, into);
                } else {
                    kept.push((orientation, turned));
                }
            }
        }
    }

    /// Tiles without a weight of their own are as common as samples show them.
    pub(super) fn learn_weights(&mut self, samples: &[Sample]) {
        let Ok(set) = self.builder.clone().build() else { return };
        let mut counts = vec![0.0; set.tiles().len()];
        for sample in samples {
            counts.iter_mut().zip(sample.counts(&set)).for_each(|(sum, more)| *sum += more);
        }
        for tile in self.tiles.values().filter(|tile| !self.weighted.contains(tile)) {
            if counts[tile.index()] > 0.0 {
                self.builder.set_weight(*tile, counts[tile.index()]);
            }
        }
    }

    pub(super) const fn lattice(&self) -> Lattice {
        self.lattice
    }

    /// What a name means as a tile, a tag or a socket, and the names there are.
    pub(super) fn look_up(&self, kind: &str, name: &str) -> (Option<Accept>, Vec<&str>) {
        fn names<T>(map: &BTreeMap<String, T>) -> Vec<&str> {
            map.keys().map(String::as_str).collect()
        }
        match kind {
            "socket" => {
                let found = self.sockets.get(name).map(|&(id, _)| Accept::Socket(id));
                (found, names(&self.sockets))
            }
            "tile" => (self.tiles.get(name).map(|&id| Accept::Tile(id)), names(&self.tiles)),
            _ => (self.tags.get(name).map(|&id| Accept::Tag(id)), names(&self.tags)),
        }
    }
}

pub(super) fn read_model(top: &mut Keys<'_>, lattice: Lattice, notes: &mut Notes) -> Model {
    let mut builder = TilesetBuilder::new(lattice);
    let border = builder.socket(Socket::border(BORDER));
    let mut model = Model {
        builder,
        lattice,
        border,
        sockets: BTreeMap::new(),
        tiles: BTreeMap::new(),
        tags: BTreeMap::new(),
        weighted: BTreeSet::new(),
        sampled: top.has("sample"),
        pictures: Vec::new(),
    };
    let help = "add `[sockets.NAME]` for each kind of side";
    let sockets =
        if model.sampled { top.take("sockets") } else { top.need("sockets", help, notes) };
    if let Some(keys) = sockets.and_then(|value| value.table(notes)) {
        read_sockets(&keys, &mut model, notes);
    }
    let tiles = top.need("tiles", "add `[tiles.NAME]` with `sides` and a picture", notes);
    if let Some(keys) = tiles.and_then(|value| value.table(notes)) {
        for (name, span, value) in keys.entries() {
            if let Some(keys) = value.table(notes) {
                read_tile(name, span, keys, &mut model, notes);
            }
        }
    }
    // The builder's own checks (weights, turns, open sides) join those of the text.
    if let Err(findings) = model.builder.clone().build() {
        for finding in findings {
            notes.add_of_model(finding, "");
        }
    }
    model
}

fn read_sockets(keys: &Keys<'_>, model: &mut Model, notes: &mut Notes) {
    let mut mates: Vec<(SocketId, Vec<Value<'_>>)> = Vec::new();
    for (name, span, value) in keys.entries() {
        let Some(mut keys) = value.table(notes) else { continue };
        if [ANY, BORDER].contains(&name) {
            let text = format!("`{name}` has a meaning of its own and cannot be a socket");
            let finding = Finding::new(Code::BadValue, Subject::Socket(name.to_owned()), text);
            let help = "on a side, `any` meets everything and `border` nothing";
            notes.add(finding.help(help), span.clone());
        }
        if name.trim().is_empty() || name.ends_with(" left") || name.ends_with(" right") {
            let text = format!("`{}` cannot be the name of a socket", shorten(name));
            let finding = Finding::new(Code::BadValue, Subject::Socket(name.to_owned()), text);
            notes.add(finding.help("a name is not empty and does not end in left or right"), span);
        }
        let flag = |value: Option<Value<'_>>, default: bool, notes: &mut Notes| {
            value.and_then(|value| value.boolean(notes)).unwrap_or(default)
        };
        let handed = flag(keys.take("handed"), false, notes);
        let turn_bound = flag(keys.take("turn_bound"), false, notes);
        let itself = flag(keys.take("itself"), true, notes);
        let others = keys.take("mates").map(|value| value.array(notes)).unwrap_or_default();
        keys.finish(notes);
        let mut socket = if handed { Socket::handed(name) } else { Socket::plain(name) };
        if turn_bound {
            socket = socket.turn_bound();
        }
        if !itself {
            socket = socket.not_itself();
        }
        let id = model.builder.socket(socket);
        model.sockets.insert(name.to_owned(), (id, handed));
        mates.push((id, others));
    }
    for (id, others) in mates {
        for value in others {
            let Some(name) = value.text(notes) else { continue };
            match model.sockets.get(name) {
                Some(&(mate, _)) => model.builder.mate(id, mate),
                None => unknown_name("socket", &value, name, model.socket_names(), notes),
            }
        }
    }
}

fn read_tile(
    name: &str,
    span: Range<usize>,
    mut keys: Keys<'_>,
    model: &mut Model,
    notes: &mut Notes,
) {
    let mut tile = Tile::new(name);
    let first = take_picture(&mut keys, name, &span, notes);
    let mut looks = Vec::new();
    let mut look_weights = vec![1.0];
    for value in keys.take("looks").map(|v| v.array(notes)).unwrap_or_default() {
        let Some(mut keys) = value.table(notes) else { continue };
        looks.push(take_picture(&mut keys, name, &value.span, notes));
        let weight = keys.take("weight").and_then(|v| v.number(notes));
        look_weights.push(weight.unwrap_or(1.0));
        keys.finish(notes);
    }
    if !looks.is_empty() {
        tile = tile.looks(look_weights);
    }
    let sides = if model.sampled {
        keys.take("sides")
    } else {
        keys.need("sides", "`sides = \"moss\"`, or one socket a side", notes)
    };
    tile = match sides {
        Some(sides) => read_sides(tile, &sides, model, notes),
        None if model.sampled => tile.bare(),
        None => tile,
    };
    let weight = keys.take("weight").and_then(|v| v.number(notes));
    if let Some(weight) = weight {
        tile = tile.weight(weight);
    }
    let turns_value = keys.take("turns");
    let turns_span = turns_value.as_ref().map_or_else(|| span.clone(), |v| v.span.clone());
    let turns = turns_value.and_then(|v| v.whole(1..256, Code::BadTurns, notes)).unwrap_or(1);
    tile = tile.turns(turns as u8);
    if let Some(value) = keys.take("mirror") {
        tile = tile.mirror(read_mirror(&value, notes));
    }
    for value in keys.take("tags").map(|v| v.array(notes)).unwrap_or_default() {
        if let Some(tag) = value.text(notes) {
            let id = model.builder.tag(tag);
            model.tags.insert(tag.to_owned(), id);
            tile = tile.tag(id);
        }
    }
    keys.finish(notes);
    let id = model.builder.tile(tile);
    model.tiles.insert(name.to_owned(), id);
    if weight.is_some() {
        model.weighted.insert(id);
    }
    let quarter_turns = model.lattice.turns() == 4 && turns == 4;
    for mut picture in std::iter::once(first).chain(looks) {
        (picture.quarter_turns, picture.turns_span) = (quarter_turns, turns_span.clone());
        model.pictures.push(picture);
    }
}

/// Where a picture is: `at` in a `sheet`, or a `picture` of its own.
fn take_picture(
    keys: &mut Keys<'_>,
    tile: &str,
    span: &Range<usize>,
    notes: &mut Notes,
) -> PictureSpec {
    let named = |v: Value<'_>, notes: &mut Notes| Some((v.text(notes)?.to_owned(), v.span));
    let at = keys.take("at").and_then(|value| {
        let [column, row] = value.wholes(0..1 << 20, Code::BadValue, notes)?;
        Some(([column as u32, row as u32], value.span))
    });
    let sheet = keys.take("sheet").and_then(|v| named(v, notes));
    let file = keys.take("picture").and_then(|v| named(v, notes));
    PictureSpec {
        tile: tile.to_owned(),
        span: span.clone(),
        at,
        sheet,
        file,
        quarter_turns: false,
        turns_span: span.clone(),
    }
}

pub(super) fn read_mirror(value: &Value<'_>, notes: &mut Notes) -> Mirror {
    const NAMES: [&str; 3] = ["east_west", "north_south", "both"];
    let Some(text) = value.text(notes) else { return Mirror::No };
    match text {
        "east_west" => Mirror::EastWest,
        "north_south" => Mirror::NorthSouth,
        "both" => Mirror::Both,
        other => {
            unknown_name("mirror", value, other, NAMES, notes);
            Mirror::No
        }
    }
}

fn read_sides(mut tile: Tile, value: &Value<'_>, model: &Model, notes: &mut Notes) -> Tile {
    if value.is_text() || value.is_array() {
        let faces = read_faces(value, model, notes);
        for &side in model.lattice.sides() {
            tile = tile.side(side, faces.iter().copied());
        }
        return tile;
    }
    let Some(keys) = value.table(notes) else { return tile };
    let names: Vec<&str> = model.lattice.sides().iter().map(|side| side.name()).collect();
    for (name, span, value) in keys.entries() {
        match Side::from_name(name).filter(|&side| model.lattice.side_index(side).is_some()) {
            Some(side) => tile = tile.side(side, read_faces(&value, model, notes)),
            None => {
                let text = format!("a {} cell has no side `{}`", model.lattice, shorten(name));
                let finding = Finding::new(Code::UnknownSide, value.subject(), text);
                notes.add(finding.among(name, names.iter().copied()), span);
            }
        }
    }
    tile
}

/// The sockets of a side: one, or a list of which any fits.
fn read_faces(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<Face> {
    // A side with a mistake still counts as said, so that it is not reported as open as well.
    let mut faces = Vec::new();
    for value in value.one_or_more(notes) {
        let Some(text) = value.text(notes) else { continue };
        match text {
            ANY => faces.extend(model.every_face()),
            BORDER => faces.push(Face::new(model.border)),
            _ => faces.extend(read_face(text, &value, model, notes)),
        }
    }
    if faces.is_empty() {
        faces.extend(model.sockets.values().next().map(|&(id, _)| Face::new(id)));
    }
    faces
}

fn read_face(text: &str, value: &Value<'_>, model: &Model, notes: &mut Notes) -> Option<Face> {
    let (name, right) = match text.strip_suffix(" left") {
        Some(name) => (name, Some(false)),
        None => match text.strip_suffix(" right") {
            Some(name) => (name, Some(true)),
            None => (text, None),
        },
    };
    let Some(&(socket, handed)) = model.sockets.get(name) else {
        unknown_name("socket", value, text, model.socket_names(), notes);
        return None;
    };
    let mut wrong = |text: String, help: String| {
        notes.add(
            Finding::new(Code::WrongHand, value.subject(), text).help(help),
            value.span.clone(),
        );
    };
    match (handed, right) {
        (true, None) => {
            wrong(
                format!(
                    "`{name}` is handed: say on which hand it lies when you look out of this side"
                ),
                format!("write \"{name} left\" or \"{name} right\""),
            );
            None
        }
        (false, Some(_)) => {
            wrong(
                format!("`{name}` is not handed"),
                format!("write \"{name}\", or add `handed = true` to its socket"),
            );
            None
        }
        (_, Some(true)) => Some(Face::right(socket)),
        _ => Some(Face::new(socket)),
    }
}
