//! Maps as pages: what the page is given, and that names cannot leave their place in it.
#![cfg(all(feature = "draw", feature = "files"))]

use lantern_quilt::draw::{DrawOptions, write_page};
use lantern_quilt::files::Quilt;
use lantern_quilt::map::{Item, Shown};
use lantern_quilt::prelude::*;
use rstest::rstest;
use serde_json::Value;
use std::path::Path;

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
    use base64::Engine;
    let bytes = base64::engine::general_purpose::STANDARD.decode(value.as_str().unwrap()).unwrap();
    bytes.chunks(4).map(|four| i32::from_le_bytes(four.try_into().unwrap())).collect()
}

/// A page holds what the map holds, cell by cell, and its pictures.
#[rstest]
fn a_page_holds_the_map(
    #[values("market", "rootway", "hillside", "mats")] name: &str,
    #[values(None, Some([3, 4, 9, 6]))] region: Option<[i32; 4]>,
) {
    let path = format!("{}/../../demos/{name}/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    let quilt = Quilt::open(Path::new(&path)).unwrap_or_else(|report| panic!("{report}"));
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
    let sheet = {
        use base64::Engine;
        let bytes = base64::engine::general_purpose::STANDARD.decode(sheet).unwrap();
        Picture::from_png(&bytes).unwrap()
    };
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
    assert_eq!((&data["picture"], &data["cell"]), (&true.into(), &serde_json::json!([1280, 800])));
}
