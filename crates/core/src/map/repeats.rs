//! How much a layer equals itself a few cells further on: what the eye sees as wallpaper.

use super::Layer;
use crate::lattice::{Cell, Lattice};

/// The farthest shift that is looked at, in cells; on boxes half of it.
const FARTHEST: i32 = 8;

/// The most cells that are compared for each shift; of larger layers the first rows are.
const MOST_CELLS: usize = 1 << 18;

/// The shift by which a layer equals itself most, and how much of it does.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Repeats {
    /// Columns east, rows south and levels up.
    pub shift: [i32; 3],
    /// What part of the cells equal the one so far on.
    pub equal: f64,
    /// What part of that is more than chance: 0 where cells are drawn one by one, 1 where all of it repeats.
    pub beyond_chance: f64,
    /// What part of the cells equal one beside them, by the side on which most do.
    pub beside: f64,
}

/// What part beyond chance the eye sees.
const SEEN: f64 = 0.3;

/// Shifts that differ by less are alike, and the nearest of them counts.
const ALIKE: f64 = 0.01;

impl Repeats {
    /// Whether the eye sees it: more than three tenths repeat beyond chance, and cells are no more like those beside them.
    /// In wide areas of one kind they are.
    pub fn is_seen(&self) -> bool {
        self.beyond_chance > SEEN && self.equal > self.beside - ALIKE
    }

    /// How much repeats and after how many cells, in words for a message.
    pub fn in_words(&self) -> String {
        let [x, y, z] = self.shift;
        let ways = [(x, "east", "west"), (y, "south", "north"), (z, "up", "down")];
        let far: Vec<String> = ways
            .into_iter()
            .filter(|(by, ..)| *by != 0)
            .map(|(by, on, back)| format!("{} {}", by.abs(), if by > 0 { on } else { back }))
            .collect();
        format!(
            "{:.0} % of the cells are as the one {} of them",
            self.equal * 100.0,
            far.join(" and ")
        )
    }
}

/// The shift of two to eight cells (two to four on boxes) by which most of a layer is equal; of shifts that are alike the
/// nearest.
///
/// Two cells drawn by how often things stand in the layer are equal with a chance p; what is beyond chance is
/// (equal - p) / (1 - p). On hexagons only shifts by whole pairs of rows or columns are compared. `None` where fewer than
/// two kinds of things stand, or no such shift fits twice into the layer.
///
/// O(cells x shifts), for a quarter of a million cells at most.
///
/// ```
/// use lantern_quilt_core::lattice::{Extent, Lattice};
/// use lantern_quilt_core::map::{Layer, Placed, repeats};
///
/// let extent = Extent::flat(30, 9)?;
/// let mut stripes = Layer::new("ground", extent, ["moss", "path", "path"].map(Placed::new).to_vec());
/// for cell in extent.iter() {
///     stripes.set(cell, Some(cell.x as u32 % 3));
/// }
/// let found = repeats(&stripes, Lattice::Square).expect("two kinds of tiles");
/// assert!(found.equal == 1.0 && found.is_seen());
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
pub fn repeats(layer: &Layer, lattice: Lattice) -> Option<Repeats> {
    let [wide, deep, high] = layer.extent().size().map(|length| length as usize);
    let deep = deep.min((MOST_CELLS / (wide * high).max(1)).max(1));
    let cells = layer.cells();
    let all = layer.extent().size()[1] as usize;
    let at = |x: usize, y: usize, z: usize| cells.get(x + wide * (y + all * z));
    // The same thing may stand in the palette twice, with another look.
    let kinds: Vec<usize> = {
        let same = |one: usize, other: usize| {
            let (one, other) = (&layer.palette()[one], &layer.palette()[other]);
            (&one.tile, one.orientation, one.part) == (&other.tile, other.orientation, other.part)
        };
        let first = |kind: usize| (0..kind).find(|&other| same(kind, other)).unwrap_or(kind);
        (0..layer.palette().len()).map(first).collect()
    };
    let mut numbers = Vec::with_capacity(wide * deep * high);
    for (z, y) in (0..high).flat_map(|z| (0..deep).map(move |y| (z, y))) {
        numbers
            .extend((0..wide).map(|x| at(x, y, z).map_or(u32::MAX, |n| kinds[n as usize] as u32)));
    }
    let mut counts = vec![0_u64; kinds.len()];
    let standing = numbers.iter().filter(|&&number| number != u32::MAX);
    standing.for_each(|&number| counts[number as usize] += 1);
    let sum = counts.iter().sum::<u64>() as f64;
    if counts.iter().filter(|count| **count > 0).count() < 2 {
        return None;
    }
    let chance: f64 = counts.iter().map(|&count| (count as f64 / sum).powi(2)).sum();
    let far = if lattice.is_solid() { FARTHEST / 2 } else { FARTHEST };
    let step = |on: Lattice| if lattice == on { 2 } else { 1 };
    let (across, down) = (step(Lattice::HexFlat), step(Lattice::HexPointy));
    let ups = if lattice.is_solid() { far } else { 0 };
    let shifts = (0..=ups)
        .flat_map(|z| (-far..=far).flat_map(move |y| (-far..=far).map(move |x| Cell { x, y, z })));
    // A shift and its opposite compare the same cells.
    let shifts = shifts.filter(|shift| (shift.z, shift.y, shift.x) > (0, 0, 0));
    let shifts = shifts.filter(|shift| shift.x % across == 0 && shift.y % down == 0);
    let of = |shift: Cell| {
        let within = |length: usize, by: i32| {
            let by = by.unsigned_abs() as usize;
            length.checked_sub(by).filter(|&rest| rest * 2 >= length && rest > 0)
        };
        let lengths = [within(wide, shift.x)?, within(deep, shift.y)?, within(high, shift.z)?];
        let from = |by: i32| (-by).max(0) as usize;
        let (mut equal, mut both) = (0_u64, 0_u64);
        for (z, y) in (0..lengths[2]).flat_map(|z| (0..lengths[1]).map(move |y| (z, y))) {
            let row =
                |x: usize, y: usize, z: usize| &numbers[x + wide * (y + deep * z)..][..lengths[0]];
            let here = row(from(shift.x), from(shift.y) + y, from(shift.z) + z);
            let there = row(from(-shift.x), from(-shift.y) + y, from(-shift.z) + z);
            for (&one, &other) in here.iter().zip(there) {
                both += u64::from(one != u32::MAX && other != u32::MAX);
                equal += u64::from(one == other && one != u32::MAX);
            }
        }
        Some((shift, equal as f64 / both.max(1) as f64))
    };
    let all: Vec<(Cell, f64)> = shifts.filter_map(of).collect();
    let steps = |shift: &Cell| [shift.x, shift.y, shift.z].map(i32::unsigned_abs);
    let is_far = |(shift, _): &&(Cell, f64)| steps(shift).into_iter().any(|by| by > 1);
    let (far, beside): (Vec<_>, Vec<_>) = all.iter().partition(is_far);
    let most = |some: &[&(Cell, f64)]| some.iter().map(|one| one.1).fold(0.0, f64::max);
    let alike = |one: &&&(Cell, f64)| one.1 > most(&far) - ALIKE;
    let nearest =
        far.iter().filter(alike).min_by_key(|one| steps(&one.0).into_iter().sum::<u32>())?;
    let &(shift, equal) = *nearest;
    Some(Repeats {
        shift: [shift.x, shift.y, shift.z],
        equal,
        beyond_chance: (equal - chance) / (1.0 - chance),
        beside: most(&beside),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::Extent;
    use crate::map::Placed;
    use crate::seed::Seed;
    use rstest::rstest;

    /// A layer of three kinds, each cell by its place.
    fn layer(size: [u32; 3], kind: impl Fn(Cell) -> u32) -> Layer {
        let extent = Extent::new(Cell::new(-3, 5), size).unwrap();
        let palette = ["moss", "path", "pond"].map(Placed::new).to_vec();
        let mut layer = Layer::new("ground", extent, palette);
        extent.iter().for_each(|cell| assert!(layer.set(cell, Some(kind(cell)))));
        layer
    }

    fn motif(cell: Cell, [x, y, z]: [i32; 3]) -> u32 {
        let (x, y) = (cell.x.rem_euclid(x), cell.y.rem_euclid(y));
        let number = x + 7 * y + 31 * cell.z.rem_euclid(z);
        Seed::from_number(9).stream(&["motif", &number.to_string()]).below(3) as u32
    }

    #[rstest]
    #[case::square(Lattice::Square, [60, 40, 1], [5, 3, 1])]
    #[case::long(Lattice::Square, [60, 40, 1], [7, 6, 1])]
    #[case::pointy(Lattice::HexPointy, [60, 40, 1], [3, 4, 1])]
    #[case::flat(Lattice::HexFlat, [60, 40, 1], [4, 3, 1])]
    #[case::boxes(Lattice::Box, [12, 14, 9], [3, 4, 2])]
    fn a_motif_is_found(
        #[case] lattice: Lattice,
        #[case] size: [u32; 3],
        #[case] period: [i32; 3],
    ) {
        let found = repeats(&layer(size, |cell| motif(cell, period)), lattice).unwrap();
        assert!(found.equal == 1.0 && found.beyond_chance == 1.0 && found.is_seen(), "{found:?}");
        let whole = found.shift.iter().zip(period).all(|(shift, period)| shift % period == 0);
        assert!(whole, "{found:?}");
    }

    #[rstest]
    #[case::square(Lattice::Square, [200, 200, 1])]
    #[case::boxes(Lattice::Box, [30, 30, 30])]
    #[case::narrow(Lattice::Square, [4000, 3, 1])]
    fn what_is_drawn_cell_by_cell_does_not_repeat(
        #[case] lattice: Lattice,
        #[case] size: [u32; 3],
    ) {
        let keyed = Seed::from_number(4).keyed(&["cells"]);
        // One kind is frequent, so many cells are equal by chance.
        let drawn = layer(size, |cell| [0, 0, 0, 0, 0, 0, 1, 2][(keyed.bits(cell) % 8) as usize]);
        let found = repeats(&drawn, lattice).unwrap();
        assert!(found.equal > 0.5 && found.beyond_chance < 0.05, "{found:?}");
    }

    /// One kind of cell, and wide areas.
    #[test]
    fn areas_are_no_wallpaper() {
        assert_eq!(repeats(&layer([9, 9, 1], |_| 1), Lattice::Square), None);
        let keyed = Seed::from_number(4).keyed(&["areas"]);
        let area = |cell: Cell| Cell { x: cell.x / 7, y: cell.y / 5, z: 0 };
        let wide = layer([120, 90, 1], |cell| (keyed.bits(area(cell)) % 3) as u32);
        let found = repeats(&wide, Lattice::Square).unwrap();
        assert!(found.beyond_chance > 0.3 && !found.is_seen(), "{found:?}");
    }
}
