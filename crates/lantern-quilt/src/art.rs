//! The pictures of tiles, all of one size.

use crate::picture::Picture;
use std::collections::BTreeMap;

/// The pictures of each tile, all of one size.
#[derive(Clone, Debug, Default)]
pub struct TileArt {
    cell: [u32; 2],
    /// The looks of each tile.
    tiles: BTreeMap<String, Vec<Picture>>,
}

impl TileArt {
    /// Art of tiles of `cell` (width and height) pixels.
    pub const fn new(cell: [u32; 2]) -> Self {
        Self { cell, tiles: BTreeMap::new() }
    }

    /// Adds a picture of a tile, its next look; returns whether it has the size of a cell.
    pub fn add(&mut self, tile: impl Into<String>, picture: Picture) -> bool {
        let fits = [picture.width(), picture.height()] == self.cell;
        if fits {
            self.tiles.entry(tile.into()).or_default().push(picture);
        }
        fits
    }

    /// Width and height of a cell in pixels; zero when no tile has a picture.
    pub const fn cell(&self) -> [u32; 2] {
        self.cell
    }

    /// The picture of a tile: its first look.
    pub fn tile(&self, name: &str) -> Option<&Picture> {
        self.look(name, 0)
    }

    /// One look of a tile.
    pub fn look(&self, name: &str, number: u32) -> Option<&Picture> {
        self.tiles.get(name)?.get(number as usize)
    }

    /// All looks of a tile.
    pub fn looks(&self, name: &str) -> &[Picture] {
        self.tiles.get(name).map_or(&[], Vec::as_slice)
    }
}
