//! Sheets and loose pictures, cut into one picture a tile.

use super::cursor::{Notes, shorten};
use super::items::ItemSpec;
use super::load::Load;
use super::looks::{LookSpec, PictureSpec};
use super::model::Model;
use super::shapes::ShapeSpec;
use super::sheets::{Sheet, Sheets};
use crate::art::{Look, TileArt};
use crate::models::{MOST_VOXELS, Voxels};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Lattice;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// Cells that are named in one finding.
const NAMED: usize = 8;

/// What was cut from sheets and loose pictures.
pub(super) struct Cut {
    pub(super) art: TileArt,
    pub(super) voxels: Vec<VoxelLook>,
    /// The cells of sheets that something is cut from, by the path of the sheet.
    pub(super) used: BTreeSet<(String, [u32; 2])>,
}

/// Cuts the looks of all tiles, and those of shapes.
pub(super) fn cut_tiles(
    model: &Model,
    shapes: &[ShapeSpec],
    items: &[ItemSpec],
    sheets: &Sheets,
    lattice: Lattice,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Cut {
    let used = BTreeSet::new();
    let mut cutter = Cutter { sheets, load, solid: lattice.is_solid(), cell: None, used };
    let mut looks = Vec::new();
    let voxels = cutter.voxels(model, notes);
    let specs = model.looks.iter().chain(shapes.iter().flat_map(|shape| &shape.looks));
    let specs = specs.filter(|spec| spec.slices.is_none());
    let found: Vec<(&LookSpec, Picture, Range<usize>)> = specs
        .filter_map(|spec| {
            let (drawn, span) = cutter.find(&spec.drawn, spec, flat(spec), notes)?;
            Some((spec, drawn, span))
        })
        .collect();
    cutter.cell = usual_size(&found);
    let found = cutter.of_one_size(found, notes);
    for (spec, drawn, span) in found {
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
    for spec in model.looks.iter().chain(shapes.iter().flat_map(|shape| &shape.looks)) {
        if let Some((at, _)) = &spec.drawn.at {
            tile_art.set_place(&*spec.tile, *at);
        }
    }
    for shape in shapes {
        shape.compose(&mut tile_art);
    }
    audit_sheets(sheets, &cutter.used, notes);
    audit_pictures(model, &tile_art, notes);
    let named = cutter.used.into_iter();
    let used = named.map(|(name, x, y)| (sheets[&name].path.clone(), [x, y])).collect();
    Cut { art: tile_art, voxels, used }
}

/// Gives tiles of one colour a picture of it, where maps are flat.
pub(super) fn paint_tiles(model: &Model, tile_art: &mut TileArt) {
    /// Pixels of a cell where no picture tells.
    const PLAIN: [u32; 2] = [8, 8];
    if model.lattice().is_solid() || model.painted.is_empty() {
        return;
    }
    if tile_art.cell().contains(&0) {
        *tile_art = TileArt::new(PLAIN);
    }
    let [wide, high] = tile_art.cell();
    for (name, colour) in &model.painted {
        if let Ok(picture) = Picture::new(wide, high, *colour) {
            tile_art.add(&**name, picture);
        }
    }
}

/// Columns and rows that a picture covers.
fn flat(look: &LookSpec) -> [u32; 2] {
    [look.span[0], look.span[1]]
}

/// The size of a cell that most pictures have; of several the first.
fn usual_size(found: &[(&LookSpec, Picture, Range<usize>)]) -> Option<[u32; 2]> {
    let mut sizes: Vec<([u32; 2], usize)> = Vec::new();
    for (spec, drawn, _) in found {
        let size = [drawn.width() / spec.span[0], drawn.height() / spec.span[1]];
        match sizes.iter_mut().find(|(known, _)| *known == size) {
            Some((_, count)) => *count += 1,
            None => sizes.push((size, 1)),
        }
    }
    let most = sizes.iter().map(|&(_, count)| count).max()?;
    sizes.into_iter().find(|&(_, count)| count == most).map(|(size, _)| size)
}

/// Cells of a sheet: its name, column and row.
type SheetCell = (String, u32, u32);

/// Cells of sheets that hold something and are no tile.
fn audit_sheets(sheets: &Sheets, used: &BTreeSet<SheetCell>, notes: &mut Notes) {
    for (name, sheet) in sheets {
        let Some(([columns, rows], picture)) = sheet.count().zip(sheet.picture()) else {
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
        let name = shorten(name);
        let text = if count == 1 {
            format!("1 cell of the sheet `{name}` is not a tile")
        } else {
            format!("{count} cells of the sheet `{name}` are not tiles")
        };
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
    sheets: &'a Sheets,
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
            let [wide, deep] = flat(spec);
            let sideways = spec.quarter_turns && number % 2 == 0;
            let covered = if sideways { [deep, wide] } else { [wide, deep] };
            let cut = self.picture(picture, spec, covered, notes);
            pictures.extend(cut.map(|(picture, _)| picture));
        }
        pictures
    }

    /// The looks of an item; its pictures may have any size.
    fn looks_of<'s>(&mut self, item: &'s ItemSpec, notes: &mut Notes) -> Vec<(&'s ItemSpec, Look)> {
        let mut looks = Vec::new();
        for spec in &item.drawn {
            let Some((drawn, _)) = self.find(&spec.drawn, spec, flat(spec), notes) else {
                continue;
            };
            let mut look = Look::new(drawn);
            if spec.upright {
                look = look.upright();
            }
            let turned =
                spec.turned.iter().filter_map(|one| self.find(one, spec, flat(spec), notes));
            let turned: Vec<Picture> = turned.map(|(picture, _)| picture).collect();
            if !turned.is_empty() {
                look = look.turned(turned);
            }
            looks.push((item, look));
        }
        looks
    }

    /// Those pictures that have the size of the others; one finding for all from one sheet that do not.
    fn of_one_size<'s>(
        &self,
        found: Vec<(&'s LookSpec, Picture, Range<usize>)>,
        notes: &mut Notes,
    ) -> Vec<(&'s LookSpec, Picture, Range<usize>)> {
        let Some([wide, high]) = self.cell else { return found };
        type Odd<'s> = (&'s LookSpec, Option<&'s str>, [u32; 2], Range<usize>, usize);
        let mut odd: Vec<Odd<'s>> = Vec::new();
        let mut kept = Vec::new();
        for (spec, drawn, span) in found {
            let size = [drawn.width(), drawn.height()];
            if size == [wide * spec.span[0], high * spec.span[1]] {
                kept.push((spec, drawn, span));
                continue;
            }
            let sheet = spec
                .drawn
                .at
                .as_ref()
                .map(|_| spec.drawn.sheet.as_ref().map_or("", |(name, _)| name.as_str()));
            let same = |one: &&mut Odd<'s>| sheet.is_some() && one.1 == sheet && one.2 == size;
            match odd.iter_mut().find(same) {
                Some(known) => known.4 += 1,
                None => odd.push((spec, sheet, size, span, 1)),
            }
        }
        for (spec, _, size, span, count) in odd {
            let [wide, high] = [wide * spec.span[0], high * spec.span[1]];
            let more = match count {
                1 => String::new(),
                count => format!(" and {} more from its sheet", count - 1),
            };
            let verb = if count == 1 { "is" } else { "are" };
            let text = format!(
                "the picture of `{}`{more} {verb} {} x {} pixels, most others are {wide} x {high}",
                spec.tile, size[0], size[1],
            );
            let finding = Finding::new(Code::PictureSize, Subject::Tile(spec.tile.clone()), text);
            let help =
                "all tiles of a map have one size: paint it anew, or look at `cell` of its sheet";
            notes.add(finding.help(help), span);
        }
        kept
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
    /// The looks of tiles that are made of voxels.
    fn voxels(&mut self, model: &Model, notes: &mut Notes) -> Vec<VoxelLook> {
        let mut found = Vec::new();
        let mut numbers: BTreeMap<&str, u32> = BTreeMap::new();
        for spec in &model.looks {
            let number = numbers.entry(spec.tile.as_str()).or_default();
            *number += 1;
            let Some((slices, span)) = &spec.slices else { continue };
            let mut wrong = |text: String, help: &str| {
                let subject = Subject::Tile(spec.tile.clone());
                notes.add(Finding::new(Code::BadValue, subject, text).help(help), span.clone());
            };
            if !self.solid {
                wrong("slices of voxels are for `box` maps".to_owned(), "take out `slices`");
                continue;
            }
            if spec.span != [1; 3] {
                let help = "make it of several tiles, or give it a `model`";
                wrong("a tile of voxels covers one cell".to_owned(), help);
                continue;
            }
            let Some((picture, _)) = self.find(&spec.drawn, spec, [1, 1], notes) else { continue };
            let Some(voxels) = Voxels::from_slices(&picture, *slices) else {
                let (wide, high) = (picture.width(), picture.height());
                let text = format!(
                    "a picture of {wide} x {high} pixels is not {slices} slices side by side"
                );
                let subject = Subject::Tile(spec.tile.clone());
                let help = format!(
                    "slices are of one size, each at most {MOST_VOXELS} pixels wide and high"
                );
                notes.add(Finding::new(Code::PictureSize, subject, text).help(help), span.clone());
                continue;
            };
            found.push(VoxelLook { tile: spec.tile.clone(), look: *number - 1, voxels });
        }
        found
    }

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
            (None, None) if self.solid || look.model.is_some() || look.coloured => return None,
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

/// A look of a tile that is made of voxels.
pub(super) struct VoxelLook {
    pub(super) tile: String,
    pub(super) look: u32,
    pub(super) voxels: Voxels,
}

struct Place<'a> {
    sheets: &'a Sheets,
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

    fn sheet(
        &self,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<(&'_ String, &'_ Arc<Sheet>)> {
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
                    format!("{} `{}` needs `sheet`: the quilt has several", self.kind, self.tile);
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
        let (picture, cell) = (sheet.picture()?, sheet.cell?);
        let cut = sheet.cut(picture, [column, row]);
        if cut.is_none() {
            let [columns, rows] = sheet.count()?;
            let text = format!("cell [{column}, {row}] lies outside `{}`", sheet.file());
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
