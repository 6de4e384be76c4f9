//! Small maps drawn as text, saved as JSON or painted, cell by cell.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::grounds::Grounds;
use super::kinds::take_orientation;
use super::model::{Model, twice};
use crate::art::TileArt;
use crate::files::map::read_json;
use crate::files::report::UnknownCells;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::Posed;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::CheckedTile;
use lantern_quilt_core::tileset::block::MOST_PARTS;
use std::collections::BTreeMap;

/// Places that are named in one finding.
const NAMED: usize = 8;

/// What each character means; nothing where that is wrong, which was reported.
pub(super) type Legend = BTreeMap<char, Option<Posed>>;
/// Legends by name.
pub(super) type Legends = BTreeMap<String, Legend>;

/// `[keys.NAME]`: legends that several drawings share.
pub(super) fn read_keys(documents: &mut [Keys<'_>], model: &Model, notes: &mut Notes) -> Legends {
    let mut legends = Legends::new();
    for top in documents {
        let Some(keys) = top.take("keys").and_then(|value| value.table(notes)) else { continue };
        for (name, span, value) in keys.entries() {
            let Some(keys) = value.table(notes) else { continue };
            if legends.contains_key(name) {
                twice("key", name, value.subject(), span, notes);
            } else {
                legends.insert(name.to_owned(), read_key(&keys, model, notes));
            }
        }
    }
    legends
}

/// Cells row by row.
pub(super) struct Drawn {
    pub(super) width: u32,
    pub(super) height: u32,
    /// Levels, the lowest first.
    pub(super) levels: u32,
    pub(super) cells: Vec<Option<Posed>>,
}

pub(super) fn tile_named(
    name: &str,
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<TileId> {
    let tile = model.tile_named(name);
    if let Err(names) = &tile {
        unknown_name("tile", value, name, names.iter().copied(), notes);
    }
    tile.ok()
}

/// `part = [1, 0]`: of a tile of several cells, the one that is meant.
fn part_named(
    first: TileId,
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<TileId> {
    let [x, y] = value.wholes(0..i64::from(MOST_PARTS), Code::BadValue, notes)?;
    let set = model.set()?;
    let part = set.find_part(set.tiles()[first].name(), [x as u32, y as u32, 0]);
    if part.is_none() {
        let text = format!("`{}` has no part [{x}, {y}]", set.tiles()[first].name());
        notes.add(Finding::new(Code::BadValue, value.subject(), text), value.span.clone());
    }
    part
}

/// One character a cell; a space is an empty one. There may be blank lines if so asked.
pub(super) fn read_text(
    value: &Value<'_>,
    key: Option<Value<'_>>,
    legends: &Legends,
    blanks: bool,
    model: &Model,
    notes: &mut Notes,
) -> Option<Drawn> {
    let text = value.text(notes)?;
    let Some(key) = key else {
        let finding = Finding::new(Code::MissingKey, value.subject(), "a drawing needs a `key`");
        let help = "add `key = { \".\" = \"moss\", \"#\" = { tile = \"bend\", turned = 1 } }`";
        notes.add(finding.help(help), value.span.clone());
        return None;
    };
    let legend = if key.is_text() {
        let name = key.text(notes)?;
        let Some(legend) = legends.get(name) else {
            unknown_name("key", &key, name, legends.keys().map(String::as_str), notes);
            return None;
        };
        legend.clone()
    } else {
        read_key(&key.table(notes)?, model, notes)
    };
    let rows = text.trim_matches(['\n', '\r']).lines().filter(|row| !blanks || !row.is_empty());
    let rows: Vec<Vec<char>> = rows.map(|row| row.chars().collect()).collect();
    let width = rows.first().map_or(0, Vec::len);
    if width == 0 {
        let finding = Finding::new(Code::BadSize, value.subject(), "the drawing is empty");
        notes.add(finding.help("one row a line, one character a tile"), value.span.clone());
        return None;
    }
    let ragged = rows.iter().enumerate().find(|(_, row)| row.len() != width);
    if let Some((number, row)) = ragged {
        let text = format!("row {number} has {} characters, row 0 has {width}", row.len());
        let finding = Finding::new(Code::BadSize, value.subject(), text);
        notes.add(finding.help("a space is an empty cell"), value.span.clone());
        return None;
    }
    let mut unknown: BTreeMap<char, (usize, [usize; 2])> = BTreeMap::new();
    let mut cells = Vec::new();
    for (y, row) in rows.iter().enumerate() {
        for (x, &character) in row.iter().enumerate() {
            let meant = legend.get(&character).copied();
            if meant.is_none() && character != ' ' {
                unknown.entry(character).or_insert((0, [x, y])).0 += 1;
            }
            cells.push(meant.flatten());
        }
    }
    for (character, (count, [x, y])) in &unknown {
        let shown = character.escape_default();
        let text = format!("`{shown}` is not in the key: {count} times, first at ({x}, {y})");
        let known: Vec<String> = legend.keys().map(|known| format!("`{known}`")).collect();
        let finding = Finding::new(Code::UnknownName, value.subject(), text);
        let help = format!("the key has {}; a space is an empty cell", known.join(", "));
        notes.add(finding.help(help), value.span.clone());
    }
    let (width, height) = (width as u32, rows.len() as u32);
    unknown.is_empty().then_some(Drawn { width, height, levels: 1, cells })
}

fn read_key(keys: &Keys<'_>, model: &Model, notes: &mut Notes) -> Legend {
    let mut legend = BTreeMap::new();
    for (name, span, value) in keys.entries() {
        let mut characters = name.chars();
        let (Some(character), None) = (characters.next(), characters.next()) else {
            let text = format!("`{}` is not one character", shorten(name));
            notes.add(Finding::new(Code::BadValue, value.subject(), text), span);
            continue;
        };
        let posed = read_meaning(&value, model, notes);
        legend.insert(character, posed);
    }
    legend
}

/// A tile as drawn, or in a pose: `{ tile = "bend", turned = 1 }`.
pub(super) fn read_meaning(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Option<Posed> {
    if value.is_text() {
        let name = value.text(notes).unwrap_or_default();
        tile_named(name, value, model, notes).map(|tile| (tile, Orientation::AS_DRAWN))
    } else {
        value.table(notes).and_then(|mut keys| {
            let tile = keys.need("tile", "the tile that it means", notes);
            let tile = tile.and_then(|value| tile_named(value.text(notes)?, &value, model, notes));
            let orientation = take_orientation(&mut keys, model, notes);
            let part = keys.take("part");
            keys.finish(notes);
            let tile = match part {
                Some(value) => part_named(tile?, &value, model, notes)?,
                None => tile?,
            };
            Some((tile, orientation.unwrap_or(Orientation::AS_DRAWN)))
        })
    }
}

/// The first layer of a saved map.
pub(super) fn read_map(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Drawn> {
    let file = value.text(notes)?;
    let mut wrong = |text: String, help: &str| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let data = match grounds.load.art.read(file) {
        Ok(data) => data,
        Err(error) => {
            wrong(format!("sample `{file}`: {error}"), "paths are relative to the quilt");
            return None;
        }
    };
    grounds.load.hash.update(&data);
    let map = match read_json(&data[..]) {
        Ok(map) => map,
        Err(error) => {
            wrong(format!("sample `{file}`: {error}"), "name a map that `fill` wrote");
            return None;
        }
    };
    let lattice = grounds.model.lattice();
    let (Some(layer), true) = (map.layers().next(), map.layout().lattice() == lattice) else {
        let found = map.layout().lattice();
        let text = format!("sample `{file}` is a {found} map of {} layers", map.layers().len());
        wrong(text, &format!("a sample is a {lattice} map with one layer at least"));
        return None;
    };
    let mut unknown = Vec::new();
    let set = grounds.model.set()?;
    let known: Vec<Option<Posed>> = layer
        .palette()
        .iter()
        .map(|placed| {
            let tile = set.find_at(&placed.tile, placed.part);
            if tile.is_none() {
                unknown.push(format!("`{}`", placed.tile));
            }
            Some((tile?, placed.orientation))
        })
        .collect();
    if !unknown.is_empty() {
        unknown.dedup();
        let text = format!("sample `{file}` shows tiles that are not in this quilt");
        wrong(text, &format!("they are {}", unknown.join(", ")));
        return None;
    }
    let [width, height, levels] = layer.extent().size();
    let cells = layer.cells().iter().map(|number| known[number? as usize]).collect();
    Some(Drawn { width, height, levels, cells })
}

/// The slices of a picture, which lie side by side, one below the other.
pub(super) fn stacked(
    drawn: Picture,
    slices: Option<&(u32, Value<'_>)>,
    notes: &mut Notes,
) -> Option<Picture> {
    let Some((levels, value)) = slices else { return Some(drawn) };
    let stacked = drawn.stacked(*levels);
    if stacked.is_none() {
        let text = format!("{} columns do not divide into {levels} slices", drawn.width());
        let finding = Finding::new(Code::PictureSize, value.subject(), text);
        let help = "lay the levels side by side, the lowest first, all of one width";
        notes.add(finding.help(help), value.span.clone());
    }
    stacked
}

/// A picture painted with the tiles' own pictures, recognised pixel by pixel in any pose.
pub(super) fn read_picture(
    value: &Value<'_>,
    pictures: &TileArt,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Drawn> {
    let file = value.text(notes)?;
    let picture = grounds.load.own_picture(file, &value.span, notes)?;
    let [wide, high] = pictures.cell();
    let lattice = grounds.model.lattice();
    let whole = |length: u32, cell: u32| cell > 0 && length > 0 && length.is_multiple_of(cell);
    let square = lattice == lantern_quilt_core::lattice::Lattice::Square;
    if !square || !whole(picture.width(), wide) || !whole(picture.height(), high) {
        let text = format!(
            "`{file}` is {} x {} pixels, which is not a whole number of cells of {wide} x {high}",
            picture.width(),
            picture.height()
        );
        let finding = Finding::new(Code::PictureSize, value.subject(), text);
        let help = "paint a square map with the tiles, at the size they have in their sheet";
        notes.add(finding.help(help), value.span.clone());
        return None;
    }
    let known = known_pictures(pictures, grounds.model);
    let (width, height) = (picture.width() / wide, picture.height() / high);
    let (mut cells, mut strange) = (Vec::new(), Vec::new());
    for y in 0..height {
        for x in 0..width {
            let cell = picture.cut(x * wide, y * high, wide, high).expect("inside");
            let empty = cell.pixels().iter().all(|pixel| pixel[3] == 0);
            let found = known.get(cell.pixels()).copied();
            if found.is_none() && !empty {
                strange.push([x, y]);
            }
            cells.push(found);
        }
    }
    if !strange.is_empty() {
        let text = match strange.len() {
            1 => format!("1 cell of `{file}` is not a tile of this quilt"),
            many => format!("{many} cells of `{file}` are not tiles of this quilt"),
        };
        let finding = Finding::new(Code::UnknownName, value.subject(), text);
        let more = if strange.len() > NAMED { ", ..." } else { "" };
        let named: Vec<String> =
            strange.iter().take(NAMED).map(|[x, y]| format!("({x}, {y})")).collect();
        let help = format!("cells are compared pixel by pixel; see {}{more}", named.join(", "));
        notes.add(finding.help(help), value.span.clone());
        let (file, cell) = (file.to_owned(), [wide, high]);
        notes.unknown.push(UnknownCells { file, picture, cell, cells: strange });
        return None;
    }
    Some(Drawn { width, height, levels: 1, cells })
}

/// The pixels of each tile in each pose; of poses that look the same the first counts.
fn known_pictures(pictures: &TileArt, model: &Model) -> BTreeMap<Vec<Rgba>, Posed> {
    let lattice = model.lattice();
    let mut known = BTreeMap::new();
    let Some(set) = model.set() else { return known };
    let mut tiles: Vec<(TileId, &CheckedTile)> = set.tiles().pairs().collect();
    tiles.sort_by(|(_, a), (_, b)| a.name().cmp(b.name()));
    for (id, tile) in tiles {
        for look in 0..pictures.looks(tile.name()).len() as u32 {
            for &orientation in tile.orientations() {
                let turned = pictures.posed(tile.name(), look, tile.part(), lattice, orientation);
                let Some(turned) = turned else { continue };
                known.entry(turned.pixels().to_vec()).or_insert((id, orientation));
            }
        }
    }
    known
}
