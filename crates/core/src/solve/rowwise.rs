//! The engine for [`Order::Rows`] on sets that cannot get stuck: one look at two neighbours a cell.
//!
//! Where every pair of a western and a northern neighbour leaves a pose, any map begun row by row
//! can be finished, so propagation would never take a pose that those two neighbours leave: what a
//! cell may hold when its turn comes is just what they leave. So nothing is propagated and nothing
//! is taken back, and the map is the one the general search makes.

use super::choose::Order;
use super::kernel::{Kernel, Pause, Tries};
use super::measure::{PickTable, Ranking, Weights};
use super::outcome::Tally;
use super::propagate::TablesFull;
use super::settings::Search;
use super::space::Space;
use crate::id::{Id, IdVec, PoseId, RowId};
use crate::lattice::{Cell, Lattice, Layout, Side};
use crate::observe::Observer;
use crate::rules::{PoseSet, Rules};
use crate::seed::{Seed, Stream};
use std::borrow::Cow;

/// Entries of the table of neighbours, at most.
const MOST_ENTRIES: usize = 1 << 14;
/// Poses, at most.
const MOST_POSES: usize = 1024;

/// Whether this engine serves, with the map of the general search.
pub(super) fn serves(rules: &Rules, space: &Space, search: Search) -> bool {
    let wrap = space.layout().wrap();
    search.order == Order::Rows
        && !search.steer
        && rules.lattice() == Lattice::Square
        && !(wrap.x || wrap.y)
        && !space.is_outlined()
        && space.restrictions().is_empty()
        && space.scales().is_empty()
        && space.constraints().is_empty()
        && rules.poses().len() <= MOST_POSES
        && table_size(rules) <= MOST_ENTRIES
        && rules.never_stuck_by_rows()
}

/// Bytes it uses at most.
pub(super) fn most_bytes(rules: &Rules, layout: Layout) -> u64 {
    let poses = rules.poses().len() as u64;
    let domain = poses.div_ceil(64) * 8 + poses * 12 + 128;
    layout.extent().cells() as u64 * 2 + table_size(rules) as u64 * domain
}

fn side(name: Side) -> usize {
    Lattice::Square.side_index(name).expect("a side of squares")
}

/// One entry for each pair of rows, with one more of either for where no neighbour is.
fn table_size(rules: &Rules) -> usize {
    (rules.rows(side(Side::East)).len() + 1) * (rules.rows(side(Side::South)).len() + 1)
}

/// What a pair of neighbours leaves.
#[derive(Clone, Debug)]
struct Left {
    set: PoseSet,
    /// How to pick from several; `None` with just one.
    pick: Option<PickTable>,
    first: u16,
}

#[derive(Clone, Debug)]
pub(super) struct Rowwise {
    rules: Rules,
    layout: Layout,
    /// By the row of the western neighbour, then that of the northern one.
    table: Vec<Left>,
    /// For each pose where its row east begins in the table, and its row south within that.
    east: Vec<u32>,
    south: Vec<u32>,
    /// Where those begin that have no neighbour there.
    no_west: u32,
    no_north: u32,
    /// For each pose the set of itself.
    alone: Vec<PoseSet>,
    /// The poses of the cells done, in cell order.
    cells: Vec<u16>,
    newest: Option<usize>,
    stream: Stream,
    tally: Tally,
}

impl Rowwise {
    pub(super) fn new(rules: &Rules, layout: Layout) -> Self {
        let weights = Weights::new(Ranking::Flat, rules.weights().iter().copied());
        let (east, south) = (side(Side::East), side(Side::South));
        let (wests, norths) = (rules.rows(east), rules.rows(south));
        let full = PoseSet::full(rules.poses().len());
        let with_none = |rows: &IdVec<RowId, PoseSet>| -> Vec<PoseSet> {
            rows.iter().chain([&full]).cloned().collect()
        };
        let (wests, norths) = (with_none(wests), with_none(norths));
        let width = norths.len() as u32;
        let left = |west: &PoseSet, north: &PoseSet| {
            let mut set = west.clone();
            set.intersect(north);
            let first = set.iter().next().map_or(0, Id::index) as u16;
            let pick = (set.len() > 1).then(|| weights.table(set.words()));
            Left { set, pick, first }
        };
        let table = wests.iter().flat_map(|west| norths.iter().map(move |north| (west, north)));
        let rows_of = |side: usize, scale: u32| -> Vec<u32> {
            (0..rules.poses().len())
                .map(|pose| rules.row_of(side, PoseId::from_index(pose)).index() as u32 * scale)
                .collect()
        };
        Self {
            table: table.map(|(west, north)| left(west, north)).collect(),
            east: rows_of(east, width),
            south: rows_of(south, 1),
            no_west: (wests.len() as u32 - 1) * width,
            no_north: width - 1,
            alone: (0..rules.poses().len())
                .map(|one| PoseSet::from_fn(rules.poses().len(), |pose| pose.index() == one))
                .collect(),
            rules: rules.clone(),
            layout,
            cells: Vec::new(),
            newest: None,
            stream: Seed::default().stream(&[]),
            tally: Tally::default(),
        }
    }

    fn width(&self) -> usize {
        self.layout.extent().size()[0] as usize
    }

    /// Fills up to `steps` cells more.
    fn fill(&mut self, steps: u64, observer: Option<&mut dyn Observer>) {
        let Self { layout, table, east, south, no_west, no_north, cells, stream, .. } = self;
        let width = layout.extent().size()[0] as usize;
        let all = layout.extent().cells();
        let end = all.min(cells.len().saturating_add(usize::try_from(steps).unwrap_or(all)));
        let mut observer = observer;
        while cells.len() < end {
            let from = cells.len();
            let (row, column) = (from / width, from % width);
            let until = end.min((row + 1) * width);
            let mut west = if column == 0 { *no_west } else { east[usize::from(cells[from - 1])] };
            for at in from..until {
                let north =
                    if row == 0 { *no_north } else { south[usize::from(cells[at - width])] };
                let left = &table[(west + north) as usize];
                let mut pose = left.first;
                if let Some(pick) = &left.pick {
                    pose = pick.pick(stream.bits()) as u16;
                    self.tally.decisions += 1;
                    self.newest = Some(at);
                    if let Some(observer) = &mut observer {
                        let cell = cell_of(layout, at);
                        observer.decided(cell, PoseId::from_index(usize::from(pose)));
                    }
                }
                cells.push(pose);
                west = east[usize::from(pose)];
            }
        }
    }
}

fn cell_of(layout: &Layout, at: usize) -> Cell {
    let (extent, width) = (layout.extent(), layout.extent().size()[0] as usize);
    let origin = extent.origin();
    Cell { x: origin.x + (at % width) as i32, y: origin.y + (at / width) as i32, z: origin.z }
}

impl Kernel for Rowwise {
    fn work(
        &mut self,
        _space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        let before = self.cells.len();
        let tell = observer.wants_decisions();
        self.fill(*steps, tell.then_some(observer));
        let done = (self.cells.len() - before) as u64;
        *steps -= done;
        self.tally.steps += done;
        let filled = self.cells.len() == self.layout.extent().cells();
        Ok(if filled { Pause::Filled } else { Pause::Working })
    }

    /// Of cells to come, what decided neighbours leave.
    fn words(&self, cell: Cell) -> Cow<'_, [u64]> {
        let origin = self.layout.extent().origin();
        let (x, y) = ((cell.x - origin.x) as usize, (cell.y - origin.y) as usize);
        let (at, width) = (y * self.width() + x, self.width());
        let pose = |at: usize| self.cells.get(at).map(|&pose| usize::from(pose));
        if let Some(pose) = pose(at) {
            return Cow::Borrowed(self.alone[pose].words());
        }
        let west = (x > 0).then(|| pose(at - 1)).flatten();
        let north = (y > 0).then(|| pose(at - width)).flatten();
        let west = west.map_or(self.no_west, |pose| self.east[pose]);
        let north = north.map_or(self.no_north, |pose| self.south[pose]);
        Cow::Borrowed(self.table[(west + north) as usize].set.words())
    }

    fn newest(&self) -> Option<Cell> {
        self.newest.map(|at| cell_of(&self.layout, at))
    }

    fn open(&self) -> usize {
        self.layout.extent().cells() - self.cells.len()
    }

    fn choosing(&self) -> bool {
        true
    }

    fn tally(&self) -> Tally {
        self.tally
    }
}

impl Tries for Rowwise {
    fn begin(&mut self, space: &Space, _: Search, stream: Stream) -> Result<(), TablesFull> {
        self.layout = space.layout();
        self.cells.clear();
        self.cells.reserve_exact(self.layout.extent().cells());
        self.newest = None;
        self.stream = stream;
        self.tally = Tally::default();
        Ok(())
    }

    fn widened(&mut self) -> Box<dyn Tries> {
        unreachable!("it has no tables that fill")
    }

    /// No cell ever runs out here.
    fn punch(&mut self, _cell: Cell) {}

    fn serves(&self, rules: &Rules, space: &Space, search: Search) -> bool {
        self.rules.same(rules) && serves(rules, space, search)
    }

    fn relayout(&mut self, layout: Layout) {
        self.layout = layout;
        self.cells.clear();
    }
}
