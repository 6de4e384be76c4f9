//! Whether the pictures of shapes show the neighbourhoods that they are for.
//!
//! A quarter of a tile depends on the two sides and the corner it lies between. So the same quarter of
//! shapes with the same joins looks alike, and one that looks like those with other joins is out of
//! place. Where shapes are put together from quarters, those that meet must agree along their edges.

use crate::autotile::{Scheme, ShapeBasis, ShapeSet, Sign};
use crate::tileset::pixels::Pixel;

/// Shapes that are compared with each other, at most.
const MOST: usize = 256;
/// A quarter this near to one with its joins is in place.
const NEAR: u32 = 2;
/// An exchange of quarters must take away one part in so many of what all seams differ.
const WORTH: u64 = 20;
/// Shapes of which exchanges are looked for, at most; of more only corners are named.
const TRIED: usize = 96;
/// Exchanges that are found, at most.
const EXCHANGES: usize = 8;

/// A shape, or a drawing of quarters, whose picture is out of place.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum OddPicture {
    /// Nothing is painted, while other shapes are.
    Blank(String),
    /// Each of the two looks as the other should.
    Exchanged([String; 2]),
    /// One corner of the first looks like that of the second, which is joined otherwise.
    Corner {
        /// The shape.
        tile: String,
        /// Its corner: north-east, south-east, south-west, north-west.
        corner: usize,
        /// A shape whose corner looks so.
        like: String,
    },
}

/// The names of corners, as [`OddPicture::Corner`] counts them.
pub const CORNERS: [&str; 4] = ["north-east", "south-east", "south-west", "north-west"];

/// The pixels of a cell, row by row.
type Cell = Vec<Pixel>;

/// Looks for pictures out of place among the shapes of one look.
///
/// `picture` gives the pixels of a tile, row by row, of `size` (width, height); nothing where it has none.
/// Blends are not looked at, nor are the corners of hexagons. O(shapes^2 x pixels) and, where
/// something is out of place, O(shapes^3), of 96 shapes at most; the rest is looked for in 256.
///
/// ```
/// use lantern_quilt_core::audit::shapes::{OddPicture, odd_pictures};
/// use lantern_quilt_core::autotile::{Kinds, Scheme, ShapeBasis, ShapeSet};
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::tileset::Mirror;
///
/// let names = ["moss".to_owned()];
/// let of = ShapeBasis::Terrain { on: names.to_vec(), kinds: Kinds::new(names.to_vec(), Vec::new()) };
/// let (square, four) = (Lattice::Square, Scheme::Four);
/// let tiles = ShapeSet::arranged("moss", four, square, of.same(), 1, Mirror::No);
/// let set = ShapeSet::new("moss", four, square, of, tiles).unwrap();
/// // Clear where a side is open; shapes 5 and 7 are each where the other belongs.
/// let found = odd_pictures(&set, [4, 4], |name| {
///     let number: usize = name.rsplit('/').next()?.parse().ok()?;
///     let joins = four.shapes()[match number { 5 => 7, 7 => 5, other => other }];
///     let is_open = |x, y| {
///         let sides = [y == 0, x == 3, y == 3, x == 0];
///         (0..4).any(|side| sides[side] && joins >> side & 1 == 0)
///     };
///     let pixel = |at: usize| if is_open(at % 4, at / 4) { [0; 4] } else { [40, 90, 50, 255] };
///     Some((0..16).map(pixel).collect())
/// });
/// assert_eq!(found, [OddPicture::Exchanged(["moss/05".to_owned(), "moss/07".to_owned()])]);
/// ```
pub fn odd_pictures(
    set: &ShapeSet,
    size: [u32; 2],
    picture: impl Fn(&str) -> Option<Cell>,
) -> Vec<OddPicture> {
    if matches!(set.of(), ShapeBasis::Blend(_)) {
        return Vec::new();
    }
    let mut names = Vec::new();
    let mut pieces = Vec::new();
    let mut blank = Vec::new();
    let mut painted = 0;
    for tile in set.tiles().iter().take(MOST) {
        let Some(name) = &tile.tile else { continue };
        let Some(pixels) = picture(name) else { continue };
        let wanted = size[0] as usize * size[1] as usize;
        if pixels.len() != wanted || names.contains(name) {
            continue;
        }
        if pixels.iter().all(|pixel| pixel[3] == 0) {
            blank.push(OddPicture::Blank(name.clone()));
            continue;
        }
        painted += 1;
        let same = set.of().same();
        let joins: [Option<u8>; 4] = std::array::from_fn(|corner| {
            joined_so(set.scheme(), same, |slot| tile.drawing.sign(slot), corner)
        });
        names.push(name.clone());
        pieces.push(Piece { joins, quarters: quarters(&pixels, size) });
    }
    if painted < 2 {
        return Vec::new();
    }
    let mut found = blank;
    if set.scheme() != Scheme::Six {
        let name = |at: usize| names[at].clone();
        found.extend(out_of_place(&pieces).into_iter().map(|odd| match odd {
            Odd::Exchanged(a, b) => OddPicture::Exchanged([name(a), name(b)]),
            Odd::Corner { at, corner, like } => {
                OddPicture::Corner { tile: name(at), corner, like: name(like) }
            }
        }));
    }
    found
}

/// A shape: how its corners are joined, where that is certain, and its quarters.
struct Piece {
    joins: [Option<u8>; 4],
    quarters: [Vec<[i16; 4]>; 4],
}

/// A number for how a corner and the sides beside it are joined.
fn joined_so(
    scheme: Scheme,
    same: Sign,
    sign: impl Fn(usize) -> Sign,
    corner: usize,
) -> Option<u8> {
    let joined = |slot: usize| match (sign(slot) & same != 0, sign(slot) & !same != 0) {
        (true, false) => Some(1u8),
        (false, true) => Some(0),
        _ => None,
    };
    match scheme {
        Scheme::Four => Some(joined(corner)? * 2 + joined((corner + 1) % 4)?),
        Scheme::Eight => {
            let sides = joined(2 * corner)? * 2 + joined((2 * corner + 2) % 8)?;
            // The corner counts between two joined sides only.
            Some(if sides == 3 { sides + joined(2 * corner + 1)? } else { sides })
        }
        Scheme::Dual => joined(corner),
        Scheme::Six => None,
    }
}

/// The quarters of a cell: north-east, south-east, south-west, north-west.
fn quarters(pixels: &[Pixel], [wide, high]: [u32; 2]) -> [Vec<[i16; 4]>; 4] {
    let (wide, high) = (wide as usize, high as usize);
    let (left, top) = (wide / 2, high / 2);
    let corners =
        [(left..wide, 0..top), (left..wide, top..high), (0..left, top..high), (0..left, 0..top)];
    corners.map(|(columns, rows)| {
        rows.flat_map(|y| columns.clone().map(move |x| y * wide + x))
            .map(|at| premultiplied(pixels[at]))
            .collect()
    })
}

fn premultiplied(pixel: Pixel) -> [i16; 4] {
    let alpha = u16::from(pixel[3]);
    let by_alpha = |channel: usize| (u16::from(pixel[channel]) * alpha / 255).cast_signed();
    [by_alpha(0), by_alpha(1), by_alpha(2), alpha.cast_signed()]
}

/// The mean difference of a channel, in sixteenths.
fn apart<'a>(a: impl Iterator<Item = &'a [i16; 4]>, b: impl Iterator<Item = &'a [i16; 4]>) -> u32 {
    let (mut sum, mut count) = (0, 0);
    for (a, b) in a.zip(b) {
        sum += a.iter().zip(b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum::<u32>();
        count += 4;
    }
    sum * 16 / count.max(1)
}

enum Odd {
    Exchanged(usize, usize),
    Corner { at: usize, corner: usize, like: usize },
}

/// How far the quarters of all pieces are apart, corner by corner.
struct Distances {
    count: usize,
    apart: [Vec<u32>; 4],
}

/// The nearest piece with the same joins at a corner, and the nearest with other ones.
#[derive(Clone, Copy, Default)]
struct Nearest {
    own: Option<u32>,
    other: Option<(u32, usize)>,
}

impl Distances {
    fn new(pieces: &[Piece]) -> Self {
        let count = pieces.len();
        let apart = std::array::from_fn(|corner| {
            let mut table = vec![0; count * count];
            for (a, b) in (0..count).flat_map(|a| (0..a).map(move |b| (a, b))) {
                let [one, two] = [a, b].map(|at| pieces[at].quarters[corner].iter());
                let apart = apart(one, two);
                (table[a * count + b], table[b * count + a]) = (apart, apart);
            }
            table
        });
        Self { count, apart }
    }

    fn nearest(&self, joins: &[[Option<u8>; 4]], at: usize, corner: usize) -> Nearest {
        let mut nearest = Nearest::default();
        let Some(own) = joins[at][corner] else { return nearest };
        for (other, joined) in joins.iter().enumerate().filter(|(other, _)| *other != at) {
            let apart = self.apart[corner][at * self.count + other];
            match joined[corner] {
                Some(joined) if joined == own => {
                    nearest.own = Some(nearest.own.map_or(apart, |known| known.min(apart)));
                }
                Some(_) if nearest.other.is_none_or(|(known, _)| apart < known) => {
                    nearest.other = Some((apart, other));
                }
                _ => {}
            }
        }
        nearest
    }

    /// How far all corners are from their like, each from the mean of them. The nearest alone would not
    /// do: two pieces out of place may well be alike.
    fn strain(&self, joins: &[[Option<u8>; 4]]) -> u64 {
        let mut sum = 0;
        for (at, corner) in (0..self.count).flat_map(|at| (0..4).map(move |corner| (at, corner))) {
            let Some(own) = joins[at][corner] else { continue };
            let like = (0..self.count).filter(|&b| b != at && joins[b][corner] == Some(own));
            let (all, count) = like.fold((0u64, 0), |(all, count), b| {
                (all + u64::from(self.apart[corner][at * self.count + b]), count + 1)
            });
            sum += all / count.max(1);
        }
        sum
    }
}

/// The corner of a piece that looks most like corners with other joins, and what it is like.
fn odd_corner(
    distances: &Distances,
    joins: &[[Option<u8>; 4]],
    at: usize,
) -> Option<(usize, usize)> {
    let odd = (0..4).filter_map(|corner| {
        let Nearest { own, other } = distances.nearest(joins, at, corner);
        let (own, (other, like)) = (own?, other?);
        (own > other * 4 / 3 + NEAR * 16).then(|| (own - other, corner, like))
    });
    odd.max().map(|(_, corner, like)| (corner, like))
}

fn out_of_place(pieces: &[Piece]) -> Vec<Odd> {
    let distances = Distances::new(pieces);
    let mut joins: Vec<[Option<u8>; 4]> = pieces.iter().map(|piece| piece.joins).collect();
    let mut found = Vec::new();
    let odd = |joins: &[[Option<u8>; 4]]| -> Vec<usize> {
        (0..joins.len()).filter(|&at| odd_corner(&distances, joins, at).is_some()).collect()
    };
    // To try every exchange takes the cube of the pieces.
    let tries = if pieces.len() <= TRIED { EXCHANGES } else { 0 };
    for _ in 0..tries {
        let here = odd(&joins);
        if here.is_empty() {
            break;
        }
        let now = distances.strain(&joins);
        let mut best: Option<(u64, usize, usize)> = None;
        for &a in here.iter().take(2 * EXCHANGES) {
            for b in 0..pieces.len() {
                if b == a || joins[a] == joins[b] {
                    continue;
                }
                joins.swap(a, b);
                let strain = distances.strain(&joins);
                joins.swap(a, b);
                best = best.into_iter().chain([(strain, a.min(b), a.max(b))]).min();
            }
        }
        let Some((_, a, b)) = best.filter(|&(strain, _, _)| strain + u64::from(NEAR) * 16 < now)
        else {
            break;
        };
        joins.swap(a, b);
        let settled = [a, b].iter().all(|&at| odd_corner(&distances, &joins, at).is_none());
        if !settled || odd(&joins).len() >= here.len() {
            joins.swap(a, b);
            break;
        }
        found.push(Odd::Exchanged(a, b));
    }
    for at in odd(&joins) {
        let (corner, like) = odd_corner(&distances, &joins, at).expect("it is odd");
        found.push(Odd::Corner { at, corner, like });
    }
    found
}

/// Of the five drawings that quarters are taken from (see [`crate::autotile::Quarter`]), the two that are
/// exchanged, if that is so. `drawings` are their pixels, of `size`.
///
/// Every exchange is tried; the seams that it changes must fit better by a fifth. O(pixels along edges).
pub fn exchanged_quarters(drawings: &[Cell; 5], size: [u32; 2]) -> Option<[usize; 2]> {
    let edges: Vec<[Edges; 4]> = drawings
        .iter()
        .map(|drawing| {
            let quarters = quarters(drawing, size);
            // The upper quarters are the smaller ones where the height is odd.
            let top = size[1] as usize / 2;
            std::array::from_fn(|corner| {
                let high = if corner == 0 || corner == 3 { top } else { size[1] as usize - top };
                Edges::of(&quarters[corner], high)
            })
        })
        .collect();
    let plain = [0, 1, 2, 3, 4];
    let now = quarter_seams(plain);
    let pairs = (0..5).flat_map(|b| (0..b).map(move |a| [a, b]));
    let exchanged = pairs.map(|[a, b]| {
        let mut order = plain;
        order.swap(a, b);
        let then = quarter_seams(order);
        // Only what the exchange changes counts: of seams, and of the pixels along them.
        let (mut before, mut after) = (0u64, 0u64);
        for (gone, new) in but(&now, &then).into_iter().zip(but(&then, &now)) {
            for (one, two) in gone.pixels(&edges).zip(new.pixels(&edges)) {
                if one != two {
                    before += u64::from(one);
                    after += u64::from(two);
                }
            }
        }
        (before, after, [a, b])
    });
    let best = exchanged.max_by_key(|&(before, after, _)| before.saturating_sub(after))?;
    let (before, after, pair) = best;
    let all: u64 = now.iter().flat_map(|seam| seam.pixels(&edges)).map(u64::from).sum();
    (after * 5 < before * 4 && (before - after) * WORTH > all).then_some(pair)
}

/// Where two quarters meet, or are alike: of a drawing this corner at this side, and of another one the
/// corner beyond or the same corner.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct QuarterSeam {
    corner: usize,
    side: usize,
    beyond: usize,
    drawings: [usize; 2],
}

impl QuarterSeam {
    /// How far the pixels that meet are apart, one by one.
    fn pixels<'e>(&self, edges: &'e [[Edges; 4]]) -> impl Iterator<Item = u32> + 'e {
        let [a, b] = self.drawings;
        let one = &edges[a][self.corner].0[self.side];
        // The same corner of another drawing does not meet it: their outer edges are alike.
        let side = if self.beyond == self.corner { self.side } else { (self.side + 2) % 4 };
        let two = &edges[b][self.beyond].0[side];
        one.iter().zip(two).map(|(a, b)| apart([a].into_iter(), [b].into_iter()))
    }
}

/// All seams between quarters when the five drawings lie in this order, sorted.
fn quarter_seams(order: [usize; 5]) -> Vec<QuarterSeam> {
    // What meets in cells beside each other, across a joined side: to the north and to the east.
    const NORTH: [[usize; 2]; 4] = [[1, 1], [3, 1], [1, 3], [4, 4]];
    const EAST: [[usize; 2]; 4] = [[2, 2], [3, 2], [2, 3], [4, 4]];
    let square = |kinds: &[usize]| -> Vec<[usize; 2]> {
        kinds.iter().flat_map(|&a| kinds.iter().map(move |&b| [a, b])).collect()
    };
    // What meets within a cell: beside a side to the east or west that is open or joined, and beside one
    // to the north or south.
    let upright = [square(&[0, 1]), square(&[2, 3, 4])].concat();
    let level = [square(&[0, 2]), square(&[1, 3, 4])].concat();
    let north = NORTH.to_vec();
    let east = EAST.to_vec();
    let mut seams = Vec::new();
    // North-east meets south-east and north-west south-west, to the north and across the middle; in the
    // same way to the east.
    for (corner, side, beyond, pairs) in [
        (0, 0, 1, &north),
        (3, 0, 2, &north),
        (0, 1, 3, &east),
        (1, 1, 2, &east),
        (0, 2, 1, &upright),
        (3, 2, 2, &upright),
        (3, 1, 0, &level),
        (2, 1, 1, &level),
    ] {
        seams.extend(pairs.iter().map(|pair| QuarterSeam {
            corner,
            side,
            beyond,
            drawings: pair.map(|kind| order[kind]),
        }));
    }
    // Outer edges that are open are alike, and those that are joined.
    for (corner, side) in [(0, 0), (3, 0), (1, 2), (2, 2), (0, 1), (1, 1), (2, 3), (3, 3)] {
        let pairs = if side % 2 == 0 { &level } else { &upright };
        seams.extend(pairs.iter().filter(|[a, b]| a < b).map(|pair| {
            let mut drawings = pair.map(|kind| order[kind]);
            drawings.sort_unstable();
            QuarterSeam { corner, side, beyond: corner, drawings }
        }));
    }
    seams.sort_unstable();
    seams
}

/// Those of the first list that are not in the second; both are sorted.
fn but(all: &[QuarterSeam], others: &[QuarterSeam]) -> Vec<QuarterSeam> {
    let mut others = others.iter().peekable();
    let mut left = Vec::new();
    for seam in all {
        while others.peek().is_some_and(|other| *other < seam) {
            others.next();
        }
        if others.peek() == Some(&seam) {
            others.next();
        } else {
            left.push(*seam);
        }
    }
    left
}

/// The outermost pixels of a quarter: north, east, south, west; from west to east and from north to south.
#[derive(Default)]
struct Edges([Vec<[i16; 4]>; 4]);

impl Edges {
    fn of(quarter: &[[i16; 4]], high: usize) -> Self {
        let wide = quarter.len() / high.max(1);
        if wide == 0 {
            return Self::default();
        }
        let row = |y: usize| quarter[y * wide..(y + 1) * wide].to_vec();
        let column = |x: usize| (0..high).map(|y| quarter[y * wide + x]).collect();
        Self([row(0), column(wide - 1), row(high - 1), column(0)])
    }
}
