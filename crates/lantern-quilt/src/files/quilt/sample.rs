//! Samples: finished maps drawn as text, saved as JSON or painted with the tiles' own pictures.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::grounds::Grounds;
use super::kinds::take_orientation;
use super::model::{Model, twice};
use super::tile::read_mirror;
use crate::art::TileArt;
use crate::files::map::read_json;
use crate::files::report::UnknownCells;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::{Posed, Sample};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Layout, Wrap};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::CheckedTile;
use lantern_quilt_core::tileset::block::MOST_PARTS;
use std::collections::{BTreeMap, BTreeSet};

/// Places that are named in one finding.
const NAMED: usize = 8;

/// `[[sample]]`, each with `text` and `key`, `map` or `picture`.
pub(super) fn read_samples(
    value: Option<Value<'_>>,
    keys: &Legends,
    pictures: &TileArt,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Vec<Sample> {
    let entries = value.map(|value| value.array(notes)).unwrap_or_default();
    entries.iter().filter_map(|entry| read_sample(entry, keys, pictures, grounds, notes)).collect()
}

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

fn read_sample(
    value: &Value<'_>,
    legends: &Legends,
    pictures: &TileArt,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Sample> {
    let mut keys = value.table(notes)?;
    let lattice = grounds.model.lattice();
    let (text, map, picture) = (keys.take("text"), keys.take("map"), keys.take("picture"));
    let key = keys.take("key");
    let turns = keys.take("turns").map_or(Some(1), |value| {
        let turns = value.whole(1..i64::from(lattice.turns()) + 1, Code::BadTurns, notes)?;
        if i64::from(lattice.turns()) % turns == 0 {
            return Some(turns as u8);
        }
        let text = format!("{turns} turns do not fit a {lattice} lattice");
        let finding = Finding::new(Code::BadTurns, value.subject(), text);
        notes.add(finding.help("as for a tile: 1, 2 or 4 on squares"), value.span.clone());
        None
    });
    let mirror = keys.take("mirror").map(|value| read_mirror(&value, notes)).unwrap_or_default();
    let wrap = keys.take("wrap");
    let wrap = wrap.map_or(Wrap::NONE, |value| super::map::read_wrap(&value, false, notes));
    let alike = keys.take("alike").map(|value| value.array(notes)).unwrap_or_default();
    let alike = read_alike(&alike, grounds.model, notes);
    keys.finish(notes);
    let drawn = match (text, map, picture) {
        (Some(text), None, None) => read_text(&text, key, legends, grounds.model, notes)?,
        (None, Some(map), None) => read_map(&map, grounds, notes)?,
        (None, None, Some(picture)) => read_picture(&picture, pictures, grounds, notes)?,
        _ => {
            let text = "a sample is one of `text`, `map` and `picture`";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            let help = "draw it as text with one character a tile and a `key`, name a saved map, \
                        or a picture painted with the tiles";
            notes.add(finding.help(help), value.span.clone());
            return None;
        }
    };
    let layout = Layout::flat(lattice, drawn.width, drawn.height)
        .and_then(|flat| Layout::new(lattice, flat.extent(), wrap));
    match layout {
        Ok(layout) => {
            let sample = Sample { layout, cells: drawn.cells, turns: turns?, mirror, alike };
            say_still(&sample, value, pictures, grounds.model, notes);
            Some(sample)
        }
        Err(error) => {
            let finding = Finding::new(Code::BadSize, value.subject(), error.to_string());
            notes.add(finding, value.span.clone());
            None
        }
    }
}

/// Says that tiles stay as they are where the sample is turned, though their pictures would not.
fn say_still(
    sample: &Sample,
    value: &Value<'_>,
    pictures: &TileArt,
    model: &Model,
    notes: &mut Notes,
) {
    let (Some(set), lattice) = (model.set(), model.lattice()) else { return };
    let turned = sample.orientations();
    let differs = |tile: TileId| {
        let tile = &set.tiles()[tile];
        let &[only] = tile.orientations() else { return false };
        let Some(look) = pictures.look(tile.name(), 0).filter(|look| look.turns_with_tile()) else {
            return false;
        };
        let drawn = look.posed(lattice, only);
        turned
            .iter()
            .any(|&turn| look_apart(&look.posed(lattice, only.then(turn, lattice)), &drawn))
    };
    let tiles: BTreeSet<TileId> = sample.cells.iter().flatten().map(|&(tile, _)| tile).collect();
    let still: BTreeSet<&str> = tiles
        .into_iter()
        .filter(|&tile| differs(tile))
        .map(|tile| set.tiles()[tile].name())
        .collect();
    if still.is_empty() {
        return;
    }
    let names: Vec<String> = still.iter().take(NAMED).map(|name| format!("`{name}`")).collect();
    let more = still.len().saturating_sub(NAMED);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let text = format!(
        "the sample is turned, but {}{more} {} one pose and a picture that would look different",
        names.join(", "),
        if still.len() == 1 { "has" } else { "have" },
    );
    let help = "give such tiles `turns`, or mark them `upright = true` if they always stand so; or take \
                `turns` and `mirror` out of the sample";
    notes.add(Finding::new(Code::StillTile, value.subject(), text).help(help), value.span.clone());
}

/// Whether two pictures show different things, whatever their grain: whether any of sixteen parts has
/// another colour.
fn look_apart(a: &Picture, b: &Picture) -> bool {
    const PARTS: u32 = 4;
    const APART: u64 = 48;
    if [a.width(), a.height()] != [b.width(), b.height()] {
        return true;
    }
    let means = |picture: &Picture, column: u32, row: u32| -> [u64; 4] {
        let ends = |part: u32, length: u32| {
            let start = part * length / PARTS;
            start..((part + 1) * length / PARTS).max(start + 1).min(length)
        };
        let (mut sums, mut count) = ([0; 4], 0);
        for y in ends(row, picture.height()) {
            for x in ends(column, picture.width()) {
                let [r, g, b, alpha] = picture.get(x, y).unwrap_or_default().map(u64::from);
                let seen = [r * alpha / 255, g * alpha / 255, b * alpha / 255, alpha];
                sums = std::array::from_fn(|channel| sums[channel] + seen[channel]);
                count += 1;
            }
        }
        sums.map(|sum| sum / count.max(1))
    };
    (0..PARTS * PARTS).any(|part| {
        let (column, row) = (part % PARTS, part / PARTS);
        let (a, b) = (means(a, column, row), means(b, column, row));
        a.into_iter().zip(b).any(|(a, b)| a.abs_diff(b) > APART)
    })
}

/// Cells row by row.
struct Drawn {
    width: u32,
    height: u32,
    cells: Vec<Option<Posed>>,
}

/// `alike = [["moss", "fern"], ...]`; no tile may be in two groups, for then all of them would be one.
fn read_alike(groups: &[Value<'_>], model: &Model, notes: &mut Notes) -> Vec<Vec<TileId>> {
    let mut alike: Vec<Vec<TileId>> = Vec::new();
    for value in groups {
        let group = read_group(value, model, notes);
        let known = |tile: &&TileId| alike.iter().any(|other| other.contains(tile));
        if let Some(&twice) = group.iter().find(known) {
            let name = model.name_of(twice);
            let text = format!("`{}` is alike in two groups", shorten(name));
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(
                finding.help("make the groups one, or take it out of one"),
                value.span.clone(),
            );
        }
        alike.push(group);
    }
    alike
}

/// Tiles that count as one.
fn read_group(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<TileId> {
    let mut group = Vec::new();
    for value in value.array(notes) {
        let Some(name) = value.text(notes) else { continue };
        group.extend(tile_named(name, &value, model, notes));
    }
    group
}

fn tile_named(name: &str, value: &Value<'_>, model: &Model, notes: &mut Notes) -> Option<TileId> {
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

/// One character a cell; a space is an empty one.
fn read_text(
    value: &Value<'_>,
    key: Option<Value<'_>>,
    legends: &Legends,
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
    let rows: Vec<Vec<char>> =
        text.trim_matches(['\n', '\r']).lines().map(|row| row.chars().collect()).collect();
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
    unknown.is_empty().then_some(Drawn { width: width as u32, height: rows.len() as u32, cells })
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
        let posed = if value.is_text() {
            let name = value.text(notes).unwrap_or_default();
            tile_named(name, &value, model, notes).map(|tile| (tile, Orientation::AS_DRAWN))
        } else {
            value.table(notes).and_then(|mut keys| {
                let tile = keys.need("tile", "the tile that it means", notes);
                let tile =
                    tile.and_then(|value| tile_named(value.text(notes)?, &value, model, notes));
                let orientation = take_orientation(&mut keys, model, notes);
                let part = keys.take("part");
                keys.finish(notes);
                let tile = match part {
                    Some(value) => part_named(tile?, &value, model, notes)?,
                    None => tile?,
                };
                Some((tile, orientation.unwrap_or(Orientation::AS_DRAWN)))
            })
        };
        legend.insert(character, posed);
    }
    legend
}

/// The first layer of a saved map.
fn read_map(value: &Value<'_>, grounds: &mut Grounds<'_>, notes: &mut Notes) -> Option<Drawn> {
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
    let [width, height, _] = layer.extent().size();
    let cells = layer.cells().iter().map(|number| known[number? as usize]).collect();
    Some(Drawn { width, height, cells })
}

/// A picture painted with the tiles' own pictures, recognised pixel by pixel in any pose.
fn read_picture(
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
    Some(Drawn { width, height, cells })
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
