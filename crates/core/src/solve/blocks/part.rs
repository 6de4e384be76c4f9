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
    let all_inside = !any_shape && !space.is_outlined();
    let cells: Vec<Cell> = if all_inside {
        frame(box_of, rules.lattice().is_solid())
    } else {
        box_of.iter().filter(|&cell| is_open(cell)).collect()
    };
    let all = PoseSet::full(rules.poses().len());
    let mut left = all.clone();
    let mut found: BTreeMap<Vec<u64>, Vec<Cell>> = BTreeMap::new();
    for cell in cells {
        let mut narrowed = false;
        for &(side, back) in &sides {
            let Some(beyond) = space.neighbour(cell, side) else { continue };
            if is_open(beyond) {
                continue;
            }
            let Some(pose) = fill(beyond) else { continue };
            if !narrowed {
                left.unite(&all);
                narrowed = true;
            }
            left.intersect(rules.support(back, pose));
        }
        if !narrowed {
            continue;
        }
        match found.get_mut(left.words()) {
            Some(cells) => cells.push(cell),
            None => {
                found.insert(left.words().to_vec(), vec![cell]);
            }
        }
    }
    found
}

/// The cells of a box that have a side at its edge, row by row.
fn frame(box_of: Extent, solid: bool) -> Vec<Cell> {
    let (Cell { x, y, z }, [width, height, depth]) = (box_of.origin(), box_of.size());
    let (right, bottom, top) = (width as i32 - 1, height as i32 - 1, depth as i32 - 1);
    let mut cells = Vec::new();
    for up in 0..=top {
        for down in 0..=bottom {
            let whole = down == 0 || down == bottom || solid && (up == 0 || up == top);
            let step = if whole { 1 } else { right.max(1) };
            cells.extend((0..=right).step_by(step as usize).map(|across| Cell {
                x: x + across,
                y: y + down,
                z: z + up,
            }));
        }
    }
    cells
}
