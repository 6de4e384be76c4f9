//! Models in and out, how they stand, and how they are seen.
#![cfg(all(feature = "files", feature = "draw", feature = "models"))]

mod bad;
mod geometry;
mod keys;
mod levels;
mod mending;
mod out;
mod pieces;
mod reading;
mod seen;
mod standing;
mod voxels;

use lantern_quilt::files::{Art, Quilt, ReadError, Report};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Files in memory; paths that leave the folder are refused.
#[derive(Clone, Default)]
struct Files(BTreeMap<String, Vec<u8>>);

impl Files {
    fn with(mut self, name: &str, data: impl Into<Vec<u8>>) -> Self {
        self.0.insert(name.to_owned(), data.into());
        self
    }
}

impl Art for Files {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        if path.contains("..") || path.contains(':') {
            return Err(ReadError::Outside { root: "here".into() });
        }
        self.0.get(path).cloned().ok_or_else(|| ReadError::Missing { path: path.into() })
    }

    fn near(&self, _: &str) -> Vec<String> {
        self.0.keys().cloned().collect()
    }
}

/// A glTF file as JSON, with its buffer in it: one box of a metre, standing on the floor.
#[derive(Clone)]
struct Scene {
    json: Value,
    bin: Vec<u8>,
}

/// The corners of a box and its faces, anticlockwise seen from outside.
const CORNERS: [[f32; 3]; 8] = [
    [-0.5, 0.0, -0.5],
    [0.5, 0.0, -0.5],
    [0.5, 0.0, 0.5],
    [-0.5, 0.0, 0.5],
    [-0.5, 1.0, -0.5],
    [0.5, 1.0, -0.5],
    [0.5, 1.0, 0.5],
    [-0.5, 1.0, 0.5],
];
const FACES: [u16; 36] = [
    0, 1, 2, 0, 2, 3, 4, 6, 5, 4, 7, 6, 3, 2, 6, 3, 6, 7, 1, 0, 4, 1, 4, 5, 2, 1, 5, 2, 5, 6, 0, 3,
    7, 0, 7, 4,
];

impl Scene {
    /// A box, without normals.
    fn of_box() -> Self {
        Self::of(&CORNERS, &FACES)
    }

    fn of(points: &[[f32; 3]], indices: &[u16]) -> Self {
        let mut bin: Vec<u8> = Vec::new();
        points.iter().flatten().for_each(|number| bin.extend(number.to_le_bytes()));
        let start = bin.len();
        for index in indices {
            bin.extend(index.to_le_bytes());
        }
        let least =
            points.iter().fold([f32::MAX; 3], |all, p| std::array::from_fn(|i| all[i].min(p[i])));
        let most =
            points.iter().fold([f32::MIN; 3], |all, p| std::array::from_fn(|i| all[i].max(p[i])));
        let json = json!({
            "asset": { "version": "2.0" },
            "scene": 0,
            "scenes": [{ "nodes": [0] }],
            "nodes": [{ "name": "block", "mesh": 0 }],
            "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0 }, "indices": 1 }] }],
            "accessors": [
                { "bufferView": 0, "componentType": 5126, "count": points.len(), "type": "VEC3",
                  "min": least, "max": most },
                { "bufferView": 1, "componentType": 5123, "count": indices.len(), "type": "SCALAR" },
            ],
            "bufferViews": [
                { "buffer": 0, "byteOffset": 0, "byteLength": start },
                { "buffer": 0, "byteOffset": start, "byteLength": bin.len() - start },
            ],
            "buffers": [{ "byteLength": bin.len() }],
        });
        Self { json, bin }
    }

    /// The same with other values, by JSON pointers.
    fn set(mut self, pointer: &str, value: Value) -> Self {
        let (parent, key) = pointer.rsplit_once('/').unwrap();
        match self.json.pointer_mut(parent).expect(parent) {
            Value::Array(list) => list[key.parse::<usize>().unwrap()] = value,
            parent => parent[key] = value,
        }
        self
    }

    fn glb(&self) -> Vec<u8> {
        let mut text = self.json.to_string().into_bytes();
        text.resize(text.len().next_multiple_of(4), b' ');
        let mut bin = self.bin.clone();
        bin.resize(bin.len().next_multiple_of(4), 0);
        let whole = 12 + 8 + text.len() + 8 + bin.len();
        let mut file = Vec::from(*b"glTF");
        file.extend(2u32.to_le_bytes());
        file.extend((whole as u32).to_le_bytes());
        file.extend((text.len() as u32).to_le_bytes());
        file.extend(b"JSON");
        file.extend(&text);
        file.extend((bin.len() as u32).to_le_bytes());
        file.extend(b"BIN\0");
        file.extend(&bin);
        file
    }

    /// As `.gltf`, its buffer under a URI.
    fn gltf(&self, uri: &str) -> Vec<u8> {
        self.clone().set("/buffers/0/uri", uri.into()).json.to_string().into_bytes()
    }
}

/// A box quilt of air and one tile with the model `a.glb`.
const QUILT: &str = r#"quilt = 1
map = { lattice = "box", size = [4, 3, 2], module = [1, 1, 1] }
sockets.any_side = {}
[tiles.air]
air = true
sides = "any_side"
[tiles.block]
model = "a.glb"
sides = "any_side"
[[recipe]]
pass = "collapse"
name = "blocks"
"#;

fn read(text: &str, files: &Files) -> Result<Quilt, Report> {
    Quilt::read(text, "m.quilt.toml", files)
}

fn opened(text: &str, files: &Files) -> Quilt {
    read(text, files).unwrap_or_else(|report| panic!("{report}"))
}

/// A report with the names that it offers.
fn words(report: &Report) -> String {
    let nearest = report.findings.iter().filter_map(|one| one.finding.nearest.clone());
    format!("{report}\n{}", nearest.collect::<Vec<_>>().join(" "))
}

/// What is said of a quilt: errors, or what a check would say.
fn said(text: &str, files: &Files) -> String {
    match read(text, files) {
        Ok(quilt) => words(&quilt.check(None).report),
        Err(report) => words(&report),
    }
}
