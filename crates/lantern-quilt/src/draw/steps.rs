//! Several pictures side by side, labelled.

use super::contact::fit;
use super::text::label;
use super::{DrawError, INK, NIGHT};
use crate::picture::Picture;

const WIDTH: u32 = 1280;
const GAP: u32 = 10;
const CAPTION: u32 = 26;

/// Lays pictures in rows that are about 1280 pixels wide, each shrunk to its share and labelled.
///
/// # Errors
/// When the whole would be too large.
pub fn side_by_side(pictures: &[(String, Picture)]) -> Result<Picture, DrawError> {
    let count = pictures.len().max(1) as u32;
    // Rows about as many as make the whole as high as it is wide.
    let columns = (1..=count).find(|columns| columns * columns >= count).unwrap_or(1);
    let room = WIDTH / columns - GAP;
    let shrunk: Vec<Picture> = pictures.iter().map(|(_, one)| fit(one, room)).collect();
    let tallest = shrunk.iter().map(Picture::height).max().unwrap_or(0);
    let rows = count.div_ceil(columns);
    let pitch = tallest + CAPTION + GAP;
    let mut whole = Picture::new(WIDTH, rows * pitch + GAP, NIGHT)?;
    for (number, ((name, _), one)) in pictures.iter().zip(&shrunk).enumerate() {
        let number = number as u32;
        let (x, y) =
            (number % columns * (WIDTH / columns) + GAP / 2, number / columns * pitch + GAP);
        let text = format!("{} {name}", number + 1);
        label(&mut whole, i64::from(x), i64::from(y), 17.0, INK, &text);
        whole.lay(one, i64::from(x), i64::from(y + CAPTION));
    }
    Ok(whole)
}
