//! `pass = "route"`: ways from somewhere to somewhere, judged or carved.

use super::parts::becomes::{Laid, take_becomes};
use super::parts::common::{Common, Kind, Read, Reading};
use super::parts::ways::{take_around, take_layers};
use crate::files::quilt::cursor::{Keys, Notes, Value};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::passes::{Carve, Condition, RouteStep};

pub(super) const KIND: Kind = Kind {
    name: "route",
    lays_tiles: true,
    fills: false,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::RoutePass>(),
};

/// The most that a step may cost: with it, sums over any map stay exact in 64 bits.
const MOST: i64 = 1_000_000_000_000;

/// `from`, `to`, `through`, `costs`, `carve` and so on.
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, .. } = reading;
    let from = keys.need("from", "where ways begin: `from = { item = \"...\" }`", notes);
    let to = keys.need("to", "where they lead: `to = { item = \"...\" }`", notes);
    let mut cells = |value: Option<Value<'_>>, notes: &mut Notes| {
        value.map_or_else(Condition::default, |value| names.read(&value, grounds, notes))
    };
    let (from, to) = (cells(from, notes), cells(to, notes));
    let through = cells(keys.take("through"), notes);
    let costs = keys.take("costs").map(|value| value.array(notes)).unwrap_or_default();
    let costs: Vec<(Condition, u64)> =
        costs.iter().filter_map(|value| names.read_cost(value, MOST, grounds, notes)).collect();
    let flag = |value: Option<Value<'_>>, notes: &mut Notes| {
        value.and_then(|value| value.boolean(notes)).unwrap_or(false)
    };
    let joined = flag(keys.take("joined"), notes);
    let around = take_around(&mut keys, grounds.model.lattice(), notes);
    let blocked = keys.take("blocked_by");
    let blocked = blocked.map(|value| names.read_items(&value, notes)).unwrap_or_default();
    let step = keys.take("most_step").and_then(|v| v.whole(0..1 << 31, Code::BadValue, notes));
    let carve = keys.take("carve").and_then(|value| {
        let carve = read_carve(&value, common, names, grounds.model.lattice().turns() == 6, notes)?;
        for (key, needs, there) in [
            ("open", "blocked_by", carve.open.is_none() || !blocked.is_empty()),
            ("cut", "most_step", carve.cut.is_none() || step.is_some()),
        ] {
            if !there {
                let text = format!("`{key}` has nothing to do without `{needs}`");
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help = format!("add `{needs}`, or take `{key}` out");
                notes.add(finding.help(help), value.span.clone());
            }
        }
        Some(carve)
    });
    let text = |value: Option<Value<'_>>, notes: &mut Notes| {
        value.and_then(|value| value.text(notes)).map(str::to_owned)
    };
    let (tag, plane) = (text(keys.take("tag"), notes), text(keys.take("plane"), notes));
    let wished = flag(keys.take("wished"), notes);
    keys.finish(notes);
    names.tags.extend(tag.clone());
    names.planes.extend(plane.clone());
    let mut route = RouteStep::new(from, to).joined(joined).through(through).around(around);
    route = route.costs(costs).blocked_by(blocked).wished(wished);
    route = route.most_step(step.map(|step| step as u32));
    (route.carve, route.tag, route.plane) = (carve, tag, plane);
    Read::step(route)
}

/// `carve = { terrain = "gravel", width = 2, bend = 3 }`.
fn read_carve(
    value: &Value<'_>,
    common: &Common,
    names: &mut super::parts::names::Names<'_>,
    hexagons: bool,
    notes: &mut Notes,
) -> Option<Carve> {
    let mut keys = value.table(notes)?;
    let becomes = take_becomes(&mut keys, &Laid::of(common), names, notes);
    let layers = take_layers(&mut keys, "clear_layers", names, notes);
    let items = keys.take("clear_items").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let mut cost = |key| {
        let value = keys.take(key)?;
        value.whole(0..MOST + 1, Code::BadValue, notes).map(|cost| cost as u64)
    };
    let (open, cut, bend) = (cost("open"), cost("cut"), cost("bend"));
    let width = keys.take("width").and_then(|value| {
        let width = value.whole(1..65, Code::BadValue, notes)?;
        if hexagons && width % 2 == 0 {
            let finding = Finding::new(
                Code::BadValue,
                value.subject(),
                format!("a way of {width} cells has no middle on hexagons"),
            );
            notes.add(finding.help("take an odd width"), value.span.clone());
        }
        Some(width as u32)
    });
    keys.finish(notes);
    let carve = Carve::new(becomes).clear_layers(layers).clear_items(items);
    Some(carve.open(open).cut(cut).bend(bend.unwrap_or(0)).width(width.unwrap_or(1)))
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{AroundCell, Cost, OneOrMore, Where, a_pass};
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// Leads ways from some cells to others: judges them, or carves them.
        RoutePass = "route" {
            /// The layer that tiles go to. Default one of its own.
            into: Option<String>,
            /// Where ways begin.
            from: Where,
            /// Where they lead: each of these cells.
            to: Where,
            /// Whether targets that touch are one. Default no.
            joined: Option<bool>,
            /// Which cells can be gone over. Default all.
            through: Option<Where>,
            around: Option<AroundCell>,
            /// What entering a cell costs; the first that holds counts. Default 1.
            costs: Option<Vec<Cost>>,
            /// Items, or tags of items, that block the side or the cell they stand on.
            blocked_by: Option<OneOrMore<String>>,
            /// The most by which the heights of two cells of a step may differ.
            most_step: Option<u32>,
            /// What ways make of their cells. Without it they are only judged.
            carve: Option<Carve>,
            /// A tag for all cells of ways.
            tag: Option<String>,
            /// A plane for what it costs to get to each cell.
            plane: Option<String>,
            /// Whether targets that are not reached are no error.
            wished: Option<bool>,
        }
    }

    /// What ways make of their cells.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Carve {
        terrain: Option<String>,
        tile: Option<String>,
        tag: Option<String>,
        height: Option<i64>,
        /// A number for each of these planes.
        value: Option<BTreeMap<String, i64>>,
        /// Layers whose tiles go.
        clear_layers: Option<OneOrMore<String>>,
        /// Whether the items in their cells go.
        clear_items: Option<bool>,
        /// What it costs to take away an item that blocks. Without it, it stays in the way.
        open: Option<u64>,
        /// What each level costs by which a step is too high, to cut it. Without it, it stays in the way.
        cut: Option<u64>,
        /// What a change of direction costs. Default nothing.
        bend: Option<u64>,
        /// How many cells wide. Default 1.
        width: Option<u32>,
    }
}
