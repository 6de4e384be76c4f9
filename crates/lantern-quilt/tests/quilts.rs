//! Quilt files: what they mean, and every mistake with its place.
#![cfg(feature = "files")]

use lantern_quilt::files::{Art, Quilt, ReadError, Report};
use lantern_quilt::prelude::*;
use rstest::rstest;
use std::collections::BTreeMap;

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
    assert_eq!(quilt.collapse.search.attempts, 3);
    assert_eq!(quilt.collapse.rules().poses().len(), 1 + 4 + 2);
    assert_eq!(quilt.collapse.constraints().borders.len(), 5);
    assert_eq!(quilt.art.cell(), [4, 4]);
    let mut run = quilt.collapse.job(quilt.layout, &quilt.seed).begin().unwrap();
    assert!(run.fill().is_filled());
    let map = quilt.map_of(&run);
    let breaks = lantern_quilt::verify::verify(
        &map.layers[0],
        map.layout(),
        |_| true,
        quilt.collapse.tileset(),
        quilt.collapse.constraints(),
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
    "27:6: error[picture-size] the picture of `bend` is 4 x 4 pixels, others are 8 x 4"
)]
#[case("weight = 2.5", "weight = 0", "24:10: error[bad-weight] weight 0 is out of range")]
#[case("weight = 2.5", "weight = -2", "24:10: error[bad-weight] weight -2 is out of range")]
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
#[case(
    "{ tag = \"green\" }",
    "{ }",
    "38:47: error[missing-key] `south` does not say which tiles are meant"
)]
#[case("[tiles.bend]", "[tiles.hedge]", "26:8: error[duplicate-name] duplicate key")]
#[case(
    "[[recipe]]",
    "[[recipe]]\npass = \"collapse\"\n[[recipe]]",
    "36:1: error[not-yet] a recipe has one pass for now"
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
    let page = include_str!("../../../README.md");
    let text = page.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    let demos = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/terrace");
    let quilt = Quilt::read(text, "README.md", &lantern_quilt::files::Folder::new(demos));
    let quilt = quilt.unwrap_or_else(|report| panic!("{report}"));
    assert!(quilt.collapse.job(quilt.layout, &quilt.seed).begin().unwrap().fill().is_filled());
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
    let page = include_str!("../../../docs/findings.md");
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
    let report = Quilt::open(&file, None).unwrap_err();
    assert!(report.to_string().contains(&format!("error[{code}]")), "{report}");
    // A wider root lets the link and the parent folder through.
    let opened = Quilt::open(&file, Some(folder.path()));
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

/// More keys of the pass, and lists after it.
const PLACES: &str = r##"pins = [{ at = [0, 4], tile = "bend", turned = 1 }]
limits = [
  { tag = "green", inside = { x = [-2, 1], y = [3, 5] } },
  { tile = "bend", turned = 2, outside = { border = [0, 0] } },
  { socket = "edge", inside = { mask = "mask.png", colour = "#00c807" } },
]
shades = [{ tile = ["hedge", "rim"], by = "grey.png" }]
[[forbid]]
what = { tile = "bend", turned = 1, mirrored = true }
beside = { socket = "moss" }
on = ["north", "east"]
[[allow]]
what = { tag = "green" }
beside = { tile = ["bend", "rim"] }
"##;

fn with_places(good: &str, bad: &str) -> Result<Quilt, Report> {
    assert!(PLACES.contains(good));
    read(&format!("{GOOD}{}", PLACES.replacen(good, bad, 1)))
}

#[test]
fn places_and_lists_mean_what_they_say() {
    use lantern_quilt::constraints::{Area, Kind};
    let quilt = with_places("", "").unwrap_or_else(|report| panic!("{report}"));
    let (set, constraints) = (quilt.collapse.tileset(), quilt.collapse.constraints());
    let tile = |name: &str| Accept::Tile(set.find(name).unwrap());
    let turned = |turns, mirrored| Some(Orientation::new(Lattice::Square, turns, mirrored));
    let pin = constraints.pins[0];
    assert_eq!((pin.cell, pin.orientation), (Cell::new(0, 4), turned(1, false)));
    let [green, bend, edge] = &constraints.limits[..] else { panic!("three limits") };
    let corner = |x, y| Cell::at(x, y, if x == -2 { i32::MIN } else { i32::MAX });
    assert_eq!(green.area, Area::Between { least: corner(-2, 3), most: corner(1, 5) });
    assert_eq!((green.inside, bend.inside, edge.inside), (true, false, true));
    assert_eq!(bend.area, Area::FromBorder { least: 0, most: 0 });
    assert_eq!(bend.kinds, [Kind { what: tile("bend"), orientation: turned(2, false) }]);
    let Area::Cells(cells) = &edge.area else { panic!("a mask") };
    let diagonal = (0..4).map(|n| Cell::new(n - 2, n + 3));
    assert_eq!(cells.iter().collect::<Vec<_>>(), diagonal.collect::<Vec<_>>());
    let shade = &quilt.collapse.shades[0];
    assert_eq!(shade.kinds, [Kind::any(tile("hedge")), Kind::any(tile("rim"))]);
    let row: Vec<u8> = shade.plane.rows().next().unwrap().to_vec();
    assert_eq!(row, [0, 40, 80, 120, 160, 200]);
    // Lists are kept with what is allowed first.
    let [allow, forbid] = &constraints.pairs[..] else { panic!("two lists") };
    assert!(allow.allow && !forbid.allow);
    assert_eq!((allow.sides.len(), &forbid.sides[..]), (4, &[Side::North, Side::East][..]));
    assert_eq!(forbid.from, [Kind { what: tile("bend"), orientation: turned(1, true) }]);
    assert_eq!(quilt.pictures, ["tiles.png", "mask.png", "grey.png"]);
}

#[rstest]
#[case("[0, 4]", "[9, 4]", "error[outside-map] (9, 4) lies outside the map")]
#[case("[0, 4]", "[0]", "error[bad-value] `at` needs 2 numbers, not 1")]
#[case("at = [0, 4], ", "", "error[missing-key] `recipe.0.pins.0` has no `at`")]
#[case(
    "tile = \"bend\", turned = 1 }",
    "tile = \"band\" }",
    "error[unknown-name] no tile is named `band`"
)]
#[case("turned = 1 }", "turned = 4 }", "error[bad-turns] `turned` is 4, out of its range")]
#[case(
    "inside = { x = [-2, 1], y = [3, 5] } ",
    "",
    "error[missing-key] a limit is either `inside` or `outside` of an area"
)]
#[case("x = [-2, 1]", "x = [1, -2]", "error[bad-value] `x` runs backwards, from 1 to -2")]
#[case(
    "x = [-2, 1], y = [3, 5]",
    "x = [-2, 1], border = [0, 1]",
    "error[bad-value] an area is said in one way"
)]
#[case("x = [-2, 1], y = [3, 5]", "", "error[bad-value] an area is said in one way")]
#[case(
    "{ tag = \"green\", inside",
    "{ inside",
    "error[missing-key] `limits` does not say which tiles are meant"
)]
#[case("border = [0, 0]", "border = [-1, 0]", "error[bad-value] `border` is -1, out of its range")]
#[case(
    "\"#00c807\"",
    "\"#00c808\"",
    "error[bad-value] the mask has no pixel of the colour #00c808"
)]
#[case("\"#00c807\"", "\"green\"", "error[bad-value] `green` is no colour")]
#[case(", colour = \"#00c807\"", "", "error[missing-key] a mask needs a colour")]
#[case(
    "\"mask.png\"",
    "\"wide.png\"",
    "error[picture-size] `wide.png` is 8 x 4 pixels, the map 6 x 4 cells"
)]
#[case(
    "\"grey.png\"",
    "\"gray.png\"",
    "error[missing-art] picture `gray.png`: no such file: gray.png"
)]
#[case("by = \"grey.png\"", "", "error[missing-key] `recipe.0.shades.0` has no `by`")]
#[case("\"north\", \"east\"", "\"nort\"", "error[unknown-side] a square cell has no side `nort`")]
#[case("beside = { socket = \"moss\" }", "", "error[missing-key] `forbid.0` has no `beside`")]
#[case(
    "what = { tag = \"green\" }",
    "what = { tag = \"grene\" }",
    "error[unknown-name] no tag is named `grene`"
)]
#[case("on = [", "in = [", "error[unknown-key] unknown key `in` in `forbid.0`")]
fn a_mistake_in_places_or_lists_is_reported(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] want: &str,
) {
    let report = with_places(good, bad).expect_err("a mistake");
    let lines = report.to_string();
    assert!(lines.lines().any(|line| line.ends_with(want)), "{lines}\nwanted {want}");
    assert!(lines.lines().all(|line| line.starts_with("a.quilt.toml:")), "{lines}");
}

/// A quilt whose rules are a drawing. Its pictures are cells of one sheet, all different.
const DRAWN: &str = r#"quilt = 1
map = { lattice = "square", size = [12, 9] }
sheets.s = { file = "four.png", cell = [4, 4] }
[tiles]
moss = { at = [0, 0] }
tea = { at = [1, 0] }
edge = { at = [2, 0], turns = 4 }
corner = { at = [3, 0], turns = 4, weight = 0.5 }
[[sample]]
text = """
.......
.cnnc..
.wtte..
.wtte..
.csscc.
....ccc
"""
key = { "." = "moss", t = "tea", n = "edge", c = "corner", e = { tile = "edge", turned = 1 }, s = { tile = "edge", turned = 2 }, w = { tile = "edge", turned = 3 } }
wrap = ["x", "y"]
turns = 4
[[recipe]]
pass = "collapse"
steer = true
"#;

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

#[test]
fn a_drawing_says_what_may_touch_and_how_common_it_is() {
    let quilt = drawn(DRAWN);
    let set = quilt.collapse.tileset();
    let weight = |name: &str| set.tiles()[set.find(name).unwrap()].weight() as f64 / 24e6;
    // Counted where nothing is said, else as said.
    assert_eq!((weight("moss"), weight("tea"), weight("edge")), (22.0, 4.0, 8.0));
    assert!((weight("corner") - 0.5).abs() < 1e-9);
    let rules = quilt.collapse.rules();
    let touch = |a: &str, side: usize, b: &str| {
        let of = |name: &str| {
            let tile = set.find(name).unwrap();
            rules.poses().pairs().filter(move |(_, pose)| pose.tile == tile).map(|(id, _)| id)
        };
        of(a).any(|a| of(b).any(|b| rules.support(side, a).contains(b)))
    };
    assert!(touch("moss", 0, "moss") && touch("tea", 1, "edge") && touch("corner", 2, "edge"));
    assert!(!touch("tea", 0, "moss") && !touch("tea", 3, "corner"));
    for seed in 0..4 {
        let mut run = quilt.collapse.job(quilt.layout, &Seed::from_number(seed)).begin().unwrap();
        assert!(run.fill().is_filled());
        let map = quilt.map_of(&run);
        let constraints = quilt.collapse.constraints();
        let judged =
            lantern_quilt::verify::verify(&map.layers[0], map.layout(), |_| true, set, constraints);
        assert_eq!(judged, []);
    }
}

/// The same map as text, as a picture painted with the tiles and as a saved map: the same rules.
#[cfg(feature = "draw")]
#[test]
fn the_three_kinds_of_sample_say_the_same() {
    let quilt = drawn(DRAWN);
    let sample = &quilt.collapse.constraints().samples[0];
    let set = quilt.collapse.tileset();
    let mut map = Tilemap::new(sample.layout);
    let mut layer = Layer::new("ground", sample.layout.extent(), Vec::new());
    for (cell, posed) in sample.layout.extent().iter().zip(&sample.cells) {
        let (tile, orientation) = posed.unwrap();
        let tile = set.tiles()[tile].name().to_owned();
        let number = layer.add(Placed { tile, orientation, look: 0 });
        layer.set(cell, Some(number));
    }
    map.layers.push(layer);
    let mut json = Vec::new();
    lantern_quilt::files::write_json(&map, &mut json).unwrap();
    let picture = draw(&map, &quilt.art, &DrawOptions::default()).unwrap();
    let mut art = four();
    art.0.insert("drawn.json".to_owned(), json);
    art.0.insert("drawn.png".to_owned(), picture.to_png(&[]).unwrap());
    let (before, rest) = DRAWN.split_once("text = ").unwrap();
    let after = &rest[rest.find("wrap").unwrap()..];
    for other in ["map = \"drawn.json\"", "picture = \"drawn.png\""] {
        let text = format!("{before}{other}\n{after}");
        let quilt = Quilt::read(&text, "a", &art).unwrap_or_else(|report| panic!("{report}"));
        assert_eq!(&quilt.collapse.constraints().samples[0], sample, "{other}");
    }
    // A pixel that no tile has.
    let mut spoilt = Picture::from_png(&art.0["drawn.png"]).unwrap();
    spoilt.set(9, 6, [1, 2, 3, 255]);
    art.0.insert("spoilt.png".to_owned(), spoilt.to_png(&[]).unwrap());
    let text = format!("{before}picture = \"spoilt.png\"\n{after}");
    let report = Quilt::read(&text, "a", &art).expect_err("a strange cell").to_string();
    assert!(report.contains("[unknown-name] 1 cells of `spoilt.png` are no tile"), "{report}");
}

#[rstest]
#[case(".wtte..\n.wtte", ".wtte..\n.wtt", "[bad-size] row 3 has 6 characters, row 0 has 7")]
#[case(".cnnc..", ".cn?c..", "[unknown-name] `?` is not in the key: 1 times, first at (3, 1)")]
#[case("n = \"edge\"", "n = \"egde\"", "[unknown-name] no tile is named `egde`")]
#[case("n = \"edge\"", "no = \"edge\"", "[bad-value] `no` is not one character")]
#[case("turned = 1", "turned = 9", "[bad-turns] `turned` is 9, out of its range")]
#[case(
    "wrap = [\"x\", \"y\"]\nturns = 4",
    "turns = 3",
    "[bad-turns] 3 turns do not fit a square lattice"
)]
#[case("wrap = [", "alike = [[\"tee\"]]\nwrap = [", "[unknown-name] no tile is named `tee`")]
#[case(
    "wrap = [",
    "map = \"x.json\"\nwrap = [",
    "[missing-key] a sample is one of `text`, `map` and `picture`"
)]
#[case(
    "tea = { at = [1, 0] }",
    "tea = { at = [1, 0] }\nlost = { at = [0, 0] }",
    "[unseen-tile] `lost` has no sides, and no sample or list shows it"
)]
#[case(
    "wrap = [\"x\", \"y\"]\nturns = 4",
    "",
    "[nothing-fits] in no sample or list does anything stand north or east or south or west of `corner`"
)]
fn a_mistake_in_a_drawing_is_reported(#[case] good: &str, #[case] bad: &str, #[case] want: &str) {
    assert!(DRAWN.contains(good));
    let report = match Quilt::read(&DRAWN.replacen(good, bad, 1), "a.quilt.toml", &four()) {
        Ok(quilt) => quilt.findings,
        Err(report) => report,
    };
    let lines = report.to_string();
    assert!(lines.lines().any(|line| line.contains(want)), "{lines}\nwanted {want}");
    assert!(!report.render(false, 100).is_empty());
}

/// Several pictures of one tile: picked by weight, seed and cell, the same in a larger map.
#[cfg(feature = "draw")]
#[test]
fn looks_change_the_picture_and_nothing_else() {
    let looks = "looks = [{ at = [1, 0], weight = 2 }, { at = [2, 0], weight = 0.000001 }]";
    let plain = drawn(DRAWN);
    let quilt = drawn(
        &DRAWN.replace("moss = { at = [0, 0] }", &format!("moss = {{ at = [0, 0], {looks} }}")),
    );
    let fill = |quilt: &Quilt, width: u32| {
        let layout = Layout::flat(Lattice::Square, width, 30).unwrap();
        let mut run = quilt.collapse.job(layout, &quilt.seed).begin().unwrap();
        assert!(run.fill().is_filled());
        quilt.map_of(&run)
    };
    let (map, without) = (fill(&quilt, 40), fill(&plain, 40));
    let (mut first, mut second) = (0, 0);
    for cell in map.layout().extent().iter() {
        let (placed, bare) =
            (map.layers[0].get(cell).unwrap(), without.layers[0].get(cell).unwrap());
        assert_eq!((&placed.tile, placed.orientation), (&bare.tile, bare.orientation));
        assert!(placed.tile == "moss" || placed.look == 0);
        let moss = usize::from(placed.tile == "moss");
        first += moss * usize::from(placed.look == 0);
        second += moss * usize::from(placed.look == 1);
    }
    assert!(first > 50 && second > first * 3 / 2 && second < first * 3, "{first} to {second}");
    // A look belongs to its cell: a cell that is moss in another map too shows the same.
    let wider = fill(&quilt, 50);
    for cell in map.layout().extent().iter() {
        let (a, b) = (map.layers[0].get(cell).unwrap(), wider.layers[0].get(cell).unwrap());
        assert!(a.tile != "moss" || b.tile != "moss" || a.look == b.look, "{cell}");
    }
    let options = DrawOptions::default();
    let one = draw(&map, &quilt.art, &options).unwrap();
    assert_ne!(one.pixels(), draw(&map, &plain.art, &options).unwrap().pixels());
}

const OPEN: &str = r#"quilt = 1
map = { lattice = "square", size = [9, 7] }
sheets.s = { file = "four.png", cell = [4, 4] }
sockets = { moss = {}, path = {}, edge = { handed = true } }
[tiles]
moss = { at = [0, 0], sides = "moss" }
path = { at = [1, 0], sides = { north = "path", east = "moss", south = "path", west = "moss" } }
cliff = { at = [2, 0], sides = { north = "border", east = "edge left", south = "moss", west = "edge right" } }
joker = { at = [3, 0], sides = "any", weight = 0.001 }
[[recipe]]
pass = "collapse"
border = { north = { tile = "cliff" } }
"#;

#[test]
fn any_meets_everything_and_border_only_looks_out() {
    let quilt = drawn(OPEN);
    assert_eq!(quilt.findings.findings, []);
    let (set, rules) = (quilt.collapse.tileset(), quilt.collapse.rules());
    let pose = |name: &str| {
        let tile = set.find(name).unwrap();
        rules.poses().pairs().find(|(_, pose)| pose.tile == tile).unwrap().0
    };
    let names = ["moss", "path", "joker", "cliff"];
    let beside = |side: Side, name: &str| -> Vec<&str> {
        let number = Lattice::Square.side_index(side).unwrap();
        let support = rules.support(number, pose(name));
        names.into_iter().filter(|other| support.contains(pose(other))).collect()
    };
    assert_eq!(beside(Side::East, "joker"), ["moss", "path", "joker", "cliff"]);
    assert_eq!(beside(Side::North, "cliff"), [""; 0]);
    assert_eq!(beside(Side::East, "cliff"), ["joker", "cliff"]);
    let mut run = quilt.collapse.job(quilt.layout, &quilt.seed).begin().unwrap();
    assert!(run.fill().is_filled());
    for cell in quilt.layout.extent().iter() {
        assert_eq!(run.decided(cell) == Some(pose("cliff")), cell.y == 0, "{cell}");
    }
    // The cliff is not blamed for standing at the border only; a joker lets nothing get stuck.
    let report = quilt.check(None).report.to_string();
    assert!(report.lines().count() == 1 && report.contains("note[never-stuck]"), "{report}");
    for name in ["any", "border"] {
        let text = OPEN.replace("path = {},", &format!("path = {{}}, {name} = {{}},"));
        let report = Quilt::read(&text, "a", &four()).expect_err("a reserved name").to_string();
        assert!(report.contains(&format!("`{name}` has a meaning of its own")), "{report}");
    }
}

/// Poses that show and look the same stand once; the art decides where sides do not.
#[rstest]
#[case::same_all_round([0, 0, 0, 0], "sides = \"moss\"", 1)]
#[case::half_turn([1, 0, 0, 1], "sides = \"moss\"", 2)]
#[case::no_turn([1, 0, 0, 0], "sides = \"moss\"", 4)]
#[case::sides_differ([0, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"moss\", west = \"moss\" }", 4)]
#[case::sides_differ_by_halves([0, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"path\", west = \"moss\" }", 2)]
#[case::art_differs([1, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"path\", west = \"moss\" }", 4)]
fn the_same_pose_stands_once(#[case] art: [u8; 4], #[case] sides: &str, #[case] poses: usize) {
    let mut picture = Picture::new(2, 2, [0; 4]).unwrap();
    for (at, value) in art.into_iter().enumerate() {
        picture.set(at as u32 % 2, at as u32 / 2, [value * 200, 0, 0, 255]);
    }
    let pictures = Pictures(BTreeMap::from([("p.png".to_owned(), picture.to_png(&[]).unwrap())]));
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [6, 6] }}\n\
         sockets = {{ moss = {{}}, path = {{}} }}\n[tiles.t]\npicture = \"p.png\"\nturns = 4\n{sides}\n\
         [[recipe]]\npass = \"collapse\"\npins = [{{ at = [2, 2], tile = \"t\", turned = 3 }}]\n"
    );
    let quilt = Quilt::read(&text, "a", &pictures).unwrap_or_else(|report| panic!("{report}"));
    let (set, rules) = (quilt.collapse.tileset(), quilt.collapse.rules());
    assert_eq!(rules.poses().len(), poses);
    // The weight is shared by those that are left.
    let weight: u64 = rules.weights().iter().sum();
    assert_eq!(weight, set.tiles().iter().next().unwrap().weight());
    // A pose that was merged can still be named: another stands for it.
    let tile = set.tiles().iter().next().unwrap();
    let wanted = Orientation::new(Lattice::Square, 3, false);
    let stands = tile.stands_for(wanted).unwrap();
    assert!(tile.orientations().contains(&stands) && (poses == 4) == (stands == wanted));
    let space = quilt.collapse.space(quilt.layout);
    let pinned = space.restrictions().iter().next().unwrap().allowed.single().unwrap();
    assert_eq!(rules.poses()[pinned].orientation, stands);
    // One tile more keeps what was merged.
    let more = set.with_tile(Tile::new("u").all(Face::new(Id::from_index(1)))).unwrap();
    assert_eq!(more.poses().count(), poses + 1);
}

#[rstest]
#[case::allowed_anyway("allow", "tile = \"moss\"", "tile = \"moss\"", "", Some("allows nothing"))]
#[case::allowed_anew("allow", "tile = \"moss\"", "tile = \"cliff\"", "", None)]
#[case::forbidden_anyway(
    "forbid",
    "tile = \"path\"",
    "tile = \"cliff\"",
    "",
    Some("forbids nothing")
)]
#[case::forbidden_anew("forbid", "tile = \"moss\"", "tile = \"moss\"", "on = \"north\"", None)]
#[case::only_on_other_sides(
    "forbid",
    "tile = \"path\"",
    "tile = \"moss\"",
    "on = \"north\"",
    Some("forbids nothing")
)]
#[case::on_its_sides("forbid", "tile = \"path\"", "tile = \"moss\"", "on = \"east\"", None)]
fn a_list_that_changes_nothing_is_named(
    #[case] key: &str,
    #[case] what: &str,
    #[case] beside: &str,
    #[case] on: &str,
    #[case] want: Option<&str>,
) {
    let list = format!("[[{key}]]\nwhat = {{ {what} }}\nbeside = {{ {beside} }}\n{on}\n");
    let quilt = drawn(&format!("{OPEN}{list}"));
    let said = quilt.findings.to_string();
    match want {
        None => assert_eq!(said, ""),
        Some(want) => {
            let place = format!("a.quilt.toml:{}:", OPEN.lines().count() + 1);
            assert!(said.starts_with(&place) && said.lines().count() == 1, "{said}");
            assert!(said.contains(want) && said.contains("[idle-list]"), "{said}");
        }
    }
}
