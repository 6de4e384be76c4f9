//! Terrain as flat colours.

use super::place::Placement;
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::{Layer, Terrain, Tilemap};

/// The colours of a map's terrains, and which tiles hide them.
pub(super) struct Grounds<'a> {
    map: &'a Tilemap,
    /// The terrain's colours by number, unless nothing has one.
    colours: Option<(&'a Terrain, Vec<Option<Rgba>>)>,
    opaque: Vec<Vec<bool>>,
}

impl<'a> Grounds<'a> {
    pub(super) fn new(map: &'a Tilemap, art: &TileArt, grounds: &[(String, Rgba)]) -> Self {
        let terrain = map.terrain().filter(|_| !grounds.is_empty());
        let colour =
            |name: &String| grounds.iter().find(|(known, _)| known == name).map(|(_, c)| *c);
        let colours =
            terrain.map(|terrain| (terrain, terrain.palette.iter().map(colour).collect()));
        let opaque = match colours {
            Some(_) => map.layers().map(|layer| opaque(map, layer, art)).collect(),
            None => Vec::new(),
        };
        Self { map, colours, opaque }
    }

    /// The colour that is seen in a cell.
    pub(super) fn seen(&self, cell: Cell) -> Option<Rgba> {
        let (terrain, colours) = self.colours.as_ref()?;
        let number = terrain.cells.get(self.map.layout().extent().index(cell)?)?;
        let colour = colours[number as usize]?;
        let covered = self.map.layers().zip(&self.opaque).any(|(layer, opaque)| {
            let entry = layer.extent().index(cell).and_then(|index| layer.cells().get(index));
            entry.is_some_and(|entry| opaque[entry as usize])
        });
        (!covered).then_some(colour)
    }

    /// Fills the cells of each terrain that has a colour, unless an opaque tile stands there: below tiles that
    /// are clear in places the colour is seen.
    pub(super) fn lay(&self, picture: &mut Picture, place: Placement, seen: Extent) {
        let [width, height] = place.cell();
        for cell in seen.iter() {
            let Some(colour) = self.seen(cell) else { continue };
            let (left, top) = place.corner(cell);
            for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
                if place.covers(x, y) {
                    picture.blend(left + x, top + y, colour);
                }
            }
        }
    }
}

/// Which entries of a layer's palette hide what is below them. One that is drawn between cells covers only a
/// corner of each.
fn opaque(map: &Tilemap, layer: &Layer, art: &TileArt) -> Vec<bool> {
    let lattice = map.layout().lattice();
    let whole = layer.offset() == [0.0; 3];
    let is_opaque = |placed| {
        let drawn = art.placed(lattice, placed);
        // Without a picture it is hatched. Hexagons are clear in their corners, where others lie.
        let clear = |drawn: Picture| drawn.pixels().iter().any(|pixel| pixel[3] < 255);
        whole && !drawn.is_some_and(clear)
    };
    layer.palette().iter().map(is_opaque).collect()
}
