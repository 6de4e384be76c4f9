//! `[[recipe]]`: the steps that make a map, one after the other.

use super::Quilt;
use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::pass::{self, read_collapse};
use super::place::Grounds;
use super::plan::{read_autotile, read_plan};
use super::shapes::ShapeSpec;
use super::terrains::Terrains;
use lantern_quilt_core::constraints::PairRule;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::map::{Origin, Tilemap};
use lantern_quilt_core::passes::{Autotile, Plan, StandIn};
use lantern_quilt_core::seed::Seed;
use lantern_quilt_core::solve::{Job, Run};
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

    /// Follows the recipe. `run` is that of its fill, finished or not; without one its layer is left
    /// out. O(cells x passes).
    pub fn make(&self, layout: Layout, seed: &Seed, run: Option<&Run>) -> Made {
        let mut map = Tilemap::new(layout);
        map.origin = Origin {
            quilt: Path::new(&self.findings.source.name)
                .file_name()
                .map_or_else(String::new, |name| name.to_string_lossy().into_owned()),
            hash: self.hash.clone(),
            seed: seed.text().to_owned(),
        };
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
            }
        }
        Made { map, stand_ins }
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
}

const KINDS: [(&str, Kind); 3] =
    [("collapse", Kind::Collapse), ("plan", Kind::Plan), ("autotile", Kind::Autotile)];

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
    for Begun { kind, keys } in begun {
        let (path, span) = (keys.path().to_owned(), keys.span.clone());
        let (step, name) = match kind {
            Kind::Collapse => {
                let pass = read_collapse(keys, lists.take().unwrap_or_default(), grounds, notes);
                let name = pass.name.clone();
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
                (autotile.map(Step::Autotile), name)
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
