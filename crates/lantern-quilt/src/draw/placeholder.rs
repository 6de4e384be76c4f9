//! Placeholders of shapes: of two kinds by what is joined, of more by the colours around them.

use super::text::{label, label_width};
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::autotile::{Joins, Scheme};
use lantern_quilt_core::lattice::Lattice;

const PATCH: Rgba = [74, 84, 140, 255];
const RIM: Rgba = [226, 214, 186, 255];
const FAINT: Rgba = [226, 214, 186, 70];
const NUMBER: Rgba = [255, 201, 110, 255];

/// The five cells that quarters are taken from, as shapes.
pub const QUARTERS: [Joins; 5] = [0, 0x11, 0x44, 0x55, 0xff];

/// Whether a place lies in a cell; places go from -1 to 1 each way.
fn is_in_cell(lattice: Lattice, x: f32, y: f32) -> bool {
    match lattice {
        Lattice::HexPointy => x.abs() <= 1.0 && y.abs() + x.abs() / 2.0 <= 1.0,
        Lattice::HexFlat => y.abs() <= 1.0 && x.abs() + y.abs() / 2.0 <= 1.0,
        _ => true,
    }
}

/// The slot that a place of a cell belongs to; none in the middle.
fn slot_at(scheme: Scheme, lattice: Lattice, x: f32, y: f32) -> Option<usize> {
    const THIRD: f32 = 1.0 / 3.0;
    let quarter = match (x > 0.0, y > 0.0) {
        (true, false) => 0,
        (true, true) => 1,
        (false, true) => 2,
        (false, false) => 3,
    };
    match scheme {
        Scheme::Dual => Some(quarter),
        Scheme::Four if x.abs().max(y.abs()) < THIRD => None,
        Scheme::Four => Some(match (x.abs() > y.abs(), x > 0.0, y > 0.0) {
            (true, true, _) => 1,
            (true, false, _) => 3,
            (false, _, true) => 2,
            (false, _, false) => 0,
        }),
        Scheme::Eight => match (x.abs() < THIRD, y.abs() < THIRD) {
            (true, true) => None,
            (true, false) => Some(if y > 0.0 { 4 } else { 0 }),
            (false, true) => Some(if x > 0.0 { 2 } else { 6 }),
            (false, false) => Some(2 * quarter + 1),
        },
        Scheme::Six => {
            let flat = lattice == Lattice::HexFlat;
            let (wide, high, first) = if flat { (1.0, 0.866, -90.0) } else { (0.866, 1.0, -60.0) };
            let (x, y) = (x * wide, y * high);
            let turn = (y.atan2(x).to_degrees() - first) / 60.0;
            (x.hypot(y) >= THIRD).then(|| turn.round().rem_euclid(6.0) as usize)
        }
    }
}

/// A cell with a colour in each of its slots, and one in the middle where a scheme has one; without a colour a part
/// stays transparent. Guides of sheets are painted so.
///
/// # Errors
/// When it would be too large.
pub fn coloured_slots(
    scheme: Scheme,
    lattice: Lattice,
    slots: &[Option<Rgba>],
    middle: Option<Rgba>,
    [width, height]: [u32; 2],
) -> Result<Picture, PictureError> {
    let mut picture = Picture::new(width, height, [0; 4])?;
    for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
        let along = |at: u32, length: u32| (at as f32 + 0.5) * 2.0 / length as f32 - 1.0;
        let (px, py) = (along(x, width), along(y, height));
        let colour = match slot_at(scheme, lattice, px, py) {
            Some(slot) => slots.get(slot).copied().flatten(),
            None => middle,
        };
        if let Some(colour) = colour.filter(|_| is_in_cell(lattice, px, py)) {
            picture.set(x, y, colour);
        }
    }
    Ok(picture)
}

/// A placeholder of a shape among several terrains: their colours where they must be, hatched.
///
/// # Errors
/// When it would be too large.
pub fn placeholder_blend(
    scheme: Scheme,
    lattice: Lattice,
    slots: &[Option<Rgba>],
    size: [u32; 2],
) -> Result<Picture, PictureError> {
    let mut picture = coloured_slots(scheme, lattice, slots, Some(PATCH), size)?;
    let stripe = (size[0].min(size[1]) / 8).max(1);
    for (x, y) in (0..size[1]).flat_map(|y| (0..size[0]).map(move |x| (x, y))) {
        let is_painted = picture.get(x, y).is_some_and(|pixel| pixel[3] > 0);
        if is_painted && (x + y) % (2 * stripe) < stripe {
            picture.blend(i64::from(x), i64::from(y), FAINT);
        }
    }
    Ok(picture)
}

/// How far inside a patch a place lies, in parts of half a cell; below zero outside. Places go from -1
/// to 1 each way.
fn depth(scheme: Scheme, lattice: Lattice, joins: Joins, x: f32, y: f32) -> f32 {
    const INSET: f32 = 0.25;
    let on = |slot: usize| joins >> (slot % scheme.slots()) & 1 == 1;
    let (u, v) = (x.abs(), y.abs());
    // Quarters from the north-east, clockwise.
    let quarter = match (x > 0.0, y > 0.0) {
        (true, false) => 0,
        (true, true) => 1,
        (false, true) => 2,
        (false, false) => 3,
    };
    let turned = |before: bool, after: bool| {
        if quarter % 2 == 0 { (before, after) } else { (after, before) }
    };
    match scheme {
        Scheme::Six => {
            // Across each open side, by how far the patch ends before it.
            let first = if lattice == Lattice::HexFlat { -90.0f32 } else { -60.0 };
            let open = (0..6).filter(|&slot| !on(slot)).map(|slot| {
                let angle = (first + 60.0 * slot as f32).to_radians();
                let (wide, high) =
                    if lattice == Lattice::HexFlat { (1.0, 0.866) } else { (0.866, 1.0) };
                0.866 - INSET - (x * wide * angle.cos() + y * high * angle.sin())
            });
            open.fold(1.0, f32::min)
        }
        Scheme::Dual => {
            let (over, beside) = turned(on(quarter + 3), on(quarter + 1));
            let shore = INSET / 2.0;
            match (on(quarter), over, beside) {
                (false, _, _) => -1.0,
                (true, false, false) => u.min(v) - shore,
                (true, false, true) => u - shore,
                (true, true, false) => v - shore,
                _ if !on(quarter + 2) => u.max(v) - shore,
                _ => 1.0,
            }
        }
        Scheme::Four | Scheme::Eight => {
            let (before, corner, after) = match scheme {
                Scheme::Four => (on(quarter), true, on(quarter + 1)),
                _ => (on(quarter * 2), on(quarter * 2 + 1), on(quarter * 2 + 2)),
            };
            let edge = 1.0 - INSET;
            match turned(before, after) {
                (false, false) => edge - u.max(v),
                (true, false) => edge - u,
                (false, true) => edge - v,
                _ if !corner => (1.0 - u).max(1.0 - v) - INSET,
                _ => 1.0,
            }
        }
    }
}

/// A placeholder of a shape of two kinds: what is joined, its neighbours drawn faintly, and a number. Its size is width
/// and height of a cell in pixels.
///
/// # Errors
/// When it would be too large.
pub fn placeholder_shape(
    scheme: Scheme,
    lattice: Lattice,
    joins: Joins,
    number: usize,
    [width, height]: [u32; 2],
) -> Result<Picture, PictureError> {
    let mut picture = Picture::new(width, height, [0; 4])?;
    let half = [width as f32 / 2.0, height as f32 / 2.0];
    let rim = 2.4 / half[0].min(half[1]).max(4.0);
    for y in 0..height {
        for x in 0..width {
            let (px, py) = ((x as f32 + 0.5) / half[0] - 1.0, (y as f32 + 0.5) / half[1] - 1.0);
            if !is_in_cell(lattice, px, py) {
                continue;
            }
            let d = depth(scheme, lattice, joins, px, py);
            if d >= 0.0 {
                picture.set(x, y, if d < rim { RIM } else { PATCH });
            }
        }
    }
    if scheme == Scheme::Dual && joins == 0 {
        return Ok(picture);
    }
    let small = width.min(height);
    if small >= 24 {
        neighbours(&mut picture, scheme, lattice, joins);
    }
    let size = (small as f32 / 3.2).clamp(8.0, 96.0);
    let text = number.to_string();
    let left = (width as f32 - label_width(&text, size)) / 2.0;
    label(&mut picture, left as i64, (half[1] - size * 0.55) as i64, size, NUMBER, &text);
    Ok(picture)
}

/// Small marks towards joined neighbours.
fn neighbours(picture: &mut Picture, scheme: Scheme, lattice: Lattice, joins: Joins) {
    const ROUND: [[f32; 2]; 8] = [
        [0.0, -1.0],
        [1.0, -1.0],
        [1.0, 0.0],
        [1.0, 1.0],
        [0.0, 1.0],
        [-1.0, 1.0],
        [-1.0, 0.0],
        [-1.0, -1.0],
    ];
    let (width, height) = (picture.width() as f32, picture.height() as f32);
    for slot in (0..scheme.slots()).filter(|slot| joins >> slot & 1 == 1) {
        let [dx, dy] = match scheme {
            Scheme::Eight => ROUND[slot],
            Scheme::Four => ROUND[slot * 2],
            Scheme::Dual => ROUND[slot * 2 + 1],
            Scheme::Six => {
                let first = if lattice == Lattice::HexFlat { -90.0f32 } else { -60.0 };
                let angle = (first + 60.0 * slot as f32).to_radians();
                [angle.cos(), angle.sin()]
            }
        };
        let (cx, cy) = (width / 2.0 * (1.0 + dx * 0.72), height / 2.0 * (1.0 + dy * 0.72));
        let radius = width.min(height) / 14.0;
        let span = |middle: f32| (middle - radius) as i64..(middle + radius).ceil() as i64;
        for (x, y) in span(cy).flat_map(|y| span(cx).map(move |x| (x, y))) {
            picture.blend(x, y, FAINT);
        }
    }
}
