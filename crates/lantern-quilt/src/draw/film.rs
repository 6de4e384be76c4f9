//! A fill as frames: an animated PNG (APNG).
//!
//! A run is a pure function of its job, so the film is made by running it again, a part of its
//! steps for each frame. Frames hold only what changed since the one before.

use super::openness::tint;
use super::place::Placement;
use super::{DrawError, DrawOptions, draw, mark};
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::limits::Stop;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::passes::layer_of;
use lantern_quilt_core::solve::{Outcome, Run, Status};
use lantern_quilt_core::tileset::Tileset;
use std::fmt;
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
    /// The caller asked for it.
    #[error("stopped")]
    Stopped,
}

impl From<FilmError> for std::io::Error {
    /// Where writing failed, with the kind of that error.
    fn from(error: FilmError) -> Self {
        match error {
            FilmError::Write(png::EncodingError::IoError(error)) => error,
            FilmError::Stopped => Self::other("stopped"),
            error => Self::other(error),
        }
    }
}

/// Most frames of a film.
const MOST_FRAMES: u32 = 1200;

/// A film on its way to a file: frames of one size, of which only what changed is written.
///
/// ```
/// use lantern_quilt::draw::{FilmOptions, NIGHT, Reel};
/// use lantern_quilt::picture::Picture;
///
/// let night = Picture::new(8, 8, NIGHT)?;
/// let mut reel = Reel::begin(Vec::new(), &night, 2, &FilmOptions::default(), "first lamp")?;
/// let mut lit = night.clone();
/// lit.set(3, 3, [240, 160, 40, 255]);
/// reel.show(&lit)?;
/// reel.hold(2.0)?;
/// reel.show(&lit)?;
/// reel.finish()?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Reel<W: Write> {
    writer: png::Writer<BufWriter<W>>,
    before: Picture,
}

impl<W: Write> fmt::Debug for Reel<W> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Reel").field("before", &self.before).finish_non_exhaustive()
    }
}

impl<W: Write> Reel<W> {
    /// Begins with a frame, which just so many others follow.
    ///
    /// # Errors
    /// When `out` fails.
    pub fn begin(
        out: W,
        first: &Picture,
        others: u32,
        options: &FilmOptions,
        seed: &str,
    ) -> Result<Self, FilmError> {
        let mut encoder = png::Encoder::new(BufWriter::new(out), first.width(), first.height());
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_depth(png::BitDepth::Eight);
        encoder.set_compression(png::Compression::Balanced);
        encoder.set_animated(others + 1, 0)?;
        encoder.set_frame_delay(1, options.rate.clamp(1, 60))?;
        encoder.set_blend_op(png::BlendOp::Over)?;
        encoder.add_itxt_chunk("Seed".to_owned(), seed.to_owned())?;
        let mut writer = encoder.write_header()?;
        writer.write_image_data(first.pixels().as_flattened())?;
        Ok(Self { writer, before: first.clone() })
    }

    /// How long the next frames stay, in seconds.
    ///
    /// # Errors
    /// When no frame is to come.
    pub fn hold(&mut self, seconds: f32) -> Result<(), FilmError> {
        let hundredths = (seconds.clamp(0.02, 600.0) * 100.0) as u16;
        Ok(self.writer.set_frame_delay(hundredths, 100)?)
    }

    /// Adds a frame.
    ///
    /// # Errors
    /// When `out` fails, or there are more frames than were announced.
    pub fn show(&mut self, now: &Picture) -> Result<(), FilmError> {
        let changed: Vec<[u8; 4]> = (now.pixels().iter().zip(self.before.pixels()))
            .map(|(&now, &before)| if now == before { [0; 4] } else { now })
            .collect();
        self.writer.write_image_data(changed.as_flattened())?;
        self.before = now.clone();
        Ok(())
    }

    /// Ends the film.
    ///
    /// # Errors
    /// When `out` fails.
    pub fn finish(self) -> Result<(), FilmError> {
        Ok(self.writer.finish()?)
    }
}

impl FilmOptions {
    /// Frames of a fill that takes so many steps.
    pub fn frames(&self, steps: u64) -> u32 {
        let rate = f32::from(self.rate.clamp(1, 60));
        let wanted = (self.seconds.clamp(0.1, 600.0) * rate) as u32;
        wanted.clamp(2, MOST_FRAMES).min(u32::try_from(steps).unwrap_or(u32::MAX).max(2))
    }
}

/// Films a run that has just begun and whose fill takes `steps` steps; the run is ended.
///
/// Undecided cells are tinted by how open they are, the newest decision has a light rim, and a
/// cell that ran out is marked. Says how many frames there are. O(frames x pixels).
///
/// # Errors
/// When there is no art, a frame would be too large, `out` fails, or `stop` asks to.
pub fn film(
    run: &mut Run,
    steps: u64,
    tileset: &Tileset,
    art: &TileArt,
    options: &FilmOptions,
    out: impl Write,
    stop: &dyn Stop,
) -> Result<u32, FilmError> {
    let frames = options.frames(steps);
    let base = Tilemap::new(run.space().layout());
    let shot = |run: &Run| frame(&base, run, tileset, art, options, &DrawOptions::default());
    let mut reel = Reel::begin(out, &shot(run)?, frames, options, run.seed().text())?;
    film_on(&mut reel, run, steps, frames, &shot, 2.0, stop)?;
    reel.finish()?;
    Ok(frames + 1)
}

/// Adds the frames of a run that has just begun to a film, the last of which stays `last` seconds; the
/// run is ended. `shot` draws it as it is.
///
/// # Errors
/// When a frame cannot be drawn or written, or `stop` asks to.
pub fn film_on<W: Write>(
    reel: &mut Reel<W>,
    run: &mut Run,
    steps: u64,
    frames: u32,
    shot: &dyn Fn(&Run) -> Result<Picture, DrawError>,
    last: f32,
    stop: &dyn Stop,
) -> Result<(), FilmError> {
    /// Steps between two looks at `stop`.
    const SLICE: u64 = 4096;
    let advance = |run: &mut Run, mut steps: u64| loop {
        if stop.requested() {
            return Err(FilmError::Stopped);
        }
        let slice = steps.min(SLICE);
        steps -= slice;
        if run.advance(slice) == Status::Ended || steps == 0 {
            return Ok(());
        }
    };
    for frame in 1..=frames {
        // Each frame's share of the steps, so that rounding never adds up.
        let share = |frame: u32| steps * u64::from(frame) / u64::from(frames);
        if frame == frames {
            advance(run, u64::MAX)?;
            reel.hold(last)?;
        } else {
            advance(run, share(frame) - share(frame - 1))?;
        }
        reel.show(&shot(run)?)?;
    }
    Ok(())
}

/// One frame: a map, and a run on its way over it.
///
/// # Errors
/// When there is no art or the frame would be too large.
pub fn frame(
    base: &Tilemap,
    run: &Run,
    tileset: &Tileset,
    art: &TileArt,
    options: &FilmOptions,
    drawn: &DrawOptions,
) -> Result<Picture, DrawError> {
    let layout = run.space().layout();
    let place = Placement::new(layout, art.cell()).ok_or(DrawError::NoArt)?;
    let mut map = base.clone();
    map.layers.push(layer_of(run, tileset, run.name()));
    let mut drawn = drawn.clone();
    drawn.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    let mut picture = draw(&map, art, &drawn)?;
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
    Ok(options.shrunk(&picture))
}

impl FilmOptions {
    /// A picture of a map as small as the film has it.
    #[must_use]
    pub fn shrunk(&self, picture: &Picture) -> Picture {
        picture.shrunk(picture.width().div_ceil(self.width.max(1)).max(1))
    }
}
