//! Where a search was nearest to a solution.

use super::clauses::Lit;

/// The values when most variables had one at once, since they were last taken up again; for all others
/// what they lean to.
///
/// Only what changed since then is updated. Source: search is led back to where it was nearest to a solution
/// (Biere and Fleury 2020).
#[derive(Clone, Debug, Default)]
pub(super) struct Best {
    pub(super) values: Vec<bool>,
    len: usize,
    /// The trail up to here is as it was when the values were noted.
    pub(super) kept: usize,
    /// Variables that lost their value since then, each once.
    lost: Vec<u32>,
    pub(super) is_lost: Vec<bool>,
}

impl Best {
    pub(super) fn lose(&mut self, var: u32) {
        if !std::mem::replace(&mut self.is_lost[var as usize], true) {
            self.lost.push(var);
        }
    }

    /// Notes the values of the first `len` of the trail when there were never so many.
    pub(super) fn note(&mut self, len: usize, trail: &[Lit], leaning: &[bool]) {
        if len <= self.len {
            return;
        }
        for var in self.lost.drain(..) {
            self.is_lost[var as usize] = false;
            self.values[var as usize] = leaning[var as usize];
        }
        for lit in &trail[self.kept.min(len)..len] {
            self.values[lit.var() as usize] = lit.is_positive();
        }
        (self.len, self.kept) = (len, len);
    }

    /// Has variables lean to the values noted; nothing has a value now.
    pub(super) fn take_up(&mut self, leaning: &mut [bool]) {
        if self.len > 0 {
            for var in self.lost.drain(..) {
                self.is_lost[var as usize] = false;
                leaning[var as usize] = self.values[var as usize];
            }
            (self.len, self.kept) = (0, 0);
        }
    }
}
