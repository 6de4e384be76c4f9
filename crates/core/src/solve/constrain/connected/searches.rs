//! Searches that go out from several cells, step by step in turn, until they have met.
//!
//! One that has gone through all that it can reach has ended apart. The last of those that have not need not continue,
//! so the work is that of the smaller pieces.

use super::joined::{Few, OF, Opposites, opposites};
use crate::solve::constrain::View;
use crate::solve::constrain::ground::{Ground, MOST_SIDES, NOWHERE};
use crate::solve::padded::Ways;
use std::sync::Arc;

/// Cells that a search goes through in one turn: so many, and a part of those it has gone through.
const TURN: usize = 2;
const MORE: usize = 16;

/// The bit of a cell that can belong, above those of its sides.
const BELONGS: u8 = 1 << 7;

/// Searches that go out from cells.
#[derive(Clone, Debug)]
pub(super) struct Searches {
    ground: Arc<dyn Ground>,
    /// How to step, where no step leads around.
    ways: Option<Ways>,
    sides: usize,
    opposites: Opposites,
    /// Whether all that touches is linked.
    plain: bool,
    /// Of each cell over which sides it can reach, a bit each, and whether it can belong.
    reach: Vec<u8>,
    /// Of each cell which search met it, on top of `base`; below where none has.
    met: Vec<u32>,
    base: u32,
    all: Vec<Search>,
    /// How many of the searches are used now; the others keep their memory.
    used: usize,
}

/// A search that goes out from a cell.
#[derive(Clone, Debug, Default)]
struct Search {
    cells: Vec<u32>,
    next: usize,
    /// The search that it has met and became one with.
    into: Option<u32>,
    ended: bool,
}

impl Search {
    /// Goes out from a cell, in memory of an earlier search.
    fn begin(&mut self, at: u32) {
        self.cells.clear();
        self.cells.push(at);
        (self.next, self.into, self.ended) = (0, None, false);
    }
}

/// Searches that ended apart from others.
pub(super) struct Found {
    pub(super) apart: Vec<usize>,
    /// Whether all ended, so that none is known to be the rest.
    pub(super) all: bool,
}

impl Searches {
    pub(super) fn new(ground: &Arc<dyn Ground>, plain: bool) -> Self {
        Self {
            ground: ground.clone(),
            ways: ground.ways(),
            sides: ground.sides(),
            opposites: opposites(&**ground),
            plain,
            reach: vec![0; ground.len()],
            met: Vec::new(),
            base: 1,
            all: Vec::new(),
            used: 0,
        }
    }

    /// Sees how a cell stands now.
    pub(super) fn see(&mut self, at: u32, view: &View<'_>) {
        let mut now = 0;
        if view.is_can(at, OF) {
            now = BELONGS;
            for side in 0..self.sides {
                now |= u8::from(view.is_can(at, self.ends(side)[0])) << side;
            }
        }
        self.reach[at as usize] = now;
    }

    /// Begins anew.
    pub(super) fn begin(&mut self) {
        self.base = match self.base.checked_add(self.used as u32) {
            Some(base) if !self.met.is_empty() && base < u32::MAX / 2 => base,
            _ => {
                self.met = vec![0; self.ground.len()];
                1
            }
        };
        self.used = 0;
    }

    /// The sets that decide about links: their first, and how many.
    pub(super) const fn reaches(&self) -> (usize, usize) {
        if self.plain { (OF, 1) } else { (OF + 1, self.sides) }
    }

    /// The sets of which a cell holds one, and of which the one beyond a side holds one, where they are linked.
    pub(super) const fn ends(&self, side: usize) -> [usize; 2] {
        if self.plain { [OF, OF] } else { [1 + side, 1 + self.opposites[side]] }
    }

    /// The cells beyond all sides.
    #[inline]
    pub(super) fn around(&self, at: u32) -> [u32; MOST_SIDES] {
        match &self.ways {
            None => self.ground.around(at),
            Some(ways) => {
                let mut around = [NOWHERE; MOST_SIDES];
                for (beyond, step) in around.iter_mut().zip(ways.steps(at)).take(self.sides) {
                    *beyond = at.wrapping_add_signed(*step);
                }
                around
            }
        }
    }

    /// The cells that one is linked to, by what can be.
    #[inline]
    pub(super) fn linked(&self, at: u32) -> Few {
        let around = self.around(at);
        let mut few = Few::default();
        let mut over = self.reach[at as usize] & !BELONGS;
        while over != 0 {
            let side = over.trailing_zeros() as usize;
            over &= over - 1;
            let (beyond, back) = (around[side], self.opposites[side]);
            if beyond != NOWHERE && self.reach[beyond as usize] >> back & 1 == 1 {
                few.push(beyond);
            }
        }
        few
    }

    /// All cells that can belong, in rising order.
    pub(super) fn cells_that_can(&self) -> impl Iterator<Item = u32> + '_ {
        (0..).zip(&self.reach).filter(|(_, reach)| *reach & BELONGS != 0).map(|(at, _)| at)
    }

    /// The cells that a search went through.
    pub(super) fn cells(&self, number: usize) -> &[u32] {
        &self.all[number].cells
    }

    /// A search goes out from a cell, if it can belong.
    pub(super) fn go_from(&mut self, start: u32) {
        if self.reach[start as usize] & BELONGS == 0 || self.met[start as usize] >= self.base {
            return;
        }
        self.met[start as usize] = self.base + self.used as u32;
        if self.used == self.all.len() {
            self.all.push(Search::default());
        }
        self.all[self.used].begin(start);
        self.used += 1;
    }

    /// Searches until all have met, or all but one have ended; none where they have met.
    pub(super) fn search(&mut self) -> Option<Found> {
        let mut going = self.used;
        let mut apart = Vec::new();
        // The last one need not continue: those that ended are apart from it.
        while going > 1 {
            for number in 0..self.used {
                if self.all[number].into.is_some() || self.all[number].ended {
                    continue;
                }
                let (met, ended) = self.turn(number as u32, going + apart.len());
                going -= met;
                if ended {
                    self.all[number].ended = true;
                    apart.push(number);
                    going -= 1;
                }
                if going + apart.len() <= 1 {
                    return None;
                }
            }
        }
        let all = going == 0;
        (!apart.is_empty()).then_some(Found { apart, all })
    }

    /// One turn of a search, one of so many; how many others it has met, and whether it has ended.
    #[inline]
    fn turn(&mut self, number: u32, searches: usize) -> (usize, bool) {
        let mut met = 0;
        let turns = TURN + self.all[number as usize].next / MORE;
        for _ in 0..turns {
            let search = &mut self.all[number as usize];
            let Some(&at) = search.cells.get(search.next) else { return (met, true) };
            search.next += 1;
            let around = self.around(at);
            let mut over = self.reach[at as usize] & !BELONGS;
            while over != 0 {
                let side = over.trailing_zeros() as usize;
                over &= over - 1;
                let beyond = around[side];
                let back = self.opposites[side];
                if beyond == NOWHERE || self.reach[beyond as usize] >> back & 1 == 0 {
                    continue;
                }
                let slot = &mut self.met[beyond as usize];
                if *slot < self.base {
                    *slot = self.base + number;
                    self.all[number as usize].cells.push(beyond);
                    continue;
                }
                let owner = self.owner(beyond);
                if owner == number {
                    continue;
                }
                met += 1;
                if searches - met <= 1 {
                    return (met, false);
                }
                let size = |search: u32| self.all[search as usize].cells.len();
                if size(owner) > size(number) {
                    // The rest of this cell is left to the larger one.
                    self.all[number as usize].next -= 1;
                    self.join(owner, number);
                    return (met, false);
                }
                self.join(number, owner);
            }
        }
        (met, false)
    }

    /// The search that a met cell belongs to by now.
    fn owner(&self, at: u32) -> u32 {
        let mut owner = self.met[at as usize] - self.base;
        while let Some(into) = self.all[owner as usize].into {
            owner = into;
        }
        owner
    }

    /// One search takes up another.
    fn join(&mut self, number: u32, other: u32) {
        let taken = &mut self.all[other as usize];
        taken.into = Some(number);
        let (cells, gone) = (std::mem::take(&mut taken.cells), taken.next);
        let own = &mut self.all[number as usize];
        // What was gone through lies in front; what was not changes places with it.
        let first = own.cells.len();
        own.cells.extend_from_slice(&cells);
        for at in 0..gone {
            own.cells.swap(own.next, first + at);
            own.next += 1;
        }
        self.all[other as usize].cells = cells;
    }
}
