//! Every way in which a model file can be wrong: named, with its place, and never a panic.

use super::*;
use lantern_quilt::files::{Folder, QuiltOptions};
use lantern_quilt::models::ModelLimits;
use lantern_quilt::picture::Picture;
use proptest::prelude::*;
use rstest::rstest;

fn png(width: u32, height: u32) -> Vec<u8> {
    Picture::new(width, height, [200, 90, 30, 255]).unwrap().to_png(&[]).unwrap()
}

/// A box with texture coordinates and a material that takes an image by its URI.
fn textured(uri: &str) -> Scene {
    let mut scene = Scene::of_box();
    let start = scene.bin.len();
    (0..16).for_each(|n| scene.bin.extend((n as f32 / 16.0).to_le_bytes()));
    let length = scene.bin.len();
    scene.json["bufferViews"]
        .as_array_mut()
        .unwrap()
        .push(json!({ "buffer": 0, "byteOffset": start, "byteLength": length - start }));
    scene.json["accessors"]
        .as_array_mut()
        .unwrap()
        .push(json!({ "bufferView": 2, "componentType": 5126, "count": 8, "type": "VEC2" }));
    scene
        .set("/buffers/0/byteLength", length.into())
        .set("/meshes/0/primitives/0/attributes/TEXCOORD_0", 2.into())
        .set("/meshes/0/primitives/0/material", 0.into())
        .set(
            "/materials",
            json!([{ "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }]),
        )
        .set("/textures", json!([{ "source": 0 }]))
        .set("/images", json!([{ "uri": uri }]))
}

fn nan() -> Scene {
    let mut points = CORNERS;
    points[3][1] = f32::NAN;
    let mut scene = Scene::of(&points, &FACES);
    scene.json["accessors"][0]["min"] = json!([-0.5, 0.0, -0.5]);
    scene.json["accessors"][0]["max"] = json!([0.5, 1.0, 0.5]);
    scene
}

fn infinite() -> Scene {
    let mut scene = nan();
    let infinite = f32::INFINITY.to_le_bytes();
    scene.bin[3 * 12 + 4..3 * 12 + 8].copy_from_slice(&infinite);
    scene
}

fn two_nodes(first: &str, second: &str) -> Scene {
    Scene::of_box()
        .set("/nodes", json!([{ "name": first, "mesh": 0 }, { "name": second, "mesh": 0 }]))
        .set("/scenes/0/nodes", json!([0, 1]))
}

/// Claims of a GLB header and of its first chunk.
fn claiming(header: u32, chunk: u32) -> Vec<u8> {
    let mut data = Scene::of_box().glb();
    data[8..12].copy_from_slice(&header.to_le_bytes());
    data[12..16].copy_from_slice(&chunk.to_le_bytes());
    data
}

fn truncated() -> Vec<u8> {
    let mut data = Scene::of_box().glb();
    data.truncate(data.len() / 2);
    data
}

fn sparse(index: u16) -> Scene {
    let mut scene = Scene::of_box();
    let start = scene.bin.len();
    scene.bin.extend(index.to_le_bytes());
    scene.bin.extend([0; 2]);
    for number in [0.4f32, 0.9, 0.4] {
        scene.bin.extend(number.to_le_bytes());
    }
    let views = scene.json["bufferViews"].as_array_mut().unwrap();
    views.push(json!({ "buffer": 0, "byteOffset": start, "byteLength": 2 }));
    views.push(json!({ "buffer": 0, "byteOffset": start + 4, "byteLength": 12 }));
    let length = scene.bin.len();
    scene.set("/buffers/0/byteLength", length.into()).set(
        "/accessors/0/sparse",
        json!({ "count": 1, "indices": { "bufferView": 2, "componentType": 5123 },
                "values": { "bufferView": 3 } }),
    )
}

#[rstest]
#[case("truncated", truncated(), "bad-model", "not readable as")]
#[case("4 GB claimed", claiming(u32::MAX, 64), "bad-model", "not readable as")]
#[case("4 GB chunk", claiming(200, u32::MAX - 3), "bad-model", "not readable as")]
#[case("empty", Vec::new(), "bad-model", "not readable as")]
#[case("text", b"a plinth".to_vec(), "bad-model", "not readable as")]
#[case("a count that lies", Scene::of_box().set("/accessors/0/count", 4_000_000.into()).glb(),
    "bad-model", "past the end of its buffer")]
#[case("a view that lies", Scene::of_box().set("/bufferViews/0/byteLength", 1_000_000.into()).glb(),
    "bad-model", "past the end of its buffer")]
#[case("an offset that lies", Scene::of_box().set("/accessors/0/byteOffset", 96.into()).glb(),
    "bad-model", "past the end of its buffer")]
#[case("a buffer that lies", Scene::of_box().set("/buffers/0/byteLength", 99_999.into()).glb(),
    "bad-model", "claims 99999 bytes")]
#[case("sparse beyond", sparse(8).glb(), "bad-model", "past the end of its buffer")]
#[case("points that are no numbers", nan().glb(), "bad-model", "not finite")]
#[case("infinite points", infinite().glb(), "bad-model", "not finite")]
#[case("an infinite matrix", Scene::of_box().set("/nodes/0/matrix",
    json!([1e38, 0, 0, 0, 0, 1e38, 0, 0, 0, 0, 1e38, 0, 1e39, 0, 0, 1])).glb(), "bad-model", "not readable as")]
#[case("matrices beyond numbers", Scene::of_box().set("/nodes", json!([
    { "name": "a", "scale": [1e30, 1e30, 1e30], "children": [1] },
    { "name": "b", "scale": [1e30, 1e30, 1e30], "mesh": 0 }])).glb(), "bad-model", "not finite")]
#[case("no size", Scene::of_box().set("/nodes/0/scale", json!([1, 0, 1])).glb(),
    "bad-model", "`block` is scaled to nothing")]
#[case("an index out of range", Scene::of(&CORNERS, &[0, 1, 8]).glb(), "bad-model",
    "names a point that it does not have")]
#[case("no such mesh", Scene::of_box().set("/nodes/0/mesh", 7.into()).glb(), "bad-model", "not readable as")]
#[case("a circle of nodes", Scene::of_box().set("/nodes", json!([
    { "name": "a", "children": [1] }, { "name": "b", "children": [0] }])).glb(), "bad-model", "contains itself")]
#[case("a node below two", Scene::of_box().set("/nodes", json!([
    { "name": "a", "children": [2] }, { "name": "b", "children": [2] }, { "name": "c", "mesh": 0 }])).glb(),
    "bad-model", "below two others")]
#[case("a required extension", Scene::of_box().set("/extensionsUsed", json!(["OTHER_squeezed"]))
    .set("/extensionsRequired", json!(["OTHER_squeezed"])).glb(), "bad-model", "requires the extension `OTHER_squeezed`")]
#[case("an optional extension", Scene::of_box().set("/extensionsUsed", json!(["OTHER_lights"])).glb(),
    "model-remark", "`OTHER_lights` is not known")]
#[case("no normals", Scene::of_box().glb(), "model-remark", "flat ones were made")]
#[case("flat triangles", Scene::of(&CORNERS, &[0, 1, 2, 3, 3, 3, 0, 1, 1]).glb(), "model-remark",
    "2 triangle(s) have no area")]
#[case("control characters", two_nodes("bl\u{7}ock", "other").glb(), "model-remark", "control characters")]
#[case("animated", Scene::of_box().set("/animations", json!([{ "channels": [], "samplers": [] }])).glb(),
    "model-remark", "animations are left out")]
#[case("skinned", Scene::of_box().set("/skins", json!([{ "joints": [0] }])).glb(), "model-remark",
    "skins are left out")]
#[case("a missing texture", textured("gone.png").glb(), "model-remark", "`gone.png` is left out")]
#[case("an image of nothing", textured("t.png").set("/images", json!([{}])).glb(), "model-remark", "neither a file nor bytes")]
#[case("an image without a kind", textured("t.png").set("/images", json!([{ "bufferView": 0 }])).glb(), "model-remark", "image 0")]
#[case("a texture outside", textured("..%2Fsecret.png").glb(), "model-remark", "leaves the folder")]
#[case("garbage for a texture", textured("data:image/png;base64,@@@").glb(), "model-remark", "data URI")]
#[case("a texture bomb", textured("bomb.png").glb(), "bad-model", "texture pixels")]
#[case("a photo bomb", textured("bomb.jpg").glb(), "bad-model", "texture pixels")]
#[case("another scale", Scene::of(&CORNERS.map(|p| p.map(|n| n * 100.0)), &FACES).glb(), "model-placing",
    "scale 0.01")]
#[case("too large for its cell", Scene::of(&CORNERS.map(|[x, y, z]| [x, y * 1.5, z]), &FACES).glb(),
    "model-overhang", "`a.glb`, leaves its cell by 0.500 m")]
fn is_reported(#[case] what: &str, #[case] data: Vec<u8>, #[case] code: &str, #[case] words: &str) {
    // Headers that claim 30000 x 30000 pixels.
    let mut bomb = png(4, 4);
    let header = [0x49, 0x48, 0x44, 0x52, 0, 0, 0x75, 0x30, 0, 0, 0x75, 0x30, 8, 6, 0, 0, 0];
    bomb[12..29].copy_from_slice(&header);
    bomb[29..33].copy_from_slice(&crc32(&header));
    let photo = [
        0xff, 0xd8, 0xff, 0xc0, 0, 17, 8, 0x75, 0x30, 0x75, 0x30, 3, 1, 0x11, 0, 2, 0x11, 0, 3,
        0x11, 0, 0xff, 0xda, 0, 12, 3, 1, 0, 2, 0, 3, 0, 0, 63, 0, 0xff, 0xd9,
    ];
    let files = Files::default().with("a.glb", data).with("bomb.png", bomb).with("bomb.jpg", photo);
    let text = said(QUILT, &files);
    assert!(text.contains(code) && text.contains(words), "{what}: {text}");
    assert!(text.contains("m.quilt.toml:8:9"), "{what}: {text}");
    assert!(!text.contains('\u{7}'), "{what}");
}

/// The checksum of a PNG chunk, most significant byte first.
fn crc32(data: &[u8]) -> [u8; 4] {
    let mut crc = u32::MAX;
    for &byte in data {
        crc ^= u32::from(byte);
        for _ in 0..8 {
            crc = if crc & 1 == 1 { crc >> 1 ^ 0xedb8_8320 } else { crc >> 1 };
        }
    }
    (!crc).to_be_bytes()
}

#[rstest]
#[case::none("", "no-model] `block` has no model and is drawn as a block")]
#[case::no_file("model = \"b.glb\"", "missing-model")]
#[case::nearest("model = \"b.glb\"", "\"a.glb\"")]
#[case::ending("model = \"a.fbx\"", "read from .glb, .gltf and .obj")]
#[case::outside("model = \"../a.glb\"", "path-outside")]
#[case::a_url("model = \"https://here/a.glb\"", "path-outside")]
#[case::node("model = { file = \"a.glb\", node = \"blok\" }", "\"block\"")]
#[case::two("model = { file = \"two.glb\", node = \"twin\" }", "2 nodes are named `twin`")]
#[case::key("model = { file = \"a.glb\", knot = \"block\" }", "unknown key `knot`")]
#[case::origin("model = { file = \"a.glb\", origin = \"flor\" }", "floor")]
#[case::scale("model = { file = \"a.glb\", scale = 0 }", "cannot be scaled by 0")]
#[case::up("model = { file = \"a.glb\", up = \"x\" }", "axis")]
#[case::facing("model = { file = \"a.glb\", facing = \"up\" }", "side")]
#[case::buffer_outside("model = \"out.gltf\"", "path-outside")]
#[case::buffer_gone("model = \"gone.gltf\"", "gone.bin")]
#[case::not_base64("model = \"garbage.gltf\"", "data URI")]
#[case::no_comma("model = \"bare.gltf\"", "data URI without data")]
#[case::turns(
    "model = \"a.glb\"\nturns = 4",
    "`block` takes quarter turns, but a cell is 1 x 2 metres"
)]
#[case::obj("model = \"bad.obj\"", "bad-model")]
fn keys_are_checked(#[case] key: &str, #[case] words: &str) {
    let scene = Scene::of_box();
    let files = Files::default()
        .with("a.glb", scene.glb())
        .with("a.fbx", "no")
        .with("two.glb", two_nodes("twin", "twin").glb())
        .with("out.gltf", scene.gltf("%2e%2e/b.bin"))
        .with("gone.gltf", scene.gltf("gone.bin"))
        .with("garbage.gltf", scene.gltf("data:application/octet-stream;base64,####"))
        .with("bare.gltf", scene.gltf("data:nothing"))
        .with("bad.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99999\n");
    let mut text = QUILT.replace("model = \"a.glb\"", key);
    if key.is_empty() {
        text = text.replace("air = true", "model = \"a.glb\"");
    }
    if key.contains("turns") {
        text = text.replace("module = [1, 1, 1]", "module = [1, 2, 1]");
    }
    let said = said(&text, &files);
    assert!(said.contains(words), "{said}");
}

/// A link that leaves the folder is no way out.
#[cfg(unix)]
#[test]
fn links_stay_inside() {
    let folder = tempfile::tempdir().unwrap();
    let (inner, secret) = (folder.path().join("in"), folder.path().join("secret.glb"));
    std::fs::create_dir(&inner).unwrap();
    std::fs::write(&secret, Scene::of_box().glb()).unwrap();
    std::os::unix::fs::symlink(&secret, inner.join("a.glb")).unwrap();
    let report = Quilt::read(QUILT, "m.quilt.toml", &Folder::new(&inner)).unwrap_err();
    assert!(report.to_string().contains("path-outside"), "{report}");
}

#[rstest]
#[case(ModelLimits { triangles: 20, ..ModelLimits::DEFAULT }, "more triangles than the 8 left")]
#[case(ModelLimits { bytes: 500, ..ModelLimits::DEFAULT }, "more bytes than the 500 left")]
#[case(ModelLimits { pixels: 10, ..ModelLimits::DEFAULT }, "more texture pixels than the 10 left")]
fn limits_are_kept_and_named(#[case] limits: ModelLimits, #[case] words: &str) {
    let files = Files::default().with("a.glb", textured("t.png").glb()).with("t.png", png(4, 4));
    let options = QuiltOptions::new().model_limits(limits);
    let report = Quilt::read_with(QUILT, "m.quilt.toml", &files, &options).unwrap_err().to_string();
    assert!(report.contains(words), "{report}");
    Quilt::read(QUILT, "m.quilt.toml", &files).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever bytes are exchanged, a file is read or refused.
    #[test]
    fn no_bytes_panic(places in proptest::collection::vec((0usize..4000, any::<u8>()), 1..12), sparse_one: bool) {
        let scene = if sparse_one { sparse(3) } else { textured("t.png") };
        let mut data = scene.glb();
        let length = data.len();
        for (at, byte) in places {
            data[at % length] = byte;
        }
        let files = Files::default().with("a.glb", data).with("t.png", png(4, 4));
        let _ = read(QUILT, &files);
    }

    #[test]
    fn no_lines_panic(lines in proptest::collection::vec("(v|vt|vn|f|o|g|usemtl|mtllib) [0-9a-z/. -]{0,20}", 0..30)) {
        let files = Files::default().with("a.obj", lines.join("\n"));
        let _ = read(&QUILT.replace("a.glb", "a.obj"), &files);
    }
}
