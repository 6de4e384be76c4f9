//! Filling part of a map again: the rest stays, rules hold across the seam, and what is far away makes
//! no difference.

use lantern_quilt_core::constraints::{Area, AreaRule, Keep, Selector};
use lantern_quilt_core::passes::RefillError;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::tileset::block::Block;
use lantern_quilt_core::verify::verify;
use rstest::rstest;

/// Moss, paths that run, bend and end, a hall of several cells and a bush that keeps to the border.
fn garden(lattice: Lattice) -> Collapse {
    let mut set = TilesetBuilder::new(lattice);
    let moss = set.socket(Socket::plain("moss"));
    let path = set.socket(Socket::plain("path"));
    set.tile(Tile::new("moss").all(moss).weight(6.0).looks([1.0, 2.0]));
    let sides = lattice.sides();
    let standing = usize::from(lattice.turns());
    for (name, ends) in [("run", vec![0, standing / 2]), ("bend", vec![0, 1]), ("end", vec![0])] {
        let faces = (0..sides.len()).map(|side| if ends.contains(&side) { path } else { moss });
        set.tile(Tile::new(name).sides(faces).turns(standing as u8).weight(2.0));
    }
    let bush = set.tile(Tile::new("bush").all(moss));
    if standing == 4 {
        set.block(&Block::new(Tile::new("hall").all(moss).turns(4).weight(2.0), [2, 1, 1]));
    }
    let constraints = Constraints {
        borders: sides
            .iter()
            .map(|&side| BorderRule::new(side, vec![Accept::Socket(moss)]))
            .collect(),
        areas: vec![AreaRule::new(
            vec![Selector::any(Accept::Tile(bush))],
            Area::FromBorder { least: 0, most: 0 },
            Keep::Inside,
        )],
        ..Constraints::default()
    };
    Collapse::new("ground", set.build().unwrap(), constraints).unwrap()
}

#[rstest]
#[case::square(Lattice::Square, [16, 12, 1], Wrap::NONE)]
#[case::torus(Lattice::Square, [12, 10, 1], Wrap::FLAT)]
#[case::ring(Lattice::Square, [9, 8, 1], Wrap { x: true, y: false, z: false })]
#[case::pointy(Lattice::HexPointy, [12, 10, 1], Wrap::FLAT)]
#[case::flat(Lattice::HexFlat, [12, 10, 1], Wrap::NONE)]
#[case::solid(Lattice::Box, [7, 6, 4], Wrap::NONE)]
fn the_rest_stays_and_rules_hold(
    #[case] lattice: Lattice,
    #[case] size: [u32; 3],
    #[case] wrap: Wrap,
) {
    let collapse = garden(lattice);
    let extent = Extent::new(Cell { x: -2, y: 4, z: 0 }, size).unwrap();
    let layout = Layout::new(lattice, extent, wrap).unwrap();
    let judge =
        |layer: &Layer| verify(layer, layout, |_| true, collapse.tileset(), collapse.constraints());
    let mut changed = 0;
    for number in 0..24 {
        let seed = Seed::from_number(number);
        let mut run = collapse.job(layout, &seed).begin().unwrap();
        assert!(run.fill().is_filled());
        let before = layer_of(&run, collapse.tileset(), "ground");
        let mut stream = seed.stream(&["region"]);
        let mut below = |end: u32| stream.below(u64::from(end)) as u32;
        let corner = Cell {
            x: below(size[0]) as i32 - 3,
            y: below(size[1]) as i32 + 3,
            z: below(size[2]) as i32,
        };
        let region = Extent::new(corner, [2 + below(5), 2 + below(4), 1 + below(2)]).unwrap();
        // Every third time only some of its cells, every fourth time far cells are something else.
        let open = |cell: Cell| number % 3 > 0 || (cell.x + cell.y) % 2 == 0;
        let Ok(refill) = collapse.refill(layout, &before, region, open) else { continue };
        let mut run = refill.job(&collapse, &Seed::from_number(number + 100)).begin().unwrap();
        if !run.fill().is_filled() {
            // Too little room for another fill: that is no fault of the seam.
            continue;
        }
        let mut after = before.clone();
        refill.paste(&collapse, &run, &mut after);
        assert_eq!(judge(&after), [], "{number}: {region:?}");
        for cell in extent.iter() {
            let inside = region.contains(cell) && open(cell);
            assert_eq!(inside, refill.open().get(cell), "{cell}");
            assert!(inside || before.get(cell) == after.get(cell), "{cell} has changed");
            changed += usize::from(before.get(cell) != after.get(cell));
        }
        let near = refill.open().extent();
        let mut elsewhere = before.clone();
        let odd = elsewhere.add(Placed::new("nobody knows it"));
        for cell in extent.iter().filter(|&cell| !near.contains(cell)) {
            elsewhere.set(cell, Some(odd));
        }
        let again = collapse.refill(layout, &elsewhere, region, open).unwrap();
        let mut run = again.job(&collapse, &Seed::from_number(number + 100)).begin().unwrap();
        run.fill();
        again.paste(&collapse, &run, &mut elsewhere);
        near.iter().for_each(|cell| assert_eq!(elsewhere.get(cell), after.get(cell), "{cell}"));
    }
    assert!(changed > 60, "{changed}");
}

/// A tile that stands in a hole against the rules asks nothing of the cells beside it.
#[rstest]
#[case::whole(None)]
#[case::some_cells(Some(12))]
fn cells_beside_a_hole_are_filled_again(#[case] columns: Option<i32>) {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let moss = set.socket(Socket::plain("moss"));
    let rubble = set.socket(Socket::plain("rubble").not_itself());
    let plain = set.tile(Tile::new("moss").all(moss).looks([1.0, 2.0]));
    let stone = set.tile(Tile::new("stone").all(rubble).looks([1.0, 1.0, 1.0]));
    let pin = |x, y, tile| Pin::new(Cell::new(x, y), tile);
    let pins = (0..12).flat_map(|x| [pin(x, 3, stone), pin(x, 3, plain)]).collect();
    let constraints = Constraints { pins, ..Constraints::default() };
    let mut collapse = Collapse::new("ground", set.build().unwrap(), constraints).unwrap();
    (collapse.search.holes, collapse.fallback) = (true, Some(stone));
    let layout = Layout::flat(Lattice::Square, 14, 9).unwrap();
    let mut layer = Layer::new("ground", layout.extent(), Vec::new());
    let refill = columns.map(|columns| {
        let open = |cell: Cell| cell.x < columns;
        collapse.refill(layout, &layer, layout.extent(), open).unwrap()
    });
    let job = match &refill {
        Some(refill) => refill.job(&collapse, &Seed::default()),
        None => collapse.job(layout, &Seed::default()),
    };
    let mut run = job.begin().unwrap();
    assert!(run.fill().is_filled());
    assert_eq!(run.holes().len(), 12);
    match &refill {
        Some(refill) => refill.paste(&collapse, &run, &mut layer),
        None => layer = collapse.layer(&run),
    }
    let stones: Vec<&Placed> = run.holes().iter().filter_map(|&cell| layer.get(cell)).collect();
    assert!(stones.len() == 12 && stones.iter().all(|placed| placed.tile == "stone"));
    assert!(stones.iter().any(|placed| placed.look > 0), "always its first look");
    // The cells above the stones, and one stone.
    let before = layer.clone();
    let region = Extent::new(Cell::new(2, 1), [5, 2, 1]).unwrap();
    let is_hole = |cell| run.holes().contains(&cell);
    let again = collapse.refill_beside(layout, &layer, region, |_| true, is_hole).unwrap();
    let mut run = again.job(&collapse, &Seed::from_number(5)).begin().unwrap();
    assert!(run.fill().is_filled(), "{:?}", run.outcome());
    again.paste(&collapse, &run, &mut layer);
    assert!(region.iter().all(|cell| layer.get(cell).is_some_and(|placed| placed.tile == "moss")));
    assert!(layout.extent().iter().all(|c| region.contains(c) || layer.get(c) == before.get(c)));
}

/// What was left open is filled, and what stands is kept.
#[test]
fn a_fill_that_stopped_goes_on() {
    let collapse = garden(Lattice::Square);
    let layout = Layout::flat(Lattice::Square, 30, 20).unwrap();
    let mut run = collapse.job(layout, &Seed::from_number(3)).begin().unwrap();
    run.advance(150);
    let partial = layer_of(&run, collapse.tileset(), "ground");
    let empty = |layer: &Layer| layer.cells().iter().filter(Option::is_none).count();
    assert!((50..590).contains(&empty(&partial)), "{}", empty(&partial));
    let open = |cell| partial.get(cell).is_none();
    let refill = collapse.refill(layout, &partial, layout.extent(), open).unwrap();
    let mut run = refill.job(&collapse, &Seed::from_number(4)).begin().unwrap();
    assert!(run.fill().is_filled());
    let mut whole = partial.clone();
    refill.paste(&collapse, &run, &mut whole);
    assert_eq!(empty(&whole), 0);
    let (set, constraints) = (collapse.tileset(), collapse.constraints());
    assert_eq!(verify(&whole, layout, |_| true, set, constraints), []);
    assert!(layout.extent().iter().all(|c| open(c) || whole.get(c) == partial.get(c)));
    // Nothing left to do, and nothing there at all.
    let full = collapse.refill(layout, &whole, layout.extent(), |c| whole.get(c).is_none());
    assert_eq!(full.unwrap_err(), RefillError::Outside);
    let far = Extent::new(Cell::new(40, 0), [3, 3, 1]).unwrap();
    assert_eq!(collapse.refill(layout, &whole, far, |_| true).unwrap_err(), RefillError::Outside);
    // A neighbour that the rules do not know.
    let odd = whole.add(Placed::new("stone"));
    whole.set(Cell::new(4, 4), Some(odd));
    let near = Extent::new(Cell::new(5, 5), [3, 3, 1]).unwrap();
    let told = collapse.refill(layout, &whole, near, |_| true).unwrap_err().to_string();
    assert!(told.starts_with("(4, 4) holds `stone`"), "{told}");
}
