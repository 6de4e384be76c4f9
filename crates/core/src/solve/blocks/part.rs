//! Some cells of a space as a space of their own, with all others as they are.

use crate::grid::{BitPlane, Plane};
use crate::id::PoseId;
use crate::lattice::{Cell, Extent, Layout};
use crate::rules::{PoseSet, Rules};
use crate::solve::beside::{beside, frame};
use crate::solve::space::{Place, Space};

/// The cells of `layout` that take part in `space` and that `open` accepts, as a space. What stands
/// around them becomes what they may hold; `fill` tells it. `None` when there is no such cell.
///
/// The layout is that of the space or a box of it, closed along an axis just when it reaches both ends
/// of one that closes. O(box x restrictions).
pub(super) fn part(
    rules: &Rules,
    space: &Space,
    layout: Layout,
    open: Option<&dyn Fn(Cell) -> bool>,
    fill: &dyn Fn(Cell) -> Option<PoseId>,
) -> Option<Space> {
    let box_of = layout.extent();
    let is_open = |cell: Cell| {
        box_of.contains(cell) && space.contains(cell) && open.is_none_or(|open| open(cell))
    };
    let mut part = Space::new(layout);
    if open.is_some() || space.is_outlined() {
        let outline = BitPlane::from_fn(box_of, is_open);
        if outline.count() == 0 {
            return None;
        }
        part = part.outlined(outline);
    }
    for restriction in space.restrictions() {
        if let Some(place) = place_in(space, &restriction.place, box_of, &is_open) {
            part.restrict(place, restriction.allowed.clone());
        }
    }
    let all_inside = open.is_none() && !space.is_outlined();
    let cells: Vec<Cell> = if all_inside {
        frame(box_of, rules.lattice().is_solid())
    } else {
        box_of.iter().filter(|&cell| is_open(cell)).collect()
    };
    for (allowed, cells) in beside(rules, space, cells, &is_open, fill) {
        let set = PoseSet::from_words(rules.poses().len(), &allowed);
        part.restrict(Place::Cells(cells), set);
    }
    for scale in space.scales() {
        let value = |cell| scale.plane.get(cell).copied().unwrap_or(u8::MAX);
        let values = box_of.iter().map(value).collect();
        let plane = Plane::from_values(box_of, values).expect("one value a cell");
        part.scale(scale.poses.clone(), plane);
    }
    Some(part)
}

/// Where a restriction holds inside a box; `None` when nowhere.
fn place_in(
    space: &Space,
    place: &Place,
    box_of: Extent,
    is_open: &dyn Fn(Cell) -> bool,
) -> Option<Place> {
    let some = |cells: Vec<Cell>| (!cells.is_empty()).then_some(Place::Cells(cells));
    let covered =
        || some(box_of.iter().filter(|&cell| is_open(cell) && space.covers(place, cell)).collect());
    match place {
        Place::Everywhere => Some(Place::Everywhere),
        Place::Cell(cell) => is_open(*cell).then_some(Place::Cell(*cell)),
        Place::Within(extent) => box_of.intersection(extent).map(Place::Within),
        Place::Cells(cells) => some(cells.iter().copied().filter(|&cell| is_open(cell)).collect()),
        // Without an outline only the edges of the map face out of it.
        Place::Facing(_) if !space.is_outlined() && is_inner(space, box_of) => None,
        Place::Facing(_) | Place::Mask(_) => covered(),
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
