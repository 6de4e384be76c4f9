//! `fill`: quilt to map to files.

use super::again::Kept;
use super::course::{Course, follow, limits};
use super::film;
use super::passes;
use super::summary::{Blame, Summary};
use crate::args;
use crate::failure::Failure;
use crate::output::complain;
use crate::progress::{Bar, interrupted};
use crate::written::{Files, drawn_so};
use lantern_quilt::art::TileArt;
use lantern_quilt::draw::{DrawOptions, pack, picture_size};
use lantern_quilt::files::{Output, OutputKind, Quilt};
use lantern_quilt::finding::Severity;
use lantern_quilt::lattice::{Extent, Layout};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{Collapse, FillStep};
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Outcome;
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Instant, SystemTime, UNIX_EPOCH};

impl args::Fill {
    /// A plain fill of a quilt, with nothing else asked for.
    pub fn of(quilt: PathBuf) -> Self {
        use clap::Parser as _;
        let words = ["lantern-quilt", "fill", "--"].map(std::ffi::OsString::from);
        let args = args::Args::parse_from(words.into_iter().chain([quilt.into()]));
        match args.command {
            args::Command::Fill(fill) => *fill,
            _ => unreachable!("the words say fill"),
        }
    }
}

pub fn run(args: &args::Fill) -> Result<(), Failure> {
    let outputs = outputs(args)?;
    let options = args.reading.options().with(args.changes.changes());
    let mut quilt = Quilt::open_with(&args.quilt, &options)
        .map_err(|report| Failure::Quilt(Box::new(report)))?;
    if !args.quiet && quilt.findings.count(Severity::Warning) > 0 {
        let count = quilt.findings.count(Severity::Warning);
        let s = if count == 1 { "" } else { "s" };
        complain(&format!(
            "{count} warning{s} in {}; `lantern-quilt check` says more\n",
            quilt.findings.source.name
        ));
    }
    passes::check_until(args, &quilt)?;
    quilt.layout = sized(quilt.layout, args.size)?;
    let beside = [sheet_outputs(args)?, film::outputs(&args.watch)?].concat();
    for output in outputs.iter().chain(&beside) {
        output.check_place().map_err(Failure::job)?;
    }
    check_inputs(&args.quilt, &quilt, outputs.iter().chain(&beside))?;
    if args.from.is_none() {
        check_sizes(args, &quilt, &outputs)?;
    }
    if quilt.fills().next().is_none() {
        return passes::run(args, &quilt, &outputs);
    }
    let kept = args.from.as_deref().map(|path| Kept::open(path, args, &quilt)).transpose()?;
    if let Some(kept) = kept {
        return fill_again(args, quilt, kept, &outputs);
    }
    let seed = seed_of(args, &quilt.seed);
    if let Some(pass) = &args.show_where {
        return passes::show_where(args, &quilt, &seed, pass, &outputs);
    }
    let course = follow(args, &quilt, &seed)?;
    let last = course.made.fills.last().and_then(|fill| quilt.recipe.find(&fill.pass));
    let fill = last.and_then(|pass| pass.step_as::<FillStep>());
    let Some((run, fill)) = course.run.as_ref().zip(fill) else {
        return passes::tell_made(args, &quilt, &seed, &course, &outputs);
    };
    let collapse = asked_of(args, &fill.collapse);
    let filled = run.outcome().is_some_and(Outcome::is_filled);
    let refused = passes::refused(&course).filter(|_| filled);
    let done = filled && refused.is_none();
    let mut options = drawn(args, &quilt);
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    if collapse.fallback.is_none() {
        options.failed.extend(run.holes());
    }
    let blame = Blame::of(&quilt, &collapse, run);
    let mut files = Files::default();
    files.map(&quilt, &course.made.map, &options, &outputs, done);
    add_steps(args, &course, &mut files);
    if done {
        add_sheet(args, &quilt, &course.made.map, &mut files);
    }
    film::write(args, &quilt, &seed, &course.steps(), &mut files);
    let written = files.finish();
    let summary = Summary {
        quilt: &quilt,
        collapse: &collapse,
        run,
        seed: &seed,
        again: None,
        filled_in: course.took(),
        blame,
        written: &written.paths,
        stand_ins: course.made.stand_ins().cloned().collect(),
        course: Some(&course),
    };
    let ended = summary.end(args, refused, outputs.iter().any(Output::is_stdout));
    written.end(ended)
}

/// A fill with what the arguments ask of it.
fn asked_of(args: &args::Fill, collapse: &Collapse) -> Collapse {
    let mut collapse = collapse.clone();
    collapse.limits = limits(args);
    collapse.search.climb = args.climb.unwrap_or(collapse.search.climb);
    collapse.search.holes |= args.holes;
    collapse
}

/// Fills part of a saved map again.
fn fill_again(
    args: &args::Fill,
    mut quilt: Quilt,
    kept: Kept,
    outputs: &[Output],
) -> Result<(), Failure> {
    quilt.layout = kept.map.layout();
    check_sizes(args, &quilt, outputs)?;
    let seed = seed_of(args, kept.seed());
    let started = now();
    let collapse = &asked_of(args, quilt.collapse().expect("a recipe that fills"));
    let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
    let job = kept.refill().job(collapse, &seed).crew(Arc::new(crew));
    let mut run = job.begin().map_err(Failure::job)?;
    run.fill_with(&interrupted(), &mut Bar::new(args.quiet));
    let filled_in = started.elapsed();
    let again = Some(kept.cells());
    let map = kept.with(collapse, &run);
    let done = run.outcome().is_some_and(Outcome::is_filled);
    let mut options = drawn(args, &quilt);
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    if collapse.fallback.is_none() {
        options.failed.extend(run.holes());
    }
    let mut files = Files::default();
    files.map(&quilt, &map, &options, outputs, done);
    if done {
        add_sheet(args, &quilt, &map, &mut files);
    }
    let written = files.finish();
    let summary = Summary {
        quilt: &quilt,
        collapse,
        run: &run,
        seed: &seed,
        again,
        filled_in,
        blame: Blame::of(&quilt, collapse, &run),
        written: &written.paths,
        stand_ins: Vec::new(),
        course: None,
    };
    let ended = summary.end(args, None, outputs.iter().any(Output::is_stdout));
    written.end(ended)
}

/// The layout with another size, if one was asked for.
pub fn sized(layout: Layout, size: Option<[u32; 3]>) -> Result<Layout, Failure> {
    let Some(size) = size else { return Ok(layout) };
    let extent = Extent::new(layout.extent().origin(), size).map_err(Failure::usage)?;
    Layout::new(layout.lattice(), extent, layout.wrap()).map_err(Failure::usage)
}

/// The seed that was asked for, or else the quilt's.
pub fn seed_of(args: &args::Fill, own: &Seed) -> Seed {
    args.seed.as_deref().map_or_else(|| own.clone(), seed_text)
}

/// The seed of a text; `new` draws one.
pub fn seed_text(text: &str) -> Seed {
    if text == "new" { new_seed() } else { Seed::from_text(text) }
}

/// A word as a shell takes it.
pub fn quoted(word: &str) -> String {
    let plain = |letter: char| letter.is_ascii_alphanumeric() || "_-./=,:+".contains(letter);
    if !word.is_empty() && word.chars().all(plain) {
        return word.to_owned();
    }
    format!("'{}'", word.replace('\'', "'\\''"))
}

/// How the picture is drawn.
pub fn drawn(args: &args::Fill, quilt: &Quilt) -> DrawOptions {
    let mut options = grounds(quilt);
    options.scale = args.look.scale;
    options.grid = args.look.grid;
    options.coordinates = args.look.coordinates;
    options
}

/// Terrain in the colours of the quilt.
pub fn grounds(quilt: &Quilt) -> DrawOptions {
    let mut options = DrawOptions::default();
    let coloured = quilt.terrains.iter().filter_map(|(name, colours)| {
        colours.first().map(|&[r, g, b]| (name.clone(), [r, g, b, 255]))
    });
    options.grounds = coloured.collect();
    options
}

/// Adds the picture of all steps, when it was asked for.
pub fn add_steps(args: &args::Fill, course: &Course, files: &mut Files) {
    if let Some((path, picture)) = args.steps.as_ref().zip(course.frames.as_ref()) {
        files.picture(path, picture, &[]);
    }
}

/// Adds the sheet of a map's pictures and where in it they are, when it was asked for.
pub fn add_sheet(args: &args::Fill, quilt: &Quilt, map: &Tilemap, files: &mut Files) {
    let Some(path) = &args.sheet else { return };
    let packed = match pack(map, &quilt.art) {
        Ok(packed) => packed,
        Err(error) => return files.fail(path, error),
    };
    let layers = map.layers().zip(&packed.places);
    let layers: Vec<_> =
        layers.map(|(layer, places)| json!({ "name": layer.name, "at": places })).collect();
    let told = json!({
        "lantern_quilt_sheet": 1,
        "sheet": path.file_name().unwrap_or_default().to_string_lossy(),
        "cell": quilt.art.cell(),
        "layers": layers,
    });
    files.picture(path, &packed.sheet, &[]);
    files.file(&path.with_extension("json"), |out| writeln!(out, "{told}"));
}

fn outputs(args: &args::Fill) -> Result<Vec<Output>, Failure> {
    if !args.out.is_empty() {
        return args.out.iter().map(|path| Output::of(path).map_err(Failure::usage)).collect();
    }
    let name = args.quilt.file_name().unwrap_or_default().to_string_lossy();
    let stem = name.strip_suffix(".toml").unwrap_or(&name);
    let stem = stem.strip_suffix(".quilt").unwrap_or(stem);
    let beside = |ending: &str| args.quilt.with_file_name(format!("{stem}{ending}"));
    Ok(vec![
        Output::new(beside(".png"), OutputKind::Picture),
        Output::new(beside(".map.json"), OutputKind::Json),
    ])
}

/// The sheet that was asked for and what lies beside it, and the picture of all steps.
fn sheet_outputs(args: &args::Fill) -> Result<Vec<Output>, Failure> {
    let mut outputs = Vec::new();
    for (word, path) in [("--sheet", &args.sheet), ("--steps", &args.steps)] {
        let Some(path) = path else { continue };
        match Output::of(path) {
            Ok(output) if output.is_picture() => outputs.push(output),
            _ => {
                let text = format!("{word} writes a picture: end {} in .png", path.display());
                return Err(Failure::Usage(text));
            }
        }
    }
    if let Some(path) = &args.sheet {
        outputs.push(Output::new(path.with_extension("json"), OutputKind::Json));
    }
    Ok(outputs)
}

/// Says before the work that an output would be too large, and what to do.
fn check_sizes(args: &args::Fill, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let options = drawn_so(&drawn(args, quilt));
    for output in outputs {
        output.check_size(quilt.layout, &quilt.art, &options).map_err(|error| {
            let others = outputs.iter().filter(|one| !one.is_picture());
            let others: Vec<String> =
                others.map(|one| format!("-o {}", one.path().display())).collect();
            let without = match others.len() {
                0 => String::new(),
                _ => format!("; without a picture: {}", others.join(" ")),
            };
            Failure::Job(format!("{error}{without}"))
        })?;
    }
    let fits = |path: &Option<PathBuf>, art: &TileArt, options: &DrawOptions| match path {
        Some(path) => picture_size(quilt.layout, art, options)
            .map(|_| ())
            .map_err(|error| Failure::Job(format!("{}: {error}", path.display()))),
        None => Ok(()),
    };
    let cells = TileArt::new(film::openness_cell(quilt));
    fits(&args.watch.openness, &cells, &DrawOptions::default())?;
    fits(&args.watch.film, &quilt.art, &grounds(quilt))?;
    fits(&args.steps, &quilt.art, &options.draw)
}

/// An output that would replace the quilt or its art is a slip, whatever its name.
fn check_inputs<'o>(
    path: &Path,
    quilt: &Quilt,
    outputs: impl Iterator<Item = &'o Output>,
) -> Result<(), Failure> {
    let art = quilt.pictures.iter().map(|picture| path.with_file_name("").join(picture));
    let inputs: Vec<PathBuf> =
        art.chain([path.to_owned()]).filter_map(|input| input.canonicalize().ok()).collect();
    for output in outputs.filter(|output| !output.is_stdout()) {
        if output.path().canonicalize().is_ok_and(|real| inputs.contains(&real)) {
            return Err(Failure::Usage(format!(
                "{} is read by the quilt and will not be written over; choose another name with -o",
                output.path().display()
            )));
        }
    }
    Ok(())
}

#[expect(
    clippy::disallowed_methods,
    reason = "the tool times what it does; nothing decided depends on it"
)]
pub fn now() -> Instant {
    Instant::now()
}

/// A seed nobody has seen: short enough to type again.
#[expect(clippy::disallowed_methods, reason = "a new seed is asked for")]
fn new_seed() -> Seed {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    let mixed =
        Seed::from_number(since.as_nanos() as u64).stream(&["new seed"]).below(1_000_000_000);
    Seed::from_number(mixed)
}
