//! Flat maps, drawn part by part: everything that is turned or sorted once is kept between the parts.

use super::ground::Grounds;
use super::items::Items;
use super::place::Placement;
use super::{DrawError, DrawOptions, NIGHT, flat_tile, mark, relief};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::{Layer, Tilemap};

/// A map ready to be drawn.
pub(super) struct Flat<'a> {
    map: &'a Tilemap,
    options: &'a DrawOptions,
    place: Placement,
    level: i32,
    grounds: Grounds<'a>,
    /// The pictures of each layer's palette, and whether they are opaque.
    layers: Vec<(&'a Layer, Vec<(Picture, bool)>)>,
    items: Items<'a>,
    relief: Option<relief::Range>,
}

/// Some pixels of the picture of a whole map: left, top, width and height.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Part {
    pub(super) at: [i64; 2],
    pub(super) size: [u32; 2],
}

impl<'a> Flat<'a> {
    /// Turns tiles and sorts items. O(palettes + items).
    pub(super) fn new(
        map: &'a Tilemap,
        art: &'a TileArt,
        options: &'a DrawOptions,
        place: Placement,
    ) -> Self {
        let lattice = map.layout().lattice();
        let level = map.layout().extent().origin().z;
        let turned = |layer: &'a Layer| {
            let entries = layer.palette().iter().map(|placed| {
                let drawn = art.placed(lattice, placed);
                let drawn = drawn.unwrap_or_else(|| flat_tile(art, &placed.tile, place));
                let opaque = drawn.pixels().iter().all(|pixel| pixel[3] == 255);
                (drawn, opaque)
            });
            (layer, entries.collect())
        };
        Self {
            map,
            options,
            place,
            level,
            grounds: Grounds::new(map, art, &options.grounds),
            layers: map.layers().map(turned).collect(),
            items: Items::new(map, art, level),
            relief: options.relief.then(|| relief::range(map)).flatten(),
        }
    }

    /// The colour of the ground that is seen in a cell.
    pub(super) fn ground(&self, cell: Cell) -> Option<Rgba> {
        self.grounds.seen(cell)
    }

    pub(super) const fn relief(&self) -> Option<relief::Range> {
        self.relief
    }

    #[cfg(feature = "files")]
    pub(super) const fn place(&self) -> Placement {
        self.place
    }

    pub(super) const fn items(&self) -> &Items<'a> {
        &self.items
    }

    /// Draws those pixels. O(pixels), and cells and items near them.
    pub(super) fn draw(&self, part: Part) -> Result<Picture, DrawError> {
        let [wide, high] = part.size;
        let mut picture = Picture::new(wide, high, NIGHT)?;
        let place = self.place.moved(part.at);
        let seen = place.seen(part.size);
        self.grounds.lay(&mut picture, place, seen);
        for (layer, turned) in &self.layers {
            lay(&mut picture, layer, turned, place, self.level, seen);
        }
        if let Some(range) = self.relief {
            relief::lay(&mut picture, self.map, range, place, seen);
        }
        self.items.lay(&mut picture, place, part.size);
        if let Some(chosen) = &self.options.chosen {
            mark::dim(&mut picture, place, seen, |cell| !chosen.get(cell) && cell.z == self.level);
        }
        Ok(picture)
    }
}

/// Lays one layer.
fn lay(
    picture: &mut Picture,
    layer: &Layer,
    turned: &[(Picture, bool)],
    place: Placement,
    level: i32,
    seen: Extent,
) {
    let [dx, dy, _] = layer.offset();
    let [wide, high] = place.cell().map(|length| length as f32);
    let (ox, oy) = ((dx * wide) as i64, (dy * high) as i64);
    // Layers between cells reach one cell farther.
    let [columns, rows, levels] = seen.size();
    let from = Cell { x: seen.origin().x - 1, y: seen.origin().y - 1, ..seen.origin() };
    let near = Extent::new(from, [columns + 2, rows + 2, levels]).ok();
    let Some(near) = near.and_then(|near| near.intersection(&layer.extent())) else { return };
    for cell in near.iter().filter(|cell| cell.z == level) {
        let index = layer.extent().index(cell);
        let Some(number) = index.and_then(|index| layer.cells().get(index)) else { continue };
        let (x, y) = place.corner(cell);
        let (tile, opaque) = &turned[number as usize];
        if *opaque {
            picture.put(tile, x + ox, y + oy);
        } else {
            picture.lay(tile, x + ox, y + oy);
        }
    }
}
