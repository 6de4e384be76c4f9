//! The levels of a box map side by side.

use super::contact::{columns_of, fit, print_width};
use super::shaded::{SIZE, levels_of, shaded};
use super::text::label;
use super::{DrawError, DrawOptions, INK, NIGHT};
use crate::art::TileArt;
use crate::picture::Picture;
use crate::scene::Scene;
use lantern_quilt_core::map::Tilemap;

/// The levels of a map side by side, each with its number. O(levels x pixels of one).
///
/// # Errors
/// When a picture would be too large.
pub fn strip(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Picture, DrawError> {
    const GAP: u32 = 12;
    const CAPTION: u32 = 24;
    let [low, high] = options.levels.unwrap_or(levels_of(map.layout().extent()));
    // Empty levels at the top show nothing.
    let stood = Scene::new(map, art, Some([low, high])).stood;
    let high = stood.iter().map(|stood| stood.cell.z).max().unwrap_or(high);
    let count = (high - low + 1).max(1) as usize;
    let columns = columns_of(count, SIZE);
    let room = print_width(columns);
    let mut prints = Vec::new();
    for level in low..=high {
        let mut one = options.clone();
        one.levels = Some([level, level]);
        one.size = Some([room, room * SIZE[1] / SIZE[0]]);
        (one.steady, one.strip) = (true, false);
        prints.push((level, fit(&shaded(map, art, &one)?, room)));
    }
    let tall = prints.iter().map(|(_, print)| print.height()).max().unwrap_or(1) + CAPTION + GAP;
    let rows = (count as u32).div_ceil(columns);
    let mut whole = Picture::new((room + GAP) * columns + GAP, rows * tall + GAP, NIGHT)?;
    for (number, (level, print)) in (0u32..).zip(&prints) {
        let x = i64::from(GAP + number % columns * (room + GAP));
        let y = i64::from(GAP + number / columns * tall);
        label(&mut whole, x, y, 16.0, INK, &format!("level {level}"));
        whole.lay(print, x, y + i64::from(CAPTION));
    }
    Ok(whole)
}
