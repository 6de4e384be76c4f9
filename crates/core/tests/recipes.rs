//! Recipes and their runner: slices, stops, places, errors, and what is done again.

use lantern_quilt_core::autotile::{Kinds, Scheme, ShapeBasis, ShapeSet};
use lantern_quilt_core::limits::Limits;
use lantern_quilt_core::map::{Terrain, Tilemap};
use lantern_quilt_core::noise::Noise;
use lantern_quilt_core::observe::Silent;
use lantern_quilt_core::passes::{
    Amount, Autotile, BandEnd, Becomes, CellSpot, Choice, ClearStep, Coarse, Condition, FillStep,
    Metric, NoiseStep, PlaceStep, Plan, Replace, SetPiece, SiteOrder, StampStep, SurfaceStep,
    TagStep, Thing,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::{MakeError, MakeStatus, Maker, Pass, Recipe};
use lantern_quilt_testkit::maps::{any_map, follow, made};
use rstest::rstest;
use std::cell::Cell as Slot;
use std::error::Error;
use std::sync::Arc;

fn names(names: &[&str]) -> Vec<String> {
    names.iter().map(|&name| name.to_owned()).collect()
}

fn moss() -> Condition {
    Condition::Terrain(names(&["moss"]))
}

fn terrain(name: &str) -> Becomes {
    Becomes::Terrain(name.to_owned())
}

fn shapes(scheme: Scheme) -> ShapeSet {
    let of = ShapeBasis::Terrain {
        on: names(&["moss"]),
        kinds: Kinds::new(names(&["moss"]), Vec::new()),
    };
    // The first half alone: other shapes have something stand in.
    let mut tiles = ShapeSet::arranged("moss", scheme, Lattice::Square, of.same(), 1, Mirror::No);
    tiles.truncate(tiles.len() / 2);
    let name = if scheme == Scheme::Dual { "rims" } else { "moss" };
    ShapeSet::new(name, scheme, Lattice::Square, of, tiles).unwrap()
}

/// Paths through moss.
fn collapse(name: &str) -> Collapse {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("hedge").all(moss).weight(3.0));
    set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4));
    set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
    set.tile(Tile::new("end").sides([path, moss, moss, moss]).turns(4));
    Collapse::new(name, set.build().unwrap(), Constraints::default()).unwrap()
}

/// One pass of every kind.
fn every_kind() -> Vec<Pass> {
    let bands = vec![(BandEnd::Share(0.4), terrain("moss")), (BandEnd::Rest, terrain("sand"))];
    let ground = NoiseStep::new(Noise::new(9.0), bands);
    let strata = vec![(Some(3), vec![terrain("roots"), Becomes::Tag("top".to_owned())])];
    let hill = SurfaceStep { noise: Noise::new(30.0), surface: [4, 90], step: Some(2), strata };
    let near = |metric| Condition::Near { what: moss().into(), least: 0.0, most: 2.0, metric };
    let tag = |metric| {
        let tag = TagStep { add: names(&["shore"]), remove: vec![] };
        Pass::new("shore", tag).within(near(metric))
    };
    let mut plan =
        Terrain { palette: vec![], cells: lantern_quilt_core::map::Indices::new(90_000, 0) };
    (0..90_000).filter(|index| index % 3 > 0).for_each(|index| plan.lay(index, Some("pond")));
    let plan = Plan::of_terrain([300, 300], plan).unwrap().at(Cell::new(4, -4));
    let what = Thing::Item { name: "fern".into(), looks: vec![1.0; 3], tags: [].into() };
    let part = SetPiece { what, faces: Side::South, at: [0; 2], offset: [0.0; 2] };
    let mut ferns = PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part.clone()] }]);
    (ferns.amount, ferns.apart) = (Amount::Between { least: 9, most: 90_000 }, 1.5);
    ferns.order = SiteOrder::Nearest(moss());
    let mut lamps = PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part] }]);
    (lamps.on, lamps.replace) = (CellSpot::Region, Replace::All);
    let mut court = Tilemap::new(Layout::flat(Lattice::Square, 3, 2).unwrap());
    (0..6).for_each(|index| court.terrain_mut().lay(index, Some("slab")));
    let mut chooser = PlaceStep::new(Vec::new());
    chooser.amount = Amount::Chance(0.02);
    let stamp = StampStep::new(chooser, vec![(1.0, Arc::new(court))], Side::South);
    let clear = ClearStep { terrain: true, items: true, layers: names(&["moss"]) };
    let becomes = ["hedge", "bend"].map(|tile| (tile.to_owned(), vec![terrain("moss")])).to_vec();
    let coarse = FillStep::new(collapse("blocks")).coarse(Coarse { block: 8, becomes });
    vec![
        Pass::new("ground", ground),
        Pass::new("hill", hill),
        tag(Metric::Steps),
        tag(Metric::Straight),
        Pass::new("plan", plan).within(Condition::Border { least: 3, most: 200 }),
        Pass::new("shapes", Autotile::new(vec![shapes(Scheme::Eight), shapes(Scheme::Dual)])),
        Pass::new("ferns", ferns).within(moss()),
        Pass::new("lamps", lamps).within(moss()),
        Pass::new("courts", stamp).within(moss()),
        Pass::new("blocks", coarse).within(moss()),
        Pass::new("tiles", FillStep::new(collapse("tiles")))
            .within(Condition::Border { least: 0, most: 1 }),
        Pass::new("clear", clear).within(moss()),
    ]
}

/// Says stop at the question of that number.
struct At(Slot<u32>);

impl Stop for At {
    fn requested(&self) -> bool {
        let left = self.0.get();
        self.0.set(left.wrapping_sub(1));
        left == 0
    }
}

/// Wherever a pass is stopped, it leaves nothing behind; and it goes on.
#[test]
fn a_pass_that_is_stopped_was_never_there() {
    let layout = Layout::flat(Lattice::Square, 300, 300).unwrap();
    let seed = Seed::from_number(6);
    let mut map = made(Recipe::new(every_kind().into_iter().take(1)).maker(layout, &seed)).map;
    for pass in every_kind() {
        let recipe = Recipe::new([pass.clone()]);
        let whole = made(recipe.over(map.clone(), &seed));
        let mut stops = 0;
        loop {
            let mut maker = recipe.over(map.clone(), &seed);
            let stop = At(Slot::new(stops));
            if maker.make_with(&stop, &mut Silent).is_ok() {
                break;
            }
            stops += 1;
            let error = maker.error().unwrap();
            assert!(
                matches!(error, MakeError::Stopped { pass } if *pass == recipe.passes()[0].name)
            );
            assert!(maker.map() == &map && maker.passes().is_empty(), "{}", pass.name);
            maker.make().unwrap();
            assert!(maker.map() == &whole.map && maker.passes() == whole.passes);
        }
        // Of 90 000 cells it asks at least every 65 536.
        assert!(stops > 1, "`{}` never asks", pass.name);
        map = whole.map;
    }
}

/// Owned, sendable, and the same however the work is sliced.
#[rstest]
fn slices_change_nothing(#[values(1, 7, 4097)] steps: u64) {
    fn owned<T: Send + 'static>(value: T) -> T {
        value
    }
    let layout = Layout::flat(Lattice::Square, 24, 18).unwrap();
    let seed = Seed::from_number(3);
    let recipe = Recipe::new(every_kind());
    let whole = made(recipe.maker(layout, &seed));
    let mut maker: Maker = owned(recipe.maker(layout, &seed));
    let mut done = Vec::new();
    loop {
        match maker.advance(steps) {
            MakeStatus::Working => {
                assert!(maker.progress().fill.is_some() && maker.run().is_some());
            }
            MakeStatus::Done(number) => done.push(number),
            MakeStatus::Ended => break,
        }
        assert_eq!(maker.progress().done, done.len());
    }
    assert_eq!(done, (0..recipe.passes().len()).collect::<Vec<_>>());
    let parts = maker.finish();
    assert_eq!((parts.map, parts.passes, parts.fills), (whole.map, whole.passes, whole.fills));
}

/// Where a pass may not work, all stays; where it may, all is as if it worked everywhere.
#[rstest]
#[case::noise(0)]
#[case::plan(4)]
#[case::autotile(5)]
#[case::clear(11)]
fn passes_work_where_they_may(#[case] number: usize) {
    let layout = Layout::flat(Lattice::Square, 12, 9).unwrap();
    let (extent, seed) = (layout.extent(), Seed::from_number(2));
    let values: Vec<u8> = (0..108).map(|value| (value * 37 % 251) as u8).collect();
    let mut before = any_map(layout, &values);
    // Shapes of another time, and the marks of what was missing then.
    let old = Pass::new("old", Autotile::new(vec![shapes(Scheme::Eight)]));
    follow(&old, &mut before, &Seed::from_number(9));
    before.set_terrain(any_map(layout, &values[3..].repeat(2)).terrain().cloned());
    let pass = every_kind().swap_remove(number).within(Condition::default());
    let some = Extent::new(Cell::new(3, 2), [5, 4, 1]).unwrap();
    let inside = pass.clone().within(Condition::Within(some));
    let (mut all, mut part) = (before.clone(), before.clone());
    let told = (follow(&pass, &mut all, &seed), follow(&inside, &mut part, &seed));
    assert!(told.1.cells > 0 && told.1.cells < told.0.cells && part != all, "{told:?}");
    // By share is by the cells that take part, so noise is asked for what is low.
    let ground = |map: &Tilemap, cell| map.terrain().unwrap().at(cell, extent).map(str::to_owned);
    for cell in extent.iter() {
        let want = if some.contains(cell) { &all } else { &before };
        if number > 0 || !some.contains(cell) {
            assert_eq!(ground(&part, cell), ground(want, cell), "{cell}");
        }
        let shown =
            |map: &Tilemap| map.layer("moss").unwrap().get(cell).map(|one| one.tile.clone());
        assert_eq!(shown(&part), shown(want), "{cell}");
    }
    let cells: u64 = told.1.stand_ins.iter().map(|one| one.count).sum();
    let marks =
        part.tag("stand_in").map_or(0, |tag| tag.iter().filter(|c| some.contains(*c)).count());
    assert_eq!(cells as usize, if number == 5 { marks } else { 0 });
}

/// Two tiles that can stand beside nothing.
fn impossible() -> Collapse {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("odd").sides([moss, moss, path, path]));
    Collapse::new("odd", set.build().unwrap(), Constraints::default()).unwrap()
}

#[test]
fn what_cannot_be_made_says_why() {
    let layout = Layout::flat(Lattice::Square, 6, 5).unwrap();
    let make = |recipe: &Recipe, limits: Limits| {
        let mut maker = recipe.maker(layout, &Seed::default()).limits(limits);
        let error = maker.make().unwrap_err();
        assert_eq!(maker.advance(1), MakeStatus::Ended);
        (error, maker.finish())
    };
    let odd = Recipe::new([Pass::new("odd", FillStep::new(impossible()))]);
    let (error, made) = make(&odd, Limits::default());
    assert_eq!(
        error.to_string(),
        "the pass `odd` did not get filled: no pose fits (1, 0), whatever is chosen"
    );
    assert_eq!((made.fills.len(), made.passes.len()), (1, 1));
    assert_eq!(odd.make(layout, &Seed::default()).unwrap_err().to_string(), error.to_string());

    let mut limits = Limits::default();
    limits.cells = 3;
    let (error, made) = make(&odd, limits);
    assert_eq!(error.to_string(), "the pass `odd` cannot begin");
    assert!(
        error.source().is_some()
            && error.with_causes().contains("30 cells are over the limit of 3")
    );
    assert_eq!((made.fills.len(), made.passes.len()), (0, 0));

    // A tile that the rules do not have.
    let what = Thing::Tile { name: "stone".to_owned(), looks: vec![] };
    let part = SetPiece { what, faces: Side::South, at: [0; 2], offset: [0.0; 2] };
    let mut stones = PlaceStep::new(vec![Choice { weight: 1.0, parts: vec![part] }]);
    stones.amount = Amount::Between { least: 1, most: 1 };
    let fill = Pass::new("tiles", FillStep::new(collapse("tiles"))).onto("stones");
    let recipe = Recipe::new([Pass::new("stones", stones.clone()), fill]);
    let (error, made) = make(&recipe, Limits::default());
    assert!(error.with_causes().starts_with("the pass `tiles` cannot be done: "), "{error}");
    assert!(error.source().unwrap().to_string().contains("holds `stone`"));
    assert_eq!(made.passes.len(), 1);

    // More than there is room for, demanded and wished.
    stones.amount = Amount::Between { least: 31, most: 31 };
    let recipe = Recipe::new([Pass::new("stones", stones.clone())]);
    let error = recipe.make(layout, &Seed::default()).unwrap_err();
    assert_eq!(error.to_string(), "`stones` needs 31 and placed 30");
    stones.wished = true;
    let made = Recipe::new([Pass::new("stones", stones)]).make(layout, &Seed::default()).unwrap();
    assert_eq!(made.short().count(), 1);

    let mut strict = shapes(Scheme::Eight);
    strict.strict = true;
    let moss = NoiseStep::new(Noise::new(2.0), vec![(BandEnd::Share(0.5), terrain("moss"))]);
    let laid = [Pass::new("moss", moss), Pass::new("shapes", Autotile::new(vec![strict]))];
    let error = Recipe::new(laid).make(layout, &Seed::default()).unwrap_err();
    assert!(matches!(&error, MakeError::MissingShapes { missing } if !missing.is_empty()));
}
