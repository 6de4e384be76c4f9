//! Findings with their place in a file, rendered for people or for scripts.

use crate::picture::Picture;
use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Element, Level, Patch, Renderer, Snippet};
use lantern_quilt_core::finding::{Finding, Severity};
use serde_json::json;
use std::fmt;
use std::ops::Range;

/// A text and the name to show for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    /// What messages call it, usually its path as given.
    pub name: String,
    /// The whole text.
    pub text: String,
}

impl Source {
    /// Line and column (both from 1, columns in characters) of a byte offset.
    pub fn place(&self, offset: usize) -> (usize, usize) {
        let mut offset = offset.min(self.text.len());
        while !self.text.is_char_boundary(offset) {
            offset -= 1;
        }
        let before = &self.text[..offset];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        let line = before.bytes().filter(|&b| b == b'\n').count() + 1;
        (line, before[line_start..].chars().count() + 1)
    }

    /// The line that a range of bytes begins in, and the same with something else in the place of the range.
    fn lines(&self, span: &Range<usize>, other: Option<&str>) -> (String, Option<String>) {
        let (text, start) = (self.text.as_str(), span.start.min(self.text.len()));
        let first = text[..start].rfind('\n').map_or(0, |at| at + 1);
        let last = text[start..].find('\n').map_or(text.len(), |at| start + at);
        let patch = other
            .filter(|_| span.end <= last)
            .map(|other| format!("{}{other}{}", &text[first..start], &text[span.end..last]));
        (text[first..last].trim_end().to_owned(), patch)
    }
}

/// A finding and where it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Located {
    /// What was found.
    pub finding: Finding,
    /// The bytes it points at, counted through all sources of the report; see [`Report::place`].
    pub span: Option<Range<usize>>,
    /// Whether `span` is just the wrong name, so that the nearest one can take its place.
    pub replaceable: bool,
}

/// All findings of one file. It is an error when any of them is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Report {
    /// The file.
    pub source: Source,
    /// Files that it includes. Places in them are counted on from its end, each one byte apart.
    pub included: Vec<Source>,
    /// What was found, in the order of the file.
    pub findings: Vec<Located>,
    /// Samples with cells that no tile explains, to be drawn.
    pub unknown: Vec<UnknownCells>,
}

/// A sample that was painted with more than the tiles of its quilt.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnknownCells {
    /// The picture file.
    pub file: String,
    /// The picture.
    pub picture: Picture,
    /// Width and height of a cell in pixels.
    pub cell: [u32; 2],
    /// Column and row of each cell that is not a tile.
    pub cells: Vec<[u32; 2]>,
}

/// The most findings that are shown in full.
const SHOWN: usize = 20;

impl Report {
    /// The source that a place lies in, and where in it.
    ///
    /// ```
    /// use lantern_quilt::files::{Report, Source};
    ///
    /// let source = |name: &str, text: &str| Source { name: name.into(), text: text.into() };
    /// let included = vec![source("tiles.toml", "[tiles]")];
    /// let report = Report { source: source("a.quilt.toml", "quilt = 1"), included, findings: vec![], unknown: vec![] };
    /// let (source, span) = report.place(&(11..16));
    /// assert_eq!((&*source.name, &source.text[span]), ("tiles.toml", "tiles"));
    /// ```
    pub fn place(&self, span: &Range<usize>) -> (&Source, Range<usize>) {
        let mut base = 0;
        for source in std::iter::once(&self.source).chain(&self.included) {
            let end = base + source.text.len();
            if span.start <= end {
                return (source, span.start - base..(span.end - base).min(source.text.len()));
            }
            base = end + 1;
        }
        (&self.source, 0..0)
    }

    /// Whether any finding is an error.
    pub fn has_errors(&self) -> bool {
        self.count(Severity::Error) > 0
    }

    /// How many findings are of that severity.
    pub fn count(&self, severity: Severity) -> usize {
        self.findings.iter().filter(|f| f.finding.severity() == severity).count()
    }

    /// The findings for a terminal of `width` columns, with or without colour.
    pub fn render(&self, colour: bool, width: usize) -> String {
        let renderer = if colour { Renderer::styled() } else { Renderer::plain() }
            .term_width(width)
            .decor_style(if colour { DecorStyle::Unicode } else { DecorStyle::Ascii });
        let mut text = String::new();
        for located in self.findings.iter().take(SHOWN) {
            text.push_str(&self.render_one(&renderer, located));
            text.push_str("\n\n");
        }
        if self.findings.len() > SHOWN {
            text.push_str(&format!("and {} more findings\n\n", self.findings.len() - SHOWN));
        }
        text
    }

    fn render_one(&self, renderer: &Renderer, located: &Located) -> String {
        let finding = &located.finding;
        let level = match finding.severity() {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
            Severity::Note => Level::NOTE,
        };
        let place = located.span.as_ref().map(|span| self.place(span));
        let mut main = level.primary_title(finding.message.as_str()).id(finding.code.text());
        let mut elements: Vec<Element<'_>> = Vec::new();
        if let Some((source, span)) = &place {
            let annotation = AnnotationKind::Primary.span(span.clone());
            let snippet = Snippet::source(source.text.as_str()).path(source.name.as_str());
            elements.push(snippet.annotation(annotation).into());
        } else {
            elements.push(annotate_snippets::Origin::path(self.source.name.as_str()).into());
        }
        if !finding.help.is_empty() {
            elements.push(Level::HELP.message(finding.help.as_str()).into());
        }
        let main = std::mem::replace(&mut main, Level::NOTE.primary_title("")).elements(elements);
        let mut groups = vec![main];
        if let (Some(name), Some((source, span))) = (&finding.nearest, &place) {
            let title =
                Level::HELP.secondary_title(format!("did you mean `{}`?", name.trim_matches('"')));
            groups.push(if located.replaceable {
                let source = Snippet::source(source.text.as_str()).path(source.name.as_str());
                title.element(source.patch(Patch::new(span.clone(), name.clone())))
            } else {
                title.elements(std::iter::empty::<Element<'_>>())
            });
        }
        renderer.render(&groups)
    }

    /// The findings as JSON: an array of objects with code, severity, place and text.
    pub fn to_json(&self) -> serde_json::Value {
        self.findings
            .iter()
            .map(|located| {
                let place = located.span.as_ref().map(|span| self.place(span));
                let (text, patch) = place.as_ref().map_or((None, None), |(source, span)| {
                    let near = located.finding.nearest.as_deref().filter(|_| located.replaceable);
                    let (line, patch) = source.lines(span, near);
                    (Some(line), patch)
                });
                let file = place.as_ref().map_or(&self.source.name, |(source, _)| &source.name);
                let place = place.as_ref().map(|(source, span)| source.place(span.start));
                json!({
                    "code": located.finding.code.text(),
                    "severity": located.finding.severity().name(),
                    "subject": located.finding.subject.to_string(),
                    "file": file,
                    "line": place.map(|p| p.0),
                    "column": place.map(|p| p.1),
                    "text": text,
                    "patch": patch,
                    "message": located.finding.message,
                    "help": located.finding.help,
                    // A patch has the quotes of a text; a name has none.
                    "places": located.finding.places,
                    "nearest": located.finding.nearest.as_deref().map(|near| near.trim_matches('"')),
                })
            })
            .collect()
    }
}

impl fmt::Display for Report {
    /// One line a finding: `file:line:column: severity[code] message`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for located in &self.findings {
            let Located { finding, span, .. } = located;
            match span.as_ref().map(|span| self.place(span)) {
                Some((source, span)) => {
                    let (line, column) = source.place(span.start);
                    write!(f, "{}:{line}:{column}", source.name)?;
                }
                None => f.write_str(&self.source.name)?,
            }
            writeln!(f, ": {}[{}] {}", finding.severity().name(), finding.code, finding.message)?;
        }
        Ok(())
    }
}

impl std::error::Error for Report {}
