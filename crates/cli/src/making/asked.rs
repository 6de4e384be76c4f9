//! What the arguments ask for: size, seed, outputs, and whether that can be.

use crate::args;
use crate::failure::Failure;
use crate::output::{complain, counted};
use crate::written::drawn_so;
use lantern_quilt::art::TileArt;
use lantern_quilt::compare::Shot;
use lantern_quilt::draw::{DrawOptions, picture_size};
use lantern_quilt::files::{Output, OutputKind, Quilt};
use lantern_quilt::finding::{Severity, allowed, nearest};
use lantern_quilt::lattice::{Extent, Layout};
use lantern_quilt::seed::Seed;
use std::path::{Path, PathBuf};
use std::time::{Instant, SystemTime, UNIX_EPOCH};

/// The quilt of a fill as the arguments change it, in the size that they ask for.
pub fn open(args: &args::Fill) -> Result<Quilt, Failure> {
    let options = args.reading.options().with(args.changes.changes());
    let mut quilt = Quilt::open_with(&args.quilt, &options).map_err(|report| {
        if args.json {
            Failure::Findings(Box::new(report))
        } else {
            Failure::Quilt(Box::new(report))
        }
    })?;
    if !args.quiet && quilt.findings.count(Severity::Warning) > 0 {
        let count = quilt.findings.count(Severity::Warning);
        let s = if count == 1 { "" } else { "s" };
        complain(&format!(
            "{count} warning{s} in {}; run `lantern-quilt check` for details\n",
            quilt.findings.source.name
        ));
    }
    check_until(args, &quilt)?;
    quilt.layout = sized(quilt.layout, args.size)?;
    if let Some(args::Size { depth: None, .. }) = args.size
        && quilt.layout.lattice().is_solid()
        && !args.quiet
    {
        let levels = counted(u64::from(quilt.layout.extent().depth()), "level");
        complain(&format!("--size gives no levels: {levels} as in the quilt; or write WxHxD\n"));
    }
    Ok(quilt)
}

/// That `--until` and `--show-where` name a pass.
fn check_until(args: &args::Fill, quilt: &Quilt) -> Result<(), Failure> {
    let Some(until) = args.until.as_ref().or(args.show_where.as_ref()) else { return Ok(()) };
    let names: Vec<&str> = quilt.recipe.passes().iter().map(|pass| &*pass.name).collect();
    if names.contains(&until.as_str()) {
        return Ok(());
    }
    let near = nearest(until, names.iter().copied());
    let near = near.map(|name| format!("; did you mean `{name}`?")).unwrap_or_default();
    let text = format!("no pass is named `{until}`{near} ({})", allowed(&names));
    Err(Failure::Usage(text))
}

/// The film and the picture of openness that were asked for.
pub fn filmed_outputs(filming: &args::Filming) -> Result<Vec<Output>, Failure> {
    let paths = [("--film", &filming.film), ("--openness", &filming.openness)];
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

/// The layout with another size, if one was asked for.
pub fn sized(layout: Layout, size: Option<args::Size>) -> Result<Layout, Failure> {
    let Some(args::Size { width, height, depth }) = size else { return Ok(layout) };
    let size = [width, height, depth.unwrap_or(layout.extent().depth())];
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

/// The command that makes one of several maps by itself.
pub fn command(
    quilt: &Path,
    shot: &Shot,
    size: Option<args::Size>,
    reading: &args::Reading,
) -> String {
    let mut words = vec!["lantern-quilt".to_owned(), "fill".to_owned()];
    words.push(quilt.display().to_string());
    words.extend(shot.words());
    if let Some(args::Size { width, height, depth }) = size {
        let depth = depth.map_or_else(String::new, |depth| format!("x{depth}"));
        words.extend(["--size".to_owned(), format!("{width}x{height}{depth}")]);
    }
    if let Some(root) = &reading.root {
        words.extend(["--root".to_owned(), root.display().to_string()]);
    }
    words.iter().map(|word| quoted(word)).collect::<Vec<_>>().join(" ")
}

/// How the picture is drawn.
pub fn drawn(args: &args::Fill, quilt: &Quilt) -> DrawOptions {
    args.look.apply(quilt.look(), quilt.layout)
}

/// The files a map is written to: those asked for, or a picture and JSON beside the quilt.
pub fn outputs(args: &args::Fill) -> Result<Vec<Output>, Failure> {
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
pub fn sheet_outputs(args: &args::Fill) -> Result<Vec<Output>, Failure> {
    let mut outputs = Vec::new();
    let pictures =
        [("--sheet", &args.sheet), ("--steps", &args.steps), ("--turntable", &args.look.turntable)];
    for (word, path) in pictures {
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
pub fn check_sizes(args: &args::Fill, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let options = drawn_so(&drawn(args, quilt), args.look.instances);
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
    let cells = TileArt::new(openness_cell(quilt));
    fits(&args.filming.openness, &cells, &DrawOptions::default())?;
    fits(&args.filming.film, &quilt.art, &quilt.look())?;
    fits(&args.steps, &quilt.art, &options.draw)
}

/// That a map has no more cells than it may have.
pub fn check_cells(layout: Layout, most: u64) -> Result<(), Failure> {
    let cells = layout.extent().cells() as u64;
    if cells <= most {
        return Ok(());
    }
    let text = format!("{cells} cells are over the limit of {most}; raise --limit-cells");
    Err(Failure::Job(text))
}

/// An output that would replace the quilt or its art is a slip, whatever its name.
pub fn check_inputs<'o>(
    path: &Path,
    quilt: &Quilt,
    outputs: impl Iterator<Item = &'o Output>,
) -> Result<(), Failure> {
    let art = quilt.pictures.iter().map(|picture| path.with_file_name("").join(picture));
    let inputs: Vec<PathBuf> =
        art.chain([path.to_owned()]).filter_map(|input| input.canonicalize().ok()).collect();
    for output in outputs.filter(|output| !output.is_stdout()) {
        if output.path().canonicalize().is_ok_and(|real| inputs.contains(&real)) {
            let path = output.path();
            let shown = path.display();
            let stem = path.file_stem().unwrap_or_default().to_string_lossy();
            let ending = path.extension().unwrap_or_default().to_string_lossy();
            let other = path.with_file_name(format!("{stem}-map.{ending}"));
            return Err(Failure::Usage(format!(
                "{shown} is read by the quilt and will not be written over; choose another name, \
                 such as -o {}",
                quoted(&other.display().to_string())
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
