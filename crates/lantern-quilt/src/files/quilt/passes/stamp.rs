//! `pass = "stamp"`: small maps, where `place` would set things, or at `at`.

use super::parts::chooser::Reader;
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::names::Names;
use super::parts::numbers::take_weight;
use crate::files::map::read_json;
use crate::files::quilt::cursor::{Keys, Notes, Value};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::items::{read_side, towards_us};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::{Cell, Extent, Layout, Shift};
use lantern_quilt_core::map::{Terrain, Tilemap};
use lantern_quilt_core::passes::{Amount, Condition, Facing, StampStep};
use std::sync::Arc;

pub(super) const KIND: Kind = Kind {
    name: "stamp",
    lays_tiles: true,
    fills: false,
    places: true,
    read,
    schema: |generator| generator.subschema_for::<schema::StampPass>(),
};

/// More cells than this are no small map.
const LARGEST: usize = 4096;

fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, .. } = reading;
    let lattice = grounds.model.lattice();
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    let at = keys.take("at").and_then(|value| value.wholes(range, Code::BadValue, notes));
    let help = "a small map: `{ map = \"court.map.json\" }`, or `{ text = \"...\" }` in letters";
    let stamps = keys.need("stamps", help, notes);
    let listed = stamps.as_ref().map(|value| value.one_or_more(notes)).unwrap_or_default();
    let mut all = Vec::new();
    for value in &listed {
        all.extend(read_small(value, names, grounds, notes));
    }
    let faces = keys.take("faces").and_then(|value| read_side(&value, lattice, notes));
    let span = keys.span.clone();
    let path = keys.path().to_owned();
    let mut chooser = Reader { names, grounds, lattice }.read_chooser(&mut keys, notes);
    keys.finish(notes);
    let ways = u16::from(lattice.turns());
    if let Facing::Steps(steps) = chooser.facing
        && steps != 360
        && !ways.is_multiple_of(steps)
    {
        let by = if ways == 6 { "sixths" } else { "quarters" };
        let text = format!("a small map cannot face {steps} ways: it turns by {by}");
        let finding = Finding::new(Code::BadValue, Subject::Field(path), text);
        let steps = if ways == 6 { "2, 3 or 6" } else { "2 or 4" };
        let help = format!("write `facing = \"random\"`, or `steps` of {steps}");
        notes.add(finding.help(help), span);
    }
    if let (Some([x, y]), Some((_, first))) = (at, all.first()) {
        // `at` is the north-west corner; small maps are held by the middle.
        let (origin, held) = (first.layout().extent().origin(), StampStep::held(first.layout()));
        let layout = grounds.layout?;
        let to_middle = Shift::between(lattice, origin, held);
        // Where that is off the map, no cell is the one.
        let held = layout.shifted(Cell::new(x as i32, y as i32), to_middle);
        let held = held.unwrap_or(Cell::new(i32::MIN, i32::MIN));
        let one = Condition::Within(Extent::new(held, [1, 1, 1]).ok()?);
        common.place = Condition::All(vec![std::mem::take(&mut common.place), one]);
        chooser.amount = Amount::Between { least: 1, most: 1 };
    }
    for (_, stamp) in &all {
        names.laid.extend(stamp.terrain().into_iter().flat_map(|one| one.palette.iter().cloned()));
        names.tags.extend(stamp.tags().map(|(tag, _)| tag.to_owned()));
        names.placed.extend(stamp.items().iter().map(|item| item.name.to_string()));
        for layer in stamp.layers() {
            names.layers.insert(common.into.clone().unwrap_or_else(|| layer.name.clone()));
            names.standing.extend(layer.palette().iter().map(|placed| placed.tile.clone()));
        }
    }
    if all.is_empty() {
        return None;
    }
    Read::step(StampStep::new(chooser, all, faces.unwrap_or(towards_us(lattice))))
}

/// `{ map = "court.map.json", weight = 2 }`, or `text` in the letters of terrains.
fn read_small(
    value: &Value<'_>,
    names: &Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<(f64, Arc<Tilemap>)> {
    let mut keys = value.table(notes)?;
    let (map, text) = (keys.take("map"), keys.take("text"));
    let weight = take_weight(&mut keys, notes);
    keys.finish(notes);
    let lattice = grounds.model.lattice();
    let wrong = |value: &Value<'_>, text: String, help: &str, notes: &mut Notes| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
        None
    };
    let small = match (map, text) {
        (Some(value), None) => {
            let file = value.text(notes)?;
            let data = grounds.load.own_file(file, &value.span, notes)?;
            match read_json(&data[..]) {
                Ok(map) if map.layout().lattice() == lattice => map,
                Ok(map) => {
                    let text = format!("`{file}` is a {} map", map.layout().lattice());
                    return wrong(&value, text, &format!("this quilt makes {lattice} maps"), notes);
                }
                Err(error) => {
                    let help = "small maps are written by `fill` and `draw`, as JSON";
                    return wrong(&value, format!("`{file}`: {error}"), help, notes);
                }
            }
        }
        (None, Some(value)) => {
            let text = value.text(notes)?;
            let rows: Vec<&str> =
                text.lines().map(str::trim_end).filter(|row| !row.is_empty()).collect();
            let width = rows.iter().map(|row| row.chars().count()).max().unwrap_or(0);
            let layout = Layout::flat(lattice, width as u32, rows.len() as u32).ok()?;
            let extent = layout.extent();
            let mut terrain = Terrain::new(extent);
            for (y, row) in rows.iter().enumerate() {
                for (x, letter) in row.chars().enumerate() {
                    match names.terrains.key.letters.get(&letter) {
                        Some(name) => {
                            let number = terrain.number(name);
                            terrain.cells.set(y * width + x, Some(number));
                        }
                        None if letter == '.' || letter == ' ' => {}
                        None => {
                            let text = format!("`{letter}` at [{x}, {y}] means no terrain");
                            let help = "use the letters of `[terrains]`; a full stop leaves a cell";
                            let finding = Finding::new(Code::OffKey, value.subject(), text);
                            notes.add(finding.help(help), value.span.clone());
                            return None;
                        }
                    }
                }
            }
            let mut map = Tilemap::new(layout);
            map.set_terrain(Some(terrain));
            map
        }
        _ => {
            return wrong(
                value,
                "a small map is a `map` or a `text`".to_owned(),
                "keep one of them",
                notes,
            );
        }
    };
    let cells = small.layout().extent().cells();
    if small.layout().extent().depth() > 1 {
        let text = "a small map has one level".to_owned();
        return wrong(value, text, "cut one out of it, or stamp each by itself", notes);
    }
    if cells > LARGEST {
        let text = format!("{cells} cells are too many to be set in");
        return wrong(
            value,
            text,
            "small maps have 4096 cells at most; cut it into several",
            notes,
        );
    }
    Some((weight, Arc::new(small)))
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{OneOrMore, choosing};
    use crate::files::words::Side;
    use schemars::JsonSchema;

    choosing! {
        /// Sets small maps in.
        StampPass = "stamp" {
            /// The small maps, by weight.
            stamps: OneOrMore<Stamp>,
            /// The cell of the north-west corner of one.
            at: Option<[i64; 2]>,
            /// The side they face as drawn. Default south.
            faces: Option<Side>,
        }
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Stamp {
        /// A saved map.
        map: Option<String>,
        /// Letters of terrains.
        text: Option<String>,
        weight: Option<f64>,
    }
}
