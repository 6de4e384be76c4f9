//! A run keeps to [`Limits::bytes`], measured where memory is given out.

use lantern_quilt_core::limits::{Climb, Limits};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::Order;
use lantern_quilt_testkit::{known, sets};
use peak_alloc::PeakAlloc;

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

/// What a run may hold beyond what is reckoned: names, lists of a few cells.
const SLACK: u64 = 64 << 10;

/// The most bytes held while a job was done, beyond those before; nothing when it is refused.
fn held(job: Job, steps: u64) -> Option<u64> {
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    let mut run = job.begin().ok()?;
    run.advance(steps);
    let held = MEMORY.peak_usage() - before;
    drop(run);
    Some(held as u64)
}

/// Fills of every engine, order and rung: what they hold lies within the limit, whatever the limit.
#[test]
fn a_run_keeps_to_its_bytes() {
    let mut stream = Seed::from_number(3).stream(&["memory"]);
    let square = |side: u32| Layout::flat(Lattice::Square, side, side).unwrap();
    let ice = known::ice();
    // Hard to fill: every rung is climbed, up to search that learns from conflicts.
    let hard = sets::planted(6, 1.2, [2, 3], &mut stream);
    let wide = sets::all_combinations(Lattice::Square, 6);
    let learning = known::multiplying();
    let search = |climb: Climb| Search::default().climb(climb).attempts(2).patience(40);
    let jobs: [(&str, Job); 10] = [
        ("plain bits", Job::new(&ice, Space::new(square(96))).plain(true)),
        ("tables", Job::new(&ice, Space::new(square(192)))),
        (
            "rows",
            Job::new(&wide, Space::new(square(128))).search(Search::default().order(Order::Rows)),
        ),
        ("steered", Job::new(&wide, Space::new(square(96))).search(Search::default().steer(true))),
        (
            "recorded",
            Job::new(&ice, Space::new(square(128)))
                .search(Search::default().record_decisions(true)),
        ),
        ("reopened", Job::new(&hard, Space::new(square(60))).search(search(Climb::Reopen))),
        (
            "blocks",
            Job::new(&hard, Space::new(square(60))).search(search(Climb::Blocks).blocks(true)),
        ),
        ("mended", Job::new(&hard, Space::new(square(48))).search(search(Climb::Learn))),
        ("learned", Job::new(&learning, Space::new(square(48))).search(search(Climb::Learn))),
        ("proven", Job::new(&learning, Space::new(square(56))).search(search(Climb::Proof))),
    ];
    for (name, job) in jobs {
        let reckoned = job.most_bytes();
        let refused = job.clone().limits(Limits::default().bytes(reckoned - 1)).begin();
        assert!(refused.is_err(), "{name}");
        for bytes in [reckoned, reckoned * 2, reckoned * 40] {
            let job = job.clone().limits(Limits::default().bytes(bytes));
            let held = held(job, 200_000).expect("the limit is what was reckoned");
            assert!(held <= bytes + SLACK, "{name}: {held} bytes were held, {bytes} were allowed");
        }
    }
}
