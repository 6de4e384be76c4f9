//! Gardens that keep what holds of the whole map: on every lattice, engine and rung, by the judge that shares nothing with
//! the fill.

use lantern_quilt_core::constraints::{
    Area, Closed, Connected, Constraints, Count, Distance, Selector,
};
use lantern_quilt_core::explain::{Taker, lost};
use lantern_quilt_core::passes::layer_of;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{Order, Status};
use lantern_quilt_core::verify::{Break, verify};
use lantern_quilt_testkit::maps::layout_of;
use rstest::rstest;
use std::collections::BTreeSet;

/// Moss, lamps, and lanes with ends; lanes are tagged.
fn garden(lattice: Lattice) -> Tileset {
    let mut set = TilesetBuilder::new(lattice);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    let walk = set.tag("walk");
    let turns = lattice.turns();
    let sides = |paths: &[usize]| -> Vec<Face> {
        let of = |side: usize| Face::new(if paths.contains(&side) { path } else { moss });
        (0..lattice.sides().len()).map(of).collect()
    };
    set.tile(Tile::new("moss").all(moss).weight(9.0));
    set.tile(Tile::new("lamp").all(moss).weight(0.5));
    for (name, paths, weight) in [
        ("bend", &[0, 1][..], 2.0),
        ("lane", &[0, 2], 3.0),
        ("fork", &[0, 1, 2], 1.0),
        ("end", &[0], 0.3),
    ] {
        set.tile(Tile::new(name).sides(sides(paths)).turns(turns).weight(weight).tag(walk));
    }
    set.build().unwrap()
}

/// What the garden is to keep.
fn demands(set: &Tileset, lanes: u64) -> Constraints {
    let tile = |name| vec![Selector::any(Accept::Tile(set.find(name).unwrap()))];
    let walk = || vec![Selector::any(Accept::Tag(set.tags().pairs().next().unwrap().0))];
    let path = set.sockets().pairs().find(|(_, socket)| socket.name() == "path").unwrap().0;
    let mut closed = Closed::new(vec![path]);
    closed.except = tile("fork");
    Constraints {
        connected: vec![Connected::new(walk()).over(vec![path])],
        closed: vec![closed],
        distances: vec![
            Distance::new(tile("lamp"), tile("lamp")).least(3),
            Distance::new(tile("end"), tile("lamp")).most(4),
        ],
        counts: vec![Count::new(walk(), lanes, None), Count::new(tile("lamp"), 2, None)],
        ..Constraints::default()
    }
}

/// All at once, on every lattice, open and wrapping; and when a part is filled again, the whole map keeps them.
#[rstest]
fn maps_keep_what_holds_of_the_whole(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(false, true)] wraps: bool,
    #[values(Order::Entropy, Order::Rows, Order::FromCentre)] order: Order,
) {
    let size = [[12, 10, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice];
    let layout = layout_of(lattice, size, [wraps; 3]);
    let set = garden(layout.lattice());
    let mut collapse = Collapse::new("ground", set, Constraints::default()).unwrap();
    collapse = Collapse::new("ground", collapse.tileset().clone(), demands(collapse.tileset(), 20))
        .unwrap();
    collapse.search.order = order;
    let keeps =
        |layer: &Layer| verify(layer, layout, |_| true, collapse.tileset(), collapse.constraints());
    for seed in 0..4 {
        let seed = Seed::from_number(seed);
        let mut run = collapse.job(layout, &seed).begin().unwrap();
        assert!(run.fill().is_filled(), "{:?}", run.outcome());
        let mut layer = layer_of(&run, collapse.tileset(), "ground");
        assert_eq!(keeps(&layer), [], "{seed}");
        let middle = layout.extent().cell(layout.extent().cells() / 2);
        let region =
            Extent::new(Cell { x: middle.x - 1, y: middle.y - 1, ..middle }, [4, 3, 1]).unwrap();
        let Some(region) = layout.extent().intersection(&region) else { continue };
        let again = collapse.refill(layout, &layer, region, |_| true).unwrap();
        let mut run = again.job(&collapse, &Seed::from_text("again")).begin().unwrap();
        if run.fill().is_filled() {
            again.paste(&collapse, &run, &mut layer);
            assert_eq!(keeps(&layer), [], "{seed} again");
        }
    }
}

/// A fill that spreads is one structure, which begins where something is pinned; all else is filler. So it is on both
/// engines, and where cells run out and are opened again.
#[rstest]
fn one_start_gives_one_structure(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(false, true)] wraps: bool,
    #[values(0, 100)] patience: u32,
) {
    let size = [[16, 12, 1], [7, 7, 1], [7, 7, 1], [7, 6, 4]][lattice];
    let layout = layout_of(lattice, size, [wraps; 3]);
    let set = garden(layout.lattice());
    let [moss, start] = ["moss", "fork"].map(|name| set.find(name).unwrap());
    let path = set.sockets().pairs().find(|(_, socket)| socket.name() == "path").unwrap().0;
    let (origin, [w, h, d]) = (layout.extent().origin(), layout.extent().size());
    let half = |from: i32, length: u32| from + length as i32 / 2;
    let middle = Cell { x: half(origin.x, w), y: half(origin.y, h), z: half(origin.z, d) };
    let walk = Selector::any(Accept::Tag(set.tags().pairs().next().unwrap().0));
    let mut joined = Connected::new(vec![walk]).over(vec![path]);
    joined.from = Some(Area::Between { least: middle, most: middle });
    let pins = vec![Pin::new(middle, start)];
    let borders = layout.lattice().sides().iter();
    let moss_socket = set.sockets().pairs().find(|(_, socket)| socket.name() == "moss").unwrap().0;
    let borders = borders.map(|&side| BorderRule::new(side, vec![Accept::Socket(moss_socket)]));
    let kept = Constraints { pins, borders: borders.collect(), ..Constraints::default() };
    let mut collapse = Collapse::new("ground", set, kept.clone()).unwrap();
    (collapse.search.order, collapse.search.patience) = (Order::Spread(moss), patience);
    let judged = Constraints { connected: vec![joined], ..kept };
    let mut sizes = BTreeSet::new();
    for seed in 0..8 {
        let job = || collapse.job(layout, &Seed::from_number(seed));
        let mut run = job().begin().unwrap();
        assert!(run.fill().is_filled(), "{:?}", run.outcome());
        let layer = layer_of(&run, collapse.tileset(), "ground");
        assert_eq!(verify(&layer, layout, |_| true, collapse.tileset(), &judged), [], "{seed}");
        let mut twin = job().plain(true).begin().unwrap();
        assert!(twin.fill().is_filled());
        assert!(layer_of(&twin, collapse.tileset(), "ground") == layer, "{seed}");
        let others = |tile: &str| {
            let placed = layout.extent().iter().filter_map(|cell| layer.get(cell));
            placed.filter(|placed| placed.tile != tile).count()
        };
        let lamps = layout.extent().cells() - others("lamp");
        assert_eq!(lamps, 0, "what nothing spreads to is filler");
        sizes.insert(others("moss"));
    }
    assert!(sizes.len() > 2 && sizes.first() > Some(&2), "{sizes:?}");
}

/// A garden with all demands at once, ready to be filled.
fn demanding(layout: Layout, lanes: u64) -> Collapse {
    let set = garden(layout.lattice());
    let constraints = demands(&set, lanes);
    Collapse::new("ground", set, constraints).unwrap()
}

/// What a run decided, cell by cell.
fn decided(run: &Run) -> Vec<Option<PoseId>> {
    run.space().layout().extent().iter().map(|cell| run.decided(cell)).collect()
}

/// However a fill is sliced, in whatever memory and on whatever engine: it is the same.
#[rstest]
fn slices_memory_and_engine_change_nothing(
    #[values(0, 1, 2, 3)] lattice: usize,
    #[values(1, 7, 1000)] slice: u64,
    #[values(Order::Entropy, Order::Rows)] order: Order,
) {
    let layout =
        layout_of(lattice, [[14, 11, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice], [false; 3]);
    let mut collapse = demanding(layout, 24);
    collapse.search.order = order;
    let mut scratch = lantern_quilt_core::solve::Scratch::default();
    for seed in 0..3 {
        let job = || collapse.job(layout, &Seed::from_number(seed));
        let mut whole = job().begin().unwrap();
        assert!(whole.fill().is_filled());
        let mut sliced = job().begin_with(scratch).unwrap();
        while sliced.advance(slice) == Status::Working {}
        let mut checked = job().checked(true).begin().unwrap();
        checked.fill();
        let mut plain = job().plain(true).begin().unwrap();
        plain.fill();
        for other in [&sliced, &checked, &plain] {
            assert_eq!(decided(&whole), decided(other), "{seed}");
        }
        scratch = sliced.into_scratch();
    }
}

/// Large maps keep them as well, and so do those with holes, as far as they are filled.
#[rstest]
#[case::large([150, 120, 1], Order::Entropy, false)]
#[case::rows([150, 120, 1], Order::Rows, false)]
#[case::outward([120, 120, 1], Order::FromCentre, false)]
#[case::holes([40, 30, 1], Order::Random, true)]
fn large_maps_hang_together(#[case] size: [u32; 3], #[case] order: Order, #[case] holes: bool) {
    let layout = layout_of(0, size, [false; 3]);
    let mut collapse = demanding(layout, 400.min(u64::from(size[0] * size[1]) / 4));
    (collapse.search.order, collapse.search.holes) = (order, holes);
    let mut run = collapse.job(layout, &Seed::from_number(5)).begin().unwrap();
    assert!(run.fill().is_filled(), "{:?}", run.outcome());
    let layer = layer_of(&run, collapse.tileset(), "ground");
    let is_hole = |cell: Cell| run.holes().contains(&cell);
    let inside = |cell: Cell| !is_hole(cell);
    let breaks = verify(&layer, layout, inside, collapse.tileset(), collapse.constraints());
    // A side may end at a hole, which is reported; nothing else is broken.
    let left = breaks.iter().filter(|one| !(holes && matches!(one, Break::End { .. }))).count();
    assert_eq!(left, 0, "{breaks:?}");
    let whole = lantern_quilt_core::verify::pieces(
        &layer,
        layout,
        collapse.tileset(),
        &collapse.constraints().connected[0],
    );
    assert_eq!(whole.len(), 1);
}

/// Where nothing may be taken back, the rung that learns finds a map that keeps them, the same however it is sliced; on
/// more than 4096 cells it is left out, which is noted.
#[rstest]
#[case::square(0, [20, 16, 1], true)]
#[case::pointy(1, [9, 8, 1], true)]
#[case::flat(2, [9, 8, 1], true)]
#[case::levels(3, [7, 6, 3], true)]
#[case::larger(0, [26, 24, 1], true)]
#[case::too_large(0, [64, 65, 1], false)]
fn what_is_learned_keeps_them(
    #[case] lattice: usize,
    #[case] size: [u32; 3],
    #[case] is_learned: bool,
) {
    let layout = layout_of(lattice, size, [false; 3]);
    let mut collapse = demanding(layout, layout.extent().cells() as u64 / 5);
    (collapse.search.patience, collapse.search.window, collapse.search.attempts) = (0, 1, 1);
    let mut learned = 0;
    for seed in 0..if layout.extent().cells() > 500 { 1 } else { 5 } {
        let mut runs = [u64::MAX, 97].map(|slice| {
            let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().unwrap();
            while run.advance(slice) == Status::Working {}
            run
        });
        assert_eq!(decided(&runs[0]), decided(&runs[1]), "{seed}");
        let run = &mut runs[0];
        let is_climbed = run.left_out().contains(&Climb::Blocks);
        assert_eq!(run.left_out().contains(&Climb::Learn), is_climbed && !is_learned);
        if !run.outcome().unwrap().is_filled() {
            assert!(!is_learned, "{:?}", run.outcome());
            continue;
        }
        learned += u64::from(run.tally().learned > 0);
        let layer = layer_of(run, collapse.tileset(), "ground");
        let set = collapse.tileset();
        assert_eq!(verify(&layer, layout, |_| true, set, collapse.constraints()), [], "{seed}");
    }
    // Cells with neighbours above and below seldom are cut off.
    assert!(learned > 0 || !is_learned || lattice == 3);
}

/// Halfway through a fill, each lost pose of an open cell is listed once, with what took it; poses that a rule took fit
/// all restrictions and neighbours.
#[rstest]
fn what_cells_lost_is_told(#[values(0, 1, 2, 3)] lattice: usize) {
    let size = [[14, 11, 1], [6, 6, 1], [6, 6, 1], [6, 5, 3]][lattice];
    let layout = layout_of(lattice, size, [false; 3]);
    let mut collapse = demanding(layout, 24);
    collapse.search.order = Order::Rows;
    let (mut by_rule, mut by_side) = (0, 0);
    let meets = |a: &PoseSet, b: &PoseSet| a.iter().any(|pose| b.contains(pose));
    for seed in 0..3 {
        let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().unwrap();
        while run.advance(20) == Status::Working {
            for cell in layout.extent().iter() {
                let left = run.domain(cell).unwrap();
                let told = lost(&run, cell);
                if left.len() < 2 {
                    assert!(told.is_empty());
                    continue;
                }
                let mut all = left.clone();
                for (by, poses) in told {
                    assert!(!poses.is_empty() && !meets(&poses, &all), "told once");
                    all.unite(&poses);
                    let fits = |(side, pose): (usize, PoseId)| {
                        let named = layout.lattice().sides()[side];
                        let beyond = run.space().neighbour(cell, named);
                        let support = run.rules().support(side, pose);
                        beyond.is_none_or(|beyond| meets(&run.domain(beyond).unwrap(), support))
                    };
                    let sides = 0..layout.lattice().sides().len();
                    let fits_all = |pose| sides.clone().all(|side| fits((side, pose)));
                    let is_free = |pose| run.space().cause(cell, pose).is_none();
                    match by {
                        Taker::Rule(_) => {
                            by_rule += 1;
                            assert!(poses.iter().all(|pose| fits_all(pose) && is_free(pose)));
                        }
                        Taker::Neighbour(side) => {
                            by_side += 1;
                            let side = layout.lattice().side_index(side).unwrap();
                            assert!(poses.iter().all(|pose| !fits((side, pose)) && is_free(pose)));
                        }
                        Taker::Restriction(_) => assert!(!poses.iter().any(is_free)),
                    }
                }
            }
        }
    }
    assert!(by_rule > 0 && by_side > 0, "{by_rule} {by_side}");
}
