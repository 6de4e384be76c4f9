//! The passes `noise`, `tag` and `clear`, from the quilt's text.

use super::condition::{Names, take_noise};
use super::cursor::{Keys, Notes, Value, unknown_name};
use super::making::Step;
use super::recipe::Common;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::map::Placed;
use lantern_quilt_core::passes::{Becomes, ClearPass, NoisePass, ProfilePass, TagPass, UpTo};

/// `bands = [{ share = 0.3, terrain = "sand" }, { terrain = "moss" }]`, from low values up; or
/// `surface = [4, 12]` and `strata = [{ depth = 1, terrain = "moss" }]`, from the surface down.
pub(super) fn read_noise(
    common: Common,
    mut keys: Keys<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Step {
    let layer = Laid::of(&common);
    let Common { name, place, .. } = common;
    let noise = take_noise(&mut keys, notes);
    let surface = keys.take("surface");
    let step = keys.take("step").and_then(|value| value.whole(0..65_536, Code::BadValue, notes));
    let strata = keys.take("strata");
    if let Some(value) = surface {
        if let Some(bands) = keys.take("bands") {
            let text = "below a surface there are strata, not bands";
            let finding = Finding::new(Code::BadValue, bands.subject(), text);
            notes.add(finding.help("keep one of `surface` and `bands`"), bands.span.clone());
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
        return Step::Profile(ProfilePass { name, place, noise, surface, step, strata });
    }
    let value = keys.need("bands", "what low values become, then higher ones", notes);
    let bands = value.as_ref().map(|value| value.array(notes)).unwrap_or_default();
    let bands: Vec<(UpTo, Becomes)> =
        bands.iter().filter_map(|value| read_band(value, &layer, names, notes)).collect();
    if let Some(value) = value {
        say_too_much(&bands, &value, notes);
    }
    keys.finish(notes);
    Step::Noise(NoisePass { name, place, noise, bands })
}

/// Says that bands hold more than all cells.
fn say_too_much(bands: &[(UpTo, Becomes)], value: &Value<'_>, notes: &mut Notes) {
    // What decimal fractions add up to is off by a little.
    const ALL: f64 = 1.0 + 1e-9;
    let ends = bands.iter().map(|(up_to, _)| match *up_to {
        UpTo::Share(share) => (share, share),
        UpTo::ShareBetween(least, most) => (least, most),
        UpTo::Value(_) | UpTo::Rest => (0.0, 0.0),
    });
    let (least, most) = ends.fold((0.0, 0.0), |sum, ends| (sum.0 + ends.0, sum.1 + ends.1));
    let percent = |share: f64| (share * 1000.0).round() / 10.0;
    let (code, text) = if least > ALL {
        let text = format!("the shares add up to {} % of the cells", percent(least));
        (Code::BadValue, text)
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

/// The layer that a pass lays tiles on, and how they say so.
struct Laid {
    layer: String,
    pass: Option<String>,
    group: Option<String>,
}

impl Laid {
    fn of(common: &Common) -> Self {
        let layer = common.into.clone().unwrap_or_else(|| common.name.clone());
        let pass = Some(common.name.clone()).filter(|pass| *pass != layer);
        Self { layer, pass, group: common.group.clone() }
    }
}

/// `terrain`, `tile`, `tag` and `height`, from keys among others.
fn take_becomes(
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

fn read_band(
    value: &Value<'_>,
    layer: &Laid,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Option<(UpTo, Becomes)> {
    let mut keys = value.table(notes)?;
    let mut part = |key: Option<Value<'_>>| read_part(&key?, notes);
    let (below, share) = (part(keys.take("below")), keys.take("share"));
    let between = share.as_ref().filter(|share| share.is_array()).map(|share| share.array(notes));
    let part_of = |value: &Value<'_>, notes: &mut Notes| read_part(value, notes);
    let share = match between {
        Some(ends) => match &ends[..] {
            [least, most] => part_of(least, notes)
                .zip(part_of(most, notes))
                .map(|(least, most)| UpTo::ShareBetween(least.min(most), least.max(most))),
            _ => {
                let text = "a share lies between two numbers";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help("write `share = [0.2, 0.4]`"), value.span.clone());
                None
            }
        },
        None => share.and_then(|share| part_of(&share, notes)).map(UpTo::Share),
    };
    let becomes = take_becomes(&mut keys, layer, names, notes);
    keys.finish(notes);
    let mut wrong = |text: &str, help: &str| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let up_to = match (below, share) {
        (Some(below), None) => UpTo::Value(below as f32),
        (None, Some(share)) => share,
        (None, None) => UpTo::Rest,
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

/// A number from 0 to 1.
pub(super) fn read_part(value: &Value<'_>, notes: &mut Notes) -> Option<f64> {
    let number = value.number(notes)?;
    if (0.0..=1.0).contains(&number) {
        return Some(number);
    }
    let text = format!("`{}` is {number}, not from 0 to 1", value.name());
    let finding = Finding::new(Code::BadValue, value.subject(), text);
    notes.add(finding.help("0.3 is three cells of ten"), value.span.clone());
    None
}

/// `add = ["walk"]`, `remove = "wet"`.
pub(super) fn read_tag(
    common: Common,
    mut keys: Keys<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> TagPass {
    let Common { name, place, .. } = common;
    let (add, remove) = take_tags(&mut keys, names, notes);
    if add.is_empty() && remove.is_empty() {
        say_empty(&keys, "a tag pass gives or takes tags", "add `add` or `remove`", notes);
    }
    keys.finish(notes);
    TagPass { name, place, add, remove }
}

/// Tags that are given, known from then on, and tags that are taken away.
pub(super) fn take_tags(
    keys: &mut Keys<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> (Vec<String>, Vec<String>) {
    let list = |value: Option<Value<'_>>, notes: &mut Notes| -> Vec<String> {
        let values = value.map(|value| value.one_or_more(notes)).unwrap_or_default();
        values.iter().filter_map(|value| value.text(notes)).map(str::to_owned).collect()
    };
    let add = list(keys.take("add"), notes);
    let removed = keys.take("remove");
    let all = removed.as_ref().map(|value| value.one_or_more(notes)).unwrap_or_default();
    for value in all {
        if let Some(tag) = value.text(notes).filter(|tag| !names.tags.contains(*tag)) {
            let known = names.tags.iter().map(String::as_str);
            unknown_name("tag that an earlier pass gives", &value, tag, known, notes);
        }
    }
    let remove = list(removed, notes);
    names.tags.extend(add.iter().cloned());
    (add, remove)
}

/// `terrain = true`, `items = true`, `layers = ["moss"]`.
pub(super) fn read_clear(
    common: Common,
    mut keys: Keys<'_>,
    names: &Names<'_>,
    notes: &mut Notes,
) -> ClearPass {
    let Common { name, place, .. } = common;
    let items = keys.take("items").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let terrain = keys.take("terrain").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let mut layers = Vec::new();
    let listed = keys.take("layers").map(|value| value.one_or_more(notes)).unwrap_or_default();
    for value in listed {
        match value.text(notes) {
            Some(layer) if names.layers.contains(layer) => layers.push(layer.to_owned()),
            Some(layer) => {
                let known = names.layers.iter().map(String::as_str);
                unknown_name("layer that an earlier pass makes", &value, layer, known, notes);
            }
            None => {}
        }
    }
    if !terrain && !items && layers.is_empty() && !keys.has("layers") {
        say_empty(
            &keys,
            "a clear pass takes something away",
            "add `terrain`, `items` or `layers`",
            notes,
        );
    }
    keys.finish(notes);
    ClearPass { name, place, terrain, items, layers }
}

fn say_empty(keys: &Keys<'_>, text: &str, help: &str, notes: &mut Notes) {
    let finding = Finding::new(Code::MissingKey, Subject::Field(keys.path().to_owned()), text);
    notes.add(finding.help(help), keys.span.clone());
}
