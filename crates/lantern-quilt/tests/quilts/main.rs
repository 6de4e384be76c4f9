//! Quilt files: what they mean, and every mistake with its place.
#![cfg(feature = "files")]

use lantern_quilt::files::{Art, Quilt, QuiltOptions, ReadError, Report};
use lantern_quilt::prelude::*;
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::collections::BTreeMap;

#[cfg(feature = "draw")]
mod art;
mod causes;
mod included;
mod places;
mod patterns;
mod placeholders;
mod placing;
mod recipes;
mod samples;
mod shapes;
mod shares;
mod sides;
mod ways;
mod whole;

/// Pictures from memory.
struct Pictures(BTreeMap<String, Vec<u8>>);

impl Art for Pictures {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        self.0.get(path).cloned().ok_or_else(|| ReadError::Missing { path: path.into() })
    }

    fn near(&self, _: &str) -> Vec<String> {
        self.0.keys().cloned().collect()
    }
}

fn pictures() -> Pictures {
    let png = |w, h| Picture::new(w, h, [1, 2, 3, 255]).unwrap().to_png(&[]).unwrap();
    let mut truncated = png(20, 20);
    truncated.truncate(60);
    // The header claims 60000 x 60000 pixels; its checksum is right.
    let mut huge = png(4, 4);
    let header = [0x49, 0x48, 0x44, 0x52, 0, 0, 0xea, 0x60, 0, 0, 0xea, 0x60, 8, 6, 0, 0, 0];
    huge[12..29].copy_from_slice(&header);
    huge[29..33].copy_from_slice(&crc(&header).to_be_bytes());
    Pictures(BTreeMap::from([
        ("tiles.png".to_owned(), png(20, 10)),
        ("wide.png".to_owned(), png(8, 4)),
        ("text.png".to_owned(), b"not a picture".to_vec()),
        (
            "grey.png".to_owned(),
            map_picture(|x, _| [x as u8 * 40, x as u8 * 40, x as u8 * 40, 255]),
        ),
        ("mask.png".to_owned(), map_picture(|x, y| [0, u8::from(x == y) * 200, 7, 255])),
        ("truncated.png".to_owned(), truncated),
        ("huge.png".to_owned(), huge),
    ]))
}

/// A picture of the size of the map of [`GOOD`].
fn map_picture(colour: impl Fn(u32, u32) -> [u8; 4]) -> Vec<u8> {
    let mut picture = Picture::new(6, 4, [0; 4]).unwrap();
    (0..4).for_each(|y| (0..6).for_each(|x| picture.set(x, y, colour(x, y))));
    picture.to_png(&[]).unwrap()
}

/// The checksum of PNG chunks (ISO 3309), bit by bit.
fn crc(data: &[u8]) -> u32 {
    !data.iter().fold(u32::MAX, |crc, &byte| {
        (0..8).fold(
            crc ^ u32::from(byte),
            |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 },
        )
    })
}

fn read(text: &str) -> Result<Quilt, Report> {
    Quilt::read(text, "a.quilt.toml", &pictures())
}

const GOOD: &str = r#"quilt = 1
title = "Two tiles"
[map]
lattice = "square"
size = [6, 4]
wrap = ["x"]
origin = [-2, 3]
seed = 12
[sheets.s]
file = "tiles.png"
cell = [4, 4]
margin = 1
spacing = 1
[sockets.moss]
[sockets.path]
mates = ["rill"]
[sockets.rill]
itself = false
[sockets.edge]
handed = true
[tiles.hedge]
at = [0, 0]
sides = "moss"
weight = 2.5
tags = ["green"]
[tiles.bend]
at = [2, 1]
sides = { north = "path", east = ["path", "moss"], south = "moss", west = "moss" }
turns = 4
[tiles.rim]
at = [1, 0]
sides = { north = "moss", east = "edge left", south = "moss", west = "edge right" }
mirror = "north_south"
[[recipe]]
pass = "collapse"
name = "ground"
tries = 3
border = { all = { socket = "moss" }, south = { tag = "green" } }
"#;

#[test]
fn a_good_quilt_means_what_it_says() {
    let quilt = read(GOOD).unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.title, "Two tiles");
    assert_eq!(quilt.seed, Seed::from_number(12));
    assert_eq!(quilt.layout.wrap(), Wrap { x: true, y: false, z: false });
    assert_eq!(quilt.layout.extent().origin(), Cell::new(-2, 3));
    assert_eq!(quilt.collapse().unwrap().search.attempts, 3);
    assert_eq!(quilt.collapse().unwrap().rules().poses().len(), 1 + 4 + 2);
    assert_eq!(quilt.collapse().unwrap().constraints().borders.len(), 5);
    assert_eq!(quilt.art.cell(), [4, 4]);
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    let breaks = lantern_quilt::verify::verify(
        map.layers().next().unwrap(),
        map.layout(),
        |_| true,
        quilt.collapse().unwrap().tileset(),
        quilt.collapse().unwrap().constraints(),
    );
    assert_eq!(breaks, []);
    assert_eq!(map.origin.quilt, "a.quilt.toml");
}

/// One change to the good quilt, and what is said of it: `line:column: severity[code] message`.
#[rstest]
#[case(
    "quilt = 1",
    "quilt = 9",
    "1:9: error[unsupported-version] quilt version 9 is not one this program reads"
)]
#[case("quilt = 1\n", "", "1:1: error[missing-key] the quilt has no `quilt`")]
#[case(
    "lattice = \"square\"",
    "lattice = \"sqare\"",
    "4:11: error[unknown-name] no lattice is named `sqare`"
)]
#[case("size = [6, 4]", "size = [0, 4]", "5:9: error[bad-size] `size` is 0, out of its range")]
#[case("size = [6, 4]", "size = [6, -4]", "5:12: error[bad-size] `size` is -4, out of its range")]
#[case(
    "size = [6, 4]",
    "size = [1000000000, 1000000000]",
    "5:8: error[bad-size] 1000000000000000000 cells are more than a map can hold (2147483647)"
)]
#[case("size = [6, 4]", "size = [6]", "5:8: error[bad-size] `size` needs 2 numbers, not 1")]
#[case(
    "wrap = [\"x\"]",
    "wrap = \"x\"",
    "6:8: error[bad-value] `wrap` must be a list in brackets, not text"
)]
#[case(
    "cell = [4, 4]",
    "cell = [4, 4]\nsmooth = true",
    "12:1: error[unknown-key] unknown key `smooth` in `sheets.s`"
)]
#[case(
    "tiles.png",
    "tile.png",
    "10:8: error[missing-art] picture `tile.png`: no such file: tile.png"
)]
#[case(
    "tiles.png",
    "text.png",
    "10:8: error[bad-picture] picture `text.png`: not a readable PNG: Invalid PNG signature."
)]
#[case(
    "tiles.png",
    "huge.png",
    "10:8: error[bad-picture] picture `huge.png`: 60000 x 60000 pixels are over the limit of 134217728"
)]
#[case(
    "at = [2, 1]",
    "at = [4, 1]",
    "27:6: error[cell-outside-sheet] cell [4, 1] lies outside `tiles.png`"
)]
#[case(
    "at = [0, 0]",
    "picture = \"wide.png\"",
    "22:11: error[picture-size] the picture of `hedge` is 8 x 4 pixels, most others are 4 x 4"
)]
#[case("weight = 2.5", "weight = 0", "24:10: error[bad-weight] weight 0 is out of range")]
#[case("weight = 2.5", "weight = -2", "24:10: error[bad-weight] weight -2 is out of range")]
#[case(
    "turns = 4",
    "turns = 4\npose_weight = 1e39",
    "26:1: error[bad-weight] weight 1000000000000000000000000000000000000000 is out of range"
)]
#[case("weight = 2.5", "weight = nan", "24:10: error[bad-weight] weight NaN is out of range")]
#[case("weight = 2.5", "weight = inf", "24:10: error[bad-weight] weight inf is out of range")]
#[case(
    "weight = 2.5",
    "weight = \"much\"",
    "24:10: error[bad-value] `weight` must be a number, not text"
)]
#[case("turns = 4", "turns = 3", "29:9: error[bad-turns] 3 turns do not fit a square lattice")]
#[case(
    "mates = [\"rill\"]",
    "mates = [\"ril\"]",
    "16:10: error[unknown-name] no socket is named `ril`"
)]
#[case("sides = \"moss\"", "sides = \"mos\"", "23:9: error[unknown-name] no socket is named `mos`")]
#[case("sides = \"moss\"", "sides = \"moss left\"", "23:9: error[wrong-hand] `moss` is not handed")]
#[case(
    "edge left",
    "edge",
    "32:34: error[wrong-hand] `edge` is handed: say on which hand it lies when you look out of this side"
)]
#[case(
    "{ north = \"path\", east",
    "{ nort = \"path\", east",
    "28:11: error[unknown-side] a square cell has no side `nort`"
)]
#[case("{ north = \"path\", ", "{ ", "28:9: error[missing-side] no socket on north")]
#[case(
    "mirror = \"north_south\"",
    "mirror = \"up\"",
    "33:10: error[unknown-name] no mirror is named `up`"
)]
#[case(
    "pass = \"collapse\"",
    "pass = \"colapse\"",
    "35:8: error[unknown-name] no pass is named `colapse`"
)]
#[case(
    "{ tag = \"green\" }",
    "{ tag = \"gren\" }",
    "38:55: error[unknown-name] no tag is named `gren`"
)]
#[case("{ tag = \"green\" }", "{ }", "38:47: error[missing-key] `south` names no tiles")]
#[case(
    "[tiles.bend]",
    "[tiles.hedge]",
    "26:8: error[duplicate-name] this key or table is given twice"
)]
#[case(
    "[[recipe]]",
    "[[recipe]]\npass = \"collapse\"\nname = \"base\"\n[[recipe]]\npass = \"collapse\"\nname = \"base\"\n[[recipe]]",
    "37:1: error[duplicate-name] two passes are named `base`"
)]
#[case(
    "mates = [\"rill\"]",
    "mates = [\"rill\"]\n[sockets.spare]",
    "17:1: warning[unused-socket] no tile carries the socket `spare`"
)]
#[case(
    "{ tag = \"green\" }",
    "{ socket = \"rill\" }",
    "38:47: error[border-unmet] no tile may face out south"
)]
#[case("[[recipe]]", "[[receipe]]", "34:3: error[unknown-key] unknown key `receipe` at the top")]
#[case("[tiles.rim]", "[tiles.rim", "30:11: error[not-toml] unclosed table, expected `]`")]
fn a_mistake_is_reported_where_it_stands(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] want: &str,
) {
    assert!(GOOD.contains(good));
    let report = match read(&GOOD.replacen(good, bad, 1)) {
        Ok(quilt) => quilt.findings,
        Err(report) => report,
    };
    let lines = report.to_string();
    let want = format!("a.quilt.toml:{want}");
    assert!(lines.lines().any(|line| line == want), "{lines}\nwanted {want}");
    assert!(!report.render(true, 100).is_empty() && !report.to_json().is_null());
}

#[test]
fn the_quilt_in_the_readme_is_sound() {
    let page = include_str!("../../../../README.md");
    let text = page.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    let demos = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace");
    let quilt = Quilt::read(text, "README.md", &lantern_quilt::files::Folder::new(demos));
    let quilt = quilt.unwrap_or_else(|report| panic!("{report}"));
    assert!(quilt.make(&quilt.seed).is_ok());
}

/// A picture that breaks off is a finding, whatever the decoder says of it.
#[test]
fn a_truncated_picture_is_a_finding() {
    let report = read(&GOOD.replace("tiles.png", "truncated.png")).expect_err("truncated");
    assert!(
        report.to_string().contains("10:8: error[bad-picture] picture `truncated.png`"),
        "{report}"
    );
}

#[test]
fn too_many_poses_are_a_finding() {
    let sides = "{ north = \"path\", east = \"moss\", south = \"moss\", west = \"moss\" }";
    let tiles: String = (0..2600)
        .map(|n| format!("[tiles.t{n}]\nat = [0, 0]\nsides = {sides}\nturns = 4\n"))
        .collect();
    let Err(report) = read(&GOOD.replace("[[recipe]]", &format!("{tiles}[[recipe]]"))) else {
        panic!("2600 tiles in 4 turns are accepted");
    };
    assert!(report.to_string().contains("error[too-many-poses]"), "{report}");
}

/// The page lists every code with its severity and meaning, just as the code has them.
#[test]
fn every_finding_is_documented() {
    use lantern_quilt::finding::Code;
    let rows: String = Code::ALL
        .iter()
        .map(|code| format!("| `{code}` | {} | {} |\n", code.severity().name(), code.meaning()))
        .collect();
    let page = include_str!("../../../../docs/findings.md");
    assert!(page.contains(&rows), "docs/findings.md should list:\n{rows}");
}

#[test]
fn all_mistakes_of_a_file_come_in_one_run_with_the_nearest_name() {
    let text = GOOD
        .replace("sides = \"moss\"", "sides = \"mos\"")
        .replace("weight = 2.5", "weigth = 2.5")
        .replace("at = [2, 1]", "at = [9, 1]")
        .replace("turns = 4", "turns = 5");
    insta::assert_snapshot!(read(&text).unwrap_err().render(false, 100));
}

#[test]
fn a_side_that_nothing_fits_is_a_warning() {
    let text = GOOD.replace("mates = [\"rill\"]\n", "").replace(
        "sides = \"moss\"",
        "sides = { north = \"rill\", east = \"moss\", south = \"moss\", west = \"moss\" }",
    );
    let quilt = read(&text).unwrap_or_else(|report| panic!("{report}"));
    insta::assert_snapshot!(quilt.findings.to_string());
}

#[rstest]
#[case::empty("")]
#[case::only_a_comment("# nothing\n")]
#[case::values_of_wrong_kinds(
    "quilt = 1\nmap = 3\nsheets = []\nsockets = \"x\"\ntiles = 1.5\nrecipe = {}\n"
)]
#[case::no_tiles(
    "quilt = 1\n[map]\nlattice = \"square\"\nsize = [2, 2]\n[sockets.a]\n[tiles]\n[[recipe]]\npass = \"collapse\"\n"
)]
#[case::deep(&format!("quilt = 1\nmap = {}{}\n", "[".repeat(5000), "]".repeat(5000)))]
#[case::long_name(&format!("quilt = 1\n[tiles.\"{}\"]\nsides = \"x\"\n", "n".repeat(10_000)))]
#[case::emoji("quilt = 1\n[sockets.\"🏮 lantern\"]\n[tiles.\"tea 🍵\"]\nsides = \"🏮 lanter\"\n")]
#[case::crlf("quilt = 1\r\n[map]\r\nlattice = 4\r\n")]
fn nonsense_is_a_report_and_never_a_panic(#[case] text: &str) {
    let report = read(text).expect_err("nonsense");
    assert!(report.has_errors());
    assert!(report.render(false, 80).len() < 40_000);
}

#[cfg(unix)]
#[rstest]
#[case("../secret.png", "path-outside")]
#[case("/etc/hostname", "path-outside")]
#[case("link.png", "path-outside")]
#[case("sub/../../secret.png", "path-outside")]
#[case("C:\\\\secret.png", "path-outside")]
#[case("sub", "bad-picture")]
#[case("", "path-outside")]
fn paths_stay_inside_the_folder(#[case] path: &str, #[case] code: &str) {
    let folder = tempfile::tempdir().unwrap();
    let inner = folder.path().join("quilt");
    std::fs::create_dir_all(inner.join("sub")).unwrap();
    let secret = folder.path().join("secret.png");
    std::fs::write(&secret, pictures().0["tiles.png"].clone()).unwrap();
    std::os::unix::fs::symlink(&secret, inner.join("link.png")).unwrap();
    let file = inner.join("a.quilt.toml");
    std::fs::write(&file, GOOD.replace("tiles.png", path)).unwrap();
    let report = Quilt::open(&file).unwrap_err();
    assert!(report.to_string().contains(&format!("error[{code}]")), "{report}");
    // A wider root lets the link and the parent folder through.
    let opened = Quilt::open_with(&file, &QuiltOptions::new().root(folder.path()));
    assert_eq!(
        opened.is_ok(),
        ["../secret.png", "link.png", "sub/../../secret.png"].contains(&path)
    );
}

/// Every key of the quilt, with a value of the wrong kind: a finding at that value, no panic.
#[rstest]
fn a_value_of_the_wrong_kind_is_reported_at_the_value(
    #[values(
        "quilt = 1",
        "title = \"Two tiles\"",
        "lattice = \"square\"",
        "size = [6, 4]",
        "wrap = [\"x\"]",
        "origin = [-2, 3]",
        "file = \"tiles.png\"",
        "cell = [4, 4]",
        "margin = 1",
        "spacing = 1",
        "mates = [\"rill\"]",
        "itself = false",
        "handed = true",
        "at = [0, 0]",
        "sides = \"moss\"",
        "tags = [\"green\"]",
        "turns = 4",
        "mirror = \"north_south\"",
        "pass = \"collapse\"",
        "name = \"ground\"",
        "tries = 3"
    )]
    good: &str,
    #[values("1979-05-27", "[[1.5]]", "{ a = 1 }", "-7", "\"\\u0000\"")] bad: &str,
) {
    let key = good.split(' ').next().unwrap();
    let text = GOOD.replacen(good, &format!("{key} = {bad}"), 1);
    let at = text.find(&format!("{key} = {bad}")).unwrap();
    match read(&text) {
        // A few wrong-looking values are fine where they stand: any text is a title or a name.
        Ok(_) => assert!(
            bad.starts_with('"') && ["title", "name", "tags"].contains(&key),
            "{key} = {bad}"
        ),
        Err(report) => {
            let line = text[..at].matches('\n').count() + 1;
            let found = format!("a.quilt.toml:{line}:");
            assert!(
                report.to_string().contains(&found),
                "{report}\nnothing at line {line}: {key} = {bad}"
            );
            assert!(!report.render(false, 60).is_empty());
        }
    }
}

#[rstest]
#[case("order = \"rows\"", true)]
#[case("order = { from = [3, 2] }", true)]
#[case("steer = true\npatience = 5\nwindow = 100", true)]
#[case("climb = \"backtrack\"\nblocks = true\nholes = true", true)]
#[case("climb = \"proof\"\nholes = { tile = \"hedge\" }", true)]
#[case("climb = \"prove\"", false)]
#[case("climb = 3", false)]
#[case("blocks = 1", false)]
#[case("holes = \"moss\"", false)]
#[case("holes = { tile = \"hedg\" }", false)]
#[case("holes = { tag = \"moss\" }", false)]
#[case("order = \"row\"", false)]
#[case("order = { at = [3, 2] }", false)]
#[case("order = { from = [3] }", false)]
#[case("steer = \"yes\"", false)]
#[case("tries = 0", false)]
#[case("window = 0", false)]
#[case("patience = -1", false)]
fn search_settings_are_read(#[case] lines: &str, #[case] good: bool) {
    let quilt = read(&GOOD.replace("tries = 3", lines));
    assert_eq!(quilt.is_ok(), good, "{lines}");
}

fn four() -> Pictures {
    let mut sheet = Picture::new(16, 4, [0, 0, 0, 255]).unwrap();
    // A mark in the north-west of each cell, so that every turn of it looks different.
    (0..4).for_each(|n| sheet.set(n * 4, 0, [60 * n as u8 + 10, 0, 0, 255]));
    (0..4).for_each(|n| sheet.set(n * 4 + 1, 0, [0, 99, 0, 255]));
    Pictures(BTreeMap::from([("four.png".to_owned(), sheet.to_png(&[]).unwrap())]))
}

fn drawn(text: &str) -> Quilt {
    Quilt::read(text, "a.quilt.toml", &four()).unwrap_or_else(|report| panic!("{report}"))
}
