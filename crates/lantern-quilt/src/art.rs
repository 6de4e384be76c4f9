//! The pictures of tiles: one a tile, all of one size.

use crate::picture::Picture;
use std::collections::BTreeMap;

/// The picture of each tile, all of one size.
#[derive(Clone, Debug, Default)]
pub struct TileArt {
    cell: [u32; 2],
    tiles: BTreeMap<String, Picture>,
}

impl TileArt {
    /// Art of tiles of `cell` (width and height) pixels.
    pub const fn new(cell: [u32; 2]) -> Self {
        Self { cell, tiles: BTreeMap::new() }
    }

    /// Adds a tile's picture; returns whether it has the size of a cell.
    pub fn add(&mut self, tile: impl Into<String>, picture: Picture) -> bool {
        let fits = [picture.width(), picture.height()] == self.cell;
        if fits {
            self.tiles.insert(tile.into(), picture);
        }
        fits
    }

    /// Width and height of a cell in pixels; zero when no tile has a picture.
    pub const fn cell(&self) -> [u32; 2] {
        self.cell
    }

    /// The picture of a tile.
    pub fn tile(&self, name: &str) -> Option<&Picture> {
        self.tiles.get(name)
    }
}
