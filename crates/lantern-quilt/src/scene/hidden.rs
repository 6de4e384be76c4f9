//! Which sides of blocks and voxels nobody can see, because others stand before them.

use super::block::block_model;
use super::turned::Turned;
use crate::models::Model;
use crate::models::voxels::{SIDES, Voxels};
use crate::picture::{Picture, Rgba};
use glam::Vec3;
use lantern_quilt_core::lattice::Side;

/// What an entry of a palette shows.
pub(super) enum Entry {
    /// A model as it is: the number of its shape, and how it is turned.
    Whole(u32, Turned),
    /// A box in one colour, or with a picture on its faces.
    Block(Rgba, Option<Picture>),
    /// Voxels as they stand in the map.
    Voxels(Voxels),
}

impl Entry {
    /// Its model without the sides whose bit is set.
    pub(super) fn model(&self, name: &str, module: Vec3, hidden: u8) -> Model {
        match self {
            Self::Whole(..) => Model::default(),
            Self::Block(_, Some(picture)) => {
                block_model(module, None, Some(picture.clone()), hidden)
            }
            Self::Block(colour, None) => block_model(module, Some(*colour), None, hidden),
            Self::Voxels(voxels) => voxels.model(name, module, hidden),
        }
    }

    /// Whether nothing of a side of this one can be seen past another that stands before it.
    fn is_hidden(&self, side: Side, by: &Self) -> bool {
        let is_opaque = |picture: &Option<Picture>, colour: &Rgba| match picture {
            Some(picture) => picture.pixels().iter().all(|pixel| pixel[3] == 255),
            None => colour[3] == 255,
        };
        match (self, by) {
            (Self::Whole(..), _) | (_, Self::Whole(..)) => false,
            (_, Self::Block(colour, picture)) => is_opaque(picture, colour),
            (Self::Voxels(own), Self::Voxels(other)) => own.is_covered(side, other),
            (Self::Block(..), Self::Voxels(other)) => other.is_wall(side.opposite()),
        }
    }
}

/// Remembers which entries hide which.
pub(super) struct Hides<'a> {
    entries: &'a [Option<Entry>],
    /// By entry, what stands before it and side; `None` where nobody asked yet.
    known: Vec<Option<bool>>,
}

impl<'a> Hides<'a> {
    pub(super) fn new(entries: &'a [Option<Entry>]) -> Self {
        Self { entries, known: vec![None; entries.len() * entries.len() * SIDES.len()] }
    }

    /// The sides of an entry that what stands beyond them hides, a bit each.
    pub(super) fn sides(&mut self, entry: u32, beyond: impl Fn(Side) -> Option<u32>) -> u8 {
        let mut hidden = 0;
        for (bit, side) in SIDES.into_iter().enumerate() {
            let Some(other) = beyond(side) else { continue };
            let entries = self.entries;
            let [entry, other] = [entry, other].map(|number| number as usize);
            let place = (entry * entries.len() + other) * SIDES.len() + bit;
            let is_hidden = *self.known[place].get_or_insert_with(|| {
                let both = entries[entry].as_ref().zip(entries[other].as_ref());
                both.is_some_and(|(own, other)| own.is_hidden(side, other))
            });
            hidden |= u8::from(is_hidden) << bit;
        }
        hidden
    }
}
