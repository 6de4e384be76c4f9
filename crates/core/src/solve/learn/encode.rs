//! A space as true and false: a variable for each kind of pose a cell may hold, and one for each
//! support row that may hold between two cells.
//!
//! Poses with the same rows on all sides are one kind. That a cell holds one kind only follows from
//! its rows; where no neighbour tells two kinds apart, both may stand and either will do. Where a row on one side of a border goes with
//! just one row on the other (as labels do), both are one variable.

use super::clauses::Lit;
use super::engine::{Engine, Problem};
use super::lists::{Lists, Sorting};
use super::tallies::{Tallies, Tally};
use crate::id::{CauseId, Id, RowId};
use crate::lattice::{Cell, Side};
use crate::rules::{PoseSet, Rules};
use crate::solve::constrain::{Bounds, Held, Kept, Listed};
use crate::solve::space::Space;
use std::collections::BTreeMap;

/// Poses that only their weights distinguish.
#[derive(Clone, Debug)]
struct Kind {
    /// The row on each side.
    rows: Vec<u32>,
    poses: PoseSet,
}

/// The cells of a space and the variables that represent what they hold.
#[derive(Clone, Debug, Default)]
pub(super) struct Code {
    kinds: Vec<Kind>,
    pub(super) cells: Vec<Cell>,
    /// The number of each cell of the map among them.
    place: Vec<u32>,
    /// What each cell may hold at first.
    pub(super) first: Vec<PoseSet>,
    /// Where the variables of each cell begin; one more at the end.
    starts: Vec<u32>,
    /// The kind that each of those variables represents.
    kind_of: Vec<u32>,
    /// For each set that is watched the variables of cells that hold one of it, by the cell.
    watched: Vec<(PoseSet, BTreeMap<usize, u32>)>,
}

/// The sets of poses that rules of the whole map watch, with their bounds where they are counted.
fn watched(space: &Space) -> Vec<(PoseSet, Option<Bounds>)> {
    let kept = space.constraints().iter();
    let sets = kept.flat_map(|kept| {
        let tallies = kept.rule.tallies();
        let bounds = move |set| tallies.iter().find(|bounds| bounds.set == set).copied();
        let all = kept.rule.watched().iter().enumerate();
        all.map(move |(set, poses)| (poses.clone(), bounds(set)))
    });
    sets.collect()
}

/// Poses by what they show on all sides, and by which sets they are in.
fn kinds(rules: &Rules, sets: &[(PoseSet, Option<Bounds>)]) -> Vec<Kind> {
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
    let sets = watched(space);
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
    let cells = space.cells() as u64;
    let said = space.constraints().iter().map(|kept| kept.rule.clause_words(sides, cells));
    let lits = said.fold(lits, u64::saturating_add);
    let each = lits.saturating_mul(24).saturating_add(vars * 80);
    cells.saturating_mul(each.saturating_add(rules.poses().len() as u64 / 8 + 64))
}

/// What is gathered while a space is put into variables.
#[derive(Clone, Debug, Default)]
struct Gathered {
    vars: u32,
    follow: Vec<(u32, u32)>,
    groups: Lists,
    /// For each item of a group its variable and the group.
    groups_of: Vec<(u32, u32)>,
    tallies: Vec<Tally>,
    /// For each variable of a tally it and the tally.
    tallies_of: Vec<(u32, u32)>,
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

    /// One at most of these is true.
    fn group(&mut self, vars: impl IntoIterator<Item = u32> + Clone) {
        let group = self.groups.len() as u32;
        self.groups_of.extend(vars.clone().into_iter().map(|var| (var, group)));
        self.groups.push(vars);
    }
}

/// What is done next, in this order.
#[derive(Clone, Debug)]
enum Stage {
    /// The cells that take part, from this one on.
    Cells(usize),
    /// A restriction, on the cells it covers from this one on.
    Restrict(CauseId, usize),
    /// Variables of cells.
    Vars(usize),
    /// Variables of cells that say whether they hold one of a watched set.
    Watch(usize, usize),
    /// Clauses of a rule about cells and their surroundings.
    Require(usize, usize),
    /// The borders of cells at a side.
    Borders(usize, usize),
    Follow(Sorting),
    GroupsOf(Sorting),
    TalliesOf(Sorting),
    /// Room for all variables.
    Grow,
    /// Clauses.
    Clauses(usize),
    Done,
}

/// Cells looked at in one unit where little is done with each, and where more is.
const EASY: usize = 1024;
const HARD: usize = 6;
/// Variables and clauses in one unit.
const MANY: usize = 512;

/// A space that is being put into variables, some cells at a time.
#[derive(Debug)]
pub(super) struct Encoder {
    stage: Stage,
    code: Code,
    sets: Vec<(PoseSet, Option<Bounds>)>,
    /// How cells lie, for rules that say something of each.
    ground: Option<Listed>,
    all: Gathered,
    problem: Problem,
    engine: Engine,
}

impl Encoder {
    pub(super) fn new(rules: &Rules, space: &Space) -> Self {
        let sets = watched(space);
        let code = Code {
            first: Vec::new(),
            cells: Vec::new(),
            place: vec![0; space.layout().extent().cells()],
            kinds: kinds(rules, &sets),
            starts: vec![0],
            kind_of: Vec::new(),
            watched: Vec::new(),
        };
        Self {
            stage: Stage::Cells(0),
            code,
            sets,
            ground: None,
            all: Gathered::default(),
            problem: Problem::default(),
            engine: Engine::new(),
        }
    }

    /// With nothing to do.
    pub(super) fn idle() -> Self {
        Self {
            stage: Stage::Done,
            code: Code::default(),
            sets: Vec::new(),
            ground: None,
            all: Gathered::default(),
            problem: Problem::default(),
            engine: Engine::new(),
        }
    }

    /// One unit of work; whether all is done. O(cells x poses x sides) together.
    pub(super) fn work(&mut self, rules: &Rules, space: &Space) -> bool {
        let Self { code, sets, ground, all, problem, engine, .. } = self;
        let cells = code.cells.len();
        let next = |at: usize, step: usize, all: usize| Some(at + step).filter(|&at| at < all);
        let sides = rules.lattice().sides().len();
        let all_watched =
            |sets: &[_]| if sets.is_empty() { Stage::Borders(0, 0) } else { Stage::Watch(0, 0) };
        self.stage = match &mut self.stage {
            Stage::Cells(from) => {
                let extent = space.layout().extent();
                for cell in extent.iter().skip(*from).take(EASY) {
                    if space.contains(cell) {
                        code.place[extent.index(cell).expect("inside")] = code.cells.len() as u32;
                        code.cells.push(cell);
                        code.first.push(PoseSet::full(rules.poses().len()));
                    }
                }
                match next(*from, EASY, extent.cells()) {
                    Some(from) => Stage::Cells(from),
                    None => Stage::Restrict(CauseId::from_index(0), 0),
                }
            }
            Stage::Restrict(cause, from) => match space.restrictions().get(*cause) {
                None => Stage::Vars(0),
                Some(restriction) => {
                    let next = space.each_covered(&restriction.place, *from, EASY, |cell| {
                        let at = code.at(space, cell);
                        code.first[at].intersect(&restriction.allowed);
                    });
                    match next {
                        Some(from) => Stage::Restrict(*cause, from),
                        None => Stage::Restrict(CauseId::from_index(cause.index() + 1), 0),
                    }
                }
            },
            Stage::Vars(from) => {
                for at in *from..cells.min(*from + HARD) {
                    code.vars_of(at, all);
                }
                match next(*from, HARD, cells) {
                    Some(from) => Stage::Vars(from),
                    None => all_watched(sets),
                }
            }
            Stage::Watch(set, from) => {
                let (poses, bounds) = &sets[*set];
                if *from == 0 {
                    code.watched.push((poses.clone(), BTreeMap::new()));
                    let of = |bounds: &Bounds| (bounds.least, bounds.most.unwrap_or(u64::MAX));
                    let (least, most) = bounds.as_ref().map_or((0, u64::MAX), of);
                    all.tallies.push(Tally { vars: Vec::new(), least, most });
                }
                for at in *from..cells.min(*from + HARD) {
                    code.watch(*set, at, bounds.is_some(), all);
                }
                match next(*from, HARD, cells) {
                    Some(from) => Stage::Watch(*set, from),
                    None if *set + 1 < sets.len() => Stage::Watch(*set + 1, 0),
                    None => Stage::Require(0, 0),
                }
            }
            Stage::Require(rule, from) => match space.constraints().get(Id::from_index(*rule)) {
                None => Stage::Borders(0, 0),
                Some(kept) if !kept.rule.tallies().is_empty() => Stage::Require(*rule + 1, 0),
                Some(Kept { rule: said, .. }) => {
                    let before = space.constraints().iter().take(*rule);
                    let first = before.map(|kept| kept.rule.watched().len()).sum();
                    let ground =
                        ground.get_or_insert_with(|| Listed::new(space.layout(), &code.cells));
                    for at in *from..cells.min(*from + HARD) {
                        said.clauses(ground, at as u32, &mut |any| {
                            if let Some(clause) = code.clause(first, any) {
                                all.clause(clause);
                            }
                        });
                    }
                    next(*from, HARD, cells)
                        .map_or(Stage::Require(*rule + 1, 0), |from| Stage::Require(*rule, from))
                }
            },
            Stage::Borders(side, from) => {
                let end = match space_side(rules, *side) {
                    Some(border) => {
                        for here in *from..cells.min(*from + HARD) {
                            code.border(rules, space, &border, here, all);
                        }
                        next(*from, HARD, cells)
                    }
                    None => None,
                };
                match end {
                    Some(from) => Stage::Borders(*side, from),
                    None if *side + 1 < sides => Stage::Borders(*side + 1, 0),
                    None => Stage::Follow(Sorting::new(all.vars as usize * 2)),
                }
            }
            Stage::Follow(sorting) => {
                let Some(lists) = sorting.work(all.follow.len(), |at| all.follow[at]) else {
                    return false;
                };
                problem.follow = lists;
                all.follow = Vec::new();
                Stage::GroupsOf(Sorting::new(all.vars as usize))
            }
            Stage::GroupsOf(sorting) => {
                let Some(lists) = sorting.work(all.groups_of.len(), |at| all.groups_of[at]) else {
                    return false;
                };
                (problem.groups_of, problem.groups) = (lists, std::mem::take(&mut all.groups));
                all.groups_of = Vec::new();
                Stage::TalliesOf(Sorting::new(if all.tallies.is_empty() {
                    0
                } else {
                    all.vars as usize
                }))
            }
            Stage::TalliesOf(sorting) => {
                let Some(lists) = sorting.work(all.tallies_of.len(), |at| all.tallies_of[at])
                else {
                    return false;
                };
                let tallies = Tallies::new(std::mem::take(&mut all.tallies), lists);
                engine.pose(std::mem::take(problem), tallies);
                Stage::Grow
            }
            Stage::Grow => {
                let vars = all.vars as usize;
                if engine.grow(vars.min(engine.vars() + MANY)) == vars {
                    Stage::Clauses(0)
                } else {
                    Stage::Grow
                }
            }
            Stage::Clauses(from) => {
                let until = all.clauses.len().min(*from + MANY);
                for clause in &mut all.clauses[*from..until] {
                    engine.require(&std::mem::take(clause));
                }
                if until < all.clauses.len() {
                    Stage::Clauses(until)
                } else {
                    engine.require_tallies();
                    Stage::Done
                }
            }
            Stage::Done => Stage::Done,
        };
        matches!(self.stage, Stage::Done)
    }

    /// The cells, and the engine that searches for what they hold, when all is done.
    pub(super) fn done(self) -> (Code, Engine) {
        (self.code, self.engine)
    }
}

/// A side and the one across, and for each row of it the rows across that it goes with. None for a side
/// whose borders are those of the one across.
struct Border {
    name: Side,
    side: usize,
    opposite: usize,
    beyond_row: Vec<Vec<u32>>,
}

fn space_side(rules: &Rules, side: usize) -> Option<Border> {
    let lattice = rules.lattice();
    let name = lattice.sides()[side];
    let opposite = lattice.side_index(name.opposite()).expect("sides come in pairs");
    let border = || Border { name, side, opposite, beyond_row: partners(rules, side, opposite) };
    (opposite >= side).then(border)
}

impl Code {
    /// The number of the cell of an index in the map, which takes part.
    pub(super) fn place(&self, index: usize) -> usize {
        self.place[index] as usize
    }

    /// The number of a cell that takes part.
    fn at(&self, space: &Space, cell: Cell) -> usize {
        self.place(space.layout().extent().index(cell).expect("inside"))
    }

    /// The variables of the next cell.
    fn vars_of(&mut self, at: usize, all: &mut Gathered) {
        let first = &self.first[at];
        let here = (0..self.kinds.len() as u32)
            .filter(|&kind| self.kinds[kind as usize].poses.meets(first));
        let before = self.kind_of.len();
        self.kind_of.extend(here);
        let vars = (before..self.kind_of.len()).map(|_| all.fresh());
        let vars: Vec<Lit> = vars.map(|var| Lit::of(var, true)).collect();
        all.clause(vars);
        self.starts.push(all.vars);
    }

    /// The variable that says whether a cell holds one of a set, and what that is to the set's tally, if it is
    /// counted. A cell for which it is settled has none.
    fn watch(&mut self, set: usize, at: usize, counts: bool, all: &mut Gathered) {
        let (poses, vars) = &mut self.watched[set];
        let kinds = self.starts[at]..self.starts[at + 1];
        let within = |&var: &u32| {
            let kind = &self.kinds[self.kind_of[var as usize] as usize];
            kind.poses.iter().next().is_some_and(|pose| poses.contains(pose))
        };
        let (inside, outside): (Vec<u32>, Vec<u32>) = kinds.partition(within);
        if inside.is_empty() || outside.is_empty() {
            let tally = &mut all.tallies[set];
            if counts && !inside.is_empty() {
                // One of the set stands here: more than may, or one less that is wanted.
                let too_many = tally.most == 0;
                tally.least = if too_many { u64::MAX } else { tally.least.saturating_sub(1) };
                tally.most =
                    if tally.most == u64::MAX { u64::MAX } else { tally.most.saturating_sub(1) };
            }
            return;
        }
        let var = all.fresh();
        vars.insert(at, var);
        if counts {
            all.tallies[set].vars.push(var);
            all.tallies_of.push((var, set as u32));
        }
        for kind in inside {
            all.implies(Lit::of(kind, true), Lit::of(var, true));
        }
        for kind in outside {
            all.implies(Lit::of(kind, true), Lit::of(var, false));
        }
    }

    /// The variables that say whether a cell holds one of a watched set, each with the set.
    pub(super) fn watched_at(&self, at: usize) -> impl Iterator<Item = (u32, PoseSet)> + '_ {
        let of = move |(set, vars): &(PoseSet, BTreeMap<usize, u32>)| {
            vars.get(&at).map(|&var| (var, set.clone()))
        };
        self.watched.iter().filter_map(of)
    }

    /// The poses of a watched set.
    pub(super) fn watched(&self, set: usize) -> &PoseSet {
        &self.watched[set].0
    }

    /// The cells of which it is not settled whether they hold one of a set, each with the variable that says so.
    pub(super) fn watching(&self, set: usize) -> impl Iterator<Item = (usize, u32)> + '_ {
        self.watched[set].1.iter().map(|(&at, &var)| (at, var))
    }

    /// A list of facts about sets and cells as a clause; `None` when it always holds. Sets are numbered from `first`.
    pub(super) fn clause(&self, first: usize, any: &[Held]) -> Option<Vec<Lit>> {
        let mut clause = Vec::new();
        for &Held { at, set, held } in any {
            let (poses, vars) = &self.watched[first + set];
            if let Some(&var) = vars.get(&(at as usize)) {
                clause.push(Lit::of(var, held));
            } else {
                let domain = self.first.get(at as usize);
                if domain.is_some_and(|domain| domain.meets(poses)) == held {
                    return None;
                }
            }
        }
        clause.sort_unstable();
        clause.dedup();
        let is_both = |pair: &[Lit]| pair[0].var() == pair[1].var();
        (!clause.windows(2).any(is_both)).then_some(clause)
    }

    /// Variables and clauses of the border between a cell and the one beyond a side.
    fn border(
        &self,
        rules: &Rules,
        space: &Space,
        border: &Border,
        here: usize,
        all: &mut Gathered,
    ) {
        debug_assert_eq!(rules.lattice(), space.layout().lattice());
        let Border { name, side, opposite, beyond_row } = border;
        let Some(beyond) = space.neighbour(self.cells[here], *name) else { return };
        let there = self.at(space, beyond);
        let (near, far) = (self.rows(here, *side), self.rows(there, *opposite));
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
            all.group(far_vars.into_values().collect::<Vec<_>>());
        }
        all.group(group);
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

    /// The variables of a cell, each with the poses it represents that the cell may hold at first.
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
