//! `pass = "walk"`: walkers that go on by chance.

use super::parts::becomes::{Laid, read_becomes};
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::numbers::{read_part, say_empty};
use super::parts::ways::take_around;
use crate::files::quilt::cursor::{Keys, Notes, Value, unknown_name};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::passes::{Condition, Stuck, WalkStep};

pub(super) const KIND: Kind = Kind {
    name: "walk",
    lays_tiles: true,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::WalkPass>(),
};

/// More steps than any map has cells.
const MOST: i64 = 1 << 31;

/// `from`, `steps`, `straight`, `becomes` and so on.
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, .. } = reading;
    let lattice = grounds.model.lattice();
    let from = keys.need("from", "where walkers begin: `from = { tag = \"...\" }`", notes);
    let steps = keys.need("steps", "how far each walks: `steps = 200` or `[100, 300]`", notes);
    let steps = steps.and_then(|value| read_range(&value, notes)).unwrap_or([1, 1]);
    let mut cells = |value: Option<Value<'_>>, notes: &mut Notes| {
        value.map(|value| names.read(&value, grounds, notes))
    };
    let from = cells(from, notes).unwrap_or_default();
    let through: Condition = cells(keys.take("through"), notes).unwrap_or_default();
    let until = cells(keys.take("until"), notes);
    let mut walk = WalkStep::new(from, steps).through(through).until(until);
    walk.around = take_around(&mut keys, lattice, notes);
    let walkers = keys.take("walkers").and_then(|v| v.whole(1..65_537, Code::BadValue, notes));
    walk.walkers = walkers.unwrap_or(1) as u32;
    if let Some(part) = keys.take("straight").and_then(|value| read_part(&value, notes)) {
        walk.straight = part;
    }
    if let Some(runs) = keys.take("runs").and_then(|value| read_range(&value, notes)) {
        walk.runs = runs;
    }
    walk.weights =
        keys.take("weights").map(|v| read_weights(&v, lattice, notes)).unwrap_or_default();
    walk.crosses = keys.take("crosses").and_then(|value| value.boolean(notes)).unwrap_or(false);
    if let Some(value) = keys.take("apart") {
        walk.apart = value.whole(0..9, Code::BadValue, notes).unwrap_or(0) as u32;
        if walk.crosses && walk.apart > 0 {
            let text = "walks that cross do not keep apart";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("keep one of `crosses` and `apart`"), value.span.clone());
        }
    }
    if let Some(value) = keys.take("stuck") {
        walk.stuck = match value.text(notes) {
            Some("random") => Stuck::Random,
            Some("ends") => Stuck::Ends,
            Some("nearest") | None => Stuck::Nearest,
            Some(other) => {
                let known = ["nearest", "random", "ends"];
                unknown_name("way to go on", &value, other, known, notes);
                Stuck::Nearest
            }
        };
    }
    let laid = Laid::of(common);
    let becomes = keys.take("becomes").map(|value| read_becomes(&value, &laid, names, notes));
    walk.becomes = becomes.unwrap_or_default();
    walk.plane = keys.take("plane").and_then(|value| value.text(notes)).map(str::to_owned);
    if walk.becomes.is_empty() && walk.plane.is_none() && !keys.has("becomes") {
        let help = "add `becomes = { terrain = \"...\" }` or `plane`";
        say_empty(&keys, "the walk changes nothing", help, notes);
    }
    keys.finish(notes);
    names.planes.extend(walk.plane.clone());
    Read::step(walk)
}

/// `[100, 300]`, or one number for both.
fn read_range(value: &Value<'_>, notes: &mut Notes) -> Option<[u32; 2]> {
    if !value.is_array() {
        let number = value.whole(1..MOST, Code::BadValue, notes)?;
        return Some([number as u32; 2]);
    }
    let [least, most] = value.wholes(1..MOST, Code::BadValue, notes)?;
    if least > most {
        let text = format!("`{}` ends before it begins", value.name());
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("write the lower end first"), value.span.clone());
        return None;
    }
    Some([least as u32, most as u32])
}

/// `weights = { south = 3, north = 0 }`.
fn read_weights(value: &Value<'_>, lattice: Lattice, notes: &mut Notes) -> Vec<(Side, f64)> {
    let Some(keys) = value.table(notes) else { return Vec::new() };
    let mut weights = Vec::new();
    for (name, span, value) in keys.entries() {
        let side = Side::from_name(name).filter(|&side| lattice.side_index(side).is_some());
        let Some(side) = side else {
            let text = format!("this lattice has no side `{name}`");
            let finding = Finding::new(Code::UnknownName, value.subject(), text);
            let known = lattice.sides().iter().map(|side| side.name());
            notes.add(finding.among(name, known), span);
            continue;
        };
        let Some(weight) = value.number(notes) else { continue };
        if !(0.0..=1e6).contains(&weight) {
            let text = format!("the weight of `{name}` is {weight}");
            let finding = Finding::new(Code::BadWeight, value.subject(), text);
            notes.add(finding.help("from 0 to 1 000 000; 0 is never"), value.span.clone());
            continue;
        }
        weights.push((side, weight));
    }
    weights
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{AroundCell, Made, Where, a_pass};
    use crate::files::words::Side;
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// Lets walkers go on by chance, and leaves something behind.
        WalkPass = "walk" {
            /// The layer that tiles go to. Default one of its own.
            into: Option<String>,
            /// Where walkers may begin.
            from: Where,
            /// How many steps each takes; of two numbers one between, by the seed.
            steps: Range,
            /// How many, one after the other. Default 1.
            walkers: Option<u32>,
            /// Which cells can be gone over. Default all.
            through: Option<Where>,
            around: Option<AroundCell>,
            /// The chance to keep on where a way is chosen, from 0 to 1. Default a half.
            straight: Option<f64>,
            /// How many steps until a way is chosen again. Default 1.
            runs: Option<Range>,
            /// How common each way is. Default 1.
            weights: Option<BTreeMap<Side, f64>>,
            /// Whether a cell may be walked over twice. Default no.
            crosses: Option<bool>,
            /// How many steps walks keep off all that was walked before. Default 0.
            apart: Option<u8>,
            /// Where a walker ends, besides by its steps.
            until: Option<Where>,
            stuck: Option<StuckName>,
            becomes: Option<Made>,
            /// A plane for the order in which cells were reached.
            plane: Option<String>,
        }
    }

    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Range {
        Just(u32),
        Between([u32; 2]),
    }

    /// Where a walker goes on that is stuck: at the latest cell, or any, from which there is a way.
    /// Default the nearest.
    #[derive(JsonSchema)]
    #[schemars(rename_all = "snake_case")]
    enum StuckName {
        Nearest,
        Random,
        Ends,
    }
}
