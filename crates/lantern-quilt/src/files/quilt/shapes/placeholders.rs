//! Placeholders for shapes that are missing or blank, at their place in copies of the sheets.

use super::compose::quarter_name;
use super::{ShapeSpec, Way};
use crate::draw::{QUARTERS, coloured_slots, placeholder_blend, placeholder_shape};
use crate::files::quilt::around::written;
use crate::files::quilt::checked::Quilt;
use crate::files::quilt::sheets::Sheet;
use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::autotile::{
    Coverage, Drawing, Joins, ShapeBasis, ShapeSet, WantedShape, wanted_shapes,
};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::tileset::Mirror;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::io;

/// The lines that tell lists of tiles what placeholders are for.
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
        let known = self.pictures.remove(path).unwrap_or_else(|| original.clone());
        let (wide, high) = (x + cell.width(), y + cell.height());
        let mut picture = known;
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
    /// lists and guides in free cells, the sheet made longer where none is left, with the lines of TOML that say what
    /// they are for. What the quilt accepts as missing or blank stays so.
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
            match self.add_missing(&group, &mut canvas, &mut lines).map_err(io::Error::other)? {
                Added::Nothing => {}
                Added::Lines(list) => files.lists.push(list),
                Added::Guide => {}
                Added::Left(why) => files.left.push((group[0].set.name().to_owned(), why)),
            }
        }
        files.placeholders = canvas.painted;
        for path in &canvas.changed {
            let data = canvas.pictures[path].to_png(&[]).map_err(io::Error::other)?;
            files.files.push((path.clone(), data));
        }
        if !lines.is_empty() {
            let text = format!(
                "# Tiles for missing shapes. Take the sheet from this folder, and add the lines to the lists of the quilt.\n{lines}"
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
            return Ok(Added::Nothing);
        }
        let mut sheets = Vec::new();
        for spec in group {
            let Some(sheet) = spec.drawn.sheet.as_ref().filter(|sheet| sheet.count().is_some())
            else {
                return Ok(Added::Left("it has no sheet to paint them into".to_owned()));
            };
            sheets.extend(spec.drawn.from.iter().map(|from| (&**sheet, *from)));
        }
        let mut added = Vec::new();
        let mut text = String::new();
        let mut unwritten = None;
        'shapes: for (spec, shape) in
            wanted.iter().flat_map(|(spec, shapes)| shapes.iter().map(move |shape| (*spec, shape)))
        {
            let (set, drawing) = (&spec.set, &shape.drawing);
            let (scheme, lattice) = (set.scheme(), set.lattice());
            let rows = written(drawing, scheme, lattice, set.of(), &self.key);
            let Some(rows) = rows else {
                unwritten = Some("a terrain of it has no letter in `[terrains]`");
                continue;
            };
            if added.contains(&(rows.clone(), shape.turns)) {
                continue;
            }
            if added.len() == MOST {
                unwritten = Some("more than 256 shapes are missing");
                break 'shapes;
            }
            let guide = match &spec.drawn.way {
                Way::Guide(path, picture) => match self.guide_cell(spec, drawing)? {
                    Some(cell) => Some((path, picture, cell)),
                    None => {
                        unwritten = Some("the guide has no colour for what is not joined");
                        continue;
                    }
                },
                _ => None,
            };
            let Some(at) = free_cell(&sheets, canvas) else {
                unwritten = Some("its sheet has no room");
                break 'shapes;
            };
            let number = added.len();
            for &(sheet, [x, y]) in &sheets {
                let Some(cell) = sheet.cell else { continue };
                let picture = self.placeholder(set, drawing, number, cell)?;
                canvas.lay_shape(sheet, [x + at[0], y + at[1]], &picture)?;
            }
            if let (Some((path, picture, cell)), Some(&(sheet, [x, y]))) = (guide, sheets.first()) {
                let there = [x + at[0], y + at[1]];
                canvas.lay((sheet, path), picture, there, &cell)?;
            } else {
                let words = set.words(shape.around);
                let _ = writeln!(text, "  # {words}\n  {}", line(at, shape, &rows));
            }
            added.push((rows, shape.turns));
        }
        for spec in group {
            self.match_guide(spec, canvas)?;
        }
        if added.is_empty() {
            return Ok(unwritten.map_or(Added::Nothing, |why| Added::Left(why.to_owned())));
        }
        Ok(match &group[0].drawn.way {
            Way::Guide(..) | Way::InOrder => Added::Guide,
            Way::Listed(shared) => {
                let list = match shared {
                    Some(name) => format!("arrangements.{name}"),
                    None => format!("shapes.{}", group[0].set.name()),
                };
                let _ = writeln!(lines, "\n[{list}]\ntiles = [\n{text}]");
                Added::Lines(list)
            }
        })
    }

    /// A guide is as large as its sheet.
    fn match_guide(&self, spec: &ShapeSpec, canvas: &mut Canvas) -> Result<(), PictureError> {
        let (Way::Guide(path, guide), Some(sheet)) = (&spec.drawn.way, &spec.drawn.sheet) else {
            return Ok(());
        };
        let Some(painted) = canvas.pictures.get(&sheet.path) else { return Ok(()) };
        let size = [painted.width(), painted.height()];
        let known = canvas.pictures.get(path).unwrap_or(guide);
        if [known.width(), known.height()] != size {
            let mut larger = Picture::new(size[0], size[1], [0; 4])?;
            larger.lay(known, 0, 0);
            canvas.pictures.insert(path.clone(), larger);
            canvas.changed.insert(path.clone());
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

impl ShapeSpec {
    /// What is joined in a shape, and its number; of a drawing of quarters as if it were one.
    fn shape_of(&self, tile: &str) -> Option<(Joins, usize)> {
        let set = &self.set;
        if let Some(looks) = self.quarters {
            let name = set.name();
            let mut all = (0..looks).flat_map(|look| (0..5).map(move |quarter| (look, quarter)));
            let (_, quarter) = all.find(|&(look, one)| quarter_name(name, look, one) == tile)?;
            return Some((QUARTERS[quarter as usize], quarter as usize));
        }
        let known = set.tiles().iter().find(|one| one.tile.as_deref() == Some(tile))?;
        let joins = joins_of(set, &known.drawing);
        Some((joins, set.scheme().number(joins)))
    }
}

/// What came of the missing shapes of some sets.
enum Added {
    Nothing,
    /// Lines for a list.
    Lines(String),
    /// Cells of a guide.
    Guide,
    Left(String),
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

/// Which slots a drawing wants to be joined; what makes no difference counts as joined.
fn joins_of(set: &ShapeSet, drawing: &Drawing) -> Joins {
    let (scheme, same) = (set.scheme(), set.of().same());
    let slots = (0..scheme.slots()).filter(|&slot| drawing.sign(slot) & same != 0);
    scheme.reduce(slots.fold(0, |joins, slot| joins | 1 << slot))
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
fn line(at: [u32; 2], shape: &WantedShape, rows: &[String]) -> String {
    let mut text = format!("{{ at = [{}, {}], ", at[0], at[1]);
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
