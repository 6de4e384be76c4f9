//! Where tiles may stand and are common: pins, limits and shades.

use super::names::Names;
use super::noise::take_noise;
use crate::colour;
use crate::files::quilt::cursor::{Keys, Notes, Value, shorten, unknown_name};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::kinds::{take_kinds, take_orientation};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::{Area, AreaRule, Keep, Level, Pin, Source, SourceKind};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::lattice::{Cell, Extent, Layout};
use lantern_quilt_core::passes::{Shade, ShadeBy};
use std::collections::BTreeMap;
use std::ops::Range;

/// Said there.
pub(in crate::files::quilt::passes) fn source_at(kind: SourceKind, span: &Range<usize>) -> Source {
    let at = u32::try_from(span.start).ok().zip(u32::try_from(span.end).ok());
    Source { kind, at: at.map(|(from, to)| [from, to]) }
}

/// `{ at = [3, 4], tile = "pagoda", turned = 1 }`.
pub(in crate::files::quilt::passes) fn read_pin(
    value: &Value<'_>,
    grounds: &Grounds<'_>,
    notes: &mut Notes,
) -> Option<Pin> {
    let mut keys = value.table(notes)?;
    let at = keys.need("at", "the cell: `at = [3, 4]`", notes);
    let place = at.and_then(|value| read_cell(&value, grounds, notes));
    let tile = keys.need("tile", "the tile that stands there", notes).and_then(|value| {
        let name = value.text(notes)?;
        match grounds.model.tile_named(name) {
            Ok(_) => Some(name),
            Err(names) => {
                unknown_name("tile", &value, name, names, notes);
                None
            }
        }
    });
    let orientation = take_orientation(&mut keys, grounds.model, notes);
    keys.finish(notes);
    let ((cell, level), tile) = (place?, tile?);
    let extent = grounds.layout?.extent();
    if !extent.contains(cell) {
        outside(value, cell, extent, notes);
        return None;
    }
    let (tile, orientation) = grounds.model.at_corner(tile, orientation);
    let source = source_at(SourceKind::Pin(cell), &value.span);
    Some(Pin { cell, level, tile, orientation, source })
}

/// Notes that a cell lies outside the map.
pub(super) fn outside(value: &Value<'_>, cell: Cell, extent: Extent, notes: &mut Notes) {
    let text = format!("{cell} lies outside the map");
    let finding = Finding::new(Code::OutsideMap, value.subject(), text);
    let last = extent.cell(extent.cells() - 1);
    let help = format!("cells go from {} to {last}", extent.origin());
    notes.add(finding.help(help), value.span.clone());
}

/// A cell, and its level where that is counted from the top: `[3, 4]`, `[3, 4, 0]`, `[3, 4, "top"]`.
pub(super) fn read_cell(
    value: &Value<'_>,
    grounds: &Grounds<'_>,
    notes: &mut Notes,
) -> Option<(Cell, Option<Level>)> {
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    if !grounds.model.lattice().is_solid() {
        let [x, y] = value.wholes(range, Code::BadValue, notes)?;
        return Some((Cell::new(x as i32, y as i32), None));
    }
    let parts = value.array(notes);
    if let [x, y, z] = &parts[..]
        && z.is_text()
    {
        let number = |value: &Value<'_>, notes: &mut Notes| {
            value.whole(range.clone(), Code::BadValue, notes).map(|number| number as i32)
        };
        let (x, y) = (number(x, notes), number(y, notes));
        let level = read_level(z, notes)?;
        let z = grounds.layout.map_or(0, |layout| level.of(layout.extent()));
        return Some((Cell::at(x?, y?, z), Some(level)));
    }
    let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
    Some((Cell::at(x as i32, y as i32, z as i32), None))
}

/// A level: a number, or `"top"` and `"top-1"` and so on.
fn read_level(value: &Value<'_>, notes: &mut Notes) -> Option<Level> {
    if !value.is_text() {
        let range = i64::from(i32::MIN)..i64::from(i32::MAX);
        let z = value.whole(range, Code::BadValue, notes)?;
        return Some(Level::At(z as i32));
    }
    let text = value.text(notes)?;
    let down = match text.strip_prefix("top") {
        Some("") => Some(0),
        Some(rest) => rest.trim().strip_prefix('-').and_then(|down| down.trim().parse().ok()),
        None => None,
    };
    if down.is_none() {
        let said = format!("`{}` is not a level", shorten(text));
        let finding = Finding::new(Code::BadValue, value.subject(), said);
        let help =
            "write its number, or \"top\" for the highest and \"top-1\" for the one below it";
        notes.add(finding.help(help), value.span.clone());
    }
    down.map(Level::FromTop)
}

/// `z = 0`, `z = [0, 2]` or `z = [1, "top-1"]`: levels of a box map, ends included.
pub(in crate::files::quilt::passes) fn read_levels(
    value: &Value<'_>,
    notes: &mut Notes,
) -> Option<[Level; 2]> {
    if !value.is_array() {
        let level = read_level(value, notes)?;
        return Some([level; 2]);
    }
    let parts = value.array(notes);
    let [least, most] = &parts[..] else {
        let text = format!("`{}` needs the lowest and the highest level", value.name());
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("write `[0, 2]`, or one level"), value.span.clone());
        return None;
    };
    let (least, most) = (read_level(least, notes)?, read_level(most, notes)?);
    let backwards = match (least, most) {
        (Level::At(least), Level::At(most)) => least > most,
        (Level::FromTop(least), Level::FromTop(most)) => least < most,
        _ => false,
    };
    if backwards {
        let text = format!("`{}` ends before it begins", value.name());
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("write the lower level first"), value.span.clone());
        return None;
    }
    Some([least, most])
}

/// `{ tag = "water", inside = { y = [20, 35] } }`.
pub(in crate::files::quilt::passes) fn read_limit(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<AreaRule> {
    let mut keys = value.table(notes)?;
    let kinds = take_kinds(&mut keys, value, grounds.model, notes);
    let ways = [("inside", Keep::Inside), ("outside", Keep::Outside), ("fills", Keep::Filling)];
    let said: Vec<_> =
        ways.into_iter().filter_map(|(way, keep)| Some((keys.take(way)?, keep))).collect();
    keys.finish(notes);
    let (area, keep) = match &said[..] {
        [(area, keep)] => (read_area(area, grounds, notes)?, *keep),
        _ => {
            let text = "a limit is `inside` or `outside` of an area, or `fills` it";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help(AREA_HELP), value.span.clone());
            return None;
        }
    };
    let source = source_at(SourceKind::Limit, &value.span);
    (!kinds.is_empty()).then_some(AreaRule { kinds, area, keep, source })
}

const AREA_HELP: &str = "write `inside = { x = [0, 9], y = [0, 4] }`, `{ at = [0, 0], size = [10, 5] }`, \
                         `{ border = [0, 2] }` (steps from the border) or \
                         `{ mask = \"file.png\", colour = \"#2f6b3a\" }`";

/// `at = [3, 4]` with `size = [8, 6]`: a box by its north-west (and lowest) cell; its two ends.
pub(in crate::files::quilt::passes) fn take_sized(
    keys: &mut Keys<'_>,
    solid: bool,
    notes: &mut Notes,
) -> Option<[Cell; 2]> {
    let (at, size) = (keys.take("at"), keys.take("size"));
    let (at, size) = match (at, size) {
        (Some(at), Some(size)) => (at, size),
        (None, None) => return None,
        (Some(one), None) | (None, Some(one)) => {
            let other = if one.name() == "at" { "size" } else { "at" };
            let text = format!("a box of cells has `at` and `size`, and `{other}` is missing");
            let finding = Finding::new(Code::MissingKey, one.subject(), text);
            let help = "write `at = [3, 4], size = [8, 6]`";
            notes.add(finding.help(help), one.span.clone());
            return None;
        }
    };
    let (places, sizes) = (i64::from(i32::MIN) / 2..i64::from(i32::MAX) / 2, 1..1_i64 << 24);
    let last = |at: i64, size: i64| (at + size - 1) as i32;
    if solid {
        let [x, y, z] = at.wholes(places, Code::BadValue, notes)?;
        let [w, h, d] = size.wholes(sizes, Code::BadValue, notes)?;
        let most = Cell::at(last(x, w), last(y, h), last(z, d));
        return Some([Cell::at(x as i32, y as i32, z as i32), most]);
    }
    let [x, y] = at.wholes(places, Code::BadValue, notes)?;
    let [w, h] = size.wholes(sizes, Code::BadValue, notes)?;
    Some([Cell::new(x as i32, y as i32), Cell::new(last(x, w), last(y, h))])
}

pub(super) fn read_area(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Area> {
    let mut keys = value.table(notes)?;
    let span = value.span.clone();
    let pair = |value: Option<Value<'_>>, least: i64, notes: &mut Notes| {
        let value = value?;
        let [from, to] = value.wholes(least..i64::from(i32::MAX), Code::BadValue, notes)?;
        if from > to {
            let text = format!("`{}` runs backwards, from {from} to {to}", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help(format!("write [{to}, {from}]")), value.span);
            return None;
        }
        Some([from, to])
    };
    let any = i64::from(i32::MIN);
    let (x, y) = (keys.take("x"), keys.take("y"));
    let z = if grounds.model.lattice().is_solid() { keys.take("z") } else { None };
    let (border, mask, colour) = (keys.take("border"), keys.take("mask"), keys.take("colour"));
    let is_sized = keys.has("at") || keys.has("size");
    let sized = take_sized(&mut keys, grounds.model.lattice().is_solid(), notes);
    let ways =
        [x.is_some() || y.is_some() || z.is_some(), is_sized, border.is_some(), mask.is_some()];
    keys.finish(notes);
    if ways.into_iter().filter(|&way| way).count() != 1 {
        let text = "an area takes exactly one of these keys";
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(AREA_HELP), span);
        return None;
    }
    if is_sized {
        return sized.map(|[least, most]| Area::Between { least, most });
    }
    if border.is_some() {
        let [least, most] = pair(border, 0, notes)?;
        return Some(Area::FromBorder { least: least as u32, most: most as u32 });
    }
    if let Some(mask) = mask {
        return read_mask(&mask, colour, grounds, notes).map(Area::Cells);
    }
    let whole = Some([any, i64::from(i32::MAX)]);
    let mut axis = |value: Option<Value<'_>>| match value {
        None => whole,
        some => pair(some, any, notes),
    };
    let flat = x.is_some() || y.is_some();
    let ([x0, x1], [y0, y1]) = (axis(x)?, axis(y)?);
    let between = Area::Between {
        least: Cell::at(x0 as i32, y0 as i32, i32::MIN),
        most: Cell::at(x1 as i32, y1 as i32, i32::MAX),
    };
    let Some(value) = z else { return Some(between) };
    let [least, most] = read_levels(&value, notes)?;
    let levels = Area::Levels { least, most };
    Some(if flat { Area::All(vec![between, levels]) } else { levels })
}

/// The cells in which a picture of the map's size has a colour.
fn read_mask(
    value: &Value<'_>,
    shade: Option<Value<'_>>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<BitPlane> {
    let Some(shade) = shade else {
        let finding = Finding::new(Code::MissingKey, value.subject(), "a mask needs a colour");
        notes.add(finding.help("add `colour = \"#2f6b3a\"`"), value.span.clone());
        return None;
    };
    let text = shade.text(notes)?;
    let Some(wanted) = colour::from_hex(text) else {
        let finding =
            Finding::new(Code::BadValue, shade.subject(), format!("`{text}` is not a colour"));
        notes.add(finding.help("write it as \"#2f6b3a\""), shade.span.clone());
        return None;
    };
    let (layout, picture) = read_map_picture(value, grounds, notes)?;
    if !picture.pixels().contains(&wanted) {
        let mut counts: BTreeMap<Rgba, usize> = BTreeMap::new();
        picture.pixels().iter().for_each(|&pixel| *counts.entry(pixel).or_default() += 1);
        let mut counted: Vec<(Rgba, usize)> = counts.into_iter().collect();
        counted.sort_by_key(|&(_, count)| std::cmp::Reverse(count));
        let names: Vec<String> =
            counted.iter().take(6).map(|(known, _)| colour::to_hex(*known)).collect();
        let text = format!("the mask has no pixel of the colour {}", colour::to_hex(wanted));
        let finding = Finding::new(Code::BadValue, shade.subject(), text);
        let help = format!("its most common colours are {}", names.join(", "));
        notes.add(finding.help(help), shade.span.clone());
        return None;
    }
    Some(BitPlane::from_fn(layout.extent(), |cell| {
        pixel_of(&picture, layout, cell) == Some(wanted)
    }))
}

/// `{ tile = "tea", by = "dusk.png" }`; `by` may also be `{ noise = {} }`, `{ where = {}, factor = 0.2 }` or
/// a list of factors, one a level.
pub(in crate::files::quilt::passes) fn read_shade(
    value: &Value<'_>,
    names: &Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Shade> {
    const HELP: &str = "a greyscale picture of the map's size, `{ noise = {} }`, `{ where = {}, factor = 0.2 }`, \
                        or factors from 0 to 1, one a level";
    let mut keys = value.table(notes)?;
    let kinds = take_kinds(&mut keys, value, grounds.model, notes);
    let by = keys.need("by", HELP, notes);
    keys.finish(notes);
    let by = by?;
    let by = if by.is_array() {
        let factors = by.array(notes);
        let factors: Vec<u8> =
            factors.iter().filter_map(|factor| read_factor(factor, notes)).collect();
        if factors.is_empty() {
            let finding = Finding::new(Code::BadValue, by.subject(), "`by` has no factor");
            notes.add(finding.help(HELP), by.span.clone());
            return None;
        }
        ShadeBy::Levels(factors)
    } else if by.is_table() {
        let mut keys = by.table(notes)?;
        let (noise, what) = (keys.take("noise"), keys.take("where"));
        let factor = keys.take("factor");
        keys.finish(notes);
        match (noise, what) {
            (Some(noise), None) => {
                let mut keys = noise.table(notes)?;
                let noise = take_noise(&mut keys, notes);
                keys.finish(notes);
                ShadeBy::Noise(noise)
            }
            (None, Some(what)) => {
                let what = names.read(&what, grounds, notes);
                let factor = factor.and_then(|factor| read_factor(&factor, notes)).unwrap_or(0);
                ShadeBy::Where(Box::new(what), [u8::MAX, factor])
            }
            _ => {
                let text = "a shade is by a `noise` or by `where`";
                let finding = Finding::new(Code::MissingKey, by.subject(), text);
                notes.add(finding.help(HELP), by.span.clone());
                return None;
            }
        }
    } else {
        let (layout, picture) = read_map_picture(&by, grounds, notes)?;
        let extent = layout.extent();
        let grey = |cell| pixel_of(&picture, layout, cell).map_or(0, colour::grey);
        let plane = Plane::from_values(extent, extent.iter().map(grey).collect());
        ShadeBy::Plane(plane.expect("one value a cell"))
    };
    (!kinds.is_empty()).then_some(Shade { kinds, by })
}

/// A factor from 0 to 1.
fn read_factor(value: &Value<'_>, notes: &mut Notes) -> Option<u8> {
    let factor = value.number(notes)?;
    if (0.0..=1.0).contains(&factor) {
        return Some((factor * 255.0 + 0.5) as u8);
    }
    let text = format!("a factor of {factor} is out of range");
    let finding = Finding::new(Code::BadValue, value.subject(), text);
    let help = "from 0 to 1: raise the weight of the tile, and lower it elsewhere";
    notes.add(finding.help(help), value.span.clone());
    None
}

/// The pixel of a cell: of pictures of one level the same on all, else its slice.
fn pixel_of(picture: &Picture, layout: Layout, cell: Cell) -> Option<Rgba> {
    let extent = layout.extent();
    let (from, level) = (extent.origin(), extent.index(cell).map(|_| cell.z - extent.origin().z)?);
    let sliced = picture.width() != extent.width();
    let shift = if sliced { level as u32 * extent.width() } else { 0 };
    picture.get((cell.x - from.x) as u32 + shift, (cell.y - from.y) as u32)
}

/// A picture with one pixel a cell.
fn read_map_picture(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<(Layout, Picture)> {
    let file = value.text(notes)?;
    let picture = grounds.load.own_picture(file, &value.span, notes)?;
    let layout = grounds.layout?;
    let [width, height, depth] = layout.extent().size();
    let size = [picture.width(), picture.height()];
    if size != [width, height] && size != [width.saturating_mul(depth), height] {
        let levels =
            if depth > 1 { format!(" on {depth} levels side by side") } else { String::new() };
        let text = format!(
            "`{file}` is {} x {} pixels, the map {width} x {height} cells{levels}",
            picture.width(),
            picture.height()
        );
        let finding = Finding::new(Code::PictureSize, value.subject(), text);
        let help = "one pixel is one cell; scale the picture, or change the size of the map";
        notes.add(finding.help(help), value.span.clone());
        return None;
    }
    Some((layout, picture))
}
