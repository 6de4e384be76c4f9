//! The files of a quilt: itself, and those it includes.

use super::cursor::{Notes, shift};
use crate::files::folder::{Art, ReadError};
use crate::files::report::Source;
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use std::ops::Range;
use toml::de::{DeTable, DeValue};
use xxhash_rust::xxh3::Xxh3;

/// The most files of one quilt.
const MOST: usize = 200;

/// A file of a quilt.
#[derive(Debug)]
pub(super) struct Document {
    pub(super) text: String,
    /// Where its text begins, counted through all files.
    pub(super) base: usize,
    /// The folder it lies in, from that of the quilt: empty, or ending in a slash.
    pub(super) folder: String,
}

/// Gathers files; the last one is the quilt itself.
pub(super) struct Gathered {
    /// Each after those it includes.
    pub(super) documents: Vec<Document>,
    /// In the order in which their places are counted.
    pub(super) sources: Vec<Source>,
}

pub(super) fn gather(
    text: &str,
    name: &str,
    art: &dyn Art,
    notes: &mut Notes,
    hash: &mut Xxh3,
) -> Gathered {
    let beside = name.rfind(['/', '\\']).map_or("", |slash| &name[..=slash]);
    let gathered = Gathered { documents: Vec::new(), sources: Vec::new() };
    let mut reader = Reader { art, notes, hash, beside, gathered, open: Vec::new(), next: 0 };
    reader.read(text.to_owned(), name.to_owned(), String::new());
    reader.gathered
}

struct Reader<'a> {
    art: &'a dyn Art,
    notes: &'a mut Notes,
    hash: &'a mut Xxh3,
    /// The folder of the quilt, as its name has it.
    beside: &'a str,
    gathered: Gathered,
    /// The files that are being read, one including the next.
    open: Vec<String>,
    next: usize,
}

impl Reader<'_> {
    fn read(&mut self, text: String, name: String, folder: String) {
        let base = self.next;
        // One more, so that the end of a file is not the beginning of the next.
        self.next += text.len() + 1;
        self.gathered.sources.push(Source { name, text: text.clone() });
        for (path, span) in includes(&text) {
            self.include(&format!("{folder}{path}"), shift(span, base));
        }
        self.gathered.documents.push(Document { text, base, folder });
    }

    fn include(&mut self, path: &str, span: Range<usize>) {
        let path = plain(path);
        let name = format!("{}{path}", self.beside);
        let mut wrong = |code, text: String, help: &str, near: Option<String>| {
            let mut finding = Finding::new(code, Subject::Field("include".to_owned()), text);
            finding.nearest = near;
            self.notes.add(finding.help(help), span.clone());
        };
        if let Some(at) = self.open.iter().position(|open| *open == path) {
            let circle: Vec<&str> = self.open[at..].iter().map(String::as_str).collect();
            let text = format!("files include each other: {} -> {path}", circle.join(" -> "));
            wrong(Code::IncludeCircle, text, "take one of the includes out", None);
            return;
        }
        if self.gathered.sources[0].name == name {
            let text = format!("`{path}` is the quilt itself");
            wrong(Code::IncludeCircle, text, "take one of the includes out", None);
            return;
        }
        if self.gathered.sources.iter().any(|source| source.name == name) {
            return;
        }
        if self.gathered.sources.len() >= MOST {
            let text = format!("a quilt has {MOST} files at most");
            wrong(Code::UnreadableFile, text, "join some of them", None);
            return;
        }
        let data = match self.art.read(&path) {
            Ok(data) => data,
            Err(error) => {
                let near = self.art.near(&path);
                let near = nearest(&path, near.iter().map(String::as_str));
                let near = near.map(|near| format!("\"{near}\""));
                let code = match error {
                    ReadError::Outside { .. } => Code::PathOutside,
                    _ => Code::UnreadableFile,
                };
                let help = "paths are relative to the file that includes";
                wrong(code, format!("cannot include `{path}`: {error}"), help, near);
                return;
            }
        };
        let Ok(text) = String::from_utf8(data) else {
            let text = format!("`{path}` is not UTF-8 text");
            wrong(Code::NotText, text, "include files of the kind of a quilt", None);
            return;
        };
        self.hash.update(text.as_bytes());
        let folder = path.rfind('/').map_or("", |slash| &path[..=slash]).to_owned();
        self.open.push(path);
        self.read(text, name, folder);
        self.open.pop();
    }
}

/// What a file includes. What is wrong with its text is reported when it is read in earnest.
fn includes(text: &str) -> Vec<(String, Range<usize>)> {
    let (document, _) = DeTable::parse_recoverable(text);
    let Some(value) = document.get_ref().get("include") else { return Vec::new() };
    let named = |value: &DeValue<'_>, span: Range<usize>| Some((value.as_str()?.to_owned(), span));
    match value.get_ref() {
        DeValue::Array(files) => {
            files.iter().filter_map(|file| named(file.get_ref(), file.span())).collect()
        }
        one => named(one, value.span()).into_iter().collect(),
    }
}

/// A path without steps that lead nowhere.
fn plain(path: &str) -> String {
    let mut parts: Vec<&str> = Vec::new();
    for part in path.split('/') {
        match part {
            "" | "." if !parts.is_empty() => {}
            "." => {}
            ".." if parts.last().is_some_and(|last| *last != "..") => {
                parts.pop();
            }
            part => parts.push(part),
        }
    }
    parts.join("/")
}
