//! The quilt file: TOML to a checked tileset, a layout and a recipe.
//!
//! `cursor` walks the text and keeps places; `model` makes sockets and tiles of it, `kinds` lists of
//! pairs, `pass` and `place` what a fill must satisfy; `art` reads and cuts pictures; `check` looks
//! for more. Each adds to the same findings, so one run reports all mistakes.

mod art;
mod check;
mod cursor;
mod kinds;
mod model;
mod pass;
mod place;
mod sample;

use super::folder::{Art, Folder};
use super::report::{Located, Report, Source};
use crate::art::TileArt;
use check::Accepted;
pub use check::Check;
use cursor::{Keys, Notes, Places, Value, unknown_name};
use lantern_quilt_core::audit::audit;
use lantern_quilt_core::constraints::PairRule;
use lantern_quilt_core::finding::{Code, Finding, Severity, Subject};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use lantern_quilt_core::map::{Origin, Tilemap};
use lantern_quilt_core::passes::{Collapse, layer_of};
use lantern_quilt_core::seed::Seed;
use lantern_quilt_core::solve::Run;
use std::fmt::Write as _;
use std::path::Path;
use toml::de::DeTable;
use xxhash_rust::xxh3::Xxh3;

/// The quilt versions this program reads.
const VERSION: i64 = 1;

/// A quilt, read and checked: everything a fill and a picture need.
#[derive(Debug)]
pub struct Quilt {
    /// Its title; empty when it has none.
    pub title: String,
    /// Lattice, size and wrapping of the map.
    pub layout: Layout,
    /// The seed that is used when no other is given.
    pub seed: Seed,
    /// The pass that fills the map.
    pub collapse: Collapse,
    /// The pictures of its tiles.
    pub art: TileArt,
    /// The picture files it reads, relative to it: no output may go there.
    pub pictures: Vec<String>,
    /// A hash of its text and art, in hexadecimal.
    pub hash: String,
    /// Warnings and notes that it does not accept.
    pub findings: Report,
    accepted: Vec<Accepted>,
    places: Places,
}

impl Quilt {
    /// Reads a quilt and its art; `root` (by default the quilt's folder) bounds where art may lie.
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn open(path: &Path, root: Option<&Path>) -> Result<Self, Report> {
        let name = path.display().to_string();
        let unreadable = |code, text: String| Report {
            source: Source { name: name.clone(), text: String::new() },
            findings: vec![Located {
                finding: Finding::new(code, Subject::Quilt, text),
                span: None,
                replaceable: false,
            }],
        };
        let data = std::fs::read(path)
            .map_err(|e| unreadable(Code::UnreadableFile, format!("cannot read the quilt: {e}")))?;
        let text = String::from_utf8(data).map_err(|e| {
            let valid = &e.as_bytes()[..e.utf8_error().valid_up_to()];
            let line = String::from_utf8_lossy(valid).matches('\n').count() + 1;
            let text = format!("line {line} is not UTF-8 text; save the quilt as UTF-8");
            unreadable(Code::NotText, text)
        })?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut art = Folder::new(folder);
        if let Some(root) = root {
            art = art.within(root);
        }
        Self::read(&text, &name, &art)
    }

    /// The map of a run that this quilt began, finished or not. O(cells).
    pub fn map_of(&self, run: &Run) -> Tilemap {
        let mut map = Tilemap::new(run.space().layout());
        map.origin = Origin {
            quilt: Path::new(&self.findings.source.name)
                .file_name()
                .map_or_else(String::new, |name| name.to_string_lossy().into_owned()),
            hash: self.hash.clone(),
            seed: run.seed().text().to_owned(),
        };
        map.layers.push(layer_of(run, self.collapse.tileset(), self.collapse.name()));
        map
    }

    /// Reads a quilt from text, with art from anywhere; `name` is what messages call the text.
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn read(text: &str, name: &str, art: &dyn Art) -> Result<Self, Report> {
        let mut notes = Notes::default();
        let mut hash = Xxh3::new();
        hash.update(text.as_bytes());
        let quilt = read(text, art, &mut notes, &mut hash);
        let mut findings = notes.findings;
        findings.sort_by_key(|f| {
            (f.span.as_ref().map_or(0, |span| span.start), std::cmp::Reverse(f.finding.severity()))
        });
        let source = Source { name: name.to_owned(), text: text.to_owned() };
        let report = Report { source, findings };
        match quilt {
            Some(mut quilt) if report.count(Severity::Error) == 0 => {
                quilt.pictures = notes.pictures;
                quilt.hash = format!("{:016x}", hash.digest());
                quilt.findings = report;
                check::drop_accepted(&mut quilt.findings.findings, &mut quilt.accepted);
                quilt.places = notes.places;
                Ok(quilt)
            }
            _ => Err(report),
        }
    }
}

fn read(text: &str, art: &dyn Art, notes: &mut Notes, hash: &mut Xxh3) -> Option<Quilt> {
    let (document, errors) = DeTable::parse_recoverable(text);
    if !errors.is_empty() {
        for error in errors {
            let message = error.message();
            let code =
                if message.contains("duplicate key") { Code::DuplicateName } else { Code::NotToml };
            let span = error.span().unwrap_or(0..0);
            notes.add(Finding::new(code, Subject::Quilt, message), span);
        }
        return None;
    }
    // The document's span may be empty or the whole text; its first line is where a reader looks.
    let first = 0..text.find('\n').unwrap_or(text.len());
    let mut top = Keys::new("", first, document.get_ref(), notes);
    let version = top.need("quilt", "begin the file with `quilt = 1`", notes);
    let version = version.map(|v| (v.whole(0..i64::MAX, Code::UnsupportedVersion, notes), v));
    if let Some((Some(number), value)) = &version
        && *number != VERSION
    {
        let text = format!("quilt version {number} is not one this program reads");
        let finding = Finding::new(Code::UnsupportedVersion, value.subject(), text);
        notes.add(finding.help(format!("write `quilt = {VERSION}`")), value.span.clone());
        return None;
    }
    let title = top.take("title").and_then(|v| v.text(notes)).unwrap_or_default().to_owned();
    let map = top.need("map", "add `[map]` with `lattice` and `size`", notes);
    let map = map.and_then(|v| v.table(notes)).map(|keys| read_map(keys, notes));
    let lattice = map.as_ref().and_then(|map| map.lattice);
    // Everything is read before anything is given up, so that all mistakes are found.
    let sheets = art::read_sheets(top.take("sheets"), art, notes, hash);
    let mut model = model::read_model(&mut top, lattice.unwrap_or(Lattice::Square), notes);
    let tile_art =
        art::cut_tiles(&model, &sheets, lattice.unwrap_or(Lattice::Square), art, notes, hash);
    let recipe = top.need("recipe", "add `[[recipe]]` with `pass = \"collapse\"`", notes);
    model.merge_poses(&tile_art);
    let lists = kinds::read_lists(&mut top, &model, notes);
    let layout = map.as_ref().and_then(|map| map.layout);
    let mut grounds = place::Grounds { model: &model, layout, art, hash };
    let samples = sample::read_samples(top.take("sample"), &tile_art, &mut grounds, notes);
    let mut pass = recipe.and_then(|v| read_recipe(&v, lists, &mut grounds, notes));
    model.learn_weights(&samples);
    if let Some(pass) = &mut pass {
        pass.constraints.samples = samples;
    }
    let accepted = check::read_accepted(top.take("accept"), notes);
    top.finish(notes);
    let (map, pass) = (map?, pass?);
    let layout = map.layout?;
    if notes.findings.iter().any(|f| f.finding.severity() == Severity::Error) {
        return None;
    }
    let tileset = model.build(notes)?;
    let mut collapse = match Collapse::new(pass.name, tileset, pass.constraints) {
        Ok(collapse) => collapse,
        Err(error) => {
            let finding = Finding::new(Code::TooManyPoses, Subject::Quilt, error.to_string());
            notes.add(finding, notes.places.find("tiles").unwrap_or(0..0));
            return None;
        }
    };
    collapse.search = pass.search;
    collapse.shades = pass.shades;
    for finding in audit(collapse.tileset(), collapse.rules(), collapse.constraints()) {
        notes.add_of_model(finding, "recipe.0");
    }
    Some(Quilt {
        title,
        layout,
        seed: map.seed,
        collapse,
        art: tile_art,
        pictures: Vec::new(),
        hash: String::new(),
        findings: Report {
            source: Source { name: String::new(), text: String::new() },
            findings: Vec::new(),
        },
        accepted,
        places: Places::default(),
    })
}

struct Map {
    lattice: Option<Lattice>,
    layout: Option<Layout>,
    seed: Seed,
}

fn read_map(mut keys: Keys<'_>, notes: &mut Notes) -> Map {
    let names = || Lattice::ALL.iter().map(|lattice| lattice.name());
    let mut lattice_help = String::from("one of");
    for name in names() {
        let _ = write!(lattice_help, " \"{name}\"");
    }
    let lattice = keys.need("lattice", &lattice_help, notes).and_then(|value| {
        let text = value.text(notes)?;
        let lattice = Lattice::from_name(text);
        if lattice.is_none() {
            unknown_name("lattice", &value, text, names(), notes);
        }
        lattice
    });
    let solid = lattice.is_some_and(Lattice::is_solid);
    let size_help = if solid { "`size = [16, 16, 8]`" } else { "`size = [40, 25]`" };
    let size = keys.need("size", size_help, notes);
    let extent_span = size.as_ref().map(|value| (value.span.clone(), value.subject()));
    let range = 1..i64::from(u32::MAX);
    let size = size.and_then(|value| {
        if solid {
            let [w, h, d] = value.wholes(range, Code::BadSize, notes)?;
            Some([w as u32, h as u32, d as u32])
        } else {
            let [w, h] = value.wholes(range, Code::BadSize, notes)?;
            Some([w as u32, h as u32, 1])
        }
    });
    let origin = keys.take("origin").and_then(|value| {
        let range = i64::from(i32::MIN)..i64::from(i32::MAX);
        if solid {
            let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::at(x as i32, y as i32, z as i32))
        } else {
            let [x, y] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::new(x as i32, y as i32))
        }
    });
    let wrap = keys.take("wrap").map_or(Wrap::NONE, |value| read_wrap(&value, solid, notes));
    let seed = keys.take("seed").and_then(|value| value.number_or_text(notes));
    keys.finish(notes);
    let layout = size.zip(lattice).and_then(|(size, lattice)| {
        let extent = Extent::new(origin.unwrap_or_default(), size);
        match extent.and_then(|extent| Layout::new(lattice, extent, wrap)) {
            Ok(layout) => Some(layout),
            Err(error) => {
                let (span, subject) = extent_span.unwrap_or((0..0, Subject::Quilt));
                notes.add(Finding::new(Code::BadSize, subject, error.to_string()), span);
                None
            }
        }
    });
    Map { lattice, layout, seed: seed.map_or_else(Seed::default, |text| Seed::from_text(&text)) }
}

fn read_wrap(value: &Value<'_>, solid: bool, notes: &mut Notes) -> Wrap {
    let mut wrap = Wrap::NONE;
    let axes: &[&str] = if solid { &["x", "y", "z"] } else { &["x", "y"] };
    for axis in value.array(notes) {
        match axis.text(notes) {
            Some("x") => wrap.x = true,
            Some("y") => wrap.y = true,
            Some("z") if solid => wrap.z = true,
            Some(other) => unknown_name("axis", &axis, other, axes.iter().copied(), notes),
            None => {}
        }
    }
    wrap
}

fn read_recipe(
    value: &Value<'_>,
    lists: Vec<PairRule>,
    grounds: &mut place::Grounds<'_>,
    notes: &mut Notes,
) -> Option<pass::Pass> {
    let mut passes = value.array(notes).into_iter();
    let Some(first) = passes.next() else {
        if value.is_array() {
            let finding = Finding::new(Code::MissingKey, value.subject(), "the recipe has no pass");
            notes.add(
                finding.help("add `[[recipe]]` with `pass = \"collapse\"`"),
                value.span.clone(),
            );
        }
        return None;
    };
    let pass = first.table(notes).and_then(|keys| pass::read_pass(keys, lists, grounds, notes));
    for more in passes {
        let finding = Finding::new(Code::NotYet, more.subject(), "a recipe has one pass for now");
        notes.add(finding.help("take this pass out"), more.span.clone());
    }
    pass
}
