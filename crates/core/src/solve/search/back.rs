//! Taking back: the window of decisions that can be, and the newest one when a cell ran out.

use super::Searcher;
use super::phase::Phase;
use crate::limits::Climb;
use crate::rules::bits;
use crate::solve::kernel::Pause;
use crate::solve::propagate::Domains;

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// Notes a new best, and lets the window grow by an eighth before it is cut to size.
    #[inline(always)]
    pub(super) fn settle(&mut self) {
        self.note_best(self.state.open);
        let window = self.search.window as usize;
        let trail = &mut self.state.trail;
        if trail.len() > window + window / 8 || trail.newest_made().is_none() {
            self.mid.committed |= trail.cut(window);
        }
    }

    /// Patience counts from the newest best.
    #[inline]
    pub(super) fn note_best(&mut self, open: usize) {
        if open < self.mid.least_open {
            self.mid.least_open = open;
            self.mid.stale = 0;
        }
    }

    /// Takes back everything since `mark`, where a decision was made.
    pub(super) fn undo(&mut self, mark: usize) {
        let end = self.state.trail.end();
        while self.state.trail.end() > mark {
            let change = self.state.trail.pop().expect("the mark lies inside the trail");
            let dom = self.state.cells[change.at as usize];
            if self.domains.is_decided(dom) {
                self.state.open += 1;
                if let Some(steering) = &mut self.mid.steering {
                    let pose = bits(self.domains.words(&dom)).next().expect("decided");
                    steering.discount(change.at, pose);
                }
            }
            self.state.cells[change.at as usize] = change.before;
            self.swept = self.swept.min(change.at);
            if dom == self.state.common {
                self.state.queue.leave_pool();
            }
            if change.before == self.state.common {
                self.state.queue.join_pool(change.at);
            }
        }
        // What was popped still lies in the ring; the queue hears of each cell once.
        for position in (mark..end).rev() {
            let change = self.state.trail.get(position);
            let first = self.state.cells[change.at as usize] == change.before;
            if first && change.before != self.state.common {
                let level = self.level_at(change.at);
                self.state.queue.enter(change.at, level);
            }
        }
        if let Some(watching) = &mut self.mid.watching {
            for position in mark..end {
                let at = self.state.trail.get(position).at;
                watching.tell(&self.domains, at, self.state.cells[at as usize]);
            }
            watching.taken_back(mark, false);
        }
        self.state.head = mark;
        self.mid.followed = self.mid.followed.min(mark);
        self.mid.heard = self.mid.heard.min(mark);
    }

    /// Takes back the newest decision after a cell ran out, or opens cells around it again.
    pub(super) fn mend(&mut self, dead: u32) {
        let newest = self.state.trail.newest_made();
        if newest.is_none() && !self.mid.committed {
            self.mid.phase = Phase::Ended(Pause::Impossible(self.dead(dead)));
            return;
        }
        let Some(mark) = newest.filter(|_| self.mid.stale < self.search.patience) else {
            let opens = self.search.climb >= Climb::Reopen && self.opens_around(dead);
            self.mid.phase = if opens {
                Phase::Reopen(dead, 0)
            } else {
                Phase::Ended(Pause::Failed(self.dead(dead)))
            };
            return;
        };
        self.mid.stale += 1;
        self.mid.tally.backtracks += 1;
        let at = self.state.trail.get(mark).at;
        let dom = self.state.cells[at as usize];
        let pose = bits(self.domains.words(&dom)).next().expect("it was decided there");
        self.undo(mark);
        self.mid.phase = Phase::Remove(at, pose as u32);
    }
}
