//! The course of a fill as pictures: `--film` and `--openness`.
//!
//! Both run the fill again, which gives the same every time, and stop where there is something to
//! show. So the fill itself is as fast as without them.

use super::fill::grounds;
use crate::args::{self, Watch};
use crate::failure::Failure;
use crate::progress::{filming, interrupted};
use crate::written::Files;
use lantern_quilt::draw::{FilmError, FilmOptions, Reel, draw, film_on, frame, openness};
use lantern_quilt::files::{Fill, Next, Output, Quilt, Step};
use lantern_quilt::limits::Stop;
use lantern_quilt::map::Tilemap;
use lantern_quilt::observe::{Progress, Silent};
use lantern_quilt::picture::Picture;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::{Run, Status};
use std::io;

/// The files asked for, all pictures.
pub fn outputs(watch: &Watch) -> Result<Vec<Output>, Failure> {
    let paths = [("--film", &watch.film), ("--openness", &watch.openness)];
    let asked = paths.into_iter().filter_map(|(word, path)| Some((word, path.as_ref()?)));
    asked
        .map(|(word, path)| match Output::of(path) {
            Ok(output) if output.is_picture() => Ok(output),
            _ => Err(Failure::Usage(format!(
                "{word} writes a picture: end {} in .png",
                path.display()
            ))),
        })
        .collect()
}

/// Pixels of a cell where openness is drawn.
pub fn openness_cell(quilt: &Quilt) -> [u32; 2] {
    quilt.art.cell().map(|pixels| pixels.max(4))
}

/// Adds what was asked for about a recipe whose fills took so many steps each.
pub fn write(args: &args::Fill, quilt: &Quilt, seed: &Seed, steps: &[u64], files: &mut Files) {
    let watch = &args.watch;
    if let Some(path) = &watch.openness {
        let drawn = open_cells(watch, quilt, seed, steps);
        files.file(path, |out| drawn?.write_png(out, &[("Seed", seed.text())]).map_err(Into::into));
    }
    if let Some(path) = &watch.film {
        files.file(path, |out| shoot(args, quilt, seed, steps, out));
    }
}

/// How open cells were when so many of them were decided.
fn open_cells(watch: &Watch, quilt: &Quilt, seed: &Seed, steps: &[u64]) -> io::Result<Picture> {
    let stop = interrupted();
    let mut run = last_fill(quilt, seed, steps.len())?;
    let share = u64::from(watch.openness_at);
    let enough =
        |progress: Progress| progress.choosing && progress.decided * 100 >= progress.cells * share;
    while !enough(run.progress()) && run.advance(1) == Status::Working {
        if stop.requested() {
            return Err(FilmError::Stopped.into());
        }
    }
    openness(&run, openness_cell(quilt)).map_err(io::Error::other)
}

/// The last of so many fills, just begun; those before it are done.
fn last_fill(quilt: &Quilt, seed: &Seed, fills: usize) -> io::Result<Run> {
    let mut making = quilt.begin(quilt.layout, seed);
    let mut left = fills;
    loop {
        match making.advance().map_err(io::Error::other)? {
            Next::Pass(_) => {}
            Next::Fill(job) => {
                let mut run = job.begin().map_err(io::Error::other)?;
                left -= 1;
                if left == 0 {
                    return Ok(run);
                }
                run.fill_with(&interrupted(), &mut Silent);
                making.lay(&run);
            }
            Next::End => return Err(io::Error::other("no fill was begun")),
        }
    }
}

/// Films a recipe: fills on their way, other passes by what they leave.
fn shoot(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    steps: &[u64],
    out: &mut dyn io::Write,
) -> io::Result<()> {
    let (watch, stop) = (&args.watch, interrupted());
    let mut options = FilmOptions::default();
    options.seconds = watch.film_seconds / steps.len().max(1) as f32;
    options.rate = watch.film_rate;
    let drawn = grounds(quilt);
    let mut making = quilt.begin(quilt.layout, seed);
    let shown = |map: &Tilemap| {
        // A map with nothing on it has no art to be drawn by; the night has its size.
        draw(map, &quilt.art, &drawn)
            .map(|picture| options.shrunk(&picture))
            .map_err(io::Error::other)
    };
    let passes = quilt.recipe.len();
    let mut fills = steps.iter();
    let frames_of = |fill: &Fill, steps: u64| match fill.coarse {
        Some(_) => 1,
        None => options.frames(steps),
    };
    // The frames are announced before the first is written.
    let mut frames = 0;
    let mut counted = steps.iter();
    for pass in &quilt.recipe {
        match pass.step {
            Step::Collapse(number) => match counted.next() {
                Some(&steps) => frames += frames_of(&quilt.fills[number], steps),
                None => break,
            },
            _ => frames += 1,
        }
    }
    log::debug!("filming");
    let bar = filming(frames.into(), args.quiet);
    let mut reel: Option<Reel<&mut dyn io::Write>> = None;
    let mut out = Some(out);
    let mut begin = |reel: &mut Option<Reel<_>>, first: &Picture| -> Result<(), FilmError> {
        if let Some(out) = out.take() {
            *reel = Some(Reel::begin(out, first, frames, &options, seed.text())?);
        }
        Ok(())
    };
    for number in 0..passes {
        let last = if number + 1 == passes { 2.0 } else { 0.6 };
        if making.fill().is_none_or(|fill| fill.coarse.is_some()) {
            begin(&mut reel, &shown(making.map())?)?;
        }
        if stop.requested() {
            return Err(FilmError::Stopped.into());
        }
        let fill = making.fill();
        match making.advance().map_err(io::Error::other)? {
            Next::Pass(_) => {}
            Next::Fill(job) => {
                let (Some(fill), Some(&steps)) = (fill, fills.next()) else { break };
                let mut run = job.begin().map_err(io::Error::other)?;
                if fill.coarse.is_some() {
                    run.fill_with(&stop, &mut Silent);
                    making.lay(&run);
                } else {
                    let base = making.map().clone();
                    let set = fill.collapse.tileset();
                    let shot = |run: &Run| {
                        bar.step();
                        frame(&base, run, set, &quilt.art, &options, &drawn)
                    };
                    begin(&mut reel, &shot(&run).map_err(io::Error::other)?)?;
                    let Some(reel) = &mut reel else { break };
                    reel.hold(1.0 / f32::from(options.rate.max(1)))?;
                    let frames = options.frames(steps);
                    film_on(reel, &mut run, steps, frames, &shot, last, &stop)?;
                    making.lay(&run);
                    continue;
                }
            }
            Next::End => break,
        }
        if let Some(reel) = &mut reel {
            reel.hold(last)?;
            reel.show(&shown(making.map())?)?;
        }
    }
    if let Some(reel) = reel {
        reel.finish()?;
    }
    Ok(())
}
