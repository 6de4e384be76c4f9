//! What model files may hold: every kind of number, of triangles and of picture, read as the standard has it.

use super::*;
use base64::Engine as _;
use glam::{Vec3, Vec4};
use lantern_quilt::models::Model;
use rstest::rstest;
use std::sync::Arc;

fn block(scene: &Scene) -> Arc<Model> {
    let quilt = opened(QUILT, &Files::default().with("a.glb", scene.glb()));
    Arc::clone(quilt.art.models().unwrap().tile("block", 0).unwrap())
}

/// Triangles of a model by their points, each turned so that its least point comes first; sorted.
fn triangles(model: &Model) -> Vec<[[i32; 3]; 3]> {
    let mut all: Vec<[[i32; 3]; 3]> = Vec::new();
    for part in &model.parts {
        for triangle in &part.triangles {
            let mut one = triangle.map(|index| {
                part.points[index as usize].to_array().map(|v| (v * 1000.0).round() as i32)
            });
            let first = (0..3).min_by_key(|&at| one[at]).unwrap();
            one.rotate_left(first);
            all.push(one);
        }
    }
    all.sort_unstable();
    all
}

/// The same faces as strips, as fans, without indices, and with indices of every width.
#[rstest]
#[case::strip(5, &[0, 1, 3, 2], &[[0, 1, 3], [3, 1, 2]])]
#[case::fan(6, &[0, 1, 2, 3], &[[0, 1, 2], [0, 2, 3]])]
#[case::list(4, &[0, 1, 2, 2, 3, 0], &[[0, 1, 2], [2, 3, 0]])]
#[case::points(0, &[0, 1, 2], &[])]
#[case::lines(1, &[0, 1, 1, 2], &[])]
#[case::no_triangle(4, &[0, 1], &[])]
fn triangles_come_in_many_ways(
    #[case] mode: u32,
    #[case] corners: &[u16],
    #[case] want: &[[usize; 3]],
) {
    let square = [[-0.5, 0.0, 0.5], [0.5, 0.0, 0.5], [0.5, 0.0, -0.5], [-0.5, 0.0, -0.5]];
    let scene = |indices: &[u16]| {
        Scene::of(&square, indices).set("/meshes/0/primitives/0/mode", mode.into())
    };
    let plain: Vec<u16> = want.iter().flatten().map(|&index| index as u16).collect();
    let want = block(&Scene::of(&square, &plain));
    assert_eq!(triangles(&block(&scene(corners))), triangles(&want));
    // Indices of one and of four bytes.
    for (kind, wide) in [(5121, 1), (5125, 4)] {
        let mut other = scene(corners);
        let start = square.len() * 12;
        other.bin.truncate(start);
        for index in corners {
            other.bin.extend(&u32::from(*index).to_le_bytes()[..wide]);
        }
        let length = other.bin.len();
        let other = other
            .set("/accessors/1/componentType", kind.into())
            .set("/bufferViews/1/byteLength", (length - start).into())
            .set("/buffers/0/byteLength", length.into());
        assert_eq!(triangles(&block(&other)), triangles(&want), "{kind}");
    }
    // In order, without indices.
    if corners.iter().enumerate().all(|(at, &index)| at == usize::from(index)) {
        let mut scene = scene(corners);
        scene.json["meshes"][0]["primitives"][0].as_object_mut().unwrap().remove("indices");
        let cut = corners.len();
        let scene = scene.set("/accessors/0/count", cut.into());
        assert_eq!(triangles(&block(&scene)), triangles(&want));
    }
}

/// A sparse accessor exchanges just those points that it names.
#[test]
fn sparse_points_are_exchanged() {
    let mut scene = Scene::of_box();
    let start = scene.bin.len();
    scene.bin.extend(6u16.to_le_bytes());
    scene.bin.extend([0; 2]);
    [0.25f32, 0.75, 0.25]
        .iter()
        .flat_map(|n| n.to_le_bytes())
        .for_each(|byte| scene.bin.push(byte));
    let views = scene.json["bufferViews"].as_array_mut().unwrap();
    views.push(json!({ "buffer": 0, "byteOffset": start, "byteLength": 2 }));
    views.push(json!({ "buffer": 0, "byteOffset": start + 4, "byteLength": 12 }));
    let length = scene.bin.len();
    let scene = scene.set("/buffers/0/byteLength", length.into()).set(
        "/accessors/0/sparse",
        json!({ "count": 1, "indices": { "bufferView": 2, "componentType": 5123 },
                "values": { "bufferView": 3 } }),
    );
    let mut moved = CORNERS;
    moved[6] = [0.25, 0.75, 0.25];
    assert_eq!(triangles(&block(&scene)), triangles(&block(&Scene::of(&moved, &FACES))));
}

/// Adds an attribute of eight values to the box.
fn with(name: &str, kind: u32, shape: &str, normalised: bool, bytes: &[u8]) -> Scene {
    let mut scene = Scene::of_box();
    let start = scene.bin.len();
    scene.bin.extend(bytes);
    let length = scene.bin.len();
    let views = scene.json["bufferViews"].as_array_mut().unwrap();
    views.push(json!({ "buffer": 0, "byteOffset": start, "byteLength": bytes.len() }));
    scene.json["accessors"].as_array_mut().unwrap().push(json!({
        "bufferView": 2, "componentType": kind, "count": 8, "type": shape, "normalized": normalised }));
    scene
        .set("/buffers/0/byteLength", length.into())
        .set(&format!("/meshes/0/primitives/0/attributes/{name}"), 2.into())
}

#[rstest]
#[case::bytes(5121, "VEC3", [128u8, 255, 0].repeat(8), [128.0 / 255.0, 1.0, 0.0, 1.0])]
#[case::bytes_with_alpha(5121, "VEC4", [255u8, 0, 51, 102].repeat(8), [1.0, 0.0, 0.2, 0.4])]
#[case::words(5123, "VEC4", [255u8, 255, 0, 0, 51, 51, 255, 255].repeat(8), [1.0, 0.0, 0.2, 1.0])]
fn colours_of_every_kind_are_read(
    #[case] kind: u32,
    #[case] shape: &str,
    #[case] bytes: Vec<u8>,
    #[case] want: [f32; 4],
) {
    let model = block(&with("COLOR_0", kind, shape, true, &bytes));
    let colours = &model.parts[0].colours;
    assert!(colours.len() == model.parts[0].points.len() && !colours.is_empty());
    assert!(colours.iter().all(|colour| (*colour - Vec4::from(want)).length() < 1e-4));
}

/// Normals that are there are kept, at length 1; made ones look out of their triangle.
#[rstest]
#[case(true)]
#[case(false)]
fn normals_are_read_or_made(#[case] given: bool) {
    let up: Vec<u8> = [0.0f32, 3.0, 0.0].iter().flat_map(|n| n.to_le_bytes()).collect();
    let scene =
        if given { with("NORMAL", 5126, "VEC3", false, &up.repeat(8)) } else { Scene::of_box() };
    let model = block(&scene);
    let part = &model.parts[0];
    for triangle in &part.triangles {
        let [a, b, c] = triangle.map(|index| part.points[index as usize]);
        let out = if given { Vec3::Y } else { (b - a).cross(c - a).normalize() };
        assert!(triangle.iter().all(|&i| (part.normals[i as usize] - out).length() < 1e-5));
    }
    assert_eq!(part.points.len(), if given { 8 } else { 36 });
}

/// A JPEG of 16 x 8 pixels, red to the left and blue to the right.
const PHOTO: &str = "/9j/4AAQSkZJRgABAQAAAQABAAD/2wBDAA0JCgsKCA0LCgsODg0PEyAVExISEyccHhcgLikxMC4pLSwzOko+MzZGNywtQFdBRkxOUlNSMj5aYVpQYEpRUk//2wBDAQ4ODhMREyYVFSZPNS01T09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT09PT0//wAARCAAIABADAREAAhEBAxEB/8QAFQABAQAAAAAAAAAAAAAAAAAABAX/xAAUEAEAAAAAAAAAAAAAAAAAAAAA/8QAFgEBAQEAAAAAAAAAAAAAAAAABwUG/8QAFBEBAAAAAAAAAAAAAAAAAAAAAP/aAAwDAQACEQMRAD8AipTXhEEfP//Z";

#[rstest]
#[case::beside(false)]
#[case::within(true)]
fn photos_are_textures(#[case] within: bool) {
    let photo = base64::engine::general_purpose::STANDARD.decode(PHOTO).unwrap();
    let uri = if within {
        format!("data:image/jpeg;base64,{PHOTO}")
    } else {
        "my%20photo.jpg".to_owned()
    };
    let uvs: Vec<u8> = (0..16).flat_map(|n| (n as f32 / 16.0).to_le_bytes()).collect();
    let scene = with("TEXCOORD_0", 5126, "VEC2", false, &uvs)
        .set("/meshes/0/primitives/0/material", 0.into())
        .set(
            "/materials",
            json!([{ "pbrMetallicRoughness": {
            "baseColorFactor": [0.5, 1, 1, 1], "baseColorTexture": { "index": 0 } } }]),
        )
        .set("/textures", json!([{ "source": 0 }]))
        .set("/images", json!([{ "uri": uri }]));
    let files = Files::default().with("a.glb", scene.glb()).with("my photo.jpg", photo.clone());
    let quilt = opened(QUILT, &files);
    let model = quilt.art.models().unwrap().tile("block", 0).unwrap();
    let material = model.parts[0].material.as_ref().unwrap();
    let (texture, set) = material.texture.as_ref().unwrap();
    assert_eq!((*set, texture.mime, &texture.data[..]), (0, "image/jpeg", &photo[..]));
    assert_eq!((texture.picture.width(), texture.picture.height()), (16, 8));
    let (left, right) = (texture.picture.get(2, 4).unwrap(), texture.picture.get(13, 4).unwrap());
    assert!(left[0] > 150 && right[2] > 150 && left[2] < 90 && right[0] < 90, "{left:?} {right:?}");
    assert_eq!(material.colour, [0.5, 1.0, 1.0, 1.0]);
    assert_eq!(quilt.pictures.contains(&"my photo.jpg".to_owned()), !within);
}

/// A file as .gltf with its data in it or beside it is the same as .glb.
#[rstest]
#[case::within(true)]
#[case::beside(false)]
fn gltf_is_as_glb(#[case] within: bool) {
    let scene = Scene::of_box();
    let data = base64::engine::general_purpose::STANDARD.encode(&scene.bin);
    let uri = if within {
        format!("data:application/octet-stream;base64,{data}")
    } else {
        "b.bin".to_owned()
    };
    let files = Files::default().with("a.gltf", scene.gltf(&uri)).with("b.bin", scene.bin.clone());
    let quilt = opened(&QUILT.replace("a.glb", "a.gltf"), &files);
    let model = quilt.art.models().unwrap().tile("block", 0).unwrap();
    assert_eq!(triangles(model), triangles(&block(&scene)));
    // What it reads beside it counts to the quilt: another buffer is another quilt.
    let mut other = scene.clone();
    other.bin[3] ^= 1;
    let changed = Files::default().with("a.gltf", scene.gltf(&uri)).with("b.bin", other.bin);
    let changed = opened(&QUILT.replace("a.glb", "a.gltf"), &changed);
    assert_eq!(changed.hash == quilt.hash, within);
}

/// Looks, items and entries of shapes have models of their own; an empty one is air.
#[test]
fn everything_may_have_a_model() {
    let text = r#"quilt = 1
map = { lattice = "square", size = [4, 3], module = [1, 1, 1] }
terrains = { moss = "m", path = "p" }
sockets.side = {}
tiles.a = { model = "a.glb", sides = "side", looks = [{ model = "small.glb" }, { model = "a.glb", weight = 2 }] }
tiles.gone = { model = "empty.glb", sides = "side" }
items.post = { model = "small.glb", looks = [{ model = "a.glb" }] }
items.mark = {}
arrangements.one = { scheme = "four", tiles = [{ model = "small.glb", around = " # \n?o?\n ? ", turns = 4 }, { model = "a.glb" }] }
shapes.path = { arrangement = "one" }
[[recipe]]
pass = "collapse"
[[recipe]]
pass = "autotile"
"#;
    let small = CORNERS.map(|p| p.map(|n| n * 0.5));
    let files = Files::default()
        .with("a.glb", Scene::of_box().glb())
        .with("small.glb", Scene::of(&small, &FACES).glb())
        .with(
            "empty.glb",
            Scene::of(&CORNERS, &[]).set("/meshes/0/primitives/0/mode", 0.into()).glb(),
        );
    let quilt = opened(text, &files);
    let models = quilt.art.models().unwrap();
    let high = |model: Option<&Arc<Model>>| model.unwrap().bounds().unwrap().most.y;
    assert_eq!([0, 1, 2].map(|look| high(models.tile("a", look))), [1.0, 0.5, 1.0]);
    assert_eq!([0, 1].map(|look| high(models.item("post", look))), [0.5, 1.0]);
    assert!(models.is_air("gone") && !models.is_air("a") && models.item("mark", 0).is_none());
    let shapes = ["path/00", "path/01"].map(|name| high(models.tile(name, 0)));
    assert_eq!(shapes, [0.5, 1.0]);
}
