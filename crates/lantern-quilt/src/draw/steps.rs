//! The map after each pass, side by side: what changed is outlined, tags are tinted.

use super::contact::{columns_of, fit, print_width};
use super::text::label;
use super::{DrawError, DrawOptions, INK, NIGHT, draw, picture_size};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::map::Tilemap;

const WIDTH: u32 = 1280;
const GAP: u32 = 12;
const CAPTION: u32 = 26;
/// Of cells that got a tag, or lost one.
const TAGGED: Rgba = [246, 178, 74, 110];

/// Pictures of a map on its way, one a pass.
#[derive(Debug)]
pub struct Steps<'a> {
    art: &'a TileArt,
    options: DrawOptions,
    /// As many as there will be, for the width of each.
    count: usize,
    before: Tilemap,
    panels: Vec<(String, Picture)>,
}

impl<'a> Steps<'a> {
    /// Begins with the map before the first of `count` passes.
    pub fn new(map: Tilemap, art: &'a TileArt, options: DrawOptions, count: usize) -> Self {
        Self { art, options, count, before: map, panels: Vec::new() }
    }

    /// Adds the map after a pass. O(cells x layers) and its picture.
    ///
    /// # Errors
    /// As [`draw`].
    pub fn add(&mut self, pass: &str, map: &Tilemap) -> Result<(), DrawError> {
        let [wide, high] = picture_size(map.layout(), self.art, &self.options)?;
        let room = print_width(columns_of(self.count, [wide, high]));
        let (changed, tagged) = changes(&self.before, map);
        let mut options = self.options.clone();
        options.steady = true;
        options.size = options.size.or(Some([room, room * 5 / 8]));
        // Names and outlines are to be read after the picture was shrunk.
        options.shrunk = wide.div_ceil(room.max(1)).max(1);
        let everywhere = changed.count() == map.layout().extent().cells();
        options.outlined = Some(changed).filter(|_| !everywhere);
        options.tinted = tagged.into_iter().map(|cells| (cells, TAGGED)).collect();
        let picture = fit(&draw(map, self.art, &options)?, room);
        self.panels.push((pass.to_owned(), picture));
        self.before = map.clone();
        Ok(())
    }

    /// What there is so far: the name of each pass and its picture.
    pub fn panels(&self) -> &[(String, Picture)] {
        &self.panels
    }

    /// All of them in rows, each with the number and name of its pass.
    ///
    /// # Errors
    /// When the whole would be too large.
    pub fn finish(self) -> Result<Picture, DrawError> {
        side_by_side(&self.panels)
    }
}

/// Cells that differ in terrain, height, tiles or items; and those that got or lost a tag, when nothing
/// else did.
fn changes(before: &Tilemap, after: &Tilemap) -> (BitPlane, Option<BitPlane>) {
    let extent = after.layout().extent();
    let mut changed = BitPlane::new(extent);
    let ground = |map: &Tilemap, cell| -> Option<String> {
        map.terrain().and_then(|terrain| terrain.at(cell, extent)).map(str::to_owned)
    };
    let differ = before.terrain() != after.terrain() || before.heights() != after.heights();
    for cell in extent.iter() {
        let other_ground = differ
            && (ground(before, cell) != ground(after, cell)
                || before.heights().map(|h| h.get(cell)) != after.heights().map(|h| h.get(cell)));
        let other_tile = after.layers().any(|layer| {
            let known = before.layer(&layer.name).and_then(|known| known.get(cell));
            let now = layer.get(cell);
            now.map(|placed| (&placed.tile, placed.orientation))
                != known.map(|placed| (&placed.tile, placed.orientation))
        });
        if other_ground || other_tile {
            changed.set(cell, true);
        }
    }
    for item in after.items().iter().filter(|item| !before.items().contains(item)) {
        changed.set(item.cell, true);
    }
    if changed.count() > 0 {
        return (changed, None);
    }
    let mut tagged = BitPlane::new(extent);
    for (name, plane) in after.tags() {
        let known = before.tag(name);
        for cell in extent.iter() {
            if plane.get(cell) != known.is_some_and(|known| known.get(cell)) {
                tagged.set(cell, true);
            }
        }
    }
    let tagged = (tagged.count() > 0).then_some(tagged);
    (changed, tagged)
}

/// Lays pictures in rows about 1280 pixels wide, each shrunk to its share and labelled.
///
/// # Errors
/// When the whole would be too large.
fn side_by_side(pictures: &[(String, Picture)]) -> Result<Picture, DrawError> {
    let size = pictures.first().map_or([1, 1], |(_, one)| [one.width(), one.height()]);
    let columns = columns_of(pictures.len(), size);
    let room = print_width(columns);
    let shrunk: Vec<Picture> = pictures.iter().map(|(_, one)| fit(one, room)).collect();
    let tallest = shrunk.iter().map(Picture::height).max().unwrap_or(0);
    let rows = (pictures.len() as u32).div_ceil(columns);
    let (across, down) = (WIDTH / columns, tallest + CAPTION + GAP);
    let mut whole = Picture::new(WIDTH, rows * down + GAP, NIGHT)?;
    for (number, ((name, _), one)) in pictures.iter().zip(&shrunk).enumerate() {
        let number = number as u32;
        let (x, y) = (number % columns * across + GAP / 2, number / columns * down + GAP);
        let text = format!("{} {name}", number + 1);
        label(&mut whole, i64::from(x), i64::from(y), 17.0, INK, &text);
        whole.lay(one, i64::from(x), i64::from(y + CAPTION));
    }
    Ok(whole)
}
