//! The engine that remembers: domains as small numbers, transitions as a table.
//!
//! Every distinct domain met is interned to a `u16`; single poses come first, so that decided
//! domains are known by their number. For each side a domain has the *class* of what it supports
//! there, and a [`Step`] says what another domain becomes under that class, worked out when first
//! asked. Class 0 restricts nothing. Real maps meet few domains, and each of them few classes, so
//! what is in use stays in the nearest cache and a restriction is one load.
//!
//! Tables grow up to a fixed size; past it the engine says so and another one continues.

mod classes;
mod fast;
mod steps;

use self::classes::{Classes, hash};
use self::steps::{Domain, NoPlace, Step, Steps};
use super::{Course, Domains, Restricted, Sprint, TablesFull};
use crate::rules::Rules;
use crate::seed::Stream;
use crate::solve::measure::{PickTable, Weights};
use crate::solve::state::State;
use hashbrown::HashTable;
use std::sync::atomic::AtomicBool;

const OUTSIDE: u16 = 1;
const GHOST: u16 = 2;
/// The first number of a real domain.
const REAL: u16 = 3;
/// Domains that a small map meets; so many find room at once.
const FEW: usize = 1024;
/// Most domains.
const MOST: usize = u16::MAX as usize;

/// How to pick from one domain.
#[derive(Debug)]
struct Picks {
    /// For the highest bits of a random number what [`Memo::told`] says of the pose they pick; 0
    /// where it takes more bits, and everywhere while weights lean.
    pub(super) guide: [u32; PickTable::PARTS],
    pub(super) table: PickTable,
    /// What [`Memo::told`] returns for each pose of the table.
    pub(super) told: Box<[u32]>,
}

impl Picks {
    const SIDES: u32 = 16;
}

/// Which weights picks go by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Leaning {
    /// Those of the rules.
    Even,
    /// Those of the steering, which change all the time.
    Leaned,
}

#[derive(Debug)]
pub(crate) struct Memo {
    weights: Weights,
    /// Words of a pose set.
    width: usize,
    /// By number; none is ever dropped, so what a cell or a step holds is one of them. The unchecked loop
    /// relies on it, and on `picks` and `picked` being as long.
    domains: Vec<Domain>,
    steps: Steps,
    /// The domain of pooled cells.
    common: u16,
    /// Bits of each domain, `width` words each; those before `REAL` are blank.
    sets: Vec<u64>,
    picks: Vec<Option<Box<Picks>>>,
    /// Whether there are any, made for weights that lean or for those of the rules.
    has_picks: Option<Leaning>,
    /// Whether a domain was picked from: ways to pick are made only where it happens again.
    picked: Vec<AtomicBool>,
    known: HashTable<u16>,
    /// One past the last domain of a single pose; all poses are there, in order, from `REAL`.
    decided: u16,
    classes: Classes,
    /// Room to work in, so that nothing is allocated for each transition.
    left: Vec<u64>,
    /// Transitions worked out.
    learned: u64,
}

impl Memo {
    /// How to pick from a domain.
    fn picks_of(&self, dom: usize, leaning: Leaning) -> Picks {
        let table = self.weights.table(&self.sets[dom * self.width..][..self.width]);
        // Parts side by side mostly pick the same pose.
        let mut last = (usize::MAX, 0);
        let guide = std::array::from_fn(|part| match table.sure(part) {
            _ if leaning == Leaning::Leaned => 0,
            None => 0,
            Some(pose) => {
                if pose != last.0 {
                    last = (pose, self.told(dom, pose));
                }
                last.1
            }
        });
        let told = table.poses().map(|pose| self.told(dom, pose)).collect();
        Picks { guide, table, told }
    }

    /// Makes ready to pick from a domain.
    #[cold]
    #[inline(never)]
    fn prepare(&mut self, dom: usize, leaning: Leaning) {
        self.picks[dom] = Some(Box::new(self.picks_of(dom, leaning)));
        self.has_picks = Some(leaning);
    }

    /// Works out a step of a real domain that was not known; `false` when none is remembered.
    #[cold]
    #[inline(never)]
    fn learns(&mut self, dom: u16, class: u16) -> bool {
        debug_assert!(self.steps.get(&self.domains[usize::from(dom)], class).is_none());
        Self::is_real(dom)
            && self.learn(dom, class).is_ok_and(|step| step.is_some_and(|s| self.keeps(dom, s)))
    }

    /// Whether a step of a domain is remembered.
    fn keeps(&self, dom: u16, step: Step) -> bool {
        step.next() != self.common || dom == self.common
    }

    /// The domain of one pose of a domain, and which sides that concerns (from bit
    /// [`Picks::SIDES`] on).
    fn told(&self, dom: usize, pose: usize) -> u32 {
        let only = usize::from(REAL) + pose;
        let sides = self.domains[dom].differs(&self.domains[only]);
        u32::from(sides) << Picks::SIDES | only as u32
    }

    fn set(&self, dom: u16) -> &[u64] {
        &self.sets[usize::from(dom) * self.width..][..self.width]
    }

    /// The number of these bits, interned.
    fn intern(&mut self, set: &[u64]) -> Result<u16, TablesFull> {
        let key = hash(set);
        // Sets are a few words, fewer than a call to compare them is worth.
        let found = self.known.find(key, |&dom| self.set(dom).iter().eq(set)).copied();
        if let Some(dom) = found {
            return Ok(dom);
        }
        let dom = self.domains.len();
        if dom >= MOST {
            return Err(TablesFull);
        }
        let classes = self.classes.of(set)?;
        self.domains.push(Domain::new(classes, self.weights.level(set)));
        self.sets.extend_from_slice(set);
        self.picks.push(None);
        self.picked.push(AtomicBool::new(false));
        debug_assert!(
            self.picks.len() == self.domains.len() && self.picked.len() == self.picks.len()
        );
        let Self { known, sets, width, .. } = self;
        known.insert_unique(key, dom as u16, |&d| hash(&sets[usize::from(d) * *width..][..*width]));
        Ok(dom as u16)
    }

    /// Works out a transition met for the first time, or one that leaves nothing or the domain of
    /// pooled cells: those are rare and not remembered, so that the hot loop need not tell them apart.
    #[cold]
    #[inline(never)]
    fn learn(&mut self, dom: u16, class: u16) -> Result<Option<Step>, TablesFull> {
        self.learned += 1;
        let mut left = std::mem::take(&mut self.left);
        left.clear();
        let mask = self.classes.words(class);
        left.extend(self.set(dom).iter().zip(mask).map(|(word, mask)| word & mask));
        let next = if left.iter().all(|&w| w == 0) { None } else { Some(self.intern(&left)) };
        self.left = left;
        let domains = &self.domains;
        let step = match next.transpose()? {
            None => return Ok(None),
            Some(next) if next == dom => Step::same(class, dom),
            Some(next) => {
                let (old, new) = (&domains[usize::from(dom)], &domains[usize::from(next)]);
                Step::to(class, next, [old, new], dom == self.common)
            }
        };
        if !self.keeps(dom, step) {
            return Ok(Some(step));
        }
        match self.steps.insert(&mut self.domains[usize::from(dom)], step) {
            Ok(()) => Ok(Some(step)),
            Err(NoPlace) => Err(TablesFull),
        }
    }
}

impl Domains for Memo {
    type Dom = u16;
    type Support = u16;

    const OUTSIDE: u16 = OUTSIDE;
    const GHOST: u16 = GHOST;

    fn new(rules: &Rules, weights: Weights) -> Self {
        let width = rules.poses().len().div_ceil(64);
        let mut memo = Self {
            weights,
            width,
            domains: vec![Domain::default(); usize::from(REAL)],
            steps: Steps::new(),
            common: OUTSIDE,
            sets: vec![0; usize::from(REAL) * width],
            picks: (0..REAL).map(|_| None).collect(),
            has_picks: None,
            picked: (0..REAL).map(|_| AtomicBool::new(false)).collect(),
            known: HashTable::with_capacity(FEW),
            decided: REAL,
            classes: Classes::new(rules),
            left: Vec::new(),
            learned: 0,
        };
        for pose in 0..rules.poses().len() {
            let mut one = vec![0; width];
            one[pose / 64] = 1 << (pose % 64);
            // A set so large that its single poses fill the tables has no room for others either:
            // the run goes over to another engine at its first step.
            if memo.intern(&one).is_ok() {
                memo.decided += 1;
            }
        }
        memo
    }

    fn learned(&self) -> u64 {
        self.learned
    }

    fn pool(&mut self, common: u16) {
        let before = std::mem::replace(&mut self.common, common);
        if before == common {
            return;
        }
        if Self::is_real(common) {
            self.steps.forget_to(&self.domains, common);
        }
        for dom in [before, common] {
            let old = self.domains[usize::from(dom)];
            for step in self.steps.of(&old).filter(|step| step.next() != dom) {
                let new = &self.domains[usize::from(step.next())];
                *step = Step::to(step.class(), step.next(), [&old, new], dom == common);
            }
        }
    }

    #[inline]
    fn is_real(dom: u16) -> bool {
        dom >= REAL
    }

    fn of(&mut self, set: &[u64]) -> Result<u16, TablesFull> {
        self.intern(set)
    }

    fn words<'a>(&'a self, dom: &'a u16) -> &'a [u64] {
        self.set(*dom)
    }

    #[inline]
    fn index(&self, dom: u16) -> Option<usize> {
        Some(usize::from(dom))
    }

    fn level(&self, dom: u16) -> u8 {
        self.domains[usize::from(dom)].level
    }

    #[inline]
    fn pick(&mut self, dom: u16, random: u64) -> usize {
        let index = usize::from(dom);
        if self.picks[index].is_none() {
            self.prepare(index, Leaning::Even);
        }
        self.picks[index].as_ref().expect("made ready").table.pick(random)
    }

    #[inline]
    fn pick_of(&self, set: &[u64], random: u64) -> usize {
        self.weights.pick(set, random)
    }

    fn only(&mut self, pose: usize) -> Result<u16, TablesFull> {
        let dom = usize::from(REAL) + pose;
        if dom < usize::from(self.decided) { Ok(dom as u16) } else { Err(TablesFull) }
    }

    #[inline]
    fn is_decided(&self, dom: u16) -> bool {
        dom < self.decided
    }

    #[inline]
    fn news(&mut self, before: u16, now: u16) -> u8 {
        self.domains[usize::from(before)].differs(&self.domains[usize::from(now)])
    }

    #[inline]
    fn support(&mut self, now: u16, side: usize) -> u16 {
        self.domains[usize::from(now)].class(side)
    }

    #[inline]
    fn restrict(&mut self, dom: u16, class: u16) -> Restricted<u16> {
        let known = self.steps.get(&self.domains[usize::from(dom)], class);
        match known.map_or_else(|| self.learn(dom, class), |step| Ok(Some(step))) {
            Ok(Some(step)) if step.next() == dom => Restricted::Same,
            Ok(Some(step)) => Restricted::Left(step.next()),
            Ok(None) => Restricted::Empty,
            Err(TablesFull) => Restricted::Full,
        }
    }

    #[inline]
    fn single(&self, dom: u16) -> Option<usize> {
        (REAL..self.decided).contains(&dom).then(|| usize::from(dom - REAL))
    }

    fn sprint<const S: usize>(
        &mut self,
        state: &mut State<u16, S>,
        stream: &mut Stream,
        course: Course<'_>,
    ) -> Sprint {
        self.sprint(state, stream, course)
    }

    fn most_bytes(rules: &Rules) -> u64 {
        let width = rules.poses().len().div_ceil(64);
        let domain = size_of::<Domain>() as u64 + 8 + 2 + 1 + width as u64 * 8;
        Steps::MOST_BYTES + MOST as u64 * (domain + Classes::bytes(width))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rules::PoseSet;

    /// Rows that grow keep what was learned, whichever cells are pooled.
    #[test]
    fn growing_keeps_steps() {
        // Each pose has a support of its own, so there are many classes.
        let rules = Rules::from_pairs(crate::lattice::Lattice::Square, &[1; 60], |_, a, b| {
            a.abs_diff(b) <= 2
        })
        .unwrap();
        let weights =
            Weights::new(crate::solve::measure::Ranking::Entropy, rules.weights().iter().copied());
        let mut memo = Memo::new(&rules, weights);
        let full = memo.of(PoseSet::full(60).words()).unwrap();
        let mut seen = Vec::new();
        for pose in 0..60 {
            if pose == 20 {
                memo.pool(full);
            }
            let only = memo.only(pose).unwrap();
            let class = memo.support(only, 0);
            let Restricted::Left(left) = memo.restrict(full, class) else { panic!("pose {pose}") };
            seen.push((class, left, memo.words(&left).to_vec()));
        }
        for common in [full, OUTSIDE] {
            memo.pool(common);
            for (class, left, words) in &seen {
                let before = memo.domains[usize::from(full)];
                let step = memo.steps.get(&before, *class).expect("known");
                assert_eq!((step.next(), memo.words(&step.next())), (*left, &words[..]));
                let after = &memo.domains[usize::from(*left)];
                assert_eq!(step, Step::to(*class, *left, [&before, after], common == full));
            }
        }
        // A step to what pooled cells hold is worked out each time, and remembered again later.
        let (class, left, _) = seen[7];
        for (common, remembered) in [(left, false), (OUTSIDE, true)] {
            memo.pool(common);
            if !remembered {
                assert!(!memo.learns(full, class));
            }
            assert!(matches!(memo.restrict(full, class), Restricted::Left(dom) if dom == left));
            let dom = &memo.domains[usize::from(full)];
            assert_eq!(memo.steps.get(dom, class).is_some(), remembered);
        }
    }
}
