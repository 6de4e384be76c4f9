//! Worlds of levels: where, limits, pins, masks, shades and plans by level; one set for all lattices.

use super::*;
use lantern_quilt::constraints::{Connected, Selector};
use lantern_quilt::files::{QuiltOptions, read_json, write_json};
use lantern_quilt::picture::Picture;
use lantern_quilt::prelude::*;
use lantern_quilt::verify::{pieces, verify};
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::path::Path;

const WORLD: &str = r##"quilt = 1
map = { lattice = "box", size = [4, 3, 5] }
terrains = { stone = ["s", "#808080"], moss = ["m", "#208020"] }
sockets.any_side = {}
[tiles.air]
air = true
sides = "any_side"
[tiles.block]
colour = "#806040"
sides = "any_side"
[[recipe]]
"##;

fn filled(pass: &str, files: &Files) -> (Quilt, Tilemap) {
    let quilt = opened(&format!("{WORLD}{pass}"), files);
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(3))).map;
    (quilt, map)
}

fn is_block(map: &Tilemap, cell: Cell) -> bool {
    map.layers().any(|layer| layer.get(cell).is_some_and(|placed| placed.tile == "block"))
}

/// A picture of 4 x 3 pixels a level, levels side by side; light where `light` says.
fn picture(levels: u32, light: impl Fn(u32, u32, u32) -> bool) -> Vec<u8> {
    let mut picture = Picture::new(4 * levels, 3, [0, 0, 0, 255]).unwrap();
    for (z, y, x) in
        (0..levels).flat_map(|z| (0..3).flat_map(move |y| (0..4).map(move |x| (z, y, x))))
    {
        if light(x, y, z) {
            picture.set(z * 4 + x, y, [255; 4]);
        }
    }
    picture.to_png(&[]).unwrap()
}

/// Cells in which a limit wants blocks, and nothing else.
#[rstest]
#[case::one_level("z = 2", |c: Cell| c.z == 2)]
#[case::levels("z = [1, 3]", |c: Cell| (1..=3).contains(&c.z))]
#[case::top("z = \"top\"", |c: Cell| c.z == 4)]
#[case::from_top("z = [\"top-1\", \"top\"]", |c: Cell| c.z >= 3)]
#[case::mixed("z = [1, \"top-2\"]", |c: Cell| (1..=2).contains(&c.z))]
#[case::corner("x = [1, 2], z = [0, 1]", |c: Cell| (1..=2).contains(&c.x) && c.z <= 1)]
#[case::column("x = [1, 1], y = [2, 2]", |c: Cell| c.x == 1 && c.y == 2)]
#[case::mask("mask = \"flat.png\", colour = \"#ffffff\"", |c: Cell| c.x == 1)]
#[case::slices("mask = \"slices.png\", colour = \"#ffffff\"", |c: Cell| c.z == c.x)]
fn areas_have_levels(#[case] area: &str, #[case] inside: fn(Cell) -> bool) {
    let files = Files::default()
        .with("flat.png", picture(1, |x, _, _| x == 1))
        .with("slices.png", picture(5, |x, _, z| x == z));
    let pass = format!(
        "pass = \"collapse\"\nlimits = [{{ tile = \"block\", fills = {{ {area} }} }}, \
         {{ tile = \"block\", inside = {{ {area} }} }}]"
    );
    let (quilt, map) = filled(&pass, &files);
    for cell in map.layout().extent().iter() {
        assert_eq!(is_block(&map, cell), inside(cell), "{cell}");
    }
    // The same condition, where one is asked for.
    if !area.contains("mask") {
        let (_, tagged) =
            filled(&format!("pass = \"tag\"\nadd = \"here\"\nwhere = {{ {area} }}"), &files);
        let here = tagged.tag("here").unwrap();
        assert!(tagged.layout().extent().iter().all(|cell| here.get(cell) == inside(cell)));
    }
    let layer = map.layers().next().unwrap();
    let pass = quilt.collapse().unwrap();
    assert_eq!(verify(layer, map.layout(), |_| true, pass.tileset(), pass.constraints()), []);
}

/// Pins from the top follow the size of the map.
#[rstest]
#[case(5)]
#[case(9)]
fn pins_count_from_the_top(#[case] depth: u32) {
    let pass = "pass = \"collapse\"\npins = [{ at = [1, 2, \"top-1\"], tile = \"block\" }, \
                { at = [0, 0, 0], tile = \"block\" }]\nlimits = [{ tile = \"air\", inside = { z = [0, \"top\"] } }]";
    let quilt = opened(&format!("{WORLD}{pass}"), &Files::default());
    let extent = Extent::new(Cell::default(), [4, 3, depth]).unwrap();
    let layout = Layout::new(Lattice::Box, extent, Wrap::NONE).unwrap();
    let map = made(quilt.maker(layout, &Seed::from_number(1))).map;
    assert!(is_block(&map, Cell::at(1, 2, depth as i32 - 2)) && is_block(&map, Cell::at(0, 0, 0)));
}

#[rstest]
#[case::levels("by = [1, 0, 1, 0]", |c: Cell| c.z % 2 == 1 || c.z > 3)]
#[case::picture("by = \"flat.png\"", |c: Cell| c.x != 1)]
#[case::slices("by = \"slices.png\"", |c: Cell| c.x != c.z)]
#[case::place("by = { where = { y = [0, 1] } }", |c: Cell| c.y > 1)]
#[case::factor("by = { where = { z = \"top\" }, factor = 0 }", |c: Cell| c.z < 4)]
fn shades_by_level_and_rule(#[case] by: &str, #[case] never: fn(Cell) -> bool) {
    let files = Files::default()
        .with("flat.png", picture(1, |x, _, _| x == 1))
        .with("slices.png", picture(5, |x, _, z| x == z));
    let (_, map) =
        filled(&format!("pass = \"collapse\"\nshades = [{{ tile = \"block\", {by} }}]"), &files);
    let cells: Vec<Cell> = map.layout().extent().iter().collect();
    // A weight of nothing still counts as the least there is, so nothing is ruled out, but hardly ever comes.
    let (off, on): (Vec<Cell>, Vec<Cell>) = cells.into_iter().partition(|cell| never(*cell));
    let part = |cells: &[Cell]| {
        cells.iter().filter(|c| is_block(&map, **c)).count() * 100 / cells.len().max(1)
    };
    assert!(part(&off) < 12 && part(&on) > 20, "{} and {}", part(&off), part(&on));
}

/// Noise makes clumps: the same as the noise says, and keyed by the seed.
#[test]
fn shades_by_noise_follow_the_seed() {
    let pass = "pass = \"collapse\"\nname = \"b\"\nshades = [{ tile = \"block\", by = { noise = { scale = 3 } } }]";
    let quilt = opened(&format!("{WORLD}{pass}"), &Files::default());
    let map = |seed: u64| made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
    assert_eq!(map(1), map(1));
    assert_ne!(map(1).layer("b"), map(2).layer("b"));
}

#[rstest]
#[case::all_levels("", |c: Cell| c.x < 2)]
#[case::slices("slices = 5", |c: Cell| c.x == c.z)]
fn plans_have_levels(#[case] key: &str, #[case] moss: fn(Cell) -> bool) {
    let paint = |levels: u32, is: fn(Cell) -> bool| {
        let mut picture = Picture::new(4 * levels, 3, [0x80, 0x80, 0x80, 255]).unwrap();
        for (z, y, x) in
            (0..levels).flat_map(|z| (0..3).flat_map(move |y| (0..4).map(move |x| (z, y, x))))
        {
            if is(Cell::at(x as i32, y as i32, z as i32)) {
                picture.set(z * 4 + x, y, [0x20, 0x80, 0x20, 255]);
            }
        }
        picture.to_png(&[]).unwrap()
    };
    let levels = if key.is_empty() { 1 } else { 5 };
    let files = Files::default().with("plan.png", paint(levels, moss));
    let (_, map) = filled(&format!("pass = \"plan\"\npicture = \"plan.png\"\n{key}"), &files);
    let (terrain, extent) = (map.terrain().unwrap(), map.layout().extent());
    for cell in extent.iter() {
        let want = if moss(cell) { "moss" } else { "stone" };
        assert_eq!(terrain.at(cell, extent), Some(want), "{cell}");
    }
}

#[rstest]
#[case("limits = [{ tile = \"block\", inside = { z = \"tip\" } }]", "`tip` is not a level")]
#[case("limits = [{ tile = \"block\", inside = { z = [3, 1] } }]", "ends before it begins")]
#[case(
    "limits = [{ tile = \"block\", inside = { z = [\"top\", \"top-2\"] } }]",
    "ends before it begins"
)]
#[case("limits = [{ tile = \"block\", inside = { z = [1] } }]", "needs the lowest and the highest")]
#[case("shades = [{ tile = \"block\", by = [2] }]", "out of range")]
#[case("shades = [{ tile = \"block\", by = [] }]", "has no factor")]
#[case("shades = [{ tile = \"block\", by = {} }]", "a shade is by")]
#[case(
    "limits = [{ tile = \"block\", inside = { mask = \"odd.png\", colour = \"#ffffff\" } }]",
    "levels side by side"
)]
fn wrong_levels_are_reported(#[case] pass: &str, #[case] words: &str) {
    let odd = Picture::new(5, 3, [255; 4]).unwrap().to_png(&[]).unwrap();
    let text = said(
        &format!("{WORLD}pass = \"collapse\"\n{pass}"),
        &Files::default().with("odd.png", odd),
    );
    assert!(text.contains(words), "{text}");
}

/// One set of tiles with sides by group fills every lattice, and every map keeps the rules.
#[rstest]
fn one_set_fills_every_lattice(
    #[values("square", "hex_pointy", "hex_flat", "box")] lattice: &str,
    #[values(1, 2, 3)] seed: u64,
) {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/drift/drift.quilt.toml");
    let options = QuiltOptions::new().set(format!("map.lattice={lattice}"));
    let quilt = Quilt::open_with(path.as_ref(), &options).unwrap();
    assert_eq!(quilt.layout.lattice().name(), lattice);
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
    let pass = quilt.collapse().unwrap();
    let layer = map.layers().next().unwrap();
    assert_eq!(verify(layer, quilt.layout, |_| true, pass.tileset(), pass.constraints()), []);
    assert_eq!(layer.extent().depth(), if lattice == "box" { 10 } else { 1 });
}

/// Feet are low, finials high, and nothing is cut off by the border.
#[rstest]
fn pagodas_stand(#[values(1, 2, 3, 4, 5, 6)] seed: u64) {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/pagoda/pagoda.quilt.toml");
    let quilt = Quilt::open(path.as_ref()).unwrap();
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
    let (layer, extent) = (map.layers().next().unwrap(), map.layout().extent());
    let at = |cell: Cell| layer.get(cell).unwrap().tile.as_str();
    for cell in extent.iter() {
        let tile = at(cell);
        let ground = [
            "moss",
            "shrub",
            "gravel",
            "stone_lantern",
            "pond",
            "plinth",
            "plinth_edge",
            "plinth_corner",
            "steps",
        ];
        assert_eq!(ground.contains(&tile), cell.z == 0, "{tile} at {cell}");
        let above = extent
            .contains(Cell { z: cell.z + 1, ..cell })
            .then(|| at(Cell { z: cell.z + 1, ..cell }));
        if tile == "cap" {
            assert!(above.is_some_and(|above| above.starts_with("finial")), "{cell}");
        }
        let rim = cell.x == 0 || cell.y == 0 || cell.x == 17 || cell.y == 13;
        assert!(!rim || cell.z == 0 || tile == "air", "{tile} at {cell}");
    }
    let pass = quilt.collapse().unwrap();
    assert_eq!(verify(layer, quilt.layout, |_| true, pass.tileset(), pass.constraints()), []);
}

/// A part that is filled again has the shades of the whole map: noise, conditions and levels alike.
#[rstest]
#[case("by = [1, 0]", |c: Cell| c.z > 0)]
#[case("by = { where = { z = \"top\" } }", |c: Cell| c.z < 4)]
#[case("by = { where = { tag = \"here\" } }", |c: Cell| c.x > 1)]
fn refills_keep_their_shades(#[case] by: &str, #[case] never: fn(Cell) -> bool) {
    let tag = "pass = \"tag\"\nadd = \"here\"\nwhere = { x = [0, 1] }\n[[recipe]]\n";
    let pass =
        format!("{tag}pass = \"collapse\"\nname = \"b\"\nshades = [{{ tile = \"block\", {by} }}]");
    let (quilt, map) = filled(&pass, &Files::default());
    let layer = map.layer("b").unwrap();
    let region = Extent::new(Cell::at(1, 0, 0), [3, 3, 5]).unwrap();
    let (mut off, mut on) = ([0, 0], [0, 0]);
    for seed in 0..12 {
        let seed = Seed::from_number(seed);
        let pass = quilt.collapse().unwrap().worked_out(&map, &seed);
        let refill = pass.refill_beside(map.layout(), layer, region, |_| true, |_| false).unwrap();
        let mut run = refill.job(&pass, &seed).begin().unwrap();
        assert!(run.fill().is_filled());
        let mut again = layer.clone();
        refill.paste(&pass, &run, &mut again);
        for cell in map.layout().extent().iter() {
            if !region.contains(cell) {
                assert_eq!(again.get(cell), layer.get(cell), "what is kept stays");
                continue;
            }
            let counts = if never(cell) { &mut off } else { &mut on };
            counts[usize::from(again.get(cell).unwrap().tile == "block")] += 1;
        }
    }
    assert!(off[1] * 12 < off[0] && on[1] * 5 > on[0], "{off:?} {on:?}");
}

/// Flat pictures are no side faces of boxes: labels and pixels are not compared, and pixels are no rules.
#[test]
fn pictures_are_no_sides_of_boxes() {
    let paint = |colour| Picture::new(4, 4, colour).unwrap().to_png(&[]).unwrap();
    let files = Files::default()
        .with("red.png", paint([220, 20, 20, 255]))
        .with("blue.png", paint([20, 20, 220, 255]));
    let text = r#"quilt = 1
map = { lattice = "square", size = [8, 8, 3] }
sockets = { a = {}, b = { mates = ["a"] } }
tiles.red = { picture = "red.png", sides = "a" }
tiles.blue = { picture = "blue.png", sides = "b" }
[[recipe]]
pass = "collapse"
"#;
    let rough = |text: &str| opened(text, &files).check(None).seams.worst.len();
    assert!(rough(text) > 0, "on squares the seam is rough");
    let boxes = text.replace("\"square\"", "\"box\"");
    assert_eq!(rough(&boxes), 0);
    let shown = boxes.replace("sides = \"a\"", "sides = \"pixels\"");
    let report = said(&shown, &files);
    assert!(report.contains("not-yet") && report.contains("not a side of a box"), "{report}");
}

/// A release that changes these changes the maps of its users, and must say so.
#[rstest]
#[case::pagoda("pagoda", None, "217e09abe46f8465")]
#[case::wall("wall", None, "8a08e25287b6f144")]
#[case::lane("lane", None, "b8b4f917a2c28d91")]
#[case::drift("drift", None, "ab97b80c0a20b24e")]
#[case::drift_hexagons("drift", Some("hexagons"), "f8a61dd0d4f4a6b2")]
#[case::drift_boxes("drift", Some("boxes"), "1d9407c7d9d44db0")]
fn maps_of_the_demos_are_pinned(
    #[case] name: &str,
    #[case] variant: Option<&str>,
    #[case] want: &str,
) {
    let demos = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos");
    let path = format!("{demos}/{name}/{name}.quilt.toml");
    let options = variant.iter().fold(QuiltOptions::new(), |all, name| all.variant(*name));
    let quilt = Quilt::open_with(Path::new(&path), &options).unwrap();
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    let mut data = Vec::new();
    write_json(&map, &mut data).unwrap();
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&data)), want);
    // Heights at which things stand are a part of the map, and are read back.
    assert_eq!(read_json(&data[..]).unwrap(), map);
}

/// The garden wall is one structure that begins at its gate, on every seed and at any size: towers keep apart, nothing
/// floats, and there is nothing to complain of.
#[rstest]
#[case::own(None)]
#[case::wide(Some([31, 22, 7]))]
#[case::narrow(Some([12, 14, 3]))]
fn a_wall_grows_from_its_gate(#[case] size: Option<[u32; 3]>) {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/wall/wall.quilt.toml");
    let quilt = Quilt::open(Path::new(path)).unwrap();
    assert_eq!(quilt.check(None).report.findings, []);
    let extent = size.map(|size| Extent::new(Cell::default(), size).unwrap());
    let layout = extent
        .map_or(quilt.layout, |extent| Layout::new(Lattice::Box, extent, Wrap::NONE).unwrap());
    let pass = quilt.collapse().unwrap();
    let set = pass.tileset();
    let wall = set.tags().pairs().find(|(_, name)| *name == "wall").unwrap().0;
    let socket = set.sockets().pairs().find(|(_, socket)| socket.name() == "wall").unwrap().0;
    let one = Connected::new(vec![Selector::any(Accept::Tag(wall))]).over(vec![socket]);
    let mut lengths = Vec::new();
    for seed in 0..20 {
        let map = made(quilt.maker(layout, &Seed::from_number(seed))).map;
        let layer = map.layers().next().unwrap();
        assert_eq!(verify(layer, layout, |_| true, set, pass.constraints()), [], "{seed}");
        let walls = pieces(layer, layout, set, &one);
        assert_eq!(walls.len(), 1, "{seed}");
        assert!(walls[0].contains(&Cell::at(9, 12, 0)));
        lengths.push(walls[0].len());
    }
    lengths.sort_unstable();
    assert!(lengths[0] > 2 && lengths[10] > 20, "{lengths:?}");
}
