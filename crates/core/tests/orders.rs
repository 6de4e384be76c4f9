//! Each order decides cells as it says.

use lantern_quilt_core::grid::Plane;
use lantern_quilt_core::lattice::Extent;
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::Order;
use lantern_quilt_testkit::sets;
use rstest::rstest;

#[derive(Default)]
struct Decided(Vec<Cell>);

impl Observer for Decided {
    fn wants_decisions(&self) -> bool {
        true
    }

    fn decided(&mut self, cell: Cell, _: PoseId) {
        self.0.push(cell);
    }
}

/// The cells a fill decides, in order. No choice of this set can fail or decide another cell.
fn decided(lattice: Lattice, order: Order) -> Vec<Cell> {
    let rules = Rules::from_pairs(lattice, &[3, 2, 1], |_, _, _| true).unwrap();
    let mut search = Search::default();
    search.order = order;
    let space = Space::new(Layout::flat(lattice, 9, 7).unwrap());
    let mut run = Job::new(&rules, space).search(search).begin().unwrap();
    let mut ear = Decided::default();
    assert!(run.fill_with(&Never, &mut ear).is_filled());
    assert_eq!(ear.0.len(), 63);
    ear.0
}

#[rstest]
fn rows_go_from_the_top_and_each_from_the_west(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
) {
    assert!(decided(lattice, Order::Rows).is_sorted_by_key(|cell| (cell.y, cell.x)));
}

#[rstest]
fn outward_goes_by_distance(
    #[values(Lattice::Square, Lattice::HexPointy, Lattice::HexFlat)] lattice: Lattice,
    #[values(Cell::new(4, 3), Cell::new(-1, 6), Cell::new(i32::MAX, i32::MIN))] from: Cell,
) {
    let mut cells = decided(lattice, Order::Outward(from));
    assert!(cells.is_sorted_by_key(|&cell| (lattice.distance(from, cell), cell.y, cell.x)));
    cells.sort_unstable();
    cells.dedup();
    assert_eq!(cells.len(), 63);
}

#[test]
fn random_decides_everywhere() {
    let cells = decided(Lattice::Square, Order::Random);
    assert!(
        !cells.is_sorted()
            && cells[..20].iter().any(|c| c.x > 5)
            && cells[..20].iter().any(|c| c.x < 3)
    );
}

/// A cell that is decided touches one decided before, once the first stands.
#[test]
fn growing_stays_connected() {
    let rules = sets::all_combinations(Lattice::Square, 2);
    let mut search = Search::default();
    search.order = Order::Grow;
    let space = Space::new(Layout::flat(Lattice::Square, 20, 20).unwrap());
    let mut run = Job::new(&rules, space).search(search).begin().unwrap();
    let mut ear = Decided::default();
    assert!(run.fill_with(&Never, &mut ear).is_filled());
    for (number, &cell) in ear.0.iter().enumerate().skip(1) {
        let touches =
            ear.0[..number].iter().any(|&before| Lattice::Square.distance(before, cell) == 1);
        assert!(touches, "{cell} stands alone");
    }
}

/// Fewest options and least entropy part ways where one pose outweighs the others.
#[rstest]
#[case(Order::Entropy, Cell::new(0, 0))]
#[case(Order::Options, Cell::new(1, 0))]
fn entropy_weighs_and_options_count(#[case] order: Order, #[case] want: Cell) {
    // Cell (0, 0) has three poses of which one is nearly sure, (1, 0) two that are as likely.
    let rules = Rules::from_pairs(Lattice::Square, &[1_000_000, 1, 1, 1], |_, _, _| true).unwrap();
    let mut space = Space::new(Layout::flat(Lattice::Square, 2, 1).unwrap());
    let only = |keep: &[usize]| PoseSet::from_fn(4, |pose| keep.contains(&pose.index()));
    space.restrict(lantern_quilt_core::solve::Region::Cell(Cell::new(0, 0)), only(&[0, 1, 2]));
    space.restrict(lantern_quilt_core::solve::Region::Cell(Cell::new(1, 0)), only(&[1, 2]));
    let mut search = Search::default();
    search.order = order;
    let mut run = Job::new(&rules, space).search(search).begin().unwrap();
    let mut ear = Decided::default();
    run.fill_with(&Never, &mut ear);
    assert_eq!(ear.0[0], want);
}

/// The terraces of the demo in small: raised ground, its edging, and paths.
fn terraces(weights: [f64; 9]) -> Rules {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [m, t, p] = ["moss", "tea", "path"].map(|name| Face::new(set.socket(Socket::plain(name))));
    let edging = set.socket(Socket::handed("edging"));
    let (left, right) = (Face::new(edging), Face::right(edging));
    let shapes = [
        ("moss", [m, m, m, m]),
        ("tea", [t, t, t, t]),
        ("edging", [t, left, m, right]),
        ("corner", [right, left, m, m]),
        ("inner", [t, t, left, right]),
        ("straight", [p, m, p, m]),
        ("bend", [p, p, m, m]),
        ("end", [m, m, p, m]),
        ("saddle", [right, left, right, left]),
    ];
    for ((name, sides), weight) in shapes.into_iter().zip(weights) {
        set.tile(Tile::new(name).sides(sides).turns(4).weight(weight));
    }
    Rules::compile(&set.build().unwrap()).unwrap()
}

/// How often each tile stands in a few fills.
fn shares(weights: [f64; 9], steer: bool) -> [f64; 9] {
    let rules = terraces(weights);
    let mut search = Search::default();
    search.steer = steer;
    let mut counts = [0.0; 9];
    for seed in 0..24 {
        let space = Space::new(Layout::flat(Lattice::Square, 60, 60).unwrap());
        let mut run =
            Job::new(&rules, space).search(search).seed(Seed::from_number(seed)).begin().unwrap();
        assert!(run.fill().is_filled());
        for cell in run.space().layout().extent().iter() {
            counts[rules.poses()[run.decided(cell).unwrap()].tile.index()] += 1.0;
        }
    }
    counts.map(|count: f64| count.max(1.0))
}

/// Weights that a map can have, because one had them: filling by them does not give them back
/// unless picks are steered.
#[test]
fn steering_brings_frequencies_to_the_weights() {
    let wanted = shares([6.0, 5.0, 3.0, 1.0, 0.8, 4.0, 1.5, 0.5, 0.1], false);
    let total: f64 = wanted.iter().sum();
    let gap = |steer: bool| {
        let got = shares(wanted.map(|count| count / 100.0), steer);
        let common = got.iter().zip(wanted).filter(|(_, want)| want / total > 0.02);
        common.map(|(got, want)| (got / want - 1.0).abs()).fold(0.0, f64::max)
    };
    let (free, steered) = (gap(false), gap(true));
    assert!(steered < 0.15 && steered < free / 2.0, "steered {steered:.3}, free {free:.3}");
}

/// Total variation of the shares of tiles from those of the weights in the cells that `counted` names.
fn variation(rules: &Rules, run: &Run, counted: impl Fn(Cell) -> bool) -> f64 {
    let mut shares = vec![(0.0, 0.0); rules.poses().len()];
    for (pose, &weight) in rules.weights().pairs() {
        shares[rules.poses()[pose].tile.index()].0 += weight as f64;
    }
    let cells = run.space().layout().extent().iter().filter(|&cell| counted(cell));
    for pose in cells.filter_map(|cell| run.decided(cell)) {
        shares[rules.poses()[pose].tile.index()].1 += 1.0;
    }
    let (all, stand) = shares.iter().fold((0.0, 0.0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
    shares.iter().map(|(want, got)| (want / all - got / stand).abs()).sum::<f64>() / 2.0
}

/// Shares come near the weights where picks are steered, in the first rows as in the last; where cells are drawn at random
/// propagation decides most of those between, and less can be had.
#[rstest]
#[case::few_by_entropy((11, 3), Order::Entropy, 0.04)]
#[case::few_by_rows((11, 3), Order::Rows, 0.04)]
#[case::few_at_random((11, 3), Order::Random, 0.12)]
#[case::more_by_entropy((16, 4), Order::Entropy, 0.07)]
#[case::more_by_rows((16, 4), Order::Rows, 0.07)]
#[case::more_at_random((16, 4), Order::Random, 0.13)]
fn steered_shares_hold_everywhere(
    #[case] (tiles, labels): (usize, usize),
    #[case] order: Order,
    #[case] most: f64,
) {
    let mut stream = Seed::from_number(3).stream(&["bench"]);
    let set = sets::random_turning(Lattice::Square, tiles, labels, &mut stream);
    let rules = Rules::compile(&set).unwrap();
    let fill = |steer: bool| {
        let mut search = Search::default();
        (search.order, search.steer) = (order, steer);
        let space = Space::new(Layout::flat(Lattice::Square, 128, 128).unwrap());
        let mut run = Job::new(&rules, space).search(search).begin().unwrap();
        assert!(run.fill().is_filled());
        run
    };
    let (free, steered) = (fill(false), fill(true));
    let whole = variation(&rules, &steered, |_| true);
    assert!(whole < most && whole < variation(&rules, &free, |_| true) * 0.8, "{whole}");
    for north in [false, true] {
        let half = variation(&rules, &steered, |cell| (cell.y < 64) == north);
        assert!(half < most + 0.03, "north {north}: {half}");
    }
}

/// Nothing touches anything here, so each cell is a draw by its own weights: shares are known.
#[rstest]
fn own_weights_decide_the_shares(
    #[values(Order::Entropy, Order::Grow, Order::Random, Order::Rows)] order: Order,
    #[values(0, 40, 255)] shade: u8,
) {
    let rules = Rules::from_pairs(Lattice::Square, &[3000, 1000, 1000], |_, _, _| true).unwrap();
    let layout = Layout::flat(Lattice::Square, 120, 100).unwrap();
    let mut space = Space::new(layout);
    // Two scales multiply in the east; past the plane of the second nothing is scaled.
    let first = rules.select(|pose| pose.tile.index() == 0);
    space.scale(first.clone(), Plane::new(layout.extent(), shade));
    let east = Extent::new(Cell::new(60, 0), [60, 100, 1]).unwrap();
    space.scale(first, Plane::new(east, 128));
    let mut search = Search::default();
    search.order = order;
    let mut run = Job::new(&rules, space).search(search).begin().unwrap();
    assert!(run.fill().is_filled());
    for (from, half) in [(0, 1.0), (60, 128.0 / 255.0)] {
        let cells = layout.extent().iter().filter(|cell| (from..from + 60).contains(&cell.x));
        let got = cells.filter(|&cell| run.decided(cell).unwrap().index() == 0).count() as f64;
        let weight = (3000.0 * f64::from(shade) / 255.0 * half).max(1.0);
        let want = 6000.0 * weight / (weight + 2000.0);
        assert!((got - want).abs() < 4.0 * want.sqrt() + 1.0, "{got} of {want} from {from}");
    }
}

/// A scale of nothing forbids nothing, and many different scales are told apart less finely.
#[test]
fn own_weights_never_keep_a_fill_from_being_found() {
    let rules = terraces([1.0; 9]);
    let layout = Layout::flat(Lattice::Square, 90, 90).unwrap();
    let mut space = Space::new(layout);
    for tile in 0..9 {
        let poses = rules.select(|pose| pose.tile.index() == tile);
        let mut stream = Seed::from_number(tile as u64).stream(&["shade"]);
        let shades = layout.extent().iter().map(|_| stream.bits() as u8).collect();
        space.scale(poses, Plane::from_values(layout.extent(), shades).unwrap());
    }
    let everything = rules.select(|_| true);
    space.scale(everything, Plane::new(layout.extent(), 0));
    for steer in [false, true] {
        let mut search = Search::default();
        search.steer = steer;
        let job = Job::new(&rules, space.clone()).search(search);
        let (mut run, mut twin) = (job.clone().begin().unwrap(), job.plain(true).begin().unwrap());
        assert_eq!(run.fill(), twin.fill());
        assert!(run.outcome().is_some_and(Outcome::is_filled));
        assert!(layout.extent().iter().all(|cell| run.decided(cell) == twin.decided(cell)));
    }
}
