//! Maps of models: each model once, and where it stands, for the page to draw; a picture where it cannot.

use super::cells::{Palettes, cell_of, thing};
use super::stages::Stages;
use super::{encoded, packed, packed_floats};
use crate::art::TileArt;
use crate::draw::{DrawError, DrawOptions, draw};
use crate::models::{Material, Model, ModelArt, Part, Texture};
use crate::scene::{Scene, Shape, Stood, StoodSource};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use glam::{Vec2, Vec3, Vec4};
use lantern_quilt_core::map::Tilemap;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Models may stand in so many places; of more the page shows the picture.
const MOST: usize = 400_000;

/// Adds models, and the picture for browsers that cannot draw them. O(cells + items + points of models).
pub(super) fn add_to(
    page: &mut Value,
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    (stages, palettes): (&Stages, &Palettes),
) -> Result<(), DrawError> {
    let options = &DrawOptions { region: None, ..options.clone() };
    let picture = draw(map, art, options)?;
    page["view"] = "solid".into();
    page["picture"] =
        json!({ "size": [picture.width(), picture.height()], "data": encoded(&picture) });
    let whole = stages.whole(map);
    let items = whole.items().iter().map(|item| {
        let mut told = thing(item);
        stages.date(item, &mut told);
        if item.look.is_none() {
            told["marker"] = true.into();
            told["number"] = item.number.into();
        }
        told
    });
    page["items"] = items.collect();
    let mut models = Models::default();
    let of = stages.maps().len().max(1) as u32;
    let earlier = stages.maps().len().saturating_sub(1);
    for (number, stage) in (0..).zip(&stages.maps()[..earlier]) {
        models.add(stage, art, options, palettes, number);
    }
    models.add(map, art, options, palettes, of - 1);
    if models.stood.len() > MOST {
        return Ok(());
    }
    let style = &options.style;
    let light = |light: Vec3| light.to_array();
    page["models"] = models.to_json(of);
    let models = &mut page["models"];
    let module = art.models().map_or_else(|| ModelArt::default().module(), ModelArt::module);
    models["module"] = json!(module.to_array());
    models["behind"] = json!(light(style.behind()));
    models["ground"] = json!(light(style.floor()));
    models["sun"] = json!(light(style.sun()));
    models["sky"] = json!(light(style.sky()));
    models["below"] = json!(light(style.below()));
    Ok(())
}

/// Everything that stands after some pass.
#[derive(Default)]
struct Models {
    shapes: Vec<Shape>,
    sources: Vec<Value>,
    /// Which sources are known, as text.
    known: BTreeMap<String, u32>,
    /// What stands, with the first stage in which it does and the first in which it does not.
    stood: BTreeMap<Standing, [u32; 2]>,
}

/// The numbers of shape and source, the cell, and bit for bit: place, how it is turned, and scale.
type Standing = ([u32; 2], [i32; 3], [u32; 7]);

impl Models {
    fn add(
        &mut self,
        map: &Tilemap,
        art: &TileArt,
        options: &DrawOptions,
        palettes: &Palettes,
        stage: u32,
    ) {
        let scene = Scene::with_grounds(map, art, options.levels, &options.grounds);
        let shapes: Vec<u32> = scene.shapes.iter().map(|shape| self.shape(shape)).collect();
        let mut sources: BTreeMap<(usize, u32), u32> = BTreeMap::new();
        for stood in &scene.stood {
            let source = match stood.source {
                StoodSource::Item(number) => self.source(thing(&map.items()[number]), true),
                StoodSource::Tile { layer, entry } => {
                    let known = sources.get(&(layer, entry)).copied();
                    let source = known
                        .unwrap_or_else(|| self.source(tile(map, palettes, layer, entry), false));
                    sources.insert((layer, entry), source);
                    source
                }
            };
            let Stood { shape, cell, at, turned, scale, .. } = stood;
            let rotation = turned.rotation();
            let [x, y, z] = at.to_array();
            let [qx, qy, qz, _] = rotation.to_array();
            // The fourth number of a rotation follows from the others, when it is not below zero.
            let [qx, qy, qz] = if rotation.w < 0.0 { [-qx, -qy, -qz] } else { [qx, qy, qz] };
            let numbers = [x, y, z, qx, qy, qz, *scale].map(f32::to_bits);
            let key = ([shapes[*shape as usize], source], cell_of(*cell), numbers);
            let span = self.stood.entry(key).or_insert([stage, stage]);
            span[1] = stage + 1;
        }
    }

    fn shape(&mut self, shape: &Shape) -> u32 {
        let same = |one: &Shape| {
            one.name == shape.name
                && (one.look, one.mirrored) == (shape.look, shape.mirrored)
                && (Arc::ptr_eq(&one.model, &shape.model) || one.model == shape.model)
        };
        let known = self.shapes.iter().position(same).unwrap_or_else(|| {
            self.shapes.push(shape.clone());
            self.shapes.len() - 1
        });
        known as u32
    }

    fn source(&mut self, mut told: Value, is_item: bool) -> u32 {
        if is_item && let Some(told) = told.as_object_mut() {
            // The cell is given with each thing that stands.
            told.remove("cell");
        }
        let next = self.sources.len() as u32;
        *self.known.entry(told.to_string()).or_insert_with(|| {
            told["kind"] = if is_item { "item" } else { "tile" }.into();
            self.sources.push(told);
            next
        })
    }

    fn to_json(&self, of: u32) -> Value {
        let mut textures: Vec<(*const Texture, String)> = Vec::new();
        let shapes: Vec<Value> = (self.shapes.iter())
            .map(|shape| json!({ "name": shape.name, "parts": parts_of(&shape.model, &mut textures) }))
            .collect();
        let stood = || self.stood.keys();
        let spans = self.stood.values().flatten().map(|&stage| stage as i32);
        let dated = self.stood.values().any(|span| *span != [0, of]);
        json!({
            "shapes": shapes,
            "textures": textures.into_iter().map(|(_, data)| data).collect::<Vec<_>>(),
            "sources": self.sources,
            "count": self.stood.len(),
            "numbers": packed(stood().flat_map(|(numbers, ..)| numbers.map(|one| one as i32))),
            "cells": packed(stood().flat_map(|(_, cell, _)| *cell)),
            "places": packed_floats(stood().flat_map(|(.., place)| place.map(f32::from_bits))),
            "spans": dated.then(|| packed(spans)),
        })
    }
}

/// What a tile of a layer is; flat ground is no tile of any layer.
fn tile(map: &Tilemap, palettes: &Palettes, layer: usize, entry: u32) -> Value {
    let Some(one) = map.layers().nth(layer) else {
        let name = map.terrain().map(|terrain| &terrain.palette[entry as usize]);
        return json!({ "layer": -1, "ground": name });
    };
    let placed = &one.palette()[entry as usize];
    let mut told = json!({ "layer": layer, "pass": placed.pass.as_deref().unwrap_or(&one.name) });
    let number = palettes.of(layer).iter().position(|known| known == placed);
    told["entry"] = number.into();
    if let Some(group) = &placed.group {
        told["group"] = group.clone().into();
    }
    told
}

fn parts_of(model: &Model, textures: &mut Vec<(*const Texture, String)>) -> Vec<Value> {
    let mut part = |part: &Part| {
        let plain = Arc::new(Material::plain("", [0.8; 3]));
        let material = part.material.as_ref().unwrap_or(&plain);
        let texture = material.texture.as_ref().map(|(texture, set)| {
            let number =
                textures.iter().position(|(known, _)| std::ptr::eq(*known, &raw const **texture));
            let number = number.unwrap_or_else(|| {
                let data =
                    format!("data:{};base64,{}", texture.mime, STANDARD.encode(&texture.data));
                textures.push((&raw const **texture, data));
                textures.len() - 1
            });
            (number, *set)
        });
        let uvs = texture
            .and_then(|(_, set)| part.uvs.get(set))
            .filter(|uvs| uvs.len() == part.points.len());
        json!({
            "points": packed_floats(part.points.iter().flat_map(Vec3::to_array)),
            "normals": packed_floats(part.normals.iter().flat_map(Vec3::to_array)),
            "uvs": uvs.map(|uvs| packed_floats(uvs.iter().flat_map(Vec2::to_array))),
            "colours": (!part.colours.is_empty())
                .then(|| packed_floats(part.colours.iter().flat_map(Vec4::to_array))),
            "triangles": packed(part.triangles.iter().flatten().map(|&point| point as i32)),
            "colour": material.colour, "glow": material.glow, "cutoff": material.cutoff,
            "see_through": material.see_through, "double_sided": material.double_sided,
            "texture": texture.map(|(number, _)| number),
        })
    };
    model.parts.iter().map(&mut part).collect()
}
