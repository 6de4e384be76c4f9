//! The rules of the whole map, asked at each fixed point.

use super::phase::Phase;
use super::{Searcher, UNIT};
use crate::observe::Observer;
use crate::rules::PoseSet;
use crate::solve::choose::Queue;
use crate::solve::constrain::{Heed, Watching};
use crate::solve::kernel::Pause;
use crate::solve::propagate::{Domains, TablesFull};
use crate::solve::state::alike;
use std::ops::Range;

/// What a cell holds, and that it is to hold poses of this set alone, or all but those.
type Told<Dom> = (Dom, usize, bool);

impl<D: Domains, const S: usize> Searcher<D, S> {
    /// Asks the rules what follows; whether they are content. Otherwise the phase says what is next.
    pub(super) fn heed(&mut self, observer: &mut dyn Observer) -> Result<bool, TablesFull> {
        // Most cells hold the same and are told the same.
        let mut last: Option<(Told<D::Dom>, D::Dom)> = None;
        let mut done = 0;
        while done < UNIT {
            self.tell_watching();
            let Some(watching) = &mut self.mid.watching else { return Ok(true) };
            let (at, told) = match watching.heed() {
                // What rules took is to be propagated before they are asked again.
                Heed::Done => return Ok(self.state.head == self.state.trail.end()),
                Heed::Broken(broken, near) => {
                    self.mid.broken = Some(broken);
                    self.mid.tally.contradictions += 1;
                    let at = near.unwrap_or_else(|| self.newest_change());
                    observer.contradiction(self.state.padded.cell(at));
                    self.mid.phase = Phase::Mend(at);
                    return Ok(false);
                }
                Heed::Take { at, set, keep } => (at, (self.state.cells[at as usize], set, keep)),
            };
            let all = watching.is_of_all();
            let left = match last {
                Some((before, left)) if before == told => left,
                _ => self.domains.of(&self.left_of(told))?,
            };
            last = Some((told, left));
            // The next cells with the same domain would get the same.
            let cells = &self.state.cells[at as usize..];
            let many = if all { alike(&cells[..cells.len().min(UNIT - done)]) } else { 1 };
            if all && told.0 == self.state.common && !self.mid.crowded {
                self.crowd(told.1);
            }
            self.hold_in_row(at..at + many as u32, left);
            done += many;
        }
        Ok(false)
    }

    /// Puts what rules left into cells in a row, which all hold the same.
    fn hold_in_row(&mut self, row: Range<u32>, left: D::Dom) {
        let dom = self.state.cells[row.start as usize];
        let (was, level) = (self.domains.level(dom), self.domains.level(left));
        let news = self.domains.news(dom, left);
        let quiet = news == 0 && self.state.head == self.state.trail.end();
        for at in row.clone() {
            self.state.change(at, left, was, level, news);
            if self.is_followed() {
                self.follow();
            }
        }
        if quiet {
            // There is nothing to propagate.
            self.state.head = self.state.trail.end();
        }
        if let Some(watching) = &mut self.mid.watching {
            watching.tell_row(&self.domains, row, left);
            watching.heard_up_to(self.state.trail.end());
        }
    }

    /// Where most pooled cells are about to hold something else, they need not enter the queue one by one: all do anew,
    /// before the next choice.
    fn crowd(&mut self, set: usize) {
        let opens = self.mid.watching.as_ref().map_or(0, |watching| watching.opens(set));
        let ranked = matches!(self.state.queue, Queue::Levels(_));
        if ranked && self.state.telling && opens > self.state.open as u64 / 2 {
            self.mid.crowded = true;
            self.state.telling = false;
            self.state.trail.reserve(opens as usize);
        }
    }

    /// What is left of a domain that may hold poses of a set of the rules alone, or all but those. Never nothing: only
    /// cells that can do either are named.
    fn left_of(&self, (dom, set, keep): Told<D::Dom>) -> Vec<u64> {
        let held = self.domains.words(&dom);
        let but = |set: &PoseSet, keep: bool| -> Vec<u64> {
            let words = held.iter().zip(set.words());
            words.map(|(&word, &set)| word & if keep { set } else { !set }).collect()
        };
        let Some(watching) = &self.mid.watching else { return held.to_vec() };
        let more = watching.besides().map(|set| but(set, false));
        let more = more.filter(|words| words.iter().any(|&word| word != 0));
        more.unwrap_or_else(|| but(watching.set(set), keep))
    }

    /// Tells the rules what changed since they last heard.
    pub(super) fn tell_watching(&mut self) {
        let Some(watching) = &mut self.mid.watching else { return };
        let trail = &self.state.trail;
        for position in watching.heard()..trail.end() {
            let at = trail.get(position).at;
            watching.tell(&self.domains, at, self.state.cells[at as usize]);
        }
        watching.heard_up_to(trail.end());
    }

    /// The cell that changed last, or the first there is.
    fn newest_change(&self) -> u32 {
        let trail = &self.state.trail;
        if trail.len() > 0 {
            return trail.get(trail.end() - 1).at;
        }
        let first = self.state.cells.iter().position(|&dom| D::is_real(dom));
        first.unwrap_or_default() as u32
    }

    /// A cell and a pose for it that some rule wants to be placed next.
    pub(super) fn wanted(&mut self) -> Option<(u32, usize)> {
        let watching = self.mid.watching.as_ref()?;
        let (at, set) = watching.wants(&mut self.mid.stream)?;
        let random = self.mid.stream.bits();
        let dom = self.state.cells[at as usize];
        let held = self.domains.words(&dom).iter().zip(watching.set(set).words());
        let words: Vec<u64> = held.map(|(&word, &set)| word & set).collect();
        let pose = match (&mut self.mid.steering, &self.mid.own) {
            (None, None) => self.domains.pick_of(&words, random),
            (None, Some(own)) => own.pick(at, &words, random),
            (Some(steering), own) => {
                steering.pick(&words, random, own.as_ref().map(|own| own.each(at)))
            }
        };
        Some((at, pose))
    }

    /// What comes where no open cell is left: the end, or taking back what breaks a rule after all.
    pub(super) fn last_check(&mut self, observer: &mut dyn Observer) {
        let broken = self.mid.watching.as_ref().and_then(Watching::broken);
        self.mid.phase = if broken.is_some() {
            self.mid.broken = broken;
            self.mid.tally.contradictions += 1;
            let at = self.newest_change();
            observer.contradiction(self.state.padded.cell(at));
            Phase::Mend(at)
        } else {
            Phase::Ended(Pause::Filled)
        };
    }
}
