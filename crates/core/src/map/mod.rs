//! The tilemap: terrain, heights, tags, numbers, tile layers, items and connectors over one layout.
//!
//! A map stands alone: its layers name their tiles, so reordering tiles in a quilt never changes a
//! saved map. Planes that are missing cost nothing.

mod connector;
mod item;
mod layer;
mod named;
mod names;
mod numbers;
mod parts;
mod repeats;
mod shown;

use self::named::Named;
pub use connector::Connector;
pub use item::{Item, Spot};
pub use layer::{Indices, Layer, Placed};
pub use names::Names;
pub use numbers::Numbers;
pub use parts::{MapParts, SavedParts};
pub use repeats::{Repeats, repeats};
pub use shown::Shown;

use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Extent, Layout};
use std::sync::Arc;

/// The kind of ground of each cell: a palette of names and one index (or nothing) a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Terrain {
    /// The names.
    pub palette: Vec<String>,
    /// One number (or nothing) a cell, in cell order.
    pub cells: Indices,
}

impl Terrain {
    /// No terrain anywhere.
    pub fn new(extent: Extent) -> Self {
        Self { palette: Vec::new(), cells: Indices::new(extent.cells(), 0) }
    }

    /// The number of a terrain; one that is not known yet is added. O(palette).
    pub fn number(&mut self, name: &str) -> u32 {
        let known = self.palette.iter().position(|one| one == name);
        known.unwrap_or_else(|| {
            self.palette.push(name.to_owned());
            self.palette.len() - 1
        }) as u32
    }

    /// Gives the cell at a place in the map's order another terrain, or none. O(palette).
    ///
    /// # Panics
    /// When there is no such place.
    pub fn lay(&mut self, index: usize, name: Option<&str>) {
        let number = name.map(|name| self.number(name));
        self.cells.set(index, number);
    }

    /// The terrain of a cell of the map's extent.
    pub fn at(&self, cell: Cell, extent: Extent) -> Option<&str> {
        let number = self.cells.get(extent.index(cell)?)?;
        Some(&self.palette[number as usize])
    }
}

/// Where a map came from, so that it can be made again.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Origin {
    /// The quilt's file name, without folders.
    pub quilt: String,
    /// A hash of the quilt's text and art, in hexadecimal.
    pub hash: String,
    /// The seed as written.
    pub seed: String,
    /// The variant of the quilt; empty when none was asked for.
    pub variant: String,
    /// Values of the quilt that were changed, as `path=value`.
    pub set: Vec<String>,
}

/// A finished or partial map.
///
/// Its planes are shared: a copy of a map costs nothing until one of them changes, and then only what
/// changes is copied.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::map::Tilemap;
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 8, 6)?);
/// map.terrain_mut().lay(0, Some("moss"));
/// let before = map.clone();
/// map.tag_mut("walk").set(Cell::new(3, 2), true);
/// assert!(before.tag("walk").is_none() && map.tag("walk").is_some_and(|plane| plane.count() == 1));
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct Tilemap {
    layout: Layout,
    /// Where it came from.
    pub origin: Origin,
    terrain: Option<Arc<Terrain>>,
    heights: Option<Arc<Plane<i32>>>,
    tags: Named<BitPlane>,
    numbers: Named<Numbers>,
    layers: Vec<Arc<Layer>>,
    /// Sorted by cell and side.
    items: Arc<Vec<Item>>,
    /// Sorted.
    connectors: Arc<Vec<Connector>>,
}

impl Tilemap {
    /// A map with nothing on it.
    pub fn new(layout: Layout) -> Self {
        Self {
            layout,
            origin: Origin::default(),
            terrain: None,
            heights: None,
            tags: Named::default(),
            numbers: Named::default(),
            layers: Vec::new(),
            items: Arc::default(),
            connectors: Arc::default(),
        }
    }

    /// Lattice, extent and wrapping.
    pub const fn layout(&self) -> Layout {
        self.layout
    }

    /// The ground of each cell.
    pub fn terrain(&self) -> Option<&Terrain> {
        self.terrain.as_deref()
    }

    /// The ground of each cell, to change; added when there is none.
    pub fn terrain_mut(&mut self) -> &mut Terrain {
        let extent = self.layout.extent();
        Arc::make_mut(self.terrain.get_or_insert_with(|| Arc::new(Terrain::new(extent))))
    }

    /// Replaces the ground.
    ///
    /// # Panics
    /// When there is not one number a cell.
    pub fn set_terrain(&mut self, terrain: Option<Terrain>) {
        let cells = self.layout.extent().cells();
        assert!(terrain.as_ref().is_none_or(|one| one.cells.len() == cells), "one a cell");
        self.terrain = terrain.map(Arc::new);
    }

    /// The height of each cell in steps.
    pub fn heights(&self) -> Option<&Plane<i32>> {
        self.heights.as_deref()
    }

    /// The height of each cell, to change; level when there are none.
    pub fn heights_mut(&mut self) -> &mut Plane<i32> {
        let extent = self.layout.extent();
        Arc::make_mut(self.heights.get_or_insert_with(|| Arc::new(Plane::new(extent, 0))))
    }

    /// Replaces the heights.
    ///
    /// # Panics
    /// When they are of another extent.
    pub fn set_heights(&mut self, heights: Option<Plane<i32>>) {
        let extent = self.layout.extent();
        assert!(heights.as_ref().is_none_or(|one| one.extent() == extent), "of one extent");
        self.heights = heights.map(Arc::new);
    }

    /// The tags and their cells, sorted by name.
    pub fn tags(&self) -> impl ExactSizeIterator<Item = (&str, &BitPlane)> + '_ {
        self.tags.iter()
    }

    /// The cells of a tag.
    pub fn tag(&self, name: &str) -> Option<&BitPlane> {
        self.tags.get(name)
    }

    /// The cells of a tag, to change; one that no cell has is added.
    pub fn tag_mut(&mut self, name: &str) -> &mut BitPlane {
        let extent = self.layout.extent();
        self.tags.get_mut(name, || BitPlane::new(extent))
    }

    /// Replaces a tag, or takes it off the map.
    ///
    /// # Panics
    /// When the plane is of another extent.
    pub fn set_tag(&mut self, name: &str, plane: Option<BitPlane>) {
        let extent = self.layout.extent();
        assert!(plane.as_ref().is_none_or(|one| one.extent() == extent), "of one extent");
        self.tags.set(name, plane);
    }

    /// The planes of whole numbers, sorted by name.
    pub fn planes(&self) -> impl ExactSizeIterator<Item = (&str, &Numbers)> + '_ {
        self.numbers.iter()
    }

    /// The plane of whole numbers of that name.
    pub fn plane(&self, name: &str) -> Option<&Numbers> {
        self.numbers.get(name)
    }

    /// The plane of whole numbers of that name, to change; one without any number is added.
    pub fn plane_mut(&mut self, name: &str) -> &mut Numbers {
        let extent = self.layout.extent();
        self.numbers.get_mut(name, || Numbers::new(extent))
    }

    /// Replaces a plane of whole numbers, or takes it off the map.
    ///
    /// # Panics
    /// When the plane is of another extent.
    pub fn set_plane(&mut self, name: &str, plane: Option<Numbers>) {
        let extent = self.layout.extent();
        assert!(plane.as_ref().is_none_or(|one| one.extent() == extent), "of one extent");
        self.numbers.set(name, plane);
    }

    /// The layers from the ground up.
    pub fn layers(&self) -> impl ExactSizeIterator<Item = &Layer> + DoubleEndedIterator + '_ {
        self.layers.iter().map(|layer| &**layer)
    }

    /// The layer of that name.
    pub fn layer(&self, name: &str) -> Option<&Layer> {
        self.layers().find(|layer| layer.name == name)
    }

    /// The layer of that name, to change; an empty one is put on top when there is none.
    pub fn layer_mut(&mut self, name: &str) -> &mut Layer {
        let place = self.layers.iter().position(|layer| layer.name == name).unwrap_or_else(|| {
            self.layers.push(Arc::new(Layer::new(name, self.layout.extent(), Vec::new())));
            self.layers.len() - 1
        });
        Arc::make_mut(&mut self.layers[place])
    }

    /// Puts a layer in place of the one of its name, or on top.
    pub fn put_layer(&mut self, layer: Layer) {
        self.put_shared(Arc::new(layer));
    }

    /// Lays a layer over the one of its name, where it is not empty, or puts it on top. O(cells).
    pub fn overlay(&mut self, layer: Layer) {
        if self.layer(&layer.name).is_some() {
            self.layer_mut(&layer.name).overlay(&layer);
        } else {
            self.put_layer(layer);
        }
    }

    fn put_shared(&mut self, layer: Arc<Layer>) {
        match self.layers.iter_mut().find(|known| known.name == layer.name) {
            Some(known) => *known = layer,
            None => self.layers.push(layer),
        }
    }

    /// Takes a layer off the map.
    pub fn remove_layer(&mut self, name: &str) -> Option<Layer> {
        let place = self.layers.iter().position(|layer| layer.name == name)?;
        Some(Arc::unwrap_or_clone(self.layers.remove(place)))
    }

    /// The items, sorted by cell (row by row) and side.
    pub fn items(&self) -> &[Item] {
        &self.items
    }

    /// Replaces the items, sorting them by level, row, column, side and how high they are stacked; equal
    /// places keep order.
    pub fn set_items(&mut self, mut items: Vec<Item>) {
        items.sort_by_key(|item| (item.cell.z, item.cell.y, item.cell.x, item.side, item.stacked));
        self.items = Arc::new(items);
    }

    /// Takes the items out, to be changed and put back by [`set_items`](Self::set_items).
    pub fn take_items(&mut self) -> Vec<Item> {
        Arc::unwrap_or_clone(std::mem::take(&mut self.items))
    }

    /// The open connectors, sorted by cell (row by row), side, level, name and piece.
    pub fn connectors(&self) -> &[Connector] {
        &self.connectors
    }

    /// Replaces the open connectors, sorting them. O(n log n).
    pub fn set_connectors(&mut self, mut connectors: Vec<Connector>) {
        connectors.sort_by(|a, b| {
            let place = |one: &Connector| (one.cell.z, one.cell.y, one.cell.x);
            place(a).cmp(&place(b)).then_with(|| a.cmp(b))
        });
        self.connectors = Arc::new(connectors);
    }
}
