//! What a fill keeps, back to the lines of the quilt that say it.

use super::checked::Quilt;
use lantern_quilt_core::constraints::Source;
use std::fmt;
use std::ops::Range;

/// Something that a fill keeps, and where the quilt says it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Said {
    /// What it is, in words.
    pub what: String,
    /// The file it stands in.
    pub file: String,
    /// Its line, from 1.
    pub line: usize,
    /// Its column in characters, from 1.
    pub column: usize,
}

impl fmt::Display for Said {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} ({}:{}:{})", self.what, self.file, self.line, self.column)
    }
}

impl Quilt {
    /// Where a pass stands in the quilt by its name, or an expectation as `expect.NAME`.
    pub fn stands(&self, name: &str) -> Option<Said> {
        let span = self.places.find(self.pass_paths.get(name)?)?;
        Some(self.said_at(&span, &name))
    }

    /// Where the quilt says something that a fill keeps; `None` when it was not read from it.
    pub fn said(&self, source: Source) -> Option<Said> {
        let [from, to] = source.at?.map(|at| at as usize);
        Some(self.said_at(&(from..to), &source))
    }

    fn said_at(&self, span: &Range<usize>, what: &impl ToString) -> Said {
        let (file, inside) = self.findings.place(span);
        let (line, column) = file.place(inside.start);
        Said { what: what.to_string(), file: file.name.clone(), line, column }
    }
}
