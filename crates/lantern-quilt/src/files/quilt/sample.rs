//! Samples: finished maps drawn as text, saved as JSON or painted with the tiles' own pictures.

use super::cursor::{Notes, Value, shorten};
use super::drawn::{Legends, read_map, read_picture, read_text, tile_named};
use super::grounds::Grounds;
use super::model::Model;
use super::tile::read_mirror;
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::constraints::Sample;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Lattice, Layout, Wrap};
use std::collections::BTreeSet;
use std::ops::Range;

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
    let turns = keys.take("turns").map_or(Some(1), |value| read_turns(&value, lattice, notes));
    let mirror = keys.take("mirror").map(|value| read_mirror(&value, notes)).unwrap_or_default();
    let wrap = keys.take("wrap");
    let wrap = wrap.map_or(Wrap::NONE, |value| super::map::read_wrap(&value, false, notes));
    let alike = keys.take("alike").map(|value| value.array(notes)).unwrap_or_default();
    let alike = read_alike(&alike, grounds.model, notes);
    keys.finish(notes);
    let drawn = match (text, map, picture) {
        (Some(text), None, None) => read_text(&text, key, legends, false, grounds.model, notes)?,
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
            say_still(
                &sample,
                (value.subject(), value.span.clone()),
                pictures,
                grounds.model,
                notes,
            );
            Some(sample)
        }
        Err(error) => {
            let finding = Finding::new(Code::BadSize, value.subject(), error.to_string());
            notes.add(finding, value.span.clone());
            None
        }
    }
}

/// In how many turns a sample counts.
pub(super) fn read_turns(value: &Value<'_>, lattice: Lattice, notes: &mut Notes) -> Option<u8> {
    let turns = value.whole(1..i64::from(lattice.turns()) + 1, Code::BadTurns, notes)?;
    if i64::from(lattice.turns()) % turns == 0 {
        return Some(turns as u8);
    }
    let text = format!("{turns} turns do not fit a {lattice} lattice");
    let finding = Finding::new(Code::BadTurns, value.subject(), text);
    notes.add(finding.help("as for a tile: 1, 2 or 4 on squares"), value.span.clone());
    None
}

/// Says that tiles stay as they are where the sample is turned, though their pictures would not.
pub(super) fn say_still(
    sample: &Sample,
    (subject, span): (Subject, Range<usize>),
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
    notes.add(Finding::new(Code::StillTile, subject, text).help(help), span);
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
