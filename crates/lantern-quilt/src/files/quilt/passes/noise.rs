//! `pass = "noise"`: bands of noise, or a surface with strata below it.

use super::parts::becomes::{Laid, take_becomes};
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::names::Names;
use super::parts::noise::take_noise;
use super::parts::numbers::{read_part, say_empty};
use crate::files::quilt::cursor::{Keys, Notes, Value};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::passes::{BandEnd, Becomes, NoiseStep, SurfaceStep};

pub(super) const KIND: Kind = Kind {
    name: "noise",
    lays_tiles: true,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::NoisePass>(),
};

/// `bands = [{ share = 0.3, terrain = "sand" }, { terrain = "moss" }]`, from low values up; or
/// `surface = [4, 12]` and `strata = [{ depth = 1, terrain = "moss" }]`, from the surface down.
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let (layer, names) = (Laid::of(common), &mut reading.names);
    let noise = take_noise(&mut keys, notes);
    let surface = keys.take("surface");
    let step = keys.take("step").and_then(|value| value.whole(0..65_536, Code::BadValue, notes));
    let (strata, shift) = (keys.take("strata"), keys.take("shift"));
    if let Some(value) = surface {
        if let Some(bands) = keys.take("bands") {
            let text = "`surface` takes `strata`, not `bands`";
            let finding = Finding::new(Code::BadValue, bands.subject(), text);
            notes.add(finding.help("keep one of `surface` and `bands`"), bands.span.clone());
        }
        if let Some(shift) = shift {
            let text = "`shift` moves bands, and a surface has none";
            let finding = Finding::new(Code::BadValue, shift.subject(), text);
            notes.add(finding.help("raise or lower `surface`"), shift.span.clone());
        }
        let bounds = value.wholes(0..65_536, Code::BadValue, notes);
        let [least, most] = bounds.unwrap_or([0, 0]).map(|bound: i64| bound as u32);
        if least > most {
            let text = format!("the surface cannot lie between {least} and {most}");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("write the lower end first"), value.span.clone());
        }
        if strata.is_none() {
            let help = "add `strata`, from the surface down: `[{ depth = 1, terrain = \"...\" }]`";
            say_empty(&keys, "nothing lies below the surface", help, notes);
        }
        let listed = strata.map(|value| value.array(notes)).unwrap_or_default();
        let strata =
            listed.iter().filter_map(|value| read_stratum(value, &layer, names, notes)).collect();
        keys.finish(notes);
        let step = step.map(|step| step as u32);
        let surface = [least, most.max(least)];
        return Read::step(SurfaceStep { noise, surface, step, strata });
    }
    let shift = shift.and_then(|value| read_shift(&value, notes)).unwrap_or_default();
    let value = keys.need("bands", "what low values become, then higher ones", notes);
    let bands = value.as_ref().map(|value| value.array(notes)).unwrap_or_default();
    let bands: Vec<(BandEnd, Becomes)> =
        bands.iter().filter_map(|value| read_band(value, &layer, names, notes)).collect();
    if let Some(value) = value {
        say_too_much(&bands, &value, notes);
    }
    keys.finish(notes);
    Read::step(NoiseStep::new(noise, bands).shift(shift))
}

/// `shift = [-0.2, 0.1]`: how far all bands move together, at least and at most.
fn read_shift(value: &Value<'_>, notes: &mut Notes) -> Option<[f64; 2]> {
    let ends = value.array(notes);
    let ends: Vec<f64> = ends.iter().filter_map(|end| end.number(notes)).collect();
    match ends[..] {
        [least, most] if -1.0 <= least && least <= most && most <= 1.0 => Some([least, most]),
        _ => {
            let text = "`shift` needs two numbers from -1 to 1, the lower first";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = "all bands move by one number between them: `shift = [-0.2, 0.1]`";
            notes.add(finding.help(help), value.span.clone());
            None
        }
    }
}

/// Says that bands hold more than all cells.
fn say_too_much(bands: &[(BandEnd, Becomes)], value: &Value<'_>, notes: &mut Notes) {
    // What decimal fractions add up to is off by a little.
    const ALL: f64 = 1.0 + 1e-9;
    let ends = bands.iter().map(|(up_to, _)| match *up_to {
        BandEnd::Share(share) => (share, share),
        BandEnd::ShareBetween(least, most) => (least, most),
        BandEnd::Value(_) | BandEnd::Rest => (0.0, 0.0),
    });
    let (least, most) = ends.fold((0.0, 0.0), |sum, ends| (sum.0 + ends.0, sum.1 + ends.1));
    let percent = |share: f64| (share * 1000.0).round() / 10.0;
    let (code, text) = if least > ALL {
        let text = format!("the shares add up to {} % of the cells", percent(least));
        (Code::BadShare, text)
    } else if most > ALL {
        let text = format!("the shares may add up to {} % of the cells", percent(most));
        (Code::ShareCut, text)
    } else {
        return;
    };
    let help = "keep their sum at 1 or below; bands behind what is full get nothing";
    notes.add(Finding::new(code, value.subject(), text).help(help), value.span.clone());
}

/// `{ depth = 3, terrain = "clay", tag = "dig" }`.
fn read_stratum(
    value: &Value<'_>,
    layer: &Laid,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Option<(Option<u32>, Vec<Becomes>)> {
    let mut keys = value.table(notes)?;
    let depth = keys.take("depth").and_then(|value| value.whole(1..65_536, Code::BadValue, notes));
    let becomes = take_becomes(&mut keys, layer, names, notes);
    keys.finish(notes);
    Some((depth.map(|depth| depth as u32), becomes))
}

fn read_band(
    value: &Value<'_>,
    layer: &Laid,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Option<(BandEnd, Becomes)> {
    let mut keys = value.table(notes)?;
    let mut part = |key: Option<Value<'_>>| read_part(&key?, notes);
    let (below, share) = (part(keys.take("below")), keys.take("share"));
    let between = share.as_ref().filter(|share| share.is_array()).map(|share| share.array(notes));
    let part_of = |value: &Value<'_>, notes: &mut Notes| read_part(value, notes);
    let share = match between {
        Some(ends) => match &ends[..] {
            [least, most] => part_of(least, notes)
                .zip(part_of(most, notes))
                .map(|(least, most)| BandEnd::ShareBetween(least.min(most), least.max(most))),
            _ => {
                let text = "a share lies between two numbers";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help("write `share = [0.2, 0.4]`"), value.span.clone());
                None
            }
        },
        None => share.and_then(|share| part_of(&share, notes)).map(BandEnd::Share),
    };
    let becomes = take_becomes(&mut keys, layer, names, notes);
    keys.finish(notes);
    let mut wrong = |text: &str, help: &str| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let up_to = match (below, share) {
        (Some(below), None) => BandEnd::Value(below as f32),
        (None, Some(share)) => share,
        (None, None) => BandEnd::Rest,
        _ => {
            wrong("a band ends at a value or at a share", "keep one of `below` and `share`");
            return None;
        }
    };
    let becomes = match becomes.len() {
        0 => Becomes::AsIs,
        1 => becomes.into_iter().next()?,
        _ => {
            wrong("a band becomes one thing", "keep one of `terrain`, `tile`, `tag` and `height`");
            return None;
        }
    };
    Some((up_to, becomes))
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{NoiseKind, a_pass};
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// Bands of noise to terrain, tags or heights; or, with `surface`, strata below a surface.
        NoisePass = "noise" {
            /// The layer that tiles go to. Default one of its own.
            into: Option<String>,
            /// Cells from hump to hump. Default 8.
            scale: Option<f64>,
            /// Layers of ever finer noise: 1 to 8.
            octaves: Option<u8>,
            /// How many times wider humps are from west to east, and from north to south.
            stretch: Option<[f64; 2]>,
            kind: Option<NoiseKind>,
            /// From low values up.
            bands: Option<Vec<Band>>,
            /// How far all bands move together, by one number of the seed: the least and the most, from -1 to 1.
            shift: Option<[f64; 2]>,
            /// The lowest and the highest surface, in cells from the bottom row.
            surface: Option<[u32; 2]>,
            /// The largest step from one column to the next.
            step: Option<u32>,
            /// From the surface down.
            strata: Option<Vec<Stratum>>,
        }
    }

    /// Up to a value or a share of the cells; without either all that is left.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Band {
        /// Up to this value, from 0 to 1.
        below: Option<f64>,
        /// This share of the cells, exact to rounding; of two one between, by the seed.
        share: Option<Share>,
        terrain: Option<String>,
        tile: Option<String>,
        tag: Option<String>,
        height: Option<i64>,
        /// A number for each of these planes.
        value: Option<BTreeMap<String, i64>>,
    }

    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Share {
        Just(f64),
        Between([f64; 2]),
    }

    /// So many cells down; without a depth all that is left.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Stratum {
        depth: Option<u32>,
        terrain: Option<String>,
        tile: Option<String>,
        tag: Option<String>,
        height: Option<i64>,
        /// A number for each of these planes.
        value: Option<BTreeMap<String, i64>>,
    }
}
