//! Maps as SVG: another program draws them as we do, and names in them are text.
#![cfg(feature = "draw")]

use lantern_quilt::art::Look;
use lantern_quilt::draw::{DrawOptions, draw, write_svg};
use lantern_quilt::files::Quilt;
use lantern_quilt::map::{Item, Shown};
use lantern_quilt::prelude::*;
use resvg::{tiny_skia, usvg};
use rstest::rstest;
use std::path::Path;

fn svg(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> String {
    let mut text = Vec::new();
    write_svg(map, art, options, &mut text).unwrap();
    String::from_utf8(text).unwrap()
}

/// What another program draws of an SVG: opaque pixels.
fn drawn(text: &str) -> Picture {
    let tree = usvg::Tree::from_str(text, &usvg::Options::default()).unwrap();
    let size = tree.size().to_int_size();
    let mut pixels = tiny_skia::Pixmap::new(size.width(), size.height()).unwrap();
    resvg::render(&tree, tiny_skia::Transform::default(), &mut pixels.as_mut());
    Picture::from_png(&pixels.encode_png().unwrap()).unwrap()
}

/// How many pixels differ by more than rounding.
fn apart(a: &Picture, b: &Picture) -> usize {
    assert_eq!([a.width(), a.height()], [b.width(), b.height()]);
    let differs = |(a, b): (&[u8; 4], &[u8; 4])| (0..3).any(|i| a[i].abs_diff(b[i]) > 3);
    a.pixels().iter().zip(b.pixels()).filter(|&pair| differs(pair)).count()
}

/// Maps of the demos are drawn from their SVG as we draw them; what is turned by free angles or scaled (leaves,
/// the pagoda) and the words of pins aside.
#[rstest]
#[case("terrace", &[])]
#[case("comb", &[])]
#[case("mats", &[])]
#[case("festival", &[])]
#[case("rootway", &[])]
#[case("hillside", &["moon", "bushes", "drips"])]
#[case("market", &["leaves", "pagoda", "musicians"])]
fn another_program_draws_the_same(#[case] name: &str, #[case] hide: &[&str]) {
    let path = format!("{}/../../demos/{name}/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    let quilt = Quilt::open(Path::new(&path)).unwrap_or_else(|report| panic!("{report}"));
    let map = quilt.make(&quilt.seed).unwrap().map;
    let shown = Shown::default().hide(hide.iter().copied());
    let region = Extent::new(Cell::new(2, 3), [18, 14, 1]).unwrap();
    let mut options = quilt.look().shown(shown);
    for region in [None, Some(region)] {
        options.region = region;
        let (ours, theirs) =
            (draw(&map, &quilt.art, &options).unwrap(), drawn(&svg(&map, &quilt.art, &options)));
        assert!(apart(&ours, &theirs) * 500 < ours.pixels().len(), "{}", apart(&ours, &theirs));
    }
}

/// Layers, passes and groups have their names; markup in names is text, and what is hidden is not there.
#[test]
fn names_are_text() {
    let evil = "</svg><script>alert(\"1\" & '2')</script>";
    let mut map = Tilemap::new(Layout::flat(Lattice::HexFlat, 3, 2).unwrap());
    map.origin.quilt = evil.to_owned();
    let layer = map.layer_mut(evil);
    let number = layer.add(Placed { group: Some(evil.to_owned()), ..Placed::new("a") });
    layer.set(Cell::new(0, 0), Some(number));
    let item = |name: &str, look| Item {
        look,
        pass: evil.into(),
        group: Some(evil.into()),
        turn: 25.0,
        ..Item::new(name, Cell::new(1, 1))
    };
    map.set_items(vec![item(evil, Some(0)), item(evil, None), item("lamp", Some(0))]);
    let mut art = TileArt::new([14, 12]);
    art.add_item("lamp", Look::new(Picture::new(4, 4, [9, 200, 9, 255]).unwrap()), None);
    let text = svg(&map, &art, &DrawOptions::default());
    assert!(!text.contains("<script") && text.matches("</svg>").count() == 1, "{text}");
    for name in ["data-layer=\"", "data-group=\"", "data-pass=\"", "data-item=\""] {
        assert!(text.contains(&format!("{name}&lt;/svg&gt;")), "{name} {text}");
    }
    assert!(drawn(&text).pixels().contains(&[9, 200, 9, 255]));
    let hidden = DrawOptions::default().shown(Shown::default().hide([evil]));
    assert!(!svg(&map, &art, &hidden).contains("<use"));
}

/// What is drawn shaded has no SVG, and the size follows the scale.
#[test]
fn svg_is_for_flat_maps() {
    let flat = Tilemap::new(Layout::flat(Lattice::Square, 5, 4).unwrap());
    let art = TileArt::new([8, 8]);
    let text = svg(&flat, &art, &DrawOptions::default().fit(Some([20, 20])));
    assert!(
        text.contains("viewBox=\"0 0 40 32\"")
            && text.contains("width=\"20\"")
            && text.contains("height=\"16\"")
    );
    let layout =
        Layout::new(Lattice::Box, Extent::new(Cell::default(), [2; 3]).unwrap(), Wrap::NONE);
    let error =
        write_svg(&Tilemap::new(layout.unwrap()), &art, &DrawOptions::default(), &mut Vec::new());
    assert!(error.unwrap_err().to_string().contains("only flat maps are written as SVG"));
}
