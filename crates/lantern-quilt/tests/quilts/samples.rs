//! Samples: drawings, pictures and saved maps.

use super::*;
use lantern_quilt_testkit::maps::made;

/// A quilt whose rules are a drawing. Its pictures are cells of one sheet, all different.
pub const DRAWN: &str = r#"quilt = 1
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

#[test]
fn a_drawing_says_what_may_touch_and_how_common_it_is() {
    let quilt = drawn(DRAWN);
    let set = quilt.collapse().unwrap().tileset();
    let weight = |name: &str| set.tiles()[set.find(name).unwrap()].weight() as f64 / 24e6;
    // Counted where nothing is said, else as said.
    assert_eq!((weight("moss"), weight("tea"), weight("edge")), (22.0, 4.0, 8.0));
    assert!((weight("corner") - 0.5).abs() < 1e-9);
    let rules = quilt.collapse().unwrap().rules();
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
        let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
        let constraints = quilt.collapse().unwrap().constraints();
        let judged = lantern_quilt::verify::verify(
            map.layers().next().unwrap(),
            map.layout(),
            |_| true,
            set,
            constraints,
        );
        assert_eq!(judged, []);
    }
}

/// The same map as text, as a picture painted with the tiles and as a saved map: the same rules.
#[cfg(feature = "draw")]
#[test]
fn the_three_kinds_of_sample_say_the_same() {
    let quilt = drawn(DRAWN);
    let sample = &quilt.collapse().unwrap().constraints().samples[0];
    let set = quilt.collapse().unwrap().tileset();
    let mut map = Tilemap::new(sample.layout);
    let mut layer = Layer::new("ground", sample.layout.extent(), Vec::new());
    for (cell, posed) in sample.layout.extent().iter().zip(&sample.cells) {
        let (tile, orientation) = posed.unwrap();
        let tile = set.tiles()[tile].name().to_owned();
        let number = layer.add(Placed::new(tile).oriented(orientation));
        layer.set(cell, Some(number));
    }
    map.put_layer(layer);
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
        assert_eq!(&quilt.collapse().unwrap().constraints().samples[0], sample, "{other}");
    }
    // A pixel that no tile has.
    let mut spoilt = Picture::from_png(&art.0["drawn.png"]).unwrap();
    spoilt.set(9, 6, [1, 2, 3, 255]);
    art.0.insert("spoilt.png".to_owned(), spoilt.to_png(&[]).unwrap());
    let text = format!("{before}picture = \"spoilt.png\"\n{after}");
    let report = Quilt::read(&text, "a", &art).expect_err("a strange cell").to_string();
    assert!(report.contains("[unknown-name] 1 cell of `spoilt.png` is not a tile"), "{report}");
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
#[case(
    "wrap = [",
    "alike = [[\"moss\", \"tea\"], [\"tea\", \"edge\"]]\nwrap = [",
    "[bad-value] `tea` is alike in two groups"
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
#[case(
    "tea = { at = [1, 0] }",
    "tea = { at = [1, 0], upright = true }",
    "[still-tile] the sample is turned, but `moss` has one pose"
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

/// A large sample counts more cells than weights go up to: their proportions stay.
#[test]
fn a_large_sample_keeps_its_proportions() {
    let row = "t".repeat(1500);
    let rows = format!("{row}\n").repeat(1000);
    let (before, rest) = DRAWN.split_once("text = ").unwrap();
    let after = &rest[rest.find("key = ").unwrap()..];
    let text = format!(
        "{before}text = \"\"\"\n{rows}\"\"\"\n{}\n[[sample]]\ntext = \"\"\"\n.cn.\n.et.\n\"\"\"\n{after}",
        &after[..after.find("wrap").unwrap()]
    );
    let quilt = drawn(&text);
    let set = quilt.collapse().unwrap().tileset();
    let weight = |name: &str| set.tiles()[set.find(name).unwrap()].weight() as f64 / 24e6;
    let tea = weight("tea");
    assert!((tea - 1e6).abs() < 1.0, "{tea}");
    for (name, want) in [("moss", 4.0), ("edge", 2.0), ("corner", 0.5)] {
        let found = weight(name) * 1_500_001.0 / tea;
        assert!((found - want).abs() < 1e-3, "{name} {found}");
    }
}

/// Hexagons are drawn row by row like squares; each row lies where the lattice says.
#[test]
fn a_hexagonal_drawing_knows_its_neighbours() {
    let text = DRAWN
        .replace("\"square\"", "\"hex_pointy\"")
        .replace("turns = 4 }", "turns = 6 }")
        .replace("turns = 4, weight", "turns = 6, weight")
        .replace("wrap = [\"x\", \"y\"]\nturns = 4", "turns = 1");
    let start = text.find("text = ").unwrap();
    let end = text.find("key = ").unwrap();
    let drawing = "text = \"\"\"\n.t.\nt.t\n.t \n\"\"\"\n";
    let quilt = drawn(&format!("{}{drawing}{}", &text[..start], &text[end..]));
    let sample = &quilt.collapse().unwrap().constraints().samples[0];
    assert_eq!(sample.layout.extent().size(), [3, 3, 1]);
    assert_eq!(sample.cells.iter().filter(|cell| cell.is_none()).count(), 1);
    let set = quilt.collapse().unwrap().tileset();
    let [moss, tea] = ["moss", "tea"].map(|name| (set.find(name).unwrap(), Orientation::AS_DRAWN));
    // Odd rows lie half a cell to the east: (1, 1) is south east of (1, 0), south west of (2, 0).
    assert!(sample.shows(set, tea, Side::SouthEast, moss));
    assert!(sample.shows(set, moss, Side::SouthWest, moss));
    assert!(sample.shows(set, moss, Side::NorthWest, tea));
    assert!(!sample.shows(set, tea, Side::East, tea));
    // What it shows is what the rules say, pose by pose.
    let rules = quilt.collapse().unwrap().rules();
    for (a, here) in rules.poses().pairs() {
        for (number, &side) in Lattice::HexPointy.sides().iter().enumerate() {
            for (b, there) in rules.poses().pairs() {
                let shown = sample.shows(
                    set,
                    (here.tile, here.orientation),
                    side,
                    (there.tile, there.orientation),
                );
                assert_eq!(rules.support(number, a).contains(b), shown);
            }
        }
    }
}

/// A picture of hexagons overlaps itself, so it is refused with what to do instead.
#[test]
fn a_hexagonal_picture_is_refused() {
    let (before, rest) = DRAWN.split_once("text = ").unwrap();
    let after = &rest[rest.find("[[recipe]]").unwrap()..];
    let text = format!("{before}picture = \"four.png\"\n{after}").replace("square", "hex_flat");
    let report = Quilt::read(&text.replace("turns = 4", "turns = 6"), "a", &four());
    let report = report.expect_err("no hexagonal pictures").to_string();
    assert!(report.contains("[picture-size]"), "{report}");
}
