//! Maps as pages: what the page is given, and that names cannot leave their place in it.
#![cfg(all(feature = "draw", feature = "files"))]

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt::draw::{DrawOptions, PageDetails, Stage, page_data, write_page};
use lantern_quilt::files::Quilt;
use lantern_quilt::id::{Id, PoseId};
use lantern_quilt::map::{Item, Shown};
use lantern_quilt::passes::Plan;
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::MakeStatus;
use rstest::rstest;
use serde_json::{Value, json};
use std::path::Path;

fn demo(name: &str) -> Quilt {
    let path = format!("{}/../../demos/{name}/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    Quilt::open(Path::new(&path)).unwrap_or_else(|report| panic!("{report}"))
}

fn page(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> (String, Value) {
    let mut text = Vec::new();
    write_page(map, art, options, &mut text).unwrap();
    let text = String::from_utf8(text).unwrap();
    let data = text.split_once("id=\"data\">").unwrap().1.split_once("</script>").unwrap().0;
    let data = serde_json::from_str(data).unwrap();
    (text, data)
}

/// The numbers of a plane as the page reads them.
fn numbers(value: &Value) -> Vec<i32> {
    let bytes = STANDARD.decode(value.as_str().unwrap()).unwrap();
    bytes.chunks(4).map(|four| i32::from_le_bytes(four.try_into().unwrap())).collect()
}

/// A page holds what the map holds, cell by cell, and its pictures.
#[rstest]
fn a_page_holds_the_map(
    #[values("market", "rootway", "hillside", "mats")] name: &str,
    #[values(None, Some([3, 4, 9, 6]))] region: Option<[i32; 4]>,
) {
    let quilt = demo(name);
    let map = quilt.make(&quilt.seed).unwrap().map;
    let cells =
        region.map(|[x, y, w, h]| Extent::new(Cell::new(x, y), [w as u32, h as u32, 1]).unwrap());
    let (text, data) = page(&map, &quilt.art, &quilt.look().region(cells));
    let part = cells.map_or(map.clone(), |cells| map.cropped(cells).unwrap());
    let extent = part.layout().extent();
    assert_eq!(data["size"], serde_json::json!([extent.width(), extent.height()]));
    assert_eq!(data["origin"], serde_json::json!([extent.origin().x, extent.origin().y]));
    let terrain = part.terrain().unwrap();
    let want: Vec<i32> =
        terrain.cells.iter().map(|number| number.map_or(-1, |n| n as i32)).collect();
    assert_eq!(numbers(&data["terrain"]["cells"]), want);
    let sheet = data["sheet"].as_str().unwrap().strip_prefix("data:image/png;base64,").unwrap();
    let sheet = Picture::from_png(&STANDARD.decode(sheet).unwrap()).unwrap();
    let [wide, high] = [0, 1].map(|axis| data["cell"][axis].as_u64().unwrap() as u32);
    for (layer, told) in part.layers().zip(data["layers"].as_array().unwrap()) {
        assert_eq!(layer.name, told["name"].as_str().unwrap());
        let cells = numbers(&told["cells"]);
        for (cell, number) in layer.extent().iter().zip(cells) {
            let placed = layer.get(cell);
            assert_eq!(placed.is_some(), number >= 0);
            let Some(placed) = placed else { continue };
            let entry = &told["palette"][number as usize];
            let [x, y] = [0, 1].map(|axis| entry["at"][axis].as_u64().unwrap() as u32);
            let drawn = quilt.art.placed(part.layout().lattice(), placed).unwrap();
            assert!(sheet.cut(x, y, wide, high).unwrap() == drawn);
            assert!(entry["words"].as_str().unwrap().starts_with(&placed.tile));
        }
    }
    assert_eq!(data["items"].as_array().unwrap().len(), part.items().len());
    assert!(!text.contains("http://") && !text.contains("https://"), "no network");
}

/// Names are text, whatever is in them; what is hidden is not in the page, and box maps are a picture.
#[test]
fn names_stay_in_their_place() {
    let evil = "</script><script>alert(1)</script><!--";
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2).unwrap());
    map.origin.quilt = evil.to_owned();
    map.tag_mut(evil).set(Cell::new(1, 1), true);
    map.plane_mut(evil).set(Cell::new(1, 1), Some(-7));
    let layer = map.layer_mut(evil);
    let number = layer.add(Placed::new(evil));
    layer.set(Cell::new(0, 0), Some(number));
    map.set_items(vec![Item { pass: evil.into(), ..Item::new(evil, Cell::new(2, 0)) }]);
    let (text, data) = page(&map, &TileArt::new([8, 8]), &DrawOptions::default());
    assert!(!text.contains("<script>alert") && text.matches("</script>").count() == 2);
    assert!(text.contains("<title>&lt;/script&gt;"));
    for key in ["layers", "tags", "planes", "items"] {
        assert_eq!(data[key][0]["name"], evil);
    }
    assert_eq!(numbers(&data["planes"][0]["cells"])[4], -7);
    let hidden = DrawOptions::default().shown(Shown::default().hide([evil]));
    let (_, data) = page(&map, &TileArt::new([8, 8]), &hidden);
    assert!(data["layers"] == serde_json::json!([]) && data["items"] == serde_json::json!([]));
    let boxes =
        Layout::new(Lattice::Box, Extent::new(Cell::default(), [3, 3, 2]).unwrap(), Wrap::NONE)
            .unwrap();
    let (_, data) = page(&Tilemap::new(boxes), &TileArt::new([8, 8]), &DrawOptions::default());
    assert_eq!(data["picture"]["size"], serde_json::json!([1280, 800]));
    assert_eq!((&data["view"], &data["models"]["count"]), (&"solid".into(), &0.into()));
}

/// Follows a quilt, and gives the page of its map with the map after each pass.
fn followed(quilt: &Quilt, decided: bool) -> (Vec<Tilemap>, Value) {
    let mut maker = quilt.maker(quilt.layout, &quilt.seed).record_decisions(decided);
    let mut details = quilt.page_details();
    loop {
        match maker.advance(u64::MAX) {
            MakeStatus::Working => {}
            MakeStatus::Done(number) => {
                let pass = maker.passes()[number].name.clone();
                details.stages.push(Stage { pass, map: maker.map().clone() });
            }
            MakeStatus::Ended => break,
        }
    }
    let made = maker.finish();
    let maps = details.stages.iter().map(|stage| stage.map.clone()).collect();
    (maps, page_data(&made.map, &quilt.art, &quilt.look(), &details).unwrap())
}

/// Sets what a stage changed.
fn patch(cells: &mut [i32], told: &Value) {
    if !told.is_null() {
        for (at, to) in numbers(&told["at"]).into_iter().zip(numbers(&told["to"])) {
            cells[at as usize] = to;
        }
    }
}

/// What each pass changed, added up, is the map after each pass: its terrain, heights, tiles and items.
#[rstest]
fn stages_add_up(
    #[values("market", "rootway", "hillside", "lane", "pagoda", "terrace")] name: &str,
    #[values(false, true)] decided: bool,
) {
    let quilt = demo(name);
    let (maps, data) = followed(&quilt, decided);
    let stages = data["stages"].as_array().unwrap();
    assert_eq!(stages.len(), quilt.recipe.passes().len());
    let empty = |key: &str, value| {
        vec![value; data[key]["cells"].as_str().map_or(0, |text| text.len() / 4 * 3 / 4)]
    };
    let (mut terrain, mut heights) = (empty("terrain", -1), empty("heights", 0));
    let told = data["layers"].as_array().unwrap();
    let mut layers: Vec<Vec<i32>> =
        told.iter().map(|layer| vec![-1; numbers(&layer["cells"]).len()]).collect();
    for (number, (stage, map)) in (1..).zip(stages.iter().zip(&maps)) {
        assert_eq!(stage["name"], quilt.recipe.passes()[number - 1].name);
        patch(&mut terrain, &stage["terrain"]);
        patch(&mut heights, &stage["heights"]);
        for changed in stage["layers"].as_array().unwrap() {
            patch(&mut layers[changed["layer"].as_u64().unwrap() as usize], changed);
        }
        if let Some(now) = map.terrain() {
            let names =
                now.cells.iter().map(|one| one.map(|one| now.palette[one as usize].clone()));
            let told = terrain.iter().map(|&one| {
                let palette = data["terrain"]["palette"].as_array().unwrap();
                usize::try_from(one).ok().map(|one| palette[one].as_str().unwrap().to_owned())
            });
            assert!(names.eq(told), "{name}: terrain after pass {number}");
        }
        if let Some(now) = map.heights() {
            assert_eq!(now.values(), heights, "{name}: heights after pass {number}");
        }
        for (layer, cells) in told.iter().zip(&layers) {
            let Some(now) = map.layer(layer["name"].as_str().unwrap()) else { continue };
            for (place, &entry) in now.cells().iter().zip(cells) {
                let tile = place.map(|place| now.palette()[place as usize].tile.as_str());
                let shown =
                    usize::try_from(entry).ok().map(|entry| &layer["palette"][entry]["tile"]);
                assert_eq!(shown.map(|shown| shown.as_str().unwrap()), tile);
            }
            assert_eq!(
                layer["decided"].is_string(),
                decided
                    && data["fills"]
                        .as_array()
                        .unwrap()
                        .iter()
                        .any(|fill| told[fill["layer"].as_u64().unwrap() as usize]["name"]
                            == layer["name"])
            );
        }
        let stands = |one: &&Value| {
            one["from"].as_u64().unwrap_or(0) < number as u64
                && one["until"].as_u64().is_none_or(|until| number as u64 <= until)
        };
        let items = data["items"].as_array().unwrap().iter().filter(stands).count();
        assert_eq!(items, map.items().len(), "{name}: items after pass {number}");
    }
    assert_eq!(layers, told.iter().map(|layer| numbers(&layer["cells"])).collect::<Vec<_>>());
}

/// The page has the rules of each fill, pose by pose, and knows which pose each tile is.
#[rstest]
fn pages_have_the_rules(#[values("terrace", "comb", "pagoda", "drift", "mats")] name: &str) {
    let quilt = demo(name);
    let made = quilt.make(&quilt.seed).unwrap();
    let data = page_data(&made.map, &quilt.art, &quilt.look(), &quilt.page_details()).unwrap();
    let fills: Vec<_> = quilt.fills().filter(|(_, fill)| fill.coarse.is_none()).collect();
    assert_eq!(data["fills"].as_array().unwrap().len(), fills.len());
    for (told, (pass, fill)) in data["fills"].as_array().unwrap().iter().zip(fills) {
        let (rules, tileset) = (fill.collapse.rules(), fill.collapse.tileset());
        let sides = rules.lattice().sides();
        assert_eq!(told["sides"], json!(sides.iter().map(|side| side.name()).collect::<Vec<_>>()));
        for (side, table) in told["tables"].as_array().unwrap().iter().enumerate() {
            let rows: Vec<Vec<u8>> = (table["rows"].as_array().unwrap().iter())
                .map(|row| STANDARD.decode(row.as_str().unwrap()).unwrap())
                .collect();
            for (pose, row) in numbers(&table["row_of"]).into_iter().enumerate() {
                let support = rules.support(side, PoseId::from_index(pose));
                for other in 0..rules.poses().len() {
                    let bit = rows[row as usize][other / 8] >> (other % 8) & 1 == 1;
                    assert_eq!(bit, support.contains(PoseId::from_index(other)));
                }
            }
        }
        let layer = made.map.layer(pass.layer()).unwrap();
        let palette = &data["layers"][told["layer"].as_u64().unwrap() as usize]["palette"];
        for (entry, placed) in layer.palette().iter().enumerate() {
            let pose = palette[entry]["pose"].as_u64().unwrap() as usize;
            let pose = &rules.poses()[PoseId::from_index(pose)];
            assert_eq!(Some(pose.tile), tileset.find_at(&placed.tile, placed.part));
            let shown =
                told["poses"][palette[entry]["pose"].as_u64().unwrap() as usize]["name"].clone();
            assert_eq!(shown, tileset.pose_name(pose.tile, pose.orientation));
        }
    }
}

/// Everything that stands in a map of models is in its page, and each pass has its lines of the quilt.
#[rstest]
#[case::boxes("pagoda", "pass = \"collapse\"")]
#[case::ground("lane", "pass = \"noise\"")]
fn pages_have_models(#[case] name: &str, #[case] line: &str) {
    let quilt = demo(name);
    let (maps, data) = followed(&quilt, false);
    let models = &data["models"];
    let last = maps.len() as i32;
    let spans = models["spans"].as_str().map(|_| numbers(&models["spans"]));
    let standing = spans.map_or(models["count"].as_u64().unwrap() as usize, |spans| {
        spans.chunks(2).filter(|span| span[1] == last).count()
    });
    let map = quilt.make(&quilt.seed).unwrap().map;
    let scene =
        lantern_quilt::scene::Scene::with_grounds(&map, &quilt.art, None, &quilt.look().grounds);
    assert_eq!(standing, scene.stood.len());
    let count = models["count"].as_u64().unwrap() as usize;
    assert_eq!(numbers(&models["cells"]).len(), count * 3);
    assert_eq!(numbers(&models["places"]).len(), count * 7);
    for pair in numbers(&models["numbers"]).chunks(2) {
        assert!((pair[0] as usize) < models["shapes"].as_array().unwrap().len());
        assert!((pair[1] as usize) < models["sources"].as_array().unwrap().len());
    }
    let passes = data["passes"].as_array().unwrap();
    assert!(passes.iter().all(|pass| pass["text"].as_str().unwrap().starts_with("[[recipe]]")));
    assert!(passes.iter().any(|pass| pass["text"].as_str().unwrap().contains(line)));
}

/// Plans lie over the map as they were read; maps that are too large are not followed, and the page says so.
#[test]
fn plans_lie_over_the_map() {
    let quilt = demo("mats");
    let (_, data) = followed(&quilt, false);
    let plans = quilt.recipe.passes().iter().filter_map(|pass| pass.step_as::<Plan>());
    let plans: Vec<&Plan> = plans.collect();
    assert_eq!(data["plans"].as_array().unwrap().len(), plans.len());
    for (told, plan) in data["plans"].as_array().unwrap().iter().zip(plans) {
        assert_eq!(told["size"], json!(plan.size()));
        let terrain = plan.terrain().unwrap();
        let want: Vec<i32> = (0..terrain.cells.len())
            .map(|at| terrain.cells.get(at).map_or(-1, |n| n as i32))
            .collect();
        assert_eq!(numbers(&told["cells"]), want);
    }
    let large = Tilemap::new(Layout::flat(Lattice::Square, 600, 600).unwrap());
    let mut details = PageDetails::default();
    details.stages.push(Stage { pass: "a".to_owned(), map: large.clone() });
    let data = page_data(&large, &TileArt::new([8, 8]), &DrawOptions::default(), &details).unwrap();
    assert_eq!((&data["stages"], &data["stages_left_out"]), (&json!([]), &true.into()));
}
