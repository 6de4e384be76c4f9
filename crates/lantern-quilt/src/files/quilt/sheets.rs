//! `[sheets]`: pictures that tiles are cut from, and how they are laid out.

use super::cursor::{Keys, Notes, Value, is_misplaced};
use super::load::Load;
use super::model::twice;
use crate::picture::Picture;
use lantern_quilt_core::finding::Code;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// A sheet as read; `picture` is missing when it could not be.
#[derive(Debug)]
pub(super) struct Sheet {
    file: String,
    /// The file beside the quilt.
    pub(super) path: String,
    picture: Option<Picture>,
    pub(super) cell: Option<[u32; 2]>,
    /// From west to east, and from north to south.
    margin: [u32; 2],
    spacing: [u32; 2],
    /// Which of the quilt's files names it.
    pub(super) document: usize,
    pub(super) span: Range<usize>,
}

/// The sheets of a quilt by their names. Sets of shapes keep theirs, to be painted into.
pub(super) type Sheets = BTreeMap<String, Arc<Sheet>>;

impl Sheet {
    pub(super) fn picture(&self) -> Option<&Picture> {
        self.picture.as_ref()
    }

    pub(super) fn file(&self) -> &str {
        &self.file
    }

    /// Columns and rows of whole cells.
    pub(super) fn count(&self) -> Option<[u32; 2]> {
        let (picture, cell) = (self.picture.as_ref()?, self.cell?);
        let count = |length: u32, axis: usize| {
            let room = (length + self.spacing[axis]).saturating_sub(self.margin[axis]);
            room / (cell[axis] + self.spacing[axis])
        };
        Some([count(picture.width(), 0), count(picture.height(), 1)])
    }

    /// A cell of the sheet, or of another picture that is laid out alike.
    pub(super) fn cut(&self, picture: &Picture, [column, row]: [u32; 2]) -> Option<Picture> {
        let cell = self.cell?;
        let [x, y] = self.corner([column, row])?;
        picture.cut(x, y, cell[0], cell[1])
    }

    /// The first pixel of a cell, also of one beyond the picture.
    pub(super) fn corner(&self, at: [u32; 2]) -> Option<[u32; 2]> {
        let cell = self.cell?;
        let start = |axis: usize| {
            let pitch = u64::from(cell[axis]) + u64::from(self.spacing[axis]);
            u32::try_from(u64::from(self.margin[axis]) + u64::from(at[axis]) * pitch).ok()
        };
        Some([start(0)?, start(1)?])
    }
}

pub(super) fn read_sheets(
    documents: &mut [Keys<'_>],
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Sheets {
    let mut sheets = BTreeMap::new();
    for (document, top) in documents.iter_mut().enumerate() {
        notes.document = document;
        let Some(keys) = top.take("sheets").and_then(|value| value.table(notes)) else { continue };
        for (name, span, value) in keys.entries() {
            if is_misplaced("sheets", (name, &span, &value), &["file", "cell"], notes) {
                continue;
            }
            let Some(keys) = value.table(notes) else { continue };
            if sheets.contains_key(name) {
                twice("sheet", name, value.subject(), span, notes);
                continue;
            }
            sheets.insert(name.to_owned(), Arc::new(read_sheet(keys, span, load, notes)));
        }
    }
    sheets
}

fn read_sheet(
    mut keys: Keys<'_>,
    span: Range<usize>,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Sheet {
    let file = keys.need("file", "the picture file of the sheet, relative to the quilt", notes);
    let file = file.and_then(|v| Some((v.text(notes)?, v.span)));
    let cell = keys.need("cell", "width and height of a cell in pixels: `cell = [16, 16]`", notes);
    let cell = cell
        .and_then(|v| v.wholes(1..4097, Code::BadValue, notes))
        .map(|[w, h]| [w as u32, h as u32]);
    let mut pixels = |value: Option<Value<'_>>| -> [u32; 2] {
        let range = 0..65_536;
        let both = value.and_then(|value| {
            if value.is_array() {
                return value.wholes(range, Code::BadValue, notes);
            }
            Some([value.whole(range, Code::BadValue, notes)?; 2])
        });
        both.unwrap_or_default().map(|pixels: i64| pixels as u32)
    };
    let margin = pixels(keys.take("margin"));
    let spacing = pixels(keys.take("spacing"));
    keys.finish(notes);
    let document = notes.document;
    let picture = file.as_ref().and_then(|(file, span)| load.picture(file, document, span, notes));
    let file = file.map_or_else(String::new, |(file, _)| file.to_owned());
    let path = load.path(&file, document);
    Sheet { file, path, picture, cell, margin, spacing, document, span }
}
