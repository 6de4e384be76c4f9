//! Seams mended: copies fit, and filled maps of them have no crack.

use super::geometry::{PROFILE, curved, pairs, quilt, wall, with};
use super::*;
use glam::Vec3;
use lantern_quilt::files::{Folder, QuiltOptions};
use lantern_quilt::lattice::{Cell, Lattice, Side};
use lantern_quilt::map::Tilemap;
use lantern_quilt::models::{LeftAlone, Model, ModelArt, ModelFile, ModelLimits};
use rstest::rstest;
use std::collections::BTreeSet;

/// An edge of the merged map, in thousandths of a millimetre, the lesser end first.
type Edge = [[i64; 3]; 2];

/// The edges of a model of a cell that lie in the plane of a side, where a triangle leaves it.
fn edges(model: &Model, at: Vec3, axis: usize, plane: f32) -> BTreeSet<Edge> {
    let place = |p: Vec3| (p + at).to_array().map(|v| (f64::from(v) * 1e6).round() as i64);
    let wanted = (f64::from(plane) * 1e6).round() as i64;
    let mut found = BTreeSet::new();
    for part in &model.parts {
        for triangle in &part.triangles {
            let corners = triangle.map(|index| place(part.points[index as usize]));
            let inside = corners.map(|corner| corner[axis] == wanted);
            for (a, b, c) in [(0, 1, 2), (1, 2, 0), (2, 0, 1)] {
                if inside[a] && inside[b] && !inside[c] && corners[a] != corners[b] {
                    found.insert([corners[a].min(corners[b]), corners[a].max(corners[b])]);
                }
            }
        }
    }
    found
}

/// Edges between two cells that only one of them has, where both are read from geometry; and how many both have.
fn cracks(map: &Tilemap, quilt: &Quilt) -> (usize, usize) {
    let (art, set) = (quilt.art.models().unwrap(), quilt.collapse().unwrap().tileset());
    let layer = map.layers().next().unwrap();
    let posed = |cell: Cell| {
        let placed = layer.get(cell)?;
        let model = art.tile(&placed.tile, placed.look)?;
        Some((placed, model.oriented(Lattice::Box, placed.orientation)))
    };
    let size = art.module();
    let middle = |cell: Cell| size * Vec3::new(cell.x as f32, cell.z as f32, cell.y as f32);
    let (mut alone, mut shared) = (0, 0);
    for cell in map.layout().extent().iter() {
        for (side, axis) in [(Side::East, 0), (Side::South, 2)] {
            let Some(beyond) = map.layout().neighbour(cell, side) else { continue };
            let (Some((one, model)), Some((other, next))) = (posed(cell), posed(beyond)) else {
                continue;
            };
            let is_read = |placed: &lantern_quilt::map::Placed, side| {
                let faces = set.faces(set.find(&placed.tile).unwrap(), placed.orientation, side);
                faces.iter().any(|face| set.sockets()[face.socket].is_from_outline())
            };
            if is_read(one, side) && is_read(other, side.opposite()) {
                let plane = middle(cell)[axis] + size[axis] / 2.0;
                let here = edges(&model, middle(cell), axis, plane);
                let there = edges(&next, middle(beyond), axis, plane);
                alone += here.symmetric_difference(&there).count();
                shared += here.intersection(&there).count();
            }
        }
    }
    (alone, shared)
}

fn demo(name: &str, set: &[&str], art: &dyn Art) -> Quilt {
    let path = format!("{}/../../demos/pagoda/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(path).unwrap();
    let options = set.iter().fold(QuiltOptions::new(), |options, one| options.set(*one));
    Quilt::read_with(&text, name, art, &options).unwrap_or_else(|report| panic!("{report}"))
}

/// The folder of a demo, with some files of its own.
struct Over<'a>(&'a Folder, &'a [(String, Vec<u8>)]);

impl Art for Over<'_> {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        match self.1.iter().find(|(name, _)| name == path) {
            Some((_, data)) => Ok(data.clone()),
            None => self.0.read(path),
        }
    }
}

#[test]
fn careless_pagodas_are_mended() {
    let folder = Folder::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/pagoda"));
    let small = ["map.size=[12, 10, 10]"];
    let careless = demo("careless", &small, &folder);
    let found = careless.findings.to_string();
    assert!(found.contains("near-outline") && found.contains("chained-outlines"), "{found}");
    let mended = careless.mend().unwrap().unwrap();
    assert!(mended.points > 300 && mended.left.is_empty(), "{mended:?}");
    let (largest, _) = mended.largest.clone().unwrap();
    assert!(largest > 1.0 && largest < 5.0, "{largest}");
    let over = Over(&folder, &mended.files);
    let mended = demo("careless", &small, &over);
    assert_eq!(mended.findings.to_string(), "", "nothing more is found");
    let as_meant = demo("pagoda", &small, &folder);
    assert_eq!(pairs(&mended), pairs(&as_meant));
    assert!(mended.mend().unwrap().unwrap().files.is_empty(), "mended twice");
    let map = mended.make(&mended.seed).unwrap().map;
    let (alone, shared) = cracks(&map, &mended);
    assert!(alone == 0 && shared > 500, "{alone} edges of {shared} are not shared");
    // The same map of the careless models has cracks.
    assert!(cracks(&map, &careless).0 > 500);
}

/// Mends walls, and gives what was found in the mended ones.
fn mended(files: &[(&str, String)], more: &str) -> (lantern_quilt::files::MendedFiles, String) {
    let before = quilt(files, more).unwrap();
    let mended = before.mend().unwrap().unwrap();
    let mut text = "quilt = 1\nmap = { lattice = \"box\", size = [4, 4, 1], module = [2, 2, 2] }\n\
                    models = { origin = \"floor\", scale = 1, up = \"y\", folder = \"mended\" }\n"
        .to_owned();
    text.push_str(more);
    let mut art = Files::default();
    for (name, data) in files {
        text.push_str(&format!(
            "\n[tiles.{name}]\nmodel = \"{name}.obj\"\noverhang = true\nsides = {{ around = \"geometry\", up = \
             \"border\", down = \"border\" }}\n"
        ));
        art = art.with(&format!("{name}.obj"), data.as_bytes());
    }
    for (name, data) in &mended.files {
        art = art.with(&format!("mended/{name}"), data.clone());
    }
    text.push_str("[[recipe]]\npass = \"collapse\"\n");
    let after = Quilt::read(&text, "mended", &art).unwrap_or_else(|report| panic!("{report}"));
    (mended, after.findings.to_string())
}

#[rstest]
#[case::near(wall(&with(1, [0.004, 0.0]), &PROFILE), "", "")]
#[case::within_the_tolerance(wall(&with(1, [0.0009, 0.0]), &PROFILE), "", "")]
#[case::too_far(
    wall(&with(1, [0.0, 0.018]), &PROFILE), "seams.most_move = 0.008\n", "TooFar"
)]
#[case::no_move(wall(&with(1, [0.004, 0.0]), &PROFILE), "seams.most_move = 0\n", "TooFar")]
fn near_misses_are_mended(#[case] second: String, #[case] more: &str, #[case] left: &str) {
    let files = [("first", wall(&PROFILE, &PROFILE)), ("second", second)];
    let (report, after) = mended(&files, more);
    let still = !left.is_empty();
    assert_eq!(after.contains("near-outline"), still, "{report:?} {after}");
    let said = format!("{:?}", report.left);
    assert_eq!(said.contains("TooFar"), left == "TooFar", "{said}");
    if !still {
        assert!(!report.files.is_empty());
        assert_eq!(report.renamed.len(), report.files.len(), "OBJ is written as GLB");
    }
}

#[test]
fn two_points_of_a_side_are_never_joined() {
    // Points 6 mm apart on one wall, where the other has one in the middle.
    let mut split = PROFILE.to_vec();
    split[1][1] -= 0.003;
    split.insert(2, [PROFILE[1][0], PROFILE[1][1] + 0.003]);
    let files = [("first", wall(&PROFILE, &PROFILE)), ("second", wall(&split, &split))];
    let before = quilt(&files, "").unwrap();
    let report = before.mend().unwrap().unwrap();
    assert!(report.left.iter().any(|(_, _, why)| *why == LeftAlone::Counts), "{report:?}");
    // The points that have a partner may move, never both of the two onto one.
    for (name, data) in report.files.iter().filter(|(name, _)| name.starts_with("second")) {
        let file =
            ModelFile::read(name, data, &mut |_| unreachable!(), &mut ModelLimits::default())
                .unwrap();
        let points: BTreeSet<[u32; 3]> = file.model(None).unwrap().parts[0]
            .points
            .iter()
            .map(|point| point.to_array().map(f32::to_bits))
            .collect();
        assert_eq!(points.len(), 10);
    }
}

#[test]
fn creases_are_mended() {
    let hill = curved(&[0.2, 0.3, 0.5, 0.3, 0.2], &[0.4, 0.5, 1.0, 0.5, 0.0]);
    let (report, after) = mended(&[("first", hill)], "");
    assert!(report.normals > 0 && !after.contains("crease"), "{report:?} {after}");
    // Nothing is turned when normals do not matter.
    let hill = curved(&[0.2, 0.3, 0.5, 0.3, 0.2], &[0.4, 0.5, 1.0, 0.5, 0.0]);
    assert_eq!(mended(&[("first", hill)], "seams.normals = false\n").0.normals, 0);
}

#[test]
fn materials_and_texture_coordinates_stay() {
    let folder = Folder::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/pagoda"));
    let careless = demo("careless", &[], &folder);
    let files = careless.mend().unwrap().unwrap().files;
    let after = demo("careless", &[], &Over(&folder, &files));
    let models = |quilt: &Quilt| -> ModelArt { quilt.art.models().unwrap().clone() };
    let (before, after) = (models(&careless), models(&after));
    for source in before.sources() {
        let [old, new] = [&before, &after].map(|art| art.tile(&source.name, 0).unwrap().clone());
        let told = |model: &Model| -> Vec<_> {
            let parts = model.parts.iter();
            let part = parts.map(|part| {
                let material = part.material.as_ref().map(|material| material.name.clone());
                (material, part.uvs.clone(), part.triangles.len(), part.points.len())
            });
            part.collect()
        };
        assert_eq!(told(&old), told(&new), "{}", source.name);
    }
}
