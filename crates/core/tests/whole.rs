//! What holds of the whole map: against all fills of small spaces, judged here once more, and against the verifier.

use lantern_quilt_core::constraints::{Connected, Constraints, Distance, Selector};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::solve::{About, Order, Region, fills};
use lantern_quilt_core::verify::{Break, verify};
use lantern_quilt_testkit::maps::layout_of;
use lantern_quilt_testkit::sets;
use rstest::rstest;
use std::collections::BTreeSet;

/// A demand on some poses, as it is judged here.
#[derive(Clone, Debug)]
enum Demand {
    Joined { of: PoseSet, over: Vec<PoseSet>, regions: u32, from: Option<BitPlane> },
    Apart { of: PoseSet, to: PoseSet, least: u32, most: Option<u32> },
    Count { of: PoseSet, least: u64, most: Option<u64> },
}

impl Demand {
    fn random(kind: u64, rules: &Rules, layout: Layout, stream: &mut Stream) -> Self {
        let poses = rules.poses().len();
        let some = |stream: &mut Stream| {
            let bits = stream.bits() | 1 << stream.below(poses as u64);
            PoseSet::from_fn(poses, |pose| bits >> (pose.index() % 64) & 1 == 1)
        };
        let of = some(stream);
        match kind {
            0 => {
                let sides = rules.lattice().sides();
                let plain = stream.below(2) == 0;
                let over = if plain { [].iter() } else { sides.iter() };
                let over = over.map(|_| {
                    let mut own = some(stream);
                    own.intersect(&of);
                    own
                });
                let over = over.collect();
                let regions = if stream.below(4) == 0 { 2 } else { 1 };
                let bits = stream.bits();
                let inside = |cell| {
                    layout
                        .extent()
                        .index(cell)
                        .is_some_and(|at| bits.rotate_right(at as u32 % 64).is_multiple_of(4))
                };
                let from = (regions == 1 && stream.below(3) == 0)
                    .then(|| BitPlane::from_fn(layout.extent(), inside));
                Self::Joined { of, over, regions, from }
            }
            1 => {
                let to = if stream.below(2) == 0 { of.clone() } else { some(stream) };
                let least = stream.below(4) as u32;
                let most = (stream.below(2) == 0).then(|| least + stream.below(3) as u32);
                Self::Apart { of, to, least, most }
            }
            _ => {
                let least = stream.below(layout.extent().cells() as u64 + 1);
                let most = (stream.below(2) == 0).then(|| least + stream.below(3));
                Self::Count { of, least, most }
            }
        }
    }

    fn add(&self, space: &mut Space) {
        match self.clone() {
            Self::Joined { of, over, regions, from } => space.connect(of, over, regions, from),
            Self::Apart { of, to, least, most } => space.keep_apart(of, to, least, most),
            Self::Count { of, least, most } => space.count(of, least, most),
        };
    }

    /// Judges a fill; `held` says what a cell holds.
    fn holds(&self, space: &Space, held: &dyn Fn(Cell) -> Option<PoseId>) -> bool {
        let layout = space.layout();
        let sides = layout.lattice().sides();
        let is = |set: &PoseSet, cell: Cell| held(cell).is_some_and(|pose| set.contains(pose));
        let cells: Vec<Cell> = layout.extent().iter().collect();
        match self {
            Self::Count { of, least, most } => {
                let count = cells.iter().filter(|&&cell| is(of, cell)).count() as u64;
                count >= *least && most.is_none_or(|most| count <= most)
            }
            Self::Apart { of, to, least, most } => {
                cells.iter().filter(|&&cell| is(of, cell)).all(|&cell| {
                    let steps = steps_from(layout, cell);
                    let others = || {
                        cells
                            .iter()
                            .zip(&steps)
                            .filter(|&(&other, _)| other != cell && is(to, other))
                    };
                    others().all(|(_, steps)| steps.is_none_or(|steps| steps >= *least))
                        && most.is_none_or(|most| {
                            others().any(|(_, steps)| steps.is_some_and(|steps| steps <= most))
                        })
                })
            }
            Self::Joined { of, over, regions, from } => {
                // Numbers of pieces spread until nothing changes.
                let mut piece: Vec<Option<usize>> = cells
                    .iter()
                    .enumerate()
                    .map(|(at, &cell)| is(of, cell).then_some(at))
                    .collect();
                loop {
                    let mut changed = false;
                    for (at, &cell) in cells.iter().enumerate() {
                        for (number, &side) in sides.iter().enumerate() {
                            let Some(beyond) = layout.neighbour(cell, side) else { continue };
                            let back =
                                sides.iter().position(|&one| one == side.opposite()).unwrap();
                            let there = layout.extent().index(beyond).unwrap();
                            let linked = over.is_empty()
                                || is(&over[number], cell) && is(&over[back], beyond);
                            if let (Some(a), Some(b), true) = (piece[at], piece[there], linked)
                                && b < a
                            {
                                (piece[at], changed) = (Some(b), true);
                            }
                        }
                    }
                    if !changed {
                        break;
                    }
                }
                let all: BTreeSet<usize> = piece.iter().flatten().copied().collect();
                match from {
                    Some(from) => all.iter().all(|one| {
                        cells
                            .iter()
                            .zip(&piece)
                            .any(|(&cell, own)| *own == Some(*one) && from.get(cell))
                    }),
                    None if *regions == 1 => all.len() <= 1,
                    None => all.len() == *regions as usize,
                }
            }
        }
    }
}

/// How many steps each cell is from one.
fn steps_from(layout: Layout, from: Cell) -> Vec<Option<u32>> {
    let extent = layout.extent();
    let mut steps = vec![None; extent.cells()];
    steps[extent.index(from).unwrap()] = Some(0);
    for round in 0..extent.cells() as u32 {
        for cell in extent
            .iter()
            .filter(|&cell| steps[extent.index(cell).unwrap()] == Some(round))
            .collect::<Vec<_>>()
        {
            for beyond in
                layout.lattice().sides().iter().filter_map(|&side| layout.neighbour(cell, side))
            {
                steps[extent.index(beyond).unwrap()].get_or_insert(round + 1);
            }
        }
    }
    steps
}

/// A small space without demands.
fn small_space(lattice: usize, stream: &mut Stream) -> (Rules, Space) {
    let sizes: &[[u32; 3]] = match lattice {
        0 => &[[3, 3, 1], [4, 2, 1], [5, 2, 1], [4, 3, 1], [7, 1, 1]],
        // Doubled, so that they wrap.
        1 | 2 => &[[1, 2, 1], [2, 1, 1], [1, 1, 1]],
        _ => &[[2, 2, 2], [3, 2, 1], [1, 2, 4]],
    };
    let size = sizes[stream.below(sizes.len() as u64) as usize];
    let layout = layout_of(lattice, size, std::array::from_fn(|_| stream.below(3) == 0));
    let cells = layout.extent().cells();
    let poses = if cells > 9 { 2 } else { 2 + stream.below(2) as usize };
    let (bits, opposites) = (stream.bits(), sets::opposites(layout.lattice()));
    let rules = Rules::from_pairs(layout.lattice(), &vec![1; poses], |side, a, b| {
        let (side, a, b) =
            if opposites[side] < side { (opposites[side], b, a) } else { (side, a, b) };
        let at = (side * 16 + a * 4 + b) as u32;
        // Most pairs may touch.
        bits.rotate_left(at) & 7 != 0
    })
    .unwrap();
    let mut space = Space::new(layout);
    if stream.below(4) == 0 {
        let bits = stream.bits();
        let inside = |cell| layout.extent().index(cell).is_some_and(|at| bits >> (at % 64) & 3 > 0);
        space = space.outlined(BitPlane::from_fn(layout.extent(), inside));
    }
    (rules, space)
}

/// A fill is found just when there is one, and the fills that are listed are those that are judged right here:
/// each demand alone, and in pairs.
#[rstest]
fn demands_are_met_or_cannot_be(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(&[0], &[1], &[0, 0], &[0, 1], &[1, 2], &[0, 2])] kinds: &[u64],
) {
    const ORDERS: [Order; 4] = [Order::Entropy, Order::Random, Order::Grow, Order::Rows];
    let (mut none, mut found, mut learned) = (0, 0, 0);
    for number in 0..150 {
        let mut stream = Seed::from_number(number).stream(&["whole"]);
        let (rules, mut space) = small_space(lattice, &mut stream);
        if space.cells() == 0 {
            continue;
        }
        let plain = space.clone();
        let demand = |&kind| Demand::random(kind, &rules, plain.layout(), &mut stream);
        let demands: Vec<Demand> = kinds.iter().map(demand).collect();
        for demand in &demands {
            demand.add(&mut space);
        }
        let cells: Vec<Cell> =
            space.layout().extent().iter().filter(|&cell| space.contains(cell)).collect();
        let all = |space: &Space| {
            fills(&rules, space, &Limits::default(), &Never)
                .map(Result::unwrap)
                .collect::<BTreeSet<_>>()
        };
        let right = |fill: &Vec<PoseId>| {
            let held = |cell| cells.iter().position(|&one| one == cell).map(|at| fill[at]);
            demands.iter().all(|demand| demand.holds(&space, &held))
        };
        let wanted: BTreeSet<Vec<PoseId>> = all(&plain).into_iter().filter(right).collect();
        assert_eq!(all(&space), wanted, "{number}: {demands:?}");
        let mut search = Search::default();
        search.order = ORDERS[number as usize % ORDERS.len()];
        (search.climb, search.patience) = (Climb::Backtrack, 1 << 20);
        let job = Job::new(&rules, space.clone()).search(search).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        assert_eq!(run.fill(), job.plain(true).begin().unwrap().fill(), "{number}");
        match run.outcome().unwrap() {
            Outcome::Filled => {
                let fill: Vec<PoseId> =
                    cells.iter().map(|&cell| run.decided(cell).unwrap()).collect();
                assert!(wanted.contains(&fill), "{number}: {demands:?} {fill:?}");
                found += 1;
            }
            Outcome::Impossible(at) => {
                assert!(wanted.is_empty(), "{number}: {demands:?} {} fills", wanted.len());
                none += 1;
                if let Some(broken) = at.broken {
                    drawn(&run.about(broken.rule), &demands[broken.rule.index()]);
                }
            }
            other => panic!("{number}: {demands:?} {other:?}"),
        }
        if wanted.len() < 24 {
            learned += proven(&rules, &space, &mut vec![], &cells, &wanted);
        }
    }
    assert!(found > 40, "{none} without, {found} with");
    assert!(learned > 0);
}

/// What is drawn of a broken rule: pieces that share no cell, and around them what belongs to none.
fn drawn(about: &About, demand: &Demand) {
    let mut all: Vec<Cell> = about.parts.iter().flat_map(BitPlane::iter).collect();
    assert!(all.iter().all(|&cell| !about.open.get(cell)));
    if let Demand::Joined { .. } = demand {
        let cells = all.len() + about.cut.count();
        all.extend(about.cut.iter());
        all.sort_unstable();
        all.dedup();
        assert_eq!(all.len(), cells);
        assert!(about.parts.is_sorted_by_key(|part| std::cmp::Reverse(part.count())));
    }
}

/// Finds by proofs alone, one cell after the other, that just the `wanted` fills begin with these poses; returns how
/// many runs learned something.
fn proven(
    rules: &Rules,
    space: &Space,
    begun: &mut Vec<PoseId>,
    cells: &[Cell],
    wanted: &BTreeSet<Vec<PoseId>>,
) -> usize {
    let mut search = Search::default();
    (search.climb, search.patience, search.window) = (Climb::Proof, 0, 0);
    search.attempts = 1;
    let mut space = space.clone();
    if let (Some(&pose), Some(&cell)) = (begun.last(), cells.get(begun.len().wrapping_sub(1))) {
        let only = PoseSet::from_fn(rules.poses().len(), |one| one == pose);
        space.restrict(Region::Cell(cell), only);
    }
    let mut run = Job::new(rules, space.clone()).search(search).begin().unwrap();
    let any = wanted.iter().any(|fill| fill.starts_with(begun));
    match run.fill() {
        Outcome::Filled => assert!(any, "{begun:?}"),
        Outcome::Impossible(_) => assert!(!any, "{begun:?}"),
        other => panic!("{begun:?}: {other:?}"),
    }
    assert_eq!(run.left_out().iter().find(|&&rung| rung > Climb::Blocks), None);
    let mut learned = usize::from(run.tally().learned > 0);
    if any && begun.len() < cells.len() {
        for pose in rules.poses().ids() {
            begun.push(pose);
            learned += proven(rules, &space, begun, cells, wanted);
            begun.pop();
        }
    }
    learned
}

/// The verifier judges as is judged here, on maps that nobody filled.
#[rstest]
fn the_verifier_judges_any_map(#[values(0, 1, 2, 3)] lattice: usize) {
    let (mut broken, mut fine) = ([0; 2], [0; 2]);
    for number in 0..400 {
        let mut stream = Seed::from_number(number).stream(&["judged"]);
        let layout = layout_of(
            lattice,
            [[5, 4, 1], [2, 2, 1], [2, 2, 1], [3, 2, 2]][lattice],
            [number % 3 == 0; 3],
        );
        let mut set = TilesetBuilder::new(layout.lattice());
        let moss = set.socket(Socket::plain("moss"));
        for name in ["moss", "walk", "lamp"] {
            set.tile(Tile::new(name).all(moss));
        }
        let set = set.build().unwrap();
        let rules = Rules::compile(&set).unwrap();
        let layer = {
            let mut layer = Layer::new("ground", layout.extent(), Vec::new());
            let names = ["moss", "walk", "lamp"].map(|name| layer.add(Placed::new(name)));
            for cell in layout.extent().iter() {
                layer.set(cell, Some(names[[0, 1, 1, 2][stream.below(4) as usize]]));
            }
            layer
        };
        let kind = |name: &str| vec![Selector::any(Accept::Tile(set.find(name).unwrap()))];
        let of = |name: &str| rules.select(|pose| pose.tile == set.find(name).unwrap());
        let (least, most) = (stream.below(3) as u32, 1 + stream.below(4) as u32);
        let regions = 1 + stream.below(3) as u32;
        let mut joined = Connected::new(kind("walk"));
        joined.regions = regions;
        let distance = Distance::new(kind("lamp"), kind("walk")).least(least).most(most.max(least));
        let wanted = [
            Demand::Joined { of: of("walk"), over: Vec::new(), regions, from: None },
            Demand::Apart { of: of("lamp"), to: of("walk"), least, most: Some(most.max(least)) },
        ];
        let constraints = Constraints {
            connected: vec![joined],
            distances: vec![distance],
            ..Constraints::default()
        };
        let breaks = verify(&layer, layout, |_| true, &set, &constraints);
        let space = Space::new(layout);
        let held = |cell| {
            let tile = set.find(&layer.get(cell)?.tile)?;
            rules.poses().pairs().find(|(_, pose)| pose.tile == tile).map(|(id, _)| id)
        };
        let found = [
            breaks.iter().all(|one| !matches!(one, Break::Apart { .. })),
            breaks.iter().all(|one| !matches!(one, Break::Distance { .. })),
        ];
        for (which, demand) in wanted.iter().enumerate() {
            assert_eq!(
                found[which],
                demand.holds(&space, &held),
                "{number}: {demand:?} {breaks:?}"
            );
            if found[which] { fine[which] += 1 } else { broken[which] += 1 }
        }
    }
    assert!(broken.iter().chain(&fine).all(|&count| count > 20), "{broken:?} {fine:?}");
}
