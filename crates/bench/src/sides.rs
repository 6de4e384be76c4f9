//! Sides of modules from their geometry: a large set read, and its sides derived.

use crate::Row;
use crate::clock::{median, noise, seconds};
use glam::Vec3;
use lantern_quilt::files::{Art, Quilt, ReadError};
use lantern_quilt::models::{Model, Part};
use lantern_quilt::prelude::*;
use lantern_quilt::scene::write_models;
use std::fmt::Write;

const MODELS: usize = 500;
/// Squares along each side of a module: 2048 triangles each.
const GRID: usize = 32;
/// Profiles that sides choose from.
const PROFILES: u64 = 24;

/// The one model file of the set.
struct OneFile(Vec<u8>);

impl Art for OneFile {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        match path {
            "set.glb" => Ok(self.0.clone()),
            _ => Err(ReadError::Missing { path: path.into() }),
        }
    }
}

/// A piece of ground of 2 x 2 metres whose height along each side is one of some profiles.
fn ground(number: usize) -> Model {
    let dice = Seed::from_number(9).keyed(&["bench", "sides"]);
    let side = |which: i32| dice.bits(Cell::new(number as i32, which)) % PROFILES;
    let [north, east, south, west] = [0, 1, 2, 3].map(side);
    // All profiles begin and end alike, so that corners meet.
    let height = |profile: u64, along: f32| {
        let bump = (along * (1.0 - along)) * (1.0 + profile as f32 * 0.1);
        0.5 + bump
    };
    let place = |x: usize, y: usize| {
        let [u, v] = [x, y].map(|step| step as f32 / GRID as f32);
        let across = height(north, u) * (1.0 - v) + height(south, u) * v;
        let along = height(west, v) * (1.0 - u) + height(east, v) * u;
        Vec3::new(u * 2.0 - 1.0, across + along - 0.5, v * 2.0 - 1.0)
    };
    let mut part = Part::default();
    for (y, x) in (0..=GRID).flat_map(|y| (0..=GRID).map(move |x| (y, x))) {
        part.points.push(place(x, y));
        part.normals.push(Vec3::Y);
    }
    let corner = |x: usize, y: usize| (y * (GRID + 1) + x) as u32;
    for (y, x) in (0..GRID).flat_map(|y| (0..GRID).map(move |x| (y, x))) {
        let [a, b] = [corner(x, y), corner(x + 1, y)];
        let [c, d] = [corner(x + 1, y + 1), corner(x, y + 1)];
        part.triangles.extend([[a, c, b], [a, d, c]]);
    }
    Model { name: format!("ground_{number}"), parts: vec![part] }
}

/// Seconds to read a set of 500 modules of 2048 triangles and derive its sides, beside noise over as many cells
/// as it has triangles.
pub fn outlines(name: &str, rounds: usize) -> Vec<Row> {
    let models: Vec<Model> = (0..MODELS).map(ground).collect();
    let mut file = Vec::new();
    let named = models.iter().map(|model| (model.name.as_str(), model));
    write_models(named, 3.0, &mut file).expect("it is small");
    let art = OneFile(file);
    let mut text = "quilt = 1\nmap = { lattice = \"box\", size = [8, 8, 1], module = [2, 2, 2] }\n\
                    models = { origin = \"floor\", scale = 1 }\n"
        .to_owned();
    for model in &models {
        let _ = write!(
            text,
            "[tiles.{0}]\nmodel = {{ file = \"set.glb\", node = \"{0}\" }}\noverhang = true\nsides = {{ around = \
             \"geometry\", up = \"border\", down = \"border\" }}\nturns = 4\n",
            model.name
        );
    }
    // Nothing is filled: rules of a fill are another matter.
    text.push_str("[[recipe]]\npass = \"clear\"\nterrain = true\n");
    let read = || match Quilt::read(&text, "set", &art) {
        Ok(quilt) => quilt,
        Err(report) => panic!("{report}"),
    };
    let mut times = (Vec::new(), Vec::new());
    for round in 0..rounds.max(1) {
        times.0.push(seconds(|| drop(read())));
        times.1.push(noise(1000, 1024, round));
    }
    let (ours, theirs) = (median(times.0), median(times.1));
    vec![Row {
        case: format!("{name} 500 x 2048 triangles"),
        ours: format!("{:.0} ms", ours * 1e3),
        against: format!("noise {:.1} ms", theirs * 1e3),
        value: ours,
        unit: "s",
        goal: Some(1.0),
    }]
}
