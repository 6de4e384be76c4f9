//! Where a fill happens: a layout, the cells that take part, and what each may hold at first.

use super::constrain::{Constraint, Counts, Distances, Joined, Kept};
use crate::constraints::Source;
use crate::grid::{BitPlane, Plane};
use crate::id::{CauseId, ConstraintId, IdVec, PoseId};
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::pattern::Patterns;
use crate::rules::PoseSet;
use std::sync::Arc;

/// A layout with an outline and first domains.
///
/// Restrictions are kept as they were said, in order, each with a [`CauseId`] that
/// [`explain`](crate::explain) can name. They become first domains when a run begins, so they cost
/// the fill nothing.
#[derive(Clone, Debug)]
pub struct Space {
    layout: Layout,
    outline: Option<BitPlane>,
    restrictions: IdVec<CauseId, Restriction>,
    scales: Vec<Scale>,
    constraints: IdVec<ConstraintId, Kept>,
}

/// Weights of some poses that vary from cell to cell; see [`Space::scale`].
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scale {
    /// Which poses.
    pub poses: PoseSet,
    /// What their weight is multiplied with in each cell, in 1/255; 255 where the plane has no cell.
    pub plane: Plane<u8>,
}

/// The cells that a restriction holds for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Region {
    /// Every cell.
    Everywhere,
    /// One cell.
    Cell(Cell),
    /// Cells whose neighbour beyond that side lies off the map or outside the outline.
    Facing(Side),
    /// The cells of a box.
    Within(Extent),
    /// The cells that are set.
    Mask(BitPlane),
    /// These cells.
    Cells(Vec<Cell>),
}

/// What some cells may hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Restriction {
    /// Which cells.
    pub place: Region,
    /// What they may hold.
    pub allowed: PoseSet,
    /// Where that is written.
    pub source: Source,
}

impl Space {
    /// All cells of `layout`, with nothing restricted.
    pub const fn new(layout: Layout) -> Self {
        Self {
            layout,
            outline: None,
            restrictions: IdVec::new(),
            scales: Vec::new(),
            constraints: IdVec::new(),
        }
    }

    /// Only the cells set in `outline` take part; the others are outside.
    #[must_use]
    pub fn outlined(mut self, outline: BitPlane) -> Self {
        self.outline = Some(outline);
        self
    }

    /// Adds a restriction and returns its id.
    pub fn restrict(&mut self, place: Region, allowed: PoseSet) -> CauseId {
        self.restrict_by(Source::default(), place, allowed)
    }

    /// As [`restrict`](Self::restrict), with the place where it is written.
    pub fn restrict_by(&mut self, source: Source, place: Region, allowed: PoseSet) -> CauseId {
        self.restrictions.push(Restriction { place, allowed, source })
    }

    /// Keeps patterns that samples show at an edge of the map to that edge, and all others away from it.
    pub fn keep_edges(&mut self, patterns: &Patterns) {
        for &side in self.layout.lattice().sides() {
            if let Some(allowed) = patterns.at_edge(side) {
                self.restrict(Region::Facing(side), allowed);
            }
        }
    }

    /// Adds a rule of the whole map and returns its id.
    pub(crate) fn keep(&mut self, source: Source, rule: impl Constraint) -> ConstraintId {
        self.constraints.push(Kept { rule: Arc::new(rule), source })
    }

    /// Says how many cells may hold one of some poses: at least `least`, at most `most`.
    ///
    /// ```
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let rules = Rules::from_pairs(Lattice::Square, &[9, 1], |_, _, _| true)?;
    /// let layout = Layout::flat(Lattice::Square, 20, 20)?;
    /// let rare = rules.select(|pose| pose.tile.index() == 1);
    /// let mut space = Space::new(layout);
    /// space.count(rare.clone(), 7, Some(7));
    /// let mut run = Job::new(&rules, space).begin()?;
    /// assert!(run.fill().is_filled());
    /// let rares = layout.extent().iter().filter(|&cell| rare.contains(run.decided(cell).unwrap()));
    /// assert_eq!(rares.count(), 7);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn count(&mut self, poses: PoseSet, least: u64, most: Option<u64>) -> ConstraintId {
        self.keep(Source::default(), Counts::new(poses, least, most))
    }

    /// Says that cells which hold some poses hang together: in one piece, if there are any, or in just so many
    /// `regions`. `over` has what reaches over each side, in the order of [`Lattice::sides`], or is empty: then
    /// they hang together wherever they touch. With `from`, each piece has a cell there instead.
    ///
    /// ```
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, _, _| true)?;
    /// let layout = Layout::flat(Lattice::Square, 12, 12)?;
    /// let walk = rules.select(|pose| pose.tile.index() == 1);
    /// let mut space = Space::new(layout);
    /// space.connect(walk.clone(), Vec::new(), 1, None);
    /// space.count(walk, 40, None);
    /// assert!(Job::new(&rules, space).begin()?.fill().is_filled());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// [`Lattice::sides`]: crate::lattice::Lattice::sides
    pub fn connect(
        &mut self,
        poses: PoseSet,
        over: Vec<PoseSet>,
        regions: u32,
        from: Option<BitPlane>,
    ) -> ConstraintId {
        self.keep(Source::default(), Joined::new(poses, over, regions, from))
    }

    /// Says how far cells that hold some poses are from cells that hold others, in steps over sides: never fewer than
    /// `least`, and one within `most`.
    ///
    /// ```
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, _, _| true)?;
    /// let lamp = rules.select(|pose| pose.tile.index() == 1);
    /// let mut space = Space::new(Layout::flat(Lattice::Square, 12, 12)?);
    /// space.keep_apart(lamp.clone(), lamp, 3, Some(4));
    /// assert!(Job::new(&rules, space).begin()?.fill().is_filled());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn keep_apart(
        &mut self,
        poses: PoseSet,
        others: PoseSet,
        least: u32,
        most: Option<u32>,
    ) -> ConstraintId {
        self.keep(Source::default(), Distances::new(poses, others, least, most))
    }

    /// Gives some poses weights that vary from cell to cell: each is multiplied with `plane` / 255,
    /// rounded down, but never less than 1. So 0 makes poses a last resort and forbids nothing.
    ///
    /// Several scales multiply. With more than 4096 different combinations of values in a map, the
    /// lowest bits of all of them are left out until there are fewer.
    ///
    /// ```
    /// use lantern_quilt_core::grid::Plane;
    /// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let rules = Rules::from_pairs(Lattice::Square, &[1000, 1000], |_, _, _| true)?;
    /// let layout = Layout::flat(Lattice::Square, 256, 4)?;
    /// let mut space = Space::new(layout);
    /// // The first pose is as common as the second in the east, and fades out towards the west.
    /// let fade = layout.extent().iter().map(|cell| cell.x as u8).collect();
    /// let first = rules.select(|pose| pose.tile.index() == 0);
    /// space.scale(first, Plane::from_values(layout.extent(), fade).unwrap());
    /// let mut run = Job::new(&rules, space).begin()?;
    /// assert!(run.fill().is_filled());
    /// let firsts = |from: i32| {
    ///     let half = layout.extent().iter().filter(|cell| (from..from + 128).contains(&cell.x));
    ///     half.filter(|&cell| run.decided(cell).unwrap().index() == 0).count()
    /// };
    /// assert!(firsts(0) < firsts(128));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn scale(&mut self, poses: PoseSet, plane: Plane<u8>) {
        self.scales.push(Scale { poses, plane });
    }

    /// The same space with some of what it keeps, in the same order but not by the same ids.
    pub(super) fn with_only(
        &self,
        restricted: impl Fn(CauseId) -> bool,
        constrained: impl Fn(ConstraintId) -> bool,
    ) -> Self {
        let mut some = self.clone();
        let restrictions = self.restrictions.pairs().filter(|&(cause, _)| restricted(cause));
        some.restrictions = restrictions.map(|(_, one)| one.clone()).collect();
        let constraints = self.constraints.pairs().filter(|&(id, _)| constrained(id));
        some.constraints = constraints.map(|(_, one)| one.clone()).collect();
        some
    }

    /// The rules of the whole map, in the order they were said.
    pub(crate) const fn constraints(&self) -> &IdVec<ConstraintId, Kept> {
        &self.constraints
    }

    /// Whether there is any rule of the whole map.
    pub fn has_rules(&self) -> bool {
        !self.constraints.is_empty()
    }

    /// Where a rule of the whole map was said, and what it demands, in words.
    ///
    /// # Panics
    /// When there is no such rule.
    pub fn demand(&self, id: ConstraintId) -> (Source, String) {
        let Kept { rule, source } = &self.constraints[id];
        (*source, rule.to_string())
    }

    /// Why a rule of the whole map cannot be kept, in words: so many must and can hold one of what it is about.
    ///
    /// # Panics
    /// When there is no such rule.
    pub(crate) fn failure(&self, id: ConstraintId, found: [u64; 2], near: Cell) -> String {
        self.constraints[id].rule.fails(found, near)
    }

    /// The scales in the order they were added.
    pub fn scales(&self) -> &[Scale] {
        &self.scales
    }

    /// Lattice, extent and wrapping.
    pub const fn layout(&self) -> Layout {
        self.layout
    }

    /// Whether an outline was set.
    pub const fn is_outlined(&self) -> bool {
        self.outline.is_some()
    }

    /// Whether `cell` takes part.
    pub fn contains(&self, cell: Cell) -> bool {
        self.layout.extent().contains(cell) && self.outline.as_ref().is_none_or(|o| o.get(cell))
    }

    /// The restrictions in the order they were said.
    pub const fn restrictions(&self) -> &IdVec<CauseId, Restriction> {
        &self.restrictions
    }

    /// The neighbour of `cell` beyond `side` that takes part, wrapped.
    pub fn neighbour(&self, cell: Cell, side: Side) -> Option<Cell> {
        self.layout.neighbour(cell, side).filter(|&beyond| self.contains(beyond))
    }

    /// Whether `place` covers `cell`, which takes part.
    pub fn covers(&self, place: &Region, cell: Cell) -> bool {
        match place {
            Region::Everywhere => true,
            Region::Cell(one) => *one == cell,
            Region::Facing(side) => self.neighbour(cell, *side).is_none(),
            Region::Within(extent) => extent.contains(cell),
            Region::Mask(mask) => mask.get(cell),
            Region::Cells(cells) => cells.contains(&cell),
        }
    }

    /// What `cell` may hold by restrictions alone, of so many poses. O(restrictions).
    pub(crate) fn first_domain(&self, poses: usize, cell: Cell) -> PoseSet {
        let mut set = PoseSet::full(poses);
        for restriction in &self.restrictions {
            if self.covers(&restriction.place, cell) {
                set.intersect(&restriction.allowed);
            }
        }
        set
    }

    /// The first restriction that keeps `pose` from `cell`. O(restrictions).
    pub fn cause(&self, cell: Cell, pose: PoseId) -> Option<CauseId> {
        self.restrictions
            .pairs()
            .find(|(_, r)| !r.allowed.contains(pose) && self.covers(&r.place, cell))
            .map(|(id, _)| id)
    }

    /// Calls `each` for cells that take part and that `place` covers, in cell order: of the cells that may
    /// be, those from number `from` on and so many at most. Where to continue; `None` at the end.
    pub(super) fn each_covered(
        &self,
        place: &Region,
        from: usize,
        most: usize,
        mut each: impl FnMut(Cell),
    ) -> Option<usize> {
        let extent = self.layout.extent();
        let mut offer = |cell: Cell| {
            if self.contains(cell) && self.covers(place, cell) {
                each(cell);
            }
        };
        let part = |among: Extent, offer: &mut dyn FnMut(Cell)| {
            among.iter().skip(from).take(most).for_each(offer);
            among.cells()
        };
        let all = match place {
            Region::Cell(cell) => {
                offer(*cell);
                1
            }
            Region::Within(inner) => part(extent.intersection(inner)?, &mut offer),
            Region::Cells(cells) => {
                let some = cells.iter().skip(from).take(most).filter(|&&cell| self.contains(cell));
                some.copied().for_each(each);
                cells.len()
            }
            Region::Facing(_) if self.outline.is_none() => {
                return self.each_of_rim(from, most, offer);
            }
            _ => part(extent, &mut offer),
        };
        Some(from.saturating_add(most)).filter(|&next| next < all)
    }

    /// Calls `offer` for cells on any face of the box, as [`each_covered`](Self::each_covered).
    fn each_of_rim(&self, from: usize, most: usize, mut offer: impl FnMut(Cell)) -> Option<usize> {
        let extent = self.layout.extent();
        let ([width, height, depth], o) = (extent.size(), extent.origin());
        let edge = |value: i32, start: i32, length: u32| {
            value == start || value == start + length as i32 - 1
        };
        let solid = self.layout.lattice().is_solid();
        let mut at = from;
        for _ in 0..most {
            if at >= extent.cells() {
                return None;
            }
            let cell = extent.cell(at);
            offer(cell);
            let whole = edge(cell.y, o.y, height) || (solid && edge(cell.z, o.z, depth));
            // Within a row of the inside, the other end is next.
            let skips = !whole && cell.x == o.x && width > 2;
            at += if skips { width as usize - 1 } else { 1 };
        }
        (at < extent.cells()).then_some(at)
    }
}

impl Space {
    /// How many cells take part. O(1), or O(cells) with an outline.
    pub fn cells(&self) -> usize {
        let extent = self.layout.extent();
        match &self.outline {
            None => extent.cells(),
            Some(outline) if outline.extent() == extent => outline.count(),
            Some(outline) => extent.iter().filter(|&cell| outline.get(cell)).count(),
        }
    }
}
