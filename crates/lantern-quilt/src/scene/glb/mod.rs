//! GLB out: one file with every mesh once, and a node for each thing that stands.
//!
//! `pack` lays meshes, materials and textures into the binary part, `nodes` writes what stands where. The JSON
//! is written as it comes, so that a hundred thousand nodes take no more than their text.
//!
//! Source: glTF 2.0 Specification; `EXT_mesh_gpu_instancing`.

mod chunks;
mod nodes;
mod pack;

use self::chunks::Chunks;
use self::nodes::Nodes;
use self::pack::Pack;
use super::stood::Scene;
use crate::art::TileArt;
use crate::models::Model;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::setters;
use std::io::{self, Write};

/// How a map is written as GLB.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct GlbOptions {
    /// Whether things of one mesh are written as instances of one node (`EXT_mesh_gpu_instancing`), which is
    /// smaller and faster to draw. Default no: a node each.
    pub instances: bool,
    /// The levels that are written, the lowest and the highest. Default all.
    pub levels: Option<[i32; 2]>,
}

setters! {
    GlbOptions { instances: bool, levels: Option<[i32; 2]>, }
}

/// Writes a map as GLB: a mesh for each look that occurs, a node for each thing that stands, below nodes for
/// its level and its group; markers as empty nodes. The same map gives the same bytes.
///
/// Lengths are metres; x is east, y up and z south, and the north-west corner of the cell 0, 0 on level 0
/// is zero. `extras` of a node hold what the map says about it. O(cells + items).
///
/// ```
/// use lantern_quilt::models::ModelArt;
/// use lantern_quilt::scene::{GlbOptions, write_glb};
/// use lantern_quilt::prelude::*;
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2)?);
/// let mut layer = lantern_quilt::map::Layer::new("ground", map.layout().extent(), Vec::new());
/// let moss = layer.add(lantern_quilt::map::Placed::new("moss"));
/// layer.set(Cell::new(1, 1), Some(moss));
/// map.put_layer(layer);
/// let mut models = ModelArt::new([1.0, 1.0, 1.0]);
/// models.set_colour("moss", [80, 120, 60, 255]);
/// let mut art = TileArt::default();
/// art.set_models(models);
///
/// let mut file = Vec::new();
/// write_glb(&map, &art, GlbOptions::default(), &mut file)?;
/// assert!(file.starts_with(b"glTF"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When `out` fails, or the file would be larger than GLB can be (4 GiB).
pub fn write_glb(
    map: &Tilemap,
    art: &TileArt,
    options: GlbOptions,
    out: &mut dyn Write,
) -> io::Result<()> {
    let scene = Scene::new(map, art, options.levels);
    let mut pack = Pack::default();
    // Meshes are numbered as the shapes that have triangles.
    let meshes: Vec<Option<u32>> = (scene.shapes.iter())
        .map(|shape| {
            let mirrored = if shape.mirrored { " mirrored" } else { "" };
            let look = if shape.look > 0 { format!(" {}", shape.look) } else { String::new() };
            pack.mesh(&format!("{}{look}{mirrored}", shape.name), &shape.model)
        })
        .collect();
    let mut nodes = Nodes::new(map, &scene, &meshes);
    let json = if options.instances {
        nodes.instances(&mut pack, options.levels)?
    } else {
        nodes.plain(options.levels)?
    };
    let extensions: &[&str] =
        if options.instances && nodes.instanced() { &["EXT_mesh_gpu_instancing"] } else { &[] };
    pack.write(&json, extensions, out)
}

/// Writes models as one GLB, each a node of its name, side by side so that they can be looked at.
///
/// # Errors
/// When `out` fails, or the file would be larger than GLB can be.
pub fn write_models<'a>(
    models: impl IntoIterator<Item = (&'a str, &'a Model)>,
    step: f32,
    out: &mut dyn Write,
) -> io::Result<()> {
    let mut pack = Pack::default();
    let mut json = Chunks::default();
    json.extend(b"\"nodes\":[");
    let mut roots = Vec::new();
    for (number, (name, model)) in models.into_iter().enumerate() {
        if number > 0 {
            json.push(b',');
        }
        let mesh = pack.mesh(name, model);
        let mut node = serde_json::json!({
            "name": name,
            "translation": [(number % 8) as f32 * step, 0.0, (number / 8) as f32 * step],
        });
        if let Some(mesh) = mesh {
            node["mesh"] = mesh.into();
        }
        serde_json::to_writer(&mut json, &node)?;
        roots.push(number);
    }
    json.extend(b"],\"scenes\":[{\"nodes\":");
    serde_json::to_writer(&mut json, &roots)?;
    json.extend(b"}],\"scene\":0");
    pack.write(&json, &[], out)
}
