//! Box maps and models, as the tool writes and draws them.

use super::*;
use std::path::Path;

/// Copies a folder with all that is in it.
fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for file in fs::read_dir(from).unwrap() {
        let file = file.unwrap();
        let there = to.join(file.file_name());
        if file.path().is_dir() {
            copy(&file.path(), &there);
        } else {
            fs::copy(file.path(), there).unwrap();
        }
    }
}

/// A folder with a demo of models, not filled.
fn demo(name: &str) -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let from = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(name);
    copy(&from, folder.path());
    let path = folder.path().to_owned();
    (folder, path)
}

fn is_png(path: &Path) -> bool {
    fs::read(path).is_ok_and(|data| data.starts_with(b"\x89PNG"))
}

const SMALL: [&str; 4] = ["fill", "pagoda.quilt.toml", "--size", "9x8x8"];

#[test]
fn models_are_filled_drawn_and_written() {
    let (_keep, folder) = demo("pagoda");
    let set = "pagodas.counts=[]";
    let words =
        [&SMALL[..], &["-s", "1", "--set", set, "-o", "a.glb", "-o", "a.json", "-o", "a.png"]]
            .concat();
    tool(&folder, &words).success().stdout(contains("9 x 8 x 8 cells of 92 poses"));
    let glb = fs::read(folder.join("a.glb")).unwrap();
    assert!(glb.starts_with(b"glTF") && is_png(&folder.join("a.png")));
    tool(&folder, &["draw", "a.json", "-o", "b.glb"]).success().stdout(contains("models in b.glb"));
    assert_eq!(fs::read(folder.join("b.glb")).unwrap(), glb, "the same map, the same bytes");
    tool(&folder, &["draw", "a.json", "-o", "i.glb", "--instances"]).success();
    let instanced = fs::read(folder.join("i.glb")).unwrap();
    let names = |data: &[u8]| String::from_utf8_lossy(data).contains("EXT_mesh_gpu_instancing");
    assert!(names(&instanced) && !names(&glb));
    for (name, more) in [
        ("view.png", &["--view", "north-west"][..]),
        ("levels.png", &["--levels", "0..1"]),
        ("strip.png", &["--strip"]),
        ("lines.png", &["--grid", "--coordinates"]),
    ] {
        tool(&folder, &[&["draw", "a.json", "-o", name], more].concat()).success();
        assert!(is_png(&folder.join(name)), "{name}");
        let differs =
            fs::read(folder.join(name)).unwrap() != fs::read(folder.join("a.png")).unwrap();
        assert!(differs, "{name}");
    }
    // A part of it again: the rest stays.
    let again = [
        "fill",
        "pagoda.quilt.toml",
        "--from",
        "a.json",
        "--again",
        "0,0,0,4x8x8",
        "--set",
        set,
        "-o",
        "c.json",
    ];
    tool(&folder, &again).success().stdout(contains("256 of the 9 x 8 x 8 cells"));
}

#[rstest]
#[case(&["--size", "10x9"], 0, "10 levels as in the quilt")]
#[case(&["--view", "above"], 2, "north, north_east")]
#[case(&["--levels", "3..1"], 2, "the lowest and the highest level")]
#[case(&["--levels", "top"], 2, "the lowest and the highest level")]
#[case(&["--turntable", "t.gif"], 2, "end t.gif in .png")]
#[case(&["--limit-triangles", "100"], 2, "--limit-triangles")]
fn options_of_boxes_are_checked(#[case] more: &[&str], #[case] code: i32, #[case] words: &str) {
    let (_keep, folder) = demo("pagoda");
    let set = ["fill", "pagoda.quilt.toml", "-o", "a.json", "--set", "pagodas.counts=[]"];
    tool(&folder, &[&set, more].concat()).code(code).stderr(contains(words));
}

#[test]
fn every_picture_of_a_fill_shows_all_levels() {
    let (_keep, folder) = demo("drift");
    let words =
        ["fill", "drift.quilt.toml", "--variant", "boxes", "--size", "5x4x3", "-o", "a.png"];
    let more = [
        "--film",
        "f.png",
        "--film-seconds",
        "0.3",
        "--openness",
        "o.png",
        "--openness-at",
        "40",
        "--steps",
        "s.png",
    ];
    tool(&folder, &[&words[..], &more].concat()).success();
    for name in ["a.png", "f.png", "o.png", "s.png"] {
        assert!(is_png(&folder.join(name)), "{name}");
    }
    tool(&folder, &["compare", "drift.quilt.toml", "--variants", "--size", "8x6", "-o", "c.png"])
        .success();
    tool(&folder, &["check", "drift.quilt.toml", "--set", "map.lattice=box"]).code(2);
    let wrong = ["fill", "drift.quilt.toml", "--set", "map.lattice=hex_flat", "-o", "a.glb"];
    tool(&folder, &wrong).code(1).stderr(contains("not of hexagons"));
}

/// Items that stand on a slope keep how high that is in the map.
#[test]
fn heights_are_kept_in_the_map() {
    let (_keep, folder) = demo("lane");
    tool(&folder, &["fill", "lane.quilt.toml", "-o", "a.json", "-o", "a.csv"]).success();
    let map: serde_json::Value =
        serde_json::from_slice(&fs::read(folder.join("a.json")).unwrap()).unwrap();
    let items = map["items"].as_array().unwrap();
    let slope = items.iter().filter(|item| item["pass"] == "slope_lanterns");
    let heights: Vec<f64> = slope.map(|item| item["height"].as_f64().unwrap()).collect();
    assert!(
        heights.len() >= 3 && heights.iter().all(|height| (0.1..2.2).contains(height)),
        "{heights:?}"
    );
    assert!(fs::read_to_string(folder.join("a.items.csv")).unwrap().contains("slope_lanterns"));
}

/// How a command ended: its exit code, standard output and standard error.
fn ended(folder: &Path, words: &[&str]) -> (i32, String, String) {
    let assert = tool(folder, words);
    let output = assert.get_output();
    let text = |data: &[u8]| String::from_utf8_lossy(data).into_owned();
    (output.status.code().unwrap(), text(&output.stdout), text(&output.stderr))
}

#[test]
fn seams_are_mended_into_copies() {
    let (_folder, path) = demo("pagoda");
    const CHECK: [&str; 4] = ["check", "careless.quilt.toml", "--trials", "0"];
    let original = path.join("careless/pagoda-modules.glb");
    let before = fs::read(&original).unwrap();
    let (code, text, _) = ended(&path, &[&CHECK[..], &["--mend", "mended"]].concat());
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("of 28 models mended") && text.contains("wrote"), "{text}");
    // The copies may not go over what is read.
    let (code, _, why) = ended(&path, &[&CHECK[..], &["--mend", "."]].concat());
    assert_eq!(code, 2, "{why}");
    assert_eq!(fs::read(&original).unwrap(), before);
    ended(&path, &["set", "careless.quilt.toml", "models.folder=mended/careless"]);
    let (_, text, _) = ended(&path, &[&CHECK[..], &["--json"]].concat());
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!(json["findings"].as_array().map(Vec::len), Some(0), "{text}");
    let (_, text, _) = ended(&path, &[&CHECK[..], &["--mend", "again"]].concat());
    assert!(text.contains("no seam needs mending"), "{text}");
}

#[test]
fn holes_are_filled_with_placeholders() {
    let (_folder, path) = demo("terrace");
    let pins = "ground.pins=[{tile=\"pond\",at=[5,5]},{tile=\"path_straight\",turned=1,at=[7,5]},\
                {tile=\"pond\",at=[15,9]},{tile=\"path_straight\",turned=1,at=[13,9]}]";
    let words =
        ["fill", "terrace.quilt.toml", "--size", "24x14", "--seed", "3", "--holes", "--json"];
    let more = ["--set", pins, "--pieces", "extra", "-o", "map.json"];
    let (code, text, why) = ended(&path, &[&words[..], &more].concat());
    assert_eq!(code, 0, "{why}");
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    let holes = json["holes"].as_array().unwrap().len();
    let pieces = json["pieces"].as_array().unwrap();
    let wanted: usize = pieces.iter().map(|piece| piece["cells"].as_array().unwrap().len()).sum();
    assert!(holes > 0 && wanted == holes, "{json:#}");
    let text = fs::read_to_string(path.join("extra/pieces.quilt.toml")).unwrap();
    assert_eq!(text.matches("[tiles.piece_").count(), pieces.len(), "{text}");
    assert!(is_png(&path.join("extra/piece_1.png")));
    let quilt = path.join("terrace.quilt.toml");
    let own = fs::read_to_string(&quilt).unwrap();
    let line = "quilt = 1\ninclude = \"extra/pieces.quilt.toml\"";
    fs::write(&quilt, own.replacen("quilt = 1", line, 1)).unwrap();
    let again = |from: &str, to: &str| {
        let words = ["fill", "terrace.quilt.toml", "--from", from, "--again", "holes", "-o", to];
        ended(&path, &words)
    };
    let (code, _, why) = again("map.json", "again.json");
    assert_eq!(code, 0, "{why}");
    assert!(fs::read_to_string(path.join("again.json")).unwrap().contains("piece_1"));
    // A map without holes has nothing to fill.
    let (code, _, why) = again("again.json", "third.json");
    assert!(code == 2 && why.contains("the map has no holes"), "{code} {why}");
}
