//! What holds of the whole map: against all fills of small spaces, judged here once more, and against the verifier.

use lantern_quilt_core::constraints::{
    Area, Closed, Connected, Constraints, Count, Distance, Selector,
};
use lantern_quilt_core::explain::{Taker, lost};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::passes::layer_of;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::solve::{About, Order, Region, Status, fills};
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

/// Moss, lamps, and lanes with ends; lanes are tagged.
fn garden(lattice: Lattice) -> Tileset {
    let mut set = TilesetBuilder::new(lattice);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    let walk = set.tag("walk");
    let turns = lattice.turns();
    let sides = |paths: &[usize]| -> Vec<Face> {
        let of = |side: usize| Face::new(if paths.contains(&side) { path } else { moss });
        (0..lattice.sides().len()).map(of).collect()
    };
    set.tile(Tile::new("moss").all(moss).weight(9.0));
    set.tile(Tile::new("lamp").all(moss).weight(0.5));
    for (name, paths, weight) in [
        ("bend", &[0, 1][..], 2.0),
        ("lane", &[0, 2], 3.0),
        ("fork", &[0, 1, 2], 1.0),
        ("end", &[0], 0.3),
    ] {
        set.tile(Tile::new(name).sides(sides(paths)).turns(turns).weight(weight).tag(walk));
    }
    set.build().unwrap()
}

/// What the garden is to keep.
fn demands(set: &Tileset, lanes: u64) -> Constraints {
    let tile = |name| vec![Selector::any(Accept::Tile(set.find(name).unwrap()))];
    let walk = || vec![Selector::any(Accept::Tag(set.tags().pairs().next().unwrap().0))];
    let path = set.sockets().pairs().find(|(_, socket)| socket.name() == "path").unwrap().0;
    let mut closed = Closed::new(vec![path]);
    closed.except = tile("fork");
    Constraints {
        connected: vec![Connected::new(walk()).over(vec![path])],
        closed: vec![closed],
        distances: vec![
            Distance::new(tile("lamp"), tile("lamp")).least(3),
            Distance::new(tile("end"), tile("lamp")).most(4),
        ],
        counts: vec![Count::new(walk(), lanes, None), Count::new(tile("lamp"), 2, None)],
        ..Constraints::default()
    }
}

/// All at once, on every lattice, open and wrapping; and when a part is filled again, the whole map keeps them.
#[rstest]
fn maps_keep_what_holds_of_the_whole(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(false, true)] wraps: bool,
    #[values(Order::Entropy, Order::Rows, Order::FromCentre)] order: Order,
) {
    let size = [[12, 10, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice];
    let layout = layout_of(lattice, size, [wraps; 3]);
    let set = garden(layout.lattice());
    let mut collapse = Collapse::new("ground", set, Constraints::default()).unwrap();
    collapse = Collapse::new("ground", collapse.tileset().clone(), demands(collapse.tileset(), 20))
        .unwrap();
    collapse.search.order = order;
    let keeps =
        |layer: &Layer| verify(layer, layout, |_| true, collapse.tileset(), collapse.constraints());
    for seed in 0..4 {
        let seed = Seed::from_number(seed);
        let mut run = collapse.job(layout, &seed).begin().unwrap();
        assert!(run.fill().is_filled(), "{:?}", run.outcome());
        let mut layer = layer_of(&run, collapse.tileset(), "ground");
        assert_eq!(keeps(&layer), [], "{seed}");
        let middle = layout.extent().cell(layout.extent().cells() / 2);
        let region =
            Extent::new(Cell { x: middle.x - 1, y: middle.y - 1, ..middle }, [4, 3, 1]).unwrap();
        let Some(region) = layout.extent().intersection(&region) else { continue };
        let again = collapse.refill(layout, &layer, region, |_| true).unwrap();
        let mut run = again.job(&collapse, &Seed::from_text("again")).begin().unwrap();
        if run.fill().is_filled() {
            again.paste(&collapse, &run, &mut layer);
            assert_eq!(keeps(&layer), [], "{seed} again");
        }
    }
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

/// A fill that spreads is one structure, which begins where something is pinned; all else is filler. So it is on both
/// engines, and where cells run out and are opened again.
#[rstest]
fn one_start_gives_one_structure(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(false, true)] wraps: bool,
    #[values(0, 100)] patience: u32,
) {
    let size = [[16, 12, 1], [7, 7, 1], [7, 7, 1], [7, 6, 4]][lattice];
    let layout = layout_of(lattice, size, [wraps; 3]);
    let set = garden(layout.lattice());
    let [moss, start] = ["moss", "fork"].map(|name| set.find(name).unwrap());
    let path = set.sockets().pairs().find(|(_, socket)| socket.name() == "path").unwrap().0;
    let (origin, [w, h, d]) = (layout.extent().origin(), layout.extent().size());
    let half = |from: i32, length: u32| from + length as i32 / 2;
    let middle = Cell { x: half(origin.x, w), y: half(origin.y, h), z: half(origin.z, d) };
    let walk = Selector::any(Accept::Tag(set.tags().pairs().next().unwrap().0));
    let mut joined = Connected::new(vec![walk]).over(vec![path]);
    joined.from = Some(Area::Between { least: middle, most: middle });
    let pins = vec![Pin::new(middle, start)];
    let borders = layout.lattice().sides().iter();
    let moss_socket = set.sockets().pairs().find(|(_, socket)| socket.name() == "moss").unwrap().0;
    let borders = borders.map(|&side| BorderRule::new(side, vec![Accept::Socket(moss_socket)]));
    let kept = Constraints { pins, borders: borders.collect(), ..Constraints::default() };
    let mut collapse = Collapse::new("ground", set, kept.clone()).unwrap();
    (collapse.search.order, collapse.search.patience) = (Order::Spread(moss), patience);
    let judged = Constraints { connected: vec![joined], ..kept };
    let mut sizes = BTreeSet::new();
    for seed in 0..8 {
        let job = || collapse.job(layout, &Seed::from_number(seed));
        let mut run = job().begin().unwrap();
        assert!(run.fill().is_filled(), "{:?}", run.outcome());
        let layer = layer_of(&run, collapse.tileset(), "ground");
        assert_eq!(verify(&layer, layout, |_| true, collapse.tileset(), &judged), [], "{seed}");
        let mut twin = job().plain(true).begin().unwrap();
        assert!(twin.fill().is_filled());
        assert!(layer_of(&twin, collapse.tileset(), "ground") == layer, "{seed}");
        let others = |tile: &str| {
            let placed = layout.extent().iter().filter_map(|cell| layer.get(cell));
            placed.filter(|placed| placed.tile != tile).count()
        };
        let lamps = layout.extent().cells() - others("lamp");
        assert_eq!(lamps, 0, "what nothing spreads to is filler");
        sizes.insert(others("moss"));
    }
    assert!(sizes.len() > 2 && sizes.first() > Some(&2), "{sizes:?}");
}

/// A garden with all demands at once, ready to be filled.
fn demanding(layout: Layout, lanes: u64) -> Collapse {
    let set = garden(layout.lattice());
    let constraints = demands(&set, lanes);
    Collapse::new("ground", set, constraints).unwrap()
}

/// What a run decided, cell by cell.
fn decided(run: &Run) -> Vec<Option<PoseId>> {
    run.space().layout().extent().iter().map(|cell| run.decided(cell)).collect()
}

/// However a fill is sliced, in whatever memory and on whatever engine: it is the same.
#[rstest]
fn slices_memory_and_engine_change_nothing(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(1, 7, 1000)] slice: u64,
    #[values(Order::Entropy, Order::Rows)] order: Order,
) {
    let layout =
        layout_of(lattice, [[14, 11, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice], [false; 3]);
    let mut collapse = demanding(layout, 24);
    collapse.search.order = order;
    let mut scratch = lantern_quilt_core::solve::Scratch::default();
    for seed in 0..3 {
        let job = || collapse.job(layout, &Seed::from_number(seed));
        let mut whole = job().begin().unwrap();
        assert!(whole.fill().is_filled());
        let mut sliced = job().begin_with(scratch).unwrap();
        while sliced.advance(slice) == Status::Working {}
        let mut checked = job().checked(true).begin().unwrap();
        checked.fill();
        let mut plain = job().plain(true).begin().unwrap();
        plain.fill();
        for other in [&sliced, &checked, &plain] {
            assert_eq!(decided(&whole), decided(other), "{seed}");
        }
        scratch = sliced.into_scratch();
    }
}

/// Large maps keep them as well, and so do those with holes, as far as they are filled.
#[rstest]
#[case::large([150, 120, 1], Order::Entropy, false)]
#[case::rows([150, 120, 1], Order::Rows, false)]
#[case::outward([120, 120, 1], Order::FromCentre, false)]
#[case::holes([40, 30, 1], Order::Random, true)]
fn large_maps_hang_together(#[case] size: [u32; 3], #[case] order: Order, #[case] holes: bool) {
    let layout = layout_of(0, size, [false; 3]);
    let mut collapse = demanding(layout, 400.min(u64::from(size[0] * size[1]) / 4));
    (collapse.search.order, collapse.search.holes) = (order, holes);
    let mut run = collapse.job(layout, &Seed::from_number(5)).begin().unwrap();
    assert!(run.fill().is_filled(), "{:?}", run.outcome());
    let layer = layer_of(&run, collapse.tileset(), "ground");
    let is_hole = |cell: Cell| run.holes().contains(&cell);
    let inside = |cell: Cell| !is_hole(cell);
    let breaks = verify(&layer, layout, inside, collapse.tileset(), collapse.constraints());
    // A side may end at a hole, which is reported; nothing else is broken.
    let left = breaks.iter().filter(|one| !(holes && matches!(one, Break::End { .. }))).count();
    assert_eq!(left, 0, "{breaks:?}");
    let whole = lantern_quilt_core::verify::pieces(
        &layer,
        layout,
        collapse.tileset(),
        &collapse.constraints().connected[0],
    );
    assert_eq!(whole.len(), 1);
}

/// Where nothing may be taken back, the rung that learns finds a map that keeps them, the same however it is sliced; on
/// more than 4096 cells it is left out, which is noted.
#[rstest]
#[case::square(0, [20, 16, 1], true)]
#[case::pointy(1, [9, 8, 1], true)]
#[case::flat(2, [9, 8, 1], true)]
#[case::levels(3, [7, 6, 3], true)]
#[case::larger(0, [26, 24, 1], true)]
#[case::too_large(0, [64, 65, 1], false)]
fn what_is_learned_keeps_them(
    #[case] lattice: usize,
    #[case] size: [u32; 3],
    #[case] is_learned: bool,
) {
    let layout = layout_of(lattice, size, [false; 3]);
    let mut collapse = demanding(layout, layout.extent().cells() as u64 / 5);
    (collapse.search.patience, collapse.search.window, collapse.search.attempts) = (0, 1, 1);
    let mut learned = 0;
    for seed in 0..if layout.extent().cells() > 500 { 1 } else { 5 } {
        let mut runs = [u64::MAX, 97].map(|slice| {
            let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().unwrap();
            while run.advance(slice) == Status::Working {}
            run
        });
        assert_eq!(decided(&runs[0]), decided(&runs[1]), "{seed}");
        let run = &mut runs[0];
        let is_climbed = run.left_out().contains(&Climb::Blocks);
        assert_eq!(run.left_out().contains(&Climb::Learn), is_climbed && !is_learned);
        if !run.outcome().unwrap().is_filled() {
            assert!(!is_learned, "{:?}", run.outcome());
            continue;
        }
        learned += u64::from(run.tally().learned > 0);
        let layer = layer_of(run, collapse.tileset(), "ground");
        let set = collapse.tileset();
        assert_eq!(verify(&layer, layout, |_| true, set, collapse.constraints()), [], "{seed}");
    }
    // Cells with neighbours above and below seldom are cut off.
    assert!(learned > 0 || !is_learned || lattice == 3);
}

/// Halfway through a fill: what an open cell lost is told once for each pose, by whoever took it, and what a rule took
/// restrictions and neighbours would allow.
#[rstest]
fn what_cells_lost_is_told(#[values(0, 1, 2, 3)] lattice: usize) {
    let size = [[14, 11, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice];
    let layout = layout_of(lattice, size, [false; 3]);
    let mut collapse = demanding(layout, 24);
    collapse.search.order = Order::Rows;
    let (mut by_rule, mut by_side) = (0, 0);
    let meets = |a: &PoseSet, b: &PoseSet| a.iter().any(|pose| b.contains(pose));
    for seed in 0..3 {
        let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().unwrap();
        while run.advance(20) == Status::Working {
            for cell in layout.extent().iter() {
                let left = run.domain(cell).unwrap();
                let told = lost(&run, cell);
                if left.len() < 2 {
                    assert!(told.is_empty());
                    continue;
                }
                let mut all = left.clone();
                for (by, poses) in told {
                    assert!(!poses.is_empty() && !meets(&poses, &all), "told once");
                    all.unite(&poses);
                    let fits = |(side, pose): (usize, PoseId)| {
                        let named = layout.lattice().sides()[side];
                        let beyond = run.space().neighbour(cell, named);
                        let support = run.rules().support(side, pose);
                        beyond.is_none_or(|beyond| meets(&run.domain(beyond).unwrap(), support))
                    };
                    let sides = 0..layout.lattice().sides().len();
                    let fits_all = |pose| sides.clone().all(|side| fits((side, pose)));
                    let is_free = |pose| run.space().cause(cell, pose).is_none();
                    match by {
                        Taker::Rule(_) => {
                            by_rule += 1;
                            assert!(poses.iter().all(|pose| fits_all(pose) && is_free(pose)));
                        }
                        Taker::Neighbour(side) => {
                            by_side += 1;
                            let side = layout.lattice().side_index(side).unwrap();
                            assert!(poses.iter().all(|pose| !fits((side, pose)) && is_free(pose)));
                        }
                        Taker::Restriction(_) => assert!(!poses.iter().any(is_free)),
                    }
                }
            }
        }
    }
    assert!(by_rule > 0 && by_side > 0, "{by_rule} {by_side}");
}
