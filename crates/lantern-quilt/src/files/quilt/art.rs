//! Sheets and loose pictures, cut into one picture a tile.

use super::cursor::{Keys, Notes, Value, shorten};
use super::items::ItemSpec;
use super::model::{Model, twice};
use super::shapes::ShapeSpec;
use super::tile::{LookSpec, PictureSpec};
use crate::art::{Look, TileArt};
use crate::files::folder::{Art, ReadError};
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use lantern_quilt_core::lattice::Lattice;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use xxhash_rust::xxh3::Xxh3;

/// Cells that are named in one finding.
const NAMED: usize = 8;

/// How files are read.
pub(super) struct Load<'a> {
    pub(super) art: &'a dyn Art,
    /// The folder of each of the quilt's files.
    pub(super) folders: Vec<&'a str>,
    pub(super) hash: &'a mut Xxh3,
    /// Pixels that all pictures may have, and how many of them are left.
    pub(super) most_pixels: u64,
    pub(super) pixels_left: u64,
}

/// A sheet as read; `picture` is missing when it could not be.
#[derive(Debug)]
pub(super) struct Sheet {
    file: String,
    picture: Option<Picture>,
    cell: Option<[u32; 2]>,
    margin: u32,
    spacing: u32,
    /// Which of the quilt's files names it.
    document: usize,
    span: Range<usize>,
}

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
            let room = (length + self.spacing).saturating_sub(self.margin);
            room / (cell[axis] + self.spacing)
        };
        Some([count(picture.width(), 0), count(picture.height(), 1)])
    }

    /// A cell of the sheet, or of another picture that is laid out alike.
    pub(super) fn cut(&self, picture: &Picture, [column, row]: [u32; 2]) -> Option<Picture> {
        let cell = self.cell?;
        let start = |index: u32, axis: usize| {
            u64::from(self.margin)
                + u64::from(index) * (u64::from(cell[axis]) + u64::from(self.spacing))
        };
        let (x, y) = (start(column, 0), start(row, 1));
        let (x, y) = u32::try_from(x).ok().zip(u32::try_from(y).ok())?;
        picture.cut(x, y, cell[0], cell[1])
    }
}

pub(super) fn read_sheets(
    documents: &mut [Keys<'_>],
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> BTreeMap<String, Sheet> {
    let mut sheets = BTreeMap::new();
    for (document, top) in documents.iter_mut().enumerate() {
        notes.document = document;
        let Some(keys) = top.take("sheets").and_then(|value| value.table(notes)) else { continue };
        for (name, span, value) in keys.entries() {
            let Some(keys) = value.table(notes) else { continue };
            if sheets.contains_key(name) {
                twice("sheet", name, value.subject(), span, notes);
                continue;
            }
            sheets.insert(name.to_owned(), read_sheet(keys, span, load, notes));
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
    let mut pixels = |value: Option<Value<'_>>| {
        value.and_then(|v| v.whole(0..65_536, Code::BadValue, notes)).unwrap_or(0) as u32
    };
    let margin = pixels(keys.take("margin"));
    let spacing = pixels(keys.take("spacing"));
    keys.finish(notes);
    let document = notes.document;
    let picture = file.as_ref().and_then(|(file, span)| load.picture(file, document, span, notes));
    let file = file.map_or_else(String::new, |(file, _)| file.to_owned());
    Sheet { file, picture, cell, margin, spacing, document, span }
}

impl Load<'_> {
    /// The path of a file that one of the quilt's files names.
    pub(super) fn path(&self, file: &str, document: usize) -> String {
        format!("{}{file}", self.folders[document])
    }

    /// Reads a picture that the quilt itself names, or says why not.
    pub(super) fn own_picture(
        &mut self,
        file: &str,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        self.picture(file, self.folders.len() - 1, span, notes)
    }

    /// Reads any file that the quilt itself names, or says why not.
    pub(super) fn own_file(
        &mut self,
        file: &str,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Vec<u8>> {
        let path = self.path(file, self.folders.len() - 1);
        match self.art.read(&path) {
            Ok(data) => {
                self.hash.update(&data);
                notes.pictures.push(path);
                Some(data)
            }
            Err(error) => {
                let code = match error {
                    ReadError::Outside { .. } => Code::PathOutside,
                    _ => Code::UnreadableFile,
                };
                let near = self.art.near(&path);
                let text = format!("`{file}`: {error}");
                let mut finding = Finding::new(code, Subject::Field(path), text);
                finding.nearest =
                    nearest(file, near.iter().map(String::as_str)).map(|n| format!("\"{n}\""));
                notes.add(finding.help("paths are relative to the quilt"), span.clone());
                None
            }
        }
    }

    /// Reads a picture that one of the quilt's files names, or says why not.
    pub(super) fn picture(
        &mut self,
        file: &str,
        document: usize,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        let path = self.path(file, document);
        let subject = || Subject::Field(path.clone());
        let data = match self.art.read(&path) {
            Ok(data) => data,
            Err(error) => {
                let code = match error {
                    ReadError::Outside { .. } => Code::PathOutside,
                    ReadError::Missing { .. } => Code::MissingArt,
                    _ => Code::BadPicture,
                };
                let text = format!("picture `{file}`: {error}");
                let mut finding = Finding::new(code, subject(), text);
                if code == Code::PathOutside {
                    finding = finding.help(
                        "put the picture beside the quilt, or name a wider folder with --root",
                    );
                } else if code == Code::MissingArt {
                    let near = self.art.near(&path);
                    finding.nearest =
                        nearest(file, near.iter().map(String::as_str)).map(|n| format!("\"{n}\""));
                    finding = finding.help("paths are relative to the quilt");
                }
                notes.add(finding, span.clone());
                return None;
            }
        };
        self.hash.update(&data);
        notes.pictures.push(path.clone());
        match Picture::from_png_within(&data, self.pixels_left) {
            Ok(picture) => {
                self.pixels_left -= picture.pixels().len() as u64;
                Some(picture)
            }
            Err(error @ PictureError::TooLarge { .. }) => {
                let text = format!("picture `{file}`: {error}");
                let finding = Finding::new(Code::BadPicture, subject(), text);
                let help = format!(
                    "make it smaller; all pictures of the quilt together may have {} pixels \
                     (`--limit-pixels`)",
                    self.most_pixels
                );
                notes.add(finding.help(help), span.clone());
                None
            }
            Err(error) => {
                let text = format!("picture `{file}`: {error}");
                let finding = Finding::new(Code::BadPicture, subject(), text);
                notes.add(finding.help("save it again as PNG"), span.clone());
                None
            }
        }
    }
}

/// Cuts the looks of all tiles, and those of shapes.
pub(super) fn cut_tiles(
    model: &Model,
    shapes: &[ShapeSpec],
    items: &[ItemSpec],
    sheets: &BTreeMap<String, Sheet>,
    lattice: Lattice,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> TileArt {
    let used = BTreeSet::new();
    let mut cutter = Cutter { sheets, load, solid: lattice.is_solid(), cell: None, used };
    let mut looks = Vec::new();
    for spec in model.looks.iter().chain(shapes.iter().flat_map(|shape| &shape.looks)) {
        let Some((drawn, span)) = cutter.picture(&spec.drawn, spec, spec.span, notes) else {
            continue;
        };
        if spec.quarter_turns && cutter.cell.is_some_and(|[wide, high]| wide != high) {
            let [wide, high] = cutter.cell.unwrap_or_default();
            let text = format!(
                "`{}` takes quarter turns, but a cell is {wide} x {high} pixels",
                spec.tile
            );
            let finding = Finding::new(Code::BadTurns, Subject::Tile(spec.tile.clone()), text);
            notes.add(
                finding.help("cells of unequal width and height allow 1 or 2 turns"),
                spec.turns_span.clone(),
            );
        }
        let mut look = Look::new(drawn);
        if spec.upright && !spec.turned.is_empty() {
            let text = format!("`{}` stays upright and has pictures of its turns", spec.tile);
            let finding = Finding::new(Code::BadValue, Subject::Tile(spec.tile.clone()), text);
            notes.add(finding.help("keep the one that is meant"), span.clone());
        } else if spec.upright {
            look = look.upright();
        }
        if !spec.turned.is_empty() {
            look = look.turned(cutter.turned(spec, &span, notes));
        }
        looks.push((spec.tile.clone(), look));
    }
    let found: Vec<(&ItemSpec, Look)> =
        items.iter().flat_map(|item| cutter.looks_of(item, notes)).collect();
    // Where no tile tells the size of a cell, the first sheet does.
    let first = || sheets.values().filter(|_| !found.is_empty()).find_map(|sheet| sheet.cell);
    let mut tile_art = TileArt::new(cutter.cell.or_else(first).unwrap_or_default());
    for (item, look) in found {
        tile_art.add_item(&*item.name, look, item.anchor);
    }
    for (tile, look) in looks {
        tile_art.add_look(tile, look);
    }
    for shape in shapes {
        shape.compose(&mut tile_art);
    }
    audit_sheets(sheets, &cutter.used, notes);
    audit_pictures(model, &tile_art, notes);
    tile_art
}

/// Cells of a sheet: its name, column and row.
type SheetCell = (String, u32, u32);

/// Cells of sheets that hold something and are no tile.
fn audit_sheets(sheets: &BTreeMap<String, Sheet>, used: &BTreeSet<SheetCell>, notes: &mut Notes) {
    for (name, sheet) in sheets {
        let Some(([columns, rows], picture)) = sheet.count().zip(sheet.picture.as_ref()) else {
            continue;
        };
        let mut unused = Vec::new();
        for (row, column) in (0..rows).flat_map(|row| (0..columns).map(move |column| (row, column)))
        {
            if used.contains(&(name.clone(), column, row)) {
                continue;
            }
            let cut = sheet.cut(picture, [column, row]);
            if cut.is_some_and(|cut| cut.pixels().iter().any(|pixel| pixel[3] > 0)) {
                unused.push(format!("[{column}, {row}]"));
            }
        }
        if unused.is_empty() {
            continue;
        }
        let count = unused.len();
        let [cells, are] = if count == 1 { ["cell", "is"] } else { ["cells", "are"] };
        let text = format!("{count} {cells} of the sheet `{}` {are} no tile", shorten(name));
        let more = if count > NAMED { ", ..." } else { "" };
        unused.truncate(NAMED);
        let help = format!("name them, or leave them: {}{more}", unused.join(", "));
        let subject = Subject::Field(format!("sheets.{name}"));
        let finding = Finding::new(Code::UnusedArt, subject, text).help(help);
        notes.add_later(finding, sheet.span.clone());
    }
}

/// Tiles whose picture is empty, or that of another.
fn audit_pictures(model: &Model, art: &TileArt, notes: &mut Notes) {
    let mut known: BTreeMap<&[Rgba], &str> = BTreeMap::new();
    for spec in &model.looks {
        let Some(drawn) = art.tile(&spec.tile) else { continue };
        let name = spec.tile.as_str();
        let mut add = |code, text: String, help: &str| {
            let finding = Finding::new(code, Subject::Tile(name.to_owned()), text);
            notes.add_later(finding.help(help), spec.drawn.span.clone());
        };
        if drawn.pixels().iter().all(|pixel| pixel[3] == 0) {
            let help = "look at `at` and at the sheet, or accept it if nothing is to be seen";
            add(Code::EmptyArt, format!("the picture of `{}` is empty", shorten(name)), help);
            continue;
        }
        let first = *known.entry(drawn.pixels()).or_insert(name);
        if first != name && Some(drawn) == art.look(name, 0).map(Look::drawn) {
            let text = format!("`{}` looks just as `{}` does", shorten(name), shorten(first));
            add(Code::SameArt, text, "look at `at` of both; or make them one tile with `looks`");
        }
    }
}

struct Cutter<'a, 'l> {
    sheets: &'a BTreeMap<String, Sheet>,
    load: &'a mut Load<'l>,
    solid: bool,
    /// The size of a cell, once a picture has told it.
    cell: Option<[u32; 2]>,
    /// Cells of sheets that are some tile.
    used: BTreeSet<SheetCell>,
}

impl Cutter<'_, '_> {
    /// Pictures of the turns after the first.
    fn turned(&mut self, spec: &LookSpec, span: &Range<usize>, notes: &mut Notes) -> Vec<Picture> {
        let wanted = usize::from(spec.turns.saturating_sub(1));
        if spec.turned.len() != wanted {
            let text = format!(
                "`{}` takes {} turns and has pictures of {} besides the first",
                spec.tile,
                spec.turns,
                spec.turned.len()
            );
            let finding = Finding::new(Code::BadTurns, Subject::Tile(spec.tile.clone()), text);
            notes.add(
                finding.help(format!("give {wanted}, in the order of the turns")),
                span.clone(),
            );
        }
        let mut pictures = Vec::new();
        for (number, picture) in spec.turned.iter().enumerate() {
            // A quarter turn exchanges columns and rows.
            let [wide, deep] = spec.span;
            let sideways = spec.quarter_turns && number % 2 == 0;
            let covered = if sideways { [deep, wide] } else { spec.span };
            let cut = self.picture(picture, spec, covered, notes);
            pictures.extend(cut.map(|(picture, _)| picture));
        }
        pictures
    }

    /// The looks of an item; its pictures may have any size.
    fn looks_of<'s>(&mut self, item: &'s ItemSpec, notes: &mut Notes) -> Vec<(&'s ItemSpec, Look)> {
        let mut looks = Vec::new();
        for spec in &item.drawn {
            let Some((drawn, _)) = self.find(&spec.drawn, spec, spec.span, notes) else { continue };
            let mut look = Look::new(drawn);
            if spec.upright {
                look = look.upright();
            }
            let turned =
                spec.turned.iter().filter_map(|one| self.find(one, spec, spec.span, notes));
            let turned: Vec<Picture> = turned.map(|(picture, _)| picture).collect();
            if !turned.is_empty() {
                look = look.turned(turned);
            }
            looks.push((item, look));
        }
        looks
    }

    /// One picture of a tile that covers so many columns and rows, and where it was named. Those of all
    /// tiles have one size.
    fn picture(
        &mut self,
        spec: &PictureSpec,
        look: &LookSpec,
        covered: [u32; 2],
        notes: &mut Notes,
    ) -> Option<(Picture, Range<usize>)> {
        let tile = &look.tile;
        let (picture, span) = self.find(spec, look, covered, notes)?;
        let size = [picture.width(), picture.height()];
        let whole = (0..2).all(|axis| size[axis].is_multiple_of(covered[axis]));
        let own = [size[0] / covered[0], size[1] / covered[1]];
        let wanted = *self.cell.get_or_insert(own);
        if own != wanted || !whole {
            let [wide, high] = [wanted[0] * covered[0], wanted[1] * covered[1]];
            let text = format!(
                "the picture of `{tile}` is {} x {} pixels, others are {wide} x {high}",
                size[0], size[1],
            );
            let finding = Finding::new(Code::PictureSize, Subject::Tile(tile.clone()), text);
            notes.add(finding.help("all tiles of a map have one size"), span);
            return None;
        }
        Some((picture, span))
    }

    /// A picture, wherever it is, and where it was named.
    fn find(
        &mut self,
        spec: &PictureSpec,
        look: &LookSpec,
        covered: [u32; 2],
        notes: &mut Notes,
    ) -> Option<(Picture, Range<usize>)> {
        let (kind, tile) = (look.kind, &look.tile);
        let subject = || Subject::Tile(tile.clone());
        let place = Place { sheets: self.sheets, kind, tile, spec };
        let found = match (&spec.file, &spec.at) {
            (Some((file, span)), None) => {
                (self.load.picture(file, spec.document, span, notes)?, span.clone())
            }
            (None, Some((at, span))) => {
                let (name, sheet) = place.sheet(span, notes)?;
                for (x, y) in (0..covered[1]).flat_map(|y| (0..covered[0]).map(move |x| (x, y))) {
                    self.used.insert((name.clone(), at[0] + x, at[1] + y));
                }
                (place.cut_all(sheet, *at, covered, span, notes)?, span.clone())
            }
            (Some((_, span)), Some(_)) => {
                let text = format!("{kind} `{tile}` has both `at` and `picture`");
                let finding = Finding::new(Code::BadValue, subject(), text);
                notes.add(finding.help("keep the one that is meant"), span.clone());
                return None;
            }
            (None, None) if self.solid => return None,
            (None, None) => {
                let text = format!("{kind} `{tile}` has no picture");
                let finding = Finding::new(Code::MissingKey, subject(), text);
                let help = "add `at = [column, row]` in its sheet, or `picture = \"file.png\"`";
                notes.add(finding.help(help), spec.span.clone());
                return None;
            }
        };
        Some(found)
    }
}

struct Place<'a> {
    sheets: &'a BTreeMap<String, Sheet>,
    kind: &'a str,
    tile: &'a str,
    spec: &'a PictureSpec,
}

impl Place<'_> {
    /// The cells from one on, side by side; spacing between them is left out.
    fn cut_all(
        &self,
        sheet: &Sheet,
        [column, row]: [u32; 2],
        [wide, deep]: [u32; 2],
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        if [wide, deep] == [1, 1] {
            return self.cut(sheet, [column, row], span, notes);
        }
        let [w, h] = sheet.cell?;
        let mut all = Picture::new(w.checked_mul(wide)?, h.checked_mul(deep)?, [0; 4]).ok()?;
        for (x, y) in (0..deep).flat_map(|y| (0..wide).map(move |x| (x, y))) {
            let one = self.cut(sheet, [column + x, row + y], span, notes)?;
            all.lay(&one, i64::from(x * w), i64::from(y * h));
        }
        Some(all)
    }

    fn sheet(&self, span: &Range<usize>, notes: &mut Notes) -> Option<(&'_ String, &'_ Sheet)> {
        let subject = || Subject::Tile(self.tile.to_owned());
        let names = || self.sheets.keys().map(String::as_str);
        // The sheet of a tile's own file comes first.
        let own = || {
            let mut own = self.sheets.iter().filter(|(_, s)| s.document == self.spec.document);
            own.next().filter(|_| own.next().is_none())
        };
        match &self.spec.sheet {
            Some((name, span)) => {
                let sheet = self.sheets.get_key_value(name);
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
                sheet
            }
            None if self.sheets.len() == 1 => self.sheets.iter().next(),
            None if own().is_some() => own(),
            None if self.sheets.is_empty() => {
                let text =
                    format!("{} `{}` lies in a sheet, but there is none", self.kind, self.tile);
                let finding = Finding::new(Code::MissingKey, subject(), text);
                notes.add(finding.help("add `[sheets.NAME]` with `file` and `cell`"), span.clone());
                None
            }
            None => {
                let text =
                    format!("{} `{}` does not say which sheet it lies in", self.kind, self.tile);
                let list: Vec<_> = names().map(|name| format!("\"{name}\"")).collect();
                let finding = Finding::new(Code::MissingKey, subject(), text);
                notes.add(
                    finding.help(format!("add `sheet = ` one of {}", list.join(", "))),
                    self.spec.span.clone(),
                );
                None
            }
        }
    }

    fn cut(
        &self,
        sheet: &Sheet,
        [column, row]: [u32; 2],
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        let subject = || Subject::Tile(self.tile.to_owned());
        let (picture, cell) = (sheet.picture.as_ref()?, sheet.cell?);
        let cut = sheet.cut(picture, [column, row]);
        if cut.is_none() {
            let [columns, rows] = sheet.count()?;
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
