//! The pass that fills the map, from the quilt's text.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::kinds::{read_named, take_kinds};
use super::making::Coarse;
use super::model::Model;
use super::place::{Grounds, read_limit, read_pin, read_shade};
use super::recipe::Common;
use super::terrains::Terrains;
use lantern_quilt_core::constraints::{
    Area, BorderRule, Constraints, Count, Keep, Limit, PairRule,
};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Cell, Lattice, Side};
use lantern_quilt_core::limits::Climb;
use lantern_quilt_core::passes::{Becomes, Condition, Shade};
use lantern_quilt_core::solve::{Order, Search};

/// The pass that fills the map.
#[derive(Debug)]
pub(super) struct Pass {
    pub(super) name: String,
    pub(super) constraints: Constraints,
    pub(super) shades: Vec<Shade>,
    pub(super) search: Search,
    pub(super) fallback: Option<TileId>,
    /// What becomes of its tiles, when they stand for blocks of cells.
    pub(super) coarse: Option<Coarse>,
}

pub(super) fn read_collapse(
    common: Common,
    mut keys: Keys<'_>,
    lists: Vec<PairRule>,
    terrains: &Terrains,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Pass {
    let model = grounds.model;
    let mut search = Search::default();
    let mut whole = |value: Option<Value<'_>>, least: i64, most: i64, slot: &mut u32| {
        if let Some(number) = value.and_then(|v| v.whole(least..most + 1, Code::BadValue, notes)) {
            *slot = number as u32;
        }
    };
    whole(keys.take("tries"), 1, 1_000_000, &mut search.attempts);
    whole(keys.take("patience"), 0, 1_000_000_000, &mut search.patience);
    whole(keys.take("window"), 1, 1 << 28, &mut search.window);
    if let Some(steer) = keys.take("steer").and_then(|value| value.boolean(notes)) {
        search.steer = steer;
    }
    if let Some(blocks) = keys.take("blocks").and_then(|value| value.boolean(notes)) {
        search.blocks = blocks;
    }
    if let Some(value) = keys.take("climb") {
        let name = value.text(notes).unwrap_or_default();
        match Climb::from_name(name) {
            Some(rung) => search.climb = rung,
            None if value.is_text() => {
                unknown_name("rung", &value, name, Climb::ALL.map(Climb::name), notes);
            }
            None => {}
        }
    }
    let mut fallback = None;
    if let Some(value) = keys.take("holes") {
        (search.holes, fallback) = read_holes(&value, model, notes);
    }
    if let Some(value) = keys.take("order") {
        search.order = read_order(&value, model.lattice(), notes);
    }
    let mut constraints = Constraints { pairs: lists, ..Constraints::default() };
    if let Some(keys) = keys.take("border").and_then(|v| v.table(notes)) {
        constraints.borders = read_border(&keys, model, notes);
        if keys.has("ring") {
            constraints.limits.extend(read_ring(keys, model, notes));
        }
    }
    for value in each(keys.take("pins"), notes) {
        constraints.pins.extend(read_pin(&value, grounds, notes));
    }
    for value in each(keys.take("limits"), notes) {
        constraints.limits.extend(read_limit(&value, grounds, notes));
    }
    for value in each(keys.take("counts"), notes) {
        constraints.counts.extend(read_count(&value, model, notes));
    }
    let mut shades = Vec::new();
    for value in each(keys.take("shades"), notes) {
        shades.extend(read_shade(&value, grounds, notes));
    }
    if let Some(value) = keys.take("only")
        && let Some(mut named) = value.table(notes)
    {
        let kinds = take_kinds(&mut named, &value, model, notes);
        named.finish(notes);
        let area = Area::FromBorder { least: 0, most: u32::MAX };
        if !kinds.is_empty() {
            constraints.limits.push(Limit { kinds, area, keep: Keep::Filling });
        }
    }
    let coarse = take_coarse(&mut keys, model, terrains, notes);
    if coarse.is_some() && common.place != Condition::default() {
        let text = "a fill of blocks has no `where`";
        let finding = Finding::new(Code::BadValue, Subject::Field(keys.path().to_owned()), text);
        let help = "let later passes ask where: what it lays are terrains and tags";
        notes.add(finding.help(help), keys.span.clone());
    }
    keys.finish(notes);
    Pass { name: common.name, constraints, shades, search, fallback, coarse }
}

/// `coarse = 8` and `becomes = { meadow = { terrain = "moss" }, court = { tag = "court" } }`.
fn take_coarse(
    keys: &mut Keys<'_>,
    model: &Model,
    terrains: &Terrains,
    notes: &mut Notes,
) -> Option<Coarse> {
    let (coarse, becomes) = (keys.take("coarse"), keys.take("becomes"));
    let Some(value) = coarse else {
        if let Some(value) = becomes {
            let text = "`becomes` is about blocks of cells";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("add `coarse = 8`, or take it out"), value.span.clone());
        }
        return None;
    };
    let block = value.whole(2..1025, Code::BadValue, notes)?;
    if model.lattice().turns() == 6 {
        let finding =
            Finding::new(Code::NotYet, value.subject(), "hexagons make no larger hexagons");
        notes.add(finding.help("fill every cell by itself"), value.span.clone());
        return None;
    }
    let Some(becomes) = becomes.and_then(|value| value.table(notes)) else {
        let text = "a fill of blocks says what their cells become";
        let finding = Finding::new(Code::MissingKey, value.subject(), text);
        let help = "add `becomes = { TILE = { terrain = \"...\" } }`, or `{ tag = \"...\" }`";
        notes.add(finding.help(help), value.span.clone());
        return None;
    };
    let mut all = Vec::new();
    for (tile, span, value) in becomes.entries() {
        if let Err(names) = model.tile_named(tile) {
            let text = format!("no tile is named `{}`", shorten(tile));
            let finding = Finding::new(Code::UnknownName, value.subject(), text);
            notes.add(finding.among(tile, names), span);
            continue;
        }
        let Some(mut keys) = value.table(notes) else { continue };
        let terrain = keys.take("terrain").and_then(|value| terrains.find(&value, notes));
        let tags = keys.take("tag").map(|value| value.one_or_more(notes)).unwrap_or_default();
        keys.finish(notes);
        let tags = tags.iter().filter_map(|tag| tag.text(notes));
        let tags = tags.map(|tag| Becomes::Tag(tag.to_owned()));
        all.push((
            tile.to_owned(),
            terrain.map(Becomes::Terrain).into_iter().chain(tags).collect(),
        ));
    }
    Some(Coarse { block: block as u32, becomes: all })
}

fn each<'a>(value: Option<Value<'a>>, notes: &mut Notes) -> Vec<Value<'a>> {
    value.map(|value| value.array(notes)).unwrap_or_default()
}

/// `true`, or `{ tile = "rubble" }`: whether holes are left, and what stands in them.
fn read_holes(value: &Value<'_>, model: &Model, notes: &mut Notes) -> (bool, Option<TileId>) {
    if value.is_boolean() {
        return (value.boolean(notes).unwrap_or_default(), None);
    }
    let Some(mut keys) = value.table(notes) else { return (false, None) };
    let named = keys.need("tile", "the tile that stands in holes: `{ tile = \"...\" }`", notes);
    let tile = named.and_then(|value| {
        let name = value.text(notes)?;
        match model.tile_named(name) {
            Ok(_) => Some(model.at_corner(name, None).0),
            Err(names) => {
                unknown_name("tile", &value, name, names, notes);
                None
            }
        }
    });
    keys.finish(notes);
    (true, tile)
}

/// A name, or `{ from = [x, y] }`.
fn read_order(value: &Value<'_>, lattice: Lattice, notes: &mut Notes) -> Order {
    const NAMES: [(&str, Order); 5] = [
        ("entropy", Order::Entropy),
        ("options", Order::Options),
        ("random", Order::Random),
        ("grow", Order::Grow),
        ("rows", Order::Rows),
    ];
    if value.is_text() {
        let text = value.text(notes).unwrap_or_default();
        if let Some((_, order)) = NAMES.into_iter().find(|(name, _)| *name == text) {
            return order;
        }
        unknown_name("order", value, text, NAMES.map(|(name, _)| name), notes);
        if let Some(last) = notes.findings.last_mut() {
            last.finding.help.push_str(", or a cell to begin at: `{ from = [20, 12] }`");
        }
        return Order::Entropy;
    }
    let Some(mut keys) = value.table(notes) else { return Order::Entropy };
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    let from = keys.need("from", "the cell to begin at: `{ from = [20, 12] }`", notes);
    let from = from.and_then(|value| {
        if lattice.is_solid() {
            let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::at(x as i32, y as i32, z as i32))
        } else {
            let [x, y] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::new(x as i32, y as i32))
        }
    });
    keys.finish(notes);
    from.map_or(Order::Entropy, Order::Outward)
}

/// `ring = { tile = "hedge" }`: nothing else stands along the border.
fn read_ring(mut keys: Keys<'_>, model: &Model, notes: &mut Notes) -> Option<Limit> {
    let value = keys.take("ring")?;
    let mut named = value.table(notes)?;
    let kinds = take_kinds(&mut named, &value, model, notes);
    named.finish(notes);
    let area = Area::FromBorder { least: 0, most: 0 };
    (!kinds.is_empty()).then_some(Limit { kinds, area, keep: Keep::Filling })
}

/// `{ tile = "pagoda", exactly = 1 }`, or `least` and `most`.
fn read_count(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Option<Count> {
    let mut keys = value.table(notes)?;
    let kinds = take_kinds(&mut keys, value, model, notes);
    let mut number = |key: Option<Value<'_>>| {
        key.and_then(|value| value.whole(0..i64::from(u32::MAX), Code::BadValue, notes))
    };
    let exactly = number(keys.take("exactly"));
    let (least, most) = (number(keys.take("least")), number(keys.take("most")));
    keys.finish(notes);
    let mut wrong = |text: String, help: &str| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let (least, most) = match (exactly, least, most) {
        (Some(number), None, None) => (number, Some(number)),
        (None, least, most) if least.is_some() || most.is_some() => (least.unwrap_or(0), most),
        _ => {
            let help = "write `exactly = 3`, or `least = 2`, `most = 5` or both";
            wrong("a count says how many".to_owned(), help);
            return None;
        }
    };
    if let Some(most) = most.filter(|&most| most < least) {
        wrong(format!("at least {least} and at most {most} cannot both be"), "exchange them");
        return None;
    }
    let most = most.map(|most| most as u64);
    (!kinds.is_empty()).then_some(Count { kinds, least: least as u64, most })
}

fn read_border(keys: &Keys<'_>, model: &Model, notes: &mut Notes) -> Vec<BorderRule> {
    let mut rules = Vec::new();
    let sides = model.lattice().sides();
    let mut names = vec!["all", "ring"];
    names.extend(sides.iter().map(|side| side.name()));
    for (name, span, value) in keys.entries() {
        let side = Side::from_name(name).filter(|side| sides.contains(side));
        if name == "ring" {
            continue;
        }
        if side.is_none() && name != "all" {
            let text = format!("a {} map has no border `{}`", model.lattice(), shorten(name));
            let finding = Finding::new(Code::UnknownSide, value.subject(), text);
            notes.add(finding.among(name, names.iter().copied()), span);
            continue;
        }
        let accept = read_named(&value, model, notes);
        let sides = side.as_ref().map_or(sides, std::slice::from_ref);
        rules.extend(sides.iter().map(|&side| BorderRule { side, accept: accept.clone() }));
    }
    rules
}
