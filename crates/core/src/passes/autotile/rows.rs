//! Whole layers at once, row by row: the fast way, and the plain one for what it does not cover.

use super::sight::{Picks, Sight};
use crate::autotile::{Neighbourhood, Scheme, ShapeBasis};
use crate::lattice::{Cell, Extent};
use crate::limits::{Pace, Stopped};

/// No tile.
const NOTHING: u16 = u16::MAX;

/// The palette numbers of a layer in cell order; `stood_in` hears of each cell where no tile is for
/// the neighbourhood.
pub(super) fn lay(
    sight: &Sight<'_>,
    picks: &mut Picks<'_>,
    extent: Extent,
    pace: &Pace<'_>,
    mut stood_in: impl FnMut(Cell, Neighbourhood, u32),
) -> Result<Vec<u16>, Stopped> {
    let set = sight.set;
    let two_kinds = matches!(set.of(), ShapeBasis::Terrain { .. }) && set.of().kinds() == 2;
    if two_kinds && set.scheme() != Scheme::Six {
        return lay_two_kinds(sight, picks, extent, pace, &mut stood_in);
    }
    let mut cells = vec![NOTHING; extent.cells()];
    for (index, slot) in cells.iter_mut().enumerate() {
        pace.cells(1)?;
        let cell = extent.cell(index);
        let Some(around) = sight.around(cell) else { continue };
        let pick = picks.number(around);
        if picks.picks[pick as usize].stands_in {
            stood_in(cell, around, pick);
        }
        *slot = picks.choose(pick, cell).map_or(NOTHING, |number| number as u16);
    }
    Ok(cells)
}

/// Two kinds on squares: three rows of bits slide along, so that each cell is one look into a table of
/// the 512 ways in which it and its neighbours can be joined.
fn lay_two_kinds(
    sight: &Sight<'_>,
    picks: &mut Picks<'_>,
    extent: Extent,
    pace: &Pace<'_>,
    stood_in: &mut impl FnMut(Cell, Neighbourhood, u32),
) -> Result<Vec<u16>, Stopped> {
    let scheme = sight.set.scheme();
    let table = Table::new(sight, picks);
    let width = extent.width() as usize;
    let origin = extent.origin();
    // What lies left and right of each row is in its first and last place.
    let mut above = vec![0u8; width + 2];
    let mut here = above.clone();
    let mut below = above.clone();
    kinds_of_row(sight, i64::from(origin.y) - 1, &mut above);
    kinds_of_row(sight, i64::from(origin.y), &mut here);
    let mut cells = vec![NOTHING; extent.cells()];
    for (y, row) in cells.chunks_exact_mut(width).enumerate() {
        pace.cells(width)?;
        let at = i64::from(origin.y) + y as i64;
        kinds_of_row(sight, at + 1, &mut below);
        let mut ways = [0usize; 3];
        let rows = [&above, &here, &below];
        for (way, row) in ways.iter_mut().zip(rows) {
            *way = usize::from(row[0] & 1) << 1 | usize::from(row[1] & 1) << 2;
        }
        for (x, slot) in row.iter_mut().enumerate() {
            for (way, row) in ways.iter_mut().zip(rows) {
                *way = *way >> 1 | usize::from(row[x + 2] & 1) << 2;
            }
            if scheme != Scheme::Dual && here[x + 1] & 2 == 0 {
                continue;
            }
            let way = ways[0] | ways[1] << 3 | ways[2] << 6;
            let Known { number, pick } = table.known[way];
            if number != Known::ASK {
                *slot = number;
                continue;
            }
            let cell = Cell { x: origin.x + x as i32, y: at as i32, z: origin.z };
            if picks.picks[pick as usize].stands_in {
                stood_in(cell, around_of(sight, way), pick);
            }
            *slot = picks.choose(pick, cell).map_or(NOTHING, |number| number as u16);
        }
        std::mem::swap(&mut above, &mut here);
        std::mem::swap(&mut here, &mut below);
    }
    Ok(cells)
}

/// What represents one way; one number when it is always the same.
#[derive(Clone, Copy)]
struct Known {
    number: u16,
    pick: u32,
}

impl Known {
    /// The pick says, cell by cell.
    const ASK: u16 = u16::MAX - 1;
}

struct Table {
    known: Vec<Known>,
}

impl Table {
    fn new(sight: &Sight<'_>, picks: &mut Picks<'_>) -> Self {
        let known = (0..512).map(|way| {
            let pick = picks.number(around_of(sight, way));
            let of = &picks.picks[pick as usize];
            let number = match (&of.options[..], of.before.is_empty(), of.stands_in) {
                ([(only, _)], true, false) => only.map_or(NOTHING, |number| number as u16),
                _ => Known::ASK,
            };
            Known { number, pick }
        });
        Self { known: known.collect() }
    }
}

/// The neighbourhood of a way: three bits a row, from the west, from the row above down.
fn around_of(sight: &Sight<'_>, way: usize) -> Neighbourhood {
    // A corner is where the cell to its south-east begins.
    const EIGHT: [usize; 8] = [1, 2, 5, 8, 7, 6, 3, 0];
    const DUAL: [usize; 4] = [1, 4, 3, 0];
    let bits: &[usize] = match sight.set.scheme() {
        Scheme::Eight => &EIGHT,
        Scheme::Four => &[1, 5, 7, 3],
        _ => &DUAL,
    };
    let joins =
        bits.iter().enumerate().fold(0, |all, (slot, &bit)| all | ((way >> bit & 1) as u8) << slot);
    sight.set.around(joins)
}

/// Bit 0: of the set's kind; bit 1: shows the set. The first and last are beyond the row's ends.
fn kinds_of_row(sight: &Sight<'_>, y: i64, row: &mut [u8]) {
    let whole = sight.layout.extent();
    let origin = whole.origin();
    let width = whole.width() as usize;
    let seen = |x: i64| sight.seen(origin, sight.find(x, y));
    let (cell, beyond) = sight.find(i64::from(origin.x), y);
    if beyond.is_some() {
        for (x, slot) in row.iter_mut().enumerate() {
            *slot = seen(i64::from(origin.x) + x as i64 - 1);
        }
        return;
    }
    let flags: Vec<u8> =
        sight.kinds.iter().zip(&sight.on).map(|(&kind, &on)| kind | u8::from(on) << 1).collect();
    let start = sight.index(cell);
    row[0] = seen(i64::from(origin.x) - 1);
    for (x, slot) in row[1..=width].iter_mut().enumerate() {
        *slot = flags[sight.terrain_at(start + x)];
    }
    // A layer between cells is one longer than the map: its row ends there as well.
    for (past, slot) in row[width + 1..].iter_mut().enumerate() {
        *slot = seen(i64::from(origin.x) + (width + past) as i64);
    }
}
