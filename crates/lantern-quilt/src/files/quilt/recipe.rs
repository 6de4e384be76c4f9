//! `[[recipe]]`: the passes that make a map, one after the other.

use super::condition::Names;
use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use super::items::ItemSpec;
use super::making::{Pass, Step};
use super::marks::{read_clear, read_noise, read_tag};
use super::pass::{self, read_collapse};
use super::place::Grounds;
use super::placing::read_place;
use super::plan::{read_autotile, read_plan};
use super::shapes::ShapeSpec;
use super::stamps::read_stamp;
use super::terrains::Terrains;
use lantern_quilt_core::constraints::PairRule;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::passes::{Autotile, Condition};
use std::collections::{BTreeMap, BTreeSet};

/// A pass whose kind is known, to be read when all it refers to is.
pub(super) struct Begun<'a> {
    kind: Kind,
    keys: Keys<'a>,
    on: bool,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Collapse,
    Plan,
    Autotile,
    Noise,
    Tag,
    Clear,
    Place,
    Stamp,
}

const KINDS: [(&str, Kind); 8] = [
    ("collapse", Kind::Collapse),
    ("plan", Kind::Plan),
    ("autotile", Kind::Autotile),
    ("noise", Kind::Noise),
    ("tag", Kind::Tag),
    ("clear", Kind::Clear),
    ("place", Kind::Place),
    ("stamp", Kind::Stamp),
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
        let on = keys.take("on").and_then(|value| value.boolean(notes)).unwrap_or(true);
        begun.push(Begun { kind, keys, on });
    }
    begun
}

/// Whether any pass fills a map.
pub(super) fn fills(begun: &[Begun<'_>]) -> bool {
    begun.iter().any(|pass| pass.kind == Kind::Collapse)
}

/// What every pass may say.
pub(super) struct Common {
    pub(super) name: String,
    pub(super) group: Option<String>,
    pub(super) into: Option<String>,
    pub(super) place: Condition,
}

/// What the recipe says.
pub(super) struct Recipe {
    /// Its passes, those that are switched off left out.
    pub(super) passes: Vec<Pass>,
    /// The passes that fill, and their paths.
    pub(super) fills: Vec<(pass::Pass, String)>,
}

/// What passes are read against.
pub(super) struct Stock<'a> {
    pub(super) lists: Vec<PairRule>,
    pub(super) terrains: &'a Terrains,
    pub(super) shapes: &'a [ShapeSpec],
    pub(super) items: &'a [ItemSpec],
}

pub(super) fn read_recipe(
    begun: Vec<Begun<'_>>,
    stock: &Stock<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Recipe {
    let mut recipe = Recipe { passes: Vec::new(), fills: Vec::new() };
    let mut names: Vec<String> = Vec::new();
    let mut known = known_names(stock, grounds);
    for Begun { kind, mut keys, on } in begun {
        let (path, span) = (keys.path().to_owned(), keys.span.clone());
        let common = read_common(kind, &mut keys, &known, grounds, notes);
        let Common { name, group, into, place } = &common;
        let (name, group, into, place) = (name.clone(), group.clone(), into.clone(), place.clone());
        let layer = into.clone().unwrap_or_else(|| name.clone());
        let step = match kind {
            Kind::Collapse => {
                let lists = stock.lists.clone();
                let pass = read_collapse(common, keys, lists, stock.terrains, grounds, notes);
                known.lay_fill(&layer, &pass, grounds);
                let step = Step::Collapse(recipe.fills.len());
                if on {
                    recipe.fills.push((pass, path.clone()));
                }
                Some(step)
            }
            Kind::Plan => {
                let plan = read_plan(&name, keys, stock.terrains, grounds, notes);
                known.laid.extend(
                    plan.iter().flat_map(lantern_quilt_core::passes::Plan::terrains).cloned(),
                );
                plan.map(Step::Plan)
            }
            Kind::Autotile => {
                let autotile = read_autotile(&name, keys, stock.shapes, notes);
                for set in autotile.iter().flat_map(Autotile::sets) {
                    let own = into.clone().unwrap_or_else(|| set.name().to_owned());
                    known.layers.insert(own);
                    known.standing.extend(set.tiles().iter().filter_map(|tile| tile.tile.clone()));
                }
                autotile.map(Step::Autotile)
            }
            Kind::Noise => Some(read_noise(common, keys, &mut known, notes)),
            Kind::Tag => Some(Step::Tag(read_tag(common, keys, &mut known, notes))),
            Kind::Clear => Some(Step::Clear(read_clear(common, keys, &known, notes))),
            Kind::Place => {
                let pass = read_place(common, keys, &mut known, grounds, notes);
                known.say_early(&pass, &path, &span, notes);
                Some(Step::Place(pass))
            }
            Kind::Stamp => read_stamp(common, keys, &mut known, grounds, notes).map(Step::Stamp),
        };
        if names.contains(&name) {
            let text = format!("two passes are named `{}`", shorten(&name));
            let finding = Finding::new(Code::DuplicateName, Subject::Field(path), text);
            notes.add(finding.help("give each a `name` of its own"), span);
        }
        names.push(name.clone());
        if let Some(step) = step.filter(|_| on) {
            recipe.passes.push(Pass { name, group, into, place, step });
        }
    }
    recipe
}

/// The keys that all passes share.
fn read_common(
    kind: Kind,
    keys: &mut Keys<'_>,
    known: &Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> Common {
    let text = |value: Option<Value<'_>>, notes: &mut Notes| {
        value.and_then(|value| value.text(notes)).map(str::to_owned)
    };
    let kind_name = KINDS.iter().find(|(_, one)| *one == kind).map_or("pass", |(name, _)| name);
    let name = text(keys.take("name"), notes).unwrap_or_else(|| kind_name.to_owned());
    let group = text(keys.take("group"), notes);
    let lays_tiles = !matches!(kind, Kind::Plan | Kind::Tag | Kind::Clear);
    let into = if lays_tiles { text(keys.take("into"), notes) } else { None };
    let place = known.read_where(keys, grounds, notes);
    Common { name, group, into, place }
}

/// What conditions may name before any pass.
fn known_names<'a>(stock: &Stock<'a>, grounds: &Grounds<'_>) -> Names<'a> {
    let mut tiles: BTreeSet<String> = grounds.model.tiles.keys().cloned().collect();
    let drawn = stock.shapes.iter().flat_map(|spec| spec.set.tiles());
    tiles.extend(drawn.filter_map(|tile| tile.tile.clone()));
    let mut tagged: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut looks = BTreeMap::new();
    if let Some(set) = grounds.model.set_so_far() {
        for tile in set.tiles().iter().filter(|tile| tile.is_first()) {
            for &tag in tile.tags() {
                let name = set.tags()[tag].clone();
                tagged.entry(name).or_default().push(tile.name().to_owned());
            }
            if tile.looks() > 1 {
                looks.insert(tile.name().to_owned(), tile.look_weights());
            }
        }
    }
    Names {
        terrains: stock.terrains,
        items: stock.items,
        tiles,
        looks,
        tagged,
        tags: BTreeSet::new(),
        layers: BTreeSet::new(),
        laid: BTreeSet::new(),
        standing: BTreeSet::new(),
        placed: BTreeSet::new(),
    }
}
