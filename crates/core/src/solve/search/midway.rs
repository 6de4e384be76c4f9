//! What a search hands over when another engine takes its place in the middle.

use super::heat::Heat;
use super::phase::Phase;
use crate::lattice::Cell;
use crate::seed::{Seed, Stream};
use crate::solve::choose::Laying;
use crate::solve::constrain::{Broken, Watching};
use crate::solve::kernel::{Dead, Pause};
use crate::solve::outcome::Tally;
use crate::solve::own::OwnWeights;
use crate::solve::steer::Steering;

/// Where a search stands, except for what depends on an engine's domains.
#[derive(Clone, Debug)]
pub(super) struct Midway {
    pub(super) phase: Phase,
    pub(super) stream: Stream,
    pub(super) tally: Tally,
    /// Whether decisions were made that can no longer be taken back.
    pub(super) committed: bool,
    /// Fewest open cells so far, and backtracks since.
    pub(super) least_open: usize,
    pub(super) stale: u32,
    pub(super) heat: Heat,
    pub(super) steering: Option<Steering>,
    pub(super) own: Option<OwnWeights>,
    /// Changes before this are known to steering and own weights.
    pub(super) followed: usize,
    /// Changes before this are known to an observer that wants them.
    pub(super) heard: usize,
    /// The rules of the whole map, when there are any.
    pub(super) watching: Option<Watching>,
    /// The one of them that was broken last.
    pub(super) broken: Option<Broken>,
    /// A sequence of cells that is being laid out.
    pub(super) laying: Option<Laying>,
    /// Whether most pooled cells hold something else now, so that all are to enter the queue again.
    pub(super) crowded: bool,
    /// By how many cells the most common domain leads while it is looked for (Boyer and Moore 1991).
    pub(super) lead: usize,
    /// How many cells are pooled, and how many entered the queue.
    pub(super) pooled: usize,
    pub(super) entered: usize,
    /// Whether the first propagation is done.
    pub(super) choosing: bool,
    /// How far the first propagation came before a cell ran out.
    pub(super) scanned: usize,
    /// The first cell that restrictions alone left nothing.
    pub(super) dead: Option<Dead>,
    /// Such cells, where they become holes.
    pub(super) born_dead: Vec<Cell>,
    /// Whether the engine checks all indices.
    pub(super) checked: bool,
}

impl Midway {
    /// Before anything is begun.
    pub(super) fn new(stream: Stream, checked: bool) -> Self {
        Self {
            phase: Phase::Ended(Pause::Working),
            stream,
            tally: Tally::default(),
            committed: false,
            least_open: usize::MAX,
            stale: 0,
            heat: Heat::default(),
            steering: None,
            own: None,
            followed: 0,
            heard: 0,
            watching: None,
            broken: None,
            laying: None,
            crowded: false,
            lead: 0,
            pooled: 0,
            entered: 0,
            choosing: false,
            scanned: 0,
            dead: None,
            born_dead: Vec::new(),
            checked,
        }
    }

    /// For a search that nobody has begun.
    pub(super) fn idle() -> Self {
        Self::new(Seed::default().stream(&[]), false)
    }
}
