//! `tune`: weights by which tiles reach their shares, found by trial fills and written into the quilt.

use super::set::{change_of, difference, failure};
use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::progress::{counting, interrupted};
use lantern_quilt::audit::tune::{TuneError, Tuned, TunedShare, Tuning, tune};
use lantern_quilt::files::{Edit, Editor, Quilt, save_with};
use lantern_quilt::id::TileId;
use lantern_quilt::passes::Collapse;
use lantern_quilt::threads::Threads;
use lantern_quilt::tileset::Tileset;
use serde_json::json;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::atomic::Ordering;

/// What was found for one pass.
struct Found {
    pass: String,
    /// Each tile with its weight.
    weights: Vec<(String, f64)>,
    tuned: Tuned,
    tileset: Tileset,
}

impl Found {
    fn is_better(&self) -> bool {
        let [before, after] = self.tuned.variation;
        after < before
    }
}

pub fn run(args: &args::Tune) -> Result<(), Failure> {
    let quilt = Quilt::open_with(&args.quilt, &args.reading.options())
        .map_err(|report| Failure::Quilt(Box::new(report)))?;
    let fills = quilt.fills().map(|(pass, fill)| (&pass.name, &*fill.collapse));
    let shared: Vec<(&String, &Collapse)> =
        fills.filter(|(_, collapse)| collapse.tileset().has_shares()).collect();
    if shared.is_empty() {
        let text = "no tile has a share: write `share = 0.15` at a tile in place of its weight, or `shares` at a pass";
        return Err(Failure::Usage(text.to_owned()));
    }
    let stop = interrupted();
    let crew = Threads::new(args.threads.into()).map_err(Failure::job)?;
    let mut all = Vec::new();
    for (pass, collapse) in shared {
        let tuning = Tuning::default()
            .size(args.trial_size)
            .fills(args.fills)
            .order(collapse.search.order)
            .steer(collapse.search.steer);
        let bar = counting(&format!("tuning {pass}"), args.fills.into(), args.quiet);
        let set = collapse.tileset();
        let found = tune(set, collapse.constraints(), &tuning, &crew, &mut |made| {
            bar.set_position(made.into());
            if stop.load(Ordering::Relaxed) {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
        bar.finish_and_clear();
        let tuned = found.map_err(|error| match error {
            TuneError::Stopped => Failure::Job("stopped; nothing was written".to_owned()),
            _ => Failure::Job(format!(
                "`{pass}`: {error}; see lantern-quilt check {}",
                args.quilt.display()
            )),
        })?;
        let name = |&(tile, weight)| (set.tiles()[tile].name().to_owned(), weight);
        let weights = tuned.weights.iter().map(name).collect();
        all.push(Found { pass: pass.clone(), weights, tuned, tileset: set.clone() });
    }
    let stopped = stop.load(Ordering::Relaxed);
    let mut editor = Editor::open(&args.quilt, &args.reading.options()).map_err(failure)?;
    for found in all.iter().filter(|found| found.is_better()) {
        for (tile, weight) in &found.weights {
            let change = format!("{}.weights.{}={weight}", key(&found.pass), key(tile));
            editor.set(&change).map_err(failure)?;
        }
    }
    editor.check().map_err(failure)?;
    let edits: Vec<Edit<'_>> = editor.edits().collect();
    let differences: String = edits.iter().map(difference).collect();
    let changes: String = edits.iter().map(change_of).collect();
    let written = match &args.out {
        _ if stopped || args.dry_run => String::new(),
        Some(out) => {
            let text = whole(&args.quilt, &edits)?;
            if out.as_os_str() == "-" {
                return output::print(&text);
            }
            save_with(out, |to| to.write_all(text.as_bytes())).map_err(Failure::job)?;
            format!("{}\n", out.display())
        }
        None => {
            drop(edits);
            editor.save().map_err(failure)?;
            changes
        }
    };
    if args.json {
        let passes: Vec<_> = all.iter().map(json_of).collect();
        output::print(&format!(
            "{}\n",
            json!({ "passes": passes, "written": !written.is_empty() })
        ))?;
    } else if !args.quiet {
        output::print(&all.iter().map(|found| table(found, args)).collect::<String>())?;
        output::print(&written)?;
    }
    if args.dry_run && !args.json {
        output::print_styled(&differences)?;
    }
    if stopped {
        return Err(Failure::Job("stopped; nothing was written".to_owned()));
    }
    Ok(())
}

/// The text of the quilt itself as it is now.
fn whole(quilt: &Path, edits: &[Edit<'_>]) -> Result<String, Failure> {
    let name = quilt.display().to_string();
    match edits {
        [] => std::fs::read_to_string(quilt).map_err(Failure::job),
        [edit] if edit.name == name => Ok(edit.after.to_owned()),
        [edit, ..] => Err(Failure::Usage(format!(
            "the weights belong in {}, which the quilt includes: leave out -o, and they are written there",
            edit.name
        ))),
    }
}

/// A key of TOML, in quotes where it needs some.
fn key(name: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
    if !name.is_empty() && name.chars().all(plain) {
        name.to_owned()
    } else {
        json!(name).to_string()
    }
}

fn percent(share: f64) -> String {
    format!("{:.1} %", share * 100.0)
}

/// What each tile has, before and now, as a table.
fn table(found: &Found, args: &args::Tune) -> String {
    let Found { pass, tuned, tileset: set, .. } = found;
    let failed = match tuned.failed {
        0 => String::new(),
        some => format!(", of which {some} made no map"),
    };
    let mut text =
        format!("{pass}: {} trial fills of {1}x{1} cells{failed}\n", tuned.fills, args.trial_size);
    let head = ["", "share", "before", "reached", "from map to map", "weight"].map(str::to_owned);
    let mut rows = vec![head];
    rows.extend(tuned.shares.iter().map(|one| {
        let TunedShare { of, wanted, before, reached, deviation, weight, .. } = one;
        let weight = format!("{weight:.4}");
        let weight = weight.trim_end_matches('0').trim_end_matches('.').to_owned();
        [
            of.clone(),
            percent(*wanted),
            percent(*before),
            percent(*reached),
            format!("±{}", percent(*deviation)),
            weight,
        ]
    }));
    let width = |column: usize| {
        rows.iter().map(|row| row[column].chars().count()).max().unwrap_or_default()
    };
    let widths: Vec<usize> = (0..rows[0].len()).map(width).collect();
    for row in &rows {
        let name = widths[0];
        text.push_str(&format!("  {:name$}", row[0]));
        for (cell, width) in row.iter().zip(&widths).skip(1) {
            text.push_str(&format!("  {cell:>width$}"));
        }
        text.push('\n');
    }
    for (one, jump) in tuned.shares.iter().filter_map(|one| Some((one, one.jump?))) {
        let [[low, under], [high, over]] = [jump.below, jump.above];
        text.push_str(&format!(
            "  {} jumps from {} to {} between the weights {low:.3} and {high:.3}; the nearer is taken\n",
            one.of, percent(under), percent(over)
        ));
    }
    for (one, split) in tuned.shares.iter().filter_map(|one| Some((one, one.split?))) {
        let [few, many] = split.map(percent);
        text.push_str(&format!(
            "  {} takes {few} of some maps and {many} of others, nothing between: try another order\n",
            one.of
        ));
    }
    if tuned.failed * 2 > tuned.fills {
        text.push_str("  most fills made no map, so these figures are of few: try another order, or lantern-quilt check\n");
    }
    let reachable = tuned.reachable.iter();
    let explained =
        reachable.flat_map(|all| all.shares.iter().filter_map(|one| all.explain(set, one)));
    for why in explained {
        text.push_str(&format!("  {why}\n"));
    }
    let [before, after] = tuned.variation;
    text.push_str(&if found.is_better() {
        format!("  off by {} of the cells in all, {} before\n", percent(after), percent(before))
    } else {
        format!("  off by {} of the cells in all; no better weights were found\n", percent(before))
    });
    text
}

fn json_of(found: &Found) -> serde_json::Value {
    let Found { pass, weights, tuned, tileset } = found;
    let shares = tuned.shares.iter().map(|one| {
        let ends = one.jump.map(|jump| json!({ "below": jump.below, "above": jump.above }));
        json!({
            "of": one.of,
            "wanted": one.wanted,
            "before": one.before,
            "reached": one.reached,
            "deviation": one.deviation,
            "weight": one.weight,
            "jump": ends,
            "split": one.split,
        })
    });
    let name = |&tile: &TileId| tileset.tiles()[tile].name();
    let reachable = tuned.reachable.as_ref().map(|reachable| {
        let shares = reachable.shares.iter().map(|one| {
            json!({ "of": one.of, "nearest": one.nearest, "end": one.end, "why": reachable.explain(tileset, one) })
        });
        let scarce = reachable.scarce.iter().map(|one| {
            json!({
                "tile": name(&one.tile),
                "sides": one.sides.iter().map(|side| side.name()).collect::<Vec<_>>(),
                "fitting": one.beyond.iter().map(name).collect::<Vec<_>>(),
            })
        });
        json!({
            "off": reachable.variation,
            "shares": shares.collect::<Vec<_>>(),
            "scarce": scarce.collect::<Vec<_>>(),
        })
    });
    json!({
        "pass": pass,
        "fills": tuned.fills,
        "failed": tuned.failed,
        "off_before": tuned.variation[0],
        "off": tuned.variation[1],
        "reachable": reachable,
        "shares": shares.collect::<Vec<_>>(),
        "weights": weights.iter().cloned().collect::<std::collections::BTreeMap<_, _>>(),
    })
}
