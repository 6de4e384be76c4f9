//! Walks a parsed TOML tree, gathering findings and the place of everything it passes.

use crate::files::report::{Located, UnknownCells};
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use std::collections::BTreeMap;
use std::ops::Range;
use toml::de::{DeTable, DeValue};

/// What was found so far, and where things stand.
#[derive(Debug, Default)]
pub(super) struct Notes {
    pub(super) findings: Vec<Located>,
    /// Picture files that were read, as written.
    pub(super) pictures: Vec<String>,
    pub(super) places: Places,
    /// What does not matter to a fill, and only a check reports.
    pub(super) later: Vec<Located>,
    /// Cells of samples that are no tile.
    pub(super) unknown: Vec<UnknownCells>,
    /// Which of the quilt's files is being read.
    pub(super) document: usize,
    /// The keys that each table may have, to be compared with the schema.
    #[cfg(test)]
    pub(super) tables: BTreeMap<String, Vec<&'static str>>,
}

/// Where the value of each path stands.
#[derive(Clone, Debug, Default)]
pub(super) struct Places(BTreeMap<String, Range<usize>>);

impl Places {
    /// Whether there is a value of just this path.
    pub(super) fn has(&self, path: &str) -> bool {
        self.0.contains_key(path)
    }

    /// Where the value of a path stands, or the nearest thing around it.
    pub(super) fn find(&self, path: &str) -> Option<Range<usize>> {
        let mut path = path;
        loop {
            if let Some(span) = self.0.get(path) {
                return Some(span.clone());
            }
            path = &path[..path.rfind('.')?];
        }
    }

    /// A finding that was made about the model, at the place of its subject.
    pub(super) fn locate(&self, finding: Finding, prefix: &str) -> Located {
        let detail = match finding.code {
            Code::BadWeight => ".weight",
            Code::BadShare | Code::OffShare => ".share",
            Code::BadTurns => ".turns",
            Code::MissingSide => ".sides",
            _ => "",
        };
        let subject = finding.subject.to_string();
        let path = match finding.subject {
            // Most settings are those of a pass; lists and such stand at the top.
            Subject::Field(_) if !self.0.contains_key(&subject) => {
                format!("{prefix}.{subject}{detail}")
            }
            _ => format!("{subject}{detail}"),
        };
        let span = self.find(&path);
        Located { finding, span, replaceable: false }
    }
}

impl Notes {
    /// Adds a finding at a place; a wrong name is replaceable when it has a nearest one.
    pub(super) fn add(&mut self, finding: Finding, span: Range<usize>) {
        let replaceable = finding.nearest.is_some();
        self.findings.push(Located { finding, span: Some(span), replaceable });
    }

    /// Takes out findings that were added more than once.
    pub(super) fn tell_once(&mut self) {
        let all = std::mem::take(&mut self.findings);
        for one in all {
            if !self.findings.contains(&one) {
                self.findings.push(one);
            }
        }
    }

    /// Adds a finding that only a check tells.
    pub(super) fn add_later(&mut self, finding: Finding, span: Range<usize>) {
        self.later.push(Located { finding, span: Some(span), replaceable: false });
    }

    /// Adds a finding that was made about the model, at the place of its subject.
    pub(super) fn add_of_model(&mut self, finding: Finding, prefix: &str) {
        self.findings.push(self.places.locate(finding, prefix));
    }

    fn mark(&mut self, path: &str, span: Range<usize>) {
        self.places.0.insert(path.to_owned(), span);
    }

    fn wrong(&mut self, value: &Value<'_>, want: &str) {
        let found = match value.value {
            DeValue::String(_) => "text",
            DeValue::Integer(_) => "a whole number",
            DeValue::Float(_) if want.contains("whole") => "a fraction",
            DeValue::Float(_) => "a number",
            DeValue::Boolean(_) => "true or false",
            DeValue::Datetime(_) => "a date",
            DeValue::Array(_) => "a list",
            DeValue::Table(_) => "a table",
        };
        let text = format!("`{}` must be {want}, not {found}", value.name());
        self.add(Finding::new(Code::BadValue, value.subject(), text), value.span.clone());
    }
}

/// A value and where it stands.
#[derive(Clone, Debug)]
pub(super) struct Value<'a> {
    pub(super) path: String,
    /// Where it stands, counted through all files of the quilt.
    pub(super) span: Range<usize>,
    value: &'a DeValue<'a>,
    base: usize,
}

impl<'a> Value<'a> {
    pub(super) fn subject(&self) -> Subject {
        Subject::Field(self.path.clone())
    }

    /// The last part of the path that is a name, not a place in a list.
    pub(super) fn name(&self) -> &str {
        let named = |part: &&str| part.parse::<usize>().is_err();
        self.path.rsplit('.').find(named).unwrap_or(&self.path)
    }

    pub(super) fn is_text(&self) -> bool {
        self.value.is_str()
    }

    pub(super) fn is_boolean(&self) -> bool {
        self.value.as_bool().is_some()
    }

    pub(super) fn is_table(&self) -> bool {
        self.value.is_table()
    }

    /// Whether it is a table with that key.
    pub(super) fn has(&self, key: &str) -> bool {
        self.value.as_table().is_some_and(|table| table.contains_key(key))
    }

    pub(super) fn is_array(&self) -> bool {
        self.value.is_array()
    }

    pub(super) fn text(&self, notes: &mut Notes) -> Option<&'a str> {
        let text = self.value.as_str();
        if text.is_none() {
            notes.wrong(self, "text in quotes");
        }
        text
    }

    pub(super) fn boolean(&self, notes: &mut Notes) -> Option<bool> {
        let value = self.value.as_bool();
        if value.is_none() {
            notes.wrong(self, "true or false");
        }
        value
    }

    /// A whole number of a range.
    pub(super) fn whole(&self, range: Range<i64>, code: Code, notes: &mut Notes) -> Option<i64> {
        let Some(integer) = self.value.as_integer() else {
            notes.wrong(self, "a whole number");
            return None;
        };
        let number = i128::from_str_radix(integer.as_str(), integer.radix()).unwrap_or(i128::MAX);
        if (i128::from(range.start)..i128::from(range.end)).contains(&number) {
            return Some(number as i64);
        }
        let text = format!("`{}` is {integer}, out of its range", self.name());
        let help = if range.end == i64::MAX {
            format!("a whole number from {} up", range.start)
        } else {
            format!("a whole number from {} to {}", range.start, range.end - 1)
        };
        notes.add(Finding::new(code, self.subject(), text).help(help), self.span.clone());
        None
    }

    /// Any number, also "not a number" and infinite ones: the model judges them.
    pub(super) fn number(&self, notes: &mut Notes) -> Option<f64> {
        let number = match self.value {
            DeValue::Integer(integer) => {
                i128::from_str_radix(integer.as_str(), integer.radix()).ok().map(|n| n as f64)
            }
            DeValue::Float(float) => float.as_str().parse().ok(),
            _ => None,
        };
        if number.is_none() {
            notes.wrong(self, "a number");
        }
        number
    }

    /// A whole number or text, as text.
    pub(super) fn number_or_text(&self, notes: &mut Notes) -> Option<String> {
        match self.value {
            DeValue::Integer(_) => {
                Some(self.whole(0..i64::MAX, Code::BadValue, notes)?.to_string())
            }
            DeValue::String(text) => Some(text.to_string()),
            _ => {
                notes.wrong(self, "text in quotes or a whole number");
                None
            }
        }
    }

    pub(super) fn array(&self, notes: &mut Notes) -> Vec<Value<'a>> {
        let Some(array) = self.value.as_array() else {
            notes.wrong(self, "a list in brackets");
            return Vec::new();
        };
        let values = array.iter().enumerate().map(|(at, item)| Value {
            path: format!("{}.{at}", self.path),
            span: shift(item.span(), self.base),
            value: item.get_ref(),
            base: self.base,
        });
        let values: Vec<_> = values.collect();
        for value in &values {
            notes.mark(&value.path, value.span.clone());
        }
        values
    }

    /// One value, or each of a list.
    pub(super) fn one_or_more(&self, notes: &mut Notes) -> Vec<Value<'a>> {
        if self.is_array() { self.array(notes) } else { vec![self.clone()] }
    }

    /// So many whole numbers.
    pub(super) fn wholes<const N: usize>(
        &self,
        range: Range<i64>,
        code: Code,
        notes: &mut Notes,
    ) -> Option<[i64; N]> {
        let values = self.array(notes);
        if !self.is_array() {
            return None;
        }
        if values.len() != N {
            let text = format!("`{}` needs {N} numbers, not {}", self.name(), values.len());
            notes.add(Finding::new(code, self.subject(), text), self.span.clone());
            return None;
        }
        let mut numbers = [0; N];
        let mut good = true;
        for (slot, value) in numbers.iter_mut().zip(&values) {
            match value.whole(range.clone(), code, notes) {
                Some(number) => *slot = number,
                None => good = false,
            }
        }
        good.then_some(numbers)
    }

    pub(super) fn table(&self, notes: &mut Notes) -> Option<Keys<'a>> {
        match self.value.as_table() {
            Some(table) => Some(Keys::new(&self.path, self.span.clone(), table, self.base, notes)),
            None => {
                notes.wrong(self, "a table");
                None
            }
        }
    }
}

/// The keys of a table, asked for one by one; what nobody asked for is unknown.
#[derive(Debug)]
pub(super) struct Keys<'a> {
    path: String,
    pub(super) span: Range<usize>,
    table: &'a DeTable<'a>,
    base: usize,
    asked: Vec<&'static str>,
}

impl<'a> Keys<'a> {
    pub(super) fn new(
        path: &str,
        span: Range<usize>,
        table: &'a DeTable<'a>,
        base: usize,
        notes: &mut Notes,
    ) -> Self {
        notes.mark(path, span.clone());
        for (key, value) in table {
            let path = join(path, key.get_ref());
            // A table's own span may be just its header; the key says more for single values.
            let span = if value.get_ref().is_table() { key.span() } else { value.span() };
            notes.mark(&path, shift(span, base));
        }
        Self { path: path.to_owned(), span, table, base, asked: Vec::new() }
    }

    /// Its path from the top.
    pub(super) fn path(&self) -> &str {
        &self.path
    }

    /// Whether a key is there; this does not ask for it.
    pub(super) fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// The value of a key, if it is there.
    pub(super) fn take(&mut self, key: &'static str) -> Option<Value<'a>> {
        self.asked.push(key);
        let value = self.table.get(key)?;
        let span = shift(value.span(), self.base);
        Some(Value { path: join(&self.path, key), span, value: value.get_ref(), base: self.base })
    }

    /// The value of a key that must be there.
    pub(super) fn need(
        &mut self,
        key: &'static str,
        help: &str,
        notes: &mut Notes,
    ) -> Option<Value<'a>> {
        let value = self.take(key);
        if value.is_none() {
            let place = if self.path.is_empty() {
                "the quilt".to_owned()
            } else {
                format!("`{}`", self.path)
            };
            let finding = Finding::new(
                Code::MissingKey,
                Subject::Field(join(&self.path, key)),
                format!("{place} has no `{key}`"),
            );
            notes.add(finding.help(help), self.span.clone());
        }
        value
    }

    /// Every key with its place and value, in the order of the file: for tables keyed by name.
    pub(super) fn entries(&self) -> Vec<(&'a str, Range<usize>, Value<'a>)> {
        let entries = self.table.iter().map(|(key, value)| {
            let name: &str = key.get_ref();
            let path = join(&self.path, name);
            let (place, span) = (shift(key.span(), self.base), shift(value.span(), self.base));
            (name, place, Value { path, span, value: value.get_ref(), base: self.base })
        });
        entries.collect()
    }

    /// Reports keys that nobody asked for.
    pub(super) fn finish(self, notes: &mut Notes) {
        self.finish_with("", notes);
    }

    /// As [`finish`](Self::finish), with help of one's own.
    pub(super) fn finish_with(self, help: &str, notes: &mut Notes) {
        #[cfg(test)]
        notes.tables.insert(self.path.clone(), self.asked.clone());
        for (key, _) in self.table {
            let name: &str = key.get_ref();
            if !self.asked.contains(&name) {
                let place = if self.path.is_empty() {
                    "at the top".to_owned()
                } else {
                    format!("in `{}`", self.path)
                };
                let finding = Finding::new(
                    Code::UnknownKey,
                    Subject::Field(join(&self.path, name)),
                    format!("unknown key `{}` {place}", shorten(name)),
                );
                let finding = finding.help(help).among(name, self.asked.iter().copied());
                notes.add(finding, shift(key.span(), self.base));
            }
        }
    }
}

/// The tables of a quilt itself.
pub(super) const TABLES: [&str; 16] = [
    "accept",
    "allow",
    "arrangements",
    "forbid",
    "items",
    "keys",
    "map",
    "recipe",
    "sample",
    "seams",
    "shapes",
    "sheets",
    "sockets",
    "terrains",
    "tiles",
    "variants",
];

/// Whether an entry of a table of names is a table of the quilt that was written below it with dots, and so
/// became part of it; then that is reported. `own` are keys that entries have.
pub(super) fn is_misplaced(
    table: &str,
    (name, span, value): (&str, &Range<usize>, &Value<'_>),
    own: &[&str],
    notes: &mut Notes,
) -> bool {
    let is_entry = own.iter().any(|key| value.has(key));
    if name == table || !TABLES.contains(&name) || !value.is_table() || is_entry {
        return false;
    }
    let text = format!("`{name}` stands below `[{table}]`, so TOML makes it part of that table");
    let help = format!("move the line there, or give it a table of its own: `[{name}...]`");
    let finding = Finding::new(Code::UnknownKey, value.subject(), text);
    notes.add(finding.help(help), span.clone());
    true
}

/// A name that is not among those allowed.
pub(super) fn unknown_name<'n>(
    kind: &str,
    value: &Value<'_>,
    written: &str,
    names: impl IntoIterator<Item = &'n str>,
    notes: &mut Notes,
) {
    let names: Vec<&str> = names.into_iter().collect();
    let mut finding = Finding::new(
        Code::UnknownName,
        value.subject(),
        format!("no {kind} is named `{}`", shorten(written)),
    )
    .among(written, names.iter().copied());
    // The whole value is replaced, quotes and all.
    finding.nearest = nearest(written, names.iter().copied()).map(|name| format!("\"{name}\""));
    notes.add(finding, value.span.clone());
}

/// A name short enough for a message.
pub(super) fn shorten(name: &str) -> String {
    const MOST: usize = 60;
    if name.chars().count() <= MOST {
        return name.to_owned();
    }
    format!("{}...", name.chars().take(MOST).collect::<String>())
}

/// A place in one file, counted through all of them.
pub(super) const fn shift(span: Range<usize>, base: usize) -> Range<usize> {
    // What is laid in from another file may stand before this one: then the sum comes round.
    span.start.wrapping_add(base)..span.end.wrapping_add(base)
}

fn join(path: &str, key: &str) -> String {
    if path.is_empty() { key.to_owned() } else { format!("{path}.{key}") }
}
