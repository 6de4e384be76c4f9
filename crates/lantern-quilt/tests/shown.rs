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

/// A map of every lattice with tiles, a layer between cells, heights, and items that reach far.
fn full(lattice: Lattice) -> (Tilemap, TileArt) {
    let layout = Layout::flat(lattice, 13, 11).unwrap();
    let extent = layout.extent();
    let keyed = Seed::from_number(7).keyed(&["full"]);
    let mut map = Tilemap::new(layout);
    let mut art = TileArt::new([12, 14]);
    for (number, alpha) in [(0_u8, 255_u8), (1, 140)] {
        let mut tile = Picture::new(12, 14, [0; 4]).unwrap();
        for (x, y) in (0..14).flat_map(|y| (0..12).map(move |x| (x, y))) {
            tile.set(x, y, [x as u8 * 20, y as u8 * 15, 90 + number * 100, alpha]);
        }
        art.add(if number == 0 { "a" } else { "b" }, tile);
    }
    for (name, offset, one_in) in [("ground", 0.0, 1), ("between", -0.5, 3)] {
        let more = u32::from(offset < 0.0);
        let reach = Extent::flat(extent.width() + more, extent.height() + more).unwrap();
        let palette = vec![Placed::new("a"), Placed::new("b")];
        let mut layer = Layer::new(name, reach, palette).offset_by([offset, offset, 0.0]);
        for cell in reach.iter().filter(|&cell| keyed.below(cell, one_in) == 0) {
            layer.set(cell, Some(u32::from(one_in > 1)));
        }
        map.put_layer(layer);
    }
    for cell in extent.iter() {
        *map.heights_mut().get_mut(cell).unwrap() = keyed.below(cell, 3) as i32;
    }
    let look = lantern_quilt::art::Look::new(Picture::new(40, 50, [250, 200, 40, 90]).unwrap());
    art.add_item("lamp", look, Some([20, 45]));
    let lamps = extent.iter().filter(|&cell| keyed.below(cell, 6) == 1);
    let lamp = |cell: Cell| Item {
        look: Some(0),
        turn: if cell.x % 2 == 0 { 0.0 } else { 25.0 },
        offset: [0.3, -0.4, 0.0],
        ..Item::new("lamp", cell)
    };
    map.set_items(lamps.map(lamp).collect());
    (map, art)
}

/// A part of a map is drawn as it lies in the whole picture, with what reaches into it from outside.
#[rstest]
fn a_region_is_cut_from_the_whole(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
    #[values([0, 0, 13, 11], [4, 3, 5, 4], [5, 4, 1, 1], [9, 8, 40, 40])] region: [u32; 4],
) {
    let (map, art) = full(lattice);
    let whole = draw(&map, &art, &DrawOptions::default()).unwrap();
    let [x, y, wide, high] = region;
    let cells = Extent::new(Cell::new(x as i32, y as i32), [wide, high, 1]).unwrap();
    let options = DrawOptions::default().region(Some(cells));
    let part = draw(&map, &art, &options).unwrap();
    let inside = map.layout().extent().intersection(&cells).unwrap();
    // Where its cells lie in the whole, told by the size of smaller maps.
    let size = |wide: u32, high: u32| {
        let layout = Layout::flat(lattice, wide, high).unwrap();
        picture_size(layout, &art, &DrawOptions::default()).unwrap()
    };
    let [step_x, step_y] = [size(2, 1)[0] - size(1, 1)[0], size(1, 2)[1] - size(1, 1)[1]];
    let at = |x: u32, y: u32| match lattice {
        Lattice::HexPointy => [x * step_x + y % 2 * 6, y * step_y],
        Lattice::HexFlat => [x * step_x, y * step_y + x % 2 * 7],
        _ => [x * step_x, y * step_y],
    };
    let corners = inside.iter().map(|cell| at(cell.x as u32, cell.y as u32));
    let least = corners.clone().fold([u32::MAX; 2], |a, b| [a[0].min(b[0]), a[1].min(b[1])]);
    let most = corners.fold([0; 2], |a, b| [a[0].max(b[0] + 12), a[1].max(b[1] + 14)]);
    let want = whole.cut(least[0], least[1], most[0] - least[0], most[1] - least[1]).unwrap();
    assert!(part == want, "{part:?} {want:?}");
    assert_eq!(picture_size(map.layout(), &art, &options).unwrap(), [part.width(), part.height()]);
}

/// Smaller pictures are means of the whole one, each pixel with the part of it that is covered.
#[rstest]
fn smaller_pictures_are_true_means(
    #[values(Lattice::Square, Lattice::HexPointy)] lattice: Lattice,
    #[values(None, Some([100, 100]), Some([37, 500]), Some([61, 23]), Some([7, 5]))] fit: Option<
        [u32; 2],
    >,
    #[values(2, 5, 8)] smaller: u32,
) {
    let (map, art) = full(lattice);
    let whole = draw(&map, &art, &DrawOptions::default()).unwrap();
    let options = DrawOptions::default().smaller(smaller).fit(fit);
    let small = draw(&map, &art, &options).unwrap();
    let (w, h) = (f64::from(whole.width()), f64::from(whole.height()));
    let (tall, parts) = match fit {
        Some([room_w, room_h]) => {
            let scale = (f64::from(room_w) / w).min(f64::from(room_h) / h);
            let size = [(w * scale).round().max(1.0), (h * scale).round().max(1.0)];
            (size, [w / size[0], h / size[1]])
        }
        None => {
            let by = f64::from(smaller);
            ([(w / by).ceil(), (h / by).ceil()], [by, by])
        }
    };
    assert_eq!([small.width(), small.height()].map(f64::from), tall);
    for (x, y) in (0..small.height()).flat_map(|y| (0..small.width()).map(move |x| (x, y))) {
        let (mut sums, mut all) = ([0.0; 4], 0.0);
        let [left, top] = [f64::from(x) * parts[0], f64::from(y) * parts[1]];
        for (px, py) in
            (top as u32..whole.height().min((top + parts[1]).ceil() as u32)).flat_map(|py| {
                (left as u32..whole.width().min((left + parts[0]).ceil() as u32))
                    .map(move |px| (px, py))
            })
        {
            let over = |from: f64, length: f64, at: u32| {
                ((from + length).min(f64::from(at) + 1.0) - from.max(f64::from(at))).max(0.0)
            };
            let weight = over(left, parts[0], px) * over(top, parts[1], py);
            all += weight;
            let pixel = whole.get(px, py).unwrap();
            sums.iter_mut().zip(pixel).for_each(|(sum, value)| *sum += f64::from(value) * weight);
        }
        let pixel = small.get(x, y).unwrap();
        let near = sums
            .iter()
            .zip(pixel)
            .all(|(sum, value)| (sum / all - f64::from(value)).abs() <= 0.501);
        assert!(near, "({x}, {y}): {pixel:?} and {:?}", sums.map(|sum| sum / all));
    }
}

/// What is small enough is enlarged by a whole number; what lies outside is refused.
#[test]
fn pictures_fit_into_a_room() {
    let (map, art) = full(Lattice::Square);
    let fitted = |room| draw(&map, &art, &DrawOptions::default().fit(Some(room))).unwrap();
    assert_eq!(fitted([500, 500]), draw(&map, &art, &DrawOptions::default().scale(3)).unwrap());
    let far = Extent::new(Cell::new(50, 50), [2, 2, 1]).unwrap();
    let error = draw(&map, &art, &DrawOptions::default().region(Some(far))).unwrap_err();
    assert_eq!(error.to_string(), "the region lies outside the map");
    // A map whose whole picture is far too large is shown all the same.
    let large = Tilemap::new(Layout::flat(Lattice::Square, 2000, 1500).unwrap());
    assert!(picture_size(large.layout(), &art, &DrawOptions::default()).is_err());
    let shown = draw(&large, &art, &DrawOptions::default().fit(Some([60, 60]))).unwrap();
    assert_eq!([shown.width(), shown.height()], [60, 53]);
}

/// Large pictures are written another way, and read the same.
#[rstest]
#[case::few_colours(|n| [(n % 15) as u8 * 17, (n % 7) as u8, 3, 255])]
#[case::clear(|n| [9, 9, 9, (n % 200) as u8])]
#[case::many_opaque(|n| [(n % 251) as u8, (n / 251 % 256) as u8, 0, 255])]
#[case::many_clear(|n| [(n % 251) as u8, (n / 251 % 256) as u8, 0, (n % 3) as u8])]
fn large_pictures_are_read_as_they_were(#[case] colour: fn(u32) -> Rgba) {
    let mut picture = Picture::new(1500, 750, [0; 4]).unwrap();
    for (x, y) in (0..750).flat_map(|y| (0..1500).map(move |x| (x, y))) {
        picture.set(x, y, colour(x + y * 1500));
    }
    let data = picture.to_png(&[("Seed", "first lamp")]).unwrap();
    assert!(Picture::from_png(&data).unwrap() == picture);
    assert!(data.windows(10).any(|bytes| bytes == b"first lamp"));
}
