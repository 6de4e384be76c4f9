//! Sockets from pixels: sides meet where the rows of pixels along them are the same.

use super::{Face, Socket, TilesetBuilder};
use crate::id::SocketId;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::ops::Range;

/// Red, green, blue and alpha, not premultiplied.
pub type Pixel = [u8; 4];

/// The most rows that are searched for pairs that nearly meet.
const SEARCHED: usize = 1500;

/// The distinct rows of pixels along sides, and which of them meet.
///
/// A row is read from left to right by someone who looks out of the side, so what lies beyond reads
/// it backwards. Two sides meet when no pixel of the one differs by more than the tolerance, in any
/// channel, from the pixel it lies against; colours count by their alpha, so that all clear pixels
/// are equal.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Side};
/// use lantern_quilt_core::tileset::pixels::SideRows;
/// use lantern_quilt_core::tileset::{Tile, TilesetBuilder};
///
/// let (moss, path) = ([40, 90, 50, 255], [200, 180, 120, 255]);
/// let mut rows = SideRows::new(0);
/// let plain = rows.add("hedge north", vec![moss, moss, moss]);
/// let edge = rows.add("verge north", vec![moss, path, path]);
/// let back = rows.add("verge south", vec![path, path, moss]);
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let sockets = rows.sockets(&mut set);
/// let face = |row| sockets.face(row);
/// let verge = set.tile(Tile::new("verge").sides([edge, plain, back, plain].map(face)));
/// let set = set.build().unwrap();
/// // What is path at the left of one side is path at the right of the other.
/// assert!(set.faces_meet(face(edge), face(back), Side::North));
/// assert!(!set.faces_meet(face(edge), face(edge), Side::North));
/// # let _ = verge;
/// ```
#[derive(Clone, Debug)]
pub struct SideRows {
    tolerance: u8,
    rows: Vec<Row>,
    numbers: HashMap<Vec<Pixel>, usize, FxBuildHasher>,
}

#[derive(Clone, Debug)]
struct Row {
    name: String,
    /// Premultiplied; of a row and its mirror image the lesser.
    pixels: Vec<Pixel>,
}

/// A row as it lies on a side.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct RowFace {
    row: usize,
    flipped: bool,
}

/// The sockets of rows; see [`SideRows::sockets`].
#[derive(Clone, Debug)]
pub struct RowSockets(Vec<SocketId>);

impl RowSockets {
    /// The face that shows a row.
    pub fn face(&self, row: RowFace) -> Face {
        let socket = self.0[row.row];
        if row.flipped { Face::right(socket) } else { Face::new(socket) }
    }

    /// The numbers of its sockets, which lie together.
    pub fn ids(&self) -> &[SocketId] {
        &self.0
    }
}

/// Two rows that would meet but for a few pixels.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NearMatch {
    /// The first side, by the name it was added with.
    pub a: String,
    /// The second.
    pub b: String,
    /// How many pixels differ by more than the tolerance.
    pub pixels: usize,
    /// Of how many.
    pub of: usize,
    /// The greatest difference in a channel.
    pub greatest: u8,
}

impl SideRows {
    /// No rows yet. `tolerance` is the greatest difference in a channel that still meets.
    pub fn new(tolerance: u8) -> Self {
        Self { tolerance, rows: Vec::new(), numbers: HashMap::default() }
    }

    /// Adds the row of a side; `name` is what its socket is called if no side before had that row.
    pub fn add(&mut self, name: &str, mut pixels: Vec<Pixel>) -> RowFace {
        for [r, g, b, a] in &mut pixels {
            let by_alpha = |v: u8| ((u16::from(v) * u16::from(*a) + 127) / 255) as u8;
            (*r, *g, *b) = (by_alpha(*r), by_alpha(*g), by_alpha(*b));
        }
        let mut mirrored = pixels.clone();
        mirrored.reverse();
        let flipped = mirrored < pixels;
        let pixels = if flipped { mirrored } else { pixels };
        let row = *self.numbers.entry(pixels).or_insert_with_key(|pixels| {
            self.rows.push(Row { name: name.to_owned(), pixels: pixels.clone() });
            self.rows.len() - 1
        });
        RowFace { row, flipped }
    }

    /// One socket a row, added to a set; rows that are within tolerance of each other are mates.
    ///
    /// O(rows log rows) and the rows that may be close.
    pub fn sockets(&self, set: &mut TilesetBuilder) -> RowSockets {
        let mut ids = Vec::new();
        for row in &self.rows {
            let socket = if is_palindrome(&row.pixels) {
                Socket::plain(&row.name)
            } else {
                Socket::handed(&row.name)
            };
            ids.push(set.socket(socket.of_pixels()));
        }
        if self.tolerance > 0 {
            for (a, b, mirrored) in self.close_pairs() {
                if mirrored {
                    set.mate_mirrored(ids[a], ids[b]);
                } else {
                    set.mate(ids[a], ids[b]);
                }
            }
        }
        RowSockets(ids)
    }

    /// Pairs within tolerance, and whether the second is so when mirrored; a row and itself only
    /// when mirrored.
    fn close_pairs(&self) -> Vec<(usize, usize, bool)> {
        // Rows are met in the order of one value of theirs, so that only close ones are compared.
        let key = |row: &[Pixel]| row.first().map_or(0, |pixel| pixel[1]);
        let mut order: Vec<(u8, usize)> =
            self.rows.iter().enumerate().map(|(n, row)| (key(&row.pixels), n)).collect();
        order.sort_unstable();
        let within = |middle: u8| -> Range<usize> {
            let least = middle.saturating_sub(self.tolerance);
            let most = middle.saturating_add(self.tolerance);
            order.partition_point(|&(k, _)| k < least)..order.partition_point(|&(k, _)| k <= most)
        };
        let close = |a: &[Pixel], b: &[Pixel]| {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| apart(*a, *b) <= self.tolerance)
        };
        let mut pairs = Vec::new();
        for (a, row) in self.rows.iter().enumerate() {
            let mut mirrored = row.pixels.clone();
            mirrored.reverse();
            for &(_, b) in &order[within(key(&row.pixels))] {
                if a < b && close(&row.pixels, &self.rows[b].pixels) {
                    pairs.push((a, b, false));
                }
            }
            for &(_, b) in &order[within(key(&mirrored))] {
                if a <= b && close(&mirrored, &self.rows[b].pixels) {
                    pairs.push((a, b, true));
                }
            }
        }
        pairs
    }

    /// Rows that meet but for a quarter of their pixels at most, the closest first.
    ///
    /// O(rows^2 x pixels); of more than 1500 rows the first are looked at.
    pub fn near_matches(&self) -> Vec<NearMatch> {
        let mut found = Vec::new();
        let rows = &self.rows[..self.rows.len().min(SEARCHED)];
        for (number, a) in rows.iter().enumerate() {
            for b in rows[number + 1..].iter().filter(|b| b.pixels.len() == a.pixels.len()) {
                let straight = self.differing(a.pixels.iter(), &b.pixels);
                let mirrored = self.differing(a.pixels.iter().rev(), &b.pixels);
                let Some((pixels, greatest)) = straight.into_iter().chain(mirrored).min() else {
                    continue;
                };
                if pixels > 0 {
                    let (a, b, of) = (a.name.clone(), b.name.clone(), a.pixels.len());
                    found.push(NearMatch { a, b, pixels, of, greatest });
                }
            }
        }
        found.sort_by_key(|near| (near.pixels, near.greatest));
        found
    }

    /// How many pixels differ beyond tolerance, and the greatest difference; `None` when too many.
    fn differing<'a>(
        &self,
        a: impl Iterator<Item = &'a Pixel>,
        b: &[Pixel],
    ) -> Option<(usize, u8)> {
        let most = (b.len() / 4).max(1);
        let (mut count, mut greatest) = (0, 0);
        for (a, b) in a.zip(b) {
            let apart = apart(*a, *b);
            greatest = greatest.max(apart);
            count += usize::from(apart > self.tolerance);
            if count > most {
                return None;
            }
        }
        // A row that is nothing but differences is another row.
        (count < b.len()).then_some((count, greatest))
    }
}

/// The greatest difference in a channel.
fn apart(a: Pixel, b: Pixel) -> u8 {
    a.into_iter().zip(b).map(|(a, b)| a.abs_diff(b)).max().unwrap_or(0)
}

fn is_palindrome(row: &[Pixel]) -> bool {
    row.iter().eq(row.iter().rev())
}
