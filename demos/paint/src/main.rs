//! Paints the art of the demos: `cargo run -p lantern-quilt-paint [FOLDER]` (default `demos`).

mod brush;
mod canvas;
mod comb;
mod terrace;

use lantern_quilt::picture::Picture;
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

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "demos".to_owned());
    let folder = Path::new(&folder);
    for (demo, tiles, columns) in [("terrace", terrace::tiles(), 8), ("comb", comb::tiles(), 7)] {
        let path = folder.join(demo).join(format!("{demo}-tiles.png"));
        println!("{}", path.display());
        std::fs::create_dir_all(folder.join(demo))?;
        std::fs::write(&path, sheet(&tiles, columns).to_png(&[])?)?;
    }
    Ok(())
}
