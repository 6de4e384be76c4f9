//! Rows that share no pose, as those of windows: a row is lost when the last pose that has it goes, and takes what it
//! supported with it. Only what changed is looked at.

use super::words::{meets, subtract, unite, wide};
use crate::id::{Id, RowId};
use crate::rules::{PoseSet, Rules};

/// Rows of one side that are pairwise disjoint.
#[derive(Debug)]
pub(super) struct Labels<const W: usize> {
    /// By pose.
    row_of: Vec<u32>,
    rows: Vec<Row<W>>,
}

/// A row of a side.
#[derive(Debug)]
struct Row<const W: usize> {
    /// The first words of the poses that have it, with their places, and whether there are more of them: most rows are
    /// had by few poses.
    own: [(u32, u64); 2],
    is_wide: bool,
    /// All poses that have it.
    all: [u64; W],
    /// What it supports.
    beyond: [u64; W],
    /// Whether that is anything.
    supports: bool,
}

impl<const W: usize> Labels<W> {
    /// The most words of rows that are kept whole: past it they would fill the caches.
    const WIDEST: usize = 32;

    /// The rows of a side; `None` where some of them share poses, or are very wide. O(rows x poses / 64).
    pub(super) fn new(rules: &Rules, side: usize) -> Option<Self> {
        if W > Self::WIDEST || !rules.are_rows_apart(side) {
            return None;
        }
        let row = |row: &PoseSet| Row {
            own: [(0, 0); 2],
            is_wide: false,
            all: [0; W],
            beyond: wide(row.words()),
            supports: !row.is_empty(),
        };
        let mut rows: Vec<Row<W>> = rules.rows(side).iter().map(row).collect();
        let mut row_of = Vec::with_capacity(rules.poses().len());
        for pose in rules.poses().ids() {
            let row: RowId = rules.row_of(side, pose);
            rows[row.index()].all[pose.index() / 64] |= 1 << (pose.index() % 64);
            row_of.push(row.index() as u32);
        }
        for row in &mut rows {
            let mut words = row.all.iter().enumerate().filter(|(_, word)| **word != 0);
            for own in &mut row.own {
                *own = words.next().map_or((0, 0), |(at, &word)| (at as u32, word));
            }
            row.is_wide = words.next().is_some();
        }
        Some(Self { row_of, rows })
    }

    /// The row of a pose, where a domain has none of its poses.
    #[inline]
    fn lost(&self, pose: usize, now: &[u64; W]) -> Option<&Row<W>> {
        let row = &self.rows[self.row_of[pose] as usize];
        let has = |(at, poses): (u32, u64)| now[at as usize] & poses;
        let any = has(row.own[0]) | has(row.own[1]);
        (any == 0 && !(row.is_wide && meets(now, &row.all))).then_some(row)
    }

    /// Whether a domain supports less, `gone` being taken and `now` left.
    #[inline]
    pub(super) fn is_less(&self, gone: &[u64; W], now: &[u64; W]) -> bool {
        for (word, &bits) in gone.iter().enumerate() {
            let mut rest = bits;
            while rest != 0 {
                let lost = self.lost(word * 64 + rest.trailing_zeros() as usize, now);
                rest &= rest - 1;
                if lost.is_some_and(|row| row.supports) {
                    return true;
                }
            }
        }
        false
    }

    /// Takes from a neighbour what is no longer supported, `gone` being taken and `now` left.
    #[inline]
    pub(super) fn take(&self, gone: &[u64; W], now: &[u64; W], dom: &mut [u64; W]) {
        for (word, &bits) in gone.iter().enumerate() {
            let mut rest = bits;
            while rest != 0 {
                let lost = self.lost(word * 64 + rest.trailing_zeros() as usize, now);
                rest &= rest - 1;
                if let Some(row) = lost {
                    subtract(dom, &row.beyond);
                }
            }
        }
    }

    /// What a domain supports: for one of few poses.
    #[inline]
    pub(super) fn union(&self, now: &[u64; W]) -> [u64; W] {
        let mut union = [0; W];
        for (word, &bits) in now.iter().enumerate() {
            let mut rest = bits;
            while rest != 0 {
                let pose = word * 64 + rest.trailing_zeros() as usize;
                rest &= rest - 1;
                unite(&mut union, &self.rows[self.row_of[pose] as usize].beyond);
            }
        }
        union
    }

    /// Bytes of the rows of a side.
    pub(super) fn bytes(rules: &Rules, side: usize) -> u64 {
        if W > Self::WIDEST {
            return 0;
        }
        (rules.rows(side).len() * size_of::<Row<W>>() + rules.poses().len() * 4) as u64
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::id::PoseId;
    use crate::lattice::Lattice;
    use crate::rules::bits;
    use proptest::prelude::*;

    const POSES: usize = 150;

    /// Two poses touch where the label of one on a side is that of the other on the opposite one.
    fn rules(labels: &[[u8; 4]]) -> Rules {
        let label =
            |side: usize, pose: usize| labels[pose % labels.len()][side] as usize + pose / 64;
        let back = [2, 3, 0, 1];
        Rules::from_pairs(Lattice::Square, &[1; POSES], |side, a, b| {
            label(side, a) == label(back[side], b)
        })
        .unwrap()
    }

    proptest! {
        /// By what changed or by what is supported before and after: the result is the same.
        #[test]
        fn changes_agree_with_unions(
            labels in prop::collection::vec(prop::array::uniform4(0u8..9), 90..150),
            before: [u64; 3],
            kept: [u64; 3],
            few: bool,
        ) {
            let rules = rules(&labels);
            let wide = |words: [u64; 3]| [words[0], words[1], words[2] & ((1 << 22) - 1), 0];
            let before = wide(before);
            let mut now = before;
            for (word, mask) in now.iter_mut().zip(wide(kept)) {
                *word &= if few { mask & mask.rotate_left(7) & mask.rotate_left(19) } else { mask | mask.rotate_left(9) };
            }
            let gone: [u64; 4] = std::array::from_fn(|word| before[word] & !now[word]);
            for side in 0..4 {
                let labels = Labels::<4>::new(&rules, side).expect("rows of labels are apart");
                let union = |dom: &[u64; 4]| {
                    let mut union = PoseSet::empty(POSES);
                    bits(dom).for_each(|pose| union.unite(rules.support(side, PoseId::from_index(pose))));
                    let mut words = union.words().to_vec();
                    words.resize(4, 0);
                    words
                };
                let (then, left) = (union(&before), union(&now));
                prop_assert_eq!(labels.is_less(&gone, &now), then != left);
                prop_assert_eq!(&labels.union(&now)[..], &left[..]);
                let mut dom: [u64; 4] = then.try_into().expect("four words");
                labels.take(&gone, &now, &mut dom);
                prop_assert_eq!(&dom[..], &left[..]);
            }
        }
    }

    #[test]
    fn rows_that_share_poses_have_no_labels() {
        let rules = Rules::from_pairs(Lattice::Square, &[1; 3], |_, a, b| a != b).unwrap();
        assert!(Labels::<1>::new(&rules, 0).is_none());
    }
}
