//! Where it comes from that two poses may touch, or may not.

use crate::constraints::{Constraints, Posed};
use crate::lattice::{Cell, Side};
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::fmt;

/// One thing that allows a pair, or forbids it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Reason {
    /// Their sides meet: the face of the first, and that of the second.
    Sides(Face, Face),
    /// A sample shows them.
    Sample {
        /// Which of the constraints' samples.
        number: usize,
        /// A cell of it that holds one of the two.
        at: Cell,
    },
    /// A list allows them; counted among those that allow.
    Allowed(usize),
    /// A list forbids them; counted among those that forbid.
    Forbidden(usize),
}

/// Two poses that something speaks of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PairOrigin {
    /// The first.
    pub a: Posed,
    /// The side of the first that the second lies beyond.
    pub side: Side,
    /// The second.
    pub b: Posed,
    /// Whether they may touch.
    pub may_touch: bool,
    /// All that is given for them: sides first, then samples, lists that allow and lists that forbid.
    pub reasons: Vec<Reason>,
}

impl PairOrigin {
    /// The reasons in words, as a quilt names things: `moss meets moss; allow.0`.
    pub fn because(&self, tileset: &Tileset) -> String {
        struct Words<'a>(Reason, &'a Tileset);
        impl fmt::Display for Words<'_> {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                match self.0 {
                    Reason::Sides(a, b) => {
                        write!(f, "{} meets {}", self.1.face_name(a), self.1.face_name(b))
                    }
                    Reason::Sample { number, at } => write!(f, "sample.{number} at {at}"),
                    Reason::Allowed(number) => write!(f, "allow.{number}"),
                    Reason::Forbidden(number) => write!(f, "forbid.{number}"),
                }
            }
        }
        let words = self.reasons.iter().map(|&reason| Words(reason, tileset).to_string());
        words.collect::<Vec<_>>().join("; ")
    }
}

/// Every pair of poses that something speaks of, once: from the side that comes first.
///
/// O(poses^2 x sides x (faces^2 + lists)) and the samples.
pub fn pair_origins(tileset: &Tileset, constraints: &Constraints) -> Vec<PairOrigin> {
    let lattice = tileset.lattice();
    let poses: Vec<Posed> = tileset.poses().collect();
    let samples: Vec<HashMap<(Posed, Side, Posed), Cell, FxBuildHasher>> =
        constraints.samples.iter().map(|sample| sample.pairs(tileset)).collect();
    let lists = |allow: bool| constraints.pairs.iter().filter(move |list| list.allow == allow);
    let mut origins = Vec::new();
    for (number, &side) in lattice.sides().iter().enumerate() {
        let back = lattice.side_index(side.opposite()).expect("sides come in pairs");
        if back < number {
            continue;
        }
        let faces = |side: Side| -> Vec<Vec<Face>> {
            poses.iter().map(|&(tile, turned)| tileset.faces(tile, turned, side)).collect()
        };
        let (here, beyond) = (faces(side), faces(side.opposite()));
        for (a, own) in poses.iter().copied().zip(&here) {
            for (b, others) in poses.iter().copied().zip(&beyond) {
                let mut reasons = Vec::new();
                for &face in own {
                    let meeting = others.iter().filter(|&&o| tileset.faces_meet(face, o, side));
                    reasons.extend(meeting.map(|&other| Reason::Sides(face, other)));
                }
                let joined =
                    tileset.goes_on(a.0, a.1, side) || tileset.goes_on(b.0, b.1, side.opposite());
                if !joined {
                    for (number, sample) in samples.iter().enumerate() {
                        let at = sample.get(&(a, side, b));
                        reasons.extend(at.map(|&at| Reason::Sample { number, at }));
                    }
                    let said = |(number, _): (usize, _)| number;
                    let concerns = |allow: bool| {
                        lists(allow)
                            .enumerate()
                            .filter(|(_, list)| list.concerns(tileset, a, side, b))
                            .map(said)
                    };
                    reasons.extend(concerns(true).map(Reason::Allowed));
                    reasons.extend(concerns(false).map(Reason::Forbidden));
                }
                if reasons.is_empty() {
                    continue;
                }
                let against = |reason: &Reason| matches!(reason, Reason::Forbidden(_));
                let may_touch = !reasons.iter().any(against);
                origins.push(PairOrigin { a, side, b, may_touch, reasons });
            }
        }
    }
    origins
}
