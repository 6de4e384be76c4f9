//! What is known before a fill: against brute force, and against sets with a piece taken out.

use lantern_quilt_core::audit::company::{audit_company, groups, inside, unsurrounded};
use lantern_quilt_core::audit::missing::missing_pieces;
use lantern_quilt_core::audit::trial::{Trials, first_goes};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{Order, Region};
use lantern_quilt_testkit::{brute, sets};
use rstest::rstest;

fn only(rules: &Rules, pose: PoseId) -> PoseSet {
    PoseSet::from_fn(rules.poses().len(), |id| id == pose)
}

/// A block with a pose in its middle.
fn block(rules: &Rules, pose: PoseId, width: u32) -> Space {
    let centre = width as i32 / 2;
    let depth = if rules.lattice().is_solid() { width } else { 1 };
    let corner = Cell { x: -centre, y: -centre, z: if depth > 1 { -centre } else { 0 } };
    let extent = Extent::new(corner, [width, width, depth]).unwrap();
    let mut space = Space::new(Layout::new(rules.lattice(), extent, Wrap::NONE).unwrap());
    space.restrict(Region::Cell(Cell::default()), only(rules, pose));
    space
}

#[rstest]
fn who_can_stand_is_what_brute_force_says(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
) {
    let (mut in_middle, mut not) = (0, 0);
    for number in 0..60 {
        let mut stream = Seed::from_number(number).stream(&["audit", lattice.name()]);
        let set = sets::random_small(lattice, 1 + stream.below(4) as usize, &mut stream);
        let rules = Rules::compile(&set).unwrap();
        let inside = inside(&rules);
        // Taking out by hand, one pose at a time in another order, ends at the same set.
        let mut left: Vec<PoseId> = rules.poses().ids().collect();
        while let Some(at) = left.iter().rposition(|&pose| {
            (0..lattice.sides().len())
                .any(|side| !left.iter().any(|&other| rules.support(side, pose).contains(other)))
        }) {
            left.remove(at);
        }
        assert_eq!(inside.iter().collect::<Vec<_>>(), left, "set {number}");
        let lonely = unsurrounded(&rules, &inside);
        for pose in inside.iter() {
            let Some(exists) = brute::exists(&rules, &block(&rules, pose, 3), 40_000) else {
                continue;
            };
            let found = lonely.iter().find(|(other, _)| *other == pose).map(|&(_, width)| width);
            assert_eq!(!exists, found == Some(3), "set {number}, pose {pose:?}");
            if exists { in_middle += 1 } else { not += 1 }
        }
        // A pose that is taken out has no block at all, of some size.
        for pose in rules.poses().ids().filter(|&pose| !inside.contains(pose)) {
            let width = 2 * rules.poses().len() as u32 + 1;
            let mut run = Job::new(&rules, block(&rules, pose, width.min(9))).begin().unwrap();
            if width <= 9 {
                assert!(!run.fill().is_filled(), "set {number}");
            }
        }
    }
    assert!(in_middle > 50 && not > 5, "{in_middle} with a block, {not} without");
}

/// Every tile of two labels, less those left out by what they show (as bits, by side), turned alike.
fn combinations(lattice: Lattice, without: &[usize]) -> Tileset {
    let mut set = TilesetBuilder::new(lattice);
    let labels = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    let sides = lattice.sides().len();
    let turned = |bits: usize, by: usize| (bits << by | bits >> (sides - by)) & ((1 << sides) - 1);
    for bits in 0..1usize << sides {
        let turns = (0..sides).map(|by| turned(bits, by)).min();
        if turns != Some(bits) || without.contains(&bits) {
            continue;
        }
        let faces = (0..sides).map(|side| labels[bits >> side & 1]);
        let period = (1..=sides).find(|&by| turned(bits, by) == bits).unwrap();
        set.tile(Tile::new(format!("t{bits:b}")).sides(faces).turns(period as u8));
    }
    set.build().unwrap()
}

/// Random sets: each piece named is not in the set, helps as often as is said (counted again here,
/// by other means), and is told in a finding.
#[rstest]
#[case(Lattice::Square, 8, 3)]
#[case(Lattice::HexPointy, 9, 2)]
#[case(Lattice::HexFlat, 9, 2)]
fn pieces_named_help_as_often_as_is_said(
    #[case] lattice: Lattice,
    #[case] tiles: usize,
    #[case] labels: usize,
) {
    let mut trials = Trials::default();
    (trials.size, trials.seeds, trials.pieces) = (20, 25, 3);
    let layout = Layout::flat(lattice, trials.size, trials.size).unwrap();
    let filled = |set: &Tileset| {
        let mut collapse = Collapse::new("trial", set.clone(), Constraints::default()).unwrap();
        let search = &mut collapse.search;
        (search.patience, search.climb, search.attempts) = (0, Climb::Backtrack, 1);
        let fills = |seed: &u64| {
            let mut run = collapse.job(layout, &Seed::from_number(*seed)).begin().unwrap();
            run.fill().is_filled()
        };
        (0..u64::from(trials.seeds)).filter(fills).count() as u32
    };
    let mut named = 0;
    for number in 0..14 {
        let mut stream = Seed::from_number(number).stream(&["missing", lattice.name()]);
        let set = sets::random_turning(lattice, tiles, labels, &mut stream);
        let report = missing_pieces(&set, &Constraints::default(), &trials);
        assert_eq!(report.filled, filled(&set), "set {number}");
        assert_eq!(
            missing_pieces(&set, &Constraints::default(), &trials),
            report,
            "the same again"
        );
        assert!(report.pieces.is_sorted_by(|a, b| a.with_it >= b.with_it));
        let findings = report.findings(&set);
        for (piece, finding) in report.pieces.iter().zip(&findings) {
            let shows = |(tile, orientation)| {
                let sides = lattice.sides().iter().zip(&piece.faces);
                sides.into_iter().all(|(&s, face)| set.faces(tile, orientation, s).contains(face))
            };
            assert!(!set.poses().any(shows), "set {number}: it is there already");
            let mut weights: Vec<u64> =
                set.tiles().iter().map(lantern_quilt_core::tileset::CheckedTile::weight).collect();
            weights.sort_unstable();
            let tile = Tile::new("drawn").sides(piece.faces.clone()).turns(piece.turns);
            let weight = weights[weights.len() / 2] as f64 / 24e6;
            let more = set.with_tile(tile.weight(weight)).unwrap();
            assert_eq!(piece.with_it, filled(&more), "set {number}");
            assert!(piece.with_it >= report.filled && piece.needs > 0);
            let more = (piece.with_it - report.filled) * 50 > report.fills;
            assert!(more || piece.reached * 10 > report.reached * 11 - 10, "set {number}");
            let promise = if piece.with_it > report.filled {
                format!(
                    "{} of 25 maps of 20x20 fill on the first try, currently {}",
                    piece.with_it, report.filled
                )
            } else {
                assert!(piece.reached > report.reached);
                let percent = [piece.reached, report.reached].map(|part| f64::from(part) / 10.0);
                format!("get {:.1} % of the way, currently {:.1} %", percent[0], percent[1])
            };
            assert!(finding.help.contains(&promise), "{}", finding.help);
            named += 1;
        }
    }
    assert!(named >= 1, "no piece named");
}

/// Trial fills go in the order that is asked for; one from a cell beyond the map begins in its middle.
#[rstest]
#[case(Lattice::Square, 8, 3)]
#[case(Lattice::HexFlat, 9, 2)]
fn trials_go_in_their_order(#[case] lattice: Lattice, #[case] tiles: usize, #[case] labels: usize) {
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (16, 20);
    let layout = Layout::flat(lattice, 16, 16).unwrap();
    let (beyond, middle) = (Order::Outward(Cell::new(900, -3)), Order::Outward(Cell::new(8, 8)));
    let orders = [(Order::Random, Order::Random), (Order::Rows, Order::Rows), (beyond, middle)];
    let mut differ = 0;
    for number in 0..14 {
        let mut stream = Seed::from_number(number).stream(&["missing", lattice.name()]);
        let set = sets::random_turning(lattice, tiles, labels, &mut stream);
        let mut collapse = Collapse::new("trial", set.clone(), Constraints::default()).unwrap();
        let search = &mut collapse.search;
        (search.patience, search.climb, search.attempts) = (0, Climb::Backtrack, 1);
        let counts = orders.map(|(asked, taken)| {
            (trials.order, collapse.search.order) = (asked, taken);
            let fills = |seed: &u64| {
                let mut run = collapse.job(layout, &Seed::from_number(*seed)).begin().unwrap();
                run.fill().is_filled()
            };
            let want = (0..20).filter(fills).count() as u32;
            assert_eq!(first_goes(&set, &Constraints::default(), &trials), want, "set {number}");
            want
        });
        assert_eq!(trials.order, beyond);
        assert_eq!(missing_pieces(&set, &Constraints::default(), &trials).filled, counts[2]);
        differ += u32::from(counts.iter().any(|&count| count != counts[0]));
    }
    assert!(differ > 0, "the order plays no part");
}

#[test]
fn a_whole_set_misses_nothing() {
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (16, 10);
    for lattice in [Lattice::Square, Lattice::HexPointy] {
        let report = missing_pieces(&combinations(lattice, &[]), &Constraints::default(), &trials);
        assert_eq!((report.filled, report.pieces.len()), (10, 0));
    }
    // A border that only one label may face asks for nothing that is not there.
    let set = combinations(Lattice::Square, &[]);
    let moss = Accept::Socket(Id::from_index(0));
    let borders: Vec<BorderRule> =
        Lattice::Square.sides().iter().map(|&side| BorderRule::new(side, vec![moss])).collect();
    let constraints = Constraints { borders, ..Constraints::default() };
    assert_eq!(missing_pieces(&set, &constraints, &trials).filled, 10);
    // Without corners of moss it does.
    let set = combinations(Lattice::Square, &[0b0011, 0b0001, 0]);
    let report = missing_pieces(&set, &constraints, &trials);
    assert_eq!(report.filled, 0);
}

#[test]
fn tiles_that_cannot_stand_and_groups_apart_are_named() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path, pond, wall] =
        ["moss", "path", "pond", "wall"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("tree").all(moss));
    // Its east side leads to a tile that leads nowhere.
    set.tile(Tile::new("gate").sides([moss, wall, moss, moss]));
    set.tile(Tile::new("stub").sides([moss, path, moss, wall]));
    set.tile(Tile::new("water").all(pond));
    let set = set.build().unwrap();
    let rules = Rules::compile(&set).unwrap();
    let found: Vec<(Code, String)> = audit_company(&set, &rules)
        .into_iter()
        .map(|finding| (finding.code, finding.message))
        .collect();
    let want = [
        (Code::NeverInside, "`gate` can never stand away from the edge of a map"),
        (Code::NeverInside, "`stub` can never stand away from the edge of a map"),
        (Code::SeparateGroup, "`water` can never share a map with `moss` and the others"),
    ];
    assert_eq!(found, want.map(|(code, text)| (code, text.to_owned())));
    let groups = groups(&rules, &inside(&rules));
    assert_eq!(groups.iter().map(Vec::len).collect::<Vec<_>>(), [2, 1]);
}

/// Neighbours that never agree on the cell between them.
#[test]
fn a_pose_whose_neighbours_never_agree_is_named() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [a, b, c] = ["a", "b", "c"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("plain").all(a));
    // North of it stands `n`, east of it `e`; what lies between them would show c twice.
    set.tile(Tile::new("odd").sides([b, c, a, a]));
    set.tile(Tile::new("n").sides([a, c, b, a]));
    set.tile(Tile::new("e").sides([c, a, a, c]));
    set.tile(Tile::new("s").sides([a, a, c, a]));
    let set = set.build().unwrap();
    let rules = Rules::compile(&set).unwrap();
    let found = audit_company(&set, &rules);
    let lonely: Vec<&str> = found
        .iter()
        .filter(|finding| finding.code == Code::NoSurrounding)
        .map(|finding| finding.message.as_str())
        .collect();
    let said = |name: &str, width: u32| {
        format!("`{name}` cannot be surrounded: no {width}x{width} block has it in the middle")
    };
    // The others follow: each stands beside one of these whatever one does.
    assert_eq!(lonely, [said("odd", 3), said("n", 3), said("e", 3), said("s", 5)]);
}
