//! `pass = "plan"`: a picture, text or heights, laid somewhere.

use super::parts::common::{Common, Kind, Read, Reading};
use crate::colour::{grey, to_hex};
use crate::files::quilt::cursor::{Keys, Notes, Value};
use crate::files::quilt::drawn::stacked;
use crate::files::quilt::strays::say_strays;
use crate::files::quilt::terrains::{Key, read_own_key};
use crate::picture::Picture;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::{Indices, Terrain};
use lantern_quilt_core::passes::{Plan, Planned, steps_of};
use std::collections::BTreeMap;

pub(super) const KIND: Kind = Kind {
    name: "plan",
    lays_tiles: false,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::PlanPass>(),
};

/// Colours of a plan that are offered as a key.
const OFFERED: usize = 16;

fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, .. } = reading;
    let terrains = names.terrains;
    let span = keys.span.clone();
    let (picture, text) = (keys.take("picture"), keys.take("text"));
    let (heights, step) = (keys.take("heights"), keys.take("step"));
    let own = keys.take("key").map(|value| read_own_key(&value, terrains, notes));
    let near = keys.take("near").and_then(|value| value.whole(0..442, Code::BadValue, notes));
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    let solid = grounds.model.lattice().is_solid();
    let at = keys.take("at").and_then(|value| {
        if solid {
            let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
            return Some([x, y, z]);
        }
        let [x, y] = value.wholes(range, Code::BadValue, notes)?;
        Some([x, y, 0])
    });
    let slices = if solid { keys.take("slices") } else { None };
    let slices = slices
        .and_then(|value| Some((value.whole(1..65_536, Code::BadValue, notes)? as u32, value)));
    let step = step.and_then(|value| value.whole(1..256, Code::BadValue, notes));
    let subject = Subject::Field(keys.path().to_owned());
    keys.finish(notes);
    let key = own.as_ref().unwrap_or(&terrains.key);
    let plan = match (picture, text, heights) {
        (Some(value), None, None) => {
            let drawn = grounds.load.own_picture(value.text(notes)?, &value.span, notes)?;
            let drawn = stacked(drawn, slices.as_ref(), notes)?;
            of_picture(&drawn, key, near.unwrap_or(0) as u32, &value, notes)?
        }
        (None, Some(value), None) => of_text(&value, key, notes)?,
        (None, None, Some(value)) => {
            let drawn = grounds.load.own_picture(value.text(notes)?, &value.span, notes)?;
            let drawn = stacked(drawn, slices.as_ref(), notes)?;
            let values: Vec<u8> = drawn.pixels().iter().map(|&pixel| grey(pixel)).collect();
            let heights = steps_of(&values, step.unwrap_or(1) as u8);
            Plan::of_heights([drawn.width(), drawn.height()], heights)?
        }
        _ => {
            let text = "a plan is one of `picture`, `text` and `heights`";
            let help = "name a PNG with one pixel a cell, or draw it as text with the letters of \
                        `[terrains]`";
            notes.add(Finding::new(Code::MissingKey, subject, text).help(help), span);
            return None;
        }
    };
    let [x, y, z] = at.unwrap_or_default();
    let plan = plan.at(Cell::at(x as i32, y as i32, z as i32));
    let plan = match &slices {
        Some((levels, value)) => match plan.levels(*levels) {
            Some(plan) => plan,
            None => {
                let said = format!("the rows of the plan do not divide into {levels} levels");
                let finding = Finding::new(Code::BadValue, value.subject(), said);
                notes.add(finding.help("give each level as many rows"), value.span.clone());
                return None;
            }
        },
        None => plan,
    };
    if let Some(layout) = grounds.layout {
        let outside = plan.outside(layout.extent());
        let [width, height] = plan.size();
        if outside > 0 {
            let text = format!(
                "{outside} of the {} cells of `{}` lie outside the map",
                u64::from(width)
                    * u64::from(height)
                    * u64::from(slices.as_ref().map_or(layout.extent().depth(), |one| one.0)),
                common.name
            );
            let all = layout.extent();
            let help = format!(
                "the map has {} x {} cells from {}; the plan has {width} x {height} from ({x}, {y})",
                all.width(),
                all.height(),
                all.origin()
            );
            notes.add(Finding::new(Code::PlanCut, subject, text).help(help), span);
        }
    }
    names.laid.extend(plan.terrains().cloned());
    Read::step(plan)
}

/// One pixel a cell, through a key.
fn of_picture(
    drawn: &Picture,
    key: &Key,
    near: u32,
    value: &Value<'_>,
    notes: &mut Notes,
) -> Option<Plan> {
    if key.colours.is_empty() {
        offer_key(drawn, value, notes);
        return None;
    }
    let planned = Plan::read(drawn.pixels(), drawn.width(), &key.colour_key(near))?;
    let Planned { terrain, strays, uncounted } = planned;
    say_strays(&strays, uncounted, value, notes);
    Plan::of_terrain([drawn.width(), drawn.height()], terrain)
}

/// Lists the colours of a plan, ready to be named.
fn offer_key(drawn: &Picture, value: &Value<'_>, notes: &mut Notes) {
    let mut counts: BTreeMap<[u8; 4], u64> = BTreeMap::new();
    for &pixel in drawn.pixels().iter().filter(|pixel| pixel[3] > 0) {
        *counts.entry(pixel).or_default() += 1;
    }
    let mut counts: Vec<([u8; 4], u64)> = counts.into_iter().collect();
    counts.sort_by_key(|&(colour, count)| (std::cmp::Reverse(count), colour));
    let lines: Vec<String> = counts
        .iter()
        .take(OFFERED)
        .enumerate()
        .map(|(number, (colour, count))| {
            format!("ground_{number} = \"{}\"  # {count} pixels", to_hex(*colour))
        })
        .collect();
    let more = counts.len().saturating_sub(OFFERED);
    let more = if more > 0 { format!("\n# and {more} more colours") } else { String::new() };
    let text = format!("no colour means a terrain, and the plan has {}", counts.len());
    let help = format!("name them, from the ground up:\n[terrains]\n{}{more}", lines.join("\n"));
    notes.add(Finding::new(Code::MissingKey, value.subject(), text).help(help), value.span.clone());
}

/// A character a cell; blanks, and full stops that mean nothing else, are left empty.
fn of_text(value: &Value<'_>, key: &Key, notes: &mut Notes) -> Option<Plan> {
    let text = value.text(notes)?;
    let rows: Vec<&str> = text.lines().map(str::trim_end).filter(|row| !row.is_empty()).collect();
    let width = rows.iter().map(|row| row.chars().count()).max().unwrap_or(0);
    if width == 0 {
        let finding = Finding::new(Code::BadValue, value.subject(), "the plan is empty");
        notes.add(finding.help("draw one letter a cell"), value.span.clone());
        return None;
    }
    let mut terrain = Terrain { palette: Vec::new(), cells: Indices::new(width * rows.len(), 0) };
    let mut unknown: BTreeMap<char, (u64, [usize; 2])> = BTreeMap::new();
    for (y, row) in rows.iter().enumerate() {
        for (x, letter) in row.chars().enumerate() {
            match key.letters.get(&letter) {
                Some(name) => {
                    let number = terrain.number(name);
                    terrain.cells.set(y * width + x, Some(number));
                }
                None if letter == '.' || letter == ' ' => {}
                None => unknown.entry(letter).or_insert((0, [x, y])).0 += 1,
            }
        }
    }
    for (letter, (count, [x, y])) in unknown {
        let text = format!("`{letter}` means no terrain: {count} times, first at [{x}, {y}]");
        let letters: Vec<String> = key.letters.keys().map(char::to_string).collect();
        let help = if letters.is_empty() {
            "give terrains letters: `[terrains]` with `moss = \"m\"`".to_owned()
        } else {
            format!("letters are {}; a full stop leaves a cell empty", letters.join(" "))
        };
        let finding = Finding::new(Code::OffKey, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    }
    Plan::of_terrain([width as u32, rows.len() as u32], terrain)
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{Place, a_pass};
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// Painted terrain or heights: one of `picture`, `text` and `heights`.
        PlanPass = "plan" {
            /// A PNG of one pixel a cell.
            picture: Option<String>,
            /// On boxes: how many levels lie side by side in the picture. Default one for all levels.
            slices: Option<u32>,
            /// One letter a cell.
            text: Option<String>,
            /// A greyscale PNG of one pixel a cell.
            heights: Option<String>,
            /// Grey values of one step of height, rounded down. Default 1.
            step: Option<u8>,
            /// What colours and letters mean, in place of those of `terrains`.
            key: Option<BTreeMap<String, String>>,
            /// How far a colour may be from the key.
            near: Option<u16>,
            /// The cell of its upper left corner.
            at: Option<Place>,
        }
    }
}
