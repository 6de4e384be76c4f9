//! A fill that a game could run beside its own work: a few steps a frame, read as it goes.

use lantern_quilt::prelude::*;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, pond] = ["moss", "pond"].map(|name| set.socket(Socket::plain(name)));
    let bank = set.socket(Socket::handed("bank"));
    let (left, right) = (Face::new(bank), Face::right(bank));
    let [m, p] = [Face::new(moss), Face::new(pond)];
    set.tile(Tile::new("moss").all(m).weight(6.0));
    set.tile(Tile::new("pond").all(p).weight(6.0));
    set.tile(Tile::new("bank").sides([p, left, m, right]).turns(4).weight(3.0));
    set.tile(Tile::new("corner").sides([right, left, m, m]).turns(4));
    set.tile(Tile::new("inner").sides([p, p, left, right]).turns(4));
    let ground =
        Collapse::new("ground", set.build().expect("a sound set"), Constraints::default())?;
    let layout = Layout::flat(Lattice::Square, 48, 16)?;
    let mut run = ground.job(layout, &Seed::from_text("first lamp")).begin()?;

    // Sixty steps a frame: bounded work, however large the map.
    for frame in 1.. {
        let status = run.advance(60);
        let progress = run.progress();
        println!("frame {frame}: {} of {} cells decided", progress.decided, progress.cells);
        for y in (0..16).filter(|_| status == Status::Ended || frame == 4) {
            let letter = |x| match run.decided(Cell::new(x, y)) {
                // An open cell shows how many poses it could still hold.
                None => char::from_digit(run.options(Cell::new(x, y)) as u32, 36).unwrap_or('+'),
                Some(pose) => match ground.tileset().tiles()[run.rules().poses()[pose].tile].name()
                {
                    "moss" => '.',
                    "pond" => '~',
                    _ => '#',
                },
            };
            println!("{}", (0..48).map(letter).collect::<String>());
        }
        if status == Status::Ended {
            break;
        }
    }
    println!("{:?} after {} steps", run.outcome(), run.tally().steps);
    Ok(())
}
