//! A run is a value: slicing, scratch, limits and observers never change what it fills.

use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Lattice, Layout};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{Region, RunError, Scratch, StopReason};
use lantern_quilt_testkit::sets;
use rstest::rstest;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

fn job(lattice: Lattice, size: u32, seed: u64) -> Job {
    let mut stream = Seed::from_number(2).stream(&["runs"]);
    let set = sets::random_turning(lattice, 8, 3, &mut stream);
    let rules = Rules::compile(&set).unwrap();
    let space = Space::new(Layout::flat(lattice, size, size).unwrap());
    Job::new(&rules, space).seed(Seed::from_number(seed))
}

fn cells(run: &Run) -> Vec<Option<PoseId>> {
    run.space().layout().extent().iter().map(|cell| run.decided(cell)).collect()
}

#[rstest]
fn slicing_never_changes_the_result(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
    #[values(1, 7, 1000)] steps: u64,
) {
    let mut whole = job(lattice, 40, 1).begin().unwrap();
    whole.fill();
    let mut sliced = job(lattice, 40, 1).begin().unwrap();
    while sliced.advance(steps) == Status::Working {}
    assert_eq!(cells(&whole), cells(&sliced));
    assert_eq!(whole.tally(), sliced.tally());
}

#[test]
fn a_used_scratch_is_as_good_as_a_fresh_one() {
    let mut scratch = Scratch::default();
    for seed in 0..100 {
        // Another size, another lattice and another order of use must not show.
        let lattice = if seed % 7 == 3 { Lattice::HexFlat } else { Lattice::Square };
        let size = 8 + (seed % 5) as u32 * 3;
        let mut used = job(lattice, size, seed).begin_with(scratch).unwrap();
        let mut fresh = job(lattice, size, seed).begin().unwrap();
        assert_eq!(used.fill(), fresh.fill());
        assert_eq!((cells(&used), used.tally()), (cells(&fresh), fresh.tally()));
        scratch = used.into_scratch();
    }
}

#[test]
fn a_stopped_run_goes_on_as_if_it_had_not_been_stopped() {
    struct StopAt(u64);
    impl Observer for StopAt {
        fn progress(&mut self, progress: &Progress) -> Flow {
            if progress.steps >= self.0 { Flow::Stop } else { Flow::Continue }
        }
    }
    let mut whole = job(Lattice::Square, 150, 4).begin().unwrap();
    whole.fill();
    let mut stopped = job(Lattice::Square, 150, 4).begin().unwrap();
    let flag = Arc::new(AtomicBool::new(true));
    for _ in 0..2 {
        assert_eq!(
            stopped.fill_with(&flag, &mut StopAt(u64::MAX)),
            &Outcome::Stopped(StopReason::Asked)
        );
    }
    assert!(stopped.progress().decided < stopped.progress().cells);
    flag.store(false, Ordering::Relaxed);
    assert_eq!(stopped.fill_with(&flag, &mut StopAt(12_000)), &Outcome::Stopped(StopReason::Asked));
    stopped.fill();
    assert_eq!(cells(&whole), cells(&stopped));
}

#[test]
fn limits_end_a_run_with_its_partial_map() {
    let mut limits = Limits::default();
    limits.steps = Some(300);
    let mut run = job(Lattice::Square, 64, 1).limits(limits).begin().unwrap();
    assert_eq!(run.fill(), &Outcome::Stopped(StopReason::Steps));
    assert_eq!(run.tally().steps, 300);
    assert!(cells(&run).iter().any(Option::is_some));
    limits.steps = Some(0);
    let mut run = job(Lattice::Square, 64, 1).limits(limits).begin().unwrap();
    assert_eq!(run.fill(), &Outcome::Stopped(StopReason::Steps));
}

#[rstest]
#[case(10, u64::MAX, "100 cells are over the limit of 10")]
#[case(u64::MAX, 10, "over the limit of 10")]
fn limits_are_checked_before_anything_is_allocated(
    #[case] cells: u64,
    #[case] bytes: u64,
    #[case] why: &str,
) {
    let mut limits = Limits::default();
    (limits.cells, limits.bytes) = (cells, bytes);
    let error = job(Lattice::Square, 10, 1).limits(limits).begin().unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
}

#[test]
fn misuse_is_an_error() {
    let rules = Rules::from_pairs(Lattice::HexFlat, &[1, 1], |_, _, _| true).unwrap();
    let layout = Layout::flat(Lattice::Square, 3, 3).unwrap();
    let error = Job::new(&rules, Space::new(layout)).begin().unwrap_err();
    assert!(matches!(error, RunError::LatticeMismatch { .. }));
    let layout = Layout::flat(Lattice::HexFlat, 3, 3).unwrap();
    let mut space = Space::new(layout);
    space.restrict(Region::Everywhere, PoseSet::full(3));
    assert_eq!(
        Job::new(&rules, space).begin().unwrap_err(),
        RunError::ForeignRestriction { poses: 2, found: 3 }
    );
    let empty = Space::new(layout).outlined(BitPlane::new(layout.extent()));
    assert_eq!(Job::new(&rules, empty).begin().unwrap_err(), RunError::NoCells);
}

#[test]
fn observers_hear_decisions_in_order_and_change_nothing() {
    #[derive(Default)]
    struct Ear(Vec<(Cell, PoseId)>, u32);
    impl Observer for Ear {
        fn attempt(&mut self, _: u32) {
            self.1 += 1;
        }
        fn wants_decisions(&self) -> bool {
            true
        }
        fn decided(&mut self, cell: Cell, pose: PoseId) {
            self.0.push((cell, pose));
        }
    }
    let mut ear = Ear::default();
    let mut heard = job(Lattice::Square, 30, 9).begin().unwrap();
    heard.fill_with(&lantern_quilt_core::limits::Never, &mut ear);
    let mut alone = job(Lattice::Square, 30, 9).begin().unwrap();
    alone.fill();
    assert_eq!(cells(&heard), cells(&alone));
    assert_eq!(ear.0.len() as u64, heard.tally().decisions);
    assert!(
        heard.tally().backtracks > 0 || ear.0.iter().all(|&(c, p)| heard.decided(c) == Some(p))
    );
}

#[test]
fn a_pose_nothing_supports_is_gone_before_the_first_choice() {
    // Pose 2 may stand beside nothing: the empty map already reaches a fixed point without it.
    let rules =
        Rules::from_pairs(Lattice::Square, &[1, 1, 1000], |_, a, b| a != 2 && b != 2).unwrap();
    let layout = Layout::flat(Lattice::Square, 5, 5).unwrap();
    let mut run = Job::new(&rules, Space::new(layout)).begin().unwrap();
    while !run.progress().choosing {
        run.advance(1);
    }
    assert!(run.progress().decided == 0 && run.tally().decisions == 0);
    assert!(layout.extent().iter().all(|cell| run.options(cell) == 2));
    assert!(run.fill().is_filled());
    // Alone in the world it may stand.
    let one = Layout::flat(Lattice::Square, 1, 1).unwrap();
    let mut run = Job::new(&rules, Space::new(one)).begin().unwrap();
    assert!(run.fill().is_filled());
}

#[test]
fn a_window_too_small_commits_and_tries_again() {
    // A chain of inequalities with few colours meets contradictions on a torus of odd size.
    let rules = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a != b).unwrap();
    let extent = Extent::flat(31, 31).unwrap();
    let layout = Layout::new(Lattice::Square, extent, Wrap::FLAT).unwrap();
    let mut search = Search::default();
    (search.window, search.patience, search.attempts) = (8, 50, 3);
    let mut run = Job::new(&rules, Space::new(layout)).search(search).begin().unwrap();
    match run.fill().clone() {
        Outcome::Filled => {}
        Outcome::Contradiction(at) => {
            assert_eq!(run.tally().attempts, 3);
            assert!(!at.around.is_empty());
        }
        other => panic!("{other:?}"),
    }
}

#[rstest]
#[case::one_pose(1, 1)]
#[case::weights_far_apart(2, 1_000_000_000_000)]
#[case::as_many_as_can_be(10_000, 3)]
fn extreme_sets_fill(#[case] poses: usize, #[case] heaviest: u64) {
    let mut weights = vec![1; poses];
    weights[0] = heaviest;
    let rules =
        Rules::from_pairs(Lattice::Square, &weights, |_, a, b| a.abs_diff(b) < 2000).unwrap();
    let mut run =
        Job::new(&rules, Space::new(Layout::flat(Lattice::Square, 6, 5).unwrap())).begin().unwrap();
    assert!(run.fill().is_filled());
    if poses == 2 {
        assert!(cells(&run).iter().all(|pose| pose.unwrap().index() == 0));
    }
}

#[rstest]
#[case::none(0, "there is no pose to place")]
#[case::too_many(10_241, "10241 poses are more than the 10240")]
fn sets_that_cannot_be_say_why(#[case] poses: usize, #[case] why: &str) {
    let error = Rules::from_pairs(Lattice::Square, &vec![1; poses], |_, _, _| true).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
    assert!(Rules::from_pairs(Lattice::Square, &[1, 0], |_, _, _| true).is_err());
}

/// Islands of an outline fill each for itself; what lies outside stays empty.
#[test]
fn islands_of_an_outline_fill() {
    let layout = Layout::flat(Lattice::Square, 9, 9).unwrap();
    let outline = BitPlane::from_fn(layout.extent(), |cell| cell.x != 4 && cell.y != 4);
    let chequered = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b).unwrap();
    let space = Space::new(layout).outlined(outline.clone());
    let mut run = Job::new(&chequered, space).begin().unwrap();
    assert!(run.fill().is_filled());
    for cell in layout.extent().iter() {
        assert_eq!(run.decided(cell).is_some(), outline.get(cell));
    }
}

/// Two pins that do not go together: the fill is impossible, and says where and beside what.
#[test]
fn pins_that_break_the_rules_are_named_with_their_neighbours() {
    let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b).unwrap();
    let mut space = Space::new(Layout::flat(Lattice::Square, 4, 4).unwrap());
    let only = |pose: usize| PoseSet::from_fn(2, |id| id.index() == pose);
    space.restrict(Region::Cell(Cell::new(1, 1)), only(0));
    space.restrict(Region::Cell(Cell::new(2, 1)), only(0));
    let mut run = Job::new(&rules, space.clone()).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("{:?}", run.outcome()) };
    assert_eq!((at.cell, at.cause), (Cell::new(2, 1), None));
    assert_eq!(at.before, only(0));
    let west = at.around.iter().find(|(side, _)| *side == Side::West).unwrap();
    assert_eq!(west.1, Some((Cell::new(1, 1), only(0))));
    // A pin that leaves nothing at all is blamed itself.
    let cause = space.restrict(Region::Cell(Cell::new(1, 1)), only(1));
    let mut run = Job::new(&rules, space).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("{:?}", run.outcome()) };
    assert_eq!((at.cell, at.cause), (Cell::new(1, 1), Some(cause)));
}

/// Pinned: a release that changes these changes maps, and must say so.
#[rstest]
#[case(Lattice::Square, "6b2481e9389c610f")]
#[case(Lattice::HexPointy, "3989e8a647ddcdd8")]
#[case(Lattice::HexFlat, "888b6441013edb42")]
fn maps_are_pinned(#[case] lattice: Lattice, #[case] want: &str) {
    let mut run = job(lattice, 48, 7).begin().unwrap();
    assert!(run.fill().is_filled());
    let bytes: Vec<u8> =
        cells(&run).iter().flat_map(|pose| (pose.unwrap().index() as u16).to_le_bytes()).collect();
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&bytes)), want);
}

/// A limit of steps stops every engine at the same place, decision by decision.
#[rstest]
fn a_limit_of_steps_stops_engines_at_the_same_place(
    #[values(Lattice::Square, Lattice::HexPointy)] lattice: Lattice,
    #[values(1, 2, 50, 333, 800)] steps: u64,
) {
    let mut limits = Limits::default();
    limits.steps = Some(steps);
    let job = job(lattice, 40, 11).limits(limits);
    let mut run = job.clone().begin().unwrap();
    let mut twin = job.plain(true).begin().unwrap();
    assert_eq!(run.fill(), &Outcome::Stopped(StopReason::Steps));
    assert_eq!(twin.fill(), &Outcome::Stopped(StopReason::Steps));
    assert_eq!((run.tally(), run.newest()), (twin.tally(), twin.newest()));
    assert_eq!(run.tally().steps, steps);
    for cell in run.space().layout().extent().iter() {
        assert_eq!(run.domain(cell), twin.domain(cell), "{cell}");
    }
}

/// An observer that asks for decisions takes the general way; the map and the counts are the same.
#[rstest]
fn being_watched_changes_nothing(
    #[values(Lattice::Square, Lattice::HexFlat)] lattice: Lattice,
    #[values(3, 40)] size: u32,
) {
    #[derive(Default)]
    struct Watcher(Vec<(Cell, PoseId)>);
    impl Observer for Watcher {
        fn wants_decisions(&self) -> bool {
            true
        }

        fn decided(&mut self, cell: Cell, pose: PoseId) {
            self.0.push((cell, pose));
        }
    }
    for seed in 0..4 {
        let mut alone = job(lattice, size, seed).begin().unwrap();
        alone.fill();
        let mut watched = job(lattice, size, seed).begin().unwrap();
        let mut watcher = Watcher::default();
        watched.fill_with(&lantern_quilt_core::limits::Never, &mut watcher);
        assert_eq!((cells(&alone), alone.tally()), (cells(&watched), watched.tally()));
        assert_eq!(watcher.0.len() as u64, watched.tally().decisions);
        assert_eq!(watched.name(), "fill");
    }
}

/// When a cell was decided is the number of decisions after which one pose was left of it, as anybody
/// who looks after each of them sees; it depends on no slicing and no engine, and changes no map.
#[rstest]
fn cells_are_known_by_when_they_were_decided(
    #[values(Lattice::Square, Lattice::HexFlat)] lattice: Lattice,
    #[values(3, 24)] size: u32,
) {
    let mut keep = Search::default();
    keep.record_decisions = true;
    for seed in 0..4 {
        let mut alone = job(lattice, size, seed).begin().unwrap();
        alone.fill();
        let begin = |plain| job(lattice, size, seed).search(keep).plain(plain).begin().unwrap();
        let mut run = begin(false);
        let mut seen = vec![None; cells(&run).len()];
        while run.advance(1) == Status::Working {
            if !run.progress().choosing {
                continue;
            }
            for (seen, now) in seen.iter_mut().zip(cells(&run)) {
                // What was taken back is decided anew.
                *seen = now.and(*seen).or(now.map(|_| run.tally().decisions as u32));
            }
        }
        assert_eq!(cells(&run), cells(&alone));
        let when = |run: &Run| -> Vec<_> {
            run.space().layout().extent().iter().map(|cell| run.decision_of(cell)).collect()
        };
        if run.tally().attempts == 1 && run.tally().backtracks == 0 {
            assert_eq!(when(&run), seen);
        }
        let (mut twin, mut sliced) = (begin(true), begin(false));
        twin.fill();
        while sliced.advance(7) == Status::Working {}
        assert_eq!((when(&twin), when(&sliced)), (when(&run), when(&run)));
        assert!(when(&alone).iter().all(Option::is_none));
    }
}

/// Boxes count in their own order, whoever is done first, and what lies under them is known from the start.
#[test]
fn boxes_are_known_by_their_number() {
    let mut search = Search::default();
    (search.record_decisions, search.blocks) = (true, true);
    let when = |steps| {
        let mut run = job(Lattice::Square, 90, 3).search(search).begin().unwrap();
        while run.advance(steps) == Status::Working {}
        assert!(run.tally().blocks > 0);
        run.space()
            .layout()
            .extent()
            .iter()
            .map(|cell| run.decision_of(cell).unwrap())
            .collect::<Vec<_>>()
    };
    let whole = when(u64::MAX);
    assert_eq!(when(50), whole);
    let mut numbers = whole.clone();
    numbers.sort_unstable();
    numbers.dedup();
    assert!(numbers.len() > 4, "{numbers:?}");
}

/// Whoever draws what `drain_changes` says, and clears what it takes back, always sees the run as it is:
/// however it is sliced, on any engine, over backtracks, tries, holes and boxes.
#[rstest]
#[case::plain_sailing(Lattice::HexFlat, 24, |_: &mut Search| {})]
#[case::often_stuck(Lattice::Square, 40, |_: &mut Search| {})]
#[case::small_window(Lattice::Square, 40, |search: &mut Search| search.window = 32)]
#[case::impatient(Lattice::HexPointy, 30, |search: &mut Search| { search.patience = 0; search.climb = Climb::Backtrack; })]
#[case::holes(Lattice::Square, 40, |search: &mut Search| { search.holes = true; search.attempts = 1; search.climb = Climb::Backtrack; search.patience = 0; })]
#[case::blocks(Lattice::Square, 70, |search: &mut Search| search.blocks = true)]
#[case::steered(Lattice::Square, 30, |search: &mut Search| search.steer = true)]
fn changes_are_all_that_changed(
    #[case] lattice: Lattice,
    #[case] size: u32,
    #[case] change: fn(&mut Search),
    #[values(3, 300)] steps: u64,
    #[values(false, true)] plain: bool,
) {
    let mut search = Search::default();
    change(&mut search);
    for seed in 0..3 {
        let mut run = job(lattice, size, seed).search(search).plain(plain).begin().unwrap();
        let extent = run.space().layout().extent();
        let mut drawn = vec![None; extent.cells()];
        let mut ended = false;
        while !ended {
            ended = run.advance(steps) == Status::Ended;
            let mut last = None;
            for change in run.drain_changes() {
                let index = extent.index(change.cell);
                assert!(index > last, "in cell order, each once");
                let slot = &mut drawn[index.unwrap()];
                assert_ne!(*slot, change.pose, "only what changed");
                (*slot, last) = (change.pose, index);
            }
            assert_eq!(drawn, cells(&run));
            assert!(run.drain_changes().is_empty());
        }
        let mut alone = job(lattice, size, seed).search(search).begin().unwrap();
        alone.fill();
        assert_eq!(cells(&alone), drawn, "looking changes nothing");
    }
}

/// Runs, recipes and fills of tiles go wherever a game keeps them.
#[test]
fn everything_can_be_kept_and_sent() {
    fn kept<T: Send + Sync + 'static>() {}
    kept::<Run>();
    kept::<Job>();
    kept::<lantern_quilt_core::passes::TileFill>();
    kept::<lantern_quilt_core::recipe::Maker>();
    kept::<lantern_quilt_core::recipe::Made>();
    kept::<Tilemap>();
    kept::<Scratch>();
}

/// What a fill of tiles shows is what its layer holds when it is done.
#[rstest]
fn tiles_are_those_of_the_layer(#[values(Lattice::Square, Lattice::HexFlat)] lattice: Lattice) {
    use lantern_quilt_core::passes::TileFill;
    let mut stream = Seed::from_number(2).stream(&["runs"]);
    let set = sets::random_turning(lattice, 8, 3, &mut stream);
    let ground = Arc::new(Collapse::new("ground", set, Constraints::default()).unwrap());
    let layout = Layout::flat(lattice, 20, 14).unwrap();
    let mut filling = TileFill::new(ground.clone(), layout, &Seed::from_number(4)).unwrap();
    let mut drawn = vec![None; layout.extent().cells()];
    loop {
        let status = filling.run_mut().advance(50);
        for (cell, tile) in filling.drain_changes() {
            let name = tile.map(|tile| (tile.name.to_owned(), tile.orientation(layout), tile.look));
            drawn[layout.extent().index(cell).unwrap()] = name;
        }
        if status == Status::Ended {
            break;
        }
    }
    let layer = ground.layer(filling.run());
    for (cell, drawn) in layout.extent().iter().zip(drawn) {
        let placed = layer.get(cell).map(|one| (one.tile.clone(), one.orientation, one.look));
        assert_eq!(drawn, placed);
        assert_eq!(filling.tile(cell).map(|tile| tile.part), layer.get(cell).map(|one| one.part));
    }
}
