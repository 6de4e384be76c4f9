//! Maps survive being written and read; pictures are exact.
#![cfg(all(feature = "files", feature = "draw"))]

use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{
    MapError, map_schema, read_csv, read_json, save_with, write_cells, write_items, write_json,
};
use lantern_quilt::grid::{BitPlane, Plane};
use lantern_quilt::map::{Connector, Indices, Item, Numbers, Terrain};
use lantern_quilt::prelude::*;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeMap;
use std::sync::LazyLock;

fn lattices() -> impl Strategy<Value = Lattice> {
    prop::sample::select(&Lattice::ALL)
}

prop_compose! {
    fn maps()(
        lattice in lattices(),
        (w, h, d) in (1u32..7, 1u32..5, 1u32..3),
        (x, y) in (-9i32..9, -9i32..9),
        wrap_x: bool,
        cells in prop::collection::vec(prop::option::of(0u32..4), 7 * 5 * 3),
        parts: [bool; 6],
        numbers in prop::collection::vec(prop::option::of(any::<i64>()), 7 * 5 * 3),
        lean in -90.0f32..90.0,
        name in "[a-z \"\\\\é🏮]{0,8}",
    ) -> Tilemap {
        let d = if lattice.is_solid() { d } else { 1 };
        let extent = Extent::new(Cell::new(x, y), [w, h, d]).unwrap();
        let wrap = Wrap { x: wrap_x && w % 2 == 0, ..Wrap::NONE };
        let mut map = Tilemap::new(Layout::new(lattice, extent, wrap).unwrap());
        map.origin.seed.clone_from(&name);
        let palette = (0..4).map(|n| Placed {
            tile: format!("{name}{n}"),
            orientation: Orientation::new(lattice, n as u8, n == 3),
            look: n / 2,
            part: (n == 2).then_some([1, 3, 0]),
            pass: (n == 1).then(|| name.clone()),
            group: (n == 3).then(|| name.clone()),
        }).collect();
        let mut layer = Layer::new(name.clone(), extent, palette).offset_by([if parts[0] { 0.5 } else { 0.0 }, 0.0, 0.0]);
        for (index, cell) in extent.iter().enumerate() {
            layer.set(cell, cells[index]);
        }
        let plane = Numbers::from_values(extent, numbers[..extent.cells()].iter().copied());
        if parts[4] {
            layer.set_decided(plane.clone());
            map.set_plane("amount", plane);
            map.plane_mut(&name).set(extent.cell(0), numbers[0]);
        }
        map.put_layer(layer);
        if parts[5] {
            let sides = lattice.sides().iter().zip([-3, 0, 0, i32::MAX]);
            let open = sides.map(|(&side, level)| Connector {
                level, piece: name.as_str().into(), ..Connector::new("door", extent.cell(0), side)
            });
            map.set_connectors(open.collect());
        }
        if parts[0] {
            let mut ground = Indices::new(extent.cells(), 4);
            (0..extent.cells()).for_each(|i| ground.set(i, cells[i]));
            map.set_terrain(Some(Terrain { palette: (0..4).map(|n| format!("t{n}")).collect(), cells: ground }));
        }
        if parts[1] {
            let heights = (0..extent.cells()).map(|i| cells[i].map_or(-7, |v| v as i32)).collect();
            map.set_heights(Plane::from_values(extent, heights));
        }
        if parts[2] {
            map.set_tag("lit", Some(BitPlane::from_fn(extent, |c| (c.x + c.y) % 3 == 0)));
        }
        if parts[3] {
            map.set_items(vec![Item {
                side: Some(lattice.sides()[1]), look: Some(1), facing: Some(lattice.sides()[2]),
                offset: [0.25, 0.0, 0.0], turn: 90.0, scale: 2.0, tags: ["warm".to_owned()].into(),
                pass: "posts".into(), group: Some("lights".into()), number: 3,
                ..Item::new(name.as_str(), extent.cell(0))
            }, Item {
                stacked: 2, tilt: lean, stands: true, height: lean / 3.0, drawn: lean as i32,
                ..Item::new(name, extent.cell(0))
            }]);
            map.origin.variant.push_str("wet");
            map.origin.set = vec!["a.b=1".to_owned()];
        }
        map
    }
}

proptest! {
    #[test]
    fn json_round_trips(map in maps()) {
        let mut data = Vec::new();
        write_json(&map, &mut data).unwrap();
        prop_assert_eq!(read_json(&data[..]).unwrap(), map);
    }

    /// Whatever is written is a map by the schema, and by nothing but it.
    #[test]
    fn the_schema_accepts_what_is_written(map in maps()) {
        static SCHEMA: LazyLock<jsonschema::Validator> =
            LazyLock::new(|| jsonschema::validator_for(&map_schema()).expect("a schema"));
        let mut data = Vec::new();
        write_json(&map, &mut data).unwrap();
        let mut json: serde_json::Value = serde_json::from_slice(&data).unwrap();
        let wrong: Vec<String> = SCHEMA.iter_errors(&json).map(|e| e.to_string()).collect();
        prop_assert!(wrong.is_empty(), "{wrong:?}");
        json["layers"][0]["rows"][0][0] = "moss".into();
        prop_assert!(!SCHEMA.is_valid(&json) && read_json(json.to_string().as_bytes()).is_err());
    }

    /// Keys may come in any order, as a script that sorts them leaves them.
    #[test]
    fn sorted_keys_make_the_same_map(map in maps()) {
        let mut data = Vec::new();
        write_json(&map, &mut data).unwrap();
        let sorted: BTreeMap<String, serde_json::Value> = serde_json::from_slice(&data).unwrap();
        prop_assert_eq!(read_json(&serde_json::to_vec(&sorted).unwrap()[..]).unwrap(), map);
    }

    #[test]
    fn csv_round_trips(map in maps()) {
        let layer = map.layers().next().unwrap().clone();
        let mut data = Vec::new();
        write_cells(&map, &mut data).unwrap();
        let back = read_csv(&layer.name, map.layout().lattice(), &data[..]).unwrap();
        // Beside another layer it is found by its name.
        let mut other = Layer::new("", layer.extent(), Vec::new());
        other.name = format!("{} again", layer.name);
        let mut both = map.clone();
        both.put_layer(other);
        let mut wide = Vec::new();
        write_cells(&both, &mut wide).unwrap();
        prop_assert_eq!(&read_csv(&layer.name, map.layout().lattice(), &wide[..]).unwrap(), &back);
        prop_assert_eq!(back.extent(), layer.extent());
        for cell in layer.extent().iter() {
            // Passes and groups are told, and not read back.
            let plain = |one: &Placed| Placed { pass: None, group: None, ..one.clone() };
            prop_assert_eq!(back.get(cell).map(plain), layer.get(cell).map(plain));
        }
        // Everything else as a plain reader of CSV sees it.
        let mut reader = csv::Reader::from_reader(&data[..]);
        let heads: Vec<String> = reader.headers().unwrap().iter().map(str::to_owned).collect();
        let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
        let extent = map.layout().extent();
        prop_assert_eq!(rows.len(), extent.cells());
        let text = |number: Option<i32>| number.map_or_else(String::new, |number| number.to_string());
        for (row, cell) in rows.iter().zip(extent.iter()) {
            for (head, found) in heads.iter().zip(row) {
                let (kind, name) = head.split_once('.').unwrap_or((head, ""));
                let expected = match kind {
                    "x" => text(Some(cell.x)),
                    "terrain" => map.terrain().unwrap().at(cell, extent).unwrap_or("").to_owned(),
                    "height" => text(map.heights().unwrap().get(cell).copied()),
                    "tag" => text(Some(map.tag(name).unwrap().get(cell).into())),
                    "plane" => text(map.plane(name).unwrap().get(cell)),
                    "decided" => text(layer.decided().unwrap().get(cell)),
                    "group" => layer.get(cell).and_then(|p| p.group.clone()).unwrap_or_default(),
                    _ => continue,
                };
                prop_assert_eq!(found, expected, "{} at {}", head, cell);
            }
        }
    }

    #[test]
    fn items_are_rows(map in maps()) {
        let mut data = Vec::new();
        write_items(&map, &mut data).unwrap();
        let rows: Vec<BTreeMap<String, String>> =
            csv::Reader::from_reader(&data[..]).deserialize().map(Result::unwrap).collect();
        prop_assert_eq!(rows.len(), map.items().len());
        for (row, item) in rows.iter().zip(map.items()) {
            prop_assert_eq!(&*row["name"], &*item.name);
            prop_assert_eq!(row["tilt"].parse::<f32>(), Ok(item.tilt));
            prop_assert_eq!(row["height"].parse::<f32>(), Ok(item.height));
            prop_assert_eq!(&row["side"], item.side.map_or("", Side::name));
            let numbers = [item.cell.x, item.cell.y, item.drawn, item.stacked as i32];
            for (column, number) in ["x", "y", "drawn", "stacked"].into_iter().zip(numbers) {
                prop_assert_eq!(&row[column], &number.to_string());
            }
            prop_assert_eq!(row.contains_key("z"), map.layout().lattice().is_solid());
        }
    }

    #[test]
    fn damaged_json_says_where_and_never_panics(map in maps(), cut in 0.0f64..1.0, byte: u8) {
        let mut data = Vec::new();
        write_json(&map, &mut data).unwrap();
        let whole = data.trim_ascii_end().len();
        let at = (whole as f64 * cut) as usize;
        // Half a map ends in the middle of something.
        let error = read_json(&data[..at]).unwrap_err();
        prop_assert!(matches!(&error, MapError::Json(json) if json.is_eof()), "{error}");
        data[at] = byte;
        match read_json(&data[..]) {
            Err(MapError::Json(json)) => prop_assert!(json.line() > 0, "{json}"),
            Err(MapError::Inconsistent(text)) => prop_assert!(!text.is_empty()),
            Err(error) => prop_assert!(false, "{error}"),
            // A letter of a name, or a digit: still a map that is written as it is read.
            Ok(other) => {
                let mut again = Vec::new();
                write_json(&other, &mut again).unwrap();
                prop_assert_eq!(read_json(&again[..]).unwrap(), other);
            }
        }
    }

    #[test]
    fn turning_a_picture_follows_the_group(turns in 0u8..4, mirrored: bool, more in 0u8..4, again: bool) {
        let mut picture = Picture::new(3, 3, [0; 4]).unwrap();
        for at in 0..9u8 {
            picture.set(u32::from(at % 3), u32::from(at / 3), [at, 0, 0, 255]);
        }
        let lattice = Lattice::Square;
        let (a, b) = (Orientation::new(lattice, turns, mirrored), Orientation::new(lattice, more, again));
        prop_assert_eq!(picture.oriented(lattice, a).oriented(lattice, b), picture.oriented(lattice, a.then(b, lattice)));
        // The pixel in the middle of a side goes where the side goes.
        let middle = |side| match side { Side::North => (1, 0), Side::East => (2, 1), Side::South => (1, 2), _ => (0, 1) };
        for &side in lattice.sides() {
            let ((x, y), (tx, ty)) = (middle(side), middle(a.side(lattice, side)));
            prop_assert_eq!(picture.get(x, y), picture.oriented(lattice, a).get(tx, ty));
        }
    }
}

/// What a map of one cell says besides its envelope, and what is said of it.
#[rstest]
#[case::none("{}", "does not say `lantern_quilt_map`")]
#[case::version_3(r#"{"lantern_quilt_map": 3, "lattice": [], "planes": 7}"#, "version 3")]
#[case::version_0(r#"{"lantern_quilt_map": 0}"#, "version 0")]
#[case::lattice(
    r#"{"lantern_quilt_map": 2, "lattice": "cube", "size": [1, 1, 1]}"#,
    "no lattice is named `cube`"
)]
#[case::no_lattice(r#"{"lantern_quilt_map": 2, "size": [1, 1, 1]}"#, "does not say its `lattice`")]
#[case::no_size(r#"{"lantern_quilt_map": 2, "lattice": "box"}"#, "does not say its `size`")]
#[case::empty(
    r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [0, 1, 1]}"#,
    "at least one cell"
)]
#[case::behind(r#"{"lantern_quilt_map": 2} {}"#, "trailing characters")]
#[case::twice(
    r#"{"lantern_quilt_map": 2, "seed": "a", "seed": "b"}"#,
    "the key `seed` comes twice at line 1"
)]
#[case::ragged(r#"{"lantern_quilt_map": 2, "lattice": "square", "size": [40000, 40000, 1], "heights": [[1], [1, 2]]}"#, "row 1 is not as long")]
fn a_file_that_is_no_map_says_why(#[case] text: &str, #[case] why: &str) {
    let error = read_json(text.as_bytes()).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
    assert!(matches!(error, MapError::Json(_) | MapError::Inconsistent(_)));
}

#[rstest]
#[case::layer_rows(
    r#""layers": [{"name": "a", "size": [2, 1, 1], "palette": [], "rows": [[null]]}]"#,
    "1 rows of 1 cells where the size says 1 of 2"
)]
#[case::palette(
    r#""layers": [{"name": "a", "size": [1, 1, 1], "palette": [], "rows": [[3]]}]"#,
    "3 at (0, 0) is past the palette of 0"
)]
#[case::no_number(r#""terrain": {"rows": [[4294967295]], "palette": []}"#, "past any palette")]
#[case::two_layers(r#""layers": [{"name": "a", "size": [1, 1, 1], "rows": [[null]]}, {"name": "a", "size": [1, 1, 1], "rows": [[null]]}]"#, "two layers are named `a`")]
#[case::decided(
    r#""layers": [{"name": "a", "size": [1, 1, 1], "rows": [[null]], "decided": [[1, 2]]}]"#,
    "`decided` of layer `a`: 1 rows of 2 cells"
)]
#[case::no_rows(r#""layers": [{"name": "a", "size": [1, 1, 1]}]"#, "layer `a` has no `rows`")]
#[case::long_plane(
    r#""planes": {"depth": [[1, 2]]}"#,
    "plane `depth`: 1 rows of 2 cells where the size says 1 of 1"
)]
#[case::short_plane(r#""planes": {"depth": []}"#, "plane `depth`: 0 rows of 0 cells")]
#[case::broken_plane(r#""planes": {"depth": [[0.5]]}"#, "0.5 is not a whole number at line 1")]
#[case::word_plane(r#""planes": {"depth": [["1"]]}"#, "expected a whole number or null")]
#[case::plane_twice(r#""planes": {"depth": [[1]], "depth": [[1]]}"#, "the key `depth` comes twice")]
#[case::tag_twice(r##""tags": {"lit": ["#"], "lit": ["#"]}"##, "the key `lit` comes twice")]
#[case::tag_letter(r#""tags": {"lit": ["x"]}"#, "`x` stands in a row of `#` and `.`")]
#[case::outside(
    r#""connectors": [{"cell": [0, 4, 0], "side": "north", "name": "door"}]"#,
    "connector `door` at (0, 4) lies outside the map"
)]
#[case::no_such_side(
    r#""connectors": [{"cell": [0, 0, 0], "side": "up", "name": "door"}]"#,
    "a square cell has no side `up`"
)]
#[case::no_side(
    r#""connectors": [{"cell": [0, 0, 0], "side": "left", "name": "door"}]"#,
    "no side is named `left`"
)]
#[case::sideless(r#""connectors": [{"cell": [0, 0, 0], "name": "door"}]"#, "missing field `side`")]
#[case::far(
    r#""connectors": [{"cell": [3000000000, 0, 0], "side": "north", "name": "door"}]"#,
    "expected i32"
)]
#[case::turn(
    r#""items": [{"cell": [0, 0, 0], "name": "a", "turn": 1e39}]"#,
    "1e39 is too large a number at line 1"
)]
#[case::offset(
    r#""items": [{"cell": [0, 0, 0], "name": "a", "offset": [0, -1e39, 0]}]"#,
    "-1e39 is too large"
)]
#[case::scale(
    r#""items": [{"cell": [0, 0, 0], "name": "a", "scale": 1e400}]"#,
    "number out of range"
)]
#[case::item_twice(
    r#""items": [{"cell": [0, 0, 0], "name": "a", "name": "b"}]"#,
    "duplicate field `name`"
)]
fn a_map_that_contradicts_itself_says_how(#[case] part: &str, #[case] why: &str) {
    let map = r#"{"lantern_quilt_map": 2, "lattice": "square", "size": [1, 1, 1], "#;
    let error = read_json(format!("{map}{part}}}").as_bytes()).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
}

#[test]
fn a_million_planes_are_refused_early() {
    let mut text =
        r#"{"lantern_quilt_map": 2, "lattice": "square", "size": [4000, 4000, 1], "#.to_owned();
    text.push_str(r#""planes": {"#);
    (0..1_000_000).for_each(|n| text.push_str(&format!("\"p{n}\": [], ")));
    let error = read_json(text.as_bytes()).unwrap_err();
    assert!(error.to_string().contains("a map has 1024 planes at most"), "{error}");
}

/// The first version had no planes and no connectors; all else is as it was.
#[test]
fn the_first_version_is_read() {
    let text = r#"{"lantern_quilt_map": 1, "made_by": "x", "quilt": {"file": "q", "hash": ""},
        "seed": "7", "lattice": "hex_flat", "origin": [1, 2, 0], "size": [2, 1, 1], "wrap": ["x"],
        "terrain": {"palette": ["moss"], "rows": [[0, null]]}, "tags": {"lit": [".#"]},
        "items": [{"cell": [1, 2, 0], "facing": "north", "name": "post", "offset": [0.6000000238418579, 0.0, 0.0]}],
        "layers": [{"name": "a", "origin": [1, 2, 0], "size": [2, 1, 1], "palette": [{"look": 1, "tile": "t"}], "rows": [[null, 0]]}]}"#;
    let map = read_json(text.as_bytes()).unwrap();
    let mut again = Vec::new();
    write_json(&map, &mut again).unwrap();
    assert_eq!(read_json(&again[..]).unwrap(), map);
    let again = String::from_utf8(again).unwrap();
    assert!(
        again.contains(r#""lantern_quilt_map": 2,"#) && again.contains(r#""offset":[0.6,0.0,0.0]"#),
        "{again}"
    );
    let cell = Cell::new(2, 2);
    assert_eq!(map.layer("a").unwrap().get(cell).unwrap().look, 1);
    assert!(map.tag("lit").unwrap().get(cell) && map.items()[0].offset[0] == 0.6);
}

/// A number in a file, and what a plane keeps of it.
#[rstest]
#[case("null", None)]
#[case("-3", Some(-3))]
#[case("2147483648", Some(i32::MAX))]
#[case("-9000000000", Some(Numbers::LEAST))]
#[case("-2147483648", Some(Numbers::LEAST))]
#[case("1e30", Some(i32::MAX))]
#[case("99999999999999999999999", Some(i32::MAX))]
fn numbers_of_planes_saturate(#[case] number: &str, #[case] kept: Option<i32>) {
    let map = format!(
        r#"{{"planes": {{"far": [[{number}]]}}, "size": [1, 1, 1], "lattice": "square", "lantern_quilt_map": 2}}"#
    );
    let map = read_json(map.as_bytes()).unwrap();
    assert_eq!(map.plane("far").unwrap().get(Cell::new(0, 0)), kept);
}

#[test]
fn the_schema_of_maps_is_committed() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/map.schema.json");
    let committed = std::fs::read_to_string(path).unwrap_or_default();
    let help = "write it again with `lantern-quilt schema --map`";
    assert_eq!(committed.trim_end(), format!("{:#}", map_schema()), "{help}");
}

#[test]
fn an_interrupted_write_leaves_the_old_file_whole() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("map.json");
    std::fs::write(&path, "old").unwrap();
    let error = save_with(&path, |out| {
        out.write_all(b"half of the new")?;
        Err(std::io::Error::other("the disk is full"))
    });
    assert!(error.unwrap_err().to_string().contains("the disk is full"));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "old");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1, "nothing is left over");
}

/// A map small enough to check by eye: each letter is a pixel of the picture.
#[test]
fn a_drawn_map_is_exact() {
    let layout = Layout::flat(Lattice::Square, 2, 2).unwrap();
    let mut art = TileArt::new([2, 2]);
    let mut tile = Picture::new(2, 2, [9, 9, 9, 255]).unwrap();
    tile.set(0, 0, [255, 0, 0, 255]);
    assert!(art.add("a", tile));
    assert!(!art.add("b", Picture::new(3, 2, [0; 4]).unwrap()));
    let placed = |turns| Placed::new("a").oriented(Orientation::new(Lattice::Square, turns, false));
    let mut layer = Layer::new("l", layout.extent(), vec![placed(0), placed(1), placed(2)]);
    (0..3).for_each(|n| assert!(layer.set(layout.extent().cell(n), Some(n as u32))));
    let mut map = Tilemap::new(layout);
    map.put_layer(layer);
    let text = |options: &DrawOptions| {
        let picture = draw(&map, &art, options).unwrap();
        let rows = picture.pixels().chunks(picture.width() as usize);
        let letter = |p: &[u8; 4]| match p {
            [255, 0, 0, _] => 'R',
            [9, 9, 9, _] => '.',
            [20, 22, 46, _] => 'n',
            _ => '#',
        };
        rows.map(|row| row.iter().map(letter).collect()).collect::<Vec<String>>()
    };
    let mut options = DrawOptions::default();
    assert_eq!(text(&options), ["R..R", "....", "..nn", ".Rnn"]);
    options.grid = true;
    assert_eq!(text(&options)[0], "####");
    options.grid = false;
    options.scale = 2;
    options.failed = vec![Cell::new(1, 1), Cell::new(8, 8)];
    let big = text(&options);
    assert_eq!((big.len(), &big[0][..2]), (8, "RR"));
    assert!(big[7].ends_with('#'), "the failed cell is hatched: {big:?}");
    options.coordinates = true;
    assert!(draw(&map, &art, &options).unwrap().width() > 8);
    options.scale = 1 << 20;
    assert!(draw(&map, &art, &options).is_err(), "too large a picture is refused");
}
