//! Terrain as flat colours.

use super::place::Placement;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::Tilemap;

/// Fills the cells of each terrain that has a colour and on which no tile stands.
pub(super) fn lay(
    picture: &mut Picture,
    map: &Tilemap,
    grounds: &[(String, Rgba)],
    place: Placement,
    level: i32,
) {
    let Some(terrain) = map.terrain().filter(|_| !grounds.is_empty()) else { return };
    let colour = |name: &String| grounds.iter().find(|(known, _)| known == name).map(|(_, c)| *c);
    let colours: Vec<Option<Rgba>> = terrain.palette.iter().map(colour).collect();
    let [width, height] = place.cell();
    for (cell, number) in map.layout().extent().iter().zip(terrain.cells.iter()) {
        let colour = number.and_then(|number| colours[number as usize]);
        let Some(colour) = colour.filter(|_| cell.z == level && !is_covered(map, cell)) else {
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

/// Whether a tile stands on a cell. One that is drawn between cells covers only a corner of it, and is clear
/// where another terrain begins.
fn is_covered(map: &Tilemap, cell: Cell) -> bool {
    let mut whole = map.layers().filter(|layer| layer.offset() == [0.0; 3]);
    whole.any(|layer| layer.get(cell).is_some())
}
