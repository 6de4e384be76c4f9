//! Where the pictures of tiles, shapes and items are.

use super::cursor::{Keys, Notes, Value};
use super::modules::{ModelSpec, take_model};
use crate::models::MOST_VOXELS;
use lantern_quilt_core::finding::Code;
use std::ops::Range;

/// One look of a tile: where its pictures are.
#[derive(Debug)]
pub(super) struct LookSpec {
    /// A tile or an item.
    pub(super) kind: &'static str,
    pub(super) tile: String,
    pub(super) drawn: PictureSpec,
    /// Pictures of its own for the turns after the first.
    pub(super) turned: Vec<PictureSpec>,
    /// How many slices of voxels its picture shows side by side.
    pub(super) slices: Option<(u32, Range<usize>)>,
    /// Its model, and how it stands.
    pub(super) model: Option<ModelSpec>,
    /// Whether it does without a picture: it has a colour, or is air.
    pub(super) coloured: bool,
    pub(super) upright: bool,
    /// Columns, rows and levels it covers.
    pub(super) span: [u32; 3],
    /// How many ways round the tile is used.
    pub(super) turns: u8,
    /// More than half a turn's worth of poses: quarter turns need a square cell.
    pub(super) quarter_turns: bool,
    pub(super) turns_span: Range<usize>,
}

/// Where a picture is.
#[derive(Debug)]
pub(super) struct PictureSpec {
    pub(super) span: Range<usize>,
    /// Which of the quilt's files names it.
    pub(super) document: usize,
    pub(super) at: Option<([u32; 2], Range<usize>)>,
    pub(super) sheet: Option<(String, Range<usize>)>,
    pub(super) file: Option<(String, Range<usize>)>,
}

/// A picture and those for its turns.
pub(super) fn take_look(
    keys: &mut Keys<'_>,
    tile: &str,
    span: &Range<usize>,
    notes: &mut Notes,
) -> LookSpec {
    let drawn = take_picture(keys, span, notes);
    let model = take_model(keys, notes);
    let mut turned = Vec::new();
    for value in each(keys.take("turned"), notes) {
        let Some(mut keys) = value.table(notes) else { continue };
        turned.push(take_picture(&mut keys, &value.span, notes));
        keys.finish(notes);
    }
    LookSpec {
        kind: "tile",
        tile: tile.to_owned(),
        drawn,
        turned,
        slices: None,
        model,
        coloured: false,
        upright: false,
        span: [1, 1, 1],
        turns: 1,
        quarter_turns: false,
        turns_span: span.clone(),
    }
}

/// How many slices of voxels the picture of a tile shows side by side.
pub(super) fn take_slices(keys: &mut Keys<'_>, notes: &mut Notes) -> Option<(u32, Range<usize>)> {
    let value = keys.take("slices")?;
    let slices: i64 = value.whole(1..i64::from(MOST_VOXELS) + 1, Code::BadValue, notes)?;
    Some((slices as u32, value.span))
}

/// Where a picture is: `at` in a `sheet`, or a `picture` of its own.
fn take_picture(keys: &mut Keys<'_>, span: &Range<usize>, notes: &mut Notes) -> PictureSpec {
    let named = |v: Value<'_>, notes: &mut Notes| Some((v.text(notes)?.to_owned(), v.span));
    let at = keys.take("at").and_then(|value| {
        let [column, row] = value.wholes(0..1 << 20, Code::BadValue, notes)?;
        Some(([column as u32, row as u32], value.span))
    });
    let sheet = keys.take("sheet").and_then(|v| named(v, notes));
    let file = keys.take("picture").and_then(|v| named(v, notes));
    PictureSpec { span: span.clone(), document: notes.document, at, sheet, file }
}

/// The values of a list, or a single one.
pub(super) fn each<'a>(value: Option<Value<'a>>, notes: &mut Notes) -> Vec<Value<'a>> {
    value.map(|value| value.array(notes)).unwrap_or_default()
}
