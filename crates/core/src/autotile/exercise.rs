//! A small plan in which every neighbourhood occurs.

use crate::lattice::{Cell, Extent, Lattice};

/// All 256 Moore neighbourhoods of a painted cell, with nothing outside; found by a search, and tested.
const SQUARE: [&str; 26] = [
    "#.##..##.#..#.##..####.#..",
    "#####.#.#.####.#.#....#...",
    "..#......#.#..####...###.#",
    ".####.#......##.#.####.##.",
    "..#.######..##.##..###....",
    ".#..#..#..#####.##.###.#.#",
    ".###..##..#.##..#.#.#....#",
    "##.##.###.#......##.#.#.##",
    "..#..#.###..###...#....#.#",
    "####.####.##..##...#..#..#",
    "####.#...##.###.###.#####.",
    "...######.#.....##.####..#",
    "####.##.#.########...##.##",
    ".##.#.##.#..#..##..#..####",
    "##....#.###..###.###.#.###",
    "#.#.#######.###..##...#..#",
    "##....##.#.#..##..####.###",
    ".#.##..#.##...########.#..",
    "#..##.#.###.##..##.##.##..",
    ".#.###...###....#.####..##",
    ".#.###...#.#.#.#..#..###..",
    "#..#......#....#.#.#.....#",
    "#.#.#.##.#.#.##.#.###.###.",
    "#.#.###..#..##..#.####.###",
    ".###.##.##...##.###.###.#.",
    "#...#..##.....#.########.#",
];

/// A plan in which a painted cell has every neighbourhood that there is, when what lies outside is
/// something else: the 256 of squares, or the 64 of hexagons. Cells in order, painted or not.
///
/// ```
/// use lantern_quilt_core::autotile::exercise;
/// use lantern_quilt_core::lattice::Lattice;
/// let (extent, painted) = exercise(Lattice::Square);
/// assert_eq!((extent.width(), painted.len()), (26, extent.cells()));
/// ```
pub fn exercise(lattice: Lattice) -> (Extent, Vec<bool>) {
    if lattice.turns() != 6 {
        let extent = Extent::flat(26, 26).expect("small");
        let painted = SQUARE.iter().flat_map(|row| row.bytes().map(|sign| sign == b'#'));
        return (extent, painted.collect());
    }
    // One cell with its neighbours for each neighbourhood, far enough apart.
    let extent = Extent::flat(32, 32).expect("small");
    let mut painted = vec![false; extent.cells()];
    for joins in 0..64 {
        let middle = Cell::new(joins % 8 * 4 + 1, joins / 8 * 4 + 1);
        let around = lattice.sides().iter().enumerate().filter(|(slot, _)| joins >> slot & 1 == 1);
        let cells = around.filter_map(|(_, &side)| lattice.step(middle, side)).chain([middle]);
        for index in cells.filter_map(|cell| extent.index(cell)) {
            painted[index] = true;
        }
    }
    (extent, painted)
}
