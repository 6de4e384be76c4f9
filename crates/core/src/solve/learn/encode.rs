//! A space as true and false: a variable for each kind of pose a cell may hold, and one for each
//! support row that may hold between two cells.
//!
//! Poses with the same rows on all sides are one kind. That a cell holds one kind only follows from
//! its rows; where no neighbour tells two kinds apart, both may stand and either will do. Where a row on one side of a border goes with
//! just one row on the other (as labels do), both are one variable.

use super::clauses::Lit;
use super::engine::{Engine, Lists, Problem};
use super::tallies::Tally;
use crate::id::{Id, RowId};
use crate::lattice::Cell;
use crate::rules::{PoseSet, Rules};
use crate::solve::constrain::Bounds;
use crate::solve::space::Space;
use std::collections::BTreeMap;

/// Poses that nothing tells apart but their weights.
#[derive(Clone, Debug)]
struct Kind {
    /// The row on each side.
    rows: Vec<u32>,
    poses: PoseSet,
}

/// The cells of a space and the variables that stand for what they hold.
#[derive(Clone, Debug)]
pub(super) struct Code {
    kinds: Vec<Kind>,
    pub(super) cells: Vec<Cell>,
    /// What each cell may hold at first.
    pub(super) first: Vec<PoseSet>,
    /// Where the variables of each cell begin; one more at the end.
    starts: Vec<u32>,
    /// The kind that each of those variables stands for.
    kind_of: Vec<u32>,
    /// For each set that is counted the variables of cells that hold one of it, by the cell.
    counted: Vec<(PoseSet, BTreeMap<usize, u32>)>,
}

/// The sets of poses that rules of the whole map count, and how many of each there may be.
fn counted(space: &Space) -> Vec<(PoseSet, Bounds)> {
    let kept = space.constraints().iter();
    let tallies = kept.flat_map(|kept| {
        let all = kept.rule.tallies().into_iter();
        all.map(|bounds| (kept.rule.watched()[bounds.set].clone(), bounds))
    });
    tallies.collect()
}

/// Poses by what they show on all sides, and by which sets they are in.
fn kinds(rules: &Rules, sets: &[(PoseSet, Bounds)]) -> Vec<Kind> {
    let sides = rules.lattice().sides().len();
    let mut known: BTreeMap<(Vec<u32>, Vec<bool>), usize> = BTreeMap::new();
    let mut kinds: Vec<Kind> = Vec::new();
    for pose in rules.poses().ids() {
        let rows: Vec<u32> =
            (0..sides).map(|side| rules.row_of(side, pose).index() as u32).collect();
        let within = sets.iter().map(|(set, _)| set.contains(pose)).collect();
        let kind = *known.entry((rows.clone(), within)).or_insert_with(|| {
            kinds.push(Kind { rows, poses: PoseSet::empty(rules.poses().len()) });
            kinds.len() - 1
        });
        kinds[kind].poses.insert(pose);
    }
    kinds
}

/// For each row of a side the rows of the opposite side that it goes with.
fn partners(rules: &Rules, side: usize, opposite: usize) -> Vec<Vec<u32>> {
    rules
        .rows(side)
        .iter()
        .map(|row| {
            let beyond = row.iter().map(|pose| rules.row_of(opposite, pose).index() as u32);
            let mut beyond: Vec<u32> = beyond.collect();
            beyond.sort_unstable();
            beyond.dedup();
            beyond
        })
        .collect()
}

/// Bytes that the code of a space takes at most.
pub(super) fn most_bytes(rules: &Rules, space: &Space) -> u64 {
    let sets = counted(space);
    let kinds = kinds(rules, &sets).len() as u64;
    let sides = rules.lattice().sides().len();
    let rows: u64 = (0..sides).map(|side| rules.rows(side).len() as u64).sum();
    let pairs: u64 = (0..sides)
        .map(|side| {
            let row = |id: RowId| rules.rows(side)[id].len().min(rules.rows(side).len()) as u64;
            rules.rows(side).ids().map(row).sum::<u64>()
        })
        .sum();
    // A variable has its state twice over, and what follows from it; a clause its literals and two
    // watches.
    let vars = kinds + rows + 2 * sets.len() as u64;
    let lits = kinds * (1 + 3 * sides as u64) + pairs + rows;
    space.cells() as u64 * (vars * 80 + lits * 24 + rules.poses().len() as u64 / 8 + 64)
}

/// What is gathered while a space is put into variables.
struct Gathered {
    vars: u32,
    follow: Vec<(u32, u32)>,
    groups: Vec<Vec<u32>>,
    clauses: Vec<Vec<Lit>>,
}

impl Gathered {
    fn fresh(&mut self) -> u32 {
        self.vars += 1;
        self.vars - 1
    }

    /// If `a`, then `b`; and the other way round for their negations.
    fn implies(&mut self, a: Lit, b: Lit) {
        self.follow.push((a.0, b.0));
        self.follow.push(((!b).0, (!a).0));
    }

    fn clause(&mut self, lits: Vec<Lit>) {
        match lits[..] {
            [a, b] => self.implies(!a, b),
            _ => self.clauses.push(lits),
        }
    }
}

impl Code {
    /// The cells, and an engine that searches for what they hold. O(cells x poses x sides).
    pub(super) fn new(rules: &Rules, space: &Space) -> (Self, Engine) {
        let sets = counted(space);
        let kinds = kinds(rules, &sets);
        let extent = space.layout().extent();
        let cells: Vec<Cell> = extent.iter().filter(|&cell| space.contains(cell)).collect();
        let mut code = Self {
            first: first_domains(rules, space, &cells),
            cells,
            kinds,
            starts: vec![0],
            kind_of: Vec::new(),
            counted: Vec::new(),
        };
        let mut all =
            Gathered { vars: 0, follow: Vec::new(), groups: Vec::new(), clauses: Vec::new() };
        for first in &code.first {
            let held = |kind: &Kind| {
                let mut some = kind.poses.clone();
                some.intersect(first);
                !some.is_empty()
            };
            let here: Vec<u32> =
                (0..code.kinds.len() as u32).filter(|&k| held(&code.kinds[k as usize])).collect();
            let vars: Vec<u32> = here.iter().map(|_| all.fresh()).collect();
            all.clause(vars.into_iter().map(|var| Lit::of(var, true)).collect());
            code.kind_of.extend(here);
            code.starts.push(all.vars);
        }
        let tallies = sets.into_iter().map(|(set, bounds)| code.tally(set, bounds, &mut all));
        let tallies: Vec<Tally> = tallies.collect();
        code.borders(rules, space, &mut all);
        let pairs = |groups: &[Vec<u32>], by_var: bool| -> Vec<(u32, u32)> {
            let each = groups.iter().enumerate();
            each.flat_map(|(group, vars)| {
                vars.iter().map(
                    move |&var| {
                        if by_var { (var, group as u32) } else { (group as u32, var) }
                    },
                )
            })
            .collect()
        };
        let vars = all.vars as usize;
        let mut engine = Engine::new(Problem {
            vars,
            follow: Lists::new(vars * 2, &all.follow),
            groups: Lists::new(all.groups.len(), &pairs(&all.groups, false)),
            groups_of: Lists::new(vars, &pairs(&all.groups, true)),
            tallies,
        });
        for clause in &all.clauses {
            engine.require(clause);
        }
        engine.require_tallies();
        (code, engine)
    }

    /// Variables that say of each cell whether it holds one of a set, and how many of them are true. A
    /// cell for which it is settled has none.
    fn tally(&mut self, set: PoseSet, bounds: Bounds, all: &mut Gathered) -> Tally {
        let (mut vars, mut settled) = (BTreeMap::new(), 0);
        for at in 0..self.cells.len() {
            let kinds = self.starts[at]..self.starts[at + 1];
            let within = |&var: &u32| {
                let kind = &self.kinds[self.kind_of[var as usize] as usize];
                kind.poses.iter().next().is_some_and(|pose| set.contains(pose))
            };
            let (inside, outside): (Vec<u32>, Vec<u32>) = kinds.partition(within);
            if inside.is_empty() || outside.is_empty() {
                settled += u64::from(!inside.is_empty());
                continue;
            }
            let var = all.fresh();
            vars.insert(at, var);
            for kind in inside {
                all.implies(Lit::of(kind, true), Lit::of(var, true));
            }
            for kind in outside {
                all.implies(Lit::of(kind, true), Lit::of(var, false));
            }
        }
        let too_many = bounds.most.is_some_and(|most| most < settled);
        let most = bounds.most.map_or(u64::MAX, |most| most.saturating_sub(settled));
        let least = if too_many { u64::MAX } else { bounds.least.saturating_sub(settled) };
        let tally = Tally { vars: vars.values().copied().collect(), least, most };
        self.counted.push((set, vars));
        tally
    }

    /// The variables that say whether a cell holds one of a set, each with the set.
    pub(super) fn counted(&self, at: usize) -> impl Iterator<Item = (u32, PoseSet)> + '_ {
        let of = move |(set, vars): &(PoseSet, BTreeMap<usize, u32>)| {
            vars.get(&at).map(|&var| (var, set.clone()))
        };
        self.counted.iter().filter_map(of)
    }

    /// Variables and clauses of each border between two cells.
    fn borders(&self, rules: &Rules, space: &Space, all: &mut Gathered) {
        let lattice = rules.lattice();
        let extent = space.layout().extent();
        let mut number = vec![u32::MAX; extent.cells()];
        for (at, &cell) in self.cells.iter().enumerate() {
            number[extent.index(cell).expect("inside")] = at as u32;
        }
        for (side, &name) in lattice.sides().iter().enumerate() {
            let opposite = lattice.side_index(name.opposite()).expect("sides come in pairs");
            if opposite < side {
                continue;
            }
            let beyond_row = partners(rules, side, opposite);
            for (here, &cell) in self.cells.iter().enumerate() {
                let Some(beyond) = space.neighbour(cell, name) else { continue };
                let there = number[extent.index(beyond).expect("inside")] as usize;
                let (near, far) = (self.rows(here, side), self.rows(there, opposite));
                let alone = |row: u32| {
                    // Whether just one row here goes with that one there.
                    near.keys().filter(|&&r| beyond_row[r as usize].contains(&row)).count() == 1
                };
                let mut far_vars: BTreeMap<u32, u32> = BTreeMap::new();
                let mut group = Vec::new();
                let mut joined = Vec::new();
                for (&row, kinds) in &near {
                    let var = all.fresh();
                    group.push(var);
                    row_is(all, var, kinds);
                    let goes_with: Vec<u32> = beyond_row[row as usize]
                        .iter()
                        .copied()
                        .filter(|row| far.contains_key(row))
                        .collect();
                    match goes_with[..] {
                        [one] if alone(one) => {
                            far_vars.insert(one, var);
                        }
                        _ => joined.push((var, goes_with)),
                    }
                }
                let shared = far_vars.len();
                for (&row, kinds) in &far {
                    let var = *far_vars.entry(row).or_insert_with(|| all.fresh());
                    row_is(all, var, kinds);
                }
                for (var, goes_with) in &joined {
                    let mut clause = vec![Lit::of(*var, false)];
                    clause.extend(goes_with.iter().map(|row| Lit::of(far_vars[row], true)));
                    all.clause(clause);
                }
                for (row, &var) in &far_vars {
                    if !group.contains(&var) {
                        let mut clause = vec![Lit::of(var, false)];
                        let from = joined.iter().filter(|(_, rows)| rows.contains(row));
                        clause.extend(from.map(|&(near, _)| Lit::of(near, true)));
                        all.clause(clause);
                    }
                }
                if shared < group.len() || shared < far_vars.len() {
                    all.groups.push(far_vars.into_values().collect());
                }
                all.groups.push(group);
            }
        }
    }

    /// The rows that a cell may have on a side, each with the variables of its kinds.
    fn rows(&self, at: usize, side: usize) -> BTreeMap<u32, Vec<u32>> {
        let mut rows: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for var in self.starts[at]..self.starts[at + 1] {
            let kind = self.kind_of[var as usize] as usize;
            rows.entry(self.kinds[kind].rows[side]).or_default().push(var);
        }
        rows
    }

    /// The variables of a cell, each with the poses it stands for that the cell may hold at first.
    pub(super) fn vars(&self, at: usize) -> impl Iterator<Item = (u32, PoseSet)> + '_ {
        (self.starts[at]..self.starts[at + 1]).map(move |var| {
            let mut poses = self.kinds[self.kind_of[var as usize] as usize].poses.clone();
            poses.intersect(&self.first[at]);
            (var, poses)
        })
    }
}

/// A row's variable is true just when one of its kinds is.
fn row_is(all: &mut Gathered, row: u32, kinds: &[u32]) {
    for &kind in kinds {
        all.implies(Lit::of(kind, true), Lit::of(row, true));
    }
    let mut clause = vec![Lit::of(row, false)];
    clause.extend(kinds.iter().map(|&kind| Lit::of(kind, true)));
    all.clause(clause);
}

fn first_domains(rules: &Rules, space: &Space, cells: &[Cell]) -> Vec<PoseSet> {
    let extent = space.layout().extent();
    let mut at = vec![usize::MAX; extent.cells()];
    for (number, &cell) in cells.iter().enumerate() {
        at[extent.index(cell).expect("inside")] = number;
    }
    let mut first = vec![PoseSet::full(rules.poses().len()); cells.len()];
    for restriction in space.restrictions() {
        space.for_each_covered(&restriction.place, |cell| {
            first[at[extent.index(cell).expect("inside")]].intersect(&restriction.allowed);
        });
    }
    first
}
