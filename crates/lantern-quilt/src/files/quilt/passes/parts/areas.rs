//! Where tiles may stand and are common: pins, limits and shades.

use crate::colour;
use crate::files::quilt::cursor::{Notes, Value, unknown_name};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::kinds::{take_kinds, take_orientation};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::constraints::{Area, AreaRule, Keep, Pin, Source, SourceKind};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::lattice::{Cell, Layout};
use lantern_quilt_core::passes::Shade;
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
    let cell = at.and_then(|value| read_cell(&value, grounds, notes));
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
    let (cell, tile) = (cell?, tile?);
    let extent = grounds.layout?.extent();
    if !extent.contains(cell) {
        let text = format!("{cell} lies outside the map");
        let finding = Finding::new(Code::OutsideMap, value.subject(), text);
        let last = extent.cell(extent.cells() - 1);
        let help = format!("cells go from {} to {last}", extent.origin());
        notes.add(finding.help(help), value.span.clone());
        return None;
    }
    let (tile, orientation) = grounds.model.at_corner(tile, orientation);
    let source = source_at(SourceKind::Pin(cell), &value.span);
    Some(Pin { cell, tile, orientation, source })
}

fn read_cell(value: &Value<'_>, grounds: &Grounds<'_>, notes: &mut Notes) -> Option<Cell> {
    let range = i64::from(i32::MIN)..i64::from(i32::MAX);
    if grounds.model.lattice().is_solid() {
        let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
        Some(Cell::at(x as i32, y as i32, z as i32))
    } else {
        let [x, y] = value.wholes(range, Code::BadValue, notes)?;
        Some(Cell::new(x as i32, y as i32))
    }
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

const AREA_HELP: &str = "write `inside = { x = [0, 9], y = [0, 4] }`, `{ border = [0, 2] }` (steps \
                         from the border) or `{ mask = \"file.png\", colour = \"#2f6b3a\" }`";

fn read_area(value: &Value<'_>, grounds: &mut Grounds<'_>, notes: &mut Notes) -> Option<Area> {
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
    let ways = [x.is_some() || y.is_some() || z.is_some(), border.is_some(), mask.is_some()];
    keys.finish(notes);
    if ways.into_iter().filter(|&way| way).count() != 1 {
        let text = "an area takes exactly one of these keys";
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help(AREA_HELP), span);
        return None;
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
    let ([x0, x1], [y0, y1], [z0, z1]) = (axis(x)?, axis(y)?, axis(z)?);
    Some(Area::Between {
        least: Cell::at(x0 as i32, y0 as i32, z0 as i32),
        most: Cell::at(x1 as i32, y1 as i32, z1 as i32),
    })
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
    let extent = layout.extent();
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
    let at = |cell: Cell| extent.index(cell).map(|index| picture.pixels()[index]);
    Some(BitPlane::from_fn(extent, |cell| at(cell) == Some(wanted)))
}

/// `{ tile = "tea", by = "dusk.png" }`.
pub(in crate::files::quilt::passes) fn read_shade(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<Shade> {
    let mut keys = value.table(notes)?;
    let kinds = take_kinds(&mut keys, value, grounds.model, notes);
    let by = keys.need("by", "a greyscale picture of the map's size", notes);
    keys.finish(notes);
    let (layout, picture) = read_map_picture(&by?, grounds, notes)?;
    let grey = picture.pixels().iter().map(|&pixel| colour::grey(pixel)).collect();
    let plane = Plane::from_values(layout.extent(), grey).expect("one pixel a cell");
    (!kinds.is_empty()).then_some(Shade { kinds, plane })
}

/// A picture with one pixel a cell.
fn read_map_picture(
    value: &Value<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Option<(Layout, Picture)> {
    let file = value.text(notes)?;
    if grounds.model.lattice().is_solid() {
        let finding = Finding::new(Code::NotYet, value.subject(), "box maps take no pictures yet");
        notes.add(finding.help("say the area by x, y and z"), value.span.clone());
        return None;
    }
    let picture = grounds.load.own_picture(file, &value.span, notes)?;
    let layout = grounds.layout?;
    let [width, height, _] = layout.extent().size();
    if [picture.width(), picture.height()] != [width, height] {
        let text = format!(
            "`{file}` is {} x {} pixels, the map {width} x {height} cells",
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
