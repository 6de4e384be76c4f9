//! `fill --from`: a saved map, part of which is filled again.

use crate::args;
use crate::failure::Failure;
use lantern_quilt::files::{Quilt, read_json};
use lantern_quilt::lattice::Extent;
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{Refill, RefillError};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Run;
use std::fs::File;
use std::io;
use std::path::Path;

/// A saved map and the cells of it that are filled again.
pub struct Kept {
    pub map: Tilemap,
    layer: usize,
    refill: Refill,
    seed: Seed,
}

impl Kept {
    pub fn open(path: &Path, args: &args::Fill, quilt: &Quilt) -> Result<Self, Failure> {
        let usage = |error: String| Failure::Usage(format!("{}: {error}", path.display()));
        let map = if path == Path::new("-") {
            read_json(io::stdin().lock())
        } else {
            read_json(File::open(path).map_err(|error| usage(error.to_string()))?)
        };
        let map = map.map_err(|error| usage(error.to_string()))?;
        let (found, lattice) = (map.layout().lattice(), quilt.layout.lattice());
        if found != lattice {
            return Err(usage(format!("a {found} map cannot be filled by a {lattice} quilt")));
        }
        let named = map.layers.iter().position(|layer| layer.name == quilt.collapse.name());
        let number = named.unwrap_or(0);
        let Some(layer) = map.layers.get(number) else {
            return Err(usage("the map has no layer".to_owned()));
        };
        let layout = map.layout();
        let text = &map.origin.seed;
        let (refill, seed) = match args.again {
            Some(again) => {
                let region = Extent::new(again.origin, again.size).map_err(Failure::usage)?;
                let refill = quilt.collapse.refill(layout, layer, region, |_| true);
                // Another seed, or the corner would often come out as it was.
                (refill, Seed::from_text(&format!("{text} again")))
            }
            None => {
                let open = |cell| layer.get(cell).is_none();
                let refill = quilt.collapse.refill(layout, layer, layout.extent(), open);
                (refill, Seed::from_text(text))
            }
        };
        let refill = refill.map_err(|error| match (error, args.again) {
            (RefillError::Outside, None) => usage(
                "every cell holds a tile; say which to fill again with --again X,Y,WxH".to_owned(),
            ),
            (RefillError::Outside, _) => {
                let (extent, last) = (layout.extent(), layout.extent().cells() - 1);
                let (first, last) = (extent.origin(), extent.cell(last));
                usage(format!(
                    "--again lies outside the map, whose cells go from {first} to {last}"
                ))
            }
            (error, _) => usage(error.to_string()),
        })?;
        Ok(Self { layer: number, refill, seed, map })
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
    pub fn with(mut self, quilt: &Quilt, run: &Run) -> Tilemap {
        self.refill.paste(&quilt.collapse, run, &mut self.map.layers[self.layer]);
        self.map
    }
}
