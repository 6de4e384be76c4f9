//! Paints on a finished map, as a game or an editor would: only the tiles that change are told.

use lantern_quilt::passes::Autotile;
use lantern_quilt::prelude::*;
use std::error::Error;
use std::path::Path;

fn main() -> Result<(), Box<dyn Error>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/mats/mats.quilt.toml");
    let quilt = Quilt::open(&path)?;
    let mut map = quilt.make(&quilt.seed)?.map;
    let mut passes = quilt.recipe.passes().iter();
    let autotile = passes.find_map(|pass| pass.step_as::<Autotile>());
    let autotile = autotile.ok_or("the demo has shapes")?;
    // A small pond, stroke by stroke.
    for cell in [Cell::new(24, 24), Cell::new(25, 24), Cell::new(25, 25)] {
        let changed = autotile.paint(&mut map, &quilt.seed, cell, Some("pond"));
        println!("{cell}: {} tiles changed", changed.len());
        for one in changed {
            let layer = map.layers().nth(one.layer).ok_or("a layer that changed")?;
            let tile = layer.get(one.cell).map_or("nothing", |placed| &placed.tile);
            println!("  {} at {}: {tile}", layer.name, one.cell);
        }
    }
    Ok(())
}
