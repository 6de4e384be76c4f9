//! Things that are placed together turn together.

use crate::lattice::{Cell, Layout, Side};

/// Quarter turns from one side to another; none on lattices without them.
pub(in crate::passes) fn quarters(layout: Layout, faces: Side, facing: Option<Side>) -> u16 {
    let lattice = layout.lattice();
    let angles = facing.and_then(|facing| lattice.angle(facing)).zip(lattice.angle(faces));
    match angles {
        Some((to, from)) if lattice.turns() == 4 => (to + 360 - from) % 360 / 90,
        _ => 0,
    }
}

/// The cell some way from another, as drawn, when it turns with what faces there.
pub(in crate::passes) fn moved(
    layout: Layout,
    cell: Cell,
    [mut x, mut y]: [i32; 2],
    faces: Side,
    facing: Option<Side>,
) -> Option<Cell> {
    if [x, y] == [0, 0] {
        return Some(cell);
    }
    for _ in 0..quarters(layout, faces, facing) {
        (x, y) = (-y, x);
    }
    layout.moved(cell, [x, y, 0])
}

/// An offset turned by a multiple of 30 degrees; others stay, for their sines differ between machines.
pub(in crate::passes) fn turned([x, y]: [f32; 2], degrees: f32) -> [f32; 2] {
    const ROOT: f32 = 0.866_025_4;
    const SINES: [f32; 12] = [0.0, 0.5, ROOT, 1.0, ROOT, 0.5, 0.0, -0.5, -ROOT, -1.0, -ROOT, -0.5];
    let step = (degrees / 30.0).rem_euclid(12.0);
    if [x, y] == [0.0, 0.0] || step.fract() != 0.0 {
        return [x, y];
    }
    let (sin, cos) = (SINES[step as usize % 12], SINES[(step as usize + 3) % 12]);
    [x * cos - y * sin, x * sin + y * cos]
}
