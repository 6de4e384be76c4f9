//! The engine that holds bits: what a domain supports is worked out, and kept for a little while.

use super::labels::Labels;
use super::words::{count, cut, is_empty, same, unite, wide, without};
use super::{Domains, Restricted, TablesFull};
use crate::id::{Id, PoseId};
use crate::rules::{Rules, bits};
use crate::solve::measure::Weights;
use crate::solve::state::State;
use crate::solve::undo::Change;
use std::sync::Mutex;

/// Domains as `W` words; one bit at least is spare, and marks a ghost.
#[derive(Debug)]
pub(crate) struct Plain<const W: usize> {
    weights: Weights,
    /// Bits of all poses.
    full: [u64; W],
    sides: Vec<SideRows<W>>,
    /// Domains ranked lately, and their levels.
    levels: Mutex<Vec<([u64; W], u8)>>,
}

#[derive(Debug)]
struct SideRows<const W: usize> {
    rows: Vec<[u64; W]>,
    /// Where few rows are shared by many poses: the poses of each row.
    poses_of: Vec<[u64; W]>,
    /// Four poses at a time, what each set of them supports; of very many poses nothing, for that
    /// would be too large.
    fours: Vec<[[u64; W]; 16]>,
    row_of: Vec<u32>,
    /// Domains asked about lately and what they support, by a hash of the domain. A domain that has
    /// changed is asked about again from each side, and the one it was soon after it.
    lately: Vec<([u64; W], [u64; W])>,
    /// Where rows share no poses.
    labels: Option<Labels<W>>,
}

/// Bytes of what is kept for each side.
const LATELY_BYTES: usize = 1 << 16;

const fn kept<const W: usize>() -> usize {
    let most = LATELY_BYTES / (W * 16);
    let most = if most < 16 { 16 } else { most };
    1 << most.ilog2()
}

/// The poses of each row, where walking the rows is less work than walking the poses.
fn poses_of<const W: usize>(rules: &Rules, side: usize) -> Vec<[u64; W]> {
    let rows = rules.rows(side).len();
    if rows * W * 4 > rules.poses().len() {
        return Vec::new();
    }
    let mut poses = vec![[0; W]; rows];
    for pose in rules.poses().ids() {
        poses[rules.row_of(side, pose).index()][pose.index() / 64] |= 1 << (pose.index() % 64);
    }
    poses
}

/// Rows that share no poses, where there are many of them.
fn labels<const W: usize>(rules: &Rules, side: usize) -> Option<Labels<W>> {
    if poses_of::<W>(rules, side).is_empty() { Labels::new(rules, side) } else { None }
}

/// The most words of a pose set whose poses are taken by fours.
const BY_FOURS: usize = 16;

/// Four poses at a time, what each set of them supports, where there are not too many.
fn fours<const W: usize>(rules: &Rules, side: usize) -> Vec<[[u64; W]; 16]> {
    if W > BY_FOURS {
        return Vec::new();
    }
    let mut fours = vec![[[0; W]; 16]; rules.poses().len().div_ceil(4)];
    for pose in rules.poses().ids() {
        let row: [u64; W] = wide(rules.support(side, pose).words());
        let holds = |&set: &usize| set >> (pose.index() % 4) & 1 == 1;
        for set in (0..16).filter(holds) {
            let union = &mut fours[pose.index() / 4][set];
            union.iter_mut().zip(row).for_each(|(word, more)| *word |= more);
        }
    }
    fours
}

/// Where a domain is kept.
fn slot<const W: usize>(dom: &[u64; W]) -> usize {
    let mixed = dom.iter().fold(0u64, |mixed, &word| {
        (mixed.rotate_left(26) ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15)
    });
    (mixed >> 32) as usize & (kept::<W>() - 1)
}

impl<const W: usize> Plain<W> {
    /// The sides beyond which less may stand, one of them left out.
    fn news_but(&mut self, before: [u64; W], now: [u64; W], skipped: usize) -> u8 {
        let sides = self.sides.len();
        let (gone, from_outside) = (without(&before, &now), is_empty(&before));
        let side_news = |side: usize| {
            if !from_outside && let Some(labels) = &self.sides[side].labels {
                return u8::from(labels.is_less(&gone, &now)) << side;
            }
            let then = if from_outside { self.full } else { self.union(before, side) };
            u8::from(!same(&then, &self.union(now, side))) << side
        };
        (0..sides).filter(|&side| side != skipped).map(side_news).sum()
    }

    /// What a domain supports beyond a side.
    fn union(&mut self, dom: [u64; W], side: usize) -> [u64; W] {
        let SideRows { rows, poses_of, fours, row_of, lately, .. } = &mut self.sides[side];
        let mut union = [0; W];
        for (row, poses) in rows.iter().zip(&*poses_of) {
            let shown = poses.iter().zip(&dom).fold(0, |any, (a, b)| any | (a & b));
            let mask = u64::from(shown != 0).wrapping_neg();
            for (word, &more) in union.iter_mut().zip(row) {
                *word |= more & mask;
            }
        }
        if !poses_of.is_empty() {
            return union;
        }
        let known = &mut lately[slot(&dom)];
        if same(&known.0, &dom) {
            return known.1;
        }
        let few = dom.iter().map(|word| word.count_ones() as usize).sum::<usize>() < fours.len();
        if few || fours.is_empty() {
            // Neighbouring numbers are mostly turns of one tile, so the same row comes several times.
            let mut last = u32::MAX;
            for pose in bits(&dom) {
                let row = std::mem::replace(&mut last, row_of[pose]);
                if row != last {
                    unite(&mut union, &rows[last as usize]);
                }
            }
        } else {
            // Four poses take one load, however many of them there are.
            for (&word, fours) in dom.iter().zip(fours.chunks(16)) {
                let mut rest = word;
                for four in fours {
                    unite(&mut union, &four[rest as usize % 16]);
                    rest >>= 4;
                }
            }
        }
        *known = (dom, union);
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
                poses_of: poses_of(rules, side),
                fours: fours(rules, side),
                row_of: (0..rules.poses().len())
                    .map(|pose| rules.row_of(side, PoseId::from_index(pose)).index() as u32)
                    .collect(),
                // The empty domain supports nothing: a true entry from the start.
                lately: vec![([0; W], [0; W]); kept::<W>()],
                labels: labels(rules, side),
            })
            .collect();
        let full = wide(crate::rules::PoseSet::full(rules.poses().len()).words());
        let levels = Mutex::new(vec![([0; W], 0); kept::<W>()]);
        Self { weights, full, sides, levels }
    }

    fn is_real(dom: Self::Dom) -> bool {
        !is_empty(&dom) && !same(&dom, &Self::GHOST)
    }

    fn of(&mut self, set: &[u64]) -> Result<Self::Dom, TablesFull> {
        Ok(wide(set))
    }

    fn words<'a>(&'a self, dom: &'a Self::Dom) -> &'a [u64] {
        dom
    }

    fn level(&self, dom: Self::Dom) -> u8 {
        // One run asks at a time: it is never waited for.
        let mut levels = self.levels.lock().expect("nothing panics here");
        let (of, level) = &mut levels[slot(&dom)];
        if !same(of, &dom) {
            (*of, *level) = (dom, self.weights.level(&dom));
        }
        *level
    }

    fn pick(&mut self, dom: Self::Dom, random: u64) -> usize {
        self.weights.pick(&dom, random)
    }

    fn pick_of(&self, set: &[u64], random: u64) -> usize {
        self.weights.pick(set, random)
    }

    fn only(&mut self, pose: usize) -> Result<Self::Dom, TablesFull> {
        let mut one = [0; W];
        one[pose / 64] = 1 << (pose % 64);
        Ok(one)
    }

    fn news(&mut self, before: Self::Dom, now: Self::Dom) -> u8 {
        self.news_but(before, now, usize::MAX)
    }

    fn support(&mut self, now: Self::Dom, side: usize) -> Self::Support {
        self.union(now, side)
    }

    fn restrict(&mut self, dom: Self::Dom, support: Self::Support) -> Restricted<Self::Dom> {
        let mut left = dom;
        cut(&mut left, &support);
        if same(&left, &dom) {
            Restricted::Same
        } else if is_empty(&left) {
            Restricted::Empty
        } else {
            Restricted::Left(left)
        }
    }

    fn spread<const S: usize>(
        &mut self,
        state: &mut State<Self::Dom, S>,
        change: Change<Self::Dom>,
    ) -> Result<Option<u32>, TablesFull> {
        let Change { at, before, news } = change;
        let mut now = state.cells[at as usize];
        let mut gone = without(&before, &now);
        // Of a domain that keeps little it is less work to go by what is left.
        let whole = state.head < state.whole_until;
        let by_rest = whole || count(&now) < 2 * count(&gone);
        for side in (0..S).filter(|&side| news >> side & 1 == 1) {
            let Some(to) = Self::beyond(state, at, side) else { continue };
            let dom = state.cells[to as usize];
            let mut left = dom;
            match &self.sides[side].labels {
                Some(labels) if !by_rest => labels.take(&gone, &now, &mut left),
                Some(labels) => cut(&mut left, &labels.union(&now)),
                None => cut(&mut left, &self.union(now, side)),
            }
            if same(&left, &dom) {
                continue;
            }
            if is_empty(&left) {
                return Ok(Some(to));
            }
            let news = self.news_but(dom, left, state.padded.opposite(side).into());
            state.change(to, left, self.level(dom), self.level(left), news);
            // Where an axis of one cell wraps a cell is its own neighbour.
            if to == at {
                now = left;
                gone = without(&before, &now);
            }
        }
        Ok(None)
    }

    fn most_bytes(rules: &Rules) -> u64 {
        let rows: usize =
            (0..rules.lattice().sides().len()).map(|side| rules.rows(side).len()).sum();
        let lately = (rules.lattice().sides().len() + 1) * kept::<W>() * W * 16;
        let fours = if W > BY_FOURS { 0 } else { rules.poses().len().div_ceil(4) * W * 16 * 8 };
        let fours = rules.lattice().sides().len() * fours;
        let labels: u64 =
            (0..rules.lattice().sides().len()).map(|side| Labels::<W>::bytes(rules, side)).sum();
        labels + (rows * W * 16 + rules.poses().len() * 40 + lately + fours) as u64
    }
}
