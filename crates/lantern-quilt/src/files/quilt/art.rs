//! Sheets and loose pictures, cut into one picture a tile.

use super::cursor::{Notes, Value};
use super::model::Model;
use crate::art::TileArt;
use crate::files::folder::{Art, ReadError};
use crate::picture::Picture;
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use lantern_quilt_core::lattice::Lattice;
use std::collections::BTreeMap;
use std::ops::Range;
use xxhash_rust::xxh3::Xxh3;

/// A sheet as read; `picture` is missing when it could not be.
#[derive(Debug)]
pub(super) struct Sheet {
    file: String,
    picture: Option<Picture>,
    cell: Option<[u32; 2]>,
    margin: u32,
    spacing: u32,
}

pub(super) fn read_sheets(
    value: Option<Value<'_>>,
    art: &dyn Art,
    notes: &mut Notes,
    hash: &mut Xxh3,
) -> BTreeMap<String, Sheet> {
    let mut sheets = BTreeMap::new();
    let Some(keys) = value.and_then(|value| value.table(notes)) else { return sheets };
    for (name, _, value) in keys.entries() {
        let Some(mut keys) = value.table(notes) else { continue };
        let file = keys.need("file", "the picture file of the sheet, relative to the quilt", notes);
        let file = file.and_then(|v| Some((v.text(notes)?, v.span)));
        let cell =
            keys.need("cell", "width and height of a cell in pixels: `cell = [16, 16]`", notes);
        let cell = cell
            .and_then(|v| v.wholes(1..4097, Code::BadValue, notes))
            .map(|[w, h]| [w as u32, h as u32]);
        let mut pixels = |value: Option<Value<'_>>| {
            value.and_then(|v| v.whole(0..65_536, Code::BadValue, notes)).unwrap_or(0) as u32
        };
        let margin = pixels(keys.take("margin"));
        let spacing = pixels(keys.take("spacing"));
        keys.finish(notes);
        let picture = file.as_ref().and_then(|(file, span)| load(file, span, art, notes, hash));
        let file = file.map_or_else(String::new, |(file, _)| file.to_owned());
        sheets.insert(name.to_owned(), Sheet { file, picture, cell, margin, spacing });
    }
    sheets
}

/// Reads a picture, or says why not.
pub(super) fn load(
    file: &str,
    span: &Range<usize>,
    art: &dyn Art,
    notes: &mut Notes,
    hash: &mut Xxh3,
) -> Option<Picture> {
    let subject = || Subject::Field(file.to_owned());
    let data = match art.read(file) {
        Ok(data) => data,
        Err(error) => {
            let code = match error {
                ReadError::Outside { .. } => Code::PathOutside,
                ReadError::Missing { .. } => Code::MissingArt,
                _ => Code::BadPicture,
            };
            let mut finding = Finding::new(code, subject(), format!("picture `{file}`: {error}"));
            if code == Code::PathOutside {
                finding = finding
                    .help("put the picture beside the quilt, or name a wider folder with --root");
            } else if code == Code::MissingArt {
                let near = art.near(file);
                finding.nearest =
                    nearest(file, near.iter().map(String::as_str)).map(|n| format!("\"{n}\""));
                finding = finding.help("paths are relative to the quilt");
            }
            notes.add(finding, span.clone());
            return None;
        }
    };
    hash.update(&data);
    notes.pictures.push(file.to_owned());
    match Picture::from_png(&data) {
        Ok(picture) => Some(picture),
        Err(error) => {
            let finding =
                Finding::new(Code::BadPicture, subject(), format!("picture `{file}`: {error}"));
            notes.add(finding.help("save it again as PNG"), span.clone());
            None
        }
    }
}

pub(super) fn cut_tiles(
    model: &Model,
    sheets: &BTreeMap<String, Sheet>,
    lattice: Lattice,
    art: &dyn Art,
    notes: &mut Notes,
    hash: &mut Xxh3,
) -> TileArt {
    let mut cell: Option<[u32; 2]> = None;
    let mut tiles = Vec::new();
    for spec in &model.pictures {
        let place = Place { sheets, tile: &spec.tile, span: &spec.span };
        let picture = match (&spec.file, &spec.at) {
            (Some((file, span)), None) => {
                load(file, span, art, notes, hash).map(|p| (p, span.clone()))
            }
            (None, Some((at, span))) => {
                place.cut(spec.sheet.as_ref(), *at, span, notes).map(|p| (p, span.clone()))
            }
            (Some((_, span)), Some(_)) => {
                let text = format!("tile `{}` has both `at` and `picture`", spec.tile);
                notes.add(
                    Finding::new(Code::BadValue, Subject::Tile(spec.tile.clone()), text)
                        .help("keep the one that is meant"),
                    span.clone(),
                );
                None
            }
            (None, None) if lattice.is_solid() => None,
            (None, None) => {
                let text = format!("tile `{}` has no picture", spec.tile);
                notes.add(
                    Finding::new(Code::MissingKey, Subject::Tile(spec.tile.clone()), text)
                        .help("add `at = [column, row]` in its sheet, or `picture = \"file.png\"`"),
                    spec.span.clone(),
                );
                None
            }
        };
        let Some((picture, span)) = picture else { continue };
        let size = [picture.width(), picture.height()];
        let wanted = *cell.get_or_insert(size);
        if size != wanted {
            let text = format!(
                "the picture of `{}` is {} x {} pixels, others are {} x {}",
                spec.tile, size[0], size[1], wanted[0], wanted[1]
            );
            let finding = Finding::new(Code::PictureSize, Subject::Tile(spec.tile.clone()), text);
            notes.add(finding.help("all tiles of a map have one size"), span);
            continue;
        }
        if spec.quarter_turns && size[0] != size[1] {
            let text = format!(
                "`{}` takes quarter turns, but a cell is {} x {} pixels",
                spec.tile, size[0], size[1]
            );
            let finding = Finding::new(Code::BadTurns, Subject::Tile(spec.tile.clone()), text);
            notes.add(
                finding.help("cells of unequal width and height allow 1 or 2 turns"),
                spec.turns_span.clone(),
            );
        }
        tiles.push((spec.tile.clone(), picture));
    }
    let mut tile_art = TileArt::new(cell.unwrap_or_default());
    for (tile, picture) in tiles {
        tile_art.add(tile, picture);
    }
    tile_art
}

struct Place<'a> {
    sheets: &'a BTreeMap<String, Sheet>,
    tile: &'a str,
    span: &'a Range<usize>,
}

impl Place<'_> {
    fn cut(
        &self,
        named: Option<&(String, Range<usize>)>,
        [column, row]: [u32; 2],
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        let subject = || Subject::Tile(self.tile.to_owned());
        let names = || self.sheets.keys().map(String::as_str);
        let sheet = match named {
            Some((name, span)) => {
                let sheet = self.sheets.get(name);
                if sheet.is_none() {
                    let mut finding = Finding::new(
                        Code::UnknownName,
                        subject(),
                        format!("no sheet is named `{name}`"),
                    )
                    .among(name, names());
                    finding.nearest = finding.nearest.map(|name| format!("\"{name}\""));
                    notes.add(finding, span.clone());
                }
                sheet?
            }
            None if self.sheets.len() == 1 => self.sheets.values().next()?,
            None if self.sheets.is_empty() => {
                let text = format!("tile `{}` lies in a sheet, but there is none", self.tile);
                let finding = Finding::new(Code::MissingKey, subject(), text);
                notes.add(finding.help("add `[sheets.NAME]` with `file` and `cell`"), span.clone());
                return None;
            }
            None => {
                let text = format!("tile `{}` does not say which sheet it lies in", self.tile);
                let list: Vec<_> = names().map(|name| format!("\"{name}\"")).collect();
                let finding = Finding::new(Code::MissingKey, subject(), text);
                notes.add(
                    finding.help(format!("add `sheet = ` one of {}", list.join(", "))),
                    self.span.clone(),
                );
                return None;
            }
        };
        let (picture, cell) = (sheet.picture.as_ref()?, sheet.cell?);
        let start = |index: u32, axis: usize| {
            u64::from(sheet.margin)
                + u64::from(index) * (u64::from(cell[axis]) + u64::from(sheet.spacing))
        };
        let (x, y) = (start(column, 0), start(row, 1));
        let cut = u32::try_from(x).ok().zip(u32::try_from(y).ok());
        let cut = cut.and_then(|(x, y)| picture.cut(x, y, cell[0], cell[1]));
        if cut.is_none() {
            let count = |length: u32, axis: usize| {
                let room = (length + sheet.spacing).saturating_sub(sheet.margin);
                room / (cell[axis] + sheet.spacing)
            };
            let (columns, rows) = (count(picture.width(), 0), count(picture.height(), 1));
            let text = format!("cell [{column}, {row}] lies outside `{}`", sheet.file);
            let help = if columns == 0 || rows == 0 {
                format!("the sheet is smaller than one cell of {} x {} pixels", cell[0], cell[1])
            } else {
                format!(
                    "the sheet has {columns} columns (0 to {}) and {rows} rows (0 to {})",
                    columns - 1,
                    rows - 1
                )
            };
            notes.add(
                Finding::new(Code::CellOutsideSheet, subject(), text).help(help),
                span.clone(),
            );
        }
        cut
    }
}
