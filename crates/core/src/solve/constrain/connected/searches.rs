//! Searches that go out from several cells, step by step in turn, until they have met.
//!
//! One that has gone through all that it can reach has ended apart. The last of those that have not need not continue,
//! so the work is that of the smaller pieces.

use super::joined::{OF, Opposites, opposites};
use crate::solve::constrain::View;
use crate::solve::constrain::ground::{Ground, MOST_SIDES, NOWHERE};
use crate::solve::padded::Ways;
use std::sync::Arc;

/// Cells that a search goes through in one turn: so many, and a part of those it has gone through.
const TURN: usize = 2;
const MORE: usize = 16;

/// The bits of a cell that must and that can belong, above those of its sides.
const MUST: u8 = 1 << 6;
pub(super) const BELONGS: u8 = 1 << 7;

/// The bits of sides.
pub(super) const SIDES: u8 = MUST - 1;

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
    /// Of each cell over which sides it can reach, a bit each, and whether it can and must belong.
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
    /// Whether it went through a cell that must belong.
    must: bool,
}

impl Search {
    /// Goes out from a cell, in memory of an earlier search.
    fn begin(&mut self, at: u32) {
        self.cells.clear();
        self.cells.push(at);
        (self.next, self.into, self.ended, self.must) = (0, None, false, false);
    }
}

/// What searches found that have not met.
pub(super) enum Found {
    /// Some ended apart from others.
    Apart {
        apart: Vec<usize>,
        /// Whether all ended, so that none is known to be the rest.
        all: bool,
    },
    /// Two pieces have a cell that must belong; one of those around the smaller.
    Torn(u32),
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
            now = BELONGS | if view.is_must(at, OF) { MUST } else { 0 };
            now |= if self.plain { self.all_sides() } else { view.cans(at, OF + 1, self.sides) };
        }
        self.reach[at as usize] = now;
    }

    /// Sets over which sides a cell can reach.
    #[cfg(test)]
    pub(super) fn put(&mut self, at: u32, reach: u8) {
        self.reach[at as usize] = reach;
    }

    /// Over which sides a cell can reach, a bit each, and whether it can [belong](BELONGS).
    #[inline]
    pub(super) fn reach(&self, at: u32) -> u8 {
        self.reach[at as usize]
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

    /// The bits of the sides that cells have.
    pub(super) const fn all_sides(&self) -> u8 {
        (1 << self.sides) - 1
    }

    /// The side across.
    #[inline]
    pub(super) const fn opposite(&self, side: usize) -> usize {
        self.opposites[side]
    }

    /// Whether a cell is linked to the one beyond a side.
    #[inline]
    pub(super) fn is_linked(&self, at: u32, side: usize, beyond: u32) -> bool {
        let reaches = |at: u32, side: usize| self.reach[at as usize] >> side & 1 == 1;
        reaches(at, side) && beyond != NOWHERE && reaches(beyond, self.opposites[side])
    }

    /// The sides over which a cell is linked, and the cells beyond.
    #[inline]
    pub(super) fn links(&self, at: u32) -> impl Iterator<Item = (usize, u32)> + '_ {
        let around = self.around(at);
        let sides = bits(self.reach[at as usize] & SIDES);
        let all = sides.map(move |side| (side, around[side]));
        all.filter(|&(side, beyond)| {
            beyond != NOWHERE && self.reach[beyond as usize] >> self.opposites[side] & 1 == 1
        })
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

    /// Searches until all have met, or all but one have ended, or all that were cut off from what hung together, if it is
    /// known how many. None where they have met. Where it is `one`, a cut between two that must belong is enough.
    pub(super) fn search(&mut self, cut_off: Option<usize>, one: bool) -> Option<Found> {
        let most = cut_off.unwrap_or(usize::MAX);
        let mut going = self.used;
        let mut apart = Vec::new();
        // The last one need not continue: those that ended are apart from it.
        while going > 1 && apart.len() < most {
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
                if apart.len() == most {
                    break;
                }
            }
            if one && cut_off.is_some_and(|many| going + apart.len() == many + 1) {
                let torn = self.torn();
                if torn.is_some() {
                    return torn;
                }
            }
        }
        let all = going == 0;
        (!apart.is_empty()).then_some(Found::Apart { apart, all })
    }

    /// Whether two searches that cannot meet went through a cell that must belong.
    fn torn(&self) -> Option<Found> {
        let musts = || self.all[..self.used].iter().filter(|one| one.into.is_none() && one.must);
        let smallest = musts().min_by_key(|one| one.cells.len())?;
        (musts().count() > 1).then(|| Found::Torn(smallest.cells[0]))
    }

    /// One turn of a search, one of so many; how many others it has met, and whether it has ended.
    #[inline]
    fn turn(&mut self, number: u32, searches: usize) -> (usize, bool) {
        let mut met = 0;
        let turns = TURN + self.all[number as usize].next / MORE;
        for _ in 0..turns {
            let search = &mut self.all[number as usize];
            let Some(&at) = search.cells.get(search.next) else { return (met, true) };
            let reach = self.reach[at as usize];
            search.next += 1;
            search.must |= reach & MUST != 0;
            let around = self.around(at);
            let mut over = reach & SIDES;
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
        let (cells, gone, must) = (std::mem::take(&mut taken.cells), taken.next, taken.must);
        let own = &mut self.all[number as usize];
        own.must |= must;
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

/// The numbers of the bits that are set.
pub(super) fn bits(mut bits: u8) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let bit = bits.trailing_zeros() as usize;
        bits &= bits.wrapping_sub(1);
        (bit < 8).then_some(bit)
    })
}
