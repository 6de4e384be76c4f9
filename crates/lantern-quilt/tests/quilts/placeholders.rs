//! Placeholders of missing shapes: painted into copies of the sheets, and enough with their lines of TOML.

use super::*;
use lantern_quilt::autotile::Coverage;
use lantern_quilt::files::SHAPES;
use lantern_quilt::picture::Rgba;

const MOSS: Rgba = [47, 107, 58, 255];
const POND: Rgba = [63, 143, 181, 255];

/// A sheet of three columns and two rows, cells of 12 x 12 pixels with a margin of 2 and gaps of 1: painted are the
/// first cell, and the third, which is no tile.
fn sheet() -> Picture {
    let mut picture = Picture::new(2 + 3 * 13 - 1, 2 + 2 * 13 - 1, [0; 4]).unwrap();
    for (x, y) in (0..12).flat_map(|y| (0..12).map(move |x| (x, y))) {
        picture.set(2 + x, 2 + y, MOSS);
        picture.set(2 + 26 + x, 2 + y, POND);
    }
    picture
}

const HEAD: &str = r##"quilt = 1
map = { lattice = "LATTICE", size = [6, 5] }
sheets.s = { file = "art/sheet.png", cell = [12, 12], margin = 2, spacing = 1 }
terrains = { sand = ["#d8c38a", "s"], moss = ["#2f6b3a", "m"], pond = ["#3f8fb5", "p"] }
"##;

const RECIPE: &str = r#"
[[recipe]]
pass = "noise"
bands = [{ terrain = "moss" }]
[[recipe]]
pass = "autotile"
"#;

/// Reads a quilt with some pictures besides the sheet.
fn read(text: &str, files: &[(String, Vec<u8>)]) -> Quilt {
    let mut pictures = BTreeMap::from([("art/sheet.png".to_owned(), sheet().to_png(&[]).unwrap())]);
    pictures.extend(files.iter().cloned());
    Quilt::read(text, "a.quilt.toml", &Pictures(pictures))
        .unwrap_or_else(|report| panic!("{report}"))
}

/// The lines of a list of [`SHAPES`], put at the end of that list.
fn with_lines(text: &str, files: &[(String, Vec<u8>)]) -> String {
    let Some((_, lines)) = files.iter().find(|(name, _)| name == SHAPES) else {
        return text.to_owned();
    };
    let lines = std::str::from_utf8(lines).unwrap();
    let (mut text, mut lists) = (text.to_owned(), 0);
    for list in lines.split("\n[").skip(1) {
        let (name, body) = list.split_once("]\ntiles = [\n").unwrap();
        let body = body.trim_end().strip_suffix(']').unwrap();
        let from = text.find(&format!("[{name}]")).unwrap();
        let end = from + text[from..].find("\n# end").unwrap();
        text.insert_str(end, &format!("\n{body}"));
        lists += 1;
    }
    assert!(lists > 0, "{lines}");
    text
}

#[rstest]
// Of the 16, 47 and 64 shapes one is there; those that turn into each other are one.
#[case::four("square", "four", "#\n#o#\n#", "", 15)]
#[case::turned("square", "four", "#\n#o#\n#", ", turns = 4", 5)]
#[case::mirrored("square", "eight", "###\n#o#\n###", ", turns = 4, mirror = \"east_west\"", 13)]
#[case::eight("square", "eight", "###\n#o#\n###", "", 46)]
#[case::dual("square", "dual", "##\n##", "", 14)]
#[case::pointy("hex_pointy", "six", "##\n#o#\n##", ", turns = 6", 13)]
#[case::flat("hex_flat", "six", "#\n##\no\n##\n#", "", 63)]
// A letter makes its terrain a kind of its own: 3 x 3 x 3 x 3 neighbourhoods.
#[case::kinds("square", "four", "p\n#o#\n#", "", 80)]
fn listed_shapes_are_all_there(
    #[case] lattice: &str,
    #[case] scheme: &str,
    #[case] drawn: &str,
    #[case] turned: &str,
    #[case] painted: usize,
) {
    let tile = format!(
        "tiles = [\n{{ at = [0, 0]{turned}, around = \"\"\"\n{drawn}\n\"\"\" }},\n# end\n]"
    );
    let own = format!("[shapes.moss]\nscheme = \"{scheme}\"\nunder = []\n{tile}\n");
    let shared = format!(
        "[arrangements.all]\nscheme = \"{scheme}\"\n{tile}\n[shapes.moss]\narrangement = \"all\"\nunder = []\n\
         looks = [{{ at = [1, 0] }}]\n"
    );
    let head = HEAD.replace("LATTICE", lattice);
    let text = format!("{head}{own}{RECIPE}");
    let quilt = read(&text, &[]);
    let shapes = quilt.shape_files().unwrap();
    assert_eq!((shapes.placeholders, shapes.left.len()), (painted, 0), "{:?}", shapes.left);
    assert_eq!(shapes.lists, ["shapes.moss"]);
    complete(&with_lines(&text, &shapes.files), &shapes.files);
    // Both looks of a shared list get a placeholder.
    let text = format!("{head}{shared}{RECIPE}");
    let shapes = read(&text, &[]).shape_files().unwrap();
    assert_eq!(shapes.lists, ["arrangements.all"]);
    // The second look of the tile that is there is blank.
    assert_eq!(shapes.placeholders, 2 * painted + 1);
    complete(&with_lines(&text, &shapes.files), &shapes.files);
}

/// Every neighbourhood has a tile of its own, every tile a picture, and what was painted is as it was.
fn complete(text: &str, files: &[(String, Vec<u8>)]) {
    let quilt = read(text, files);
    for set in quilt.shapes() {
        let coverage = Coverage::of(set);
        assert_eq!(coverage.missing.len(), 0, "{text}");
        assert_eq!((coverage.doubled.len(), coverage.unreachable.len()), (0, 0), "{coverage:?}");
    }
    let again = quilt.shape_files().unwrap();
    assert_eq!((again.placeholders, again.files.len()), (0, 0), "{text}");
    let painted = &files.iter().find(|(name, _)| name == "art/sheet.png").unwrap().1;
    let (before, after) = (sheet(), Picture::from_png(painted).unwrap());
    assert_eq!(after.width(), before.width());
    for (x, y) in (0..before.height()).flat_map(|y| (0..before.width()).map(move |x| (x, y))) {
        let was = before.get(x, y).unwrap();
        assert!(was[3] == 0 || after.get(x, y) == Some(was), "{x}, {y}");
    }
}

/// A guide of the size of the sheet, its first cell all of one colour.
fn guide(colour: Rgba) -> (String, Vec<u8>) {
    let mut guide = Picture::new(sheet().width(), sheet().height(), [0; 4]).unwrap();
    for (x, y) in (0..12).flat_map(|y| (0..12).map(move |x| (x, y))) {
        guide.set(2 + x, 2 + y, colour);
    }
    ("guide.png".to_owned(), guide.to_png(&[]).unwrap())
}

#[rstest]
#[case::four("square", "scheme = \"four\"", 15)]
#[case::eight("square", "scheme = \"eight\"", 46)]
#[case::dual("square", "scheme = \"dual\"", 14)]
#[case::pointy("hex_pointy", "scheme = \"six\"", 63)]
#[case::flat("hex_flat", "scheme = \"six\"", 63)]
#[case::blend("square", "scheme = \"dual\"\nblend = [\"sand\", \"moss\", \"pond\"]", 80)]
#[case::blend_by_sides("square", "scheme = \"four\"\nblend = [\"sand\", \"moss\", \"pond\"]", 80)]
fn guides_are_painted_with_their_sheets(
    #[case] lattice: &str,
    #[case] set: &str,
    #[case] painted: usize,
) {
    let head = HEAD.replace("LATTICE", lattice);
    let own = if set.contains("blend") { "" } else { "under = []\n" };
    // Letters are for drawings; a guide has colours.
    let head = head.replace(", \"p\"]", "]");
    let text = format!("{head}[shapes.moss]\n{set}\n{own}guide = \"guide.png\"\n{RECIPE}");
    let begun = [guide(MOSS)];
    let shapes = read(&text, &begun).shape_files().unwrap();
    assert_eq!((shapes.placeholders, shapes.lists.len()), (painted, 0), "{:?}", shapes.left);
    complete(&text, &shapes.files);
}

#[rstest]
#[case::in_order("scheme = \"four\"\ncolumns = 3", 6, 14)]
#[case::quarters("scheme = \"eight\"\nquarters = true", 2, 3)]
#[case::accepted("scheme = \"four\"\ncolumns = 3", 6, 13)]
fn blank_cells_get_placeholders(#[case] set: &str, #[case] rows: u32, #[case] painted: usize) {
    let mut longer = Picture::new(2 + 5 * 13, 2 + rows * 13, [0; 4]).unwrap();
    longer.lay(&sheet(), 0, 0);
    let art = [("art/sheet.png".to_owned(), longer.to_png(&[]).unwrap())];
    let head = HEAD.replace("LATTICE", "square");
    // The shape with nothing joined is meant to be blank.
    let accept = match painted {
        13 => {
            "[[accept]]\ncode = \"empty-art\"\nsubject = \"shapes.moss\"\nplaces = [\"`moss/04` at [1, 1]\"]\nwhy = \"meant\"\n"
        }
        _ => "",
    };
    let text = format!("{head}[shapes.moss]\n{set}\nunder = []\n{RECIPE}{accept}");
    let shapes = read(&text, &art).shape_files().unwrap();
    assert_eq!((shapes.placeholders, shapes.lists.len()), (painted, 0), "{:?}", shapes.left);
    let again = read(&text, &shapes.files).shape_files().unwrap();
    assert_eq!(again.placeholders, 0);
    assert_eq!(shapes.files.len(), 1);
}

#[rstest]
#[case::no_sheet(
    "tiles = [{ empty = true, around = \"\"\"\n#\n#o#\n#\n\"\"\" }]",
    HEAD,
    "no sheet"
)]
#[case::no_letter(
    "scheme = \"dual\"\nblend = [\"sand\", \"moss\", \"pond\"]\ntiles = [{ at = [0, 0], around = \"\"\"\nmm\nmm\n\"\"\" }]",
    "\"#3f8fb5\", \"p\"",
    "no letter"
)]
fn what_cannot_be_painted_is_named(#[case] set: &str, #[case] gone: &str, #[case] why: &str) {
    let mut head = HEAD.replace("LATTICE", "square").replace(gone, "\"#3f8fb5\"");
    if gone == HEAD {
        head = HEAD
            .replace("LATTICE", "square")
            .lines()
            .filter(|line| !line.contains("sheets"))
            .map(|line| format!("{line}\n"))
            .collect();
    }
    let under = if set.contains("blend") { "" } else { "under = []\n" };
    let text = format!("{head}[shapes.moss]\n{under}{set}\n{RECIPE}");
    let shapes = read(&text, &[]).shape_files().unwrap();
    let [(name, said)] = &shapes.left[..] else { panic!("{shapes:?}") };
    assert!(name == "moss" && said.contains(why), "{said}");
}
