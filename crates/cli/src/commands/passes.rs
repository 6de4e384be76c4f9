//! Recipes without a fill, and what the passes beside one have to say.

use super::fill::{Output, drawn, now, seed_of, write_all, write_sheet};
use crate::args;
use crate::failure::Failure;
use crate::output;
use lantern_quilt::draw::{draw, side_by_side};
use lantern_quilt::files::{Made, Quilt, save_with};
use lantern_quilt::finding::{allowed, nearest};
use lantern_quilt::passes::StandIn;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Run;
use serde_json::json;
use std::io;
use std::path::PathBuf;

/// Missing shapes that are listed.
const LISTED: usize = 6;

/// Makes a map of plans and shapes alone.
pub fn run(args: &args::Fill, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let asked = [
        ("--from", args.from.is_some()),
        ("--film", args.watch.film.is_some()),
        ("--openness", args.watch.openness.is_some()),
        ("--climb", args.climb.is_some()),
        ("--holes", args.holes),
    ];
    if let Some((word, _)) = asked.into_iter().find(|(_, asked)| *asked) {
        return Err(Failure::Usage(format!(
            "{word} is about filling, and this recipe has no `collapse` pass"
        )));
    }
    let extent = quilt.layout.extent();
    let cells = extent.cells() as u64;
    if cells > args.limit_cells {
        let most = args.limit_cells;
        let text = format!("{cells} cells are over the limit of {most}; raise --limit-cells");
        return Err(Failure::Job(text));
    }
    let seed = seed_of(args, &quilt.seed);
    if let Some(pass) = &args.show_where {
        return show_where(args, quilt, &seed, None, pass, outputs);
    }
    let started = now();
    let (made, steps) = make(args, quilt, &seed, None)?;
    let took = started.elapsed();
    let done = !forbidden(&made.stand_ins);
    let mut written = write_all(quilt, &made.map, &drawn(args, quilt), outputs, done)?;
    written.extend(steps);
    if let Some(path) = args.sheet.as_ref().filter(|_| done) {
        written.extend(write_sheet(path, quilt, &made.map)?);
    }
    let told = json!({
        "outcome": if done { "made" } else { "missing shapes" },
        "seed": seed.text(),
        "size": extent.size(),
        "layers": made.map.layers.iter().map(|layer| &layer.name).collect::<Vec<_>>(),
        "stand_ins": stand_ins_json(&made.stand_ins),
        "seconds": took.as_secs_f64(),
        "written": written,
    });
    let stdout_taken = outputs.iter().any(Output::is_stdout);
    if args.json && !stdout_taken {
        output::print(&format!("{told}\n"))?;
    }
    if !done {
        return Err(Failure::Job(refusal(&made.stand_ins)));
    }
    if args.quiet || args.json && !stdout_taken {
        return Ok(());
    }
    let title = if quilt.title.is_empty() { "map" } else { &quilt.title };
    let layers = made.map.layers.len();
    let mut text = format!(
        "{title}: {} x {} cells in {layers} layer{} made in {:.0} ms, seed \"{seed}\"",
        extent.width(),
        extent.height(),
        if layers == 1 { "" } else { "s" },
        took.as_secs_f64() * 1000.0,
    );
    text.push_str(&stand_ins_said(&made.stand_ins));
    output::tell(text, &written, stdout_taken)
}

/// Follows the recipe as far as was asked for, drawing it pass by pass; says what was written.
pub fn make(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    run: Option<&Run>,
) -> Result<(Made, Option<PathBuf>), Failure> {
    let options = drawn(args, quilt);
    let mut frames = Vec::new();
    let mut failed = None;
    let made = quilt.make_stepwise(quilt.layout, seed, run, &mut |name, map| {
        if args.steps.is_some() {
            match draw(map, &quilt.art, &options) {
                Ok(picture) => frames.push((name.to_owned(), picture)),
                Err(error) => failed = Some(error),
            }
        }
        failed.is_none() && args.until.as_deref() != Some(name)
    });
    if let Some(error) = failed {
        return Err(Failure::job(error));
    }
    if let Some(path) = &args.steps {
        let picture = side_by_side(&frames).map_err(Failure::job)?;
        save_with(path, |out| picture.write_png(out, &[]).map_err(io::Error::other))
            .map_err(Failure::job)?;
    }
    Ok((made, args.steps.clone()))
}

/// Draws the cells that a pass would use, and says how many they are.
pub fn show_where(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    run: Option<&Run>,
    pass: &str,
    outputs: &[Output],
) -> Result<(), Failure> {
    let Some((map, cells)) = quilt.cells_of(quilt.layout, seed, run, pass) else {
        let text = format!("the pass `{pass}` has no `where`: it is one of the whole map");
        return Err(Failure::Usage(text));
    };
    let mut options = drawn(args, quilt);
    let count = cells.count();
    options.chosen = Some(cells);
    let written = write_all(quilt, &map, &options, outputs, true)?;
    let all = quilt.layout.extent().cells();
    let text = format!("{pass}: {count} of {all} cells");
    if args.quiet {
        return Ok(());
    }
    output::tell(text, &written, outputs.iter().any(Output::is_stdout))
}

/// That `--until` and `--show-where` name a pass.
pub fn check_until(args: &args::Fill, quilt: &Quilt) -> Result<(), Failure> {
    let Some(until) = args.until.as_ref().or(args.show_where.as_ref()) else { return Ok(()) };
    let names: Vec<&str> = quilt.recipe.iter().map(|step| step.name(quilt)).collect();
    if names.contains(&until.as_str()) {
        return Ok(());
    }
    let near = nearest(until, names.iter().copied());
    let near = near.map(|name| format!("; did you mean `{name}`?")).unwrap_or_default();
    let text = format!("no pass is named `{until}`{near} ({})", allowed(&names));
    Err(Failure::Usage(text))
}

/// Whether a strict set misses a shape.
pub fn forbidden(stand_ins: &[StandIn]) -> bool {
    stand_ins.iter().any(|one| one.strict)
}

/// Why the map was not written.
pub fn refusal(stand_ins: &[StandIn]) -> String {
    let strict: Vec<StandIn> = stand_ins.iter().filter(|one| one.strict).cloned().collect();
    format!(
        "the map needs shapes that no tile has, and the set is strict:{}\n\
         draw them, or take `strict` out to let the nearest stand in",
        lines(&strict)
    )
}

/// The same as lines of a summary.
pub fn stand_ins_said(stand_ins: &[StandIn]) -> String {
    if stand_ins.is_empty() {
        return String::new();
    }
    let cells: u64 = stand_ins.iter().map(|one| one.count).sum();
    let s = if cells == 1 { "" } else { "s" };
    format!("\n  {cells} cell{s} without a tile of their shape:{}", lines(stand_ins))
}

fn lines(stand_ins: &[StandIn]) -> String {
    let mut text = String::new();
    for one in stand_ins.iter().take(LISTED) {
        let places: Vec<String> = one.first.iter().take(3).map(ToString::to_string).collect();
        let dots = if one.count > 3 { ", ..." } else { "" };
        let tile = one.tile.as_deref().unwrap_or("nothing");
        text.push_str(&format!(
            "\n    {}: {}, {} times, at {}{dots}; `{tile}` stands in",
            one.set,
            one.wanted,
            one.count,
            places.join("; "),
        ));
    }
    if stand_ins.len() > LISTED {
        text.push_str(&format!("\n    and {} shapes more", stand_ins.len() - LISTED));
    }
    text
}

pub fn stand_ins_json(stand_ins: &[StandIn]) -> serde_json::Value {
    let one = |one: &StandIn| {
        json!({
            "shapes": one.set,
            "wanted": one.wanted,
            "tile": one.tile,
            "count": one.count,
            "first": one.first.iter().map(|cell| [cell.x, cell.y]).collect::<Vec<_>>(),
        })
    };
    stand_ins.iter().map(one).collect()
}
