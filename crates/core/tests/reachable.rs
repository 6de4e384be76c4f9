//! Shares that a map can have: against every small map there is, maps that were filled, and what can be worked out by hand.

use lantern_quilt_core::audit::reachable::{Reachable, reachable_shares};
use lantern_quilt_core::audit::shares::reached_shares;
use lantern_quilt_core::audit::trial::trial_extent;
use lantern_quilt_core::id::{Id, IdVec, PoseId, TileId};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::tileset::{GroupShare, Tileset};
use lantern_quilt_testkit::maps::layout_of;
use lantern_quilt_testkit::sets;
use proptest::prelude::*;
use rstest::rstest;

/// Lanes that begin and end in moss.
fn lanes(begin: f64, end: f64) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("begin").sides([moss, path, moss, moss]).share(begin));
    set.tile(Tile::new("end").sides([moss, moss, moss, path]).share(end));
    set.build().unwrap()
}

/// Dark and light cells, each of which stands beside the other kind alone; a gate is as good as a light one.
fn boards(dark: f64, gate: f64) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let a = set.socket(Socket::plain("a").not_itself());
    let b = set.socket(Socket::plain("b").not_itself().mate(a));
    set.tile(Tile::new("dark").all(a).share(dark));
    set.tile(Tile::new("light").all(b));
    set.tile(Tile::new("gate").all(b).share(gate));
    set.build().unwrap()
}

/// Towers of a foot, walls and a roof each, side by side.
fn towers(foot: f64, roof: f64) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Box);
    let [wall, air] = ["wall", "air"].map(|name| set.socket(Socket::plain(name)));
    for (name, up, down, share) in
        [("foot", wall, air, foot), ("wall", wall, wall, 0.0), ("roof", air, wall, roof)]
    {
        let tile = Tile::new(name).sides([air, air, air, air, up, down]);
        set.tile(if share > 0.0 { tile.share(share) } else { tile });
    }
    set.build().unwrap()
}

fn found(set: &Tileset, size: u32) -> Reachable {
    reachable_shares(set, &Constraints::default(), size).expect("tiles have shares")
}

/// Nearest shares of two tiles on endless maps, what no map passes, and why. A row of `n` cells may end in the middle of
/// anything, so that figures are off by one cell a row.
#[rstest]
#[case::reached(lanes(0.2, 0.2), [0.2, 0.2], [None, None], &[])]
#[case::balanced(lanes(0.4, 0.1), [0.25, 0.25], [None, None],
    &["only `end` fits the east side of `begin`"])]
#[case::no_more_than_half(lanes(0.7, 0.2), [0.45, 0.45], [Some(0.5), None],
    &["only `end` fits the east side of `begin`"])]
#[case::boards(boards(0.8, 0.1), [0.5, 0.1], [Some(0.5), None],
    &["only `light` and `gate` fit the sides of `dark`"])]
#[case::too_few(boards(0.2, 0.3), [0.5, 0.3], [Some(0.5), None], &[
    "only `dark` fits the sides of `gate`", "only `dark` fits the sides of `light`"])]
#[case::both(boards(0.5, 0.4), [0.5, 0.4], [None, None], &[])]
#[case::towers(towers(0.5, 0.1), [0.3, 0.3], [None, None],
    &["only `roof` fits the down side of `foot`"])]
fn nearest_shares_are_those_worked_out(
    #[case] set: Tileset,
    #[case] nearest: [f64; 2],
    #[case] ends: [Option<f64>; 2],
    #[case] why: &[&str],
) {
    let reach = found(&set, 1000);
    for ((one, nearest), end) in reach.shares.iter().zip(nearest).zip(ends) {
        assert!((one.nearest - nearest).abs() < 0.02, "{nearest}: {reach:?}");
        assert_eq!(one.end.is_some(), end.is_some(), "{reach:?}");
        assert!(one.end.zip(end).is_none_or(|(a, b)| (a - b).abs() < 0.02), "{reach:?}");
    }
    let words: Vec<String> = reach.scarce.iter().map(|one| one.in_words(&set)).collect();
    assert_eq!(words, why);
}

/// What is out of reach, why, and what to do.
#[rstest]
#[case::reached(lanes(0.2, 0.2), [None, None])]
#[case::more(lanes(0.7, 0.2), [
    Some("no map of this size has more than 50.1 % of `begin`: only `end` fits the east side of `begin`; draw more that \
        fits there, or ask for a smaller share"),
    Some("no map of this size has all these shares, the nearest has 45 % of `end`: only `end` fits the east side of \
        `begin`; draw other tiles that fit there, or ask for a larger share"),
])]
#[case::less(boards(0.2, 0.3), [
    Some("no map of this size has less than 50 % of `dark`: only `dark` fits the sides of `gate`; draw other tiles that \
        fit there, or ask for a larger share"),
    None,
])]
fn what_is_out_of_reach_is_explained(#[case] set: Tileset, #[case] told: [Option<&str>; 2]) {
    let reach = found(&set, 1000);
    let all = reach.shares.iter().map(|share| reach.explain(&set, share));
    assert_eq!(all.collect::<Vec<_>>(), told.map(|told| told.map(str::to_owned)));
}

/// Turned tiles are one: what fits the end of a lane fits it whichever way it looks.
#[test]
fn sides_are_named_as_drawn() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let [path, yard] = ["path", "yard"].map(|name| Socket::plain(name).not_itself());
    let (path, yard) = (set.socket(path), set.socket(yard));
    set.mate(path, yard);
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("door").sides([path, moss, moss, moss]).turns(4).share(0.7));
    set.tile(Tile::new("court").sides([yard, moss, moss, moss]).turns(4));
    let set = set.build().unwrap();
    let reach = found(&set, 1000);
    assert_eq!(reach.scarce[0].in_words(&set), "only `court` fits the north side of `door`");
    assert!((reach.shares[0].end.unwrap() - 0.5).abs() < 0.01, "{reach:?}");
}

/// What part of its cells each share has of a map.
fn variation(set: &Tileset, cells: &IdVec<TileId, u64>) -> f64 {
    let off = reached_shares(set, cells).into_iter().map(|one| one.reached - one.wanted);
    let (all, rest) = off.fold((0.0, 0.0), |(all, rest), off| (all + off.abs(), rest + off));
    f64::midpoint(all, f64::abs(rest))
}

/// Every way to put poses into two by two cells, as what each tile has.
fn all_small_maps(rules: &Rules, tiles: usize) -> Vec<IdVec<TileId, u64>> {
    let sides = rules.lattice().sides();
    let [east, south] = [Side::East, Side::South]
        .map(|side| sides.iter().position(|&one| one == side).expect("squares"));
    let fits = |side, a: PoseId, b: PoseId| rules.support(side, a).contains(b);
    let ids = || rules.poses().ids();
    let mut maps = Vec::new();
    for (a, b) in ids().flat_map(|a| ids().map(move |b| (a, b))).filter(|&(a, b)| fits(east, a, b))
    {
        for c in ids().filter(|&c| fits(south, a, c)) {
            for d in ids().filter(|&d| fits(south, b, d) && fits(east, c, d)) {
                let mut cells: IdVec<TileId, u64> = (0..tiles).map(|_| 0).collect();
                for pose in [a, b, c, d] {
                    cells[rules.poses()[pose].tile] += 1;
                }
                maps.push(cells);
            }
        }
    }
    maps
}

proptest! {
    /// No map there is comes nearer than that, or passes an end.
    #[test]
    fn no_map_comes_nearer(tiles in 1usize..4, first in 0.01..0.5f64, second in 0.01..0.5f64, seed: u64) {
        let mut stream = Seed::from_number(seed).stream(&["reach"]);
        let set = sets::random_small(Lattice::Square, tiles, &mut stream);
        let rules = Rules::compile(&set).unwrap();
        let first_of = |number: usize| (number < set.tiles().len()).then(|| TileId::from_index(number));
        let shares = [(0, first), (1, second)].into_iter().filter_map(|(number, share)| {
            let tiles = vec![first_of(number)?];
            Some(GroupShare { name: format!("share {number}"), tiles, share })
        });
        // Of a set of one tile there is no rest for the others.
        let Ok(set) = set.with_shares(&shares.collect::<Vec<_>>()) else { return Ok(()) };
        let small = reachable_shares(&set, &Constraints::default(), 2);
        let maps = all_small_maps(&rules, set.tiles().len());
        let Some(small) = small else {
            prop_assert!(maps.is_empty());
            return Ok(());
        };
        for cells in &maps {
            prop_assert!(variation(&set, cells) > small.variation - 1e-6, "{:?} {:?}", cells, small);
            for (one, limit) in reached_shares(&set, cells).iter().zip(&small.shares) {
                let passes = |end: f64| {
                    if end < one.wanted { one.reached > end + 1e-6 } else { one.reached < end - 1e-6 }
                };
                prop_assert!(!limit.end.is_some_and(passes), "{:?} {:?}", cells, limit);
            }
        }
    }

    /// Nor does any that is filled, on any lattice.
    #[test]
    fn no_fill_comes_nearer(lattice in 0usize..4, tiles in 1usize..5, share in 0.01..0.9f64, seed: u64) {
        let layout = layout_of(lattice, [6, 5, 4], [false; 3]);
        let mut stream = Seed::from_number(seed).stream(&["reach"]);
        let set = sets::random_small(layout.lattice(), tiles, &mut stream);
        let group = GroupShare { name: "some".to_owned(), tiles: vec![TileId::from_index(0)], share };
        let Ok(set) = set.with_shares(&[group]) else { return Ok(()) };
        let size = trial_extent(layout.lattice(), 8);
        let extent = Extent::new(Cell::default(), size).unwrap();
        let layout = Layout::new(layout.lattice(), extent, Wrap::NONE).unwrap();
        let rules = Rules::compile(&set).unwrap();
        let limits = Limits::default().steps(Some(5000));
        let mut run = Job::new(&rules, Space::new(layout)).limits(limits).begin().unwrap();
        if run.fill().is_filled() {
            let mut cells: IdVec<TileId, u64> = set.tiles().ids().map(|_| 0).collect();
            let poses = layout.extent().iter().filter_map(|cell| run.decided(cell));
            poses.for_each(|pose| cells[rules.poses()[pose].tile] += 1);
            let reach = found(&set, 8);
            prop_assert!(variation(&set, &cells) > reach.variation - 1e-6, "{:?}", reach);
            prop_assert_eq!(&found(&set, 8), &reach);
        }
    }
}

#[test]
fn without_shares_there_is_nothing_to_reach() {
    let set = sets::random_small(Lattice::Square, 3, &mut Seed::from_number(1).stream(&["reach"]));
    assert_eq!(reachable_shares(&set, &Constraints::default(), 64), None);
}
