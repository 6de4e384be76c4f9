//! `fill --from`: a saved map, part of which is filled again.

use crate::args;
use crate::args::Region;
use crate::failure::Failure;
use crate::reading;
use lantern_quilt::colour::grey;
use lantern_quilt::files::Quilt;
use lantern_quilt::lattice::{Cell, Extent};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{Collapse, HOLE, Refill, RefillError};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Run;
use std::path::Path;

/// A saved map and the cells of it that are filled again.
pub struct Kept {
    pub map: Tilemap,
    layer: String,
    refill: Refill,
    seed: Seed,
}

impl Kept {
    pub fn open(path: &Path, args: &args::Fill, quilt: &Quilt) -> Result<Self, Failure> {
        let usage = |error: String| Failure::Usage(format!("{}: {error}", path.display()));
        let map = reading::map(path)?;
        let (found, lattice) = (map.layout().lattice(), quilt.layout.lattice());
        if found != lattice {
            return Err(usage(format!("a {found} map cannot be filled by a {lattice} quilt")));
        }
        let collapse = quilt.collapse().expect("a recipe that fills");
        let layer = map.layer(collapse.name()).or(map.layers().next());
        let Some(layer) = layer else {
            return Err(usage("the map has no layer".to_owned()));
        };
        let layout = map.layout();
        let text = &map.origin.seed;
        // Another seed, or the corner would often come out as it was.
        let another = || Seed::from_text(&format!("{text} again"));
        let extent = layout.extent();
        let holes = map.tag(HOLE);
        let is_hole = |cell| holes.is_some_and(|holes| holes.get(cell));
        let (refill, seed) = match &args.again {
            Some(Region::Box { origin, size }) => {
                let region = Extent::new(*origin, *size).map_err(Failure::usage)?;
                (collapse.refill_beside(layout, layer, region, |_| true, is_hole), another())
            }
            Some(Region::Mask(mask)) => {
                let light = read_mask(mask, extent)?;
                let open = |cell| extent.index(cell).is_some_and(|index| light[index]);
                (collapse.refill_beside(layout, layer, extent, open, is_hole), another())
            }
            Some(Region::Holes) => {
                (collapse.refill_beside(layout, layer, extent, is_hole, is_hole), another())
            }
            None => {
                let open = |cell| layer.get(cell).is_none();
                (
                    collapse.refill_beside(layout, layer, extent, open, is_hole),
                    Seed::from_text(text),
                )
            }
        };
        let refill = refill.map_err(|error| match (error, &args.again) {
            (RefillError::Outside, None) => usage(
                "every cell holds a tile; say which to fill again with --again X,Y,WxH".to_owned(),
            ),
            (RefillError::Outside, Some(Region::Mask(mask))) => {
                Failure::Usage(format!("{}: no pixel is light", mask.display()))
            }
            (RefillError::Outside, Some(Region::Holes)) => usage("the map has no holes".to_owned()),
            (RefillError::Outside, _) => {
                let (first, last) = (extent.origin(), extent.cell(extent.cells() - 1));
                usage(format!(
                    "--again lies outside the map, whose cells go from {first} to {last}"
                ))
            }
            (error, _) => usage(error.to_string()),
        })?;
        Ok(Self { layer: layer.name.clone(), refill, seed, map })
    }

    /// The seed when none is given.
    pub const fn seed(&self) -> &Seed {
        &self.seed
    }

    /// How many cells are filled again.
    pub fn cells(&self) -> usize {
        self.refill.open().count()
    }

    pub const fn refill(&self) -> &Refill {
        &self.refill
    }

    /// The map with what a run has decided in it.
    pub fn with(mut self, collapse: &Collapse, run: &Run) -> Tilemap {
        self.refill.paste(collapse, run, self.map.layer_mut(&self.layer));
        self.refill.mark_holes(run, &mut self.map);
        self.map
    }
}

/// Whether each cell is light in a picture of the map's size.
fn read_mask(path: &Path, extent: Extent) -> Result<Vec<bool>, Failure> {
    let usage = |error: String| Failure::Usage(format!("{}: {error}", path.display()));
    let picture = reading::picture(path)?;
    let [width, height, depth] = extent.size();
    let size = [picture.width(), picture.height()];
    let slices = size == [width.saturating_mul(depth), height];
    if size != [width, height] && !slices {
        return Err(usage(format!(
            "{} x {} pixels for a map of {width} x {height} cells; one pixel is one cell, levels of a box \
             lie side by side or share one",
            picture.width(),
            picture.height()
        )));
    }
    let origin = extent.origin();
    let is_light = |cell: Cell| {
        let level = (cell.z - origin.z) as u32;
        let shift = if slices { level * width } else { 0 };
        let pixel = picture.get((cell.x - origin.x) as u32 + shift, (cell.y - origin.y) as u32);
        pixel.is_some_and(|pixel| grey(pixel) > 127)
    };
    Ok(extent.iter().map(is_light).collect())
}
