//! `fill`: quilt to map to files.

use super::again::Kept;
use super::watch;
use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::progress::{Bar, interrupted};
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::explain::explain;
use lantern_quilt::files::{Quilt, save_with, write_csv, write_json};
use lantern_quilt::finding::Severity;
use lantern_quilt::lattice::{Extent, Layout};
use lantern_quilt::map::Tilemap;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::{Outcome, Run, StopReason};
use serde_json::json;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

impl args::Fill {
    /// A plain fill of a quilt, with nothing else asked for.
    pub fn of(quilt: PathBuf) -> Self {
        use clap::Parser as _;
        let words = ["lantern-quilt", "fill", "--"].map(std::ffi::OsString::from);
        let args = args::Args::parse_from(words.into_iter().chain([quilt.into()]));
        match args.command {
            args::Command::Fill(fill) => fill,
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

    fn is_stdout(&self) -> bool {
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
    let mut quilt =
        Quilt::open(&args.quilt, args.root.as_deref()).map_err(|r| Failure::Quilt(Box::new(r)))?;
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
    if let Some(size) = args.size {
        let layout = quilt.layout;
        let extent = Extent::new(layout.extent().origin(), size).map_err(Failure::usage)?;
        quilt.layout =
            Layout::new(layout.lattice(), extent, layout.wrap()).map_err(Failure::usage)?;
    }
    quilt.collapse.limits.cells = args.limit_cells;
    quilt.collapse.limits.bytes = args.limit_memory.saturating_mul(1 << 20);
    quilt.collapse.limits.steps = args.limit_steps;
    let kept = args.from.as_deref().map(|path| Kept::open(path, args, &quilt)).transpose()?;
    if let Some(kept) = &kept {
        quilt.layout = kept.map.layout();
    }
    let seed = match args.seed.as_deref() {
        Some("new") => new_seed(),
        Some(text) => Seed::from_text(text),
        None => kept.as_ref().map_or(&quilt.seed, Kept::seed).clone(),
    };
    let watched = watch::outputs(&args.watch)?;
    check_folders(&watched)?;
    check_inputs(&args.quilt, &quilt, &watched)?;
    let started = now();
    let job = match &kept {
        Some(kept) => kept.refill().job(&quilt.collapse, &seed),
        None => quilt.collapse.job(quilt.layout, &seed),
    };
    let mut run = job.begin().map_err(Failure::job)?;
    {
        let mut bar = Bar::new(args.quiet);
        run.fill_with(&interrupted(), &mut bar);
    }
    let filled_in = started.elapsed();
    let again = kept.as_ref().map(Kept::cells);
    let map = match kept {
        Some(kept) => kept.with(&quilt, &run),
        None => quilt.map_of(&run),
    };
    let done = run.outcome().is_some_and(Outcome::is_filled);
    let mut options = DrawOptions::default();
    options.scale = args.look.scale;
    options.grid = args.look.grid;
    options.coordinates = args.look.coordinates;
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    let mut written = Vec::new();
    for output in &outputs {
        // A failed or stopped fill never touches the output.
        let path = if done || output.is_stdout() { output.path.clone() } else { output.partial() };
        if !done && output.is_stdout() {
            continue;
        }
        write(&quilt, &map, &options, output, &path)?;
        if !output.is_stdout() {
            written.push(path);
        }
    }
    written.extend(watch::write(&args.watch, &quilt, &seed, run.tally().steps)?);
    let (quilt, run, seed, written) = (&quilt, &run, &seed, &written[..]);
    let summary = Summary { quilt, run, seed, again, filled_in, written };
    if done {
        summary.print(args, outputs.iter().any(Output::is_stdout))
    } else {
        if args.json {
            output::print(&format!("{}\n", summary.json()))?;
        }
        Err(Failure::Job(summary.failure(args)))
    }
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
            map.layers
                .iter()
                .try_for_each(|layer| write_csv(layer, lattice, &mut *out))
                .map_err(|e| other(e.into()))
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
fn now() -> Instant {
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

struct Summary<'a> {
    quilt: &'a Quilt,
    run: &'a Run,
    seed: &'a Seed,
    /// How many cells were filled again, of a map that was kept.
    again: Option<usize>,
    filled_in: Duration,
    written: &'a [PathBuf],
}

impl Summary<'_> {
    fn json(&self) -> serde_json::Value {
        let tally = self.run.tally();
        let outcome = match self.run.outcome() {
            Some(Outcome::Filled) => "filled",
            Some(Outcome::Contradiction(_)) => "contradiction",
            Some(Outcome::Impossible(_)) => "impossible",
            _ => "stopped",
        };
        let failed = self.run.outcome().and_then(Outcome::contradiction);
        json!({
            "outcome": outcome,
            "seed": self.seed.text(),
            "filled_again": self.again,
            "size": self.quilt.layout.extent().size(),
            "poses": self.run.rules().poses().len(),
            "tries": tally.attempts,
            "decisions": tally.decisions,
            "backtracks": tally.backtracks,
            "seconds": self.filled_in.as_secs_f64(),
            "failed_cell": failed.map(|at| [at.cell.x, at.cell.y, at.cell.z]),
            "written": self.written,
        })
    }

    fn print(&self, args: &args::Fill, stdout_taken: bool) -> Result<(), Failure> {
        if args.json && !stdout_taken {
            return output::print(&format!("{}\n", self.json()));
        }
        if args.quiet {
            return Ok(());
        }
        let tally = self.run.tally();
        let extent = self.quilt.layout.extent();
        let title = if self.quilt.title.is_empty() { "map" } else { &self.quilt.title };
        let mut text = format!(
            "{title}: {}{} x {} cells of {} poses filled in {:.0} ms, seed \"{}\"",
            self.again.map_or_else(String::new, |again| format!("{again} of ")),
            extent.width(),
            extent.height(),
            self.run.rules().poses().len(),
            self.filled_in.as_secs_f64() * 1000.0,
            self.seed
        );
        if tally.backtracks > 0 {
            text.push_str(&format!(", {}", counted(tally.backtracks, "backtrack")));
        }
        if tally.attempts > 1 {
            text.push_str(&format!(", {}", tries(tally.attempts)));
        }
        for path in self.written {
            text.push_str(&format!("\n  {}", path.display()));
        }
        text.push('\n');
        if stdout_taken {
            anstream::eprint!("{text}");
            Ok(())
        } else {
            output::print(&text)
        }
    }

    /// What went wrong, where, and what to do next.
    fn failure(&self, args: &args::Fill) -> String {
        let tally = self.run.tally();
        let mut text = match self.run.outcome() {
            Some(Outcome::Contradiction(at)) => {
                let words = explain(at, self.run.rules(), self.quilt.collapse.tileset());
                format!(
                    "the map was not filled: after {} and {} {words}\n\
                     draw a tile that fits there, or raise `tries` or `patience` in the recipe",
                    tries(tally.attempts),
                    counted(tally.backtracks, "backtrack")
                )
            }
            Some(Outcome::Impossible(at)) => {
                let words = explain(at, self.run.rules(), self.quilt.collapse.tileset());
                let mut text = format!("the map cannot be filled whatever is chosen: {words}");
                if at.cause.is_some() {
                    text.push_str(
                        "\na border rule, pin or limit leaves nothing for this cell; let it accept more",
                    );
                }
                text
            }
            Some(Outcome::Stopped(StopReason::Steps)) => format!(
                "stopped after {} steps, the limit; raise --limit-steps to go further",
                tally.steps
            ),
            _ => {
                let progress = self.run.progress();
                let partial =
                    self.written.iter().find(|path| path.extension().is_some_and(|e| e == "json"));
                let further = match partial {
                    Some(path) => format!(
                        "`lantern-quilt fill {} --from {}` goes on from there",
                        args.quilt.display(),
                        path.display()
                    ),
                    None => {
                        "the same command fills the map again from the start; with a .json among \
                             its outputs it could go on"
                            .to_owned()
                    }
                };
                format!(
                    "stopped with {} of {} cells decided; {further}",
                    progress.decided, progress.cells
                )
            }
        };
        text.push_str(&format!(" (seed \"{}\")", self.seed));
        if !self.written.is_empty() && !args.quiet {
            text.push_str("\nthe map as far as it came:");
            for path in self.written {
                text.push_str(&format!("\n  {}", path.display()));
            }
        }
        text
    }
}

/// `1 backtrack`, `2 backtracks`.
fn counted(number: u64, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

fn tries(number: u32) -> String {
    if number == 1 { "1 try".to_owned() } else { format!("{number} tries") }
}
