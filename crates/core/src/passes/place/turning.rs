//! Things that are placed together turn together.

use crate::lattice::{Cell, Layout, Shift, Side};

/// Turns from the side that things face as drawn to the one they face.
pub(in crate::passes) fn turns(layout: Layout, faces: Side, facing: Option<Side>) -> u8 {
    facing.map_or(0, |facing| layout.lattice().turns_between(faces, facing))
}

/// The cell some way from another, as drawn, when it turns with what faces there.
pub(in crate::passes) fn moved(
    layout: Layout,
    cell: Cell,
    at: [i32; 2],
    faces: Side,
    facing: Option<Side>,
) -> Option<Cell> {
    if at == [0, 0] {
        return Some(cell);
    }
    let lattice = layout.lattice();
    let shift = Shift::drawn(lattice, at).turned(lattice, turns(layout, faces, facing));
    layout.shifted(cell, shift)
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
