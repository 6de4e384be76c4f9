//! Some cells of a space as a space of their own, with all others as they are.

use crate::grid::{BitPlane, Plane};
use crate::id::{CauseId, Id, PoseId};
use crate::lattice::{Cell, Extent, Layout};
use crate::rules::{PoseSet, Rules};
use crate::solve::beside::{beside, frame};
use crate::solve::space::{Region, Restriction, Space};
use std::collections::BTreeMap;

/// The cells of a layout that take part in a space, as a space of their own that is being made, some
/// cells at a time. What stands around them becomes what they may hold.
///
/// The layout is that of the space or a box of it, closed along an axis just when it reaches both ends
/// of one that closes. O(box x restrictions) together.
#[derive(Debug)]
pub(super) struct Parting {
    layout: Layout,
    /// The cells that are open, when not all are.
    open: Option<BitPlane>,
    stage: Stage,
    part: Space,
    outline: BitPlane,
    /// What the stage under way has gathered.
    covered: Vec<Cell>,
    beside: BTreeMap<Vec<u64>, Vec<Cell>>,
    values: Vec<u8>,
}

/// What is done next, in this order; each from a cell on.
#[derive(Clone, Copy, Debug)]
enum Stage {
    Outline(usize),
    Restrict(CauseId, usize),
    Beside(usize),
    Scale(usize, usize),
}

/// Cells looked at in one unit.
const AT_ONCE: usize = 1024;

/// What comes of a unit of work.
#[derive(Debug)]
pub(super) enum Parted {
    /// There is more to do.
    Working,
    /// No cell is open.
    Nothing,
    /// The part, and which cells were open.
    Part(Space, Option<BitPlane>),
}

impl Parting {
    pub(super) fn new(space: &Space, layout: Layout, open: Option<BitPlane>) -> Self {
        let outlined = open.is_some() || space.is_outlined();
        Self {
            layout,
            open,
            stage: if outlined {
                Stage::Outline(0)
            } else {
                Stage::Restrict(CauseId::from_index(0), 0)
            },
            part: Space::new(layout),
            outline: BitPlane::new(layout.extent()),
            covered: Vec::new(),
            beside: BTreeMap::new(),
            values: Vec::new(),
        }
    }

    /// One unit of work. `fill` tells what stands in cells that are not open.
    pub(super) fn work(
        &mut self,
        rules: &Rules,
        space: &Space,
        fill: &dyn Fn(Cell) -> Option<PoseId>,
    ) -> Parted {
        let Self { layout, open, part, outline, covered, beside: around, values, .. } = self;
        let box_of = layout.extent();
        let is_open = |cell: Cell| {
            box_of.contains(cell)
                && space.contains(cell)
                && open.as_ref().is_none_or(|open| open.get(cell))
        };
        let more = |from: usize, all: usize| Some(from + AT_ONCE).filter(|&from| from < all);
        self.stage = match self.stage {
            Stage::Outline(from) => {
                for cell in box_of.iter().skip(from).take(AT_ONCE) {
                    outline.set(cell, is_open(cell));
                }
                match more(from, box_of.cells()) {
                    Some(from) => Stage::Outline(from),
                    None if outline.count() == 0 => return Parted::Nothing,
                    None => {
                        *part = Space::new(*layout).outlined(outline.clone());
                        Stage::Restrict(CauseId::from_index(0), 0)
                    }
                }
            }
            Stage::Restrict(cause, from) => match space.restrictions().get(cause) {
                None => Stage::Beside(0),
                Some(Restriction { place, allowed, .. }) => {
                    let mut within = |cells: &mut dyn Iterator<Item = Cell>| {
                        covered.extend(cells.filter(|&cell| is_open(cell)));
                    };
                    let (whole, next) = match place {
                        Region::Everywhere => (Some(Region::Everywhere), None),
                        Region::Cell(cell) => (is_open(*cell).then_some(Region::Cell(*cell)), None),
                        Region::Within(extent) => {
                            (box_of.intersection(extent).map(Region::Within), None)
                        }
                        Region::Cells(cells) => {
                            within(&mut cells.iter().copied().skip(from).take(AT_ONCE));
                            (None, more(from, cells.len()))
                        }
                        // Without an outline only the edges of the map face out of it.
                        Region::Facing(_) if !space.is_outlined() && is_inner(space, box_of) => {
                            (None, None)
                        }
                        Region::Facing(_) | Region::Mask(_) => {
                            let some = box_of.iter().skip(from).take(AT_ONCE);
                            within(&mut some.filter(|&cell| space.covers(place, cell)));
                            (None, more(from, box_of.cells()))
                        }
                    };
                    match next {
                        Some(from) => Stage::Restrict(cause, from),
                        None => {
                            let cells = std::mem::take(covered);
                            let some = (!cells.is_empty()).then_some(Region::Cells(cells));
                            if let Some(place) = whole.or(some) {
                                part.restrict(place, allowed.clone());
                            }
                            Stage::Restrict(CauseId::from_index(cause.index() + 1), 0)
                        }
                    }
                }
            },
            Stage::Beside(from) => {
                let all_inside = open.is_none() && !space.is_outlined();
                // Of whole boxes only the frame has anything beside it.
                let (cells, next) = if all_inside {
                    (frame(box_of, rules.lattice().is_solid()), None)
                } else {
                    let some = box_of.iter().skip(from).take(AT_ONCE);
                    let some = some.filter(|&cell| is_open(cell));
                    (some.collect(), more(from, box_of.cells()))
                };
                for (allowed, cells) in beside(rules, space, cells, &is_open, fill) {
                    around.entry(allowed).or_default().extend(cells);
                }
                match next {
                    Some(from) => Stage::Beside(from),
                    None => {
                        for (allowed, cells) in std::mem::take(around) {
                            let set = PoseSet::from_words(rules.poses().len(), &allowed);
                            part.restrict(Region::Cells(cells), set);
                        }
                        Stage::Scale(0, 0)
                    }
                }
            }
            Stage::Scale(number, from) => {
                let Some(scale) = space.scales().get(number) else {
                    return Parted::Part(std::mem::replace(part, Space::new(*layout)), open.take());
                };
                let value = |cell| scale.plane.get(cell).copied().unwrap_or(u8::MAX);
                values.extend(box_of.iter().skip(from).take(AT_ONCE).map(value));
                match more(from, box_of.cells()) {
                    Some(from) => Stage::Scale(number, from),
                    None => {
                        let plane = Plane::from_values(box_of, std::mem::take(values));
                        part.scale(scale.poses.clone(), plane.expect("one value a cell"));
                        Stage::Scale(number + 1, 0)
                    }
                }
            }
        };
        Parted::Working
    }
}

/// Whether a box touches no edge of the map.
fn is_inner(space: &Space, box_of: Extent) -> bool {
    let layout = space.layout();
    let (whole, wrap) = (layout.extent(), layout.wrap());
    let inner = |from: i32, length: u32, start: i32, end: u32| {
        from > start && i64::from(from) + i64::from(length) < i64::from(start) + i64::from(end)
    };
    let (o, [w, h, d]) = (box_of.origin(), box_of.size());
    let (start, [width, height, depth]) = (whole.origin(), whole.size());
    (wrap.x || inner(o.x, w, start.x, width))
        && (wrap.y || inner(o.y, h, start.y, height))
        && (wrap.z || !layout.lattice().is_solid() || inner(o.z, d, start.z, depth))
}
