//! Parts of a map by name: which a pass looks at or changes, what is in them, and how they are put back.

use super::named::Named;
use super::names::Names;
use super::{Connector, Item, Layer, Numbers, Terrain, Tilemap};
use crate::digest::Digest;
use crate::grid::{BitPlane, Plane};
use std::sync::Arc;

/// Parts of a map.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct MapParts {
    /// The ground.
    pub terrain: bool,
    /// The heights.
    pub heights: bool,
    /// The items.
    pub items: bool,
    /// The open connectors.
    pub connectors: bool,
    /// Tags by name.
    pub tags: Names,
    /// Planes of whole numbers by name.
    pub planes: Names,
    /// Layers by name.
    pub layers: Names,
}

impl MapParts {
    /// None of it.
    pub fn none() -> Self {
        Self::default()
    }

    /// All of it.
    pub fn all() -> Self {
        Self {
            terrain: true,
            heights: true,
            items: true,
            connectors: true,
            tags: Names::All,
            planes: Names::All,
            layers: Names::All,
        }
    }

    /// What is in either.
    pub fn unite(&mut self, other: &Self) {
        self.terrain |= other.terrain;
        self.heights |= other.heights;
        self.items |= other.items;
        self.connectors |= other.connectors;
        self.tags.unite(&other.tags);
        self.planes.unite(&other.planes);
        self.layers.unite(&other.layers);
    }
}

/// Parts of a map as they were at some time, shared with it.
#[derive(Clone, Debug)]
pub struct SavedParts {
    parts: MapParts,
    terrain: Option<Arc<Terrain>>,
    heights: Option<Arc<Plane<i32>>>,
    tags: Named<BitPlane>,
    numbers: Named<Numbers>,
    layers: Vec<Arc<Layer>>,
    items: Arc<Vec<Item>>,
    connectors: Arc<Vec<Connector>>,
}

impl Tilemap {
    /// Some parts as they are now. O(parts).
    pub fn save(&self, parts: &MapParts) -> SavedParts {
        let layers = self.layers.iter().filter(|layer| parts.layers.contains(&layer.name));
        SavedParts {
            parts: parts.clone(),
            terrain: self.terrain.clone().filter(|_| parts.terrain),
            heights: self.heights.clone().filter(|_| parts.heights),
            tags: self.tags.only(&parts.tags),
            numbers: self.numbers.only(&parts.planes),
            layers: layers.cloned().collect(),
            items: if parts.items { self.items.clone() } else { Arc::default() },
            connectors: if parts.connectors { self.connectors.clone() } else { Arc::default() },
        }
    }

    /// Makes some parts what they were; layers that were not there are on top, in their order. O(parts).
    pub fn restore(&mut self, saved: &SavedParts) {
        let parts = &saved.parts;
        if parts.terrain {
            self.terrain.clone_from(&saved.terrain);
        }
        if parts.heights {
            self.heights.clone_from(&saved.heights);
        }
        if parts.items {
            self.items = saved.items.clone();
        }
        if parts.connectors {
            self.connectors = saved.connectors.clone();
        }
        self.tags.restore(&parts.tags, &saved.tags);
        self.numbers.restore(&parts.planes, &saved.numbers);
        let known = |name: &str| saved.layers.iter().any(|layer| layer.name == name);
        self.layers.retain(|layer| !parts.layers.contains(&layer.name) || known(&layer.name));
        for layer in &saved.layers {
            self.put_shared(layer.clone());
        }
    }

    /// A hash of what is in some parts. O(what is in them).
    pub fn content(&self, parts: &MapParts) -> u64 {
        let mut digest = Digest::new();
        if parts.terrain {
            digest.add(&("terrain", &self.terrain));
        }
        if parts.heights {
            digest.add(&("heights", &self.heights));
        }
        for tag in self.tags().filter(|(name, _)| parts.tags.contains(name)) {
            digest.add(&tag);
        }
        for plane in self.planes().filter(|(name, _)| parts.planes.contains(name)) {
            digest.add(&plane);
        }
        if parts.connectors {
            digest.add(&("connectors", &self.connectors));
        }
        for layer in self.layers.iter().filter(|layer| parts.layers.contains(&layer.name)) {
            digest.add(layer);
        }
        if parts.items {
            add_items(&self.items, &mut digest);
        }
        digest.finish()
    }
}

/// Items as bytes: there may be millions, too many to be written out.
fn add_items(items: &[Item], digest: &mut Digest) {
    let mut bytes = Vec::with_capacity(128);
    for item in items {
        bytes.clear();
        for number in [item.cell.x, item.cell.y, item.cell.z] {
            bytes.extend(number.to_le_bytes());
        }
        for side in [item.side, item.facing] {
            bytes.push(side.map_or(u8::MAX, |side| side as u8));
        }
        bytes.extend(item.look.map_or(u64::MAX, u64::from).to_le_bytes());
        let lone = [item.turn, item.scale, item.tilt, item.height];
        for number in item.offset.into_iter().chain(lone) {
            bytes.extend(number.to_bits().to_le_bytes());
        }
        for number in [item.number, item.stacked, item.drawn.cast_unsigned()] {
            bytes.extend(number.to_le_bytes());
        }
        let tags = item.tags.iter().map(String::as_str);
        for text in [&*item.name, &*item.pass].into_iter().chain(item.group.as_deref()).chain(tags)
        {
            bytes.extend((text.len() as u32).to_le_bytes());
            bytes.extend(text.as_bytes());
        }
        bytes.extend([item.group.is_some(), item.stands].map(u8::from));
        digest.bytes(&bytes);
    }
}
