//! No state of a run does unbounded work in one step: each takes steps by the number of cells.

use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{CountError, Order, Region, Status, count, fills, smallest_cause};
use lantern_quilt_testkit::{known, sets};
use rstest::rstest;
use std::sync::atomic::AtomicBool;

fn square(side: u32) -> Layout {
    Layout::flat(Lattice::Square, side, side).unwrap()
}

fn sixteen(space: Space) -> Job {
    Job::new(&sets::all_combinations(Lattice::Square, 2), space)
}

fn plain(side: u32) -> Job {
    sixteen(Space::new(square(side)))
}

fn with(job: Job, change: impl FnOnce(&mut Search)) -> Job {
    let mut search = Search::default();
    change(&mut search);
    job.search(search)
}

fn outlined(side: u32) -> Job {
    let extent = square(side).extent();
    sixteen(Space::new(square(side)).outlined(BitPlane::from_fn(extent, |cell| cell.x > 2)))
}

fn restricted(side: u32) -> Job {
    let mut space = Space::new(square(side));
    let all = PoseSet::full(16);
    let mask = BitPlane::from_fn(space.layout().extent(), |cell| cell.y > 2);
    space.restrict(Region::Everywhere, all.clone());
    space.restrict(Region::Mask(mask), all.clone());
    space.restrict(Region::Within(square(side).extent()), all.clone());
    space.restrict(Region::Cells(square(side).extent().iter().collect()), all);
    sixteen(space)
}

fn shaded(side: u32) -> Job {
    let mut space = Space::new(square(side));
    let values = space.layout().extent().iter().map(|cell| (cell.x % 9) as u8).collect();
    let plane = Plane::from_values(space.layout().extent(), values).unwrap();
    space.scale(PoseSet::from_fn(16, |pose| pose.index() < 4), plane);
    sixteen(space)
}

fn counted(side: u32) -> Job {
    let mut space = Space::new(square(side));
    space.count(PoseSet::from_fn(16, |pose| pose.index() == 3), 5, None);
    sixteen(space)
}

fn outward(side: u32) -> Job {
    with(plain(side), |search| search.order = Order::Outward(Cell::new(1, 2)))
}

fn steered(side: u32) -> Job {
    with(plain(side), |search| search.steer = true)
}

/// Steps of one each until the first decision, against the stages that see every cell.
#[rstest]
#[case::plain(plain, &[512, 4096, 16384, 256])]
#[case::outlined(outlined, &[512, 256, 4096, 16384, 256])]
#[case::restricted(restricted, &[512, 256, 256, 256, 256, 4096, 16384, 256])]
#[case::shaded(shaded, &[256, 512, 4096, 16384, 16])]
#[case::counted(counted, &[512, 4096, 16384, 256, 256])]
#[case::outward(outward, &[512, 4096, 16384, 256, 256, 256, 256])]
#[case::steered(steered, &[512, 4096, 16384, 256])]
fn what_sees_every_cell_takes_steps_for_it(
    #[case] job: fn(u32) -> Job,
    #[case] stages: &[usize],
    #[values(true, false)] is_plain: bool,
) {
    for side in [128, 256] {
        let cells = (side * side) as usize;
        let mut run = job(side).plain(is_plain).begin().unwrap();
        let mut steps = 0;
        while run.tally().decisions == 0 && run.advance(1) == Status::Working {
            steps += 1;
            let progress = run.progress();
            assert!(progress.choosing || progress.decided == 0, "nothing is decided before");
        }
        let least: usize = stages.iter().map(|unit| cells / unit).sum();
        assert!((least..least * 2).contains(&steps), "{steps} steps, {least} wanted at least");
        assert!(run.fill().is_filled());
    }
}

fn laid(side: u32) -> Job {
    with(plain(side), |search| search.blocks = true)
}

fn learned(side: u32) -> Job {
    let rules = known::multiplying();
    with(Job::new(&rules, Space::new(square(side))), |search| {
        (search.patience, search.climb) = (0, Climb::Learn);
    })
}

/// The same until a rung is ready: a base is laid, a space is put into variables.
#[rstest]
#[case::laid(laid, Climb::Blocks, &[2048])]
#[case::learned(learned, Climb::Learn, &[1024, 6, 6, 6, 16])]
fn getting_a_rung_ready_takes_steps_by_cells(
    #[case] job: fn(u32) -> Job,
    #[case] rung: Climb,
    #[case] stages: &[usize],
) {
    for side in [64, 128] {
        let mut run = job(side).begin().unwrap();
        let mut steps = 0;
        while run.progress().rung != Some(rung) && run.advance(1) == Status::Working {
            steps += 1;
        }
        let cells = (side * side) as usize;
        let least: usize = stages.iter().map(|unit| cells / unit).sum();
        assert!(run.progress().rung == Some(rung) && steps >= least, "{steps}, {least} wanted");
    }
}

/// What counts or goes through fills ends at its limit of work, and when it is asked to stop.
#[test]
fn counting_can_be_limited_and_stopped() {
    let rules = sets::all_combinations(Lattice::Square, 2);
    let space = Space::new(square(9));
    let mut limits = Limits::default();
    let stopped = AtomicBool::new(true);
    assert_eq!(count(&rules, &space, &limits, &stopped), Err(CountError::Stopped));
    let last = |limits: &Limits, stop| fills(&rules, &space, limits, stop).last().unwrap();
    assert_eq!(last(&limits, &stopped), Err(CountError::Stopped));
    let mut pinned = Space::new(square(9));
    let only = |one: usize| PoseSet::from_fn(16, move |pose| pose.index() == one);
    pinned.restrict(Region::Cell(Cell::new(2, 2)), only(0));
    pinned.restrict(Region::Cell(Cell::new(3, 2)), only(15));
    let cause = |limits: &Limits, stop| smallest_cause(&rules, &pinned, limits, stop);
    assert!(cause(&limits, &Never).is_some());
    limits.steps = Some(50);
    assert!(cause(&limits, &Never).is_none());
    limits.steps = Some(3000);
    assert_eq!(count(&rules, &space, &limits, &Never), Err(CountError::TooWide));
    assert_eq!(last(&limits, &Never), Err(CountError::TooWide));
}
