//! Tiles: sides, turns, mirrors, weight and tags.

use super::block::Part;
use super::socket::Face;
use crate::id::{SocketId, TagId};
use crate::lattice::{Lattice, Side};
use crate::orient::Orientation;

/// Across which axes a tile may be mirrored.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Mirror {
    /// Never.
    #[default]
    No,
    /// West and east may change places.
    EastWest,
    /// North and south may change places.
    NorthSouth,
    /// Either.
    Both,
}

/// A piece of the set: what it shows on each side, how it may turn and how common it is.
///
/// ```
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let moss = set.socket(Socket::plain("moss"));
/// let path = set.socket(Socket::plain("path"));
/// set.tile(Tile::new("hedge").all(moss).weight(6.0));
/// set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
/// assert_eq!(set.build().unwrap().poses().count(), 5);
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct Tile {
    pub(super) name: String,
    pub(super) faces: FaceSpec,
    pub(super) turns: u8,
    pub(super) mirror: Mirror,
    pub(super) weight: f64,
    /// Whether the weight is that of each pose.
    pub(super) each: bool,
    /// What part of a map it should be.
    pub(super) share: Option<f64>,
    pub(super) tags: Vec<TagId>,
    pub(super) looks: Vec<f64>,
    pub(super) part: Option<Part>,
}

/// The faces as given, before the lattice is known.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum FaceSpec {
    Open,
    Bare,
    All(Vec<Face>),
    InOrder(Vec<Vec<Face>>),
    /// As in order; sides without a face are left to samples and lists.
    Partly(Vec<Vec<Face>>),
    Named(Vec<(Side, Vec<Face>)>),
}

impl Tile {
    /// A tile whose sides are still to be said; weight 1, no turns, no mirrors, no tags.
    pub fn new(name: impl Into<String>) -> Self {
        Self {
            name: name.into(),
            faces: FaceSpec::Open,
            turns: 1,
            mirror: Mirror::No,
            weight: 1.0,
            each: false,
            share: None,
            tags: Vec::new(),
            looks: Vec::new(),
            part: None,
        }
    }

    /// No face on any side: what it may touch comes from samples and lists alone.
    #[must_use]
    pub fn bare(mut self) -> Self {
        self.faces = FaceSpec::Bare;
        self
    }

    /// The same face on all sides.
    #[must_use]
    pub fn all(mut self, face: impl Into<Face>) -> Self {
        self.faces = FaceSpec::All(vec![face.into()]);
        self
    }

    /// One face a side, in the order of [`Lattice::sides`].
    #[must_use]
    pub fn sides<F: Into<Face>>(mut self, faces: impl IntoIterator<Item = F>) -> Self {
        self.faces = FaceSpec::InOrder(faces.into_iter().map(|face| vec![face.into()]).collect());
        self
    }

    /// The faces that `side` offers; it fits where any of them does. Adds to what was given before.
    #[must_use]
    pub fn side<F: Into<Face>>(mut self, side: Side, faces: impl IntoIterator<Item = F>) -> Self {
        let faces = faces.into_iter().map(Into::into).collect();
        match &mut self.faces {
            FaceSpec::Named(named) => named.push((side, faces)),
            spec => *spec = FaceSpec::Named(vec![(side, faces)]),
        }
        self
    }

    /// How many ways round it is used: a divisor of the lattice's turns, evenly spaced.
    ///
    /// On squares, 1 keeps it as drawn, 2 adds the half turn, 4 takes all quarter turns.
    #[must_use]
    pub fn turns(mut self, turns: u8) -> Self {
        self.turns = turns;
        self
    }

    /// Whether it may be mirrored, and how.
    #[must_use]
    pub fn mirror(mut self, mirror: Mirror) -> Self {
        self.mirror = mirror;
        self
    }

    /// How common it is against others, shared by its poses: 0.000001 to 1 000 000.
    #[must_use]
    pub fn weight(mut self, weight: f64) -> Self {
        (self.weight, self.each) = (weight, false);
        self
    }

    /// How common each of its poses is, where not the whole tile is meant.
    #[must_use]
    pub fn pose_weight(mut self, weight: f64) -> Self {
        (self.weight, self.each) = (weight, true);
        self
    }

    /// What part of the cells of a map it should be, above 0 and below 1, in place of a weight. Fills of a set with shares
    /// are steered ([`Search::steer`](crate::solve::Search::steer)).
    ///
    /// ```
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
    ///
    /// let mut set = TilesetBuilder::new(Lattice::Square);
    /// let any = set.socket(Socket::plain("any"));
    /// let lamp = set.tile(Tile::new("lamp").all(any).share(0.1));
    /// let moss = set.tile(Tile::new("moss").all(any).weight(9.0));
    /// let set = set.build()?;
    /// assert_eq!(set.tiles()[lamp].weight() * 9, set.tiles()[moss].weight());
    /// # Ok::<(), lantern_quilt_core::tileset::TilesetError>(())
    /// ```
    #[must_use]
    pub fn share(mut self, share: f64) -> Self {
        self.share = Some(share);
        self
    }

    /// How common its looks are against each other: several pictures of one tile, which make no
    /// difference to what may touch. Without, it has one.
    #[must_use]
    pub fn looks(mut self, weights: impl IntoIterator<Item = f64>) -> Self {
        self.looks = weights.into_iter().collect();
        self
    }

    /// The faces of each side, empty where nothing was given.
    pub(super) fn faces_in_order(&self, lattice: Lattice) -> Vec<Vec<Face>> {
        let sides = lattice.sides();
        match &self.faces {
            FaceSpec::Open | FaceSpec::Bare => vec![Vec::new(); sides.len()],
            FaceSpec::All(all) => vec![all.clone(); sides.len()],
            FaceSpec::InOrder(list) | FaceSpec::Partly(list) => {
                let list = list.iter().cloned().chain(std::iter::repeat(Vec::new()));
                list.take(sides.len()).collect()
            }
            FaceSpec::Named(named) => {
                let on = |&side: &Side| {
                    let said = named.iter().filter(|(at, _)| *at == side);
                    said.flat_map(|(_, faces)| faces.iter().copied()).collect()
                };
                sides.iter().map(on).collect()
            }
        }
    }

    /// The same with faces on each side; open ones stay open only where the tile was to be bare.
    pub(super) fn in_order(mut self, faces: Vec<Vec<Face>>) -> Self {
        self.faces = if self.faces == FaceSpec::Bare {
            FaceSpec::Partly(faces)
        } else {
            FaceSpec::InOrder(faces)
        };
        self
    }

    pub(super) fn replace_face(
        &mut self,
        lattice: Lattice,
        side: Side,
        stand_in: SocketId,
        face: Face,
    ) {
        let faces = match &mut self.faces {
            FaceSpec::Open | FaceSpec::Bare | FaceSpec::Partly(_) => return,
            FaceSpec::Named(named) => named.iter_mut().filter(|(at, _)| *at == side).collect(),
            FaceSpec::InOrder(list) => {
                let sides = lattice.sides().iter().copied();
                self.faces = FaceSpec::Named(sides.zip(std::mem::take(list)).collect());
                return self.replace_face(lattice, side, stand_in, face);
            }
            FaceSpec::All(all) => {
                let sides = lattice.sides().iter().map(|&side| (side, all.clone()));
                self.faces = FaceSpec::Named(sides.collect());
                return self.replace_face(lattice, side, stand_in, face);
            }
        };
        let faces: Vec<&mut (Side, Vec<Face>)> = faces;
        for slot in faces.into_iter().flat_map(|(_, faces)| faces) {
            if slot.socket == stand_in {
                *slot = face;
            }
        }
    }

    /// Adds a tag.
    #[must_use]
    pub fn tag(mut self, tag: TagId) -> Self {
        self.tags.push(tag);
        self
    }
}

/// The orientations a tile may take: the group that its turns and mirrors make, in order.
pub(crate) fn orientations(lattice: Lattice, turns: u8, mirror: Mirror) -> Vec<Orientation> {
    let full = lattice.turns();
    let half = Orientation::new(lattice, full / 2, true);
    let straight = Orientation::new(lattice, 0, true);
    let mut group: Vec<Orientation> =
        (0..turns).map(|k| Orientation::new(lattice, k * (full / turns), false)).collect();
    let extra: &[Orientation] = match mirror {
        Mirror::No => &[],
        Mirror::EastWest => &[straight],
        Mirror::NorthSouth => &[half],
        Mirror::Both => &[straight, half],
    };
    for &mirror in extra {
        for k in 0..group.len() {
            let made = mirror.then(group[k], lattice);
            if !group.contains(&made) {
                group.push(made);
            }
        }
    }
    group.sort_by_key(|o| (o.mirrored(), o.turns()));
    group
}
