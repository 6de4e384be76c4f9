//! Rules of the whole map: what single cells and pairs of them cannot say.
//!
//! A [`Constraint`] watches sets of poses. Of each cell and each such set it sees two bits: whether the
//! cell *can* hold one of the set, and whether it *must*. After each fixed point of the engine the rules
//! are asked in the order they were said; they take poses away, demand that one is placed next, or find
//! that they are broken. All that they remember is in those bits, which follow from what cells hold: so it
//! outlives a change of engine, and is taken back with the undo window.
//!
//! Rules that know how cells lie have a [`Follower`], which hears of each cell that changed.
//!
//! To add a rule: one file here, a word in [`constraints`](crate::constraints), and its judge in
//! [`verify`](crate::verify). `seen` holds the bits, `watching` asks the rules while a search continues.

mod connected;
mod counts;
mod distance;
mod ground;
mod seen;
mod shown;
mod stands;
mod steps;
mod watching;

pub(crate) use connected::Joined;
pub(crate) use counts::Counts;
pub(crate) use distance::Distances;
pub(crate) use ground::{Ground, Listed};
pub(super) use seen::{Seen, Standing};
pub use shown::About;
use shown::Parts;
pub(super) use shown::about;
use stands::Stands;
pub(super) use watching::{Heed, Watching};

use crate::constraints::Source;
use crate::id::{ConstraintId, IdVec};
use crate::lattice::Cell;
use crate::limits::Climb;
use crate::rules::PoseSet;
use std::fmt::{Debug, Display};
use std::sync::Arc;

/// A rule of the whole map. Shown, it is a demand in words.
pub(crate) trait Constraint: Debug + Display + Send + Sync + 'static {
    /// The sets of poses that it watches.
    fn watched(&self) -> &[PoseSet];

    /// What follows from what it sees of each of its sets. Sound: nothing is taken that a fill could have.
    /// Rules that follow single changes find nothing here.
    fn judge(&self, _seen: &[Seen]) -> Verdict {
        Verdict::Holds
    }

    /// The set of which one must be placed next; none when what stands may be enough.
    fn wants(&self, _seen: &[Seen]) -> Option<usize> {
        None
    }

    /// How many cells must, and how many can, hold one of what it counts.
    fn found(&self, seen: &[Seen]) -> [u64; 2] {
        [seen[0].must(), seen[0].can()]
    }

    /// Whether a finished fill keeps it: the last check.
    fn holds(&self, seen: &[Seen], ground: &dyn Ground) -> bool;

    /// What follows from single changes, for a rule that knows how cells lie; `judge` of such a rule finds nothing.
    fn follower(&self, _ground: &Arc<dyn Ground>) -> Option<Box<dyn Follower>> {
        None
    }

    /// Why it cannot be kept, in words; `near` a cell where that is about a place.
    fn fails(&self, [must, can]: [u64; 2], _near: Cell) -> String {
        format!("{must} must stand by now and {can} can")
    }

    /// What a picture shows of it where it is broken.
    fn parts(&self, seen: &[Seen], _ground: &dyn Ground) -> Parts {
        Parts::of(seen)
    }

    /// Whether a rung of recovery keeps it over so many cells. One that does not is left out.
    fn kept_by(&self, rung: Climb, cells: usize) -> bool;

    /// The same as numbers of cells, for the rung that learns.
    fn tallies(&self) -> Vec<Bounds> {
        Vec::new()
    }

    /// Clauses about one cell and its surroundings, for the rung that learns: at least one of each list is true.
    fn clauses(&self, _ground: &dyn Ground, _at: u32, _each: &mut dyn FnMut(&[Held])) {}

    /// How long those lists of one cell are together, at most.
    fn clause_words(&self, _sides: usize, _cells: u64) -> u64 {
        0
    }

    /// A list of what is false now and of which one must be true, when what is seen cannot be; always one when it is
    /// not kept and no cell is open. `never` says where none of a set can stand from the start. For the rung that
    /// learns, and only what neither `tallies` nor `clauses` say.
    fn refute(
        &self,
        _seen: &[Seen],
        _ground: &dyn Ground,
        _never: &dyn Fn(u32, usize) -> bool,
    ) -> Option<Vec<Held>> {
        None
    }
}

/// Cells at most over which rules that know how cells lie are learned from.
const MOST_LEARNED: usize = 4096;

/// That a cell holds one of a set that a rule watches, or that it does not.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Held {
    pub(crate) at: u32,
    pub(crate) set: usize,
    pub(crate) held: bool,
}

/// Follows changes of cells for one rule.
///
/// What it remembers only saves work: all that follows can be found again from what cells can and must.
pub(crate) trait Follower: Debug + Send + Sync {
    /// What follows next from changed cells, and how many of them need not be asked about again. Sound: nothing is
    /// taken that a fill could have.
    fn follow(&mut self, view: &View<'_>, news: &[News]) -> (Following, usize);

    /// Of how many of its first sets it asks how many cells can and must; of all others [`View::seen`] knows nothing.
    fn counts(&self) -> usize {
        0
    }

    /// Whether a finished fill keeps the rule, by what it saw of each cell; `None` where [`Constraint::holds`] has to
    /// find out.
    fn holds(&self, _view: &View<'_>) -> Option<bool> {
        None
    }

    /// Sees how a cell stands that stands otherwise than before, whether news follow or it was taken back.
    fn see(&mut self, _at: u32, _view: &View<'_>) {}

    /// Changes were taken back; `reopened` when cells were opened again instead, around which others stay.
    fn taken_back(&mut self, view: &View<'_>, reopened: bool);

    fn copied(&self) -> Box<dyn Follower>;
}

/// How cells stand to the sets of a rule.
#[derive(Clone, Copy, Debug)]
pub(crate) struct View<'a> {
    pub(crate) seen: &'a [Seen],
    stands: &'a Stands,
    /// The number of the first set of the rule.
    first: usize,
}

impl View<'_> {
    /// Whether a cell can hold one of a set.
    #[inline]
    pub(crate) fn is_can(&self, at: u32, set: usize) -> bool {
        self.stands.is_can(at, self.first + set)
    }

    /// Of which of some sets a cell can hold one, a bit each: the first, and how many up to 8.
    #[inline]
    pub(crate) fn cans(&self, at: u32, first: usize, many: usize) -> u8 {
        self.stands.cans(at, self.first + first, many)
    }

    /// Whether a cell must hold one of a set.
    #[inline]
    pub(crate) fn is_must(&self, at: u32, set: usize) -> bool {
        self.stands.is_must(at, self.first + set)
    }

    /// Whether a cell lost what it could hold of one of some sets: the first, and how many.
    #[inline]
    pub(crate) const fn lost_any(&self, news: &News, (set, many): (usize, usize)) -> bool {
        let sets = !(u64::MAX << (many * 2));
        self.first + set < 32 && news.lost >> ((self.first + set) * 2) & sets != 0
    }

    /// Whether a cell lost what it could hold of a set.
    #[inline]
    pub(crate) const fn lost(&self, news: &News, set: usize) -> bool {
        self.first + set < 32 && news.lost >> ((self.first + set) * 2) & 1 == 1
    }
}

/// A cell that stands otherwise than before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct News {
    pub(crate) at: u32,
    /// The sets of which it could hold one and cannot any more: the lower of two bits each.
    lost: u64,
    /// Whether there is a set of which it can hold one and could not before, or more sets than bits.
    pub(crate) gained: bool,
}

/// What follows from a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Following {
    /// Nothing.
    Nothing,
    /// The rule can be kept no longer; a cell near what breaks it.
    Broken(u32),
    /// A cell that can, and need not, hold one of this set must hold one, or may not.
    Take { at: u32, set: usize, keep: bool },
}

/// How many cells may hold one of a set.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Bounds {
    /// Which of the sets that the rule watches.
    pub(crate) set: usize,
    pub(crate) least: u64,
    pub(crate) most: Option<u64>,
}

/// What follows from what a rule sees.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Verdict {
    /// Nothing.
    Holds,
    /// It can be kept no longer.
    Broken,
    /// Cells that can hold one of this set and need not must hold one now.
    Must(usize),
    /// Cells that can hold one of this set and need not may not hold one any more.
    MustNot(usize),
}

/// A rule, and where it is written.
#[derive(Clone, Debug)]
pub(crate) struct Kept {
    pub(crate) rule: Arc<dyn Constraint>,
    pub(crate) source: Source,
}

/// A rule of the whole map that was broken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Broken {
    /// Which; see [`Space::demand`](super::Space::demand).
    pub rule: ConstraintId,
    /// How many cells must hold one of what it counts.
    pub must: u64,
    /// How many can.
    pub can: u64,
}

/// Whether cells that hold these keep all rules. O(cells x sets).
pub(super) fn keeps(
    all: &IdVec<ConstraintId, Kept>,
    ground: &dyn Ground,
    cells: &[PoseSet],
) -> bool {
    all.iter().all(|Kept { rule, .. }| {
        let of = |set: &PoseSet| {
            let mut seen = Seen::new(ground.len());
            for (at, held) in cells.iter().enumerate() {
                seen.put(at as u32, Standing::of(held.words(), set));
            }
            seen
        };
        rule.holds(&rule.watched().iter().map(of).collect::<Vec<Seen>>(), ground)
    })
}

/// Bytes that rules take over cells numbered below `len`, besides what they take from cells, which the
/// undo window may have to hold.
pub(super) fn most_bytes(all: &IdVec<ConstraintId, Kept>, len: u64) -> u64 {
    let sets: usize = all.iter().map(|kept| kept.rule.watched().len()).sum();
    // Marks, owners, searches and faces of rules that know how cells lie.
    let following = all.iter().filter(|kept| kept.rule.tallies().is_empty()).count() as u64;
    sets as u64 * Seen::bytes(len) + Stands::bytes(len, sets as u64) + following * len * 48
}
