//! Classes: what domains support beyond a side, as small numbers.
//!
//! A class is a pose set and shared by all sides, since only the set matters to who receives it.
//! Many poses share one row of the rules, so which rows a domain has says what it supports; sets of
//! rows met before are known by one word.

use super::steps::SIDES;
use crate::id::{Id, PoseId};
use crate::rules::{PoseSet, Rules, bits};
use crate::solve::propagate::TablesFull;
use hashbrown::HashTable;

/// Most rows of a side whose sets are known by one word.
const MOST_ROWS: usize = 64;
/// Most classes.
const MOST: usize = u16::MAX as usize;

/// A hash of words. Sets that differ in high bits alone must fall apart, too: words are turned before they are mixed.
pub(super) fn hash(words: &[u64]) -> u64 {
    let mixed = words.iter().fold(0u64, |mixed, &word| {
        (mixed.rotate_left(26) ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15)
    });
    mixed ^ mixed >> 32
}

#[derive(Debug)]
pub(super) struct Classes {
    rules: Rules,
    /// Words of a pose set.
    width: usize,
    /// Bits of each class, `width` words each; class 0 is everything.
    words: Vec<u64>,
    known: HashTable<u16>,
    sides: Vec<SideRows>,
    /// For each pose one bit a side: that of its row, and none where there are too many.
    rows: Vec<[u64; SIDES]>,
    union: Vec<u64>,
}

/// What is known of the rows beyond one side.
#[derive(Debug)]
struct SideRows {
    /// Whether there are so few that a set of them is one word.
    few: bool,
    /// Sets of rows met, one bit a row, and their class.
    known: HashTable<(u64, u16)>,
}

impl Classes {
    pub(super) fn new(rules: &Rules) -> Self {
        let (sides, poses) = (rules.lattice().sides().len(), rules.poses().len());
        let width = poses.div_ceil(64);
        let everything = PoseSet::full(poses).words().to_vec();
        let mut known = HashTable::new();
        known.insert_unique(hash(&everything), 0, |_| 0);
        let few: Vec<bool> = (0..sides).map(|side| rules.rows(side).len() <= MOST_ROWS).collect();
        let bit = |side: usize, pose: PoseId| match few.get(side) {
            Some(true) => 1 << rules.row_of(side, pose).index(),
            _ => 0,
        };
        Self {
            rules: rules.clone(),
            width,
            words: everything,
            known,
            rows: rules.poses().ids().map(|pose| std::array::from_fn(|s| bit(s, pose))).collect(),
            sides: few.into_iter().map(|few| SideRows { few, known: HashTable::new() }).collect(),
            union: vec![0; width],
        }
    }

    /// Bytes for each domain at most: a class, of which there are no more than domains, and a set of
    /// rows on each side.
    pub(super) const fn bytes(width: usize) -> u64 {
        let rows = SIDES as u64 * size_of::<(u64, u16)>() as u64;
        // A list that grows has room for twice as many.
        2 * (width as u64 * 8 + 2 + rows)
    }

    /// Bits of the poses that a class allows.
    pub(super) fn words(&self, class: u16) -> &[u64] {
        &self.words[usize::from(class) * self.width..][..self.width]
    }

    /// The classes of what a set supports beyond each side; 0 where the lattice has no such side.
    pub(super) fn of(&mut self, set: &[u64]) -> Result<[u16; SIDES], TablesFull> {
        let mut rows = [0; SIDES];
        bits(set).for_each(|pose| {
            rows.iter_mut().zip(&self.rows[pose]).for_each(|(rows, row)| *rows |= row);
        });
        let mut classes = [0; SIDES];
        for side in 0..self.sides.len() {
            let known = &self.sides[side];
            classes[side] =
                if known.few { self.of_rows(rows[side], side)? } else { self.of_many(set, side)? };
        }
        Ok(classes)
    }

    /// The class of what a set of few rows supports.
    fn of_rows(&mut self, rows: u64, side: usize) -> Result<u16, TablesFull> {
        let key = hash(&[rows]);
        let known = self.sides[side].known.find(key, |&(other, _)| other == rows);
        if let Some(&(_, class)) = known {
            return Ok(class);
        }
        self.union.fill(0);
        let Self { union, rules, .. } = self;
        bits(&[rows]).for_each(|row| unite(union, rules.rows(side)[Id::from_index(row)].words()));
        let class = self.intern()?;
        self.sides[side].known.insert_unique(key, (rows, class), |&(rows, _)| hash(&[rows]));
        Ok(class)
    }

    /// The class of what a set supports where there are many rows.
    fn of_many(&mut self, set: &[u64], side: usize) -> Result<u16, TablesFull> {
        self.union.fill(0);
        // Neighbouring numbers are mostly turns of one tile, so a row comes several times.
        let mut last = None;
        for pose in bits(set) {
            let row = self.rules.row_of(side, PoseId::from_index(pose));
            if last.replace(row) != Some(row) {
                unite(&mut self.union, self.rules.rows(side)[row].words());
            }
        }
        self.intern()
    }

    /// The number of the set in `union`.
    fn intern(&mut self) -> Result<u16, TablesFull> {
        let Self { width, words, known, union, .. } = self;
        let place = |class: u16| usize::from(class) * *width..(usize::from(class) + 1) * *width;
        let key = hash(union);
        if let Some(&class) = known.find(key, |&class| words[place(class)] == union[..]) {
            return Ok(class);
        }
        let class = words.len() / *width;
        if class >= MOST {
            return Err(TablesFull);
        }
        words.extend_from_slice(union);
        known.insert_unique(key, class as u16, |&class| hash(&words[place(class)]));
        Ok(class as u16)
    }
}

fn unite(union: &mut [u64], more: &[u64]) {
    union.iter_mut().zip(more).for_each(|(word, &more)| *word |= more);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::Lattice;
    use proptest::prelude::*;

    const POSES: usize = 130;

    proptest! {
        /// Against unions written out; with few rows, which have names for their sets, and with one a
        /// pose. Two sets share a class just when they support the same, beyond whichever side.
        #[test]
        fn classes_are_what_sets_support(
            rows in prop_oneof![Just(3usize), Just(64), Just(POSES)],
            sets in prop::collection::vec(prop::collection::vec(0..POSES, 1..9), 1..12),
        ) {
            let rules = Rules::from_pairs(Lattice::Square, &[1; POSES], |side, a, b| {
                side % 2 == 0 || (a % rows * 7 + b) % rows < rows.div_ceil(3)
            })
            .unwrap();
            let mut classes = Classes::new(&rules);
            let mut known: Vec<(Vec<u64>, u16)> = vec![(PoseSet::full(POSES).words().to_vec(), 0)];
            for (number, poses) in sets.iter().enumerate() {
                let side = number % 4;
                let (mut set, mut union) = (PoseSet::empty(POSES), PoseSet::empty(POSES));
                for &pose in poses {
                    set.insert(PoseId::from_index(pose));
                    union.unite(rules.support(side, PoseId::from_index(pose)));
                }
                let all = classes.of(set.words()).unwrap();
                let class = all[side];
                prop_assert_eq!(classes.words(class), union.words());
                prop_assert_eq!(classes.of(set.words()).unwrap(), all);
                prop_assert_eq!(&all[4..], [0, 0]);
                for (words, other) in &known {
                    prop_assert_eq!(words == union.words(), *other == class);
                }
                known.push((union.words().to_vec(), class));
            }
        }
    }
}
