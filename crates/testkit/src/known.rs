//! Sets that mathematics knows the answer of: how many fills there are, or that there is none.

use crate::sets::{coloured, opposites};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::id::Id;
use lantern_quilt_core::lattice::{Cell, Lattice, Layout, Side};
use lantern_quilt_core::rules::{PoseSet, Rules};
use lantern_quilt_core::solve::{Region, Space};

fn only(rules: &Rules, keep: impl Fn(usize) -> bool) -> PoseSet {
    PoseSet::from_fn(rules.poses().len(), |pose| keep(pose.index()))
}

/// Halves of dominoes: pose number `n` has its other half beyond side number `n`.
///
/// # Panics
/// Never: the rules are small.
pub fn dominoes() -> Rules {
    let opposite = opposites(Lattice::Square);
    Rules::from_pairs(Lattice::Square, &[1; 4], |side, a, b| (a == side) == (b == opposite[side]))
        .expect("small")
}

/// A board for dominoes without some of its cells; no half sticks out.
pub fn board(rules: &Rules, layout: Layout, without: &[Cell]) -> Space {
    let outline = BitPlane::from_fn(layout.extent(), |cell| !without.contains(&cell));
    let mut space = Space::new(layout).outlined(outline);
    for (number, &side) in layout.lattice().sides().iter().enumerate() {
        space.restrict(Region::Facing(side), only(rules, |pose| pose != number));
    }
    space
}

/// Proper colourings of cells: neighbours differ.
///
/// # Panics
/// Never: the rules are small.
pub fn colourings(lattice: Lattice, colours: usize) -> Rules {
    Rules::from_pairs(lattice, &vec![1; colours], |_, a, b| a != b).expect("small")
}

/// Square ice, the six-vertex model: of the four arrows at a cell two go in and two go out. A colour
/// is the direction of the arrow: 1 is east or south.
///
/// # Panics
/// Never: the rules are small.
pub fn ice() -> Rules {
    let tiles: Vec<[usize; 4]> = (0..16)
        .map(|bits| std::array::from_fn(|side| bits >> side & 1))
        .filter(|[north, east, south, west]| north + west == east + south)
        .collect();
    coloured(&tiles)
}

/// A board for ice with domain walls: arrows go in from the west and the east, and out to the north
/// and the south. An n x n board has as many fills as there are alternating sign matrices of size n
/// (Kuperberg 1996): 1, 2, 7, 42, 429, 7436, ...
///
/// # Panics
/// Never: the size is checked by the caller's layout.
pub fn domain_walls(rules: &Rules, size: u32) -> Space {
    let layout = Layout::flat(Lattice::Square, size, size).expect("small");
    let mut space = Space::new(layout);
    let outward = [(Side::North, 0), (Side::East, 0), (Side::South, 1), (Side::West, 1)];
    let tiles: Vec<[usize; 4]> = (0..16)
        .map(|bits| std::array::from_fn(|side| bits >> side & 1))
        .filter(|[north, east, south, west]: &[usize; 4]| north + west == east + south)
        .collect();
    for (side, colour) in outward {
        let number = Lattice::Square.side_index(side).expect("square");
        space.restrict(Region::Facing(side), only(rules, |pose| tiles[pose][number] == colour));
    }
    space
}

/// Rows that multiply: a row of digits of average `a` has below it one of average 2`a` (from 2/3 to
/// 1) or 2/3 `a` (from 1 to 2). As no power of 2 is one of 3, nothing ever repeats (Kari 1996).
///
/// # Panics
/// Never: there are some dozen tiles.
pub fn multiplying() -> Rules {
    let mut tiles = Vec::new();
    // Averages as fractions over `PARTS`; carries as thirds.
    const PARTS: i64 = 360;
    for (kind, (by, over), range) in
        [(0, (2, 1), PARTS * 2 / 3..=PARTS), (1, (2, 3), PARTS..=PARTS * 2)]
    {
        for average in range {
            let digit = |n: i64, times: i64, parts: i64| (n * times).div_euclid(parts);
            for n in 1..=PARTS {
                let (from, from_before) = (digit(n, average, PARTS), digit(n - 1, average, PARTS));
                let (to, to_before) = (
                    digit(n, average * by, PARTS * over),
                    digit(n - 1, average * by, PARTS * over),
                );
                // Thirds, moved so that they are not negative.
                let carry =
                    |from: i64, to: i64| (3 * by / over * from - 3 * to + 6) as usize + 20 * kind;
                let (west, east) = (carry(from_before, to_before), carry(from, to));
                // A nought below a row that was divided is one of its own.
                let above = (from - from_before) as usize;
                let below = (to - to_before) as usize;
                let below = if kind == 1 && below == 0 { 9 } else { below };
                for above in if kind == 0 && above == 0 { vec![0, 9] } else { vec![above] } {
                    let tile = [above, east, below, west];
                    if !tiles.contains(&tile) {
                        tiles.push(tile);
                    }
                }
            }
        }
    }
    coloured(&tiles)
}

/// Lozenges: a cell is a corner of the triangular grid and says which of the six sides it shares with
/// its neighbours lie inside a lozenge. Of the three sides around each triangle just one does.
///
/// # Panics
/// Never: there are eighteen poses.
pub fn lozenges() -> Rules {
    let lattice = Lattice::HexPointy;
    let poses = lozenge_poses();
    let opposite = opposites(lattice);
    // Sides go round: those before and after one at a cell are seen after and before it from beyond.
    Rules::from_pairs(lattice, &vec![1; poses.len()], |side, a, b| {
        let (a, b, back) = (poses[a], poses[b], opposite[side]);
        let around = |a: u32, from: usize, b: u32, to: usize| {
            u32::from(crossed(a, from)) + u32::from(crossed(b, to)) + u32::from(crossed(a, side))
                == 1
        };
        crossed(a, side) == crossed(b, back)
            && around(a, side + 5, b, back + 1)
            && around(a, side + 1, b, back + 5)
    })
    .expect("small")
}

fn crossed(pose: u32, side: usize) -> bool {
    pose >> (side % 6) & 1 == 1
}

/// Sides that lie inside a lozenge, a bit each: no two beside each other.
fn lozenge_poses() -> Vec<u32> {
    let apart = |&pose: &u32| (0..6).all(|side| !(crossed(pose, side) && crossed(pose, side + 1)));
    (0..64).filter(apart).collect()
}

/// Whether a pose of [`lozenges`] says that a side lies inside a lozenge.
pub fn lozenge_crosses(pose: usize, side: usize) -> bool {
    crossed(lozenge_poses()[pose], side)
}
