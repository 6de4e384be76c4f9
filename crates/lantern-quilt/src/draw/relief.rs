//! Heights of flat maps: lighter where it is high, and an edge where it steps down.

use super::place::Placement;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Side};
use lantern_quilt_core::map::Tilemap;

const HIGH: [u8; 3] = [255, 244, 214];
const LOW: [u8; 3] = [10, 12, 34];
/// How much of the tint the highest and the lowest cells take.
const TINT: f32 = 46.0;
const LIGHT_EDGE: Rgba = [255, 246, 222, 120];
const DARK_EDGE: Rgba = [8, 10, 28, 170];

/// The lowest and the highest cell of a map.
pub(super) type Range = [i32; 2];

/// How high cells of a map lie; nothing where all are as high as each other. O(cells).
pub(super) fn range(map: &Tilemap) -> Option<Range> {
    let heights = map.heights()?.values();
    let (least, most) = (*heights.iter().min()?, *heights.iter().max()?);
    (least < most).then_some([least, most])
}

/// Tints cells by their height and draws the edges of steps, lit from the north-west. O(pixels).
pub(super) fn lay(
    picture: &mut Picture,
    map: &Tilemap,
    [least, most]: Range,
    place: Placement,
    seen: Extent,
) {
    let (layout, Some(heights)) = (map.layout(), map.heights()) else { return };
    let [width, height] = place.cell();
    let thick = thickness(place);
    for (cell, own) in seen.iter().filter_map(|cell| Some((cell, *heights.get(cell)?))) {
        let tint = tint([least, most], own);
        let (left, top) = place.corner(cell);
        let lower = |side: Side| lower(layout, map, cell, side, own);
        let sides: Vec<Side> =
            layout.lattice().sides().iter().copied().filter(|&s| lower(s)).collect();
        for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
            if !place.covers(x, y) {
                continue;
            }
            picture.blend(left + x, top + y, tint);
            // The side that a pixel at the rim lies nearest to.
            let Some(side) = rim(place, x, y, thick, &sides) else { continue };
            picture.blend(left + x, top + y, edge(side));
        }
    }
}

/// Pixels across an edge.
fn thickness(place: Placement) -> i64 {
    let [width, height] = place.cell();
    (width.min(height) / 10).max(1)
}

fn tint([least, most]: Range, own: i32) -> Rgba {
    let part =
        (i64::from(own) - i64::from(least)) as f32 / (i64::from(most) - i64::from(least)) as f32;
    let towards = part * 2.0 - 1.0;
    let [r, g, b] = if towards > 0.0 { HIGH } else { LOW };
    [r, g, b, (towards.abs() * TINT) as u8]
}

fn edge(side: Side) -> Rgba {
    let lit = matches!(side, Side::North | Side::NorthWest | Side::West | Side::NorthEast);
    if lit { LIGHT_EDGE } else { DARK_EDGE }
}

/// Left, top, width and height within a cell, and a colour.
pub(super) type Strip = ([i64; 4], Rgba);

/// The tint of a cell, and on squares its edges.
pub(super) fn of(
    map: &Tilemap,
    range: Range,
    place: Placement,
    cell: Cell,
) -> Option<(Rgba, Vec<Strip>)> {
    let own = *map.heights()?.get(cell)?;
    let ([w, h], thick) = (place.cell(), thickness(place));
    let strip = |side: Side| match side {
        Side::North => Some([0, 0, w, thick]),
        Side::South => Some([0, h - thick, w, thick]),
        Side::East => Some([w - thick, 0, thick, h]),
        Side::West => Some([0, 0, thick, h]),
        _ => None,
    };
    let sides = map.layout().lattice().sides().iter().copied();
    let square = sides.filter(|_| map.layout().lattice() == Lattice::Square);
    let lower = square.filter(|&side| lower(map.layout(), map, cell, side, own));
    let edges = lower.filter_map(|side| Some((strip(side)?, edge(side))));
    Some((tint(range, own), edges.collect()))
}

fn lower(layout: Layout, map: &Tilemap, cell: Cell, side: Side, own: i32) -> bool {
    let there = layout.neighbour(cell, side);
    let there = there.and_then(|there| map.heights().and_then(|heights| heights.get(there)));
    there.is_some_and(|&there| there < own)
}

/// Which of some sides a pixel of a cell lies along, at its rim.
fn rim(place: Placement, x: i64, y: i64, thick: i64, sides: &[Side]) -> Option<Side> {
    let [width, height] = place.cell();
    let out = |dx: i64, dy: i64| {
        !place.covers(x + dx, y + dy)
            || x + dx < 0
            || y + dy < 0
            || x + dx >= width
            || y + dy >= height
    };
    sides.iter().copied().find(|side| match side {
        Side::North => out(0, -thick),
        Side::South => out(0, thick),
        Side::East => out(thick, 0),
        Side::West => out(-thick, 0),
        Side::NorthEast => out(thick, -thick) && x >= width / 2 && y < height / 2,
        Side::SouthEast => out(thick, thick) && x >= width / 2 && y >= height / 2,
        Side::SouthWest => out(-thick, thick) && x < width / 2 && y >= height / 2,
        Side::NorthWest => out(-thick, -thick) && x < width / 2 && y < height / 2,
        Side::Up | Side::Down => false,
    })
}
