//! How open each cell still is: many poses left are night-blue, few are amber.

use super::place::Placement;
use super::text::{label, label_width};
use super::{DrawError, DrawOptions, INK, NIGHT, ViewStyle, mark, shaded};
use crate::art::TileArt;
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::explain::{Taker, lost};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::solve::Run;

/// From nearly decided to wide open.
const RAMP: [[u8; 3]; 6] =
    [[255, 214, 120], [226, 140, 52], [150, 82, 66], [86, 66, 104], [52, 62, 120], [38, 48, 92]];
/// What a dot means.
const BY_RULE: &str = "less by a whole-map rule";
/// A decided cell.
const DECIDED: Rgba = [58, 92, 74, 255];

/// The colour of a cell that may hold `options` of `poses`; distinguished by lightness alone as well.
pub(super) fn tint(options: usize, poses: usize) -> Rgba {
    if options <= 1 {
        return DECIDED;
    }
    // On a scale of halvings, where each step of a fill is about as wide.
    let most = (poses.max(3) as f32).log2() - 1.0;
    let at = ((options as f32).log2() - 1.0) / most * (RAMP.len() - 1) as f32;
    let low = (at as usize).min(RAMP.len() - 2);
    let part = (at - low as f32).clamp(0.0, 1.0);
    let mix = |channel: usize| {
        let (a, b) = (f32::from(RAMP[low][channel]), f32::from(RAMP[low + 1][channel]));
        (a + (b - a) * part).round() as u8
    };
    [mix(0), mix(1), mix(2), 255]
}

/// Whether a rule of the whole map took poses from an undecided cell that its neighbours would allow.
pub(super) fn loses_to_rule(run: &Run, cell: Cell) -> bool {
    run.space().has_rules() && lost(run, cell).iter().any(|(by, _)| matches!(by, Taker::Rule(_)))
}

/// Draws how many poses each cell of a run may still hold, with a legend; `cell` pixels a cell. Flat cells from which a
/// rule of the whole map took poses that neighbours would allow have a dot.
///
/// # Errors
/// When the picture would be too large.
pub fn openness(run: &Run, cell: [u32; 2]) -> Result<Picture, DrawError> {
    const SIZE: f32 = 15.0;
    const LINE: i64 = 22;
    let layout = run.space().layout();
    let poses = run.rules().poses().len();
    let solid = layout.lattice().is_solid();
    let place = Placement::new(layout, cell).ok_or(DrawError::NoArt)?;
    let (width, height) = if solid { (1000, 720) } else { place.size() };
    let most = crate::picture::MAX_PIXELS;
    let too_large = || PictureError::TooLarge { most, width, height };
    let size = |v: u64| u32::try_from(v).map_err(|_| too_large());
    let mut counts: Vec<usize> =
        std::iter::successors(Some(2), |n| Some(n * 2)).take_while(|&n| n < poses).collect();
    counts.push(poses);
    let heading = "poses left";
    let ruled = run.space().has_rules() && !solid;
    let widest = if ruled { BY_RULE } else { "decided" };
    let legend = label_width(heading, SIZE).max(label_width(widest, SIZE) + 30.0) as u32 + 32;
    let high = size(height)?.max((counts.len() as u32 + 3 + u32::from(ruled)) * LINE as u32);
    let mut picture = Picture::new(size(width)? + legend, high, NIGHT)?;
    let level = layout.extent().origin().z;
    if solid {
        let cubes = layout.extent().iter().filter_map(|cell| match run.options(cell) {
            0 => None,
            // What is decided is small, so that it does not hide what is open.
            1 => Some((cell, DECIDED, 0.16)),
            open => Some((cell, tint(open, poses), 0.5)),
        });
        let style = ViewStyle::default().background(Some(NIGHT));
        let options = DrawOptions::default().size(Some([1000, 720])).style(style);
        let map = Tilemap::new(layout);
        let drawn = shaded::with_cubes(&map, &TileArt::default(), &options, cubes)?;
        picture.lay(&drawn, 0, 0);
    }
    for cell in layout.extent().iter().take_while(|cell| cell.z == level && !solid) {
        let options = run.options(cell);
        if options > 0 {
            mark::filled(&mut picture, place, cell, tint(options, poses));
            if loses_to_rule(run, cell) {
                mark::dotted(&mut picture, place, cell);
            }
        }
    }
    let left = width as i64 + 16;
    label(&mut picture, left, 8, SIZE, INK, heading);
    let rows = counts
        .iter()
        .rev()
        .map(|&n| (n.to_string(), tint(n, poses)))
        .chain([("decided".to_owned(), DECIDED)]);
    for (row, (text, colour)) in rows.enumerate() {
        let top = 8 + (row as i64 + 1) * LINE;
        for y in 0..16 {
            for x in 0..20 {
                picture.blend(left + x, top + y, colour);
            }
        }
        label(&mut picture, left + 28, top, SIZE, INK, &text);
    }
    if ruled {
        let top = 8 + (counts.len() as i64 + 2) * LINE;
        mark::dot(&mut picture, [left + 10, top + 8], 3);
        label(&mut picture, left + 28, top, SIZE, INK, BY_RULE);
    }
    Ok(picture)
}
