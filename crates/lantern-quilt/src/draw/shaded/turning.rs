//! A map on a turntable, and its levels side by side.

use super::{SIZE, bounds_of, draw_deep, levels_of, turning_cameras};
use crate::art::TileArt;
use crate::draw::contact::{columns_of, fit, print_width};
use crate::draw::text::label;
use crate::draw::{DrawError, DrawOptions, FilmError, FilmOptions, INK, NIGHT, Reel, draw};
use crate::models::Scene;
use crate::picture::Picture;
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
    if !super::is_shaded(map.layout().lattice(), art) {
        return Err(DrawError::NoModels.into());
    }
    let scene = Scene::with_grounds(map, art, options.levels, &options.grounds);
    let bounds = bounds_of(map, &scene, options);
    let options = options.clone().size(Some(table.size));
    let frames = table.frames.clamp(2, 360);
    let turns: Vec<f32> =
        (0..frames).map(|number| 45.0 + 360.0 * number as f32 / frames as f32).collect();
    let cameras = turning_cameras(bounds, table.size, &turns);
    let frame = |number: u32| draw_deep(&scene, bounds, &cameras[number as usize], &options);
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

/// The levels of a map side by side, each with its number. O(levels x pixels of one).
///
/// # Errors
/// As [`draw`].
pub fn strip(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Picture, DrawError> {
    const GAP: u32 = 12;
    const CAPTION: u32 = 24;
    let [low, high] = options.levels.unwrap_or(levels_of(map.layout().extent()));
    // Empty levels at the top show nothing.
    let stood = Scene::new(map, art, Some([low, high])).stood;
    let high = stood.iter().map(|stood| stood.cell.z).max().unwrap_or(high);
    let count = (high - low + 1).max(1) as usize;
    let columns = columns_of(count, SIZE);
    let room = print_width(columns);
    let mut prints = Vec::new();
    for level in low..=high {
        let mut one = options.clone();
        one.levels = Some([level, level]);
        one.size = Some([room, room * SIZE[1] / SIZE[0]]);
        (one.steady, one.strip) = (true, false);
        prints.push((level, fit(&draw(map, art, &one)?, room)));
    }
    let tall = prints.iter().map(|(_, print)| print.height()).max().unwrap_or(1) + CAPTION + GAP;
    let rows = (count as u32).div_ceil(columns);
    let mut whole = Picture::new((room + GAP) * columns + GAP, rows * tall + GAP, NIGHT)?;
    for (number, (level, print)) in (0u32..).zip(&prints) {
        let x = i64::from(GAP + number % columns * (room + GAP));
        let y = i64::from(GAP + number / columns * tall);
        label(&mut whole, x, y, 16.0, INK, &format!("level {level}"));
        whole.lay(print, x, y + i64::from(CAPTION));
    }
    Ok(whole)
}
