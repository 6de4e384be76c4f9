//! What can be known before filling.
//!
//! [`audit`] looks at the rules alone and takes no time to speak of. [`company`] asks the solver
//! about small blocks. [`missing`] fills whole maps to see what they run into.

pub mod company;
pub mod missing;

use crate::constraints::Constraints;
use crate::finding::{Code, Finding, Subject};
use crate::id::SocketId;
use crate::lattice::{Extent, Lattice};
use crate::rules::Rules;
use crate::tileset::Tileset;
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;

/// Looks for sides that nothing fits, sockets without use and borders that no tile can meet.
///
/// One finding a tile and side at most. O(poses x sides + borders x poses).
pub fn audit(tileset: &Tileset, rules: &Rules, constraints: &Constraints) -> Vec<Finding> {
    let lattice = tileset.lattice();
    let mut findings = Vec::new();
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
    for (id, socket) in tileset.sockets().pairs() {
        if !used.contains(&id) {
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

/// Whether pins lie inside the map.
pub fn audit_pins(tileset: &Tileset, constraints: &Constraints, extent: Extent) -> Vec<Finding> {
    let outside = constraints.pins.iter().filter(|pin| !extent.contains(pin.cell));
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
