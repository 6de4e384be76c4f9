//! Paints the art of the demos: `cargo run -p lantern-quilt-paint [FOLDER]` (default `demos`).

mod basin;
mod brush;
mod canvas;
mod comb;
mod festival;
mod ground;
mod hillside;
mod lane;
mod market;
mod pagoda;
mod solid;
mod weave;
mod patchwork;
mod reedbank;
mod rockery;
mod rootway;
mod terrace;
mod trellis;
mod wall;

use lantern_quilt::picture::Picture;
use lantern_quilt::scene::write_models;
use std::error::Error;
use std::path::Path;

/// Lays tiles in rows of `columns`.
fn sheet(tiles: &[(&'static str, Picture)], columns: u32) -> Picture {
    let (width, height) = (tiles[0].1.width(), tiles[0].1.height());
    let rows = (tiles.len() as u32).div_ceil(columns);
    let mut sheet = Picture::new(width * columns, height * rows, [0; 4]).expect("sheets are small");
    for (number, (name, tile)) in tiles.iter().enumerate() {
        let (column, row) = (number as u32 % columns, number as u32 / columns);
        sheet.lay(tile, i64::from(column * width), i64::from(row * height));
        println!("  {name}: at = [{column}, {row}]");
    }
    sheet
}

fn main() -> Result<(), Box<dyn Error>> {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "demos".to_owned());
    let folder = Path::new(&folder);
    let sheets = [
        ("terrace", terrace::tiles(), 8),
        ("comb", comb::tiles(), 7),
        ("weave", weave::tiles(), 7),
        ("patchwork", patchwork::tiles(), 5),
        ("trellis", trellis::tiles(), 8),
    ];
    let write = |demo: &str, file: &str, picture: &Picture| -> Result<(), Box<dyn Error>> {
        let path = folder.join(demo).join(file);
        println!("{}", path.display());
        std::fs::create_dir_all(folder.join(demo))?;
        Ok(std::fs::write(&path, picture.to_png(&[])?)?)
    };
    for (demo, tiles, columns) in sheets {
        write(demo, &format!("{demo}-tiles.png"), &sheet(&tiles, columns))?;
    }
    write("mats", "mats-tiles.png", &ground::sheet())?;
    write("mats", "mats-plan.png", &ground::plan(48, 30))?;
    write("market", "market-ground.png", &market::ground())?;
    write("market", "market-things.png", &market::things())?;
    write("market", "market-plan.png", &market::plan(44, 27))?;
    write("hillside", "hillside-tiles.png", &hillside::sheet())?;
    write("reedbank", "reedbank-tiles.png", &reedbank::sheet())?;
    write("rootway", "rootway-tiles.png", &rootway::sheet())?;
    write("festival", "festival-tiles.png", &festival::sheet())?;
    write("festival", "festival-light.png", &festival::light(36, 22))?;
    write("trellis", "trellis-sample.png", &trellis::sample())?;
    write("trellis", "trellis-cloth.png", &trellis::cloth())?;
    write("rockery", "rockery-slices.png", &rockery::slices())?;
    write("basin", "basin-pieces.png", &basin::pieces())?;
    let modules =
        [("pagoda", pagoda::modules()), ("lane", lane::modules()), ("wall", wall::modules())];
    let modules = modules.map(|(demo, modules)| (demo, String::new(), modules));
    let careless = ("pagoda", "careless".to_owned(), pagoda::careless());
    for (demo, below, modules) in modules.into_iter().chain([careless]) {
        let path = folder.join(demo).join(below).join(format!("{demo}-modules.glb"));
        println!("{}", path.display());
        std::fs::create_dir_all(path.parent().expect("a folder"))?;
        let named = modules.iter().map(|model| (model.name.as_str(), model));
        write_models(named, 3.0, &mut std::fs::File::create(path)?)?;
    }
    Ok(())
}
