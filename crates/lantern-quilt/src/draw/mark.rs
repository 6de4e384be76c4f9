//! What is drawn over a map: grid lines, failed cells, numbers along the edges.

use super::place::Placement;
use super::text::{label, label_width};
use super::{INK, LINE, NIGHT};
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent, Layout, Side};

const WHITE: Rgba = [250, 246, 236, 255];
const AMBER: Rgba = [240, 160, 40, 255];
const DARK: Rgba = [36, 24, 16, 255];

/// White and amber stripes: they differ from any tile, and from each other without colour.
fn stripe(x: i64, y: i64, width: i64) -> Rgba {
    if (x + y).rem_euclid(width * 2) < width { WHITE } else { AMBER }
}

/// A picture of stripes, in place of one that is missing.
pub(super) fn hatching([width, height]: [u32; 2]) -> Picture {
    let mut picture = Picture::new(width, height, WHITE)
        .unwrap_or_else(|_| Picture::new(1, 1, WHITE).expect("one pixel is never too large"));
    let thick = (i64::from(width.min(height)) / 6).max(1);
    for y in 0..height {
        for x in 0..width {
            picture.set(x, y, stripe(i64::from(x), i64::from(y), thick));
        }
    }
    picture
}

/// A light dot with a dark rim in the middle of a cell.
pub(super) fn dotted(picture: &mut Picture, place: Placement, cell: Cell) {
    let (left, top) = place.corner(cell);
    let [width, height] = place.cell();
    dot(picture, [left + width / 2, top + height / 2], (width.min(height) / 6).max(1));
}

/// A light dot with a dark rim around a point.
pub(super) fn dot(picture: &mut Picture, [x, y]: [i64; 2], radius: i64) {
    let reach = -radius - 1..=radius + 1;
    for (dx, dy) in reach.clone().flat_map(|dy| reach.clone().map(move |dx| (dx, dy))) {
        let away = dx * dx + dy * dy;
        if away <= (radius + 1) * (radius + 1) {
            let colour = if away <= radius * radius { WHITE } else { DARK };
            picture.blend(x + dx, y + dy, colour);
        }
    }
}

/// Stripes with a cross: a failed cell in three dimensions.
pub(super) fn crossed(size: [u32; 2]) -> Picture {
    let mut picture = hatching(size);
    let [width, height] = size.map(i64::from);
    for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
        let (across, along) = (x * height, y * width);
        let away = (across - along).abs().min((width * height - across - along).abs());
        if away < width * height / 9 {
            picture.set(x as u32, y as u32, DARK);
        }
    }
    picture
}

/// Of more marks than this only the rims are drawn, and of far more only thin ones.
const RINGS: usize = 12;
const RIMS: usize = 120;

/// A striped rim and a thin cross over one cell, so that the tile can be seen; around it, unless many are
/// marked, a ring that is found on large maps.
pub(super) fn failed(picture: &mut Picture, place: Placement, cell: Cell, marks: usize) {
    let (left, top) = place.corner(cell);
    let [width, height] = place.cell();
    let part = if marks > RIMS { 14 } else { 8 };
    let thick = (width.min(height) / part).max(1);
    for y in 0..height {
        for x in 0..width {
            if !place.covers(x, y) {
                continue;
            }
            let rim = x.min(width - 1 - x).min(y).min(height - 1 - y) < thick
                || !(place.covers(x - thick, y) && place.covers(x + thick, y));
            let (across, along) = (x * height, y * width);
            let line = (width.min(height) / 8).max(2) * (width + height) / 4;
            let away = (across - along).abs().min((width * height - across - along).abs());
            // The cross is edged, to be seen on any tile.
            let colour = match (rim, marks > RIMS) {
                (true, _) => stripe(x, y, thick),
                (false, false) if away < line / 2 => DARK,
                (false, false) if away < line => WHITE,
                _ => continue,
            };
            picture.blend(left + x, top + y, colour);
        }
    }
    if marks > RINGS {
        return;
    }
    let (cx, cy) = (left + width / 2, top + height / 2);
    let radius = (width.max(height) * 3 / 2).max(14);
    for y in -radius..=radius {
        for x in -radius..=radius {
            let away = x * x + y * y;
            let ring = |inner: i64, outer: i64| away >= inner * inner && away <= outer * outer;
            if ring(radius - 2, radius) {
                picture.blend(cx + x, cy + y, WHITE);
            } else if ring(radius - 4, radius - 2) {
                picture.blend(cx + x, cy + y, AMBER);
            }
        }
    }
}

/// A light rim inside one cell.
pub(super) fn newest(picture: &mut Picture, place: Placement, cell: Cell) {
    let (left, top) = place.corner(cell);
    let [width, height] = place.cell();
    let thick = (width.min(height) / 10).max(1);
    for y in 0..height {
        for x in 0..width {
            let inner = place.covers(x - thick, y)
                && place.covers(x + thick, y)
                && x.min(width - 1 - x).min(y).min(height - 1 - y) >= thick;
            if place.covers(x, y) && !inner {
                picture.blend(left + x, top + y, WHITE);
            }
        }
    }
}

/// A line around cells, `thick` pixels of it, inside them.
pub(super) fn outline(
    picture: &mut Picture,
    layout: Layout,
    place: Placement,
    level: i32,
    thick: i64,
    cells: &BitPlane,
) {
    let [width, height] = place.cell();
    let thick = thick.max(1);
    for cell in cells.iter().filter(|cell| cell.z == level) {
        let (left, top) = place.corner(cell);
        let beyond = |side: Side| layout.neighbour(cell, side).is_some_and(|next| cells.get(next));
        if layout.lattice().turns() == 6 {
            // Of hexagons each one has its rim.
            for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
                let inner = place.covers(x - thick, y) && place.covers(x + thick, y);
                if place.covers(x, y) && !inner {
                    picture.blend(left + x, top + y, AMBER);
                }
            }
            continue;
        }
        let open = [Side::North, Side::East, Side::South, Side::West].map(|side| !beyond(side));
        for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
            let near = [y < thick, x >= width - thick, y >= height - thick, x < thick];
            if (0..4).any(|side| open[side] && near[side]) {
                picture.blend(left + x, top + y, AMBER);
            }
        }
    }
}

/// A cell in one colour.
pub(super) fn filled(picture: &mut Picture, place: Placement, cell: Cell, colour: Rgba) {
    let (left, top) = place.corner(cell);
    let [width, height] = place.cell();
    for y in 0..height {
        for x in 0..width {
            if place.covers(x, y) {
                picture.blend(left + x, top + y, colour);
            }
        }
    }
}

/// A line along the west and north of every cell, or along the edge of every hexagon.
pub(super) fn grid(picture: &mut Picture, layout: Layout, place: Placement, seen: Extent) {
    let [width, height] = place.cell();
    let hex = layout.lattice().turns() == 6;
    let mut edge: Vec<(i64, i64)> = Vec::new();
    for y in 0..height {
        for x in 0..width {
            let on_edge = if hex {
                place.covers(x, y)
                    && !(place.covers(x - 1, y) && place.covers(x, y - 1) && x > 0 && y > 0)
            } else {
                x == 0 || y == 0
            };
            if on_edge {
                edge.push((x, y));
            }
        }
    }
    for cell in seen.iter() {
        let (left, top) = place.corner(cell);
        for &(x, y) in &edge {
            picture.blend(left + x, top + y, LINE);
        }
    }
}

/// The picture with columns numbered above and rows at the left.
pub(super) fn numbered(
    map: &Picture,
    extent: Extent,
    place: Placement,
) -> Result<Picture, PictureError> {
    // As large as they must be to be read when all of the picture is looked at.
    let size = (map.width().max(map.height()) as f32 / 100.0).clamp(13.0, 96.0);
    let top = (size * 1.5) as u32;
    let (origin, far) = (extent.origin(), extent.cell(extent.cells() - 1));
    let widest =
        label_width(&far.y.to_string(), size).max(label_width(&origin.y.to_string(), size));
    let left = widest as u32 + 10;
    let mut picture = Picture::new(map.width() + left, map.height() + top, NIGHT)?;
    picture.lay(map, i64::from(left), i64::from(top));
    let [width, height] = place.cell();
    // Every so many columns and rows, so that numbers never run into each other.
    let every = |room: i64, step: i64| {
        [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000]
            .into_iter()
            .find(|n| n * step >= room)
            .unwrap_or(5000)
    };
    let column_gap = (label_width(&far.x.to_string(), size) + 8.0) as i64;
    let (columns, rows) = (every(column_gap, width), every((size * 1.25) as i64, height));
    for x in (origin.x..=far.x).filter(|x| i64::from(*x).rem_euclid(columns) == 0) {
        let text = x.to_string();
        let (at, _) = place.corner(Cell { x, ..origin });
        let middle = at + width / 2 - label_width(&text, size) as i64 / 2;
        label(&mut picture, i64::from(left) + middle, 3, size, INK, &text);
    }
    for y in (origin.y..=far.y).filter(|y| i64::from(*y).rem_euclid(rows) == 0) {
        let text = y.to_string();
        let (_, at) = place.corner(Cell { y, ..origin });
        let right = i64::from(left) - 5 - label_width(&text, size) as i64;
        label(
            &mut picture,
            right,
            i64::from(top) + at + height / 2 - (size * 0.6) as i64,
            size,
            INK,
            &text,
        );
    }
    Ok(picture)
}

/// Darkens the cells that are not meant.
pub(super) fn dim(
    picture: &mut Picture,
    place: Placement,
    seen: Extent,
    dark: impl Fn(Cell) -> bool,
) {
    const VEIL: Rgba = [NIGHT[0], NIGHT[1], NIGHT[2], 190];
    let [width, height] = place.cell();
    for cell in seen.iter().filter(|&cell| dark(cell)) {
        let (left, top) = place.corner(cell);
        for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
            if place.covers(x, y) {
                picture.blend(left + x, top + y, VEIL);
            }
        }
    }
}
