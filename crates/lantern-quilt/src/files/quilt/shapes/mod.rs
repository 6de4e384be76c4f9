//! `[shapes]` and `[arrangements]`: which tile of a sheet is which shape of a terrain.

mod compose;
mod outside;
mod pictures;
#[cfg(feature = "draw")]
mod numbers;
mod ways;

use super::around::named;
use super::cursor::{Keys, Notes, Value, is_misplaced, unknown_name};
use super::load::Load;
use super::looks::LookSpec;
use super::model::twice;
use super::sheets::{Sheet, Sheets};
use super::terrains::Terrains;
use super::tile::read_mirror;
use crate::picture::Picture;
use lantern_quilt_core::autotile::{Edge, Kinds, Scheme, ShapeBasis, ShapeSet};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::tileset::Mirror;
#[cfg(feature = "draw")]
pub(super) use numbers::joins_of;
use outside::read_outside;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// A set of shapes and where its art is.
#[derive(Debug)]
pub(super) struct ShapeSpec {
    pub(super) set: ShapeSet,
    /// The place of its terrain from the ground up; later than all for heights.
    pub(super) rank: usize,
    pub(super) looks: Vec<LookSpec>,
    /// Tiles that were given a weight against others for the same neighbourhoods.
    pub(super) weighted: BTreeSet<String>,
    /// How many looks are composed of quarters, if they are.
    quarters: Option<usize>,
    #[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "placeholders use it"))]
    pub(super) drawn: Drawn,
}

/// Where the tiles of a set lie, and how they were assigned.
#[derive(Debug)]
#[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "placeholders use it"))]
pub(super) struct Drawn {
    pub(super) sheet: Option<Arc<Sheet>>,
    /// The first cell of each look.
    pub(super) from: Vec<[u32; 2]>,
    pub(super) way: Way,
}

/// How tiles are assigned to shapes.
#[derive(Debug)]
#[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "placeholders use it"))]
pub(super) enum Way {
    /// By their order, or by quarters.
    InOrder,
    /// By a list, their own or a shared one of that name.
    Listed(Option<String>),
    /// By a picture, and its file beside the quilt.
    Guide(String, Picture),
}

/// What sets of shapes are read against.
pub(super) struct Ground<'a> {
    pub(super) terrains: &'a Terrains,
    pub(super) sheets: &'a Sheets,
    pub(super) lattice: Lattice,
}

impl<'a> Ground<'a> {
    /// The sheet that is named, or the only one there is, in all or in the same file.
    fn sheet(&self, places: &Places, document: usize) -> Option<&'a Arc<Sheet>> {
        let sheets = self.sheets;
        let mut own = sheets.values().filter(|sheet| sheet.document == document);
        match &places.sheet {
            Some((name, _)) => sheets.get(name),
            None if sheets.len() == 1 => sheets.values().next(),
            None => own.next().filter(|_| own.next().is_none()),
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
            const OWN: [&str; 6] = ["scheme", "tiles", "arrangement", "guide", "at", "quarters"];
            if is_misplaced("shapes", (name, &span, &value), &OWN, notes) {
                continue;
            }
            let Some(keys) = value.table(notes) else { continue };
            if specs.iter().any(|known| known.set.name() == name) {
                twice("set of shapes", name, value.subject(), span, notes);
                continue;
            }
            let mut reader = Reader {
                name,
                span,
                ground,
                arrangements: &arrangements,
                load,
                looks: Vec::new(),
                weighted: BTreeSet::new(),
            };
            specs.extend(reader.read(keys, &value, notes));
        }
    }
    // What several sets share is read once for each, and reported once.
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
    weighted: BTreeSet<String>,
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
        let mut shared = None;
        let arrangement = keys.take("arrangement").and_then(|value| {
            let name = value.text(notes)?;
            shared = Some(name.to_owned());
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
            let text = format!("`{}` has no `scheme`", value.path);
            let help = "add `scheme = \"eight\"`: four, dual or eight, on hexagons six";
            notes.add(Finding::new(Code::MissingKey, subject, text).help(help), self.span.clone());
        }
        let tiles = own.or(arrangement.map(|one| one.tiles.clone()));
        let named = tiles.iter().flatten().filter_map(|tile| {
            let mut keys = tile.table(&mut Notes::default())?;
            keys.take("around")?.text(&mut Notes::default())
        });
        let letters: Vec<&str> = named.collect();
        let tag = keys.take("tag");
        let of = self.read_of(&mut keys, value, (tag.as_ref(), &letters), notes);
        let places = read_places(&mut keys, notes);
        let quartered = keys.take("quarters").and_then(|value| value.boolean(notes));
        let turns = keys.take("turns").and_then(|value| {
            let most = i64::from(lattice.turns());
            value.whole(1..most + 1, Code::BadTurns, notes).map(|turns| turns as u8)
        });
        let mirror = keys.take("mirror").map_or(Mirror::No, |value| read_mirror(&value, notes));
        let outside = keys.take("outside").map(|value| read_outside(self.ground, &value, notes));
        let strict = keys.take("strict").and_then(|value| value.boolean(notes)).unwrap_or(false);
        keys.finish(notes);
        let ((of, rank), scheme) = (of?, scheme?);
        let turns = turns.unwrap_or(1);
        let quartered = quartered.unwrap_or(false);
        let told = guide.is_some() || tiles.is_some();
        let mut way = if tiles.is_some() { Way::Listed(shared) } else { Way::InOrder };
        let tiles = match (guide, tiles) {
            (Some(guide), None) if matches!(&of, ShapeBasis::Heights(_)) => {
                let text = format!("`{}` looks at heights, and a guide shows terrains", value.path);
                let finding = Finding::new(Code::BadValue, guide.subject(), text);
                let help = "leave the guide out, or draw the neighbours of each tile in `tiles`";
                notes.add(finding.help(help), guide.span.clone());
                return None;
            }
            (Some(guide), None) if tag.is_some() => {
                let text = format!("`{}` follows a tag, and a guide shows terrains", value.path);
                let finding = Finding::new(Code::BadValue, guide.subject(), text);
                let help = "leave the guide out, or draw the neighbours of each tile in `tiles`";
                notes.add(finding.help(help), guide.span.clone());
                return None;
            }
            (Some(guide), None) if !quartered => {
                let (tiles, told_by) = self.read_guide(&guide, scheme, &of, &places, notes)?;
                way = told_by;
                tiles
            }
            (None, Some(tiles)) if !quartered => {
                self.read_tiles(&tiles, scheme, &of, &places, notes)
            }
            (None, None) if quartered => self.of_quarters(scheme, &of, &places, value, notes)?,
            (None, None) if matches!(&of, ShapeBasis::Blend(_)) && of.kinds() != 4 => {
                let text = format!("`{}` assigns no tiles", value.path);
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help =
                    "add `guide` or `tiles`: only a blend of two terrains has an order of its own";
                notes.add(finding.help(help), self.span.clone());
                return None;
            }
            (None, None) => self.arranged(scheme, &of, &places, (turns, mirror), notes),
            _ => {
                let text = format!("`{}` assigns tiles in more than one way", value.path);
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
        set.tag = tag.and_then(|tag| tag.text(notes).map(str::to_owned));
        set.outside = outside.unwrap_or_default();
        let looks_of = std::mem::take(&mut self.looks);
        let quarters = quartered.then_some(looks);
        let weighted = std::mem::take(&mut self.weighted);
        let sheet = self.ground.sheet(&places, notes.document).cloned();
        let drawn = Drawn { sheet, from: places.looks.iter().map(|(at, _)| *at).collect(), way };
        Some(ShapeSpec { set, rank, looks: looks_of, weighted, quarters, drawn })
    }

    /// One terrain, several that blend, or heights.
    fn read_of(
        &self,
        keys: &mut Keys<'k>,
        value: &Value<'k>,
        (tag, drawings): (Option<&Value<'k>>, &[&str]),
        notes: &mut Notes,
    ) -> Option<(ShapeBasis, usize)> {
        let terrains = self.ground.terrains;
        let (terrain, blend, heights) =
            (keys.take("terrain"), keys.take("blend"), keys.take("heights"));
        let followed = [&terrain, &blend, &heights].into_iter().flatten().chain(tag).count();
        if followed > 1 {
            let text = format!("`{}` follows more than one thing", value.path);
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = "keep one of `terrain`, `tag`, `blend` and `heights`";
            notes.add(finding.help(help), self.span.clone());
            return None;
        }
        if let Some(tag) = tag {
            // Above all terrains, below walls.
            let on = vec![tag.text(notes)?.to_owned()];
            let kinds = Kinds::new(on.clone(), Vec::new());
            return Some((ShapeBasis::Terrain { on, kinds }, usize::MAX - 1));
        }
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
            return Some((ShapeBasis::Heights(edge), usize::MAX));
        }
        if blend.is_some() {
            let names = terrains.find_all(blend, notes);
            let rank = names.iter().filter_map(|name| terrains.place(name)).min()?;
            // Of two, the second is the one that shapes are told by.
            let joined = if let [_, upper] = &names[..] { vec![upper.clone()] } else { Vec::new() };
            return Some((ShapeBasis::Blend(Kinds::new(joined, names)), rank));
        }
        let own = match terrain {
            Some(value) => terrains.find(&value, notes)?,
            None if terrains.place(self.name).is_some() => self.name.to_owned(),
            None => {
                let text =
                    format!("`{}` is not a terrain, and `{}` names none", self.name, value.path);
                let finding = Finding::new(Code::UnknownName, value.subject(), text);
                let help = if terrains.names.is_empty() {
                    "add `[terrains]` with a name and a colour each, from the ground up".to_owned()
                } else {
                    let names = terrains.names.join("`, `");
                    format!("add `terrain`, `tag`, `blend` or `heights`; terrains are `{names}`")
                };
                notes.add(finding.help(help), self.span.clone());
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
        Some((ShapeBasis::Terrain { on, kinds: Kinds::new(joined, told) }, rank))
    }

    /// Whether every cell lies in the sheet; said once for all of them.
    fn lies_inside(&self, places: &Places, value: &Value<'k>, notes: &mut Notes) -> bool {
        let sheet = self.ground.sheet(places, notes.document);
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
                "they reach to column {} and row {}; the sheet has {columns} columns (0 to {}) and \
                 {rows} rows (0 to {})",
                most(0),
                most(1),
                columns.saturating_sub(1),
                rows.saturating_sub(1)
            );
            let finding = Finding::new(Code::CellOutsideSheet, value.subject(), text);
            notes.add(finding.help(help), self.span.clone());
        }
        outside == 0
    }
}

/// Where the cells of a set lie.
fn read_places(keys: &mut Keys<'_>, notes: &mut Notes) -> Places {
    let cell = |value: Value<'_>, notes: &mut Notes| {
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
