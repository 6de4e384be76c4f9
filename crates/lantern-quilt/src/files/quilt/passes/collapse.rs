//! `pass = "collapse"`: a fill by the rules of the tiles.

use super::parts::areas::{read_limit, read_pin, read_shade, source_at};
use super::parts::border::{read_border, read_ring};
use super::parts::common::{Common, FillSpec, Kind, Read, Reading};
use super::parts::order::read_order;
use super::parts::shares::{read_shares, read_weights};
use super::parts::whole::{one_or_more, read_closed, read_connected, read_distance};
use crate::files::quilt::cursor::{Keys, Notes, Value, shorten, unknown_name};
use crate::files::quilt::kinds::take_kinds;
use crate::files::quilt::model::Model;
use crate::files::quilt::patterns;
use crate::files::quilt::terrains::Terrains;
use lantern_quilt_core::constraints::{Area, AreaRule, Constraints, Count, Keep, SourceKind};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::limits::Climb;
use lantern_quilt_core::passes::{Becomes, Coarse};
use lantern_quilt_core::solve::Search;

pub(super) const KIND: Kind = Kind {
    name: "collapse",
    lays_tiles: true,
    fills: true,
    places: false,
    read,
    schema: |generator| generator.subschema_for::<schema::CollapsePass>(),
};

#[expect(clippy::unnecessary_wraps, reason = "readers of kinds may find nothing")]
fn read(
    common: &mut Common,
    mut keys: Keys<'_>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Option<Read> {
    let Reading { names, grounds, lists, patterns: known, .. } = reading;
    let (model, lists) = (grounds.model, lists.clone());
    let mut search = Search::default();
    let given = keys.take("shares");
    search.steer = model.shared || given.is_some();
    let given_at = given.as_ref().map(|value| value.span.clone());
    let shares = given.and_then(|value| read_shares(&value, model, notes));
    let own = keys.take("weights");
    let own_at = own.as_ref().map(|value| value.span.clone());
    let weights = own.map(|value| read_weights(&value, model, notes)).unwrap_or_default();
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
        search.order = read_order(&value, model, lists.is_empty(), notes);
    }
    let mut constraints = Constraints { pairs: lists, ..Constraints::default() };
    if let Some(keys) = keys.take("border").and_then(|v| v.table(notes)) {
        constraints.borders = read_border(&keys, model, notes);
        if keys.has("ring") {
            constraints.areas.extend(read_ring(keys, model, notes));
        }
    }
    for value in each(keys.take("pins"), notes) {
        constraints.pins.extend(read_pin(&value, grounds, notes));
    }
    for value in each(keys.take("limits"), notes) {
        constraints.areas.extend(read_limit(&value, grounds, notes));
    }
    for value in each(keys.take("counts"), notes) {
        constraints.counts.extend(read_count(&value, model, notes));
    }
    let mut begins = Vec::new();
    for value in one_or_more(keys.take("connected"), notes) {
        let Some((rule, begin)) = read_connected(&value, names, grounds, notes) else { continue };
        begins.extend(begin.map(|begin| (constraints.connected.len(), begin)));
        constraints.connected.push(rule);
    }
    for value in one_or_more(keys.take("closed"), notes) {
        constraints.closed.extend(read_closed(&value, model, notes));
    }
    for value in one_or_more(keys.take("distance"), notes) {
        constraints.distances.extend(read_distance(&value, grounds, notes));
    }
    let mut shades = Vec::new();
    for value in each(keys.take("shades"), notes) {
        shades.extend(read_shade(&value, names, grounds, notes));
    }
    if let Some(value) = keys.take("only")
        && let Some(mut named) = value.table(notes)
    {
        let kinds = take_kinds(&mut named, &value, model, notes);
        named.finish(notes);
        let (least, most) = (i32::MIN, i32::MAX);
        let area = Area::Between {
            least: Cell::at(least, least, least),
            most: Cell::at(most, most, most),
        };
        if !kinds.is_empty() {
            let source = source_at(SourceKind::Only, &value.span);
            constraints.areas.push(AreaRule { kinds, area, keep: Keep::Filling, source });
        }
    }
    let found = keys.take("pattern").and_then(|value| patterns::find(&value, known, notes));
    let (windows, patterns) = found.unzip();
    if let (Some(span), true) = (given_at, windows.is_some()) {
        let subject = Subject::Field(format!("{}.shares", common.path));
        let text = "a fill by a pattern has the frequencies of its windows, not shares";
        let help = "take `shares` out; `steer = true` keeps to the frequencies";
        notes.add(Finding::new(Code::BadShare, subject, text).help(help), span);
    }
    if let (Some(span), true) = (own_at, windows.is_some()) {
        let subject = Subject::Field(format!("{}.weights", common.path));
        let text = "a fill by a pattern has the weights of its windows, not of tiles";
        let help = "take `weights` out; a sample with a `weight` counts more than others";
        notes.add(Finding::new(Code::BadWeight, subject, text).help(help), span);
    }
    if windows.is_some() {
        constraints.pairs.clear();
    }
    constraints.windows = windows;
    let coarse = take_coarse(&mut keys, model, names.terrains, notes);
    keys.finish(notes);
    match &coarse {
        Some(coarse) => {
            coarse.becomes.iter().flat_map(|(_, all)| all).for_each(|one| names.become_known(one));
        }
        None => {
            names.layers.insert(common.layer().to_owned());
            names.standing.extend(model.tiles.keys().cloned());
        }
    }
    Some(Read::Fill(Box::new(FillSpec {
        constraints,
        shades,
        begins,
        search,
        fallback,
        shares,
        weights,
        coarse,
        patterns,
    })))
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
            Finding::new(Code::NotYet, value.subject(), "`coarse` is not supported on hex maps");
        notes.add(finding.help("fill every cell by itself"), value.span.clone());
        return None;
    }
    let Some(becomes) = becomes.and_then(|value| value.table(notes)) else {
        let text = "`coarse` needs `becomes`: what the cells of each block become";
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
            wrong("a count needs `least`, `most` or both".to_owned(), help);
            return None;
        }
    };
    if let Some(most) = most.filter(|&most| most < least) {
        wrong(format!("at least {least} and at most {most} cannot both be"), "exchange them");
        return None;
    }
    let most = most.map(|most| most as u64);
    let source = source_at(SourceKind::Count, &value.span);
    (!kinds.is_empty()).then_some(Count { kinds, least: least as u64, most, source })
}

mod schema {
    //! The pass as types.
    #![allow(dead_code, reason = "these types describe a file and are never made")]

    use crate::files::quilt::schema_parts::{
        Kind, Levels, Named, Noise, OneOrMore, Place, PlaceOfPin, Where, a_pass,
    };
    use schemars::JsonSchema;
    use std::collections::BTreeMap;

    a_pass! {
        /// A fill by the rules of tiles.
        CollapsePass = "collapse" {
            /// The layer that its tiles go to; what stands there already is kept.
            into: Option<String>,
            /// The pattern whose windows it may show, and no others.
            pattern: Option<String>,
            /// The only tiles that it uses.
            only: Option<Kind>,
            /// Columns and rows of the block that each tile represents.
            coarse: Option<u32>,
            /// What the cells of each tile's block become.
            becomes: Option<BTreeMap<String, BlockBecomes>>,
            border: Option<Border>,
            order: Option<Order>,
            /// What part of the map tiles should be, or that of the samples.
            shares: Option<Shares>,
            /// The weights of tiles in this pass, in place of their own.
            weights: Option<BTreeMap<String, f64>>,
            /// Whether the shares of tiles are kept near their weights.
            steer: Option<bool>,
            /// How far it climbs where cells run out.
            climb: Option<Rung>,
            /// Whether it goes block by block over a small fill that repeats.
            blocks: Option<bool>,
            /// Whether cells for which nothing is found stay holes, or what stands in them.
            holes: Option<Holes>,
            /// How often it begins anew.
            tries: Option<u32>,
            /// Backtracks before the next rung.
            patience: Option<u32>,
            /// How many decisions can be taken back.
            window: Option<u32>,
            /// Cells whose tile is given.
            pins: Option<Vec<Pin>>,
            /// Areas that tiles are kept to.
            limits: Option<Vec<Limit>>,
            /// How many there must be of some tiles.
            counts: Option<Vec<Count>>,
            /// Tiles that hang together.
            connected: Option<OneOrMore<Connected>>,
            /// Sockets that may not end at the border, at holes or at cells that take no part.
            closed: Option<OneOrMore<Closed>>,
            /// Tiles that keep their distance from others, or stay near them.
            distance: Option<OneOrMore<Distance>>,
            /// Tiles that are more common where a picture is light.
            shades: Option<Vec<Shade>>,
        }
    }

    /// `"sample"`, or shares of groups of tiles.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Shares {
        Of(SharesOf),
        Groups(Vec<NamedShare>),
    }

    #[derive(JsonSchema)]
    #[schemars(rename_all = "snake_case")]
    enum SharesOf {
        Sample,
    }

    /// What part of the map some tiles should be together.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct NamedShare {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        /// Above 0 and below 1.
        share: f64,
    }

    /// What the cells of a block become.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct BlockBecomes {
        terrain: Option<String>,
        tag: Option<OneOrMore<String>>,
    }

    /// What may face out of the map, by side; and what alone may stand along its edge.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Border {
        all: Option<Named>,
        /// Every side that is neither up nor down.
        around: Option<Named>,
        ring: Option<Kind>,
        north: Option<Named>,
        north_east: Option<Named>,
        east: Option<Named>,
        south_east: Option<Named>,
        south: Option<Named>,
        south_west: Option<Named>,
        west: Option<Named>,
        north_west: Option<Named>,
        up: Option<Named>,
        down: Option<Named>,
    }

    /// How far a fill climbs.
    #[derive(JsonSchema)]
    #[schemars(rename_all = "snake_case")]
    enum Rung {
        Backtrack,
        Reopen,
        Blocks,
        Learn,
        Proof,
    }

    /// Whether holes are left, or the tile that stands in them.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Holes {
        Left(bool),
        With(Fallback),
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Fallback {
        tile: String,
    }

    /// Which cell comes next.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Order {
        Named(OrderName),
        From(From),
    }

    #[derive(JsonSchema)]
    #[schemars(rename_all = "snake_case")]
    enum OrderName {
        Entropy,
        Options,
        Random,
        Grow,
        Rows,
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct From {
        from: Option<FromWhere>,
        spread: Option<Spread>,
    }

    /// What stands where the structure does not come, and over what it spreads.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Spread {
        filler: String,
        socket: Option<String>,
    }

    /// A cell, or the middle of the map.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum FromWhere {
        Cell(Place),
        Centre(Centre),
    }

    #[derive(JsonSchema)]
    #[schemars(rename_all = "snake_case")]
    enum Centre {
        Centre,
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Pin {
        at: PlaceOfPin,
        tile: String,
        turned: Option<u8>,
        mirrored: Option<bool>,
    }

    /// Tiles that stand `inside` or `outside` an area, or alone in it.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Limit {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        turned: Option<u8>,
        mirrored: Option<bool>,
        inside: Option<Area>,
        outside: Option<Area>,
        fills: Option<Area>,
    }

    /// Columns, rows and levels; or steps from the border; or a colour of a picture of the map's size.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Area {
        x: Option<[i64; 2]>,
        y: Option<[i64; 2]>,
        z: Option<Levels>,
        /// The north-west (and lowest) cell of a box of cells; with `size`, or where pieces begin alone.
        at: Option<Vec<i64>>,
        size: Option<Vec<u32>>,
        border: Option<[u32; 2]>,
        mask: Option<String>,
        colour: Option<String>,
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Count {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        turned: Option<u8>,
        mirrored: Option<bool>,
        exactly: Option<u32>,
        least: Option<u32>,
        most: Option<u32>,
    }

    /// What hangs together: through sides that both show one of `over`, or wherever two touch.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Connected {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        turned: Option<u8>,
        mirrored: Option<bool>,
        over: Option<OneOrMore<String>>,
        /// How many pieces there are. Default 1.
        regions: Option<u32>,
        /// Each piece has a cell here.
        from: Option<Begin>,
    }

    /// Where a condition holds, or an area, or a cell.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum Begin {
        Where(Box<BeginWhere>),
        Area(Area),
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct BeginWhere {
        #[schemars(rename = "where")]
        place: Where,
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Closed {
        socket: OneOrMore<String>,
        /// Tiles on which they may end.
        except: Option<Kind>,
    }

    /// In steps over sides.
    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Distance {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        turned: Option<u8>,
        mirrored: Option<bool>,
        to: Kind,
        least: Option<u32>,
        most: Option<u32>,
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct Shade {
        socket: Option<OneOrMore<String>>,
        tile: Option<OneOrMore<String>>,
        tag: Option<OneOrMore<String>>,
        turned: Option<u8>,
        mirrored: Option<bool>,
        by: ShadeBy,
    }

    /// A greyscale picture of the map's size, a factor a level, a noise or a condition.
    #[derive(JsonSchema)]
    #[schemars(untagged)]
    enum ShadeBy {
        Picture(String),
        Levels(Vec<f64>),
        Rule(Box<ShadeRule>),
    }

    #[derive(JsonSchema)]
    #[schemars(deny_unknown_fields)]
    struct ShadeRule {
        noise: Option<Noise>,
        /// Where this holds the tiles are as common as by weight.
        #[schemars(rename = "where")]
        place: Option<Where>,
        /// From 0 to 1: how common they are elsewhere. Default 0.
        factor: Option<f64>,
    }
}
