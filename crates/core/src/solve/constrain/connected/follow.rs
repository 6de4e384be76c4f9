//! What follows from single changes, found by searches from near them.

use super::{Few, Joined, OF, Opposites, Piece, opposites};
use crate::solve::constrain::ground::{Ground, NOWHERE};
use crate::solve::constrain::steps::Marks;
use crate::solve::constrain::{Follower, Following, News, View};
use std::sync::Arc;

/// What follows from changes.
#[derive(Clone, Debug)]
pub(super) struct Follows {
    rule: Joined,
    ground: Arc<dyn Ground>,
    opposites: Opposites,
    roots: Option<Vec<u32>>,
    /// Whether all pieces were looked at, so that near changes are enough.
    whole: bool,
    /// Cells that belong to nothing, to be told.
    left: Vec<u32>,
    marks: Marks,
    /// Cells that the news are about.
    changed: Marks,
    /// Which search met each marked cell.
    owners: Vec<u32>,
    searches: Vec<Search>,
    /// How many of the searches are used now; the others keep their memory.
    used: usize,
}

/// A search that goes out from a cell.
#[derive(Clone, Debug, Default)]
struct Search {
    cells: Vec<u32>,
    next: usize,
    /// The search that it has met and became one with.
    into: Option<u32>,
    ended: bool,
}

impl Search {
    /// Goes out from a cell, in memory of an earlier search.
    fn begin(&mut self, at: u32) {
        self.cells.clear();
        self.cells.push(at);
        (self.next, self.into, self.ended) = (0, None, false);
    }
}

impl Follower for Follows {
    fn follow(&mut self, view: &View<'_>, news: &[News]) -> (Following, usize) {
        if let Some(next) = self.tell_left(view) {
            return (next, 0);
        }
        let any = view.seen[OF].must() > 0 || self.roots.is_some() || self.rule.regions > 1;
        if !any || news.is_empty() {
            return (Following::Nothing, news.len());
        }
        let rooted = |one: &News| {
            self.roots.as_ref().is_some_and(|roots| roots.binary_search(&one.at).is_ok())
        };
        // Several pieces can only be counted over the whole map.
        if self.whole && self.rule.regions == 1 && !news.iter().any(rooted) {
            if let Some(broken) = self.near(view, news) {
                return (broken, news.len());
            }
        } else {
            self.whole = false;
        }
        if !self.whole {
            self.whole = true;
            if let Some(broken) = self.all(view) {
                return (broken, news.len());
            }
        }
        (self.tell_left(view).unwrap_or(Following::Nothing), news.len())
    }

    fn taken_back(&mut self, view: &View<'_>, reopened: bool) {
        self.left.clear();
        if reopened || view.seen[OF].must() == 0 {
            self.whole = false;
        }
    }

    fn copied(&self) -> Box<dyn Follower> {
        Box::new(self.clone())
    }
}

impl Follows {
    pub(super) fn new(rule: &Joined, ground: &Arc<dyn Ground>) -> Self {
        Self {
            rule: rule.clone(),
            ground: ground.clone(),
            opposites: opposites(&**ground),
            roots: rule.roots(&**ground),
            whole: false,
            left: Vec::new(),
            marks: Marks::default(),
            changed: Marks::default(),
            owners: Vec::new(),
            searches: Vec::new(),
            used: 0,
        }
    }

    /// The cells that one is linked to, by what can be.
    #[inline]
    fn linked(&self, view: &View<'_>, at: u32) -> Few {
        let plain = self.rule.sets.len() == 1;
        let mut few = Few::default();
        for (side, beyond) in self.ground.around(at).into_iter().enumerate() {
            if beyond == NOWHERE {
                continue;
            }
            let joined = if plain {
                view.is_can(beyond, OF)
            } else {
                view.is_can(at, 1 + side) && view.is_can(beyond, 1 + self.opposites[side])
            };
            if joined {
                few.push(beyond);
            }
        }
        few
    }

    /// The next cell that belongs to nothing.
    fn tell_left(&mut self, view: &View<'_>) -> Option<Following> {
        while let Some(&at) = self.left.last() {
            if view.is_can(at, OF) && !view.is_must(at, OF) {
                return Some(Following::Take { at, set: OF, keep: false });
            }
            if view.is_must(at, OF) {
                self.left.clear();
                return Some(Following::Broken(at));
            }
            self.left.pop();
        }
        None
    }

    /// Looks at all pieces. O(cells).
    fn all(&mut self, view: &View<'_>) -> Option<Following> {
        let roots = self.roots.as_deref();
        let pieces = self.rule.pieces(view.seen, &*self.ground, roots, &mut self.marks);
        let fixed = |piece: &&Piece| piece.must;
        let many = pieces.iter().filter(fixed).count();
        let useless = |piece: &&Piece| match roots {
            Some(_) => !piece.rooted,
            None => !piece.must && many >= self.rule.regions as usize,
        };
        if roots.is_none() && many > self.rule.regions as usize {
            let smallest = pieces.iter().filter(fixed).min_by_key(|piece| piece.cells.len());
            return smallest.map(|piece| Following::Broken(piece.cells[0]));
        }
        let broken = pieces.iter().filter(useless).find(fixed);
        if let Some(piece) = broken {
            return Some(Following::Broken(piece.cells[0]));
        }
        self.left =
            pieces.iter().filter(useless).flat_map(|piece| piece.cells.iter().copied()).collect();
        None
    }

    /// Looks from cells near changes until all searches have met, or some have ended apart.
    fn near(&mut self, view: &View<'_>, news: &[News]) -> Option<Following> {
        self.marks.begin(self.ground.len());
        self.changed.begin(self.ground.len());
        self.owners.resize(self.ground.len(), 0);
        self.used = 0;
        for one in news {
            self.changed.mark(one.at);
        }
        let plain = self.rule.sets.len() == 1;
        for one in news {
            let any = if plain {
                view.lost(one, OF)
            } else {
                (0..self.rule.sets.len() - 1).any(|side| view.lost(one, 1 + side))
            };
            if !one.gained && !any {
                continue;
            }
            for (side, beyond) in self.ground.around(one.at).into_iter().enumerate() {
                if beyond == NOWHERE {
                    continue;
                }
                // Which links there were, by what each end has lost and the other can, or has lost, too.
                let (here, there) =
                    if plain { (OF, OF) } else { (1 + side, 1 + self.opposites[side]) };
                let was_linked = one.gained
                    || view.lost(one, here)
                        && (view.is_can(beyond, there) || self.changed.is_marked(beyond));
                if was_linked {
                    self.go_from(view, one.at);
                    self.go_from(view, beyond);
                }
            }
        }
        let mut going = self.used;
        let mut apart = Vec::new();
        while going + apart.len() > 1 && going > 0 {
            // The last one need not continue: those that ended are apart from it.
            if going == 1 && !apart.is_empty() {
                break;
            }
            for number in 0..self.used {
                if self.searches[number].into.is_some() || self.searches[number].ended {
                    continue;
                }
                let (met, ended) = self.step(view, number as u32);
                going -= met;
                if ended {
                    self.searches[number].ended = true;
                    apart.push(number);
                    going -= 1;
                }
                if going + apart.len() <= 1 {
                    break;
                }
            }
        }
        if apart.is_empty() || (apart.len() == 1 && going == 0) {
            return None;
        }
        self.judge_apart(view, &apart, going == 0)
    }

    /// A search goes out from a cell, if it can belong.
    fn go_from(&mut self, view: &View<'_>, start: u32) {
        if !view.is_can(start, OF) || !self.marks.mark(start) {
            return;
        }
        self.owners[start as usize] = self.used as u32;
        if self.used == self.searches.len() {
            self.searches.push(Search::default());
        }
        self.searches[self.used].begin(start);
        self.used += 1;
    }

    /// What follows from searches that ended apart from others; `all` of them may have.
    fn judge_apart(&mut self, view: &View<'_>, apart: &[usize], all: bool) -> Option<Following> {
        if self.roots.is_some() || self.rule.regions > 1 || all {
            self.whole = false;
            return None;
        }
        let musts = view.seen[OF].must();
        for &number in apart {
            let cells = &self.searches[number].cells;
            let own = cells.iter().filter(|&&at| view.is_must(at, OF)).count() as u64;
            if own == 0 {
                self.left.extend_from_slice(cells);
            } else if own < musts {
                let first = cells[0];
                self.left.clear();
                return Some(Following::Broken(first));
            } else {
                self.left.clear();
                self.whole = false;
                return None;
            }
        }
        None
    }

    /// One step of a search; how many others it has met, and whether it has ended.
    fn step(&mut self, view: &View<'_>, number: u32) -> (usize, bool) {
        const AT_ONCE: usize = 2;
        let mut met = 0;
        for _ in 0..AT_ONCE {
            let search = &mut self.searches[number as usize];
            let Some(&at) = search.cells.get(search.next) else { return (met, true) };
            search.next += 1;
            let beyond = self.linked(view, at);
            for beyond in beyond {
                if self.marks.mark(beyond) {
                    self.owners[beyond as usize] = number;
                    self.searches[number as usize].cells.push(beyond);
                    continue;
                }
                let owner = self.owner(beyond);
                if owner == number {
                    continue;
                }
                met += 1;
                let size = |search: u32| self.searches[search as usize].cells.len();
                if size(owner) > size(number) {
                    // The rest of this cell is left to the larger one.
                    self.searches[number as usize].next -= 1;
                    self.join(owner, number);
                    return (met, false);
                }
                self.join(number, owner);
            }
        }
        (met, false)
    }

    /// The search that a met cell belongs to by now.
    fn owner(&self, at: u32) -> u32 {
        let mut owner = self.owners[at as usize];
        while let Some(into) = self.searches[owner as usize].into {
            owner = into;
        }
        owner
    }

    /// One search takes up another.
    fn join(&mut self, number: u32, other: u32) {
        let taken = &mut self.searches[other as usize];
        taken.into = Some(number);
        let (cells, gone) = (std::mem::take(&mut taken.cells), taken.next);
        let own = &mut self.searches[number as usize];
        // What was gone through lies in front; what was not changes places with it.
        let first = own.cells.len();
        own.cells.extend_from_slice(&cells);
        for at in 0..gone {
            own.cells.swap(own.next, first + at);
            own.next += 1;
        }
        self.searches[other as usize].cells = cells;
    }
}
