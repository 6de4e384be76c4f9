//! Ways and walks on large maps, and pictures made smaller.

use crate::Row;
use crate::clock::{in_turns, median, noise, seconds};
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::grid::BitPlane;
use lantern_quilt::map::{Layer, Placed, Tilemap};
use lantern_quilt::passes::{Becomes, Carve, Condition, RouteStep, WalkStep};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::Pass;
use lantern_quilt_testkit::maps::follow;

/// A way to each of 20 targets, over open ground that costs from 1 to 4 a cell: against noise.
pub fn route(name: &str, rounds: usize) -> Vec<Row> {
    const SIDE: u32 = 1024;
    let layout = Layout::flat(Lattice::Square, SIDE, SIDE).expect("small");
    let extent = layout.extent();
    let keyed = Seed::from_number(3).keyed(&["bench", "route"]);
    let mut map = Tilemap::new(layout);
    map.set_tag("rock", Some(BitPlane::from_fn(extent, |cell| keyed.below(cell, 5) == 0)));
    map.set_tag("rough", Some(BitPlane::from_fn(extent, |cell| keyed.below(cell, 3) == 0)));
    let mut targets = BitPlane::new(extent);
    let mut stream = Seed::from_number(4).stream(&["bench", "targets"]);
    while targets.count() < 20 {
        let cell = extent.cell(stream.below(extent.cells() as u64) as usize);
        targets.set(cell, !map.tag("rock").is_some_and(|rock| rock.get(cell)));
    }
    map.set_tag("stall", Some(targets));
    let tag = |tag: &str| Condition::Tag(tag.to_owned());
    let gate = Extent::new(Cell::new(500, 500), [24, 24, 1]).expect("small");
    let route = RouteStep::new(Condition::Within(gate), tag("stall"))
        .through(Condition::None(vec![tag("rock")]))
        .costs(vec![(tag("rough"), 4)])
        .carve(Carve::new(vec![Becomes::Tag("lane".to_owned())]));
    let pass = Pass::new("lanes", route);
    let work = |_| {
        let mut map = map.clone();
        let mut reached = 0;
        let time = seconds(|| {
            let report = follow(&pass, &mut map, &Seed::default());
            reached = report.routed.map_or(0, |routed| routed.ways.len());
        });
        assert_eq!(reached, 20, "every target can be reached");
        time
    };
    let pair = in_turns(rounds, work, |round| noise(SIDE, SIDE, round));
    vec![Row {
        case: format!("{name} {SIDE}x{SIDE}, 20 targets"),
        ours: format!("{:.0} ms", pair.ours * 1e3),
        against: format!("noise {:.1} ms", pair.theirs * 1e3),
        value: pair.ratio,
        unit: "x",
        goal: Some(20.0),
    }]
}

/// Walks of 10^4 to 10^6 steps on one map: how time grows with the steps.
pub fn walk(name: &str, rounds: usize) -> Vec<Row> {
    let layout = Layout::flat(Lattice::Square, 2048, 2048).expect("small");
    let middle = Extent::new(Cell::new(1024, 1024), [1, 1, 1]).expect("small");
    let mut points = Vec::new();
    for steps in [1_000_000_u32, 2_000_000, 4_000_000] {
        let step = WalkStep::new(Condition::Within(middle), [steps; 2])
            .crosses(true)
            .straight(0.6)
            .becomes(vec![Becomes::Tag("walk".to_owned())]);
        let pass = Pass::new("walk", step);
        let times = (0..rounds.max(3)).map(|round| {
            let mut map = Tilemap::new(layout);
            seconds(|| follow(&pass, &mut map, &Seed::from_number(round as u64)))
        });
        points.push((f64::from(steps), median(times.collect())));
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    vec![Row {
        case: format!("{name} of 10^6 steps"),
        ours: format!("{:.0} ms", first.1 * 1e3),
        against: format!("{:.0} ns/step", first.1 * 1e3),
        value: (last.1 / first.1).ln() / (last.0 / first.0).ln(),
        unit: "slope",
        goal: Some(1.1),
    }]
}

/// 400 x 400 cells of 16 pixels drawn at an eighth, against the whole picture with the encoder of small ones; and
/// the whole picture itself.
pub fn pictures(name: &str, rounds: usize) -> Vec<Row> {
    let layout = Layout::flat(Lattice::Square, 400, 400).expect("small");
    let mut art = TileArt::new([16, 16]);
    let keyed = Seed::from_number(5).keyed(&["bench", "pictures"]);
    let mut layer = Layer::new("ground", layout.extent(), Vec::new());
    for number in 0..40_i32 {
        let mut tile = Picture::new(16, 16, [40, 70, 60, 255]).expect("small");
        for (x, y) in (0..16).flat_map(|y| (0..16).map(move |x| (x, y))) {
            // Strokes of a few colours, as in drawn tiles.
            let shade = keyed.below(Cell::at(x / 3, y, number), 6) as u8 * 24;
            tile.set(x as u32, y as u32, [30 + shade, 60 + shade / 2, 50, 255]);
        }
        art.add(format!("t{number}"), tile);
        layer.add(Placed::new(format!("t{number}")));
    }
    for cell in layout.extent().iter() {
        layer.set(cell, Some(keyed.below(cell, 40) as u32));
    }
    let mut map = Tilemap::new(layout);
    map.put_layer(layer);
    let encoded = |picture: &Picture| picture.to_png(&[]).expect("in memory").len();
    // What pictures of any size went through before: every pixel with its alpha, filtered and packed well.
    let before = |_| {
        seconds(|| {
            let picture = draw(&map, &art, &DrawOptions::default()).expect("it has art");
            let mut data = Vec::new();
            let mut encoder = png::Encoder::new(&mut data, picture.width(), picture.height());
            encoder.set_color(png::ColorType::Rgba);
            encoder.set_compression(png::Compression::Balanced);
            let mut writer = encoder.write_header().expect("in memory");
            writer.write_image_data(picture.pixels().as_flattened()).expect("in memory");
            writer.finish().expect("in memory");
            data.len()
        })
    };
    let rounds = rounds.min(3);
    let rows = [("at 1/8", 8, 0.1), ("whole", 1, 1.0)].map(|(what, smaller, goal)| {
        let options = DrawOptions::default().smaller(smaller);
        let ours = |_| seconds(|| encoded(&draw(&map, &art, &options).expect("it has art")));
        let pair = in_turns(rounds, ours, before);
        Row {
            case: format!("{name} {what}, 400x400 cells"),
            ours: format!("{:.0} ms", pair.ours * 1e3),
            against: format!("before {:.0} ms", pair.theirs * 1e3),
            value: pair.ratio,
            unit: "x",
            goal: Some(goal),
        }
    });
    rows.into()
}
