//! Follows a recipe pass by pass, and takes out what a game needs: markers, and things by group.

use lantern_quilt::files::Quilt;
use lantern_quilt::recipe::MakeStatus;
use std::collections::BTreeMap;
use std::error::Error;
use std::path::Path;

fn main() -> Result<(), Box<dyn Error>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/market/market.quilt.toml");
    let quilt = Quilt::open(&path)?;
    let mut maker = quilt.maker(quilt.layout, &quilt.seed);
    loop {
        // A few steps of a fill, or another pass; then there is time for other things.
        match maker.advance(1000) {
            MakeStatus::Working => {}
            MakeStatus::Done(number) => {
                let told = &maker.passes()[number];
                println!("{}: {} cells, {} items", told.name, told.cells, told.items);
            }
            MakeStatus::Ended => break,
        }
    }
    if let Some(error) = maker.error() {
        return Err(error.clone().into());
    }
    let map = maker.finish().map;
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
