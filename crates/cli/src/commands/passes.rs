//! Recipes without a fill, and what the passes beside one have to say.

use super::course::{Course, before, follow};
use super::fill::{add_sheet, add_steps, drawn, seed_of};
use super::film;
use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::written::Files;
use lantern_quilt::files::{Output, Quilt};
use lantern_quilt::finding::{allowed, nearest};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::StandIn;
use lantern_quilt::recipe::MakeError;
use lantern_quilt::seed::Seed;
use serde_json::json;

/// Missing shapes that are listed.
const LISTED: usize = 6;

/// Makes a map without any fill.
pub fn run(args: &args::Fill, quilt: &Quilt, outputs: &[Output]) -> Result<(), Failure> {
    let asked = [
        ("--from", args.from.is_some()),
        ("--openness", args.watch.openness.is_some()),
        ("--climb", args.climb.is_some()),
        ("--holes", args.holes),
    ];
    if let Some((word, _)) = asked.into_iter().find(|(_, asked)| *asked) {
        return Err(Failure::Usage(format!(
            "{word} is about filling, and this recipe has no `collapse` pass"
        )));
    }
    let cells = quilt.layout.extent().cells() as u64;
    if cells > args.limit_cells {
        let most = args.limit_cells;
        let text = format!("{cells} cells are over the limit of {most}; raise --limit-cells");
        return Err(Failure::Job(text));
    }
    let seed = seed_of(args, &quilt.seed);
    if let Some(pass) = &args.show_where {
        return show_where(args, quilt, &seed, pass, outputs);
    }
    let course = follow(args, quilt, &seed)?;
    tell_made(args, quilt, &seed, &course, outputs)
}

/// Writes a map that no fill ended, and says what was done.
pub fn tell_made(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    course: &Course,
    outputs: &[Output],
) -> Result<(), Failure> {
    let extent = quilt.layout.extent();
    let made = &course.made;
    let refused = refused(course);
    let done = refused.is_none();
    let stand_ins: Vec<StandIn> = made.stand_ins().cloned().collect();
    let mut files = Files::default();
    files.map(quilt, &made.map, &drawn(args, quilt), outputs, done);
    add_steps(args, course, &mut files);
    if done {
        add_sheet(args, quilt, &made.map, &mut files);
    }
    film::write(args, quilt, seed, &course.steps(), &mut files);
    let written = files.finish();
    let told = json!({
        "outcome": if done { "made" } else if course.error.is_some() { "stopped" } else if forbidden(&stand_ins) { "missing shapes" } else { "too few" },
        "seed": seed.text(),
        "size": extent.size(),
        "layers": made.map.layers().map(|layer| &layer.name).collect::<Vec<_>>(),
        "items": made.map.items().len(),
        "passes": course.json(),
        "stand_ins": stand_ins_json(&stand_ins),
        "seconds": course.took().as_secs_f64(),
        "written": written.paths,
    });
    let stdout_taken = outputs.iter().any(Output::is_stdout);
    if args.json && !stdout_taken {
        output::print(&format!("{told}\n"))?;
    }
    if let Some(text) = refused {
        return written.end(Err(Failure::Job(text)));
    }
    if args.quiet || args.json && !stdout_taken {
        return written.end(Ok(()));
    }
    let title = if quilt.title.is_empty() { "map" } else { &quilt.title };
    let layers = made.map.layers().len();
    let mut text = format!(
        "{title}: {} x {} cells in {layers} layer{}{} made in {:.0} ms, seed \"{seed}\"",
        extent.width(),
        extent.height(),
        if layers == 1 { "" } else { "s" },
        with_items(&made.map),
        course.took().as_secs_f64() * 1000.0,
    );
    text.push_str(&course.lines());
    text.push_str(&course.wishes());
    text.push_str(&stand_ins_said(&stand_ins));
    let told = output::tell(text, &written.paths, stdout_taken);
    written.end(told)
}

/// `, 12 items`, when there are any.
pub fn with_items(map: &Tilemap) -> String {
    match map.items().len() {
        0 => String::new(),
        1 => ", 1 item".to_owned(),
        many => format!(", {many} items"),
    }
}

/// Why a map that was made is not written.
pub fn refused(course: &Course) -> Option<String> {
    if let Some(MakeError::Stopped { pass }) = &course.error {
        let text = "the same command makes the map again from the start";
        return Some(format!("stopped in the pass `{pass}`; {text}"));
    }
    let stand_ins: Vec<StandIn> = course.made.stand_ins().cloned().collect();
    let shapes = forbidden(&stand_ins).then(|| refusal(&stand_ins));
    let texts: Vec<String> = shapes.into_iter().chain(course.refusal()).collect();
    (!texts.is_empty()).then(|| texts.join("\n"))
}

/// Draws the cells that a pass would use, and says how many they are.
pub fn show_where(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    pass: &str,
    outputs: &[Output],
) -> Result<(), Failure> {
    let before = before(args, quilt, seed, pass)?;
    let mut options = drawn(args, quilt);
    let count = before.cells.count();
    options.chosen = Some(before.cells);
    let mut files = Files::default();
    files.map(quilt, &before.map, &options, outputs, true);
    let written = files.finish();
    let all = quilt.layout.extent().cells();
    let text = format!("{pass}: {count} of {all} cells");
    if args.quiet {
        return written.end(Ok(()));
    }
    let told = output::tell(text, &written.paths, outputs.iter().any(Output::is_stdout));
    written.end(told)
}

/// That `--until` and `--show-where` name a pass.
pub fn check_until(args: &args::Fill, quilt: &Quilt) -> Result<(), Failure> {
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
