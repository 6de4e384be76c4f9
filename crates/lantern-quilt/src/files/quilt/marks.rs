//! The passes `noise`, `tag` and `clear`, from the quilt's text.

use super::condition::{Names, take_noise};
use super::cursor::{Keys, Notes, Value, unknown_name};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::passes::{Becomes, ClearPass, NoisePass, TagPass, UpTo};

fn take_name(keys: &mut Keys<'_>, kind: &str, notes: &mut Notes) -> String {
    keys.take("name").and_then(|value| value.text(notes)).unwrap_or(kind).to_owned()
}

/// `bands = [{ share = 0.3, terrain = "sand" }, { terrain = "moss" }]`, from low values up.
pub(super) fn read_noise(
    mut keys: Keys<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> NoisePass {
    let name = take_name(&mut keys, "noise", notes);
    let place = names.read_where(&mut keys, notes);
    let noise = take_noise(&mut keys, notes);
    let bands = keys.need("bands", "what low values become, then higher ones", notes);
    let bands = bands.map(|value| value.array(notes)).unwrap_or_default();
    let bands = bands.iter().filter_map(|value| read_band(value, names, notes)).collect();
    keys.finish(notes);
    NoisePass { name, place, noise, bands }
}

fn read_band(
    value: &Value<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> Option<(UpTo, Becomes)> {
    let mut keys = value.table(notes)?;
    let mut part = |key: Option<Value<'_>>| {
        let value = key?;
        let number = value.number(notes)?;
        if (0.0..=1.0).contains(&number) {
            return Some(number);
        }
        let text = format!("`{}` is {number}, not from 0 to 1", value.name());
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("0.3 is three cells of ten"), value.span.clone());
        None
    };
    let (below, share) = (part(keys.take("below")), part(keys.take("share")));
    let terrain = keys.take("terrain").and_then(|value| names.terrains.find(&value, notes));
    let tag = keys.take("tag").and_then(|value| value.text(notes));
    let heights = i64::from(i32::MIN)..i64::from(i32::MAX);
    let height = keys.take("height").and_then(|value| value.whole(heights, Code::BadValue, notes));
    keys.finish(notes);
    let mut wrong = |text: &str, help: &str| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let up_to = match (below, share) {
        (Some(below), None) => UpTo::Value(below as f32),
        (None, Some(share)) => UpTo::Share(share),
        (None, None) => UpTo::Rest,
        _ => {
            wrong("a band ends at a value or at a share", "keep one of `below` and `share`");
            return None;
        }
    };
    let becomes = match (terrain, tag, height) {
        (Some(terrain), None, None) => Becomes::Terrain(terrain),
        (None, Some(tag), None) => {
            names.tags.insert(tag.to_owned());
            Becomes::Tag(tag.to_owned())
        }
        (None, None, Some(height)) => Becomes::Height(height as i32),
        (None, None, None) => Becomes::AsIs,
        _ => {
            wrong("a band becomes one thing", "keep one of `terrain`, `tag` and `height`");
            return None;
        }
    };
    Some((up_to, becomes))
}

/// `add = ["walk"]`, `remove = "wet"`.
pub(super) fn read_tag(mut keys: Keys<'_>, names: &mut Names<'_>, notes: &mut Notes) -> TagPass {
    let name = take_name(&mut keys, "tag", notes);
    let place = names.read_where(&mut keys, notes);
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
    if add.is_empty() && remove.is_empty() {
        say_empty(&keys, "a tag pass gives or takes tags", "add `add` or `remove`", notes);
    }
    keys.finish(notes);
    names.tags.extend(add.iter().cloned());
    TagPass { name, place, add, remove }
}

/// `terrain = true`, `layers = ["moss"]`.
pub(super) fn read_clear(mut keys: Keys<'_>, names: &Names<'_>, notes: &mut Notes) -> ClearPass {
    let name = take_name(&mut keys, "clear", notes);
    let place = names.read_where(&mut keys, notes);
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
    if !terrain && layers.is_empty() && !keys.has("layers") {
        say_empty(&keys, "a clear pass takes something away", "add `terrain` or `layers`", notes);
    }
    keys.finish(notes);
    ClearPass { name, place, terrain, layers }
}

fn say_empty(keys: &Keys<'_>, text: &str, help: &str, notes: &mut Notes) {
    let finding = Finding::new(Code::MissingKey, Subject::Field(keys.path().to_owned()), text);
    notes.add(finding.help(help), keys.span.clone());
}
