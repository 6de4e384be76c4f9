//! Trial fills: how often maps of a set filled on the first try, without backtracking.

use crate::constraints::Constraints;
use crate::domains::FirstDomains;
use crate::id::{Id, IdVec, TileId};
use crate::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use crate::limits::Limits;
use crate::pattern::Patterns;
use crate::rules::Rules;
use crate::seed::Seed;
use crate::solve::{Climb, Job, Order, Outcome, Region, Run, Scratch, Search, Space};
use crate::tileset::Tileset;

/// How trial fills are made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Trials {
    /// Cells a side of a trial map. Default 64.
    pub size: u32,
    /// Trial fills of the set as it is, and of each piece that is reported. Default 100.
    pub seeds: u32,
    /// Pieces reported, at most. Default 5.
    pub pieces: usize,
    /// Which open cell is decided next. Default [`Order::Entropy`].
    pub order: Order,
    /// Whether frequencies are kept near the shares of tiles that have some. Default true.
    pub steer: bool,
}

crate::setters! {
    Trials { size: u32, seeds: u32, pieces: usize, order: Order, steer: bool, }
}

impl Default for Trials {
    fn default() -> Self {
        Self { size: 64, seeds: 100, pieces: 5, order: Order::default(), steer: true }
    }
}

/// Columns, rows and levels of a trial map of that size: a box has about as many cells as a square.
pub fn trial_extent(lattice: Lattice, size: u32) -> [u32; 3] {
    let side = (size * size).isqrt().isqrt().max(2) * 2;
    if lattice.is_solid() { [side; 3] } else { [size, size, 1] }
}

/// How many trial fills succeed on the first try.
///
/// Of the constraints, lists and borders hold, and limits of whole levels; pins and other limits play no part, but a
/// fill that spreads begins in the middle. Takes `seeds` fills of `size` x `size` cells.
///
/// ```
/// use lantern_quilt_core::audit::trial::{Trials, first_goes};
/// use lantern_quilt_core::constraints::Constraints;
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::solve::Order;
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
/// set.tile(Tile::new("moss").all(moss));
/// set.tile(Tile::new("lane").sides([path, moss, path, moss]));
/// let trials = Trials::default().order(Order::Rows);
/// let set = set.build()?;
/// assert_eq!(first_goes(&set, &Constraints::default(), &trials), 100);
/// # Ok::<(), lantern_quilt_core::tileset::TilesetError>(())
/// ```
pub fn first_goes(tileset: &Tileset, constraints: &Constraints, trials: &Trials) -> u32 {
    Trial::new(tileset, constraints, trials).map_or(0, |trial| trial.fill(trials.seeds, |_| ()).0)
}

/// A set ready for trial fills.
pub(super) struct Trial {
    pub(super) rules: Rules,
    pub(super) space: Space,
    order: Order,
    steer: bool,
}

impl Trial {
    pub(super) fn new(
        tileset: &Tileset,
        constraints: &Constraints,
        trials: &Trials,
    ) -> Option<Self> {
        let lattice = tileset.lattice();
        let size = trial_extent(lattice, trials.size);
        let extent = Extent::new(Cell::default(), size).ok()?;
        let windows = constraints.windows.as_deref();
        let patterns = windows.map(|windows| Patterns::read(tileset, windows)).transpose().ok()?;
        let rules = match &patterns {
            Some(patterns) => patterns.rules().clone(),
            None => Rules::compile_with(tileset, constraints).ok()?,
        };
        let mut space = Space::new(Layout::new(lattice, extent, Wrap::NONE).ok()?);
        let first =
            FirstDomains { tileset, rules: &rules, constraints, patterns: patterns.as_ref() };
        first.restrict_edges(&mut space);
        if lattice.is_solid() {
            first.restrict_levels(&mut space);
        }
        // The cell that a quilt begins at may lie beyond a trial map.
        let middle = |z: u32| Cell { x: size[0] as i32 / 2, y: size[1] as i32 / 2, z: z as i32 };
        let order = match trials.order {
            Order::Outward(_) => Order::Outward(middle(size[2] / 2)),
            other => other,
        };
        if let Order::Spread(filler) = order {
            // Pins are not used here, but this order needs one placed tile to begin at: on the level of the first pin.
            let level = constraints.pins.first().map_or(0, |pin| pin.cell.z.unsigned_abs());
            let others = rules.select(|pose| pose.tile != filler);
            space.restrict(Region::Cell(middle(level.min(size[2] - 1))), others);
        }
        Some(Self { rules, space, order, steer: trials.steer && tileset.has_shares() })
    }

    /// How many of so many fills succeed, and how far they get in thousandths; each is shown when it ends.
    pub(super) fn fill(&self, seeds: u32, mut ended: impl FnMut(&Run)) -> (u32, u32) {
        let mut search = Search::default();
        (search.patience, search.climb, search.attempts) = (0, Climb::Backtrack, 1);
        (search.order, search.steer) = (self.order, self.steer);
        let job = Job::new(&self.rules, self.space.clone()).search(search).name("trial");
        let mut scratch = Scratch::default();
        let (mut filled, mut reached) = (0, 0);
        for seed in 0..seeds {
            let job = job.clone().seed(Seed::from_number(u64::from(seed)));
            let Ok(mut run) = job.begin_with(scratch) else { return (0, 0) };
            filled += u32::from(matches!(run.fill(), Outcome::Filled));
            ended(&run);
            let progress = run.progress();
            reached += progress.decided * 1000 / progress.cells.max(1);
            scratch = run.into_scratch();
        }
        (filled, (reached / u64::from(seeds.max(1))) as u32)
    }
    /// What a map with that seed has of each tile, where a fill that may open cells again makes one.
    pub(super) fn cells(&self, seed: u64) -> Option<IdVec<TileId, u64>> {
        let mut search = Search::default();
        (search.order, search.climb, search.steer) = (self.order, Climb::Reopen, self.steer);
        let extent = self.space.layout().extent();
        // A set that hardly fills is not waited for.
        let limits = Limits::default().steps(Some(4 * extent.cells() as u64));
        let job = Job::new(&self.rules, self.space.clone()).search(search).limits(limits);
        let mut run = job.name("trial").seed(Seed::from_number(seed)).begin().ok()?;
        if !run.fill().is_filled() {
            return None;
        }
        let tiles = self.rules.poses().iter().map(|pose| pose.tile.index() + 1).max().unwrap_or(0);
        let mut cells: IdVec<TileId, u64> = (0..tiles).map(|_| 0).collect();
        let decided = extent.iter().filter_map(|cell| run.decided(cell));
        decided.for_each(|pose| cells[self.rules.poses()[pose].tile] += 1);
        Some(cells)
    }
}
