//! What a fill keeps, back to the lines of the quilt that say it.

use super::checked::Quilt;
use lantern_quilt_core::constraints::Source;
use std::fmt;

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
        let (file, inside) = self.findings.place(&span);
        let (line, column) = file.place(inside.start);
        Some(Said { what: name.to_owned(), file: file.name.clone(), line, column })
    }

    /// Where the quilt says something that a fill keeps; `None` when it was not read from it.
    pub fn said(&self, source: Source) -> Option<Said> {
        let [from, to] = source.at?.map(|at| at as usize);
        let (file, inside) = self.findings.place(&(from..to));
        let (line, column) = file.place(inside.start);
        Some(Said { what: source.to_string(), file: file.name.clone(), line, column })
    }
}
