//! The memo engine's own way through a run of decisions, with everything it touches at hand.
//!
//! It does what [`Searcher`](crate::solve::search) does over [`Domains`](super::Domains), in the
//! same order and with the same random numbers, as long as nothing special happens. When something
//! does (a rim that wraps, a cell that ran out, a list that is full) it
//! stops *before* it, with the state as the slow way would have it, and says where to go on.

use super::memo::{Memo, OUTSIDE, Picks};
use crate::seed::{Stream, scale};
use crate::solve::choose::Queue;
use crate::solve::measure::PickTable;
use crate::solve::state::State;
use crate::solve::undo::{Change, MADE};

/// Changes of one decision that concern others, at most; with more, the slow way goes on.
const NOTES: usize = 64;

/// Where a sprint came to a stop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Halt {
    /// All decisions that were asked for are made.
    Spent,
    /// Before a choice.
    Choose,
    /// This cell is chosen, and this its random number.
    Pick(u32, u64),
    /// Before the change at the head, so many into the decision's own.
    Spread(usize),
}

/// What a sprint did.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Sprint {
    pub(crate) halt: Halt,
    /// Decisions made, the one under way included.
    pub(crate) decisions: u64,
    /// Open cells after the newest decision that is done with; `usize::MAX` when none is.
    pub(crate) open: usize,
    /// Whether old decisions were committed.
    pub(crate) committed: bool,
}

/// What bounds a sprint.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Course {
    /// Decisions to make.
    pub(crate) decisions: u64,
    /// The undo window.
    pub(crate) window: usize,
}

impl Memo {
    /// Makes decisions from a fixed point on.
    pub(super) fn sprint<const S: usize>(
        &mut self,
        state: &mut State<u16, S>,
        stream: &mut Stream,
        course: Course,
    ) -> Sprint {
        let mut sprint =
            Sprint { halt: Halt::Choose, decisions: 0, open: usize::MAX, committed: false };
        let State { padded, cells, trail, head, open, queue: Queue::Levels(queue), common, .. } =
            state
        else {
            return sprint;
        };
        if queue.is_crowded() {
            return sprint;
        }
        let (mut domains, mut steps) = (&self.domains[..], &self.steps.places[..]);
        let mut picks = &self.picks[..];
        let (cells, common) = (&mut cells[..], *common);
        let ways = padded.ways();
        let queue = queue.hands();
        let mut filled = *queue.filled;
        // Open cells, and from bit 32 on pooled ones.
        let mut counts = (*queue.pool as u64) << 32 | *open as u64;
        let mut hands = trail.hands();
        let mask = hands.ring.len() - 1;
        let (mut start, mut end) = (hands.start, hands.end);
        let (mut made, mut at_head) = (hands.made, *head);
        let mut random = stream.clone();
        let mut notes = [0; NOTES];
        let most = course.window + course.window / 8;

        sprint.halt = 'decisions: loop {
            // Here all is propagated.
            if sprint.decisions == course.decisions {
                break Halt::Spent;
            }
            let chosen = loop {
                let Some(word) = filled.iter().position(|&word| word != 0) else {
                    break 'decisions Halt::Choose;
                };
                let level = word * 64 + filled[word].trailing_zeros() as usize;
                if counts >> 32 != 0 && queue.pool_level <= level {
                    break 'decisions Halt::Choose;
                }
                let bucket = &mut queue.buckets[level];
                let number = scale(random.bits(), bucket.len as u64) as usize;
                let at = bucket.room[number];
                bucket.len -= 1;
                bucket.room[number] = bucket.room[bucket.len];
                filled[word] ^= u64::from(bucket.len == 0) << (level % 64);
                let dom = cells[at as usize];
                if usize::from(domains[usize::from(dom)].level) == level && dom != common {
                    break at;
                }
            };
            let bits = random.bits();
            let dom = cells[chosen as usize];
            if picks[usize::from(dom)].is_none() {
                self.prepare(usize::from(dom));
                (domains, steps, picks) = (&self.domains, &self.steps.places, &self.picks);
            }
            let Some(pick) = &picks[usize::from(dom)] else {
                break Halt::Pick(chosen, bits);
            };
            // So no change of this decision finds the ring full.
            if end - start + NOTES * S >= mask {
                break Halt::Pick(chosen, bits);
            }
            let mut picked = pick.guide[PickTable::part(bits)];
            if picked == 0 {
                picked = self.told(usize::from(dom), pick.table.pick(bits));
            }
            hands.ring[end & mask] =
                Change { at: chosen, before: dom, news: MADE | (picked >> Picks::SIDES) as u8 };
            let first = end;
            end += 1;
            made += 1;
            counts -= 1;
            cells[chosen as usize] = picked as u16;
            sprint.decisions += 1;

            // Changes that concern nobody need no visit; the others are noted by their place in the
            // ring. One loop goes through all sides, for two loops are harder to foretell.
            let mut left = picked >> Picks::SIDES;
            let (mut at, mut now) = (chosen, &domains[usize::from(picked as u16)]);
            notes[0] = first;
            let (mut visited, mut noted) = (0, usize::from(left != 0));
            while left != 0 {
                let side = left.trailing_zeros() as usize;
                left &= left - 1;
                let (stride, across) = ways.of::<S>(at, side);
                let to = at.wrapping_add_signed(stride);
                let class = now.class(side);
                let cell = &mut cells[to as usize];
                let dom = *cell;
                let step = steps[domains[usize::from(dom)].place(class)];
                let next = step.next();
                if step.is_of(class) {
                    if next != dom {
                        let bucket = &mut queue.buckets[usize::from(step.level())];
                        if next == common || bucket.is_full() && !bucket.widen() {
                            break;
                        }
                        let Some(slot) = bucket.room.get_mut(bucket.len) else { break };
                        *slot = to;
                        bucket.len += step.moves() as usize;
                        let word = usize::from(step.level() / 64);
                        filled[word] |= u64::from(step.moves()) << (step.level() % 64);
                        counts -= step.counts();
                        *cell = next;
                        let news = step.news() & !across;
                        hands.ring[end & mask] = Change { at: to, before: dom, news: news as u8 };
                        notes[noted % NOTES] = end;
                        noted += usize::from(news != 0);
                        end += 1;
                    }
                } else if dom != OUTSIDE {
                    let learned = self.learns(dom, class);
                    (domains, steps, picks) = (&self.domains, &self.steps.places, &self.picks);
                    if !learned {
                        break;
                    }
                    now = &domains[usize::from(cells[at as usize])];
                    left |= 1 << side;
                    continue;
                }
                if left == 0 {
                    visited += 1;
                    if visited == noted {
                        break;
                    }
                    let change = hands.ring[notes[visited % NOTES] & mask];
                    (at, left) = (change.at, u32::from(change.news));
                    now = &domains[usize::from(cells[at as usize])];
                    // So no note overwrites one that is not visited.
                    if noted > NOTES - S {
                        break;
                    }
                }
            }
            if visited != noted {
                at_head = notes[visited];
                break Halt::Spread(at_head - first);
            }
            at_head = end;
            sprint.open = counts as u32 as usize;
            if end - start > most {
                (hands.start, hands.end, hands.made) = (start, end, made);
                sprint.committed |= hands.cut(course.window);
                (start, made) = (hands.start, hands.made);
            }
        };
        trail.put_back(start, end, made);
        (*open, *head) = (counts as u32 as usize, at_head);
        (*queue.filled, *queue.pool) = (filled, (counts >> 32) as usize);
        *stream = random;
        sprint
    }
}
