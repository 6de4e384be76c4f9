//! What a tileset accepts, what it compiles to, and what the verifier says of a map.

use lantern_quilt_core::audit::{audit, audit_pins};
use lantern_quilt_core::constraints::Sample;
use lantern_quilt_core::finding::{Code, nearest};
use lantern_quilt_core::orient::Frame;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::verify::{Break, verify};
use proptest::prelude::*;
use rstest::rstest;

fn codes(set: TilesetBuilder) -> Vec<Code> {
    set.build()
        .err()
        .map(|error| error.findings)
        .into_iter()
        .flatten()
        .map(|finding| finding.code)
        .collect()
}

#[rstest]
#[case::zero(0.0)]
#[case::negative(-1.0)]
#[case::nan(f64::NAN)]
#[case::infinite(f64::INFINITY)]
#[case::tiny(1e-9)]
#[case::huge(1e9)]
fn bad_weights_are_findings(#[case] weight: f64) {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    set.tile(Tile::new("a").all(moss).weight(weight));
    assert_eq!(codes(set), [Code::BadWeight]);
}

proptest! {
    /// Tiles with a share have it of the summed weights, and the others keep what they have to each other; with one tile
    /// more, as trials of missing pieces have, all of them stay as they are.
    #[test]
    fn shares_are_parts_of_all_weights(
        given in prop::collection::vec((any::<bool>(), 1u32..100), 2..8),
        asked in 1u32..95,
    ) {
        let given: Vec<(bool, f64)> = given.into_iter().map(|(has, size)| (has, size.into())).collect();
        prop_assume!(given.iter().any(|one| one.0) && given.iter().any(|one| !one.0));
        let sized: f64 = given.iter().filter(|one| one.0).map(|one| one.1).sum();
        let share = |size: f64| f64::from(asked) / 100.0 * size / sized;
        let mut set = TilesetBuilder::new(Lattice::Square);
        let moss = set.socket(Socket::plain("moss"));
        for (number, &(has, size)) in given.iter().enumerate() {
            let tile = Tile::new(format!("tile {number}")).all(moss);
            set.tile(if has { tile.share(share(size)) } else { tile.weight(size) });
        }
        let set = set.build().unwrap();
        prop_assert!(set.has_shares());
        let all: f64 = set.tiles().iter().map(|tile| tile.weight() as f64).sum();
        let rest: f64 = given.iter().filter(|one| !one.0).map(|one| one.1).sum();
        for (tile, &(has, size)) in set.tiles().iter().zip(&given) {
            let left = 1.0 - f64::from(asked) / 100.0;
            let want = if has { share(size) } else { size / rest * left };
            prop_assert!((tile.weight() as f64 / all - want).abs() < 1e-5, "{tile:?} of {all}");
        }
        let more = set.with_tile(Tile::new("one more").all(moss)).unwrap();
        prop_assert!(set.tiles().pairs().all(|(id, tile)| more.tiles()[id] == *tile));
    }
}

#[test]
fn all_mistakes_are_reported_at_once() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    set.socket(Socket::plain("moss"));
    set.tile(Tile::new("open").side(Side::North, [moss]));
    set.tile(Tile::new("odd").all(moss).turns(3).weight(0.0));
    set.tile(Tile::new("odd").all(moss).side(Side::Up, [moss]));
    let mut found = codes(set);
    found.sort();
    let mut want = vec![
        Code::DuplicateName,
        Code::DuplicateName,
        Code::MissingSide,
        Code::MissingSide,
        Code::BadTurns,
        Code::BadWeight,
        Code::UnknownSide,
    ];
    want.sort();
    assert_eq!(found, want);
    assert_eq!(codes(TilesetBuilder::new(Lattice::Square)), [Code::NoTiles]);
}

#[rstest]
#[case(Lattice::Square, 1, Mirror::No, 1)]
#[case(Lattice::Square, 2, Mirror::No, 2)]
#[case(Lattice::Square, 4, Mirror::EastWest, 8)]
#[case(Lattice::Square, 1, Mirror::NorthSouth, 2)]
#[case(Lattice::Square, 1, Mirror::Both, 4)]
#[case(Lattice::Square, 2, Mirror::Both, 4)]
#[case(Lattice::HexPointy, 3, Mirror::No, 3)]
#[case(Lattice::HexFlat, 6, Mirror::Both, 12)]
#[case(Lattice::HexFlat, 1, Mirror::NorthSouth, 2)]
fn poses_follow_turns_and_mirrors_and_share_the_weight(
    #[case] lattice: Lattice,
    #[case] turns: u8,
    #[case] mirror: Mirror,
    #[case] want: usize,
) {
    let mut set = TilesetBuilder::new(lattice);
    let moss = set.socket(Socket::plain("moss"));
    set.tile(Tile::new("a").all(moss).turns(turns).mirror(mirror).weight(3.0));
    set.tile(Tile::new("b").all(moss).weight(3.0));
    let rules = Rules::compile(&set.build().unwrap()).unwrap();
    assert_eq!(rules.poses().len(), want + 1);
    let weights: Vec<u64> = rules.weights().iter().copied().collect();
    assert_eq!(weights[..want].iter().sum::<u64>(), weights[want]);
}

/// Sides meet as the table says, whichever of the two cells is asked.
#[test]
fn sockets_meet_as_they_say() {
    let mut set = TilesetBuilder::new(Lattice::Box);
    let plain = set.socket(Socket::plain("plain"));
    let handed = set.socket(Socket::handed("handed"));
    let pond = set.socket(Socket::plain("pond").mate(plain));
    let shy = set.socket(Socket::plain("shy").not_itself().mate(handed));
    let bound = set.socket(Socket::plain("bound").turn_bound());
    set.tile(Tile::new("a").all(plain));
    let set = set.build().unwrap();
    let left = Face::new(handed);
    let right = Face::right(handed);
    let turned = |turns| Face { socket: bound, frame: Frame { turns, flipped: false } };
    let [plain, pond, shy] = [plain, pond, shy].map(Face::new);
    for (a, b, side, want) in [
        (plain, plain, Side::North, true),
        (plain, pond, Side::East, true),
        (pond, pond, Side::East, true),
        (plain, left, Side::East, false),
        (left, right, Side::East, true),
        (left, left, Side::East, false),
        (left, left, Side::Up, true),
        (left, right, Side::Up, false),
        (shy, shy, Side::East, false),
        (shy, left, Side::East, true),
        (shy, right, Side::East, true),
        (turned(1), turned(1), Side::Down, true),
        (turned(1), turned(2), Side::Up, false),
    ] {
        assert_eq!(set.faces_meet(a, b, side), want, "{a:?} {side} {b:?}");
        assert_eq!(set.faces_meet(b, a, side.opposite()), want, "{b:?} back to {a:?}");
    }
}

#[test]
fn the_verifier_lists_every_broken_rule_of_a_map() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let path = set.socket(Socket::plain("path"));
    let hedge = set.tile(Tile::new("hedge").all(moss));
    set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(2));
    let set = set.build().unwrap();
    let layout = Layout::flat(Lattice::Square, 3, 2).unwrap();
    let placed = |tile: &str, turns| {
        Placed::new(tile).oriented(Orientation::new(Lattice::Square, turns, false))
    };
    let mut layer = Layer::new("ground", layout.extent(), Vec::new());
    let (moss_tile, upright) = (layer.add(placed("hedge", 0)), layer.add(placed("straight", 0)));
    let (unknown, sideways) = (layer.add(placed("bench", 0)), layer.add(placed("straight", 1)));
    for (cell, number) in
        [(0, moss_tile), (1, upright), (2, unknown), (3, moss_tile), (4, moss_tile)]
    {
        layer.set(layout.extent().cell(cell), Some(number));
    }
    let constraints = Constraints {
        borders: vec![BorderRule::new(Side::North, vec![Accept::Socket(moss)])],
        pins: vec![Pin::new(Cell::new(0, 1), hedge)],
        ..Constraints::default()
    };
    let breaks = verify(&layer, layout, |_| true, &set, &constraints);
    // The half turn of a straight is a pose; the quarter turn is not.
    layer.set(Cell::new(2, 1), Some(sideways));
    let kinds: Vec<&str> = breaks
        .iter()
        .map(|one| match one {
            Break::Empty { .. } => "empty",
            Break::Unknown { .. } => "unknown",
            Break::Adjacency { .. } => "adjacency",
            Break::Border { .. } => "border",
            _ => "other",
        })
        .collect();
    assert_eq!(kinds, ["border", "adjacency", "unknown", "empty"]);
    assert_eq!(
        breaks[1].to_string(),
        "the south side of (1, 0), path of `straight`, does not meet moss of `hedge` of (1, 1)"
    );
    let breaks = verify(&layer, layout, |cell| cell == Cell::new(2, 1), &set, &constraints);
    assert!(matches!(breaks[..], [Break::Unknown { .. }, ..]), "{breaks:?}");
}

#[test]
fn audit_names_sides_that_nothing_fits_once_a_side() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let rill = set.socket(Socket::plain("rill").not_itself());
    set.socket(Socket::plain("spare"));
    set.tile(Tile::new("hedge").all(moss));
    set.tile(Tile::new("spring").sides([moss, moss, rill, moss]).turns(4));
    let set = set.build().unwrap();
    let rules = Rules::compile(&set).unwrap();
    let accept = vec![Accept::Socket(rill)];
    let borders =
        vec![BorderRule::new(Side::East, accept), BorderRule::new(Side::West, Vec::new())];
    let found = audit(&set, &rules, &Constraints { borders, ..Constraints::default() });
    let text: Vec<String> = found.iter().map(|f| format!("{} {}", f.code, f.subject)).collect();
    assert_eq!(
        text,
        [
            "nothing-fits tiles.spring.sides.south",
            "unused-socket sockets.spare",
            "border-unmet border.west"
        ]
    );
}

#[test]
fn a_pin_outside_the_map_is_a_finding() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let tile = set.tile(Tile::new("hedge").all(moss));
    let set = set.build().unwrap();
    let pin = |x| Pin::new(Cell::new(x, 0), tile);
    let constraints = Constraints { pins: vec![pin(2), pin(3)], ..Constraints::default() };
    let found = audit_pins(&set, &constraints, Extent::flat(3, 3).unwrap());
    assert_eq!(found.len(), 1);
    assert_eq!(
        found[0].to_string(),
        "error[outside-map] cell (3, 0): `hedge` is pinned to (3, 0), outside the map \
         (the map begins at (0, 0) and is 3 x 3 cells large)"
    );
}

#[rstest]
#[case("mos", Some("moss"))]
#[case("edgnig", Some("edging"))]
#[case::as_near_but_begins_alike("row", Some("rows"))]
#[case("lantern", None)]
#[case("", None)]
fn the_nearest_name_is_offered_when_it_is_near(#[case] written: &str, #[case] want: Option<&str>) {
    assert_eq!(nearest(written, ["moss", "path", "edging", "grow", "rows"]), want);
    assert_eq!(nearest(&"x".repeat(10_000), ["moss"]), None);
}

#[test]
fn seeds_and_streams_are_pinned() {
    let seed = Seed::from_text("first lamp");
    let mut stream = seed.stream(&["ground", "fill"]);
    let got: Vec<u64> = (0..3).map(|_| stream.bits()).collect();
    let at = seed.keyed(&["looks"]).bits(Cell::at(-3, 4, 1));
    assert_eq!(Seed::from_text("7"), Seed::from_number(7));
    assert_ne!(
        Seed::from_text("7").stream(&["ab"]).bits(),
        Seed::from_text("7").stream(&["a", "b"]).bits()
    );
    assert_eq!(
        format!("{got:x?} {at:x}"),
        "[ef3e9a7d700fdd20, 14146d87635ac4b, 941e9e3da896d3c] 34cdba382cfaafc5"
    );
}

/// A sample of two bends: what it shows, in the ways it counts.
#[rstest]
#[case(1, Mirror::No, Wrap::NONE, 1)]
#[case(4, Mirror::No, Wrap::NONE, 4)]
#[case(1, Mirror::EastWest, Wrap::NONE, 2)]
#[case(4, Mirror::EastWest, Wrap::NONE, 8)]
#[case(1, Mirror::No, Wrap { x: true, y: false, z: false }, 2)]
#[case(1, Mirror::No, Wrap::FLAT, 4)]
fn a_sample_shows_what_stands_beside_what(
    #[case] turns: u8,
    #[case] mirror: Mirror,
    #[case] wrap: Wrap,
    #[case] pairs: usize,
) {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let bend = set.tile(Tile::new("bend").bare().turns(4).mirror(Mirror::Both));
    let moss = set.tile(Tile::new("moss").bare());
    let set = set.build().unwrap();
    let turned = |turns| Orientation::new(Lattice::Square, turns, false);
    let extent = Extent::new(Cell::default(), [2, 1, 1]).unwrap();
    let layout = Layout::new(Lattice::Square, extent, wrap).unwrap();
    let (first, second) = ((bend, turned(0)), (bend, turned(1)));
    let mut sample =
        Sample { layout, cells: vec![Some(first), Some(second)], turns, mirror, alike: Vec::new() };
    let shown = sample.pairs(&set);
    // Each pair is there from both sides.
    assert_eq!(shown.len(), 2 * pairs);
    assert!(shown.contains_key(&(first, Side::East, second)));
    assert!(shown.contains_key(&(second, Side::West, first)));
    assert_eq!(sample.counts(&set), [2.0, 0.0]);
    // A tile in one pose is the same however the sample is turned; a group shares what it shows.
    sample.cells[1] = Some((moss, turned(0)));
    sample.alike = vec![vec![moss, bend]];
    assert!(sample.shows(&set, first, Side::East, (moss, turned(0))));
    assert!(sample.shows(&set, (moss, turned(0)), Side::East, (moss, turned(0))));
    assert_eq!(sample.counts(&set), [1.0, 1.0]);
    for (here, side, there) in sample.pairs(&set).into_keys() {
        assert!(sample.shows(&set, here, side, there));
    }
}
