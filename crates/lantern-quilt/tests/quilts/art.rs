//! What pictures say: sides told by pixels, pictures for each turn, tiles of several cells, sheets.

use super::*;
use lantern_quilt::audit::seams::SeamReport;
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::finding::Code;
use lantern_quilt::tileset::block::Part;
use lantern_quilt_testkit::maps::made;

/// Four colours, one a corner of a 4 x 4 cell, from the north-west clockwise.
fn corners(picture: &mut Picture, column: u32, colours: [u8; 4]) {
    for (x, y) in (0..4).flat_map(|y| (0..4).map(move |x| (x, y))) {
        let quarter = [[0, 1], [3, 2]][usize::from(y > 1)][usize::from(x > 1)];
        picture.set(column * 4 + x, y, [colours[quarter], 40, 90, 255]);
    }
}

/// A sheet of such cells, and a last one that is clear.
fn sheet() -> Pictures {
    let cells = [[0, 0, 0, 0], [200, 0, 0, 0], [200, 200, 0, 0], [200, 0, 200, 0], [0, 0, 6, 0]];
    let mut picture = Picture::new(4 * 6, 4, [0; 4]).unwrap();
    for (column, colours) in cells.into_iter().enumerate() {
        corners(&mut picture, column as u32, colours);
    }
    Pictures(BTreeMap::from([("corners.png".to_owned(), picture.to_png(&[]).unwrap())]))
}

const CORNERS: &str = r#"quilt = 1
map = { lattice = "square", size = [12, 9] }
sheets.s = { file = "corners.png", cell = [4, 4] }
[tiles]
dark = { at = [0, 0], sides = "pixels" }
corner = { at = [1, 0], sides = "pixels", turns = 4 }
half = { at = [2, 0], sides = "pixels", turns = 4, mirror = "east_west" }
saddle = { at = [3, 0], sides = "pixels", turns = 4 }
almost = { at = [4, 0], sides = "pixels", turns = 4 }
[[recipe]]
pass = "collapse"
"#;

fn cornered(text: &str) -> Result<Quilt, Report> {
    Quilt::read(text, "a.quilt.toml", &sheet())
}

/// Just what looks alike may touch, asked of the pictures themselves.
#[rstest]
fn sides_meet_where_pixels_do(#[values(0, 6, 210)] tolerance: u8) {
    let text =
        CORNERS.replace("[tiles]", &format!("seams = {{ tolerance = {tolerance} }}\n[tiles]"));
    let quilt = cornered(&text).unwrap_or_else(|report| panic!("{report}"));
    let (set, rules) = (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().rules());
    // The saddle looks the same after half a turn, and the half when mirrored.
    let poses = 1 + 4 + 4 + 2 + 4;
    assert_eq!(rules.poses().len(), poses);
    let row = |pose: PoseId, side: Side| {
        let pose = rules.poses()[pose];
        let name = set.tiles()[pose.tile].name();
        let drawn = quilt.art.posed(name, 0, None, Lattice::Square, pose.orientation).unwrap();
        let end = |x: u32, y: u32| i32::from(drawn.get(x, y).unwrap()[0]);
        match side {
            Side::North => [0, 1, 2, 3].map(|at| end(at, 0)),
            Side::South => [0, 1, 2, 3].map(|at| end(at, 3)),
            Side::East => [0, 1, 2, 3].map(|at| end(3, at)),
            _ => [0, 1, 2, 3].map(|at| end(0, at)),
        }
    };
    for (number, &side) in Lattice::Square.sides().iter().enumerate() {
        for a in rules.poses().ids() {
            for b in rules.poses().ids() {
                let (here, there) = (row(a, side), row(b, side.opposite()));
                let close =
                    here.iter().zip(there).all(|(a, b)| (a - b).abs() <= i32::from(tolerance));
                assert_eq!(rules.support(number, a).contains(b), close, "{here:?} {there:?}");
            }
        }
    }
    let near = quilt.findings.findings.iter().filter(|f| f.finding.code == Code::NearMatch).count();
    assert_eq!(near, 0, "half of the pixels are too many to be a slip");
}

/// One pixel of a side painted wrong.
#[test]
fn a_side_that_nearly_meets_is_told_of() {
    let mut pictures = sheet();
    let mut picture = Picture::from_png(&pictures.0["corners.png"]).unwrap();
    picture.set(1, 0, [30, 40, 90, 255]);
    pictures.0.insert("corners.png".to_owned(), picture.to_png(&[]).unwrap());
    let read = |text: &str| Quilt::read(text, "a.quilt.toml", &pictures).unwrap();
    let told = read(CORNERS).findings.to_string();
    assert!(
        told.contains(
            "warning[near-match] the north side of `almost` and the north side of `dark`"
        ),
        "{told}"
    );
    assert!(told.contains("do not meet: 1 of 4 pixels differ"), "{told}");
    // The board shows the two side by side: all but one pixel of the seam agree.
    let quilt = read(CORNERS);
    let check = quilt.check(None);
    let near = &check.near[0];
    let turned = near.orientation(&quilt.art, Lattice::Square).unwrap();
    let row = |name: usize, turned: Orientation, side: Side| {
        let look = quilt.art.look(&near.sides[name].0, 0).unwrap();
        look.posed(Lattice::Square, turned).side(Lattice::Square, side)
    };
    let side = near.sides[0].1;
    let (here, mut there) = (row(0, Orientation::AS_DRAWN, side), row(1, turned, side.opposite()));
    there.reverse();
    assert_eq!(here.iter().zip(&there).filter(|(a, b)| a != b).count(), near.pixels);
    let (set, rules) = (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().rules());
    let board = |near| {
        lantern_quilt::draw::board("a", set, rules, &quilt.art, None, &SeamReport::default(), near)
            .unwrap()
    };
    assert_ne!(board(&check.near), board(&[]));
    let passed = read(&CORNERS.replace("[tiles]", "seams = { tolerance = 30 }\n[tiles]"));
    assert!(!passed.findings.to_string().contains("near-match"));
}

const TURNED: &str = r#"quilt = 1
map = { lattice = "square", size = [7, 5] }
sheets.s = { file = "tiles.png", cell = [4, 4] }
sockets = { moss = {}, path = {} }
[tiles]
post = { at = [0, 0], sides = { north = "path", east = "moss", south = "moss", west = "moss" }, turns = 4, upright = true }
lamp = { at = [1, 0], sides = { north = "path", east = "path", south = "moss", west = "moss" }, turns = 4, mirror = "east_west", turned = [{ at = [2, 0] }, { at = [3, 0] }, { at = [0, 1] }] }
hall = { at = [1, 0], span = [2, 2], sides = "moss", parts = [{ at = [1, 1], sides = { south = "path" } }], turns = 4, weight = 9 }
moss = { at = [4, 1], sides = "moss", pose_weight = 3 }
path = { at = [4, 0], sides = { north = "path", east = "moss", south = "path", west = "moss" }, turns = 2, pose_weight = 3 }
[[recipe]]
pass = "collapse"
"#;

/// A sheet of 5 x 2 cells in which every pixel is different.
fn speckled() -> Pictures {
    let mut picture = Picture::new(20, 8, [0; 4]).unwrap();
    (0..8).for_each(|y| {
        (0..20).for_each(|x| picture.set(x, y, [x as u8 * 12, y as u8 * 30, 7, 255]));
    });
    Pictures(BTreeMap::from([("tiles.png".to_owned(), picture.to_png(&[]).unwrap())]))
}

#[test]
fn pictures_of_turns_are_those_that_were_given() {
    let pictures = speckled();
    let quilt = Quilt::read(TURNED, "a", &pictures).unwrap_or_else(|report| panic!("{report}"));
    let sheet = Picture::from_png(&pictures.0["tiles.png"]).unwrap();
    let cell = |column: u32, row: u32| sheet.cut(column * 4, row * 4, 4, 4).unwrap();
    let posed = |name: &str, turns, mirrored| {
        let orientation = Orientation::new(Lattice::Square, turns, mirrored);
        quilt.art.posed(name, 0, None, Lattice::Square, orientation).unwrap()
    };
    let given = [cell(1, 0), cell(2, 0), cell(3, 0), cell(0, 1)];
    let mirror = Orientation::new(Lattice::Square, 0, true);
    for turns in 0..4 {
        assert_eq!(posed("post", turns, false), cell(0, 0));
        assert_eq!(posed("lamp", turns, false), given[usize::from(turns)]);
        // Mirrored and then turned is turned back and then mirrored.
        let back = &given[usize::from((4 - turns) % 4)];
        assert_eq!(posed("lamp", turns, true), back.oriented(Lattice::Square, mirror));
        assert_eq!(
            posed("moss", turns, false),
            cell(4, 1).oriented(Lattice::Square, Orientation::new(Lattice::Square, turns, false))
        );
    }
    // The weight of each pose against that of the whole tile.
    let set = quilt.collapse().unwrap().tileset();
    let weight = |name: &str| {
        let tile = &set.tiles()[set.find(name).unwrap()];
        (tile.weight() as f64 / 24e6, tile.pose_weight() as f64 / 24e6)
    };
    assert_eq!(
        (weight("path"), weight("post"), weight("hall")),
        ((6.0, 3.0), (1.0, 0.25), (2.25, 0.5625))
    );
}

/// A tile of several cells is drawn, saved and read as the one it is.
#[test]
fn a_tile_of_several_cells_is_drawn_whole() {
    let quilt = Quilt::read(TURNED, "a", &speckled()).unwrap();
    let whole = quilt.art.look("hall", 0).unwrap().clone();
    let mut halls = 0;
    for seed in 0..8 {
        let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
        let picture = draw(&map, &quilt.art, &DrawOptions::default()).unwrap();
        for cell in map.layout().extent().iter() {
            let placed = map.layers().next().unwrap().get(cell).unwrap();
            let Some(at) = placed.part else { continue };
            if (Part { at, span: [2, 2, 1] }).placed(placed.orientation) == [0, 0, 0] {
                let drawn = picture.cut(cell.x as u32 * 4, cell.y as u32 * 4, 8, 8).unwrap();
                assert_eq!(drawn, whole.posed(Lattice::Square, placed.orientation));
                halls += 1;
            }
        }
        let mut json = Vec::new();
        lantern_quilt::files::write_json(&map, &mut json).unwrap();
        assert_eq!(lantern_quilt::files::read_json(&json[..]).unwrap(), map);
        let mut csv = Vec::new();
        lantern_quilt::files::write_cells(&map, &mut csv).unwrap();
        let again = lantern_quilt::files::read_csv("collapse", Lattice::Square, &csv[..]).unwrap();
        map.layout()
            .extent()
            .iter()
            .for_each(|c| assert_eq!(again.get(c), map.layers().next().unwrap().get(c)));
    }
    assert!(halls > 8, "{halls}");
}

/// A pin names the corner of the whole, and a sample a part of it.
#[test]
fn parts_are_pinned_and_sampled() {
    let pins = "pass = \"collapse\"\npins = [{ at = [2, 1], tile = \"hall\", turned = 1 }]";
    let keys = "keys.k = { H = { tile = \"hall\", part = [1, 0] }, m = \"moss\" }\n[tiles]";
    let sample = "[[sample]]\nkey = \"k\"\ntext = \"Hm\"\n[[recipe]]";
    let text = TURNED.replace("pass = \"collapse\"", pins).replace("[[recipe]]", sample);
    let text = text.replace("[tiles]", keys);
    let quilt = Quilt::read(&text, "a", &speckled()).unwrap_or_else(|report| panic!("{report}"));
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    let part = |x, y| map.layers().next().unwrap().get(Cell::new(x, y)).unwrap().part;
    assert_eq!(
        [part(2, 1), part(3, 1), part(3, 2), part(2, 2)],
        [[0, 1, 0], [0, 0, 0], [1, 0, 0], [1, 1, 0]].map(Some)
    );
    let sample = &quilt.collapse().unwrap().constraints().samples[0];
    let set = quilt.collapse().unwrap().tileset();
    assert_eq!(sample.cells[0].map(|(tile, _)| tile), set.find_part("hall", [1, 0, 0]));
}

#[rstest]
#[case::one_short(
    "turned = [{ at = [2, 0] }, ",
    "turned = [",
    "7:15: error[bad-turns] `lamp` takes 4 turns and has pictures of 2 besides the first"
)]
#[case::both(
    "upright = true",
    "upright = true, turned = [{ at = [2, 0] }]",
    "error[bad-value] `post` stays upright and has pictures of its turns"
)]
#[case::still_pixels(
    "sides = { north = \"path\", east = \"moss\", south = \"moss\", west = \"moss\" }, turns = 4, upright",
    "sides = \"pixels\", turns = 4, upright",
    "error[bad-value] `post` turns and shows its pixels, but its picture stays"
)]
#[case::two_weights(
    "pose_weight = 3 }\npath",
    "pose_weight = 3, weight = 1 }\npath",
    "error[bad-value] `moss` has a weight and a weight of each pose"
)]
#[case::no_such_part(
    "parts = [{ at = [1, 1]",
    "parts = [{ at = [2, 1]",
    "error[bad-value] the tile has no part at [2, 1]"
)]
#[case::inner_side(
    "sides = { south = \"path\" } }]",
    "sides = { north = \"path\" } }]",
    "error[bad-value] the north side of part [1, 1] lies inside"
)]
#[case::too_large(
    "span = [2, 2]",
    "span = [200, 2]",
    "error[bad-size] a tile covers 256 cells at most"
)]
#[case::outside_the_sheet(
    "span = [2, 2]",
    "span = [2, 3]",
    "error[cell-outside-sheet] cell [1, 2] lies outside `tiles.png`"
)]
#[case::hexagons(
    "lattice = \"square\"",
    "lattice = \"hex_pointy\"",
    "error[bad-turns] 4 turns do not fit a hex_pointy lattice"
)]
#[case::a_socket(
    "moss = {}, path",
    "moss = {}, pixels = {}, path",
    "error[bad-value] `pixels` has a meaning of its own"
)]
#[case::tolerance(
    "[tiles]",
    "seams = { tolerance = 300 }\n[tiles]",
    "error[bad-value] `tolerance` is 300, out of its range"
)]
#[case::count_of_nothing(
    "pass = \"collapse\"",
    "pass = \"collapse\"\ncounts = [{ tile = \"moss\" }]",
    "error[bad-value] a count needs `least`, `most` or both"
)]
#[case::count_backwards(
    "pass = \"collapse\"",
    "pass = \"collapse\"\ncounts = [{ tile = \"moss\", least = 3, most = 2 }]",
    "error[bad-value] at least 3 and at most 2 cannot both be"
)]
#[case::count_unmet(
    "pass = \"collapse\"",
    "pass = \"collapse\"\ncounts = [{ tile = \"hall\", least = 30 }]",
    "13:11: error[count-unmet] 30 of tile `hall` are wanted, but 8 at most may stand in this map"
)]
fn a_mistake_in_art_is_reported(#[case] from: &str, #[case] to: &str, #[case] want: &str) {
    let text = TURNED.replace(from, to);
    assert_ne!(text, TURNED);
    let report = Quilt::read(&text, "a", &speckled()).unwrap_err();
    assert!(report.to_string().contains(want), "{report}\nwanted {want}");
}

/// Cells of a sheet that are no tile, tiles without a picture to speak of, and twins: by a check.
#[test]
fn a_check_looks_at_sheets() {
    let text = CORNERS
        .replace("saddle = { at = [3, 0]", "saddle = { at = [5, 0]")
        .replace("almost = { at = [4, 0]", "almost = { at = [0, 0]");
    let check = cornered(&text).unwrap().check(None);
    let told = check.report.to_string();
    for want in [
        "note[unused-art] 2 cells of the sheet `s` are not tiles",
        "warning[empty-art] the picture of `saddle` is empty",
        "warning[same-art] `almost` looks just as `dark` does",
    ] {
        assert!(told.contains(want), "{told}\nwanted {want}");
    }
    assert_eq!(cornered(&text).unwrap().findings.findings, []);
}

/// A ring of a tag: nothing else stands along the border, and the judge says so.
#[test]
fn a_ring_fills_the_border() {
    let ring = "pass = \"collapse\"\nborder = { ring = { tile = [\"moss\", \"path\"] } }";
    let quilt =
        Quilt::read(&TURNED.replace("pass = \"collapse\"", ring), "a", &speckled()).unwrap();
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    for cell in map.layout().extent().iter() {
        let edge = cell.x == 0 || cell.y == 0 || cell.x == 6 || cell.y == 4;
        let tile = &map.layers().next().unwrap().get(cell).unwrap().tile;
        assert!(!edge || ["moss", "path"].contains(&tile.as_str()), "{tile} at {cell}");
    }
}
