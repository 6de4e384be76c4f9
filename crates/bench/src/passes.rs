//! Conditions and passes of a recipe on a large map, each against one noise evaluation a cell.

use crate::Row;
use crate::clock::{in_turns, noise, seconds};
use lantern_quilt::grid::{BitPlane, Plane};
use lantern_quilt::map::{Item, Layer, Placed, Terrain, Tilemap};
use lantern_quilt::noise::Noise;
use lantern_quilt::passes::{
    Amount, BandEnd, Becomes, CellSpot, Choice, ClearStep, Condition, CountArea, Density, Facing,
    Metric, NoiseStep, PlaceStep, SetPiece, SiteOrder, StampStep, SurfaceStep, TagStep, Thing,
};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::Pass;
use lantern_quilt_testkit::maps::follow;
use std::sync::Arc;

const SIZE: u32 = 1024;
const GOAL: f64 = 8.7;

fn names(names: &[&str]) -> Vec<String> {
    names.iter().map(|&name| name.to_owned()).collect()
}

/// Blotches of terrain with something of everything on them.
fn ground() -> Tilemap {
    let layout = Layout::flat(Lattice::Square, SIZE, SIZE).expect("small");
    let extent = layout.extent();
    let seed = Seed::from_number(1);
    let mut map = Tilemap::new(layout);
    let bands = [(0.3, "sand"), (0.7, "moss")]
        .map(|(share, terrain)| (BandEnd::Share(share), Becomes::Terrain(terrain.to_owned())));
    let step = NoiseStep::new(Noise::new(9.0), bands.to_vec());
    follow(&Pass::new("ground", step), &mut map, &seed);
    let keyed = seed.keyed(&["bench", "passes"]);
    map.set_heights(Plane::from_values(extent, extent.iter().map(|c| (c.x + c.y) % 5).collect()));
    map.set_tag("walk", Some(BitPlane::from_fn(extent, |c| keyed.below(c, 50) == 0)));
    let mut layer = Layer::new("tiles", extent, vec![Placed::new("fern"), Placed::new("stone")]);
    for cell in extent.iter() {
        layer.set(cell, Some(u32::from(keyed.below(cell, 9) == 0)));
    }
    map.put_layer(layer);
    let lamps = extent.iter().filter(|&cell| keyed.below(cell, 997) == 0);
    map.set_items(lamps.map(|cell| Item::new("lamp", cell)).collect());
    map
}

fn conditions() -> Vec<(&'static str, Condition)> {
    let moss = || Condition::Terrain(names(&["moss"]));
    let walk = || Box::new(Condition::Tag("walk".to_owned()));
    let near = |metric| Condition::Near { what: walk(), least: 0.0, most: 6.0, metric };
    let count = |around| Condition::Count { what: moss().into(), around, least: 3, most: 9 };
    vec![
        ("terrain", moss()),
        ("tile", Condition::Tile { layer: None, tiles: names(&["stone"]) }),
        ("empty", Condition::Empty(None)),
        ("tag", Condition::Tag("walk".to_owned())),
        ("item", Condition::Item(names(&["lamp"]))),
        ("height", Condition::Height { least: 1, most: 3 }),
        ("border", Condition::Border { least: 2, most: 40 }),
        ("box", Condition::Within(Extent::flat(500, 700).expect("small"))),
        ("near, steps", near(Metric::Steps)),
        ("near, straight", near(Metric::Straight)),
        ("count, sides", count(CountArea::Sides)),
        ("count, moore", count(CountArea::Moore)),
        ("count, 3 steps", count(CountArea::Steps(3))),
        ("edge", Condition::Edge(moss().into())),
        ("noise", Condition::Noise { noise: Noise::new(7.0), least: 0.5, most: 1.0 }),
        (
            "all, any, none",
            Condition::All(vec![
                Condition::Any(vec![moss(), *walk()]),
                Condition::None(vec![Condition::Height { least: 4, most: 4 }]),
            ]),
        ),
    ]
}

fn passes() -> Vec<(&'static str, Pass)> {
    let moss = || Condition::Terrain(names(&["moss"]));
    let bands = |bands| Pass::new("bench", NoiseStep::new(Noise::new(9.0), bands));
    let terrain = |terrain: &str| Becomes::Terrain(terrain.to_owned());
    let place = |change: &dyn Fn(&mut PlaceStep)| {
        let what = Thing::Item { name: "fern".into(), looks: vec![1.0; 3], tags: [].into() };
        let part = SetPiece { what, faces: Side::South, at: [0; 2], offset: [0.0; 2] };
        let mut step = PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part] }]);
        change(&mut step);
        Pass::new("bench", step).within(moss())
    };
    let hill = SurfaceStep {
        noise: Noise::new(40.0),
        surface: [300, 800],
        step: Some(2),
        strata: vec![(Some(3), vec![terrain("moss")]), (None, vec![terrain("sand")])],
    };
    let tag = TagStep { add: names(&["new"]), remove: names(&["walk"]) };
    let clear = ClearStep { terrain: true, items: true, layers: names(&["tiles"]) };
    let mut court = Tilemap::new(Layout::flat(Lattice::Square, 6, 4).expect("small"));
    let mut sand = Terrain::new(court.layout().extent());
    (0..24).for_each(|index| sand.lay(index, Some("sand")));
    court.set_terrain(Some(sand));
    let mut chooser = PlaceStep::new(Vec::new());
    (chooser.apart, chooser.facing) = (12.0, Facing::Steps(4));
    let stamp = StampStep::new(chooser, vec![(1.0, Arc::new(court))], Side::South);
    vec![
        ("stamp 12 apart", Pass::new("bench", stamp).within(moss())),
        (
            "noise by value",
            bands(vec![(BandEnd::Value(0.4), terrain("sand")), (BandEnd::Rest, terrain("moss"))]),
        ),
        (
            "noise by share",
            bands(vec![(BandEnd::Share(0.4), terrain("sand")), (BandEnd::Rest, terrain("moss"))]),
        ),
        ("profile", Pass::new("bench", hill)),
        ("tag", Pass::new("bench", tag).within(moss())),
        ("clear", Pass::new("bench", clear).within(moss())),
        ("place by chance", place(&|pass| pass.amount = Amount::Chance(0.05))),
        (
            "place by density",
            place(&|pass| {
                let noise = Noise::new(6.0);
                pass.amount = Amount::Density(Density::Noise { noise, above: 0.5, most: 0.3 });
                (pass.jitter, pass.facing) = ([0.3; 2], Facing::Steps(360));
            }),
        ),
        ("place 4 apart", place(&|pass| pass.apart = 4.0)),
        (
            "place 300, 20 apart",
            place(&|pass| {
                (pass.apart, pass.amount) = (20.0, Amount::Between { least: 300, most: 300 });
            }),
        ),
        (
            "place nearest, facing",
            place(&|pass| {
                pass.apart = 4.0;
                pass.order = SiteOrder::Nearest(Condition::Tag("walk".to_owned()));
                pass.facing = Facing::Towards(Condition::Terrain(names(&["sand"])));
            }),
        ),
        (
            "place on sides",
            place(&|pass| {
                pass.on = CellSpot::SideTowards(Condition::Terrain(names(&["sand"])));
            }),
        ),
        ("place in regions", place(&|pass| pass.on = CellSpot::Region)),
    ]
}

/// Each condition and each pass, with the bytes a cell that it takes besides the map.
pub fn recipe(name: &str, rounds: usize) -> Vec<Row> {
    let (map, seed) = (ground(), Seed::from_number(1));
    let cells = f64::from(SIZE) * f64::from(SIZE);
    let mut rows = Vec::new();
    let mut row = |what: &str, work: &dyn Fn() -> f64| {
        crate::MEMORY.reset_peak_usage();
        let before = crate::MEMORY.current_usage();
        work();
        let bytes = crate::MEMORY.peak_usage().saturating_sub(before) as f64 / cells;
        let pair = in_turns(rounds, |_| work(), |round| noise(SIZE, SIZE, round));
        rows.push(Row {
            case: format!("{name} {what}"),
            ours: format!("{:.1} ns, {bytes:.1} B", pair.ours / cells * 1e9),
            against: format!("noise {:.1} ns", pair.theirs / cells * 1e9),
            value: pair.ratio,
            unit: "x",
            goal: Some(GOAL),
        });
    };
    for (what, condition) in conditions() {
        row(&format!("where {what}"), &|| seconds(|| condition.cells(&map, &seed, "bench")));
    }
    for (what, pass) in passes() {
        row(what, &|| {
            let mut map = map.clone();
            seconds(|| follow(&pass, &mut map, &seed))
        });
    }
    rows
}
