//! `[shapes]` and `[arrangements]`: which tile of a sheet is which shape of a terrain.

use super::around::{named, read_drawing};
use super::art::{Load, Sheet};
use super::cursor::{Keys, Notes, Value, unknown_name};
use super::guide;
use super::model::twice;
use super::terrains::Terrains;
use super::tile::{LookSpec, PictureSpec, read_mirror};
use crate::art::{Look, TileArt};
use crate::picture::Picture;
use lantern_quilt_core::autotile::{
    Drawing, Edge, Kinds, Of, Outside, Quarter, Scheme, ShapeSet, ShapeTile, quarters,
};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::tileset::Mirror;
use std::collections::BTreeMap;
use std::ops::Range;

/// A set of shapes and where its art is.
#[derive(Debug)]
pub(super) struct ShapeSpec {
    pub(super) set: ShapeSet,
    /// The place of its terrain from the ground up; later than all for heights.
    pub(super) rank: usize,
    pub(super) looks: Vec<LookSpec>,
    /// How many looks are composed of quarters, if they are.
    quarters: Option<usize>,
    /// Whether an artist said what each tile is for, and can have been wrong.
    pub(super) told: bool,
}

/// What sets of shapes are read against.
pub(super) struct Ground<'a> {
    pub(super) terrains: &'a Terrains,
    pub(super) sheets: &'a BTreeMap<String, Sheet>,
    pub(super) lattice: Lattice,
}

impl<'a> Ground<'a> {
    /// The sheet that is named, or the only one there is.
    fn sheet(&self, places: &Places) -> Option<&'a Sheet> {
        let sheets = self.sheets;
        match &places.sheet {
            Some((name, _)) => sheets.get(name),
            None => sheets.values().next().filter(|_| sheets.len() == 1),
        }
    }
}

/// A list of tiles with drawings, as written: an arrangement, or that of one set.
struct Arrangement<'a> {
    scheme: Option<Scheme>,
    tiles: Vec<Value<'a>>,
}

pub(super) fn read_shapes(
    documents: &mut [Keys<'_>],
    ground: &Ground<'_>,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Vec<ShapeSpec> {
    let mut arrangements = BTreeMap::new();
    for top in &mut *documents {
        let keys = top.take("arrangements").and_then(|value| value.table(notes));
        for (name, span, value) in keys.map(|keys| keys.entries()).unwrap_or_default() {
            let Some(mut keys) = value.table(notes) else { continue };
            let scheme = keys.need("scheme", "four, dual, eight or six", notes);
            let scheme = scheme.and_then(|value| read_scheme(&value, ground.lattice, notes));
            let tiles = keys.need("tiles", "a list of tiles, each with `at` and `around`", notes);
            let tiles = tiles.map(|value| value.array(notes)).unwrap_or_default();
            keys.finish(notes);
            if arrangements.contains_key(name) {
                twice("arrangement", name, value.subject(), span, notes);
            } else {
                arrangements.insert(name.to_owned(), Arrangement { scheme, tiles });
            }
        }
    }
    let mut specs: Vec<ShapeSpec> = Vec::new();
    for (number, top) in documents.iter_mut().enumerate() {
        notes.document = number;
        let keys = top.take("shapes").and_then(|value| value.table(notes));
        for (name, span, value) in keys.map(|keys| keys.entries()).unwrap_or_default() {
            let Some(keys) = value.table(notes) else { continue };
            if specs.iter().any(|known| known.set.name() == name) {
                twice("set of shapes", name, value.subject(), span, notes);
                continue;
            }
            let mut reader =
                Reader { name, span, ground, arrangements: &arrangements, load, looks: Vec::new() };
            specs.extend(reader.read(keys, &value, notes));
        }
    }
    // What several sets share is read once for each, and told of once.
    notes.tell_once();
    specs
}

pub(super) fn read_scheme(
    value: &Value<'_>,
    lattice: Lattice,
    notes: &mut Notes,
) -> Option<Scheme> {
    let text = value.text(notes)?;
    let fitting = || Scheme::ALL.into_iter().filter(|scheme| scheme.fits(lattice));
    let scheme = Scheme::from_name(text);
    if scheme.is_none() {
        unknown_name("scheme", value, text, fitting().map(Scheme::name), notes);
    } else if let Some(scheme) = scheme.filter(|scheme| !scheme.fits(lattice)) {
        let text = format!("`{scheme}` shapes do not fit a {lattice} lattice");
        let names: Vec<&str> = fitting().map(Scheme::name).collect();
        let help = if names.is_empty() {
            "shapes are for square and hexagonal maps".to_owned()
        } else {
            format!("here fit: {}", names.join(", "))
        };
        notes.add(
            Finding::new(Code::BadValue, value.subject(), text).help(help),
            value.span.clone(),
        );
        return None;
    }
    scheme
}

struct Reader<'a, 'l, 'k> {
    name: &'a str,
    span: Range<usize>,
    ground: &'a Ground<'a>,
    arrangements: &'a BTreeMap<String, Arrangement<'k>>,
    load: &'a mut Load<'l>,
    looks: Vec<LookSpec>,
}

/// Where the first cell of a set lies, and of each further look how common it is.
struct Places {
    sheet: Option<(String, Range<usize>)>,
    at: [u32; 2],
    columns: Option<u32>,
    looks: Vec<([u32; 2], f64)>,
}

impl<'k> Reader<'_, '_, 'k> {
    fn read(
        &mut self,
        mut keys: Keys<'k>,
        value: &Value<'k>,
        notes: &mut Notes,
    ) -> Option<ShapeSpec> {
        let lattice = self.ground.lattice;
        let arrangement = keys.take("arrangement").and_then(|value| {
            let name = value.text(notes)?;
            let known = self.arrangements.get(name);
            if known.is_none() {
                let names = self.arrangements.keys().map(String::as_str);
                unknown_name("arrangement", &value, name, names, notes);
            }
            known
        });
        let own = keys.take("tiles").map(|value| value.array(notes));
        let guide = keys.take("guide");
        let scheme = match keys.take("scheme") {
            Some(value) => read_scheme(&value, lattice, notes),
            None => arrangement.and_then(|one| one.scheme).or_else(|| {
                let plain = own.is_some() && Scheme::Four.fits(lattice);
                plain.then_some(Scheme::Four).or(own.is_some().then_some(Scheme::Six))
            }),
        };
        if scheme.is_none() && !keys.has("scheme") && arrangement.is_none() {
            let subject = value.subject();
            let text = format!("`{}` does not say its scheme", value.path);
            let help = "add `scheme = \"eight\"`: four, dual or eight, on hexagons six";
            notes.add(Finding::new(Code::MissingKey, subject, text).help(help), self.span.clone());
        }
        let tiles = own.or(arrangement.map(|one| one.tiles.clone()));
        let named = tiles.iter().flatten().filter_map(|tile| {
            let mut keys = tile.table(&mut Notes::default())?;
            keys.take("around")?.text(&mut Notes::default())
        });
        let letters: Vec<&str> = named.collect();
        let of = self.read_of(&mut keys, value, &letters, notes);
        let places = self.read_places(&mut keys, notes);
        let quartered = keys.take("quarters").and_then(|value| value.boolean(notes));
        let turns = keys.take("turns").and_then(|value| {
            let most = i64::from(lattice.turns());
            value.whole(1..most + 1, Code::BadTurns, notes).map(|turns| turns as u8)
        });
        let mirror = keys.take("mirror").map_or(Mirror::No, |value| read_mirror(&value, notes));
        let outside = keys.take("outside").map(|value| self.read_outside(&value, notes));
        let strict = keys.take("strict").and_then(|value| value.boolean(notes)).unwrap_or(false);
        keys.finish(notes);
        let ((of, rank), scheme) = (of?, scheme?);
        let turns = turns.unwrap_or(1);
        let quartered = quartered.unwrap_or(false);
        let told = guide.is_some() || tiles.is_some();
        let tiles = match (guide, tiles) {
            (Some(guide), None) if !quartered => {
                self.read_guide(&guide, scheme, &of, &places, notes)?
            }
            (None, Some(tiles)) if !quartered => {
                self.read_tiles(&tiles, scheme, &of, &places, notes)
            }
            (None, None) if quartered => self.of_quarters(scheme, &of, &places, value, notes)?,
            (None, None) if matches!(&of, Of::Blend(_)) && of.kinds() != 4 => {
                let text = format!("`{}` does not say which tile is which", value.path);
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help =
                    "add `guide` or `tiles`: only a blend of two terrains has an order of its own";
                notes.add(finding.help(help), self.span.clone());
                return None;
            }
            (None, None) => self.arranged(scheme, &of, &places, (turns, mirror), notes),
            _ => {
                let text = format!("`{}` says in several ways which tile is which", value.path);
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "keep one of `tiles`, `arrangement`, `guide` and `quarters`";
                notes.add(finding.help(help), self.span.clone());
                return None;
            }
        };
        if tiles.is_empty() && told {
            // What is wrong with them was said.
            return None;
        }
        if !self.lies_inside(&places, value, notes) {
            return None;
        }
        let looks = places.looks.len();
        let set = match ShapeSet::new(self.name, scheme, lattice, of, tiles) {
            Ok(set) => set,
            Err(error) => {
                let text = format!("`{}`: {error}", value.path);
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding, self.span.clone());
                return None;
            }
        };
        let mut set = set;
        set.strict = strict;
        set.outside = outside.unwrap_or_default();
        let looks_of = std::mem::take(&mut self.looks);
        Some(ShapeSpec { set, rank, looks: looks_of, quarters: quartered.then_some(looks), told })
    }

    /// One terrain, several that blend, or heights.
    fn read_of(
        &self,
        keys: &mut Keys<'k>,
        value: &Value<'k>,
        drawings: &[&str],
        notes: &mut Notes,
    ) -> Option<(Of, usize)> {
        let terrains = self.ground.terrains;
        let (terrain, blend, heights) =
            (keys.take("terrain"), keys.take("blend"), keys.take("heights"));
        let joins = terrains.find_all(keys.take("joins"), notes);
        let under = keys.take("under").map(|value| terrains.find_all(Some(value), notes));
        if let Some(heights) = heights {
            let text = heights.text(notes)?;
            let edge = match text {
                "upper" => Edge::Upper,
                "lower" => Edge::Lower,
                _ => {
                    unknown_name("edge", &heights, text, ["upper", "lower"], notes);
                    return None;
                }
            };
            return Some((Of::Heights(edge), usize::MAX));
        }
        if blend.is_some() {
            let names = terrains.find_all(blend, notes);
            let rank = names.iter().filter_map(|name| terrains.place(name)).min()?;
            // Of two, the second is the one that shapes are told by.
            let joined = if let [_, upper] = &names[..] { vec![upper.clone()] } else { Vec::new() };
            return Some((Of::Blend(Kinds::new(joined, names)), rank));
        }
        let own = match terrain {
            Some(value) => terrains.find(&value, notes)?,
            None if terrains.place(self.name).is_some() => self.name.to_owned(),
            None => {
                let text =
                    format!("`{}` is no terrain, and `{}` names none", self.name, value.path);
                let finding = Finding::new(Code::UnknownName, value.subject(), text);
                let names = terrains.names.iter().map(String::as_str);
                let help = if terrains.names.is_empty() {
                    "add `[terrains]` with a name and a colour each, from the ground up"
                } else {
                    "add `terrain`, `blend` or `heights`"
                };
                notes.add(finding.among(self.name, names).help(help), self.span.clone());
                return None;
            }
        };
        let rank = terrains.place(&own)?;
        // The ground lies under everything; others only where they are said to.
        let all = if rank == 0 { terrains.names[1..].to_vec() } else { Vec::new() };
        let mut on = vec![own];
        on.extend(under.unwrap_or(all));
        let mut joined = on.clone();
        joined.extend(joins.into_iter().filter(|name| !on.contains(name)));
        let mut told = Vec::new();
        for name in drawings.iter().flat_map(|text| named(text, &terrains.key)) {
            if !told.contains(&name) {
                told.push(name);
            }
        }
        Some((Of::Terrain { on, kinds: Kinds::new(joined, told) }, rank))
    }

    fn read_places(&self, keys: &mut Keys<'k>, notes: &mut Notes) -> Places {
        let cell = |value: Value<'k>, notes: &mut Notes| {
            let [column, row] = value.wholes(0..1 << 20, Code::BadValue, notes)?;
            Some([column as u32, row as u32])
        };
        let sheet = keys.take("sheet").and_then(|v| Some((v.text(notes)?.to_owned(), v.span)));
        let at = keys.take("at").and_then(|value| cell(value, notes)).unwrap_or_default();
        let columns = keys.take("columns");
        let columns = columns.and_then(|value| value.whole(1..4097, Code::BadValue, notes));
        let mut looks = vec![(at, 1.0)];
        let more = keys.take("looks").map(|value| value.array(notes)).unwrap_or_default();
        for value in more {
            let Some(mut keys) = value.table(notes) else { continue };
            let at = keys.need("at", "the first cell of this look: `at = [0, 6]`", notes);
            let at = at.and_then(|value| cell(value, notes));
            let weight = keys.take("weight").and_then(|value| value.number(notes));
            keys.finish(notes);
            looks.extend(at.map(|at| (at, weight.unwrap_or(1.0))));
        }
        Places { sheet, at, columns: columns.map(|columns| columns as u32), looks }
    }

    fn read_outside(&self, value: &Value<'k>, notes: &mut Notes) -> [Outside; 4] {
        let one = |value: &Value<'k>, notes: &mut Notes| {
            if !value.is_text() {
                let terrain = value.table(notes).and_then(|mut keys| {
                    let named = keys.need("terrain", "`{ terrain = \"moss\" }`", notes);
                    let name = named.and_then(|value| self.ground.terrains.find(&value, notes));
                    keys.finish(notes);
                    name
                });
                return terrain.map_or(Outside::Same, Outside::Terrain);
            }
            match value.text(notes) {
                Some("same") => Outside::Same,
                Some("other") => Outside::Other,
                Some(text) => {
                    unknown_name("outside", value, text, ["same", "other"], notes);
                    Outside::Same
                }
                None => Outside::Same,
            }
        };
        const SIDES: [Side; 4] = [Side::North, Side::East, Side::South, Side::West];
        let names = SIDES.map(Side::name);
        let table = (!value.is_text()).then(|| value.table(notes)).flatten();
        let sided = table.filter(|keys| names.iter().any(|name| keys.has(name)));
        let Some(mut keys) = sided else {
            let all = one(value, notes);
            return std::array::from_fn(|_| all.clone());
        };
        let sides = ["north", "east", "south", "west"]
            .map(|side| keys.take(side).map_or(Outside::Same, |value| one(&value, notes)));
        keys.finish(notes);
        sides
    }

    /// Whether every cell lies in the sheet; said once for all of them.
    fn lies_inside(&self, places: &Places, value: &Value<'k>, notes: &mut Notes) -> bool {
        let sheet = self.ground.sheet(places);
        let Some((sheet, [columns, rows])) = sheet.and_then(|one| Some((one, one.count()?))) else {
            return true;
        };
        let cells = self.looks.iter().filter_map(|look| look.drawn.at.as_ref());
        let cells: Vec<[u32; 2]> = cells.map(|(at, _)| *at).collect();
        let outside = cells.iter().filter(|[x, y]| *x >= columns || *y >= rows).count();
        if outside > 0 {
            let most = |axis: usize| cells.iter().map(|at| at[axis]).max().unwrap_or(0);
            let text = format!(
                "{outside} of the {} cells of `{}` lie outside `{}`",
                cells.len(),
                value.path,
                sheet.file()
            );
            let help = format!(
                "they reach to column {} and row {}; the sheet has {columns} columns and {rows} rows",
                most(0),
                most(1)
            );
            let finding = Finding::new(Code::CellOutsideSheet, value.subject(), text);
            notes.add(finding.help(help), self.span.clone());
        }
        outside == 0
    }

    fn place(
        &self,
        sheet: &Option<(String, Range<usize>)>,
        at: [u32; 2],
        notes: &Notes,
    ) -> PictureSpec {
        PictureSpec {
            span: self.span.clone(),
            document: notes.document,
            at: Some((at, self.span.clone())),
            sheet: sheet.clone(),
            file: None,
        }
    }

    fn add_look(&mut self, tile: &str, drawn: PictureSpec, turns: u8) {
        self.looks.push(LookSpec {
            tile: tile.to_owned(),
            drawn,
            turned: Vec::new(),
            upright: false,
            span: [1, 1],
            turns,
            quarter_turns: turns == 4,
            turns_span: self.span.clone(),
        });
    }

    /// In the order that `template` prints.
    fn arranged(
        &mut self,
        scheme: Scheme,
        of: &Of,
        places: &Places,
        (turns, mirror): (u8, Mirror),
        notes: &Notes,
    ) -> Vec<ShapeTile> {
        let lattice = self.ground.lattice;
        let same = of.same();
        let mut tiles = ShapeSet::arranged(self.name, scheme, lattice, same, turns, mirror);
        let columns = places.columns.unwrap_or(scheme.columns());
        if matches!(of, Of::Blend(_)) && tiles[0].tile.is_none() {
            // All of the first terrain is a tile as well.
            tiles[0].tile = Some(format!("{}/00", self.name));
        }
        for (number, tile) in tiles.iter_mut().enumerate() {
            let Some(name) = tile.tile.clone() else { continue };
            tile.looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            for ([column, row], _) in &places.looks {
                let number = number as u32;
                let at = [column + number % columns, row + number / columns];
                let drawn = self.place(&places.sheet, at, notes);
                self.add_look(&name, drawn, turns);
            }
        }
        // A wall that nothing asks for needs no drawing.
        if matches!(of, Of::Heights(_)) {
            tiles.retain(|tile| {
                tile.drawing != Drawing::of_shape(scheme, scheme.reduce(u8::MAX), same)
            });
        }
        tiles
    }

    /// Five cells in a row, from which all shapes are put together.
    fn of_quarters(
        &mut self,
        scheme: Scheme,
        of: &Of,
        places: &Places,
        value: &Value<'k>,
        notes: &mut Notes,
    ) -> Option<Vec<ShapeTile>> {
        if scheme != Scheme::Eight {
            let text = format!("quarters make shapes of `eight`, not of `{scheme}`");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("write `scheme = \"eight\"`"), self.span.clone());
            return None;
        }
        for (look, ([column, row], _)) in places.looks.iter().enumerate() {
            for quarter in 0..5 {
                let place = self.place(&places.sheet, [column + quarter, *row], notes);
                self.add_look(&quarter_name(self.name, look, quarter), place, 1);
            }
        }
        let lattice = self.ground.lattice;
        let mut tiles = ShapeSet::arranged(self.name, scheme, lattice, of.same(), 1, Mirror::No);
        for tile in &mut tiles {
            tile.looks = places.looks.iter().map(|(_, weight)| *weight).collect();
        }
        Some(tiles)
    }

    /// Tiles with drawings of their own.
    fn read_tiles(
        &mut self,
        values: &[Value<'k>],
        scheme: Scheme,
        of: &Of,
        places: &Places,
        notes: &mut Notes,
    ) -> Vec<ShapeTile> {
        let lattice = self.ground.lattice;
        let mut tiles = Vec::new();
        for (number, value) in values.iter().enumerate() {
            let Some(mut keys) = value.table(notes) else { continue };
            let at = keys.take("at");
            let empty = keys.take("empty").and_then(|value| value.boolean(notes)) == Some(true);
            let at = at.and_then(|value| {
                let [column, row] = value.wholes(0..1 << 20, Code::BadValue, notes)?;
                Some([column as u32, row as u32])
            });
            if at.is_none() && !empty && !keys.has("at") {
                let text = format!("`{}` has no `at`", value.path);
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help = "its column and row from the first cell, or `empty = true` for no tile";
                notes.add(finding.help(help), value.span.clone());
            }
            let key = &self.ground.terrains.key;
            let drawing = match keys.take("around") {
                Some(value) => read_drawing(&value, scheme, lattice, of, key, notes),
                None => Some(Drawing::ANY),
            };
            let mut number_of = |key: Option<Value<'k>>| key.and_then(|value| value.number(notes));
            let weight = number_of(keys.take("weight")).unwrap_or(1.0);
            let chance = number_of(keys.take("chance"));
            let turns = keys.take("turns").and_then(|value| {
                let most = i64::from(lattice.turns());
                value.whole(1..most + 1, Code::BadTurns, notes).map(|turns| turns as u8)
            });
            let mirror = keys.take("mirror").map_or(Mirror::No, |v| read_mirror(&v, notes));
            keys.finish(notes);
            let Some(drawing) = drawing else { continue };
            let name = format!("{}/{number:02}", self.name);
            let turns = turns.unwrap_or(1);
            let tile = ShapeTile { turns, mirror, weight, chance, ..ShapeTile::empty(drawing) };
            if empty {
                tiles.push(tile);
                continue;
            }
            let Some([across, down]) = at else { continue };
            for ([column, row], _) in &places.looks {
                let place = self.place(&places.sheet, [column + across, row + down], notes);
                self.add_look(&name, place, turns);
            }
            let looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            tiles.push(ShapeTile { tile: Some(name), looks, ..tile });
        }
        tiles
    }

    /// Every cell of a sheet by the picture that lies beside it.
    fn read_guide(
        &mut self,
        value: &Value<'k>,
        scheme: Scheme,
        of: &Of,
        places: &Places,
        notes: &mut Notes,
    ) -> Option<Vec<ShapeTile>> {
        let file = value.text(notes)?;
        let picture = self.load.picture(file, notes.document, &value.span, notes)?;
        let Some(sheet) = self.ground.sheet(places) else {
            let text = format!("`{}` does not say which sheet the guide belongs to", self.name);
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `sheet = \"NAME\"`"), value.span.clone());
            return None;
        };
        let art = sheet.picture()?;
        if [art.width(), art.height()] != [picture.width(), picture.height()] {
            let text = format!(
                "the guide is {} x {} pixels, its sheet `{}` is {} x {}",
                picture.width(),
                picture.height(),
                sheet.file(),
                art.width(),
                art.height()
            );
            let finding = Finding::new(Code::PictureSize, value.subject(), text);
            let help = "paint the guide over a copy of the sheet, so that cells lie alike";
            notes.add(finding.help(help), value.span.clone());
            return None;
        }
        let [columns, rows] = sheet.count()?;
        let (lattice, terrains) = (self.ground.lattice, self.ground.terrains);
        let (mut tiles, mut strange) = (Vec::new(), Vec::new());
        for at in (places.at[1]..rows).flat_map(|y| (places.at[0]..columns).map(move |x| [x, y])) {
            let Some(cell) = sheet.cut(&picture, at) else { continue };
            let drawing = guide::read_cell(
                &cell,
                at,
                scheme,
                lattice,
                of,
                terrains,
                value,
                &mut strange,
                notes,
            );
            let Some(drawing) = drawing else { continue };
            let name = format!("{}/{:02}", self.name, tiles.len());
            for ([column, row], _) in &places.looks {
                let from = places.looks[0].0;
                let there = [column + at[0] - from[0], row + at[1] - from[1]];
                let place = self.place(&places.sheet, there, notes);
                self.add_look(&name, place, 1);
            }
            let looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            tiles.push(ShapeTile { looks, ..ShapeTile::new(name, drawing) });
        }
        if scheme == Scheme::Dual && matches!(of, Of::Terrain { .. }) {
            tiles.push(ShapeTile::empty(Drawing::of_shape(scheme, 0, of.same())));
        }
        Some(tiles)
    }
}

fn quarter_name(set: &str, look: usize, quarter: u32) -> String {
    format!("{set}/quarter {look} {quarter}")
}

impl ShapeSpec {
    /// Puts shapes together from the five cells of quarters.
    pub(super) fn compose(&self, art: &mut TileArt) {
        let Some(looks) = self.quarters else { return };
        let name = self.set.name();
        for look in 0..looks {
            let taken = (0..5).map(|quarter| art.take(&quarter_name(name, look, quarter)));
            let cells: Option<Vec<Picture>> = taken.collect();
            let Some(cells) = cells else { continue };
            for (number, &shape) in Scheme::Eight.shapes().iter().enumerate() {
                art.add_look(format!("{name}/{number:02}"), Look::new(composed(&cells, shape)));
            }
        }
    }
}

/// A shape of the quarters that five cells hold.
fn composed(cells: &[Picture], shape: u8) -> Picture {
    let (width, height) = (cells[0].width(), cells[0].height());
    let (left, top) = (width / 2, height / 2);
    let mut whole = Picture::new(width, height, [0; 4]).expect("a cell");
    // North-east, south-east, south-west, north-west.
    let corners = [(left, 0), (left, top), (0, top), (0, 0)];
    for (quarter, (x, y)) in quarters(shape).into_iter().zip(corners) {
        let kind = match quarter {
            Quarter::Island => 0,
            Quarter::Upright => 1,
            Quarter::Level => 2,
            Quarter::Crossing => 3,
            Quarter::Inside => 4,
        };
        let wide = if x == 0 { left } else { width - left };
        let high = if y == 0 { top } else { height - top };
        if let Some(part) = cells[kind].cut(x, y, wide, high) {
            whole.lay(&part, i64::from(x), i64::from(y));
        }
    }
    whole
}
