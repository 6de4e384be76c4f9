//! Domains of cells and how neighbours restrict them: one interface, several engines.
//!
//! [`Memo`] interns domains and remembers transitions between them: the engine for the common case.
//! [`Plain`] holds the bits themselves and works everything out each time: the engine for sets with
//! very many distinct domains, and the slow twin of the other. Both answer alike, so which one runs
//! never shows in a map.
//!
//! To add an engine, implement [`Domains`] and give it a row in the case table of
//! `tests/engines.rs`.

mod labels;
mod memo;
mod plain;
mod sprint;
mod widths;
mod words;

pub(super) use memo::Memo;
pub(super) use plain::Plain;
pub(super) use sprint::{Course, Halt, Sprint};
pub(super) use widths::{OverBits, over_bits};

use super::measure::Weights;
use super::state::{State, Wave};
use super::undo::Change;
use crate::rules::{Rules, bits};
use crate::seed::Stream;
use std::fmt::Debug;

/// What restricting a domain gave.
pub(super) enum Restricted<D> {
    /// Nothing was taken.
    Same,
    /// This is left.
    Left(D),
    /// Nothing is left.
    Empty,
    /// The engine's tables are full; nothing happened.
    Full,
}

/// An engine's tables were full; another engine must continue.
#[derive(Debug)]
pub(super) struct TablesFull;

/// Domains of one rule table.
pub(super) trait Domains: Debug + Send + Sync + Sized {
    /// What a cell holds.
    type Dom: Copy + Eq + Debug + Send + Sync;
    /// The restriction a domain puts on the cell beyond a side.
    type Support: Copy;

    /// A cell that takes no part.
    const OUTSIDE: Self::Dom;
    /// A rim cell of a map that wraps: look where it leads.
    const GHOST: Self::Dom;

    fn new(rules: &Rules, weights: Weights) -> Self;

    /// Cells that hold this are pooled from now on, and no others.
    fn pool(&mut self, _common: Self::Dom) {}

    /// Whether it is neither outside nor ghost.
    fn is_real(dom: Self::Dom) -> bool;

    /// The domain of these bits, which are not all zero.
    fn of(&mut self, set: &[u64]) -> Result<Self::Dom, TablesFull>;

    /// The bits of a real domain.
    fn words<'a>(&'a self, dom: &'a Self::Dom) -> &'a [u64];

    /// The number of a real domain, where the engine numbers them.
    fn index(&self, _dom: Self::Dom) -> Option<usize> {
        None
    }

    /// The level of a domain; 0 when it is decided or not real.
    fn level(&self, dom: Self::Dom) -> u8;

    /// The pose that 64 random bits pick.
    fn pick(&mut self, dom: Self::Dom, random: u64) -> usize;

    /// The same of any poses, without knowing them as a domain.
    fn pick_of(&self, set: &[u64], random: u64) -> usize;

    /// The domain of one pose.
    fn only(&mut self, pose: usize) -> Result<Self::Dom, TablesFull>;

    /// The sides, one bit each, beyond which less may stand when a cell goes from `before` to `now`.
    /// Outside as `before` restricts nothing.
    fn news(&mut self, before: Self::Dom, now: Self::Dom) -> u8;

    /// What a domain puts on the neighbour beyond `side`.
    fn support(&mut self, now: Self::Dom, side: usize) -> Self::Support;

    /// A real domain under a restriction.
    fn restrict(&mut self, dom: Self::Dom, support: Self::Support) -> Restricted<Self::Dom>;

    /// Whether just one pose is left of a real domain.
    fn is_decided(&self, dom: Self::Dom) -> bool {
        self.level(dom) == 0
    }

    /// The pose that is left of a real domain, where it is just one.
    fn single(&self, dom: Self::Dom) -> Option<usize> {
        self.is_decided(dom).then(|| bits(self.words(&dom)).next()).flatten()
    }

    /// The cell beyond a side that takes part.
    #[inline]
    fn beyond<const S: usize>(state: &State<Self::Dom, S>, at: u32, side: usize) -> Option<u32> {
        let to = state.padded.neighbour(at, side);
        let dom = state.cells[to as usize];
        if Self::is_real(dom) {
            return Some(to);
        }
        if dom == Self::OUTSIDE {
            return None;
        }
        let to = state.padded.wrapped(at, side)?;
        Self::is_real(state.cells[to as usize]).then_some(to)
    }

    /// Restricts the neighbours of a cell that changed by what it holds now; says which neighbour
    /// ran out.
    fn spread<const S: usize>(
        &mut self,
        state: &mut State<Self::Dom, S>,
        change: Change<Self::Dom>,
    ) -> Result<Option<u32>, TablesFull> {
        let Change { at, news, .. } = change;
        for side in (0..S).filter(|&side| news >> side & 1 == 1) {
            let Some(to) = Self::beyond(state, at, side) else { continue };
            let (support, dom) =
                (self.support(state.cells[at as usize], side), state.cells[to as usize]);
            match self.restrict(dom, support) {
                Restricted::Same => {}
                Restricted::Left(left) => {
                    let news = self.news(dom, left) & !(1 << state.padded.opposite(side));
                    state.change(to, left, self.level(dom), self.level(left), news);
                }
                Restricted::Empty => return Ok(Some(to)),
                Restricted::Full => return Err(TablesFull),
            }
        }
        Ok(None)
    }

    /// Makes decisions in its own way, as far as it can, with the same result; by default none.
    fn sprint<const S: usize>(
        &mut self,
        _state: &mut State<Self::Dom, S>,
        _stream: &mut Stream,
        _course: Course<'_>,
    ) -> Sprint {
        Sprint { halt: Halt::Choose, decisions: 0, open: usize::MAX, committed: false }
    }

    /// How much it has worked out that it keeps, since it was made.
    fn learned(&self) -> u64 {
        0
    }

    /// Propagates up to `budget` changes, in the order in which they were made.
    fn wave<const S: usize>(
        &mut self,
        state: &mut State<Self::Dom, S>,
        budget: usize,
    ) -> Result<Wave, TablesFull> {
        let last = state.head + budget;
        while state.head < state.trail.end() {
            if state.head == last {
                return Ok(Wave::More);
            }
            let change = state.trail.get(state.head);
            if let Some(dead) = self.spread(state, change)? {
                return Ok(Wave::Dead(dead));
            }
            state.head += 1;
        }
        Ok(Wave::Done)
    }

    /// Bytes of the tables at their largest.
    fn most_bytes(rules: &Rules) -> u64;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::Lattice;
    use crate::rules::PoseSet;
    use crate::solve::measure::Ranking;
    use proptest::prelude::*;

    const POSES: usize = 70;

    fn rules(allowed: &[u64]) -> Rules {
        let may = |side: usize, a: usize, b: usize| {
            let at = (side * 7 + a) * 7 + b;
            allowed[at / 64 % allowed.len()] >> (at % 64) & 1 == 1
        };
        Rules::from_pairs(Lattice::Box, &[5; POSES], |side, a, b| may(side, a % 7, b % 7)).unwrap()
    }

    fn set(words: &[u64; 2]) -> Vec<u64> {
        vec![words[0], words[1] & ((1 << (POSES - 64)) - 1)]
    }

    proptest! {
        /// Every operation of an engine, against sets written out.
        #[test]
        fn engines_agree_with_plain_sets(
            allowed in prop::collection::vec(any::<u64>(), 5),
            sets in prop::collection::vec(any::<[u64; 2]>(), 2..6),
            random: u64,
        ) {
            let rules = rules(&allowed);
            let weights = || Weights::new(Ranking::Entropy, rules.weights().iter().copied());
            let (mut memo, mut plain) = (Memo::new(&rules, weights()), Plain::<2>::new(&rules, weights()));
            // So wide that poses are not taken by fours.
            let mut widest = Plain::<17>::new(&rules, weights());
            for words in sets.iter().map(set).filter(|words| words.iter().any(|&w| w != 0)) {
                let (a, b) = (memo.of(&words).unwrap(), plain.of(&words).unwrap());
                prop_assert_eq!(memo.words(&a), &words[..]);
                prop_assert_eq!(memo.level(a), plain.level(b));
                prop_assert_eq!(memo.pick(a, random), plain.pick(b, random));
                prop_assert_eq!(memo.is_decided(a), bits(&words).count() == 1);
                for side in 0..6 {
                    let mut union = PoseSet::empty(POSES);
                    for pose in bits(&words) {
                        union.unite(rules.support(side, crate::id::Id::from_index(pose)));
                    }
                    let (class, mask) = (memo.support(a, side), plain.support(b, side));
                    prop_assert_eq!(&mask[..], union.words());
                    let dom = widest.of(&words).unwrap();
                    prop_assert_eq!(&widest.support(dom, side)[..2], union.words());
                    let news = memo.news(Memo::OUTSIDE, a);
                    prop_assert_eq!(news, plain.news(Plain::<2>::OUTSIDE, b));
                    prop_assert_eq!(news >> side & 1 == 0, union.len() == POSES);
                    for other in sets.iter().map(set).filter(|w| w.iter().any(|&w| w != 0)) {
                        let (x, y) = (memo.of(&other).unwrap(), plain.of(&other).unwrap());
                        let left: Vec<u64> = other.iter().zip(union.words()).map(|(a, b)| a & b).collect();
                        let told = |left: Option<&[u64]>| left.map(<[u64]>::to_vec);
                        let want = Some(left).filter(|left| left.iter().any(|&w| w != 0));
                        let memo_left = match memo.restrict(x, class) {
                            Restricted::Same => told(Some(&other)),
                            Restricted::Left(dom) => told(Some(memo.words(&dom))),
                            Restricted::Empty => None,
                            Restricted::Full => panic!("small tables"),
                        };
                        let plain_left = match plain.restrict(y, mask) {
                            Restricted::Same => told(Some(&other)),
                            Restricted::Left(dom) => told(Some(plain.words(&dom))),
                            _ => None,
                        };
                        prop_assert_eq!(&memo_left, &want);
                        prop_assert_eq!(&plain_left, &want);
                    }
                }
            }
        }
    }

    #[test]
    fn single_poses_are_decided_from_the_start() {
        let rules = rules(&[u64::MAX]);
        let weights = Weights::new(Ranking::Options, rules.weights().iter().copied());
        let mut memo = Memo::new(&rules, weights);
        for pose in 0..POSES {
            let dom = memo.only(pose).unwrap();
            assert!(memo.is_decided(dom) && memo.level(dom) == 0);
            assert_eq!(bits(memo.words(&dom)).collect::<Vec<_>>(), [pose]);
        }
        assert!(!Memo::is_real(Memo::OUTSIDE) && !Memo::is_real(Memo::GHOST));
    }
}
