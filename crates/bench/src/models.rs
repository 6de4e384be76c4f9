//! Models: a shaded picture of a world full of modules, and the same as GLB.

use crate::clock::{median, noise, seconds};
use crate::{MEMORY, Row};
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::Quilt;
use lantern_quilt::map::{Layer, Placed, Tilemap};
use lantern_quilt::orient::Orientation;
use lantern_quilt::prelude::*;
use lantern_quilt::scene::{GlbOptions, write_glb};
use std::io;
use std::path::Path;

/// A box map in which any module of the pagodas stands in every cell, in any turn.
fn crowded(size: [u32; 3]) -> (Tilemap, TileArt) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/pagoda/pagoda.quilt.toml");
    let quilt = Quilt::open(&path).unwrap_or_else(|report| panic!("{report}"));
    let set = quilt.collapse().expect("it fills").tileset();
    let names = set
        .tiles()
        .iter()
        .map(lantern_quilt::tileset::CheckedTile::name)
        .filter(|name| *name != "air");
    let names: Vec<&str> = names.collect();
    let extent = Extent::new(Cell::default(), size).expect("small");
    let mut map = Tilemap::new(Layout::new(Lattice::Box, extent, Wrap::NONE).expect("open"));
    let mut layer = Layer::new("modules", extent, Vec::new());
    let keyed = Seed::from_number(1).keyed(&["bench", "modules"]);
    for cell in extent.iter() {
        let bits = keyed.bits(cell);
        let name = names[(bits % names.len() as u64) as usize];
        let turned = Orientation::new(Lattice::Box, (bits >> 40) as u8 % 4, false);
        let entry = layer.add(Placed::new(name).oriented(turned));
        layer.set(cell, Some(entry));
    }
    map.put_layer(layer);
    (map, quilt.art)
}

/// Seconds of a picture of 1280 x 800 pixels, beside noise over the same pixels.
pub fn picture(name: &str, rounds: usize) -> Vec<Row> {
    let (map, art) = crowded([64, 64, 16]);
    let mut times = (Vec::new(), Vec::new());
    for round in 0..rounds.max(1) {
        times.0.push(seconds(|| draw(&map, &art, &DrawOptions::default()).expect("it has models")));
        times.1.push(noise(1280, 800, round));
    }
    let (ours, theirs) = (median(times.0), median(times.1));
    vec![Row {
        case: format!("{name} 64x64x16"),
        ours: format!("{:.0} ms", ours * 1e3),
        against: format!("noise {:.1} ms", theirs * 1e3),
        value: ours,
        unit: "s",
        goal: Some(1.5),
    }]
}

/// A writer that counts, and keeps nothing.
struct Counted(u64);

impl io::Write for Counted {
    fn write(&mut self, data: &[u8]) -> io::Result<usize> {
        self.0 += data.len() as u64;
        Ok(data.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Seconds and memory of a GLB of 100 000 modules, beyond that of its map and meshes.
pub fn glb(name: &str, rounds: usize) -> Vec<Row> {
    let (map, art) = crowded([50, 50, 40]);
    let mut rows = Vec::new();
    for instances in [false, true] {
        let options = GlbOptions::default().instances(instances);
        let (mut times, mut most, mut bytes) = (Vec::new(), 0, 0);
        for _ in 0..rounds.max(1) {
            let before = MEMORY.current_usage();
            MEMORY.reset_peak_usage();
            let mut out = Counted(0);
            times.push(seconds(|| write_glb(&map, &art, options, &mut out).expect("it is small")));
            most = most.max(MEMORY.peak_usage() - before);
            bytes = out.0;
        }
        let kind = if instances { "instances" } else { "nodes" };
        let took = median(times);
        rows.push(Row {
            case: format!("{name} 100000 {kind}"),
            ours: format!("{:.0} ms", took * 1e3),
            against: format!("{:.1} MB written", bytes as f64 / 1e6),
            value: took,
            unit: "s",
            goal: Some(0.5),
        });
        rows.push(Row {
            case: format!("{name} 100000 {kind} memory"),
            ours: format!("{:.1} MB", most as f64 / 1e6),
            against: format!("{:.1} MB written", bytes as f64 / 1e6),
            value: most as f64 / 1e6,
            unit: "MB",
            goal: Some(64.0),
        });
    }
    rows
}
