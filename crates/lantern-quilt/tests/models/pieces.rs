//! Pieces that holes want, on every lattice: found, written as placeholders, and filled with.

use super::geometry::{PROFILE, wall, with};
use super::*;
use lantern_quilt::audit::pieces::{WantedPiece, wanted_pieces};
use lantern_quilt::files::PIECES;
use lantern_quilt::lattice::Cell;
use lantern_quilt::map::{Layer, Placed, Tilemap};
use lantern_quilt::passes::HOLE;
use lantern_quilt::picture::Picture;
use lantern_quilt::solve::Outcome;
use lantern_quilt::verify::verify;
use rstest::rstest;

/// Two kinds of tiles that never meet, pinned with a cell between them.
fn flat(lattice: &str, pins: &str) -> String {
    format!(
        "quilt = 1\nMAP\nmap = {{ lattice = \"{lattice}\", size = [8, 6] }}\nsockets = {{ moss = {{}}, path = {{}}, \
         kerb = {{ handed = true }} }}\n[tiles.moss]\npicture = \"moss.png\"\nsides = \"moss\"\nweight = 5\n\
         [tiles.path]\npicture = \"path.png\"\nsides = \"path\"\n[[recipe]]\npass = \"collapse\"\nname = \"ground\"\n\
         pins = [{pins}]\n"
    )
    .replace("MAP\n", "")
}

fn pictures() -> Files {
    let drawn = |colour| Picture::new(16, 16, colour).unwrap().to_png(&[]).unwrap();
    Files::default()
        .with("moss.png", drawn([40, 90, 50, 255]))
        .with("path.png", drawn([200, 180, 120, 255]))
}

/// Fills with holes, and gives the map and what its holes want.
fn holed(text: &str, art: &Files) -> (Quilt, Tilemap, Vec<WantedPiece>) {
    let quilt = Quilt::read(text, "holed", art).unwrap_or_else(|report| panic!("{report}"));
    let mut maker = quilt.maker(quilt.layout, &quilt.seed).holes(true);
    maker.make().unwrap();
    let made = maker.finish();
    let holes = made.fills[0].holes.clone();
    let collapse = quilt.collapse().unwrap();
    let is_hole = |cell| holes.contains(&cell);
    let pieces = {
        let layer = made.map.layers().next().unwrap();
        let (set, rules) = (collapse.tileset(), collapse.constraints());
        wanted_pieces(layer, made.map.layout(), set, rules, &holes, is_hole)
    };
    (quilt, made.map, pieces)
}

/// Fills the holes of a map by a quilt that has placeholders for them.
fn filled_again(text: &str, art: &Files, map: &Tilemap) -> (Tilemap, usize) {
    // A pinned cell that became a hole wants another tile than its pin.
    let text = &text[..text.find("pins = ").unwrap_or(text.len())];
    let text = text.replacen("quilt = 1\n", &format!("quilt = 1\ninclude = \"{PIECES}\"\n"), 1);
    let quilt = Quilt::read(&text, "again", art).unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    let layer = map.layers().next().unwrap();
    let is_hole = |cell: Cell| map.tag(HOLE).is_some_and(|holes| holes.get(cell));
    let refill = collapse
        .refill_beside(map.layout(), layer, map.layout().extent(), is_hole, is_hole)
        .unwrap();
    let mut run = refill.job(collapse, &quilt.seed).begin().unwrap();
    run.fill();
    assert!(run.outcome().is_some_and(Outcome::is_filled), "{:?}", run.outcome());
    let mut map = map.clone();
    let name = map.layers().next().unwrap().name.clone();
    refill.paste(collapse, &run, map.layer_mut(&name));
    let layer = map.layers().next().unwrap();
    let breaks = verify(layer, map.layout(), |_| true, collapse.tileset(), collapse.constraints());
    assert!(breaks.is_empty(), "{breaks:?}");
    let placed =
        map.layout().extent().iter().filter(|&cell| {
            layer.get(cell).is_some_and(|placed| placed.tile.starts_with("piece_"))
        });
    let count = placed.count();
    (map, count)
}

const APART: &str = "{ at = [2, 2], tile = \"moss\" }, { at = [4, 2], tile = \"path\" }";
/// The same turned and mirrored elsewhere.
const TWICE: &str = "{ at = [1, 1], tile = \"moss\" }, { at = [3, 1], tile = \"path\" }, { at = [6, 2], tile = \"moss\" }, \
                     { at = [6, 4], tile = \"path\" }";

#[rstest]
#[case::square("square", APART)]
#[case::square_twice("square", TWICE)]
#[case::hex_pointy("hex_pointy", APART)]
#[case::hex_flat("hex_flat", APART)]
fn placeholders_fill_holes(#[case] lattice: &str, #[case] pins: &str) {
    let (text, art) = (flat(lattice, pins), pictures());
    let (quilt, map, pieces) = holed(&text, &art);
    let holes: usize = pieces.iter().map(|piece| piece.cells.len()).sum();
    assert!(holes > 0, "nothing to fill");
    // Pieces that are turns or mirror images of one another are one.
    let set = quilt.collapse().unwrap().tileset();
    let words: Vec<String> = pieces.iter().map(|piece| piece.in_words(set)).collect();
    let files = quilt.piece_files(&pieces).unwrap();
    assert_eq!(files.len(), pieces.len() + 1, "{words:?}");
    let art = files.into_iter().fold(art, |art, (name, data)| art.with(&name, data));
    let (_, placed) = filled_again(&text, &art, &map);
    assert_eq!(placed, holes, "{words:?}");
}

#[test]
fn turns_and_mirror_images_are_one_piece() {
    // Four holes that each want moss on one side and path on the next, in four ways.
    let pins: Vec<String> =
        [([2, 2], [1, 2], [2, 1]), ([6, 2], [7, 2], [6, 1]), ([2, 5], [1, 5], [2, 4])]
            .iter()
            .map(|(_, moss, path)| {
                format!(
                    "{{ at = {moss:?}, tile = \"moss\" }}, {{ at = {path:?}, tile = \"path\" }}"
                )
            })
            .collect();
    let text = flat("square", &pins.join(", "));
    let (quilt, _, _) = holed(&text, &pictures());
    let set = quilt.collapse().unwrap().tileset();
    // The same pieces whatever the order of the cells, and as many cells as there are holes.
    let map = Tilemap::new(quilt.layout);
    assert!(map.layers().next().is_none());
    let mut layer = Layer::new("ground", quilt.layout.extent(), Vec::new());
    let [moss, path] = ["moss", "path"].map(|name| layer.add(Placed::new(name)));
    for (x, y, tile) in
        [(1, 2, moss), (2, 1, path), (5, 2, path), (4, 1, moss), (2, 4, moss), (1, 5, path)]
    {
        layer.set(Cell::new(x, y), Some(tile));
    }
    let cells = [Cell::new(2, 2), Cell::new(4, 2), Cell::new(2, 5)];
    let pieces = wanted_pieces(
        &layer,
        quilt.layout,
        set,
        quilt.collapse().unwrap().constraints(),
        &cells,
        |_| false,
    );
    assert_eq!(pieces.len(), 1, "{pieces:?}");
    assert_eq!((pieces[0].cells.len(), pieces[0].turns), (3, 4));
    assert_eq!(pieces[0].in_words(set), "path on north, moss on west, anything on the others");
}

#[rstest]
// A cell between moss and path, at the northern edge of the map.
#[case::no_rule("", Some("path on east, moss on west, anything on the others"))]
#[case::socket(
    "socket = \"moss\"",
    Some("path on east, moss on north and west, anything on south")
)]
#[case::tag(
    "tag = \"rim\"",
    Some("path on east, moss on west, anything on the others, tagged `rim`")
)]
#[case::socket_or_tag(
    "socket = \"moss\", tag = \"rim\"",
    Some("path on east, moss on north and west, anything on south")
)]
#[case::only_a_tile("tile = \"moss\"", None)]
fn border_rules_count_for_wanted_pieces(#[case] accept: &str, #[case] words: Option<&str>) {
    let rule = match accept {
        "" => String::new(),
        accept => format!("border = {{ north = {{ {accept} }} }}\n"),
    };
    let text = flat("square", APART).replace("weight = 5", "weight = 5\ntags = [\"rim\"]") + &rule;
    assert_eq!(wanted_between(&text, "path").as_deref(), words);
    // Nothing meets a side that is `border`, whatever the edge takes.
    let walled = text.replace("sides = \"path\"", "sides = \"border\"");
    assert_eq!(wanted_between(&walled, "path"), None);
}

/// What a cell wants that lies between moss and another tile at the northern edge.
fn wanted_between(text: &str, other: &str) -> Option<String> {
    let text = &text.replace("{ at = [4, 2], tile = \"path\" }", "");
    let quilt = Quilt::read(text, "edge", &pictures()).unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    let (set, rules) = (collapse.tileset(), collapse.constraints());
    let mut layer = Layer::new("ground", quilt.layout.extent(), Vec::new());
    for (x, name) in [(1, "moss"), (3, other)] {
        let number = layer.add(Placed::new(name));
        layer.set(Cell::new(x, 0), Some(number));
    }
    let found = wanted_pieces(&layer, quilt.layout, set, rules, &[Cell::new(2, 0)], |_| false);
    let tagged = found.iter().all(|piece| {
        let files = quilt.piece_files(std::slice::from_ref(piece)).unwrap();
        let toml = std::str::from_utf8(&files.last().unwrap().1).unwrap();
        toml.contains("tags = [\"rim\"]") != piece.tags.is_empty()
    });
    assert!(tagged && found.len() <= 1, "{found:?}");
    Some(found.first()?.in_words(set))
}

#[test]
fn placeholders_of_modules_have_the_outlines_to_be_met() {
    let other = with(2, [0.15, 0.0]);
    let text = "quilt = 1\nmap = { lattice = \"box\", size = [5, 1, 1], module = [2, 2, 2] }\n\
                models = { origin = \"floor\", scale = 1, up = \"y\" }\n\
                tiles.first = { model = \"first.obj\", sides = { around = \"geometry\", up = \"border\", down = \"border\" } }\n\
                tiles.second = { model = \"second.obj\", sides = { around = \"geometry\", up = \"border\", down = \"border\" } }\n\
                [[recipe]]\npass = \"collapse\"\nname = \"walls\"\n\
                pins = [{ at = [1, 0, 0], tile = \"first\" }, { at = [3, 0, 0], tile = \"second\" }]\n";
    let art = Files::default()
        .with("first.obj", wall(&PROFILE, &PROFILE))
        .with("second.obj", wall(&other, &other));
    let (quilt, map, pieces) = holed(text, &art);
    assert_eq!(pieces.len(), 1, "{pieces:?}");
    let files = quilt.piece_files(&pieces).unwrap();
    assert!(files.iter().any(|(name, data)| name == "piece_1.glb" && data.starts_with(b"glTF")));
    let art = files.into_iter().fold(art, |art, (name, data)| art.with(&name, data));
    let (_, placed) = filled_again(text, &art, &map);
    assert_eq!(placed, 1);
}
