//! What every page has of a map: what its cells hold, layer by layer, without pictures.

use super::{DrawOptions, packed};
use crate::colour::to_hex;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent};
use lantern_quilt_core::map::{Item, Layer, Placed, Tilemap};
use lantern_quilt_core::passes::{HOLE, STAND_IN};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// The palette of each layer, with what only earlier passes laid there behind its own.
pub(super) struct Palettes(Vec<Vec<Placed>>);

impl Palettes {
    pub(super) fn new(map: &Tilemap, stages: &[Tilemap]) -> Self {
        let of = |layer: &Layer| {
            let mut all = layer.palette().to_vec();
            for stage in stages {
                let Some(earlier) = stage.layer(&layer.name) else { continue };
                // Mostly one stage shares the palette of the next.
                if earlier.palette() == layer.palette() {
                    continue;
                }
                for placed in earlier.palette() {
                    if !all.contains(placed) {
                        all.push(placed.clone());
                    }
                }
            }
            all
        };
        Self(map.layers().map(of).collect())
    }

    /// Those of a layer, by its number.
    pub(super) fn of(&self, layer: usize) -> &[Placed] {
        &self.0[layer]
    }

    /// The number of each entry of the palette of an earlier form of a layer.
    pub(super) fn numbers(&self, layer: usize, earlier: &Layer) -> Vec<i32> {
        let number = |placed: &Placed| self.0[layer].iter().position(|one| one == placed);
        earlier.palette().iter().map(|placed| number(placed).map_or(-1, |at| at as i32)).collect()
    }
}

/// Everything but pictures, models and stages.
pub(super) fn data(map: &Tilemap, options: &DrawOptions, palettes: &Palettes) -> Value {
    let layout = map.layout();
    let extent = layout.extent();
    let [columns, rows, levels] = extent.size();
    let origin = &map.origin;
    let title = origin.quilt.trim_end_matches(".toml").trim_end_matches(".quilt");
    let depth = if levels > 1 { format!(" x {levels}") } else { String::new() };
    let variant = if origin.variant.is_empty() {
        String::new()
    } else {
        format!(", variant {}", origin.variant)
    };
    let colour = |name: &String| {
        let known = options.grounds.iter().find(|(known, _)| known == name);
        known.map(|(_, colour)| to_hex(*colour))
    };
    let terrain = map.terrain().map(|terrain| {
        json!({
            "palette": terrain.palette,
            "colours": terrain.palette.iter().map(colour).collect::<Vec<_>>(),
            "cells": packed(terrain.cells.iter().map(|number| number.map_or(-1, |number| number as i32))),
        })
    });
    let heights = map.heights().map(|heights| {
        let values = heights.values();
        let ends = [values.iter().min(), values.iter().max()].map(|end| end.copied().unwrap_or(0));
        json!({
            "cells": packed(values.iter().copied()),
            "least": ends[0], "most": ends[1],
            "shaded": options.relief && ends[0] < ends[1],
        })
    });
    let tags = map.tags().map(|(name, cells)| {
        json!({ "name": name, "count": cells.count(), "cells": bits(extent, cells) })
    });
    let planes = map.planes().map(|(name, numbers)| {
        let known = || numbers.iter().flatten();
        let cells = packed(numbers.iter().map(|number| number.unwrap_or(i32::MIN)));
        json!({ "name": name, "cells": cells, "least": known().min().unwrap_or(0), "most": known().max().unwrap_or(0) })
    });
    let connectors = map.connectors().iter().map(|one| {
        json!({ "name": &*one.name, "piece": &*one.piece, "side": one.side.name(), "cell": cell_of(one.cell) })
    });
    let mut failed = BitPlane::new(extent);
    for &cell in options.failed.iter().filter(|&&cell| extent.contains(cell)) {
        failed.set(cell, true);
    }
    let hatched = [
        ("holes", map.tag(HOLE)),
        ("stand-ins", map.tag(STAND_IN)),
        ("failed cells", Some(&failed)),
    ];
    let hatched = hatched.into_iter().filter_map(|(name, cells)| {
        let cells = cells.filter(|cells| cells.count() > 0)?;
        Some(json!({ "name": name, "count": cells.count(), "cells": bits(extent, cells) }))
    });
    let layers =
        map.layers().enumerate().map(|(number, layer)| data_of(layer, palettes.of(number)));
    json!({
        "title": if title.is_empty() { "Lantern Quilt" } else { title },
        "about": format!("{columns} x {rows}{depth} cells, seed \"{}\"{variant}", origin.seed),
        "counts": counts(map),
        "lattice": layout.lattice().name(),
        "wrap": [layout.wrap().x, layout.wrap().y, layout.wrap().z],
        "size": [columns, rows], "levels": levels,
        "origin": [extent.origin().x, extent.origin().y], "level": extent.origin().z,
        "terrain": terrain, "heights": heights,
        "tags": tags.collect::<Vec<_>>(), "planes": planes.collect::<Vec<_>>(),
        "connectors": connectors.collect::<Vec<_>>(), "layers": layers.collect::<Vec<_>>(),
        "hatched": hatched.collect::<Vec<_>>(),
        "items": [],
    })
}

/// A bit a cell, the first in the lowest bit.
fn bits(extent: Extent, cells: &BitPlane) -> String {
    let mut bits = vec![0_u8; extent.cells().div_ceil(8)];
    for index in cells.iter().filter_map(|cell| extent.index(cell)) {
        bits[index / 8] |= 1 << (index % 8);
    }
    STANDARD.encode(bits)
}

pub(super) const fn cell_of(cell: Cell) -> [i32; 3] {
    [cell.x, cell.y, cell.z]
}

fn data_of(layer: &Layer, palette: &[Placed]) -> Value {
    let entry = |placed: &Placed| {
        let mut one = json!({
            "words": words_of(layer, placed),
            "tile": placed.tile,
            "pass": placed.pass.as_deref().unwrap_or(&layer.name),
        });
        if let Some(group) = &placed.group {
            one["group"] = group.clone().into();
        }
        one
    };
    let [columns, rows, _] = layer.extent().size();
    let mut data = json!({
        "name": layer.name, "size": [columns, rows],
        "palette": palette.iter().map(entry).collect::<Vec<_>>(),
        "count": layer.cells().iter().flatten().count(),
        "cells": packed(layer.cells().iter().map(|number| number.map_or(-1, |number| number as i32))),
    });
    if let Some(decided) = layer.decided() {
        let numbers = layer.extent().iter().map(|cell| decided.get(cell).unwrap_or(-1));
        data["decided"] = packed(numbers).into();
    }
    data
}

/// What is on a map, in a line.
fn counts(map: &Tilemap) -> String {
    let mut counts: BTreeMap<&str, u64> = BTreeMap::new();
    if let Some(terrain) = map.terrain() {
        for number in terrain.cells.iter().flatten() {
            *counts.entry(&terrain.palette[number as usize]).or_default() += 1;
        }
    }
    let mut all: Vec<(&str, u64)> = counts.into_iter().collect();
    all.sort_by_key(|&(_, count)| std::cmp::Reverse(count));
    let mut words: Vec<String> =
        all.iter().take(8).map(|(name, count)| format!("{name} {count}")).collect();
    if !map.items().is_empty() {
        words.push(format!("items {}", map.items().len()));
    }
    if !map.connectors().is_empty() {
        words.push(format!("open connectors {}", map.connectors().len()));
    }
    words.join(", ")
}

/// `path_bend, turned 1, mirrored, look 2, pass lanes, group walks`.
fn words_of(layer: &Layer, placed: &Placed) -> String {
    let mut words = vec![placed.tile.clone()];
    let turns = placed.orientation.turns();
    words.extend((turns > 0).then(|| format!("turned {turns}")));
    words.extend(placed.orientation.mirrored().then(|| "mirrored".to_owned()));
    words.extend((placed.look > 0).then(|| format!("look {}", placed.look)));
    words.extend(placed.part.map(|[x, y, z]| match z {
        0 => format!("part {x}, {y}"),
        _ => format!("part {x}, {y}, {z}"),
    }));
    words.push(format!("pass {}", placed.pass.as_deref().unwrap_or(&layer.name)));
    words.extend(placed.group.as_ref().map(|group| format!("group {group}")));
    words.join(", ")
}

/// An item as a page lists it, wherever it is drawn.
pub(super) fn thing(item: &Item) -> Value {
    let mut words = vec![item.name.to_string()];
    words.extend(item.side.map(|side| format!("on the {side} side")));
    words.extend(item.facing.map(|side| format!("faces {side}")));
    words.extend((!item.tags.is_empty()).then(|| format!("tags {}", item.tags.join(" "))));
    words.extend((!item.pass.is_empty()).then(|| format!("pass {}", item.pass)));
    words.extend(item.group.as_ref().map(|group| format!("group {group}")));
    words.extend((item.number > 0).then(|| format!("number {}", item.number)));
    let mut one = json!({
        "name": &*item.name, "cell": cell_of(item.cell), "pass": &*item.pass, "words": words.join(", "),
    });
    if let Some(group) = &item.group {
        one["group"] = (**group).into();
    }
    one
}
