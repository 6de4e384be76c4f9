//! What must hold of a finished map, and which pass broke it.

use crate::finding::{Code, Finding, Subject};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Layout};
use crate::map::Tilemap;
use crate::passes::Condition;
use crate::seed::Seed;

/// What must hold of a finished map: how many cells meet a condition, and what each of them meets.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::passes::{Condition, TagStep};
/// use lantern_quilt_core::recipe::{Expectation, Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let rim = Condition::Border { least: 0, most: 0 };
/// let tag = |name: &str, remove: bool| {
///     let names = vec![name.to_owned()];
///     if remove { TagStep { add: vec![], remove: names } } else { TagStep { add: names, remove: vec![] } }
/// };
/// let passes = [Pass::new("hedge", tag("hedge", false)).within(rim), Pass::new("storm", tag("hedge", true))];
/// let hedged = Expectation::new("a hedge", Condition::Tag("hedge".into())).least(10);
/// let recipe = Recipe::new(passes).expecting([hedged]);
/// let mut maker = recipe.maker(Layout::flat(Lattice::Square, 8, 6)?, &Seed::default());
/// maker.make()?;
/// let unmet = &maker.finish().unmet[0];
/// assert_eq!((unmet.count, unmet.broken_by.as_deref()), (0, Some("storm")));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Expectation {
    /// What it is called.
    pub name: String,
    /// Which cells it speaks of.
    pub place: Condition,
    /// What all of them must meet.
    pub meets: Option<Condition>,
    /// Whether cells that touch across sides count as one.
    pub joined: bool,
    /// The fewest.
    pub least: u64,
    /// The most.
    pub most: u64,
}

crate::setters! {
    Expectation { meets: Option<Condition>, joined: bool, least: u64, most: u64, }
}

/// An expectation that a map does not meet.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Unmet {
    /// What it is called.
    pub name: String,
    /// What is wrong, in words.
    pub text: String,
    /// How many there are of what it counts.
    pub count: u64,
    /// The first cells that do not meet what all must meet, at most eight.
    pub cells: Vec<Cell>,
    /// The last pass before which it held and after which it did not; none when it never held.
    pub broken_by: Option<String>,
}

impl Expectation {
    /// At least one cell meets the condition.
    pub fn new(name: impl Into<String>, place: Condition) -> Self {
        Self { name: name.into(), place, meets: None, joined: false, least: 1, most: u64::MAX }
    }

    /// What a map lacks of it; nothing when it holds. O(cells) for each part of its conditions. Noise in
    /// them is named by the expectation.
    pub fn judge(&self, map: &Tilemap, seed: &Seed) -> Option<Unmet> {
        let cells = self.place.cells(map, seed, &self.name);
        let layout = map.layout();
        let count = if self.joined { areas(layout, &cells) } else { cells.count() as u64 };
        let one = [self.least, self.most].contains(&1) && [0, 1, u64::MAX].contains(&self.most);
        let what = match (self.joined, one) {
            (true, true) => "area",
            (true, false) => "areas",
            (false, true) => "cell",
            (false, false) => "cells",
        };
        let mut text = Vec::new();
        if !(self.least..=self.most).contains(&count) {
            let wanted = match (self.least, self.most) {
                (least, u64::MAX) => format!("at least {least}"),
                (0, most) => format!("at most {most}"),
                (least, most) if least == most => format!("{least}"),
                (least, most) => format!("{least} to {most}"),
            };
            text.push(format!("expected {wanted} {what} with {}, found {count}", self.place));
        }
        let mut failing = Vec::new();
        if let Some(meets) = &self.meets {
            let mut left = cells.clone();
            left.subtract(&meets.cells(map, seed, &self.name));
            let missing = left.count();
            failing = left.iter().take(8).collect();
            if let Some(first) = failing.first() {
                let of = cells.count();
                let (place, last) = (&self.place, if missing == 1 { "" } else { ", the first" });
                text.push(format!(
                    "{missing} of {of} cells with {place} are not {meets}{last} at {first}"
                ));
            }
        }
        (!text.is_empty()).then(|| Unmet {
            name: self.name.clone(),
            text: text.join("; "),
            count,
            cells: failing,
            broken_by: None,
        })
    }
}

impl Unmet {
    /// What to say of it.
    pub fn finding(&self) -> Finding {
        let Self { name, text, broken_by, .. } = self;
        let (by, help) = match broken_by {
            Some(pass) => (
                format!("; it held until the pass `{pass}`"),
                format!("change `{pass}`, or keep it off: `where = {{ none = {{ ... }} }}`"),
            ),
            None => (
                "; it never held".to_owned(),
                "add a pass that makes it true, or expect less".to_owned(),
            ),
        };
        let subject = Subject::Field(format!("expect.{name}"));
        Finding::new(Code::Unmet, subject, format!("`{name}` is not met: {text}{by}")).help(help)
    }
}

/// How many areas of cells that touch across sides there are.
fn areas(layout: Layout, cells: &BitPlane) -> u64 {
    let (mut left, mut count) = (cells.clone(), 0);
    for cell in cells.iter() {
        if !left.get(cell) {
            continue;
        }
        count += 1;
        let mut open = vec![cell];
        while let Some(at) = open.pop() {
            if left.get(at) {
                left.set(at, false);
                let sides = layout.lattice().sides().iter();
                open.extend(sides.filter_map(|&side| layout.neighbour(at, side)));
            }
        }
    }
    count
}
