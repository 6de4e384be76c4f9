//! Placeholders for shapes that are missing or blank, at their place in copies of the sheets.

use super::around::written;
use super::checked::Quilt;
use super::shapes::{ShapeSpec, Way, joins_of};
use super::sheets::Sheet;
use crate::draw::{coloured_slots, placeholder_blend, placeholder_shape};
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::autotile::{
    Coverage, Drawing, Scheme, ShapeBasis, ShapeSet, WantedShape, wanted_shapes,
};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::tileset::Mirror;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::io;

/// Lines for lists of tiles: where each placeholder lies, and its neighbourhood.
pub const SHAPES: &str = "shapes.toml";

/// Placeholders that one list gets, at most.
const MOST: usize = 256;

/// Copies of sheets with placeholders for shapes that are missing.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct ShapeFiles {
    /// The copies, and [`SHAPES`] where lists of tiles need more lines: the path of each beside the quilt, and its bytes.
    pub files: Vec<(String, Vec<u8>)>,
    /// How many placeholders were painted.
    pub placeholders: usize,
    /// What needs the lines of [`SHAPES`]: `shapes.moss`, `arrangements.rows`.
    pub lists: Vec<String>,
    /// Sets whose missing shapes are left out, and why.
    pub left: Vec<(String, String)>,
}

/// What is being painted.
#[derive(Default)]
struct Canvas {
    pictures: BTreeMap<String, Picture>,
    /// Cells of sheets, by their file, that some shape has.
    taken: BTreeSet<(String, [u32; 2])>,
    changed: BTreeSet<String>,
    painted: usize,
}

impl Canvas {
    /// A sheet as far as it is painted.
    fn of<'a>(&'a self, sheet: &'a Sheet) -> Option<&'a Picture> {
        self.pictures.get(&sheet.path).or(sheet.picture())
    }

    fn is_blank(&self, sheet: &Sheet, at: [u32; 2]) -> bool {
        let Some(picture) = self.of(sheet) else { return false };
        // Beyond the last row there is room as well.
        sheet.cut(picture, at).is_none_or(|cell| cell.pixels().iter().all(|pixel| pixel[3] == 0))
    }

    fn is_free(&self, sheet: &Sheet, at: [u32; 2]) -> bool {
        !self.taken.contains(&(sheet.path.clone(), at)) && self.is_blank(sheet, at)
    }

    /// Lays a cell into a picture that is laid out as a sheet, and makes it longer where it must be.
    fn lay(
        &mut self,
        (sheet, path): (&Sheet, &str),
        original: &Picture,
        at: [u32; 2],
        cell: &Picture,
    ) -> Result<(), PictureError> {
        let Some([x, y]) = sheet.corner(at) else { return Ok(()) };
        let mut picture = self.pictures.remove(path).unwrap_or_else(|| original.clone());
        let (wide, high) = (x + cell.width(), y + cell.height());
        if wide > picture.width() || high > picture.height() {
            let (wide, high) = (wide.max(picture.width()), high.max(picture.height()));
            let mut longer = Picture::new(wide, high, [0; 4])?;
            longer.lay(&picture, 0, 0);
            picture = longer;
        }
        picture.lay(cell, i64::from(x), i64::from(y));
        self.pictures.insert(path.to_owned(), picture);
        self.changed.insert(path.to_owned());
        Ok(())
    }

    /// A guide is as large as its sheet.
    fn match_guide(&mut self, spec: &ShapeSpec) -> Result<(), PictureError> {
        let (Way::Guide(path, guide), Some(sheet)) = (&spec.drawn.way, &spec.drawn.sheet) else {
            return Ok(());
        };
        let Some(painted) = self.pictures.get(&sheet.path) else { return Ok(()) };
        let size = [painted.width(), painted.height()];
        let known = self.pictures.get(path).unwrap_or(guide);
        if [known.width(), known.height()] != size {
            let mut larger = Picture::new(size[0], size[1], [0; 4])?;
            larger.lay(known, 0, 0);
            self.pictures.insert(path.clone(), larger);
            self.changed.insert(path.clone());
        }
        Ok(())
    }

    fn lay_shape(
        &mut self,
        sheet: &Sheet,
        at: [u32; 2],
        cell: &Picture,
    ) -> Result<(), PictureError> {
        let Some(original) = sheet.picture() else { return Ok(()) };
        self.painted += 1;
        self.taken.insert((sheet.path.clone(), at));
        self.lay((sheet, &sheet.path), original, at, cell)
    }
}

impl Quilt {
    /// Placeholders for all shapes that are missing or blank: where a set has its tiles in order, at their place; for
    /// lists and guides in free cells, the sheet made longer where none is left, with the lines of TOML to use
    /// them. What the quilt accepts as missing or blank stays so.
    ///
    /// O(neighbourhoods x tiles) of each set.
    ///
    /// # Errors
    /// When a sheet would be too large, or cannot be written.
    pub fn shape_files(&self) -> io::Result<ShapeFiles> {
        let mut canvas = Canvas { taken: self.used.clone(), ..Canvas::default() };
        for spec in &self.shapes {
            self.fill_blanks(spec, &mut canvas).map_err(io::Error::other)?;
        }
        let mut files = ShapeFiles::default();
        let mut lines = String::new();
        for group in groups(&self.shapes) {
            let added =
                self.add_missing(&group, &mut canvas, &mut lines).map_err(io::Error::other)?;
            files.lists.extend(added.list);
            let name = group[0].set.name();
            files.left.extend(added.left.map(|why| (name.to_owned(), why.to_owned())));
        }
        files.placeholders = canvas.painted;
        for path in &canvas.changed {
            let data = canvas.pictures[path].to_png(&[]).map_err(io::Error::other)?;
            files.files.push((path.clone(), data));
        }
        if !lines.is_empty() {
            let text = format!(
                "# Tiles for missing shapes. Take the sheet from this folder, and add the lines to the lists of the \
                 quilt.\n{lines}"
            );
            files.files.push((SHAPES.to_owned(), text.into_bytes()));
        }
        Ok(files)
    }

    /// Whether a place that a finding about a set lists is accepted.
    fn accepts(&self, code: Code, set: &ShapeSet, place: &str) -> bool {
        let subject = format!("shapes.{}", set.name());
        self.accepted.iter().any(|one| one.covers(code, &subject, place))
    }

    /// Placeholders in the cells of shapes whose pictures are blank.
    fn fill_blanks(&self, spec: &ShapeSpec, canvas: &mut Canvas) -> Result<(), PictureError> {
        let set = &spec.set;
        let (Some(sheet), false) = (&spec.drawn.sheet, matches!(set.of(), ShapeBasis::Blend(_)))
        else {
            return Ok(());
        };
        let mut looks: BTreeMap<&str, usize> = BTreeMap::new();
        for look in &spec.looks {
            let number = looks.entry(&look.tile).or_default();
            let place = spec.cell(&look.tile, *number);
            *number += 1;
            let (Some((at, _)), Some(cell)) = (&look.drawn.at, sheet.cell) else { continue };
            if !canvas.is_blank(sheet, *at) || self.accepts(Code::EmptyArt, set, &place) {
                continue;
            }
            let Some((joins, number)) = spec.shape_of(&look.tile) else { continue };
            let picture = placeholder_shape(set.scheme(), set.lattice(), joins, number, cell)?;
            canvas.lay_shape(sheet, *at, &picture)?;
        }
        Ok(())
    }

    /// Placeholders for neighbourhoods without a tile, for sets that share a list.
    fn add_missing(
        &self,
        group: &[&ShapeSpec],
        canvas: &mut Canvas,
        lines: &mut String,
    ) -> Result<Added, PictureError> {
        let wanted: Vec<(&ShapeSpec, Vec<WantedShape>)> = group
            .iter()
            .map(|&spec| {
                let mut coverage = Coverage::of(&spec.set);
                let is_accepted =
                    |around| self.accepts(Code::MissingShape, &spec.set, &spec.set.words(around));
                coverage.missing.retain(|(around, _)| !is_accepted(*around));
                (spec, wanted_shapes(&spec.set, &coverage))
            })
            .collect();
        if wanted.iter().all(|(_, shapes)| shapes.is_empty()) {
            return Ok(Added::default());
        }
        let mut sheets = Vec::new();
        for spec in group {
            let Some(sheet) = spec.drawn.sheet.as_ref().filter(|sheet| sheet.count().is_some())
            else {
                let left = Some("it has no sheet to paint them into");
                return Ok(Added { left, ..Added::default() });
            };
            sheets.extend(spec.drawn.from.iter().map(|from| (&**sheet, *from)));
        }
        let mut list = List::default();
        for (spec, shapes) in &wanted {
            for shape in shapes {
                self.add_shape((spec, shape), &sheets, canvas, &mut list)?;
            }
            canvas.match_guide(spec)?;
        }
        let mut added = Added { list: None, left: list.left };
        if !list.text.is_empty() {
            let name = match &group[0].drawn.way {
                Way::Listed(Some(name)) => format!("arrangements.{name}"),
                _ => format!("shapes.{}", group[0].set.name()),
            };
            let _ = writeln!(lines, "\n[{name}]\ntiles = [\n{}]", list.text);
            added.list = Some(name);
        }
        Ok(added)
    }

    /// A placeholder for one missing shape in all sheets and looks of its list, and its line, or its cell of a
    /// guide.
    fn add_shape(
        &self,
        (spec, shape): (&ShapeSpec, &WantedShape),
        sheets: &[(&Sheet, [u32; 2])],
        canvas: &mut Canvas,
        list: &mut List,
    ) -> Result<(), PictureError> {
        let (set, drawing) = (&spec.set, &shape.drawing);
        let (scheme, lattice) = (set.scheme(), set.lattice());
        // A guide has colours in place of signs, and no shape twice.
        let rows = match &spec.drawn.way {
            Way::Guide(..) => Some(Vec::new()),
            _ => written(drawing, scheme, lattice, set.of(), &self.key),
        };
        let Some(rows) = rows else {
            list.left = Some("a terrain of it has no letter in `[terrains]`");
            return Ok(());
        };
        let known = (rows, shape.turns);
        if !known.0.is_empty() && list.known.contains(&known) {
            return Ok(());
        }
        if list.known.len() == MOST {
            list.left = Some("more than 256 shapes are missing");
            return Ok(());
        }
        let words = set.words(shape.around);
        // Between cells nothing is drawn where nothing is joined.
        let is_terrain = matches!(set.of(), ShapeBasis::Terrain { .. });
        if scheme == Scheme::Dual && is_terrain && joins_of(set, drawing) == 0 {
            list.add(&words, &line(None, shape, &known.0), known);
            return Ok(());
        }
        let guide = match &spec.drawn.way {
            Way::Guide(path, picture) => match self.guide_cell(spec, drawing)? {
                Some(cell) => Some((path, picture, cell)),
                None => {
                    list.left = Some("the guide has no colour for what is not joined");
                    return Ok(());
                }
            },
            _ => None,
        };
        let Some(at) = free_cell(sheets, canvas) else {
            list.left = Some("its sheet has no room");
            return Ok(());
        };
        for &(sheet, [x, y]) in sheets {
            let Some(cell) = sheet.cell else { continue };
            let picture = self.placeholder(set, drawing, list.known.len(), cell)?;
            canvas.lay_shape(sheet, [x + at[0], y + at[1]], &picture)?;
        }
        match (guide, sheets.first()) {
            (Some((path, picture, cell)), Some(&(sheet, [x, y]))) => {
                canvas.lay((sheet, path), picture, [x + at[0], y + at[1]], &cell)?;
                list.known.push(known);
            }
            _ => list.add(&words, &line(Some(at), shape, &known.0), known),
        }
        Ok(())
    }

    fn placeholder(
        &self,
        set: &ShapeSet,
        drawing: &Drawing,
        number: usize,
        cell: [u32; 2],
    ) -> Result<Picture, PictureError> {
        let (scheme, lattice) = (set.scheme(), set.lattice());
        if let ShapeBasis::Blend(kinds) = set.of() {
            let slots: Vec<Option<Rgba>> = (0..scheme.slots())
                .map(|slot| {
                    let kind = (drawing.sign(slot).trailing_zeros() as usize).checked_sub(2)?;
                    self.colour(kinds.named().get(kind)?)
                })
                .collect();
            return placeholder_blend(scheme, lattice, &slots, cell);
        }
        let joins = joins_of(set, drawing);
        // Several kinds of neighbours have the same joins.
        let number = if set.of().kinds() == 2 { scheme.number(joins) } else { number };
        placeholder_shape(scheme, lattice, joins, number, cell)
    }

    /// The first colour of a terrain.
    fn colour(&self, terrain: &str) -> Option<Rgba> {
        let (_, colours) = self.terrains.iter().find(|(name, _)| name == terrain)?;
        let [r, g, b] = *colours.first()?;
        Some([r, g, b, 255])
    }

    /// A cell of a guide; nothing where no terrain has what it must be painted with.
    fn guide_cell(
        &self,
        spec: &ShapeSpec,
        drawing: &Drawing,
    ) -> Result<Option<Picture>, PictureError> {
        let set = &spec.set;
        let (scheme, lattice) = (set.scheme(), set.lattice());
        let Some(cell) = spec.drawn.sheet.as_ref().and_then(|sheet| sheet.cell) else {
            return Ok(None);
        };
        let colour_of = |sign: u64| -> Option<Rgba> {
            match set.of() {
                ShapeBasis::Terrain { on, kinds } => {
                    let accepts = |name: &&String| sign >> kinds.kind(Some(name)) & 1 == 1;
                    let names = on.iter().chain(self.terrains.iter().map(|(name, _)| name));
                    names.filter(accepts).find_map(|name| self.colour(name))
                }
                ShapeBasis::Blend(kinds) => {
                    let only = |name: &&String| kinds.only(name) == Some(sign);
                    kinds.named().iter().find(only).and_then(|name| self.colour(name))
                }
                ShapeBasis::Heights(_) => None,
            }
        };
        let mut slots = Vec::new();
        for slot in 0..scheme.slots() {
            let colour = match drawing.sign(slot) {
                u64::MAX => None,
                sign => match colour_of(sign) {
                    None => return Ok(None),
                    known => known,
                },
            };
            slots.push(colour);
        }
        let middle = match set.of() {
            ShapeBasis::Terrain { on, .. } => on.first().and_then(|name| self.colour(name)),
            _ => None,
        };
        coloured_slots(scheme, lattice, &slots, middle, cell).map(Some)
    }
}

/// What came of the missing shapes of some sets.
#[derive(Default)]
struct Added {
    /// The list that needs more lines.
    list: Option<String>,
    /// Why some are left out.
    left: Option<&'static str>,
}

/// What is added to a list of tiles.
#[derive(Default)]
struct List {
    /// The drawings that were added, and in how many turns.
    known: Vec<(Vec<String>, u8)>,
    text: String,
    left: Option<&'static str>,
}

impl List {
    fn add(&mut self, words: &str, line: &str, known: (Vec<String>, u8)) {
        let _ = writeln!(self.text, "  # {words}\n  {line}");
        self.known.push(known);
    }
}

/// Sets that share a list of tiles, together; others alone.
fn groups(shapes: &[ShapeSpec]) -> Vec<Vec<&ShapeSpec>> {
    let mut groups: Vec<(Option<&str>, Vec<&ShapeSpec>)> = Vec::new();
    for spec in shapes {
        let list = match &spec.drawn.way {
            Way::InOrder => continue,
            Way::Listed(shared) => shared.as_deref(),
            Way::Guide(..) => None,
        };
        match groups.iter_mut().find(|(known, _)| list.is_some() && *known == list) {
            Some((_, sets)) => sets.push(spec),
            None => groups.push((list, vec![spec])),
        }
    }
    groups.into_iter().map(|(_, sets)| sets).collect()
}

/// A cell, counted from the first one of each look, that is free in all of their sheets.
fn free_cell(sheets: &[(&Sheet, [u32; 2])], canvas: &Canvas) -> Option<[u32; 2]> {
    const MOST_ROWS: u32 = 4096;
    let columns = sheets
        .iter()
        .map(|(sheet, [x, _])| sheet.count().map_or(0, |[columns, _]| columns.saturating_sub(*x)));
    let columns = columns.min()?;
    let mut cells = (0..MOST_ROWS).flat_map(|y| (0..columns).map(move |x| [x, y]));
    cells.find(|at| {
        sheets.iter().all(|(sheet, [x, y])| canvas.is_free(sheet, [x + at[0], y + at[1]]))
    })
}

/// A tile as quilts list it.
fn line(at: Option<[u32; 2]>, shape: &WantedShape, rows: &[String]) -> String {
    let mut text = match at {
        Some([x, y]) => format!("{{ at = [{x}, {y}], "),
        None => "{ empty = true, ".to_owned(),
    };
    if shape.turns > 1 {
        let _ = write!(text, "turns = {}, ", shape.turns);
    }
    let mirror = match shape.mirror {
        Mirror::No => None,
        Mirror::EastWest => Some("east_west"),
        Mirror::NorthSouth => Some("north_south"),
        Mirror::Both => Some("both"),
    };
    if let Some(mirror) = mirror {
        let _ = write!(text, "mirror = \"{mirror}\", ");
    }
    text.push_str("around = \"\"\"\n");
    for row in rows {
        let _ = writeln!(text, "    {row}");
    }
    text.push_str("  \"\"\" },");
    text
}
