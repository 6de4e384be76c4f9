//! Conditions, from the quilt's text: `where = { terrain = "moss", near = { tag = "walk", within = 2 } }`.

use super::areas::{read_levels, take_sized};
use super::names::Names;
use super::noise::take_noise;
use crate::colour::{from_hex, to_hex};
use crate::files::quilt::cursor::{Keys, Notes, Value, shorten, unknown_name};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::items::{ItemSpec, read_side};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::Numbers;
use lantern_quilt_core::passes::{Condition, CountArea, Metric};
use std::collections::BTreeSet;

/// Conditions nested deeper than this are a slip.
const DEEPEST: usize = 16;

impl Names<'_> {
    /// The `where` of a pass; every cell without one.
    pub(in crate::files::quilt) fn read_where(
        &self,
        keys: &mut Keys<'_>,
        grounds: &mut Grounds<'_>,
        notes: &mut Notes,
    ) -> Condition {
        let value = keys.take("where");
        value.map_or_else(Condition::default, |value| self.read(&value, grounds, notes))
    }

    /// `{ terrain = "moss", cost = 3 }`: a condition, and what it costs there.
    pub(in crate::files::quilt::passes) fn read_cost(
        &self,
        value: &Value<'_>,
        most: i64,
        grounds: &mut Grounds<'_>,
        notes: &mut Notes,
    ) -> Option<(Condition, u64)> {
        let mut keys = value.table(notes)?;
        let cost = keys.need("cost", "what a step there costs: `cost = 3`", notes);
        let cost = cost.and_then(|value| value.whole(0..most + 1, Code::BadValue, notes));
        let what = Reader { names: self, grounds }.read_keys(&mut keys, 0, notes);
        keys.finish(notes);
        Some((what, cost? as u64))
    }

    /// A condition by itself.
    pub(in crate::files::quilt) fn read(
        &self,
        value: &Value<'_>,
        grounds: &mut Grounds<'_>,
        notes: &mut Notes,
    ) -> Condition {
        Reader { names: self, grounds }.read(value, 0, notes)
    }
}

/// Reads conditions, and the pictures that they name.
struct Reader<'n, 'a, 'g, 'm> {
    names: &'n Names<'a>,
    grounds: &'g mut Grounds<'m>,
}

impl Reader<'_, '_, '_, '_> {
    fn read(&mut self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Condition {
        let Some(mut keys) = value.table(notes) else { return Condition::default() };
        let condition = self.read_keys(&mut keys, depth, notes);
        keys.finish(notes);
        condition
    }

    /// All that a table says, together.
    fn read_keys(&mut self, keys: &mut Keys<'_>, depth: usize, notes: &mut Notes) -> Condition {
        let mut parts = Vec::new();
        if let Some(value) = keys.take("terrain") {
            let found = self.names.terrains.find_all(Some(value.clone()), notes);
            for name in &found {
                Names::say_nothing_yet("terrain", &value, name, &self.names.laid, notes);
            }
            parts.push(Condition::Terrain(found));
        }
        let layer =
            keys.take("layer").and_then(|value| find("layer", &self.names.layers, &value, notes));
        if let Some(value) = keys.take("tile") {
            let tiles = value.one_or_more(notes);
            let tiles = tiles.iter().filter_map(|one| find("tile", &self.names.tiles, one, notes));
            let tiles: Vec<String> = tiles.collect();
            for name in &tiles {
                Names::say_nothing_yet("tile", &value, name, &self.names.standing, notes);
            }
            parts.push(Condition::Tile { layer: layer.clone(), tiles });
        }
        if let Some(value) = keys.take("tag") {
            let tags = value.one_or_more(notes);
            let tags = tags.iter().filter_map(|one| self.read_tag(one, notes));
            let mut tags: Vec<Condition> = tags.collect();
            let one = tags.len() == 1;
            parts.push(if one { tags.swap_remove(0) } else { Condition::Any(tags) });
        }
        if let Some(value) = keys.take("item") {
            let known: BTreeSet<String> =
                self.names.items.iter().map(|item| item.name.to_string()).collect();
            let items = value.one_or_more(notes);
            let items: Vec<String> =
                items.iter().filter_map(|one| find("item", &known, one, notes)).collect();
            for name in &items {
                Names::say_nothing_yet("item", &value, name, &self.names.placed, notes);
            }
            parts.push(Condition::Item(items));
        }
        if let Some(value) = keys.take("plan") {
            parts.extend(self.read_painted(&value, notes));
        }
        match keys.take("empty").and_then(|value| value.boolean(notes)) {
            Some(true) => parts.push(Condition::Empty(layer)),
            Some(false) => parts.push(Condition::None(vec![Condition::Empty(layer)])),
            None => {}
        }
        let heights = i64::from(i32::MIN)..i64::from(i32::MAX);
        if let Some([least, most]) =
            keys.take("height").and_then(|v| v.wholes(heights.clone(), Code::BadValue, notes))
        {
            parts.push(Condition::Height { least: least as i32, most: most as i32 });
        }
        if let Some(value) = keys.take("value") {
            self.read_values(&value, &mut parts, notes);
        }
        let steps = 0..i64::from(u32::MAX);
        if let Some([least, most]) =
            keys.take("border").and_then(|v| v.wholes(steps, Code::BadValue, notes))
        {
            parts.push(Condition::Border { least: least as u32, most: most as u32 });
        }
        let solid = self.grounds.model.lattice().is_solid();
        parts.extend(read_box(keys, solid, notes));
        if let Some([least, most]) = take_sized(keys, solid, notes) {
            parts.push(Condition::Between { least, most });
        }
        if solid && let Some(value) = keys.take("z") {
            let levels = read_levels(&value, notes);
            parts.extend(levels.map(|[least, most]| Condition::Levels { least, most }));
        }
        if let Some(value) = keys.take("near") {
            parts.extend(self.read_near(&value, depth, notes));
        }
        if let Some(value) = keys.take("reachable") {
            parts.extend(self.read_reachable(&value, depth, notes));
        }
        if let Some(value) = keys.take("count") {
            parts.extend(self.read_count(&value, depth, notes));
        }
        if let Some(value) = keys.take("edge") {
            parts
                .extend(self.nested(&value, depth, notes).map(|what| Condition::Edge(what.into())));
        }
        if let Some(value) = keys.take("noise") {
            parts.extend(read_noise_range(&value, notes));
        }
        for (key, join) in [
            ("all", Condition::All as fn(Vec<Condition>) -> Condition),
            ("any", Condition::Any),
            ("none", Condition::None),
        ] {
            if let Some(value) = keys.take(key) {
                let inner = value.one_or_more(notes);
                let inner = inner.iter().filter_map(|one| self.nested(one, depth, notes));
                parts.push(join(inner.collect()));
            }
        }
        if parts.len() == 1 { parts.swap_remove(0) } else { Condition::All(parts) }
    }

    fn nested(&mut self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Option<Condition> {
        if depth < DEEPEST {
            return Some(self.read(value, depth + 1, notes));
        }
        let finding = Finding::new(Code::BadValue, value.subject(), "this is nested too deeply");
        let help = "mark cells by a `tag` pass first, and ask for the tag";
        notes.add(finding.help(help), value.span.clone());
        None
    }

    /// A tag of the cell, or of a tile that stands there.
    fn read_tag(&self, value: &Value<'_>, notes: &mut Notes) -> Option<Condition> {
        let name = value.text(notes)?;
        let tiles = self.names.tagged.get(name);
        let carries = |item: &&ItemSpec| item.tags.iter().any(|tag| tag == name);
        let items: Vec<String> =
            self.names.items.iter().filter(carries).map(|item| item.name.to_string()).collect();
        if tiles.is_none() && items.is_empty() && !self.names.tags.contains(name) {
            let of_items = self.names.items.iter().flat_map(|item| item.tags.iter());
            let known = self.names.tagged.keys().chain(&self.names.tags).chain(of_items);
            let known = known.map(String::as_str);
            let kind = "tag that a tile or an item has or an earlier pass gives";
            unknown_name(kind, value, name, known, notes);
            return None;
        }
        let mut any = vec![Condition::Tag(name.to_owned())];
        any.extend(tiles.map(|tiles| Condition::Tile { layer: None, tiles: tiles.clone() }));
        if !items.is_empty() {
            any.push(Condition::Item(items));
        }
        Some(if any.len() == 1 { any.swap_remove(0) } else { Condition::Any(any) })
    }

    /// `value = { distance = [0, 12] }`: each plane with its least and its greatest number.
    fn read_values(&self, value: &Value<'_>, parts: &mut Vec<Condition>, notes: &mut Notes) {
        let Some(keys) = value.table(notes) else { return };
        let known = &self.names.planes;
        for (name, span, value) in keys.entries() {
            if !known.contains(name) {
                let text = format!("no pass before this one writes a plane `{}`", shorten(name));
                let finding = Finding::new(Code::UnknownName, value.subject(), text);
                notes.add(finding.among(name, known.iter().map(String::as_str)), span);
                continue;
            }
            let range = i64::from(Numbers::LEAST)..i64::from(i32::MAX) + 1;
            let Some([least, most]) = value.wholes(range, Code::BadValue, notes) else { continue };
            let (least, most) = (least as i32, most as i32);
            parts.push(Condition::Value { plane: name.to_owned(), least, most });
        }
    }

    /// `plan = { picture = "zones.png", colour = "#c05a2a" }`.
    fn read_painted(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let picture = keys.need("picture", "a PNG with one pixel a cell", notes);
        let colour = keys.need("colour", "the colour that is meant: `\"#c05a2a\"`", notes);
        keys.finish(notes);
        let (picture, colour) = (picture?, colour?);
        let file = picture.text(notes)?;
        let text = colour.text(notes)?;
        let Some([r, g, b, _]) = from_hex(text) else {
            let said = format!("`{}` is not a colour", shorten(text));
            let finding = Finding::new(Code::BadValue, colour.subject(), said);
            notes.add(finding.help("write it as \"#c05a2a\""), colour.span.clone());
            return None;
        };
        let drawn = self.grounds.load.own_picture(file, &picture.span, notes)?;
        let extent = self.grounds.layout?.extent();
        let origin = extent.origin();
        let cells = BitPlane::from_fn(extent, |cell| {
            let at = |cell: i32, from: i32| u32::try_from(cell - from).unwrap_or(u32::MAX);
            let pixel = drawn.get(at(cell.x, origin.x), at(cell.y, origin.y));
            pixel.is_some_and(|pixel| pixel[..3] == [r, g, b] && pixel[3] > 0)
        });
        if cells.count() == 0 {
            let said = format!("no pixel of `{}` has the colour {text}", shorten(file));
            let finding = Finding::new(Code::OffKey, colour.subject(), said);
            let help = format!("its corner is {}", to_hex(drawn.get(0, 0).unwrap_or_default()));
            notes.add(finding.help(help), colour.span.clone());
        }
        Some(Condition::Painted { cells, of: format!("{text} in {file}") })
    }

    /// `near = { tag = "walk", within = 2 }`.
    fn read_near(
        &mut self,
        value: &Value<'_>,
        depth: usize,
        notes: &mut Notes,
    ) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let mut number = |key: Option<Value<'_>>| {
            let value = key?;
            let far = value.number(notes)?;
            if (0.0..=1e6).contains(&far) {
                return Some(far);
            }
            let text = format!("`{}` is {far}, which is not a distance", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("from 0 to 1 000 000 cells"), value.span.clone());
            None
        };
        let (within, beyond) = (number(keys.take("within")), number(keys.take("beyond")));
        let straight = keys.take("straight");
        let (through, side) = (keys.take("through"), keys.take("side"));
        let ways = [&straight, &through, &side].into_iter().flatten().collect::<Vec<_>>();
        if let [first, second, ..] = ways[..] {
            let text = format!("`{}` and `{}` cannot both be said", first.name(), second.name());
            let finding = Finding::new(Code::BadValue, second.subject(), text);
            let help = "keep one; join two conditions by `all` where both must hold";
            notes.add(finding.help(help), second.span.clone());
        }
        let straight = straight.and_then(|value| value.boolean(notes));
        let through = through.and_then(|value| self.nested(&value, depth, notes));
        let side = side.and_then(|value| read_side(&value, self.grounds.model.lattice(), notes));
        let what = Box::new(self.read_keys(&mut keys, depth + 1, notes));
        keys.finish(notes);
        // Without a distance, next to it is meant.
        let most = within.unwrap_or(if beyond.is_some() { 1e6 } else { 1.0 });
        let least = beyond.unwrap_or(0.0);
        let metric = match (through, side) {
            (Some(through), _) => Metric::Through(Box::new(through)),
            (_, Some(side)) => Metric::Towards(side),
            _ if straight == Some(true) => Metric::Straight,
            _ => Metric::Steps,
        };
        Some(Condition::Near { what, least: least as f32, most: most as f32, metric })
    }

    /// `reachable = { from = { item = "gate" }, through = { tag = "walk" }, within = 12 }`.
    fn read_reachable(
        &mut self,
        value: &Value<'_>,
        depth: usize,
        notes: &mut Notes,
    ) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let from = keys.need("from", "where ways begin: `from = { tag = \"...\" }`", notes);
        let through = keys.take("through");
        let most = keys.take("within");
        let most = most.and_then(|value| value.whole(0..1_000_001, Code::BadValue, notes));
        keys.finish(notes);
        let from = self.nested(&from?, depth, notes)?;
        let through = match through {
            Some(through) => self.nested(&through, depth, notes)?,
            None => Condition::default(),
        };
        let most = most.map_or(u32::MAX, |most| most as u32);
        Some(Condition::Reachable { from: Box::new(from), through: Box::new(through), most })
    }

    /// `count = { terrain = "moss", around = "moore", least = 3 }`.
    fn read_count(
        &mut self,
        value: &Value<'_>,
        depth: usize,
        notes: &mut Notes,
    ) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let around = keys.take("around").and_then(|value| {
            if !value.is_text() {
                let steps = value.whole(1..33, Code::BadValue, notes)?;
                return Some(CountArea::Steps(steps as u32));
            }
            match value.text(notes)? {
                "sides" => Some(CountArea::Sides),
                "moore" => Some(CountArea::Moore),
                other => {
                    unknown_name("neighbourhood", &value, other, ["sides", "moore"], notes);
                    None
                }
            }
        });
        let mut number = |key: Option<Value<'_>>| {
            let count = key.and_then(|value| value.whole(0..100_000, Code::BadValue, notes));
            count.map(|count| count as u32)
        };
        let (least, most) = (number(keys.take("least")), number(keys.take("most")));
        let what = Box::new(self.read_keys(&mut keys, depth + 1, notes));
        keys.finish(notes);
        if least.is_none() && most.is_none() {
            let text = "a count needs `least`, `most` or both";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `least`, `most` or both"), value.span.clone());
        }
        let around = around.unwrap_or(CountArea::Sides);
        let (least, most) = (least.unwrap_or(0), most.unwrap_or(u32::MAX));
        Some(Condition::Count { what, around, least, most })
    }
}

/// A name among those that are known.
fn find(
    kind: &str,
    names: &BTreeSet<String>,
    value: &Value<'_>,
    notes: &mut Notes,
) -> Option<String> {
    let name = value.text(notes)?;
    if names.contains(name) {
        return Some(name.to_owned());
    }
    unknown_name(kind, value, name, names.iter().map(String::as_str), notes);
    None
}

/// `x = [3, 8]`, `y = [0, 4]`, ends included.
fn read_box(keys: &mut Keys<'_>, solid: bool, notes: &mut Notes) -> Option<Condition> {
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    let mut axis = |key: Option<Value<'_>>| {
        let value = key?;
        let [from, to] = value.wholes(range.clone(), Code::BadValue, notes)?;
        if from > to {
            let text = format!("`{}` ends before it begins", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("write the lower end first"), value.span.clone());
            return None;
        }
        Some((from, to))
    };
    let (x, y) = (axis(keys.take("x")), axis(keys.take("y")));
    if x.is_none() && y.is_none() {
        return None;
    }
    // Wide enough for any map, small enough to be counted.
    let side = |axis: Option<(i64, i64)>| {
        let (from, to) = axis.unwrap_or((-20_000, 20_000));
        (from as i32, (to - from + 1).min(1 << 30) as u32)
    };
    let ((x, width), (y, height)) = (side(x), side(y));
    if solid {
        let most = Cell::at(x + (width - 1) as i32, y + (height - 1) as i32, i32::MAX);
        return Some(Condition::Between { least: Cell::at(x, y, i32::MIN), most });
    }
    Extent::new(Cell::new(x, y), [width, height, 1]).ok().map(Condition::Within)
}

/// `noise = { scale = 8, above = 0.6 }`.
fn read_noise_range(value: &Value<'_>, notes: &mut Notes) -> Option<Condition> {
    let mut keys = value.table(notes)?;
    let noise = take_noise(&mut keys, notes);
    let above = keys.take("above").and_then(|value| value.number(notes));
    let below = keys.take("below").and_then(|value| value.number(notes));
    keys.finish(notes);
    let (least, most) = (above.unwrap_or(0.0) as f32, below.unwrap_or(1.0) as f32);
    Some(Condition::Noise { noise, least, most })
}
