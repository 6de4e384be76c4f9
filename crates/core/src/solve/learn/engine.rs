//! Search with learning over variables that are true or false.
//!
//! After each conflict a clause is learned that forbids what led to it, and the search goes back to
//! where that clause says something new; now and then it begins again, with what it learned. Source:
//! conflict-driven clause learning (Marques-Silva and Sakallah 1999).

use super::best::Best;
use super::clauses::{ClauseRef, Clauses, Forgetting, Lit};
use super::lists::Lists;
use super::order::Trouble;
use super::tallies::{Follows, Tallies, Tally};
use std::collections::BTreeSet;

/// Conflicts before the first restart.
const RESTART: u64 = 400;
/// How many more each time.
const RESTART_MORE: u64 = 50;
/// Learned clauses before some are forgotten, at first and more each time.
const LEARNED: usize = 4000;
const LEARNED_MORE: usize = 600;

/// What must hold, besides the clauses of three and more literals.
#[derive(Clone, Debug, Default)]
pub(super) struct Problem {
    /// For each literal those that follow when it is true.
    pub(super) follow: Lists,
    /// Groups of variables of which one at most is true.
    pub(super) groups: Lists,
    /// For each variable its groups.
    pub(super) groups_of: Lists,
}

/// Why a variable has its value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Reason {
    /// It was decided, or holds without any decision.
    None,
    /// This other literal is true.
    Lit(Lit),
    /// All other literals of this clause are false.
    Clause(ClauseRef),
    /// The literals of this event of a tally are true.
    Tally(u32),
}

/// What cannot be.
#[derive(Clone, Copy)]
enum Conflict {
    /// Both literals are true.
    Pair(Lit, Lit),
    /// All literals of the clause are false.
    Clause(ClauseRef),
    /// All literals of this event of a tally are true.
    Tally(u32),
}

/// How far propagation came.
enum Waved {
    Done,
    /// There is more to propagate.
    More,
    Conflict(Conflict),
}

/// How a stretch of search ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Found {
    /// There is more to do.
    Working,
    /// Nothing follows any more without another decision; told only when that is [asked for](Engine::stop_before_decisions).
    Still,
    /// All variables have values, and everything holds.
    Values,
    /// No values make everything hold.
    None,
}

const UNKNOWN: u8 = 2;

/// The values there are, and why.
#[derive(Clone, Debug, Default)]
struct Values {
    /// For each literal: 1 when true, 0 when false.
    of: Vec<u8>,
    level: Vec<u32>,
    reason: Vec<Reason>,
    trail: Vec<Lit>,
    /// Where each level begins in the trail.
    levels: Vec<u32>,
}

impl Values {
    fn assign(&mut self, lit: Lit, reason: Reason) {
        self.of[lit.index()] = 1;
        self.of[(!lit).index()] = 0;
        self.level[lit.var() as usize] = self.levels.len() as u32;
        self.reason[lit.var() as usize] = reason;
        self.trail.push(lit);
    }

    /// Makes a literal true because another is.
    #[inline]
    fn follow(&mut self, lit: Lit, from: Lit) -> Option<Conflict> {
        match self.of[lit.index()] {
            UNKNOWN => self.assign(lit, Reason::Lit(from)),
            0 => return Some(Conflict::Pair(from, !lit)),
            _ => {}
        }
        None
    }
}

#[derive(Clone, Debug, Default)]
pub(super) struct Engine {
    problem: Problem,
    clauses: Clauses,
    tallies: Tallies,
    now: Values,
    head: usize,
    trouble: Trouble,
    /// The value each variable had last, or is to be tried first.
    leaning: Vec<bool>,
    best: Best,
    seen: Vec<bool>,
    /// The conflict at which each variable was last passed in vain, and at which each level was last
    /// joined by a clause.
    in_vain: Vec<u64>,
    joined: Vec<u64>,
    /// Room to work in.
    open: Vec<Lit>,
    why: Vec<Lit>,
    pub(super) conflicts: u64,
    pub(super) decisions: u64,
    restart_at: u64,
    restarts: u64,
    most_learned: usize,
    /// Clauses that are being forgotten.
    forgetting: Option<Forgetting>,
    refuted: bool,
    /// Whether it stops before decisions, and whether it has.
    stops: bool,
    stopped: bool,
    /// The trail up to here is as it was when last asked what changed.
    unchanged: usize,
}

/// Literals that are propagated in one step at most.
const AT_ONCE: usize = 256;

impl Engine {
    /// Without any variables; [`grow`](Self::grow) adds them.
    pub(super) fn new() -> Self {
        Self { restart_at: RESTART, most_learned: LEARNED, ..Self::default() }
    }

    /// How many variables there are.
    pub(super) fn vars(&self) -> usize {
        self.seen.len()
    }

    /// Adds variables, up to so many; how many there are then.
    pub(super) fn grow(&mut self, vars: usize) -> usize {
        self.now.of.resize(vars * 2, UNKNOWN);
        self.now.level.resize(vars, 0);
        self.now.reason.resize(vars, Reason::None);
        self.clauses.grow(vars);
        self.trouble.grow(vars);
        self.leaning.resize(vars, false);
        self.best.values.resize(vars, false);
        self.best.is_lost.resize(vars, false);
        self.seen.resize(vars, false);
        self.in_vain.resize(vars, 0);
        vars
    }

    /// Which value a variable is to be tried with first; before the search begins.
    pub(super) fn lean(&mut self, var: u32, value: bool) {
        self.leaning[var as usize] = value;
        self.best.values[var as usize] = value;
    }

    /// What holds besides the clauses; before any is added.
    pub(super) fn pose(&mut self, problem: Problem, tallies: Tallies) {
        (self.problem, self.tallies) = (problem, tallies);
    }

    /// Adds a clause before the search begins. One of two literals is best in [`Problem::follow`].
    pub(super) fn require(&mut self, lits: &[Lit]) {
        match lits {
            [] => self.refuted = true,
            &[lit] => match self.now.of[lit.index()] {
                UNKNOWN => self.now.assign(lit, Reason::None),
                value => self.refuted |= value == 0,
            },
            _ => {
                self.clauses.add(lits, 0);
            }
        }
    }

    /// What tallies say before anything is known: all or none of their variables are true, or there are
    /// too few of them.
    pub(super) fn require_tallies(&mut self) {
        for Tally { vars, least, most } in self.tallies.all().to_vec() {
            self.refuted |= least > most.min(vars.len() as u64);
            if most == 0 || least == vars.len() as u64 {
                for &var in &vars {
                    self.require(&[Lit::of(var, most > 0)]);
                }
            }
        }
    }

    /// How many variables have a value.
    pub(super) fn known(&self) -> usize {
        self.now.trail.len()
    }

    /// Words of clauses and what they are watched by.
    pub(super) fn words(&self) -> usize {
        self.clauses.size() * 2
    }

    /// The value of a variable, when it has one.
    pub(super) fn value(&self, var: u32) -> Option<bool> {
        match self.now.of[Lit::of(var, true).index()] {
            UNKNOWN => None,
            value => Some(value == 1),
        }
    }

    /// Makes one decision, mends one conflict or propagates for a while.
    pub(super) fn step(&mut self) -> Found {
        if self.refuted {
            return Found::None;
        }
        if let Some(forgetting) = &mut self.forgetting {
            if self.clauses.forget(forgetting) {
                self.forgetting = None;
            }
            return Found::Working;
        }
        match self.propagate() {
            Waved::More => return Found::Working,
            Waved::Conflict(conflict) => return self.mend(conflict),
            Waved::Done => {}
        }
        if self.stops && !self.stopped {
            self.stopped = true;
            return Found::Still;
        }
        self.stopped = false;
        if self.conflicts >= self.restart_at {
            self.restarts += 1;
            self.restart_at = self.conflicts + RESTART + RESTART_MORE * self.restarts;
            self.back_to(0);
            self.best.take_up(&mut self.leaning);
            if self.clauses.learned() > self.most_learned {
                self.most_learned += LEARNED_MORE;
                self.forget();
            }
            return Found::Working;
        }
        while let Some(var) = self.trouble.take() {
            if self.value(var).is_none() {
                self.decisions += 1;
                self.now.levels.push(self.now.trail.len() as u32);
                self.now.assign(Lit::of(var, self.leaning[var as usize]), Reason::None);
                return Found::Working;
            }
        }
        Found::Values
    }

    /// From now on it stops before each decision, so that others may see what is known.
    pub(super) const fn stop_before_decisions(&mut self) {
        self.stops = true;
    }

    /// All literals that are true, and how many of the first are as they were when this was asked last.
    pub(super) fn changed(&mut self) -> (&[Lit], usize) {
        let unchanged = std::mem::replace(&mut self.unchanged, self.now.trail.len());
        (&self.now.trail, unchanged)
    }

    /// Adds a clause all of whose literals are false now, and learns from it.
    pub(super) fn refute(&mut self, mut clause: Vec<Lit>) -> Found {
        self.stopped = false;
        let level = |this: &Self, lit: &Lit| this.now.level[lit.var() as usize];
        clause.sort_by_key(|lit| std::cmp::Reverse(level(self, lit)));
        let Some(first) = clause.first() else {
            self.refuted = true;
            return Found::None;
        };
        self.back_to(level(self, first) as usize);
        if let &[lit] = &clause[..] {
            // It is known without any decision, once it is.
            self.refuted |= self.now.levels.is_empty();
            self.back_to(0);
            if !self.refuted {
                self.now.assign(lit, Reason::None);
                return Found::Working;
            }
            return Found::None;
        }
        let joined = clause.iter().map(|lit| level(self, lit)).collect::<BTreeSet<u32>>().len();
        let added = self.clauses.add(&clause, joined as u32);
        self.mend(Conflict::Clause(added))
    }

    fn mend(&mut self, conflict: Conflict) -> Found {
        self.conflicts += 1;
        self.stopped = false;
        if self.now.levels.is_empty() {
            self.refuted = true;
            return Found::None;
        }
        let len = self.now.levels.last().map_or(0, |&start| start as usize);
        self.best.note(len, &self.now.trail, &self.leaning);
        self.learn(conflict);
        Found::Working
    }

    fn propagate(&mut self) -> Waved {
        let last = self.head + AT_ONCE;
        while self.head < self.now.trail.len() {
            if self.head == last {
                return Waved::More;
            }
            let lit = self.now.trail[self.head];
            if let Some(conflict) = self.follow(lit).or_else(|| self.visit(!lit)) {
                return Waved::Conflict(conflict);
            }
            if !self.tallies.is_empty()
                && let Some(conflict) = self.tally(lit)
            {
                return Waved::Conflict(conflict);
            }
            self.head += 1;
        }
        Waved::Done
    }

    /// What follows from one true literal alone.
    fn follow(&mut self, lit: Lit) -> Option<Conflict> {
        let Self { problem, now, .. } = self;
        for &next in problem.follow.of(lit.index()) {
            if let Some(conflict) = now.follow(Lit(next), lit) {
                return Some(conflict);
            }
        }
        if lit.is_positive() {
            for &group in problem.groups_of.of(lit.var() as usize) {
                for &other in problem.groups.of(group as usize) {
                    if other == lit.var() {
                        continue;
                    }
                    if let Some(conflict) = now.follow(Lit::of(other, false), lit) {
                        return Some(conflict);
                    }
                }
            }
        }
        None
    }

    /// What follows from the tallies that a literal is in.
    fn tally(&mut self, lit: Lit) -> Option<Conflict> {
        for number in self.tallies.of(lit.var()).to_vec() {
            match self.tallies.hear(number, lit, self.head as u32) {
                Follows::Nothing => {}
                Follows::Conflict(event) => return Some(Conflict::Tally(event)),
                Follows::Rest(value, event) => {
                    let Self { tallies, now, .. } = self;
                    for &var in &tallies.all()[number as usize].vars {
                        let lit = Lit::of(var, value);
                        if now.of[lit.index()] == UNKNOWN {
                            now.assign(lit, Reason::Tally(event));
                        }
                    }
                }
            }
        }
        None
    }

    /// What follows from clauses that watch a literal which became false.
    fn visit(&mut self, gone: Lit) -> Option<Conflict> {
        let Self { clauses, now, .. } = self;
        let mut watches = std::mem::take(&mut clauses.watches[gone.index()]);
        let (mut from, mut to) = (0, 0);
        let mut conflict = None;
        while from < watches.len() {
            let mut watch = watches[from];
            from += 1;
            if now.of[watch.other.index()] != 1 {
                let lits = clauses.lits_mut(watch.clause);
                if lits[0] == gone.0 {
                    lits.swap(0, 1);
                }
                let first = Lit(lits[0]);
                watch.other = first;
                if now.of[first.index()] != 1 {
                    let live = lits[2..].iter().position(|&lit| now.of[lit as usize] != 0);
                    if let Some(at) = live {
                        lits.swap(1, at + 2);
                        let heard = lits[1] as usize;
                        clauses.watches[heard].push(watch);
                        continue;
                    }
                    if now.of[first.index()] == 0 {
                        watches[to] = watch;
                        to += 1;
                        conflict = Some(Conflict::Clause(watch.clause));
                        break;
                    }
                    now.assign(first, Reason::Clause(watch.clause));
                }
            }
            watches[to] = watch;
            to += 1;
        }
        watches.copy_within(from.., to);
        watches.truncate(to + watches.len() - from);
        clauses.watches[gone.index()] = watches;
        conflict
    }

    /// Learns from a conflict and goes back to where that says something new.
    fn learn(&mut self, conflict: Conflict) {
        let mut clause = vec![Lit(0)];
        let mut open = 0;
        let mut at = self.now.trail.len();
        let mut why: Vec<Lit> = match conflict {
            Conflict::Pair(a, b) => vec![a, b],
            Conflict::Clause(broken) => self.clauses.lits(broken).map(|lit| !lit).collect(),
            Conflict::Tally(event) => self.tallies.reasons(event).to_vec(),
        };
        loop {
            // True literals that together cannot be, or that made one true.
            for &lit in &why {
                let var = lit.var();
                if self.seen[var as usize] || self.now.level[var as usize] == 0 {
                    continue;
                }
                self.seen[var as usize] = true;
                self.trouble.bump(var);
                if self.now.level[var as usize] as usize == self.now.levels.len() {
                    open += 1;
                } else {
                    clause.push(!lit);
                }
            }
            loop {
                at -= 1;
                if self.seen[self.now.trail[at].var() as usize] {
                    break;
                }
            }
            let lit = self.now.trail[at];
            open -= 1;
            if open == 0 {
                clause[0] = !lit;
                break;
            }
            why.clear();
            self.reasons(lit, &mut why);
            self.seen[lit.var() as usize] = false;
        }
        let mut kept = vec![clause[0]];
        self.joined.resize(self.now.levels.len() + 1, 0);
        for lit in &clause {
            self.joined[self.now.level[lit.var() as usize] as usize] = self.conflicts;
        }
        let mut passed: Vec<u32> = clause.iter().map(|lit| lit.var()).collect();
        for &lit in &clause[1..] {
            if !self.is_implied(!lit, &mut passed) {
                kept.push(lit);
            }
        }
        for var in passed {
            self.seen[var as usize] = false;
        }
        self.trouble.fade();
        self.back_jump(kept);
    }

    /// The true literals that made one true.
    fn reasons(&self, lit: Lit, why: &mut Vec<Lit>) {
        match self.now.reason[lit.var() as usize] {
            Reason::None => {}
            Reason::Lit(other) => why.push(other),
            Reason::Clause(clause) => {
                why.extend(self.clauses.lits(clause).filter(|&other| other != lit).map(|l| !l));
            }
            Reason::Tally(event) => why.extend(self.tallies.reasons(event)),
        }
    }

    /// Whether a true literal of the clause under way follows from others of it. What does is marked
    /// as seen and noted in `passed`; what was passed in vain is not tried again for this clause.
    ///
    /// Source: recursive minimisation (Sörensson and Biere 2009).
    fn is_implied(&mut self, lit: Lit, passed: &mut Vec<u32>) -> bool {
        let first = passed.len();
        let (mut open, mut why) = (std::mem::take(&mut self.open), std::mem::take(&mut self.why));
        open.clear();
        open.push(lit);
        let mut fails = false;
        while let (Some(lit), false) = (open.pop(), fails) {
            why.clear();
            self.reasons(lit, &mut why);
            fails = why.is_empty();
            for &other in &why {
                let var = other.var() as usize;
                let level = self.now.level[var];
                if self.seen[var] || level == 0 {
                    continue;
                }
                // Only levels of the clause can lead back to it.
                if self.in_vain[var] == self.conflicts
                    || self.joined[level as usize] != self.conflicts
                {
                    fails = true;
                    break;
                }
                self.seen[var] = true;
                passed.push(other.var());
                open.push(other);
            }
        }
        if fails {
            for var in passed.drain(first..) {
                self.seen[var as usize] = false;
                self.in_vain[var as usize] = self.conflicts;
            }
        }
        (self.open, self.why) = (open, why);
        !fails
    }

    fn back_jump(&mut self, mut clause: Vec<Lit>) {
        let level = |this: &Self, lit: Lit| this.now.level[lit.var() as usize];
        let mut levels: Vec<u32> = clause.iter().map(|&lit| level(self, lit)).collect();
        levels.sort_unstable();
        levels.dedup();
        let joined = levels.len() as u32;
        if clause.len() == 1 {
            self.back_to(0);
            self.now.assign(clause[0], Reason::None);
            return;
        }
        let highest = (1..clause.len()).max_by_key(|&at| level(self, clause[at]));
        clause.swap(1, highest.expect("two literals at least"));
        self.back_to(level(self, clause[1]) as usize);
        let added = self.clauses.add(&clause, joined);
        self.now.assign(clause[0], Reason::Clause(added));
    }

    fn back_to(&mut self, level: usize) {
        if self.now.levels.len() <= level {
            return;
        }
        let start = self.now.levels[level] as usize;
        for lit in self.now.trail.drain(start..) {
            let var = lit.var();
            self.now.of[lit.index()] = UNKNOWN;
            self.now.of[(!lit).index()] = UNKNOWN;
            self.leaning[var as usize] = lit.is_positive();
            self.best.lose(var);
            self.trouble.offer(var);
        }
        self.best.kept = self.best.kept.min(start);
        self.unchanged = self.unchanged.min(start);
        self.now.levels.truncate(level);
        self.tallies.back_to(start as u32);
        self.head = start;
    }

    /// Begins to forget clauses; at level 0 only, where no reason is ever asked for.
    fn forget(&mut self) {
        for lit in &self.now.trail {
            self.now.reason[lit.var() as usize] = Reason::None;
        }
        self.forgetting = Some(self.clauses.worst());
    }
}
