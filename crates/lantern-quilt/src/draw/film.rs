//! A fill as frames: an animated PNG (APNG).
//!
//! A run is a pure function of its job, so the film is made by running it again, a part of its
//! steps for each frame. Frames hold only what changed since the one before.

use super::openness::tint;
use super::place::Placement;
use super::{DrawError, DrawOptions, draw, mark};
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::passes::layer_of;
use lantern_quilt_core::solve::{Outcome, Run, Status};
use lantern_quilt_core::tileset::Tileset;
use std::io::{BufWriter, Write};
use thiserror::Error;

/// How a film is cut.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct FilmOptions {
    /// Frames a second, 1 to 60. Default 20.
    pub rate: u16,
    /// Seconds from the empty to the full map. Default 6. The last frame stays two seconds more.
    pub seconds: f32,
    /// Most pixels from west to east; larger maps are shrunk by a whole number. Default 960.
    pub width: u32,
}

impl Default for FilmOptions {
    fn default() -> Self {
        Self { rate: 20, seconds: 6.0, width: 960 }
    }
}

/// Why a film cannot be made.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum FilmError {
    /// A frame cannot be drawn.
    #[error(transparent)]
    Draw(#[from] DrawError),
    /// It could not be written.
    #[error("the film could not be written: {0}")]
    Write(#[from] png::EncodingError),
}

/// Most frames of a film.
const MOST_FRAMES: u32 = 1200;

/// Films a run that has just begun and whose fill takes `steps` steps; the run is ended.
///
/// Undecided cells are tinted by how open they are, the newest decision has a light rim, and a
/// cell that ran out is marked. Says how many frames there are. O(frames x pixels).
///
/// # Errors
/// When there is no art, a frame would be too large, or `out` fails.
pub fn film(
    run: &mut Run,
    steps: u64,
    tileset: &Tileset,
    art: &TileArt,
    options: &FilmOptions,
    out: impl Write,
) -> Result<u32, FilmError> {
    let rate = options.rate.clamp(1, 60);
    let wanted = (options.seconds.clamp(0.1, 600.0) * f32::from(rate)) as u32;
    let frames = wanted.clamp(2, MOST_FRAMES).min(u32::try_from(steps).unwrap_or(u32::MAX).max(2));
    let layout = run.space().layout();
    let place = Placement::new(layout, art.cell()).ok_or(DrawError::NoArt)?;
    let shrink = (place.size().0.div_ceil(u64::from(options.width.max(1))) as u32).max(1);
    let first = shoot(run, tileset, art, place, shrink)?;
    let mut encoder = png::Encoder::new(BufWriter::new(out), first.width(), first.height());
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_compression(png::Compression::Balanced);
    encoder.set_animated(frames + 1, 0)?;
    encoder.set_frame_delay(1, rate)?;
    encoder.set_blend_op(png::BlendOp::Over)?;
    encoder.add_itxt_chunk("Seed".to_owned(), run.seed().text().to_owned())?;
    let mut writer = encoder.write_header()?;
    writer.write_image_data(first.pixels().as_flattened())?;
    let mut before = first;
    for frame in 1..=frames {
        // Each frame's share of the steps, so that rounding never adds up.
        let share = |frame: u32| steps * u64::from(frame) / u64::from(frames);
        if frame == frames {
            while run.advance(4096) == Status::Working {}
            writer.set_frame_delay(2, 1)?;
        } else {
            run.advance(share(frame) - share(frame - 1));
        }
        let now = shoot(run, tileset, art, place, shrink)?;
        let changed: Vec<[u8; 4]> = (now.pixels().iter().zip(before.pixels()))
            .map(|(&now, &before)| if now == before { [0; 4] } else { now })
            .collect();
        writer.write_image_data(changed.as_flattened())?;
        before = now;
    }
    writer.finish()?;
    Ok(frames + 1)
}

/// One frame.
fn shoot(
    run: &Run,
    tileset: &Tileset,
    art: &TileArt,
    place: Placement,
    shrink: u32,
) -> Result<Picture, DrawError> {
    let mut map = Tilemap::new(run.space().layout());
    map.layers.push(layer_of(run, tileset, run.name()));
    let mut options = DrawOptions::default();
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    let mut picture = draw(&map, art, &options)?;
    let poses = run.rules().poses().len();
    let extent = map.layout().extent();
    for cell in extent.iter().take_while(|cell| cell.z == extent.origin().z) {
        let options = run.options(cell);
        if options > 1 {
            mark::filled(&mut picture, place, cell, tint(options, poses));
        }
    }
    if run.outcome().is_none()
        && let Some(newest) = run.newest()
    {
        mark::newest(&mut picture, place, newest);
    }
    Ok(picture.shrunk(shrink))
}
