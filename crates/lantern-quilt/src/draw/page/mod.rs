//! A map as one page for a browser: it pans and zooms, switches layers and groups, and tells what a cell holds.
//!
//! The page is `page.html` with `page.css` and `page.js`; the map goes into it as JSON, its numbers as bytes.

use super::flat::Flat;
use super::frame::Frame;
use super::items::Shown;
use super::{DrawError, DrawOptions, draw, flat_tile, shaded};
use crate::art::TileArt;
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::{Item, Layer, Placed, Tilemap};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::io::{self, Write};

const PAGE: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// Pictures of tiles in a row of the page's sheet.
const COLUMNS: u32 = 32;

/// Writes a map as one HTML page that needs no other file and no network. O(cells x layers + items).
///
/// It pans and zooms (also by keys), fits, shows grid and coordinates, and switches layers, groups and the things of
/// each pass. A cell that is clicked shows its ground, height, tags, numbers, tiles and items. Names are shown as
/// text. Of maps that are drawn shaded it shows the picture. Of `options` the region, what is shown and the colours
/// of terrains count.
///
/// ```
/// use lantern_quilt::draw::{DrawOptions, write_page};
/// use lantern_quilt::prelude::*;
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2)?);
/// map.origin.quilt = "a </script> quilt".to_owned();
/// let mut page = Vec::new();
/// write_page(&map, &TileArt::new([8, 8]), &DrawOptions::default(), &mut page)?;
/// let page = String::from_utf8(page)?;
/// assert!(page.starts_with("<!doctype html>") && !page.contains("a </script>"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When there is no art, or `out` fails.
pub fn write_page(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    out: &mut dyn Write,
) -> io::Result<()> {
    let data = page_data(map, art, options).map_err(io::Error::other)?;
    write_with(&data, out)
}

/// A page without a map, which asks the server that it comes from for one: `map` gives it as
/// [`page_data`], `next?after=N` what is new after the state of that number.
pub fn live_page() -> String {
    let mut page = Vec::new();
    write_with(&Value::Null, &mut page).expect("memory takes it");
    String::from_utf8(page).expect("it is text")
}

/// What a page shows of a map.
///
/// # Errors
/// When there is no art.
pub fn page_data(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Value, DrawError> {
    data(&options.seen(map)?, art, options)
}

fn write_with(data: &Value, out: &mut dyn Write) -> io::Result<()> {
    let title = data["title"].as_str().unwrap_or("Lantern Quilt");
    let escaped = title.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    // Nothing in a name can end the element that holds it.
    let data = data.to_string().replace('<', "\\u003c");
    let mut left = PAGE;
    let parts = [
        ("{{TITLE}}", escaped.as_str()),
        ("{{STYLE}}", STYLE),
        ("{{DATA}}", &data),
        ("{{SCRIPT}}", SCRIPT),
    ];
    for (mark, text) in parts {
        let (before, after) = left.split_once(mark).expect("the page has a place for each part");
        out.write_all(before.as_bytes())?;
        out.write_all(text.as_bytes())?;
        left = after;
    }
    out.write_all(left.as_bytes())
}

/// Everything that the page shows.
fn data(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Value, DrawError> {
    let layout = map.layout();
    let extent = layout.extent();
    let [columns, rows, levels] = extent.size();
    let origin = &map.origin;
    let title = origin.quilt.trim_end_matches(".toml").trim_end_matches(".quilt");
    let levels = if levels > 1 { format!(" x {levels}") } else { String::new() };
    let variant = if origin.variant.is_empty() {
        String::new()
    } else {
        format!(", variant {}", origin.variant)
    };
    let about = format!("{columns} x {rows}{levels} cells, seed \"{}\"{variant}", origin.seed);
    let mut page = json!({
        "title": if title.is_empty() { "Lantern Quilt" } else { title },
        "about": about,
        "counts": counts(map),
        "lattice": layout.lattice().name(),
        "size": [columns, rows],
        "origin": [extent.origin().x, extent.origin().y],
        "picture": false,
        "terrain": null, "heights": null, "layers": [], "tags": [], "planes": [], "items": [], "sprites": [],
    });
    if shaded::is_shaded(layout.lattice(), art) {
        let options = DrawOptions { region: None, ..options.clone() };
        let picture = draw(map, art, &options)?;
        page["picture"] = true.into();
        (page["size"], page["origin"]) = (json!([1, 1]), json!([0, 0]));
        page["cell"] = json!([picture.width(), picture.height()]);
        (page["lattice"], page["step"]) = ("square".into(), page["cell"].clone());
        page["sheet"] = encoded(&picture).into();
        return Ok(page);
    }
    // Of any size: the picture itself is drawn by the page.
    let plain = DrawOptions { region: None, fit: Some([256; 2]), ..options.clone() };
    let frame = Frame::new(layout, art, &plain)?;
    let place = frame.full();
    page["cell"] = json!(place.cell());
    page["step"] = json!(place.step());
    if let Some(terrain) = map.terrain() {
        let colours = terrain.palette.iter().map(|name| {
            let known = options.grounds.iter().find(|(known, _)| known == name);
            known.map(|(_, colour)| to_hex(*colour))
        });
        page["terrain"] = json!({
            "palette": terrain.palette,
            "colours": colours.collect::<Vec<_>>(),
            "cells": packed(terrain.cells.iter().map(|number| number.map_or(-1, |number| number as i32))),
        });
    }
    if let Some(heights) = map.heights() {
        let values = heights.values();
        let ends = [values.iter().min(), values.iter().max()].map(|end| end.copied().unwrap_or(0));
        page["heights"] = json!({
            "cells": packed(values.iter().copied()),
            "least": ends[0], "most": ends[1],
            "shaded": options.relief && ends[0] < ends[1],
        });
    }
    page["tags"] = map
        .tags()
        .map(|(name, cells)| {
            let mut bits = vec![0_u8; extent.cells().div_ceil(8)];
            for index in cells.iter().filter_map(|cell| extent.index(cell)) {
                bits[index / 8] |= 1 << (index % 8);
            }
            json!({ "name": name, "count": cells.count(), "cells": STANDARD.encode(bits) })
        })
        .collect();
    page["planes"] = map
        .planes()
        .map(|(name, numbers)| {
            let known = || numbers.iter().flatten();
            let cells = packed(numbers.iter().map(|number| number.unwrap_or(i32::MIN)));
            json!({ "name": name, "cells": cells, "least": known().min().unwrap_or(0), "most": known().max().unwrap_or(0) })
        })
        .collect();
    let tile = |placed: &Placed| {
        art.placed(layout.lattice(), placed).unwrap_or_else(|| flat_tile(art, &placed.tile, place))
    };
    let (sheet, layers) = tiles(map, place.cell().map(|length| length as u32), &tile)?;
    (page["sheet"], page["layers"]) = (encoded(&sheet).into(), layers);
    let flat = Flat::new(map, art, &plain, place);
    (page["sprites"], page["items"]) = things(&flat, map);
    Ok(page)
}

/// What is on a map, in a line.
fn counts(map: &Tilemap) -> String {
    let mut counts: BTreeMap<&str, u64> = BTreeMap::new();
    if let Some(terrain) = map.terrain() {
        for number in terrain.cells.iter().flatten() {
            *counts.entry(&terrain.palette[number as usize]).or_default() += 1;
        }
    }
    let mut all: Vec<(&str, u64)> = counts.into_iter().collect();
    all.sort_by_key(|&(_, count)| std::cmp::Reverse(count));
    let mut words: Vec<String> =
        all.iter().take(8).map(|(name, count)| format!("{name} {count}")).collect();
    if !map.items().is_empty() {
        words.push(format!("items {}", map.items().len()));
    }
    words.join(", ")
}

/// Numbers of 32 bits, the least byte first.
fn packed(numbers: impl Iterator<Item = i32>) -> String {
    STANDARD.encode(numbers.flat_map(i32::to_le_bytes).collect::<Vec<u8>>())
}

fn encoded(picture: &Picture) -> String {
    format!("data:image/png;base64,{}", STANDARD.encode(picture.to_png(&[]).unwrap_or_default()))
}

/// One sheet of all pictures of tiles, and the layers with where in it their palettes are.
fn tiles(
    map: &Tilemap,
    [wide, high]: [u32; 2],
    tile: &dyn Fn(&Placed) -> Picture,
) -> Result<(Picture, Value), DrawError> {
    let mut known: BTreeMap<Vec<Rgba>, u32> = BTreeMap::new();
    let mut pictures: Vec<Picture> = Vec::new();
    let mut entry = |layer: &Layer, placed: &Placed, used: bool| {
        let drawn =
            if used { tile(placed) } else { Picture::new(1, 1, [0; 4]).expect("one pixel") };
        let number = *known.entry(drawn.pixels().to_vec()).or_insert_with(|| {
            pictures.push(drawn.clone());
            pictures.len() as u32 - 1
        });
        json!({
            "at": [number % COLUMNS * wide, number / COLUMNS * high],
            "mean": mean(&drawn),
            "words": words_of(layer, placed),
            "tile": placed.tile,
            "pass": placed.pass.as_deref().unwrap_or(&layer.name),
            "group": placed.group,
        })
    };
    let layers = map.layers().map(|layer| {
        let mut used = vec![false; layer.palette().len()];
        layer.cells().iter().flatten().for_each(|number| used[number as usize] = true);
        let palette = layer.palette().iter().zip(used);
        let palette: Vec<Value> = palette
            .map(|(placed, used)| {
                let mut one = entry(layer, placed, used);
                if placed.group.is_none()
                    && let Some(one) = one.as_object_mut()
                {
                    one.remove("group");
                }
                one
            })
            .collect();
        let [dx, dy, _] = layer.offset();
        let offset = [(dx * wide as f32) as i64, (dy * high as f32) as i64];
        let [columns, rows, _] = layer.extent().size();
        json!({
            "name": layer.name, "offset": offset, "size": [columns, rows], "palette": palette,
            "count": layer.cells().iter().flatten().count(),
            "cells": packed(layer.cells().iter().map(|number| number.map_or(-1, |number| number as i32))),
        })
    });
    let layers: Vec<Value> = layers.collect();
    let rows = (pictures.len() as u32).div_ceil(COLUMNS).max(1);
    let mut sheet =
        Picture::new(wide * COLUMNS.min(pictures.len().max(1) as u32), high * rows, [0; 4])?;
    for (number, picture) in pictures.iter().enumerate() {
        let number = number as u32;
        sheet.put(picture, i64::from(number % COLUMNS * wide), i64::from(number / COLUMNS * high));
    }
    Ok((sheet, layers.into()))
}

/// The mean of a picture's pixels, by how opaque they are.
fn mean(picture: &Picture) -> String {
    let (mut sums, mut all) = ([0_u64; 3], 0_u64);
    for &[r, g, b, a] in picture.pixels() {
        let weight = u64::from(a);
        all += weight;
        for (sum, value) in sums.iter_mut().zip([r, g, b]) {
            *sum += u64::from(value) * weight;
        }
    }
    let [r, g, b] = sums.map(|sum| sum / all.max(1));
    let opaque = all as f64 / (picture.pixels().len().max(1) as f64 * 255.0);
    format!("rgba({r},{g},{b},{opaque:.2})")
}

/// `path_bend, turned 1, mirrored, look 2, pass lanes, group walks`.
fn words_of(layer: &Layer, placed: &Placed) -> String {
    let mut words = vec![placed.tile.clone()];
    let turns = placed.orientation.turns();
    words.extend((turns > 0).then(|| format!("turned {turns}")));
    words.extend(placed.orientation.mirrored().then(|| "mirrored".to_owned()));
    words.extend((placed.look > 0).then(|| format!("look {}", placed.look)));
    words.extend(placed.part.map(|[x, y, _]| format!("part {x}, {y}")));
    words.push(format!("pass {}", placed.pass.as_deref().unwrap_or(&layer.name)));
    words.extend(placed.group.as_ref().map(|group| format!("group {group}")));
    words.join(", ")
}

/// The pictures of items, and the items with where they stand, in the order in which they are drawn.
fn things(flat: &Flat<'_>, map: &Tilemap) -> (Value, Value) {
    let place = flat.place();
    let (mut sprites, mut known) = (Vec::new(), BTreeMap::new());
    let mut items = Vec::new();
    let level = map.layout().extent().origin().z;
    for item in flat.items().all() {
        let Shown { picture, anchor, at, turn, scale } = flat.items().shown(item, place);
        let key = (picture.pixels().to_vec(), picture.width(), anchor);
        let number = *known.entry(key).or_insert_with(|| {
            let size = [picture.width(), picture.height()];
            sprites.push(json!({ "picture": encoded(&picture), "size": size, "anchor": anchor }));
            sprites.len() - 1
        });
        let mut one = thing(item, at);
        one["sprite"] = number.into();
        if turn != 0.0 {
            one["turn"] = turn.into();
        }
        if scale != 1.0 {
            one["scale"] = scale.into();
        }
        items.push(one);
    }
    let markers = map.items().iter().filter(|item| item.look.is_none() && item.cell.z == level);
    items.extend(markers.map(|item| {
        let mut one = thing(item, flat.items().stands(item, place));
        one["sprite"] = Value::Null;
        one["number"] = item.number.into();
        one
    }));
    (sprites.into(), items.into())
}

fn thing(item: &Item, at: [f64; 2]) -> Value {
    let Cell { x, y, .. } = item.cell;
    let mut words = vec![item.name.to_string()];
    words.extend(item.side.map(|side| format!("on the {side} side")));
    words.extend(item.facing.map(|side| format!("faces {side}")));
    words.extend((!item.tags.is_empty()).then(|| format!("tags {}", item.tags.join(" "))));
    words.extend((!item.pass.is_empty()).then(|| format!("pass {}", item.pass)));
    words.extend(item.group.as_ref().map(|group| format!("group {group}")));
    words.extend((item.number > 0).then(|| format!("number {}", item.number)));
    let mut one = json!({
        "name": &*item.name, "cell": [x, y], "at": at.map(f64::round), "pass": &*item.pass, "words": words.join(", "),
    });
    if let Some(group) = &item.group {
        one["group"] = (**group).into();
    }
    one
}
