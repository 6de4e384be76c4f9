//! Items and what places them, several fills in one recipe, variants and values from outside.

use super::*;
use lantern_quilt::files::Changes;
use lantern_quilt::finding::Code;
use lantern_quilt::map::Item;
use lantern_quilt::passes::Placing;
use lantern_quilt::passes::{NoiseStep, PlaceStep};
use lantern_quilt::recipe::Made;

const YARD: &str = r##"quilt = 1
map = { lattice = "square", size = [12, 9], seed = 5 }
sheets.s = { file = "tiles.png", cell = [4, 4], margin = 1, spacing = 1 }
[terrains]
sand = ["#d8c38a", "s"]
moss = ["#2f6b3a", "m"]
[items.post]
at = [0, 0]
looks = [{ at = [1, 0], weight = 2 }]
tags = "wood"
[items.lantern]
picture = "wide.png"
anchor = [4, 0]
upright = true
tags = ["light"]
[items.spot]
faces = "north"
[sockets.grass]
[tiles.slab]
at = [2, 0]
sides = "grass"
turns = 4
[tiles.plain]
at = [1, 1]
sides = "grass"
[[recipe]]
pass = "noise"
name = "ground"
bands = [{ share = [0.2, 0.4], terrain = "sand" }, { terrain = "moss" }]
[[recipe]]
pass = "place"
name = "posts"
group = "lights"
where = { terrain = "moss", none = { border = [0, 0] } }
what = [{ parts = ["post", { item = "lantern", offset = [0, -0.5] }], weight = 2 }, "post"]
least = 2
most = 6
apart = 2
order = { nearest = { terrain = "sand" } }
facing = { towards = { terrain = ["sand", "moss"] } }
marks = { add = "lit", within = 1 }
[[recipe]]
pass = "place"
name = "slabs"
where = { item = "post" }
what = { tile = "slab" }
into = "floor"
facing = { steps = 4 }
[[recipe]]
pass = "collapse"
name = "paving"
into = "floor"
where = { tag = "lit" }
only = { tile = ["slab", "plain"] }
[[recipe]]
pass = "noise"
name = "weeds"
into = "floor"
where = { empty = true, layer = "floor" }
bands = [{ share = 0.5, tile = "plain" }]
[[recipe]]
pass = "stamp"
name = "court"
stamps = { text = "ss\ns." }
at = [8, 5]
[[recipe]]
pass = "place"
name = "spots"
on = false
what = "spot"
side = { towards = { tag = "light" } }
density = { scale = 4, above = 0.2, most = 0.9 }
wished = true
[variants.empty]
off = ["posts", "slabs", "paving"]
[variants.busy]
on = "spots"
set = { "posts.most" = 9, ground = { scale = 3 }, "ground.bands.0.share" = 0.1 }
"##;

fn yard(good: &str, bad: &str) -> Result<Quilt, Report> {
    assert!(YARD.contains(good), "{good}");
    read(&YARD.replacen(good, bad, 1))
}

fn changed(variant: Option<&str>, set: &[&str]) -> Result<Quilt, Report> {
    let changes = Changes {
        variant: variant.map(str::to_owned),
        set: set.iter().map(|&set| set.to_owned()).collect(),
    };
    Quilt::read_with(YARD, "a.quilt.toml", &pictures(), &QuiltOptions::new().with(changes))
}

fn made(quilt: &Quilt) -> Tilemap {
    whole(quilt).map
}

fn whole(quilt: &Quilt) -> Made {
    lantern_quilt_testkit::maps::made(quilt.maker(quilt.layout, &quilt.seed))
}

#[test]
fn a_yard_is_laid_out() {
    let quilt = yard("", "").unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.findings.findings, []);
    assert_eq!(quilt.variants, ["empty", "busy"]);
    let map = made(&quilt);
    let extent = quilt.layout.extent();
    let terrain = map.terrain().unwrap();
    let posts: Vec<&Item> = map.items().iter().filter(|item| &*item.name == "post").collect();
    assert!((2..=6).contains(&posts.len()));
    for post in &posts {
        assert_eq!((&*post.pass, post.group.as_deref()), ("posts", Some("lights")));
        assert!(post.look < Some(2) && *post.tags == ["wood".to_owned()]);
        // Their slab was placed before the fill, which kept it and paved only what is lit.
        let slab = map.layer("floor").unwrap().get(post.cell).unwrap();
        assert_eq!((&*slab.tile, slab.pass.as_deref()), ("slab", Some("slabs")));
    }
    let lit = map.tag("lit").unwrap();
    let floor = map.layer("floor").unwrap();
    let weed = |cell| floor.get(cell).is_some_and(|one| one.pass.as_deref() == Some("weeds"));
    assert!(extent.iter().all(|cell| (floor.get(cell).is_some() && !weed(cell)) == lit.get(cell)));
    let (weeds, bare) = (extent.iter().filter(|&cell| weed(cell)).count(), 108 - lit.count());
    assert_eq!(weeds, (bare as f64 / 2.0).round() as usize);
    let paved = floor.palette().iter().filter(|placed| placed.pass.as_deref() == Some("paving"));
    assert!(paved.count() > 0);
    // Lanterns stand with posts of their number.
    for lantern in map.items().iter().filter(|item| &*item.name == "lantern") {
        let own = |post: &&&Item| post.number == lantern.number && post.cell == lantern.cell;
        assert_eq!(posts.iter().filter(own).count(), 1);
    }
    for (x, y, want) in [(8, 5, "sand"), (9, 5, "sand"), (8, 6, "sand")] {
        assert_eq!(terrain.at(Cell::new(x, y), extent), Some(want));
    }
    let mut json = Vec::new();
    lantern_quilt::files::write_json(&map, &mut json).unwrap();
    assert_eq!(lantern_quilt::files::read_json(&json[..]).unwrap(), map);
}

#[test]
fn variants_share_what_they_share() {
    let plain = made(&changed(None, &[]).unwrap());
    let empty = changed(Some("empty"), &[]).unwrap();
    let names: Vec<&str> = empty.recipe.passes().iter().map(|pass| &*pass.name).collect();
    assert!(names == ["ground", "weeds", "court"] && empty.fills().next().is_none());
    let empty = made(&empty);
    assert_eq!(empty.terrain(), plain.terrain());
    assert_eq!((empty.items().len(), &*empty.origin.variant), (0, "empty"));
    let busy = changed(Some("busy"), &["map.seed=9", "posts.where.terrain=[\"moss\"]"]).unwrap();
    let posts: &PlaceStep = busy.recipe.passes()[1].step_as().unwrap();
    assert_eq!(format!("{:?}", posts.amount), "Between { least: 2, most: 9 }");
    let ground: &NoiseStep = busy.recipe.passes()[0].step_as().unwrap();
    assert_eq!((ground.noise.scale, busy.seed.text()), (3.0, "9"));
    assert!(busy.recipe.find("spots").is_some());
    let busy = made(&busy);
    assert_eq!(busy.origin.set, ["map.seed=9", "posts.where.terrain=[\"moss\"]"]);
    let spots: Vec<&Item> = busy.items().iter().filter(|item| &*item.name == "spot").collect();
    assert!(!spots.is_empty());
    for spot in spots {
        assert!(spot.look.is_none() && spot.facing == spot.side && spot.side.is_some());
    }
    assert_ne!(changed(None, &[]).unwrap().hash, changed(Some("empty"), &[]).unwrap().hash);
}

/// A value from outside is told of where it stands, and what is no TOML is text.
#[rstest]
#[case(&["posts.mst=3"], "--set:1:7: error[unknown-key]", "did you mean `most`?")]
#[case(&["post.most=3"], "--set:1:1: error[unknown-path]", "no pass and no table is named `post`")]
#[case(&["posts=3"], "--set:1:1: error[unknown-path]", "continues after the name of a pass")]
#[case(&["posts"], "--set:1:1: error[bad-value]", "changes nothing")]
#[case(&["ground.bands.7.share=0.1"], "--set:1:1: error[unknown-path]", "is a list of 2, counted from 0")]
#[case(&["ground.bands.0.share=7"], "--set:1:22: error[bad-value]", "not from 0 to 1")]
#[case(&["map.seed=1", "posts.what=pst"], "--set:1:12: error[unknown-name]", "did you mean `post`?")]
#[case(&["tiles.slab.weight=-1"], "--set:1:19: error[bad-weight]", "")]
fn values_from_outside_are_checked(#[case] set: &[&str], #[case] place: &str, #[case] says: &str) {
    let report = changed(None, set).unwrap_err();
    let shown = report.render(false, 120);
    assert!(report.to_string().contains(place) && shown.contains(says), "{report}{shown}");
}

#[test]
fn an_unknown_variant_is_told_of() {
    let report = changed(Some("emty"), &[]).unwrap_err();
    assert!(report.to_string().contains("--variant:1:1: error[unknown-name]"), "{report}");
    assert!(report.render(false, 120).contains("did you mean `empty`?"));
}

#[rstest]
#[case("what = \"spot\"", "what = \"spt\"", "no item is named `spt`", Code::UnknownName)]
#[case("what = \"spot\"", "", "has no `what`", Code::MissingKey)]
#[case("{ tile = \"slab\" }", "{ tile = \"slb\" }", "no tile is named `slb`", Code::UnknownName)]
#[case("{ tile = \"slab\" }", "{ weight = 2 }", "an `item` or a `tile`", Code::MissingKey)]
#[case("weight = 2 }, \"post\"", "weight = 0 }, \"post\"", "`weight` is 0", Code::BadWeight)]
#[case("least = 2", "least = 9", "at least 9 and at most 6", Code::BadValue)]
#[case("least = 2", "exactly = 2", "by `exactly`, by `least` and `most`", Code::BadValue)]
#[case("apart = 2", "apart = -2", "`apart` is -2", Code::BadValue)]
#[case("apart = 2", "apart = 200", "more than the map is long", Code::PlaceTooWide)]
#[case("{ nearest = {", "{ nearst = {", "unknown key `nearst`", Code::UnknownKey)]
#[case(
    "order = { nearest = { terrain = \"sand\" } }",
    "order = \"rws\"",
    "no order is named",
    Code::UnknownName
)]
#[case(
    "{ towards = { terrain = [",
    "{ steps = 4, towards = { terrain = [",
    "`facing` takes exactly one key",
    Code::BadValue
)]
#[case("facing = { steps = 4 }", "facing = \"inward\"", "only things on a side", Code::BadValue)]
#[case("facing = { steps = 4 }", "facing = \"up\"", "has no side `up`", Code::UnknownSide)]
#[case(
    "facing = { steps = 4 }",
    "centre = true\nside = \"north\"",
    "or in the centre",
    Code::BadValue
)]
#[case("facing = { steps = 4 }", "scale = [2, 1]", "2 to 1 times as large", Code::BadValue)]
#[case("facing = { steps = 4 }", "jitter = [1, 2, 3]", "needs two numbers", Code::BadValue)]
#[case("{ add = \"lit\", within = 1 }", "{ within = 1 }", "a mark has no tags", Code::MissingKey)]
#[case("above = 0.2", "above = 2", "not from 0 to 1", Code::BadValue)]
#[case(
    "scale = 4, above = 0.2, most = 0.9",
    "picture = \"wide.png\"",
    "8 x 4 pixels for a map",
    Code::PictureSize
)]
#[case(
    "{ item = \"post\" }\nwhat",
    "{ item = \"lantern\", tag = \"lt\" }\nwhat",
    "no tag that",
    Code::UnknownName
)]
#[case(
    "where = { item = \"post\" }",
    "where = { item = \"spot\" }",
    "no pass before this one places the item `spot`",
    Code::PassOrder
)]
#[case(
    "where = { item = \"post\" }",
    "where = { tile = \"slab\" }",
    "no pass before this one lays the tile `slab`",
    Code::PassOrder
)]
#[case(
    "bands = [{ share = [0.2, 0.4], terrain = \"sand\" }, { terrain = \"moss\" }]",
    "bands = []",
    "before any pass lays ground",
    Code::PassOrder
)]
#[case("tile = \"plain\" }]", "tile = \"pln\" }]", "no tile is named `pln`", Code::UnknownName)]
#[case("share = [0.2, 0.4]", "share = [0.2]", "between two numbers", Code::BadValue)]
#[case(
    "{ terrain = \"moss\" }]",
    "{ share = 0.9, terrain = \"moss\" }]",
    "add up to 110 %",
    Code::BadShare
)]
#[case(
    "{ terrain = \"moss\" }]",
    "{ share = [0.5, 0.7], terrain = \"moss\" }]",
    "may add up to 110 %",
    Code::ShareCut
)]
#[case(
    "at = [8, 5]",
    "at = [8, 5]\nfacing = { steps = 3 }",
    "a small map cannot face 3 ways",
    Code::BadValue
)]
#[case(
    "only = { tile = [\"slab\", \"plain\"] }",
    "only = { tile = \"slb\" }",
    "no tile is named `slb`",
    Code::UnknownName
)]
#[case("only = {", "coarse = 4\nonly = {", "`coarse` needs `becomes`", Code::MissingKey)]
#[case("only = {", "becomes = {}\nonly = {", "about blocks of cells", Code::BadValue)]
#[case(
    "only = {",
    "coarse = 4\nbecomes = { slb = { tag = \"a\" } }\nonly = {",
    "no tile is named `slb`",
    Code::UnknownName
)]
#[case(
    "{ text = \"ss\\ns.\" }",
    "{ text = \"sx\" }",
    "`x` at [1, 0] means no terrain",
    Code::OffKey
)]
#[case("{ text = \"ss\\ns.\" }", "{ map = \"text.png\" }", "`text.png`", Code::BadValue)]
#[case("{ text = \"ss\\ns.\" }", "{ map = \"no.json\" }", "`no.json`", Code::UnreadableFile)]
#[case("{ text = \"ss\\ns.\" }", "{ weight = 2 }", "a `map` or a `text`", Code::BadValue)]
#[case("off = [\"posts\"", "off = [\"psts\"", "no pass is named `psts`", Code::UnknownName)]
#[case("on = \"spots\"", "on = [\"spots\", \"spots\"]", "switched twice", Code::DuplicateName)]
#[case(
    "\"posts.most\" = 9",
    "\"psts.most\" = 9",
    "no pass and no table is named `psts`",
    Code::UnknownPath
)]
#[case(
    "[items.spot]\nfaces = \"north\"",
    "[items.spot]\nfaces = \"nord\"",
    "has no side `nord`",
    Code::UnknownSide
)]
#[case("picture = \"wide.png\"", "picture = \"wde.png\"", "wde.png", Code::MissingArt)]
#[case("anchor = [4, 0]", "anchr = [4, 0]", "unknown key `anchr`", Code::UnknownKey)]
#[case(
    "name = \"ground\"\nbands",
    "name = \"ground\"\nsurface = [5, 2]\nbands",
    "cannot lie between 5 and 2",
    Code::BadValue
)]
#[case(
    "name = \"ground\"\nbands",
    "name = \"ground\"\nsurface = [2, 5]\nbands",
    "takes `strata`, not `bands`",
    Code::BadValue
)]
#[case(
    "[[recipe]]\npass = \"stamp\"",
    "[[recipe]]\npass = \"tag\"\nadd = \"a\"\nwhere = { plan = { picture = \"mask.png\", colour = \"#112233\" } }\n[[recipe]]\npass = \"stamp\"",
    "no pixel of `mask.png`",
    Code::OffKey
)]
#[case(
    "[[recipe]]\npass = \"stamp\"",
    "[[recipe]]\npass = \"tag\"\nadd = \"a\"\nwhere = { plan = { picture = \"mask.png\", colour = \"red\" } }\n[[recipe]]\npass = \"stamp\"",
    "`red` is not a colour",
    Code::BadValue
)]
fn mistakes_about_placing(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] says: &str,
    #[case] code: Code,
) {
    let report = match yard(good, bad) {
        Ok(quilt) => quilt.findings,
        Err(report) => report,
    };
    let told = |code: Code| {
        report
            .findings
            .iter()
            .any(|one| one.finding.code == code && one.finding.message.contains(says))
    };
    assert!(told(code), "{report}");
}

/// What was demanded must stand when the recipe ends, whoever takes it away.
#[rstest]
#[case::replaced(
    "pass = \"place\"\nname = \"rocks\"\nwhat = \"spot\"\nwhere = { item = \"post\" }\nreplace = true\nexactly = 1",
    "`posts` needs 2 and placed 2; `rocks` took 1 of them away"
)]
#[case::cleared(
    "pass = \"clear\"\nname = \"sweep\"\nitems = true",
    "`posts` needs 2 and placed 2; `sweep` took 2 of them away"
)]
#[case::tiles(
    "pass = \"clear\"\nname = \"sweep\"\nlayers = \"floor\"",
    "`slabs` needs 2 and placed 2; `sweep` took 2 of them away"
)]
#[case::covered(
    "pass = \"noise\"\nname = \"gravel\"\ninto = \"floor\"\nbands = [{ tile = \"plain\" }]",
    "`slabs` needs 2 and placed 2; `gravel` took 2 of them away"
)]
fn a_demand_is_judged_at_the_end(#[case] pass: &str, #[case] says: &str) {
    let text = YARD.replacen("least = 2\nmost = 6", "exactly = 2", 1).replacen(
        "what = { tile = \"slab\" }",
        "what = { tile = \"slab\" }\nexactly = 2",
        1,
    );
    assert!(whole(&read(&text).unwrap()).short().next().is_none());
    let text =
        text.replacen("[variants.empty]", &format!("[[recipe]]\n{pass}\n[variants.empty]"), 1);
    let quilt = read(&text).unwrap_or_else(|report| panic!("{report}"));
    let made = whole(&quilt);
    let found: Vec<String> =
        made.short().filter_map(Placing::finding).map(|finding| finding.message).collect();
    assert_eq!(found, [says]);
    // Wished for, it is no error.
    let wished = text.replacen("exactly = 2", "exactly = 2\nwished = true", 2);
    let made = whole(&read(&wished).unwrap());
    assert!(made.short().all(|one| one.wished && one.finding().is_some_and(|f| f.code == Code::FewerThanWished)));
    assert_eq!(made.short().count(), 1);
}

/// Blocks first, then what lies in them, then tiles over both.
#[test]
fn a_fill_of_blocks_becomes_ground_and_tags() {
    let blocks = r#"pass = "collapse"
name = "blocks"
coarse = 5
only = { tile = ["slab", "plain"] }
becomes = { slab = { terrain = "moss", tag = "court" }, plain = { terrain = "sand", tag = ["lane", "walk"] } }
"#;
    // In place of the pass that lays ground.
    let from = YARD.find("pass = \"noise\"").unwrap();
    let to = from + YARD[from..].find("[[recipe]]").unwrap();
    let text = format!("{}{blocks}{}", &YARD[..from], &YARD[to..]);
    // Values of the pass that is gone cannot be set.
    let text = text.replace(", ground = { scale = 3 }, \"ground.bands.0.share\" = 0.1", "");
    let quilt = read(&text).unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.fills().count(), 2);
    let map = made(&quilt);
    let extent = quilt.layout.extent();
    let terrain = map.terrain().unwrap();
    let tagged = |tag: &str, cell| map.tags().any(|(name, plane)| name == tag && plane.get(cell));
    let court: Vec<Cell> = (8..10).flat_map(|x| (5..7).map(move |y| Cell::new(x, y))).collect();
    for cell in extent.iter().filter(|cell| !court.contains(cell)) {
        let corner = Cell::new(cell.x / 5 * 5, cell.y / 5 * 5);
        let moss = terrain.at(cell, extent) == Some("moss");
        assert_eq!(terrain.at(cell, extent), terrain.at(corner, extent), "one block, one terrain");
        assert!(tagged("court", cell) == moss && tagged("walk", cell) != moss);
    }
    // The blocks themselves are no layer of the map.
    assert!(map.layer("blocks").is_none());
    // Off the cells of the pass nothing becomes of them.
    let some = text.replace("coarse = 5", "coarse = 5\nwhere = { x = [0, 6] }");
    let part = made(&read(&some).unwrap_or_else(|report| panic!("{report}")));
    for cell in extent.iter().filter(|cell| !court.contains(cell)) {
        let there = part.terrain().unwrap().at(cell, extent);
        assert_eq!(there, terrain.at(cell, extent).filter(|_| cell.x < 7), "{cell}");
    }
}

#[test]
fn a_fill_says_what_it_cannot_keep() {
    let text =
        YARD.replacen("only = { tile = [\"slab\", \"plain\"] }", "only = { tile = \"plain\" }", 1);
    let text = text.replacen("{ tile = \"slab\" }", "{ tile = \"stone\" }", 1);
    let stone = "[tiles.stone]\nat = [3, 1]\nsides = \"rock\"\n[sockets.rock]\n[tiles.plain]";
    let quilt = read(&text.replacen("[tiles.plain]", stone, 1)).unwrap();
    // Stones do not turn, so the rules do not have those that were placed turned.
    let error = quilt.make(&quilt.seed).unwrap_err().with_causes();
    assert!(
        error.starts_with("the pass `paving` cannot be done: ") && error.contains("holds `stone`")
    );
}

/// What makes no sense on hexagons, or is not there yet.
#[rstest]
#[case(
    "pass = \"stamp\"\nstamps = { text = \"s\" }\nfacing = { steps = 4 }",
    Code::BadValue,
    "cannot face 4 ways: it turns by sixths"
)]
#[case(
    "pass = \"place\"\nwhat = \"spot\"\nfacing = { along = { terrain = \"sand\" } }",
    Code::BadValue,
    "no right angles"
)]
#[case(
    "pass = \"place\"\nwhat = \"spot\"\nfacing = \"north\"",
    Code::UnknownSide,
    "no side `north`"
)]
#[case("pass = \"collapse\"\ncoarse = 4\nbecomes = {}", Code::NotYet, "not supported on hex maps")]
fn what_hexagons_cannot_is_said(#[case] pass: &str, #[case] code: Code, #[case] says: &str) {
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"hex_pointy\", size = [6, 6] }}\nterrains = {{ sand = \"s\" }}\n\
         items = {{ spot = {{}} }}\n[[recipe]]\npass = \"noise\"\nbands = [{{ terrain = \"sand\" }}]\n\
         [[recipe]]\n{pass}\n"
    );
    let report = read(&text).unwrap_err();
    let told = |one: &lantern_quilt::files::Located| {
        one.finding.code == code && one.finding.message.contains(says)
    };
    assert!(report.findings.iter().any(told), "{report}");
}

/// A small map that was saved is set in with everything on it.
#[test]
fn a_saved_map_is_stamped() {
    let mut saved = made(&yard("", "").unwrap());
    saved.set_terrain(None);
    saved.set_items(vec![Item::new("bench", Cell::new(0, 0))]);
    let mut data = Vec::new();
    lantern_quilt::files::write_json(&saved, &mut data).unwrap();
    let mut art = pictures();
    art.0.insert("court.map.json".to_owned(), data);
    let text = "quilt = 1\nmap = { lattice = \"square\", size = [30, 20] }\n[[recipe]]\npass = \"stamp\"\n\
                group = \"courts\"\nat = [3, 5]\nstamps = { map = \"court.map.json\" }\n";
    let map = made(&Quilt::read(text, "a", &art).unwrap_or_else(|report| panic!("{report}")));
    let (floor, old) = (map.layer("floor").unwrap(), saved.layer("floor").unwrap());
    for cell in old.extent().iter() {
        let there = floor.get(Cell::new(cell.x + 3, cell.y + 5)).map(|one| &one.tile);
        assert_eq!(there, old.get(cell).map(|one| &one.tile));
    }
    let bench = &map.items()[0];
    assert_eq!(
        (bench.cell, bench.group.as_deref(), bench.number),
        (Cell::new(3, 5), Some("courts"), 1)
    );
}
