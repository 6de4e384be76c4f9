//! What the passes of a recipe have to say, in words and for scripts, and what is added beside a map.

use super::course::Course;
use crate::args;
use crate::output::cell_json;
use crate::written::Files;
use lantern_quilt::audit::shares::{ReachedShare, reached_shares};
use lantern_quilt::compare::Tallies;
use lantern_quilt::draw::{DrawOptions, pack};
use lantern_quilt::files::{Quilt, write_sheet};
use lantern_quilt::grid::BitPlane;
use lantern_quilt::id::IdVec;
use lantern_quilt::lattice::{Cell, Layout};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::{FillStep, StandIn};
use lantern_quilt::recipe::{MakeError, Pass, Unmet};
use serde_json::json;
use std::collections::BTreeSet;

/// Shares that are listed.
pub const SHARES: usize = 12;
/// Missing shapes that are listed.
const LISTED: usize = 6;

/// Adds the picture of all steps, when it was asked for.
pub fn add_steps(args: &args::Fill, course: &Course, files: &mut Files) {
    if let Some((path, picture)) = args.steps.as_ref().zip(course.frames.as_ref()) {
        files.picture(path, picture, &[]);
    }
}

/// Adds the sheet of a map's pictures and where in it they are, when it was asked for.
pub fn add_sheet(args: &args::Fill, quilt: &Quilt, map: &Tilemap, files: &mut Files) {
    let Some(path) = &args.sheet else { return };
    let packed = match pack(map, &quilt.art) {
        Ok(packed) => packed,
        Err(error) => return files.fail(path, error),
    };
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    files.picture(path, &packed.sheet, &[]);
    files.file(&path.with_extension("json"), |out| {
        write_sheet(&packed, map, &quilt.art, &name, out)
    });
}

/// `40 x 25`, on boxes with the levels: `16 x 16 x 8`.
pub fn sized(layout: Layout) -> String {
    let [width, height, depth] = layout.extent().size();
    let levels = if layout.lattice().is_solid() { format!(" x {depth}") } else { String::new() };
    format!("{width} x {height}{levels}")
}

/// A cell, on boxes always with its level.
pub fn placed(layout: Layout, cell: Cell) -> String {
    if layout.lattice().is_solid() { format!("{cell:#}") } else { cell.to_string() }
}

/// `, 12 items`, when there are any.
pub fn with_items(map: &Tilemap) -> String {
    match map.items().len() {
        0 => String::new(),
        1 => ", 1 item".to_owned(),
        many => format!(", {many} items"),
    }
}

/// Marks in a picture what is wrong: targets that are not reached and cells that do not meet what is expected;
/// what is in the way has a line around it.
pub fn mark_wrong(course: &Course, options: &mut DrawOptions) {
    let missed = || course.made.unreached().flat_map(|routed| &routed.missed);
    options.failed.extend(missed().map(|one| one.target));
    options.failed.extend(course.made.unmet.iter().flat_map(|unmet| &unmet.cells));
    let blocked: BTreeSet<Cell> = missed().flat_map(|one| one.blocked.iter().copied()).collect();
    if !blocked.is_empty() {
        let extent = course.made.map.layout().extent();
        options.outlined = Some(BitPlane::from_fn(extent, |cell| blocked.contains(&cell)));
    }
}

/// How many there are of each terrain, tile and item: a line each.
pub fn counts_said(map: &Tilemap) -> String {
    /// Kinds of tiles are many.
    const KINDS: usize = 12;
    let tallies = Tallies::of(map);
    let mut text = String::new();
    for (what, counts) in
        [("terrain", &tallies.terrains), ("tiles", &tallies.tiles), ("items", &tallies.items)]
    {
        let mut all: Vec<(&String, &u64)> =
            counts.iter().filter(|(_, count)| **count > 0).collect();
        all.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
        let listed: Vec<String> =
            all.iter().take(KINDS).map(|(name, count)| format!("{name} {count}")).collect();
        let more = match all.len() {
            0 => continue,
            many if many == KINDS + 1 => ", and 1 more kind".to_owned(),
            many if many > KINDS => format!(", and {} more kinds", many - KINDS),
            _ => String::new(),
        };
        text.push_str(&format!("\n  {what:<8} {}{more}", listed.join(", ")));
    }
    text
}

/// The tiles with a share, and what they have of the layers that fills made.
pub fn shares(quilt: &Quilt, map: &Tilemap) -> Vec<ReachedShare> {
    let of_pass = |pass: &Pass| {
        let fill = pass.step_as::<FillStep>()?;
        let (set, layer) = (fill.collapse.tileset(), map.layer(&pass.name)?);
        let mut cells: IdVec<_, u64> = set.tiles().ids().map(|_| 0).collect();
        let stand = map.layout().extent().iter().filter_map(|cell| layer.get(cell));
        for tile in stand.filter_map(|placed| set.find_at(&placed.tile, placed.part)) {
            cells[tile] += 1;
        }
        Some(reached_shares(set, &cells))
    };
    quilt.recipe.passes().iter().filter_map(of_pass).flatten().collect()
}

/// What something has of a map: `moss 14.8 % of 15 %`.
fn share_said(one: &ReachedShare) -> String {
    let percent = |share: f64| (share * 1000.0).round() / 10.0;
    format!("{} {} % of {} %", one.of, percent(one.reached), percent(one.wanted))
}

/// Shares in words; of many those that are furthest off.
pub fn shares_listed(shares: &[ReachedShare], most: usize) -> Vec<String> {
    let mut all: Vec<&ReachedShare> = shares.iter().collect();
    let left = all.len().saturating_sub(most);
    if left > 0 {
        let off = |one: &ReachedShare| (one.reached - one.wanted).abs();
        all.sort_by(|a, b| off(b).total_cmp(&off(a)));
        all.truncate(most);
    }
    let more = (left > 0).then(|| format!("and {left} that are nearer"));
    all.into_iter().map(share_said).chain(more).collect()
}

/// What part of the map tiles have, beside the share they should have: a line, if any tile has one.
pub fn shares_said(quilt: &Quilt, map: &Tilemap) -> String {
    let all = shares_listed(&shares(quilt, map), SHARES);
    if all.is_empty() { String::new() } else { format!("\n  shares   {}", all.join(", ")) }
}

/// The same for scripts.
pub fn share_json(ReachedShare { of, wanted, reached }: &ReachedShare) -> serde_json::Value {
    json!({ "of": of, "wanted": wanted, "reached": reached })
}

/// What part of the map tiles have, for scripts.
pub fn shares_json(quilt: &Quilt, map: &Tilemap) -> serde_json::Value {
    shares(quilt, map).iter().map(share_json).collect()
}

/// How many there are of each, for scripts.
pub fn counts_json(map: &Tilemap) -> serde_json::Value {
    let Tallies { terrains, tiles, items, .. } = Tallies::of(map);
    json!({ "terrain": terrains, "tiles": tiles, "items": items })
}

/// What a map is called: the title of its quilt, or else the name of its file.
pub fn title_of(quilt: &Quilt, args: &args::Fill) -> String {
    if !quilt.title.is_empty() {
        return quilt.title.clone();
    }
    args.quilt.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// Expectations that are not met, for scripts.
pub fn unmet_json(unmet: &[Unmet]) -> serde_json::Value {
    let one = |unmet: &Unmet| {
        let cells: Vec<_> = unmet.cells.iter().map(cell_json).collect();
        let Unmet { name, text, count, broken_by, .. } = unmet;
        json!({ "name": name, "text": text, "count": count, "cells": cells, "broken_by": broken_by })
    };
    unmet.iter().map(one).collect()
}

/// Why a map that was made is not written.
pub fn refused(course: &Course, quilt: &Quilt) -> Option<String> {
    if let Some(MakeError::Stopped { pass }) = &course.error {
        let text = "the same command makes the map again from the start";
        return Some(format!("stopped in the pass `{pass}`; {text}"));
    }
    let stand_ins: Vec<StandIn> = course.made.stand_ins().cloned().collect();
    let shapes = forbidden(&stand_ins).then(|| refusal(&stand_ins));
    let texts: Vec<String> = shapes.into_iter().chain(course.refusal(quilt)).collect();
    (!texts.is_empty()).then(|| texts.join("\n"))
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
