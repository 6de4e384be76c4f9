//! `[[pattern]]`: samples whose windows are all that a fill may show.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::drawn::{Drawn, Legends, read_map, read_meaning, read_picture, read_text, stacked};
use super::grounds::Grounds;
use super::load::Load;
use super::model::{AIR, Model};
use super::sample::{read_turns, say_still};
use super::strays::say_strays;
use super::tile::read_mirror;
use crate::art::TileArt;
use crate::colour::{from_hex, to_hex};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::{
    Posed, Sample, Source, SourceKind, Window, WindowRule, WindowSample,
};
use lantern_quilt_core::finding::{Code, Finding, Severity, Subject};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Side, Wrap};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::passes::{ColourKey, Plan, Planned};
use lantern_quilt_core::pattern::{PatternError, Patterns};
use std::cell;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// Colours that may become tiles of their own, in all patterns.
const MOST_COLOURS: usize = 256;

/// Patterns by name.
pub(super) type Known = BTreeMap<String, Pattern>;

/// A pattern that was read.
pub(super) struct Pattern {
    /// Its windows, and what was compiled from them; nothing where something is wrong with it, which was reported.
    found: Option<(Arc<WindowRule>, Arc<Patterns>)>,
    span: Range<usize>,
    is_used: cell::Cell<bool>,
}

/// A pattern whose samples are not read yet: that needs the tiles, and its colours are tiles.
pub(super) struct Begun<'a> {
    name: String,
    span: Range<usize>,
    subject: Subject,
    window: Option<Window>,
    samples: Vec<BegunSample<'a>>,
}

struct BegunSample<'a> {
    subject: Subject,
    span: Range<usize>,
    text: Option<Value<'a>>,
    map: Option<Value<'a>>,
    picture: Option<Value<'a>>,
    pixels: Option<Value<'a>>,
    key: Option<Value<'a>>,
    near: Option<Value<'a>>,
    slices: Option<(u32, Value<'a>)>,
    turns: Option<Value<'a>>,
    mirror: Option<Value<'a>>,
    wrap: Option<Value<'a>>,
    edges: Option<Value<'a>>,
    weight: Option<Value<'a>>,
    /// What `pixels` names, its slices one below the other.
    drawn: Option<Picture>,
}

/// Reads names and windows of patterns, and the pictures whose pixels are cells.
pub(super) fn begin<'a>(
    value: Option<Value<'a>>,
    lattice: Lattice,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Vec<Begun<'a>> {
    let entries = value.map(|value| value.array(notes)).unwrap_or_default();
    let mut begun: Vec<Begun<'a>> = Vec::new();
    for entry in entries {
        let Some(mut keys) = entry.table(notes) else { continue };
        let help =
            "what fills call it: `name = \"trellis\"`, and `pattern = \"trellis\"` in the pass";
        let name = keys.need("name", help, notes).and_then(|value| {
            let name = value.text(notes)?;
            if begun.iter().any(|known| known.name == name) {
                let text = format!("two patterns are named `{}`", shorten(name));
                let finding = Finding::new(Code::DuplicateName, value.subject(), text);
                let help = "rename one; several samples of one pattern go into its `samples`";
                notes.add(finding.help(help), value.span.clone());
            }
            Some(name.to_owned())
        });
        let window = take_window(&mut keys, lattice, notes);
        let samples = match keys.take("samples") {
            Some(value) => {
                let samples = value.array(notes);
                let samples = samples.iter().filter_map(|value| {
                    let mut keys = value.table(notes)?;
                    let sample = begin_sample(&mut keys, value, lattice, load, notes);
                    keys.finish(notes);
                    Some(sample)
                });
                samples.collect()
            }
            None => vec![begin_sample(&mut keys, &entry, lattice, load, notes)],
        };
        keys.finish(notes);
        let Some(name) = name else { continue };
        let (span, subject) = (entry.span.clone(), entry.subject());
        begun.push(Begun { name, span, subject, window, samples });
    }
    begun
}

/// `cells = [3, 3]`, or `within = 2`.
fn take_window(keys: &mut Keys<'_>, lattice: Lattice, notes: &mut Notes) -> Option<Window> {
    let (block, within) = (keys.take("cells"), keys.take("within"));
    let subject = Subject::Field(keys.path().to_owned());
    let (solid, hexagons) = (lattice.is_solid(), lattice.turns() == 6);
    match (block, within) {
        (Some(block), None) if hexagons => {
            let finding =
                Finding::new(Code::BadValue, block.subject(), "blocks do not fit on hexagons");
            notes.add(finding.help("give a radius: `within = 1`"), block.span.clone());
            None
        }
        (Some(block), None) if !block.is_array() => {
            let text = "a block has columns and rows, and on boxes levels";
            let all = if solid { "[3, 3, 3]" } else { "[3, 3]" };
            let help = format!(
                "write `cells = {all}`, or `within = 1` for a cell and those one step around it"
            );
            notes.add(
                Finding::new(Code::BadValue, block.subject(), text).help(help),
                block.span.clone(),
            );
            None
        }
        (Some(block), None) => {
            let [least, most] = Window::BLOCK.map(i64::from);
            let range = least..most + 1;
            let size = if solid {
                block.wholes(range, Code::BadValue, notes)?.map(|length: i64| length as u32)
            } else {
                let [x, y] = block.wholes(range, Code::BadValue, notes)?;
                [x as u32, y as u32, 1]
            };
            Some(Window::Block(size))
        }
        (None, Some(within)) => {
            let [least, most] = Window::WITHIN.map(i64::from);
            let steps = within.whole(least..most + 1, Code::BadValue, notes)?;
            Some(Window::Within(steps as u32))
        }
        (Some(block), Some(_)) => {
            let text = "a window is given as `cells` and as `within`";
            let help = "keep `cells` for a block of columns and rows, or `within` for a cell and those around it";
            notes.add(Finding::new(Code::BadValue, block.subject(), text).help(help), block.span);
            None
        }
        (None, None) => {
            let text = "the pattern does not say how large a window is";
            let help = match (solid, hexagons) {
                (true, _) => {
                    "add `cells = [2, 2, 2]`, or larger to keep more of what the sample shows"
                }
                (_, true) => "add `within = 1`: a cell and those one step around it",
                _ => "add `cells = [3, 3]`, or larger to keep more of what the sample shows",
            };
            let span = keys.span.clone();
            notes.add(Finding::new(Code::MissingKey, subject, text).help(help), span);
            None
        }
    }
}

fn begin_sample<'a>(
    keys: &mut Keys<'a>,
    value: &Value<'a>,
    lattice: Lattice,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> BegunSample<'a> {
    let pixels = keys.take("pixels");
    let slices = if lattice.is_solid() { keys.take("slices") } else { None };
    let slices =
        slices.and_then(|value| Some((value.whole(1..1025, Code::BadValue, notes)? as u32, value)));
    let drawn = pixels.as_ref().and_then(|value| {
        let drawn = load.own_picture(value.text(notes)?, &value.span, notes)?;
        stacked(drawn, slices.as_ref(), notes)
    });
    BegunSample {
        subject: value.subject(),
        span: value.span.clone(),
        text: keys.take("text"),
        map: keys.take("map"),
        picture: keys.take("picture"),
        pixels,
        key: keys.take("key"),
        near: keys.take("near"),
        slices,
        turns: keys.take("turns"),
        mirror: keys.take("mirror"),
        wrap: keys.take("wrap"),
        edges: keys.take("edges"),
        weight: keys.take("weight"),
        drawn,
    }
}

/// The colours that become tiles of their own, in order; and whether air does.
pub(super) fn colours(
    begun: &[Begun<'_>],
    lattice: Lattice,
    notes: &mut Notes,
) -> (BTreeSet<Rgba>, bool) {
    let mut colours = BTreeSet::new();
    let mut air = false;
    for sample in begun.iter().flat_map(|one| &one.samples) {
        let (Some(drawn), None) = (&sample.drawn, &sample.key) else { continue };
        air |= lattice.is_solid() && drawn.pixels().iter().any(|pixel| pixel[3] == 0);
        colours
            .extend(drawn.pixels().iter().filter(|pixel| pixel[3] > 0).map(|&pixel| opaque(pixel)));
        if colours.len() > MOST_COLOURS {
            let own: BTreeSet<Rgba> = drawn.pixels().iter().map(|&pixel| opaque(pixel)).collect();
            let text = format!(
                "the picture has {} colours, and each would be a tile: {MOST_COLOURS} at most",
                own.len()
            );
            let help = "reduce it to a few colours without smoothing; or name those that matter in a `key`, \
                        and let `near = 60` take the others to them";
            notes.add(
                Finding::new(Code::BadPicture, sample.subject.clone(), text).help(help),
                sample.span.clone(),
            );
            return (BTreeSet::new(), air);
        }
    }
    (colours, air)
}

fn opaque([r, g, b, _]: Rgba) -> Rgba {
    [r, g, b, 255]
}

/// Reads the samples of patterns, and their windows.
pub(super) fn read(
    begun: Vec<Begun<'_>>,
    legends: &Legends,
    pictures: &TileArt,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Known {
    let mut known = Known::new();
    for one in begun {
        let Begun { name, span, subject, window, samples } = one;
        let whole = samples.len();
        let places: Vec<(Subject, Range<usize>)> =
            samples.iter().map(|sample| (sample.subject.clone(), sample.span.clone())).collect();
        let samples: Vec<WindowSample> = samples
            .into_iter()
            .filter_map(|sample| read_sample(sample, legends, pictures, grounds, notes))
            .collect();
        let set = grounds.model.set();
        let mut add = |name: String, found| {
            let span = span.clone();
            known.insert(name, Pattern { found, span, is_used: cell::Cell::new(false) });
        };
        let (Some(window), Some(set), true) = (window, set, samples.len() == whole) else {
            add(name, None);
            continue;
        };
        let at = u32::try_from(span.start).ok().zip(u32::try_from(span.end).ok());
        let source = Source { kind: SourceKind::Edges, at: at.map(|(from, to)| [from, to]) };
        let rule = WindowRule { source, name: name.clone(), ..WindowRule::new(window, samples) };
        match Patterns::read(&set, &rule) {
            Ok(patterns) => add(name, Some((Arc::new(rule), Arc::new(patterns)))),
            Err(error) => {
                let of = match error {
                    PatternError::TooSmall { sample, .. }
                    | PatternError::OtherLattice { sample }
                    | PatternError::BadWeight { sample, .. } => Some(sample),
                    _ => None,
                };
                add(name, None);
                let (subject, span) = of.map_or((subject, span), |sample| places[sample].clone());
                let code = match error {
                    PatternError::TooMany { .. } => Code::TooManyPoses,
                    PatternError::TooSmall { .. } => Code::BadSize,
                    PatternError::BadWeight { .. } => Code::BadWeight,
                    _ => Code::BadValue,
                };
                let said = error.to_string();
                let (text, help) = said.split_once(": ").unwrap_or((&said, ""));
                notes.add(Finding::new(code, subject, text).help(help), span);
            }
        }
    }
    known
}

/// Says which patterns no fill goes by.
pub(super) fn say_idle(known: &Known, notes: &mut Notes) {
    // A fill with a mistake may mean one of them.
    if notes.findings.iter().any(|one| one.finding.severity() == Severity::Error) {
        return;
    }
    for (name, pattern) in known.iter().filter(|(_, pattern)| !pattern.is_used.get()) {
        let text = format!("no fill goes by the pattern `{}`", shorten(name));
        let subject = Subject::Field(format!("pattern.{name}"));
        let help = format!("add `pattern = \"{name}\"` to a `collapse` pass, or take it out");
        notes.add(Finding::new(Code::IdlePattern, subject, text).help(help), pattern.span.clone());
    }
}

/// `pattern = "trellis"` of a fill.
pub(super) fn find(
    value: &Value<'_>,
    known: &Known,
    notes: &mut Notes,
) -> Option<(Arc<WindowRule>, Arc<Patterns>)> {
    let name = value.text(notes)?;
    match known.get(name) {
        Some(pattern) => {
            pattern.is_used.set(true);
            pattern.found.clone()
        }
        None => {
            unknown_name("pattern", value, name, known.keys().map(String::as_str), notes);
            None
        }
    }
}

fn read_sample(
    sample: BegunSample<'_>,
    legends: &Legends,
    pictures: &TileArt,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<WindowSample> {
    refuse_idle(&sample, notes);
    let lattice = grounds.model.lattice();
    let solid = lattice.is_solid();
    let turns = sample.turns.map_or(Some(1), |value| read_turns(&value, lattice, notes));
    let mirror = sample.mirror.map(|value| read_mirror(&value, notes)).unwrap_or_default();
    let wrap = sample.wrap;
    let wrap = wrap.map_or(Wrap::NONE, |value| super::map::read_wrap(&value, solid, notes));
    let edges =
        sample.edges.map(|value| read_edges(&value, lattice, wrap, notes)).unwrap_or_default();
    let weight = sample.weight.map_or(Some(1.0), |value| value.number(notes));
    let near = sample.near.and_then(|value| value.whole(0..442, Code::BadValue, notes));
    let mut drawn = match (sample.text, sample.map, sample.picture, &sample.pixels) {
        (Some(text), None, None, None) => {
            let blanks = sample.slices.is_some();
            read_text(&text, sample.key, legends, blanks, grounds.model, notes)?
        }
        (None, Some(map), None, None) => read_map(&map, grounds, notes)?,
        (None, None, Some(picture), None) => read_picture(&picture, pictures, grounds, notes)?,
        (None, None, None, Some(pixels)) => {
            let key = sample.key.map(|key| read_colours(&key, grounds.model, notes));
            let near = near.unwrap_or(0) as u32;
            of_pixels(&sample.drawn?, key.as_ref(), near, pixels, grounds.model, notes)?
        }
        _ => {
            let text = "a sample of a pattern is one of `text`, `pixels`, `picture` and `map`";
            let finding = Finding::new(Code::MissingKey, sample.subject, text);
            let help = "draw it as `text` with a `key`, name a PNG whose `pixels` are cells, a `picture` \
                        painted with the tiles, or a saved `map`";
            notes.add(finding.help(help), sample.span);
            return None;
        }
    };
    if let Some((levels, value)) = sample.slices
        && drawn.levels == 1
    {
        if !drawn.height.is_multiple_of(levels) {
            let text = format!("{} rows do not divide into {levels} slices", drawn.height);
            let finding = Finding::new(Code::BadSize, value.subject(), text);
            notes.add(
                finding
                    .help("draw the levels one below the other, the lowest first, all of one size"),
                value.span,
            );
            return None;
        }
        (drawn.height, drawn.levels) = (drawn.height / levels, levels);
    }
    let size = [drawn.width, drawn.height, drawn.levels];
    let extent = Extent::new(Cell::default(), size);
    match extent.and_then(|extent| Layout::new(lattice, extent, wrap)) {
        Ok(layout) => {
            let (turns, weight) = (turns?, weight?);
            let alike = Vec::new();
            let shown = Sample { layout, cells: drawn.cells, turns, mirror, alike };
            say_still(&shown, (sample.subject, sample.span), pictures, grounds.model, notes);
            Some(WindowSample { sample: shown, weight, edges })
        }
        Err(error) => {
            let finding = Finding::new(Code::BadSize, sample.subject, error.to_string());
            notes.add(finding, sample.span);
            None
        }
    }
}

/// Reports keys that do nothing for a sample.
fn refuse_idle(sample: &BegunSample<'_>, notes: &mut Notes) {
    let drawn = sample.text.is_some() || sample.pixels.is_some();
    let through_key = sample.pixels.is_some() && sample.key.is_some();
    let slices = sample.slices.as_ref().map(|(_, value)| value);
    for (name, value, means, help) in [
        (
            "key",
            sample.key.as_ref(),
            drawn,
            "it says what the signs of a `text` or the colours of `pixels` mean",
        ),
        (
            "near",
            sample.near.as_ref(),
            through_key,
            "it takes colours of `pixels` to the nearest one of a `key`: add both",
        ),
        ("slices", slices, sample.map.is_none(), "a saved map has its levels already"),
    ] {
        if let (Some(value), false) = (value, means) {
            let text = format!("`{name}` does nothing for this sample");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help(format!("{help}; or take `{name}` out")), value.span.clone());
        }
    }
}

/// `edges = ["north"]`, or `"all"`: where the sample ends as the map does.
fn read_edges(value: &Value<'_>, lattice: Lattice, wrap: Wrap, notes: &mut Notes) -> Vec<Side> {
    let mut edges = Vec::new();
    for value in value.one_or_more(notes) {
        let Some(name) = value.text(notes) else { continue };
        let named = Side::from_name(name).filter(|side| lattice.sides().contains(side));
        match (name, named) {
            ("all", _) => edges.extend(lattice.sides()),
            ("around", _) => edges.extend(lattice.sides().iter().filter(|side| !side.is_flat())),
            (_, Some(side)) if wrap.is_over(side) => {
                let text = format!("the sample wraps and has no edge {side}");
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "take the side out of `edges`, or its axis out of `wrap`";
                notes.add(finding.help(help), value.span);
            }
            (_, Some(side)) => edges.push(side),
            _ => {
                let names = lattice.sides().iter().map(|side| side.name());
                unknown_name("edge", &value, name, names.chain(["all", "around"]), notes);
            }
        }
    }
    edges.sort_unstable();
    edges.dedup();
    edges
}

/// `key = { "#2f6b3a" = "moss" }`: what colours mean; nothing where that is wrong, which was reported.
fn read_colours(
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<([u8; 3], Option<Posed>)> {
    let Some(keys) = value.table(notes) else { return Vec::new() };
    let mut colours = Vec::new();
    for (sign, span, value) in keys.entries() {
        let meant = read_meaning(&value, model, notes);
        match from_hex(sign) {
            Some([r, g, b, _]) => colours.push(([r, g, b], meant)),
            None => {
                let text = format!("`{}` is not a colour", shorten(sign));
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help("write it as \"#c05a2a\""), span);
            }
        }
    }
    colours
}

/// A pixel a cell: through a key, or each colour a tile of its own.
fn of_pixels(
    drawn: &Picture,
    key: Option<&Vec<([u8; 3], Option<Posed>)>>,
    near: u32,
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<Drawn> {
    let (width, height) = (drawn.width(), drawn.height());
    let Some(key) = key else {
        let tile = |pixel: &Rgba| {
            let name = if pixel[3] > 0 { to_hex(opaque(*pixel)) } else { AIR.to_owned() };
            let tile = model.tile_named(&name).ok()?;
            Some((tile, Orientation::AS_DRAWN))
        };
        let cells = drawn.pixels().iter().map(tile).collect();
        return Some(Drawn { width, height, levels: 1, cells });
    };
    // A key of terrains, whose names are the numbers of what is meant.
    let names = key.iter().enumerate().map(|(number, (colour, _))| (*colour, number.to_string()));
    let colours = ColourKey { colours: names.collect(), near };
    let Planned { terrain, mut strays, uncounted } = Plan::read(drawn.pixels(), width, &colours)?;
    if !strays.is_empty() {
        for stray in &mut strays {
            stray.nearest = stray.nearest.take().and_then(|(colour, number, far)| {
                let (tile, _) = number.parse().ok().and_then(|number: usize| key[number].1)?;
                Some((colour, model.name_of(tile).to_owned(), far))
            });
        }
        say_strays(&strays, uncounted, value, notes);
        return None;
    }
    let meant = |number: Option<u32>| {
        let name = terrain.palette.get(number? as usize)?;
        key[name.parse::<usize>().ok()?].1
    };
    let cells = terrain.cells.iter().map(meant).collect();
    Some(Drawn { width, height, levels: 1, cells })
}
