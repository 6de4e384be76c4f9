//! The verifier and the compiled rules judge alike, though neither reads the other; and failures
//! are told in the artist's words.

use lantern_quilt_core::explain::explain;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::verify::{Break, verify};
use lantern_quilt_testkit::sets;
use rstest::rstest;

/// Random tiles on random cells: nearly every pair is broken somewhere.
#[rstest]
#[case(Lattice::Square, Wrap::NONE)]
#[case(Lattice::Square, Wrap::FLAT)]
#[case(Lattice::HexPointy, Wrap::FLAT)]
#[case(Lattice::HexFlat, Wrap { x: false, y: true, z: false })]
#[case(Lattice::Box, Wrap { x: true, y: false, z: true })]
fn the_verifier_finds_just_the_pairs_that_rules_forbid(
    #[case] lattice: Lattice,
    #[case] wrap: Wrap,
) {
    let depth = if lattice.is_solid() { 3 } else { 1 };
    let extent = Extent::new(Cell::new(-1, 2), [4, 4, depth]).unwrap();
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    let (mut broken, mut misplaced, mut filled) = (0, 0, 0);
    for number in 0..40 {
        let mut stream = Seed::from_number(number).stream(&["judging"]);
        let set = sets::random_small(lattice, 4, &mut stream);
        let constraints = sets::random_constraints(&set, layout, &mut stream);
        let collapse = Collapse::new("ground", set.clone(), constraints).unwrap();
        let (rules, space) = (collapse.rules(), collapse.space(layout));
        let palette = set.poses().map(|(tile, orientation)| Placed {
            part: set.tiles()[tile].part().map(|part| part.at),
            ..Placed::new(set.tiles()[tile].name()).oriented(orientation)
        });
        let mut layer = Layer::new("ground", extent, palette.collect());
        let poses: Vec<PoseId> = extent
            .iter()
            .map(|cell| {
                let pose = stream.below(rules.poses().len() as u64) as u32;
                assert!(layer.set(cell, Some(pose)));
                PoseId::from_index(pose as usize)
            })
            .collect();
        let mut want = Vec::new();
        for (index, cell) in extent.iter().enumerate() {
            for (side_number, &side) in lattice.sides().iter().enumerate() {
                if let Some(beyond) = layout.neighbour(cell, side) {
                    let there = extent.index(beyond).unwrap();
                    let fits = rules.support(side_number, poses[index]).contains(poses[there]);
                    // Rules are symmetric: what is said from one side is said from the other.
                    let opposite = lattice.side_index(side.opposite()).unwrap();
                    assert_eq!(fits, rules.support(opposite, poses[there]).contains(poses[index]));
                    if !fits && index <= there {
                        want.push((cell, side, beyond));
                    }
                }
            }
        }
        let (mut found, mut wrong_here) = (Vec::new(), Vec::new());
        for one in verify(&layer, layout, |_| true, &set, collapse.constraints()) {
            match one {
                Break::Adjacency { cell, side, beyond, .. } => found.push((cell, side, beyond)),
                Break::Border { cell, .. }
                | Break::Limit { cell, .. }
                | Break::Pin { cell, .. } => {
                    wrong_here.push(extent.index(cell).unwrap());
                }
                other => panic!("{other}"),
            }
        }
        assert_eq!(found, want, "set {number}");
        broken += want.len();
        // What a cell may hold by itself: the judge says the same as first domains.
        wrong_here.sort_unstable();
        wrong_here.dedup();
        let kept = |&at: &usize| space.cause(extent.cell(at), poses[at]).is_some();
        assert_eq!(
            wrong_here,
            (0..extent.cells()).filter(kept).collect::<Vec<_>>(),
            "set {number}"
        );
        misplaced += wrong_here.len();
        // And a fill keeps all of it.
        let mut run = collapse.job(layout, &Seed::from_number(number)).begin().unwrap();
        if run.fill().is_filled() {
            let layer = layer_of(&run, &set, "ground");
            assert_eq!(verify(&layer, layout, |_| true, &set, collapse.constraints()), []);
            filled += 1;
        }
    }
    assert!(broken > 500, "only {broken} broken pairs");
    assert!(misplaced > 50 && filled > 3, "{misplaced} misplaced, {filled} filled");
}

/// Rules say what they should of labels: rows are as many as labels, and each pose has one.
#[rstest]
#[case(Lattice::Square, 2, 16)]
#[case(Lattice::HexPointy, 2, 64)]
#[case(Lattice::Box, 2, 64)]
#[case(Lattice::Square, 3, 81)]
fn support_rows_are_labels(#[case] lattice: Lattice, #[case] labels: usize, #[case] poses: usize) {
    let rules = sets::all_combinations(lattice, labels);
    assert_eq!(rules.poses().len(), poses);
    for side in 0..lattice.sides().len() {
        assert_eq!(rules.rows(side).len(), labels);
        for pose in rules.poses().ids() {
            assert_eq!(rules.support(side, pose).len(), poses / labels);
        }
    }
}

#[test]
fn a_contradiction_is_told_in_words() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    let bridge = set.tile(Tile::new("bridge").sides([path, moss, moss, moss]));
    let set = set.build().unwrap();
    // The bridge wants a path in the north, and nothing shows one in the south.
    let pins = vec![Pin::new(Cell::new(1, 1), bridge)];
    let ground =
        Collapse::new("ground", set, Constraints { pins, ..Constraints::default() }).unwrap();
    let layout = Layout::flat(Lattice::Square, 3, 3).unwrap();
    let mut run = ground.job(layout, &Seed::default()).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("{:?}", run.outcome()) };
    insta::assert_snapshot!(explain(&at, run.space(), ground.rules(), ground.tileset()));
}

#[test]
fn memory_is_reckoned_from_above() {
    // More poses, more cells and a wider window never need less.
    let bytes = |poses: usize, side: u32, window: u32| {
        let rules = Rules::from_pairs(Lattice::Square, &vec![1; poses], |_, _, _| true).unwrap();
        let mut search = Search::default();
        search.window = window;
        let space = Space::new(Layout::flat(Lattice::Square, side, side).unwrap());
        Job::new(&rules, space).search(search).most_bytes()
    };
    assert!(bytes(10, 100, 1000) < bytes(10, 200, 1000));
    assert!(bytes(10, 100, 1000) < bytes(10, 100, 100_000));
    assert!(bytes(10, 1000, 1000) < bytes(200, 1000, 1000));
    assert!(bytes(10, 1000, 1000) > 1_000_000 * 2);
}

/// The documented defaults are the real ones.
#[test]
fn defaults_are_as_documented() {
    use lantern_quilt_core::solve::Order;
    let search = Search::default();
    assert_eq!(search.order, Order::Entropy);
    assert!(!search.steer);
    assert_eq!((search.window, search.patience, search.attempts), (16_384, 100, 20));
    assert_eq!(search.climb, Climb::Learn);
    let limits = Limits::default();
    assert_eq!((limits.cells, limits.bytes, limits.steps), (67_108_864, 2 << 30, None));
    assert_eq!(Seed::default().text(), "first lamp");
}
