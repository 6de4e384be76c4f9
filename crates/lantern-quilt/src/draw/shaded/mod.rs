//! Shaded pictures of models: box maps, and square maps whose tiles or items have models.
//!
//! Each model is drawn once for each way it is turned, with depth (`fill`), and stamped wherever it stands
//! (`render`). The light (`light`) then works on what is seen alone, so that its cost is that of the picture.
//! `camera` knows where one looks from, `style` colours, `marks` what is shown over a map.

mod camera;
mod fill;
mod light;
mod marks;
mod render;
mod style;

pub use camera::View;
pub(super) use render::{SIZE, bounds_of, levels_of, size_of};
pub use style::ViewStyle;

use super::{DrawError, DrawOptions};
use crate::art::TileArt;
use crate::models::Bounds;
use crate::picture::{Picture, Rgba};
use crate::scene::{Scene, Shape, Stood, StoodSource, Turned, floor_of};
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::map::Tilemap;
use render::{close, draw_deep, draw_scene, turning_cameras};

/// Whether a map is drawn shaded: boxes are, and squares when something has a model.
pub(super) fn is_shaded(lattice: Lattice, art: &TileArt) -> bool {
    let models = art.models().is_some_and(|models| !models.is_empty());
    lattice == Lattice::Box || (lattice == Lattice::Square && models)
}

/// A map seen from above a corner, or wherever `options` want it from.
pub(super) fn shaded(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
) -> Result<Picture, DrawError> {
    let mut scene = Scene::with_grounds(map, art, options.levels, &options.grounds);
    marks::add(&mut scene, map, options);
    let bounds = bounds_of(map, &scene, options);
    if let Some(cell) = options.close {
        return close(&scene, bounds, cell, options);
    }
    let (mut picture, projection) = draw_scene(&scene, bounds, options)?;
    marks::write(&mut picture, map, &projection, options);
    Ok(picture)
}

/// Everything of a map, with cubes in the middle of some cells: a fill on its way. There is room for the
/// whole map, so that pictures of one fill have one frame.
pub(super) fn with_cubes(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    cubes: impl Iterator<Item = (Cell, Rgba, f32)>,
) -> Result<Picture, DrawError> {
    let options = options.clone().steady(true);
    let mut scene = Scene::with_grounds(map, art, options.levels, &options.grounds);
    marks::add(&mut scene, map, &options);
    marks::cubes(&mut scene, cubes);
    let bounds = bounds_of(map, &scene, &options);
    Ok(draw_scene(&scene, bounds, &options)?.0)
}

/// A module by itself, on a ground of one colour; `None` when there is nothing to see of it.
pub(super) fn portrait(art: &TileArt, tile: &str, size: u32, ground: Rgba) -> Option<Picture> {
    let models = art.models()?;
    let model = models.tile(tile, 0).filter(|model| model.triangles() > 0)?;
    let stood = Stood {
        shape: 0,
        cell: Cell::default(),
        at: floor_of(Cell::default(), models.module()),
        turned: Turned::NOT,
        scale: 1.0,
        source: StoodSource::Item(0),
    };
    let shape = Shape { name: tile.to_owned(), look: 0, mirrored: false, model: model.clone() };
    let scene = Scene { shapes: vec![shape], stood: vec![stood], module: models.module() };
    let bounds = model.bounds()?;
    let bounds = Bounds { least: bounds.least + stood.at, most: bounds.most + stood.at };
    let style = ViewStyle::default().background(Some(ground));
    let options = DrawOptions::default().size(Some([size; 2])).style(style);
    draw_scene(&scene, bounds, &options).ok().map(|(picture, _)| picture)
}

/// The frames of a map that turns once round, in perspective.
pub(super) fn turning(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    frames: u32,
) -> impl Fn(u32) -> Result<Picture, DrawError> + use<> {
    let scene = Scene::with_grounds(map, art, options.levels, &options.grounds);
    let bounds = bounds_of(map, &scene, options);
    let turns = (0..frames).map(|number| 45.0 + 360.0 * number as f32 / frames as f32);
    let cameras = turning_cameras(bounds, size_of(options), &turns.collect::<Vec<f32>>());
    let options = options.clone();
    move |number| draw_deep(&scene, bounds, &cameras[number as usize], &options)
}
