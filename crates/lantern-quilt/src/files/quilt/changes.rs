//! Variants of a quilt, and values that are changed from outside, laid into its text before it is read.

use super::cursor::{Notes, Value, shift, shorten, unknown_name};
use super::documents::Document;
use crate::files::report::Source;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use std::borrow::Cow;
use std::ops::Range;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// What is changed before a quilt is read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Changes {
    /// One of its variants.
    pub variant: Option<String>,
    /// Values by path, as `ground.scale=12`; what is no TOML is taken as text. Tables are merged key by
    /// key, everything else is replaced. They come after the variant.
    pub set: Vec<String>,
}

impl Changes {
    /// Whether nothing is changed.
    pub fn is_empty(&self) -> bool {
        self.variant.is_none() && self.set.is_empty()
    }

    /// The texts that messages point at, each with how it is called.
    pub(super) fn sources(&self) -> Vec<Source> {
        let source = |name: &str, text: &str| Source { name: name.into(), text: text.into() };
        let variant = self.variant.iter().map(|text| source("--variant", text));
        variant.chain(self.set.iter().map(|text| source("--set", &quoted(text)))).collect()
    }
}

/// `path=value` as TOML: what is none is put in quotes.
pub(super) fn quoted(text: &str) -> String {
    let (_, errors) = DeTable::parse_recoverable(text);
    if errors.is_empty() {
        return text.to_owned();
    }
    match text.split_once('=') {
        Some((path, value)) => {
            let value = value.trim().replace('\\', "\\\\").replace('"', "\\\"");
            format!("{}=\"{value}\"", path.trim())
        }
        None => text.to_owned(),
    }
}

/// A text that changes something, and where it begins, counted through all files.
pub(super) struct Change {
    pub(super) text: String,
    pub(super) base: usize,
}

/// Lays a variant and further changes into what was parsed.
pub(super) fn apply<'a>(
    parsed: &mut [Spanned<DeTable<'a>>],
    documents: &[Document],
    changes: &Changes,
    texts: &'a [Change],
    notes: &mut Notes,
) {
    let mut texts = texts.iter();
    let own = documents.last().map_or(0, |document| document.base);
    if let (Some(name), Some(change)) =
        (&changes.variant, changes.variant.as_ref().and_then(|_| texts.next()))
    {
        let span = change.base..change.base + name.len();
        lay_variant(parsed, documents, own, name, span, notes);
    }
    for change in texts {
        let (table, errors) = DeTable::parse_recoverable(&change.text);
        let whole = change.base..change.base + change.text.len();
        if table.get_ref().is_empty() || !errors.is_empty() {
            let text = format!("`{}` changes nothing", shorten(&change.text));
            let finding = Finding::new(Code::BadValue, Subject::Quilt, text);
            notes.add(finding.help("write a path and a value: `ground.scale=12`"), whole);
            continue;
        }
        for (path, span, value) in flat(table.get_ref()) {
            let first = path.first().map_or(0, String::len);
            let place = change.base..change.base + first;
            if let Err(wrong) = lay(parsed, documents, &path, change.base, span, value) {
                wrong.say(Subject::Field(path.join(".")), place, notes);
            }
        }
    }
}

fn lay_variant(
    parsed: &mut [Spanned<DeTable<'_>>],
    documents: &[Document],
    own: usize,
    name: &str,
    span: Range<usize>,
    notes: &mut Notes,
) {
    let top = parsed.last().map(Spanned::get_ref);
    let all = top.and_then(|top| top.get("variants")).and_then(|all| all.get_ref().as_table());
    let names: Vec<&str> =
        all.iter().flat_map(|all| all.keys()).map(|key| &**key.get_ref()).collect();
    let variant = all.and_then(|all| all.get(name)).and_then(|one| one.get_ref().as_table());
    let Some(variant) = variant.cloned() else {
        let text = format!("the quilt has no variant `{}`", shorten(name));
        let finding = Finding::new(Code::UnknownName, Subject::Field("variants".to_owned()), text);
        notes.add(finding.among(name, names), span);
        return;
    };
    for (key, on) in [("off", false), ("on", true)] {
        let listed = variant.get(key).map(|value| match value.get_ref().as_array() {
            Some(list) => list.iter().cloned().collect(),
            None => vec![value.clone()],
        });
        for pass in listed.unwrap_or_default() {
            let Some(text) = pass.get_ref().as_str() else { continue };
            let path = vec![text.to_owned(), "on".to_owned()];
            let switch = Spanned::new(pass.span(), DeValue::Boolean(on));
            // What it names wrongly is told when all variants are read.
            let _ = lay(parsed, documents, &path, own, pass.span(), switch);
        }
    }
    if let Some(set) = variant.get("set").and_then(|set| set.get_ref().as_table()) {
        for (path, span, value) in flat(set) {
            let _ = lay(parsed, documents, &path, own, span, value);
        }
    }
}

/// Every value below a table that is no table itself, with its path. Keys may hold whole paths.
pub(super) fn flat<'a>(
    table: &DeTable<'a>,
) -> Vec<(Vec<String>, Range<usize>, Spanned<DeValue<'a>>)> {
    let mut all = Vec::new();
    for (key, value) in table {
        let own: Vec<String> = key.get_ref().split('.').map(str::to_owned).collect();
        match value.get_ref().as_table() {
            Some(inner) => all.extend(flat(inner).into_iter().map(|(path, span, value)| {
                (own.iter().cloned().chain(path).collect(), span, value)
            })),
            None => all.push((own, key.span(), value.clone())),
        }
    }
    all
}

/// A path that leads nowhere.
pub(super) struct Wrong {
    pub(super) what: String,
    pub(super) part: String,
    pub(super) known: Vec<String>,
}

impl Wrong {
    fn say(self, subject: Subject, span: Range<usize>, notes: &mut Notes) {
        let text = format!("{} `{}`", self.what, shorten(&self.part));
        let known = self.known.iter().map(String::as_str);
        notes.add(Finding::new(Code::UnknownPath, subject, text).among(&self.part, known), span);
    }
}

/// Puts a value where a path leads; `base` is where the file begins that the value stands in.
fn lay<'a>(
    parsed: &mut [Spanned<DeTable<'a>>],
    documents: &[Document],
    path: &[String],
    base: usize,
    span: Range<usize>,
    value: Spanned<DeValue<'a>>,
) -> Result<(), Wrong> {
    let (number, pass) = find(parsed, path)?;
    // Spans are counted from the file that they are found in.
    let away = base.wrapping_sub(documents[number].base);
    let (value, span) = (moved(value, away), shift(span, away));
    let top = parsed[number].get_mut();
    match pass {
        Some(pass) => {
            let recipe = top.get_mut("recipe").map(Spanned::get_mut);
            let Some(DeValue::Array(passes)) = recipe else { return Ok(()) };
            match passes.get_mut(pass).map(Spanned::get_mut) {
                Some(DeValue::Table(table)) => put(table, &path[1..], span, value),
                _ => Ok(()),
            }
        }
        None => put(top, path, span, value),
    }
}

/// Which file a path leads into, and which pass of its recipe.
pub(super) fn find(
    parsed: &[Spanned<DeTable<'_>>],
    path: &[String],
) -> Result<(usize, Option<usize>), Wrong> {
    let first = path.first().map_or("", String::as_str);
    let rest = path.get(1).map_or("", String::as_str);
    let last = parsed.len() - 1;
    let holds = |number: &usize| parsed[*number].get_ref().contains_key(first);
    let inner = |number: &usize| {
        let table = parsed[*number].get_ref().get(first);
        let table = table.and_then(|value| value.get_ref().as_table());
        table.is_some_and(|table| table.contains_key(rest))
    };
    let files = (0..parsed.len()).rev();
    if let Some(number) = files.clone().find(inner).or_else(|| files.clone().find(holds))
        && first != "recipe"
        && first != "variants"
    {
        return Ok((number, None));
    }
    let names = pass_names(parsed[last].get_ref());
    if let Some(pass) = names.iter().position(|name| name == first) {
        if path.len() > 1 {
            return Ok((last, Some(pass)));
        }
        let what = "a path continues after the name of a pass:".to_owned();
        return Err(Wrong { what, part: first.to_owned(), known: Vec::new() });
    }
    let tops = parsed[last].get_ref().keys().map(|key| key.get_ref().to_string());
    let tops = tops.filter(|key| !["quilt", "recipe", "variants", "accept"].contains(&&**key));
    let known = names.into_iter().chain(tops).collect();
    let what = "no pass and no table is named".to_owned();
    Err(Wrong { what, part: first.to_owned(), known })
}

/// The names of the passes, by default those of their kinds.
fn pass_names(top: &DeTable<'_>) -> Vec<String> {
    named_passes(top).into_iter().map(|(name, _)| name).collect()
}

/// The passes by name, with the kind of each; what is missing is empty.
pub(super) fn named_passes(top: &DeTable<'_>) -> Vec<(String, String)> {
    let recipe = top.get("recipe").and_then(|recipe| recipe.get_ref().as_array());
    let named = |pass: &Spanned<DeValue<'_>>| {
        let text = |key: &str| {
            let table = pass.get_ref().as_table()?;
            table.get(key)?.get_ref().as_str().map(str::to_owned)
        };
        let kind = text("pass").unwrap_or_default();
        (text("name").unwrap_or_else(|| kind.clone()), kind)
    };
    recipe.into_iter().flat_map(|recipe| recipe.iter()).map(named).collect()
}

/// Puts a value into a table, making the tables that its path leads through.
fn put<'a>(
    table: &mut DeTable<'a>,
    path: &[String],
    span: Range<usize>,
    value: Spanned<DeValue<'a>>,
) -> Result<(), Wrong> {
    let [first, rest @ ..] = path else { return Ok(()) };
    let key = || Spanned::new(span.clone(), Cow::Owned(first.clone()));
    if rest.is_empty() {
        table.insert(key(), value);
        return Ok(());
    }
    if !table.contains_key(first.as_str()) {
        let empty = Spanned::new(span.clone(), DeValue::Table(DeTable::new()));
        table.insert(key(), empty);
    }
    let Some(inner) = table.get_mut(first.as_str()) else { return Ok(()) };
    match inner.get_mut() {
        DeValue::Table(inner) => put(inner, rest, span, value),
        DeValue::Array(list) => {
            let (number, count) = (rest[0].parse::<usize>().ok(), list.len());
            match number.and_then(|number| list.get_mut(number)) {
                Some(one) if rest.len() == 1 => {
                    *one = value;
                    Ok(())
                }
                Some(one) => match one.get_mut() {
                    DeValue::Table(inner) => put(inner, &rest[1..], span, value),
                    _ => Err(Wrong {
                        what: "nothing lies below".to_owned(),
                        part: rest[0].clone(),
                        known: Vec::new(),
                    }),
                },
                None => Err(Wrong {
                    what: format!("`{first}` is a list of {count}, counted from 0; it has no"),
                    part: rest[0].clone(),
                    known: Vec::new(),
                }),
            }
        }
        // A single value gives way to a table: what is wrong with that is found when it is read.
        other => {
            *other = DeValue::Table(DeTable::new());
            match other {
                DeValue::Table(inner) => put(inner, rest, span, value),
                _ => Ok(()),
            }
        }
    }
}

/// The same value with its places counted from elsewhere.
fn moved(value: Spanned<DeValue<'_>>, away: usize) -> Spanned<DeValue<'_>> {
    let span = shift(value.span(), away);
    let inner = match value.into_inner() {
        DeValue::Array(list) => {
            let mut list = list;
            for one in list.iter_mut() {
                let old = std::mem::replace(one, Spanned::new(0..0, DeValue::Boolean(false)));
                *one = moved(old, away);
            }
            DeValue::Array(list)
        }
        DeValue::Table(table) => {
            let mut all = DeTable::new();
            for (key, value) in table {
                let place = shift(key.span(), away);
                all.insert(Spanned::new(place, key.into_inner()), moved(value, away));
            }
            DeValue::Table(all)
        }
        plain => plain,
    };
    Spanned::new(span, inner)
}

/// A variant of a quilt.
pub(super) struct Variant {
    pub(super) name: String,
}

/// `[variants.NAME]` with `on`, `off` and `set`: whether what it names is there.
pub(super) fn read_variants(
    value: Option<Value<'_>>,
    parsed: &[Spanned<DeTable<'_>>],
    notes: &mut Notes,
) -> Vec<Variant> {
    let mut variants = Vec::new();
    let Some(keys) = value.and_then(|value| value.table(notes)) else { return variants };
    let passes = parsed.last().map(|top| pass_names(top.get_ref())).unwrap_or_default();
    for (name, _, value) in keys.entries() {
        let Some(mut keys) = value.table(notes) else { continue };
        let mut switched: Vec<&str> = Vec::new();
        for key in ["on", "off"] {
            for one in keys.take(key).map(|value| value.one_or_more(notes)).unwrap_or_default() {
                let Some(pass) = one.text(notes) else { continue };
                if !passes.iter().any(|known| known == pass) {
                    unknown_name("pass", &one, pass, passes.iter().map(String::as_str), notes);
                } else if switched.contains(&pass) {
                    let text = format!("`{}` is switched twice", shorten(pass));
                    let finding = Finding::new(Code::DuplicateName, one.subject(), text);
                    notes.add(finding.help("keep the one that is meant"), one.span.clone());
                }
                switched.push(pass);
            }
        }
        if let Some(set) = keys.take("set")
            && let Some(inner) = set.table(notes)
        {
            for (path, span, _) in inner.entries() {
                let parts: Vec<String> = path.split('.').map(str::to_owned).collect();
                // A table below a name is a path that is told in steps.
                let parts =
                    if parts.len() == 1 { vec![path.to_owned(), String::new()] } else { parts };
                if let Err(wrong) = find(parsed, &parts) {
                    wrong.say(Subject::Field(format!("{}.{path}", set.path)), span, notes);
                }
            }
        }
        keys.finish(notes);
        variants.push(Variant { name: name.to_owned() });
    }
    variants
}
