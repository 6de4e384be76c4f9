//! What is shown over shaded maps: failed and chosen cells, tints, lines and numbers, pins.

use super::render::{Projection, levels_of};
use crate::draw::items::pin_at;
use crate::draw::text::{label, label_width};
use crate::draw::{DrawOptions, INK, mark};
use crate::picture::{Picture, Rgba};
use crate::scene::{Scene, Shape, Stood, StoodSource, Turned, block_model, floor_of, place_of};
use glam::{Mat3, Vec3};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::Tilemap;
use std::sync::Arc;

/// Cells of `--show-where`.
const CHOSEN: Rgba = [246, 178, 74, 255];

/// Puts marks into a scene.
pub(super) fn add(scene: &mut Scene, map: &Tilemap, options: &DrawOptions) {
    let extent = map.layout().extent();
    let shows = |cell: &Cell| {
        options.levels.is_none_or(|[low, high]| (low..=high).contains(&cell.z))
            && extent.contains(*cell)
    };
    let module = scene.module;
    let plate = module * Vec3::new(0.96, 0.03, 0.96);
    if let Some(chosen) = &options.chosen {
        // All else is dimmed by what is lit.
        let shape = push(scene, "chosen", block_model(plate, Some(CHOSEN), None, 0));
        for cell in chosen.iter().filter(shows) {
            stand(scene, shape, cell, map, 1.0);
        }
    }
    for (cells, colour) in &options.tinted {
        let shape = push(scene, "tint", block_model(plate, Some(*colour), None, 0));
        for cell in cells.iter().filter(shows) {
            stand(scene, shape, cell, map, 1.0);
        }
    }
    let failed: Vec<Cell> = options.failed.iter().copied().filter(shows).collect();
    if !failed.is_empty() {
        let block = block_model(module, None, Some(mark::crossed([24, 24])), 0);
        let shape = push(scene, "failed", block);
        for cell in failed {
            stand(scene, shape, cell, map, 1.02);
        }
    }
}

/// Puts cubes of parts of a cell into the middle of cells.
pub(super) fn cubes(scene: &mut Scene, cubes: impl Iterator<Item = (Cell, Rgba, f32)>) {
    let mut known: Vec<((Rgba, u32), u32)> = Vec::new();
    for (cell, colour, part) in cubes {
        let key = (colour, part.to_bits());
        let shape = match known.iter().find(|(one, _)| *one == key) {
            Some((_, shape)) => *shape,
            None => {
                let size = scene.module * part;
                let up = Vec3::Y * (scene.module.y - size.y) / 2.0;
                let cube = block_model(size, Some(colour), None, 0).moved(Mat3::IDENTITY, up);
                let shape = push(scene, "cube", cube);
                known.push((key, shape));
                shape
            }
        };
        let at = floor_of(cell, scene.module);
        let source = StoodSource::Item(0);
        scene.stood.push(Stood { shape, cell, at, turned: Turned::NOT, scale: 1.0, source });
    }
}

fn push(scene: &mut Scene, name: &str, model: crate::models::Model) -> u32 {
    let model = Arc::new(model);
    scene.shapes.push(Shape { name: name.to_owned(), look: 0, mirrored: false, model });
    scene.shapes.len() as u32 - 1
}

fn stand(scene: &mut Scene, shape: u32, cell: Cell, map: &Tilemap, scale: f32) {
    let height = map.heights().and_then(|heights| heights.get(cell)).copied().unwrap_or(0);
    let mut at = floor_of(cell, scene.module);
    at.y += (height as f32 + 0.004) * scene.module.y;
    // What is larger than its cell stays in its middle.
    at.y -= (scale - 1.0) * scene.module.y / 2.0;
    let source = StoodSource::Item(0);
    scene.stood.push(Stood { shape, cell, at, turned: Turned::NOT, scale, source });
}

/// Writes pins and numbers over a picture.
pub(super) fn write(
    picture: &mut Picture,
    map: &Tilemap,
    projection: &Projection,
    options: &DrawOptions,
) {
    let [low, high] = options.levels.unwrap_or(levels_of(map.layout().extent()));
    let grown =
        i64::from(options.shrunk).max((projection.scale() * projection.module.x) as i64 / 40);
    for item in map.items().iter().filter(|item| item.look.is_none()) {
        if !(low..=high).contains(&item.cell.z) {
            continue;
        }
        let mut at = place_of(map, item, projection.module);
        at.y += item.height * projection.module.y;
        pin_at(picture, item, projection.pixel(at), grown.clamp(1, 16), options.labels);
    }
    if options.coordinates {
        number(picture, map, projection, low);
    }
}

/// Numbers columns along the southern edge, rows along the eastern one.
fn number(picture: &mut Picture, map: &Tilemap, projection: &Projection, low: i32) {
    const SIZE: f32 = 12.0;
    let extent = map.layout().extent();
    let (first, module) = (extent.origin(), projection.module);
    let wide = projection.scale() * module.x.min(module.z);
    let step = (1..1000).find(|step| *step as f32 * wide >= 26.0).unwrap_or(1).max(1);
    let mut write = |at: Vec3, text: i32| {
        let text = text.to_string();
        let [x, y] = projection.pixel(at);
        let left = x - label_width(&text, SIZE) as i64 / 2;
        label(picture, left, y - SIZE as i64 / 2, SIZE, INK, &text);
    };
    for x in (0..extent.width() as i32).step_by(step) {
        let cell = Cell::at(first.x + x, first.y + extent.height() as i32, low);
        write(floor_of(cell, module), first.x + x);
    }
    for y in (0..extent.height() as i32).step_by(step) {
        let cell = Cell::at(first.x + extent.width() as i32, first.y + y, low);
        write(floor_of(cell, module), first.y + y);
    }
}
