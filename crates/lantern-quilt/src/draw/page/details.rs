//! What a page shows besides the map: its passes, its plans and its rules.

use super::cells::Palettes;
use super::{DrawOptions, packed};
use crate::colour::to_hex;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt_core::id::{Id, PoseId, TileId};
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::{Placed, Tilemap};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::passes::{Collapse, Plan};
use lantern_quilt_core::rules::PoseSet;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;

/// What a page shows besides the map.
///
/// Each part may be empty; the page then does without.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PageDetails {
    /// The map after each pass, in order: the page can go back and forth between them. Maps of more than 262 144
    /// cells are not followed.
    pub stages: Vec<Stage>,
    /// What is known of the passes.
    pub passes: Vec<PassNote>,
    /// Plans that can be laid over the map.
    pub plans: Vec<PlanNote>,
    /// The rules of fills: what each side shows, and what else could stand somewhere.
    pub fills: Vec<FillNote>,
}

/// The map after a pass.
#[derive(Clone, Debug)]
pub struct Stage {
    /// The name of the pass.
    pub pass: String,
    /// The map.
    pub map: Tilemap,
}

/// What is known of a pass.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PassNote {
    /// Its name.
    pub name: String,
    /// Its place in the quilt, as `file:line`.
    pub at: Option<String>,
    /// Its lines in the quilt.
    pub text: String,
    /// How long it took, where it was done for this map.
    pub took: Option<Duration>,
    /// How many cells it changed.
    pub cells: u64,
    /// How many items it placed.
    pub items: u64,
}

/// A plan, by the pass that reads it.
#[derive(Clone, Debug)]
pub struct PlanNote {
    /// The name of the pass.
    pub pass: String,
    /// What it lays.
    pub plan: Plan,
}

/// The rules of a fill, by its pass.
#[derive(Clone, Debug)]
pub struct FillNote {
    /// The layer that it fills.
    pub layer: String,
    /// Its rules.
    pub collapse: Arc<Collapse>,
}

impl PassNote {
    /// A pass of which nothing else is known.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into(), ..Self::default() }
    }
}

impl PageDetails {
    /// Adds all but the stages to what a page shows. O(cells of plans), and the rules.
    pub(super) fn add_to(
        &self,
        page: &mut Value,
        map: &Tilemap,
        palettes: &Palettes,
        options: &DrawOptions,
    ) {
        if !self.passes.is_empty() {
            page["passes"] = self.passes.iter().map(PassNote::to_json).collect();
        }
        page["plans"] = self.plans.iter().filter_map(|plan| plan.to_json(map, options)).collect();
        let mut fills = Vec::new();
        for fill in &self.fills {
            let Some(number) = map.layers().position(|layer| layer.name == fill.layer) else {
                continue;
            };
            if let Some(mut windows) = fill.windows(map) {
                windows["layer"] = number.into();
                fills.push(windows);
                continue;
            }
            let Some(mut told) = fill.to_json() else { continue };
            told["layer"] = number.into();
            for (entry, placed) in palettes.of(number).iter().enumerate() {
                if let Some(pose) = fill.pose_of(placed) {
                    page["layers"][number]["palette"][entry]["pose"] = pose.index().into();
                }
            }
            fills.push(told);
        }
        page["fills"] = fills.into();
    }
}

impl PassNote {
    fn to_json(&self) -> Value {
        json!({
            "name": self.name, "at": self.at, "text": self.text, "cells": self.cells, "items": self.items,
            "ms": self.took.map(|took| format!("{:.1}", took.as_secs_f64() * 1000.0)),
        })
    }
}

impl PlanNote {
    /// Terrain in the colours of the quilt, or heights; of plans with levels of their own nothing.
    fn to_json(&self, map: &Tilemap, options: &DrawOptions) -> Option<Value> {
        if map.layout().lattice().is_solid() {
            return None;
        }
        let Cell { x, y, .. } = self.plan.corner();
        let mut told = json!({ "name": self.pass, "corner": [x, y], "size": self.plan.size() });
        if let Some(terrain) = self.plan.terrain() {
            let colour = |name: &String| {
                let known = options.grounds.iter().find(|(known, _)| known == name);
                known.map(|(_, colour)| to_hex(*colour))
            };
            let cells = (0..terrain.cells.len()).map(|at| terrain.cells.get(at));
            told["palette"] = json!(terrain.palette);
            told["colours"] = terrain.palette.iter().map(colour).collect();
            told["cells"] =
                packed(cells.map(|number| number.map_or(-1, |number| number as i32))).into();
        } else {
            let heights = self.plan.heights()?;
            told["least"] = heights.iter().min().copied().into();
            told["most"] = heights.iter().max().copied().into();
            told["cells"] = packed(heights.iter().copied()).into();
        }
        Some(told)
    }
}

impl FillNote {
    /// Rules of more poses are left out: their tables are large.
    const MOST_POSES: usize = 4096;

    /// The most cells of a map whose windows are told one by one.
    const MOST_CELLS: usize = 1 << 18;

    /// Of a fill by windows of samples all patterns, and which of them is behind each cell.
    fn windows(&self, map: &Tilemap) -> Option<Value> {
        let (set, patterns) = (self.collapse.tileset(), self.collapse.patterns()?);
        let (layout, lattice) = (map.layout(), set.lattice());
        if layout.extent().cells() > Self::MOST_CELLS {
            return Some(json!({ "patterns": [] }));
        }
        let layer = map.layers().find(|layer| layer.name == self.layer)?;
        let behind = self.collapse.patterns_behind(layout, layer)?;
        let sum: f64 = patterns.patterns().iter().map(|pattern| pattern.frequency).sum();
        let all = patterns.patterns().iter().map(|pattern| {
            let name = |stands: &Option<_>| match *stands {
                Some((tile, orientation)) => set.pose_name(tile, orientation),
                None => "the edge".to_owned(),
            };
            json!({
                "holds": pattern.cells.iter().map(name).collect::<Vec<_>>(),
                "share": format!("{:.2}", pattern.frequency / sum * 100.0),
            })
        });
        let from = Cell::default();
        let shifts = patterns.shifts().iter().filter_map(|shift| shift.cell_from(lattice, from));
        Some(json!({
            "shifts": shifts.map(|cell| [cell.x, cell.y, cell.z]).collect::<Vec<_>>(),
            "patterns": all.collect::<Vec<_>>(),
            "behind": packed(behind.iter().map(|id| id.map_or(-1, |id| id.index() as i32))),
        }))
    }

    fn pose_of(&self, placed: &Placed) -> Option<PoseId> {
        let tileset = self.collapse.tileset();
        let tile = tileset.find_at(&placed.tile, placed.part)?;
        let orientation = tileset.tiles()[tile].stands_for(placed.orientation)?;
        let poses = self.collapse.rules().poses();
        let found =
            poses.iter().position(|pose| (pose.tile, pose.orientation) == (tile, orientation));
        found.map(PoseId::from_index)
    }

    /// Every pose with what its sides show, and which poses may stand beyond each side.
    fn to_json(&self) -> Option<Value> {
        let (rules, tileset) = (self.collapse.rules(), self.collapse.tileset());
        let lattice = rules.lattice();
        let poses = rules.poses();
        if poses.len() > Self::MOST_POSES {
            return None;
        }
        let sides = lattice.sides();
        let mut faces: BTreeMap<String, usize> = BTreeMap::new();
        let mut shows = |tile: TileId, orientation: Orientation| -> Vec<usize> {
            let of = |side: &_| {
                let faces = tileset.faces(tile, orientation, *side);
                let names: Vec<String> =
                    faces.into_iter().map(|face| tileset.face_name(face)).collect();
                names.join(" or ")
            };
            let numbers = sides.iter().map(of).map(|text| {
                let next = faces.len();
                *faces.entry(text).or_insert(next)
            });
            numbers.collect()
        };
        let poses: Vec<Value> = poses
            .iter()
            .map(|pose| {
                let name = tileset.pose_name(pose.tile, pose.orientation);
                json!({ "name": name, "shows": shows(pose.tile, pose.orientation) })
            })
            .collect();
        let mut texts = vec![String::new(); faces.len()];
        for (text, number) in faces {
            texts[number] = text;
        }
        let tables = (0..sides.len()).map(|side| {
            let rows = rules.rows(side).iter().map(bits_of).collect::<Vec<_>>();
            let row_of = (0..poses.len())
                .map(|pose| rules.row_of(side, PoseId::from_index(pose)).index() as i32);
            json!({ "rows": rows, "row_of": packed(row_of) })
        });
        Some(json!({
            "sides": sides.iter().map(|side| side.name()).collect::<Vec<_>>(),
            "faces": texts, "poses": poses, "tables": tables.collect::<Vec<_>>(),
        }))
    }
}

/// A bit a pose, the first in the lowest bit.
fn bits_of(set: &PoseSet) -> String {
    let mut bits = vec![0_u8; set.universe().div_ceil(8)];
    for pose in set.iter() {
        bits[pose.index() / 8] |= 1 << (pose.index() % 8);
    }
    STANDARD.encode(bits)
}
