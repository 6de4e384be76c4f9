//! Flat maps as SVG: each picture is a symbol, each layer, pass and group a group with its name.

use super::flat::Flat;
use super::frame::Frame;
use super::items::Sprite;
use super::place::Placement;
use super::{DrawError, DrawOptions, NIGHT, relief, shaded};
use crate::art::TileArt;
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::map::{Layer, Tilemap};
use std::collections::BTreeMap;
use std::io::{self, Write};
use svg::Document;
use svg::node::element::{
    Circle, Definitions, Description, Group, Image, Path, Polygon, Rectangle, Style,
};
use svg::node::element::{Symbol, Text, Title, Use};

/// Pixels stay whole, and symbols may be larger than their cells.
const STYLE: &str = "image{image-rendering:pixelated}symbol{overflow:visible}";

/// Writes a flat map as SVG that needs no other file. O(cells x layers + items), and as much memory.
///
/// A group for the ground (`data-layer="terrain"`), one for each layer (`data-layer`, and in it one for each group
/// of its tiles, `data-group`), and one for each pass that placed items (`data-pass`, `data-group`), in the order
/// in which they are drawn; each has its name as its title. Tiles and items are uses of symbols. Names are text:
/// they are escaped. Of `options` the region, what is shown, the scale and the colours of terrains count; pixels
/// of the art are units.
///
/// ```
/// use lantern_quilt::draw::{DrawOptions, write_svg};
/// use lantern_quilt::map::{Layer, Placed};
/// use lantern_quilt::prelude::*;
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2)?);
/// let mut layer = Layer::new("ground & moss", map.layout().extent(), vec![Placed::new("moss")]);
/// layer.set(Cell::new(1, 0), Some(0));
/// map.put_layer(layer);
/// let mut art = TileArt::new([8, 8]);
/// art.add("moss", Picture::new(8, 8, [40, 90, 50, 255])?);
/// let mut text = Vec::new();
/// write_svg(&map, &art, &DrawOptions::default(), &mut text)?;
/// let text = String::from_utf8(text)?;
/// assert!(text.contains("data-layer=\"ground &amp; moss\"") && text.contains("<use href=\"#p0\" x=\"8\" y=\"0\""));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When there is no art, the map is drawn shaded, or `out` fails.
pub fn write_svg(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    out: &mut dyn Write,
) -> io::Result<()> {
    let document = document(map, art, options).map_err(io::Error::other)?;
    writeln!(out, "{document}")
}

fn document(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Document, DrawError> {
    if shaded::is_shaded(map.layout().lattice(), art) {
        return Err(DrawError::NotFlat);
    }
    let map = &options.shown.of(map);
    let frame = Frame::new(map.layout(), art, options)?;
    let flat = Flat::new(map, art, options, frame.full());
    let (part, shown) = (frame.part(), frame.size());
    let place = frame.full().moved(part.at);
    let seen = place.seen(part.size);
    let mut sheet = Symbols::default();
    let mut groups = vec![named("terrain", grounds(&flat, place, seen.iter()))];
    for layer in map.layers() {
        groups.push(laid(
            layer,
            art,
            map.layout().lattice(),
            &mut sheet,
            place,
            &seen.iter().collect::<Vec<_>>(),
        ));
    }
    if let Some(range) = flat.relief() {
        groups.push(named("heights", heights(map, range, place, seen.iter())));
    }
    groups.extend(items(&flat, map, place, part.size, &mut sheet));
    let [wide, high] = part.size;
    let about = format!("{}, seed {}", map.origin.quilt, map.origin.seed);
    let night = Rectangle::new().set("width", wide).set("height", high).set("fill", to_hex(NIGHT));
    let mut document = Document::new()
        .set("viewBox", (0, 0, wide, high))
        .set("width", shown[0])
        .set("height", shown[1])
        .add(Title::new("Lantern Quilt"))
        .add(Description::new().add(svg::node::Text::new(about)))
        .add(Style::new(STYLE))
        .add(sheet.definitions)
        .add(night);
    for group in groups {
        document = document.add(group);
    }
    Ok(document)
}

/// A group of a layer, with its name.
fn named(layer: &str, group: Group) -> Group {
    group.set("data-layer", layer).add(Title::new(layer))
}

/// Pictures by what they show.
#[derive(Default)]
struct Symbols {
    definitions: Definitions,
    known: BTreeMap<([u32; 2], Vec<Rgba>), usize>,
}

impl Symbols {
    /// The reference to a picture, which is written once.
    fn of(&mut self, picture: &Picture) -> String {
        let size = [picture.width(), picture.height()];
        let next = self.known.len();
        let number = *self.known.entry((size, picture.pixels().to_vec())).or_insert(next);
        if number == next {
            let data = picture.to_png(&[]).unwrap_or_default();
            let image = Image::new()
                .set("width", size[0])
                .set("height", size[1])
                .set("href", format!("data:image/png;base64,{}", STANDARD.encode(data)));
            let symbol = Symbol::new().set("id", format!("p{number}")).add(image);
            self.definitions = std::mem::take(&mut self.definitions).add(symbol);
        }
        format!("#p{number}")
    }
}

/// The ground that is seen: in rows of one colour, on hexagons cell by cell.
fn grounds(flat: &Flat<'_>, place: Placement, cells: impl Iterator<Item = Cell>) -> Group {
    let mut group = Group::new();
    let [wide, high] = place.cell();
    let mut run: Option<([i64; 2], i64, Rgba)> = None;
    let rectangle = |([x, y], length, colour): ([i64; 2], i64, Rgba)| {
        filled(
            Rectangle::new().set("x", x).set("y", y).set("width", length).set("height", high),
            colour,
        )
    };
    for (cell, colour) in cells.filter_map(|cell| Some((cell, flat.ground(cell)?))) {
        let (x, y) = place.corner(cell);
        if let Some(points) = place.outline() {
            group = group.add(filled(Polygon::new().set("points", moved(&points, [x, y])), colour));
            continue;
        }
        match &mut run {
            Some(([from, row], length, known))
                if *row == y && *from + *length == x && *known == colour =>
            {
                *length += wide;
            }
            _ => {
                if let Some(done) = run.replace(([x, y], wide, colour)) {
                    group = group.add(rectangle(done));
                }
            }
        }
    }
    if let Some(done) = run {
        group = group.add(rectangle(done));
    }
    group
}

/// A shape in a colour, with its opacity where it is clear.
fn filled<S: svg::Node + Clone>(mut shape: S, colour: Rgba) -> S {
    shape.assign("fill", to_hex([colour[0], colour[1], colour[2], 255]));
    if colour[3] < 255 {
        shape.assign("fill-opacity", f32::from(colour[3]) / 255.0);
    }
    shape
}

/// Corners around a place, as an attribute.
fn moved(points: &[[i64; 2]], [x, y]: [i64; 2]) -> String {
    let points: Vec<String> =
        points.iter().map(|[px, py]| format!("{},{}", px + x, py + y)).collect();
    points.join(" ")
}

/// The tiles of a layer, group by group.
fn laid(
    layer: &Layer,
    art: &TileArt,
    lattice: Lattice,
    sheet: &mut Symbols,
    place: Placement,
    cells: &[Cell],
) -> Group {
    let [dx, dy, _] = layer.offset();
    let [wide, high] = place.cell().map(|length| length as f32);
    let (ox, oy) = ((dx * wide) as i64, (dy * high) as i64);
    let mut references: Vec<Option<String>> = vec![None; layer.palette().len()];
    let mut groups: BTreeMap<Option<&str>, Group> = BTreeMap::new();
    // Layers between cells reach one cell farther.
    let beyond = cells.iter().flat_map(|cell| {
        let more = i32::from(layer.offset() != [0.0; 3]);
        (0..=more).flat_map(move |y| {
            (0..=more).map(move |x| Cell { x: cell.x + x, y: cell.y + y, ..*cell })
        })
    });
    let mut cells: Vec<Cell> = beyond.collect();
    cells.sort_unstable_by_key(|cell| (cell.y, cell.x));
    cells.dedup();
    for cell in cells {
        let index = layer.extent().index(cell);
        let Some(number) = index.and_then(|index| layer.cells().get(index)) else { continue };
        let placed = &layer.palette()[number as usize];
        let reference = references[number as usize].get_or_insert_with(|| {
            let drawn = art.placed(lattice, placed);
            sheet.of(&drawn.unwrap_or_else(|| super::flat_tile(art, &placed.tile, place)))
        });
        let (x, y) = place.corner(cell);
        let tile = Use::new().set("href", reference.clone()).set("x", x + ox).set("y", y + oy);
        let group = groups.entry(placed.group.as_deref()).or_default();
        *group = std::mem::take(group).add(tile);
    }
    let mut all = named(&layer.name, Group::new());
    for (name, group) in groups {
        all = all.add(match name {
            Some(name) => group.set("data-group", name).add(Title::new(name)),
            None => group,
        });
    }
    all
}

/// Heights as tints, and on squares the edges where they step down.
fn heights(
    map: &Tilemap,
    range: relief::Range,
    place: Placement,
    cells: impl Iterator<Item = Cell>,
) -> Group {
    let mut group = Group::new();
    let [wide, high] = place.cell();
    for cell in cells {
        let Some((tint, edges)) = relief::of(map, range, place, cell) else { continue };
        let (x, y) = place.corner(cell);
        group = match place.outline() {
            Some(points) => {
                group.add(filled(Polygon::new().set("points", moved(&points, [x, y])), tint))
            }
            None => group.add(filled(
                Rectangle::new().set("x", x).set("y", y).set("width", wide).set("height", high),
                tint,
            )),
        };
        for ([left, top, width, height], colour) in edges {
            let edge = Rectangle::new().set("x", x + left).set("y", y + top);
            group = group.add(filled(edge.set("width", width).set("height", height), colour));
        }
    }
    group
}

/// A group for each pass that placed items, in the order in which they are drawn; markers as pins.
fn items(
    flat: &Flat<'_>,
    map: &Tilemap,
    place: Placement,
    size: [u32; 2],
    sheet: &mut Symbols,
) -> Vec<Group> {
    let mut groups: Vec<((String, Option<String>), Group)> = Vec::new();
    let mut add = |pass: &str, group: Option<&str>, thing: Group| {
        let key = (pass.to_owned(), group.map(str::to_owned));
        match groups.last_mut().filter(|(known, _)| *known == key) {
            Some((_, all)) => *all = std::mem::take(all).add(thing),
            None => groups.push((key, Group::new().add(thing))),
        }
    };
    for item in flat.items().near(place, size) {
        let Sprite { picture, anchor: [ax, ay], at: [x, y], turn, scale } =
            flat.items().shown(item, place);
        let reference = sheet.of(&picture);
        let mut transform = format!("translate({} {})", round(x), round(y));
        if turn != 0.0 {
            transform.push_str(&format!(" rotate({turn})"));
        }
        if scale != 1.0 {
            transform.push_str(&format!(" scale({scale})"));
        }
        let thing = Use::new().set("href", reference).set("x", -ax).set("y", -ay);
        let thing = thing.set("transform", transform);
        add(
            &item.pass,
            item.group.as_deref(),
            Group::new().set("data-item", &*item.name).add(thing),
        );
    }
    let level = map.layout().extent().origin().z;
    for item in map.items().iter().filter(|item| item.look.is_none() && item.cell.z == level) {
        let [x, y] = flat.items().stands(item, place).map(round);
        let words = match item.number {
            0 => item.name.to_string(),
            number => format!("{} {number}", item.name),
        };
        let pin = Group::new()
            .set("data-item", &*item.name)
            .set("transform", format!("translate({x} {y})"))
            .add(
                Path::new()
                    .set("d", "M0 0L-4 -7A4.6 4.6 0 1 1 4 -7Z")
                    .set("fill", "#f0a028")
                    .set("stroke", "#241810"),
            )
            .add(Circle::new().set("cy", -8).set("r", 1.5).set("fill", "#241810"))
            .add(
                Text::new(words)
                    .set("y", 11)
                    .set("font-size", 10)
                    .set("font-family", "sans-serif")
                    .set("text-anchor", "middle")
                    .set("fill", "#241810")
                    .set("stroke", "#faf6ec")
                    .set("stroke-width", 3)
                    .set("paint-order", "stroke"),
            );
        add(&item.pass, item.group.as_deref(), pin);
    }
    let named = groups.into_iter().map(|((pass, name), group)| {
        let title = name.as_deref().map_or_else(|| pass.clone(), |name| format!("{pass} ({name})"));
        let group = match name {
            Some(name) => group.set("data-group", name),
            None => group,
        };
        group.set("data-pass", pass).add(Title::new(title))
    });
    named.collect()
}

/// As pictures place things: at whole pixels.
fn round(at: f64) -> i64 {
    at.round() as i64
}
