//! The engine that holds bits: no memory of what it met, everything worked out each time.

use super::{Domains, Restricted, TablesFull};
use crate::id::{Id, PoseId};
use crate::rules::{Rules, bits};
use crate::solve::measure::Weights;

/// Domains as `W` words; one bit at least is spare, and marks a ghost.
#[derive(Debug)]
pub(crate) struct Plain<const W: usize> {
    weights: Weights,
    /// Bits of all poses.
    full: [u64; W],
    sides: Vec<SideRows<W>>,
}

#[derive(Debug)]
struct SideRows<const W: usize> {
    rows: Vec<[u64; W]>,
    row_of: Vec<u32>,
}

fn wide<const W: usize>(words: &[u64]) -> [u64; W] {
    let mut all = [0; W];
    all[..words.len()].copy_from_slice(words);
    all
}

impl<const W: usize> Plain<W> {
    /// What a domain supports beyond a side.
    fn union(&self, dom: [u64; W], side: usize) -> [u64; W] {
        let SideRows { rows, row_of } = &self.sides[side];
        let mut union = [0; W];
        // Neighbouring numbers are mostly turns of one tile, so the same row comes several times.
        let mut last = u32::MAX;
        for pose in bits(&dom) {
            let row = std::mem::replace(&mut last, row_of[pose]);
            if row != last {
                for (word, &more) in union.iter_mut().zip(&rows[last as usize]) {
                    *word |= more;
                }
            }
        }
        union
    }
}

impl<const W: usize> Domains for Plain<W> {
    type Dom = [u64; W];
    type Support = [u64; W];

    const OUTSIDE: Self::Dom = [0; W];
    const GHOST: Self::Dom = {
        let mut ghost = [0; W];
        ghost[W - 1] = 1 << 63;
        ghost
    };

    fn new(rules: &Rules, weights: Weights) -> Self {
        let sides = (0..rules.lattice().sides().len())
            .map(|side| SideRows {
                rows: rules.rows(side).iter().map(|row| wide(row.words())).collect(),
                row_of: (0..rules.poses().len())
                    .map(|pose| rules.row_of(side, PoseId::from_index(pose)).index() as u32)
                    .collect(),
            })
            .collect();
        let full = wide(crate::rules::PoseSet::full(rules.poses().len()).words());
        Self { weights, full, sides }
    }

    fn is_real(dom: Self::Dom) -> bool {
        dom != Self::OUTSIDE && dom != Self::GHOST
    }

    fn of(&mut self, set: &[u64]) -> Result<Self::Dom, TablesFull> {
        Ok(wide(set))
    }

    fn words<'a>(&'a self, dom: &'a Self::Dom) -> &'a [u64] {
        dom
    }

    fn level(&self, dom: Self::Dom) -> u8 {
        self.weights.level(&dom)
    }

    fn pick(&mut self, dom: Self::Dom, random: u64) -> usize {
        self.weights.pick(&dom, random)
    }

    fn only(&mut self, pose: usize) -> Result<Self::Dom, TablesFull> {
        let mut one = [0; W];
        one[pose / 64] = 1 << (pose % 64);
        Ok(one)
    }

    fn news(&mut self, before: Self::Dom, now: Self::Dom) -> u8 {
        let side_news = |side: usize| {
            let then = if before == Self::OUTSIDE { self.full } else { self.union(before, side) };
            u8::from(then != self.union(now, side)) << side
        };
        (0..self.sides.len()).map(side_news).sum()
    }

    fn support(&mut self, now: Self::Dom, side: usize) -> Self::Support {
        self.union(now, side)
    }

    fn restrict(&mut self, dom: Self::Dom, support: Self::Support) -> Restricted<Self::Dom> {
        let mut left = dom;
        for (word, mask) in left.iter_mut().zip(support) {
            *word &= mask;
        }
        if left == dom {
            Restricted::Same
        } else if left == Self::OUTSIDE {
            Restricted::Empty
        } else {
            Restricted::Left(left)
        }
    }

    fn most_bytes(rules: &Rules) -> u64 {
        let rows: usize =
            (0..rules.lattice().sides().len()).map(|side| rules.rows(side).len()).sum();
        (rows * W * 8 + rules.poses().len() * 40) as u64
    }
}
