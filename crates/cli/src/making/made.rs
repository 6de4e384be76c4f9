//! Maps whose last pass is no fill: written, drawn and summed up.

use super::asked::drawn;
use super::course::{Course, before};
use super::film;
use super::words::{
    add_sheet, add_steps, counts_json, counts_said, forbidden, mark_wrong, refused, shares_json,
    shares_said, sized, stand_ins_json, stand_ins_said, title_of, unmet_json, with_items,
};
use crate::args;
use crate::failure::Failure;
use crate::output::{self, counted};
use crate::written::{Files, drawn_so};
use lantern_quilt::files::{Output, Quilt};
use lantern_quilt::passes::StandIn;
use lantern_quilt::seed::Seed;
use serde_json::json;

/// Writes a map that no fill ended, and says what was done.
pub fn tell_made(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    course: &Course,
    outputs: &[Output],
) -> Result<(), Failure> {
    let made = &course.made;
    let refused = refused(course, quilt);
    let done = refused.is_none();
    let stand_ins: Vec<StandIn> = made.stand_ins().cloned().collect();
    let mut files = Files::default();
    let mut options = drawn(args, quilt);
    mark_wrong(course, &mut options);
    let mut options = drawn_so(&options, args.look.instances);
    options.page = course.page.clone();
    files.map(quilt, &made.map, &options, outputs, done);
    add_steps(args, course, &mut files);
    if done {
        add_sheet(args, quilt, &made.map, &mut files);
    }
    film::write(args, quilt, seed, course, &mut files);
    film::turn(&args.look, quilt, &made.map, args.quiet, &mut files);
    let written = files.finish();
    let told = json!({
        "outcome": if done { "made" } else if course.error.is_some() { "stopped" } else if forbidden(&stand_ins) { "missing shapes" } else { course.outcome() },
        "seed": seed.text(),
        "size": quilt.layout.extent().size(),
        "layers": made.map.layers().map(|layer| &layer.name).collect::<Vec<_>>(),
        "counts": counts_json(&made.map),
        "shares": shares_json(quilt, &made.map),
        "unmet": unmet_json(&made.unmet),
        "passes": course.json(),
        "stand_ins": stand_ins_json(&stand_ins),
        "seconds": course.took().as_secs_f64(),
        "written": written.paths,
    });
    let stdout_taken = outputs.iter().any(Output::is_stdout);
    if args.json {
        output::tell_json(&told, stdout_taken)?;
    }
    if let Some(text) = refused {
        return written.end(Err(Failure::Job(text)));
    }
    if args.quiet || args.json {
        return written.end(Ok(()));
    }
    let mut text = format!(
        "{}: {} cells in {}{} made in {:.0} ms, seed \"{seed}\"",
        title_of(quilt, args),
        sized(quilt.layout),
        counted(made.map.layers().len() as u64, "layer"),
        with_items(&made.map),
        course.took().as_secs_f64() * 1000.0,
    );
    text.push_str(&counts_said(&made.map));
    text.push_str(&shares_said(quilt, &made.map));
    text.push_str(&course.lines());
    text.push_str(&course.wishes());
    text.push_str(&stand_ins_said(&stand_ins));
    let told = output::tell(text, &written.paths, stdout_taken);
    written.end(told)
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
    files.map(quilt, &before.map, &drawn_so(&options, args.look.instances), outputs, true);
    let written = files.finish();
    let all = quilt.layout.extent().cells();
    let text = format!("{pass}: {count} of {all} cells");
    if args.quiet {
        return written.end(Ok(()));
    }
    let told = output::tell(text, &written.paths, outputs.iter().any(Output::is_stdout));
    written.end(told)
}
