//! How far cells that hold some poses are from cells that hold others, in steps over sides.

use super::ground::Ground;
use super::seen::Seen;
use super::steps::{Marks, within};
use super::{Constraint, Follower, Following, Held, MOST_LEARNED, News, Parts, View};
use crate::lattice::Cell;
use crate::limits::Climb;
use crate::rules::PoseSet;
use std::fmt;
use std::sync::Arc;

/// The place of those that keep their distance among the sets, and of those from which.
const FROM: usize = 0;
const TO: usize = 1;

/// No cell of the first set is fewer than `least` steps from one of the second, and each has one within `most`.
#[derive(Clone, Debug)]
pub(crate) struct Distances {
    sets: [PoseSet; 2],
    least: u32,
    most: Option<u32>,
}

impl Distances {
    pub(crate) const fn new(from: PoseSet, to: PoseSet, least: u32, most: Option<u32>) -> Self {
        Self { sets: [from, to], least, most }
    }
}

impl fmt::Display for Distances {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.least, self.most) {
            (0 | 1, Some(most)) => write!(f, "at most {most} steps"),
            (least, Some(most)) => write!(f, "{least} to {most} steps"),
            (least, None) => write!(f, "at least {least} steps"),
        }
    }
}

impl Constraint for Distances {
    fn watched(&self) -> &[PoseSet] {
        &self.sets
    }

    fn holds(&self, seen: &[Seen], ground: &dyn Ground) -> bool {
        let (mut marks, mut queue) = (Marks::default(), Vec::new());
        seen[FROM].cans().all(|at| {
            let mut near = self.most.is_none();
            if let Some(most) = self.most {
                within(ground, &mut marks, &mut queue, at, most, |other| {
                    near = seen[TO].is_can(other);
                    !near
                });
            }
            let mut clear = true;
            within(ground, &mut marks, &mut queue, at, self.least.saturating_sub(1), |other| {
                clear = !seen[TO].is_can(other);
                clear
            });
            near && clear
        })
    }

    fn fails(&self, _: [u64; 2], near: Cell) -> String {
        match self.most {
            None => format!("what stands at {near} is too near to another"),
            Some(_) => format!("what stands at {near} is too near to another, or too far from all"),
        }
    }

    fn parts(&self, seen: &[Seen], _: &dyn Ground) -> Parts {
        Parts { open: Vec::new(), ..Parts::of(seen) }
    }

    fn kept_by(&self, rung: Climb, cells: usize) -> bool {
        rung < Climb::Blocks || rung != Climb::Blocks && cells <= MOST_LEARNED
    }

    fn clauses(&self, ground: &dyn Ground, at: u32, each: &mut dyn FnMut(&[Held])) {
        let (mut marks, mut queue) = (Marks::default(), Vec::new());
        let here = Held { at, set: FROM, held: false };
        within(ground, &mut marks, &mut queue, at, self.least.saturating_sub(1), |other| {
            each(&[here, Held { at: other, set: TO, held: false }]);
            true
        });
        if let Some(most) = self.most {
            let mut one = vec![here];
            within(ground, &mut marks, &mut queue, at, most, |other| {
                one.push(Held { at: other, set: TO, held: true });
                true
            });
            each(&one);
        }
    }

    fn clause_words(&self, sides: usize, cells: u64) -> u64 {
        let around = |steps: u32| most_within(sides, u64::from(steps)).min(cells);
        around(self.least.saturating_sub(1)) * 2 + self.most.map_or(0, |most| around(most) + 1)
    }

    fn follower(&self, ground: &Arc<dyn Ground>) -> Option<Box<dyn Follower>> {
        Some(Box::new(Follows {
            rule: self.clone(),
            ground: ground.clone(),
            marks: Marks::default(),
            inner: Marks::default(),
            queue: Vec::new(),
            around: Vec::new(),
        }))
    }
}

/// How many cells lie within so many steps of one, at most. Of the lattices of six sides `box` has more.
fn most_within(sides: usize, steps: u64) -> u64 {
    // A map has fewer cells than this is, and the numbers stay small.
    let steps = steps.min(1 << 16);
    if sides == 4 {
        2 * steps * (steps + 1)
    } else {
        (4 * steps.pow(3) + 6 * steps.pow(2) + 8 * steps) / 3
    }
}

/// What follows from each change, near it.
#[derive(Clone, Debug)]
struct Follows {
    rule: Distances,
    ground: Arc<dyn Ground>,
    marks: Marks,
    inner: Marks,
    queue: Vec<u32>,
    around: Vec<u32>,
}

impl Follower for Follows {
    fn follow(&mut self, view: &View<'_>, news: &[News]) -> (Following, usize) {
        for (number, &News { at, .. }) in news.iter().enumerate() {
            let next = self.too_near(view, at).or_else(|| self.too_far(view, at));
            if let Some(next) = next {
                return (next, number);
            }
        }
        (Following::Nothing, news.len())
    }

    fn taken_back(&mut self, _: &View<'_>, _: bool) {}

    fn copied(&self) -> Box<dyn Follower> {
        Box::new(self.clone())
    }
}

impl Follows {
    /// What a cell that must hold one of a pair asks of those around it.
    fn too_near(&mut self, view: &View<'_>, at: u32) -> Option<Following> {
        let steps = self.rule.least.saturating_sub(1);
        if steps == 0 {
            return None;
        }
        for (here, there) in [(FROM, TO), (TO, FROM)] {
            if !view.is_must(at, here) {
                continue;
            }
            let mut next = None;
            within(&*self.ground, &mut self.marks, &mut self.queue, at, steps, |other| {
                if view.is_must(other, there) {
                    next = Some(Following::Broken(at));
                } else if view.is_can(other, there) {
                    next = Some(Following::Take { at: other, set: there, keep: false });
                }
                next.is_none()
            });
            if next.is_some() {
                return next;
            }
        }
        None
    }

    /// What the cells around one ask that may have lost what they need.
    fn too_far(&mut self, view: &View<'_>, at: u32) -> Option<Following> {
        let most = self.rule.most?;
        let mut around = std::mem::take(&mut self.around);
        around.clear();
        around.push(at);
        if !view.is_must(at, TO) {
            within(&*self.ground, &mut self.marks, &mut self.queue, at, most, |other| {
                around.push(other);
                true
            });
        }
        let next = around.iter().find_map(|&from| self.needs(view, from, most));
        self.around = around;
        next
    }

    /// What follows for one cell from those within reach.
    fn needs(&mut self, view: &View<'_>, from: u32, most: u32) -> Option<Following> {
        if !view.is_can(from, FROM) {
            return None;
        }
        let (mut count, mut only) = (0, from);
        within(&*self.ground, &mut self.inner, &mut self.queue, from, most, |other| {
            if view.is_can(other, TO) {
                // One that stands is enough.
                count += if view.is_must(other, TO) { 2 } else { 1 };
                only = other;
            }
            count < 2
        });
        match count {
            0 if view.is_must(from, FROM) => Some(Following::Broken(from)),
            0 => Some(Following::Take { at: from, set: FROM, keep: false }),
            1 if view.is_must(from, FROM) => {
                Some(Following::Take { at: only, set: TO, keep: true })
            }
            _ => None,
        }
    }
}
