//! The board of pieces that holes want: a placeholder of each, and what its sides must show.

use super::shaded::portrait;
use super::text::{label, label_width};
use super::{DrawError, INK, NIGHT};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use crate::placeholder::with_placeholders;
use lantern_quilt_core::audit::pieces::WantedPiece;
use lantern_quilt_core::tileset::Tileset;

const HEADER: u32 = 34;
const CARD: u32 = 62;
/// Pieces that are drawn, the most wanted first.
const MOST: usize = 8;

const GROUND: Rgba = [26, 30, 58, 255];
const QUIET: Rgba = [150, 156, 186, 255];
const AMBER: Rgba = [246, 178, 74, 255];

/// Draws the pieces that holes want, one below the other, the most wanted first: a placeholder, how many holes
/// want it, and what its sides must show. Meant to lie below the picture of a map; `names` are those of the pieces.
///
/// # Errors
/// When the picture would be too large.
pub fn piece_board(
    set: &Tileset,
    pieces: &[WantedPiece],
    names: &[String],
    art: &TileArt,
) -> Result<Picture, DrawError> {
    let shown = &pieces[..pieces.len().min(MOST)];
    let named: Vec<(String, &WantedPiece)> = names.iter().cloned().zip(shown).collect();
    let all = with_placeholders(art, set, &named);
    let lines: Vec<[String; 2]> = named
        .iter()
        .map(|(name, piece)| {
            let holes = match piece.cells.len() {
                1 => "one cell wants it".to_owned(),
                more => format!("{more} cells want it"),
            };
            [format!("{name}: {holes}"), piece.in_words(set)]
        })
        .collect();
    let widest = lines.iter().flatten().map(|line| label_width(line, 13.0) as u32).max();
    let wide = widest.unwrap_or(0).clamp(320, 2000) + CARD + 36;
    let mut board = Picture::new(wide, HEADER + shown.len() as u32 * CARD + 8, NIGHT)?;
    let left_out = match pieces.len() - shown.len() {
        0 => String::new(),
        more => format!("; {more} more are listed"),
    };
    label(&mut board, 12, 8, 15.0, INK, &format!("Pieces that would fill the holes{left_out}"));
    for (number, ((name, _), [first, second])) in named.iter().zip(&lines).enumerate() {
        let top = HEADER + number as u32 * CARD;
        for y in top + 2..top + CARD - 2 {
            for x in 8..wide - 8 {
                board.set(x, y, GROUND);
            }
        }
        let room = CARD - 12;
        let picture = portrait(&all, name, room, GROUND).or_else(|| {
            let drawn = all.tile(name)?;
            let largest = drawn.width().max(drawn.height()).max(1);
            let by = room / largest;
            if by > 0 { drawn.scaled(by).ok() } else { Some(drawn.shrunk(largest.div_ceil(room))) }
        });
        if let Some(picture) = picture {
            let middle = i64::from(CARD / 2) - i64::from(picture.height() / 2);
            let x = 14 + i64::from(room / 2) - i64::from(picture.width() / 2);
            board.lay(&picture, x, i64::from(top) + middle);
        }
        let x = i64::from(CARD) + 14;
        label(&mut board, x, i64::from(top) + 12, 13.0, AMBER, first);
        label(&mut board, x, i64::from(top) + 32, 13.0, QUIET, second);
    }
    Ok(board)
}
