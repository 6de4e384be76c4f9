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
    pub(super) fn new(vars: usize) -> Self {
        Self { words: Vec::new(), watches: vec![Vec::new(); vars * 2], learned: Vec::new() }
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

    /// Forgets half of the learned clauses: those that join most levels, of equal ones the older.
    /// Others move, so no one may hold on to a clause.
    pub(super) fn forget(&mut self) {
        let levels = |clause: &ClauseRef| self.words[clause.0 as usize + 1];
        let mut worst: Vec<ClauseRef> =
            self.learned.iter().copied().filter(|clause| levels(clause) > KEPT_LEVELS).collect();
        worst.sort_by_key(|clause| std::cmp::Reverse(levels(clause)));
        worst.truncate(self.learned.len() / 2);
        let mut gone: Vec<u32> = worst.into_iter().map(|clause| clause.0).collect();
        gone.sort_unstable();
        let (mut from, mut to) = (0, 0);
        let mut gone = gone.into_iter().peekable();
        self.learned.clear();
        self.watches.iter_mut().for_each(Vec::clear);
        while from < self.words.len() {
            let length = HEAD + self.words[from] as usize;
            if gone.next_if_eq(&(from as u32)).is_none() {
                self.words.copy_within(from..from + length, to);
                let clause = ClauseRef(to as u32);
                if self.words[to + 1] > 0 {
                    self.learned.push(clause);
                }
                self.watch(clause);
                to += length;
            }
            from += length;
        }
        self.words.truncate(to);
    }
}
