//! How many of some variables may be true: at least so many, at most so many.
//!
//! Of each such *tally* it is kept which of its literals became true and false, in order; what follows is
//! told with the literals that made it so. Source: cardinality constraints in search with learning, with
//! reasons told when they are asked for (Eén and Sörensson 2006).

use super::clauses::Lit;
use super::lists::Lists;

/// At least `least` of some variables are true, and at most `most`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Tally {
    pub(super) vars: Vec<u32>,
    pub(super) least: u64,
    pub(super) most: u64,
}

#[derive(Clone, Debug, Default)]
pub(super) struct Tallies {
    all: Vec<Tally>,
    /// For each variable the tallies it is in.
    of_var: Lists,
    /// For each tally its true literals, and the negations of its false ones, oldest first.
    on: Vec<Vec<Lit>>,
    off: Vec<Vec<Lit>>,
    /// What was heard: where in the trail, and of which tally.
    heard: Vec<(u32, u32, bool)>,
    /// What followed: when, from which tally, from the true or the false ones, and from how many.
    events: Vec<Event>,
}

/// Some literals of a tally from which others follow.
#[derive(Clone, Copy, Debug)]
struct Event {
    at: u32,
    tally: u32,
    is_on: bool,
    count: u32,
}

/// What follows from a literal for one tally.
pub(super) enum Follows {
    Nothing,
    /// All its variables without a value have this one, because of this event.
    Rest(bool, u32),
    /// The literals of this event cannot all be true.
    Conflict(u32),
}

impl Tallies {
    /// `of_var` tells for each variable the tallies it is in.
    pub(super) fn new(all: Vec<Tally>, of_var: Lists) -> Self {
        Self {
            of_var,
            on: vec![Vec::new(); all.len()],
            off: vec![Vec::new(); all.len()],
            all,
            heard: Vec::new(),
            events: Vec::new(),
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    pub(super) fn all(&self) -> &[Tally] {
        &self.all
    }

    /// The tallies that a variable is in.
    pub(super) fn of(&self, var: u32) -> &[u32] {
        self.of_var.of(var as usize)
    }

    /// Hears of a literal that became true, at a place of the trail; says what follows for one tally.
    pub(super) fn hear(&mut self, number: u32, lit: Lit, at: u32) -> Follows {
        let tally = &self.all[number as usize];
        let is_on = lit.is_positive();
        let some = if is_on { &mut self.on } else { &mut self.off };
        let some = &mut some[number as usize];
        some.push(lit);
        self.heard.push((at, number, is_on));
        let count = some.len() as u64;
        let room =
            if is_on { tally.most } else { (tally.vars.len() as u64).saturating_sub(tally.least) };
        if count < room {
            return Follows::Nothing;
        }
        self.events.push(Event { at, tally: number, is_on, count: count as u32 });
        let event = self.events.len() as u32 - 1;
        if count > room { Follows::Conflict(event) } else { Follows::Rest(!is_on, event) }
    }

    /// The literals that led to an event, all true.
    pub(super) fn reasons(&self, event: u32) -> &[Lit] {
        let Event { tally, is_on, count, .. } = self.events[event as usize];
        let some = if is_on { &self.on } else { &self.off };
        &some[tally as usize][..count as usize]
    }

    /// Takes back all that was heard from a place of the trail on.
    pub(super) fn back_to(&mut self, start: u32) {
        while self.heard.last().is_some_and(|&(at, ..)| at >= start) {
            if let Some((_, tally, is_on)) = self.heard.pop() {
                let some = if is_on { &mut self.on } else { &mut self.off };
                some[tally as usize].pop();
            }
        }
        let gone = self.events.iter().rev().take_while(|event| event.at >= start).count();
        self.events.truncate(self.events.len() - gone);
    }
}
