//! What cells become.

use super::common::Common;
use super::names::Names;
use crate::files::quilt::cursor::{Keys, Notes, unknown_name};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::map::Placed;
use lantern_quilt_core::passes::Becomes;

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

/// `terrain`, `tile`, `tag` and `height`, from keys among others.
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
    let all: Vec<Becomes> = terrain.into_iter().chain(tile).chain(tag).chain(height).collect();
    for one in &all {
        names.become_known(one);
    }
    all
}
