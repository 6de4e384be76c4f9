//! Fills by windows of samples on the command line: what is printed beforehand, wanted windows, refills, boards.

use super::*;

/// The demo `trellis`, in a folder of its own.
fn trellis() -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "trellis", "-o", "t"]).success();
    folder
}

const QUILT: &str = "t/trellis.quilt.toml";
const BEFOREHAND: &str = "`hangings`: 148 windows of 3x3 cells from 1 sample; a map takes up to ";

/// How many windows there are and what a map takes is printed before a fill, on standard error, unless it is to be quiet.
#[rstest]
#[case::fill(&["fill", QUILT, "-o", "a.json"], true)]
#[case::for_a_script(&["fill", QUILT, "--json", "-o", "a.json"], true)]
#[case::quiet(&["fill", QUILT, "-q", "-o", "a.json"], false)]
fn windows_are_counted_beforehand(#[case] words: &[&str], #[case] printed: bool) {
    let folder = trellis();
    let output = tool(folder.path(), words).success().get_output().clone();
    let told = String::from_utf8(output.stderr).unwrap();
    assert_eq!(told.contains(BEFOREHAND), printed, "{told}");
}

/// Two lanterns side by side: text and `--json` have the wanted window beside the nearest.
#[test]
fn a_wanted_window_is_printed() {
    let folder = trellis();
    let pins = "hangings.pins=[{at=[5,5],tile=\"lantern\"},{at=[6,5],tile=\"lantern\"}]";
    let words = ["fill", QUILT, "--set", pins, "--json", "-o", "a.png"];
    let output = tool(folder.path(), &words).code(1).get_output().clone();
    let told: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let window = &told["failure"]["window"];
    let cells = window["cells"].as_array().unwrap();
    let differ = cells.iter().filter(|cell| cell["differs"] == true).count();
    assert!(cells.len() == 9 && differ > 0 && window["differs"] == differ, "{window}");
    let said = String::from_utf8(output.stderr).unwrap();
    assert!(said.contains("wanted   nearest") && said.contains("the pin at (5, 5)"), "{said}");
    // Both lie below the map, the cell that differs in an amber rim in both.
    let map = 60 * 24;
    let drawn = fs::read(folder.path().join("a.partial.png")).unwrap();
    let drawn = lantern_quilt::picture::Picture::from_png(&drawn).unwrap();
    let below = (drawn.height() - 264..drawn.height()).flat_map(|y| (0..map).map(move |x| (x, y)));
    let amber = below.filter(|&(x, y)| drawn.get(x, y) == Some([246, 178, 74, 255])).count();
    assert!(amber >= differ * 2 * 4 * 60, "{amber} pixels");
}

/// A lantern in the air is found by `check`, named where cells beside it are filled again, and mended with them.
#[test]
fn windows_of_an_edited_map_are_named() {
    let folder = trellis();
    let path = folder.path().join("t/trellis.map.json");
    let mut map: serde_json::Value = serde_json::from_slice(&fs::read(&path).unwrap()).unwrap();
    let layer = &mut map["layers"][0];
    let palette = layer["palette"].as_array().unwrap();
    let lantern = palette.iter().position(|entry| entry["tile"] == "lantern").unwrap();
    layer["rows"][9][30] = lantern.into();
    fs::write(&path, map.to_string()).unwrap();
    let judged =
        tool(folder.path(), &["check", QUILT, "--trials", "0", "--map", "t/trellis.map.json"]);
    judged.code(1).stdout(contains("no sample shows the window at (30, 9)"));
    let again = |cells| {
        tool(
            folder.path(),
            &["fill", QUILT, "--from", "t/trellis.map.json", "--again", cells, "-o", "b.json"],
        )
    };
    again("28,10,4x2").code(2).stderr(contains("cells differs from the nearest"));
    again("27,7,7x5").success();
    tool(folder.path(), &["check", QUILT, "--trials", "0", "--map", "b.json"]).success();
}

/// A saved map keeps its own size, whatever that of the quilt is, and another size is refused.
#[test]
fn a_map_of_another_size_keeps_it() {
    let folder = trellis();
    let words = ["fill", QUILT, "--size", "20x14", "-o", "small.map.json"];
    tool(folder.path(), &words).success();
    let mut again =
        vec!["fill", QUILT, "--from", "small.map.json", "--again", "4,0,6x9", "-o", "b.json"];
    tool(folder.path(), &again).success().stdout(contains("54 of the 20 x 14 cells"));
    tool(folder.path(), &["check", QUILT, "--trials", "0", "--map", "b.json"]).success();
    again[5] = "24,0,9x9";
    tool(folder.path(), &again).code(2).stderr(contains("lies outside the map"));
    again.extend(["--size", "30x20"]);
    tool(folder.path(), &again).code(2).stderr(contains("cannot be used with"));
}

/// The board has every window, also in `--json`.
#[test]
fn the_board_has_every_window() {
    let folder = trellis();
    let words = ["check", QUILT, "--trials", "0", "--picture", "board.png", "--json"];
    let output = tool(folder.path(), &words).success().get_output().clone();
    let told: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let patterns = told["windows"]["patterns"].as_array().unwrap();
    assert_eq!((patterns.len(), told["windows"]["cells"].as_array().unwrap().len()), (148, 9));
    let often = |number: usize| patterns[number]["frequency"].as_f64().unwrap();
    assert!((1..148).all(|number| often(number) <= often(number - 1)));
    let board = lantern_quilt::picture::Picture::from_png(
        &fs::read(folder.path().join("board.png")).unwrap(),
    )
    .unwrap();
    assert!(board.width() == 1280 && board.height() >= 800);
}
