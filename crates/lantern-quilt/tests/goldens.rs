//! Small pictures of every kind, pixel by pixel as they were last looked at.
//!
//! After a change that is meant: `GOLDENS=write cargo test -p lantern-quilt --test goldens`, and look at
//! what changed in `tests/goldens/`.
#![cfg(all(feature = "files", feature = "draw"))]

use lantern_quilt::audit::seams::SeamReport;
use lantern_quilt::autotile::Scheme;
use lantern_quilt::draw::{
    FilmOptions, Steps, TemplateOptions, View, board, draw, film, openness, pack, plan_template,
    template,
};
use lantern_quilt::files::{Quilt, QuiltOptions, write_cells, write_json};
use lantern_quilt::limits::Never;
use lantern_quilt::picture::Picture;
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::MakeStatus;
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;

fn demo(name: &str) -> Quilt {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    Quilt::open(&folder.join(name).join(format!("{name}.quilt.toml"))).unwrap()
}

fn small(quilt: &Quilt, width: u32, height: u32) -> Tilemap {
    let lattice = quilt.layout.lattice();
    let layout = Layout::flat(lattice, width, height).unwrap();
    made(quilt.maker(layout, &Seed::from_text("golden"))).map
}

fn map_of(name: &str, width: u32, height: u32) -> Picture {
    let quilt = demo(name);
    draw(&small(&quilt, width, height), &quilt.art, &quilt.look()).unwrap()
}

fn terrace() -> Picture {
    map_of("terrace", 8, 5)
}

fn comb() -> Picture {
    map_of("comb", 6, 5)
}

fn weave() -> Picture {
    map_of("weave", 6, 5)
}

fn patchwork() -> Picture {
    map_of("patchwork", 7, 5)
}

fn mats() -> Picture {
    map_of("mats", 9, 6)
}

fn hillside() -> Picture {
    map_of("hillside", 20, 14)
}

/// Cells that failed, a grid and coordinates.
fn marked() -> Picture {
    let quilt = demo("terrace");
    let mut look = quilt.look();
    (look.grid, look.coordinates, look.scale) = (true, true, 2);
    look.failed = vec![Cell::new(1, 2)];
    draw(&small(&quilt, 4, 3), &quilt.art, &look).unwrap()
}

fn open_cells() -> Picture {
    let quilt = demo("terrace");
    let layout = Layout::flat(Lattice::Square, 8, 6).unwrap();
    let job = quilt.collapse().unwrap().job(layout, &Seed::from_text("golden"));
    let mut run = job.begin().unwrap();
    while run.progress().decided < 20 {
        run.advance(1);
    }
    openness(&run, [16, 16]).unwrap()
}

fn sheet() -> Picture {
    let quilt = demo("terrace");
    pack(&small(&quilt, 8, 5), &quilt.art).unwrap().sheet
}

fn steps() -> Picture {
    let quilt = demo("mats");
    let layout = Layout::flat(Lattice::Square, 6, 4).unwrap();
    let mut maker = quilt.maker(layout, &Seed::from_text("golden"));
    let mut steps = Steps::new(maker.map().clone(), &quilt.art, quilt.look(), 2);
    loop {
        match maker.advance(u64::MAX) {
            MakeStatus::Working => {}
            MakeStatus::Done(number) => {
                let name = maker.passes()[number].name.clone();
                steps.add(&name, maker.map()).unwrap();
            }
            MakeStatus::Ended => return steps.finish().unwrap(),
        }
    }
}

fn placeholders() -> Picture {
    template(Scheme::Dual, "sheet.png", &TemplateOptions::new(Scheme::Dual)).unwrap().sheet
}

fn swatches() -> Picture {
    let terrains =
        [("moss".to_owned(), [60, 110, 70, 255]), ("water".to_owned(), [40, 70, 120, 255])];
    plan_template([8, 6], &terrains).unwrap().swatches
}

fn rules() -> Picture {
    let quilt = demo("weave");
    let collapse = quilt.collapse().unwrap();
    let (set, rules) = (collapse.tileset(), collapse.rules());
    board("Weave", set, rules, &quilt.art, None, &SeamReport::default(), &[]).unwrap()
}

/// The first frame of a film.
fn filmed() -> Picture {
    let quilt = demo("terrace");
    let layout = Layout::flat(Lattice::Square, 5, 4).unwrap();
    let maker = || quilt.maker(layout, &Seed::from_text("golden"));
    let steps: Vec<u64> = made(maker()).fills.iter().map(|fill| fill.tally.steps).collect();
    let mut options = FilmOptions::default();
    (options.seconds, options.rate) = (0.5, 8);
    let mut out = Vec::new();
    film(maker(), &steps, &quilt.art, &options, &mut out, &Never, &mut |_, _| {}).unwrap();
    Picture::from_png(&out).unwrap()
}

/// Says where two pictures differ: how many pixels, within which box, and the first of them.
fn difference(was: &Picture, is: &Picture) -> Option<String> {
    let size = |picture: &Picture| [picture.width(), picture.height()];
    if size(was) != size(is) {
        return Some(format!("{:?} pixels, they were {:?}", size(is), size(was)));
    }
    let places = (0..is.height()).flat_map(|y| (0..is.width()).map(move |x| (x, y)));
    let other: Vec<(u32, u32)> = places.filter(|&(x, y)| was.get(x, y) != is.get(x, y)).collect();
    let &(x, y) = other.first()?;
    let (left, right) = (other.iter().map(|at| at.0).min()?, other.iter().map(|at| at.0).max()?);
    let below = other.iter().map(|at| at.1).max()?;
    let mut text = format!("{} pixels differ, ", other.len());
    let _ = write!(text, "from column {left} to {right} and row {y} to {below}; ");
    let (now, then) = (is.get(x, y)?, was.get(x, y)?);
    let _ = write!(text, "the first at ({x}, {y}) is {now:?} and was {then:?}");
    Some(text)
}

#[rstest]
#[case("terrace", terrace)]
#[case("comb", comb)]
#[case("weave", weave)]
#[case("patchwork", patchwork)]
#[case("mats", mats)]
#[case("hillside", hillside)]
#[case("marked", marked)]
#[case("openness", open_cells)]
#[case("sheet", sheet)]
#[case("steps", steps)]
#[case("placeholders", placeholders)]
#[case("swatches", swatches)]
#[case("rules", rules)]
#[case("filmed", filmed)]
fn pictures_are_as_they_were(#[case] name: &str, #[case] picture: fn() -> Picture) {
    compare(name, &picture());
}

/// Shaded ones: blocks in colours, and models where they are read.
#[rstest]
#[case("drift", "drift", "boxes", [6, 5, 4], "south_east", 5)]
#[cfg_attr(feature = "models", case("pagoda", "pagoda", "", [8, 7, 8], "south_west", 2))]
#[cfg_attr(feature = "models", case("lane", "lane", "", [20, 10, 1], "top", 5))]
fn shaded_pictures_are_as_they_were(
    #[case] name: &str,
    #[case] quilt: &str,
    #[case] variant: &str,
    #[case] size: [u32; 3],
    #[case] view: &str,
    #[case] seed: u64,
) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(quilt);
    let mut options = QuiltOptions::new();
    if !variant.is_empty() {
        options = options.variant(variant);
    }
    if quilt == "pagoda" {
        options = options.set("pagodas.counts=[]");
    }
    let quilt = Quilt::open_with(&folder.join(format!("{quilt}.quilt.toml")), &options).unwrap();
    let extent = Extent::new(Cell::default(), size).unwrap();
    let layout = Layout::new(quilt.layout.lattice(), extent, Wrap::NONE).unwrap();
    let map = made(quilt.maker(layout, &Seed::from_number(seed))).map;
    let options =
        quilt.look().labels(false).size(Some([192, 120])).view(View::from_name(view).unwrap());
    compare(name, &draw(&map, &quilt.art, &options).unwrap());
}

/// Fails where a picture is not as it was last looked at.
fn compare(name: &str, is: &Picture) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/goldens/{name}.png"));
    if std::env::var_os("GOLDENS").is_some_and(|word| word == "write") {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(&path, is.to_png(&[]).unwrap()).unwrap();
    }
    let was = Picture::from_png(&fs::read(&path).unwrap()).unwrap();
    if let Some(difference) = difference(&was, is) {
        let now = std::env::temp_dir().join(format!("golden-{name}.png"));
        fs::write(&now, is.to_png(&[]).unwrap()).unwrap();
        panic!("{name}: {difference}; the picture as it is now: {}", now.display());
    }
}

/// The difference that a reader of a failing test is told.
#[rstest]
#[case(&[], None)]
#[case(&[(2, 1), (3, 1)], Some("2 pixels differ, from column 2 to 3 and row 1 to 1; the first at (2, 1) is [9, 9, 9, 255] and was [1, 2, 3, 255]"))]
fn differences_are_told(#[case] changed: &[(u32, u32)], #[case] want: Option<&str>) {
    let was = Picture::new(5, 4, [1, 2, 3, 255]).unwrap();
    let mut is = was.clone();
    for &(x, y) in changed {
        is.set(x, y, [9, 9, 9, 255]);
    }
    assert_eq!(difference(&was, &is).as_deref(), want);
}

/// A map as text, in both forms.
#[test]
fn texts_are_as_they_were() {
    let quilt = demo("mats");
    let map = small(&quilt, 3, 2);
    let (mut json, mut csv) = (Vec::new(), Vec::new());
    write_json(&map, &mut json).unwrap();
    write_cells(&map, &mut csv).unwrap();
    insta::assert_snapshot!("json", String::from_utf8(json).unwrap());
    insta::assert_snapshot!("csv", String::from_utf8(csv).unwrap());
}
