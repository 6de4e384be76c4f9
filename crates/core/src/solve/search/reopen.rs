//! Opening cells again: a box around the cell that ran out, wider where a place keeps giving trouble.
//!
//! Everything outside the box is committed. Cells near it that are still open are opened as well,
//! since what narrowed them may lie in the box; what they may hold follows from their neighbours.

use super::Searcher;
use super::phase::Phase;
use crate::rules::bits;
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::space::Space;

/// Cells looked at in one unit.
const AT_ONCE: usize = 256;

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// Whether it is worth another go to open cells around one that ran out.
    pub(super) fn opens_around(&mut self, dead: u32) -> bool {
        self.opened.clear();
        self.radius(dead).is_some()
    }

    fn radius(&self, middle: u32) -> Option<u32> {
        let cells = self.state.padded.layout().extent().cells();
        self.mid.heat.radius(self.state.padded.cell(middle), cells, self.search.opens)
    }

    /// Gathers some of the cells around one that ran out, and opens them when it has all.
    pub(super) fn reopen_on(
        &mut self,
        space: &Space,
        dead: u32,
        from: usize,
    ) -> Result<(), TablesFull> {
        let layout = self.state.padded.layout();
        let middle = self.state.padded.cell(dead);
        let radius = self.radius(dead).expect("it was asked before");
        let mut near = layout.near(middle, 2 * radius + 2).skip(from);
        let mut seen = 0;
        let mut opened = Vec::new();
        for (cell, gap) in near.by_ref().take(AT_ONCE) {
            seen += 1;
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
        // On an error nothing has happened, so this part is done again.
        self.opened.extend(opened);
        if seen == AT_ONCE && near.next().is_some() {
            self.mid.phase = Phase::Reopen(dead, from + seen);
            return Ok(());
        }
        let opened = std::mem::take(&mut self.opened);
        self.mid.heat.warm(middle, opened.len());
        self.open_again(&opened);
        self.mid.tally.reopened += 1;
        Ok(())
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
            self.swept = self.swept.min(at);
            if self.domains.is_decided(before) {
                self.state.open += 1;
                if let Some(steering) = &mut self.mid.steering {
                    let pose = bits(self.domains.words(&before)).next().expect("decided");
                    steering.discount(at, pose);
                }
            }
            if before == self.state.common {
                self.state.queue.leave_pool();
            }
            if self.domains.is_decided(first) {
                self.state.open -= 1;
                if let Some(steering) = &mut self.mid.steering {
                    let pose = bits(self.domains.words(&first)).next().expect("decided");
                    steering.count(at, pose);
                }
            } else if first == self.state.common {
                self.state.queue.join_pool(at);
            } else {
                let level = self.level_at(at);
                self.state.queue.enter(at, level);
            }
            if let Some(watching) = &mut self.mid.watching {
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
        self.mid.followed = self.state.trail.end();
        self.tell(told);
        if let Some(watching) = &mut self.mid.watching {
            watching.taken_back(self.state.trail.end(), true);
        }
        self.mid.committed = true;
        self.mid.stale = 0;
        self.mid.phase = Phase::Spread;
    }

    /// Cells whose changes were not propagated yet.
    pub(super) fn untold(&self) -> Vec<u32> {
        let trail = &self.state.trail;
        (self.state.head..trail.end()).map(|position| trail.get(position).at).collect()
    }

    /// Has cells report to their neighbours what they hold; the trail, which forgot everything, reports
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
        // Until the first propagation is done it is so for all changes.
        self.state.whole_until = self.state.whole_until.max(self.state.trail.end());
    }
}
