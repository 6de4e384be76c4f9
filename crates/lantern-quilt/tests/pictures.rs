//! Pictures: every kind of PNG, and cutting, laying, scaling and turning against plain models.
#![cfg(feature = "draw")]

use lantern_quilt::audit::seams::SeamReport;
use lantern_quilt::draw::{DrawOptions, draw, film, label, label_width, openness};
use lantern_quilt::map::Item;
use lantern_quilt::passes::FillStep;
use lantern_quilt::picture::PictureError;
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::{Pass, Recipe};
use proptest::prelude::*;
use rstest::rstest;

/// A PNG of 4 x 1 pixels from raw samples.
fn png(
    colour: png::ColorType,
    depth: png::BitDepth,
    data: &[u8],
    palette: Option<&[u8]>,
    clear: Option<&[u8]>,
) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, 4, 1);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    if let Some(palette) = palette {
        encoder.set_palette(palette);
    }
    if let Some(clear) = clear {
        encoder.set_trns(clear);
    }
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(data).unwrap();
    writer.finish().unwrap();
    out
}

#[rstest]
#[case::grey_1_bit(png(png::ColorType::Grayscale, png::BitDepth::One, &[0b1010_0000], None, None), [[255, 255, 255, 255], [0, 0, 0, 255], [255, 255, 255, 255], [0, 0, 0, 255]])]
#[case::grey_16_bit(png(png::ColorType::Grayscale, png::BitDepth::Sixteen, &[0, 0, 128, 0, 255, 255, 1, 2], None, None), [[0, 0, 0, 255], [128, 128, 128, 255], [255, 255, 255, 255], [1, 1, 1, 255]])]
#[case::grey_and_alpha(png(png::ColorType::GrayscaleAlpha, png::BitDepth::Eight, &[9, 0, 9, 255, 7, 1, 5, 6], None, None), [[9, 9, 9, 0], [9, 9, 9, 255], [7, 7, 7, 1], [5, 5, 5, 6]])]
#[case::indexed(png(png::ColorType::Indexed, png::BitDepth::Two, &[0b0001_1011], Some(&[1, 1, 1, 2, 2, 2, 3, 3, 3, 4, 4, 4]), Some(&[0, 255])), [[1, 1, 1, 0], [2, 2, 2, 255], [3, 3, 3, 255], [4, 4, 4, 255]])]
#[case::rgb(png(png::ColorType::Rgb, png::BitDepth::Eight, &[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12], None, None), [[1, 2, 3, 255], [4, 5, 6, 255], [7, 8, 9, 255], [10, 11, 12, 255]])]
#[case::rgba_16_bit(png(png::ColorType::Rgba, png::BitDepth::Sixteen, &[1, 0, 2, 0, 3, 0, 4, 0].repeat(4), None, None), [[1, 2, 3, 4]; 4])]
fn every_kind_of_png_reads_right(#[case] data: Vec<u8>, #[case] want: [[u8; 4]; 4]) {
    assert_eq!(Picture::from_png(&data).unwrap().pixels(), want);
}

fn numbered(width: u32, height: u32) -> Picture {
    let mut picture = Picture::new(width, height, [0; 4]).unwrap();
    for y in 0..height {
        for x in 0..width {
            picture.set(x, y, [x as u8, y as u8, 7, 255]);
        }
    }
    picture
}

/// The board shows what is there, and outlines what is missing.
#[rstest]
#[case(&[], 0)]
#[case(&[3, 7], 2)]
fn a_board_of_shapes_outlines_what_is_missing(#[case] gone: &[usize], #[case] missing: usize) {
    use lantern_quilt::autotile::{Coverage, Kinds, Scheme, ShapeBasis, ShapeSet};
    use lantern_quilt::draw::shape_board;
    let moss = vec!["moss".to_owned()];
    let of = ShapeBasis::Terrain { on: moss.clone(), kinds: Kinds::new(moss, Vec::new()) };
    let mut tiles =
        ShapeSet::arranged("moss", Scheme::Four, Lattice::Square, of.same(), 1, Mirror::No);
    let mut art = TileArt::new([8, 8]);
    for tile in tiles.iter().filter_map(|tile| tile.tile.clone()) {
        art.add(tile, Picture::new(8, 8, [9, 200, 9, 255]).unwrap());
    }
    tiles =
        tiles.into_iter().enumerate().filter(|(n, _)| !gone.contains(n)).map(|(_, t)| t).collect();
    let set = ShapeSet::new("moss", Scheme::Four, Lattice::Square, of, tiles).unwrap();
    assert_eq!(Coverage::of(&set).missing.len(), missing);
    let board = shape_board("Ground", &[&set], &art).unwrap();
    assert_eq!(board.width(), 1280);
    let count = |colour: [u8; 4]| board.pixels().iter().filter(|pixel| **pixel == colour).count();
    // Amber outlines only where something is missing; the art everywhere else.
    assert_eq!(count([246, 178, 74, 255]) > 0, missing > 0);
    assert!(count([9, 200, 9, 255]) >= (16 - missing) * 64);
    assert!(shape_board("Ground", &[&set], &TileArt::default()).is_err());
}

proptest! {
    #[test]
    fn png_round_trips(width in 1u32..9, height in 1u32..9, seed: [u8; 4]) {
        let mut picture = numbered(width, height);
        picture.set(0, 0, seed);
        let data = picture.to_png(&[("Seed", "grüner Tee 🍵")]).unwrap();
        prop_assert_eq!(Picture::from_png(&data).unwrap(), picture);
    }

    #[test]
    fn a_damaged_png_is_refused_or_read_as_it_is(cut in 0usize..200, at in 0usize..200, byte: u8) {
        let picture = numbered(5, 5);
        let mut data = picture.to_png(&[]).unwrap();
        // Past its pixels a PNG only says that it ends.
        let pixels_end = data.windows(4).position(|name| name == b"IEND").unwrap() - 8;
        let half = Picture::from_png(&data[..cut.min(pixels_end - 1)]);
        prop_assert!(matches!(half, Err(PictureError::Decode(_))), "{half:?}");
        let at = at % data.len();
        let same = data[at] == byte;
        data[at] = byte;
        match Picture::from_png(&data) {
            // Every byte before the end is under a checksum.
            Ok(read) => prop_assert!((same || at >= pixels_end) && read == picture, "byte {at}"),
            Err(error) => {
                prop_assert!(!same && matches!(error, PictureError::Decode(_)), "byte {at}: {error}");
            }
        }
    }

    #[test]
    fn cutting_takes_what_lies_there(x in 0u32..8, y in 0u32..8, w in 1u32..8, h in 1u32..8) {
        let picture = numbered(6, 5);
        match picture.cut(x, y, w, h) {
            None => prop_assert!(x + w > 6 || y + h > 5),
            Some(part) => {
                prop_assert_eq!((part.width(), part.height()), (w, h));
                prop_assert_eq!(part.get(w - 1, h - 1), picture.get(x + w - 1, y + h - 1));
                prop_assert_eq!(part.get(0, 0), picture.get(x, y));
            }
        }
    }

    #[test]
    fn laying_is_blending_pixel_by_pixel(x in -7i64..7, y in -7i64..7, alpha: u8) {
        let mut top = numbered(4, 3);
        top.set(1, 1, [200, 100, 50, alpha]);
        top.set(2, 2, [0; 4]);
        let (mut laid, mut blended) = (numbered(5, 5), numbered(5, 5));
        laid.lay(&top, x, y);
        for py in 0..3 {
            for px in 0..4 {
                blended.blend(x + i64::from(px), y + i64::from(py), top.get(px, py).unwrap());
            }
        }
        prop_assert_eq!(laid, blended);
    }

    #[test]
    fn scaling_up_and_shrinking_is_nothing(width in 1u32..6, height in 1u32..6, by in 1u32..5) {
        let picture = numbered(width, height);
        let big = picture.scaled(by).unwrap();
        prop_assert_eq!(big.get(by * width - 1, by * height - 1), picture.get(width - 1, height - 1));
        // Never shrunk to nothing, so very small pictures keep a row.
        if by <= (by * width).min(by * height) {
            prop_assert_eq!(big.shrunk(by), picture);
        }
    }
}

/// Six turns of a hexagon come back; three are a half turn; the middle stays where it is.
#[test]
fn hexagons_turn_by_sixths() {
    let picture = numbered(28, 32);
    let turned = |turns, mirrored| {
        picture.oriented(Lattice::HexPointy, Orientation::new(Lattice::HexPointy, turns, mirrored))
    };
    assert_eq!(turned(0, false), picture);
    let half = turned(3, false);
    assert_eq!(half.get(0, 0), picture.get(27, 31));
    for turns in 0..6 {
        let middle = turned(turns, false).get(14, 16).unwrap();
        assert!(middle[0].abs_diff(14) <= 1 && middle[1].abs_diff(16) <= 1, "{turns}: {middle:?}");
    }
    // A sixth takes the middle of the eastern side to the south-east, as it takes sides.
    let east = picture.get(27, 16).unwrap();
    let south_east = turned(1, false).get(20, 27).unwrap();
    assert!(
        south_east[0].abs_diff(east[0]) <= 2 && south_east[1].abs_diff(east[1]) <= 2,
        "{south_east:?}"
    );
}

fn map_of(lattice: Lattice, cell: [u32; 2], width: u32, height: u32) -> (Tilemap, TileArt) {
    let layout = Layout::flat(lattice, width, height).unwrap();
    let mut art = TileArt::new(cell);
    assert!(art.add("a", Picture::new(cell[0], cell[1], [200, 0, 0, 255]).unwrap()));
    let placed = Placed::new("a");
    let mut layer = Layer::new("ground", layout.extent(), vec![placed]);
    for at in layout.extent().iter() {
        layer.set(at, Some(0));
    }
    let mut map = Tilemap::new(layout);
    map.put_layer(layer);
    (map, art)
}

#[rstest]
#[case(Lattice::Square, [6, 4], (18, 8))]
#[case(Lattice::HexPointy, [28, 32], (3 * 28 + 14, 32 + 24))]
#[case(Lattice::HexFlat, [32, 28], (32 + 2 * 24, 2 * 28 + 14))]
fn cells_lie_where_the_lattice_says(
    #[case] lattice: Lattice,
    #[case] cell: [u32; 2],
    #[case] size: (u32, u32),
) {
    let (mut map, mut art) = map_of(lattice, cell, 3, 2);
    let picture = draw(&map, &art, &DrawOptions::default()).unwrap();
    assert_eq!((picture.width(), picture.height()), size);
    // No gap inside: the middle of the picture and of every cell's row is covered.
    assert_eq!(picture.get(size.0 / 2, size.1 / 2), Some([200, 0, 0, 255]));
    // A tile without a picture is hatched in white and amber, not left out.
    art = TileArt::new(cell);
    let bare = draw(&map, &art, &DrawOptions::default()).unwrap();
    let hatched = |p: &[u8; 4]| *p == [250, 246, 236, 255] || *p == [240, 160, 40, 255];
    assert!(bare.pixels().iter().filter(|p| hatched(p)).count() > bare.pixels().len() / 2);
    // Without any art there is nothing to draw with.
    assert!(draw(&map, &TileArt::default(), &DrawOptions::default()).is_err());
    drop(map.remove_layer("ground"));
    let empty = draw(&map, &art, &DrawOptions::default()).unwrap();
    assert!(empty.pixels().iter().all(|&p| p == lantern_quilt::draw::NIGHT));
}

/// Failed cells are told apart by lightness alone: light stripes, a dark cross.
#[rstest]
fn a_failed_cell_is_light_and_dark(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
) {
    let (map, art) = map_of(lattice, [28, 32], 5, 5);
    let mut options = DrawOptions::default();
    options.failed = vec![Cell::new(2, 2)];
    let (marked, plain) =
        (draw(&map, &art, &options).unwrap(), draw(&map, &art, &DrawOptions::default()).unwrap());
    let changed: Vec<u32> = (marked.pixels().iter().zip(plain.pixels()))
        .filter(|(a, b)| a != b)
        .map(|(p, _)| (u32::from(p[0]) * 3 + u32::from(p[1]) * 6 + u32::from(p[2])) / 10)
        .collect();
    assert!(changed.iter().filter(|&&light| light > 150).count() > 300);
    assert!(changed.iter().filter(|&&light| light < 50).count() > 30);
}

#[test]
fn grid_lines_and_numbers_are_drawn_on_request() {
    let (map, art) = map_of(Lattice::HexPointy, [28, 32], 4, 4);
    let with = |change: &dyn Fn(&mut DrawOptions)| {
        let mut options = DrawOptions::default();
        change(&mut options);
        draw(&map, &art, &options).unwrap()
    };
    let plain = with(&|_| {});
    assert_ne!(with(&|o| o.grid = true), plain);
    let wide = with(&|o| o.coordinates = true);
    assert!(wide.width() > plain.width() && wide.height() > plain.height());
    assert_eq!(with(&|o| o.scale = 2).width(), plain.width() * 2);
}

#[test]
fn labels_are_as_wide_as_they_say() {
    let mut picture = Picture::new(200, 30, [0, 0, 0, 255]).unwrap();
    label(&mut picture, 2, 2, 16.0, [255; 4], "lantern 42");
    let width = label_width("lantern 42", 16.0) as u32;
    let lit = |x: u32| (0..30).any(|y| picture.get(x, y).unwrap()[0] > 100);
    assert!((0..200).any(lit) && (width + 4..200).all(|x| !lit(x)));
    // Partly or wholly outside, nothing happens and nothing breaks.
    label(&mut picture, -500, 500, 16.0, [255; 4], "away");
}

#[test]
fn openness_and_film_follow_the_run() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("a").all(moss));
    set.tile(Tile::new("b").sides([path, path, moss, moss]).turns(4));
    let ground = Collapse::new("ground", set.build().unwrap(), Constraints::default()).unwrap();
    let layout = Layout::flat(Lattice::Square, 8, 6).unwrap();
    let job = || ground.job(layout, &Seed::from_number(3)).begin().unwrap();
    let mut run = job();
    let at = |run: &Run| openness(run, [10, 10]).unwrap().get(5, 5).unwrap();
    let open = at(&run);
    assert!(run.fill().is_filled());
    assert_ne!(open, at(&run), "an open cell and a decided one differ");
    let (_, mut art) = map_of(Lattice::Square, [4, 4], 1, 1);
    art.add("b", Picture::new(4, 4, [0, 200, 0, 255]).unwrap());
    let mut data = Vec::new();
    let mut options = lantern_quilt::draw::FilmOptions::default();
    (options.seconds, options.rate) = (1.0, 5);
    let steps = [run.tally().steps];
    let recipe = Recipe::new([Pass::new("ground", FillStep::new(ground))]);
    let (maker, never) =
        (recipe.maker(layout, &Seed::from_number(3)), lantern_quilt::limits::Never);
    let mut shots = Vec::new();
    let mut shot = |number, of| shots.push((number, of));
    let frames = film(maker, &steps, &art, &options, &mut data, &never, &mut shot).unwrap();
    assert_eq!(shots, (1..=5).map(|number| (number, 5)).collect::<Vec<_>>());
    assert_eq!(frames, 6);
    let reader = png::Decoder::new(std::io::Cursor::new(&data)).read_info().unwrap();
    assert_eq!(
        (reader.info().width, reader.info().animation_control().unwrap().num_frames),
        (32, 6)
    );
}

/// Boards of any size of set and art, on every lattice, with pieces missing.
#[cfg(feature = "draw")]
#[rstest]
fn boards_hold_every_set(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
    #[values(1, 24, 25, 130)] tiles: usize,
    #[values(1, 24, 500)] pixels: u32,
) {
    use lantern_quilt::audit::missing::missing_pieces;
    use lantern_quilt::audit::trial::Trials;
    use lantern_quilt::draw::board;
    let mut set = TilesetBuilder::new(lattice);
    let long = "a socket whose name is much too long for any card";
    let [a, b] = ["short", long].map(|name| set.socket(Socket::handed(name)));
    let mut art = TileArt::new([pixels, pixels]);
    for number in 0..tiles {
        let name = format!("tile {number}, named at some length");
        let sides = (0..lattice.sides().len()).map(|s| if (number >> s) & 1 == 0 { a } else { b });
        set.tile(Tile::new(&name).sides(sides));
        assert!(art.add(&name, Picture::new(pixels, pixels, [200, 0, 0, 255]).unwrap()));
    }
    let set = set.build().unwrap();
    let rules = Rules::compile(&set).unwrap();
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (6, 4);
    let report = (tiles < 30).then(|| missing_pieces(&set, &Constraints::default(), &trials));
    let drawn =
        board("A set", &set, &rules, &art, report.as_ref(), &SeamReport::default(), &[]).unwrap();
    assert!(drawn.width() == 1280 && drawn.height() >= 800);
    assert!((drawn.height() > 800) == (tiles > 100), "{} high", drawn.height());
    let red = drawn.pixels().iter().filter(|pixel| **pixel == [200, 0, 0, 255]).count();
    assert!(red >= tiles, "{red} pixels of {tiles} tiles");
}

/// Where the pixels of an item lie that is one wide and four high, red at its foot, in cells of 10.
#[rstest]
#[case::upright(0.0, None, [0.0, 0.0], 1.0, true, &[(15, 14, 2), (15, 11, 1)])]
#[case::as_drawn(0.0, None, [0.0, 0.0], 1.0, false, &[(15, 14, 2), (15, 11, 1)])]
#[case::quarter(90.0, None, [0.0, 0.0], 1.0, false, &[(15, 15, 2), (18, 15, 1)])]
#[case::upright_turned(90.0, None, [0.0, 0.0], 1.0, true, &[(15, 14, 2), (15, 11, 1)])]
#[case::moved(0.0, None, [0.5, -0.5], 1.0, false, &[(20, 9, 2), (20, 6, 1)])]
#[case::on_a_side(0.0, Some(Side::East), [0.0, 0.0], 1.0, false, &[(20, 14, 2), (20, 11, 1)])]
#[case::twice(0.0, None, [0.0, 0.0], 2.0, false, &[(15, 13, 2), (16, 14, 2), (15, 7, 1)])]
fn items_stand_where_they_say(
    #[case] turn: f32,
    #[case] side: Option<Side>,
    #[case] offset: [f32; 2],
    #[case] scale: f32,
    #[case] upright: bool,
    #[case] want: &[(u32, u32, usize)],
) {
    const COLOURS: [[u8; 4]; 3] = [lantern_quilt::draw::NIGHT, [0, 0, 250, 255], [250, 0, 0, 255]];
    let (mut map, mut art) = map_of(Lattice::Square, [10, 10], 3, 3);
    drop(map.remove_layer("ground"));
    let mut drawn = Picture::new(1, 4, COLOURS[1]).unwrap();
    drawn.set(0, 3, COLOURS[2]);
    let look = lantern_quilt::art::Look::new(drawn);
    let look = if upright { look.upright() } else { look };
    // The foot stands in the middle.
    art.add_item("post", look, Some([0, 4]));
    let item = Item { look: Some(0), ..Item::new("post", Cell::new(1, 1)) };
    map.set_items(vec![Item { turn, side, scale, offset: [offset[0], offset[1], 0.0], ..item }]);
    let picture = draw(&map, &art, &DrawOptions::default()).unwrap();
    for &(x, y, colour) in want {
        assert_eq!(picture.get(x, y), Some(COLOURS[colour]), "{x}, {y}");
    }
    let lit = picture.pixels().iter().filter(|p| **p != COLOURS[0]).count();
    assert_eq!(lit as f32, 4.0 * scale * scale);
}

/// Which of two things in one cell lies above: the later one, the one that is stacked, the one drawn later.
#[rstest]
#[case::as_listed([0, 0], [0, 0], 1)]
#[case::stacked([1, 0], [0, 0], 0)]
#[case::drawn([0, 0], [0, -1], 0)]
#[case::drawn_above_all([0, 3], [1, 0], 0)]
fn things_lie_above_each_other(
    #[case] stacked: [u32; 2],
    #[case] drawn: [i32; 2],
    #[case] top: usize,
) {
    let (mut map, mut art) = map_of(Lattice::Square, [9, 9], 3, 3);
    drop(map.remove_layer("ground"));
    let items = [0, 1].map(|number| {
        let colour = [200 - number as u8, 0, 0, 255];
        let name = format!("thing{number}");
        art.add_item(
            &name,
            lantern_quilt::art::Look::new(Picture::new(3, 3, colour).unwrap()),
            None,
        );
        let (stacked, drawn) = (stacked[number], drawn[number]);
        Item { look: Some(0), stacked, drawn, ..Item::new(name, Cell::new(1, 1)) }
    });
    map.set_items(items.into());
    let picture = draw(&map, &art, &DrawOptions::default()).unwrap();
    assert_eq!(picture.get(13, 13).unwrap()[0], 200 - top as u8);
}

#[test]
fn markers_are_pins_and_what_has_no_picture_is_hatched() {
    let (mut map, art) = map_of(Lattice::Square, [40, 40], 3, 3);
    drop(map.remove_layer("ground"));
    let lit = |map: &Tilemap, labels: bool| {
        let mut options = DrawOptions::default();
        options.labels = labels;
        let picture = draw(map, &art, &options).unwrap();
        picture.pixels().iter().filter(|p| **p != lantern_quilt::draw::NIGHT).count()
    };
    map.set_items(vec![Item { number: 2, ..Item::new("musician", Cell::new(1, 1)) }]);
    let (bare, named) = (lit(&map, false), lit(&map, true));
    assert!(bare > 50 && named > bare + 400, "{bare} {named}");
    map.set_items(vec![Item { look: Some(0), ..Item::new("unknown", Cell::new(0, 2)) }]);
    assert_eq!(lit(&map, true), 20 * 20);
}

#[rstest]
#[case(10, 40, 40)]
#[case(100, 40, 40)]
#[case(7, 20, 14)]
fn pictures_are_fitted_to_their_room(#[case] width: u32, #[case] room: u32, #[case] want: u32) {
    let mut picture = Picture::new(width, width * 2, [9, 9, 9, 255]).unwrap();
    picture.set(0, 0, [200, 0, 0, 255]);
    let fitted = lantern_quilt::draw::fit(&picture, room);
    assert_eq!((fitted.width(), fitted.height()), (want, want * 2));
    // Light is neither made nor lost: what is plain stays plain.
    assert_eq!(fitted.get(want - 1, want), Some([9, 9, 9, 255]));
    assert!(fitted.get(0, 0).unwrap()[0] > 9);
}

#[test]
fn a_contact_sheet_shows_every_print_and_what_is_wrong() {
    use lantern_quilt::draw::{Print, contact_sheet, print_width};
    let room = print_width(3);
    let print = |number: u8, failure: Option<&str>| Print {
        label: vec![
            format!("number {number}"),
            "a label that is far too long for its print ".repeat(9),
        ],
        failure: failure.map(str::to_owned),
        picture: Picture::new(room, room / 2, [number * 40, 9, 9, 255]).unwrap(),
    };
    let prints: Vec<Print> =
        (1..=5).map(|number| print(number, (number == 4).then_some("not filled"))).collect();
    let sheet = contact_sheet("Five", &prints, 3, None).unwrap();
    let count =
        |number: u8| sheet.pixels().iter().filter(|p| **p == [number * 40, 9, 9, 255]).count();
    let whole = (room * (room / 2)) as usize;
    for number in [1, 2, 3, 5] {
        assert_eq!(count(number), whole, "print {number} is whole");
    }
    // What is wrong stands in a band over the foot of its print.
    assert!(count(4) < whole && count(4) > whole / 2);
    assert!(sheet.pixels().iter().any(|p| p[0] > 180 && p[1] > 110 && p[2] < 110), "in amber");
    assert!(sheet.width() <= 1300);
}

/// Heights of flat maps: what is high is lighter, and steps have an edge; without relief nothing of it is seen.
#[rstest]
fn heights_are_seen(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
) {
    let mut map = Tilemap::new(Layout::flat(lattice, 5, 4).unwrap());
    map.terrain_mut();
    for index in 0..20 {
        map.terrain_mut().lay(index, Some("moss"));
    }
    let options = DrawOptions::default().grounds(vec![("moss".to_owned(), [90, 110, 60, 255])]);
    let art = TileArt::new([16, 16]);
    let level = draw(&map, &art, &options).unwrap();
    let high = Cell::new(2, 1);
    *map.heights_mut().get_mut(high).unwrap() = 3;
    let raised = draw(&map, &art, &options).unwrap();
    assert_eq!(draw(&map, &art, &options.clone().relief(false)).unwrap(), level);
    let grey = |picture: &Picture, light: bool| {
        let greys = picture.pixels().iter().map(|&pixel| lantern_quilt::colour::grey(pixel));
        if light { greys.max() } else { greys.filter(|&grey| grey > 30).min() }
    };
    assert!(grey(&raised, true) > grey(&level, true), "the high cell is lighter");
    // A dark edge to the south-east, a light one to the north-west.
    let changed = level.pixels().iter().zip(raised.pixels()).filter(|(a, b)| a != b).count();
    assert!(changed > 200, "{changed}");
}

/// The colour of a terrain shows through tiles that are clear in places, and not beside opaque ones.
#[rstest]
#[case(120, true)]
#[case(255, false)]
fn terrain_lies_below_clear_tiles(#[case] alpha: u8, #[case] seen: bool) {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 2, 1).unwrap());
    for index in 0..2 {
        map.terrain_mut().lay(index, Some("moss"));
    }
    let mut layer = Layer::new("veil", map.layout().extent(), Vec::new());
    let entry = layer.add(Placed::new("veil"));
    layer.set(Cell::new(0, 0), Some(entry));
    map.put_layer(layer);
    let mut art = TileArt::new([4, 4]);
    art.add("veil", Picture::new(4, 4, [200, 0, 0, alpha]).unwrap());
    let options = DrawOptions::default().grounds(vec![("moss".to_owned(), [0, 240, 0, 255])]);
    let pixel = draw(&map, &art, &options).unwrap().get(1, 1).unwrap();
    assert_eq!(pixel[1] > 80, seen, "{pixel:?}");
}

/// One picture above another: each at its place, and beside the narrower one the colour of the other's last pixel.
#[rstest]
#[case::alike([5, 3], [5, 4])]
#[case::narrow([2, 3], [7, 1])]
#[case::wide([9, 1], [4, 6])]
#[case::nothing([0, 0], [3, 2])]
fn pictures_lie_above_each_other(#[case] upper: [u32; 2], #[case] lower: [u32; 2]) {
    let painted = |[wide, high]: [u32; 2], red: u8| {
        let mut picture = Picture::new(wide, high, [0; 4]).unwrap();
        for (x, y) in (0..high).flat_map(|y| (0..wide).map(move |x| (x, y))) {
            picture.set(x, y, [red, x as u8, y as u8, 255]);
        }
        picture
    };
    let (above, below) = (painted(upper, 10), painted(lower, 20));
    let both = above.above(&below).unwrap();
    assert_eq!((both.width(), both.height()), (upper[0].max(lower[0]), upper[1] + lower[1]));
    let ground = *below.pixels().last().unwrap();
    for (x, y) in (0..both.height()).flat_map(|y| (0..both.width()).map(move |x| (x, y))) {
        let want = if y < upper[1] { above.get(x, y) } else { below.get(x, y - upper[1]) };
        assert_eq!(both.get(x, y), Some(want.unwrap_or(ground)), "{x}, {y}");
    }
    let huge = Picture::new(20_000, 1, [0; 4]).unwrap();
    let tall = Picture::new(1, 20_000, [0; 4]).unwrap();
    assert!(matches!(huge.above(&tall), Err(PictureError::TooLarge { .. })));
}
