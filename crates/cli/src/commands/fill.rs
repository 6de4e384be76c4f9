//! `fill`: quilt to map to files.

use crate::args;
use crate::failure::Failure;
use crate::making::asked::{
    check_cells, check_inputs, check_sizes, drawn, filmed_outputs, now, open, outputs, seed_of,
    sheet_outputs,
};
use crate::making::course::{follow, limits};
use crate::making::film;
use crate::making::kept::Kept;
use crate::making::made::{show_where, tell_made};
use crate::making::many;
use crate::making::pieces::{self, Wanted};
use crate::making::summary::Summary;
use crate::making::words::{add_sheet, add_steps, mark_wrong, refused};
use crate::output;
use crate::progress::{Bar, interrupted};
use crate::written::{Files, drawn_so};
use lantern_quilt::draw::{DrawOptions, wanted_board};
use lantern_quilt::files::{Blame, Output, Quilt};
use lantern_quilt::grid::BitPlane;
use lantern_quilt::passes::{Collapse, FillStep};
use lantern_quilt::picture::{Picture, Rgba};
use lantern_quilt::solve::{About, Outcome, Run};
use lantern_quilt::threads::Threads;
use std::path::PathBuf;
use std::sync::Arc;

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
    if let Some(count) = args.seeds {
        return many::run(args, count);
    }
    let outputs = outputs(args)?;
    let quilt = open(args)?;
    args.look.check_names(&quilt.part_names())?;
    let beside = [sheet_outputs(args)?, filmed_outputs(&args.filming)?].concat();
    for output in outputs.iter().chain(&beside) {
        output.check_place().map_err(Failure::job)?;
    }
    check_inputs(&args.quilt, &quilt, outputs.iter().chain(&beside))?;
    if args.from.is_none() {
        check_sizes(args, &quilt, &outputs)?;
    }
    if quilt.fills().next().is_none() {
        return make(args, &quilt, &outputs);
    }
    let kept = args.from.as_deref().map(|path| Kept::open(path, args, &quilt)).transpose()?;
    if let Some(kept) = kept {
        return fill_again(args, quilt, kept, &outputs);
    }
    let seed = seed_of(args, &quilt.seed);
    if let Some(pass) = &args.show_where {
        return show_where(args, &quilt, &seed, pass, &outputs);
    }
    let course = follow(args, &quilt, &seed, &outputs)?;
    let last = course.made.fills.last().and_then(|fill| quilt.recipe.find(&fill.pass));
    let fill = last.and_then(|pass| pass.step_as::<FillStep>());
    let Some((run, fill)) = course.run.as_ref().zip(fill) else {
        return tell_made(args, &quilt, &seed, &course, &outputs);
    };
    let collapse = asked_of(args, &fill.collapse);
    let filled = run.outcome().is_some_and(Outcome::is_filled);
    let refused = refused(&course, &quilt).filter(|_| filled);
    let done = filled && refused.is_none();
    let mut options = drawn(args, &quilt);
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    if collapse.fallback.is_none() {
        options.failed.extend(run.holes());
    }
    mark_wrong(&course, &mut options);
    if !filled {
        tint_broken(run, &mut options);
    }
    let blame = blame(&quilt, &collapse, run);
    let mut files = Files::default();
    let mut options = drawn_so(&options, args.look.instances);
    options.page = course.page.clone();
    let wanted = Wanted::of(&quilt, &collapse, &course.made.map, run);
    options.below =
        wanted_below(&quilt, &collapse, run).or_else(|| wanted.board(&quilt, &collapse));
    files.map(&quilt, &course.made.map, &options, &outputs, done);
    add_steps(args, &course, &mut files);
    if done {
        add_sheet(args, &quilt, &course.made.map, &mut files);
    }
    film::write(args, &quilt, &seed, &course, &mut files);
    film::turn(&args.look, &quilt, &course.made.map, args.quiet, &mut files);
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
        wanted: &wanted,
    };
    let placed = placeholders(args, &quilt, &wanted);
    let ended = summary.end(args, refused, outputs.iter().any(Output::is_stdout));
    written.end(ended.and(placed))
}

/// What a failed fill could not keep: pieces each in a colour of their own and what cuts them apart, or what is counted
/// and where more of it could stand.
fn tint_broken(run: &Run, options: &mut DrawOptions) {
    const PARTS: [Rgba; 6] = [
        [246, 178, 74, 150],
        [90, 190, 235, 150],
        [235, 120, 110, 150],
        [160, 220, 120, 150],
        [200, 170, 245, 150],
        [245, 235, 160, 150],
    ];
    const CUT: Rgba = [255, 255, 255, 150];
    const OPEN: Rgba = [90, 190, 235, 70];
    const FAINT: u8 = 50;
    let broken = run.outcome().and_then(Outcome::contradiction).and_then(|at| at.broken);
    let Some(broken) = broken else { return };
    let About { parts, cut, open, .. } = run.about(broken.rule);
    for (part, [r, g, b, strong]) in parts.into_iter().zip(PARTS.into_iter().cycle()) {
        // What only could belong to it is hinted at.
        let is_decided = |cell| run.decided(cell).is_some();
        for (decided, alpha) in [(true, strong), (false, FAINT)] {
            let some = |cell| part.get(cell) && is_decided(cell) == decided;
            options.tinted.push((BitPlane::from_fn(part.extent(), some), [r, g, b, alpha]));
        }
    }
    options.tinted.extend([(cut, CUT), (open, OPEN)]);
}

/// A fill with what the arguments ask of it.
fn asked_of(args: &args::Fill, collapse: &Collapse) -> Collapse {
    let mut collapse = collapse.clone();
    collapse.limits = limits(args);
    collapse.search.climb = args.climb.unwrap_or(collapse.search.climb);
    collapse.search.holes |= args.holes;
    collapse.search.record_decisions |= args.decided;
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
    let collapse = asked_of(args, quilt.collapse().expect("a recipe that fills"));
    let collapse = &collapse.worked_out(&kept.map, &seed);
    let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
    let job = kept.refill().job(collapse, &seed).crew(Arc::new(crew));
    let mut run = job.begin().map_err(Failure::job)?;
    run.fill_with(&interrupted(), &mut Bar::new(args.quiet));
    let filled_in = started.elapsed();
    let again = Some(kept.cells());
    let map = kept.with(collapse, &run);
    let done = run.outcome().is_some_and(Outcome::is_filled);
    let mut options = drawn(args, &quilt);
    tint_broken(&run, &mut options);
    options.failed.extend(run.outcome().and_then(Outcome::contradiction).map(|at| at.cell));
    if collapse.fallback.is_none() {
        options.failed.extend(run.holes());
    }
    let mut files = Files::default();
    let mut options = drawn_so(&options, args.look.instances);
    options.page = quilt.page_details();
    let wanted = Wanted::of(&quilt, collapse, &map, &run);
    options.below = wanted_below(&quilt, collapse, &run).or_else(|| wanted.board(&quilt, collapse));
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
        blame: blame(&quilt, collapse, &run),
        written: &written.paths,
        stand_ins: Vec::new(),
        course: None,
        wanted: &wanted,
    };
    let placed = placeholders(args, &quilt, &wanted);
    let ended = summary.end(args, None, outputs.iter().any(Output::is_stdout));
    written.end(ended.and(placed))
}

/// Writes the placeholders that were asked for.
fn placeholders(args: &args::Fill, quilt: &Quilt, wanted: &Wanted) -> Result<(), Failure> {
    let Some(folder) = &args.pieces else { return Ok(()) };
    let (_, text) = pieces::write(folder, quilt, &wanted.pieces)?;
    if !args.quiet {
        output::complain(&text);
    }
    Ok(())
}

/// Why no fill exists.
fn blame(quilt: &Quilt, collapse: &Collapse, run: &Run) -> Option<Blame> {
    quilt.blame(run, collapse.search.climb, &collapse.limits, &interrupted())
}

/// Makes a map without any fill.
fn make(args: &args::Fill, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let asked = [
        ("--from", args.from.is_some()),
        ("--openness", args.filming.openness.is_some()),
        ("--climb", args.climb.is_some()),
        ("--holes", args.holes),
        ("--pieces", args.pieces.is_some()),
    ];
    if let Some((word, _)) = asked.into_iter().find(|(_, asked)| *asked) {
        return Err(Failure::Usage(format!(
            "{word} is about filling, and this recipe has no `collapse` pass"
        )));
    }
    check_cells(quilt.layout, args.limit_cells)?;
    let seed = seed_of(args, &quilt.seed);
    if let Some(pass) = &args.show_where {
        return show_where(args, quilt, &seed, pass, outputs);
    }
    let course = follow(args, quilt, &seed, outputs)?;
    tell_made(args, quilt, &seed, &course, outputs)
}

/// A picture of the window that a failed fill wanted, drawn below the map.
fn wanted_below(quilt: &Quilt, collapse: &Collapse, run: &Run) -> Option<Picture> {
    let at = run.outcome().and_then(Outcome::contradiction)?;
    let window = collapse.explain(at, run).window?;
    wanted_board(collapse.tileset(), &window, &quilt.art, 0).ok()
}
