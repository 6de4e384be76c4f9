//! Where a fill happens: a layout, the cells that take part, and what each may hold at first.

use crate::grid::BitPlane;
use crate::id::{CauseId, IdVec, PoseId};
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::rules::PoseSet;

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
}

/// The cells that a restriction holds for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Place {
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
}

/// What some cells may hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Restriction {
    /// Which cells.
    pub place: Place,
    /// What they may hold.
    pub allowed: PoseSet,
}

impl Space {
    /// All cells of `layout`, with nothing restricted.
    pub const fn new(layout: Layout) -> Self {
        Self { layout, outline: None, restrictions: IdVec::new() }
    }

    /// Only the cells set in `outline` take part; the others are outside.
    #[must_use]
    pub fn outlined(mut self, outline: BitPlane) -> Self {
        self.outline = Some(outline);
        self
    }

    /// Adds a restriction and returns its id.
    pub fn restrict(&mut self, place: Place, allowed: PoseSet) -> CauseId {
        self.restrictions.push(Restriction { place, allowed })
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
    pub fn covers(&self, place: &Place, cell: Cell) -> bool {
        match place {
            Place::Everywhere => true,
            Place::Cell(one) => *one == cell,
            Place::Facing(side) => self.neighbour(cell, *side).is_none(),
            Place::Within(extent) => extent.contains(cell),
            Place::Mask(mask) => mask.get(cell),
        }
    }

    /// The first restriction that keeps `pose` from `cell`. O(restrictions).
    pub fn cause(&self, cell: Cell, pose: PoseId) -> Option<CauseId> {
        self.restrictions
            .pairs()
            .find(|(_, r)| !r.allowed.contains(pose) && self.covers(&r.place, cell))
            .map(|(id, _)| id)
    }

    /// Calls `each` for the cells that take part and that `place` covers, in cell order.
    pub(super) fn for_each_covered(&self, place: &Place, mut each: impl FnMut(Cell)) {
        let extent = self.layout.extent();
        let mut offer = |cell: Cell| {
            if self.contains(cell) && self.covers(place, cell) {
                each(cell);
            }
        };
        match place {
            Place::Cell(cell) => offer(*cell),
            Place::Within(inner) => {
                extent.intersection(inner).iter().flat_map(Extent::iter).for_each(offer);
            }
            Place::Facing(_) if self.outline.is_none() => self.rim().for_each(offer),
            _ => extent.iter().for_each(offer),
        }
    }

    /// Cells on any face of the box, in cell order.
    fn rim(&self) -> impl Iterator<Item = Cell> + '_ {
        let extent = self.layout.extent();
        let ([w, h, d], o) = (extent.size(), extent.origin());
        let edge = |value: i32, start: i32, length: u32| {
            value == start || value == start + length as i32 - 1
        };
        let solid = self.layout.lattice().is_solid();
        (0..d as usize).flat_map(move |k| {
            let z = o.z + k as i32;
            (0..h as usize).flat_map(move |j| {
                let y = o.y + j as i32;
                let whole = edge(y, o.y, h) || (solid && edge(z, o.z, d));
                let step = if whole || w == 1 { 1 } else { w as usize - 1 };
                (0..w as usize).step_by(step).map(move |i| Cell { x: o.x + i as i32, y, z })
            })
        })
    }
}

impl Space {
    /// How many cells take part.
    pub fn cells(&self) -> usize {
        self.outline.as_ref().map_or(self.layout.extent().cells(), |outline| {
            self.layout.extent().iter().filter(|&cell| outline.get(cell)).count()
        })
    }
}
