//! What lies in the way of cells that cannot be reached.

use super::ground::Ground;
use crate::grid::{BitPlane, Plane};
use crate::lattice::Cell;
use crate::limits::{Pace, Stopped};
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// For each of some cells, what would have to be opened on the way to it from what is reached, as little
/// as can be: closed cells, and the cells behind items and steps that are in the way; from the goal back.
/// Of several such ways the shortest. O(cells log cells).
pub(in crate::passes) fn in_the_way(
    ground: &Ground<'_>,
    reached: &BitPlane,
    goals: &[Cell],
    pace: &Pace<'_>,
) -> Result<Vec<Vec<Cell>>, Stopped> {
    let extent = reached.extent();
    // How much is in the way and how many steps that is, and the way one came.
    let mut far = Plane::new(extent, (u32::MAX, u32::MAX));
    let mut came: Plane<Option<u8>> = Plane::new(extent, None);
    let mut heap = BinaryHeap::new();
    for cell in reached.iter() {
        *far.get_mut(cell).expect("inside") = (0, 0);
        heap.push(Reverse(((0, 0), cell)));
    }
    let closed = |from: Cell, way: usize| {
        let step = ground.step(from, way)?;
        Some((step.to, !ground.open.get(step.to) || !step.is_free()))
    };
    while let Some(Reverse((distance, cell))) = heap.pop() {
        pace.cells(1)?;
        if far.get(cell).is_some_and(|&far| far < distance) {
            continue;
        }
        for way in 0..ground.ways() {
            let Some((to, closed)) = closed(cell, way) else { continue };
            let next = (distance.0 + u32::from(closed), distance.1 + 1);
            let slot = far.get_mut(to).expect("inside");
            if next < *slot {
                *slot = next;
                *came.get_mut(to).expect("inside") = u8::try_from(way).ok();
                heap.push(Reverse((next, to)));
            }
        }
    }
    let trace = |&goal: &Cell| {
        let (mut at, mut found) = (goal, Vec::new());
        while let Some(way) = came.get(at).copied().flatten().map(usize::from) {
            let Some(back) = ground.beyond(at, ground.back(way)) else { break };
            if closed(back, way).is_some_and(|(_, closed)| closed) {
                found.push(at);
            }
            at = back;
        }
        found
    };
    Ok(goals.iter().map(trace).collect())
}
