//! Conditions, from the quilt's text: `where = { terrain = "moss", near = { tag = "walk", within = 2 } }`.

use super::cursor::{Keys, Notes, Value, unknown_name};
use super::terrains::Terrains;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::passes::{Around, Condition, Metric, Noise, NoiseKind};
use std::collections::{BTreeMap, BTreeSet};

/// What conditions may name.
#[derive(Debug)]
pub(super) struct Names<'a> {
    pub(super) terrains: &'a Terrains,
    /// Tiles, those of shapes as well.
    pub(super) tiles: BTreeSet<String>,
    /// The tiles that carry each tag.
    pub(super) tagged: BTreeMap<String, Vec<String>>,
    /// Tags that passes so far give to cells.
    pub(super) tags: BTreeSet<String>,
    /// Layers that passes so far make.
    pub(super) layers: BTreeSet<String>,
}

/// Conditions nested deeper than this are a slip.
const DEEPEST: usize = 16;

impl Names<'_> {
    /// The `where` of a pass; every cell without one.
    pub(super) fn read_where(&self, keys: &mut Keys<'_>, notes: &mut Notes) -> Condition {
        keys.take("where").map_or_else(Condition::default, |value| self.read(&value, 0, notes))
    }

    fn read(&self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Condition {
        let Some(mut keys) = value.table(notes) else { return Condition::default() };
        let condition = self.read_keys(&mut keys, depth, notes);
        keys.finish(notes);
        condition
    }

    /// All that a table says, together.
    fn read_keys(&self, keys: &mut Keys<'_>, depth: usize, notes: &mut Notes) -> Condition {
        let mut parts = Vec::new();
        if let Some(value) = keys.take("terrain") {
            parts.push(Condition::Terrain(self.terrains.find_all(Some(value), notes)));
        }
        let layer = keys.take("layer").and_then(|value| find("layer", &self.layers, &value, notes));
        if let Some(value) = keys.take("tile") {
            let tiles = value.one_or_more(notes);
            let tiles = tiles.iter().filter_map(|one| find("tile", &self.tiles, one, notes));
            parts.push(Condition::Tile { layer: layer.clone(), tiles: tiles.collect() });
        }
        if let Some(value) = keys.take("tag") {
            let tags = value.one_or_more(notes);
            let tags = tags.iter().filter_map(|one| self.read_tag(one, notes));
            parts.push(Condition::Any(tags.collect()));
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
        let steps = 0..i64::from(u32::MAX);
        if let Some([least, most]) =
            keys.take("border").and_then(|v| v.wholes(steps, Code::BadValue, notes))
        {
            parts.push(Condition::Border { least: least as u32, most: most as u32 });
        }
        parts.extend(read_box(keys, notes));
        if let Some(value) = keys.take("near") {
            parts.extend(self.read_near(&value, depth, notes));
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

    fn nested(&self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Option<Condition> {
        if depth < DEEPEST {
            return Some(self.read(value, depth + 1, notes));
        }
        let finding = Finding::new(Code::BadValue, value.subject(), "this goes too deep to follow");
        let help = "mark cells by a `tag` pass first, and ask for the tag";
        notes.add(finding.help(help), value.span.clone());
        None
    }

    /// A tag of the cell, or of a tile that stands there.
    fn read_tag(&self, value: &Value<'_>, notes: &mut Notes) -> Option<Condition> {
        let name = value.text(notes)?;
        let tiles = self.tagged.get(name);
        if tiles.is_none() && !self.tags.contains(name) {
            let known = self.tagged.keys().chain(&self.tags).map(String::as_str);
            unknown_name("tag that a tile has or an earlier pass gives", value, name, known, notes);
            return None;
        }
        let own = Condition::Tag(name.to_owned());
        let Some(tiles) = tiles else { return Some(own) };
        Some(Condition::Any(vec![own, Condition::Tile { layer: None, tiles: tiles.clone() }]))
    }

    /// `near = { tag = "walk", within = 2 }`.
    fn read_near(&self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let mut number = |key: Option<Value<'_>>| {
            let value = key?;
            let far = value.number(notes)?;
            if (0.0..=1e6).contains(&far) {
                return Some(far);
            }
            let text = format!("`{}` is {far}, no distance", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("from 0 to 1 000 000 cells"), value.span.clone());
            None
        };
        let (within, beyond) = (number(keys.take("within")), number(keys.take("beyond")));
        let straight = keys.take("straight").and_then(|value| value.boolean(notes));
        let what = Box::new(self.read_keys(&mut keys, depth + 1, notes));
        keys.finish(notes);
        // Without a distance, next to it is meant.
        let most = within.unwrap_or(if beyond.is_some() { 1e6 } else { 1.0 });
        let least = beyond.unwrap_or(0.0);
        let metric = if straight == Some(true) { Metric::Straight } else { Metric::Steps };
        Some(Condition::Near { what, least: least as f32, most: most as f32, metric })
    }

    /// `count = { terrain = "moss", around = "moore", least = 3 }`.
    fn read_count(&self, value: &Value<'_>, depth: usize, notes: &mut Notes) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let around = keys.take("around").and_then(|value| {
            if !value.is_text() {
                let steps = value.whole(1..33, Code::BadValue, notes)?;
                return Some(Around::Steps(steps as u32));
            }
            match value.text(notes)? {
                "sides" => Some(Around::Sides),
                "moore" => Some(Around::Moore),
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
            let text = "a count says how many";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `least`, `most` or both"), value.span.clone());
        }
        let around = around.unwrap_or(Around::Sides);
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
fn read_box(keys: &mut Keys<'_>, notes: &mut Notes) -> Option<Condition> {
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

/// What a noise is like, from keys among others: `scale`, `octaves`, `stretch`, `kind`.
pub(super) fn take_noise(keys: &mut Keys<'_>, notes: &mut Notes) -> Noise {
    let mut noise = Noise::new(8.0);
    if let Some(value) = keys.take("scale")
        && let Some(scale) = value.number(notes)
    {
        if scale > 0.0 && scale <= 1e6 {
            noise.scale = scale as f32;
        } else {
            let text = format!("`scale` is {scale}, no size of humps");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("cells from hump to hump: above 0"), value.span.clone());
        }
    }
    let octaves = keys.take("octaves");
    if let Some(octaves) = octaves.and_then(|value| value.whole(1..9, Code::BadValue, notes)) {
        noise.octaves = octaves as u8;
    }
    if let Some(value) = keys.take("stretch") {
        let parts = value.array(notes);
        let parts: Vec<f64> = parts.iter().filter_map(|part| part.number(notes)).collect();
        match &parts[..] {
            &[x, y] if x > 0.0 && y > 0.0 => noise.stretch = [x as f32, y as f32],
            _ => {
                let text = "`stretch` needs two numbers above 0";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "from west to east, from north to south: `stretch = [2, 1]`";
                notes.add(finding.help(help), value.span.clone());
            }
        }
    }
    if let Some(value) = keys.take("kind")
        && let Some(text) = value.text(notes)
    {
        match text {
            "simplex" => noise.kind = NoiseKind::Simplex,
            "perlin" => noise.kind = NoiseKind::Perlin,
            other => unknown_name("noise", &value, other, ["simplex", "perlin"], notes),
        }
    }
    noise
}
