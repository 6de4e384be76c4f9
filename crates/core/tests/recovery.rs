//! Where cells run out: every rung, proofs, causes, holes, blocks and exact counts.

use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::Wrap;
use lantern_quilt_core::limits::{Crew, Never};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::solve::{
    BLOCK_REACH, Cause, CountError, Order, Region, RunError, StopReason, count, fills,
    smallest_cause,
};
use lantern_quilt_testkit::{brute, known, sets};
use rstest::rstest;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

fn layout(lattice: Lattice, size: [u32; 3], wrap: Wrap) -> Layout {
    Layout::new(lattice, Extent::new(Cell::default(), size).unwrap(), wrap).unwrap()
}

fn square(width: u32, height: u32) -> Layout {
    Layout::flat(Lattice::Square, width, height).unwrap()
}

fn climbing(climb: Climb) -> Search {
    let mut search = Search::default();
    search.climb = climb;
    search
}

fn counted(rules: &Rules, space: &Space) -> u128 {
    count(rules, space, &Limits::default(), &Never).unwrap()
}

fn only(rules: &Rules, pose: usize) -> PoseSet {
    PoseSet::from_fn(rules.poses().len(), |id| id.index() == pose)
}

#[rstest]
#[case(2, 2, Wrap::NONE, 2)]
#[case(4, 4, Wrap::NONE, 36)]
#[case(5, 5, Wrap::NONE, 0)]
#[case(3, 8, Wrap::NONE, 153)]
#[case(8, 8, Wrap::NONE, 12_988_816)]
#[case(4, 4, Wrap::FLAT, 272)]
fn dominoes_are_counted(
    #[case] width: u32,
    #[case] height: u32,
    #[case] wrap: Wrap,
    #[case] want: u128,
) {
    let rules = known::dominoes();
    let layout = layout(Lattice::Square, [width, height, 1], wrap);
    assert_eq!(counted(&rules, &known::board(&rules, layout, &[])), want);
}

/// Alternating sign matrices.
#[rstest]
fn ice_with_domain_walls_is_counted() {
    let rules = known::ice();
    for (size, want) in (1..).zip([1, 2, 7, 42, 429, 7436, 218_348]) {
        assert_eq!(counted(&rules, &known::domain_walls(&rules, size)), want, "size {size}");
    }
}

#[rstest]
#[case(Lattice::Square, [1, 1, 1], Wrap::NONE, 3)]
#[case(Lattice::Square, [2, 2, 1], Wrap::NONE, 18)]
#[case(Lattice::Square, [4, 4, 1], Wrap::NONE, 7812)]
#[case(Lattice::Square, [3, 3, 1], Wrap::FLAT, 12)]
#[case(Lattice::Square, [5, 1, 1], Wrap { x: true, y: false, z: false }, 30)]
#[case(Lattice::Square, [1, 4, 1], Wrap::FLAT, 0)]
#[case(Lattice::HexPointy, [5, 5, 1], Wrap::NONE, 6)]
#[case(Lattice::Box, [2, 2, 2], Wrap::NONE, 114)]
fn colourings_are_counted(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] wrap: Wrap,
    #[case] want: u128,
) {
    let rules = known::colourings(lattice, 3);
    assert_eq!(counted(&rules, &Space::new(layout(lattice, size, wrap))), want);
}

/// Poses that look alike from everywhere count each by itself: so many times the fills of one of them.
#[rstest]
fn alike_poses_are_counted_each(#[values(1, 2, 3)] copies: usize) {
    let rules = Rules::from_pairs(Lattice::Square, &vec![1; 3 * copies], |_, a, b| {
        a / copies != b / copies
    })
    .unwrap();
    for (layout, want) in [(square(2, 2), 18), (square(3, 3), 246)] {
        let space = Space::new(layout);
        let all = want * (copies as u128).pow(layout.extent().cells() as u32);
        assert_eq!(counted(&rules, &space), all);
        if all < 2000 {
            assert_eq!(fills(&rules, &space, &Limits::default(), &Never).count() as u128, all);
        }
    }
}

/// Boxed plane partitions (MacMahon): lozenges in a hexagon of sides a, b, c. Its corners are cells;
/// what lies around is held to one fill in which no lozenge crosses the rim.
#[rstest]
#[case([1, 1, 1], 2)]
#[case([2, 1, 1], 3)]
#[case([2, 2, 2], 20)]
#[case([3, 2, 2], 50)]
#[case([3, 3, 3], 980)]
fn lozenges_in_hexagons_are_counted(#[case] sides: [i32; 3], #[case] want: u128) {
    let [a, b, c] = sides;
    let rules = known::lozenges();
    let axial = |cell: Cell| (cell.x - cell.y.div_euclid(2), cell.y);
    let inside = |cell: Cell, margin: i32| {
        let (q, r) = axial(cell);
        (-margin..=b + c + margin).contains(&q)
            && (-margin..=a + c + margin).contains(&r)
            && (c - margin..=a + b + c + margin).contains(&(q + r))
    };
    let extent = Extent::new(Cell::new(-6, -6), [30, 24, 1]).unwrap();
    let layout = Layout::new(Lattice::HexPointy, extent, Wrap::NONE).unwrap();
    let outline = BitPlane::from_fn(extent, |cell| inside(cell, 1));
    let mut space = Space::new(layout).outlined(outline.clone());
    // Which edges of the hexagon a corner lies on.
    let edges = |cell: Cell| {
        let (q, r) = axial(cell);
        [q == 0, q == b + c, r == 0, r == a + c, q + r == c, q + r == a + b + c]
    };
    let on_rim = |one: Cell, other: Cell| {
        let both = edges(one).into_iter().zip(edges(other)).any(|(a, b)| a && b);
        both && inside(one, 0) && inside(other, 0)
    };
    let crossing =
        |side: usize| rules.select(|pose| known::lozenge_crosses(pose.tile.index(), side));
    for cell in outline.iter() {
        for (number, &side) in Lattice::HexPointy.sides().iter().enumerate() {
            if layout.neighbour(cell, side).is_some_and(|beyond| on_rim(cell, beyond)) {
                let mut free = PoseSet::full(rules.poses().len());
                free.subtract(&crossing(number));
                space.restrict(Region::Cell(cell), free);
            }
        }
    }
    let mut run = Job::new(&rules, space.clone()).search(climbing(Climb::Proof)).begin().unwrap();
    assert!(run.fill().is_filled());
    for cell in outline.iter().filter(|&cell| !inside(cell, 0)) {
        let pose = run.decided(cell).unwrap();
        space.restrict(Region::Cell(cell), only(&rules, pose.index()));
    }
    assert_eq!(counted(&rules, &space), want);
}

/// A random space with some more pins, so that there are several restrictions to blame.
fn random_space(layout: Layout, rules: &Rules, stream: &mut Stream) -> Space {
    let mut space = sets::random_space(layout, rules, stream);
    for _ in 0..stream.below(4) {
        let cell = layout.extent().cell(stream.below(layout.extent().cells() as u64) as usize);
        let some = PoseSet::from_fn(rules.poses().len(), |_| stream.below(3) > 0);
        space.restrict(Region::Cell(cell), some);
    }
    space
}

/// Hundreds of random sets a case: counts, lists of fills and proofs against brute force; causes
/// against counts.
#[rstest]
#[case::square(Lattice::Square, [3, 2, 1], Wrap::NONE)]
#[case::square_torus(Lattice::Square, [3, 2, 1], Wrap::FLAT)]
#[case::square_ring_of_one(Lattice::Square, [1, 4, 1], Wrap::FLAT)]
#[case::square_ring_of_two(Lattice::Square, [2, 3, 1], Wrap { x: true, y: false, z: false })]
#[case::pointy(Lattice::HexPointy, [3, 2, 1], Wrap::NONE)]
#[case::pointy_torus(Lattice::HexPointy, [3, 2, 1], Wrap::FLAT)]
#[case::flat(Lattice::HexFlat, [2, 3, 1], Wrap::NONE)]
#[case::flat_torus(Lattice::HexFlat, [2, 3, 1], Wrap::FLAT)]
#[case::solid(Lattice::Box, [2, 2, 2], Wrap::NONE)]
#[case::solid_column(Lattice::Box, [2, 1, 3], Wrap { x: true, y: false, z: true })]
fn proofs_counts_and_causes_agree_with_brute_force(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] wrap: Wrap,
) {
    let layout = layout(lattice, size, wrap);
    let (mut filled, mut impossible, mut caused) = (0, 0, 0);
    for number in 0..400 {
        let mut stream = Seed::from_number(number).stream(&["proofs", lattice.name()]);
        let tiles = 1 + stream.below(3) as usize;
        let rules = Rules::compile(&sets::random_small(lattice, tiles, &mut stream)).unwrap();
        let space = random_space(layout, &rules, &mut stream);
        let Some(want) = brute::count(&rules, &space, 200_000) else { continue };
        assert_eq!(counted(&rules, &space), want, "set {number}");
        if want < 2000 {
            assert_eq!(
                fills(&rules, &space, &Limits::default(), &Never).count() as u128,
                want,
                "set {number}"
            );
        }
        // With no patience and no window nearly all is left to the upper rungs.
        let mut search = climbing(Climb::Proof);
        (search.patience, search.window) = (stream.below(2) as u32, 1);
        let job = Job::new(&rules, space.clone()).search(search).seed(Seed::from_number(number));
        let mut run = job.begin().unwrap();
        match run.fill() {
            Outcome::Filled => {
                assert_eq!((want > 0, brute::broken(&run)), (true, None), "set {number}");
                filled += 1;
            }
            Outcome::Impossible(_) => {
                assert_eq!(want, 0, "set {number}");
                impossible += 1;
                let never = AtomicBool::new(false);
                let cause = smallest_cause(&rules, &space, &Limits::default(), &never);
                let with = |keep: &dyn Fn(usize) -> bool| {
                    let mut some = Space::new(layout);
                    if space.is_outlined() {
                        let takes_part = |cell| space.contains(cell);
                        some = some.outlined(BitPlane::from_fn(layout.extent(), takes_part));
                    }
                    for (id, one) in space.restrictions().pairs() {
                        if keep(id.index()) {
                            some.restrict(one.place.clone(), one.allowed.clone());
                        }
                    }
                    counted(&rules, &some)
                };
                match cause.expect("it was proved") {
                    Cause::Said { restrictions: causes, rules } => {
                        assert_eq!(rules, []);
                        let numbers: Vec<usize> = causes.iter().map(|id| id.index()).collect();
                        assert_eq!(with(&|id| numbers.contains(&id)), 0, "set {number}");
                        for out in &numbers {
                            assert!(with(&|id| id != *out && numbers.contains(&id)) > 0);
                        }
                        caused += 1;
                    }
                    _ => assert_eq!(with(&|_| false), 0, "set {number}"),
                }
            }
            other => panic!("set {number}: {other:?}"),
        }
    }
    assert!(filled > 20 && impossible > 40 && caused > 1, "{filled} {impossible} {caused}");
}

/// Tight sets with a planted fill: whatever the rung, what is filled keeps the rules, engines and
/// slicing do not show, and the highest rungs always fill.
#[rstest]
fn every_rung_fills_alike(#[values(4, 5, 6)] colours: usize, #[values(0, 1, 2, 3)] rung: usize) {
    let climb = Climb::ALL[rung];
    let (mut filled, mut tally) = (0, [0; 4]);
    for number in 0..4 {
        let mut stream = Seed::from_number(number).stream(&["rungs"]);
        let rules = sets::planted(colours, 1.25, [2, 3], &mut stream);
        let mut search = climbing(climb);
        (search.patience, search.attempts) = (30, 2);
        let space = Space::new(square(48, 48));
        let job = Job::new(&rules, space).search(search).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        let mut twin = job.clone().plain(true).begin().unwrap();
        let mut sliced = job.begin().unwrap();
        while sliced.advance(97) == Status::Working {}
        assert_eq!(run.fill(), twin.fill(), "set {number}");
        assert_eq!((run.outcome(), run.tally()), (sliced.outcome(), sliced.tally()));
        assert_eq!(run.tally(), twin.tally(), "set {number}");
        for cell in square(48, 48).extent().iter() {
            assert_eq!(run.domain(cell), twin.domain(cell), "set {number} at {cell}");
            assert_eq!(run.domain(cell), sliced.domain(cell), "set {number} at {cell}");
        }
        if run.outcome().unwrap().is_filled() {
            assert_eq!(brute::broken(&run), None, "set {number}");
            filled += 1;
        }
        let did = run.tally();
        let did = [did.backtracks, did.reopened, did.blocks, did.learned];
        (0..4).for_each(|at| tally[at] += did[at]);
    }
    assert!(tally[0] > 0);
    assert_eq!(tally[1] > 0, climb >= Climb::Reopen);
    assert!(climb < Climb::Blocks || filled == 4);
    assert!(climb >= Climb::Blocks || tally[2..] == [0, 0]);
}

/// Rows that multiply and boards for dominoes, with nothing to take back: left to learning.
#[rstest]
#[case::far_apart(known::multiplying(), 40)]
#[case::counted_borders(known::dominoes(), 12)]
fn what_depends_on_far_cells_is_found_by_learning(#[case] rules: Rules, #[case] size: u32) {
    let space = if rules.poses().len() == 4 {
        known::board(&rules, square(size, size), &[Cell::new(0, 0), Cell::new(1, 0)])
    } else {
        Space::new(square(size, size))
    };
    let mut search = climbing(Climb::Proof);
    (search.patience, search.window) = (0, 1);
    for seed in 0..3 {
        let job = Job::new(&rules, space.clone()).search(search).seed(Seed::from_number(seed));
        let mut run = job.begin().unwrap();
        assert!(run.fill().is_filled());
        assert_eq!(brute::broken(&run), None);
    }
}

#[rstest]
#[case(7, 9, &[])]
#[case(8, 8, &[Cell::new(0, 0), Cell::new(7, 7)])]
fn boards_that_cannot_be_covered_are_proved_so(
    #[case] width: u32,
    #[case] height: u32,
    #[case] without: &[Cell],
) {
    let rules = known::dominoes();
    let space = known::board(&rules, square(width, height), without);
    let mut run = Job::new(&rules, space.clone()).search(climbing(Climb::Proof)).begin().unwrap();
    assert!(matches!(run.fill(), Outcome::Impossible(_)));
    // So does learning alone, which knows nothing of counting.
    let mut run = Job::new(&rules, space).search(climbing(Climb::Learn)).begin().unwrap();
    assert!(matches!(run.fill(), Outcome::Impossible(_)));
    assert!(run.tally().learned > 0);
}

#[rstest]
fn holes_are_left_where_nothing_fits(#[values(0, 20)] patience: u32) {
    let (mut holes, mut clean) = (0, 0);
    for number in 0..12 {
        let mut stream = Seed::from_number(number).stream(&["holes"]);
        let rules = sets::planted(5, 1.4, [2, 2], &mut stream);
        let mut search = climbing(Climb::Backtrack);
        (search.patience, search.holes) = (patience, true);
        let layout = layout(Lattice::Square, [24, 24, 1], Wrap { x: true, y: false, z: false });
        let job =
            Job::new(&rules, Space::new(layout)).search(search).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        let mut twin = job.plain(true).begin().unwrap();
        assert_eq!(run.fill(), twin.fill());
        assert_eq!((run.holes(), run.tally()), (twin.holes(), twin.tally()));
        assert!(run.outcome().unwrap().is_filled());
        assert_eq!(brute::broken(&run), None);
        assert!(run.holes().iter().all(|&hole| run.options(hole) == 0));
        holes += run.holes().len();
        clean += usize::from(run.holes().is_empty());
    }
    assert!(holes > 0 && clean < 12, "{holes} holes");
}

/// A map that is impossible from the start keeps its holes where it is, in whatever way it is filled.
#[rstest]
fn holes_are_left_where_there_was_nothing_from_the_start(
    #[values(Order::Entropy, Order::Rows, Order::Outward(Cell::new(4, 4)))] order: Order,
    #[values(false, true)] plain: bool,
    #[values(false, true)] steer: bool,
    #[values(Climb::Backtrack, Climb::Proof)] climb: Climb,
) {
    // Colours may not meet themselves, so two pins of one colour side by side leave a hole, a pin that
    // nothing may stand on is one, and so is a pin between two that leave it nothing.
    let rules = known::colourings(Lattice::Square, 3);
    let mut space = Space::new(square(9, 7));
    let mut pin = |x, y, pose| space.restrict(Region::Cell(Cell::new(x, y)), only(&rules, pose));
    for (x, y, pose) in [(1, 1, 0), (2, 1, 0), (6, 2, 0), (6, 4, 1), (5, 3, 2)] {
        pin(x, y, pose);
    }
    space.restrict(Region::Cell(Cell::new(8, 6)), PoseSet::empty(3));
    let mut search = climbing(climb);
    (search.order, search.steer, search.holes) = (order, steer, true);
    let job = Job::new(&rules, space).search(search).plain(plain);
    let mut run = job.clone().begin().unwrap();
    assert!(run.fill().is_filled());
    let [first, others @ ..] = run.holes() else { panic!("no holes") };
    assert_eq!((*first, others.len()), (Cell::new(8, 6), 2), "{others:?}");
    let pinned = [Cell::new(1, 1), Cell::new(2, 1)];
    assert!(others.iter().any(|cell| pinned.contains(cell)), "{others:?}");
    let near = |cell: &Cell| cell.x.abs_diff(6) + cell.y.abs_diff(3) <= 1;
    assert!(others.iter().any(near), "{others:?}");
    assert_eq!(brute::broken(&run), None);
    assert_eq!(run.domain(*first), Some(PoseSet::empty(3)));
    // Without leave for holes it is impossible, and sliced it is the same.
    search.holes = false;
    let mut strict = job.clone().search(search).begin().unwrap();
    assert!(matches!(strict.fill(), Outcome::Impossible(_)));
    let mut sliced = job.begin().unwrap();
    while sliced.advance(1) == Status::Working {}
    assert_eq!(sliced.holes(), run.holes());
}

/// Hands that take pieces from the back.
#[derive(Debug)]
struct Backwards;

impl Crew for Backwards {
    fn each(&self, pieces: usize, piece: &(dyn Fn(usize) + Sync)) {
        (0..pieces).rev().for_each(piece);
    }
}

fn in_blocks(rules: &Rules, space: Space) -> Job {
    let mut search = Search::default();
    search.blocks = true;
    Job::new(rules, space).search(search)
}

fn poses(run: &Run) -> Vec<Option<PoseId>> {
    run.space().layout().extent().iter().map(|cell| run.decided(cell)).collect()
}

#[rstest]
#[case::square(Lattice::Square, [150, 90, 1], Wrap::NONE)]
#[case::square_torus(Lattice::Square, [130, 64, 1], Wrap::FLAT)]
#[case::narrow_ring(Lattice::Square, [1, 150, 1], Wrap::FLAT)]
#[case::pointy(Lattice::HexPointy, [80, 70, 1], Wrap::NONE)]
#[case::flat_torus(Lattice::HexFlat, [70, 40, 1], Wrap::FLAT)]
#[case::solid(Lattice::Box, [70, 12, 5], Wrap { x: false, y: true, z: false })]
fn blocks_fill_alike_in_any_order(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] wrap: Wrap,
) {
    let (mut many, mut laid) = (0, 0);
    for number in 0..6 {
        let mut stream = Seed::from_number(number).stream(&["blocks"]);
        let set = sets::random_turning(lattice, 6, 2, &mut stream);
        let rules = Rules::compile(&set).unwrap();
        let mut space = Space::new(layout(lattice, size, wrap));
        if number % 2 == 0 {
            // The sockets' own tiles alone may stand at the border.
            let plain = rules.select(|pose| pose.tile.index() == 0);
            let sides = lattice.sides().iter();
            sides.for_each(|&side| _ = space.restrict(Region::Facing(side), plain.clone()));
        }
        let job = in_blocks(&rules, space).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        let mut twin = job.crew(Arc::new(Backwards)).begin().unwrap();
        while twin.advance(50) == Status::Working {}
        assert!(run.fill().is_filled());
        assert_eq!((poses(&run), run.tally()), (poses(&twin), twin.tally()), "set {number}");
        assert_eq!(brute::broken(&run), None, "set {number}");
        many = many.max(run.tally().blocks);
        laid += usize::from(run.tally().blocks > 0);
    }
    assert!(laid >= 3 && many >= 1, "{laid} laid, {many} blocks");
}

/// A pin changes cells only so far away.
#[test]
fn a_block_depends_on_boundedly_many_neighbours() {
    let rules = sets::all_combinations(Lattice::Square, 2);
    let reach = BLOCK_REACH as u32;
    let plain = Space::new(square(3 * reach, 70));
    let mut pinned = plain.clone();
    let at = Cell::new(reach as i32 * 3 / 2, 33);
    let mut other = PoseSet::full(rules.poses().len());
    let mut run = in_blocks(&rules, plain).begin().unwrap();
    run.fill();
    other.remove(run.decided(at).unwrap());
    pinned.restrict(Region::Cell(at), other);
    let mut changed = in_blocks(&rules, pinned).begin().unwrap();
    changed.fill();
    let differ: Vec<i32> = square(3 * reach, 70)
        .extent()
        .iter()
        .filter(|&cell| run.decided(cell) != changed.decided(cell))
        .map(|cell| (cell.x - at.x).abs())
        .collect();
    assert!(differ.contains(&0));
    assert!(differ.iter().all(|&away| away <= BLOCK_REACH), "{:?}", differ.iter().max());
}

#[rstest]
#[case::no_cells_allowed(|limits: &mut Limits| limits.cells = 0)]
#[case::no_bytes_allowed(|limits: &mut Limits| limits.bytes = 0)]
fn limits_of_nothing_refuse(#[case] set: fn(&mut Limits)) {
    let rules = known::dominoes();
    let mut limits = Limits::default();
    set(&mut limits);
    let job = Job::new(&rules, Space::new(square(4, 4))).limits(limits);
    let error = job.begin().unwrap_err();
    assert!(matches!(error, RunError::TooManyCells { .. } | RunError::TooManyBytes { .. }));
}

/// A limit of steps ends a fill on every rung, and bounds counting.
#[rstest]
fn a_small_budget_stops_every_rung(#[values(0, 10, 500, 20_000)] steps: u64) {
    let mut stream = Seed::from_number(3).stream(&["rungs"]);
    let rules = sets::planted(6, 1.2, [3, 3], &mut stream);
    let mut limits = Limits::default();
    limits.steps = Some(steps);
    let mut search = climbing(Climb::Proof);
    search.patience = 3;
    let space = Space::new(square(64, 64));
    let mut run = Job::new(&rules, space.clone()).search(search).limits(limits).begin().unwrap();
    let outcome = run.fill().clone();
    assert!(outcome.is_filled() || outcome == Outcome::Stopped(StopReason::Steps), "{outcome:?}");
    assert!(steps > 500 || !outcome.is_filled());
    assert_eq!(count(&rules, &space, &limits, &Never), Err(CountError::TooWide));
}
