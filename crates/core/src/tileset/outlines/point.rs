//! Points in the plane of a side.

use crate::orient::Frame;

/// A place in the plane of a side, in units of 1/1024 mm.
///
/// On a side that stands: to the right of someone who looks out of it, and up; zero is the middle of the
/// bottom. On one that lies: east and south; zero is the middle.
pub type Point = [i32; 2];

/// Where a point lies in a frame: mirrored, then turned clockwise.
pub fn placed(frame: Frame, [x, y]: Point) -> Point {
    let x = if frame.flipped { -x } else { x };
    match frame.turns % 4 {
        0 => [x, y],
        1 => [-y, x],
        2 => [-x, -y],
        _ => [y, -x],
    }
}

/// The square of the distance between two points.
pub(super) fn apart([ax, ay]: Point, [bx, by]: Point) -> i64 {
    let (x, y) = (i64::from(ax) - i64::from(bx), i64::from(ay) - i64::from(by));
    x * x + y * y
}
