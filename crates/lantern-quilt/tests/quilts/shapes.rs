//! Terrains, sets of shapes, plans and recipes of several passes.

use super::*;
use lantern_quilt::autotile::{Coverage, Scheme, quarters};
use lantern_quilt::finding::Code;
use lantern_quilt::passes::STAND_IN;
use lantern_quilt_testkit::maps::made;

/// Cells of 4 x 4 pixels: eight columns, each cell of a colour of its own.
fn sheet(rows: u32) -> Vec<u8> {
    let mut picture = Picture::new(32, rows * 4, [0; 4]).unwrap();
    for y in 0..rows * 4 {
        for x in 0..32 {
            picture.set(
                x,
                y,
                [(x / 4 * 9) as u8, (y / 4 * 9) as u8, (x % 4 * 4 + y % 4) as u8, 255],
            );
        }
    }
    picture.to_png(&[]).unwrap()
}

/// A picture of a few letters: one pixel each.
fn painted(rows: &[&str]) -> Vec<u8> {
    let mut picture = Picture::new(rows[0].len() as u32, rows.len() as u32, [0; 4]).unwrap();
    for (y, row) in rows.iter().enumerate() {
        for (x, letter) in row.chars().enumerate() {
            let colour = match letter {
                'm' => [47, 107, 58, 255],
                's' => [216, 195, 138, 255],
                'p' => [63, 143, 181, 255],
                'x' => [49, 107, 58, 255],
                _ => [0; 4],
            };
            picture.set(x as u32, y as u32, colour);
        }
    }
    picture.to_png(&[]).unwrap()
}

/// A guide of cells of 6 x 6 pixels: terrains by letter in the middle, along sides and in corners.
fn guide(cells: &[[&str; 3]]) -> Vec<u8> {
    let rows: Vec<String> = (0..6)
        .map(|y| {
            let row = |cell: &[&str; 3]| -> String {
                (0..6).map(|x| cell[y / 2].as_bytes()[x / 2] as char).collect()
            };
            cells.iter().map(row).collect()
        })
        .collect();
    painted(&rows.iter().map(String::as_str).collect::<Vec<_>>())
}

fn open(text: &str) -> Result<Quilt, Report> {
    let art = Pictures(BTreeMap::from([
        ("sheet.png".to_owned(), sheet(12)),
        ("plan.png".to_owned(), painted(&["ssmm", "smmm", "..mp"])),
        ("soft.png".to_owned(), painted(&["ssxx", "smmm", "..mx"])),
        ("huge.png".to_owned(), pictures().0["huge.png"].clone()),
        ("tall.png".to_owned(), painted(&["m", "m", "m", "m", "m"])),
        (
            "guide.png".to_owned(),
            guide(&[["sss", "smm", "smm"], ["mmm", "mmm", "mmm"], ["...", "...", "..."]]),
        ),
        ("strange.png".to_owned(), guide(&[["sxs", "smm", "smm"], ["mmm", "mmm", "mmm"]])),
        ("art.png".to_owned(), Picture::new(18, 6, [9; 4]).unwrap().to_png(&[]).unwrap()),
    ]));
    Quilt::read(text, "a.quilt.toml", &art)
}

const GROUND: &str = r##"quilt = 1
[map]
lattice = "square"
size = [4, 3]
[sheets.s]
file = "sheet.png"
cell = [4, 4]
[terrains]
sand = ["#d8c38a", "s"]
moss = ["#2f6b3a", "m"]
pond = ["#3f8fb5", "p"]
[shapes.sand]
tiles = [{ at = [0, 9] }]
[shapes.moss]
scheme = "eight"
at = [0, 0]
under = ["pond"]
outside = { north = "same", east = "other", south = { terrain = "pond" } }
[shapes.pond]
scheme = "dual"
at = [0, 6]
[[recipe]]
pass = "plan"
picture = "plan.png"
[[recipe]]
pass = "autotile"
"##;

fn with(good: &str, bad: &str) -> Result<Quilt, Report> {
    assert!(GROUND.contains(good), "{good}");
    open(&GROUND.replacen(good, bad, 1))
}

fn map_of(quilt: &Quilt) -> Tilemap {
    made(quilt.maker(quilt.layout, &quilt.seed)).map
}

/// The tiles of a layer, row by row.
fn tiles(map: &Tilemap, layer: &str) -> Vec<String> {
    let layer = map.layer(layer).unwrap();
    let name = |cell| layer.get(cell).map_or(".".to_owned(), |one| one.tile.clone());
    layer.extent().iter().map(name).collect()
}

#[test]
fn a_painted_plan_gets_its_shapes() {
    let quilt = open(GROUND).unwrap_or_else(|report| panic!("{report}"));
    assert!(quilt.collapse().is_none() && quilt.findings.findings.is_empty());
    let map = map_of(&quilt);
    let names: Vec<&str> = map.layers().map(|layer| &*layer.name).collect();
    assert_eq!(names, ["sand", "moss", "pond"]);
    // The ground lies under everything that is painted.
    assert_eq!(tiles(&map, "sand").iter().filter(|tile| *tile == "sand/00").count(), 10);
    let shape = |tile: &str| {
        let number: usize = tile.rsplit('/').next().unwrap().parse().unwrap();
        Scheme::Eight.shapes()[number]
    };
    let moss = tiles(&map, "moss");
    // East and south are moss, with the corner between; the north lies outside and counts as the same.
    assert_eq!(shape(&moss[2]), 0b0001_1111);
    // The last cell of the first row has something else to its east.
    assert_eq!(shape(&moss[3]) & 0b100, 0);
    // Moss goes on under the pond, and beyond the south lies pond.
    assert_eq!(shape(&moss[11]) & 0b1_0000, 0b1_0000);
    let pond = map.layer("pond").unwrap();
    assert_eq!((pond.extent().size(), pond.offset()), ([5, 4, 1], [-0.5, -0.5, 0.0]));
    assert_eq!(tiles(&map, "pond").iter().filter(|tile| *tile != ".").count(), 4);
}

#[test]
fn shapes_are_drawn_put_together_and_packed() {
    let text = GROUND.replacen("at = [0, 0]\n", "at = [0, 0]\nquarters = true\n", 1);
    let quilt = open(&text).unwrap_or_else(|report| panic!("{report}"));
    let art = Picture::from_png(&sheet(12)).unwrap();
    for (number, &shape) in Scheme::Eight.shapes().iter().enumerate() {
        let drawn = quilt.art.tile(&format!("moss/{number:02}")).unwrap();
        for (quarter, [x, y]) in [[3, 0], [3, 3], [0, 3], [0, 0]].into_iter().enumerate() {
            let column = quarters(shape)[quarter] as u32;
            assert_eq!(drawn.get(x, y), art.get(column * 4 + x, y));
        }
    }
    #[cfg(feature = "draw")]
    {
        use lantern_quilt::draw::{DrawOptions, draw, pack};
        let map = map_of(&quilt);
        let packed = pack(&map, &quilt.art).unwrap();
        // Laying the packed cells gives the picture of the map.
        let whole = draw(&map, &quilt.art, &DrawOptions::default()).unwrap();
        let mut again = Picture::new(16, 12, lantern_quilt::draw::NIGHT).unwrap();
        for (layer, places) in map.layers().zip(&packed.places) {
            let [dx, dy, _] = layer.offset().map(|part| (part * 4.0) as i64);
            for (cell, number) in layer.extent().iter().zip(layer.cells().iter()) {
                let Some(number) = number else { continue };
                let [column, row] = places[number as usize].unwrap();
                let one = packed.sheet.cut(column * 4, row * 4, 4, 4).unwrap();
                again.lay(&one, i64::from(cell.x) * 4 + dx, i64::from(cell.y) * 4 + dy);
            }
        }
        assert!(again == whole);
    }
}

#[rstest]
#[case("scheme = \"eight\"", "scheme = \"seven\"", "no scheme is named `seven`", Code::UnknownName)]
#[case("scheme = \"eight\"", "scheme = \"six\"", "do not fit a square lattice", Code::BadValue)]
#[case("scheme = \"dual\"\n", "", "has no `scheme`", Code::MissingKey)]
#[case("[shapes.pond]", "[shapes.pool]", "is not a terrain", Code::UnknownName)]
#[case(
    "[shapes.pond]",
    "[shapes.pool]\nterrain = \"pomd\"",
    "no terrain is named `pomd`",
    Code::UnknownName
)]
#[case("under = [\"pond\"]", "under = [\"pnd\"]", "no terrain is named `pnd`", Code::UnknownName)]
#[case(
    "at = [0, 6]",
    "at = [0, 9]",
    "4 of the 15 cells of `shapes.pond` lie outside `sheet.png`",
    Code::CellOutsideSheet
)]
#[case("at = [0, 6]", "quarters = true", "quarters make shapes of `eight`", Code::BadValue)]
#[case("at = [0, 6]", "turns = 3", "3 turns do not fit", Code::BadValue)]
#[case(
    "at = [0, 6]",
    "arrangement = \"brick\"",
    "no arrangement is named `brick`",
    Code::UnknownName
)]
#[case("north = \"same\"", "north = \"sane\"", "no outside is named `sane`", Code::UnknownName)]
#[case("\"#3f8fb5\"", "\"#2F6B3A\"", "#2f6b3a means `moss` already", Code::DuplicateName)]
#[case("\"p\"]", "\"m\"]", "`m` means `moss` already", Code::DuplicateName)]
#[case("\"p\"]", "\"#\"]", "`#` cannot stand for a terrain", Code::BadValue)]
#[case("\"p\"]", "\"pp\"]", "neither a colour nor one letter", Code::BadValue)]
#[case("at = [0, 6]", "heights = \"uper\"", "no edge is named `uper`", Code::UnknownName)]
#[case(
    "at = [0, 6]",
    "heights = \"upper\"\nguide = \"guide.png\"",
    "a guide shows terrains",
    Code::BadValue
)]
#[case(
    "at = [0, 6]",
    "guide = \"guide.png\"\nquarters = true",
    "in more than one way",
    Code::BadValue
)]
#[case("picture = \"plan.png\"", "", "one of `picture`, `text` and `heights`", Code::MissingKey)]
#[case(
    "picture = \"plan.png\"",
    "picture = \"huge.png\"",
    "60000 x 60000 pixels are over the limit",
    Code::BadPicture
)]
#[case("picture = \"plan.png\"", "picture = \"plam.png\"", "no such file", Code::MissingArt)]
#[case(
    "picture = \"plan.png\"",
    "picture = \"soft.png\"",
    "#316b3a is not a colour of the key: 3 pixels, at [2, 0], [3, 0], [3, 2]",
    Code::OffKey
)]
#[case(
    "picture = \"plan.png\"",
    "picture = \"plan.png\"\nkey = { \"#2f6b3a\" = \"mos\" }",
    "no terrain is named `mos`",
    Code::UnknownName
)]
#[case("picture = \"plan.png\"", "text = \"smq\"", "`q` means no terrain", Code::OffKey)]
#[case("picture = \"plan.png\"", "text = \"\"", "the plan is empty", Code::BadValue)]
#[case(
    "pass = \"autotile\"",
    "pass = \"autotiles\"",
    "no pass is named `autotiles`",
    Code::UnknownName
)]
#[case(
    "pass = \"autotile\"",
    "pass = \"autotile\"\nshapes = [\"moss\", \"mos\"]",
    "no set of shapes is named `mos`",
    Code::UnknownName
)]
#[case(
    "pass = \"autotile\"",
    "pass = \"autotile\"\nname = \"plan\"",
    "two passes are named `plan`",
    Code::DuplicateName
)]
#[case("tiles = [{ at = [0, 9] }]", "tiles = [{}]", "has no `at`", Code::MissingKey)]
#[case(
    "tiles = [{ at = [0, 9] }]",
    "tiles = [{ at = [0, 9], around = \"#\" }]",
    "has rows of 1, 3, 1 signs, not 1",
    Code::BadValue
)]
#[case(
    "tiles = [{ at = [0, 9] }]",
    "tiles = [{ at = [0, 9], around = \"! / #o# / #\" }]",
    "has rows of 1, 3, 1 signs, not 7",
    Code::BadValue
)]
#[case(
    "tiles = [{ at = [0, 9] }]",
    "tiles = [{ at = [0, 9], around = \"\"\"\n?\n!o#\n#\"\"\" }]",
    "`!` is not in the key of this drawing",
    Code::BadValue
)]
#[case(
    "tiles = [{ at = [0, 9] }]",
    "scheme = \"four\"\nguide = \"art.png\"",
    "the guide is 18 x 6 pixels",
    Code::PictureSize
)]
fn mistakes_in_shapes_and_plans(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] says: &str,
    #[case] code: Code,
) {
    let report = with(good, bad).unwrap_err();
    let found = report.findings.iter().find(|one| one.finding.code == code);
    let found = found.unwrap_or_else(|| panic!("{report}"));
    assert!(found.finding.message.contains(says), "{report}");
    assert!(found.span.is_some());
}

#[test]
fn a_plan_without_a_key_is_offered_one() {
    let text = GROUND.replace("[\"#d8c38a\", \"s\"]", "\"s\"");
    let text =
        text.replace("[\"#2f6b3a\", \"m\"]", "\"m\"").replace("[\"#3f8fb5\", \"p\"]", "\"p\"");
    let report = open(&text).unwrap_err();
    let help = report.findings.iter().map(|one| one.finding.help.clone()).collect::<String>();
    assert!(help.contains("ground_0 = \"#2f6b3a\"  # 6 pixels"), "{report}");
    assert!(help.contains("ground_2 = \"#3f8fb5\"  # 1 pixels"), "{report}");
    // Soft colours are taken when they are near enough.
    let near = with("picture = \"plan.png\"", "picture = \"soft.png\"\nnear = 2").unwrap();
    assert_eq!(tiles(&map_of(&near), "moss").iter().filter(|tile| *tile != ".").count(), 7);
}

#[test]
fn plans_that_reach_past_the_map_are_cut_and_told_of() {
    let quilt = with("picture = \"plan.png\"", "picture = \"tall.png\"\nat = [3, 1]").unwrap();
    let told = &quilt.findings.findings[0].finding;
    assert_eq!(told.code, Code::PlanCut);
    assert_eq!(told.message, "3 of the 5 cells of `plan` lie outside the map");
    assert_eq!(tiles(&map_of(&quilt), "moss").iter().filter(|tile| *tile != ".").count(), 2);
}

#[test]
fn guides_and_drawings_say_what_each_tile_is_for() {
    let guided = with(
        "[shapes.moss]\nscheme = \"eight\"\nat = [0, 0]",
        "[sheets.g]\nfile = \"art.png\"\ncell = [6, 6]\n[shapes.moss]\nscheme = \"eight\"\nsheet = \"g\"\nguide = \"guide.png\"",
    );
    // Cells of another size than the rest are told of as well; here only the marks matter.
    let report = guided.unwrap_err();
    assert!(report.findings.iter().all(|one| one.finding.code != Code::OffKey), "{report}");
    let strange = with("at = [0, 0]", "guide = \"strange.png\"").unwrap_err();
    assert!(strange.findings.iter().any(|one| one.finding.code == Code::PictureSize));
    let drawn = r#"[arrangements.rows]
scheme = "four"
tiles = [
  { at = [0, 0], around = """
  ?
? o ?
  # """ },
  { at = [1, 0], turns = 2, around = """
  .
# o #
  . """ },
  { at = [2, 0], chance = 0.5, around = """
  p
? o ?
  ? """ },
]
[shapes.moss]
arrangement = "rows"
strict = true"#;
    let quilt = with("[shapes.moss]\nscheme = \"eight\"", drawn).unwrap();
    let set = quilt.shapes().find(|set| set.name() == "moss").unwrap();
    assert!(set.strict && set.tiles().len() == 3);
    let coverage = Coverage::of(set);
    assert!(!coverage.missing.is_empty() && coverage.unreachable.is_empty());
    let made = made(quilt.maker(quilt.layout, &quilt.seed));
    assert!(made.stand_ins().all(|one| one.strict && one.count > 0));
    assert!(made.map.tag(STAND_IN).is_some());
    let codes: Vec<Code> =
        quilt.check(None).report.findings.iter().map(|one| one.finding.code).collect();
    assert!(codes.contains(&Code::MissingShape), "{codes:?}");
}

const GUIDED: &str = r##"quilt = 1
map = { lattice = "square", size = [3, 3] }
sheets.g = { file = "art.png", cell = [6, 6] }
[terrains]
sand = ["#d8c38a", "s"]
moss = ["#2f6b3a", "m"]
pond = ["#3f8fb5", "p"]
[shapes.ground]
scheme = "SCHEME"
OF
guide = "guide.png"
[[recipe]]
pass = "plan"
text = "mmm\nmmm\nmmm"
[[recipe]]
pass = "autotile"
"##;

#[rstest]
// Only the two cells with moss in their middle are tiles of moss; sides and corners as painted.
#[case("eight", "terrain = \"moss\"", &[[["sss", "smm", "smm"], ["mmm", "mmm", "mmm"], ["sss", "sss", "sss"]]], &[0b0001_1100, 255], "ground/01")]
#[case("four", "terrain = \"moss\"", &[[["s.s", "smm", "sss"], ["mmm", "mmm", "mmm"], ["sss", "sss", "sss"]]], &[0b0010, 0b1111], "ground/01")]
// Of `dual` the quarters count: south-east moss, then all of it, then none.
#[case("dual", "terrain = \"moss\"", &[[["s.s", "...", "s.m"], ["mmm", "mmm", "mmm"], ["sss", "sss", "sss"]]], &[0b0010, 0b1111, 0], "ground/01")]
#[case("dual", "blend = [\"sand\", \"moss\", \"pond\"]", &[[["s.p", "...", "s.m"], ["mmm", "mmm", "mmm"], ["sss", "sss", "sss"]]], &[], "ground/01")]
fn guides_say_what_each_tile_is_for(
    #[case] scheme: &str,
    #[case] of: &str,
    #[case] cells: &[[[&str; 3]; 3]],
    #[case] shapes: &[u8],
    #[case] middle: &str,
) {
    let text = GUIDED.replace("SCHEME", scheme).replace("OF", of);
    let art = |strange: bool| {
        let mut cells = cells[0];
        if strange {
            cells[1][2] = "mmx";
        }
        Pictures(BTreeMap::from([
            ("guide.png".to_owned(), guide(&cells)),
            ("art.png".to_owned(), sheet_of(18, 6)),
        ]))
    };
    let quilt = Quilt::read(&text, "a.quilt.toml", &art(false)).unwrap_or_else(|r| panic!("{r}"));
    let set = quilt.shapes().next().unwrap();
    for (number, &shape) in shapes.iter().enumerate() {
        // Each is for its shape, and no other tile is.
        let (chosen, stands_in) = set.choices(set.around(shape));
        let want = format!("ground/{number:02}");
        // Where nothing of a terrain lies between cells, nothing is drawn.
        let want = (shape > 0).then_some(want);
        assert!(chosen.iter().all(|one| one.map(|one| one.tile.clone()) == want), "{shape:b}");
        assert!(!stands_in);
    }
    assert_eq!(tiles(&map_of(&quilt), "ground")[5], middle);
    if scheme == "eight" {
        let report = Quilt::read(&text, "a.quilt.toml", &art(true)).unwrap_err();
        let says = "#316b3a at pixel [5, 5] of cell [1, 0] of the guide is not a terrain";
        assert!(report.to_string().contains(says), "{report}");
        assert!(report.findings[0].finding.help.contains("the nearest is #2f6b3a for `moss`"));
    }
}

/// A picture in which every pixel has a colour of its own.
fn sheet_of(width: u32, height: u32) -> Vec<u8> {
    let mut picture = Picture::new(width, height, [0; 4]).unwrap();
    for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
        picture.set(x, y, [x as u8 * 9, y as u8 * 9, 7, 255]);
    }
    picture.to_png(&[]).unwrap()
}

#[rstest]
#[case("+", "-", 1)]
#[case("=", "-", 1)]
#[case("-", "=", 0)]
#[case("#", ".", 2)]
fn heights_are_drawn_as_higher_lower_and_as_high(
    #[case] north: &str,
    #[case] south: &str,
    #[case] walls: usize,
) {
    // Three rows that fall from north to south.
    let tile = format!(
        "tiles = [{{ at = [0, 0], around = \"\"\"\n{north}\n?o?\n{south}\"\"\" }}, {{ empty = true }}]"
    );
    let set = format!("[shapes.wall]\nheights = \"upper\"\nscheme = \"four\"\n{tile}\n");
    let text = GROUND.replacen("[shapes.moss]", &format!("{set}[shapes.moss]"), 1);
    let text = text.replacen("picture = \"plan.png\"", "heights = \"fall.png\"\nstep = 10", 1);
    let mut fall = Picture::new(4, 3, [30, 30, 30, 255]).unwrap();
    (0..4).for_each(|x| fall.set(x, 1, [29, 29, 29, 255]));
    (0..4).for_each(|x| fall.set(x, 2, [0, 0, 0, 255]));
    let mut art = BTreeMap::from([("sheet.png".to_owned(), sheet(12))]);
    art.insert("fall.png".to_owned(), fall.to_png(&[]).unwrap());
    let quilt =
        Quilt::read(&text, "a.quilt.toml", &Pictures(art)).unwrap_or_else(|r| panic!("{r}"));
    let map = map_of(&quilt);
    assert_eq!(map.heights().unwrap().values(), [3, 3, 3, 3, 2, 2, 2, 2, 0, 0, 0, 0]);
    let rows = tiles(&map, "wall");
    assert_eq!(rows.iter().filter(|tile| *tile == "wall/00").count(), walls * 4);
}

proptest::proptest! {
    #[test]
    fn no_drawing_text_or_key_panics(text in "[#.?o+=mp \\n\u{e9}-]{0,24}", sign in "\\PC{0,4}", chance in -1.0f64..3.0) {
        let quote = |text: &str| serde_json::Value::from(text).to_string();
        let tile = format!("{{ at = [0, 9], around = {}, chance = {chance} }}", quote(&text));
        for scheme in ["four", "eight", "dual", "six"] {
            let with_tile = GROUND.replacen("tiles = [{ at = [0, 9] }]", &format!("scheme = \"{scheme}\"\ntiles = [{tile}]"), 1);
            let _ = open(&with_tile);
        }
        let _ = open(&GROUND.replacen("picture = \"plan.png\"", &format!("text = {}", quote(&text)), 1));
        let _ = open(&GROUND.replacen("\"p\"]", &format!("{}]", quote(&sign)), 1));
    }
}

#[rstest]
#[case("[\"sand\", \"moss\"]", "ssss", "moss/00")]
#[case("[\"sand\", \"moss\"]", "mmmm", "moss/15")]
#[case("[\"moss\", \"sand\"]", "mmmm", "moss/00")]
#[case("[\"sand\", \"moss\"]", "smmm", "moss/05")]
fn a_blend_of_two_has_an_order_of_its_own(
    #[case] blend: &str,
    #[case] plan: &str,
    #[case] second: &str,
) {
    let text = GROUND.replacen("picture = \"plan.png\"", &format!("text = \"{plan}\""), 1);
    let text =
        text.replacen("size = [4, 3]", "size = [4, 1]", 1).replacen("under = [\"pond\"]\n", "", 1);
    let outside = text.find("outside = ").unwrap();
    let end = outside + text[outside..].find('\n').unwrap();
    let text = format!("{}{}", &text[..outside], &text[end..]);
    let set = |blend: &str| {
        let set = format!("blend = {blend}\nscheme = \"dual\"");
        open(&text.replacen("scheme = \"eight\"", &set, 1))
    };
    let quilt = set(blend).unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(tiles(&map_of(&quilt), "moss")[1], second);
    let report = set("[\"sand\", \"moss\", \"pond\"]").unwrap_err();
    assert!(report.to_string().contains("assigns no tiles"), "{report}");
}

#[test]
fn one_missing_and_one_twice_is_probably_a_slip() {
    let tile =
        |at: u32, around: &str| format!("{{ at = [{at}, 0], around = \"\"\"\n{around}\"\"\" }}");
    let all: Vec<String> = (0..16u32)
        .map(|number| {
            // The last one is marked as the one before it.
            let number = if number == 15 { 14 } else { number };
            let sign = |slot: u32| if number >> slot & 1 == 1 { "#" } else { "." };
            tile(number % 8, &format!("{}\n{}o{}\n{}", sign(0), sign(3), sign(1), sign(2)))
        })
        .collect();
    let text = format!("tiles = [{}]", all.join(",\n"));
    let quilt =
        with("scheme = \"eight\"\nat = [0, 0]", &format!("scheme = \"four\"\n{text}")).unwrap();
    let check = quilt.check(None);
    let of = |code: Code| {
        let found = check.report.findings.iter().find(|one| one.finding.code == code);
        found.unwrap_or_else(|| panic!("{}", check.report)).finding.clone()
    };
    assert_eq!(of(Code::MissingShape).message, "1 of 16 neighbourhoods of `moss` has no tile");
    assert!(
        of(Code::MissingShape)
            .help
            .contains("one of them is probably the one with joined north, east, south, west")
    );
    assert!(of(Code::DoubledShape).message.contains("`moss/14` and `moss/15`"));
}

#[test]
fn heights_get_walls() {
    let text = GROUND.replace("[[recipe]]\npass = \"autotile\"", "[[recipe]]\npass = \"plan\"\nname = \"hills\"\nheights = \"plan.png\"\nstep = 60\n[[recipe]]\npass = \"autotile\"");
    let text = text.replacen(
        "[shapes.moss]",
        "[shapes.wall]\nheights = \"upper\"\nscheme = \"four\"\nat = [0, 8]\n[shapes.moss]",
        1,
    );
    let quilt = open(&text).unwrap_or_else(|report| panic!("{report}"));
    let map = map_of(&quilt);
    let heights = map.heights().unwrap();
    // Light sand is three steps high, moss one, the pond two.
    assert_eq!(heights.values(), [3, 3, 1, 1, 3, 1, 1, 1, 0, 0, 1, 2]);
    let walls: Vec<bool> = tiles(&map, "wall").iter().map(|tile| tile != ".").collect();
    assert_eq!(
        walls,
        [false, true, false, false, true, true, false, false, false, false, true, true]
    );
}

#[test]
fn a_fill_and_a_plan_share_a_map() {
    let recipe =
        "[[recipe]]\npass = \"plan\"\npicture = \"plan.png\"\n[[recipe]]\npass = \"autotile\"\n";
    assert!(GROUND.ends_with(recipe));
    let more = "[sockets.grass]\n[tiles.grass]\nat = [7, 9]\nsides = \"grass\"\n[[recipe]]\npass = \"collapse\"\nborder = { all = { socket = \"gras\" } }\n";
    let text = format!("{}{more}{recipe}", GROUND.trim_end_matches(recipe));
    let report = open(&text).unwrap_err();
    assert!(report.to_string().contains("no socket is named `gras`"), "{report}");
    let quilt = open(&text.replace("\"gras\"", "\"grass\"")).unwrap();
    let map = map_of(&quilt);
    let names: Vec<&str> = map.layers().map(|layer| &*layer.name).collect();
    assert_eq!(names, ["collapse", "sand", "moss", "pond"]);
}
