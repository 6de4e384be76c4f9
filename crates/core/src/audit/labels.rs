//! Whether the sides of tiles are labelled with what their pictures show.
//!
//! Sides with one socket look alike. A side that looks like those of another socket, or like the other
//! hand of its own, is labelled wrong or painted wrong. Nothing is known about pictures but the pixels
//! along sides, and each is only compared with sides of other tiles.

use super::rows::{ONE, Row, quartile, told};
use crate::finding::{Code, Finding, Subject};
use crate::id::{Id, SocketId, TileId};
use crate::lattice::{Lattice, Side};
use crate::orient::Orientation;
use crate::tileset::pixels::Pixel;
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Sides of a socket that others are compared with, at most: the time stays linear in sides.
const EXAMPLES: usize = 64;
/// So many sides there must be to know how far they are usually apart.
const USUAL: usize = 4;
/// So many pixels a row must have for small differences to count.
const LENGTH: usize = 8;
/// Where that is not known, a side this near to those of its socket is as labelled.
const NEAR: u32 = 8 * ONE;
/// A side that is this much farther from all others than is usual is painted wrong.
const UNLIKE: u32 = 40 * ONE;

/// By socket, how far its sides are usually apart.
type Usual = HashMap<SocketId, u32, FxBuildHasher>;

/// One side that does not show what it is labelled with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OddLabel {
    /// The side, as drawn.
    pub side: Side,
    /// Its label.
    pub label: Face,
    /// Mean difference of a channel to the nearest side with that label, 0 to 255.
    pub own: u8,
    /// What it looks like, and the mean difference to the nearest side with that label.
    pub looks_like: Option<(Face, u8)>,
}

/// A tile whose picture contradicts its labels.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct OddLabels {
    /// The tile, or the part of one.
    pub tile: TileId,
    /// The sides that differ, in the order of the lattice.
    pub sides: Vec<OddLabel>,
    /// The turns that bring its labels to where the picture shows them.
    pub turned: Option<u8>,
    /// What all sides should be labelled with, where that is known.
    pub patch: Option<Vec<Face>>,
}

/// Compares the pixels along each side with those of sides that have the same label.
///
/// `row` gives the pixels along a side of a tile as drawn, from left to right for someone who looks out
/// of it; nothing where there is no picture. Sides with several sockets, and sides whose pixels are
/// their label, are left out. O(sides x sockets), with 64 examples a socket.
///
/// ```
/// use lantern_quilt_core::audit::labels::odd_labels;
/// use lantern_quilt_core::lattice::{Lattice, Side};
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
/// set.tile(Tile::new("moss").all(moss));
/// set.tile(Tile::new("cross").all(path));
/// // The picture of this one runs from north to south.
/// set.tile(Tile::new("lane").sides([moss, path, moss, path]).turns(2));
/// let set = set.build().expect("no mistakes");
/// let lane = set.find("lane").unwrap();
/// let cross = set.find("cross").unwrap();
/// let found = odd_labels(&set, |tile, side| {
///     let is_path = tile == cross || tile == lane && matches!(side, Side::North | Side::South);
///     Some(vec![if is_path { [200, 180, 120, 255] } else { [40, 90, 50, 255] }; 8])
/// });
/// assert_eq!((found[0].tile, found[0].turned), (lane, Some(1)));
/// ```
pub fn odd_labels(
    tileset: &Tileset,
    row: impl Fn(TileId, Side) -> Option<Vec<Pixel>>,
) -> Vec<OddLabels> {
    let lattice = tileset.lattice();
    let mut shown: Vec<Vec<Option<Shown>>> = Vec::new();
    for (id, tile) in tileset.tiles().pairs() {
        let owner = tileset.find(tile.name()).unwrap_or(id);
        let of_side = |&side: &Side| {
            let faces = tileset.faces(id, Orientation::AS_DRAWN, side);
            let (&[label], false) = (&faces[..], side.is_flat()) else { return None };
            let socket = &tileset.sockets()[label.socket];
            if socket.is_internal() || socket.is_derived() {
                return None;
            }
            Some(Shown { owner, label, row: Row::new(&row(id, side)?) })
        };
        shown.push(lattice.sides().iter().map(of_side).collect());
    }
    let examples = Examples::new(tileset, shown.iter().flatten().flatten());
    let usual = examples.usual_distances();
    let judge = |(number, sides): (usize, &Vec<Option<Shown>>)| {
        examples.judge(TileId::from_index(number), sides, &usual)
    };
    shown.iter().enumerate().filter_map(judge).collect()
}

/// What a side shows, and is labelled with.
struct Shown {
    /// The tile that it belongs to, as a whole.
    owner: TileId,
    label: Face,
    row: Row,
}

/// Sides by their sockets.
struct Examples<'a> {
    tileset: &'a Tileset,
    by_socket: HashMap<SocketId, Vec<&'a Shown>, FxBuildHasher>,
}

impl<'a> Examples<'a> {
    fn new(tileset: &'a Tileset, shown: impl Iterator<Item = &'a Shown>) -> Self {
        let mut by_socket: HashMap<SocketId, Vec<&Shown>, FxBuildHasher> = HashMap::default();
        for side in shown {
            by_socket.entry(side.label.socket).or_default().push(side);
        }
        for sides in by_socket.values_mut() {
            let step = sides.len().div_ceil(EXAMPLES);
            *sides = sides.iter().copied().step_by(step).collect();
        }
        Self { tileset, by_socket }
    }

    /// How far a side is from the nearest one of another tile with a label.
    fn distance(&self, side: &Shown, label: Face) -> Option<u32> {
        let handed = self.is_handed(label.socket);
        let others =
            self.by_socket.get(&label.socket)?.iter().filter(|other| other.owner != side.owner);
        let apart = others.map(|other| {
            match (handed, label.frame.flipped == other.label.frame.flipped) {
                (true, true) => side.row.apart(&other.row),
                (true, false) => side.row.across(&other.row),
                // A plain socket lies either way.
                _ => side.row.apart(&other.row).min(side.row.across(&other.row)),
            }
        });
        apart.min()
    }

    fn is_handed(&self, socket: SocketId) -> bool {
        self.tileset.sockets()[socket].is_handed()
    }

    /// By socket, how far three of four sides are from the next at most; of few sides nothing is known.
    fn usual_distances(&self) -> Usual {
        let usual = self.by_socket.iter().filter_map(|(&socket, sides)| {
            let own = |side: &&Shown| self.distance(side, side.label);
            let apart: Vec<u32> = sides.iter().filter_map(own).collect();
            Some((socket, quartile(apart, 3).filter(|_| sides.len() >= USUAL)?))
        });
        usual.collect()
    }

    /// What a side looks like most, of all labels that another tile has.
    fn nearest(&self, side: &Shown) -> Option<(u32, Face)> {
        let labels = self.by_socket.keys().flat_map(|&socket| {
            let right = self.is_handed(socket).then(|| Face::right(socket));
            std::iter::once(Face::new(socket)).chain(right)
        });
        let others = labels.filter(|label| *label != side.label);
        others.filter_map(|label| Some((self.distance(side, label)?, label))).min()
    }

    /// A side that is farther from others with its label than is usual, and near to those with another one.
    fn odd_label(&self, side: &Shown, place: Side, usual: &Usual) -> Option<OddLabel> {
        let own = self.distance(side, side.label)?;
        let usual = usual.get(&side.label.socket).copied();
        // Of a socket with few sides nobody knows how far they may be apart.
        let sure = usual.is_some() && side.row.len() >= LENGTH;
        let [least, factor] = if sure { [ONE, 4] } else { [NEAR, 6] };
        let is_far = own > usual.unwrap_or(0) * 5 / 4 + least;
        let like = self.nearest(side).filter(|&(apart, _)| apart * factor / 3 + least <= own);
        let like = like.filter(|_| is_far);
        let unlike_all = usual.is_some_and(|usual| own > usual * 4 + UNLIKE);
        (like.is_some() || unlike_all).then(|| OddLabel {
            side: place,
            label: side.label,
            own: told(own),
            looks_like: like.map(|(apart, label)| (label, told(apart))),
        })
    }

    /// What is wrong with the labels of a tile, and what would make all of them fit: to turn them, or
    /// other ones on the odd sides.
    fn judge(&self, tile: TileId, sides: &[Option<Shown>], usual: &Usual) -> Option<OddLabels> {
        let lattice = self.tileset.lattice();
        let odd = sides
            .iter()
            .zip(lattice.sides())
            .filter_map(|(shown, &side)| self.odd_label(shown.as_ref()?, side, usual));
        let odd: Vec<OddLabel> = odd.collect();
        let all: Option<Vec<&Shown>> = sides.iter().map(Option::as_ref).collect();
        let Some(all) = all else {
            let found = OddLabels { tile, sides: odd, turned: None, patch: None };
            return (!found.sides.is_empty()).then_some(found);
        };
        let labels: Vec<Face> = all.iter().map(|side| side.label).collect();
        // A socket that no other tile has fits everywhere as well as anywhere.
        let fit = |side: &Shown, label: Face| self.distance(side, label).unwrap_or(0);
        let sum = |labels: &[Face]| -> u32 {
            all.iter().zip(labels).map(|(side, &label)| fit(side, label)).sum()
        };
        let mut relabelled = labels.clone();
        for (label, side) in relabelled.iter_mut().zip(lattice.sides()) {
            let better = odd.iter().find(|one| one.side == *side).and_then(|one| one.looks_like);
            *label = better.map_or(*label, |(label, _)| label);
        }
        let (now, other) = (sum(&labels), sum(&relabelled));
        let turned = (1..lattice.turns())
            .map(|turns| (turns, turned(lattice, &labels, turns)))
            .filter(|(_, turned)| *turned != labels)
            .map(|(turns, turned)| (sum(&turned), turns, turned))
            .min();
        if let Some((after, turns, turned)) = turned {
            let moved = || (0..all.len()).filter(|&index| labels[index] != turned[index]);
            let [before, then] = [&labels, &turned]
                .map(|labels| -> u32 { moved().map(|index| fit(all[index], labels[index])).sum() });
            let count = moved().count() as u32;
            let better = then * 3 / 2 + ONE * count <= before && after < now;
            if better && after <= other + ONE * all.len() as u32 {
                let shown = |index: usize| {
                    let like = told(fit(all[index], turned[index]));
                    OddLabel {
                        side: lattice.sides()[index],
                        label: labels[index],
                        own: told(fit(all[index], labels[index])),
                        looks_like: Some((turned[index], like)),
                    }
                };
                let sides = moved().map(shown).collect();
                return Some(OddLabels { tile, sides, turned: Some(turns), patch: Some(turned) });
            }
        }
        let known = odd.iter().all(|one| one.looks_like.is_some());
        let found =
            OddLabels { tile, sides: odd, turned: None, patch: known.then_some(relabelled) };
        (!found.sides.is_empty()).then_some(found)
    }
}

/// Labels of a tile that is turned, side by side.
fn turned(lattice: Lattice, labels: &[Face], turns: u8) -> Vec<Face> {
    let back = Orientation::new(lattice, turns, false).inverse(lattice);
    let at = |&side: &Side| {
        let from = lattice.side_index(back.side(lattice, side)).expect("a side of the lattice");
        labels[from]
    };
    lattice.sides().iter().map(at).collect()
}

impl OddLabels {
    /// It in words, with the line to write.
    pub fn finding(&self, tileset: &Tileset) -> Finding {
        let tile = &tileset.tiles()[self.tile];
        let name = tile.name();
        let shown = |one: &OddLabel| -> String {
            let label = tileset.face_name(one.label);
            match one.looks_like {
                Some((like, apart)) => format!(
                    "{} shows `{}`, the label is `{label}` ({apart} of 255 from the nearest such \
                     side, {} from the nearest `{label}`)",
                    one.side,
                    tileset.face_name(like),
                    one.own
                ),
                None => format!(
                    "{} looks like no side with its label `{label}` ({} of 255 from the nearest)",
                    one.side, one.own
                ),
            }
        };
        let patch = self.patch.as_ref().filter(|_| tile.part().is_none()).map(|faces| {
            let sides = tileset.lattice().sides();
            let line = sides
                .iter()
                .zip(faces)
                .map(|(side, &face)| format!("{side} = \"{}\"", tileset.face_name(face)));
            format!("`sides = {{ {} }}`", line.collect::<Vec<_>>().join(", "))
        });
        let text = self.sides.iter().map(shown).collect::<Vec<_>>().join("; ");
        if let Some(turns) = self.turned {
            let s = if turns == 1 { "" } else { "s" };
            let text = format!(
                "the labels of `{name}` fit its picture after {turns} turn{s} clockwise: {text}"
            );
            let help = patch.map_or_else(
                || "turn the labels, or the picture".to_owned(),
                |patch| format!("write {patch}, or turn the picture"),
            );
            return Finding::new(Code::OddSide, Subject::Tile(name.to_owned()), text).help(help);
        }
        let subject = match &self.sides[..] {
            [one] => Subject::TileSide(name.to_owned(), one.side),
            _ => Subject::Tile(name.to_owned()),
        };
        let text = format!("the picture of `{name}` contradicts its labels: {text}");
        let help = patch.map_or_else(
            || "look at the picture along that side, and at its label".to_owned(),
            |patch| format!("write {patch}, or paint the side again"),
        );
        Finding::new(Code::OddSide, subject, text).help(help)
    }
}
