//! A recipe as frames: an animated PNG (APNG).
//!
//! A map is a pure function of its recipe and seed, so a film is made by following it again, a part of
//! the steps for each frame. Frames hold only what changed since the one before.

use super::openness::{loses_to_rule, tint};
use super::place::Placement;
use super::{DrawError, DrawOptions, draw, mark, shaded};
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::limits::Stop;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::observe::Silent;
use lantern_quilt_core::passes::{FillStep, layer_of};
use lantern_quilt_core::recipe::{MakeError, MakeStatus, Maker, Pass};
use lantern_quilt_core::setters;
use lantern_quilt_core::solve::{Outcome, Run};
use lantern_quilt_core::tileset::Tileset;
use std::fmt;
use std::io::{BufWriter, Write};
use thiserror::Error;

/// How a film is cut.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct FilmOptions {
    /// Frames a second, 1 to 60. Default 20.
    pub rate: u16,
    /// Seconds from the empty to the full map. Default 6. The last frame stays two seconds more.
    pub seconds: f32,
    /// Most pixels from west to east; larger maps are shrunk by a whole number. Default 960.
    pub width: u32,
    /// How maps are drawn.
    pub draw: DrawOptions,
    /// The picture that a viewer without animation shows, of the size of the frames: the finished map. By
    /// default the first frame.
    pub still: Option<Picture>,
}

setters! {
    FilmOptions {
        rate: u16,
        seconds: f32,
        width: u32,
        draw: DrawOptions,
        still: Option<Picture>,
    }
}

impl Default for FilmOptions {
    fn default() -> Self {
        Self { rate: 20, seconds: 6.0, width: 960, draw: DrawOptions::default(), still: None }
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
    /// A pass cannot be done.
    #[error("{}", .0.with_causes())]
    Make(MakeError),
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
    /// When `out` fails, or the still picture has another size.
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
        encoder.set_sep_def_img(options.still.is_some())?;
        encoder.add_itxt_chunk("Seed".to_owned(), seed.to_owned())?;
        let mut writer = encoder.write_header()?;
        if let Some(still) = &options.still {
            writer.write_image_data(still.pixels().as_flattened())?;
        }
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
    /// Columns and rows of shaded frames.
    pub fn frame(&self) -> [u32; 2] {
        [self.width.min(720), self.width.min(720) * 5 / 8]
    }

    /// Frames of a fill that takes so many steps.
    pub fn frames(&self, steps: u64) -> u32 {
        let rate = f32::from(self.rate.clamp(1, 60));
        let wanted = (self.seconds.clamp(0.1, 600.0) * rate) as u32;
        wanted.clamp(2, MOST_FRAMES).min(u32::try_from(steps).unwrap_or(u32::MAX).max(2))
    }
}

/// Films a recipe from its beginning; its fills take `steps` steps each. Says how many frames there are.
///
/// Of a fill of cells, undecided cells are tinted by how open they are and have a dot where a rule of the whole map
/// took poses that neighbours would allow, the newest decision has a light rim, and a cell that ran out is marked. Of other passes the film shows what they leave; it ends where
/// the last of `steps` does. `shot` hears how many of how many frames are done.
/// O(frames x pixels), besides the recipe.
///
/// # Errors
/// When there is no art, a frame would be too large, `out` fails, a pass cannot be done, or `stop` asks
/// to.
pub fn film(
    mut maker: Maker,
    steps: &[u64],
    art: &TileArt,
    options: &FilmOptions,
    out: impl Write,
    stop: &dyn Stop,
    shot: &mut dyn FnMut(u32, u32),
) -> Result<u32, FilmError> {
    let passes = maker.recipe().passes().to_vec();
    let all = announced(&passes, steps, options);
    let mut sized = options.draw.clone();
    sized.size = sized.size.or(Some(options.frame()));
    sized.steady = true;
    let (mut steps, mut out, mut reel) = (steps.iter(), Some(out), None);
    let mut shots = 0;
    let mut count = || {
        shots += 1;
        shot(shots, all);
    };
    let seed = maker.seed().text().to_owned();
    let mut open = |first: &Picture| -> Result<Option<Reel<_>>, FilmError> {
        let reel = out.take().map(|out| Reel::begin(out, first, all, options, &seed));
        reel.transpose()
    };
    for (number, pass) in passes.iter().enumerate() {
        let last = if number + 1 == passes.len() { 2.0 } else { 0.6 };
        let Some(fill) = filled_by(pass) else {
            if pass.step_as::<FillStep>().is_some() && steps.next().is_none() {
                break;
            }
            let before = options.shrunk(&draw(maker.map(), art, &sized)?);
            reel = open(&before)?.or(reel);
            until_done(&mut maker, u64::MAX, stop)?;
            if let Some(reel) = &mut reel {
                reel.hold(last)?;
                count();
                reel.show(&options.shrunk(&draw(maker.map(), art, &sized)?))?;
            }
            continue;
        };
        let Some(&steps) = steps.next() else { break };
        let base = maker.map().clone();
        // A fill that has begun has not worked yet.
        until_done(&mut maker, 0, stop)?;
        let picture = |maker: &Maker| match maker.run() {
            Some(run) => frame(&base, run, fill.collapse.tileset(), art, options),
            None => Err(DrawError::NoArt),
        };
        reel = open(&picture(&maker)?)?.or(reel);
        let Some(reel) = &mut reel else { break };
        reel.hold(1.0 / f32::from(options.rate.max(1)))?;
        let frames = options.frames(steps);
        // Each frame's share of the steps, so that rounding never adds up.
        let share = |frame: u32| steps * u64::from(frame) / u64::from(frames);
        for frame in 1..=frames {
            if frame == frames {
                until_done(&mut maker, u64::MAX, stop)?;
                reel.hold(last)?;
            } else {
                until_done(&mut maker, share(frame) - share(frame - 1), stop)?;
            }
            count();
            reel.show(&picture(&maker)?)?;
        }
    }
    if let Some(reel) = reel {
        reel.finish()?;
    }
    Ok(all + 1)
}

/// The fill of cells that a pass does.
fn filled_by(pass: &Pass) -> Option<&FillStep> {
    pass.step_as::<FillStep>().filter(|fill| fill.coarse.is_none())
}

/// How many frames there are besides the first.
fn announced(passes: &[Pass], steps: &[u64], options: &FilmOptions) -> u32 {
    let (mut frames, mut steps) = (0, steps.iter());
    for pass in passes {
        frames += match (filled_by(pass), pass.step_as::<FillStep>()) {
            (Some(_), _) => match steps.next() {
                Some(&steps) => options.frames(steps),
                None => break,
            },
            (None, Some(_)) if steps.next().is_none() => break,
            _ => 1,
        };
    }
    frames
}

/// Goes on for so many steps, or until the pass is done.
fn until_done(maker: &mut Maker, steps: u64, stop: &dyn Stop) -> Result<(), FilmError> {
    let done = maker.progress().done;
    loop {
        let status = maker.advance_with(steps, stop, &mut Silent);
        if let Some(error) = maker.error() {
            return match error {
                MakeError::Stopped { .. } => Err(FilmError::Stopped),
                // It is reported elsewhere; the film shows how far it came.
                MakeError::Unfilled { .. } => Ok(()),
                error => Err(FilmError::Make(error.clone())),
            };
        }
        if steps < u64::MAX || status != MakeStatus::Working || maker.progress().done > done {
            return Ok(());
        }
    }
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
) -> Result<Picture, DrawError> {
    let layout = run.space().layout();
    let mut map = base.clone();
    map.put_layer(layer_of(run, tileset, run.name()));
    let mut drawn = options.draw.clone();
    drawn.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    let poses = run.rules().poses().len();
    let extent = map.layout().extent();
    if shaded::is_shaded(layout.lattice(), art) {
        drawn.size = drawn.size.or(Some(options.frame()));
        // Small, so that what is decided can be seen between them.
        let cubes = extent.iter().filter_map(|cell| {
            let open = run.options(cell);
            (open > 1).then(|| (cell, tint(open, poses), 0.22))
        });
        return Ok(options.shrunk(&shaded::with_cubes(&map, art, &drawn, cubes)?));
    }
    let place = Placement::new(layout, super::cell_of(layout.lattice(), art, &options.draw))
        .ok_or(DrawError::NoArt)?;
    let mut picture = draw(&map, art, &drawn)?;
    for cell in extent.iter().take_while(|cell| cell.z == extent.origin().z) {
        let open = run.options(cell);
        if open > 1 {
            mark::filled(&mut picture, place, cell, tint(open, poses));
            if loses_to_rule(run, cell) {
                mark::dotted(&mut picture, place, cell);
            }
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
