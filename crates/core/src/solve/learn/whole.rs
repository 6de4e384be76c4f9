//! Rules of the whole map that know how cells lie, in a search that learns.
//!
//! They see the same two bits of each cell as in other searches, here from the variables that say whether it holds one
//! of a set. What they find broken becomes a clause that is false now, from which the search learns like from any
//! other. Source: clauses made when they are needed (Ohrimenko, Stuckey and Codish 2009).

use super::clauses::Lit;
use super::encode::Code;
use super::engine::Engine;
use crate::solve::constrain::{Constraint, Kept, Listed, Seen, Standing};
use crate::solve::space::Space;
use std::ops::Range;
use std::sync::Arc;

/// The rules of a space, and what they see of the variables.
#[derive(Debug)]
pub(super) struct Whole {
    ground: Listed,
    rules: Vec<Watcher>,
    /// What is seen of each set, before anything is known and now.
    first: Vec<Seen>,
    seen: Vec<Seen>,
    /// The first of the variables that represent whether a cell holds one of a set; `of` lists set and cell of each.
    from: u32,
    of: Vec<(u32, u32)>,
    /// Which of them have a value, and since what place of the trail.
    heard: Vec<(usize, u32)>,
}

/// One of the rules.
#[derive(Debug)]
struct Watcher {
    rule: Arc<dyn Constraint>,
    sets: Range<usize>,
    /// How many cells stand otherwise than when it was asked.
    news: usize,
}

/// A rule is asked when so much of the map is otherwise: it looks at all cells, and what it finds late is learned as well.
const ASKED: usize = 16;

impl Whole {
    /// `None` where tallies cover all rules. O(cells x sets).
    pub(super) fn new(space: &Space, code: &Code) -> Option<Self> {
        let mut rules = Vec::new();
        let mut sets = 0;
        for Kept { rule, .. } in space.constraints() {
            let watched = sets..sets + rule.watched().len();
            sets = watched.end;
            if rule.tallies().is_empty() {
                rules.push(Watcher { rule: rule.clone(), sets: watched, news: code.cells.len() });
            }
        }
        if rules.is_empty() {
            return None;
        }
        let ground = Listed::new(space.layout(), &code.cells);
        let cells = space.layout().extent().cells();
        let mut first = vec![Seen::new(cells); sets];
        let mut of = Vec::new();
        for (set, seen) in first.iter_mut().enumerate() {
            for (at, first) in code.first.iter().enumerate() {
                seen.put(at as u32, Standing::of(first.words(), code.watched(set)));
            }
            for (at, var) in code.watching(set) {
                of.push((var, set as u32, at as u32));
            }
        }
        of.sort_unstable();
        let from = of.first().map_or(0, |one| one.0);
        let of = of.into_iter().map(|(_, set, at)| (set, at)).collect();
        Some(Self { ground, rules, seen: first.clone(), first, from, of, heard: Vec::new() })
    }

    /// Hears of all that became known, or is not known any more, since it was asked last; then a clause that is false
    /// now, if a rule is broken. O(cells x sides) a rule.
    pub(super) fn refute(&mut self, engine: &mut Engine, code: &Code) -> Option<Vec<Lit>> {
        let (trail, kept) = engine.changed();
        while self.heard.last().is_some_and(|&(place, _)| place >= kept) {
            if let Some((_, var)) = self.heard.pop() {
                self.put(var, Standing::Open);
            }
        }
        for (place, lit) in trail.iter().enumerate().skip(kept) {
            let Some(var) = lit.var().checked_sub(self.from) else { continue };
            if (var as usize) < self.of.len() {
                self.heard.push((place, var));
                self.put(var, if lit.is_positive() { Standing::Must } else { Standing::Cannot });
            }
        }
        let Self { rules, seen, first, ground, .. } = self;
        for Watcher { rule, sets, news } in rules {
            let cells = code.cells.len();
            let all_known = || seen[sets.clone()].iter().all(|seen| seen.opens() == 0);
            if *news == 0 || *news * ASKED < cells && !all_known() {
                continue;
            }
            *news = 0;
            let from_start = &first[sets.clone()];
            let never = |at: u32, set: usize| !from_start[set].is_can(at);
            if let Some(false_now) = rule.refute(&seen[sets.clone()], ground, &never) {
                *news = 1;
                return Some(code.clause(sets.start, &false_now).expect("false now"));
            }
        }
        None
    }

    fn put(&mut self, var: u32, now: Standing) {
        let (set, at) = self.of[var as usize];
        self.seen[set as usize].put(at, now);
        for one in &mut self.rules {
            one.news += usize::from(one.sets.contains(&(set as usize)));
        }
    }
}
