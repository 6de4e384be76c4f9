//! The contact sheet: many maps in one picture, each labelled.

use super::text::{label, label_width};
use super::{DrawError, INK, NIGHT};
use crate::picture::{Picture, Rgba};

const WIDTH: u32 = 1280;
const GAP: u32 = 12;
const LINE: u32 = 17;
const SIZE: f32 = 14.0;
const ALARM: Rgba = [240, 160, 40, 255];

/// One picture of a contact sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Print {
    /// What tells it from the others, a line each.
    pub label: Vec<String>,
    /// What is wrong with it, if anything is.
    pub failure: Option<String>,
    /// The picture.
    pub picture: Picture,
}

/// How many columns a contact sheet has when nobody says: about as many as make it square.
///
/// ```
/// assert_eq!(lantern_quilt::draw::columns_of(12, [44, 27]), 4);
/// ```
pub fn columns_of(count: usize, [width, height]: [u32; 2]) -> u32 {
    let count = count.max(1) as u32;
    let wide = |columns: &u32| {
        let rows = count.div_ceil(*columns);
        u64::from(*columns) * u64::from(width.max(1)) * 5 >= u64::from(rows) * u64::from(height) * 8
    };
    (1..=count).find(wide).unwrap_or(count)
}

/// The most pixels from west to east that each picture has on a sheet of so many columns.
pub fn print_width(columns: u32) -> u32 {
    (WIDTH / columns.max(1)).saturating_sub(GAP).max(24)
}

/// What the columns and the rows of a contact sheet are, when two things are varied.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Headings {
    /// Above each column.
    pub columns: Vec<String>,
    /// Beside each row.
    pub rows: Vec<String>,
}

/// Lays prints in rows of `columns`, each under its label; with headings, columns and rows are labelled
/// instead. O(pixels).
///
/// # Errors
/// When the whole would be too large.
pub fn contact_sheet(
    title: &str,
    prints: &[Print],
    columns: u32,
    headings: Option<&Headings>,
) -> Result<Picture, DrawError> {
    const TITLE: u32 = 34;
    let columns = columns.max(1);
    let room = print_width(columns);
    let lines = prints.iter().map(|print| print.label.len() as u32).max().unwrap_or(1).max(1);
    let lines = if headings.is_some() { 0 } else { lines };
    let beside = headings.map_or(0.0, |headings| {
        headings.rows.iter().map(|text| label_width(text, SIZE)).fold(0.0, f32::max)
    });
    let side = if headings.is_some() { beside as u32 + GAP } else { 0 };
    let head = if headings.is_some() { LINE + 4 } else { 0 };
    let fitted: Vec<Picture> = prints.iter().map(|print| fit(&print.picture, room)).collect();
    let tallest = fitted.iter().map(Picture::height).max().unwrap_or(0);
    let pitch = tallest + lines * LINE + GAP;
    let rows = (prints.len() as u32).div_ceil(columns);
    let width = (room + GAP) * columns + GAP + side;
    let mut sheet = Picture::new(width, TITLE + head + rows * pitch + GAP, NIGHT)?;
    label(&mut sheet, i64::from(GAP), 8, 18.0, INK, title);
    if let Some(headings) = headings {
        for (number, text) in (0..columns).zip(&headings.columns) {
            let x = GAP + side + number * (room + GAP);
            let text = clipped(text, room as f32);
            label(&mut sheet, i64::from(x), i64::from(TITLE), SIZE, INK, &text);
        }
        for (number, text) in (0..rows).zip(&headings.rows) {
            let y = TITLE + head + number * pitch + tallest / 2 - LINE / 2;
            label(&mut sheet, i64::from(GAP), i64::from(y), SIZE, INK, text);
        }
    }
    for (number, (print, picture)) in prints.iter().zip(&fitted).enumerate() {
        let number = number as u32;
        let x = i64::from(GAP + side + number % columns * (room + GAP));
        let y = i64::from(TITLE + head + number / columns * pitch);
        for (line, text) in print.label.iter().enumerate().take(lines as usize) {
            let text = clipped(text, room as f32);
            label(&mut sheet, x, y + line as i64 * i64::from(LINE), SIZE, INK, &text);
        }
        let top = y + i64::from(lines * LINE) + 2;
        sheet.lay(picture, x, top);
        if let Some(failure) = &print.failure {
            let bottom = top + i64::from(picture.height()) - i64::from(LINE) - 2;
            for (dx, dy) in (0..i64::from(LINE) + 2)
                .flat_map(|dy| (0..i64::from(picture.width())).map(move |dx| (dx, dy)))
            {
                sheet.blend(x + dx, bottom + dy, [20, 22, 46, 220]);
            }
            let text = clipped(failure, picture.width() as f32 - 6.0);
            label(&mut sheet, x + 3, bottom + 1, SIZE, ALARM, &text);
        }
    }
    Ok(sheet)
}

/// A picture shrunk to some width by the mean of what each pixel covers; smaller ones are enlarged by
/// whole numbers.
pub fn fit(picture: &Picture, room: u32) -> Picture {
    let (width, height) = (picture.width(), picture.height());
    if width <= room {
        return picture.scaled((room / width.max(1)).max(1)).unwrap_or_else(|_| picture.clone());
    }
    let high = ((u64::from(height) * u64::from(room)) / u64::from(width)).max(1) as u32;
    let Ok(mut fitted) = Picture::new(room, high, NIGHT) else { return picture.clone() };
    let ends = |at: u32, from: u32, to: u32| {
        let begin = (u64::from(at) * u64::from(from) / u64::from(to)) as u32;
        let end = ((u64::from(at) + 1) * u64::from(from)).div_ceil(u64::from(to)) as u32;
        begin..end.clamp(begin + 1, from)
    };
    for y in 0..high {
        let rows = ends(y, height, high);
        for x in 0..room {
            let columns = ends(x, width, room);
            let mut sums = [0_u32; 4];
            for row in rows.clone() {
                let start = row as usize * width as usize;
                let covered = start + columns.start as usize..start + columns.end as usize;
                for pixel in &picture.pixels()[covered] {
                    for (sum, &value) in sums.iter_mut().zip(pixel) {
                        *sum += u32::from(value);
                    }
                }
            }
            let count = (rows.len() * columns.len()) as u32;
            fitted.set(x, y, sums.map(|sum| (sum / count) as u8));
        }
    }
    fitted
}

/// A text that is not wider than its room.
fn clipped(text: &str, room: f32) -> String {
    if label_width(text, SIZE) <= room {
        return text.to_owned();
    }
    let mut short = text.to_owned();
    while !short.is_empty() && label_width(&short, SIZE) + label_width("...", SIZE) > room {
        short.pop();
    }
    short + "..."
}
