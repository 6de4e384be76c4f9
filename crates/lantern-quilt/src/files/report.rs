//! Findings with their place in a file, rendered for people or for scripts.

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
}

/// A finding and where it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Located {
    /// What was found.
    pub finding: Finding,
    /// The bytes of the source it points at.
    pub span: Option<Range<usize>>,
    /// Whether `span` is just the wrong name, so that the nearest one can take its place.
    pub replaceable: bool,
}

/// All findings of one file. It is an error when any of them is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Report {
    /// The file.
    pub source: Source,
    /// What was found, in the order of the file.
    pub findings: Vec<Located>,
}

/// The most findings that are shown in full.
const SHOWN: usize = 20;

impl Report {
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
        let snippet = || Snippet::source(self.source.text.as_str()).path(self.source.name.as_str());
        let mut main = level.primary_title(finding.message.as_str()).id(finding.code.text());
        let mut elements: Vec<Element<'_>> = Vec::new();
        if let Some(span) = &located.span {
            let annotation = AnnotationKind::Primary.span(span.clone());
            elements.push(snippet().annotation(annotation).into());
        } else {
            elements.push(annotate_snippets::Origin::path(self.source.name.as_str()).into());
        }
        if !finding.help.is_empty() {
            elements.push(Level::HELP.message(finding.help.as_str()).into());
        }
        let main = std::mem::replace(&mut main, Level::NOTE.primary_title("")).elements(elements);
        let mut groups = vec![main];
        if let (Some(name), Some(span)) = (&finding.nearest, &located.span) {
            let title =
                Level::HELP.secondary_title(format!("did you mean `{}`?", name.trim_matches('"')));
            groups.push(if located.replaceable {
                let source =
                    Snippet::source(self.source.text.as_str()).path(self.source.name.as_str());
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
                let place = located.span.as_ref().map(|span| self.source.place(span.start));
                json!({
                    "code": located.finding.code.text(),
                    "severity": located.finding.severity().name(),
                    "subject": located.finding.subject.to_string(),
                    "file": self.source.name,
                    "line": place.map(|p| p.0),
                    "column": place.map(|p| p.1),
                    "message": located.finding.message,
                    "help": located.finding.help,
                    "nearest": located.finding.nearest,
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
            write!(f, "{}", self.source.name)?;
            if let Some(span) = span {
                let (line, column) = self.source.place(span.start);
                write!(f, ":{line}:{column}")?;
            }
            writeln!(f, ": {}[{}] {}", finding.severity().name(), finding.code, finding.message)?;
        }
        Ok(())
    }
}

impl std::error::Error for Report {}
