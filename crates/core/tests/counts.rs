//! How many there must be of some poses: against all fills of small spaces, and against the verifier.

use lantern_quilt_core::constraints::{Count, Selector};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::solve::{Cause, Order, Region, fills, smallest_cause};
use lantern_quilt_core::tileset::block::Block;
use lantern_quilt_core::verify::verify;
use lantern_quilt_testkit::maps::layout_of;
use lantern_quilt_testkit::sets;
use rstest::rstest;
use std::collections::BTreeSet;

const ORDERS: [Order; 6] = [
    Order::Entropy,
    Order::Options,
    Order::Random,
    Order::Grow,
    Order::Rows,
    Order::Outward(Cell { x: 0, y: 0, z: 0 }),
];

/// Rules of few poses, of which most pairs may touch.
fn random_rules(lattice: Lattice, stream: &mut Stream) -> Rules {
    let poses = 2 + stream.below(3) as usize;
    let weights: Vec<u64> = (0..poses).map(|_| 1 + stream.below(9)).collect();
    let (bits, loose) = (stream.bits(), stream.below(3) > 0);
    let opposites = sets::opposites(lattice);
    Rules::from_pairs(lattice, &weights, |side, a, b| {
        // Said alike from both sides.
        let (side, a, b) =
            if opposites[side] < side { (opposites[side], b, a) } else { (side, a, b) };
        let at = (side * 16 + a * 4 + b) as u32;
        bits.rotate_left(at) & 1 == 1 || loose && bits.rotate_left(at * 7) & 2 == 2
    })
    .unwrap()
}

/// A small space with some counts, few of which are easy to meet.
fn random_space(lattice: usize, stream: &mut Stream) -> (Rules, Space) {
    let mut below = |end: u64| stream.below(end) as u32;
    let even = lattice == 1 || lattice == 2;
    let size = if even { [1 + below(2), 1, 1] } else { [1 + below(4), 1 + below(2), 1] };
    let wrap = [below(2) == 0, below(2) == 0, below(2) == 0];
    let layout = layout_of(lattice, size, wrap);
    let rules = random_rules(layout.lattice(), stream);
    let poses = rules.poses().len();
    let mut space = Space::new(layout);
    let some = |stream: &mut Stream| {
        let bits = stream.bits();
        PoseSet::from_fn(poses, |pose| bits >> (pose.index() % 64) & 1 == 1)
    };
    if stream.below(4) == 0 {
        let bits = stream.bits();
        let inside = |cell| layout.extent().index(cell).is_some_and(|at| bits >> (at % 64) & 3 > 0);
        space = space.outlined(BitPlane::from_fn(layout.extent(), inside));
    }
    if stream.below(3) == 0 {
        let cell = layout.extent().cell(stream.below(layout.extent().cells() as u64) as usize);
        let held = some(stream);
        space.restrict(Region::Cell(cell), held);
    }
    for _ in 0..=stream.below(2) {
        let cells = space.cells() as u64;
        let least = stream.below(cells + 2);
        let most = (stream.below(2) == 0).then(|| least + stream.below(2));
        space.count(some(stream), if stream.below(4) == 0 { 0 } else { least }, most);
    }
    (rules, space)
}

/// A fill of the space as `fills` gives it.
fn held(run: &Run) -> Vec<PoseId> {
    let extent = run.space().layout().extent();
    let inside = extent.iter().filter(|&cell| run.space().contains(cell));
    inside.map(|cell| run.decided(cell).unwrap()).collect()
}

/// Found just when there is one, by search and by learning alone, in every order, on both engines.
#[rstest]
fn a_fill_is_found_or_there_is_none(#[values(0, 1, 2, 3)] lattice: usize) {
    let (mut none, mut found, mut ways) = (0, 0, BTreeSet::new());
    for number in 0..2500 {
        let mut stream = Seed::from_number(number).stream(&["counts"]);
        let (rules, space) = random_space(lattice, &mut stream);
        if space.cells() == 0 {
            continue;
        }
        let all: BTreeSet<Vec<PoseId>> = fills(&rules, &space, &Limits::default(), &Never)
            .take(4000)
            .map(Result::unwrap)
            .collect();
        let (mut search, whole) = (Search::default(), all.len() < 4000);
        search.order = ORDERS[number as usize % ORDERS.len()];
        (search.climb, search.steer) = (Climb::Proof, number % 5 == 0);
        // Learning alone, when nothing is ever taken back.
        search.patience = if number % 3 == 0 { 0 } else { 100 };
        let job = Job::new(&rules, space.clone()).search(search).seed(Seed::from_number(number));
        let mut run = job.clone().begin().unwrap();
        let mut twin = job.plain(true).begin().unwrap();
        assert_eq!(run.fill(), twin.fill(), "{number}");
        match run.outcome().unwrap() {
            Outcome::Filled => {
                let fill = held(&run);
                assert!(all.contains(&fill) || !whole, "{number}: {fill:?}");
                assert_eq!(fill, held(&twin));
                ways.insert(fill);
                found += 1;
            }
            Outcome::Impossible(_) => {
                assert!(all.is_empty(), "{number}: {} fills", all.len());
                none += 1;
            }
            other => panic!("{number}: {other:?}"),
        }
    }
    assert!(
        none > 500 && found > 500 && ways.len() > 60,
        "{none} without, {found} with, {}",
        ways.len()
    );
}

/// Tiles with one that is rare and one of two cells, counted.
fn garden(lattice: Lattice, counts: &[(&str, u64, Option<u64>)]) -> Collapse {
    let mut set = TilesetBuilder::new(lattice);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    let turns = lattice.turns();
    let sides = |paths: &[usize]| {
        let of = |side: usize| Face::new(if paths.contains(&side) { path } else { moss });
        (0..lattice.sides().len()).map(of).collect::<Vec<_>>()
    };
    set.tile(Tile::new("moss").all(moss).weight(9.0));
    set.tile(Tile::new("lamp").all(moss).weight(0.01));
    set.tile(Tile::new("lane").sides(sides(&[0, 1])).turns(turns).weight(2.0));
    set.tile(Tile::new("end").sides(sides(&[0])).turns(turns).weight(0.3));
    if lattice == Lattice::Square {
        let hall = Tile::new("hall").all(moss).turns(4).weight(0.02);
        set.block(&Block::new(hall, [2, 1, 1]));
    }
    let set = set.build().unwrap();
    let count = |&(tile, least, most): &(&str, u64, Option<u64>)| {
        Count::new(vec![Selector::any(Accept::Tile(set.find(tile).unwrap()))], least, most)
    };
    let counts = counts.iter().map(count).collect();
    Collapse::new("ground", set, Constraints { counts, ..Constraints::default() }).unwrap()
}

fn standing(layer: &Layer, tile: &str) -> usize {
    let cells = layer.extent().iter().filter_map(|cell| layer.get(cell));
    cells.filter(|one| one.tile == tile && one.part.is_none_or(|part| part == [0; 3])).count()
}

/// Every order, lattice and closing edge; where it is filled again, what stands elsewhere counts.
#[rstest]
fn maps_hold_what_is_counted(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box)] lattice: Lattice,
    #[values(false, true)] closed: bool,
    #[values(0, 1, 2, 3, 4, 5)] order: usize,
) {
    let counts = [("lamp", 12, Some(12)), ("lane", 0, Some(40)), ("end", 7, None)];
    let mut ground = garden(lattice, &counts);
    ground.search.order = ORDERS[order];
    ground.search.blocks = order == 0;
    let depth = if lattice.is_solid() { 3 } else { 1 };
    let extent = Extent::new(Cell::default(), [24, 16, depth]).unwrap();
    let wrap = Wrap { x: closed, y: closed, z: closed && depth > 1 };
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    let mut run = ground.job(layout, &Seed::from_number(5)).begin().unwrap();
    assert!(run.fill().is_filled(), "{:?}", run.outcome());
    assert_eq!(run.left_out(), if order == 0 { &[Climb::Blocks][..] } else { &[] });
    let mut layer = ground.layer(&run);
    let judge = |layer: &Layer| {
        let broken = verify(layer, layout, |_| true, ground.tileset(), ground.constraints());
        assert_eq!(broken, []);
    };
    judge(&layer);
    assert_eq!(standing(&layer, "lamp"), 12);
    for seed in 0..3 {
        let part = Extent::new(Cell::new(4 + seed * 3, 3), [9, 8, depth]).unwrap();
        let refill = ground.refill(layout, &layer, part, |_| true).unwrap();
        let mut run = refill.job(&ground, &Seed::from_number(seed as u64)).begin().unwrap();
        assert!(run.fill().is_filled(), "{:?}", run.outcome());
        refill.paste(&ground, &run, &mut layer);
        judge(&layer);
    }
}

/// What cannot be is proved, and the count that is to blame is named.
#[rstest]
#[case::too_many(5, &[("lamp", 3, None), ("moss", 24, None)], &[0, 1], "")]
#[case::one_too_many(5, &[("lamp", 0, Some(4)), ("moss", 26, None)], &[1], "at least 26")]
// Nine cells hold four halls of two.
#[case::no_room(3, &[("hall", 5, Some(5))], &[0], "exactly 5")]
fn what_cannot_be_counted_is_proved(
    #[case] size: u32,
    #[case] counts: &[(&str, u64, Option<u64>)],
    #[case] blamed: &[usize],
    #[case] words: &str,
) {
    let mut ground = garden(Lattice::Square, counts);
    ground.search.climb = Climb::Proof;
    let layout = Layout::flat(Lattice::Square, size, size).unwrap();
    let space = ground.space(layout);
    let mut run = ground.job(layout, &Seed::from_number(1)).begin().unwrap();
    let Outcome::Impossible(at) = run.fill() else { panic!("{:?}", run.outcome()) };
    let broken = at.broken;
    let never = std::sync::atomic::AtomicBool::new(false);
    let cause = smallest_cause(ground.rules(), &space, &ground.limits, &never);
    let Some(Cause::Said { restrictions, rules }) = cause else { panic!("{cause:?}") };
    let restricted = restrictions.len();
    assert_eq!(rules.iter().map(|rule| rule.index()).collect::<Vec<_>>(), blamed, "{restricted}");
    if let Some(broken) = broken.filter(|_| !words.is_empty()) {
        assert_eq!(space.demand(broken.rule).1, words);
    }
}

/// Thousands on a large map, at seeded sites: the same on any engine and however it is sliced.
#[test]
fn many_are_placed_on_a_large_map() {
    let ground = garden(Lattice::Square, &[("lamp", 900, Some(900)), ("hall", 200, Some(260))]);
    let layout = Layout::flat(Lattice::Square, 300, 200).unwrap();
    let job = || ground.job(layout, &Seed::from_number(9));
    let mut run = job().begin().unwrap();
    assert!(run.fill().is_filled(), "{:?}", run.outcome());
    let layer = ground.layer(&run);
    assert_eq!(standing(&layer, "lamp"), 900);
    assert!((200..=260).contains(&standing(&layer, "hall")));
    let mut sliced = job().plain(true).begin().unwrap();
    while sliced.advance(77) == Status::Working {}
    assert!(ground.layer(&sliced) == layer);
    // Other seeds have other sites; no quarter of the map is left out.
    let lamps = |left: bool, top: bool| {
        let cells = layer.extent().iter().filter(|c| (c.x < 150) == left && (c.y < 100) == top);
        cells.filter(|&cell| layer.get(cell).is_some_and(|one| one.tile == "lamp")).count()
    };
    for (left, top) in [(true, true), (true, false), (false, true), (false, false)] {
        assert!((150..300).contains(&lamps(left, top)), "{}", lamps(left, top));
    }
}

/// What is full is not taken away before all that is wanted stands; where that runs into something it is, so that no
/// search goes from cell to cell: counts that share poses, and tiles that need what is full beside them.
#[rstest]
#[case::shared(&[(&[1, 2][..], 6, 6), (&[1], 5, 9)], 24)]
#[case::needed_beside(&[(&[1][..], 6, 6), (&[2], 4, 4)], 400)]
#[case::all_needed_beside(&[(&[1][..], 4, 4), (&[2], 4, 4)], 400)]
fn counts_that_depend_on_each_other_are_met(
    #[case] counts: &[(&[usize], u64, u64)],
    #[case] backtracks: u64,
) {
    // A bridge (2) has water (1) to its west; moss (0) and water go with all.
    let [west, east] =
        [Side::West, Side::East].map(|side| Lattice::Square.side_index(side).unwrap());
    let rules = Rules::from_pairs(Lattice::Square, &[60, 30, 1], |side, here, there| match side {
        _ if side == west => here != 2 || there == 1,
        _ if side == east => there != 2 || here == 1,
        _ => true,
    })
    .unwrap();
    let layout = Layout::flat(Lattice::Square, 40, 40).unwrap();
    let mut space = Space::new(layout);
    let mut of = Vec::new();
    for &(poses, least, most) in counts {
        let set = rules.select(|pose| poses.contains(&pose.tile.index()));
        space.count(set.clone(), least, Some(most));
        of.push((set, least..=most));
    }
    for seed in 0..20 {
        let job = Job::new(&rules, space.clone()).seed(Seed::from_number(seed));
        let mut run = job.begin().unwrap();
        assert!(run.fill().is_filled(), "{seed}: {:?}", run.outcome());
        assert!(run.tally().backtracks <= backtracks, "{seed}: {:?}", run.tally());
        for (set, range) in &of {
            let held =
                layout.extent().iter().filter(|&cell| set.contains(run.decided(cell).unwrap()));
            assert!(range.contains(&(held.count() as u64)), "{seed}");
        }
    }
}
