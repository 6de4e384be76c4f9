//! The faces that tiles show, as pieces that do not exist yet could show them.

use crate::id::SocketId;
use crate::lattice::Side;
use crate::orient::Frame;
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// What each side shows in words, the rarest first: `path on north and east, moss on the others`. Nothing means that
/// anything fits, which comes last.
pub(super) fn in_words(sides: &[Side], shown: &[Option<String>]) -> String {
    let mut groups: Vec<(&Option<String>, Vec<&str>)> = Vec::new();
    for (side, face) in sides.iter().zip(shown) {
        match groups.iter_mut().find(|(known, _)| *known == face) {
            Some((_, names)) => names.push(side.name()),
            None => groups.push((face, vec![side.name()])),
        }
    }
    groups.sort_by_key(|(face, names)| (face.is_none(), names.len()));
    let last = groups.len().saturating_sub(1);
    let words = groups.iter().enumerate().map(|(at, (face, names))| {
        let place = match names.len() {
            n if n == sides.len() => "all sides".to_owned(),
            n if at == last && n > 1 => "the others".to_owned(),
            _ => names.join(" and "),
        };
        format!("{} on {place}", face.as_deref().unwrap_or("anything"))
    });
    words.collect::<Vec<_>>().join(", ")
}

/// The faces that a set shows, and how common their sockets are.
pub(super) struct Known {
    /// What a tile could show on each side: what any tile shows on such a side, in each of its frames.
    pub(super) on_side: Vec<Vec<Face>>,
    weights: HashMap<SocketId, u64, FxBuildHasher>,
    commonest: Option<SocketId>,
}

impl Known {
    pub(super) fn new(tileset: &Tileset) -> Self {
        let sides = tileset.lattice().sides();
        let mut weights: HashMap<SocketId, u64, FxBuildHasher> = HashMap::default();
        let (mut standing, mut flat) = (Vec::new(), Vec::new());
        for (tile, orientation) in tileset.poses() {
            for &side in sides {
                for face in tileset.faces(tile, orientation, side) {
                    let socket = &tileset.sockets()[face.socket];
                    if socket.is_internal() {
                        continue;
                    }
                    *weights.entry(face.socket).or_default() += tileset.tiles()[tile].pose_weight();
                    let into = if side.is_flat() { &mut flat } else { &mut standing };
                    let frames = Frame::all().filter(|frame| side.is_flat() || frame.turns == 0);
                    into.extend(
                        frames
                            .map(|frame| Face { socket: face.socket, frame: socket.reduce(frame) }),
                    );
                }
            }
        }
        for faces in [&mut standing, &mut flat] {
            faces.sort_unstable();
            faces.dedup();
        }
        let on_side =
            sides.iter().map(|side| if side.is_flat() { flat.clone() } else { standing.clone() });
        let commonest =
            weights.iter().max_by_key(|&(id, weight)| (*weight, std::cmp::Reverse(*id)));
        Self { on_side: on_side.collect(), commonest: commonest.map(|(&id, _)| id), weights }
    }

    pub(super) fn weight(&self, socket: SocketId) -> u64 {
        self.weights.get(&socket).copied().unwrap_or(0)
    }

    /// How many faces do not show the most common socket, so that something must continue beyond them.
    pub(super) fn open_ends(&self, shown: impl Iterator<Item = Face>) -> usize {
        shown.filter(|face| Some(face.socket) != self.commonest).count()
    }
}
