//! `[[recipe]]`: the steps that make a map, one after the other.

use super::Quilt;
use super::condition::Names;
use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::marks::{read_clear, read_noise, read_tag};
use super::pass::{self, read_collapse};
use super::place::Grounds;
use super::plan::{read_autotile, read_plan};
use super::shapes::ShapeSpec;
use super::terrains::Terrains;
use lantern_quilt_core::constraints::PairRule;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::map::{Origin, Tilemap};
use lantern_quilt_core::passes::{Autotile, ClearPass, NoisePass, Plan, StandIn, TagPass};
use lantern_quilt_core::seed::Seed;
use lantern_quilt_core::solve::{Job, Run};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// One step of a recipe.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Step {
    /// The layer of [`Quilt::collapse`] is laid.
    Collapse,
    /// Painted terrain or heights are laid.
    Plan(Plan),
    /// Shapes are laid over terrain.
    Autotile(Autotile),
    /// Noise becomes terrain, tags or heights.
    Noise(NoisePass),
    /// Cells get and lose tags.
    Tag(TagPass),
    /// What lies on cells is taken away.
    Clear(ClearPass),
}

impl Step {
    /// The name of the pass; that of a fill is the name of its layer.
    pub fn name<'a>(&'a self, quilt: &'a Quilt) -> &'a str {
        match self {
            Self::Collapse => quilt.collapse.as_ref().map_or("collapse", |pass| pass.name()),
            Self::Plan(pass) => pass.name(),
            Self::Autotile(pass) => pass.name(),
            Self::Noise(pass) => &pass.name,
            Self::Tag(pass) => &pass.name,
            Self::Clear(pass) => &pass.name,
        }
    }
}

/// A map that a recipe made.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Made {
    /// The map.
    pub map: Tilemap,
    /// Shapes that were missing, and what stands in their place.
    pub stand_ins: Vec<StandIn>,
}

impl Quilt {
    /// The fill of its recipe for one map; `None` when it has none, and [`make`](Self::make) is all
    /// there is to do.
    pub fn job(&self, layout: Layout, seed: &Seed) -> Option<Job> {
        self.collapse.as_ref().map(|collapse| collapse.job(layout, seed))
    }

    /// Follows the recipe; after each step `each` is shown its name and the map so far, and says whether
    /// to go on. See [`make`](Self::make).
    pub fn make_stepwise(
        &self,
        layout: Layout,
        seed: &Seed,
        run: Option<&Run>,
        each: &mut dyn FnMut(&str, &Tilemap) -> bool,
    ) -> Made {
        let mut map = self.blank(layout, seed);
        let mut stand_ins = Vec::new();
        for step in &self.recipe {
            match step {
                Step::Collapse => {
                    let layer = self.collapse.as_ref().zip(run).map(|(pass, run)| pass.layer(run));
                    map.layers.extend(layer);
                }
                Step::Plan(plan) => {
                    plan.apply(&mut map);
                }
                Step::Autotile(autotile) => stand_ins.extend(autotile.apply(&mut map, seed)),
                Step::Noise(pass) => {
                    pass.apply(&mut map, seed);
                }
                Step::Tag(pass) => {
                    pass.apply(&mut map, seed);
                }
                Step::Clear(pass) => {
                    pass.apply(&mut map, seed);
                }
            }
            if !each(step.name(self), &map) {
                break;
            }
        }
        Made { map, stand_ins }
    }

    /// The map as it is before a pass, and the cells that the pass would use; `None` when no pass of that
    /// name has a condition.
    pub fn cells_of(
        &self,
        layout: Layout,
        seed: &Seed,
        run: Option<&Run>,
        pass: &str,
    ) -> Option<(Tilemap, BitPlane)> {
        let number = self.recipe.iter().position(|step| step.name(self) == pass)?;
        let place = match &self.recipe[number] {
            Step::Noise(pass) => &pass.place,
            Step::Tag(pass) => &pass.place,
            Step::Clear(pass) => &pass.place,
            Step::Collapse | Step::Plan(_) | Step::Autotile(_) => return None,
        };
        let mut map = self.blank(layout, seed);
        if number > 0 {
            let mut left = number;
            map = self
                .make_stepwise(layout, seed, run, &mut |_, _| {
                    left -= 1;
                    left > 0
                })
                .map;
        }
        let cells = place.cells(&map, seed, pass);
        Some((map, cells))
    }

    /// A map with nothing on it that says where it comes from.
    fn blank(&self, layout: Layout, seed: &Seed) -> Tilemap {
        let mut map = Tilemap::new(layout);
        map.origin = Origin {
            quilt: Path::new(&self.findings.source.name)
                .file_name()
                .map_or_else(String::new, |name| name.to_string_lossy().into_owned()),
            hash: self.hash.clone(),
            seed: seed.text().to_owned(),
        };
        map
    }

    /// Follows the recipe. `run` is that of its fill, finished or not; without one its layer is left
    /// out. O(cells x passes).
    pub fn make(&self, layout: Layout, seed: &Seed, run: Option<&Run>) -> Made {
        self.make_stepwise(layout, seed, run, &mut |_, _| true)
    }

    /// The map of a run that this quilt began, finished or not. O(cells x passes).
    pub fn map_of(&self, run: &Run) -> Tilemap {
        self.make(run.space().layout(), run.seed(), Some(run)).map
    }
}

/// A pass whose kind is known, to be read when all it refers to is.
pub(super) struct Begun<'a> {
    kind: Kind,
    keys: Keys<'a>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Collapse,
    Plan,
    Autotile,
    Noise,
    Tag,
    Clear,
}

const KINDS: [(&str, Kind); 6] = [
    ("collapse", Kind::Collapse),
    ("plan", Kind::Plan),
    ("autotile", Kind::Autotile),
    ("noise", Kind::Noise),
    ("tag", Kind::Tag),
    ("clear", Kind::Clear),
];

/// The kinds of all passes.
pub(super) fn begin<'a>(value: Option<Value<'a>>, notes: &mut Notes) -> Vec<Begun<'a>> {
    let Some(value) = value else { return Vec::new() };
    let passes = value.array(notes);
    if passes.is_empty() && value.is_array() {
        let finding = Finding::new(Code::MissingKey, value.subject(), "the recipe has no pass");
        notes.add(finding.help("add `[[recipe]]` with `pass = \"collapse\"`"), value.span.clone());
    }
    let mut begun: Vec<Begun<'a>> = Vec::new();
    for pass in passes {
        let Some(mut keys) = pass.table(notes) else { continue };
        let Some(named) = keys.need("pass", "`pass = \"collapse\"`", notes) else { continue };
        let Some(text) = named.text(notes) else { continue };
        let Some(&(_, kind)) = KINDS.iter().find(|(name, _)| *name == text) else {
            unknown_name("pass", &named, text, KINDS.map(|(name, _)| name), notes);
            continue;
        };
        if kind == Kind::Collapse && fills(&begun) {
            let text = "a recipe has one `collapse` for now";
            let finding = Finding::new(Code::NotYet, pass.subject(), text);
            notes.add(finding.help("take this pass out"), pass.span.clone());
            continue;
        }
        begun.push(Begun { kind, keys });
    }
    begun
}

/// Whether any pass fills the map.
pub(super) fn fills(begun: &[Begun<'_>]) -> bool {
    begun.iter().any(|pass| pass.kind == Kind::Collapse)
}

/// What the recipe says.
pub(super) struct Recipe {
    pub(super) steps: Vec<Step>,
    /// The pass that fills the map, and its path.
    pub(super) fill: Option<(pass::Pass, String)>,
}

pub(super) fn read_recipe(
    begun: Vec<Begun<'_>>,
    lists: Vec<PairRule>,
    terrains: &Terrains,
    shapes: &[ShapeSpec],
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Recipe {
    let mut recipe = Recipe { steps: Vec::new(), fill: None };
    let mut lists = Some(lists);
    let mut names: Vec<String> = Vec::new();
    let mut known = known_names(terrains, shapes, grounds);
    for Begun { kind, keys } in begun {
        let (path, span) = (keys.path().to_owned(), keys.span.clone());
        let (step, name) = match kind {
            Kind::Collapse => {
                let pass = read_collapse(keys, lists.take().unwrap_or_default(), grounds, notes);
                let name = pass.name.clone();
                known.layers.insert(name.clone());
                recipe.fill = Some((pass, path.clone()));
                (Some(Step::Collapse), Some(name))
            }
            Kind::Plan => {
                let plan = read_plan(keys, terrains, grounds, notes);
                let name = plan.as_ref().map(|plan| plan.name().to_owned());
                (plan.map(Step::Plan), name)
            }
            Kind::Autotile => {
                let autotile = read_autotile(keys, shapes, notes);
                let name = autotile.as_ref().map(|autotile| autotile.name().to_owned());
                let sets = autotile.iter().flat_map(Autotile::sets);
                known.layers.extend(sets.map(|set| set.name().to_owned()));
                (autotile.map(Step::Autotile), name)
            }
            Kind::Noise => {
                let pass = read_noise(keys, &mut known, notes);
                let name = pass.name.clone();
                (Some(Step::Noise(pass)), Some(name))
            }
            Kind::Tag => {
                let pass = read_tag(keys, &mut known, notes);
                let name = pass.name.clone();
                (Some(Step::Tag(pass)), Some(name))
            }
            Kind::Clear => {
                let pass = read_clear(keys, &known, notes);
                let name = pass.name.clone();
                (Some(Step::Clear(pass)), Some(name))
            }
        };
        if let Some(name) = name {
            if names.contains(&name) {
                let text = format!("two passes are named `{}`", shorten(&name));
                let subject = lantern_quilt_core::finding::Subject::Field(path);
                let finding = Finding::new(Code::DuplicateName, subject, text);
                notes.add(finding.help("give each a `name` of its own"), span);
            }
            names.push(name);
        }
        recipe.steps.extend(step);
    }
    recipe
}

/// What conditions may name before any pass.
fn known_names<'a>(
    terrains: &'a Terrains,
    shapes: &[ShapeSpec],
    grounds: &Grounds<'_>,
) -> Names<'a> {
    let mut tiles: BTreeSet<String> = grounds.model.tiles.keys().cloned().collect();
    let drawn = shapes.iter().flat_map(|spec| spec.set.tiles());
    tiles.extend(drawn.filter_map(|tile| tile.tile.clone()));
    let mut tagged: BTreeMap<String, Vec<String>> = BTreeMap::new();
    if let Some(set) = grounds.model.set_so_far() {
        for tile in set.tiles().iter().filter(|tile| tile.is_first()) {
            for &tag in tile.tags() {
                let name = set.tags()[tag].clone();
                tagged.entry(name).or_default().push(tile.name().to_owned());
            }
        }
    }
    let (tags, layers) = (BTreeSet::new(), BTreeSet::new());
    Names { terrains, tiles, tagged, tags, layers }
}
