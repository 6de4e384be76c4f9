//! What passes may name: what the quilt has, and what the passes so far make.

use crate::files::quilt::cursor::{Notes, Value, shorten, unknown_name};
use crate::files::quilt::items::ItemSpec;
use crate::files::quilt::model::Model;
use crate::files::quilt::shapes::ShapeSpec;
use crate::files::quilt::terrains::Terrains;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::passes::Becomes;
use std::collections::{BTreeMap, BTreeSet};

/// What conditions may name.
pub(in crate::files::quilt) struct Names<'a> {
    pub(in crate::files::quilt) terrains: &'a Terrains,
    /// Tiles, those of shapes as well.
    pub(in crate::files::quilt) tiles: BTreeSet<String>,
    /// How common each look is of the tiles that have several.
    pub(in crate::files::quilt) looks: BTreeMap<String, Vec<f64>>,
    /// The tiles that carry each tag.
    pub(in crate::files::quilt) tagged: BTreeMap<String, Vec<String>>,
    /// Tags that passes so far give to cells.
    pub(in crate::files::quilt) tags: BTreeSet<String>,
    /// Planes of numbers that they write.
    pub(in crate::files::quilt) planes: BTreeSet<String>,
    /// Layers that passes so far make.
    pub(in crate::files::quilt) layers: BTreeSet<String>,
    pub(in crate::files::quilt) items: &'a [ItemSpec],
    /// Terrains that passes so far lay.
    pub(in crate::files::quilt) laid: BTreeSet<String>,
    /// Tiles that they lay.
    pub(in crate::files::quilt) standing: BTreeSet<String>,
    /// Items that they place.
    pub(in crate::files::quilt) placed: BTreeSet<String>,
}

impl Names<'_> {
    /// Items by name, or by a tag that they have.
    pub(in crate::files::quilt::passes) fn read_items(
        &self,
        value: &Value<'_>,
        notes: &mut Notes,
    ) -> Vec<String> {
        let known: BTreeSet<&str> = self
            .items
            .iter()
            .flat_map(|item| item.tags.iter().map(String::as_str).chain([&*item.name]))
            .collect();
        let mut found = Vec::new();
        for one in value.one_or_more(notes) {
            match one.text(notes) {
                Some(name) if known.contains(name) => found.push(name.to_owned()),
                Some(name) => {
                    let kind = "item or tag of items";
                    unknown_name(kind, &one, name, known.iter().copied(), notes);
                }
                None => {}
            }
        }
        found
    }

    /// How common each look of a tile is; empty when it has one.
    pub(in crate::files::quilt::passes) fn looks_of(&self, tile: &str) -> Vec<f64> {
        self.looks.get(tile).cloned().unwrap_or_default()
    }

    /// Says that nothing before a pass makes what it looks for.
    pub(super) fn say_nothing_yet(
        kind: &str,
        value: &Value<'_>,
        name: &str,
        made: &BTreeSet<String>,
        notes: &mut Notes,
    ) {
        if made.contains(name) {
            return;
        }
        let verb = if kind == "item" { "places" } else { "lays" };
        let text = format!("no pass before this one {verb} the {kind} `{}`", shorten(name));
        let made: Vec<&str> = made.iter().map(String::as_str).collect();
        let help = if made.is_empty() {
            "it matches no cell: move this pass after the one that does".to_owned()
        } else {
            format!("it matches no cell; earlier passes only make {}", made.join(", "))
        };
        notes.add(
            Finding::new(Code::PassOrder, value.subject(), text).help(help),
            value.span.clone(),
        );
    }

    /// What cells become is known from then on.
    pub(in crate::files::quilt::passes) fn become_known(&mut self, becomes: &Becomes) {
        match becomes {
            Becomes::Terrain(name) => {
                self.laid.insert(name.clone());
            }
            Becomes::Tag(tag) => {
                self.tags.insert(tag.clone());
            }
            Becomes::Number { plane, .. } => {
                self.planes.insert(plane.clone());
            }
            Becomes::Tile { layer, placed, .. } => {
                self.layers.insert(layer.clone());
                self.standing.insert(placed.tile.clone());
            }
            _ => {}
        }
    }
}

/// What conditions may name before any pass.
pub(in crate::files::quilt) fn known_names<'a>(
    model: &Model,
    terrains: &'a Terrains,
    items: &'a [ItemSpec],
    shapes: &[ShapeSpec],
) -> Names<'a> {
    let mut tiles: BTreeSet<String> = model.tiles.keys().cloned().collect();
    let drawn = shapes.iter().flat_map(|spec| spec.set.tiles());
    tiles.extend(drawn.filter_map(|tile| tile.tile.clone()));
    let mut tagged: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut looks = BTreeMap::new();
    if let Some(set) = model.set() {
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
        terrains,
        items,
        tiles,
        looks,
        tagged,
        tags: BTreeSet::new(),
        planes: BTreeSet::new(),
        layers: BTreeSet::new(),
        laid: BTreeSet::new(),
        standing: BTreeSet::new(),
        placed: BTreeSet::new(),
    }
}
