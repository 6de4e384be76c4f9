//! `compare`: a contact sheet over seeds, swept values or variants, and a table of what differs.

use crate::args;
use crate::failure::Failure;
use crate::making::asked::{check_cells, command, now, seed_text, sized};
use crate::making::words::{SHARES, share_json, shares, shares_listed};
use crate::output;
use crate::progress::{counting, interrupted};
use lantern_quilt::audit::lean::{Lean, lean};
use lantern_quilt::audit::shares::ReachedShare;
use lantern_quilt::compare::{Axis, MOST_SHOTS, Shot, Tallies};
use lantern_quilt::draw::{Headings, Print, columns_of, contact_sheet, draw, fit, print_width};
use lantern_quilt::files::{Changes, Quilt, Report, save_with};
use lantern_quilt::lattice::Layout;
use lantern_quilt::limits::{Crew, Limits};
use lantern_quilt::passes::FillStep;
use lantern_quilt::picture::Picture;
use lantern_quilt::recipe::Pass;
use lantern_quilt::threads::Threads;
use serde_json::json;
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::Ordering;
use std::time::Duration;

/// The orders that are compared.
const ORDERS: [&str; 6] = ["entropy", "options", "random", "grow", "rows", "{ from = \"centre\" }"];

/// A map that was made and drawn.
/// Shares written below a picture, at most.
const FIGURES: usize = 6;

struct Row {
    picture: Picture,
    tallies: Tallies,
    tries: u32,
    failure: Option<String>,
    took: Duration,
    shares: Vec<ReachedShare>,
    /// How the order of its fill leans, when orders are compared.
    lean: Option<Lean>,
}

impl Row {
    /// What is written below the picture when orders are compared.
    fn figures(&self) -> Vec<String> {
        let lean = self.lean.map(|lean| format!("lean {}", lean.in_words()));
        let mut figures = vec![seconds(self.took)];
        figures.extend(lean);
        figures.extend(shares_listed(&self.shares, FIGURES));
        figures
    }
}

/// A time that may be short or long.
fn seconds(took: Duration) -> String {
    match took.as_secs_f64() {
        short if short < 1.0 => format!("{:.0} ms", short * 1000.0),
        long => format!("{long:.1} s"),
    }
}

pub fn run(args: &args::Compare) -> Result<(), Failure> {
    let is_picture = args.out.extension().is_some_and(|e| e.eq_ignore_ascii_case("png"));
    if !is_picture {
        let text = format!("compare writes a picture: end {} in .png", args.out.display());
        return Err(Failure::Usage(text));
    }
    let folder = args.out.parent().filter(|folder| !folder.as_os_str().is_empty());
    if let Some(folder) = folder.filter(|folder| !folder.is_dir()) {
        let text = format!("the folder {} does not exist; make it first", folder.display());
        return Err(Failure::Job(text));
    }
    let changes = args.changes.changes();
    let open = |changes: &Changes| {
        Quilt::open_with(&args.quilt, &args.reading.options().with(changes.clone()))
            .map_err(|report: Report| Failure::Quilt(Box::new(report)))
    };
    let plain = open(&changes)?;
    let layout = sized(plain.layout, args.size)?;
    let seed = args.seed.as_deref().map_or_else(|| plain.seed.clone(), seed_text);
    let mut axes = axes(args, &plain)?;
    // Sweeps come first. Fractions that are written are meant.
    let is_whole_range = |sweep: &String| {
        let values = sweep.split_once('=').map_or("", |(_, values)| values);
        values.split_once("..").is_some_and(|(from, to)| !from.contains('.') && !to.contains('.'))
    };
    for (axis, _) in axes.iter_mut().zip(&args.sweep).filter(|(_, sweep)| is_whole_range(sweep)) {
        leave_fractions_out(axis, &changes, &open)?;
    }
    let shots = Shot::all(&axes, &changes, &seed);
    if shots.len() > MOST_SHOTS {
        let text =
            format!("{} maps are too many to be looked at; {MOST_SHOTS} are the most", shots.len());
        return Err(Failure::Usage(text));
    }
    // Every quilt is read before any map is made, so that mistakes come first.
    let mut quilts: Vec<(Changes, Quilt)> = Vec::new();
    for shot in &shots {
        if !quilts.iter().any(|(known, _)| *known == shot.changes) {
            quilts.push((shot.changes.clone(), open(&shot.changes)?));
        }
    }
    // The maps of a sweep over the size have sizes of their own.
    let layout_of = |quilt: &Quilt| if args.size.is_some() { layout } else { quilt.layout };
    let columns = match &axes[..] {
        [first, _] => first.len() as u32,
        _ => {
            let size = layout.extent().size();
            args.columns.unwrap_or_else(|| columns_of(shots.len(), [size[0], size[1]]))
        }
    };
    let rows = take(args, &shots, &quilts, &layout_of, print_width(columns))?;
    let prints: Vec<Print> = shots
        .iter()
        .zip(&rows)
        .map(|(shot, row)| Print {
            label: if args.orders {
                shot.label.iter().cloned().chain(row.figures()).collect()
            } else {
                shot.label.clone()
            },
            failure: row.failure.clone(),
            picture: row.picture.clone(),
        })
        .collect();
    let name = if plain.title.is_empty() { "map" } else { &plain.title };
    let title = format!("{name}, seed \"{seed}\"");
    // Two axes are the columns and rows of the sheet; the label of a map has a line for each.
    let headings = (axes.len() == 2).then(|| {
        let line = |shot: &Shot, at: usize| shot.label.get(at).cloned().unwrap_or_default();
        let each = columns.max(1) as usize;
        Headings {
            columns: shots.iter().take(each).map(|shot| line(shot, 0)).collect(),
            rows: shots.iter().step_by(each).map(|shot| line(shot, 1)).collect(),
        }
    });
    let sheet = contact_sheet(&title, &prints, columns, headings.as_ref()).map_err(Failure::job)?;
    save_with(&args.out, |out| sheet.write_png(out, &[]).map_err(Into::into))
        .map_err(Failure::job)?;
    tell(args, &shots, &rows)
}

/// A sweep between whole numbers has fractions where the key takes them; else what is left out is reported.
fn leave_fractions_out(
    axis: &mut Axis,
    changes: &Changes,
    open: &dyn Fn(&Changes) -> Result<Quilt, Failure>,
) -> Result<(), Failure> {
    let (whole, left_out) = axis.whole();
    let (Some(fraction), false) = (left_out.first(), whole.is_empty()) else { return Ok(()) };
    let Axis::Values { path, .. } = &whole else { return Ok(()) };
    let with = |value: &str| {
        let mut changes = changes.clone();
        changes.set.push(format!("{path}={value}"));
        open(&changes)
    };
    let Err(failure) = with(fraction) else { return Ok(()) };
    let Axis::Values { values, .. } = &whole else { return Ok(()) };
    if with(&values[0]).is_err() {
        return Err(failure);
    }
    output::complain(&format!("`{path}` takes whole numbers; left out: {}\n", left_out.join(", ")));
    *axis = whole;
    Ok(())
}

/// What differs from map to map, at most two things.
fn axes(args: &args::Compare, quilt: &Quilt) -> Result<Vec<Axis>, Failure> {
    let mut axes = Vec::new();
    for sweep in &args.sweep {
        axes.push(Axis::sweep(sweep).map_err(|e| Failure::Usage(format!("--sweep {sweep}: {e}")))?);
    }
    if let Some((pass, count)) = &args.rolls {
        let values = (0..*count).map(|roll| roll.to_string()).collect();
        axes.push(Axis::Values { path: format!("{pass}.roll"), values });
    }
    if args.orders {
        let is_fill = |pass: &&Pass| pass.step_as::<FillStep>().is_some();
        let Some(pass) = quilt.recipe.passes().iter().find(is_fill) else {
            let text = "--orders compares fills, and the recipe has no `collapse` pass";
            return Err(Failure::Usage(text.to_owned()));
        };
        let values = ORDERS.map(str::to_owned).to_vec();
        axes.push(Axis::Values { path: format!("{}.order", pass.name), values });
    }
    if args.variants {
        if quilt.variants.is_empty() {
            let text = "the quilt has no variants; add `[variants.NAME]`";
            return Err(Failure::Usage(text.to_owned()));
        }
        axes.push(Axis::Variants(quilt.variants.clone()));
    }
    if let Some(count) = args.seeds {
        axes.push(Axis::Seeds(count as usize));
    }
    if axes.is_empty() {
        axes.push(Axis::Seeds(12));
    }
    if axes.len() > 2 {
        let text = "a sheet has two directions: compare over two things at most";
        return Err(Failure::Usage(text.to_owned()));
    }
    Ok(axes)
}

/// How the order of the first fill leans.
fn leaning(quilt: &Quilt) -> Option<Lean> {
    let collapse = quilt.collapse()?;
    lean(collapse.rules(), collapse.search.order, collapse.search.steer)
}

/// Makes and draws all maps, on as many threads as there are; nothing depends on their number.
fn take(
    args: &args::Compare,
    shots: &[Shot],
    quilts: &[(Changes, Quilt)],
    layout_of: &(dyn Fn(&Quilt) -> Layout + Sync),
    room: u32,
) -> Result<Vec<Row>, Failure> {
    let mut limits = Limits::default();
    limits.cells = args.limit_cells;
    for (_, quilt) in quilts {
        check_cells(layout_of(quilt), args.limit_cells)?;
    }
    let stop = interrupted();
    let rows: Mutex<Vec<Option<Result<Row, String>>>> =
        Mutex::new(shots.iter().map(|_| None).collect());
    let bar = counting("comparing", shots.len() as u64, args.quiet);
    // Times that are to be compared are taken one by one.
    let threads = if args.orders { 1 } else { args.threads };
    let crew = Threads::new(threads.into()).map_err(Failure::job)?;
    crew.each(shots.len(), &|number| {
        if stop.load(Ordering::Relaxed) {
            return;
        }
        let shot = &shots[number];
        let Some((_, quilt)) = quilts.iter().find(|(known, _)| *known == shot.changes) else {
            return;
        };
        let started = now();
        let taken = shot.make(quilt, layout_of(quilt), &limits, &stop);
        let took = started.elapsed();
        let lean = args.orders.then(|| leaning(quilt)).flatten();
        let shares = shares(quilt, &taken.map);
        let mut options = quilt.look();
        // Names would be too small to be read.
        options.labels = false;
        // Drawn as large as it is shown.
        options.size = Some([room, room * 5 / 8]);
        let drawn = draw(&taken.map, &quilt.art, &options);
        let row = drawn.map_err(|error| error.to_string()).map(|picture| Row {
            picture: fit(&picture, room),
            tallies: taken.tallies,
            tries: taken.tries,
            failure: taken.failure,
            took,
            shares,
            lean,
        });
        if let Ok(mut rows) = rows.lock() {
            rows[number] = Some(row);
        }
        bar.inc(1);
    });
    bar.finish_and_clear();
    let rows = rows.into_inner().unwrap_or_default();
    if stop.load(Ordering::Relaxed) {
        return Err(Failure::Job("stopped; nothing was written".to_owned()));
    }
    rows.into_iter()
        .map(|row| row.unwrap_or(Err("a map was not made".to_owned())).map_err(Failure::Job))
        .collect()
}

fn tell(args: &args::Compare, shots: &[Shot], rows: &[Row]) -> Result<(), Failure> {
    let command = |shot: &Shot| command(&args.quilt, shot, args.size, &args.reading);
    let failed = rows.iter().filter(|row| row.failure.is_some()).count();
    if args.json {
        let maps = shots.iter().zip(rows).map(|(shot, row)| {
            json!({
                "label": shot.label,
                "seed": shot.seed.text(),
                "variant": shot.changes.variant,
                "set": shot.changes.set,
                "terrains": row.tallies.terrains,
                "items": row.tallies.items,
                "tags": row.tallies.tagged,
                "placed": row.tallies.placed,
                "tiles": row.tallies.tiles,
                "tries": row.tries,
                "seconds": row.took.as_secs_f64(),
                "shares": row.shares.iter().map(share_json).collect::<Vec<_>>(),
                "lean": row.lean.map(|lean| json!({
                    "straight": lean.straight,
                    "diagonal": lean.diagonal,
                })),
                "failure": row.failure,
                "command": command(shot),
            })
        });
        let told = json!({ "maps": maps.collect::<Vec<_>>(), "written": args.out });
        output::print(&format!("{told}\n"))?;
    } else if !args.quiet {
        output::print(&table(shots, rows, &command, &args.out))?;
    }
    if failed > 0 && failed == rows.len() {
        return Err(Failure::Job("no map meets the demands of the quilt".to_owned()));
    }
    Ok(())
}

/// A line of figures and the command of each map.
fn table(shots: &[Shot], rows: &[Row], command: &dyn Fn(&Shot) -> String, out: &Path) -> String {
    /// Kinds of tiles are many; those of a map without terrain are listed up to so many.
    const TILES: usize = 6;
    let widest = shots.iter().map(|shot| shot.to_string().chars().count()).max().unwrap_or(0);
    let mut text = String::new();
    for (number, (shot, row)) in shots.iter().zip(rows).enumerate() {
        let some = |counts: &std::collections::BTreeMap<String, u64>, most: usize| {
            let mut all: Vec<(&String, &u64)> = counts.iter().filter(|(_, n)| **n > 0).collect();
            if all.len() > most {
                all.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
                all.truncate(most);
            }
            all.iter().map(|(name, count)| format!("{name} {count}")).collect::<Vec<_>>().join("  ")
        };
        let mut parts = vec![if row.tallies.terrains.is_empty() {
            some(&row.tallies.tiles, TILES)
        } else {
            some(&row.tallies.terrains, usize::MAX)
        }];
        if !row.tallies.terrains.is_empty() {
            parts.push(some(&row.tallies.placed, usize::MAX));
        }
        parts.push(some(&row.tallies.items, usize::MAX));
        parts.push(shares_listed(&row.shares, SHARES).join("  "));
        parts.extend(row.lean.map(|lean| format!("lean {}", lean.in_words())));
        let time = seconds(row.took);
        parts.push(match row.tries {
            0 => time,
            1 => format!("{time}, 1 try"),
            many => format!("{time}, {many} tries"),
        });
        parts.extend(row.failure.clone());
        parts.retain(|part| !part.is_empty());
        text.push_str(&format!(
            "{:>3}  {:widest$}  {}\n       {}\n",
            number + 1,
            shot.to_string(),
            parts.join("  |  "),
            command(shot)
        ));
    }
    text.push_str(&format!("{}\n", out.display()));
    text
}
