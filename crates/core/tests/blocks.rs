//! Tiles of several cells, counts, sides told by pixels, and where pairs come from.

use lantern_quilt_core::audit::labels::odd_labels;
use lantern_quilt_core::audit::origins::pair_origins;
use lantern_quilt_core::audit::room::{audit_counts, fails_to_begin};
use lantern_quilt_core::audit::seams::seams;
use lantern_quilt_core::constraints::{Count, PairRule, Selector};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::Outcome;
use lantern_quilt_core::tileset::block::{Block, Part};
use lantern_quilt_core::tileset::pixels::{Pixel, SideRows};
use lantern_quilt_core::verify::{Break, verify};
use lantern_quilt_testkit::sets;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeMap;

/// How many of each tile of several cells stand in a layer, all of them whole.
fn whole(layer: &Layer, layout: Layout, set: &Tileset) -> BTreeMap<String, usize> {
    let mut parts: BTreeMap<(Cell, String, Orientation), Vec<[u32; 3]>> = BTreeMap::new();
    let extent = layout.extent();
    for cell in extent.iter() {
        let placed = layer.get(cell).expect("filled");
        let Some(at) = placed.part else { continue };
        let tile = set.find_at(&placed.tile, placed.part).unwrap();
        let span = set.tiles()[tile].part().unwrap().span;
        let [x, y, z] = Part { at, span }.placed(placed.orientation).map(|step| step as i32);
        let corner = Cell { x: cell.x - x, y: cell.y - y, z: cell.z - z };
        parts.entry((corner, placed.tile.clone(), placed.orientation)).or_default().push(at);
    }
    let mut counts = BTreeMap::new();
    for ((corner, name, _), mut at) in parts {
        let tile = set.find(&name).unwrap();
        let cells: u32 = set.tiles()[tile].part().unwrap().span.into_iter().product();
        at.sort_unstable();
        at.dedup();
        assert_eq!(at.len(), cells as usize, "`{name}` at {corner} is cut");
        *counts.entry(name).or_default() += 1;
    }
    counts
}

#[rstest]
#[case::pair(Lattice::Square, [2, 1, 1], Mirror::No, Wrap::NONE)]
#[case::pair_on_a_ring(Lattice::Square, [2, 1, 1], Mirror::Both, Wrap { x: true, y: false, z: false })]
#[case::crooked(Lattice::Square, [3, 2, 1], Mirror::EastWest, Wrap::NONE)]
#[case::solid(Lattice::Box, [2, 1, 2], Mirror::NorthSouth, Wrap::NONE)]
fn tiles_of_several_cells_stand_whole(
    #[case] lattice: Lattice,
    #[case] span: [u32; 3],
    #[case] mirror: Mirror,
    #[case] wrap: Wrap,
    #[values(1, 2, 4)] turns: u8,
) {
    let mut set = TilesetBuilder::new(lattice);
    let moss = set.socket(Socket::plain("moss"));
    let path = set.socket(Socket::plain("path"));
    set.tile(Tile::new("moss").all(moss).weight(4.0));
    let mut step = Tile::new("step").side(Side::North, [path]);
    for &side in lattice.sides().iter().filter(|&&side| side != Side::North) {
        step = step.side(side, [moss]);
    }
    set.tile(step.turns(4));
    let hall = Tile::new("hall").all(moss).weight(8.0).turns(turns).mirror(mirror);
    let parts = set.block(&Block::new(hall, span).part([0, 0, 0], Side::North, [path]));
    assert_eq!(parts.len() as u32, span.into_iter().product::<u32>());
    let set = set.build().unwrap();
    assert_eq!(set.find_part("hall", [1, 0, 0]), Some(parts[1]));
    let constraints = Constraints {
        // Lists make no difference between the parts of a tile.
        pairs: vec![
            PairRule {
                allow: true,
                from: parts.iter().map(|&part| Selector::any(Accept::Tile(part))).collect(),
                beside: vec![Selector::any(Accept::Socket(moss))],
                sides: lattice.sides().to_vec(),
            },
            PairRule {
                allow: false,
                from: parts.iter().map(|&part| Selector::any(Accept::Tile(part))).collect(),
                beside: parts.iter().map(|&part| Selector::any(Accept::Tile(part))).collect(),
                sides: lattice.sides().to_vec(),
            },
        ],
        ..Constraints::default()
    };
    let collapse = Collapse::new("ground", set, constraints).unwrap();
    let size = if lattice.is_solid() { [6, 5, 3] } else { [14, 11, 1] };
    let extent = Extent::new(Cell { x: -3, y: 2, z: 0 }, size).unwrap();
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    let mut seen = 0;
    for seed in 0..10 {
        let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().unwrap();
        assert!(run.fill().is_filled(), "seed {seed}: {:?}", run.outcome());
        let mut layer = layer_of(&run, collapse.tileset(), "ground");
        let judge = |layer: &Layer| {
            verify(layer, layout, |_| true, collapse.tileset(), collapse.constraints())
        };
        assert_eq!(judge(&layer), []);
        seen += if wrap.x {
            layer.palette().iter().filter(|placed| placed.part.is_some()).count()
        } else {
            whole(&layer, layout, collapse.tileset()).get("hall").copied().unwrap_or(0)
        };
        // A part out of its place is told of.
        let part = layer.palette().iter().position(|placed| placed.part.is_some()).unwrap();
        let bare = extent.iter().find(|&cell| layer.get(cell).unwrap().part.is_none());
        layer.set(bare.unwrap(), Some(part as u32));
        assert!(!judge(&layer).is_empty());
    }
    assert!(seen > 10, "{seen}");
}

/// Two squares of a path to the west, and whatever else is there.
fn little() -> (Tileset, [lantern_quilt_core::id::TileId; 2]) {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let water = set.tag("water");
    let plain = set.tile(Tile::new("moss").all(moss));
    let pond = set.tile(Tile::new("pond").all(moss).tag(water));
    set.block(&Block::new(Tile::new("hall").all(moss), [3, 2, 1]));
    (set.build().unwrap(), [plain, pond])
}

#[rstest]
#[case::fits(&[(0, 0, Some(3)), (1, 0, None)], &[], &[])]
#[case::too_many(&[(1, 17, None)], &[], &["17 of tile `pond` are wanted, but 16 at most may stand in this map"])]
#[case::blocks(&[(2, 3, None)], &[], &["3 of tile `hall` are wanted, but 2 at most may stand in this map"])]
#[case::pinned(&[(1, 0, Some(1))], &[1, 1], &["1 of tile `pond` are allowed, but 2 are pinned"])]
#[case::pins_leave_no_room(&[(1, 16, None)], &[0], &["16 of tile `pond` are wanted, but 15 at most may stand in this map"])]
#[case::within(&[(1, 5, None), (3, 0, Some(4))], &[], &["4 of tag `water` are allowed, but 5 of tile `pond`, which are among them, are wanted"])]
#[case::together(&[(0, 10, None), (1, 7, None)], &[], &["the counts together want 17 cells, the map has 16"])]
fn counts_are_checked_for_sense(
    #[case] counts: &[(usize, u64, Option<u64>)],
    #[case] pinned: &[usize],
    #[case] want: &[&str],
) {
    let (set, tiles) = little();
    let hall = set.find("hall").unwrap();
    let water = set.tiles()[tiles[1]].tags()[0];
    let whats =
        [Accept::Tile(tiles[0]), Accept::Tile(tiles[1]), Accept::Tile(hall), Accept::Tag(water)];
    let count =
        |&(what, least, most): &_| Count::new(vec![Selector::any(whats[what])], least, most);
    let counts = counts.iter().map(count);
    let pins = pinned.iter().enumerate();
    let pins = pins.map(|(at, &tile)| Pin::new(Cell::new(at as i32, 0), tiles[tile]));
    let constraints =
        Constraints { counts: counts.collect(), pins: pins.collect(), ..Constraints::default() };
    let collapse = Collapse::new("ground", set, constraints).unwrap();
    let layout = Layout::flat(Lattice::Square, 4, 4).unwrap();
    let space = collapse.space(layout);
    let found = audit_counts(collapse.tileset(), collapse.rules(), collapse.constraints(), &space);
    assert_eq!(found.iter().map(|f| f.message.as_str()).collect::<Vec<_>>(), want);
    assert!(found.iter().all(|finding| finding.code == Code::CountUnmet));
    // What makes no sense is never filled, and what is filled keeps its counts.
    let mut run = collapse.job(layout, &Seed::default()).begin().unwrap();
    assert_eq!(run.fill().is_filled(), want.is_empty());
    let all_moss = Layer::new("ground", layout.extent(), vec![Placed::new("moss")]);
    let mut layer = all_moss;
    layout.extent().iter().for_each(|cell| assert!(layer.set(cell, Some(0))));
    let breaks = verify(&layer, layout, |_| true, collapse.tileset(), collapse.constraints());
    let wrong = breaks.iter().filter(|b| matches!(b, Break::Count { .. })).count();
    let all = collapse.constraints().counts.iter();
    let expected = all.filter(|count| {
        let found = if count.kinds[0].what == whats[0] { 16 } else { 0 };
        found < count.least || count.most.is_some_and(|most| found > most)
    });
    assert_eq!(wrong, expected.count());
}

/// A map too small for its borders is told of before anything is filled.
#[test]
fn a_map_without_room_is_told_of() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, wall, gate] = ["moss", "wall", "gate"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("west").sides([moss, moss, moss, wall]));
    set.tile(Tile::new("east").sides([moss, gate, moss, moss]));
    let set = set.build().unwrap();
    let border = |side, socket| BorderRule::new(side, vec![Accept::Socket(socket)]);
    let constraints = Constraints {
        borders: vec![border(Side::West, wall), border(Side::East, gate)],
        ..Constraints::default()
    };
    let collapse = Collapse::new("ground", set, constraints).unwrap();
    for (width, fits) in [(1, false), (2, true), (3, true)] {
        let space = collapse.space(Layout::flat(Lattice::Square, width, 2).unwrap());
        let ended = fails_to_begin(collapse.rules(), &space);
        assert_eq!(ended.is_none(), fits, "{width}");
        let Some(Outcome::Impossible(stop)) = ended.as_ref().and_then(Run::outcome) else {
            continue;
        };
        assert_eq!(stop.cell, Cell::default());
    }
}

proptest! {
    /// Sides met by their pixels are those whose pixels are close: asked one by one.
    #[test]
    fn pixels_meet_when_they_are_close(
        rows in prop::collection::vec(prop::collection::vec(0u8..4, 3), 1..9),
        tolerance in 0u8..3,
    ) {
        let pixels = |row: &[u8]| -> Vec<Pixel> { row.iter().map(|&v| [v * 2, v, 9, 255]).collect() };
        let mut known = SideRows::new(tolerance);
        let shown: Vec<_> = rows
            .iter()
            .enumerate()
            .map(|(number, row)| known.add(&format!("row {number}"), pixels(row)))
            .collect();
        let mut set = TilesetBuilder::new(Lattice::Square);
        let sockets = known.sockets(&mut set);
        for (number, &row) in shown.iter().enumerate() {
            set.tile(Tile::new(format!("t{number}")).all(sockets.face(row)).mirror(Mirror::Both).turns(4));
        }
        let set = set.build().unwrap();
        let close = |a: &[u8], b: &[u8], mirrored: bool| {
            let far = |(&a, &b): (&u8, &u8)| a.abs_diff(b) * 2 > tolerance;
            // What lies beyond reads its row from the other end.
            let mut b: Vec<u8> = b.to_vec();
            if !mirrored {
                b.reverse();
            }
            !a.iter().zip(&b).any(far)
        };
        for (a, row) in rows.iter().enumerate() {
            for (b, other) in rows.iter().enumerate() {
                for mirrored in [false, true] {
                    let turned = Orientation::new(Lattice::Square, 0, mirrored);
                    let id = |number: usize| set.find(&format!("t{number}")).unwrap();
                    let (id_a, id_b) = (id(a), id(b));
                    let here = set.faces(id_a, Orientation::AS_DRAWN, Side::East)[0];
                    let there = set.faces(id_b, turned, Side::West)[0];
                    prop_assert_eq!(
                        set.faces_meet(here, there, Side::East),
                        close(row, other, mirrored),
                        "{:?} {:?} {}", row, other, mirrored
                    );
                }
            }
        }
    }

    /// The table of pairs says of each pair what the compiled rules say.
    #[test]
    fn origins_are_those_of_the_rules(seed in 0u64..60, lattice in 0usize..4) {
        let lattice = Lattice::ALL[lattice];
        let mut stream = Seed::from_number(seed).stream(&["origins"]);
        let set = sets::random_small(lattice, 3, &mut stream);
        let size = if lattice.is_solid() { [3, 3, 2] } else { [4, 4, 1] };
        let extent = Extent::new(Cell::default(), size).unwrap();
        let layout = Layout::new(lattice, extent, Wrap::NONE).unwrap();
        let constraints = sets::random_constraints(&set, layout, &mut stream);
        let rules = Rules::compile_with(&set, &constraints).unwrap();
        let number = |posed| set.poses().position(|pose| pose == posed).unwrap();
        let mut touching = 0;
        for pair in pair_origins(&set, &constraints) {
            let side = lattice.side_index(pair.side).unwrap();
            let support = rules.support(side, Id::from_index(number(pair.a)));
            prop_assert_eq!(support.contains(Id::from_index(number(pair.b))), pair.may_touch);
            prop_assert!(!pair.because(&set).is_empty());
            touching += usize::from(pair.may_touch);
        }
        let half = lattice.sides().iter().enumerate().filter(|(n, side)| {
            lattice.side_index(side.opposite()).unwrap() > *n
        });
        let all: usize = half
            .map(|(side, _)| rules.poses().ids().map(|pose| rules.support(side, pose).len()).sum::<usize>())
            .sum();
        prop_assert_eq!(touching, all);
    }
}

/// A side whose picture contradicts its label is found, and what it looks like is named.
#[test]
fn seams_find_a_wrong_label() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let path = set.socket(Socket::plain("path"));
    for number in 0..6 {
        let tile = Tile::new(format!("bend {number}"));
        // The last one is labelled wrong: it is painted as the others are.
        let faces = if number == 5 { [path, path, moss, path] } else { [path, path, moss, moss] };
        set.tile(tile.sides(faces).turns(4));
    }
    let set = set.build().unwrap();
    let rules = Rules::compile(&set).unwrap();
    let row = |_, orientation: Orientation, side: Side| {
        let drawn = orientation.inverse(Lattice::Square).side(Lattice::Square, side);
        let is_path = [Side::North, Side::East].contains(&drawn);
        Some(vec![if is_path { [220, 200, 150, 255] } else { [30, 70, 40, 255] }; 8])
    };
    let report = seams(&set, &rules, row);
    let found = odd_labels(&set, |tile, side| row(tile, Orientation::AS_DRAWN, side));
    let [odd] = &found[..] else { panic!("{found:?}") };
    assert_eq!((set.tiles()[odd.tile].name(), odd.sides[0].side), ("bend 5", Side::West));
    assert_eq!(odd.sides[0].looks_like, Some((Face::new(moss), 0)));
    assert_eq!(report.worst[0].difference, 143);
    let finding = odd.finding(&set);
    assert_eq!(finding.code, Code::OddSide);
    let sound =
        "`sides = { north = \"path\", east = \"path\", south = \"moss\", west = \"moss\" }`";
    assert!(finding.help.contains(sound), "{}", finding.help);
    assert!(seams(&set, &rules, |_, _, _| None).worst.is_empty());
}
