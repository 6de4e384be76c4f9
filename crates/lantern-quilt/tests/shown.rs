//! What pictures say besides the map: steps, headings, hexagons of any proportion, ground below clear tiles.
#![cfg(feature = "draw")]

use lantern_quilt::draw::{DrawOptions, Headings, Print, Steps, contact_sheet, draw, picture_size};
use lantern_quilt::files::{Art, Quilt, ReadError};
use lantern_quilt::grid::BitPlane;
use lantern_quilt::map::Item;
use lantern_quilt::picture::Rgba;
use lantern_quilt::prelude::*;
use rstest::rstest;

const AMBER: Rgba = [240, 160, 40, 255];

/// A hexagon whose slanted sides take `slant` pixels, in one colour, clear in its corners.
fn hexagon([wide, high]: [u32; 2], slant: u32, flat: bool) -> Picture {
    let mut picture = Picture::new(wide, high, [0; 4]).unwrap();
    let (breadth, length) = if flat { (high, wide) } else { (wide, high) };
    for (x, y) in (0..high).flat_map(|y| (0..wide).map(move |x| (x, y))) {
        let (along, across) = if flat { (x, y) } else { (y, x) };
        let from_end = along.min(length - 1 - along);
        let away = (2 * across + 1).abs_diff(breadth);
        if from_end >= slant || away * (slant + 1) <= breadth * (from_end + 1) {
            picture.set(x, y, [80, 120, 90, 255]);
        }
    }
    picture
}

/// Rows lie as far apart as the art says, so that no gap and no overlap shows.
#[rstest]
#[case::regular(Lattice::HexPointy, [28, 32], 8, [3 * 28 + 14, 32 + 24])]
#[case::nearly(Lattice::HexPointy, [28, 32], 7, [3 * 28 + 14, 32 + 24])]
#[case::steep(Lattice::HexPointy, [24, 40], 16, [3 * 24 + 12, 40 + 24])]
#[case::blunt(Lattice::HexPointy, [32, 32], 4, [3 * 32 + 16, 32 + 28])]
#[case::flat(Lattice::HexFlat, [40, 24], 16, [40 + 2 * 24, 2 * 24 + 12])]
fn hexagons_of_any_proportion_lie_together(
    #[case] lattice: Lattice,
    #[case] cell: [u32; 2],
    #[case] slant: u32,
    #[case] size: [u32; 2],
) {
    let mut art = TileArt::new(cell);
    assert!(art.add("moss", hexagon(cell, slant, lattice == Lattice::HexFlat)));
    let layout = Layout::flat(lattice, 3, 2).unwrap();
    let options = DrawOptions::default();
    assert_eq!(picture_size(layout, &art, &options).unwrap(), size);
    let mut map = Tilemap::new(layout);
    let mut layer = Layer::new("ground", layout.extent(), vec![Placed::new("moss")]);
    for cell in layout.extent().iter() {
        layer.set(cell, Some(0));
    }
    map.put_layer(layer);
    let picture = draw(&map, &art, &options).unwrap();
    // The middle of all is covered: cells of both rows meet there.
    let (x, y) = (size[0] / 2, size[1] / 2);
    assert!((x - 4..x + 4).all(|x| picture.get(x, y) == Some([80, 120, 90, 255])));
}

/// Sheets whose columns and rows lie differently are cut right.
#[rstest]
#[case("margin = 1, spacing = 2", [1, 1], [2, 2])]
#[case("margin = [3, 1], spacing = [0, 2]", [3, 1], [0, 2])]
#[case("spacing = [2, 0]", [0, 0], [2, 0])]
fn sheets_are_cut_by_both_measures(
    #[case] keys: &str,
    #[case] margin: [u32; 2],
    #[case] spacing: [u32; 2],
) {
    struct Sheet(Vec<u8>);
    impl Art for Sheet {
        fn read(&self, _: &str) -> Result<Vec<u8>, ReadError> {
            Ok(self.0.clone())
        }
    }
    let mut sheet = Picture::new(16, 16, [9, 9, 9, 255]).unwrap();
    let at = |axis: usize| margin[axis] + 4 + spacing[axis];
    for (x, y) in (0..4).flat_map(|y| (0..4).map(move |x| (x, y))) {
        sheet.set(at(0) + x, at(1) + y, [200, 0, 0, 255]);
    }
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [2, 2] }}\nsockets.a = {{}}\n\
         sheets.s = {{ file = \"s.png\", cell = [4, 4], {keys} }}\n\
         tiles.t = {{ at = [1, 1], sides = \"a\" }}\nrecipe = [{{ pass = \"collapse\" }}]\n"
    );
    let quilt = Quilt::read(&text, "a", &Sheet(sheet.to_png(&[]).unwrap())).unwrap();
    assert!(quilt.art.tile("t").unwrap().pixels().iter().all(|p| *p == [200, 0, 0, 255]));
}

fn flat(colour: Rgba) -> Picture {
    Picture::new(16, 16, colour).unwrap()
}

/// Terrain without a tile shows its colour below the clear part of a tile that lies between cells.
#[test]
fn ground_shows_below_tiles_between_cells() {
    let layout = Layout::flat(Lattice::Square, 2, 1).unwrap();
    let mut map = Tilemap::new(layout);
    map.terrain_mut().lay(0, Some("sand"));
    map.terrain_mut().lay(1, Some("moss"));
    let mut layer = Layer::new("moss", layout.extent(), vec![Placed::new("coast")]);
    layer = layer.offset_by([0.5, 0.0, 0.0]);
    layer.set(Cell::new(0, 0), Some(0));
    map.put_layer(layer);
    let mut coast = flat([0; 4]);
    (0..16).for_each(|y| coast.set(15, y, [0, 99, 0, 255]));
    let mut art = TileArt::new([16, 16]);
    art.add("coast", coast);
    let mut options = DrawOptions::default();
    options.grounds = vec![("sand".to_owned(), [210, 190, 130, 255])];
    let picture = draw(&map, &art, &options).unwrap();
    assert_eq!(picture.get(12, 8), Some([210, 190, 130, 255]));
    assert_eq!(picture.get(23, 8), Some([0, 99, 0, 255]));
}

/// Steps: what changed is outlined, what got a tag is tinted, a panel of the whole map is left alone.
#[test]
fn steps_mark_what_changed() {
    let layout = Layout::flat(Lattice::Square, 8, 5).unwrap();
    let mut art = TileArt::new([16, 16]);
    art.add("moss", flat([40, 90, 60, 255]));
    let mut map = Tilemap::new(layout);
    let mut steps = Steps::new(map.clone(), &art, DrawOptions::default(), 4);
    let mut layer = Layer::new("ground", layout.extent(), vec![Placed::new("moss")]);
    for cell in layout.extent().iter() {
        layer.set(cell, Some(0));
    }
    map.put_layer(layer);
    let amber = |steps: &Steps<'_>| -> usize {
        let panel = steps.panels().last().expect("a panel");
        panel.1.pixels().iter().filter(|p| **p == AMBER).count()
    };
    steps.add("all", &map).unwrap();
    assert_eq!(amber(&steps), 0);
    map.set_items(vec![Item::new("lamp", Cell::new(2, 2))]);
    steps.add("lamps", &map).unwrap();
    assert!(amber(&steps) > 40);
    let plain = steps.panels().last().unwrap().1.clone();
    map.set_tag("lit", Some(BitPlane::from_fn(layout.extent(), |cell| cell.x < 3)));
    steps.add("lit", &map).unwrap();
    let tagged = &steps.panels().last().unwrap().1;
    assert!(tagged.get(5, 5) != plain.get(5, 5), "tinted");
    assert_eq!(tagged.get(tagged.width() - 5, 5), plain.get(plain.width() - 5, 5));
    assert!(steps.finish().unwrap().width() <= 1300);
}

/// With headings no print has a label of its own, and the sheet grows by less than the labels took.
#[test]
fn headings_stand_for_labels() {
    let print = |number: u32| Print {
        label: vec![format!("a {}", number % 3), format!("b {}", number / 3)],
        failure: None,
        picture: Picture::new(300, 200, [9, 9, 9, 255]).unwrap(),
    };
    let prints: Vec<Print> = (0..9).map(print).collect();
    let texts = |letter: &str| (0..3).map(|n| format!("{letter} {n}")).collect::<Vec<String>>();
    let headings = Headings { columns: texts("a"), rows: texts("b") };
    let with = contact_sheet("Nine", &prints, 3, Some(&headings)).unwrap();
    let without = contact_sheet("Nine", &prints, 3, None).unwrap();
    assert!(with.height() < without.height() && with.width() > without.width());
}
