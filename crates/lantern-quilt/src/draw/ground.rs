//! Terrain as flat colours.

use super::place::Placement;
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::{Layer, Tilemap};

/// Fills the cells of each terrain that has a colour, unless an opaque tile stands there: below tiles that
/// are clear in places the colour is seen.
pub(super) fn lay(
    picture: &mut Picture,
    map: &Tilemap,
    art: &TileArt,
    grounds: &[(String, Rgba)],
    place: Placement,
    level: i32,
) {
    let Some(terrain) = map.terrain().filter(|_| !grounds.is_empty()) else { return };
    let colour = |name: &String| grounds.iter().find(|(known, _)| known == name).map(|(_, c)| *c);
    let colours: Vec<Option<Rgba>> = terrain.palette.iter().map(colour).collect();
    let [width, height] = place.cell();
    let opaque: Vec<Vec<bool>> = map.layers().map(|layer| opaque(map, layer, art)).collect();
    let is_covered = |cell: Cell| {
        map.layers().zip(&opaque).any(|(layer, opaque)| {
            let index = layer.extent().index(cell);
            let entry = index.and_then(|index| layer.cells().get(index));
            entry.is_some_and(|entry| opaque[entry as usize])
        })
    };
    for (cell, number) in map.layout().extent().iter().zip(terrain.cells.iter()) {
        let colour = number.and_then(|number| colours[number as usize]);
        let Some(colour) = colour.filter(|_| cell.z == level && !is_covered(cell)) else {
            continue;
        };
        let (left, top) = place.corner(cell);
        for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
            if place.covers(x, y) {
                picture.blend(left + x, top + y, colour);
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
