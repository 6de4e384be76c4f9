//! Model files read, and brought into their cells.

use super::uses::ModelUse;
use crate::files::folder::ReadError;
use crate::files::quilt::cursor::Notes;
use crate::files::quilt::load::Load;
use crate::files::quilt::modules::{ModelPlaces, ModelSpec};
use crate::models::{
    Bounds, Guess, Model, ModelArt, ModelError, ModelFile, ModelSource, Origin, Placing, UpAxis,
};
use crate::models::{SLACK, overhang};
use glam::Vec3;
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use lantern_quilt_core::lattice::{Lattice, Side};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A model that is used, as the file has it.
struct Found<'a> {
    one: &'a ModelUse<'a>,
    spec: &'a ModelSpec,
    path: String,
    model: Model,
}

/// The models of tiles and items; nothing when there are none.
pub(in crate::files::quilt) fn read_models(
    uses: &[ModelUse<'_>],
    places: &ModelPlaces,
    module: [f32; 3],
    lattice: Lattice,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Option<ModelArt> {
    let specs = || uses.iter().filter_map(|one| Some((one, one.look.model.as_ref()?)));
    let (_, first) = specs().next()?;
    let mut art = ModelArt::new(module);
    if lattice.turns() == 6 {
        let subject = Subject::Field(first.file.clone());
        let text = "models are not supported on hex maps";
        let finding = Finding::new(Code::NotYet, subject, text);
        notes.add(finding.help("use a `square` or `box` lattice, or pictures"), first.span.clone());
        return None;
    }
    let mut files: BTreeMap<String, Option<ModelFile>> = BTreeMap::new();
    let mut found = Vec::new();
    for (one, spec) in specs() {
        let path = before(places, spec, load).unwrap_or(load.path(&spec.file, spec.document));
        let file = match files.get(&path) {
            Some(known) => known,
            None => {
                let read = read_file(&path, spec, load, notes);
                files.entry(path.clone()).or_insert(read)
            }
        };
        let Some(file) = file else { continue };
        match file.model(spec.node.as_ref().map(|(name, _)| name.as_str())) {
            Ok(model) => {
                let mut model = model.clone();
                model.name = match &spec.node {
                    Some((node, _)) => node.clone(),
                    None => model.name,
                };
                found.push(Found { one, spec, path, model });
            }
            Err(error) => node_finding(&error, spec, notes),
        }
    }
    let cell = art.module();
    let guesses = settle(&found, places, cell, notes);
    for (Found { one, spec, path, model }, guess) in found.iter().zip(guesses) {
        let look = one.look;
        let stood = guess.stand(model, cell, look.span);
        if let Some(bounds) = stood.bounds().filter(|_| look.kind == "tile" && !spec.overhang) {
            let over = overhang(bounds, cell, look.span);
            if over > SLACK * cell.max_element() {
                let (tile, name) = (&look.tile, &stood.name);
                let text =
                    format!("the model of `{tile}`, `{name}`, leaves its cell by {over:.3} m");
                let finding = Finding::new(Code::ModelOverhang, Subject::Tile(tile.clone()), text);
                let help = "make it smaller, or write `overhang = true` beside `model`";
                notes.add(finding.help(help), spec.span.clone());
            }
        }
        if look.quarter_turns && module[0] != module[1] && look.kind == "tile" {
            let [wide, deep, _] = module;
            let text = format!(
                "`{}` takes quarter turns, but a cell is {wide} x {deep} metres",
                look.tile
            );
            let finding = Finding::new(Code::BadTurns, Subject::Tile(look.tile.clone()), text);
            let help = "cells of unequal width and depth allow 1 or 2 turns";
            notes.add(finding.help(help), look.turns_span.clone());
        }
        let stood = Arc::new(stood);
        art.add_source(ModelSource {
            item: look.kind == "item",
            name: look.tile.clone(),
            look: one.number,
            file: path.clone(),
            node: spec.node.as_ref().map(|(node, _)| node.clone()),
            placing: guess,
            span: look.span,
        });
        if look.kind == "item" {
            art.add_item(look.tile.clone(), one.number, stood);
        } else {
            art.add_tile(look.tile.clone(), one.number, stood);
        }
    }
    Some(art)
}

/// The file that `[models] folder` has in place of the one that is named, in its own form or as GLB.
fn before(places: &ModelPlaces, spec: &ModelSpec, load: &Load<'_>) -> Option<String> {
    let folder = places.folder.as_ref()?.trim_end_matches('/');
    let stem = spec.file.rsplit_once('.').map_or(spec.file.as_str(), |(stem, _)| stem);
    let names = [spec.file.clone(), format!("{stem}.glb")];
    let mut paths = names.iter().map(|name| load.path(&format!("{folder}/{name}"), spec.document));
    paths.find(|path| load.art.read(path).is_ok())
}

/// How the quilt places a model. A GLB in place of another kind of file stands as glTF does.
fn placing_of(spec: &ModelSpec, path: &str, places: &ModelPlaces) -> Placing {
    let ending = |name: &str| name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    if ending(path) != ending(&spec.file) {
        return Placing {
            origin: Some(Origin::Floor),
            scale: Some(1.0),
            up: Some(UpAxis::Y),
            facing: Some(Side::South),
        };
    }
    spec.placing.or(places.of(&spec.file))
}

/// How each model stands: what is left open is guessed once for each file.
fn settle(found: &[Found<'_>], places: &ModelPlaces, cell: Vec3, notes: &mut Notes) -> Vec<Guess> {
    let mut guesses = Vec::new();
    let mut known: Vec<((&str, Placing), Guess)> = Vec::new();
    for Found { spec, path, .. } in found {
        let placing = placing_of(spec, path, places);
        let key = (path.as_str(), placing);
        if let Some((_, guess)) = known.iter().find(|(one, _)| *one == key) {
            guesses.push(*guess);
            continue;
        }
        let same = found
            .iter()
            .filter(|one| (one.path.as_str(), placing_of(one.spec, &one.path, places)) == key);
        // Items may have any size; they tell nothing about cells.
        let bounds: Vec<(Bounds, [u32; 3])> = same
            .filter(|one| one.one.look.kind == "tile" && !one.spec.overhang)
            .filter_map(|one| Some((one.model.bounds()?, one.one.look.span)))
            .collect();
        let ending = path.rsplit('.').next().unwrap_or_default();
        let guess = placing.settled(&bounds, cell, ending.eq_ignore_ascii_case("obj"));
        if guess.unusual {
            let Guess { origin, scale, up, .. } = guess;
            let text = format!(
                "how the models of `{}` stand was guessed from their size: origin {}, scale {scale}, \
                 {} up",
                spec.file,
                origin.name(),
                up.name()
            );
            let line = format!(
                "if it is right, write `[models]` with `\"{}\" = {{ origin = \"{}\", scale = {scale}, \
                 up = \"{}\" }}`",
                spec.file,
                origin.name(),
                up.name()
            );
            let subject = Subject::Field(spec.file.clone());
            let finding = Finding::new(Code::ModelPlacing, subject, text);
            notes.add(finding.help(line), spec.span.clone());
        }
        known.push((key, guess));
        guesses.push(guess);
    }
    guesses
}

fn read_file(
    path: &str,
    spec: &ModelSpec,
    load: &mut Load<'_>,
    notes: &mut Notes,
) -> Option<ModelFile> {
    let subject = || Subject::Field(path.to_owned());
    let file = &spec.file;
    let data = match load.art.read(path) {
        Ok(data) => data,
        Err(error) => {
            let code = match error {
                ReadError::Outside { .. } => Code::PathOutside,
                ReadError::Missing { .. } => Code::MissingModel,
                _ => Code::BadModel,
            };
            let mut finding = Finding::new(code, subject(), format!("model `{file}`: {error}"));
            finding = match code {
                Code::PathOutside => finding
                    .help("put the model beside the quilt, or name a wider folder with --root"),
                _ => finding.help("paths are relative to the quilt"),
            };
            let near = load.art.near(path);
            finding.nearest =
                nearest(file, near.iter().map(String::as_str)).map(|name| format!("\"{name}\""));
            notes.add(finding, spec.span.clone());
            return None;
        }
    };
    load.hash.update(&data);
    notes.pictures.push(path.to_owned());
    let folder = path.rfind('/').map_or("", |at| &path[..=at]);
    let (art, hash, mut limits) = (load.art, &mut *load.hash, load.models_left);
    let mut beside = |name: &str| {
        let there = format!("{folder}{name}");
        let data = art.read(&there)?;
        hash.update(&data);
        notes.pictures.push(there);
        Ok(data)
    };
    let read = ModelFile::read(path, &data, &mut beside, &mut limits);
    load.models_left = limits;
    match read {
        Ok(read) => {
            for remark in &read.remarks {
                let text = format!("model `{file}`: {remark}");
                let finding = Finding::new(Code::ModelRemark, subject(), text);
                let help = "mend it in the model, or accept it if the picture is right";
                notes.add(finding.help(help), spec.span.clone());
            }
            Some(read)
        }
        Err(error) => {
            let outside = matches!(&error, ModelError::Beside { error, .. }
                if matches!(error.downcast_ref(), Some(ReadError::Outside { .. })));
            let code = if outside { Code::PathOutside } else { Code::BadModel };
            let help = match &error {
                ModelError::TooLarge { .. } => {
                    "make it smaller, or raise `--limit-triangles`, `--limit-pixels` or \
                     `--limit-model-bytes`"
                }
                ModelError::Ending => "export it as .glb",
                _ => "export it again",
            };
            let finding = Finding::new(code, subject(), format!("model `{file}`: {error}"));
            notes.add(finding.help(help), spec.span.clone());
            None
        }
    }
}

fn node_finding(error: &ModelError, spec: &ModelSpec, notes: &mut Notes) {
    let (name, span) = spec.node.clone().unwrap_or_else(|| (String::new(), spec.span.clone()));
    let subject = Subject::Field(spec.file.clone());
    let text = format!("model `{}`: {error}", spec.file);
    let finding = match error {
        ModelError::NoNode { known, .. } => {
            let finding = Finding::new(Code::UnknownName, subject, text);
            let mut finding = finding.among(&name, known.iter().map(String::as_str));
            finding.nearest = finding.nearest.map(|name| format!("\"{name}\""));
            finding
        }
        _ => Finding::new(Code::BadModel, subject, text)
            .help("mend it in the model, and export again"),
    };
    notes.add(finding, span);
}
