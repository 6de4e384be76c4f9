//! Many maps of one quilt in one run, each written when it is done.

use super::asked::{check_cells, check_inputs, check_sizes, command, drawn, now, open, seed_of};
use super::course::{STEPS, alone};
use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::progress::{counting, interrupted};
use crate::written::{Files, drawn_so};
use lantern_quilt::compare::{Axis, ComparedMap, Shot};
use lantern_quilt::files::{Output, Quilt};
use lantern_quilt::limits::Crew;
use lantern_quilt::observe::Silent;
use lantern_quilt::recipe::MakeStatus;
use lantern_quilt::seed::Seed;
use lantern_quilt::solve::Outcome;
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// The placeholder for the number of a map in the name of a file.
const NUMBER: &str = "{n}";

/// A map that was made and written.
struct Row {
    seed: Seed,
    tries: u32,
    took: Duration,
    written: Vec<PathBuf>,
    /// Why it is not what the quilt demands, or was not written.
    failure: Option<String>,
}

pub fn run(args: &args::Fill, count: u32) -> Result<(), Failure> {
    let names = names(&args.out, count)?;
    let quilt = open(args)?;
    args.look.check_names(&quilt.part_names())?;
    for output in names.iter().flatten() {
        output.check_place().map_err(Failure::job)?;
    }
    check_inputs(&args.quilt, &quilt, names.iter().flatten())?;
    check_sizes(args, &quilt, &names[0])?;
    check_cells(quilt.layout, args.limit_cells)?;
    let changes = args.changes.changes();
    let seed = seed_of(args, &quilt.seed);
    let shots = Shot::all(&[Axis::Seeds(count as usize)], &changes, &seed);
    let stop = interrupted();
    let rows: Mutex<Vec<Option<Row>>> = Mutex::new(shots.iter().map(|_| None).collect());
    let bar = counting("filling", u64::from(count), args.quiet);
    let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
    crew.each(shots.len(), &|number| {
        if stop.load(Ordering::Relaxed) {
            return;
        }
        let row = fill(args, &quilt, &shots[number].seed, &names[number], &stop);
        if let Ok(mut rows) = rows.lock() {
            rows[number] = Some(row);
        }
        bar.inc(1);
    });
    bar.finish_and_clear();
    let rows: Vec<Row> = rows.into_inner().unwrap_or_default().into_iter().flatten().collect();
    tell(args, &rows, count as usize)
}

/// The outputs of each map. Every name must be one map's own.
fn names(asked: &[PathBuf], count: u32) -> Result<Vec<Vec<Output>>, Failure> {
    let example = "such as -o 'garden-{n}.png'";
    if asked.is_empty() {
        let text = format!("say where the maps of --seeds go, {example}");
        return Err(Failure::Usage(text));
    }
    let width = count.to_string().len();
    let mut taken = BTreeSet::new();
    let mut all = Vec::new();
    for number in 1..=count {
        let mut outputs = Vec::new();
        for path in asked {
            let shown = path.display();
            let usage = |text: String| Failure::Usage(text);
            let text = path.to_str().filter(|text| text.contains(NUMBER)).ok_or_else(|| {
                usage(format!(
                    "{shown} is one file for {count} maps; put {NUMBER} into it, {example}"
                ))
            })?;
            let output = Output::of(Path::new(&text.replace(NUMBER, &format!("{number:0width$}"))));
            let output = output.map_err(Failure::usage)?;
            for path in output.may_write() {
                if !taken.insert(path.clone()) {
                    let text = format!(
                        "{} would be written twice; give each -o a name of its own",
                        path.display()
                    );
                    return Err(usage(text));
                }
            }
            outputs.push(output);
        }
        all.push(outputs);
    }
    Ok(all)
}

/// Makes one map and writes it.
fn fill(
    args: &args::Fill,
    quilt: &Quilt,
    seed: &Seed,
    outputs: &[Output],
    stop: &Arc<AtomicBool>,
) -> Row {
    let started = now();
    let mut maker = alone(args, quilt, seed);
    loop {
        match maker.advance_with(STEPS, stop, &mut Silent) {
            MakeStatus::Done(number)
                if args.until.as_ref() == Some(&maker.passes()[number].name) =>
            {
                break;
            }
            MakeStatus::Working | MakeStatus::Done(_) => {}
            MakeStatus::Ended => break,
        }
    }
    let error = maker.error().cloned();
    let (made, run) = maker.finish_with_run();
    let taken = ComparedMap::of(made, error);
    let took = started.elapsed();
    let mut options = drawn(args, quilt);
    let outcome = run.as_ref().and_then(|run| run.outcome());
    options.failed.extend(outcome.and_then(Outcome::contradiction).map(|at| at.cell));
    let mut files = Files::default();
    let mut options = drawn_so(&options, args.look.instances);
    options.page = quilt.page_details();
    files.map(quilt, &taken.map, &options, outputs, taken.failure.is_none());
    let written = files.finish();
    let unwritten = written.failures().first().cloned();
    Row {
        seed: seed.clone(),
        tries: taken.tries,
        took,
        failure: unwritten.or(taken.failure),
        written: written.paths,
    }
}

/// A line a map, and how many came out.
fn tell(args: &args::Fill, rows: &[Row], count: usize) -> Result<(), Failure> {
    let again = |row: &Row| {
        let changes = args.changes.changes();
        let shot = Shot { label: Vec::new(), changes, seed: row.seed.clone() };
        command(&args.quilt, &shot, args.size, &args.reading)
    };
    let good = rows.iter().filter(|row| row.failure.is_none()).count();
    if args.json {
        let maps = rows.iter().map(|row| {
            json!({
                "seed": row.seed.text(),
                "tries": row.tries,
                "seconds": row.took.as_secs_f64(),
                "failure": row.failure,
                "written": row.written,
                "command": again(row),
            })
        });
        let told = json!({ "maps": maps.collect::<Vec<_>>(), "good": good, "asked": count });
        output::print(&format!("{told}\n"))?;
    } else if !args.quiet {
        let seeds = rows.iter().map(|row| row.seed.text().chars().count()).max().unwrap_or(0);
        let width = count.to_string().len();
        let mut text = String::new();
        for (number, row) in rows.iter().enumerate() {
            let tries = match row.tries {
                0 => String::new(),
                1 => ", 1 try".to_owned(),
                many => format!(", {many} tries"),
            };
            let took = format!("{:.0} ms{tries}", row.took.as_secs_f64() * 1000.0);
            let files: Vec<String> =
                row.written.iter().map(|path| path.display().to_string()).collect();
            let end = match &row.failure {
                Some(failure) => format!("{failure}  {}", files.join(" ")),
                None => files.join(" "),
            };
            text.push_str(&format!(
                "{:>width$}  {:seeds$}  {took:<16}  {}\n",
                number + 1,
                row.seed.text(),
                end.trim_end(),
            ));
        }
        text.push_str(&format!("{good} of {count} maps meet the demands of the quilt\n"));
        if let Some(row) = rows.first() {
            text.push_str(&format!("one of them again: {}\n", again(row)));
        }
        output::print(&text)?;
    }
    if rows.len() < count {
        let text = format!("stopped after {} of {count} maps; those are written", rows.len());
        return Err(Failure::Job(text));
    }
    if good < count {
        let s = if count - good == 1 { "" } else { "s" };
        let text = format!("{} map{s} failed to meet the demands of the quilt", count - good);
        return Err(Failure::Job(text));
    }
    Ok(())
}
