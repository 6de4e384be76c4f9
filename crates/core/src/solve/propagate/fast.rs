//! The memo engine's own way through a run of decisions, with everything it touches at hand.
//!
//! It does what [`Searcher`](crate::solve::search) does over [`Domains`](super::Domains), in the
//! same order and with the same random numbers, as long as nothing special happens. When something
//! does (a transition not yet known, a rim that wraps, a cell that ran out, a list that is full) it
//! stops *before* it, with the state as the slow way would have it, and says where to go on.

use super::memo::{LANE, LANE_BITS, LANES, Memo, OTHERS, REAL, UNKNOWN};
use crate::seed::{Stream, scale};
use crate::solve::choose::Queue;
use crate::solve::state::State;
use crate::solve::undo::{Change, MADE};

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
    /// Changes of one decision after which it stops.
    pub(crate) unit: usize,
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
        let (levels, picks) = (&self.levels[..], &self.picks[..]);
        let (cells, common) = (&mut cells[..], *common);
        let queue = queue.hands();
        let (mut filled, mut pool) = (*queue.filled, *queue.pool);
        let mut hands = trail.hands();
        let mask = hands.ring.len() - 1;
        let (mut start, mut end) = (hands.start, hands.end);
        let (mut made, mut still_open, mut at_head) = (hands.made, *open, *head);
        let mut random = stream.clone();
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
                    if usize::from(levels[usize::from(dom)]) == level && dom != common {
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
            if end - start > mask {
                break Halt::Pick(chosen, bits);
            }
            hands.ring[end & mask] = Change { at: chosen, before: dom, from: MADE };
            end += 1;
            made += 1;
            still_open -= 1;
            cells[chosen as usize] = REAL + pick.pick(bits) as u16;
            sprint.decisions += 1;

            let first = at_head;
            while at_head != end {
                if at_head - first == course.unit {
                    break 'decisions Halt::Spread(course.unit);
                }
                let Change { at, before, from } = hands.ring[at_head & mask];
                let now = supports[usize::from(cells[at as usize])].0;
                let old = supports[usize::from(before)].0;
                let others = OTHERS[usize::from(from) % OTHERS.len()];
                let steps = padded.steps(at);
                for word in 0..S.div_ceil(LANES) {
                    let mut news = (now[word] ^ old[word]) & others[word];
                    while news != 0 {
                        let lane = news.trailing_zeros() / LANE_BITS;
                        news &= !(LANE << (lane * LANE_BITS));
                        let side = (word * LANES + lane as usize) % S;
                        let to = at.wrapping_add_signed(steps[side]);
                        let dom = cells[to as usize];
                        let class = (now[word] >> (lane * LANE_BITS)) as u16;
                        let next = table[(usize::from(dom) << shift) + usize::from(class)];
                        if next == dom {
                            continue;
                        }
                        // Nothing left, or not yet known: the two ends of the range.
                        if next.wrapping_sub(1) >= UNKNOWN - 1
                            || next == common
                            || end - start > mask
                        {
                            break 'decisions Halt::Spread(at_head - first);
                        }
                        let level = levels[usize::from(next)];
                        let pooled = dom == common;
                        if level == 0 {
                            still_open -= 1;
                        } else if pooled || level != levels[usize::from(dom)] {
                            let bucket = &mut queue.buckets[usize::from(level)];
                            if bucket.len == bucket.room.len() {
                                break 'decisions Halt::Spread(at_head - first);
                            }
                            bucket.room[bucket.len] = to;
                            bucket.len += 1;
                            filled[usize::from(level / 64)] |= 1 << (level % 64);
                        }
                        pool -= usize::from(pooled);
                        cells[to as usize] = next;
                        hands.ring[end & mask] =
                            Change { at: to, before: dom, from: padded.opposite(side) };
                        end += 1;
                    }
                }
                at_head += 1;
            }
            sprint.open = still_open;
            if end - start > most {
                (hands.start, hands.end, hands.made) = (start, end, made);
                sprint.committed |= hands.cut(course.window);
                (start, made) = (hands.start, hands.made);
            }
        };
        trail.put_back(start, end, made);
        (*open, *head) = (still_open, at_head);
        (*queue.filled, *queue.pool) = (filled, pool);
        *stream = random;
        sprint
    }
}
