//! Maps survive being written and read; pictures are exact.
#![cfg(all(feature = "files", feature = "draw"))]

use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{
    MapError, read_csv, read_json, save_with, write_csv, write_json, write_layers,
};
use lantern_quilt::grid::{BitPlane, Plane};
use lantern_quilt::map::{Indices, Item, Terrain};
use lantern_quilt::prelude::*;
use proptest::prelude::*;
use rstest::rstest;

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
        parts: [bool; 4],
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
        map.put_layer(layer);
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

    #[test]
    fn csv_round_trips(map in maps()) {
        let (layer, lattice) = (map.layers().next().unwrap(), map.layout().lattice());
        let mut data = Vec::new();
        write_csv(layer, lattice, &mut data).unwrap();
        let back = read_csv(&layer.name, lattice, &data[..]).unwrap();
        // Beside another layer it is found by its name.
        let mut other = layer.clone();
        other.name = format!("{} again", layer.name);
        let mut both = Vec::new();
        write_layers(&[other, layer.clone()], lattice, &mut both).unwrap();
        prop_assert_eq!(&read_csv(&layer.name, lattice, &both[..]).unwrap(), &back);
        // An empty tile name and an empty cell are one in CSV, so names are never empty there.
        prop_assert_eq!(back.extent(), layer.extent());
        for cell in layer.extent().iter() {
            // CSV does not tell passes and groups.
            let plain = |one: &Placed| Placed { pass: None, group: None, ..one.clone() };
            prop_assert_eq!(back.get(cell).map(plain), layer.get(cell).map(plain));
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

#[rstest]
#[case("{}", "missing field")]
#[case(r#"{"lantern_quilt_map": 2, "lattice": "square", "size": [1, 1, 1]}"#, "version 2")]
#[case(
    r#"{"lantern_quilt_map": 1, "lattice": "cube", "size": [1, 1, 1]}"#,
    "no lattice is named `cube`"
)]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [0, 1, 1]}"#, "at least one cell")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [1, 1, 1], "layers": [{"name": "a", "size": [2, 1, 1], "palette": [], "rows": [[null]]}]}"#, "1 rows of 1 cells where the size says 1 of 2")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [1, 1, 1], "layers": [{"name": "a", "size": [1, 1, 1], "palette": [], "rows": [[3]]}]}"#, "past the palette")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [40000, 40000, 1], "heights": [[1], [1, 2]]}"#, "row 1 is not as long")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [1, 1, 1], "items": [{"cell": [0, 0, 0], "name": "a", "turn": 1e39}]}"#, "1e39 is too large a number at line 1")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [1, 1, 1], "items": [{"cell": [0, 0, 0], "name": "a", "offset": [0, -1e39, 0]}]}"#, "-1e39 is too large")]
#[case(r#"{"lantern_quilt_map": 1, "lattice": "square", "size": [1, 1, 1], "items": [{"cell": [0, 0, 0], "name": "a", "scale": 1e400}]}"#, "number out of range")]
fn a_map_that_contradicts_itself_says_how(#[case] text: &str, #[case] why: &str) {
    let error = read_json(text.as_bytes()).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
    assert!(matches!(error, MapError::Json(_) | MapError::Inconsistent(_)));
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
