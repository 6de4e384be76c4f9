//! A tile of a built set.

use super::WEIGHT_UNIT;
use super::block::Part;
use super::socket::Face;
use super::tile::{FaceSpec, Mirror, Tile};
use crate::id::TagId;
use crate::orient::Orientation;

/// A tile of a built set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckedTile {
    pub(super) name: String,
    pub(super) faces: Vec<Vec<Face>>,
    pub(super) turns: u8,
    pub(super) mirror: Mirror,
    pub(super) orientations: Vec<Orientation>,
    /// Orientations left out, and the one that represents each.
    pub(super) merged: Vec<(Orientation, Orientation)>,
    pub(super) weight: u64,
    /// Whether the weight was given for each pose.
    pub(super) each: bool,
    /// The bits of the number, so that sets can be compared.
    pub(super) share: Option<u64>,
    /// What the tiles are called that share it.
    pub(super) share_of: Option<String>,
    /// What its share weighs, where picks go by another weight.
    pub(super) due: Option<u64>,
    pub(super) tags: Vec<TagId>,
    pub(super) looks: Vec<u64>,
    pub(super) part: Option<Part>,
}

impl CheckedTile {
    /// The tile to build it from again.
    pub(super) fn as_given(&self) -> Tile {
        Tile {
            name: self.name.clone(),
            faces: FaceSpec::Partly(self.faces.clone()),
            turns: self.turns,
            mirror: self.mirror,
            weight: if self.each { self.pose_weight() } else { self.weight } as f64 / WEIGHT_UNIT,
            each: self.each,
            // Its weight has it already.
            share: None,
            part: self.part,
            tags: self.tags.clone(),
            looks: self.looks.iter().map(|&weight| weight as f64 / WEIGHT_UNIT).collect(),
        }
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Which part it is of a tile that covers several cells.
    pub const fn part(&self) -> Option<Part> {
        self.part
    }

    /// Whether it is a tile, or the first part of one: to count and list tiles, not parts.
    pub fn is_first(&self) -> bool {
        self.part.is_none_or(|part| part.at == [0; 3])
    }

    /// The orientations it may take, plain turns first.
    pub fn orientations(&self) -> &[Orientation] {
        &self.orientations
    }

    /// The orientation that represents `wanted`: itself, or one that shows and looks the same; `None`
    /// when the tile is not used so.
    pub fn stands_for(&self, wanted: Orientation) -> Option<Orientation> {
        let merged = self.merged.iter().find(|(gone, _)| *gone == wanted);
        let wanted = merged.map_or(wanted, |&(_, into)| into);
        self.orientations.contains(&wanted).then_some(wanted)
    }

    /// The weight of the whole tile as a whole number (1.0 is 24 000 000).
    pub const fn weight(&self) -> u64 {
        self.weight
    }

    /// The weight of the whole tile as it is given in a quilt.
    pub fn given_weight(&self) -> f64 {
        self.weight as f64 / WEIGHT_UNIT
    }

    /// What has the share: the tile, or the group that has it together.
    pub fn share_of(&self) -> &str {
        self.share_of.as_deref().unwrap_or(&self.name)
    }

    /// Whether its share is one of a group.
    pub(crate) const fn is_in_group(&self) -> bool {
        self.share_of.is_some()
    }

    /// What part of a map it should be, where a share was given; of a tile of several cells the share of this part, of a
    /// [`GroupShare`](super::GroupShare) that of this tile.
    pub fn share(&self) -> Option<f64> {
        self.share.map(f64::from_bits)
    }

    /// The weight of each of its poses.
    pub fn pose_weight(&self) -> u64 {
        (self.weight / self.orientations.len() as u64).max(1)
    }

    /// What part of a map each of its poses is due, as a weight: not that of its poses where the tile has a share and
    /// [`Tileset::with_weights`](super::Tileset::with_weights) gave it another weight.
    pub(crate) fn pose_due(&self) -> u64 {
        (self.due.unwrap_or(self.weight) / self.orientations.len() as u64).max(1)
    }

    /// How many looks it has, at least one.
    pub fn looks(&self) -> usize {
        self.looks.len().max(1)
    }

    /// How common each of its looks is, against the others.
    pub fn look_weights(&self) -> Vec<f64> {
        self.looks.iter().map(|&weight| weight as f64).collect()
    }

    /// The look that 64 random bits pick, by weight.
    pub fn look(&self, random: u64) -> u32 {
        let mut point = crate::seed::scale(random, self.looks.iter().sum());
        for (number, &weight) in self.looks.iter().enumerate() {
            if point < weight {
                return number as u32;
            }
            point -= weight;
        }
        0
    }

    /// Its turns, as they were given.
    pub const fn turns(&self) -> u8 {
        self.turns
    }

    /// Its mirrors, as they were given.
    pub const fn mirror(&self) -> Mirror {
        self.mirror
    }

    /// Its tags.
    pub fn tags(&self) -> &[TagId] {
        &self.tags
    }
}
