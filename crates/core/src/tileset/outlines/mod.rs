//! Sockets from outlines: sides of models meet where what lies in their planes is the same.
//!
//! `outline` is one of them, in whole numbers (`point`), `fit` compares two, `groups` finds those that are one socket; [`SideOutlines`]
//! gathers them and makes the sockets.

mod fit;
mod frames;
mod groups;
mod near;
mod outline;
mod point;

pub use fit::{Misfit, partners};
pub use frames::FrameSet;
pub use groups::OutlineChain;
pub use outline::{FURTHEST, Outline, UNITS_PER_MILLIMETRE};
pub use point::{Point, placed};

use super::{Face, Socket, TilesetBuilder};
use crate::id::SocketId;
use crate::orient::Frame;
use groups::Groups;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::cell::OnceCell;

/// The most outlines that are searched for pairs that nearly fit.
const SEARCHED: usize = 1000;
/// The most points of an outline that is searched for others that nearly fit it.
const MOST_POINTS: usize = 4096;

/// The distinct outlines of sides, and which of them are one socket.
///
/// An outline on a side that stands is drawn as someone sees it who looks out of the side, so what lies
/// beyond shows its mirror image; on sides that lie, both are seen from above. Two fit when each point of
/// one lies within the tolerance of one of the other and edges join the same points. Where that would make a
/// fit b and b fit c but not a fit c, the tolerance is not used for any of them; see [`chains`](Self::chains).
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Side};
/// use lantern_quilt_core::tileset::outlines::{Outline, SideOutlines};
/// use lantern_quilt_core::tileset::{Tile, TilesetBuilder};
///
/// let mut outlines = SideOutlines::new(0);
/// // A kerb that lies at the right of someone who looks out to the east, and at the left to the west.
/// let kerb = Outline::new(&[[100, 0], [100, 40], [300, 40]], &[[0, 1], [1, 2]]);
/// let back = Outline::new(&[[-100, 0], [-100, 40], [-300, 40]], &[[0, 1], [1, 2]]);
/// let east = outlines.add("verge east", false, &kerb);
/// let west = outlines.add("verge west", false, &back);
/// let none = outlines.add("verge north", false, &Outline::default());
///
/// let mut set = TilesetBuilder::new(Lattice::Box);
/// let sockets = outlines.sockets(&mut set, None);
/// let face = |outline| sockets.face(outline);
/// set.tile(Tile::new("verge").sides([none, east, none, west, none, none].map(face)));
/// let set = set.build().unwrap();
/// assert!(set.faces_meet(face(east), face(west), Side::East));
/// assert!(!set.faces_meet(face(east), face(east), Side::East));
/// ```
#[derive(Clone, Debug)]
pub struct SideOutlines {
    tolerance: u32,
    entries: Vec<Entry>,
    numbers: HashMap<(bool, Outline), usize, FxBuildHasher>,
    /// Those there are so far, sorted into sockets; found when first asked for.
    groups: OnceCell<Groups>,
}

#[derive(Clone, Debug)]
struct Entry {
    name: String,
    flat: bool,
    /// Of all frames the least.
    outline: Outline,
    /// The frames in which it is exactly the same.
    alike: FrameSet,
    /// How the side it was first seen on shows it.
    shown: Frame,
}

/// An outline as it lies on a side.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct OutlineFace {
    entry: usize,
    frame: Frame,
}

/// The sockets of outlines; see [`SideOutlines::sockets`].
#[derive(Clone, Debug)]
pub struct OutlineSockets {
    /// Of each outline its socket, and how it lies in that.
    faces: Vec<(SocketId, Frame)>,
}

impl OutlineSockets {
    /// The face that shows an outline.
    pub fn face(&self, shown: OutlineFace) -> Face {
        let (socket, frame) = self.faces[shown.entry];
        Face { socket, frame: frame.then(shown.frame) }
    }
}

/// Two outlines that would fit but for a few points.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NearOutlines {
    /// The first side, by the name it was added with.
    pub a: String,
    /// The second.
    pub b: String,
    /// The outline of the first as its side shows it.
    pub first: Outline,
    /// That of the second, laid over it.
    pub second: Outline,
    /// What is between them.
    pub misfit: Misfit,
}

/// The frames that a face can lie in.
fn frames(flat: bool) -> impl Iterator<Item = Frame> {
    Frame::all().filter(move |frame| flat || frame.turns == 0)
}

impl SideOutlines {
    /// No outlines yet. `tolerance` is how far apart points may be that are the same, in units of 1/1024 mm.
    pub fn new(tolerance: u32) -> Self {
        Self {
            tolerance,
            entries: Vec::new(),
            numbers: HashMap::default(),
            groups: OnceCell::new(),
        }
    }

    /// Adds the outline of a side that stands or lies; `name` is what its socket is called if no side before
    /// had that outline. O(n log n).
    pub fn add(&mut self, name: &str, flat: bool, outline: &Outline) -> OutlineFace {
        self.groups.take();
        // Nothing at all is the same on every side.
        let flat = flat && !outline.is_empty();
        let mut least = outline.clone();
        let mut to_least = Frame::AS_DRAWN;
        for frame in frames(flat).skip(1) {
            let placed = outline.in_frame(frame);
            if placed < least {
                (least, to_least) = (placed, frame);
            }
        }
        let frame = to_least.inverse();
        let entry = *self.numbers.entry((flat, least)).or_insert_with_key(|(_, least)| {
            let same = |frame: Frame| least.in_frame(frame) == *least;
            let alike = if flat {
                FrameSet::of(same)
            } else {
                // Turns mean nothing on sides that stand.
                let flips = same(Frame::FLIPPED);
                FrameSet::of(|frame| flips || !frame.flipped)
            };
            self.entries.push(Entry {
                name: name.to_owned(),
                flat,
                outline: least.clone(),
                alike,
                shown: frame,
            });
            self.entries.len() - 1
        });
        OutlineFace { entry, frame }
    }

    /// How many differ.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    fn groups(&self) -> &Groups {
        self.groups.get_or_init(|| Groups::of(&self.entries, self.tolerance))
    }

    /// One socket for each group of outlines that fit, added to a set. Sides without an outline get `air` when
    /// it is given.
    ///
    /// O(outlines^2) of those with as many points and edges, and their points.
    pub fn sockets(&self, set: &mut TilesetBuilder, air: Option<SocketId>) -> OutlineSockets {
        let groups = self.groups();
        let mut ids: Vec<Option<SocketId>> = vec![None; self.entries.len()];
        let mut faces = Vec::new();
        for (entry, &(leader, frame)) in self.entries.iter().zip(&groups.of) {
            if let Some(air) = air.filter(|_| entry.outline.is_empty()) {
                faces.push((air, Frame::AS_DRAWN));
                continue;
            }
            let id = *ids[leader].get_or_insert_with(|| {
                set.socket(Socket::of_outline(&self.entries[leader].name, groups.alike[leader]))
            });
            faces.push((id, frame));
        }
        OutlineSockets { faces }
    }

    /// Outlines that fit others which do not fit each other, so that none of them makes use of the tolerance.
    pub fn chains(&self) -> Vec<OutlineChain> {
        self.groups().chains(&self.entries)
    }

    /// Pairs that would fit if points up to `reach` apart were the same, or but for one point in eight: the
    /// fewest points first, then the shortest way.
    ///
    /// O(outlines^2 x points); of more than 1000 outlines the first are looked at, and none with more than
    /// 4096 points.
    pub fn near_matches(&self, reach: u32) -> Vec<NearOutlines> {
        let groups = self.groups();
        let mut found: Vec<((usize, u64), NearOutlines)> = Vec::new();
        let few = |entry: &&Entry| entry.outline.points().len() <= MOST_POINTS;
        let entries = &self.entries[..self.entries.len().min(SEARCHED)];
        let framed: Vec<Vec<Outline>> = entries
            .iter()
            .map(|entry| {
                let all = frames(entry.flat).filter(|_| few(&entry));
                all.map(|frame| entry.outline.in_frame(frame)).collect()
            })
            .collect();
        for (number, a) in entries.iter().enumerate().filter(|(_, entry)| few(entry)) {
            let first = a.outline.in_frame(a.shown);
            for (other, b) in entries.iter().enumerate().skip(number + 1).filter(|(_, b)| few(b)) {
                if a.flat != b.flat || groups.of[number].0 == groups.of[other].0 {
                    continue;
                }
                let each = framed[other].iter().filter_map(|second| {
                    let misfit = Misfit::between(&first, second, self.tolerance, reach)?;
                    Some(((misfit.points(), misfit.greatest().to_bits()), second, misfit))
                });
                if let Some((key, second, misfit)) = each.min_by_key(|(key, ..)| *key) {
                    let (a, b, first) = (a.name.clone(), b.name.clone(), first.clone());
                    let second = second.clone();
                    found.push((key, NearOutlines { a, b, first, second, misfit }));
                }
            }
        }
        found.sort_by_key(|(key, _)| *key);
        found.into_iter().map(|(_, near)| near).collect()
    }
}
