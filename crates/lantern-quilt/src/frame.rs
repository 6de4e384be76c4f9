//! A time budget for work that is spread over the frames of a game.

use lantern_quilt_core::limits::Stop;
use lantern_quilt_core::observe::{Observer, Silent};
use lantern_quilt_core::recipe::{MakeStatus, Maker};
use lantern_quilt_core::solve::{Run, Status};
use std::time::{Duration, Instant};

/// Steps between two looks at the clock: well below a millisecond on most sets.
const STEPS: u64 = 60;

/// So much time from now on. As a stop condition it stops when that is over.
///
/// How much is done in a frame depends on the machine; what the map becomes does not.
///
/// ```
/// use lantern_quilt::frame::Budget;
/// use lantern_quilt::prelude::*;
/// use std::time::Duration;
///
/// let rules = Rules::from_pairs(Lattice::Square, &[3, 1], |_, a, b| a == 0 || b == 0)?;
/// let mut run = Job::new(&rules, Space::new(Layout::flat(Lattice::Square, 400, 400)?)).begin()?;
/// let mut frames = 1;
/// while Budget::of(Duration::from_millis(4)).advance(&mut run) == Status::Working {
///     frames += 1; // draw what there is
/// }
/// assert!(run.outcome().is_some_and(Outcome::is_filled) && frames >= 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Budget {
    until: Instant,
}

impl Budget {
    /// So much time, which begins now.
    #[expect(
        clippy::disallowed_methods,
        reason = "how far a frame comes is a matter of time; what is filled is not"
    )]
    pub fn of(time: Duration) -> Self {
        let now = Instant::now();
        // Beyond what the clock can tell there is no end.
        let far = Duration::from_secs(1 << 30);
        Self { until: now.checked_add(time.min(far)).unwrap_or(now) }
    }

    /// Whether the time is over.
    #[expect(clippy::disallowed_methods, reason = "as above")]
    pub fn is_over(&self) -> bool {
        Instant::now() >= self.until
    }

    /// Advances a run until the time is over, by at least a few steps. It may take as much longer as those
    /// few steps take.
    pub fn advance(&self, run: &mut Run) -> Status {
        self.advance_with(run, &mut Silent)
    }

    /// As [`advance`](Self::advance), telling `observer` what happens.
    pub fn advance_with(&self, run: &mut Run, observer: &mut dyn Observer) -> Status {
        loop {
            let status = run.advance_with(STEPS, observer);
            if status == Status::Ended || self.is_over() {
                return status;
            }
        }
    }

    /// Advances a recipe until the time is over, by at least a few steps. A pass that is no fill is done in
    /// one go.
    pub fn make(&self, maker: &mut Maker) -> MakeStatus {
        loop {
            let status = maker.advance(STEPS);
            if status == MakeStatus::Ended || self.is_over() {
                return status;
            }
        }
    }
}

impl Stop for Budget {
    fn requested(&self) -> bool {
        self.is_over()
    }
}
