//! What cells become.

use super::common::Common;
use super::names::Names;
use super::numbers::say_empty;
use crate::files::quilt::cursor::{Keys, Notes, Value, unknown_name};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::map::{Numbers, Placed};
use lantern_quilt_core::passes::Becomes;

/// `becomes = { terrain = "gravel", tag = "lane" }`.
pub(in crate::files::quilt::passes) fn read_becomes(
    value: &Value<'_>,
    laid: &Laid,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Vec<Becomes> {
    let Some(mut keys) = value.table(notes) else { return Vec::new() };
    let becomes = take_becomes(&mut keys, laid, names, notes);
    if becomes.is_empty() {
        say_empty(&keys, "the pass assigns nothing", HELP, notes);
    }
    keys.finish(notes);
    becomes
}

pub(in crate::files::quilt::passes) const HELP: &str =
    "add `terrain`, `tile`, `tag`, `height` or `value = { PLANE = 3 }`";

/// `value = { depth = 3 }`: each plane with the number that cells get.
fn read_numbers(value: &Value<'_>, notes: &mut Notes) -> Vec<Becomes> {
    let Some(keys) = value.table(notes) else { return Vec::new() };
    let range = i64::from(Numbers::LEAST)..i64::from(i32::MAX) + 1;
    let entries = keys.entries();
    let numbers = entries.into_iter().filter_map(|(plane, _, value)| {
        let number = value.whole(range.clone(), Code::BadValue, notes)?;
        Some(Becomes::Number { plane: plane.to_owned(), number: number as i32 })
    });
    numbers.collect()
}

/// The layer that a pass lays tiles on, and how they say so.
pub(in crate::files::quilt::passes) struct Laid {
    layer: String,
    pass: Option<String>,
    group: Option<String>,
}

impl Laid {
    pub(in crate::files::quilt::passes) fn of(common: &Common) -> Self {
        let layer = common.layer().to_owned();
        let pass = Some(common.name.clone()).filter(|pass| *pass != layer);
        Self { layer, pass, group: common.group.clone() }
    }
}

/// `terrain`, `tile`, `tag`, `height` and `value`, from keys among others.
pub(in crate::files::quilt::passes) fn take_becomes(
    keys: &mut Keys<'_>,
    laid: &Laid,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Vec<Becomes> {
    let terrain = keys.take("terrain").and_then(|value| names.terrains.find(&value, notes));
    let tag = keys.take("tag").and_then(|value| value.text(notes));
    let tile = keys.take("tile").and_then(|value| {
        let name = value.text(notes)?;
        if names.tiles.contains(name) {
            return Some(name.to_owned());
        }
        unknown_name("tile", &value, name, names.tiles.iter().map(String::as_str), notes);
        None
    });
    let heights = i64::from(i32::MIN)..i64::from(i32::MAX);
    let height = keys.take("height").and_then(|value| value.whole(heights, Code::BadValue, notes));
    let terrain = terrain.map(Becomes::Terrain);
    let tag = tag.map(|tag| Becomes::Tag(tag.to_owned()));
    let height = height.map(|height| Becomes::Height(height as i32));
    let tile = tile.map(|tile| {
        let (pass, group) = (laid.pass.clone(), laid.group.clone());
        let placed = Placed { pass, group, ..Placed::new(tile) };
        Becomes::Tile { layer: laid.layer.clone(), looks: names.looks_of(&placed.tile), placed }
    });
    let numbers = keys.take("value").map(|value| read_numbers(&value, notes)).unwrap_or_default();
    let one = terrain.into_iter().chain(tile).chain(tag).chain(height);
    let all: Vec<Becomes> = one.chain(numbers).collect();
    for one in &all {
        names.become_known(one);
    }
    all
}
