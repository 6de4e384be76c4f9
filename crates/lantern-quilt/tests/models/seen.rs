//! Shaded pictures: what stands is seen where it stands, from every side.

use lantern_quilt::draw::{DrawOptions, Turntable, View, ViewStyle, draw, turntable};
use lantern_quilt::limits::Never;
use lantern_quilt::map::{Layer, Placed};
use lantern_quilt::models::ModelArt;
use lantern_quilt::picture::Picture;
use lantern_quilt::prelude::*;
use rstest::rstest;

const RED: [u8; 4] = [220, 30, 30, 255];
const BLUE: [u8; 4] = [30, 60, 220, 255];

/// A box map with blocks of two colours in some cells.
fn blocks(size: [u32; 3], at: &[(Cell, &str)]) -> (Tilemap, TileArt) {
    let extent = Extent::new(Cell::default(), size).unwrap();
    let mut map = Tilemap::new(Layout::new(Lattice::Box, extent, Wrap::NONE).unwrap());
    let mut layer = Layer::new("blocks", extent, Vec::new());
    for (cell, name) in at {
        let entry = layer.add(Placed::new(*name));
        layer.set(*cell, Some(entry));
    }
    map.put_layer(layer);
    let mut models = ModelArt::new([1.0; 3]);
    models.set_colour("red", RED);
    models.set_colour("blue", BLUE);
    let mut art = TileArt::default();
    art.set_models(models);
    (map, art)
}

fn options() -> DrawOptions {
    DrawOptions::default().size(Some([160, 100]))
}

fn is_red([r, g, b, _]: [u8; 4]) -> bool {
    r > 90 && u32::from(r) > 2 * u32::from(g.max(b))
}

fn is_blue([r, g, b, _]: [u8; 4]) -> bool {
    b > 90 && u32::from(b) > 2 * u32::from(r.max(g))
}

/// The middle of all pixels of a kind.
fn middle(picture: &Picture, kind: fn([u8; 4]) -> bool) -> Option<[f32; 2]> {
    let (mut sum, mut count) = ([0.0; 2], 0.0);
    for (index, pixel) in picture.pixels().iter().enumerate() {
        if kind(*pixel) {
            sum[0] += (index as u32 % picture.width()) as f32;
            sum[1] += (index as u32 / picture.width()) as f32;
            count += 1.0;
        }
    }
    (count > 0.0).then(|| sum.map(|v| v / count))
}

/// East of red lies blue: where that is in the picture says where one looks from.
#[rstest]
#[case(View::South, [1, 0])]
#[case(View::North, [-1, 0])]
#[case(View::Top, [1, 0])]
#[case(View::SouthEast, [1, 1])]
#[case(View::SouthWest, [1, -1])]
#[case(View::NorthEast, [-1, 1])]
#[case(View::NorthWest, [-1, -1])]
fn views_look_from_where_they_say(#[case] view: View, #[case] way: [i32; 2]) {
    let cells = [(Cell::at(0, 0, 0), "red"), (Cell::at(2, 0, 0), "blue")];
    let (map, art) = blocks([3, 1, 1], &cells);
    let picture = draw(&map, &art, &options().view(view)).unwrap();
    let (red, blue) = (middle(&picture, is_red).unwrap(), middle(&picture, is_blue).unwrap());
    let sign = |v: f32| if v.abs() < 4.0 { 0 } else { v.signum() as i32 };
    assert_eq!([sign(blue[0] - red[0]), sign(blue[1] - red[1])], way, "{red:?} {blue:?}");
}

/// What is nearer hides what is behind it, from either side.
#[rstest]
#[case(View::South, false, true)]
#[case(View::North, true, false)]
fn the_nearer_hides(#[case] view: View, #[case] red: bool, #[case] blue: bool) {
    // Blue stands to the south of red, and is three levels high.
    let mut cells = vec![(Cell::at(0, 0, 0), "red")];
    cells.extend((0..3).map(|z| (Cell::at(0, 1, z), "blue")));
    let (map, art) = blocks([1, 2, 3], &cells);
    let picture = draw(&map, &art, &options().view(view)).unwrap();
    assert_eq!(
        (middle(&picture, is_red).is_some(), middle(&picture, is_blue).is_some()),
        (red, blue | red)
    );
}

#[test]
fn all_levels_are_seen_unless_cut() {
    let cells = [(Cell::at(0, 0, 0), "red"), (Cell::at(0, 0, 1), "blue")];
    let (map, art) = blocks([2, 2, 2], &cells);
    let sees = |options: &DrawOptions| {
        let picture = draw(&map, &art, options).unwrap();
        [middle(&picture, is_red).is_some(), middle(&picture, is_blue).is_some()]
    };
    assert_eq!(sees(&options()), [true, true]);
    assert_eq!(sees(&options().levels(Some([0, 0]))), [true, false]);
    assert_eq!(sees(&options().levels(Some([1, 1]))), [false, true]);
    let strip = draw(&map, &art, &options().strip(true)).unwrap();
    let (red, blue) = (middle(&strip, is_red).unwrap(), middle(&strip, is_blue).unwrap());
    assert!(blue[0] > red[0] + 200.0, "side by side");
}

/// Light, shade and the colours of a quilt.
#[test]
fn light_and_background_are_as_asked() {
    let (map, art) = blocks(
        [6, 6, 3],
        &[(Cell::at(2, 2, 0), "red"), (Cell::at(2, 2, 1), "red"), (Cell::at(2, 2, 2), "red")],
    );
    let plain = draw(&map, &art, &options()).unwrap();
    let corner = plain.get(0, 0).unwrap();
    assert!(corner.iter().all(|&value| value > 195), "a neutral background: {corner:?}");
    // Somewhere on the ground lies a shadow.
    let dark = plain.pixels().iter().filter(|p| !is_red(**p) && p[1] < 150 && p[1] > 40).count();
    assert!(dark > 30, "{dark} pixels in shadow");
    let style = ViewStyle::default().background(Some([20, 20, 60, 255]));
    let night = draw(&map, &art, &options().style(style)).unwrap();
    assert_eq!(night.get(0, 0), Some([20, 20, 60, 255]));
    let dim = ViewStyle::default().light(Some([90, 90, 90, 255]));
    let dim = draw(&map, &art, &options().style(dim)).unwrap();
    let brightest =
        |picture: &Picture| picture.pixels().iter().filter(|p| is_red(**p)).map(|p| p[0]).max();
    assert!(brightest(&dim) < brightest(&plain));
    // Faces that look different ways are lit differently.
    let reds: std::collections::BTreeSet<u8> =
        plain.pixels().iter().filter(|p| is_red(**p)).map(|p| p[0] / 12).collect();
    assert!(reds.len() >= 3, "{reds:?}");
}

#[test]
fn a_turntable_turns() {
    let (map, art) = blocks([3, 1, 2], &[(Cell::at(0, 0, 0), "red"), (Cell::at(2, 0, 1), "blue")]);
    let mut data = Vec::new();
    let table = Turntable::default().frames(8).size([80, 50]);
    let mut shots = 0;
    turntable(&map, &art, &DrawOptions::default(), table, &mut data, &Never, &mut |_, of| {
        shots += 1;
        assert_eq!(of, 8);
    })
    .unwrap();
    assert!(data.starts_with(&[0x89, b'P', b'N', b'G']) && shots == 8);
    assert!(data.windows(4).filter(|four| four == b"fcTL").count() == 8);
    let flat = Tilemap::new(Layout::flat(Lattice::Square, 2, 2).unwrap());
    let none = TileArt::new([8, 8]);
    let wrong =
        turntable(&flat, &none, &DrawOptions::default(), table, Vec::new(), &Never, &mut |_, _| {});
    assert!(wrong.unwrap_err().to_string().contains("no models"));
}

/// Failed and chosen cells can be seen.
#[test]
fn marks_are_seen() {
    let (map, art) = blocks([4, 4, 2], &[(Cell::at(0, 0, 0), "blue")]);
    let plain = draw(&map, &art, &options()).unwrap();
    let failed = draw(&map, &art, &options().failed(vec![Cell::at(2, 2, 1)])).unwrap();
    let amber = |p: &&[u8; 4]| p[0] > 150 && p[2] < 110 && p[1] > 70;
    assert!(plain.pixels().iter().filter(amber).count() == 0);
    assert!(failed.pixels().iter().filter(amber).count() > 20);
    for marked in [options().grid(true), options().coordinates(true)] {
        assert_ne!(draw(&map, &art, &marked).unwrap(), plain);
    }
}
