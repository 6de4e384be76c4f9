//! The engine that remembers: domains as small numbers, transitions as a table.
//!
//! Every distinct domain met is interned to a `u16`; single poses come first, so that decided
//! domains are known by their number. For each side a domain has the *class* of what it supports
//! there, and its row of the table says, for each class, which domain it becomes under that
//! restriction, filled in when first asked. Class 0 restricts nothing. Real maps meet few domains,
//! so the hot rows stay in the nearest cache and a restriction is one load.
//!
//! Tables grow up to a fixed size; past it the engine says so and another one goes on.

use super::{Course, Domains, Restricted, Sprint, TablesFull};
use crate::id::{Id, PoseId};
use crate::rules::{PoseSet, Rules};
use crate::seed::Stream;
use crate::solve::measure::{PickTable, Weights};
use crate::solve::state::State;
use hashbrown::HashTable;
use std::hash::Hasher as _;

const EMPTY: u16 = 0;
const OUTSIDE: u16 = 1;
const GHOST: u16 = 2;
/// The first number of a real domain.
pub(super) const REAL: u16 = 3;
/// Marks a transition not yet known; also one past the largest domain number.
pub(super) const UNKNOWN: u16 = u16::MAX;
/// The most sides of any lattice; a power of two, so that a row is read at once.
const MOST_SIDES: usize = 8;
/// Most entries of the transition table.
const MOST_ENTRIES: usize = 1 << 23;

/// The class of what a domain supports, one a side, and in the last lane its level: all that the
/// hot loop asks of a domain, four lanes to a word.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Supports([u64; 2]);

const LANE_BITS: usize = 16;
const LANES: usize = 4;
/// The lane of the level; no lattice has so many sides.
const LEVEL: usize = 7;

impl Supports {
    fn new(classes: [u16; MOST_SIDES], level: u8) -> Self {
        let mut words = [0; 2];
        for (side, &class) in classes.iter().enumerate() {
            words[side / LANES] |= u64::from(class) << (side % LANES * LANE_BITS);
        }
        words[LEVEL / LANES] |= u64::from(level) << (LEVEL % LANES * LANE_BITS);
        Self(words)
    }

    #[inline]
    pub(super) fn class(self, side: usize) -> u16 {
        (self.0[side / LANES % 2] >> (side % LANES * LANE_BITS)) as u16
    }

    #[inline]
    pub(super) fn level(self) -> u8 {
        (self.0[LEVEL / LANES] >> (LEVEL % LANES * LANE_BITS)) as u8
    }

    /// The sides whose classes differ.
    #[inline]
    pub(super) fn differs(self, other: Self) -> Lanes {
        let [low, high] = [self.0[0] ^ other.0[0], self.0[1] ^ other.0[1]];
        Lanes([low, high & !(LANE << (LEVEL % LANES * LANE_BITS))])
    }
}

/// A set of sides: those whose lane is not zero.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Lanes([u64; 2]);

const LANE: u64 = 0xffff;

impl Lanes {
    /// Whether any of the first `S` sides is in it.
    #[inline]
    pub(super) fn any<const S: usize>(self) -> bool {
        if S <= LANES { self.0[0] != 0 } else { self.0[0] | self.0[1] != 0 }
    }

    #[inline]
    pub(super) fn without(self, side: u8) -> Self {
        let kept = WITHOUT[usize::from(side) % MOST_SIDES];
        Self([self.0[0] & kept[0], self.0[1] & kept[1]])
    }

    /// The sides in rising order, all below `S`.
    #[inline]
    pub(super) fn sides<const S: usize>(self) -> Sides<S> {
        Sides { left: self.0[0], rest: self.0[1], first: 0 }
    }

    /// One bit a side.
    pub(super) fn marks(self) -> u8 {
        self.sides::<MOST_SIDES>().map(|side| 1 << side).sum()
    }
}

/// The sides in [`Lanes`].
pub(super) struct Sides<const S: usize> {
    left: u64,
    rest: u64,
    first: usize,
}

impl<const S: usize> Iterator for Sides<S> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        if self.left == 0 {
            if S <= LANES || self.rest == 0 {
                return None;
            }
            (self.left, self.rest, self.first) = (self.rest, 0, LANES);
        }
        let lane = self.left.trailing_zeros() as usize / LANE_BITS;
        self.left &= !(LANE << (lane * LANE_BITS));
        Some((self.first + lane) % S)
    }
}

/// All lanes but that of one side.
const WITHOUT: [[u64; 2]; MOST_SIDES] = {
    let mut without = [[u64::MAX; 2]; MOST_SIDES];
    let mut side = 0;
    while side < MOST_SIDES {
        without[side][side / LANES] = !(LANE << (side % LANES * LANE_BITS));
        side += 1;
    }
    without
};

#[derive(Debug)]
pub(crate) struct Memo {
    rules: Rules,
    weights: Weights,
    sides: usize,
    /// Words of a pose set.
    width: usize,
    /// A row of the table has `1 << shift` entries, one a class.
    pub(super) shift: u32,
    pub(super) table: Vec<u16>,
    /// The class of what each domain supports, side by side.
    pub(super) supports: Vec<Supports>,
    /// Bits of each domain, `width` words each; those before `REAL` are blank.
    sets: Vec<u64>,
    pub(super) picks: Vec<Option<Box<PickTable>>>,
    known: HashTable<u16>,
    /// One past the last domain of a single pose; all poses are there, in order, from `REAL`.
    decided: u16,
    /// Bits of each class, `width` words each; class 0 is everything.
    classes: Vec<u64>,
    known_classes: HashTable<u16>,
    /// Room to work in, so that nothing is allocated for each transition.
    left: Vec<u64>,
    union: Vec<u64>,
}

fn hash(words: &[u64]) -> u64 {
    let mut hasher = rustc_hash::FxHasher::default();
    for &word in words {
        hasher.write_u64(word);
    }
    hasher.finish()
}

impl Memo {
    fn set(&self, dom: u16) -> &[u64] {
        &self.sets[usize::from(dom) * self.width..][..self.width]
    }

    fn domains(&self) -> usize {
        self.supports.len()
    }

    /// The number of these bits, interned.
    fn intern(&mut self, set: &[u64]) -> Result<u16, TablesFull> {
        let key = hash(set);
        let found = self.known.find(key, |&dom| self.set(dom) == set).copied();
        if let Some(dom) = found {
            return Ok(dom);
        }
        let dom = self.domains();
        if dom >= usize::from(UNKNOWN) || (dom + 1) << self.shift > MOST_ENTRIES {
            return Err(TablesFull);
        }
        // Classes first: they may widen the table, and a domain must never be half known.
        let mut row = [0; MOST_SIDES];
        let level = self.weights.level(set);
        for (side, slot) in row.iter_mut().enumerate().take(self.sides) {
            *slot = self.class_of(set, side)?;
        }
        self.supports.push(Supports::new(row, level));
        self.table.resize((dom + 1) << self.shift, UNKNOWN);
        self.table[dom << self.shift] = dom as u16;
        self.sets.extend_from_slice(set);
        self.picks.push(None);
        let Self { known, sets, width, .. } = self;
        known.insert_unique(key, dom as u16, |&d| hash(&sets[usize::from(d) * *width..][..*width]));
        Ok(dom as u16)
    }

    /// The class of what a set supports beyond a side.
    ///
    /// Classes are pose sets and shared by all sides, since only the set matters to who receives it.
    fn class_of(&mut self, set: &[u64], side: usize) -> Result<u16, TablesFull> {
        let width = self.width;
        self.union.fill(0);
        // Neighbouring numbers are mostly turns of one tile, so the same row comes several times.
        let mut last = None;
        for pose in crate::rules::bits(set) {
            let row = self.rules.row_of(side, PoseId::from_index(pose));
            if last.replace(row) != Some(row) {
                let words = self.rules.rows(side)[row].words();
                self.union.iter_mut().zip(words).for_each(|(word, &more)| *word |= more);
            }
        }
        let key = hash(&self.union);
        let found = self.known_classes.find(key, |&class| {
            self.classes[usize::from(class) * width..][..width] == self.union[..]
        });
        if let Some(&class) = found {
            return Ok(class);
        }
        let class = self.classes.len() / width;
        if class >= usize::from(UNKNOWN) {
            return Err(TablesFull);
        }
        if class >> self.shift > 0 {
            self.widen()?;
        }
        self.classes.extend_from_slice(&self.union);
        let Self { known_classes, classes, .. } = self;
        known_classes.insert_unique(key, class as u16, |&c| {
            hash(&classes[usize::from(c) * width..][..width])
        });
        Ok(class as u16)
    }

    /// Doubles the columns of the table.
    fn widen(&mut self) -> Result<(), TablesFull> {
        let (old, new) = (1 << self.shift, 2 << self.shift);
        let rows = self.domains();
        if (rows + 1) * new > MOST_ENTRIES {
            return Err(TablesFull);
        }
        let mut table = vec![UNKNOWN; rows * new];
        for row in 0..rows {
            table[row * new..][..old].copy_from_slice(&self.table[row * old..][..old]);
        }
        self.table = table;
        self.shift += 1;
        self.mark_special();
        Ok(())
    }

    /// Cells outside stay outside whatever they are told; a ghost that is told something needs
    /// care, so its transitions are left unknown.
    fn mark_special(&mut self) {
        self.table[usize::from(OUTSIDE) << self.shift..][..1 << self.shift].fill(OUTSIDE);
        self.table[usize::from(GHOST) << self.shift] = GHOST;
    }

    /// Works out a transition met for the first time.
    #[cold]
    #[inline(never)]
    fn learn(&mut self, dom: u16, class: u16) -> Result<u16, TablesFull> {
        let mut left = std::mem::take(&mut self.left);
        left.clear();
        let mask = &self.classes[usize::from(class) * self.width..][..self.width];
        left.extend(self.set(dom).iter().zip(mask).map(|(word, mask)| word & mask));
        let interned = if left.iter().all(|&w| w == 0) { Ok(EMPTY) } else { self.intern(&left) };
        self.left = left;
        let next = interned?;
        self.table[(usize::from(dom) << self.shift) + usize::from(class)] = next;
        Ok(next)
    }
}

impl Domains for Memo {
    type Dom = u16;
    type Support = u16;

    const OUTSIDE: u16 = OUTSIDE;
    const GHOST: u16 = GHOST;

    fn new(rules: &Rules, weights: Weights) -> Self {
        let sides = rules.lattice().sides().len();
        let width = rules.poses().len().div_ceil(64);
        let shift = 4;
        let mut memo = Self {
            rules: rules.clone(),
            weights,
            sides,
            width,
            shift,
            table: vec![UNKNOWN; usize::from(REAL) << shift],
            supports: vec![Supports::default(); usize::from(REAL)],
            sets: vec![0; usize::from(REAL) * width],
            picks: (0..REAL).map(|_| None).collect(),
            known: HashTable::new(),
            decided: REAL,
            classes: Vec::new(),
            known_classes: HashTable::new(),
            left: Vec::new(),
            union: vec![0; width],
        };
        memo.mark_special();
        let everything = PoseSet::full(rules.poses().len());
        memo.classes.extend_from_slice(everything.words());
        memo.known_classes.insert_unique(hash(everything.words()), 0, |_| 0);
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
    fn level(&self, dom: u16) -> u8 {
        self.supports[usize::from(dom)].level()
    }

    #[inline]
    fn pick(&mut self, dom: u16, random: u64) -> usize {
        let index = usize::from(dom);
        if let Some(table) = &self.picks[index] {
            return table.pick(random);
        }
        let table = Box::new(self.weights.table(&self.sets[index * self.width..][..self.width]));
        let pose = table.pick(random);
        self.picks[index] = Some(table);
        pose
    }

    #[inline]
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
        self.supports[usize::from(before)].differs(self.supports[usize::from(now)]).marks()
    }

    #[inline]
    fn support(&mut self, now: u16, side: usize) -> u16 {
        self.supports[usize::from(now)].class(side)
    }

    #[inline]
    fn restrict(&mut self, dom: u16, class: u16) -> Restricted<u16> {
        let mut next = self.table[(usize::from(dom) << self.shift) + usize::from(class)];
        if next == UNKNOWN {
            match self.learn(dom, class) {
                Ok(known) => next = known,
                Err(TablesFull) => return Restricted::Full,
            }
        }
        if next == dom {
            Restricted::Same
        } else if next == EMPTY {
            Restricted::Empty
        } else {
            Restricted::Left(next)
        }
    }

    fn sprint<const S: usize>(
        &self,
        state: &mut State<u16, S>,
        stream: &mut Stream,
        course: Course,
    ) -> Sprint {
        self.sprint(state, stream, course)
    }

    fn most_bytes(rules: &Rules) -> u64 {
        let domain = 2 + 8 + 2 * MOST_SIDES as u64 + rules.poses().len().div_ceil(64) as u64 * 8;
        let rows = (MOST_ENTRIES as u64 / 16).min(u64::from(UNKNOWN));
        MOST_ENTRIES as u64 * 2 + rows * domain
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Classes of six sides, often alike.
    fn classes() -> impl Strategy<Value = [u16; MOST_SIDES]> {
        let class = prop_oneof![Just(0u16), Just(1), Just(0x8000), Just(u16::MAX), any::<u16>()];
        prop::collection::vec(class, 6).prop_map(|six| {
            let mut all = [0; MOST_SIDES];
            all[..6].copy_from_slice(&six);
            all
        })
    }

    proptest! {
        /// Lanes packed into words, against the plain arrays.
        #[test]
        fn lanes_are_arrays(a in classes(), b in classes(), levels: [u8; 2], left_out in 0u8..6) {
            let (x, y) = (Supports::new(a, levels[0]), Supports::new(b, levels[1]));
            prop_assert_eq!((x.level(), y.level()), (levels[0], levels[1]));
            prop_assert!((0..6).all(|side| x.class(side) == a[side] && y.class(side) == b[side]));
            let lanes = x.differs(y);
            let differ: Vec<usize> = (0..6).filter(|&side| a[side] != b[side]).collect();
            prop_assert_eq!(lanes.sides::<6>().collect::<Vec<_>>(), differ.clone());
            prop_assert_eq!(lanes.any::<6>(), !differ.is_empty());
            let marks: u8 = differ.iter().map(|side| 1 << side).sum();
            prop_assert_eq!(lanes.marks(), marks);
            let without = lanes.without(left_out);
            prop_assert_eq!(without.marks(), marks & !(1 << left_out));
            // On four sides the others are not looked at.
            let four: Vec<usize> = differ.iter().copied().filter(|&side| side < 4).collect();
            prop_assert_eq!(lanes.any::<4>(), !four.is_empty());
            prop_assert_eq!(lanes.sides::<4>().collect::<Vec<_>>(), four);
        }
    }

    /// A table that grows keeps what it has learned.
    #[test]
    fn widening_keeps_transitions() {
        // Each pose has a support of its own, so there are more classes than columns at first.
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
            let only = memo.only(pose).unwrap();
            let class = memo.support(only, 0);
            let Restricted::Left(left) = memo.restrict(full, class) else { panic!("pose {pose}") };
            seen.push((class, left, memo.words(&left).to_vec()));
        }
        assert!(memo.shift > 4, "the table has grown");
        for (class, left, words) in seen {
            let Restricted::Left(again) = memo.restrict(full, class) else { panic!("forgotten") };
            assert_eq!((again, memo.words(&again)), (left, &words[..]));
        }
        assert!(matches!(memo.restrict(OUTSIDE, 1), Restricted::Same));
    }
}
