//! Keys of tiles, maps and views: what they mean, and what is said of wrong ones.

use super::*;
use lantern_quilt::models::ModelArt;
use lantern_quilt::orient::Orientation;
use lantern_quilt::prelude::*;
use rstest::rstest;

const SET: &str = r##"quilt = 1
map = { lattice = "square", size = [4, 3, 2] }
sockets = { a = {}, b = {}, sky = {} }
[tiles.t]
colour = "#806040"
sides = { around = "a", up = "sky", down = "sky" }
[tiles.u]
air = true
sides = "a"
[[recipe]]
pass = "collapse"
name = "fill"
"##;

/// What a tile shows on each side, by name.
fn faces(quilt: &Quilt, tile: &str) -> String {
    let set = quilt.collapse().unwrap().tileset();
    let (id, _) = set.tiles().pairs().find(|(_, one)| one.name() == tile).unwrap();
    let shown = |&side: &Side| {
        let faces = set.faces(id, Orientation::AS_DRAWN, side);
        let names: Vec<String> = faces.iter().map(|face| set.face_name(*face)).collect();
        format!("{side} {}", names.join("/"))
    };
    set.lattice().sides().iter().map(shown).collect::<Vec<_>>().join(", ")
}

#[rstest]
#[case::square("square", "", "north a, east a, south a, west a")]
#[case::hexagons(
    "hex_flat",
    "",
    "north a, north_east a, south_east a, south a, south_west a, north_west a"
)]
#[case::boxes("box", "", "north a, east a, south a, west a, up sky, down sky")]
#[case::own("box", "east = \"b\", ", "north a, east b, south a, west a, up sky, down sky")]
#[case::own_first("square", "west = [\"a\", \"b\"], ", "north a, east a, south a, west a/b")]
fn sides_have_groups(#[case] lattice: &str, #[case] more: &str, #[case] want: &str) {
    let text = SET
        .replace("\"square\"", &format!("\"{lattice}\""))
        .replace("sides = { around", &format!("sides = {{ {more}around"));
    assert_eq!(faces(&opened(&text, &Files::default()), "t"), want);
}

/// All turns that a lattice has, where they differ.
#[rstest]
#[case("square", 4)]
#[case("hex_pointy", 6)]
#[case("hex_flat", 6)]
#[case("box", 4)]
fn all_turns_are_those_of_the_lattice(#[case] lattice: &str, #[case] turns: usize) {
    let text = SET
        .replace("\"square\"", &format!("\"{lattice}\""))
        .replace("air = true\nsides = \"a\"", "model = \"a.glb\"\nturns = \"all\"\nsides = \"a\"");
    let files = Files::default().with("a.glb", Scene::of_box().glb());
    if lattice.starts_with("hex") {
        assert!(said(&text, &files).contains("models are not supported on hex maps"));
        let text = text.replace("model = \"a.glb\"", "colour = \"#102030\"");
        // A colour looks the same however it is turned.
        let quilt = opened(&text, &files);
        assert_eq!(quilt.collapse().unwrap().rules().poses().len(), 2);
        let set = quilt.collapse().unwrap().tileset();
        assert_eq!(usize::from(set.lattice().turns()), turns);
        return;
    }
    let quilt = opened(&text, &files);
    assert_eq!(quilt.collapse().unwrap().rules().poses().len(), 1 + turns);
}

#[rstest]
#[case::side("around = \"a\"", "around = \"a\", norht = \"b\"", "no side `norht`")]
#[case::socket("around = \"a\"", "around = \"c\"", "socket")]
#[case::no_group("around = \"a\", ", "", "no side `up`")]
#[case::colour("#806040", "806040", "is not a colour")]
#[case::air("air = true", "air = 1", "true or false")]
#[case::turns("air = true", "turns = \"many\"", "number of turns")]
#[case::module("size = [4, 3, 2]", "size = [4, 3], module = [1, 2]", "width, depth and height")]
#[case::flat_module(
    "size = [4, 3, 2]",
    "size = [4, 3], module = [1, 2, 0]",
    "width, depth and height"
)]
#[case::wide_module(
    "size = [4, 3, 2]",
    "size = [4, 3], module = [1, 2, 1e9]",
    "width, depth and height"
)]
#[case::text_module("size = [4, 3, 2]", "size = [4, 3], module = \"large\"", "a list")]
#[case::size("size = [4, 3, 2]", "size = [4]", "needs 2 numbers")]
#[case::view("sockets =", "view = { light = \"warm\" }\nsockets =", "is not a colour")]
#[case::view_key("sockets =", "view = { sun = \"#ffffff\" }\nsockets =", "unknown key `sun`")]
#[case::models("sockets =", "models = { scal = 2 }\nsockets =", "`scal` must be a table")]
#[case::border(
    "name = \"fill\"",
    "border = { arround = { socket = \"a\" } }",
    "no border `arround`"
)]
#[case::close("name = \"fill\"", "limits = [{ tile = \"t\", inside = { z = 0 } }]", "z")]
fn wrong_keys_are_reported(#[case] from: &str, #[case] to: &str, #[case] words: &str) {
    let text = SET.replacen(from, to, 1);
    assert_ne!(text, SET);
    let report = read(&text, &Files::default()).map(|_| ()).unwrap_err().to_string();
    assert!(report.contains(words), "{report}");
}

/// What borders demand of a group holds on all of its sides and no other.
#[rstest]
#[case("around = { tile = \"t\" }", 4)]
#[case("around = { tile = \"t\" }, up = { tile = \"u\" }", 5)]
#[case("all = { tile = \"t\" }", 6)]
fn borders_have_groups(#[case] border: &str, #[case] rules: usize) {
    let text = SET
        .replace("\"square\"", "\"box\"")
        .replace("name = \"fill\"", &format!("border = {{ {border} }}"));
    let quilt = opened(&text, &Files::default());
    assert_eq!(quilt.collapse().unwrap().constraints().borders.len(), rules);
}

/// A look without a model of its own has the first; a name that nothing has has none.
#[test]
fn looks_fall_back_to_the_first() {
    let model = std::sync::Arc::new(lantern_quilt::models::Model::default());
    let mut art = ModelArt::new([2.0, 3.0, 4.0]);
    assert!(art.is_empty() && !art.has_colours());
    assert_eq!(art.module().to_array(), [2.0, 4.0, 3.0]);
    art.add_tile("post", 2, model.clone());
    art.add_item("lamp", 0, model);
    assert!(!art.is_empty() && art.is_air("post"), "a model without triangles is air");
    assert!([0, 1, 2, 9].iter().all(|&look| art.tile("post", look).is_some()));
    assert!(art.tile("lamp", 0).is_none() && art.item("lamp", 3).is_some());
    art.set_colour("moss", [1, 2, 3, 255]);
    art.set_air("gap");
    assert!(art.colour("moss") == Some([1, 2, 3, 255]) && art.is_air("gap") && art.has_colours());
    assert!(!art.is_air("moss") && art.colour("gap").is_none());
}

/// Colours of a view reach the pictures.
#[test]
fn views_have_their_colours() {
    let text = SET.replace(
        "sockets =",
        "view = { light = \"#0a0b0c\", background = \"#010203\", ground = \"#040506\" }\nsockets =",
    );
    let style = opened(&text, &Files::default()).look().style;
    assert_eq!(style.light, Some([10, 11, 12, 255]));
    assert_eq!((style.background, style.ground), (Some([1, 2, 3, 255]), Some([4, 5, 6, 255])));
    let plain = opened(SET, &Files::default()).look().style;
    assert_eq!((plain.light, plain.background, plain.ground), (None, None, None));
}
