//! The course of a fill as pictures: `--film` and `--openness`.
//!
//! Both run the fill again, which gives the same every time, and stop where there is something to
//! show. So the fill itself is as fast as without them.

use super::fill::Output;
use crate::args::Watch;
use crate::failure::Failure;
use lantern_quilt::draw::{FilmOptions, film, openness};
use lantern_quilt::files::{Quilt, save_with};
use lantern_quilt::observe::Progress;
use lantern_quilt::passes::Collapse;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Status;
use std::io;
use std::path::PathBuf;

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

/// Writes what was asked for about a fill of `steps` steps; says what was written.
pub fn write(
    watch: &Watch,
    quilt: &Quilt,
    collapse: &Collapse,
    seed: &Seed,
    steps: u64,
) -> Result<Vec<PathBuf>, Failure> {
    let mut written = Vec::new();
    let begin = || collapse.job(quilt.layout, seed).begin().map_err(Failure::job);
    if let Some(path) = &watch.openness {
        let mut run = begin()?;
        let share = u64::from(watch.openness_at);
        let enough = |progress: Progress| {
            progress.choosing && progress.decided * 100 >= progress.cells * share
        };
        while !enough(run.progress()) && run.advance(1) == Status::Working {}
        let cell = quilt.art.cell().map(|pixels| pixels.max(4));
        let picture = openness(&run, cell).map_err(Failure::job)?;
        let encode = |out: &mut dyn io::Write| {
            picture.write_png(out, &[("Seed", seed.text())]).map_err(io::Error::other)
        };
        save_with(path, encode).map_err(Failure::job)?;
        written.push(path.clone());
    }
    if let Some(path) = &watch.film {
        let mut run = begin()?;
        let mut options = FilmOptions::default();
        options.seconds = watch.film_seconds;
        options.rate = watch.film_rate;
        let shoot = |out: &mut dyn io::Write| {
            film(&mut run, steps, collapse.tileset(), &quilt.art, &options, out)
                .map(drop)
                .map_err(io::Error::other)
        };
        save_with(path, shoot).map_err(Failure::job)?;
        written.push(path.clone());
    }
    Ok(written)
}
