//! The course of a fill as pictures: `--film` and `--openness`.
//!
//! Both follow the recipe again, which gives the same every time, and stop where there is something to
//! show. So the fill itself is as fast as without them.

use super::asked::openness_cell;
use super::course::{Course, maker};
use crate::args::{self, Look};
use crate::progress::{filming, interrupted};
use crate::written::Files;
use lantern_quilt::draw::{FilmError, FilmOptions, Turntable, draw, film, openness, turntable};
use lantern_quilt::files::Quilt;
use lantern_quilt::map::Tilemap;
use lantern_quilt::observe::{Progress, Silent};
use lantern_quilt::picture::Picture;
use lantern_quilt::recipe::{MakeError, MakeStatus};
use lantern_quilt::seed::Seed;
use std::io;

/// Adds what was asked for about a recipe that was followed.
pub fn write(args: &args::Fill, quilt: &Quilt, seed: &Seed, course: &Course, files: &mut Files) {
    let steps = &course.steps();
    let filming = &args.filming;
    if let Some(path) = &filming.openness {
        let drawn = open_cells(args, quilt, seed, steps.len());
        files.file(path, |out| drawn?.write_png(out, &[("Seed", seed.text())]).map_err(Into::into));
    }
    if let Some(path) = &filming.film {
        files.file(path, |out| shoot(args, quilt, seed, course, out));
    }
}

/// Adds the models of a map turning round, when that was asked for.
pub fn turn(look: &Look, quilt: &Quilt, map: &Tilemap, quiet: bool, files: &mut Files) {
    let Some(path) = &look.turntable else { return };
    let options = look.apply(quilt.look(), map.layout());
    files.file(path, |out| {
        let (bar, stop) = (filming(quiet), interrupted());
        let mut shot = |number, of| bar.show(number, of);
        turntable(map, &quilt.art, &options, Turntable::default(), out, &stop, &mut shot)
            .map_err(Into::into)
    });
}

/// How open cells were when so many of those of the last of some fills were decided.
fn open_cells(args: &args::Fill, quilt: &Quilt, seed: &Seed, fills: usize) -> io::Result<Picture> {
    let stop = interrupted();
    let mut maker =
        maker(args, quilt, seed).map_err(|failure| io::Error::other(failure.to_string()))?;
    let share = u64::from(args.filming.openness_at);
    let enough =
        |progress: Progress| progress.choosing && progress.decided * 100 >= progress.cells * share;
    loop {
        let last = maker.fills().len() + 1 >= fills;
        let steps = match maker.progress().fill {
            Some(progress) if last && enough(progress) => break,
            Some(_) if last => 1,
            _ => u64::MAX,
        };
        let status = maker.advance_with(steps, &stop, &mut Silent);
        match maker.error() {
            Some(MakeError::Stopped { .. }) => return Err(FilmError::Stopped.into()),
            Some(MakeError::Unfilled { .. }) => break,
            Some(error) => return Err(io::Error::other(error.with_causes())),
            None if status != MakeStatus::Working && maker.fills().len() >= fills => break,
            None => {}
        }
    }
    let run = maker.run().ok_or_else(|| io::Error::other("no fill was begun"))?;
    openness(run, openness_cell(quilt)).map_err(io::Error::other)
}

/// Films a recipe: fills on their way, other passes by what they leave. A still viewer shows the finished map.
fn shoot(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    course: &Course,
    out: &mut dyn io::Write,
) -> io::Result<()> {
    let mut options = FilmOptions::default();
    let steps = &course.steps();
    options.seconds = args.filming.film_seconds / steps.len().max(1) as f32;
    options.rate = args.filming.film_rate;
    options.draw = quilt.look();
    options.draw.view = args.look.view.unwrap_or_default();
    options.draw.levels = args.look.levels_of(quilt.layout);
    let mut last = options.draw.clone().size(Some(options.frame()));
    last.steady = true;
    let last = draw(&course.made.map, &quilt.art, &last).map_err(io::Error::other)?;
    options.still = Some(options.shrunk(&last));
    log::debug!("filming");
    let maker =
        maker(args, quilt, seed).map_err(|failure| io::Error::other(failure.to_string()))?;
    let (bar, stop) = (filming(args.quiet), interrupted());
    let mut shot = |number, of| bar.show(number, of);
    let frames = film(maker, steps, &quilt.art, &options, out, &stop, &mut shot)?;
    log::debug!("{frames} frames");
    Ok(())
}
