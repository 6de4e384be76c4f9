//! What follows from changed cells, found by searches that start beside them.

use super::faces::Faces;
use super::joined::{Joined, OF, Piece, pieces};
use super::searches::{Found, Searches};
use crate::solve::constrain::ground::{Ground, NOWHERE};
use crate::solve::constrain::steps::Marks;
use crate::solve::constrain::{Follower, Following, News, View};
use std::sync::Arc;

/// What follows from changes.
#[derive(Clone, Debug)]
pub(super) struct Follows {
    rule: Joined,
    ground: Arc<dyn Ground>,
    roots: Option<Vec<u32>>,
    /// Whether all pieces were looked at, so that near changes are enough.
    whole: bool,
    /// Cells cut off from the piece: they may not belong to it any more.
    left: Vec<u32>,
    marks: Marks,
    /// Cells that the news are about.
    changed: Marks,
    /// News that may have cut something apart.
    relevant: Vec<News>,
    searches: Searches,
    /// What spares most searches, on flat maps.
    faces: Option<Faces>,
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

    fn counts(&self) -> usize {
        1
    }

    fn holds(&self, view: &View<'_>) -> Option<bool> {
        Some(self.rule.is_kept(&self.pieces(view, &mut Marks::default())))
    }

    fn see(&mut self, at: u32, view: &View<'_>) {
        self.searches.see(at, view);
    }

    fn taken_back(&mut self, view: &View<'_>, reopened: bool) {
        self.left.clear();
        if let Some(faces) = self.faces.as_mut().filter(|_| !reopened) {
            faces.take_back(&self.searches);
        }
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
            roots: rule.roots(&**ground),
            whole: false,
            left: Vec::new(),
            marks: Marks::default(),
            changed: Marks::default(),
            relevant: Vec::new(),
            searches: Searches::new(ground, rule.sets.len() == 1),
            faces: Faces::new(&**ground).filter(|_| rule.regions == 1),
        }
    }

    /// Takes the next cell that is cut off.
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

    /// The pieces of what can be. O(cells).
    fn pieces(&self, view: &View<'_>, marks: &mut Marks) -> Vec<Piece> {
        marks.begin(self.ground.len());
        let linked = |at| self.searches.links(at).map(|(_, beyond)| beyond);
        let is_must = |at| view.is_must(at, OF);
        pieces(self.searches.cells_that_can(), linked, is_must, self.roots.as_deref(), marks)
    }

    /// Looks at all pieces. O(cells).
    fn all(&mut self, view: &View<'_>) -> Option<Following> {
        if let Some(faces) = &mut self.faces {
            faces.renew(&*self.ground, &self.searches);
        }
        let mut marks = std::mem::take(&mut self.marks);
        let pieces = self.pieces(view, &mut marks);
        self.marks = marks;
        let roots = self.roots.as_deref();
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
        let reaches = self.searches.reaches();
        let mut relevant = std::mem::take(&mut self.relevant);
        relevant.clear();
        relevant.extend(news.iter().filter(|one| one.gained || view.lost_any(one, reaches)));
        let found = if relevant.is_empty() { None } else { self.cut(view, &relevant) };
        self.relevant = relevant;
        match found? {
            Found::Torn(at) => {
                self.left.clear();
                Some(Following::Broken(at))
            }
            Found::Apart { apart, all } => self.judge_apart(view, &apart, all),
        }
    }

    /// What changes may have cut off, if anything.
    fn cut(&mut self, view: &View<'_>, news: &[News]) -> Option<Found> {
        let lose = |faces: &mut Faces| faces.lose(news, &*self.ground, &self.searches);
        let cut_off = self.faces.as_mut().and_then(lose);
        if cut_off == Some(0) { None } else { self.searched(view, news, cut_off) }
    }

    /// Searches from the linked cells around changes, which cut off so many pieces, if that is known.
    fn searched(
        &mut self,
        view: &View<'_>,
        news: &[News],
        cut_off: Option<usize>,
    ) -> Option<Found> {
        self.searches.begin();
        let several = news.len() > 1;
        if several {
            self.changed.begin(self.ground.len());
            for one in news {
                self.changed.mark(one.at);
            }
        }
        for one in news {
            for (side, beyond) in self.searches.around(one.at).into_iter().enumerate() {
                if beyond == NOWHERE {
                    continue;
                }
                // Which links there were, by what each end has lost and the other can, or has lost, too.
                let [here, there] = self.searches.ends(side);
                let was_linked = one.gained
                    || view.lost(one, here)
                        && (view.is_can(beyond, there)
                            || several && self.changed.is_marked(beyond));
                if was_linked {
                    self.searches.go_from(one.at);
                    self.searches.go_from(beyond);
                }
            }
        }
        self.searches.search(cut_off, self.roots.is_none())
    }

    /// What follows from searches that ended apart from others; `all` of them may have.
    fn judge_apart(&mut self, view: &View<'_>, apart: &[usize], all: bool) -> Option<Following> {
        if self.roots.is_some() || self.rule.regions > 1 || all {
            self.whole = false;
            return None;
        }
        let musts = view.seen[OF].must();
        for &number in apart {
            let cells = self.searches.cells(number);
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
}
