//! `order` of a fill: which open cell is decided next.

use crate::files::quilt::cursor::{Notes, Value, unknown_name};
use crate::files::quilt::model::Model;
use lantern_quilt_core::constraints::Accept;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Cell, Side};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::solve::Order;

/// A name, `{ from = [x, y] }` or `{ spread = {...} }`.
pub(in crate::files::quilt::passes) fn read_order(
    value: &Value<'_>,
    model: &Model,
    alone: bool,
    notes: &mut Notes,
) -> Order {
    let lattice = model.lattice();
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
            last.finding.help.push_str(", a cell to begin at: `{ from = [20, 12] }`, or `{ spread = { filler = \"air\" } }`");
        }
        return Order::Entropy;
    }
    let Some(mut keys) = value.table(notes) else { return Order::Entropy };
    if let Some(spread) = keys.take("spread") {
        keys.finish(notes);
        return read_spread(&spread, model, alone, notes).map_or(Order::Entropy, Order::Spread);
    }
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    let from = keys.need("from", "the cell to begin at: `{ from = [20, 12] }`", notes);
    if let Some(value) = from.as_ref().filter(|value| value.is_text()) {
        let text = value.text(notes).unwrap_or_default();
        if text != "centre" {
            unknown_name("place", value, text, ["centre"], notes);
        }
        keys.finish(notes);
        return Order::FromCentre;
    }
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

/// `{ filler = "air", socket = "wall" }`: the tile that stands wherever the structure does not come; `alone` when no
/// list of pairs says what meets.
fn read_spread(value: &Value<'_>, model: &Model, alone: bool, notes: &mut Notes) -> Option<TileId> {
    let mut keys = value.table(notes)?;
    let help = "what stands where nothing spreads to: `{ filler = \"air\" }`";
    let named = keys.need("filler", help, notes);
    let socket = keys.take("socket");
    keys.finish(notes);
    let name = named.as_ref()?.text(notes)?;
    let tile = match model.tile_named(name) {
        Ok(_) => model.at_corner(name, None).0,
        Err(names) => {
            unknown_name("tile", named.as_ref()?, name, names, notes);
            return None;
        }
    };
    let wrong = |text: String, help: &str, notes: &mut Notes| {
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(help), value.span.clone());
    };
    let set = model.set();
    let set = set.as_ref();
    let faces = |side: &Side| {
        set.map(|set| set.faces(tile, Orientation::AS_DRAWN, *side)).unwrap_or_default()
    };
    let sides = model.lattice().sides();
    let meets = |&side: &Side| {
        let (own, other) = (faces(&side), faces(&side.opposite()));
        set.is_none_or(|set| own.iter().any(|&a| other.iter().any(|&b| set.faces_meet(a, b, side))))
    };
    if alone && !sides.iter().all(&meets) {
        let text = format!("`{name}` does not meet itself, so it cannot fill what is left");
        wrong(text, "take a tile as filler that fits beside itself on every side", notes);
    }
    if let Some(socket) = socket {
        let Some(socket_name) = socket.text(notes) else { return Some(tile) };
        let (found, names) = model.look_up("socket", socket_name);
        let Some(Accept::Socket(id)) = found.first().copied() else {
            unknown_name("socket", &socket, socket_name, names, notes);
            return Some(tile);
        };
        if sides.iter().any(|&side| faces(&side).iter().any(|face| face.socket == id)) {
            let text = format!("`{name}` shows `{socket_name}`, so nothing spreads over it");
            wrong(text, "spread over a socket that the filler does not show", notes);
        }
    }
    Some(tile)
}
