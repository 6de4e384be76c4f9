//! The rules of a space during a search.

use super::ground::Ground;
use super::seen::{Seen, Standing};
use super::stands::{self, Packed, Stands};
use super::{Broken, Constraint, Follower, Following, Kept, News, Verdict, View};
use crate::id::{ConstraintId, Id, IdVec};
use crate::rules::PoseSet;
use crate::seed::Stream;
use crate::solve::propagate::Domains;
use std::ops::Range;
use std::sync::Arc;

/// What is to be done at a fixed point.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::solve) enum Heed {
    /// Nothing.
    Done,
    /// This rule is broken; near this cell, where that is known.
    Broken(Broken, Option<u32>),
    /// This cell may hold poses of this set alone, or all but those; and none of what is [taken besides](Watching::besides),
    /// where anything is left then.
    Take { at: u32, set: usize, keep: bool },
}

/// A rule that hears of single changes.
#[derive(Debug)]
struct Follows {
    /// Which of the rules.
    rule: usize,
    by: Box<dyn Follower>,
    /// How many of the news it has heard.
    heard: usize,
}

impl Clone for Follows {
    fn clone(&self) -> Self {
        Self { rule: self.rule, by: self.by.copied(), heard: self.heard }
    }
}

/// The rules of a space, and what they see.
#[derive(Clone, Debug)]
pub(in crate::solve) struct Watching {
    ground: Arc<dyn Ground>,
    following: Vec<Follows>,
    /// Cells that stand otherwise than before, until all that follow have heard of them.
    news: Vec<News>,
    rules: Vec<(ConstraintId, Arc<dyn Constraint>, Range<usize>)>,
    sets: Vec<PoseSet>,
    seen: Vec<Seen>,
    /// Sets of which `seen` follows each change, by words of the lower bit of each: those that are counted.
    counted: Vec<Packed>,
    stands: Stands,
    /// Changes before this are known.
    heard: usize,
    /// How each domain of an engine stands to all sets; 0 where it is not known.
    known: Vec<Packed>,
    /// How one cell stands to all sets.
    packed: Vec<Packed>,
    /// What cells must do of which not all have heard, and from where on they have not.
    order: Option<Order>,
    /// Whether something was taken back since: then what is full is taken at once, so that it is known where what is
    /// still wanted can stand.
    eager: bool,
}

/// What cells that can and need not hold one of a set must do.
#[derive(Clone, Debug)]
struct Order {
    set: usize,
    keep: bool,
    from: u32,
    /// All that may not be held any more, where that is more than one set.
    besides: Option<PoseSet>,
}

impl Watching {
    /// `None` when there is no rule.
    pub(in crate::solve) fn new(
        kept: &IdVec<ConstraintId, Kept>,
        ground: Arc<dyn Ground>,
    ) -> Option<Self> {
        let len = ground.len();
        let mut all = Self {
            following: Vec::new(),
            news: Vec::new(),
            ground,
            rules: Vec::new(),
            sets: Vec::new(),
            seen: Vec::new(),
            counted: Vec::new(),
            stands: Stands::new(0, 0),
            heard: 0,
            known: Vec::new(),
            packed: Vec::new(),
            order: None,
            eager: false,
        };
        for (id, Kept { rule, .. }) in kept.pairs() {
            let first = all.sets.len();
            all.sets.extend(rule.watched().iter().cloned());
            let mut counted = first..all.sets.len();
            if let Some(by) = rule.follower(&all.ground) {
                counted.end = first + by.counts();
                all.following.push(Follows { rule: all.rules.len(), by, heard: 0 });
            }
            counted.for_each(|set| stands::mark(&mut all.counted, set));
            all.rules.push((id, rule.clone(), first..all.sets.len()));
        }
        all.seen = all.sets.iter().map(|_| Seen::new(len)).collect();
        all.stands = Stands::new(len, all.sets.len());
        all.counted.resize(all.stands.each(), 0);
        (!all.rules.is_empty()).then_some(all)
    }

    /// The domains of another engine have other numbers.
    pub(in crate::solve) fn forget_domains(&mut self) {
        self.known.clear();
    }

    /// Changes up to here are known, or have never been.
    pub(in crate::solve) const fn heard_up_to(&mut self, end: usize) {
        self.heard = end;
    }

    /// Whether nothing that can happen to cells concerns any rule: each cell either must or cannot hold one of what is
    /// watched. Only taking back and opening again change that, and those are heard of.
    pub(in crate::solve) fn is_settled(&self) -> bool {
        self.following.is_empty() && self.seen.iter().all(|seen| seen.opens() == 0)
    }

    /// Where changes begin that are not known yet.
    pub(in crate::solve) const fn heard(&self) -> usize {
        self.heard
    }

    /// Updates a row of cells that all hold the same domain. One word is written for each cell; counts are updated 64
    /// cells at a time if all had the same standing before and no rule follows single changes.
    pub(in crate::solve) fn tell_row<D: Domains>(
        &mut self,
        domains: &D,
        row: Range<u32>,
        dom: D::Dom,
    ) {
        let before = if row.is_empty() { return } else { self.stands.word(row.start, 0) };
        let alike = self.following.is_empty()
            && self.stands.each() == 1
            && row.clone().all(|at| self.stands.word(at, 0) == before);
        self.tell(domains, row.start, dom);
        let rest = row.start + 1..row.end;
        if !alike {
            rest.for_each(|at| self.tell(domains, at, dom));
            return;
        }
        let now = self.stands.word(row.start, 0);
        self.stands.put_row(rest.clone(), now);
        for set in sets_of(stands::differing(before, now) & self.counted[0]) {
            let [was, now] = [before, now].map(|word| stands::unpacked(word, set));
            self.seen[set].put_row(rest.clone(), was, now);
        }
    }

    /// What a cell holds now.
    pub(in crate::solve) fn tell<D: Domains>(&mut self, domains: &D, at: u32, dom: D::Dom) {
        let each = self.stands.each();
        let index = domains.index(dom).filter(|_| D::is_real(dom));
        let known = index.and_then(|index| self.known.get(index * each..(index + 1) * each));
        if let Some(known) = known.filter(|known| known[0] != 0) {
            if let &[now] = known {
                // One word is the rule.
                let before = self.stands.put(at, 0, now);
                if before != now {
                    self.note(at, 0, before, now);
                }
                return;
            }
            self.packed.clear();
            self.packed.extend_from_slice(known);
        } else if D::is_real(dom) {
            let words = domains.words(&dom);
            let standings = self.sets.iter().map(|set| Standing::of(words, set));
            stands::pack(standings, &mut self.packed, each);
            if let Some(index) = index {
                if (index + 1) * each > self.known.len() {
                    self.known.resize((index + 1) * each, 0);
                }
                self.known[index * each..(index + 1) * each].copy_from_slice(&self.packed);
            }
        } else {
            stands::pack(std::iter::empty(), &mut self.packed, each);
        }
        for word in 0..each {
            let now = self.packed[word];
            let before = self.stands.put(at, word, now);
            if before != now {
                self.note(at, word, before, now);
            }
        }
    }

    /// A cell stands otherwise than before to sets of one word.
    fn note(&mut self, at: u32, word: usize, before: Packed, now: Packed) {
        for set in sets_of(stands::differing(before, now) & self.counted[word]) {
            self.seen[word * 32 + set].put(at, stands::unpacked(now, set));
        }
        if !self.following.is_empty() {
            let lost = stands::lost(before, now);
            // Sets of other words than the first have no bits.
            let gained = stands::lost(now, before) != 0 || word > 0;
            self.news.push(News { at, lost, gained });
            for one in &mut self.following {
                let sets = self.rules[one.rule].2.clone();
                let first = sets.start;
                let view = View { seen: &self.seen[sets], stands: &self.stands, first };
                one.by.see(at, &view);
            }
        }
    }

    /// Something was taken back, or cells were opened again: what cells must do is asked again.
    pub(in crate::solve) fn taken_back(&mut self, mark: usize, reopened: bool) {
        self.heard = self.heard.min(mark);
        (self.order, self.eager) = (None, true);
        if !reopened {
            // What was taken back brings nothing new: all followed from what is left before it was changed.
            self.news.clear();
        }
        for one in &mut self.following {
            one.heard = one.heard.min(self.news.len());
            let sets = self.rules[one.rule].2.clone();
            let first = sets.start;
            let view = View { seen: &self.seen[sets], stands: &self.stands, first };
            one.by.taken_back(&view, reopened);
        }
    }

    /// What is to be done, when all changes are known. A cell that is told to do something is told again
    /// until its change is known.
    pub(in crate::solve) fn heed(&mut self) -> Heed {
        loop {
            if let Some(order) = &mut self.order {
                if let Some(at) = self.seen[order.set].next_open(order.from) {
                    order.from = at;
                    return Heed::Take { at, set: order.set, keep: order.keep };
                }
                self.eager &= order.keep;
                self.order = None;
            }
            let mut wants = None;
            let mut taken: Vec<usize> = Vec::new();
            let mut must = None;
            for (id, rule, sets) in &self.rules {
                let seen = &self.seen[sets.clone()];
                match rule.judge(seen) {
                    Verdict::Holds => {}
                    Verdict::Broken => {
                        return Heed::Broken(self.broken_by(*id, sets.clone()), None);
                    }
                    Verdict::Must(set) => must = must.or(Some(sets.start + set)),
                    Verdict::MustNot(set) => taken.push(sets.start + set),
                }
                wants = wants.or_else(|| rule.wants(seen));
            }
            // What is not to stand anywhere else is taken from all cells at once, when all that is wanted stands; sooner
            // where that ran into something.
            let (set, keep) = match (must, &taken[..]) {
                (Some(set), _) => (set, true),
                (None, &[set, ..]) if wants.is_none() || self.eager => (set, false),
                _ => return self.follow(),
            };
            let besides = (!keep && taken.len() > 1).then(|| {
                let mut all = self.sets[set].clone();
                for &set in &taken {
                    all.unite(&self.sets[set]);
                }
                all
            });
            self.order = Some(Order { set, keep, from: 0, besides });
        }
    }

    /// Whether what is to be done now is to be done to all cells that can and need not hold one of the set.
    pub(in crate::solve) const fn is_of_all(&self) -> bool {
        self.order.is_some()
    }

    /// Poses to take together with the current order, where the cell keeps at least one pose.
    pub(in crate::solve) fn besides(&self) -> Option<&PoseSet> {
        self.order.as_ref()?.besides.as_ref()
    }

    /// What is to be done by rules that hear of single changes.
    fn follow(&mut self) -> Heed {
        for number in 0..self.following.len() {
            let one = &mut self.following[number];
            let (rule, _, sets) = &self.rules[one.rule];
            let view =
                View { seen: &self.seen[sets.clone()], stands: &self.stands, first: sets.start };
            let (next, heard) = one.by.follow(&view, &self.news[one.heard..]);
            one.heard += heard;
            match next {
                Following::Nothing => {}
                Following::Broken(at) => {
                    return Heed::Broken(self.broken_by(*rule, sets.clone()), Some(at));
                }
                Following::Take { at, set, keep } => {
                    return Heed::Take { at, set: sets.start + set, keep };
                }
            }
        }
        self.news.clear();
        self.following.iter_mut().for_each(|one| one.heard = 0);
        Heed::Done
    }

    /// How many cells can and need not hold one of a set that is counted.
    pub(in crate::solve) fn opens(&self, set: usize) -> u64 {
        self.seen[set].opens()
    }

    /// The poses that a rule watches.
    pub(in crate::solve) fn set(&self, number: usize) -> &PoseSet {
        &self.sets[number]
    }

    /// A cell in which a rule wants one of a set, drawn among all that can; the set's number with it.
    pub(in crate::solve) fn wants(&self, stream: &mut Stream) -> Option<(u32, usize)> {
        self.rules.iter().find_map(|(_, rule, sets)| {
            let set = sets.start + rule.wants(&self.seen[sets.clone()])?;
            let seen = &self.seen[set];
            let at = seen.nth_open(stream.below(seen.opens().max(1)))?;
            Some((at, set))
        })
    }

    /// The first rule that a finished fill breaks.
    pub(in crate::solve) fn broken(&self) -> Option<Broken> {
        let mut rules = self.rules.iter().enumerate();
        let broken = rules.find(|(number, (_, rule, sets))| {
            if let Some(one) = self.following.iter().find(|one| one.rule == *number) {
                let seen = &self.seen[sets.clone()];
                let view = View { seen, stands: &self.stands, first: sets.start };
                if let Some(holds) = one.by.holds(&view) {
                    return !holds;
                }
                let all = sets.clone().map(|set| self.stands.seen(set));
                return !rule.holds(&all.collect::<Vec<_>>(), &*self.ground);
            }
            !rule.holds(&self.seen[sets.clone()], &*self.ground)
        });
        broken.map(|(_, (rule, _, sets))| self.broken_by(*rule, sets.clone()))
    }

    fn broken_by(&self, rule: ConstraintId, sets: Range<usize>) -> Broken {
        let (_, of, _) = &self.rules[rule.index()];
        let [must, can] = of.found(&self.seen[sets]);
        Broken { rule, must, can }
    }
}

/// The sets of a word whose lower bits are set.
fn sets_of(mut lower: u64) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let set = lower.trailing_zeros() as usize / 2;
        let any = lower != 0;
        lower &= lower.wrapping_sub(1);
        any.then_some(set)
    })
}
