//! Restrictions of a fill back to the lines of the quilt that say them.

use super::checked::Quilt;
use lantern_quilt_core::id::CauseId;
use lantern_quilt_core::passes::Stands;
use std::fmt;

/// A border rule, pin or limit, and where the quilt says it.
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
    /// Where the quilt says a restriction of its pass's space; `None` when there is no such restriction
    /// or it follows from tiles of several cells.
    pub fn said(&self, cause: CauseId) -> Option<Said> {
        let (collapse, pass) = (self.collapse()?, self.main_path());
        let constraints = collapse.constraints();
        let (what, path) = match collapse.restriction(cause)? {
            Stands::Border(number) => {
                let side = constraints.borders[number].side;
                (format!("the border rule for {side}"), format!("{pass}.border.{side}"))
            }
            Stands::Pin(number) => {
                let cell = constraints.pins[number].cell;
                (format!("the pin at {cell}"), format!("{pass}.pins.{number}"))
            }
            Stands::Limit(number) => {
                // A ring is the first limit.
                let ring = format!("{pass}.border.ring");
                let rings = usize::from(self.places.has(&ring));
                match number.checked_sub(rings) {
                    Some(number) => {
                        (format!("limit {}", number + 1), format!("{pass}.limits.{number}"))
                    }
                    None => ("the ring".to_owned(), ring),
                }
            }
            Stands::Whole(_) => return None,
        };
        let span = self.places.find(&path)?;
        let (source, inside) = self.findings.place(&span);
        let (line, column) = source.place(inside.start);
        Some(Said { what, file: source.name.clone(), line, column })
    }
}
