//! Fills the map of a quilt file and writes the picture: `cargo run --example from_file [QUILT]`.

use lantern_quilt::prelude::*;
use std::path::{Path, PathBuf};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let shipped = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace/terrace.quilt.toml");
    let path = std::env::args_os().nth(1).map_or_else(|| PathBuf::from(shipped), PathBuf::from);
    // A report holds every mistake of the file; printed, each is one line with its place.
    let quilt = Quilt::open(Path::new(&path))?;
    let map = quilt.make(&Seed::from_text("second lamp"))?.map;
    let picture = draw(&map, &quilt.art, &DrawOptions::default())?;
    let out = std::env::temp_dir().join("lantern-quilt-from-file.png");
    picture.write_png(std::fs::File::create(&out)?, &[("Seed", "second lamp")])?;
    println!("{} x {} pixels in {}", picture.width(), picture.height(), out.display());
    Ok(())
}
