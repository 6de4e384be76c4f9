//! `connected`, `closed` and `distance` of a fill: what holds of the map as a whole.

use super::areas::{outside, read_area, read_cell, source_at};
use super::names::Names;
use crate::files::quilt::cursor::{Notes, Value, unknown_name};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::kinds::take_kinds;
use crate::files::quilt::model::Model;
use lantern_quilt_core::constraints::{Accept, Area, Closed, Connected, Distance, SourceKind};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::id::SocketId;
use lantern_quilt_core::lattice::{Cell, Layout};
use lantern_quilt_core::passes::Condition;

/// One table, or a list of them.
pub(in crate::files::quilt::passes) fn one_or_more<'a>(
    value: Option<Value<'a>>,
    notes: &mut Notes,
) -> Vec<Value<'a>> {
    value.map(|value| value.one_or_more(notes)).unwrap_or_default()
}

/// `{ tag = "walk", over = "path", regions = 2, from = { border = [0, 0] } }`.
pub(in crate::files::quilt::passes) fn read_connected(
    value: &Value<'_>,
    names: &Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<(Connected, Option<Condition>)> {
    let mut keys = value.table(notes)?;
    let model = grounds.model;
    let kinds = take_kinds(&mut keys, value, model, notes);
    let over = keys.take("over").map(|over| sockets(&over, model, notes)).unwrap_or_default();
    let regions = keys.take("regions");
    let most = 1 << 16;
    let count = regions.as_ref().and_then(|one| one.whole(1..most, Code::BadValue, notes));
    let from = keys.take("from");
    if let (Some(from), Some(_)) = (&from, &regions) {
        let text = "`from` and `regions` are two ways to say how many pieces there are";
        let finding = Finding::new(Code::BadValue, from.subject(), text);
        notes.add(
            finding.help("with `from` each piece begins there; take one out"),
            from.span.clone(),
        );
    }
    let from = from.map(|from| read_begin(&from, names, grounds, notes));
    keys.finish(notes);
    let source = source_at(SourceKind::Connected, &value.span);
    let regions = count.unwrap_or(1) as u32;
    let (from, begin) = match from {
        Some(None) => return None,
        Some(Some(Begin::In(area))) => (Some(area), None),
        // Until it is known where that is, pieces may begin anywhere.
        Some(Some(Begin::Where(place))) => (Some(Area::All(Vec::new())), Some(place)),
        None => (None, None),
    };
    let rule = Connected { kinds, over, regions, from, source };
    if rule.kinds.is_empty() {
        return None;
    }
    if let Some(set) = model.set()
        && !set.poses().any(|(tile, turned)| {
            set.lattice().sides().iter().any(|&side| rule.reaches(&set, tile, turned, side))
        })
    {
        let text = "none of these tiles shows what they hang together by";
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        let help = "let `over` name a socket that they show, or take it out";
        notes.add(finding.help(help), value.span.clone());
        return None;
    }
    Some((rule, begin))
}

/// Where pieces begin.
enum Begin {
    In(Area),
    Where(Condition),
}

/// `{ where = { tag = "gate" } }`, `{ at = [3, 4] }` or an area.
fn read_begin(
    value: &Value<'_>,
    names: &Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Begin> {
    let mut keys = value.table(notes)?;
    if let Some(place) = keys.take("where") {
        keys.finish(notes);
        return Some(Begin::Where(names.read(&place, grounds, notes)));
    }
    if let (Some(at), false) = (keys.take("at"), keys.has("size")) {
        keys.finish(notes);
        let (cell, level) = read_cell(&at, grounds, notes)?;
        let extent = grounds.layout?.extent();
        if !extent.contains(cell) {
            outside(&at, cell, extent, notes);
            return None;
        }
        let only = Area::Between { least: cell, most: cell };
        let Some(level) = level else { return Some(Begin::In(only)) };
        // Its level follows the height of the map.
        let column = Area::Between {
            least: Cell::at(cell.x, cell.y, i32::MIN),
            most: Cell::at(cell.x, cell.y, i32::MAX),
        };
        let levels = Area::Levels { least: level, most: level };
        return Some(Begin::In(Area::All(vec![column, levels])));
    }
    read_area(value, grounds, notes).map(Begin::In)
}

/// `{ socket = "path", except = { tile = "gate" } }`.
pub(in crate::files::quilt::passes) fn read_closed(
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<Closed> {
    let mut keys = value.table(notes)?;
    let named = keys.need("socket", "what may not end: `{ socket = \"path\" }`", notes);
    let named = named.map(|named| sockets(&named, model, notes)).unwrap_or_default();
    let mut except = Vec::new();
    if let Some(value) = keys.take("except")
        && let Some(mut kinds) = value.table(notes)
    {
        except = take_kinds(&mut kinds, &value, model, notes);
        kinds.finish(notes);
    }
    keys.finish(notes);
    let source = source_at(SourceKind::Closed, &value.span);
    (!named.is_empty()).then_some(Closed { sockets: named, except, source })
}

/// `{ tile = "lamp", to = { tag = "water" }, least = 3, most = 9 }`.
pub(in crate::files::quilt::passes) fn read_distance(
    value: &Value<'_>,
    grounds: &Grounds<'_>,
    notes: &mut Notes,
) -> Option<Distance> {
    let mut keys = value.table(notes)?;
    let model = grounds.model;
    let kinds = take_kinds(&mut keys, value, model, notes);
    let help = "from what it keeps its distance: `to = { tile = \"...\" }`";
    let to = keys.need("to", help, notes).and_then(|value| {
        let mut named = value.table(notes)?;
        let to = take_kinds(&mut named, &value, model, notes);
        named.finish(notes);
        Some(to)
    });
    let farthest = grounds.layout.map_or(1 << 16, farthest);
    let named = keys.has("least") || keys.has("most");
    let mut steps = |key: &'static str, least: i64| {
        let value = keys.take(key)?;
        let steps = value.whole(least..i64::from(u32::MAX), Code::BadValue, notes)?;
        if steps > farthest {
            let text = format!("no two cells of this map are {steps} steps apart");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = format!("the farthest are {farthest}; write fewer steps");
            notes.add(finding.help(help), value.span.clone());
            return None;
        }
        Some(steps as u32)
    };
    let (least, most) = (steps("least", 0), steps("most", 1));
    keys.finish(notes);
    if !named && least.is_none() && most.is_none() {
        let text = "a distance needs `least`, `most` or both";
        let finding = Finding::new(Code::MissingKey, value.subject(), text);
        notes.add(finding.help("write `least = 3`, in steps over sides"), value.span.clone());
        return None;
    }
    if let (Some(least), Some(most)) = (least, most)
        && most < least
    {
        let text = format!("at least {least} and at most {most} steps cannot both be");
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("exchange them"), value.span.clone());
        return None;
    }
    let source = source_at(SourceKind::Distance, &value.span);
    let to = to.filter(|to| !to.is_empty() && !kinds.is_empty())?;
    Some(Distance { kinds, to, least: least.unwrap_or(0), most, source })
}

/// How many steps the farthest cells of a map are apart, at most.
fn farthest(layout: Layout) -> i64 {
    let [w, h, d] = layout.extent().size().map(i64::from);
    w + h + d - 3
}

/// Sockets by name, one or a list.
fn sockets(value: &Value<'_>, model: &Model, notes: &mut Notes) -> Vec<SocketId> {
    let mut all = Vec::new();
    for value in value.one_or_more(notes) {
        let Some(name) = value.text(notes) else { continue };
        let (found, names) = model.look_up("socket", name);
        if found.is_empty() {
            unknown_name("socket", &value, name, names, notes);
        }
        all.extend(found.into_iter().filter_map(|one| match one {
            Accept::Socket(socket) => Some(socket),
            _ => None,
        }));
    }
    all
}
