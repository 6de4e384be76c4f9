//! `fill`: quilt to map to files.

use super::again::Kept;
use super::course::follow;
use super::passes;
use super::summary::{Blame, Summary};
use super::watch;
use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::progress::{Bar, interrupted};
use lantern_quilt::draw::{DrawOptions, draw, pack};
use lantern_quilt::files::{Quilt, save, save_with, write_json, write_layers};
use lantern_quilt::finding::Severity;
use lantern_quilt::lattice::{Extent, Layout};
use lantern_quilt::map::Tilemap;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Outcome;
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::io;
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

/// What an output file holds.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Picture,
    Json,
    Csv,
}

pub struct Output {
    path: PathBuf,
    kind: Kind,
}

impl Output {
    pub fn of(path: &Path) -> Result<Self, Failure> {
        let kind = if path == Path::new("-") {
            Kind::Json
        } else {
            match path.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase).as_deref()
            {
                Some("png") => Kind::Picture,
                Some("json") => Kind::Json,
                Some("csv") => Kind::Csv,
                _ => {
                    return Err(Failure::Usage(format!(
                        "cannot tell what to write to {}: end it in .png, .json or .csv, or write - for JSON on standard output",
                        path.display()
                    )));
                }
            }
        };
        Ok(Self { path: path.to_owned(), kind })
    }

    /// Whether it is a picture file.
    pub fn is_picture(&self) -> bool {
        self.kind == Kind::Picture
    }

    /// Whether it is JSON on standard output.
    pub fn is_stdout(&self) -> bool {
        self.path == Path::new("-")
    }

    /// `NAME.partial.EXT` beside the output.
    fn partial(&self) -> PathBuf {
        let name = self.path.file_name().unwrap_or_default().to_string_lossy();
        let extension = self.path.extension().unwrap_or_default().to_string_lossy();
        let stem = name.strip_suffix(&format!(".{extension}")).unwrap_or(&name);
        let stem = stem.strip_suffix(".map").unwrap_or(stem);
        self.path.with_file_name(format!("{stem}.partial.{extension}"))
    }
}

pub fn run(args: &args::Fill) -> Result<(), Failure> {
    let outputs = outputs(args)?;
    let changes = args.changes.changes();
    let mut quilt = Quilt::open_with(&args.quilt, args.root.as_deref(), &changes)
        .map_err(|report| Failure::Quilt(Box::new(report)))?;
    if !args.quiet && quilt.findings.count(Severity::Warning) > 0 {
        let count = quilt.findings.count(Severity::Warning);
        let s = if count == 1 { "" } else { "s" };
        anstream::eprintln!(
            "{count} warning{s} in {}; `lantern-quilt check` says more",
            quilt.findings.source.name
        );
    }
    check_folders(&outputs)?;
    check_inputs(&args.quilt, &quilt, &outputs)?;
    passes::check_until(args, &quilt)?;
    let sheets = sheet_outputs(args)?;
    check_folders(&sheets)?;
    check_inputs(&args.quilt, &quilt, &sheets)?;
    quilt.layout = sized(quilt.layout, args.size)?;
    let watched = watch::outputs(&args.watch)?;
    check_folders(&watched)?;
    check_inputs(&args.quilt, &quilt, &watched)?;
    if quilt.fills.is_empty() {
        return passes::run(args, &quilt, &outputs);
    }
    for fill in &mut quilt.fills {
        let collapse = &mut fill.collapse;
        collapse.limits.cells = args.limit_cells;
        collapse.limits.bytes = args.limit_memory.saturating_mul(1 << 20);
        collapse.limits.steps = args.limit_steps;
        if let Some(rung) = args.climb {
            collapse.search.climb = rung;
        }
        collapse.search.holes |= args.holes;
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
    let Some(run) = &course.run else {
        return passes::tell_made(args, &quilt, &seed, &course, &outputs);
    };
    let filled = run.outcome().is_some_and(Outcome::is_filled);
    let refused = passes::refused(&course).filter(|_| filled);
    let done = filled && refused.is_none();
    let fill = quilt.fills.get(course.steps.len() - 1);
    let collapse = fill.map(|fill| &fill.collapse).expect("a fill a run");
    let mut options = drawn(args, &quilt);
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    if collapse.fallback.is_none() {
        options.failed.extend(run.holes());
    }
    let blame = course.plain.then(|| Blame::of(&quilt, run)).flatten();
    let mut written = write_all(&quilt, &course.made.map, &options, &outputs, done)?;
    written.extend(course.written.clone());
    if let Some(path) = args.sheet.as_ref().filter(|_| done) {
        written.extend(write_sheet(path, &quilt, &course.made.map)?);
    }
    written.extend(watch::write(&args.watch, &quilt, &seed, &course.steps)?);
    let summary = Summary {
        quilt: &quilt,
        collapse,
        run,
        seed: &seed,
        again: None,
        filled_in: course.took,
        blame,
        written: &written,
        stand_ins: &course.made.stand_ins,
        course: Some(&course),
    };
    summary.end(args, refused, outputs.iter().any(Output::is_stdout))
}

/// Fills part of a saved map again.
fn fill_again(
    args: &args::Fill,
    mut quilt: Quilt,
    kept: Kept,
    outputs: &[Output],
) -> Result<(), Failure> {
    quilt.layout = kept.map.layout();
    let seed = seed_of(args, kept.seed());
    let started = now();
    let collapse = quilt.collapse().expect("a recipe that fills");
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
    let mut written = write_all(&quilt, &map, &options, outputs, done)?;
    if let Some(path) = args.sheet.as_ref().filter(|_| done) {
        written.extend(write_sheet(path, &quilt, &map)?);
    }
    let summary = Summary {
        quilt: &quilt,
        collapse,
        run: &run,
        seed: &seed,
        again,
        filled_in,
        // Of a map that was kept the space is another one, with restrictions of its own.
        blame: None,
        written: &written,
        stand_ins: &[],
        course: None,
    };
    summary.end(args, None, outputs.iter().any(Output::is_stdout))
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

/// Writes every output; a failed or stopped fill never touches them, only what lies beside.
pub fn write_all(
    quilt: &Quilt,
    map: &Tilemap,
    options: &DrawOptions,
    outputs: &[Output],
    done: bool,
) -> Result<Vec<PathBuf>, Failure> {
    let mut written = Vec::new();
    for output in outputs {
        let path = if done || output.is_stdout() { output.path.clone() } else { output.partial() };
        if !done && output.is_stdout() {
            continue;
        }
        write(quilt, map, options, output, &path)?;
        if !output.is_stdout() {
            written.push(path);
        }
    }
    Ok(written)
}

/// Writes the sheet of a map's pictures and where in it they are.
pub fn write_sheet(path: &Path, quilt: &Quilt, map: &Tilemap) -> Result<Vec<PathBuf>, Failure> {
    let packed = pack(map, &quilt.art).map_err(Failure::job)?;
    let layers = map.layers.iter().zip(&packed.places);
    let layers: Vec<_> =
        layers.map(|(layer, places)| json!({ "name": layer.name, "at": places })).collect();
    let told = json!({
        "lantern_quilt_sheet": 1,
        "sheet": path.file_name().unwrap_or_default().to_string_lossy(),
        "cell": quilt.art.cell(),
        "layers": layers,
    });
    let other = path.with_extension("json");
    save_with(path, |out| packed.sheet.write_png(out, &[]).map_err(io::Error::other))
        .map_err(Failure::job)?;
    save(&other, format!("{told}\n").as_bytes()).map_err(Failure::job)?;
    Ok(vec![path.to_owned(), other])
}

fn outputs(args: &args::Fill) -> Result<Vec<Output>, Failure> {
    if !args.out.is_empty() {
        return args.out.iter().map(|path| Output::of(path)).collect();
    }
    let name = args.quilt.file_name().unwrap_or_default().to_string_lossy();
    let stem = name.strip_suffix(".toml").unwrap_or(&name);
    let stem = stem.strip_suffix(".quilt").unwrap_or(stem);
    let beside = |ending: &str| args.quilt.with_file_name(format!("{stem}{ending}"));
    Ok(vec![
        Output { path: beside(".png"), kind: Kind::Picture },
        Output { path: beside(".map.json"), kind: Kind::Json },
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
        outputs.push(Output { path: path.with_extension("json"), kind: Kind::Json });
    }
    Ok(outputs)
}

/// Says that a folder is missing before the work, not after it.
fn check_folders(outputs: &[Output]) -> Result<(), Failure> {
    for output in outputs.iter().filter(|output| !output.is_stdout()) {
        let folder = output.path.parent().filter(|p| !p.as_os_str().is_empty());
        if let Some(folder) = folder
            && !folder.is_dir()
        {
            return Err(Failure::Job(format!(
                "the folder {} does not exist; make it first",
                folder.display()
            )));
        }
    }
    Ok(())
}

/// An output that would replace the quilt or its art is a slip, whatever its name.
fn check_inputs(path: &Path, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let art = quilt.pictures.iter().map(|picture| path.with_file_name("").join(picture));
    let inputs: Vec<PathBuf> =
        art.chain([path.to_owned()]).filter_map(|input| input.canonicalize().ok()).collect();
    for output in outputs.iter().filter(|output| !output.is_stdout()) {
        if output.path.canonicalize().is_ok_and(|real| inputs.contains(&real)) {
            return Err(Failure::Usage(format!(
                "{} is read by the quilt and will not be written over; choose another name with -o",
                output.path.display()
            )));
        }
    }
    Ok(())
}

fn write(
    quilt: &Quilt,
    map: &Tilemap,
    options: &DrawOptions,
    output: &Output,
    path: &Path,
) -> Result<(), Failure> {
    let lattice = map.layout().lattice();
    let other = io::Error::other::<Box<dyn std::error::Error + Send + Sync>>;
    match output.kind {
        Kind::Picture => {
            let picture = draw(map, &quilt.art, options).map_err(Failure::job)?;
            let texts = texts(map);
            let texts: Vec<(&str, &str)> = texts.iter().map(|(k, v)| (*k, v.as_str())).collect();
            save_with(path, |out| picture.write_png(out, &texts).map_err(|e| other(e.into())))
        }
        Kind::Json if output.is_stdout() => return output::write_with(|out| write_json(map, out)),
        Kind::Json => save_with(path, |out| write_json(map, out)),
        Kind::Csv => save_with(path, |out| {
            write_layers(&map.layers, lattice, out).map_err(|e| other(e.into()))
        }),
    }
    .map_err(Failure::job)
}

/// What a picture says about itself.
pub fn texts(map: &Tilemap) -> Vec<(&'static str, String)> {
    vec![
        ("Software", concat!("lantern-quilt ", env!("CARGO_PKG_VERSION")).to_owned()),
        ("Source", map.origin.quilt.clone()),
        ("Seed", map.origin.seed.clone()),
    ]
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
