//! Flat maps: one sheet of all pictures of tiles, and the pictures of items.

use super::cells::{Palettes, thing};
use super::encoded;
use super::stages::Stages;
use crate::art::TileArt;
use crate::draw::flat::Flat;
use crate::draw::frame::Frame;
use crate::draw::items::Sprite;
use crate::draw::{DrawError, DrawOptions, flat_tile};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::map::{Item, Placed, Tilemap};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Pictures of tiles in a row of the page's sheet.
const COLUMNS: u32 = 32;

/// Adds pictures to the cells of a page. O(palettes + items).
pub(super) fn add_to(
    page: &mut Value,
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    (stages, palettes): (&Stages, &Palettes),
) -> Result<(), DrawError> {
    let layout = map.layout();
    // Of any size: the picture itself is drawn by the page.
    let plain = DrawOptions { region: None, fit: Some([256; 2]), ..options.clone() };
    let frame = Frame::new(layout, art, &plain)?;
    let place = frame.full();
    page["view"] = "flat".into();
    page["cell"] = json!(place.cell());
    page["step"] = json!(place.step());
    let size = place.cell().map(|length| length as u32);
    let tile = |placed: &Placed| {
        art.placed(layout.lattice(), placed).unwrap_or_else(|| flat_tile(art, &placed.tile, place))
    };
    let mut sheet = Sheet { size, known: BTreeMap::new(), pictures: Vec::new() };
    for (number, layer) in map.layers().enumerate() {
        let [dx, dy, _] = layer.offset();
        let offset = [(dx * size[0] as f32) as i64, (dy * size[1] as f32) as i64];
        let mut used = vec![false; palettes.of(number).len()];
        layer.cells().iter().flatten().for_each(|number| used[number as usize] = true);
        // What only earlier stages show has no count: it is drawn all the same.
        used[layer.palette().len()..].fill(true);
        let told = &mut page["layers"][number];
        told["offset"] = json!(offset);
        for (entry, placed) in palettes.of(number).iter().enumerate() {
            let drawn = if used[entry] || !stages.is_empty() {
                tile(placed)
            } else {
                Picture::new(1, 1, [0; 4]).expect("one pixel")
            };
            let told = &mut told["palette"][entry];
            told["mean"] = mean(&drawn).into();
            told["at"] = json!(sheet.place(drawn));
        }
    }
    page["sheet"] = encoded(&sheet.picture()?).into();
    let whole = stages.whole(map);
    let flat = Flat::new(&whole, art, &plain, place);
    (page["sprites"], page["items"]) = things(&flat, &whole, stages);
    Ok(())
}

/// Pictures of one size in rows.
struct Sheet {
    size: [u32; 2],
    known: BTreeMap<Vec<Rgba>, u32>,
    pictures: Vec<Picture>,
}

impl Sheet {
    /// Where in the sheet a picture lies.
    fn place(&mut self, drawn: Picture) -> [u32; 2] {
        let number = self.known.get(drawn.pixels()).copied().unwrap_or_else(|| {
            let number = self.pictures.len() as u32;
            self.known.insert(drawn.pixels().to_vec(), number);
            self.pictures.push(drawn);
            number
        });
        [number % COLUMNS * self.size[0], number / COLUMNS * self.size[1]]
    }

    fn picture(&self) -> Result<Picture, DrawError> {
        let [wide, high] = self.size;
        let count = self.pictures.len().max(1) as u32;
        let rows = count.div_ceil(COLUMNS);
        let mut sheet = Picture::new(wide * COLUMNS.min(count), high * rows, [0; 4])?;
        for (number, picture) in (0..).zip(&self.pictures) {
            let (x, y) = (number % COLUMNS * wide, number / COLUMNS * high);
            sheet.put(picture, i64::from(x), i64::from(y));
        }
        Ok(sheet)
    }
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

/// The pictures of items, and the items with where they stand, in the order in which they are drawn.
fn things(flat: &Flat<'_>, map: &Tilemap, stages: &Stages) -> (Value, Value) {
    let place = flat.place();
    let (mut sprites, mut known) = (Vec::new(), BTreeMap::new());
    let mut items = Vec::new();
    let level = map.layout().extent().origin().z;
    let told = |item: &Item, at: [f64; 2]| {
        let mut one = thing(item);
        one["at"] = json!(at.map(f64::round));
        stages.date(item, &mut one);
        one
    };
    for item in flat.items().all() {
        let Sprite { picture, anchor, at, turn, scale } = flat.items().shown(item, place);
        let key = (picture.pixels().to_vec(), picture.width(), anchor);
        let number = *known.entry(key).or_insert_with(|| {
            let size = [picture.width(), picture.height()];
            sprites.push(json!({ "picture": encoded(&picture), "size": size, "anchor": anchor }));
            sprites.len() - 1
        });
        let mut one = told(item, at);
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
        let mut one = told(item, flat.items().stands(item, place));
        one["sprite"] = Value::Null;
        one["number"] = item.number.into();
        one
    }));
    (sprites.into(), items.into())
}
