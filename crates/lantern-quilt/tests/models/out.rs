//! GLB out: read back with another reader, everything is where the map has it.

use super::*;
use lantern_quilt::map::{Item, Layer, Placed};
use lantern_quilt::models::ModelArt;
use lantern_quilt::orient::Orientation;
use lantern_quilt::prelude::*;
use lantern_quilt::scene::{GlbOptions, Scene as Stood, write_glb};
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

fn demo(name: &str) -> Quilt {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    Quilt::open(&folder.join(name).join(format!("{name}.quilt.toml"))).unwrap()
}

fn written(map: &Tilemap, art: &TileArt, options: GlbOptions) -> gltf::Gltf {
    let mut data = Vec::new();
    write_glb(map, art, options, &mut data).unwrap();
    let mut again = Vec::new();
    write_glb(map, art, options, &mut again).unwrap();
    assert_eq!(data, again, "the same map gives the same bytes");
    // The reader refuses what it does not know, and instances are an extension.
    if options.instances {
        gltf::Gltf::from_slice_without_validation(&data).unwrap()
    } else {
        gltf::Gltf::from_slice(&data).unwrap()
    }
}

/// Name, cell and place of every node that stands, sorted.
type Placed3 = Vec<(String, Vec<i64>, [i32; 3])>;

fn thousandths([x, y, z]: [f32; 3]) -> [i32; 3] {
    [x, y, z].map(|v| (v * 1000.0).round() as i32)
}

fn extras(node: &gltf::Node<'_>) -> Value {
    node.extras().as_ref().map_or(Value::Null, |raw| serde_json::from_str(raw.get()).unwrap())
}

fn cell_of(extras: &Value) -> Vec<i64> {
    extras["cell"].as_array().unwrap().iter().map(|n| n.as_i64().unwrap()).collect()
}

fn nodes_of(file: &gltf::Gltf) -> Placed3 {
    let stood = file.nodes().filter(|node| extras(node).get("cell").is_some());
    let mut all: Placed3 = stood
        .map(|node| {
            let at = node.transform().decomposed().0;
            (node.name().unwrap().to_owned(), cell_of(&extras(&node)), thousandths(at))
        })
        .collect();
    all.sort();
    all
}

/// What the scene says, which is also what is drawn.
fn scene_of(map: &Tilemap, art: &TileArt) -> Placed3 {
    let scene = Stood::new(map, art, None);
    let mut all: Placed3 = (scene.stood.iter())
        .map(|one| {
            let cell =
                vec![one.cell.x, one.cell.y, one.cell.z].into_iter().map(i64::from).collect();
            (scene.shapes[one.shape as usize].name.clone(), cell, thousandths(one.at.to_array()))
        })
        .collect();
    all.sort();
    all
}

#[rstest]
fn every_thing_is_a_node(
    #[values("pagoda", "lane", "drift", "wall")] name: &str,
    #[values(3, 4)] seed: u64,
) {
    let quilt = demo(name);
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
    let plain = written(&map, &quilt.art, GlbOptions::default());
    let markers = map.items().iter().filter(|item| item.look.is_none()).count();
    let nodes = nodes_of(&plain);
    let scene = scene_of(&map, &quilt.art);
    assert_eq!(nodes.len(), scene.len() + markers);
    assert!(scene.iter().all(|one| nodes.binary_search(one).is_ok()));
    // A mesh for each look that occurs, each texture once.
    let used: usize = plain.meshes().len();
    assert!(used <= Stood::new(&map, &quilt.art, None).shapes.len());
    assert_eq!(plain.images().len(), if name == "lane" { 2 } else { 0 });
    // Everything hangs below one root, by level and group.
    let root = plain.default_scene().unwrap().nodes().next().unwrap();
    assert_eq!((root.name(), plain.default_scene().unwrap().nodes().len()), (Some("map"), 1));
    assert_eq!(extras(&root)["seed"], seed.to_string());
    let levels: Vec<String> = root.children().map(|n| n.name().unwrap().to_owned()).collect();
    assert!(levels.iter().all(|name| name.starts_with("level ")) && !levels.is_empty());

    let instanced = written(&map, &quilt.art, GlbOptions::default().instances(true));
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for node in instanced.nodes().filter(|node| node.mesh().is_some()) {
        let extras = extras(&node);
        let names = extras["names"].as_array().unwrap();
        assert_eq!(names.len(), extras["each"].as_array().unwrap().len());
        for name in names {
            *counts.entry(name.as_str().unwrap().to_owned()).or_default() += 1;
        }
    }
    assert_eq!(counts.values().sum::<usize>(), scene.len());
    assert_eq!(instanced.meshes().len(), used);
}

/// What the map says of a cell lies in the extras of what stands there.
#[test]
fn extras_say_what_the_map_says() {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2).unwrap());
    let mut layer = Layer::new("ground", map.layout().extent(), Vec::new());
    let posed = Placed::new("post").oriented(Orientation::new(Lattice::Square, 3, true));
    let entry = layer.add(posed);
    let cell = Cell::new(2, 1);
    layer.set(cell, Some(entry));
    layer.sign("props", Some("yard"));
    map.put_layer(layer);
    map.tag_mut("walk").set(cell, true);
    map.plane_mut("distance").set(cell, Some(7));
    let mut marker = Item::new("spawn", Cell::new(1, 0));
    (marker.number, marker.pass) = (4, "spawns".into());
    map.set_items(vec![marker]);
    let mut models = ModelArt::new([2.0, 2.0, 1.0]);
    let files = Files::default().with("a.glb", Scene::of_box().glb());
    let quilt = opened(QUILT, &files);
    models.add_tile("post", 0, Arc::clone(quilt.art.models().unwrap().tile("block", 0).unwrap()));
    let mut art = TileArt::default();
    art.set_models(models);

    let file = written(&map, &art, GlbOptions::default());
    let post = file.nodes().find(|node| node.name() == Some("post")).unwrap();
    assert_eq!(
        extras(&post),
        json!({ "tile": "post", "turn": 3.0, "mirror": true, "cell": [2, 1, 0], "tags": ["walk"],
                "planes": { "distance": 7 }, "pass": "props" })
    );
    assert_eq!(post.mesh().unwrap().name(), Some("post mirrored"));
    assert_eq!(post.transform().decomposed().0, [5.0, 0.0, 3.0]);
    let spawn = file.nodes().find(|node| node.name() == Some("spawn")).unwrap();
    assert!(spawn.mesh().is_none() && extras(&spawn)["number"] == 4);
    let group = file.nodes().find(|node| node.name() == Some("yard")).unwrap();
    assert_eq!(group.children().count(), 1);
}

/// A material goes through as it is, with its textures numbered anew; what is not known is left out.
#[test]
fn materials_are_copied() {
    let picture = lantern_quilt::picture::Picture::new(2, 2, [9, 9, 9, 255]).unwrap();
    let scene = Scene::of_box()
        .set("/meshes/0/primitives/0/material", 1.into())
        .set("/images", json!([{ "uri": "unused.png" }, { "uri": "t.png" }]))
        .set("/samplers", json!([{ "wrapS": 33071 }]))
        .set("/textures", json!([{ "source": 0 }, { "source": 1, "sampler": 0 }]))
        .set("/extensionsUsed", json!(["KHR_materials_clearcoat", "OTHER_look"]))
        .set("/materials", json!([{}, {
            "name": "glaze", "doubleSided": true, "extras": { "own": [1, 2] },
            "pbrMetallicRoughness": { "metallicFactor": 0.25, "metallicRoughnessTexture": { "index": 1 } },
            "emissiveTexture": { "index": 1 },
            "extensions": { "KHR_materials_clearcoat": { "clearcoatFactor": 0.5,
                "clearcoatTexture": { "index": 1 } }, "OTHER_look": { "tone": 3 } },
        }]));
    let files = Files::default()
        .with("a.glb", scene.glb())
        .with("t.png", picture.to_png(&[]).unwrap())
        .with("unused.png", picture.to_png(&[]).unwrap());
    let quilt = opened(QUILT, &files);
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(1))).map;
    let mut data = Vec::new();
    write_glb(&map, &quilt.art, GlbOptions::default(), &mut data).unwrap();
    let glb = gltf::binary::Glb::from_slice(&data).unwrap();
    let json: Value = serde_json::from_slice(&glb.json).unwrap();
    assert_eq!(
        json["materials"],
        json!([{
            "name": "glaze", "doubleSided": true, "extras": { "own": [1, 2] },
            "pbrMetallicRoughness": { "metallicFactor": 0.25, "metallicRoughnessTexture": { "index": 0 } },
            "emissiveTexture": { "index": 0 },
            "extensions": { "KHR_materials_clearcoat": { "clearcoatFactor": 0.5, "clearcoatTexture": { "index": 0 } } },
        }])
    );
    assert_eq!(json["textures"], json!([{ "source": 0, "sampler": 0 }]));
    assert_eq!(json["samplers"], json!([{ "wrapS": 33071 }]));
    assert_eq!(json["images"].as_array().unwrap().len(), 1);
    assert_eq!(json["extensionsUsed"], json!(["KHR_materials_clearcoat"]));
}

/// Points of the world in thousandths, sorted: as many as triangles have corners.
type Points = Vec<[i32; 3]>;

/// Every corner of every triangle of a GLB, where its nodes put it, read by number alone.
fn corners_of(data: &[u8]) -> Points {
    let glb = gltf::binary::Glb::from_slice(data).unwrap();
    let (json, bin): (Value, _) = (serde_json::from_slice(&glb.json).unwrap(), glb.bin.unwrap());
    let number = |value: &Value| value.as_u64().unwrap() as usize;
    let start = |accessor: usize| {
        number(
            &json["bufferViews"][number(&json["accessors"][accessor]["bufferView"])]["byteOffset"],
        )
    };
    let floats = |accessor: usize, at: usize, wide: usize| -> Vec<f32> {
        let from = start(accessor) + at * wide * 4;
        bin[from..from + wide * 4]
            .chunks(4)
            .map(|four| f32::from_le_bytes(four.try_into().unwrap()))
            .collect()
    };
    let mut all = Points::new();
    let mut add = |mesh: usize, at: &[f32], rotation: &[f32], scale: f32| {
        let rotation = glam::Quat::from_slice(rotation);
        for part in json["meshes"][mesh]["primitives"].as_array().unwrap() {
            let (points, indices) =
                (number(&part["attributes"]["POSITION"]), number(&part["indices"]));
            assert_eq!(json["accessors"][indices]["componentType"], 5123);
            for corner in 0..number(&json["accessors"][indices]["count"]) {
                let from = start(indices) + corner * 2;
                let index = usize::from(u16::from_le_bytes([bin[from], bin[from + 1]]));
                let point = glam::Vec3::from_slice(&floats(points, index, 3));
                let there = rotation * (point * scale) + glam::Vec3::from_slice(at);
                all.push(thousandths(there.to_array()));
            }
        }
    };
    let list = |value: &Value, none: &[f32]| -> Vec<f32> {
        value
            .as_array()
            .map_or(none.to_vec(), |list| list.iter().map(|n| n.as_f64().unwrap() as f32).collect())
    };
    for node in json["nodes"].as_array().unwrap() {
        let Some(mesh) = node["mesh"].as_u64() else { continue };
        let each = &node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"];
        if each.is_null() {
            let (at, rotation) = (
                list(&node["translation"], &[0.0; 3]),
                list(&node["rotation"], &[0.0, 0.0, 0.0, 1.0]),
            );
            add(mesh as usize, &at, &rotation, list(&node["scale"], &[1.0])[0]);
            continue;
        }
        let [at, rotation] = ["TRANSLATION", "ROTATION"].map(|name| number(&each[name]));
        for one in 0..number(&json["accessors"][at]["count"]) {
            let scale =
                each["SCALE"].as_u64().map_or(1.0, |scale| floats(scale as usize, one, 3)[0]);
            add(mesh as usize, &floats(at, one, 3), &floats(rotation, one, 4), scale);
        }
    }
    all.sort_unstable();
    all
}

/// The same by the scene that is drawn.
fn corners_drawn(map: &Tilemap, art: &TileArt) -> Points {
    let scene = Stood::new(map, art, None);
    let mut all = Points::new();
    for stood in &scene.stood {
        let matrix = stood.turned.matrix() * stood.scale;
        for part in &scene.shapes[stood.shape as usize].model.parts {
            let corners = part.triangles.as_flattened().iter();
            all.extend(corners.map(|&index| {
                thousandths((matrix * part.points[index as usize] + stood.at).to_array())
            }));
        }
    }
    all.sort_unstable();
    all
}

/// Each corner of each triangle lies where the picture has it, to a millimetre or two.
#[rstest]
fn geometry_is_what_is_drawn(
    #[values("pagoda", "lane", "drift", "wall")] name: &str,
    #[values(false, true)] instances: bool,
) {
    let quilt = demo(name);
    let size = match name {
        "pagoda" => [12, 9, 8],
        "wall" => [12, 14, 4],
        _ => [16, 12, 1],
    };
    let extent = Extent::new(Cell::default(), size).unwrap();
    let layout = Layout::new(quilt.layout.lattice(), extent, Wrap::NONE).unwrap();
    let map = made(quilt.maker(layout, &Seed::from_number(11))).map;
    let mut data = Vec::new();
    let options = GlbOptions::default().instances(instances);
    write_glb(&map, &quilt.art, options, &mut data).unwrap();
    let (written, drawn) = (corners_of(&data), corners_drawn(&map, &quilt.art));
    assert_eq!(written.len(), drawn.len());
    // Sorted by column first, so rounding may exchange neighbours: sums and ends are what is compared.
    let sums = |points: &Points| -> [i64; 3] {
        std::array::from_fn(|axis| points.iter().map(|p| i64::from(p[axis])).sum())
    };
    let far = sums(&written).into_iter().zip(sums(&drawn)).map(|(a, b)| (a - b).abs()).max();
    assert!(far.unwrap() <= written.len() as i64, "{far:?} of {}", written.len());
    for axis in 0..3 {
        let sorted = |points: &Points| {
            let mut values: Vec<i32> = points.iter().map(|p| p[axis]).collect();
            values.sort_unstable();
            values
        };
        let pairs = sorted(&written).into_iter().zip(sorted(&drawn));
        assert!(pairs.map(|(a, b)| (a - b).abs()).max().unwrap() <= 2);
    }
}

/// Only the levels that are asked for are written.
#[rstest]
#[case(None, 10)]
#[case(Some([0, 0]), 1)]
#[case(Some([1, 3]), 3)]
fn levels_are_cut(#[case] levels: Option<[i32; 2]>, #[case] most: usize) {
    let quilt = demo("pagoda");
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    let file = written(&map, &quilt.art, GlbOptions::default().levels(levels));
    let cells: std::collections::BTreeSet<i64> =
        nodes_of(&file).iter().map(|(_, cell, _)| cell[2]).collect();
    assert!(cells.len() <= most && !cells.is_empty());
    let inside =
        |z: &i64| levels.is_none_or(|[low, high]| (i64::from(low)..=i64::from(high)).contains(z));
    assert!(cells.iter().all(inside));
}
