//! Filling some cells of a layer again, with all others kept. Reach: the cells and their neighbours.

use super::{Collapse, HOLE, Looks};
use crate::constraints::{Posed, Source, SourceKind};
use crate::grid::BitPlane;
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::map::{Layer, Placed, Tilemap};
use crate::pattern::UnseenWindow;
use crate::rules::PoseSet;
use crate::seed::Seed;
use crate::solve::{Job, Region, Run, Space, beside};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::collections::BTreeMap;
use thiserror::Error;

/// Why a layer cannot be filled again.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum RefillError {
    /// The cells lie outside the map.
    #[error("no cell of the map lies there")]
    Outside,
    /// A cell that is kept holds something that the rules do not have.
    #[error("{cell} holds `{tile}`, which the rules do not have in that pose; fill it again, too")]
    Unknown {
        /// Where.
        cell: Cell,
        /// What stands there.
        tile: String,
    },
    /// Cells that are kept show windows that no sample has.
    #[error("{}", unseen_words(.windows, *.cells))]
    Unseen {
        /// Which, in cell order.
        windows: Vec<UnseenWindow>,
        /// How many cells a window has.
        cells: usize,
    },
}

/// Windows that are named in one error.
const NAMED: usize = 6;

fn unseen_words(windows: &[UnseenWindow], cells: usize) -> String {
    let words = |one: &UnseenWindow| {
        let differ = if one.differs == 1 { "differs" } else { "differ" };
        format!("at {} ({} of {cells} cells {differ} from the nearest)", one.cell, one.differs)
    };
    let named: Vec<String> = windows.iter().take(NAMED).map(words).collect();
    let more = windows.len().saturating_sub(NAMED);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!(
        "what stands there has windows that no sample shows, {}{more}; fill those cells again, too, or add a \
         sample that shows them",
        named.join(", ")
    )
}

/// Cells to be filled again, and what is kept around them; made by [`Collapse::refill`].
///
/// The run it gives knows those cells and their neighbours only, so its time does not depend on the
/// size of the map.
///
/// ```
/// use lantern_quilt_core::prelude::*;
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let moss = set.socket(Socket::plain("moss"));
/// let path = set.socket(Socket::plain("path"));
/// set.tile(Tile::new("hedge").all(moss).weight(3.0));
/// set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4));
/// set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
/// let collapse = Collapse::new("ground", set.build().unwrap(), Constraints::default())?;
/// let layout = Layout::flat(Lattice::Square, 40, 25)?;
/// let mut run = collapse.job(layout, &Seed::from_number(1)).begin()?;
/// assert!(run.fill().is_filled());
/// let mut layer = layer_of(&run, collapse.tileset(), "ground");
///
/// let corner = Extent::new(Cell::new(30, 15), [6, 6, 1])?;
/// let refill = collapse.refill(layout, &layer, corner, |_| true)?;
/// let mut run = refill.job(&collapse, &Seed::from_number(2)).begin()?;
/// assert!(run.fill().is_filled());
/// refill.paste(&collapse, &run, &mut layer);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Refill {
    space: Space,
    open: BitPlane,
}

impl Collapse {
    /// Prepares a fill of those cells of `region` that `open` accepts; whatever stands in the others
    /// and around the region is kept, and rules hold across the seam. O(region, the areas of limits, and
    /// where something is counted the layer).
    ///
    /// Cells that hold nothing and are not filled again count as lying outside.
    ///
    /// # Errors
    /// When no cell is open, or what is kept holds a pose or a window that the rules do not have.
    pub fn refill(
        &self,
        layout: Layout,
        layer: &Layer,
        region: Extent,
        open: impl Fn(Cell) -> bool,
    ) -> Result<Refill, RefillError> {
        self.refill_beside(layout, layer, region, open, |_| false)
    }

    /// As [`refill`](Self::refill), beside holes of an earlier fill: where `is_hole` says so and the
    /// [`fallback`](Self::fallback) stands, it may stand against the rules, and asks nothing of the cells
    /// beside it. A map marks them with the tag [`HOLE`].
    ///
    /// # Errors
    /// As [`refill`](Self::refill).
    pub fn refill_beside(
        &self,
        layout: Layout,
        layer: &Layer,
        region: Extent,
        open: impl Fn(Cell) -> bool,
        is_hole: impl Fn(Cell) -> bool,
    ) -> Result<Refill, RefillError> {
        let reach = self.constraints().windows.as_ref().map_or(1, |one| one.window.reach());
        let near = around(layout, region, reach as i32).ok_or(RefillError::Outside)?;
        // What hangs together and what keeps its distance is judged over the whole map.
        let part = if self.constraints().reach_far() { layout } else { near };
        let extent = part.extent();
        let is_open = |cell: Cell| region.contains(cell) && open(cell);
        let open = BitPlane::from_fn(extent, is_open);
        if extent.iter().all(|cell| !open.get(cell)) {
            return Err(RefillError::Outside);
        }
        let fallback = self.fallback.map(|tile| self.tileset().tiles()[tile].name());
        let standing = Standing::new(self, layer);
        let falls_back =
            |cell: Cell, placed: &Placed| is_hole(cell) && Some(&placed.tile[..]) == fallback;
        let kept = BitPlane::from_fn(extent, |cell| {
            let held = if open.get(cell) { None } else { layer.get(cell) };
            held.is_some_and(|placed| !falls_back(cell, placed))
        });
        let takes_part = |cell: Cell| open.get(cell) || kept.get(cell);
        let mut space = Space::new(part).outlined(BitPlane::from_fn(extent, takes_part));
        standing.keep(layout, &kept, &mut space)?;
        let first = self.first_domains();
        first.restrict_open(layout, &open, takes_part, &mut space);
        // What is kept comes first: where nothing fits beside it, an open cell runs out. Of windows it is not known
        // which one stands there.
        if self.patterns.is_none() {
            let stays = |cell| if kept.get(cell) { standing.pose(cell) } else { None };
            let is_open = |cell| open.get(cell);
            let source = Source::of(SourceKind::Kept);
            for (allowed, cells) in beside(self.rules(), &space, open.iter(), &is_open, &stays) {
                let allowed = PoseSet::from_words(self.rules().poses().len(), &allowed);
                space.restrict_by(source, Region::Cells(cells), allowed);
            }
        }
        for shade in &self.shades {
            let plane = shade.plane(&Tilemap::new(part), &Seed::default(), self.name());
            space.scale(first.poses_of(&shade.kinds), plane);
        }
        first.watch(&mut space);
        if !self.constraints().counts.is_empty() {
            let counted = |cell| {
                let placed = layer.get(cell);
                !space.contains(cell) && placed.is_some_and(|one| !falls_back(cell, one))
            };
            let elsewhere = standing.stands(counted);
            first.count(&mut space, |poses| {
                let covered = elsewhere.iter().filter(|(pose, _)| poses.contains(**pose));
                covered.map(|(_, count)| count).sum()
            });
        }
        Ok(Refill { space, open })
    }
}

impl Collapse {
    /// The pattern behind each cell of a layer, in the order of the cells of the map, where the pass goes by windows. `None`
    /// for cells that are empty, or whose window no sample shows. As [`Patterns::behind_all`](crate::pattern::Patterns::behind_all).
    pub fn patterns_behind(&self, layout: Layout, layer: &Layer) -> Option<Vec<Option<PoseId>>> {
        let standing = Standing::new(self, layer);
        let at = |cell| standing.known(cell).map(|(posed, _)| posed);
        Some(self.patterns()?.behind_all(layout, at))
    }
}

/// What stands on a layer, in the terms of the rules.
struct Standing<'a> {
    collapse: &'a Collapse,
    layer: &'a Layer,
    /// By palette entries: tile and orientation, and the first of the poses that place them; nothing where the rules
    /// have none.
    known: Vec<Option<(Posed, PoseId)>>,
}

impl<'a> Standing<'a> {
    fn new(collapse: &'a Collapse, layer: &'a Layer) -> Self {
        let tileset = collapse.tileset();
        let mut first: HashMap<Posed, PoseId, FxBuildHasher> = HashMap::default();
        for (id, pose) in collapse.rules().poses().pairs() {
            first.entry((pose.tile, pose.orientation)).or_insert(id);
        }
        let find = |placed: &Placed| {
            let tile = tileset.find_at(&placed.tile, placed.part)?;
            let posed = (tile, tileset.tiles()[tile].stands_for(placed.orientation)?);
            Some((posed, *first.get(&posed)?))
        };
        Self { collapse, layer, known: layer.palette().iter().map(find).collect() }
    }

    /// The palette number in a cell.
    fn number(&self, cell: Cell) -> Option<usize> {
        let index = self.layer.extent().index(cell)?;
        self.layer.cells().get(index).map(|number| number as usize)
    }

    fn known(&self, cell: Cell) -> Option<(Posed, PoseId)> {
        self.number(cell).and_then(|number| self.known[number])
    }

    fn pose(&self, cell: Cell) -> Option<PoseId> {
        self.known(cell).map(|(_, pose)| pose)
    }

    /// How many of some cells of the layer hold each tile in each orientation, by the first of its poses.
    /// O(cells of the layer).
    fn stands(&self, counted: impl Fn(Cell) -> bool) -> BTreeMap<PoseId, u64> {
        let mut counts = BTreeMap::new();
        for cell in self.layer.extent().iter().filter(|&cell| counted(cell)) {
            if let Some(pose) = self.pose(cell) {
                *counts.entry(pose).or_default() += 1;
            }
        }
        counts
    }

    /// Cells that are kept hold what they hold.
    fn keep(&self, whole: Layout, kept: &BitPlane, space: &mut Space) -> Result<(), RefillError> {
        let extent = space.layout().extent();
        let mut held: BTreeMap<PoseId, (Posed, BitPlane)> = BTreeMap::new();
        for cell in kept.iter() {
            let Some(number) = self.number(cell) else { continue };
            let tile = || self.layer.palette()[number].tile.clone();
            let (posed, pose) =
                self.known[number].ok_or_else(|| RefillError::Unknown { cell, tile: tile() })?;
            held.entry(pose).or_insert_with(|| (posed, BitPlane::new(extent))).1.set(cell, true);
        }
        if let Some(patterns) = self.collapse.patterns() {
            let stands = |cell| if kept.get(cell) { Some(self.known(cell)?.0) } else { None };
            let windows = patterns.unseen(whole, kept.iter(), stands);
            if !windows.is_empty() {
                return Err(RefillError::Unseen { windows, cells: patterns.shifts().len() });
            }
        }
        let source = Source::of(SourceKind::Kept);
        for ((tile, orientation), cells) in held.into_values() {
            let only = self.collapse.rules();
            let only = only.select(|pose| pose.tile == tile && pose.orientation == orientation);
            space.restrict_by(source, Region::Mask(cells), only);
        }
        Ok(())
    }
}

impl Refill {
    /// The cells that are filled again.
    pub const fn open(&self) -> &BitPlane {
        &self.open
    }

    /// The fill, ready to begin.
    pub fn job(&self, collapse: &Collapse, seed: &Seed) -> Job {
        collapse.job_in(self.space.clone(), seed)
    }

    /// Puts what a run of [`job`](Self::job) decided into the layer; open cells that it did not decide
    /// become empty, and holes get the fallback. O(open cells).
    pub fn paste(&self, collapse: &Collapse, run: &Run, layer: &mut Layer) {
        let looks = Looks::new(run, collapse.tileset(), &layer.name);
        let mut numbers: BTreeMap<(usize, u32), u32> = BTreeMap::new();
        for cell in self.open.extent().iter().filter(|&cell| self.open.get(cell)) {
            let number = run.decided(cell).map(|pose| {
                let look = looks.look(pose, cell);
                *numbers
                    .entry((pose.index(), look))
                    .or_insert_with(|| layer.add(looks.placed(pose, look)))
            });
            layer.set(cell, number);
        }
        if run.search().record_decisions {
            let mut decided = layer.take_decided();
            for cell in self.open.extent().iter().filter(|&cell| self.open.get(cell)) {
                decided.set(cell, run.decision_of(cell).map(i64::from));
            }
            layer.set_decided(Some(decided));
        }
        collapse.fill_holes(run, layer);
    }

    /// Tags the holes of a run of [`job`](Self::job) with [`HOLE`], and takes that tag from all other
    /// open cells. O(open cells).
    pub fn mark_holes(&self, run: &Run, map: &mut Tilemap) {
        if map.tag(HOLE).is_some() {
            let plane = map.tag_mut(HOLE);
            plane.subtract(&BitPlane::from_fn(plane.extent(), |cell| self.open.get(cell)));
        }
        mark_holes(run, map);
    }
}

/// Tags the holes of a run with [`HOLE`].
pub fn mark_holes(run: &Run, map: &mut Tilemap) {
    if !run.holes().is_empty() {
        let plane = map.tag_mut(HOLE);
        for &cell in run.holes() {
            plane.set(cell, true);
        }
    }
}

/// The part of a layout that a region and the cells within so many of it lie in. An axis that closes on itself stays
/// whole where the region reaches its end.
fn around(layout: Layout, region: Extent, reach: i32) -> Option<Layout> {
    let whole = layout.extent();
    let axes = |extent: Extent| {
        let [w, h, d] = extent.size();
        let Cell { x, y, z } = extent.origin();
        [(x, w), (y, h), (z, d)]
            .map(|(from, length)| (i64::from(from), i64::from(from) + i64::from(length)))
    };
    let wrap = [layout.wrap().x, layout.wrap().y, layout.wrap().z];
    let (all, wanted) = (axes(whole), axes(region));
    let mut closed = [false; 3];
    let mut part = [(0, 0); 3];
    for axis in 0..3 {
        let (from, to) = (wanted[axis].0.max(all[axis].0), wanted[axis].1.min(all[axis].1));
        if from >= to {
            return None;
        }
        let (near, far) = (from - i64::from(reach), to + i64::from(reach));
        let at_end = near < all[axis].0 || far > all[axis].1;
        closed[axis] = wrap[axis] && at_end;
        part[axis] =
            if closed[axis] { all[axis] } else { (near.max(all[axis].0), far.min(all[axis].1)) };
    }
    let origin = part.map(|(from, _)| from as i32);
    let size = part.map(|(from, to)| (to - from) as u32);
    let extent = Extent::new(Cell { x: origin[0], y: origin[1], z: origin[2] }, size).ok()?;
    let wrap = Wrap { x: closed[0], y: closed[1], z: closed[2] };
    Layout::new(layout.lattice(), extent, wrap).ok()
}
