//! The memo engine's own way through a run of decisions, with everything it touches at hand.
//!
//! It does what [`Searcher`](crate::solve::search) does over [`Domains`](super::Domains), in the
//! same order and with the same random numbers, as long as nothing special happens. When something
//! does (a transition not yet known, a rim that wraps, a cell that ran out, a list that is full) it
//! stops *before* it, with the state as the slow way would have it, and says where to go on.

use super::memo::{Lanes, Memo, REAL, UNKNOWN};
use crate::seed::{Stream, scale};
use crate::solve::choose::Queue;
use crate::solve::state::State;
use crate::solve::undo::{Change, MADE};

/// Changes of one decision that concern others, at most; with more, the slow way goes on.
const NOTES: usize = 64;

/// A change that concerns others: the cell, how many changes of the same decision came before it,
/// and whom it concerns.
#[derive(Clone, Copy, Debug, Default)]
struct Note {
    at: u32,
    offset: u32,
    lanes: Lanes,
}

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
        &self,
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
        let (table, supports, shift) = (&self.table[..], &self.supports[..], self.shift);
        let picks = &self.picks[..];
        let (cells, common) = (&mut cells[..], *common);
        let queue = queue.hands();
        let (mut filled, mut pool) = (*queue.filled, *queue.pool);
        let mut hands = trail.hands();
        let mask = hands.ring.len() - 1;
        let (mut start, mut end) = (hands.start, hands.end);
        let (mut made, mut still_open, mut at_head) = (hands.made, *open, *head);
        let mut random = stream.clone();
        let mut notes = [Note::default(); NOTES];
        let mut halted = None;
        let most = course.window + course.window / 8;

        sprint.halt = 'decisions: loop {
            // Here all is propagated.
            if sprint.decisions == course.decisions {
                break Halt::Spent;
            }
            let chosen = 'choice: loop {
                let Some(word) = filled.iter().position(|&word| word != 0) else {
                    break 'decisions Halt::Choose;
                };
                let level = word * 64 + filled[word].trailing_zeros() as usize;
                if pool > 0 && queue.pool_level <= level {
                    break 'decisions Halt::Choose;
                }
                let bucket = &mut queue.buckets[level];
                while bucket.len > 0 {
                    let number = scale(random.bits(), bucket.len as u64) as usize;
                    let at = bucket.room[number];
                    bucket.len -= 1;
                    bucket.room[number] = bucket.room[bucket.len];
                    let dom = cells[at as usize];
                    if usize::from(supports[usize::from(dom)].level()) == level && dom != common {
                        break 'choice at;
                    }
                }
                filled[word] &= filled[word] - 1;
            };
            let bits = random.bits();
            let dom = cells[chosen as usize];
            let Some(pick) = &picks[usize::from(dom)] else {
                break Halt::Pick(chosen, bits);
            };
            // So no change of this decision finds the ring full.
            if end - start + NOTES * S >= mask {
                break Halt::Pick(chosen, bits);
            }
            let only = REAL + pick.pick(bits) as u16;
            hands.ring[end & mask] = Change { at: chosen, before: dom, news: MADE };
            let first = end;
            end += 1;
            made += 1;
            still_open -= 1;
            cells[chosen as usize] = only;
            sprint.decisions += 1;

            // Changes that concern nobody need no visit; the others are noted.
            let lanes = supports[usize::from(dom)].differs(supports[usize::from(only)]);
            notes[0] = Note { at: chosen, offset: 0, lanes };
            let (mut visited, mut noted) = (0, usize::from(lanes.any::<S>()));
            while visited != noted {
                let Note { at, offset, lanes } = notes[visited];
                let now = supports[usize::from(cells[at as usize])];
                let steps = padded.steps(at);
                for side in lanes.sides::<S>() {
                    let to = at.wrapping_add_signed(steps[side]);
                    let cell = &mut cells[to as usize];
                    let dom = *cell;
                    let class = usize::from(now.class(side));
                    let next = table[(usize::from(dom) << shift) + class];
                    if next == dom {
                        continue;
                    }
                    // Nothing left, or not yet known: the two ends of the range.
                    if next.wrapping_sub(1) >= UNKNOWN - 1 || next == common || noted == NOTES {
                        halted = Some((visited, noted, first));
                        at_head = first + offset as usize;
                        break 'decisions Halt::Spread(offset as usize);
                    }
                    let (old, new) = (supports[usize::from(dom)], supports[usize::from(next)]);
                    let (pooled, level) = (dom == common, new.level());
                    let was = if pooled { 0 } else { old.level() };
                    if level == 0 {
                        still_open -= 1;
                    } else if level != was {
                        let bucket = &mut queue.buckets[usize::from(level)];
                        let Some(slot) = bucket.room.get_mut(bucket.len) else {
                            halted = Some((visited, noted, first));
                            at_head = first + offset as usize;
                            break 'decisions Halt::Spread(offset as usize);
                        };
                        *slot = to;
                        bucket.len += 1;
                        filled[usize::from(level / 64)] |= 1 << (level % 64);
                    }
                    pool -= usize::from(pooled);
                    *cell = next;
                    hands.ring[end & mask] = Change { at: to, before: dom, news: 0 };
                    let lanes = old.differs(new).without(padded.opposite(side));
                    notes[noted] = Note { at: to, offset: (end - first) as u32, lanes };
                    noted += usize::from(lanes.any::<S>());
                    end += 1;
                }
                visited += 1;
            }
            at_head = end;
            sprint.open = still_open;
            if end - start > most {
                (hands.start, hands.end, hands.made) = (start, end, made);
                sprint.committed |= hands.cut(course.window);
                (start, made) = (hands.start, hands.made);
            }
        };
        if let Some((visited, noted, first)) = halted {
            for Note { offset, lanes, .. } in &notes[visited..noted] {
                hands.ring[(first + *offset as usize) & mask].news |= lanes.marks();
            }
        }
        trail.put_back(start, end, made);
        (*open, *head) = (still_open, at_head);
        (*queue.filled, *queue.pool) = (filled, pool);
        *stream = random;
        sprint
    }
}
