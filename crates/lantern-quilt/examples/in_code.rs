//! A tileset built in code, with no file at all, filled and printed as text.

use lantern_quilt::prelude::*;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let path = set.socket(Socket::plain("path"));
    set.tile(Tile::new("moss").all(moss).weight(8.0));
    set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4).weight(6.0));
    set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4).weight(2.0));
    set.tile(Tile::new("tee").sides([path, path, moss, path]).turns(4));
    let set = set.build().map_err(|findings| format!("{findings:?}"))?;

    // Paths never run off the map.
    let borders = Lattice::Square.sides().iter();
    let borders = borders.map(|&side| BorderRule::new(side, vec![Accept::Socket(moss)])).collect();
    let ground = Collapse::new("ground", set, Constraints { borders, ..Constraints::default() })?;
    let layout = Layout::flat(Lattice::Square, 60, 18)?;
    let mut run = ground.job(layout, &Seed::from_number(7)).begin()?;
    if !run.fill().is_filled() {
        return Err("not filled".into());
    }

    let layer = layer_of(&run, ground.tileset(), "ground");
    for y in 0..18 {
        let row: String = (0..60)
            .map(|x| {
                let placed = layer.get(Cell::new(x, y)).expect("filled");
                match (placed.tile.as_str(), placed.orientation.turns()) {
                    ("straight", 0 | 2) => '│',
                    ("straight", _) => '─',
                    ("bend", turns) => ['└', '┌', '┐', '┘'][usize::from(turns)],
                    ("tee", turns) => ['┴', '├', '┬', '┤'][usize::from(turns)],
                    _ => '·',
                }
            })
            .collect();
        println!("{row}");
    }
    Ok(())
}
