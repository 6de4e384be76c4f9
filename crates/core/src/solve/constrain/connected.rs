//! That cells which hold some poses hang together.
//!
//! Two cells are linked while both can show each other what joins them. So the pieces of what is *possible* only ever
//! fall apart further: one without a cell that must belong to it can belong to nothing, and two that both have such a
//! cell are a contradiction. Where cells changed, searches go out from all that is left around them, step by step in
//! turn, until they have met: their cost is that of the smaller pieces, not that of the map.

use super::ground::{Ground, MOST_SIDES, NOWHERE};
use super::seen::Seen;
use super::steps::Marks;
use super::{Constraint, Follower, Following, Held, MOST_LEARNED, News};
use crate::grid::BitPlane;
use crate::lattice::Cell;
use crate::limits::Climb;
use crate::rules::PoseSet;
use std::fmt;
use std::sync::Arc;

/// The place of what hangs together among the sets; what reaches over each side comes behind it.
const OF: usize = 0;

/// Cells that hold one of some poses hang together.
#[derive(Clone, Debug)]
pub(crate) struct Joined {
    /// What hangs together; then for each side what of it reaches over that side, unless all of it does.
    sets: Vec<PoseSet>,
    regions: u32,
    /// Each piece has one of these.
    from: Option<BitPlane>,
}

impl Joined {
    /// `over` has a set for each side, or is empty.
    pub(crate) fn new(
        poses: PoseSet,
        over: Vec<PoseSet>,
        regions: u32,
        from: Option<BitPlane>,
    ) -> Self {
        let sets = std::iter::once(poses).chain(over).collect();
        Self { sets, regions: regions.max(1), from }
    }

    /// The cells that one is linked to, by what can be.
    #[inline]
    fn linked(&self, seen: &[Seen], ground: &dyn Ground, opposites: &Opposites, at: u32) -> Few {
        let plain = self.sets.len() == 1;
        let mut few = Few::default();
        for (side, beyond) in ground.around(at).into_iter().enumerate() {
            if beyond == NOWHERE {
                continue;
            }
            let joined = if plain {
                seen[OF].is_can(beyond)
            } else {
                seen[1 + side].is_can(at) && seen[1 + opposites[side]].is_can(beyond)
            };
            if joined {
                few.push(beyond);
            }
        }
        few
    }

    /// The cells of which each piece needs one, in rising order.
    fn roots(&self, ground: &dyn Ground) -> Option<Vec<u32>> {
        let from = self.from.as_ref()?;
        let mut roots: Vec<u32> = from.iter().filter_map(|cell| ground.number(cell)).collect();
        roots.sort_unstable();
        Some(roots)
    }

    /// What would have to be for a piece to be more than what it is, or nothing. O(cells of it).
    fn cut(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
        piece: &Piece,
    ) -> Vec<Held> {
        let (plain, opposites) = (self.sets.len() == 1, opposites(ground));
        let mut cut: Vec<Held> = piece.given_up(seen).into_iter().collect();
        for &at in &piece.cells {
            for (side, beyond) in ground.around(at).into_iter().enumerate() {
                if beyond == NOWHERE {
                    continue;
                }
                // What is missing at either end is enough; best is what can never be.
                let ends = if plain {
                    [(beyond, OF), (beyond, OF)]
                } else {
                    [(at, 1 + side), (beyond, 1 + opposites[side])]
                };
                let missing = |&&(at, set): &&(u32, usize)| !seen[set].is_can(at);
                if ends.iter().any(|&(at, set)| never(at, set)) {
                    continue;
                }
                if let Some(&(at, set)) = ends.iter().find(missing) {
                    cut.push(Held { at, set, held: true });
                }
            }
        }
        cut
    }

    /// What would have to be for there to be more pieces: another cell, or one link less of those that hold them together.
    fn few(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
        pieces: &[Piece],
    ) -> Vec<Held> {
        let (plain, opposites) = (self.sets.len() == 1, opposites(ground));
        let others = (0..ground.len() as u32).filter(|&at| !seen[OF].is_can(at) && !never(at, OF));
        let mut all: Vec<Held> = others.map(|at| Held { at, set: OF, held: true }).collect();
        let mut marks = Marks::default();
        marks.begin(ground.len());
        for piece in pieces.iter().filter(|piece| piece.cells.len() > 1) {
            // The cells of a piece are in the order in which they were met, so each is reached from one before.
            marks.mark(piece.cells[0]);
            for &at in &piece.cells {
                for (side, beyond) in ground.around(at).into_iter().enumerate() {
                    let ends = if plain {
                        [(at, OF), (beyond, OF)]
                    } else {
                        [(at, 1 + side), (beyond, 1 + opposites[side])]
                    };
                    let linked = beyond != NOWHERE
                        && ends.iter().all(|&(at, set)| seen[set].is_can(at))
                        && marks.mark(beyond);
                    if linked {
                        all.extend(ends.map(|(at, set)| Held { at, set, held: false }));
                    }
                }
            }
        }
        all
    }

    /// The pieces of what can be. O(cells).
    fn pieces(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        roots: Option<&[u32]>,
        marks: &mut Marks,
    ) -> Vec<Piece> {
        let mut pieces = Vec::new();
        let opposites = opposites(ground);
        marks.begin(ground.len());
        for first in seen[OF].cans() {
            if !marks.mark(first) {
                continue;
            }
            let mut cells = vec![first];
            let mut at = 0;
            while at < cells.len() {
                for beyond in self.linked(seen, ground, &opposites, cells[at]) {
                    if marks.mark(beyond) {
                        cells.push(beyond);
                    }
                }
                at += 1;
            }
            let must = cells.iter().any(|&cell| seen[OF].is_must(cell));
            let rooted = roots
                .is_some_and(|roots| cells.iter().any(|cell| roots.binary_search(cell).is_ok()));
            pieces.push(Piece { cells, must, rooted });
        }
        pieces
    }
}

/// Cells that can hang together.
struct Piece {
    cells: Vec<u32>,
    /// Whether one of them must.
    must: bool,
    /// Whether it has one of the cells that each piece needs.
    rooted: bool,
}

impl Piece {
    /// That the cell which must belong to it does not.
    fn given_up(&self, seen: &[Seen]) -> Option<Held> {
        let at = self.cells.iter().copied().find(|&at| seen[OF].is_must(at))?;
        Some(Held { at, set: OF, held: false })
    }
}

impl fmt::Display for Joined {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.regions, &self.from) {
            (1, None) => f.write_str("one connected piece"),
            (regions, None) => write!(f, "{regions} connected pieces"),
            (_, Some(_)) => f.write_str("that all is reached from where it begins"),
        }
    }
}

impl Constraint for Joined {
    fn watched(&self) -> &[PoseSet] {
        &self.sets
    }

    fn holds(&self, seen: &[Seen], ground: &dyn Ground) -> bool {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        match roots {
            Some(_) => pieces.iter().all(|piece| piece.rooted),
            None if self.regions == 1 => pieces.len() <= 1,
            None => pieces.len() == self.regions as usize,
        }
    }

    fn fails(&self, _: [u64; 2], near: Cell) -> String {
        if self.from.is_some() {
            format!("what stands near {near} cannot be reached from there")
        } else {
            format!("what stands near {near} cannot be reached from the rest")
        }
    }

    fn kept_by(&self, rung: Climb, cells: usize) -> bool {
        rung < Climb::Blocks || rung != Climb::Blocks && cells <= MOST_LEARNED
    }

    fn refute(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
    ) -> Option<Vec<Held>> {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        let mut fixed: Vec<&Piece> = pieces.iter().filter(|piece| piece.must).collect();
        let mut cut = if roots.is_some() {
            let lost = fixed.into_iter().filter(|piece| !piece.rooted);
            self.cut(seen, ground, never, lost.min_by_key(|piece| piece.cells.len())?)
        } else if fixed.len() > self.regions as usize {
            // Two of these are one: but for one of them, each would have to be left.
            fixed.sort_by_key(|piece| piece.cells.len());
            fixed.truncate(self.regions as usize + 1);
            let largest = fixed.pop()?;
            let cuts = fixed.iter().flat_map(|piece| self.cut(seen, ground, never, piece));
            cuts.chain(largest.given_up(seen)).collect()
        } else {
            let few = self.regions > 1 && pieces.len() < self.regions as usize;
            if !few || seen.iter().any(|seen| seen.opens() > 0) {
                return None;
            }
            self.few(seen, ground, never, &pieces)
        };
        cut.sort_unstable();
        cut.dedup();
        Some(cut)
    }

    fn follower(&self, ground: &Arc<dyn Ground>) -> Option<Box<dyn Follower>> {
        let roots = self.roots(&**ground);
        Some(Box::new(Follows {
            rule: self.clone(),
            ground: ground.clone(),
            opposites: opposites(&**ground),
            roots,
            whole: false,
            left: Vec::new(),
            marks: Marks::default(),
            changed: Marks::default(),
            owners: Vec::new(),
            searches: Vec::new(),
            used: 0,
        }))
    }
}

/// What follows from changes.
#[derive(Clone, Debug)]
struct Follows {
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
    fn follow(&mut self, seen: &[Seen], news: &[News], first: usize) -> (Following, usize) {
        if let Some(next) = self.tell_left(seen) {
            return (next, 0);
        }
        let any = seen[OF].must() > 0 || self.roots.is_some() || self.rule.regions > 1;
        if !any || news.is_empty() {
            return (Following::Nothing, news.len());
        }
        let rooted = |one: &News| {
            self.roots.as_ref().is_some_and(|roots| roots.binary_search(&one.at).is_ok())
        };
        // Several pieces can only be counted over the whole map.
        if self.whole && self.rule.regions == 1 && !news.iter().any(rooted) {
            if let Some(broken) = self.near(seen, news, first) {
                return (broken, news.len());
            }
        } else {
            self.whole = false;
        }
        if !self.whole {
            self.whole = true;
            if let Some(broken) = self.all(seen) {
                return (broken, news.len());
            }
        }
        (self.tell_left(seen).unwrap_or(Following::Nothing), news.len())
    }

    fn taken_back(&mut self, seen: &[Seen], reopened: bool) {
        self.left.clear();
        if reopened || seen[OF].must() == 0 {
            self.whole = false;
        }
    }

    fn copied(&self) -> Box<dyn Follower> {
        Box::new(self.clone())
    }
}

impl Follows {
    /// The next cell that belongs to nothing.
    fn tell_left(&mut self, seen: &[Seen]) -> Option<Following> {
        while let Some(&at) = self.left.last() {
            if seen[OF].is_can(at) && !seen[OF].is_must(at) {
                return Some(Following::Take { at, set: OF, keep: false });
            }
            if seen[OF].is_must(at) {
                self.left.clear();
                return Some(Following::Broken(at));
            }
            self.left.pop();
        }
        None
    }

    /// Looks at all pieces. O(cells).
    fn all(&mut self, seen: &[Seen]) -> Option<Following> {
        let roots = self.roots.as_deref();
        let pieces = self.rule.pieces(seen, &*self.ground, roots, &mut self.marks);
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
    fn near(&mut self, seen: &[Seen], news: &[News], first: usize) -> Option<Following> {
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
                one.lost(first)
            } else {
                (0..self.ground.sides()).any(|side| one.lost(first + 1 + side))
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
                    || one.lost(first + here)
                        && (seen[there].is_can(beyond) || self.changed.is_marked(beyond));
                if was_linked {
                    self.go_from(seen, one.at);
                    self.go_from(seen, beyond);
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
                let (met, ended) = self.step(seen, number as u32);
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
        self.judge_apart(seen, &apart, going == 0)
    }

    /// A search goes out from a cell, if it can belong.
    fn go_from(&mut self, seen: &[Seen], start: u32) {
        if !seen[OF].is_can(start) || !self.marks.mark(start) {
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
    fn judge_apart(&mut self, seen: &[Seen], apart: &[usize], all: bool) -> Option<Following> {
        if self.roots.is_some() || self.rule.regions > 1 || all {
            self.whole = false;
            return None;
        }
        let musts = seen[OF].must();
        for &number in apart {
            let cells = &self.searches[number].cells;
            let own = cells.iter().filter(|&&at| seen[OF].is_must(at)).count() as u64;
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
    fn step(&mut self, seen: &[Seen], number: u32) -> (usize, bool) {
        const AT_ONCE: usize = 2;
        let mut met = 0;
        for _ in 0..AT_ONCE {
            let search = &mut self.searches[number as usize];
            let Some(&at) = search.cells.get(search.next) else { return (met, true) };
            search.next += 1;
            let beyond = self.rule.linked(seen, &*self.ground, &self.opposites, at);
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

/// The side across from each.
type Opposites = [usize; MOST_SIDES];

fn opposites(ground: &dyn Ground) -> Opposites {
    std::array::from_fn(|side| if side < ground.sides() { ground.opposite(side) } else { 0 })
}

/// A few cells: at most as many as one has sides.
#[derive(Clone, Copy, Default)]
struct Few {
    all: [u32; MOST_SIDES],
    len: usize,
}

impl Few {
    fn push(&mut self, one: u32) {
        self.all[self.len] = one;
        self.len += 1;
    }
}

impl IntoIterator for Few {
    type Item = u32;
    type IntoIter = std::iter::Take<std::array::IntoIter<u32, MOST_SIDES>>;

    fn into_iter(self) -> Self::IntoIter {
        self.all.into_iter().take(self.len)
    }
}
