//! Some cells of a space as a space of their own, with all others as they are.

use crate::grid::{BitPlane, Plane};
use crate::id::PoseId;
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::rules::{PoseSet, Rules};
use crate::solve::space::{Place, Space};
use std::collections::BTreeMap;

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
    for (allowed, cells) in beside(rules, space, box_of, &is_open, open.is_some(), fill) {
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

/// What open cells may hold beside those that stay: cells by the words of what is left to them.
fn beside(
    rules: &Rules,
    space: &Space,
    box_of: Extent,
    is_open: &dyn Fn(Cell) -> bool,
    any_shape: bool,
    fill: &dyn Fn(Cell) -> Option<PoseId>,
) -> BTreeMap<Vec<u64>, Vec<Cell>> {
    let opposite = |side: Side| rules.lattice().side_index(side.opposite()).expect("in pairs");
    let sides: Vec<(Side, usize)> =
        rules.lattice().sides().iter().map(|&side| (side, opposite(side))).collect();
    let (origin, [w, h, d]) = (box_of.origin(), box_of.size());
    let solid = rules.lattice().is_solid();
    let at_edge = |cell: Cell| {
        let edge = |at: i32, from: i32, length: u32| at == from || at == from + length as i32 - 1;
        edge(cell.x, origin.x, w) || edge(cell.y, origin.y, h) || solid && edge(cell.z, origin.z, d)
    };
    let all_inside = !any_shape && !space.is_outlined();
    let mut found: BTreeMap<Vec<u64>, Vec<Cell>> = BTreeMap::new();
    for cell in box_of.iter() {
        if all_inside && !at_edge(cell) || !is_open(cell) {
            continue;
        }
        let mut left: Option<PoseSet> = None;
        for &(side, back) in &sides {
            let Some(beyond) = space.neighbour(cell, side) else { continue };
            if is_open(beyond) {
                continue;
            }
            let Some(pose) = fill(beyond) else { continue };
            let support = rules.support(back, pose);
            match &mut left {
                Some(left) => left.intersect(support),
                None => left = Some(support.clone()),
            }
        }
        if let Some(left) = left {
            found.entry(left.words().to_vec()).or_default().push(cell);
        }
    }
    found
}
