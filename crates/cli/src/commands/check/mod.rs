//! `check`: what is wrong, missing or impossible, before anything is filled.

mod copies;
mod mend;
mod shapes;

use crate::args;
use crate::failure::Failure;
use crate::making::beforehand::windowed;
use crate::making::pieces;
use crate::output::{self, counted, print_report};
use crate::reading;
use copies::Copies;
use lantern_quilt::audit::pieces::WantedPiece;
use lantern_quilt::audit::seams::Seam;
use lantern_quilt::audit::trial::Trials;
use lantern_quilt::autotile::Coverage;
use lantern_quilt::draw::{NIGHT, board, draw, marked, outline_board, pattern_board, shape_board};
use lantern_quilt::files::{Check, Located, Quilt, Report, save_with};
use lantern_quilt::finding::Code;
use lantern_quilt::id::TileId;
use lantern_quilt::lattice::Cell;
use lantern_quilt::orient::Orientation;
use lantern_quilt::passes::Collapse;
use lantern_quilt::picture::Picture;
use lantern_quilt::recipe::{Demand, Rehearsal};
use lantern_quilt::verify::{Break, verify};
use serde_json::json;
use std::fmt::Display;
use std::path::Path;

/// Broken places that are listed.
const SHOWN: usize = 20;

/// Whether nothing is wrong: mistakes are the answer, not a failure of the command.
pub fn run(args: &args::Check) -> Result<bool, Failure> {
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (args.trial_size, args.trials);
    let quilt = match Quilt::open_with(&args.quilt, &args.reading.options()) {
        Ok(quilt) => quilt,
        Err(report) if report.findings.iter().any(|f| f.finding.code == Code::UnreadableFile) => {
            return Err(Failure::Quilt(Box::new(report)));
        }
        Err(report) => {
            // What could not be read is drawn in place of the board.
            if let (Some(path), Some(unknown)) = (&args.picture, report.unknown.first()) {
                let picture = marked(&unknown.picture, unknown.cell, &unknown.cells);
                write(path, &picture.map_err(Failure::job)?)?;
            }
            say(args, &report, None, None, "")?;
            return Ok(false);
        }
    };
    let mut check = quilt.check((args.trials > 0).then_some(&trials));
    add_variants(args, &quilt, &mut check);
    if let Some(path) = &args.picture {
        write(path, &boards(&quilt, &check)?)?;
    }
    let mended = match &args.mend {
        Some(folder) => Some(mend::mend(folder, &args.quilt, &quilt)?),
        None => None,
    };
    let placed = match &args.pieces {
        Some(folder) => {
            let missing = check.trials.iter().flat_map(|trials| &trials.pieces);
            let wanted: Vec<WantedPiece> = missing.map(WantedPiece::missing).collect();
            let copies = Copies { folder, option: "--pieces", file: &args.quilt, quilt: &quilt };
            let shapes = shapes::write(&copies)?;
            if wanted.is_empty() && !shapes.is_empty() {
                shapes
            } else {
                pieces::write(folder, &quilt, &wanted)?.1 + &shapes
            }
        }
        None => String::new(),
    };
    let piped = args.pairs.as_deref() == Some(Path::new("-"));
    if piped {
        // The table has standard output to itself.
        output::write_with(|out| quilt.write_pairs(out))?;
    } else if let Some(path) = &args.pairs {
        save_with(path, |out| quilt.write_pairs(out)).map_err(Failure::job)?;
    }
    let breaks = match &args.map {
        Some(path) => judge(path, args, &quilt)?,
        None => Vec::new(),
    };
    if piped {
        if !check.report.findings.is_empty() {
            print_report(&check.report);
        }
    } else {
        say(args, &check.report, Some((&quilt, &check, &breaks)), mended.as_ref(), &placed)?;
    }
    Ok(!check.report.has_errors() && breaks.is_empty())
}

/// What is to be said of variants and not of the quilt as it is: their values are read only by themselves.
fn add_variants(args: &args::Check, quilt: &Quilt, check: &mut Check) {
    for name in &quilt.variants {
        let options = args.reading.options().variant(name);
        let report = match Quilt::open_with(&args.quilt, &options) {
            Ok(varied) => {
                retain_idle(check, &varied);
                varied.findings
            }
            Err(report) => report,
        };
        for mut located in report.findings {
            let known = |one: &Located| {
                one.span == located.span
                    && one.finding.message.starts_with(&located.finding.message)
            };
            if !quilt.findings.findings.iter().chain(&check.report.findings).any(known) {
                located.finding.message.push_str(&format!(" (variant `{name}`)"));
                check.report.findings.push(located);
            }
        }
    }
}

/// Keeps those acceptances among the findings that serve nowhere: not in this variant either.
fn retain_idle(check: &mut Check, varied: &Quilt) {
    let is_idle = |one: &Located| one.finding.code == Code::IdleAccept;
    if !check.report.findings.iter().any(is_idle) {
        return;
    }
    let there = varied.check(None).report;
    let idle = |one: &Located| there.findings.iter().any(|o| is_idle(o) && o.span == one.span);
    check.report.findings.retain(|one| !is_idle(one) || idle(one));
}

/// The board of the rules, and below it those of outlines that nearly meet and of shapes.
fn boards(quilt: &Quilt, check: &Check) -> Result<Picture, Failure> {
    let title = if quilt.title.is_empty() { "Rules" } else { &quilt.title };
    let rules = quilt.collapse().map(|collapse| {
        let (set, rules) = (collapse.tileset(), collapse.rules());
        if let Some(patterns) = collapse.patterns() {
            let remarks = remarks(&check.report);
            let trials = check.trials.as_ref();
            return pattern_board(title, set, patterns, &quilt.art, trials, &remarks);
        }
        board(title, set, rules, &quilt.art, check.trials.as_ref(), &check.seams, &check.near)
    });
    let sets: Vec<_> = quilt.shapes().collect();
    let shapes = (!sets.is_empty()).then(|| shape_board(title, &sets, &quilt.art));
    let outlines = (!check.near_sides.is_empty()).then(|| outline_board(&check.near_sides));
    let all = [rules, outlines, shapes].into_iter().flatten();
    let all: Vec<Picture> = all.collect::<Result<_, _>>().map_err(Failure::job)?;
    let Some(joined) = all.into_iter().map(Ok).reduce(|above, below| joined(&above?, &below?))
    else {
        return Err(Failure::Job("there are neither rules nor shapes to draw".to_owned()));
    };
    joined
}

/// Two boards, one below the other as long as that can be looked at, else side by side.
fn joined(first: &Picture, second: &Picture) -> Result<Picture, Failure> {
    let below = first.height() + second.height() <= 2000;
    let size = if below {
        [first.width().max(second.width()), first.height() + second.height()]
    } else {
        [first.width() + second.width(), first.height().max(second.height())]
    };
    let mut both = Picture::new(size[0], size[1], NIGHT).map_err(Failure::job)?;
    both.lay(first, 0, 0);
    let (x, y) = if below { (0, first.height()) } else { (first.width(), 0) };
    both.lay(second, i64::from(x), i64::from(y));
    Ok(both)
}

/// What was found in a pattern, in a line.
fn remarks(report: &Report) -> String {
    const OF_PATTERNS: [Code; 3] = [Code::OnlyRepeats, Code::EdgeWindows, Code::IdleTurns];
    let found = report.findings.iter().filter(|one| OF_PATTERNS.contains(&one.finding.code));
    let found: Vec<&str> = found.map(|one| one.finding.message.as_str()).collect();
    found.join("; ")
}

fn write(path: &Path, picture: &Picture) -> Result<(), Failure> {
    save_with(path, |out| picture.write_png(out, &[]).map_err(Into::into)).map_err(Failure::job)
}

/// Every rule that a saved map breaks.
fn judge(path: &Path, args: &args::Check, quilt: &Quilt) -> Result<Vec<Break>, Failure> {
    let usage = |error: &dyn Display| Failure::Usage(format!("{}: {error}", path.display()));
    let map = reading::map(path)?;
    let Some(collapse) = quilt.collapse() else {
        return Err(Failure::Usage(
            "--map judges what a `collapse` pass filled, and this recipe has none".to_owned(),
        ));
    };
    let name = collapse.name();
    let named = map.layers().find(|layer| layer.name == name);
    let Some(layer) = named.or(map.layers().next()) else {
        return Err(usage(&"the map has no layer"));
    };
    let (set, layout) = (collapse.tileset(), map.layout());
    if layout.lattice() != set.lattice() {
        let text =
            format!("a {} map cannot be judged by a {} quilt", layout.lattice(), set.lattice());
        return Err(usage(&text));
    }
    // Conditions are read from the map itself: what stood there before the fill stands there still.
    let judged = collapse.worked_out(&map, &quilt.seed);
    let breaks = verify(layer, layout, |_| true, set, judged.constraints());
    if let Some(path) = &args.marked {
        let mut options = quilt.look();
        options.failed = breaks.iter().filter_map(Break::cell).collect();
        options.coordinates = true;
        write(path, &draw(&map, &quilt.art, &options).map_err(Failure::job)?)?;
    }
    Ok(breaks)
}

/// How often the demands of a recipe hold, a line each.
fn rehearsed(rehearsal: &Rehearsal) -> String {
    let (maps, finished) = (u64::from(rehearsal.maps()), rehearsal.finished());
    let mut text = format!("{finished} of {} came to their end\n", counted(maps, "trial map"));
    let demands = rehearsal.demands();
    let widest = demands.iter().map(|one| one.name.chars().count()).max().unwrap_or(0);
    for Demand { name, held, asked, .. } in demands {
        text.push_str(&format!("  {name:widest$}  holds on {held} of {asked}\n"));
    }
    text
}

/// The two poses of a seam, in words.
fn seam_ends(checked: Option<(&Quilt, &Check, &[Break])>, seam: &Seam) -> [String; 2] {
    let name = |(tile, orientation)| {
        let collapse = checked.and_then(|(quilt, _, _)| quilt.collapse());
        collapse.map_or_else(String::new, |pass| pass.tileset().pose_name(tile, orientation))
    };
    [name(seam.a), name(seam.b)]
}

/// The windows of a pattern, the most frequent first.
fn windows_json(collapse: &Collapse) -> Option<serde_json::Value> {
    let (set, patterns) = (collapse.tileset(), collapse.patterns()?);
    let lattice = set.lattice();
    let at_edge = patterns.dead_ends();
    let from = Cell::default();
    let cells: Vec<_> =
        patterns.shifts().iter().filter_map(|shift| shift.cell_from(lattice, from)).collect();
    let mut all: Vec<_> = patterns.patterns().pairs().collect();
    all.sort_by(|(_, a), (_, b)| b.frequency.total_cmp(&a.frequency));
    let windows = all.into_iter().map(|(id, pattern)| {
        let name = |stands: &Option<(TileId, Orientation)>| {
            stands.map(|(tile, orientation)| set.pose_name(tile, orientation))
        };
        json!({
            "holds": pattern.cells.iter().map(name).collect::<Vec<_>>(),
            "looks_out": pattern.looks_out.iter().map(|side| side.name()).collect::<Vec<_>>(),
            "frequency": pattern.frequency,
            "sample": pattern.shown.sample,
            "cell": output::cell_json(&pattern.shown.cell),
            "only_at_edge": at_edge.contains(id),
        })
    });
    Some(json!({
        "cells": cells.iter().map(output::cell_json).collect::<Vec<_>>(),
        "patterns": windows.collect::<Vec<_>>(),
    }))
}

fn say(
    args: &args::Check,
    report: &Report,
    checked: Option<(&Quilt, &Check, &[Break])>,
    mended: Option<&mend::MendSummary>,
    placed: &str,
) -> Result<(), Failure> {
    if args.json {
        let trials = checked.and_then(|(_, check, _)| check.trials.as_ref());
        let seams = checked.map_or(&[][..], |(_, check, _)| &check.seams.worst);
        let broken = checked.map_or(&[][..], |(_, _, breaks)| breaks);
        let broken: Vec<_> = broken
            .iter()
            .map(|one| {
                let cell = one.cell();
                let cell = cell.map(|cell| [cell.x, cell.y, cell.z]);
                json!({ "cell": cell, "message": one.to_string() })
            })
            .collect();
        let told = json!({
            "mended": mended.map(|mended| &mended.json),
            "broken": broken,
            "quilt": report.source.name,
            "findings": report.to_json(),
            "accepted": checked.map_or(0, |(_, check, _)| check.accepted),
            "seams": seams.iter().map(|seam| json!({
                "side": seam.side.name(),
                "of": seam_ends(checked, seam)[0],
                "beyond": seam_ends(checked, seam)[1],
                "difference": seam.difference,
            })).collect::<Vec<_>>(),
            "shapes": checked.map_or(Vec::new(), |(quilt, _, _)| quilt.shapes().map(|set| {
                let coverage = Coverage::of(set);
                let words = |(around, _): &(_, _)| set.words(*around);
                json!({
                    "name": set.name(),
                    "scheme": set.scheme().name(),
                    "neighbourhoods": coverage.all,
                    "missing": coverage.missing.iter().map(words).collect::<Vec<_>>(),
                    "doubled": coverage.doubled.iter().map(|one| &one.tiles).collect::<Vec<_>>(),
                    "unreachable": coverage.unreachable,
                })
            }).collect::<Vec<_>>()),
            "trials": trials.map(|t| json!({
                "size": t.size,
                "fills": t.fills,
                "filled_at_the_first_go": t.filled,
                "filled_by_rows": checked.and_then(|(_, check, _)| check.by_rows),
            })),
            "windows": checked.and_then(|(quilt, _, _)| quilt.collapse()).and_then(windows_json),
            "rehearsal": checked.and_then(|(_, check, _)| check.rehearsal.as_ref()).map(|rehearsal| json!({
                "maps": rehearsal.maps(),
                "finished": rehearsal.finished(),
                "demands": rehearsal.demands().iter().map(|demand| json!({
                    "name": demand.name,
                    "kind": if demand.is_expected { "expectation" } else { "pass" },
                    "asked": demand.asked,
                    "held": demand.held,
                    "at_fault": demand.blamed,
                    "first_failing_seed": demand.first.as_ref().map(|(seed, _)| seed),
                })).collect::<Vec<_>>(),
            })),
        });
        return output::print(&format!("{told:#}\n"));
    }
    if !report.findings.is_empty() {
        print_report(report);
    }
    let Some((quilt, check, breaks)) = checked else { return Ok(()) };
    let mut text = String::new();
    if let Some(collapse) = quilt.collapse() {
        let tileset = collapse.tileset();
        text = match windowed(collapse, quilt.layout) {
            Some(windowed) => format!("{windowed}\n"),
            None => format!(
                "{} in {}, {}\n",
                counted(
                    tileset.tiles().iter().filter(|tile| tile.is_first()).count() as u64,
                    "tile"
                ),
                counted(collapse.rules().poses().len() as u64, "pose"),
                counted(
                    tileset.sockets().iter().filter(|one| !one.is_internal()).count() as u64,
                    "socket"
                ),
            ),
        };
    }
    for set in quilt.shapes() {
        let coverage = Coverage::of(set);
        text.push_str(&format!(
            "`{}`: {} of {} neighbourhoods have a tile, {}\n",
            set.name(),
            coverage.all - coverage.missing.len(),
            coverage.all,
            counted(set.tiles().iter().filter(|tile| tile.tile.is_some()).count() as u64, "tile"),
        ));
    }
    if let Some(trials) = &check.trials {
        let by_rows =
            check.by_rows.map_or(String::new(), |filled| format!("; row by row {filled}"));
        text.push_str(&format!(
            "{} of {} maps of {} filled on the first try, without backtracking{by_rows}\n",
            trials.filled,
            trials.fills,
            trials.sized(quilt.layout.lattice())
        ));
    }
    if let Some(rehearsal) = &check.rehearsal {
        text.push_str(&rehearsed(rehearsal));
    }
    if check.unrehearsed {
        text.push_str(
            "the map is too large for its recipe to be tried over seeds: 262144 cells are the most\n",
        );
    }
    if !check.seams.worst.is_empty() {
        text.push_str("the roughest seams, by mean difference of 255:\n");
        for seam in &check.seams.worst {
            let [of, beyond] = seam_ends(checked, seam);
            text.push_str(&format!("  {:>3}  {beyond} {} of {of}\n", seam.difference, seam.side));
        }
    }
    if check.accepted > 0 {
        let (s, are) = if check.accepted == 1 { ("", "is") } else { ("s", "are") };
        text.push_str(&format!("{} finding{s} {are} accepted\n", check.accepted));
    }
    if !breaks.is_empty() {
        let count = breaks.len();
        let s = if count == 1 { "" } else { "s" };
        text.push_str(&format!("the map breaks the rules at {count} place{s}:\n"));
        for one in breaks.iter().take(SHOWN) {
            text.push_str(&format!("  {one}\n"));
        }
        if count > SHOWN {
            text.push_str(&format!("  and {} more\n", count - SHOWN));
        }
    } else if args.map.is_some() {
        text.push_str("the map keeps every rule\n");
    }
    if let Some(mended) = mended {
        text.push_str(&mended.text);
    }
    text.push_str(placed);
    if report.findings.is_empty() && breaks.is_empty() {
        text.push_str("no problems found\n");
    }
    output::print(&text)
}
