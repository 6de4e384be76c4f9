//! Clauses in one long list of words, with two literals of each watched.
//!
//! Source: watched literals and the forgetting of clauses by how many levels they join are standard
//! in search with learning (Moskewicz and others 2001; Audemard and Simon 2009).

use std::ops::Not;

/// A variable or its negation.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Lit(pub(super) u32);

impl Lit {
    pub(super) fn of(var: u32, value: bool) -> Self {
        Self(var * 2 + u32::from(!value))
    }

    pub(super) fn var(self) -> u32 {
        self.0 / 2
    }

    pub(super) fn is_positive(self) -> bool {
        self.0 & 1 == 0
    }

    pub(super) fn index(self) -> usize {
        self.0 as usize
    }
}

impl Not for Lit {
    type Output = Self;

    fn not(self) -> Self {
        Self(self.0 ^ 1)
    }
}

/// Where a clause begins in the list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct ClauseRef(pub(super) u32);

/// A clause heard of by one of its literals, and another literal that mostly answers for it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Watch {
    pub(super) clause: ClauseRef,
    pub(super) other: Lit,
}

/// Words before the literals of a clause: its length, and how many levels it joined when learned
/// (0 for clauses of the problem itself).
const HEAD: usize = 2;

/// Clauses that join so few levels are never forgotten.
const KEPT_LEVELS: u32 = 2;

#[derive(Clone, Debug, Default)]
pub(super) struct Clauses {
    words: Vec<u32>,
    /// For each literal the clauses to look at when it becomes false.
    pub(super) watches: Vec<Vec<Watch>>,
    /// Learned clauses, oldest first.
    learned: Vec<ClauseRef>,
}

impl Clauses {
    /// Room for the clauses of more variables.
    pub(super) fn grow(&mut self, vars: usize) {
        self.watches.resize(vars * 2, Vec::new());
    }

    /// Adds a clause of at least two literals, watched by the first two. `levels` is 0 unless it was
    /// learned.
    pub(super) fn add(&mut self, lits: &[Lit], levels: u32) -> ClauseRef {
        let clause = ClauseRef(self.words.len() as u32);
        self.words.push(lits.len() as u32);
        self.words.push(levels);
        self.words.extend(lits.iter().map(|lit| lit.0));
        self.watch(clause);
        if levels > 0 {
            self.learned.push(clause);
        }
        clause
    }

    fn watch(&mut self, clause: ClauseRef) {
        let (first, second) = (self.lit(clause, 0), self.lit(clause, 1));
        self.watches[first.index()].push(Watch { clause, other: second });
        self.watches[second.index()].push(Watch { clause, other: first });
    }

    pub(super) fn len(&self, clause: ClauseRef) -> usize {
        self.words[clause.0 as usize] as usize
    }

    pub(super) fn lit(&self, clause: ClauseRef, at: usize) -> Lit {
        Lit(self.words[clause.0 as usize + HEAD + at])
    }

    /// The literals of a clause as words, to be put in another order.
    #[inline]
    pub(super) fn lits_mut(&mut self, clause: ClauseRef) -> &mut [u32] {
        let start = clause.0 as usize;
        let length = self.words[start] as usize;
        &mut self.words[start + HEAD..start + HEAD + length]
    }

    pub(super) fn lits(&self, clause: ClauseRef) -> impl Iterator<Item = Lit> + '_ {
        let start = clause.0 as usize + HEAD;
        self.words[start..start + self.len(clause)].iter().map(|&word| Lit(word))
    }

    /// Words in use.
    pub(super) fn size(&self) -> usize {
        self.words.len()
    }

    pub(super) fn learned(&self) -> usize {
        self.learned.len()
    }

    /// Half of the learned clauses, to be forgotten: those that join most levels, of equal ones the older.
    pub(super) fn worst(&self) -> Forgetting {
        let levels = |clause: &ClauseRef| self.words[clause.0 as usize + 1];
        let mut worst: Vec<ClauseRef> =
            self.learned.iter().copied().filter(|clause| levels(clause) > KEPT_LEVELS).collect();
        worst.sort_by_key(|clause| std::cmp::Reverse(levels(clause)));
        worst.truncate(self.learned.len() / 2);
        let mut gone: Vec<u32> = worst.into_iter().map(|clause| clause.0).collect();
        gone.sort_unstable();
        Forgetting { gone, forgotten: 0, unwatched: 0, from: 0, to: 0 }
    }

    /// Goes on forgetting; whether all is done. Other clauses move, so no one may hold on to one, and
    /// until then none may be asked for.
    pub(super) fn forget(&mut self, under_way: &mut Forgetting) -> bool {
        let Forgetting { gone, forgotten, unwatched, from, to } = under_way;
        if *unwatched < self.watches.len() {
            let until = (*unwatched + AT_ONCE).min(self.watches.len());
            self.watches[*unwatched..until].iter_mut().for_each(Vec::clear);
            *unwatched = until;
            if until == self.watches.len() {
                self.learned.clear();
            }
            return false;
        }
        let until = self.words.len().min(*from + AT_ONCE);
        while *from < until {
            let length = HEAD + self.words[*from] as usize;
            if gone.get(*forgotten) == Some(&(*from as u32)) {
                *forgotten += 1;
            } else {
                self.words.copy_within(*from..*from + length, *to);
                let clause = ClauseRef(*to as u32);
                if self.words[*to + 1] > 0 {
                    self.learned.push(clause);
                }
                self.watch(clause);
                *to += length;
            }
            *from += length;
        }
        if *from < self.words.len() {
            return false;
        }
        self.words.truncate(*to);
        true
    }
}

/// Words or literals looked at in one step while clauses are forgotten.
const AT_ONCE: usize = 8192;

/// Clauses that are being forgotten, and how far that is.
#[derive(Clone, Debug)]
pub(super) struct Forgetting {
    gone: Vec<u32>,
    forgotten: usize,
    /// Literals that no clause is heard of by any more.
    unwatched: usize,
    /// Up to where clauses were moved, and where to.
    from: usize,
    to: usize,
}
