//! Follows a recipe pass by pass, and takes out what a game needs: markers, and things by group.

use lantern_quilt::files::{Next, Quilt};
use std::collections::BTreeMap;
use std::error::Error;
use std::path::Path;

fn main() -> Result<(), Box<dyn Error>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/market/market.quilt.toml");
    let quilt = Quilt::open(&path)?;
    let mut making = quilt.begin(quilt.layout, &quilt.seed);
    loop {
        match making.advance()? {
            Next::Pass(told) => {
                println!("{}: {} cells, {} items", told.name, told.changed, told.items);
            }
            Next::Fill(job) => {
                let mut run = job.begin()?;
                run.fill();
                making.lay(&run);
            }
            Next::End => break,
        }
    }
    let map = making.finish().map;
    for marker in map.items().iter().filter(|item| item.look.is_none()) {
        println!("{} {} at {}", marker.name, marker.number, marker.cell);
    }
    let mut groups: BTreeMap<&str, usize> = BTreeMap::new();
    for item in map.items() {
        *groups.entry(item.group.as_deref().unwrap_or("no group")).or_default() += 1;
    }
    println!("{groups:?}");
    Ok(())
}
