//! The memo engine's own way through a run of decisions, with everything it touches at hand.
//!
//! It does what [`Searcher`](crate::solve::search) does over [`Domains`](crate::solve::propagate::Domains), in the
//! same order and with the same random numbers, as long as nothing special happens. When something
//! does (a rim that wraps, a cell that ran out, a list that is full) it stops *before* it, with the
//! state as the slow way would have it, and says where to continue.
//!
//! What is only missing, such as a step never asked for, is made between two dashes and not in the
//! loop: a loop that changes no table keeps more of them in registers.
//!
//! # Why no index is out of range
//! The loop asks for no bounds, which is a tenth of its time or more. It rests on these, which other
//! modules keep:
//! - An open cell and one in the trail lie inside the map, and beyond each of their sides lies a
//!   cell or the rim (`padded`); what is in a bucket or a sequence lies there too or is the rim.
//! - What a cell or a step holds is a domain that was interned, and none is ever dropped (`memo`).
//! - Any class of a domain has a place in the table of steps (`steps`).
//! - A bucket is marked as filled just when it has entries, and has room for all it has (`buckets`).
//! - A decision makes at most [`NOTES`] visits with as many changes each as there are sides, and the
//!   ring has that many places to spare (`undo`).

#![allow(unsafe_code, reason = "measured: bench rows `unchecked`")]
#![allow(clippy::inline_always, reason = "an index must cost no more than a load")]

mod table;

use self::table::Table;
use super::{Leaning, Memo, OUTSIDE, Picks};
use crate::seed::{Stream, divide};
use crate::solve::choose::{Bucket, Hands, Queue, keep};
use crate::solve::measure::{PickTable, pick_by};
use crate::solve::padded::Ways;
use crate::solve::propagate::sprint::{Course, Halt, Sprint};
use crate::solve::state::State;
use crate::solve::undo::{Change, MADE, SPARE};
use std::sync::atomic::Ordering;

/// Changes of one decision that concern others, at most; with more, the slow way continues.
const NOTES: usize = 64;
const _: () = assert!(NOTES * 6 <= SPARE);

/// Where a dash begins.
#[derive(Clone, Copy, Debug)]
enum Start {
    /// Before a choice.
    Choose,
    /// Before the change at the head; the decision it belongs to is at this place of the trail.
    Spread(usize),
}

/// What a dash lacks to continue.
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
        course: Course<'_>,
    ) -> Sprint {
        let mut sprint =
            Sprint { halt: Halt::Choose, decisions: 0, open: usize::MAX, committed: false };
        let mut start = Start::Choose;
        let mut notes = [0; NOTES];
        let ways = state.padded.ways();
        let leaning = if course.leaned.is_some() { Leaning::Leaned } else { Leaning::Even };
        if self.has_picks.is_some_and(|has| has != leaning) {
            self.picks.fill_with(|| None);
            self.has_picks = None;
        }
        if let Queue::Levels(queue) = &mut state.queue {
            let (cells, common) = (&state.cells[..], state.common);
            let pool_level = self.domains[usize::from(common)].level;
            queue.tidy(|entries, level| {
                if level == pool_level {
                    keep(entries, |at| {
                        let dom = cells[at as usize];
                        self.domains[usize::from(dom)].level == level && dom != common
                    })
                } else if course.checked {
                    self.keep::<true>(entries, level, cells)
                } else {
                    self.keep::<false>(entries, level, cells)
                }
            });
        }
        loop {
            let at_hand = (&mut notes, &ways);
            let ranked = matches!(state.queue, Queue::Levels(_));
            // Four calls and no pointer to one of four: each is made part of this loop.
            let lack = match (course.checked, ranked) {
                (true, true) => {
                    self.dash::<true, true, S>(state, stream, course, start, at_hand, &mut sprint)
                }
                (false, true) => {
                    self.dash::<false, true, S>(state, stream, course, start, at_hand, &mut sprint)
                }
                (true, false) => {
                    self.dash::<true, false, S>(state, stream, course, start, at_hand, &mut sprint)
                }
                (false, false) => {
                    self.dash::<false, false, S>(state, stream, course, start, at_hand, &mut sprint)
                }
            };
            let made = match lack {
                Lack::Nothing => false,
                Lack::Step(dom, class) => self.learns(dom, class),
                Lack::Picks(dom) => {
                    self.prepare(usize::from(dom), leaning);
                    true
                }
                Lack::Room(level) => match &mut state.queue {
                    Queue::Levels(buckets) => buckets.widen(level),
                    Queue::Fixed(_) => false,
                },
            };
            start = match sprint.halt {
                Halt::Choose if made => Start::Choose,
                Halt::Spread(changes) if made => Start::Spread(state.head - changes),
                _ => return sprint,
            };
        }
    }

    /// Moves entries that are true of a level, at which none is pooled, to the front; how many.
    fn keep<const CHECKED: bool>(&self, entries: &mut [u32], level: u8, cells: &[u16]) -> usize {
        let count = entries.len();
        // SAFETY: as many are written as were read.
        let mut entries = unsafe { Table::<_, CHECKED>::new(entries) };
        // SAFETY: cells that are entered are cells, and hold domains that were interned.
        let (cells, domains) = unsafe {
            let cells = Table::<_, CHECKED>::new(cells);
            (cells, Table::<_, CHECKED>::new(&self.domains[..]))
        };
        let mut kept = 0;
        for entry in 0..count {
            let at = entries[entry];
            // It is written in any case, which takes no branch.
            entries[kept] = at;
            kept += usize::from(domains[usize::from(cells[at as usize])].level == level);
        }
        kept
    }

    /// Makes decisions until something special comes, or something lacks.
    ///
    /// `RANKED` tells whether cells are in buckets; in a fixed sequence nothing is entered.
    fn dash<const CHECKED: bool, const RANKED: bool, const S: usize>(
        &self,
        state: &mut State<u16, S>,
        stream: &mut Stream,
        course: Course<'_>,
        start: Start,
        (notes, ways): (&mut [usize; NOTES], &Ways),
        sprint: &mut Sprint,
    ) -> Lack {
        let State { cells, trail, head, open, queue, common, .. } = state;
        let most = course.window + course.window / 8;
        let mut hands = trail.hands();
        let mask = hands.mask;
        // With so many changes held, none of a decision finds the ring full.
        let room = (mask + 1).saturating_sub(NOTES * S);
        let limit = most.min(room);
        if queue.is_crowded() || hands.end - hands.start > room {
            return Lack::Nothing;
        }
        let common = *common;
        // In a sequence no cell is pooled, so from this pool all may leave.
        let (mut no_levels, mut no_pool) = ([0; 4], u32::MAX as usize);
        let (queue, mut sequence) = match queue {
            Queue::Levels(buckets) if RANKED => (buckets.hands(), None),
            Queue::Fixed(sequence) if !RANKED => {
                let (filled, pool) = (&mut no_levels, &mut no_pool);
                (Hands { buckets: &mut [], filled, pool, pool_level: 256 }, Some(sequence))
            }
            // Never so; but said here, each loop is compiled for one kind of queue.
            _ => return Lack::Nothing,
        };
        let mut filled = *queue.filled;
        // Open cells, and from bit 32 on pooled ones.
        let mut counts = (*queue.pool as u64) << 32 | *open as u64;
        // Changes are written straight on, past the end of the ring as well, and carried over between
        // two decisions. The position of a change is its slot and the lap.
        let (mut slot, mut lap) = (hands.end & mask, hands.end & !mask);
        let mut at_head = *head;
        // Past this slot something is to be carried over, cut or made.
        let mut last = (hands.start + limit).saturating_sub(lap).min(mask);
        let mut left_to_make = course.decisions - sprint.decisions;
        let mut random = stream.clone();
        let mut noted = 0;
        let mut first = hands.end;
        let (mut at, mut left, mut now) = (0, 0, &self.domains[0]);
        let mut lack = Lack::Nothing;
        if let Start::Spread(decision) = start {
            first = decision;
            // Where the decision might become more than one step the slow way counts.
            if hands.end - first + NOTES * S > course.unit {
                return Lack::Nothing;
            }
            for position in at_head..hands.end {
                // With too many the slow way continues.
                let Some(note) = notes.get_mut(noted) else { return Lack::Nothing };
                *note = position & mask;
                noted += usize::from(hands.ring[position & mask].news & !MADE != 0);
            }
            // As below.
            if noted > NOTES - S {
                return Lack::Nothing;
            }
            let change = hands.ring[at_head & mask];
            (at, left) = (change.at, u32::from(change.news & !MADE));
            debug_assert!(left != 0, "only what concerns others is gone on with");
            now = &self.domains[usize::from(cells[at as usize])];
        }
        let length = cells.len();
        // SAFETY: cells inside the map and those beyond their sides have numbers below the length.
        let mut cells = unsafe { Table::<_, CHECKED>::new(&mut cells[..]) };
        // SAFETY: cells and steps hold domains that were interned.
        let (domains, picks) = unsafe {
            let domains = Table::<_, CHECKED>::new(&self.domains[..]);
            (domains, Table::<_, CHECKED>::new(&self.picks[..]))
        };
        // SAFETY: domains have a place for each class.
        let steps = unsafe { Table::<_, CHECKED>::new(&self.steps.places[..]) };
        // SAFETY: levels are below 256; where there are no buckets, none is asked for.
        let mut buckets = unsafe { Table::<_, CHECKED>::new(&mut queue.buckets[..]) };
        // SAFETY: a visit, which makes S notes at most, begins with room for so many.
        let mut notes = unsafe { Table::<_, CHECKED>::new(&mut notes[..]) };

        sprint.halt = 'decisions: loop {
            // SAFETY: a decision begins at a slot of the ring and makes no more changes than can be spared.
            let mut ring = unsafe { Table::<_, CHECKED>::new(&mut hands.ring[..]) };
            if left == 0 {
                // Here all is propagated.
                if left_to_make == 0 {
                    break Halt::Spent;
                }
                let (dom, bits);
                (at, dom, bits) = loop {
                    if !RANKED {
                        let closed = |at| domains[usize::from(cells[at as usize])].level == 0;
                        let Some(at) = sequence.as_mut().and_then(|s| s.next_open(length, closed))
                        else {
                            break 'decisions Halt::Choose;
                        };
                        break (at, cells[at as usize], random.bits());
                    }
                    let Some(word) = filled.iter().position(|&word| word != 0) else {
                        break 'decisions Halt::Choose;
                    };
                    let level = word * 64 + filled[word].trailing_zeros() as usize;
                    if queue.pool_level <= level && counts >> 32 != 0 {
                        break 'decisions Halt::Choose;
                    }
                    let Bucket { room: entries, len } = &mut buckets[level];
                    // SAFETY: a bucket that is filled has one entry or more, and room for all.
                    let mut entries = unsafe { Table::<_, CHECKED>::new(&mut entries[..]) };
                    let (number, rest) = divide(random.bits(), *len as u64);
                    let number = number as usize;
                    let less = *len - 1;
                    *len = less;
                    let at = entries[number];
                    // What lies around is asked for before it is known how it matters, for in a large
                    // map it is far away.
                    for near in ways.around(at) {
                        cells.foresee(near as usize);
                    }
                    entries[number] = entries[less];
                    filled[word] ^= u64::from(less == 0) << (level % 64);
                    let dom = cells[at as usize];
                    let stands = domains[usize::from(dom)].level;
                    if usize::from(stands) == level && dom != common {
                        break (at, dom, rest);
                    }
                };
                let mut picked = match &picks[usize::from(dom)] {
                    Some(pick) => pick.guide[PickTable::part(bits)],
                    None => 0,
                };
                if picked == 0 {
                    let good;
                    (picked, good) = self.pick_slowly(dom, bits, course.leaned);
                    if !good {
                        (lack, last) = (Lack::Picks(dom), 0);
                    }
                }
                let news = (picked >> Picks::SIDES) as u8;
                ring[slot] = Change { at, before: dom, news: MADE | news };
                cells[at as usize] = picked as u16;
                first = slot + lap;
                counts -= 1;
                left_to_make -= 1;
                notes[0] = slot;
                slot += 1;
                noted = usize::from(news != 0);
                (left, now) = (u32::from(news), &domains[usize::from(picked as u16)]);
            }

            // Changes that concern nobody need no visit; the others are noted by their place in the
            // ring. One loop goes through all sides, for two loops are harder to foretell.
            let mut visited = 0;
            if left != 0 {
                loop {
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
                            if RANKED {
                                let Bucket { room: entries, len } =
                                    &mut buckets[usize::from(step.level())];
                                let Some(entry) = entries.get_mut(*len) else {
                                    lack = Lack::Room(step.level());
                                    break;
                                };
                                *entry = to;
                                *len += step.moves() as usize;
                                let moves = u64::from(step.moves());
                                filled[step.word()] |= moves << (step.level() % 64);
                            }
                            counts -= step.counts();
                            *cell = next;
                            let news = step.news(others);
                            ring[slot] = Change { at: to, before: dom, news: news as u8 };
                            notes[noted] = slot;
                            noted += usize::from(news != 0);
                            slot += 1;
                        }
                    } else if dom != OUTSIDE {
                        lack = Lack::Step(dom, class);
                        break;
                    }
                    left &= left - 1;
                    if left == 0 {
                        visited += 1;
                        // So there is room for the notes of one more visit.
                        if visited == noted || noted > NOTES - S {
                            break;
                        }
                        let change = ring[notes[visited]];
                        (at, left) = (change.at, u32::from(change.news));
                        now = &domains[usize::from(cells[at as usize])];
                    }
                }
                if visited != noted {
                    let note = notes[visited];
                    // A slot past the newest one is from before the lap.
                    at_head = if note < slot { lap + note } else { lap + note - mask - 1 };
                    break Halt::Spread(at_head - first);
                }
            }
            left = 0;
            sprint.open = counts as u32 as usize;
            if slot > last {
                let carried = hands.carry(slot);
                lap += slot - carried;
                slot = carried;
                hands.end = lap + slot;
                if hands.end - hands.start > most {
                    if course.leaned.is_some() {
                        // What was made is counted before the cut, whatever else lacks.
                        lack = Lack::Nothing;
                        break Halt::Choose;
                    }
                    sprint.committed |= hands.cut(course.window);
                }
                // The cut comes first: when it does must not depend on what was known before.
                if hands.end - hands.start > room || matches!(lack, Lack::Picks(_)) {
                    break Halt::Choose;
                }
                last = (hands.start + limit).saturating_sub(lap).min(mask);
            }
        };
        hands.carry(slot);
        let end = lap + slot;
        if !matches!(sprint.halt, Halt::Spread(_)) {
            at_head = end;
        }
        sprint.decisions = course.decisions - left_to_make;
        let start = hands.start;
        trail.put_back(start, end);
        (*open, *head) = (counts as u32 as usize, at_head);
        (*queue.filled, *queue.pool) = (filled, (counts >> 32) as usize);
        *stream = random;
        lack
    }

    /// What [`Memo::told`] returns for the pose that random bits pick where the guide has none, and whether that was quick
    /// enough.
    #[cold]
    #[inline(never)]
    fn pick_slowly(&self, dom: u16, bits: u64, leaned: Option<&[u64]>) -> (u32, bool) {
        let index = usize::from(dom);
        let pose = match (&self.picks[index], leaned) {
            (Some(pick), Some(leaned)) => {
                return (pick.told[pick.table.place_by(leaned, bits)], true);
            }
            (Some(pick), None) => pick.table.pick(bits),
            (None, leaned) => {
                let picked = &self.picked[index];
                let again = picked.load(Ordering::Relaxed);
                picked.store(true, Ordering::Relaxed);
                let pose = match leaned {
                    Some(leaned) => pick_by(|pose| leaned[pose], self.set(dom), bits),
                    None => self.weights.pick(self.set(dom), bits),
                };
                return (self.told(index, pose), !again);
            }
        };
        (self.told(index, pose), true)
    }
}
