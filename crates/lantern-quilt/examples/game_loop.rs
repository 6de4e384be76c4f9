//! A map that grows on the screen of a game: a share of each frame, and only changed cells are drawn.
//!
//! There is no window here, just the pixel buffer that a window would show; see `docs/in-a-game.md`.

use lantern_quilt::frame::Budget;
use lantern_quilt::prelude::*;
use std::path::Path;
use std::time::Duration;

/// What a game keeps from frame to frame.
struct Game {
    ground: TileFill,
    art: TileArt,
    /// One number a pixel: red, green and blue, 8 bits each.
    screen: Vec<u32>,
    width: usize,
}

impl Game {
    fn new(quilt: &Quilt) -> Result<Self, Box<dyn std::error::Error>> {
        let ground = quilt.collapse().ok_or("the quilt fills nothing")?.clone();
        let [cell_width, cell_height] = quilt.art.cell().map(|length| length as usize);
        let [columns, rows, _] = quilt.layout.extent().size().map(|length| length as usize);
        let width = columns * cell_width;
        Ok(Self {
            ground: TileFill::new(ground, quilt.layout, &quilt.seed)?,
            art: quilt.art.clone(),
            screen: vec![0x14_16_2e; width * rows * cell_height],
            width,
        })
    }

    /// One frame: some work, then the cells that changed. How many they were, and whether more is to come.
    fn frame(&mut self) -> (usize, Status) {
        let status = Budget::of(Duration::from_micros(100)).advance(self.ground.run_mut());
        let layout = self.ground.run().space().layout();
        let [wide, high] = self.art.cell().map(|length| length as usize);
        let changes = self.ground.drain_changes();
        for (cell, tile) in &changes {
            let picture = tile.and_then(|tile| {
                let look = self.art.look(tile.name, tile.look)?;
                Some(look.posed(layout.lattice(), tile.orientation(layout)))
            });
            let corner = cell.y as usize * high * self.width + cell.x as usize * wide;
            for (y, x) in (0..high).flat_map(|y| (0..wide).map(move |x| (y, x))) {
                let pixel = picture.as_ref().and_then(|drawn| drawn.get(x as u32, y as u32));
                let [r, g, b, _] = pixel.unwrap_or([0x14, 0x16, 0x2e, 255]);
                self.screen[corner + y * self.width + x] = u32::from_be_bytes([0, r, g, b]);
            }
        }
        (changes.len(), status)
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let demos = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    let quilt = Quilt::open(&demos.join("terrace/terrace.quilt.toml"))?;
    let mut game = Game::new(&quilt)?;
    let mut drawn = 0;
    let mut frames = 0;
    loop {
        let (changed, status) = game.frame();
        (drawn, frames) = (drawn + changed, frames + 1);
        if status == Status::Ended {
            break;
        }
    }
    let height = game.screen.len() / game.width;
    let mut picture = Picture::new(game.width as u32, height as u32, [0, 0, 0, 255])?;
    for (at, &pixel) in game.screen.iter().enumerate() {
        let [_, r, g, b] = pixel.to_be_bytes();
        picture.set((at % game.width) as u32, (at / game.width) as u32, [r, g, b, 255]);
    }
    let path = std::env::temp_dir().join("lantern-quilt-game-loop.png");
    picture.write_png(std::fs::File::create(&path)?, &[])?;
    println!("{drawn} cells drawn in {frames} frames, {} pixels wide", game.width);
    Ok(())
}
