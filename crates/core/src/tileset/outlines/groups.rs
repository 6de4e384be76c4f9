//! Which outlines are one socket: those that fit within the tolerance, where fitting goes both ways round.

use super::Entry;
use super::fit::fits;
use super::frames::FrameSet;
use crate::orient::Frame;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Two outlines that do not fit, though both fit a third.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutlineChain {
    /// The first, by the name it was added with.
    pub a: String,
    /// One that fits the first, and the second directly or over others.
    pub through: String,
    /// The second; the first again where it fits itself in some frames and not in those that follow from them.
    pub b: String,
}

/// Outlines sorted into sockets.
#[derive(Clone, Debug)]
pub(super) struct Groups {
    /// Of each outline that which leads its group, and the frame in which the leader lies as it does.
    pub(super) of: Vec<(usize, Frame)>,
    /// Of leaders the frames that make no difference.
    pub(super) alike: Vec<FrameSet>,
    /// Pairs that fit, by the frames in which the second lies as the first.
    fitting: HashMap<(usize, usize), FrameSet, FxBuildHasher>,
    /// Members of groups that hang together and do not fit each other.
    broken: Vec<Vec<usize>>,
}

impl Groups {
    pub(super) fn of(entries: &[Entry], tolerance: u32) -> Self {
        let alike: Vec<FrameSet> = entries.iter().map(|entry| entry.alike).collect();
        let of = (0..entries.len()).map(|n| (n, Frame::AS_DRAWN)).collect();
        let mut groups = Self { of, alike, fitting: HashMap::default(), broken: Vec::new() };
        if tolerance == 0 {
            return groups;
        }
        let mut near: Vec<Vec<usize>> = vec![Vec::new(); entries.len()];
        for [a, b] in candidates(entries, tolerance) {
            let fits = |frame: Frame| {
                let placed = entries[b].outline.in_frame(frame);
                fits(&entries[a].outline, &placed, tolerance)
            };
            let frames = FrameSet::of(|frame| (entries[a].flat || frame.turns == 0) && fits(frame));
            if !frames.is_empty() {
                near[a].push(b);
                near[b].push(a);
                groups.fitting.insert((a, b), widened(entries[a].flat, frames));
            }
        }
        let mut seen = vec![false; entries.len()];
        for first in 0..entries.len() {
            if std::mem::replace(&mut seen[first], true) {
                continue;
            }
            let mut members = vec![first];
            let mut next = 0;
            while next < members.len() {
                for &other in &near[members[next]] {
                    if !std::mem::replace(&mut seen[other], true) {
                        members.push(other);
                    }
                }
                next += 1;
            }
            members.sort_unstable();
            groups.join(members, entries);
        }
        groups
    }

    /// The frames in which `b` lies as `a` does.
    fn between(&self, a: usize, b: usize) -> FrameSet {
        let one = |key| self.fitting.get(&key).copied().unwrap_or_default();
        if a <= b { one((a, b)) } else { one((b, a)).inverses() }
    }

    /// Makes one socket of some outlines that hang together, if each fits each in just the frames that follow.
    fn join(&mut self, members: Vec<usize>, entries: &[Entry]) {
        let leader = members[0];
        let own = if self.fitting.contains_key(&(leader, leader)) {
            self.between(leader, leader)
        } else {
            entries[leader].alike
        };
        let frames: Option<Vec<Frame>> = members
            .iter()
            .map(|&member| {
                if member == leader {
                    return Some(Frame::AS_DRAWN);
                }
                // In which frame the leader lies as the member.
                self.between(member, leader).iter().next()
            })
            .collect();
        let whole = frames.filter(|frames| {
            own.is_group()
                && members.iter().zip(frames).enumerate().all(|(n, (&a, from))| {
                    members[n..].iter().zip(&frames[n..]).all(|(&b, to)| {
                        // b to the leader, among its own, to a.
                        let follows = own.between(to.inverse(), *from);
                        self.between(a, b) == follows
                    })
                })
        });
        match whole {
            Some(frames) => {
                self.alike[leader] = own;
                for (member, frame) in members.into_iter().zip(frames) {
                    self.of[member] = (leader, frame);
                }
            }
            None => self.broken.push(members),
        }
    }

    /// Pairs of groups that hang together over others only.
    pub(super) fn chains(&self, entries: &[Entry]) -> Vec<OutlineChain> {
        let name = |entry: usize| entries[entry].name.clone();
        let mut chains = Vec::new();
        for members in &self.broken {
            let before = chains.len();
            for (n, &a) in members.iter().enumerate() {
                for &b in &members[n + 1..] {
                    if !self.between(a, b).is_empty() {
                        continue;
                    }
                    let fits_a =
                        |c: &&usize| **c != a && **c != b && !self.between(a, **c).is_empty();
                    let both = |c: &&usize| fits_a(c) && !self.between(**c, b).is_empty();
                    let through = members.iter().find(both).or(members.iter().find(fits_a));
                    let through = name(through.copied().unwrap_or(a));
                    chains.push(OutlineChain { a: name(a), through, b: name(b) });
                }
            }
            if chains.len() == before {
                let (a, through) = (members[0], members[members.len() - 1]);
                chains.push(OutlineChain { a: name(a), through: name(through), b: name(a) });
            }
        }
        chains
    }
}

/// Turns mean nothing on sides that stand.
fn widened(flat: bool, frames: FrameSet) -> FrameSet {
    if flat {
        return frames;
    }
    FrameSet::of(|frame| frames.holds(Frame { turns: 0, flipped: frame.flipped }))
}

/// Pairs that may fit: as many points and edges, and sums of distances from zero that are close. Each outline
/// is paired with itself too.
fn candidates(entries: &[Entry], tolerance: u32) -> Vec<[usize; 2]> {
    let sum = |entry: &Entry| -> i64 {
        let size = |[x, y]: &[i32; 2]| {
            let (x, y) = (i64::from(x.abs()), i64::from(*y));
            if entry.flat { x + y.abs() } else { x + y }
        };
        entry.outline.points().iter().map(size).sum()
    };
    let mut order: Vec<(bool, usize, usize, i64, usize)> = entries
        .iter()
        .enumerate()
        .map(|(n, entry)| {
            let outline = &entry.outline;
            (entry.flat, outline.points().len(), outline.edges().len(), sum(entry), n)
        })
        .collect();
    order.sort_unstable();
    let mut pairs = Vec::new();
    for (at, &(flat, points, edges, sum, a)) in order.iter().enumerate() {
        let reach = 2 * points as i64 * i64::from(tolerance);
        let close = |one: &&(bool, usize, usize, i64, usize)| {
            (one.0, one.1, one.2) == (flat, points, edges) && one.3 - sum <= reach
        };
        for &(.., b) in order[at..].iter().take_while(close) {
            pairs.push([a.min(b), a.max(b)]);
        }
    }
    pairs
}
