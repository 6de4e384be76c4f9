//! How well pictures meet along seams: the roughest of them.

use crate::id::{Id, TileId};
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::rules::Rules;
use crate::tileset::Tileset;
use crate::tileset::pixels::Pixel;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::cmp::Reverse;

/// How many seams are kept.
const WORST: usize = 12;
/// The most pairs of poses that are looked at.
const PAIRS: usize = 4_000_000;
/// Differences up to this are the grain of a picture, not a seam.
const GRAIN: u8 = 16;

/// Two sides that may touch, and how far their colours are apart.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Seam {
    /// The first tile, and how it is turned.
    pub a: (TileId, Orientation),
    /// The side of the first that the second lies beyond.
    pub side: Side,
    /// The second.
    pub b: (TileId, Orientation),
    /// The mean difference of a channel along the seam, 0 to 255.
    pub difference: u8,
}

/// What the seams of a set show.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SeamReport {
    /// Pairs that may touch with the greatest differences, the worst first, twelve at most;
    /// each side of a tile comes twice at most.
    pub worst: Vec<Seam>,
}

type DrawnSide = (TileId, Side);

/// Compares the pixels on both sides of every seam that the rules allow.
///
/// `row` gives the pixels along a side of a tile in an orientation, from left to right for someone
/// who looks out of it; nothing where there is no picture. O(pairs that may touch); of very many the
/// first four million are looked at.
pub fn seams(
    tileset: &Tileset,
    rules: &Rules,
    row: impl Fn(TileId, Orientation, Side) -> Option<Vec<Pixel>>,
) -> SeamReport {
    let lattice = tileset.lattice();
    let mut rows = Rows::default();
    let numbers: Vec<Vec<Option<usize>>> = rules
        .poses()
        .iter()
        .map(|pose| {
            let number = |&side: &Side| Some(rows.add(row(pose.tile, pose.orientation, side)?));
            lattice.sides().iter().map(number).collect()
        })
        .collect();
    let drawn = |tile: TileId, orientation: Orientation, side: Side| -> DrawnSide {
        (tile, orientation.inverse(lattice).side(lattice, side))
    };
    let mut worst: HashMap<(DrawnSide, DrawnSide), Seam, FxBuildHasher> = HashMap::default();
    let mut looked_at = 0;
    for (a, here) in rules.poses().pairs() {
        for (number, &side) in lattice.sides().iter().enumerate() {
            let back = lattice.side_index(side.opposite()).expect("sides come in pairs");
            if back < number || looked_at > PAIRS {
                continue;
            }
            let Some(row) = numbers[a.index()][number] else { continue };
            // Inside a tile of several cells there is no seam.
            if tileset.goes_on(here.tile, here.orientation, side) {
                continue;
            }
            for b in rules.support(number, a).iter() {
                let Some(beyond) = numbers[b.index()][back] else { continue };
                looked_at += 1;
                let there = rules.poses()[b];
                let difference = rows.difference(row, beyond);
                let one = drawn(here.tile, here.orientation, side);
                let other = drawn(there.tile, there.orientation, side.opposite());
                if difference <= GRAIN {
                    continue;
                }
                let seam = Seam {
                    a: (here.tile, here.orientation),
                    side,
                    b: (there.tile, there.orientation),
                    difference,
                };
                let slot = worst.entry((one.min(other), one.max(other))).or_insert(seam.clone());
                if slot.difference < difference {
                    *slot = seam;
                }
            }
        }
    }
    let mut worst: Vec<((DrawnSide, DrawnSide), Seam)> = worst.into_iter().collect();
    worst.sort_unstable_by_key(|(_, seam)| (Reverse(seam.difference), seam.a, seam.b));
    // One odd side would fill the list; each is shown twice at most.
    let mut shown: HashMap<DrawnSide, u32, FxBuildHasher> = HashMap::default();
    let mut seams = Vec::new();
    for ((one, other), seam) in worst {
        if [one, other].iter().all(|side| shown.get(side).is_none_or(|&count| count < 2)) {
            for side in [one, other] {
                *shown.entry(side).or_default() += 1;
            }
            seams.push(seam);
        }
    }
    seams.truncate(WORST);
    SeamReport { worst: seams }
}

/// Distinct rows, and how far they are apart.
#[derive(Default)]
struct Rows {
    rows: Vec<Vec<Pixel>>,
    numbers: HashMap<Vec<Pixel>, usize, FxBuildHasher>,
    known: HashMap<(usize, usize), u8, FxBuildHasher>,
}

impl Rows {
    fn add(&mut self, row: Vec<Pixel>) -> usize {
        *self.numbers.entry(row).or_insert_with_key(|row| {
            self.rows.push(row.clone());
            self.rows.len() - 1
        })
    }

    /// The mean difference of two rows that lie against each other.
    fn difference(&mut self, a: usize, b: usize) -> u8 {
        let Self { rows, known, .. } = self;
        *known.entry((a, b)).or_insert_with(|| mean(rows[a].iter(), rows[b].iter().rev()))
    }
}

fn mean<'a>(a: impl Iterator<Item = &'a Pixel>, b: impl Iterator<Item = &'a Pixel>) -> u8 {
    let (mut sum, mut count) = (0u64, 0u64);
    for (a, b) in a.zip(b) {
        for channel in 0..3 {
            let by_alpha = |p: &Pixel| i64::from(p[channel]) * i64::from(p[3]) / 255;
            sum += by_alpha(a).abs_diff(by_alpha(b));
        }
        count += 3;
    }
    (sum / count.max(1)) as u8
}
