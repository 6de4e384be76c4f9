//! A map on a turntable.

use super::shaded::{SIZE, is_shaded, turning};
use super::{DrawError, DrawOptions, FilmError, FilmOptions, Reel};
use crate::art::TileArt;
use lantern_quilt_core::limits::Stop;
use lantern_quilt_core::map::Tilemap;
use std::io::Write;

/// How a map turns.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Turntable {
    /// Frames of one turn, 2 to 360. Default 48.
    pub frames: u32,
    /// Seconds of one turn. Default 6.
    pub seconds: f32,
    /// Columns and rows. Default 640 x 400.
    pub size: [u32; 2],
}

lantern_quilt_core::setters! {
    Turntable { frames: u32, seconds: f32, size: [u32; 2], }
}

impl Default for Turntable {
    fn default() -> Self {
        Self { frames: 48, seconds: 6.0, size: SIZE.map(|length| length / 2) }
    }
}

/// Writes a map that turns once round as an animated PNG, seen in perspective; `shot` hears how many of how
/// many frames are done. O(frames x triangles).
///
/// # Errors
/// When nothing of it has a model or a block, `out` fails, or `stop` asks to.
pub fn turntable(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    table: Turntable,
    out: impl Write,
    stop: &dyn Stop,
    shot: &mut dyn FnMut(u32, u32),
) -> Result<(), FilmError> {
    if !is_shaded(map.layout().lattice(), art) {
        return Err(DrawError::NoModels.into());
    }
    let frames = table.frames.clamp(2, 360);
    let frame = turning(&options.seen(map)?, art, &options.clone().size(Some(table.size)), frames);
    let rate = (frames as f32 / table.seconds.clamp(0.1, 600.0)).round().clamp(1.0, 60.0) as u16;
    let film = FilmOptions::default().rate(rate);
    let seed = map.origin.seed.clone();
    let mut reel = Reel::begin(out, &frame(0)?, frames - 1, &film, &seed)?;
    shot(1, frames);
    for number in 1..frames {
        if stop.requested() {
            return Err(FilmError::Stopped);
        }
        reel.show(&frame(number)?)?;
        shot(number + 1, frames);
    }
    reel.finish()
}
