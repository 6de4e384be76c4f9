//! Text to a quilt: every part in turn, all mistakes at once.

use super::accepted;
use super::belongs::add_homes;
use super::changes::{self, Change, Changes};
use super::checked::Quilt;
use super::cursor::{Keys, Notes, Places, shift};
use super::cut::{self, Cut};
use super::documents::{Document, Gathered, gather};
use super::drawn;
use super::expect;
use super::geometry::read_geometry;
use super::grounds::Grounds;
use super::items;
use super::kinds;
use super::load::Load;
use super::map::read_map;
use super::model::Model;
use super::modelled::{model_uses, read_models, say_bare};
use super::modules;
use super::named::read_model;
use super::options::QuiltOptions;
use super::passes::{Common, FillSpec, Read, Reading, known_names};
use super::patterns;
use super::recipe::{self, PassSpec};
use super::sample;
use super::seams::read_seams;
use super::shapes;
use super::sheets;
use super::sides::{PixelSides, read_shown_sides};
use super::terrains;
use super::view::read_view;
use crate::files::folder::{Art, Folder, read_file};
use crate::files::report::{Located, Report, Source};
use crate::models::ModelArt;
use lantern_quilt_core::audit::audit;
use lantern_quilt_core::audit::room::audit_counts;
use lantern_quilt_core::audit::whole::audit_whole;
use lantern_quilt_core::constraints::Sample;
use lantern_quilt_core::finding::{Code, Finding, Severity, Subject};
use lantern_quilt_core::lattice::{Lattice, Layout};
use lantern_quilt_core::passes::{Collapse, FillStep, Step};
use lantern_quilt_core::recipe::{Pass, Recipe};
use lantern_quilt_core::solve::Order;
use lantern_quilt_core::tileset::Tileset;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use toml::de::DeTable;
use xxhash_rust::xxh3::Xxh3;

/// The quilt versions this program reads.
const VERSION: i64 = 1;

/// The most bytes of a quilt's text: 16 MiB.
pub(super) const MOST_TEXT: u64 = 16 << 20;

impl Quilt {
    /// Reads a quilt and its art, which must lie in the quilt's folder.
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn open(path: &Path) -> Result<Self, Report> {
        Self::open_with(path, &QuiltOptions::new())
    }

    /// As [`open`](Self::open), in one of its variants, with other values, or with art from elsewhere.
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn open_with(path: &Path, options: &QuiltOptions) -> Result<Self, Report> {
        let name = path.display().to_string();
        let unreadable = |code, text: String| Report {
            source: Source { name: name.clone(), text: String::new() },
            included: Vec::new(),
            findings: vec![Located {
                finding: Finding::new(code, Subject::Quilt, text),
                span: None,
                replaceable: false,
            }],
            unknown: Vec::new(),
        };
        let data = read_file(path, MOST_TEXT)
            .map_err(|e| unreadable(Code::UnreadableFile, format!("cannot read the quilt: {e}")))?;
        let text = String::from_utf8(data).map_err(|e| {
            let valid = &e.as_bytes()[..e.utf8_error().valid_up_to()];
            let line = String::from_utf8_lossy(valid).matches('\n').count() + 1;
            let text = format!("line {line} is not UTF-8 text; save the quilt as UTF-8");
            unreadable(Code::NotText, text)
        })?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let art = Folder::new(folder).within(options.root_or(folder));
        Self::read_with(&text, &name, &art, options)
    }

    /// Reads a quilt from text, with art from anywhere; `name` is what messages call the text.
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn read(text: &str, name: &str, art: &dyn Art) -> Result<Self, Report> {
        Self::read_with(text, name, art, &QuiltOptions::new())
    }

    /// As [`read`](Self::read), in one of its variants or with other values.
    ///
    /// ```
    /// use lantern_quilt::files::{Folder, Quilt, QuiltOptions};
    ///
    /// let text = r#"
    /// quilt = 1
    /// map = { lattice = "square", size = [8, 8] }
    /// terrains.moss = "m"
    /// recipe = [{ pass = "noise", name = "ground", bands = [{ terrain = "moss" }] }]
    /// "#;
    /// let wide = QuiltOptions::new().set("map.size=[12, 8]");
    /// let quilt = Quilt::read_with(text, "small", &Folder::new("."), &wide)?;
    /// assert_eq!(quilt.layout.extent().width(), 12);
    /// # Ok::<(), lantern_quilt::files::Report>(())
    /// ```
    ///
    /// # Errors
    /// Every mistake found, with its place.
    pub fn read_with(
        text: &str,
        name: &str,
        art: &dyn Art,
        options: &QuiltOptions,
    ) -> Result<Self, Report> {
        let changes = options.changes();
        let mut notes = Notes::default();
        let mut hash = Xxh3::new();
        hash.update(text.as_bytes());
        let Gathered { documents, mut sources } = gather(text, name, art, &mut notes, &mut hash);
        let mut base: usize = sources.iter().map(|source| source.text.len() + 1).sum();
        let mut texts = Vec::new();
        for source in changes.sources() {
            hash.update(source.text.as_bytes());
            texts.push(Change { text: source.text.clone(), base });
            base += source.text.len() + 1;
            sources.push(source);
        }
        let load = Load {
            art,
            folders: documents.iter().map(|document| &*document.folder).collect(),
            hash: &mut hash,
            most_pixels: options.pixels(),
            pixels_left: options.pixels(),
            models_left: options.of_models(),
        };
        let quilt = read(&documents, (changes, &texts), load, &mut notes);
        let mut findings = notes.findings;
        add_homes(&mut findings);
        findings.sort_by_key(|f| {
            (f.span.as_ref().map_or(0, |span| span.start), std::cmp::Reverse(f.finding.severity()))
        });
        let included = sources.split_off(1);
        let source = sources.remove(0);
        let report = Report { source, included, findings, unknown: notes.unknown };
        match quilt {
            Some(mut quilt) if report.count(Severity::Error) == 0 => {
                quilt.pictures = notes.pictures;
                quilt.later = notes.later;
                quilt.hash = format!("{:016x}", hash.digest());
                quilt.findings = report;
                accepted::drop_accepted(&mut quilt.findings.findings, &mut quilt.accepted);
                quilt.places = notes.places;
                quilt.changes = changes.clone();
                Ok(quilt)
            }
            _ => Err(report),
        }
    }
}

/// What a file that another includes may give.
const SHARED: &str = "an included file gives sheets, sockets, tiles, items, shapes, keys and lists of pairs; \
                      everything else belongs in the quilt";

pub(super) fn read(
    documents: &[Document],
    (changes, texts): (&Changes, &[Change]),
    mut load: Load<'_>,
    notes: &mut Notes,
) -> Option<Quilt> {
    let mut parsed = Vec::new();
    for document in documents {
        let (table, errors) = DeTable::parse_recoverable(&document.text);
        for error in errors {
            let message = error.message();
            let code =
                if message.contains("duplicate key") { Code::DuplicateName } else { Code::NotToml };
            let span = shift(error.span().unwrap_or(0..0), document.base);
            let finding = if code == Code::DuplicateName {
                let text = "this key or table is given twice";
                Finding::new(code, Subject::Quilt, text).help(
                    "keep all lines of a table below one `[...]`, and each key once: a line like \
                     `terrains.moss = ...` counts as the table as well",
                )
            } else {
                Finding::new(code, Subject::Quilt, message)
            };
            notes.add(finding, span);
        }
        parsed.push(table);
    }
    if notes.findings.iter().any(|f| [Code::NotToml, Code::DuplicateName].contains(&f.finding.code))
    {
        return None;
    }
    changes::apply(&mut parsed, documents, changes, texts, notes);
    let mut tops = Vec::new();
    for (document, table) in documents.iter().zip(&parsed) {
        // The span of a file may be empty or all of it; its first line is where a reader looks.
        let first = 0..document.text.find('\n').unwrap_or(document.text.len());
        let span = shift(first, document.base);
        let mut top = Keys::new("", span, table.get_ref(), document.base, notes);
        read_version(&mut top, notes)?;
        let _ = top.take("include").map(|value| value.one_or_more(notes)).map(|files| {
            files.iter().filter_map(|file| file.text(notes)).count();
        });
        tops.push(top);
    }
    let sampled = tops.last().is_some_and(|top| top.has("sample") || top.has("pattern"));
    let top = tops.last_mut().expect("the quilt itself");
    let title = top.take("title").and_then(|v| v.text(notes)).unwrap_or_default().to_owned();
    let map = top.need("map", "add `[map]` with `lattice` and `size`", notes);
    let map = map.and_then(|v| v.table(notes)).map(|keys| read_map(keys, notes));
    let lattice = map.as_ref().and_then(|map| map.lattice);
    let recipe = top.need("recipe", "add a `[[recipe]]` with `pass = \"collapse\"`", notes);
    let begun = recipe::begin(recipe, notes);
    let variants = changes::read_variants(top.take("variants"), &parsed, notes);
    let seams = read_seams(top.take("seams"), notes);
    let terrains = terrains::read_terrains(top, notes);
    // Everything is read before anything is given up, so that all mistakes are found.
    let sheets = sheets::read_sheets(&mut tops, &mut load, notes);
    let lattice = lattice.unwrap_or(Lattice::Square);
    let windows = patterns::begin(top_of(&mut tops).take("pattern"), lattice, &mut load, notes);
    let painted = patterns::colours(&windows, lattice, notes);
    let asked = (sampled, recipe::fills(&begun));
    let mut model = read_model(&mut tops, lattice, asked, painted, notes);
    let ground = shapes::Ground { terrains: &terrains, sheets: &sheets, lattice };
    let shapes = shapes::read_shapes(&mut tops, &ground, &mut load, notes);
    let items = items::read_items(&mut tops, lattice, notes);
    let places = modules::read_places(top_of(&mut tops).take("models"), notes);
    let view = read_view(top_of(&mut tops).take("view"), notes);
    let module = map.as_ref().and_then(|map| map.module.as_ref());
    let Cut { art: mut tile_art, voxels, used } =
        cut::cut_tiles(&model, &shapes, &items, &sheets, lattice, &mut load, notes);
    cut::paint_tiles(&model, &mut tile_art);
    let size = module.map_or([1.0; 3], |(size, _)| *size);
    let uses = model_uses(&model, &shapes, &items);
    let models = read_models(&uses, &places, size, lattice, &mut load, notes);
    let blocks = model.blocks.iter().any(|block| block.air || block.colour.is_some());
    if models.is_some() && lattice.is_solid() {
        say_bare(&uses, &model, notes);
    }
    if models.is_some() || blocks || module.is_some() || !voxels.is_empty() {
        let mut models = models.unwrap_or_else(|| ModelArt::new(size));
        for block in &model.blocks {
            if block.air {
                models.set_air(block.tile.clone());
            }
            if let Some(colour) = block.colour {
                models.set_colour(block.tile.clone(), colour);
            }
        }
        for one in voxels {
            models.add_voxels(one.tile, one.look, one.voxels);
        }
        tile_art.set_models(models);
    }
    let pixels = PixelSides { art: &tile_art, lattice };
    read_shown_sides(&mut model, &pixels, seams.tolerance, notes);
    let near_sides = read_geometry(&mut model, &tile_art, &seams, notes);
    model.merge_poses(&tile_art);
    let mut lists = Vec::new();
    for top in &mut tops {
        lists.extend(kinds::read_lists(top, &model, notes));
    }
    let layout = map.as_ref().and_then(|map| map.layout);
    let keys = drawn::read_keys(&mut tops, &model, notes);
    let mut top = tops.pop().expect("the quilt itself");
    for shared in tops {
        shared.finish_with(SHARED, notes);
    }
    let mut grounds = Grounds { model: &model, layout, load };
    let samples = sample::read_samples(top.take("sample"), &keys, &tile_art, &mut grounds, notes);
    let patterns = patterns::read(windows, &keys, &tile_art, &mut grounds, notes);
    let names = known_names(&model, &terrains, &items, &shapes);
    let mut reading = Reading { names, grounds, shapes: &shapes, lists, patterns: &patterns };
    let specs = recipe::read_recipe(begun, &mut reading, notes);
    let expected = expect::read_expected(top.take("expect"), &mut reading, notes);
    patterns::say_idle(&patterns, notes);
    model.learn_weights(&samples);
    let accepted = accepted::read_accepted(top.take("accept"), notes);
    top.finish(notes);
    let map = map?;
    let layout = map.layout?;
    if notes.findings.iter().any(|f| f.finding.severity() == Severity::Error) {
        return None;
    }
    let near = std::mem::take(&mut model.near);
    let (recipe, mut pass_paths) = compile(specs, &model, &samples, layout, notes)?;
    recipe::say_circle(&recipe, &pass_paths, notes)?;
    let stands = expected.iter().map(|(one, path)| (format!("expect.{}", one.name), path.clone()));
    pass_paths.extend(stands);
    let recipe = recipe.expecting(expected.into_iter().map(|(one, _)| one));
    // Several fills by the same rules say the same.
    notes.tell_once();
    Some(Quilt {
        title,
        layout,
        seed: map.seed,
        recipe,
        variants: variants.into_iter().map(|variant| variant.name).collect(),
        changes: Changes::default(),
        art: tile_art,
        terrains: terrains.list(),
        pictures: Vec::new(),
        hash: String::new(),
        findings: Report {
            source: Source { name: String::new(), text: String::new() },
            included: Vec::new(),
            findings: Vec::new(),
            unknown: Vec::new(),
        },
        later: Vec::new(),
        near,
        near_sides,
        #[cfg(feature = "models")]
        seams,
        accepted,
        places: Places::default(),
        shapes,
        key: terrains.key,
        used,
        view,
        pass_paths,
    })
}

/// The quilt itself, the last of its files.
fn top_of<'t, 'k>(tops: &'t mut [Keys<'k>]) -> &'t mut Keys<'k> {
    tops.last_mut().expect("the quilt itself")
}

/// The recipe, its fills compiled, and where in the quilt each pass stands.
fn compile(
    specs: Vec<PassSpec>,
    model: &Model,
    samples: &[Sample],
    layout: Layout,
    notes: &mut Notes,
) -> Option<(Recipe, BTreeMap<String, String>)> {
    let fills = specs.iter().any(|spec| matches!(spec.read, Read::Fill(_)));
    let tileset = match model.built() {
        _ if !fills => None,
        Ok(set) => Some(set.clone()),
        Err(findings) => {
            for finding in findings {
                notes.add_of_model(finding.clone(), "");
            }
            return None;
        }
    };
    let mut paths = BTreeMap::new();
    let mut passes = Vec::new();
    for PassSpec { common, read, drawn_at } in specs {
        let Common { name, group, into, place, roll, appears, drawn_above, keep, path, .. } =
            common;
        paths.insert(name.clone(), path.clone());
        let step: Arc<dyn Step> = match (read, &tileset) {
            (Read::Step(step), _) => step,
            (Read::Fill(mut fill), Some(tileset)) => {
                if fill.patterns.is_none() {
                    fill.constraints.samples = samples.to_vec();
                }
                let tileset = match own_weights(tileset, &fill, !samples.is_empty()) {
                    Ok(set) => set,
                    Err(findings) => {
                        for finding in findings {
                            notes.add_of_model(finding, &path);
                        }
                        return None;
                    }
                };
                let step =
                    compile_fill(&name, *fill, tileset, layout, &path, into.is_some(), notes)?;
                Arc::new(step)
            }
            (Read::Fill(_), None) => continue,
        };
        let mut pass = Pass::of(name, step);
        (pass.group, pass.into, pass.place) = (group, into, place);
        (pass.roll, pass.keep) = (roll, keep);
        (pass.appears, pass.appears_per) = appears;
        pass.drawn_at = Some(drawn_at);
        pass.drawn_above = drawn_above.into_iter().map(|(name, _)| name).collect();
        passes.push(pass);
    }
    Some((Recipe::new(passes), paths))
}

/// The tiles with the shares and weights of one fill.
fn own_weights(
    tileset: &Arc<Tileset>,
    fill: &FillSpec,
    sampled: bool,
) -> Result<Arc<Tileset>, Vec<Finding>> {
    let shared = match &fill.shares {
        Some(shares) => Arc::new(shares.of(tileset, sampled)?),
        None => tileset.clone(),
    };
    if fill.weights.is_empty() {
        return Ok(shared);
    }
    shared.with_weights(&fill.weights).map(Arc::new).map_err(|error| error.findings)
}

/// A fill, with what can be said of it at once.
fn compile_fill(
    name: &str,
    fill: FillSpec,
    tileset: Arc<Tileset>,
    layout: Layout,
    path: &str,
    begun: bool,
    notes: &mut Notes,
) -> Option<FillStep> {
    let collapse = match fill.patterns {
        Some(patterns) => Ok(Collapse::by_patterns(name, tileset, fill.constraints, patterns)),
        None => Collapse::new(name, tileset, fill.constraints),
    };
    let mut collapse = match collapse {
        Ok(collapse) => collapse,
        Err(error) => {
            let finding = Finding::new(Code::TooManyPoses, Subject::Quilt, error.to_string());
            notes.add(finding, notes.places.find("tiles").unwrap_or(0..0));
            return None;
        }
    };
    (collapse.search, collapse.shades, collapse.fallback) =
        (fill.search, fill.shades, fill.fallback);
    collapse.begins = fill.begins;
    let constraints = collapse.constraints();
    let spreads = matches!(collapse.search.order, Order::Spread(_));
    if !constraints.counts.is_empty() || !constraints.connected.is_empty() || spreads {
        let space = collapse.space(layout);
        let (set, rules) = (collapse.tileset(), collapse.rules());
        let order = collapse.search.order;
        let counts = audit_counts(set, rules, constraints, &space);
        let whole = audit_whole(set, rules, constraints, &space, order, begun);
        for finding in counts.into_iter().chain(whole) {
            notes.add_of_model(finding, path);
        }
    }
    if collapse.patterns().is_some() {
        let step = FillStep::new(collapse);
        return Some(match fill.coarse {
            Some(coarse) => step.coarse(coarse),
            None => step,
        });
    }
    for finding in audit(collapse.tileset(), collapse.rules(), collapse.constraints()) {
        notes.add_of_model(finding, path);
    }
    let step = FillStep::new(collapse);
    Some(match fill.coarse {
        Some(coarse) => step.coarse(coarse),
        None => step,
    })
}

/// `quilt = 1`; nothing when this program cannot read on.
fn read_version(top: &mut Keys<'_>, notes: &mut Notes) -> Option<()> {
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
    Some(())
}
