//! Whether pictures agree with the sides they are said to have: colours along seams.

use crate::finding::{Code, Finding, Subject};
use crate::id::{Id, SocketId, TileId};
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::rules::Rules;
use crate::tileset::pixels::Pixel;
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::cmp::Reverse;

/// How many seams are kept.
const WORST: usize = 12;
/// The most pairs of poses that are looked at.
const PAIRS: usize = 4_000_000;
/// Differences up to this are the grain of a picture, not a seam.
const GRAIN: u8 = 16;
/// So many sides of a kind there must be to say what is usual.
const USUAL: usize = 4;

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

/// A side whose picture is unlike the others that show the same socket.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OddSide {
    /// The tile.
    pub tile: TileId,
    /// The side, as drawn.
    pub side: Side,
    /// What it is said to show.
    pub face: Face,
    /// Its usual difference to what may lie beyond.
    pub difference: u8,
    /// That of the others that show the same.
    pub others: u8,
    /// A socket whose sides look more like it.
    pub looks_like: Option<SocketId>,
}

/// What the seams of a set show.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SeamReport {
    /// Pairs that may touch with the greatest differences, the worst first, twelve at most;
    /// each side of a tile comes twice at most.
    pub worst: Vec<Seam>,
    /// Sides whose picture contradicts their socket.
    pub odd: Vec<OddSide>,
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
    let mut usual: HashMap<DrawnSide, Vec<u32>, FxBuildHasher> = HashMap::default();
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
                for key in [one, other] {
                    usual.entry(key).or_insert_with(|| vec![0; 256])[usize::from(difference)] += 1;
                }
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
    let odd = odd_sides(tileset, &usual, &mut rows, &row);
    seams.truncate(WORST);
    SeamReport { worst: seams, odd }
}

fn odd_sides(
    tileset: &Tileset,
    usual: &HashMap<DrawnSide, Vec<u32>, FxBuildHasher>,
    rows: &mut Rows,
    row: impl Fn(TileId, Orientation, Side) -> Option<Vec<Pixel>>,
) -> Vec<OddSide> {
    struct Shown {
        at: DrawnSide,
        face: Face,
        row: usize,
        mirrored: usize,
        difference: u8,
    }
    let mut shown = Vec::new();
    for tile in tileset.tiles().ids() {
        for &side in tileset.lattice().sides() {
            let faces = tileset.faces(tile, Orientation::AS_DRAWN, side);
            let (&[face], Some(counts)) = (&faces[..], usual.get(&(tile, side))) else { continue };
            let Some(pixels) = row(tile, Orientation::AS_DRAWN, side) else { continue };
            let mirrored = rows.add(pixels.iter().rev().copied().collect());
            let row = rows.add(pixels);
            let difference = median(counts);
            shown.push(Shown { at: (tile, side), face, row, mirrored, difference });
        }
    }
    let middle = |mut values: Vec<u8>| -> u8 {
        values.sort_unstable();
        values.get(values.len() / 2).copied().unwrap_or(0)
    };
    let mut odd = Vec::new();
    for (number, one) in shown.iter().enumerate() {
        let others = || shown.iter().enumerate().filter(|(n, _)| *n != number).map(|(_, o)| o);
        let same: Vec<u8> = others()
            .filter(|other| other.face.socket == one.face.socket)
            .map(|other| other.difference)
            .collect();
        let enough = same.len() >= USUAL;
        let usual = middle(same);
        if !enough || u32::from(one.difference) <= u32::from(usual) * 3 + u32::from(GRAIN) {
            continue;
        }
        // The rows of a socket lie as its faces do; a mirrored one is compared with mirror images.
        let mut like: Option<(u8, SocketId)> = None;
        for (socket, _) in tileset.sockets().pairs() {
            let mut apart = Vec::new();
            for other in others().filter(|other| other.face.socket == socket) {
                let straight = rows.alike(one.row, other.row);
                let mirrored = rows.alike(one.mirrored, other.row);
                apart.push(straight.min(mirrored));
            }
            if apart.len() >= 2 {
                like = like.into_iter().chain([(middle(apart), socket)]).min();
            }
        }
        let looks_like = like
            .filter(|&(apart, socket)| socket != one.face.socket && apart < one.difference / 2)
            .map(|(_, socket)| socket);
        odd.push(OddSide {
            tile: one.at.0,
            side: one.at.1,
            face: one.face,
            difference: one.difference,
            others: usual,
            looks_like,
        });
    }
    odd
}

fn median(counts: &[u32]) -> u8 {
    let half = counts.iter().sum::<u32>() / 2;
    let mut sum = 0;
    let past = |&count: &u32| {
        sum += count;
        sum > half
    };
    counts.iter().position(past).unwrap_or(0) as u8
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

    /// The mean difference of two rows read the same way.
    fn alike(&self, a: usize, b: usize) -> u8 {
        mean(self.rows[a].iter(), self.rows[b].iter())
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

impl SeamReport {
    /// One finding a side whose picture contradicts its socket.
    pub fn findings(&self, tileset: &Tileset) -> Vec<Finding> {
        let odd = self.odd.iter().map(|odd| {
            let name = tileset.tiles()[odd.tile].name();
            let (side, face) = (odd.side, tileset.face_name(odd.face));
            let text = format!(
                "the {side} side of `{name}` shows `{face}`, but its pixels do not look like it: \
                 they are {} of 255 from what lies beyond, those of others {}",
                odd.difference, odd.others
            );
            let help = odd.looks_like.map_or_else(
                || "look at the picture of the tile, and at its label".to_owned(),
                |socket| {
                    let socket = tileset.sockets()[socket].name();
                    format!("it looks like `{socket}`; name that, or paint the side again")
                },
            );
            let subject = Subject::TileSide(name.to_owned(), side);
            Finding::new(Code::OddSide, subject, text).help(help)
        });
        odd.collect()
    }
}
