//! `[[recipe]]`: the passes that make a map, one after the other.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::passes::{Common, KINDS, Kind, Read, Reading};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::recipe::Recipe;
use std::collections::BTreeMap;

/// A pass whose kind is known, to be read when all it refers to is.
pub(super) struct Begun<'a> {
    kind: Kind,
    keys: Keys<'a>,
    on: bool,
}

/// A pass as read.
pub(super) struct PassSpec {
    pub(super) common: Common,
    pub(super) read: Read,
    /// Its place among the passes that place things.
    pub(super) drawn_at: u32,
}

/// The kinds of all passes.
pub(super) fn begin<'a>(value: Option<Value<'a>>, notes: &mut Notes) -> Vec<Begun<'a>> {
    let Some(value) = value else { return Vec::new() };
    let passes = value.array(notes);
    if passes.is_empty() && value.is_array() {
        let finding = Finding::new(Code::MissingKey, value.subject(), "the recipe has no pass");
        notes
            .add(finding.help("add a `[[recipe]]` with `pass = \"collapse\"`"), value.span.clone());
    }
    let mut begun: Vec<Begun<'a>> = Vec::new();
    for pass in passes {
        let Some(mut keys) = pass.table(notes) else { continue };
        let Some(named) = keys.need("pass", "`pass = \"collapse\"`", notes) else { continue };
        let Some(text) = named.text(notes) else { continue };
        let Some(kind) = KINDS.into_iter().find(|kind| kind.name == text) else {
            unknown_name("pass", &named, text, KINDS.map(|kind| kind.name), notes);
            continue;
        };
        let on = keys.take("on").and_then(|value| value.boolean(notes)).unwrap_or(true);
        begun.push(Begun { kind, keys, on });
    }
    begun
}

/// Whether any pass fills a map.
pub(super) fn fills(begun: &[Begun<'_>]) -> bool {
    begun.iter().any(|pass| pass.kind.fills)
}

/// The passes that are switched on, in order.
pub(super) fn read_recipe(
    begun: Vec<Begun<'_>>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Vec<PassSpec> {
    let mut passes = Vec::new();
    let (mut names, mut above) = (Vec::<String>::new(), Vec::new());
    let mut placing = 0;
    for Begun { kind, mut keys, on } in begun {
        let mut common = Common::read(&kind, &mut keys, reading, notes);
        let read = (kind.read)(&mut common, keys, reading, notes);
        if names.contains(&common.name) {
            let text = format!("two passes are named `{}`", shorten(&common.name));
            let subject = Subject::Field(common.path.clone());
            let finding = Finding::new(Code::DuplicateName, subject, text);
            notes.add(finding.help("give each a `name` of its own"), common.span.clone());
        }
        names.push(common.name.clone());
        above.extend(common.drawn_above.iter().map(|one| (common.path.clone(), one.clone())));
        // Passes that are switched off count, so that those of a variant lie as they do without it.
        let drawn_at = placing;
        placing += u32::from(kind.places);
        passes.extend(read.filter(|_| on).map(|read| PassSpec { common, read, drawn_at }));
    }
    for (path, (name, span)) in above.iter().filter(|(_, (name, _))| !names.contains(name)) {
        let text = format!("there is no pass `{}` to be drawn above", shorten(name));
        let finding = Finding::new(Code::UnknownName, Subject::Field(path.clone()), text);
        notes.add(finding.among(name, names.iter().map(String::as_str)), span.clone());
    }
    passes
}

/// Says which passes are drawn above each other in a circle.
pub(super) fn say_circle(
    recipe: &Recipe,
    paths: &BTreeMap<String, String>,
    notes: &mut Notes,
) -> Option<()> {
    let circle = recipe.drawn_in_circle();
    let Some(first) = circle.first() else { return Some(()) };
    let said: Vec<String> =
        circle.iter().chain([first]).map(|name| format!("`{}`", shorten(name))).collect();
    let text = match circle.len() {
        1 => format!("{} is drawn above itself", said[0]),
        _ => format!("passes are drawn above each other in a circle: {}", said.join(" above ")),
    };
    let path = paths.get(*first).map_or("recipe", String::as_str);
    let span = notes.places.find(&format!("{path}.drawn_above")).unwrap_or(0..0);
    let subject = Subject::Field(format!("{path}.drawn_above"));
    let finding = Finding::new(Code::BadValue, subject, text);
    notes.add(finding.help("take `drawn_above` out of one of them"), span);
    None
}
