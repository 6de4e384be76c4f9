//! What a pass did.

use crate::finding::{Code, Finding, Subject};
use crate::lattice::Cell;
use std::sync::Arc;

/// What one pass did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct PassReport {
    /// Its name.
    pub name: String,
    /// How many cells changed; on several layers or tags each by itself.
    pub cells: u64,
    /// How many items were placed.
    pub items: u64,
    /// Cells of its own that lie outside the map.
    pub outside: u64,
    /// Shapes that were missing, and what stands in their place.
    pub stand_ins: Vec<StandIn>,
    /// What a pass that places things has to say.
    pub placing: Option<Placing>,
    /// What a pass found that leads ways from place to place.
    pub routed: Option<Routed>,
    /// Whether it was left out, by the chance that it appears at all.
    pub left_out: bool,
    /// How many cells it could have changed, when it changed nothing.
    pub idle: Option<u64>,
}

/// The ways that a `route` pass found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Routed {
    /// The name of the pass.
    pub pass: String,
    /// One for each target that was reached, nearest first.
    pub ways: Vec<WayTo>,
    /// Targets that no way leads to.
    pub missed: Vec<Unreached>,
    /// Whether it was only wished that all are reached.
    pub wished: bool,
}

/// A way to a target.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WayTo {
    /// Where it ends.
    pub target: Cell,
    /// How many steps it has.
    pub steps: u32,
    /// What it costs.
    pub cost: u64,
}

/// A target that no way leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unreached {
    /// A cell of it.
    pub target: Cell,
    /// What is in the way, as little as can be: closed cells, and cells behind items and high steps that
    /// block; from the target back.
    pub blocked: Vec<Cell>,
}

impl Routed {
    /// How many steps all ways have together, and what they cost.
    pub fn total(&self) -> (u64, u64) {
        let add = |sum: (u64, u64), way: &WayTo| {
            (sum.0 + u64::from(way.steps), sum.1.saturating_add(way.cost))
        };
        self.ways.iter().fold((0, 0), add)
    }

    /// What to say when some targets are not reached: which, and what is in the way.
    pub fn finding(&self) -> Option<Finding> {
        const LISTED: usize = 4;
        let first = self.missed.first()?;
        let (missed, all) = (self.missed.len(), self.missed.len() + self.ways.len());
        let list = |cells: &mut dyn Iterator<Item = Cell>, count: usize| {
            let listed: Vec<String> = cells.take(LISTED).map(|cell| cell.to_string()).collect();
            let more = if count > LISTED {
                format!(" and {} more", count - LISTED)
            } else {
                String::new()
            };
            format!("{}{more}", listed.join(", "))
        };
        let cells = list(&mut self.missed.iter().map(|one| one.target), missed);
        let text = format!("`{}` does not reach {missed} of {all} targets: {cells}", self.pass);
        let help = if first.blocked.is_empty() {
            "`through` matches no cell around it".to_owned()
        } else {
            let cells = list(&mut first.blocked.iter().copied(), first.blocked.len());
            format!("in the way to {} lies {cells}; let `through` match it, or carve", first.target)
        };
        let code = if self.wished { Code::FewerThanWished } else { Code::NotReached };
        Some(Finding::new(code, Subject::Field(self.pass.clone()), text).help(help))
    }
}

/// A shape that was needed and that no tile has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StandIn {
    /// The set.
    pub set: String,
    /// The neighbourhood in words.
    pub wanted: String,
    /// What stands there in its place.
    pub tile: Option<String>,
    /// In how many cells.
    pub count: u64,
    /// The first of them, at most eight.
    pub first: Vec<Cell>,
    /// Whether the set is strict, so that this is an error.
    pub strict: bool,
}

/// What a `place` or `stamp` pass did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Placing {
    /// The name of the pass.
    pub pass: String,
    /// Sets placed.
    pub sets: u64,
    /// Items placed.
    pub items: u64,
    /// Tiles placed.
    pub tiles: u64,
    /// The fewest sets that were asked for.
    pub least: u64,
    /// Whether that was only wished.
    pub wished: bool,
    /// What was left after each step, from all cells on.
    pub funnel: Vec<(String, u64)>,
    /// Later passes that took sets away again, and how many.
    pub lost: Vec<(String, u64)>,
    /// What stands of each set, when any number of them was asked for.
    pub(super) standing: Vec<Standing>,
}

/// What stands of one set.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Standing {
    pub(super) items: u32,
    /// Its tiles: layer, cell and name.
    pub(super) tiles: Vec<(Arc<str>, Cell, Arc<str>)>,
}

impl PassReport {
    /// A warning for a pass that changed nothing, unless another finding covers it: what was left of
    /// all cells after each step of choosing.
    pub fn idle_finding(&self) -> Option<Finding> {
        let cells = self.idle?;
        if self.placing.as_ref().is_some_and(Placing::is_short) {
            return None;
        }
        let funnel =
            self.placing.as_ref().map(|placing| placing.funnel.as_slice()).unwrap_or_default();
        let left: Vec<String> =
            funnel.iter().map(|(step, count)| format!("{count} {step}")).collect();
        let help = match (left.is_empty(), cells) {
            (false, _) => format!("{}; loosen the step that takes the most", left.join(" -> ")),
            (true, 0) => "its `where` matches no cell".to_owned(),
            (true, _) => {
                format!("its `where` matches {cells} cells, which have these values already")
            }
        };
        let text = format!("`{}` changed nothing", self.name);
        Some(Finding::new(Code::DidNothing, Subject::Field(self.name.clone()), text).help(help))
    }

    /// Nothing done yet.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into(), ..Self::default() }
    }
}

impl Placing {
    /// How many sets stand in the end.
    pub fn left(&self) -> u64 {
        self.sets.saturating_sub(self.lost.iter().map(|(_, count)| count).sum())
    }

    /// Whether fewer stand than asked for.
    pub fn is_short(&self) -> bool {
        self.left() < self.least
    }

    /// What to say when fewer stand than asked for: what was left after each step, or who took them away.
    pub fn finding(&self) -> Option<Finding> {
        if !self.is_short() {
            return None;
        }
        let code = if self.wished { Code::FewerThanWished } else { Code::TooFewPlaced };
        let verb = if self.wished { "wishes" } else { "needs" };
        let mut text = format!("`{}` {verb} {} and placed {}", self.pass, self.least, self.sets);
        for (pass, count) in &self.lost {
            text.push_str(&format!("; `{pass}` took {count} of them away"));
        }
        if let Some((pass, _)) = self.lost.first().filter(|_| self.sets >= self.least) {
            let help = format!(
                "keep `{pass}` off them: `where = {{ none = {{ ... }} }}`, or place `{}` after it",
                self.pass
            );
            let subject = Subject::Field(self.pass.clone());
            return Some(Finding::new(code, subject, text).help(help));
        }
        let left: Vec<String> =
            self.funnel.iter().map(|(step, count)| format!("{count} {step}")).collect();
        let help = format!("{}; loosen the step that takes the most", left.join(" -> "));
        Some(Finding::new(code, Subject::Field(self.pass.clone()), text).help(help))
    }

    pub(super) fn note(&mut self, step: impl Into<String>, count: usize) {
        self.funnel.push((step.into(), count as u64));
    }
}
