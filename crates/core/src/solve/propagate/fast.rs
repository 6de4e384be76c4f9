//! The memo engine's own way through a run of decisions, with everything it touches at hand.
//!
//! It does what [`Searcher`](crate::solve::search) does over [`Domains`](super::Domains), in the
//! same order and with the same random numbers, as long as nothing special happens. When something
//! does (a rim that wraps, a cell that ran out, a list that is full) it stops *before* it, with the
//! state as the slow way would have it, and says where to go on.
//!
//! What is only missing, such as a step never asked for, is made between two dashes and not in the
//! loop: a loop that changes no table keeps more of them in registers.

use super::memo::{Memo, OUTSIDE, Picks};
use crate::seed::{Stream, scale};
use crate::solve::choose::Queue;
use crate::solve::measure::PickTable;
use crate::solve::padded::Ways;
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
    /// Changes that one decision may make before it counts as more than one step.
    pub(crate) unit: usize,
}

/// Where a dash begins.
#[derive(Clone, Copy, Debug)]
enum Start {
    /// Before a choice.
    Choose,
    /// This cell is chosen, and this its random number.
    Pick(u32, u64),
    /// Before the change at the head; the decision it belongs to is at this place of the trail.
    Spread(usize),
}

/// What a dash lacks to go on.
#[derive(Clone, Copy, Debug)]
enum Lack {
    /// Nothing that is made here.
    Nothing,
    /// What becomes of this domain under this class.
    Step(u16, u16),
    /// A way to pick from this domain.
    Picks(u16),
    /// Room in the bucket of this level.
    Room(u8),
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
        let mut start = Start::Choose;
        let mut notes = [0; NOTES];
        let ways = state.padded.ways();
        loop {
            let lack = self.dash(state, stream, course, start, (&mut notes, &ways), &mut sprint);
            let made = match lack {
                Lack::Nothing => false,
                Lack::Step(dom, class) => self.learns(dom, class),
                Lack::Picks(dom) => {
                    self.prepare(usize::from(dom));
                    true
                }
                Lack::Room(level) => match &mut state.queue {
                    Queue::Levels(buckets) => buckets.widen(level),
                    Queue::Fixed(_) => false,
                },
            };
            start = match sprint.halt {
                Halt::Pick(at, bits) if made => Start::Pick(at, bits),
                Halt::Spread(changes) if made => Start::Spread(state.head - changes),
                _ => return sprint,
            };
        }
    }

    /// Makes decisions until something special comes, or something lacks.
    fn dash<const S: usize>(
        &self,
        state: &mut State<u16, S>,
        stream: &mut Stream,
        course: Course,
        start: Start,
        (notes, ways): (&mut [usize; NOTES], &Ways),
        sprint: &mut Sprint,
    ) -> Lack {
        let State { cells, trail, head, open, queue: Queue::Levels(queue), common, .. } = state
        else {
            return Lack::Nothing;
        };
        let most = course.window + course.window / 8;
        let mut hands = trail.hands();
        let mask = hands.ring.len() - 1;
        // So no change of a decision finds the ring full.
        let limit = most.min(mask.saturating_sub(NOTES * S));
        if queue.is_crowded() || hands.end - hands.start > limit {
            return Lack::Nothing;
        }
        let (domains, steps, picks) = (&self.domains[..], &self.steps.places[..], &self.picks[..]);
        let (cells, common) = (&mut cells[..], *common);
        let queue = queue.hands();
        let mut filled = *queue.filled;
        // Open cells, and from bit 32 on pooled ones.
        let mut counts = (*queue.pool as u64) << 32 | *open as u64;
        let (mut end, mut at_head) = (hands.end, *head);
        // Past this place the trail is cut.
        let mut last = hands.start + limit;
        let mut left_to_make = course.decisions - sprint.decisions;
        let mut random = stream.clone();
        let mut noted = 0;
        let (mut first, mut chosen) = (end, None);
        let (mut at, mut left, mut now) = (0, 0, &domains[0]);
        let mut lack = Lack::Nothing;
        match start {
            Start::Choose => {}
            Start::Pick(at, bits) => chosen = Some((at, bits)),
            Start::Spread(decision) => {
                first = decision;
                // Where the decision might become more than one step the slow way counts.
                if end - first + NOTES * S > course.unit {
                    return Lack::Nothing;
                }
                for place in at_head..end {
                    // With too many the slow way goes on.
                    let Some(note) = notes.get_mut(noted) else { return Lack::Nothing };
                    *note = place;
                    noted += usize::from(hands.ring[place & mask].news & !MADE != 0);
                }
                // As below.
                if noted > NOTES - S {
                    return Lack::Nothing;
                }
                let change = hands.ring[at_head & mask];
                (at, left) = (change.at, u32::from(change.news & !MADE));
                now = &domains[usize::from(cells[at as usize])];
            }
        }

        sprint.halt = 'decisions: loop {
            if noted == 0 {
                // Here all is propagated.
                if left_to_make == 0 {
                    break Halt::Spent;
                }
                let bits;
                (at, bits) = match chosen.take() {
                    Some(chosen) => chosen,
                    None => loop {
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
                            break (at, random.bits());
                        }
                    },
                };
                let dom = cells[at as usize];
                let Some(pick) = &picks[usize::from(dom)] else {
                    lack = Lack::Picks(dom);
                    break Halt::Pick(at, bits);
                };
                let mut picked = pick.guide[PickTable::part(bits)];
                if picked == 0 {
                    picked = self.told(usize::from(dom), pick.table.pick(bits));
                }
                let news = (picked >> Picks::SIDES) as u8;
                hands.ring[end & mask] = Change { at, before: dom, news: MADE | news };
                cells[at as usize] = picked as u16;
                first = end;
                end += 1;
                counts -= 1;
                left_to_make -= 1;
                notes[0] = first;
                noted = usize::from(news != 0);
                (left, now) = (u32::from(news), &domains[usize::from(picked as u16)]);
            }

            // Changes that concern nobody need no visit; the others are noted by their place in the
            // ring. One loop goes through all sides, for two loops are harder to foretell.
            let mut visited = 0;
            while left != 0 {
                let side = left.trailing_zeros() as usize;
                let (stride, others) = ways.of::<S>(at, side);
                let to = at.wrapping_add_signed(stride);
                let class = now.class(side);
                let cell = &mut cells[to as usize];
                let dom = *cell;
                let step = steps[domains[usize::from(dom)].place(class)];
                let next = step.next();
                if step.is_of(class) {
                    if next != dom {
                        let bucket = &mut queue.buckets[usize::from(step.level())];
                        if next == common {
                            break;
                        }
                        let Some(slot) = bucket.room.get_mut(bucket.len) else {
                            lack = Lack::Room(step.level());
                            break;
                        };
                        *slot = to;
                        bucket.len += step.moves() as usize;
                        let word = usize::from(step.level() / 64);
                        filled[word] |= u64::from(step.moves()) << (step.level() % 64);
                        counts -= step.counts();
                        *cell = next;
                        let news = step.news(others);
                        hands.ring[end & mask] = Change { at: to, before: dom, news: news as u8 };
                        notes[noted % NOTES] = end;
                        noted += usize::from(news != 0);
                        end += 1;
                    }
                } else if dom != OUTSIDE {
                    lack = Lack::Step(dom, class);
                    break;
                }
                left &= left - 1;
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
            noted = 0;
            at_head = end;
            sprint.open = counts as u32 as usize;
            if end > last {
                if end - hands.start <= most {
                    break Halt::Choose;
                }
                hands.end = end;
                hands.made += count(&mut sprint.decisions, course, left_to_make);
                sprint.committed |= hands.cut(course.window);
                last = hands.start + limit;
            }
        };
        hands.made += count(&mut sprint.decisions, course, left_to_make);
        let (start, made) = (hands.start, hands.made);
        trail.put_back(start, end, made);
        (*open, *head) = (counts as u32 as usize, at_head);
        (*queue.filled, *queue.pool) = (filled, (counts >> 32) as usize);
        *stream = random;
        lack
    }
}

/// Brings the count of decisions up to date; how many are new.
fn count(decisions: &mut u64, course: Course, left_to_make: u64) -> usize {
    let now = course.decisions - left_to_make;
    (now - std::mem::replace(decisions, now)) as usize
}
