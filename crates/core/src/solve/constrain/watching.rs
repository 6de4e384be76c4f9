//! The rules of a space during a search.

use super::ground::Ground;
use super::seen::{Seen, Standing};
use super::{Broken, Constraint, Follower, Following, Kept, News, Verdict};
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
    /// This cell may hold poses of this set alone, or all but those.
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
    /// Changes before this are known.
    heard: usize,
    /// How each domain of an engine stands to all sets, two bits a set; 0 where it is not known.
    known: Vec<u64>,
    /// What cells must do of which not all have heard, and from where on they have not.
    order: Option<(Verdict, Range<usize>, u32)>,
}

/// Sets whose standings fit a word beside the bit that says that they are known.
const CACHED: usize = 31;

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
            heard: 0,
            known: Vec::new(),
            order: None,
        };
        for (id, Kept { rule, .. }) in kept.pairs() {
            let first = all.sets.len();
            all.sets.extend(rule.watched().iter().cloned());
            if let Some(by) = rule.follower(&all.ground) {
                all.following.push(Follows { rule: all.rules.len(), by, heard: 0 });
            }
            all.rules.push((id, rule.clone(), first..all.sets.len()));
        }
        all.seen = all.sets.iter().map(|_| Seen::new(len)).collect();
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

    /// What a cell holds now.
    pub(in crate::solve) fn tell<D: Domains>(&mut self, domains: &D, at: u32, dom: D::Dom) {
        let mut news = News { at, lost: 0, gained: false, must: false };
        if !D::is_real(dom) {
            for (number, seen) in self.seen.iter_mut().enumerate() {
                news.add(number, seen.put(at, Standing::Cannot));
            }
            return self.note(news);
        }
        let index = domains.index(dom).filter(|_| self.sets.len() <= CACHED);
        let known = index.and_then(|index| self.known.get(index).copied()).unwrap_or(0);
        if known != 0 {
            for (number, seen) in self.seen.iter_mut().enumerate() {
                news.add(number, seen.put(at, unpacked(known >> (number * 2 + 1))));
            }
            return self.note(news);
        }
        let words = domains.words(&dom);
        let mut packed = 1;
        for (number, (seen, set)) in self.seen.iter_mut().zip(&self.sets).enumerate() {
            let now = Standing::of(words, set);
            news.add(number, seen.put(at, now));
            if number < CACHED {
                packed |= (now as u64) << (number * 2 + 1);
            }
        }
        if let Some(index) = index {
            if index >= self.known.len() {
                self.known.resize(index + 1, 0);
            }
            self.known[index] = packed;
        }
        self.note(news);
    }

    /// A cell stands otherwise, perhaps.
    fn note(&mut self, news: News) {
        if !self.following.is_empty() && (news.lost != 0 || news.gained || news.must) {
            self.news.push(news);
        }
    }

    /// Something was taken back, or cells were opened again: what cells must do is asked again.
    pub(in crate::solve) fn taken_back(&mut self, mark: usize, reopened: bool) {
        self.heard = self.heard.min(mark);
        self.order = None;
        if !reopened {
            // What was taken back brings nothing new: all followed from what is left before it was changed.
            self.news.clear();
        }
        for one in &mut self.following {
            one.heard = one.heard.min(self.news.len());
            let sets = self.rules[one.rule].2.clone();
            one.by.taken_back(&self.seen[sets], reopened);
        }
    }

    /// What is to be done, when all changes are known. A cell that is told to do something is told again
    /// until its change is known.
    pub(in crate::solve) fn heed(&mut self) -> Heed {
        loop {
            if let Some((verdict, sets, from)) = &mut self.order {
                let (Verdict::Must(set) | Verdict::MustNot(set)) = *verdict else {
                    return Heed::Done;
                };
                let number = sets.start + set;
                if let Some(at) = self.seen[number].next_open(*from) {
                    *from = at;
                    let keep = matches!(verdict, Verdict::Must(_));
                    return Heed::Take { at, set: number, keep };
                }
                self.order = None;
            }
            let mut rules = self.rules.iter();
            let found = rules.find_map(|(id, rule, sets)| {
                let seen = &self.seen[sets.clone()];
                match rule.judge(seen) {
                    Verdict::Holds => None,
                    verdict => Some((*id, verdict, sets.clone())),
                }
            });
            match found {
                None => return self.follow(),
                Some((rule, Verdict::Broken, sets)) => {
                    return Heed::Broken(self.broken_by(rule, sets), None);
                }
                Some((_, verdict, sets)) => self.order = Some((verdict, sets, 0)),
            }
        }
    }

    /// What is to be done by rules that hear of single changes.
    fn follow(&mut self) -> Heed {
        for number in 0..self.following.len() {
            let one = &mut self.following[number];
            let (rule, _, sets) = &self.rules[one.rule];
            let seen = &self.seen[sets.clone()];
            let (next, heard) = one.by.follow(seen, &self.news[one.heard..], sets.start);
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
        let holds = |rule: &dyn Constraint, sets: &Range<usize>| {
            rule.holds(&self.seen[sets.clone()], &*self.ground)
        };
        let broken = self.rules.iter().find(|(_, rule, sets)| !holds(&**rule, sets));
        broken.map(|(rule, _, sets)| self.broken_by(*rule, sets.clone()))
    }

    fn broken_by(&self, rule: ConstraintId, sets: Range<usize>) -> Broken {
        let (_, of, _) = &self.rules[rule.index()];
        let [must, can] = of.found(&self.seen[sets]);
        Broken { rule, must, can }
    }
}

fn unpacked(bits: u64) -> Standing {
    match bits & 3 {
        0 => Standing::Cannot,
        1 => Standing::Open,
        _ => Standing::Must,
    }
}
