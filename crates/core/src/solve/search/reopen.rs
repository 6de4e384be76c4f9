//! Opening cells again: a box around the cell that ran out, wider where a place keeps giving trouble.
//!
//! Everything outside the box is committed. Cells near it that are still open are opened as well,
//! since what narrowed them may lie in the box; what they may hold follows from their neighbours.

use super::{Phase, Searcher};
use crate::lattice::Cell;
use crate::rules::bits;
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::space::Space;
use std::collections::BTreeMap;

/// Radius of the first box at a place.
const NEAREST: u32 = 2;
/// Radius past which a place is given up.
const WIDEST: u32 = 24;
/// Cells a side of what counts as one place.
const PLACE: i32 = 8;
/// Cells that may be opened again in one try: so many, and so many for each cell of the map.
const CELLS: u64 = 1 << 16;
const CELLS_EACH: u64 = 8;

/// How much trouble places gave.
#[derive(Clone, Debug, Default)]
pub(super) struct Heat {
    places: BTreeMap<[i32; 3], u32>,
    opened: u64,
}

fn place(cell: Cell) -> [i32; 3] {
    [cell.x, cell.y, cell.z].map(|along| along.div_euclid(PLACE))
}

impl Heat {
    /// The radius of the next box around a cell; `None` when enough was tried.
    fn radius(&self, cell: Cell, cells: usize) -> Option<u32> {
        let radius = NEAREST + self.places.get(&place(cell)).copied().unwrap_or(0);
        let spent = self.opened >= CELLS + CELLS_EACH * cells as u64;
        (radius <= WIDEST && !spent).then_some(radius)
    }

    fn warm(&mut self, cell: Cell, opened: usize) {
        *self.places.entry(place(cell)).or_default() += 1;
        self.opened += opened as u64;
    }
}

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// Opens cells around one that ran out; whether it was worth another go.
    ///
    /// On an error nothing has happened.
    pub(super) fn reopen(&mut self, space: &Space, dead: u32) -> Result<bool, TablesFull> {
        let layout = self.state.padded.layout();
        let middle = self.state.padded.cell(dead);
        let Some(radius) = self.heat.radius(middle, layout.extent().cells()) else {
            return Ok(false);
        };
        let mut opened = Vec::new();
        for (cell, gap) in layout.near(middle, 2 * radius + 2) {
            let at = self.state.padded.number(cell);
            let dom = self.state.cells[at as usize];
            if !D::is_real(dom) {
                continue;
            }
            if gap <= radius || !self.domains.is_decided(dom) && dom != self.state.common {
                let first = space.first_domain(self.rules.poses().len(), cell);
                opened.push((at, self.domains.of(first.words())?));
            }
        }
        self.heat.warm(middle, opened.len());
        self.open_again(&opened);
        self.tally.reopened += 1;
        Ok(true)
    }

    /// Puts these domains into cells, commits all that was decided, and has the cells and their
    /// neighbours tell each other what they hold.
    pub(super) fn open_again(&mut self, opened: &[(u32, D::Dom)]) {
        self.follow();
        self.tell_watching();
        let mut told = self.untold();
        self.state.trail.forget();
        for &(at, first) in opened {
            let before = std::mem::replace(&mut self.state.cells[at as usize], first);
            if self.domains.is_decided(before) {
                self.state.open += 1;
                if let Some(steering) = &mut self.steering {
                    let pose = bits(self.domains.words(&before)).next().expect("decided");
                    steering.discount(at, pose);
                }
            }
            if before == self.state.common {
                self.state.queue.leave_pool();
            }
            if self.domains.is_decided(first) {
                self.state.open -= 1;
                if let Some(steering) = &mut self.steering {
                    let pose = bits(self.domains.words(&first)).next().expect("decided");
                    steering.count(at, pose);
                }
            } else if first == self.state.common {
                self.state.queue.join_pool(at);
            } else {
                let level = self.level_at(at);
                self.state.queue.enter(at, level);
            }
            if let Some(watching) = &mut self.watching {
                watching.tell(&self.domains, at, first);
            }
            told.push(at);
            for side in 0..S {
                let beyond = self.state.padded.neighbour(at, side);
                let dom = self.state.cells[beyond as usize];
                if D::is_real(dom) {
                    told.push(beyond);
                } else if dom == D::GHOST {
                    told.extend(self.state.padded.wrapped(at, side));
                }
            }
        }
        self.followed = self.state.trail.end();
        self.tell(told);
        if let Some(watching) = &mut self.watching {
            watching.taken_back(self.state.trail.end());
        }
        self.committed = true;
        self.stale = 0;
        self.phase = Phase::Spread;
    }

    /// Cells whose changes were not propagated yet.
    pub(super) fn untold(&self) -> Vec<u32> {
        let trail = &self.state.trail;
        (self.state.head..trail.end()).map(|position| trail.get(position).at).collect()
    }

    /// Has cells tell their neighbours what they hold; the trail, which forgot everything, tells of
    /// nothing else.
    pub(super) fn tell(&mut self, mut cells: Vec<u32>) {
        cells.sort_unstable();
        cells.dedup();
        self.state.head = self.state.trail.end();
        for at in cells {
            let dom = self.state.cells[at as usize];
            if D::is_real(dom) {
                let news = self.domains.news(D::OUTSIDE, dom);
                self.state.trail.push(at, dom, news);
            }
        }
    }
}
