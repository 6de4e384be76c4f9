//! The tilemap: terrain, heights, tags, tile layers and items over one layout.
//!
//! A map stands alone: its layers name their tiles, so reordering tiles in a quilt never changes a
//! saved map. Planes that are missing cost nothing.

mod item;
mod layer;

pub use item::{Item, Spot};
pub use layer::{Indices, Layer, Placed};

use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Extent, Layout};

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
#[derive(Clone, Debug, PartialEq)]
pub struct Tilemap {
    layout: Layout,
    /// Where it came from.
    pub origin: Origin,
    /// The ground of each cell.
    pub terrain: Option<Terrain>,
    /// The height of each cell in steps.
    pub heights: Option<Plane<i32>>,
    /// One named bit plane a tag, sorted by name.
    pub tags: Vec<(String, BitPlane)>,
    /// The layers from the ground up.
    pub layers: Vec<Layer>,
    items: Vec<Item>,
}

impl Tilemap {
    /// A map with nothing on it.
    pub const fn new(layout: Layout) -> Self {
        Self {
            layout,
            origin: Origin {
                quilt: String::new(),
                hash: String::new(),
                seed: String::new(),
                variant: String::new(),
                set: Vec::new(),
            },
            terrain: None,
            heights: None,
            tags: Vec::new(),
            layers: Vec::new(),
            items: Vec::new(),
        }
    }

    /// Lattice, extent and wrapping.
    pub const fn layout(&self) -> Layout {
        self.layout
    }

    /// The layer of that name.
    pub fn layer(&self, name: &str) -> Option<&Layer> {
        self.layers.iter().find(|layer| layer.name == name)
    }

    /// The items, sorted by cell (row by row) and side.
    pub fn items(&self) -> &[Item] {
        &self.items
    }

    /// Replaces the items, sorting them by level, row, column and side; equal places keep order.
    pub fn set_items(&mut self, mut items: Vec<Item>) {
        items.sort_by_key(|item| (item.cell.z, item.cell.y, item.cell.x, item.side));
        self.items = items;
    }

    /// Takes the items out, to be changed and put back by [`set_items`](Self::set_items).
    pub fn take_items(&mut self) -> Vec<Item> {
        std::mem::take(&mut self.items)
    }
}
