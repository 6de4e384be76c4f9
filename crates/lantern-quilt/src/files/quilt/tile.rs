//! Tiles from the quilt's text: sides, turns, weight, pictures, and the cells they cover.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::looks::{each, take_look, take_slices};
use super::model::{ANY, BORDER, GEOMETRY, Model, PIXELS};
use super::modules::{BlockSpec, read_colour};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::id::TagId;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::tileset::block::{Block, MOST_PARTS, Part};
use lantern_quilt_core::tileset::{Face, Mirror, Tile};
use std::ops::Range;

pub(super) fn read_tile(
    name: &str,
    span: Range<usize>,
    mut keys: Keys<'_>,
    model: &mut Model,
    notes: &mut Notes,
) {
    let mut tile = Tile::new(name);
    let mut looks = vec![take_look(&mut keys, name, &span, notes)];
    looks[0].slices = take_slices(&mut keys, notes);
    let mut look_weights = vec![1.0];
    for value in each(keys.take("looks"), notes) {
        let Some(mut keys) = value.table(notes) else { continue };
        let mut look = take_look(&mut keys, name, &value.span, notes);
        look.slices = take_slices(&mut keys, notes);
        looks.push(look);
        let weight = keys.take("weight").and_then(|v| v.number(notes));
        look_weights.push(weight.unwrap_or(1.0));
        keys.finish(notes);
    }
    if looks.len() > 1 {
        tile = tile.looks(look_weights);
    }
    let sides = if model.sampled {
        keys.take("sides")
    } else {
        let help = "write `sides = \"moss\"` or one socket a side, `sides = \"pixels\"`, or `sides = \"geometry\"`; without sides \
                    a tile stands only beside what a `[[sample]]` shows, and this quilt has none";
        keys.need("sides", help, notes)
    };
    tile = match sides {
        Some(sides) => read_sides(&sides, model, notes)
            .into_iter()
            .fold(tile, |tile, (side, faces)| tile.side(side, faces)),
        // That they are missing was said.
        None => tile.bare(),
    };
    let (weight, pose_weight) = (keys.take("weight"), keys.take("pose_weight"));
    let weighted = weight.is_some() || pose_weight.is_some();
    let mut shared = false;
    if let (Some(_), Some(value)) = (&weight, &pose_weight) {
        let text = format!("`{}` has a weight and a weight of each pose", shorten(name));
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        let help = "keep `weight` for the tile as a whole, or `pose_weight` for each of its poses";
        notes.add(finding.help(help), value.span.clone());
    }
    if let Some(value) = keys.take("share") {
        if weighted {
            let text = format!("`{}` has a share and a weight", shorten(name));
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = "keep `share` for what part of the map it should be, or `weight` for how common it is \
                        against others";
            notes.add(finding.help(help), value.span.clone());
        }
        if let Some(share) = value.number(notes) {
            tile = tile.share(share);
            (model.shared, shared) = (true, true);
        }
    }
    if let Some(weight) = weight.and_then(|v| v.number(notes)) {
        tile = tile.weight(weight);
    }
    if let Some(weight) = pose_weight.and_then(|v| v.number(notes)) {
        tile = tile.pose_weight(weight);
    }
    let turns_value = keys.take("turns");
    let turns_span = turns_value.as_ref().map_or_else(|| span.clone(), |v| v.span.clone());
    let turns = turns_value.and_then(|v| read_turns(&v, model.lattice(), notes)).unwrap_or(1);
    tile = tile.turns(turns);
    if let Some(value) = keys.take("mirror") {
        tile = tile.mirror(read_mirror(&value, notes));
    }
    for tag in read_tags(keys.take("tags"), model, notes) {
        tile = tile.tag(tag);
    }
    let air = keys.take("air").and_then(|v| v.boolean(notes)).unwrap_or(false);
    let colour = keys.take("colour").and_then(|value| read_colour(&value, notes));
    let coloured = air || colour.is_some();
    model.blocks.push(BlockSpec { tile: name.to_owned(), air, colour });
    let upright = keys.take("upright").and_then(|v| v.boolean(notes)).unwrap_or(false);
    let covered = take_span(&mut keys, model.lattice(), notes);
    let parts = take_parts(&mut keys, covered, model, notes);
    keys.finish(notes);
    let ids = match covered {
        Some(covered) => {
            let block = Block::new(tile, covered);
            let add = |block: Block, (at, side, faces)| block.part(at, side, faces);
            model.building().block(&parts.into_iter().fold(block, add))
        }
        None => vec![model.building().tile(tile)],
    };
    if weighted || shared {
        model.weighted.extend(&ids);
    }
    model.tiles.insert(name.to_owned(), ids);
    let quarter_turns = model.lattice().turns() == 4 && turns == 4;
    for mut look in looks {
        (look.quarter_turns, look.turns_span) = (quarter_turns, turns_span.clone());
        look.coloured = coloured;
        (look.upright, look.span, look.turns) = (upright, covered.unwrap_or([1; 3]), turns);
        model.looks.push(look);
    }
}

fn read_tags(value: Option<Value<'_>>, model: &mut Model, notes: &mut Notes) -> Vec<TagId> {
    let mut tags = Vec::new();
    for value in each(value, notes) {
        if let Some(tag) = value.text(notes) {
            let id = model.building().tag(tag);
            model.tags.insert(tag.to_owned(), id);
            tags.push(id);
        }
    }
    tags
}

/// `span = [2, 2]`: how many cells it covers, when it is more than one.
fn take_span(keys: &mut Keys<'_>, lattice: Lattice, notes: &mut Notes) -> Option<[u32; 3]> {
    let value = keys.take("span")?;
    let range = 1..i64::from(MOST_PARTS) + 1;
    let span = if lattice.is_solid() {
        value.wholes(range, Code::BadSize, notes)?.map(|cells: i64| cells as u32)
    } else {
        let [wide, deep] = value.wholes(range, Code::BadSize, notes)?;
        [wide as u32, deep as u32, 1]
    };
    let cells = span.into_iter().map(u64::from).product::<u64>();
    if cells > u64::from(MOST_PARTS) {
        let text = "a tile covers 256 cells at most";
        let finding = Finding::new(Code::BadSize, value.subject(), text);
        notes.add(finding.help("make it of several tiles"), value.span);
        return None;
    }
    (cells > 1).then_some(span)
}

/// Stands for every side that is neither up nor down.
const AROUND: &str = "around";

type OwnSide = ([u32; 3], Side, Vec<Face>);

/// `parts = [{ at = [0, 1], sides = { west = "path" } }]`: sides that differ from the tile's.
fn take_parts(
    keys: &mut Keys<'_>,
    span: Option<[u32; 3]>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<OwnSide> {
    let mut parts = Vec::new();
    for entry in each(keys.take("parts"), notes) {
        let Some(mut keys) = entry.table(notes) else { continue };
        let at = keys.need("at", "which part: column and row, from the north-west", notes);
        let at = at.and_then(|value| {
            let range = 0..i64::from(MOST_PARTS);
            let at = if model.lattice().is_solid() {
                value.wholes(range, Code::BadValue, notes)?.map(|cell: i64| cell as u32)
            } else {
                let [x, y] = value.wholes(range, Code::BadValue, notes)?;
                [x as u32, y as u32, 0]
            };
            let [wide, deep, high] = span.unwrap_or([1; 3]);
            if at[0] >= wide || at[1] >= deep || at[2] >= high {
                let text = format!("the tile has no part at [{}, {}]", at[0], at[1]);
                let help = format!("parts go from [0, 0] to [{}, {}]", wide - 1, deep - 1);
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help(help), value.span);
                return None;
            }
            Some(at)
        });
        let sides = keys.need("sides", "what the part shows: `sides = { west = \"path\" }`", notes);
        let shown = sides.map(|value| (read_sides(&value, model, notes), value));
        keys.finish(notes);
        let (Some(at), Some((shown, value))) = (at, shown) else { continue };
        let span = span.unwrap_or([1; 3]);
        for (side, faces) in shown {
            if (Part { at, span }).beyond(model.lattice(), side).is_none() {
                parts.push((at, side, faces));
            } else if !value.is_text() && !value.is_array() {
                let text = format!("the {side} side of part [{}, {}] lies inside", at[0], at[1]);
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "only sides at the edge of the tile can be said";
                notes.add(finding.help(help), value.span.clone());
            }
        }
    }
    parts
}

/// How many ways round something is used: a number, or `"all"` that the lattice has.
pub(super) fn read_turns(value: &Value<'_>, lattice: Lattice, notes: &mut Notes) -> Option<u8> {
    if value.is_text() {
        let text = value.text(notes)?;
        if text != "all" {
            unknown_name("number of turns", value, text, ["all"], notes);
        }
        return Some(lattice.turns());
    }
    value.whole(1..256, Code::BadTurns, notes).map(|turns| turns as u8)
}

pub(super) fn read_mirror(value: &Value<'_>, notes: &mut Notes) -> Mirror {
    const NAMES: [&str; 3] = ["east_west", "north_south", "both"];
    let Some(text) = value.text(notes) else { return Mirror::No };
    match text {
        "east_west" => Mirror::EastWest,
        "north_south" => Mirror::NorthSouth,
        "both" => Mirror::Both,
        other => {
            unknown_name("mirror", value, other, NAMES, notes);
            Mirror::No
        }
    }
}

/// What each side shows: the same on all, or said by the name of the side.
fn read_sides(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<(Side, Vec<Face>)> {
    let lattice = model.lattice();
    if value.is_text() || value.is_array() {
        let faces = read_faces(value, model, notes);
        return lattice.sides().iter().map(|&side| (side, faces.clone())).collect();
    }
    let Some(keys) = value.table(notes) else { return Vec::new() };
    let mut names: Vec<&str> = lattice.sides().iter().map(|side| side.name()).collect();
    names.push(AROUND);
    let mut shown = Vec::new();
    // A set for several lattices names its sides by group: flat maps have no use for those above and below.
    let grouped = keys.has(AROUND);
    if let Some((.., value)) = keys.entries().into_iter().find(|(name, ..)| *name == AROUND) {
        let faces = read_faces(&value, model, notes);
        let around = lattice.sides().iter().filter(|side| !side.is_flat());
        shown.extend(around.map(|&side| (side, faces.clone())));
    }
    for (name, span, value) in keys.entries() {
        let flat = Side::from_name(name).is_some_and(Side::is_flat);
        if name == AROUND || (grouped && flat && !lattice.is_solid()) {
            continue;
        }
        match Side::from_name(name).filter(|&side| lattice.side_index(side).is_some()) {
            Some(side) => {
                // A side by its own name goes before its group.
                shown.retain(|(known, _)| *known != side);
                shown.push((side, read_faces(&value, model, notes)));
            }
            None => {
                let text = format!("a {lattice} cell has no side `{}`", shorten(name));
                let finding = Finding::new(Code::UnknownSide, value.subject(), text);
                notes.add(finding.among(name, names.iter().copied()), span);
            }
        }
    }
    shown
}

/// The sockets of a side: one, or a list of which any fits.
fn read_faces(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<Face> {
    // A side with a mistake still counts as said, so that it is not reported as open as well.
    let mut faces = Vec::new();
    for value in value.one_or_more(notes) {
        let Some(text) = value.text(notes) else { continue };
        match text {
            ANY => faces.extend(model.every_face()),
            BORDER => faces.push(Face::new(model.border)),
            GEOMETRY => faces.push(Face::new(model.geometry)),
            PIXELS => faces.push(Face::new(model.pixels)),
            _ => faces.extend(read_face(text, &value, model, notes)),
        }
    }
    if faces.is_empty() {
        faces.push(Face::new(model.border));
    }
    faces
}

fn read_face(text: &str, value: &Value<'_>, model: &Model, notes: &mut Notes) -> Option<Face> {
    let (name, right) = match text.strip_suffix(" left") {
        Some(name) => (name, Some(false)),
        None => match text.strip_suffix(" right") {
            Some(name) => (name, Some(true)),
            None => (text, None),
        },
    };
    let Some(&(socket, handed)) = model.sockets.get(name) else {
        unknown_name("socket", value, text, model.socket_names(), notes);
        return None;
    };
    let mut wrong = |text: String, help: String| {
        notes.add(
            Finding::new(Code::WrongHand, value.subject(), text).help(help),
            value.span.clone(),
        );
    };
    match (handed, right) {
        (true, None) => {
            wrong(
                format!(
                    "`{name}` is handed: say on which hand it lies when you look out of this side"
                ),
                format!("write \"{name} left\" or \"{name} right\""),
            );
            None
        }
        (false, Some(_)) => {
            wrong(
                format!("`{name}` is not handed"),
                format!("write \"{name}\", or add `handed = true` to its socket"),
            );
            None
        }
        (_, Some(true)) => Some(Face::right(socket)),
        _ => Some(Face::new(socket)),
    }
}
