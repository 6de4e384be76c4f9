//! Which tile and which item has which model.

use super::mesh::Model;
use super::placing::Guess;
use super::voxels::Voxels;
use crate::picture::Rgba;
use glam::Vec3;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// The models of tiles and items, and what tiles without one look like in three dimensions.
#[derive(Clone, Debug)]
pub struct ModelArt {
    module: Vec3,
    tiles: BTreeMap<String, Vec<Option<Arc<Model>>>>,
    items: BTreeMap<String, Vec<Option<Arc<Model>>>>,
    air: BTreeSet<String>,
    colours: BTreeMap<String, Rgba>,
    sources: Vec<ModelSource>,
    voxels: BTreeMap<(String, u32), Arc<Voxels>>,
}

/// Where a model of a tile or item was read from.
#[derive(Clone, Debug, PartialEq)]
pub struct ModelSource {
    /// Whether it is of an item, not of a tile.
    pub item: bool,
    /// The name of the tile or item.
    pub name: String,
    /// Which look.
    pub look: u32,
    /// The file, as the quilt finds it.
    pub file: String,
    /// The node, when it is one of several.
    pub node: Option<String>,
    /// How the file stands in its cells.
    pub placing: Guess,
    /// The cells it covers: width, depth and height.
    pub span: [u32; 3],
}

impl Default for ModelArt {
    fn default() -> Self {
        Self::new([1.0; 3])
    }
}

impl ModelArt {
    /// No models yet, for cells of that many metres: width, depth and height.
    pub const fn new([wide, deep, high]: [f32; 3]) -> Self {
        Self {
            module: Vec3::new(wide, high, deep),
            tiles: BTreeMap::new(),
            items: BTreeMap::new(),
            air: BTreeSet::new(),
            colours: BTreeMap::new(),
            sources: Vec::new(),
            voxels: BTreeMap::new(),
        }
    }

    /// The size of a cell in metres: width, height and depth, as x, y and z of glTF.
    pub const fn module(&self) -> Vec3 {
        self.module
    }

    /// Whether nothing has a model.
    pub fn is_empty(&self) -> bool {
        self.tiles.is_empty() && self.items.is_empty()
    }

    /// Gives a look of a tile its model.
    pub fn add_tile(&mut self, tile: impl Into<String>, look: u32, model: Arc<Model>) {
        put(self.tiles.entry(tile.into()).or_default(), look, model);
    }

    /// Gives a look of an item its model.
    pub fn add_item(&mut self, item: impl Into<String>, look: u32, model: Arc<Model>) {
        put(self.items.entry(item.into()).or_default(), look, model);
    }

    /// Gives a look of a tile a module of voxels, and the model of what can be seen of it.
    pub fn add_voxels(&mut self, tile: impl Into<String>, look: u32, voxels: Voxels) {
        let tile = tile.into();
        let model = voxels.model(&tile, self.module, 0);
        self.add_tile(tile.clone(), look, Arc::new(model));
        self.voxels.insert((tile, look), Arc::new(voxels));
    }

    /// The voxels of a look of a tile, where it is made of them.
    pub fn voxels(&self, tile: &str, look: u32) -> Option<&Arc<Voxels>> {
        self.voxels.get(&(tile.to_owned(), look))
    }

    /// Notes where a model was read from.
    pub fn add_source(&mut self, source: ModelSource) {
        self.sources.push(source);
    }

    /// Where models were read from, in the order they were added.
    pub fn sources(&self) -> &[ModelSource] {
        &self.sources
    }

    /// The model of a look of a tile; of a look that has none that of the first.
    pub fn tile(&self, tile: &str, look: u32) -> Option<&Arc<Model>> {
        find(self.tiles.get(tile)?, look)
    }

    /// The model of a look of an item; of a look that has none that of the first.
    pub fn item(&self, item: &str, look: u32) -> Option<&Arc<Model>> {
        find(self.items.get(item)?, look)
    }

    /// How many looks of a tile may have a model of their own.
    pub fn looks(&self, tile: &str) -> u32 {
        self.tiles.get(tile).map_or(0, |looks| looks.len() as u32)
    }

    /// Marks a tile as air: there is nothing to see.
    pub fn set_air(&mut self, tile: impl Into<String>) {
        self.air.insert(tile.into());
    }

    /// Whether there is nothing to see of a tile: it is marked so, or its model is empty.
    pub fn is_air(&self, tile: &str) -> bool {
        self.air.contains(tile) || self.tile(tile, 0).is_some_and(|model| model.triangles() == 0)
    }

    /// Whether any tile has a colour.
    pub fn has_colours(&self) -> bool {
        !self.colours.is_empty()
    }

    /// Gives a tile the colour of its block, where it has no model.
    pub fn set_colour(&mut self, tile: impl Into<String>, colour: Rgba) {
        self.colours.insert(tile.into(), colour);
    }

    /// The colour of a tile's block.
    pub fn colour(&self, tile: &str) -> Option<Rgba> {
        self.colours.get(tile).copied()
    }
}

fn put(looks: &mut Vec<Option<Arc<Model>>>, look: u32, model: Arc<Model>) {
    let look = look as usize;
    if looks.len() <= look {
        looks.resize(look + 1, None);
    }
    looks[look] = Some(model);
}

fn find(looks: &[Option<Arc<Model>>], look: u32) -> Option<&Arc<Model>> {
    let own = looks.get(look as usize).and_then(Option::as_ref);
    own.or_else(|| looks.iter().flatten().next())
}
