//! One case table for every engine: against brute force, against each other, and verified.

use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{Order, Region};
use lantern_quilt_core::verify::verify;
use lantern_quilt_testkit::{brute, checked, sets};
use rstest::rstest;

const SETS: u64 = 150;

/// Every order, so that each case of the table meets each of them.
const ORDERS: [Order; 6] = [
    Order::Entropy,
    Order::Options,
    Order::Random,
    Order::Grow,
    Order::Rows,
    Order::Outward(Cell::new(1, 2)),
];

fn layout(lattice: Lattice, size: [u32; 3], wrap: Wrap) -> Layout {
    Layout::new(lattice, Extent::new(Cell::default(), size).unwrap(), wrap).unwrap()
}

/// A search that never gives up before the whole tree is seen.
fn patient() -> Search {
    let mut search = Search::default();
    search.patience = u32::MAX;
    search
}

#[rstest]
#[case::square(Lattice::Square, [3, 3, 1], Wrap::NONE)]
#[case::square_torus(Lattice::Square, [3, 2, 1], Wrap::FLAT)]
#[case::square_ring_of_one(Lattice::Square, [1, 3, 1], Wrap::FLAT)]
#[case::square_ring_of_two(Lattice::Square, [2, 2, 1], Wrap { x: true, y: false, z: false })]
#[case::pointy(Lattice::HexPointy, [3, 3, 1], Wrap::NONE)]
#[case::pointy_torus(Lattice::HexPointy, [2, 4, 1], Wrap::FLAT)]
#[case::flat(Lattice::HexFlat, [3, 3, 1], Wrap::NONE)]
#[case::flat_torus(Lattice::HexFlat, [4, 2, 1], Wrap::FLAT)]
#[case::solid(Lattice::Box, [2, 2, 2], Wrap::NONE)]
#[case::solid_column(Lattice::Box, [2, 1, 3], Wrap { x: true, y: false, z: true })]
fn finds_a_fill_just_when_brute_force_does(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] wrap: Wrap,
) {
    let layout = layout(lattice, size, wrap);
    let (mut filled, mut impossible) = (0, 0);
    for number in 0..SETS {
        let mut stream = Seed::from_number(number).stream(&[lattice.name()]);
        let tiles = 1 + stream.below(4) as usize;
        let set = sets::random_small(lattice, tiles, &mut stream);
        let rules = Rules::compile(&set).unwrap();
        let mut space = sets::random_space(layout, &rules, &mut stream);
        for &side in lattice.sides() {
            if let Some(whole) = rules.whole_at(&set, side) {
                space.restrict(Region::Facing(side), whole);
            }
        }
        let mut search = patient();
        search.order = ORDERS[number as usize % ORDERS.len()];
        search.steer = number % 4 == 1;
        let job = Job::new(&rules, space.clone()).seed(Seed::from_number(number)).search(search);
        let mut run = job.clone().begin().unwrap();
        let outcome = checked::fill(&mut run).clone();
        let mut twin = job.plain(true).begin().unwrap();
        assert_eq!(&outcome, twin.fill(), "set {number}: engines differ");
        let layer = layer_of(&run, &set, "ground");
        assert_eq!(layer, layer_of(&twin, &set, "ground"), "set {number}: engines differ");
        assert_eq!(run.tally(), twin.tally(), "set {number}: engines differ");
        let Some(exists) = brute::exists(&rules, &space, 2_000_000) else { continue };
        match outcome {
            Outcome::Filled => {
                assert!(exists, "set {number}: filled what brute force cannot");
                let breaks =
                    verify(&layer, layout, |c| space.contains(c), &set, &Constraints::default());
                assert_eq!(breaks, [], "set {number}");
                assert!(layout.extent().iter().filter(|&c| space.contains(c)).all(|cell| {
                    space.cause(cell, run.decided(cell).expect("decided")).is_none()
                }));
                filled += 1;
            }
            Outcome::Impossible(_) => {
                assert!(!exists, "set {number}: brute force finds a fill");
                impossible += 1;
            }
            other => panic!("set {number}: {other:?}"),
        }
    }
    assert!(
        filled > SETS / 10 && impossible > SETS / 20,
        "{filled} filled, {impossible} impossible"
    );
}

/// Many poses with rows of their own: the memo's tables overflow and another engine goes on.
#[rstest]
fn an_overflow_of_the_tables_never_shows(#[values(false, true)] steer: bool) {
    let mut stream = Seed::from_number(5).stream(&["overflow"]);
    let poses = 300;
    let allowed: Vec<bool> = (0..4 * poses * poses).map(|_| stream.below(100) < 45).collect();
    let may = |side: usize, a: usize, b: usize| allowed[(side * poses + a) * poses + b];
    let rules = Rules::from_pairs(Lattice::Square, &vec![1; poses], may).unwrap();
    let space = Space::new(layout(Lattice::Square, [60, 60, 1], Wrap::NONE));
    let job = Job::new(&rules, space).search(Search::default().steer(steer));
    let (mut run, mut twin) = (job.clone().begin().unwrap(), job.plain(true).begin().unwrap());
    assert_eq!(run.fill(), twin.fill());
    assert_eq!(run.tally(), twin.tally());
    let all = |run: &Run| -> Vec<_> {
        run.space().layout().extent().iter().map(|c| run.decided(c)).collect()
    };
    assert_eq!(all(&run), all(&twin));
}

/// A sprint of many decisions counts what it decided only when it is over: as if it had been counted after each, however
/// small the undo window is and however the work is sliced.
#[rstest]
fn steered_fills_are_alike_in_every_engine(
    #[values((11, 3), (16, 4), (6, 6))] (tiles, labels): (usize, usize),
    #[values(Order::Entropy, Order::Random, Order::Rows)] order: Order,
    #[values(0, 300, 16_384)] window: u32,
) {
    let mut stream = Seed::from_number(3).stream(&["bench"]);
    let set = sets::random_turning(Lattice::Square, tiles, labels, &mut stream);
    let rules = Rules::compile(&set).unwrap();
    let space = Space::new(layout(Lattice::Square, [70, 50, 1], Wrap::NONE));
    let mut search = Search::default();
    (search.order, search.window, search.steer) = (order, window, true);
    let limits = Limits::default().steps(Some(6000));
    let job = Job::new(&rules, space).search(search).limits(limits);
    let (mut run, mut twin) =
        (job.clone().begin().unwrap(), job.clone().plain(true).begin().unwrap());
    run.fill();
    while twin.advance(3) == Status::Working {}
    let mut sliced = job.begin().unwrap();
    while sliced.advance(50) == Status::Working {}
    let all = |run: &Run| -> Vec<_> {
        run.space().layout().extent().iter().map(|cell| run.domain(cell)).collect()
    };
    for other in [&twin, &sliced] {
        assert_eq!((run.outcome(), run.tally()), (other.outcome(), other.tally()));
        assert!(all(&run) == all(other));
    }
}

#[rstest]
#[case(1, Lattice::Square)]
#[case(63, Lattice::Square)]
#[case(64, Lattice::HexFlat)]
#[case(127, Lattice::HexPointy)]
#[case(130, Lattice::Square)]
#[case(256, Lattice::Box)]
#[case(1030, Lattice::Square)]
fn every_width_of_pose_set_fills_alike(#[case] poses: usize, #[case] lattice: Lattice) {
    // Each pose may stand beside those whose number is close to its own.
    let weights: Vec<u64> = (1..=poses as u64).collect();
    let rules =
        Rules::from_pairs(lattice, &weights, |_, a, b| a.abs_diff(b) <= 1 + poses / 5).unwrap();
    let space =
        Space::new(layout(lattice, [7, 6, if lattice.is_solid() { 3 } else { 1 }], Wrap::NONE));
    let job = Job::new(&rules, space.clone());
    let (mut run, mut twin) = (job.clone().begin().unwrap(), job.plain(true).begin().unwrap());
    assert!(run.fill().is_filled() && twin.fill().is_filled());
    for cell in space.layout().extent().iter() {
        assert_eq!(run.decided(cell), twin.decided(cell));
    }
}

/// Random sets with so many tiles that some never get stuck row by row: just those are told, and they
/// never meet a contradiction.
#[test]
fn sets_that_never_get_stuck_fill_by_rows_as_by_search() {
    let mut search = patient();
    search.order = Order::Rows;
    let (mut safe, mut shy) = (0, 0);
    for number in 0..400 {
        let mut stream = Seed::from_number(number).stream(&["rows"]);
        let poses = 3 + stream.below(90) as usize;
        let labels = 2 + stream.below(2) as usize;
        let drawn: Vec<[u64; 4]> =
            (0..poses).map(|_| std::array::from_fn(|_| stream.below(labels as u64))).collect();
        let opposite = sets::opposites(Lattice::Square);
        let weights: Vec<u64> = (0..poses).map(|_| 1 + stream.below(9)).collect();
        let may = |side: usize, a: usize, b: usize| drawn[a][side] == drawn[b][opposite[side]];
        let rules = Rules::from_pairs(Lattice::Square, &weights, may).unwrap();
        // Proved just when no pair of labels is without a tile, counting labels that are shown.
        let [west, north, east, south] = [Side::West, Side::North, Side::East, Side::South]
            .map(|side| Lattice::Square.sides().iter().position(|&s| s == side).unwrap());
        let pair = |e: u64, s: u64| drawn.iter().any(|tile| tile[west] == e && tile[north] == s);
        let want = drawn.iter().all(|a| drawn.iter().all(|b| pair(a[east], b[south])));
        assert_eq!(rules.never_stuck_by_rows(), want, "set {number}");
        if !want {
            shy += 1;
            continue;
        }
        safe += 1;
        let size = [1 + stream.below(9) as u32, 1 + stream.below(9) as u32, 1];
        let origin = Cell::new(-3, 2);
        let layout =
            Layout::new(Lattice::Square, Extent::new(origin, size).unwrap(), Wrap::NONE).unwrap();
        let job =
            Job::new(&rules, Space::new(layout)).search(search).seed(Seed::from_number(number));
        let (mut run, mut twin) =
            (job.clone().begin().unwrap(), job.clone().plain(true).begin().unwrap());
        while run.advance(1) == Status::Working {
            let newest = run.newest();
            assert!(newest.is_none_or(|cell| run.decided(cell).is_some()));
            assert!(layout.extent().iter().all(|cell| run.options(cell) > 0));
        }
        assert_eq!(run.tally().contradictions, 0, "set {number}");
        assert!(twin.fill().is_filled() && run.outcome().is_some_and(Outcome::is_filled));
        for cell in layout.extent().iter() {
            assert_eq!(run.decided(cell), twin.decided(cell), "set {number} at {cell}");
        }
        assert_eq!(run.tally().decisions, twin.tally().decisions);
        // The same memory serves again, for another size.
        let layout = Layout::flat(Lattice::Square, 5, 3).unwrap();
        let next = Job::new(&rules, Space::new(layout)).search(search);
        let mut again = next.clone().begin_with(run.into_scratch()).unwrap();
        let mut fresh = next.begin().unwrap();
        assert_eq!(again.fill(), fresh.fill());
        assert!(layout.extent().iter().all(|cell| again.decided(cell) == fresh.decided(cell)));
    }
    assert!(safe > 30 && shy > 30, "{safe} safe, {shy} not");
}

/// One decision that changes thousands of cells, each of them in a way not met before.
#[test]
fn a_long_cascade_counts_alike() {
    const POSES: usize = 4300;
    let next = |side: usize, a: usize, b: usize| match side {
        1 => b == (a + 1) % POSES,
        3 => a == (b + 1) % POSES,
        _ => true,
    };
    let rules = Rules::from_pairs(Lattice::Square, &vec![1; POSES], next).unwrap();
    let layout = Layout::flat(Lattice::Square, 4400, 2).unwrap();
    // One of two poses in the first cell of each row, and so in the others; other pairs a row.
    let mut space = Space::new(layout);
    for row in 0..2 {
        let pair = rules.select(|pose| [0, 1 + row].contains(&pose.tile.index()));
        space.restrict(Region::Cell(Cell::new(0, row as i32)), pair);
    }
    let job = Job::new(&rules, space);
    let (mut run, mut twin) = (job.clone().begin().unwrap(), job.plain(true).begin().unwrap());
    assert!(run.fill().is_filled() && twin.fill().is_filled());
    assert_eq!(run.tally(), twin.tally());
    assert!(run.tally().decisions == 2 && run.tally().steps > 4, "{:?}", run.tally());
    assert!(layout.extent().iter().all(|cell| run.decided(cell) == twin.decided(cell)));
}

/// The window and the patience decide the map, not the engine that serves: also where decisions are
/// committed all the time, taken back all the time, or a cell runs out at once.
#[rstest]
fn every_window_fills_alike(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
    #[values(0, 1, 7, 300, 850, 5000)] window: u32,
    #[values(0, 3, 400)] patience: u32,
) {
    let (mut backtracks, mut contradictions) = (0, 0);
    for number in 0..12 {
        let mut stream = Seed::from_number(number).stream(&["window"]);
        let labels = if lattice == Lattice::Square { 4 } else { 2 };
        let set = sets::random_turning(lattice, 9, labels, &mut stream);
        let rules = Rules::compile(&set).unwrap();
        let space = Space::new(layout(lattice, [40, 40, 1], Wrap { x: true, y: false, z: false }));
        let mut search = Search::default();
        (search.window, search.patience, search.attempts) = (window, patience, 2);
        if number % 3 == 2 {
            search.order = Order::Outward(Cell::new(11, number as i32));
        }
        let job = Job::new(&rules, space.clone()).search(search).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        run.fill();
        for twin in [job.clone().checked(true), job.plain(true)] {
            let mut twin = twin.begin().unwrap();
            assert_eq!(run.outcome(), Some(twin.fill()), "set {number}");
            assert_eq!(run.tally(), twin.tally(), "set {number}");
            for cell in space.layout().extent().iter() {
                assert_eq!(run.domain(cell), twin.domain(cell), "set {number} at {cell}");
            }
            assert_eq!(run.newest(), twin.newest(), "set {number}");
        }
        backtracks += run.tally().backtracks;
        contradictions += run.tally().contradictions;
    }
    assert!(contradictions > 0 && (patience == 0) == (backtracks == 0));
}

/// What an observer hears row by row is the same on both engines, and safe sets meet no contradiction.
#[test]
fn safe_rows_are_told_of_alike() {
    #[derive(Default, PartialEq, Debug)]
    struct Heard(Vec<(Cell, PoseId)>);
    impl Observer for Heard {
        fn wants_decisions(&self) -> bool {
            true
        }

        fn decided(&mut self, cell: Cell, pose: PoseId) {
            self.0.push((cell, pose));
        }
    }
    // Three colours, neighbours differ: never stuck, but often with one colour left.
    let colours = Rules::from_pairs(Lattice::Square, &[5, 2, 1], |_, a, b| a != b).unwrap();
    assert!(colours.never_stuck_by_rows());
    let mut search = Search::default();
    search.order = Order::Rows;
    let space = Space::new(layout(Lattice::Square, [17, 11, 1], Wrap::NONE));
    let job = Job::new(&colours, space.clone()).search(search);
    let (mut heard, mut twin_heard) = (Heard::default(), Heard::default());
    let mut run = job.clone().begin().unwrap();
    while run.advance_with(5, &mut heard) == Status::Working {}
    let mut twin = job.plain(true).begin().unwrap();
    while twin.advance_with(7, &mut twin_heard) == Status::Working {}
    assert_eq!(heard, twin_heard);
    assert_eq!(heard.0.len() as u64, run.tally().decisions);
    assert!(heard.0.len() < space.cells() && run.tally().contradictions == 0);
}
