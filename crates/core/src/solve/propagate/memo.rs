//! The engine that remembers: domains as small numbers, transitions as a table.
//!
//! Every distinct domain met is interned to a `u16`. Its row of the table holds, for each side, the
//! *class* of what it supports there (0 when that is everything), and then, for each class, which
//! domain it becomes under that restriction, filled in when first asked. Real maps meet few
//! domains, so the hot rows stay in the nearest cache and a restriction is one load.
//!
//! Tables grow up to a fixed size; past it the engine says so and another one goes on.

use super::{Domains, Restricted, TablesFull};
use crate::id::{Id, PoseId};
use crate::rules::{PoseSet, Rules};
use crate::solve::measure::{PickTable, Weights};
use hashbrown::HashTable;
use std::hash::Hasher as _;

const EMPTY: u16 = 0;
const OUTSIDE: u16 = 1;
const GHOST: u16 = 2;
/// The first number of a real domain.
const REAL: u16 = 3;
/// Marks a transition not yet known; also one past the largest domain number.
const UNKNOWN: u16 = u16::MAX;
/// Most entries of the transition table.
const MOST_ENTRIES: usize = 1 << 23;

#[derive(Debug)]
pub(crate) struct Memo {
    rules: Rules,
    weights: Weights,
    sides: usize,
    /// Words of a pose set.
    width: usize,
    /// Entries of one row; a row is the classes a side, then the transitions by class.
    stride: usize,
    table: Vec<u16>,
    /// Bits of each domain, `width` words each; those before `REAL` are blank.
    sets: Vec<u64>,
    levels: Vec<u8>,
    picks: Vec<Option<Box<PickTable>>>,
    known: HashTable<u16>,
    /// The domain of each single pose, or `EMPTY` when not yet made.
    singles: Vec<u16>,
    /// Bits of each class, `width` words each; classes count from `sides` so that they are columns.
    classes: Vec<u64>,
    known_classes: HashTable<u16>,
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
        self.levels.len()
    }

    /// The number of these bits, interned.
    fn intern(&mut self, set: &[u64]) -> Result<u16, TablesFull> {
        let key = hash(set);
        let found = self.known.find(key, |&dom| self.set(dom) == set).copied();
        if let Some(dom) = found {
            return Ok(dom);
        }
        let dom = self.domains();
        if dom >= usize::from(UNKNOWN) || (dom + 1) * self.stride > MOST_ENTRIES {
            return Err(TablesFull);
        }
        // Classes first: they may widen the table, and a domain must never be half known.
        let mut row = [0; 6];
        for (side, slot) in row.iter_mut().enumerate().take(self.sides) {
            *slot = self.class_of(set, side)?;
        }
        self.table.resize((dom + 1) * self.stride, UNKNOWN);
        self.table[dom * self.stride..][..self.sides].copy_from_slice(&row[..self.sides]);
        self.sets.extend_from_slice(set);
        self.levels.push(self.weights.level(set));
        self.picks.push(None);
        let Self { known, sets, width, .. } = self;
        known.insert_unique(key, dom as u16, |&d| hash(&sets[usize::from(d) * *width..][..*width]));
        Ok(dom as u16)
    }

    /// The class (a column of the table) of what a set supports beyond a side; 0 for everything.
    ///
    /// Classes are pose sets and shared by all sides, since only the set matters to who receives it.
    fn class_of(&mut self, set: &[u64], side: usize) -> Result<u16, TablesFull> {
        let poses = self.rules.poses().len();
        let mut union = PoseSet::empty(poses);
        for pose in crate::rules::bits(set) {
            union.unite(self.rules.support(side, PoseId::from_index(pose)));
        }
        if union.len() == poses {
            return Ok(0);
        }
        let width = self.width;
        let first = self.sides;
        let key = hash(union.words());
        let slice = |classes: &[u64], class: u16| -> u64 {
            hash(&classes[(usize::from(class) - first) * width..][..width])
        };
        let found = self.known_classes.find(key, |&class| {
            &self.classes[(usize::from(class) - first) * width..][..width] == union.words()
        });
        if let Some(&class) = found {
            return Ok(class);
        }
        let class = first + self.classes.len() / width;
        if class >= usize::from(UNKNOWN) {
            return Err(TablesFull);
        }
        if class >= self.stride {
            self.widen()?;
        }
        self.classes.extend_from_slice(union.words());
        let classes = &self.classes;
        self.known_classes.insert_unique(key, class as u16, |&c| slice(classes, c));
        Ok(class as u16)
    }

    /// Doubles the columns of the table.
    fn widen(&mut self) -> Result<(), TablesFull> {
        let (old, new) = (self.stride, self.stride * 2);
        let rows = self.domains();
        if (rows + 1) * new > MOST_ENTRIES {
            return Err(TablesFull);
        }
        let mut table = vec![UNKNOWN; rows * new];
        for row in 0..rows {
            table[row * new..][..old].copy_from_slice(&self.table[row * old..][..old]);
        }
        for special in 0..usize::from(REAL) {
            table[special * new + self.sides..][..new - self.sides].fill(special as u16);
        }
        (self.table, self.stride) = (table, new);
        Ok(())
    }

    /// Works out a transition met for the first time.
    #[cold]
    #[inline(never)]
    fn learn(&mut self, dom: u16, class: u16) -> Result<u16, TablesFull> {
        let mut left = self.set(dom).to_vec();
        let mask = &self.classes[(usize::from(class) - self.sides) * self.width..][..self.width];
        for (word, &mask) in left.iter_mut().zip(mask) {
            *word &= mask;
        }
        let next = if left.iter().all(|&word| word == 0) { EMPTY } else { self.intern(&left)? };
        self.table[usize::from(dom) * self.stride + usize::from(class)] = next;
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
        let stride = 16;
        let mut table = vec![0; usize::from(REAL) * stride];
        for special in 0..REAL {
            table[usize::from(special) * stride + sides..][..stride - sides].fill(special);
        }
        Self {
            rules: rules.clone(),
            weights,
            sides,
            width,
            stride,
            table,
            sets: vec![0; usize::from(REAL) * width],
            levels: vec![0; usize::from(REAL)],
            picks: (0..REAL).map(|_| None).collect(),
            known: HashTable::new(),
            singles: vec![EMPTY; rules.poses().len()],
            classes: Vec::new(),
            known_classes: HashTable::new(),
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
    fn level(&self, dom: u16) -> u8 {
        self.levels[usize::from(dom)]
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
        let known = self.singles[pose];
        if known != EMPTY {
            return Ok(known);
        }
        let mut one = vec![0; self.width];
        one[pose / 64] = 1 << (pose % 64);
        let dom = self.intern(&one)?;
        self.singles[pose] = dom;
        Ok(dom)
    }

    #[inline]
    fn support(&mut self, before: u16, now: u16, side: usize) -> Result<Option<u16>, TablesFull> {
        let class = self.table[usize::from(now) * self.stride + side];
        let old = self.table[usize::from(before) * self.stride + side];
        Ok((class != 0 && class != old).then_some(class))
    }

    #[inline]
    fn restrict(&mut self, dom: u16, class: u16) -> Restricted<u16> {
        let mut next = self.table[usize::from(dom) * self.stride + usize::from(class)];
        if next == dom {
            return Restricted::Same;
        }
        if next == UNKNOWN {
            match self.learn(dom, class) {
                Ok(known) => next = known,
                Err(TablesFull) => return Restricted::Full,
            }
            if next == dom {
                return Restricted::Same;
            }
        }
        if next == EMPTY { Restricted::Empty } else { Restricted::Left(next) }
    }

    fn most_bytes(rules: &Rules) -> u64 {
        let domain = 2 + 1 + 8 + 2 + rules.poses().len().div_ceil(64) as u64 * 8;
        let rows = (MOST_ENTRIES as u64 / 16).min(u64::from(UNKNOWN));
        MOST_ENTRIES as u64 * 2 + rows * domain
    }
}
