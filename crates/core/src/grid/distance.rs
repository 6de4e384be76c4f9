//! How far each cell is from the nearest of some cells.

use super::{BitPlane, Plane};
use crate::lattice::{Lattice, Layout, Side};
use crate::limits::{Pace, Stopped};

/// No cell of the set can be reached.
pub const UNREACHED: u32 = u32::MAX;

/// Steps across sides to the nearest cell of a set, closing edges included; [`UNREACHED`] where there
/// is none. O(cells).
///
/// ```
/// use lantern_quilt_core::grid::{BitPlane, steps_from};
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
///
/// let layout = Layout::flat(Lattice::Square, 5, 1)?;
/// let set = BitPlane::from_fn(layout.extent(), |cell| cell.x == 1);
/// assert_eq!(steps_from(layout, &set).values(), [1, 0, 1, 2, 3]);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
pub fn steps_from(layout: Layout, set: &BitPlane) -> Plane<u32> {
    steps(layout, set, &Pace::free()).expect("nobody stops it")
}

/// As [`steps_from`], over cells of `through` alone and at most `most` steps far. Cells of the set are at
/// 0 whether they belong to `through` or not. O(cells).
///
/// ```
/// use lantern_quilt_core::grid::{BitPlane, UNREACHED, steps_through};
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
///
/// let layout = Layout::flat(Lattice::Square, 5, 1)?;
/// let set = BitPlane::from_fn(layout.extent(), |cell| cell.x == 1);
/// let through = BitPlane::from_fn(layout.extent(), |cell| cell.x != 3);
/// let far = steps_through(layout, &set, &through, 9);
/// assert_eq!(far.values(), [1, 0, 1, UNREACHED, UNREACHED]);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
///
/// # Panics
/// When a plane has another extent.
pub fn steps_through(layout: Layout, set: &BitPlane, through: &BitPlane, most: u32) -> Plane<u32> {
    steps_over(layout, set, Some(through), most, &Pace::free()).expect("nobody stops it")
}

/// As [`steps_from`], unless it is stopped.
pub(crate) fn steps(
    layout: Layout,
    set: &BitPlane,
    pace: &Pace<'_>,
) -> Result<Plane<u32>, Stopped> {
    steps_over(layout, set, None, u32::MAX, pace)
}

/// As [`steps_through`], unless it is stopped; everywhere without `through`.
pub(crate) fn steps_over(
    layout: Layout,
    set: &BitPlane,
    through: Option<&BitPlane>,
    most: u32,
    pace: &Pace<'_>,
) -> Result<Plane<u32>, Stopped> {
    let extent = layout.extent();
    let open = |cell| through.is_none_or(|through| through.get(cell));
    let mut steps = Plane::new(extent, UNREACHED);
    let mut frontier: Vec<_> = set.iter().collect();
    for &cell in &frontier {
        *steps.get_mut(cell).expect("inside") = 0;
    }
    let mut far = 0;
    while !frontier.is_empty() && far < most {
        far += 1;
        let mut next = Vec::new();
        for cell in frontier {
            pace.cells(1)?;
            for &side in layout.lattice().sides() {
                let Some(beyond) = layout.neighbour(cell, side) else { continue };
                let slot = steps.get_mut(beyond).expect("inside");
                if *slot == UNREACHED && open(beyond) {
                    *slot = far;
                    next.push(beyond);
                }
            }
        }
        frontier = next;
    }
    Ok(steps)
}

/// Steps towards one side to the nearest cell of a set, closing edges included; [`UNREACHED`] where there
/// is none. O(cells).
pub(crate) fn steps_to(
    layout: Layout,
    set: &BitPlane,
    side: Side,
    pace: &Pace<'_>,
) -> Result<Plane<u32>, Stopped> {
    let mut steps = Plane::new(layout.extent(), UNREACHED);
    for start in set.iter() {
        *steps.get_mut(start).expect("inside") = 0;
    }
    // Away from each cell of the set, up to the next one of it: each cell is passed once.
    for start in set.iter() {
        let (mut at, mut far) = (start, 0);
        while let Some(behind) = layout.neighbour(at, side.opposite()) {
            let slot = steps.get_mut(behind).expect("inside");
            if *slot == 0 {
                break;
            }
            pace.cells(1)?;
            (at, far) = (behind, far + 1);
            *slot = far;
        }
    }
    Ok(steps)
}

/// The square of the straight distance, from middle to middle, to the nearest cell of a set on a square
/// or box lattice, closing edges included; [`UNREACHED`] where there is none or it is too far for the
/// number. On hexagons, the square of the steps. O(cells x axes).
///
/// Source: Felzenszwalb and Huttenlocher, Distance Transforms of Sampled Functions, 2012.
pub fn straight_from(layout: Layout, set: &BitPlane) -> Plane<u32> {
    straight(layout, set, &Pace::free()).expect("nobody stops it")
}

/// As [`straight_from`], unless it is stopped.
pub(crate) fn straight(
    layout: Layout,
    set: &BitPlane,
    pace: &Pace<'_>,
) -> Result<Plane<u32>, Stopped> {
    let extent = layout.extent();
    if !matches!(layout.lattice(), Lattice::Square | Lattice::Box) {
        let mut steps = steps(layout, set, pace)?;
        for value in steps.values_mut().iter_mut().filter(|value| **value != UNREACHED) {
            *value = value.saturating_mul(*value).min(UNREACHED - 1);
        }
        return Ok(steps);
    }
    let [width, height, depth] = extent.size().map(|length| length as usize);
    let mut squares: Vec<u64> =
        extent.iter().map(|cell| if set.get(cell) { 0 } else { u64::MAX }).collect();
    let wrap = layout.wrap();
    let axes = [(width, 1, wrap.x), (height, width, wrap.y), (depth, width * height, wrap.z)];
    let mut line = Vec::new();
    for (length, stride, closes) in axes {
        if length == 1 {
            continue;
        }
        for start in (0..squares.len()).filter(|index| index / stride % length == 0) {
            pace.cells(length)?;
            line.clear();
            line.extend((0..length).map(|step| squares[start + step * stride]));
            for (step, value) in along(&line, closes).into_iter().enumerate() {
                squares[start + step * stride] = value;
            }
        }
    }
    let narrow = |square: u64| u32::try_from(square).unwrap_or(UNREACHED);
    let values = squares.into_iter().map(narrow).collect();
    Ok(Plane::from_values(extent, values).expect("one a cell"))
}

/// The lower envelope of parabolas over one line; three times over where it closes.
fn along(line: &[u64], closes: bool) -> Vec<u64> {
    let length = line.len() as i64;
    let copies = if closes { -1..=1 } else { 0..=0 };
    let sources = copies
        .flat_map(|copy| (0..length).map(move |at| at + copy * length))
        .filter(|at| line[at.rem_euclid(length) as usize] != u64::MAX);
    // Each parabola with the first place from which it is the lowest.
    let mut envelope: Vec<(i64, i64)> = Vec::new();
    let height = |at: i64| line[at.rem_euclid(length) as usize] as i64;
    for at in sources {
        let mut from = i64::MIN;
        while let Some(&(other, begins)) = envelope.last() {
            // The first whole place at which this one is lower than the other.
            let over = height(at) + at * at - height(other) - other * other;
            from = over.div_euclid(2 * (at - other)) + 1;
            if from > begins {
                break;
            }
            envelope.pop();
            from = i64::MIN;
        }
        envelope.push((at, from));
    }
    let mut lowest = 0;
    (0..length)
        .map(|place| {
            while envelope.get(lowest + 1).is_some_and(|&(_, begins)| begins <= place) {
                lowest += 1;
            }
            let Some(&(at, _)) = envelope.get(lowest) else { return u64::MAX };
            ((place - at) * (place - at) + height(at)) as u64
        })
        .collect()
}
