//! How sides of models lie against each other, and what their normals do there.

use super::sides::SideShape;
use glam::Vec3;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::{Frame, Orientation};
use lantern_quilt_core::tileset::outlines::{FrameSet, Outline, Point, partners, placed};

/// The frames in which a side of one tile may lie against a side of another, in the orientations they take:
/// as the second lies over the first as drawn.
pub(crate) fn meetings(
    (a, of_a): (Side, &[Orientation]),
    (b, of_b): (Side, &[Orientation]),
) -> FrameSet {
    let lattice = Lattice::Box;
    let mut found = Vec::new();
    for &here in of_a {
        let side = here.side(lattice, a);
        let own = here.frame(a, Frame::AS_DRAWN).inverse();
        for &there in of_b {
            if there.side(lattice, b) == side.opposite() {
                let beyond = there.frame(b, Frame::AS_DRAWN).across(side);
                found.push(beyond.then(own));
            }
        }
    }
    found.into_iter().collect()
}

/// The points of an outline as they lie in a frame, in their order.
pub(crate) fn points_in(outline: &Outline, frame: Frame) -> Vec<Point> {
    outline.points().iter().map(|&point| placed(frame, point)).collect()
}

/// A direction in the plane of a side as it lies in a frame; beyond a side that stands outwards is inwards.
fn normal_in(flat: bool, frame: Frame, v: Vec3) -> Vec3 {
    let v = if frame.flipped { Vec3::new(-v.x, v.y, v.z) } else { v };
    if !flat {
        return Vec3::new(v.x, v.y, -v.z);
    }
    match frame.turns % 4 {
        0 => v,
        1 => Vec3::new(-v.y, v.x, v.z),
        2 => Vec3::new(-v.x, -v.y, v.z),
        _ => Vec3::new(v.y, -v.x, v.z),
    }
}

/// The greatest angle in degrees between the normals of two sides where both are smooth, and at how many
/// points it is above `least`; `frame` is how the second lies over the first.
pub(crate) fn crease(
    a: &SideShape,
    b: &SideShape,
    flat: bool,
    frame: Frame,
    (tolerance, least): (u32, f64),
) -> Option<(usize, f64)> {
    let there = points_in(&b.outline, frame);
    let matched = partners(a.outline.points(), &there, tolerance);
    let mut found: Option<(usize, f64)> = None;
    for (normal, other) in a.normals.iter().zip(matched) {
        let (Some(here), Some(other)) = (normal, other) else { continue };
        let Some(beyond) = b.normals[other as usize] else { continue };
        let angle = f64::from(here.angle_between(normal_in(flat, frame, beyond))).to_degrees();
        if angle > least {
            let (count, most) = found.unwrap_or((0, 0.0));
            found = Some((count + 1, most.max(angle)));
        }
    }
    found
}
