//! What can be known before filling.
//!
//! [`audit`] looks at the rules alone, in next to no time. [`company`] asks the solver about small blocks.
//! [`trial`] fills whole maps to count how many succeed, [`missing`] finds the pieces they lack, [`pieces`] those
//! that holes want, [`unseen`] the tiles that none of them has, [`shares`] those that are rarer or more frequent
//! than they should be. [`reachable`] works out which shares a map can have, and [`tune`](mod@tune) finds weights for
//! them. [`repeating`] finds sets whose maps repeat. [`lean`](mod@lean) measures whether an order stretches shapes.
//! [`labels`], [`listed`] and [`shapes`] compare pictures with labels, lists and neighbourhoods, [`seams`]
//! finds the roughest seams, [`turns`] tiles that do not turn. [`windows`] looks at patterns. [`room`] looks
//! at one map, [`whole`] at what holds of all of it, and [`origins`] lists where each pair comes from.

pub mod company;
mod faces;
pub mod labels;
pub mod lean;
pub mod listed;
mod lists;
pub mod missing;
pub mod origins;
pub mod pieces;
pub mod reachable;
pub mod repeating;
pub mod room;
mod rows;
pub mod seams;
pub mod shapes;
pub mod shares;
mod sharing;
pub mod trial;
pub mod tune;
pub mod turns;
pub mod unseen;
pub mod whole;
pub mod windows;

use crate::constraints::Constraints;
use crate::finding::{Code, Finding, Subject};
use crate::id::{SocketId, TileId};
use crate::lattice::{Extent, Lattice, Side};
use crate::rules::Rules;
use crate::tileset::Tileset;
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;

/// Looks for sides that nothing fits, sockets without use, lists that change nothing and borders that
/// no tile can meet.
///
/// One finding a tile and side at most. O(poses x sides + borders x poses).
pub fn audit(tileset: &Tileset, rules: &Rules, constraints: &Constraints) -> Vec<Finding> {
    let lattice = tileset.lattice();
    let mut findings = Vec::new();
    let mut bare = Vec::new();
    let mut said: HashSet<_, FxBuildHasher> = HashSet::default();
    let mut used: HashSet<SocketId, FxBuildHasher> = HashSet::default();
    for (id, pose) in rules.poses().pairs() {
        for (number, &side) in lattice.sides().iter().enumerate() {
            let faces = tileset.faces(pose.tile, pose.orientation, side);
            used.extend(faces.iter().map(|face| face.socket));
            if !rules.support(number, id).is_empty() {
                continue;
            }
            let drawn = pose.orientation.inverse(lattice).side(lattice, side);
            if faces.iter().any(|face| tileset.sockets()[face.socket].is_border()) {
                continue;
            }
            if faces.is_empty() {
                bare.push((pose.tile, drawn));
                continue;
            }
            if said.insert((pose.tile, drawn)) {
                let name = tileset.tiles()[pose.tile].name().to_owned();
                let shown: Vec<_> = faces.iter().map(|&face| tileset.face_name(face)).collect();
                let text =
                    format!("nothing fits the {drawn} side of `{name}` ({})", shown.join(" or "));
                findings.push(
                    Finding::new(Code::NothingFits, Subject::TileSide(name, drawn), text).help(
                        "draw a tile with the matching side, let the tile turn, or name another \
                         socket; as it is the tile can only stand at a border",
                    ),
                );
            }
        }
    }
    findings.extend(audit_bare(tileset, rules, &bare));
    findings.extend(lists::audit_lists(tileset, constraints));
    findings.extend(lists::audit_alike(tileset, constraints));
    for (id, socket) in tileset.sockets().pairs() {
        if !used.contains(&id) && !socket.is_border() {
            let subject = Subject::Socket(socket.name().to_owned());
            let text = format!("no tile carries the socket `{}`", socket.name());
            findings.push(
                Finding::new(Code::UnusedSocket, subject, text)
                    .help("use it on a side or take it out"),
            );
        }
    }
    for rule in &constraints.borders {
        if !tileset.poses().any(|(tile, o)| rule.admits(tileset, tile, o)) {
            let text = format!("no tile may face out {}", rule.side);
            findings.push(
                Finding::new(
                    Code::BorderUnmet,
                    Subject::Field(format!("border.{}", rule.side)),
                    text,
                )
                .help("accept another socket, tile or tag there, or let a tile turn"),
            );
        }
    }
    findings
}

/// Tiles without sockets, by the sides that nothing is known to stand beside.
fn audit_bare(tileset: &Tileset, rules: &Rules, lonely: &[(TileId, Side)]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (id, tile) in tileset.tiles().pairs() {
        let mut sides: Vec<Side> =
            lonely.iter().filter(|(tile, _)| *tile == id).map(|&(_, side)| side).collect();
        sides.sort_unstable();
        sides.dedup();
        let name = tile.name();
        let subject = Subject::Tile(name.to_owned());
        if sides.is_empty() {
            continue;
        }
        // Of a tile in several poses each has sides of its own; all of them must be alone.
        let alone = rules.poses().pairs().filter(|(_, pose)| pose.tile == id).all(|(pose, _)| {
            (0..rules.lattice().sides().len()).all(|side| rules.support(side, pose).is_empty())
        });
        findings.push(if alone {
            let text = format!("`{name}` has no sides, and no sample or list shows it");
            Finding::new(Code::UnseenTile, subject, text)
                .help("draw it into a sample, or say its sides")
        } else {
            let sides: Vec<&str> = sides.iter().map(|side| side.name()).collect();
            let text = format!(
                "in no sample or list does anything stand {} of `{name}`",
                sides.join(" or ")
            );
            Finding::new(Code::NothingFits, subject, text).help(
                "draw a sample that shows it from all sides, or let the sample wrap or turn; as it \
                 is the tile can only stand at a border",
            )
        });
    }
    findings
}

/// Whether pins lie inside the map.
pub fn audit_pins(tileset: &Tileset, constraints: &Constraints, extent: Extent) -> Vec<Finding> {
    let outside = constraints.pins.iter().filter(|pin| !extent.contains(pin.cell_in(extent)));
    outside
        .map(|pin| {
            let tile = tileset.tiles()[pin.tile].name();
            let text = format!("`{tile}` is pinned to {}, outside the map", pin.cell);
            let [w, h, d] = extent.size();
            let size = if tileset.lattice() == Lattice::Box {
                format!("{w} x {h} x {d}")
            } else {
                format!("{w} x {h}")
            };
            Finding::new(Code::OutsideMap, Subject::Cell(pin.cell), text)
                .help(format!("the map begins at {} and is {size} cells large", extent.origin()))
        })
        .collect()
}
