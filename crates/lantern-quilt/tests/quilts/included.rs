//! Files that a quilt includes, and the schema of both.

use super::*;
use lantern_quilt::files::{Folder, quilt_schema};
use std::path::Path;

const MAIN: &str = r#"quilt = 1
include = ["ground/moss.toml"]
map = { lattice = "square", size = [6, 4] }
[tiles]
stone = { picture = "wide.png", sides = "moss" }
[[sample]]
key = "plain"
text = "ms"
[[recipe]]
pass = "collapse"
"#;

const MOSS: &str = r#"quilt = 1
include = "path.toml"
sheets.s = { file = "cells.png", cell = [8, 4] }
sockets.moss = {}
keys.plain = { m = "moss", "s" = "stone" }
[tiles]
moss = { at = [0, 0], sides = "moss", tags = ["green"] }
"#;

const PATH: &str = r#"quilt = 1
sockets.path = { mates = ["moss"] }
[[forbid]]
what = { tag = "green" }
beside = { socket = "path" }
"#;

/// Reads a quilt whose files may be other than these.
fn with(changed: &[(&str, &str)]) -> Result<Quilt, Report> {
    let mut files = pictures();
    files.0.insert("ground/cells.png".to_owned(), files.0["tiles.png"].clone());
    let texts = [("a.quilt.toml", MAIN), ("ground/moss.toml", MOSS), ("ground/path.toml", PATH)];
    for (name, text) in texts.iter().chain(changed) {
        files.0.insert((*name).to_owned(), text.as_bytes().to_vec());
    }
    let text = String::from_utf8(files.0["a.quilt.toml"].clone()).unwrap();
    Quilt::read(&text, "demo/a.quilt.toml", &files)
}

#[test]
fn what_is_included_belongs_to_the_quilt() {
    let quilt = with(&[]).unwrap_or_else(|report| panic!("{report}"));
    let set = quilt.collapse().unwrap().tileset();
    let names: Vec<&str> =
        set.tiles().iter().map(lantern_quilt::tileset::CheckedTile::name).collect();
    // What is included comes first, whatever it is included by.
    assert_eq!(names, ["moss", "stone"]);
    assert_eq!(quilt.pictures, ["ground/cells.png", "wide.png"]);
    assert_eq!(quilt.collapse().unwrap().constraints().pairs.len(), 1);
    assert_eq!(quilt.collapse().unwrap().constraints().samples.len(), 1);
    // A warning lies in the file it comes from.
    let told = quilt.findings.to_string();
    assert!(told.contains("demo/ground/path.toml:2:"), "{told}");
    assert_ne!(quilt.hash, with(&[("ground/path.toml", &format!("{PATH}# more\n"))]).unwrap().hash);
}

#[rstest]
#[case::wrong_name("ground/moss.toml", MOSS.replace("sides = \"moss\"", "sides = \"mos\""),
    "demo/ground/moss.toml:7:31: error[unknown-name] no socket is named `mos`")]
#[case::twice("ground/path.toml", format!("{PATH}[tiles.stone]\nat = [0, 0]\nsides = \"moss\"\n"),
    "demo/a.quilt.toml:5:1: error[duplicate-name] another file of this quilt has a tile `stone` already")]
#[case::twice_a_socket("ground/path.toml", PATH.replace("sockets.path", "sockets.moss"),
    "error[duplicate-name] another file of this quilt has a socket `moss` already")]
#[case::a_map("ground/path.toml", format!("map = {{}}\n{PATH}"),
    "demo/ground/path.toml:1:1: error[unknown-key] unknown key `map` at the top")]
#[case::no_version("ground/path.toml", PATH.replace("quilt = 1", ""),
    "demo/ground/path.toml:1:1: error[missing-key] the quilt has no `quilt`")]
#[case::circle("ground/path.toml", format!("include = \"../ground/moss.toml\"\n{PATH}"),
    "demo/ground/path.toml:1:11: error[include-circle] files include each other: ground/moss.toml -> ground/path.toml -> ground/moss.toml")]
#[case::itself("ground/path.toml", format!("include = \"../a.quilt.toml\"\n{PATH}"),
    "error[include-circle] `a.quilt.toml` is the quilt itself")]
#[case::missing("a.quilt.toml", MAIN.replace("ground/moss", "ground/mos"),
    "demo/a.quilt.toml:2:12: error[unreadable-file] cannot include `ground/mos.toml`")]
#[case::not_toml("ground/moss.toml", "quilt = ".to_owned(), "demo/ground/moss.toml:1:9: error[not-toml]")]
#[case::not_a_list("a.quilt.toml", MAIN.replace("[\"ground/moss.toml\"]", "3"),
    "error[bad-value] `include` must be text in quotes, not a whole number")]
#[case::unknown_key("a.quilt.toml", MAIN.replace("\"plain\"", "\"plane\""),
    "demo/a.quilt.toml:7:7: error[unknown-name] no key is named `plane`")]
fn a_mistake_is_told_where_it_is(#[case] file: &str, #[case] text: String, #[case] want: &str) {
    let report = with(&[(file, &text)]).unwrap_err();
    assert!(report.to_string().contains(want), "{report}\nwanted {want}");
    // Both forms point into the same file.
    let rendered = report.render(false, 120);
    assert!(rendered.contains("--> demo/"), "{rendered}");
    let json = report.to_json();
    assert!(
        json.as_array().unwrap().iter().all(|f| f["file"].as_str().unwrap().starts_with("demo/"))
    );
}

fn validator(included: bool) -> jsonschema::Validator {
    jsonschema::validator_for(&quilt_schema(included)).expect("the schema is one")
}

fn as_json(text: &str) -> serde_json::Value {
    let table: toml::Table = text.parse().expect("TOML");
    serde_json::to_value(table).unwrap()
}

const DOCS: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs");

#[test]
fn the_schema_is_committed_and_accepts_every_demo() {
    for (file, included) in [("quilt.schema.json", false), ("quilt-included.schema.json", true)] {
        let committed = std::fs::read_to_string(format!("{DOCS}/{file}")).unwrap_or_default();
        let schema = quilt_schema(included);
        let help = "write it again with `lantern-quilt schema`";
        assert_eq!(committed.trim_end(), format!("{schema:#}"), "docs/{file}: {help}");
    }
    let mut seen = 0;
    for folder in std::fs::read_dir(format!("{DOCS}/../demos")).unwrap() {
        let Ok(files) = std::fs::read_dir(folder.unwrap().path()) else { continue };
        for file in files.map(|file| file.unwrap().path()) {
            let name = file.to_string_lossy().into_owned();
            if !name.ends_with(".quilt.toml") {
                continue;
            }
            let json = as_json(&std::fs::read_to_string(&file).unwrap());
            let wrong: Vec<String> = validator(json.get("map").is_none())
                .iter_errors(&json)
                .map(|error| format!("{} {error}", error.instance_path()))
                .collect();
            assert!(wrong.is_empty(), "{name}: {wrong:?}");
            seen += 1;
        }
    }
    assert!(seen >= 6, "{seen}");
    // Whatever the reader takes in these tests, the schema takes.
    for text in [GOOD, MAIN, sides::OPEN, samples::DRAWN] {
        let json = as_json(text);
        assert!(validator(false).is_valid(&json), "{text}");
    }
    assert!(validator(true).is_valid(&as_json(MOSS)) && validator(true).is_valid(&as_json(PATH)));
}

#[rstest]
#[case::version("quilt = 1", "quilt = 2")]
#[case::no_map("[map]", "[mapp]")]
#[case::lattice("\"square\"", "\"squares\"")]
#[case::size("size = [6, 4]", "size = [6]")]
#[case::axis("wrap = [\"x\"]", "wrap = [\"w\"]")]
#[case::cell("cell = [4, 4]", "cell = \"4x4\"")]
#[case::pass("pass = \"collapse\"", "pass = \"colapse\"")]
#[case::key("title =", "titel =")]
#[case::included("quilt = 1", "quilt = 1\ninclude = [1]")]
fn the_schema_refuses_what_the_reader_refuses(#[case] from: &str, #[case] to: &str) {
    let text = GOOD.replace(from, to);
    assert_ne!(text, GOOD);
    assert!(!validator(false).is_valid(&as_json(&text)), "{text}");
    assert!(read(&text).is_err(), "{text}");
    // A quilt is no file to include.
    assert!(!validator(true).is_valid(&as_json(GOOD)));
}

/// Each demo that comes with more than one file stands in its own folder.
#[test]
fn a_demo_includes_its_ground() {
    let path = format!("{DOCS}/../demos/festival/festival.quilt.toml");
    let quilt = Quilt::open(Path::new(&path)).unwrap();
    assert_eq!(quilt.findings.included.len(), 1);
    assert!(quilt.findings.included[0].name.ends_with("festival/green.quilt.toml"));
    // Without its folder it cannot be read.
    let nowhere = Folder::new("nowhere");
    let text = std::fs::read_to_string(&path).unwrap();
    let report = Quilt::read(&text, "festival.quilt.toml", &nowhere).unwrap_err();
    assert!(report.to_string().contains("cannot include `green.quilt.toml`"), "{report}");
}
