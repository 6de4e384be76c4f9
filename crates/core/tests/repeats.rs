//! How much a layer repeats, against the same reckoned cell by cell with the layer's own coordinates.

use lantern_quilt_core::audit::missing::missing_pieces;
use lantern_quilt_core::audit::repeating::audit_repeating;
use lantern_quilt_core::audit::trial::Trials;
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::map::{Repeats, repeats};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::tileset::Tileset;
use lantern_quilt_testkit::maps::layout_of;
use lantern_quilt_testkit::sets;
use rstest::rstest;

/// What stands in a cell, looks left out.
fn kind(layer: &Layer, cell: Cell) -> Option<(&str, Orientation)> {
    layer.get(cell).map(|placed| (placed.tile.as_str(), placed.orientation))
}

/// Of the cells for which both stand, the part that is equal; `None` where too few of them lie inside.
fn equal(layer: &Layer, shift: Cell) -> Option<f64> {
    let extent = layer.extent();
    let by = [shift.x, shift.y, shift.z].map(i32::unsigned_abs);
    let fits = extent.size().iter().zip(by).all(|(&size, by)| by < size && (size - by) * 2 >= size);
    let pairs = extent.iter().filter_map(|cell| {
        let beyond = Cell { x: cell.x + shift.x, y: cell.y + shift.y, z: cell.z + shift.z };
        Some((kind(layer, cell)?, kind(layer, beyond)?))
    });
    let (both, equal) =
        pairs.fold((0, 0), |(both, equal), (a, b)| (both + 1, equal + u32::from(a == b)));
    fits.then(|| f64::from(equal) / f64::from(both.max(1)))
}

/// All of it the slow way.
fn slowly(layer: &Layer, lattice: Lattice) -> Option<Repeats> {
    let standing: Vec<_> = layer.extent().iter().filter_map(|cell| kind(layer, cell)).collect();
    let mut kinds = standing.clone();
    kinds.sort_by_key(|(tile, orientation)| (tile.to_string(), format!("{orientation:?}")));
    kinds.dedup();
    if kinds.len() < 2 {
        return None;
    }
    let part =
        |one| standing.iter().filter(|other| **other == one).count() as f64 / standing.len() as f64;
    let chance: f64 = kinds.iter().map(|&one| part(one).powi(2)).sum();
    let far = if lattice.is_solid() { 4 } else { 8 };
    let mut all = Vec::new();
    for z in if lattice.is_solid() { -far..=far } else { 0..=0 } {
        for (x, y) in (-far..=far).flat_map(|y| (-far..=far).map(move |x| (x, y))) {
            let odd = lattice == Lattice::HexPointy && y % 2 != 0
                || lattice == Lattice::HexFlat && x % 2 != 0;
            let shift = Cell { x, y, z };
            if let (false, false, Some(equal)) =
                (odd, shift == Cell::default(), equal(layer, shift))
            {
                all.push((shift, equal));
            }
        }
    }
    let is_far = |shift: &Cell| [shift.x, shift.y, shift.z].iter().any(|by| by.abs() > 1);
    let most = |far: bool| {
        let some = all.iter().filter(|one| is_far(&one.0) == far);
        some.map(|one| one.1).fold(0.0, f64::max)
    };
    let steps = |shift: Cell| shift.x.abs() + shift.y.abs() + shift.z.abs();
    let near = all.iter().filter(|one| is_far(&one.0) && one.1 > most(true) - 0.01);
    let nearest = near.clone().map(|one| steps(one.0)).min()?;
    // Of shifts as near any will do; which one it is, the caller compares.
    let (shift, equal) = *near.clone().find(|one| steps(one.0) == nearest)?;
    let beyond_chance = (equal - chance) / (1.0 - chance);
    Some(Repeats { shift: [shift.x, shift.y, shift.z], equal, beyond_chance, beside: most(false) })
}

/// A layer that is drawn, repeats, or repeats in part, with holes and with looks that count for nothing.
fn random_layer(layout: Layout, stream: &mut Stream) -> Layer {
    let extent = layout.extent();
    let names = ["moss", "moss", "path", "pond", "gate"];
    let mut palette: Vec<Placed> = names.map(Placed::new).to_vec();
    palette[1].look = 1;
    let mut layer = Layer::new("ground", extent, palette);
    let deep = if layout.lattice().is_solid() { 2 } else { 1 };
    let period = [2 + stream.below(5) as i32, 2 + stream.below(5) as i32, deep];
    let motif: Vec<u32> = (0..256).map(|_| stream.below(5) as u32).collect();
    let (noise, holes) = (stream.below(3) * 20, stream.below(2) * 10);
    for cell in extent.iter() {
        let [x, y, z] = [
            cell.x.rem_euclid(period[0]),
            cell.y.rem_euclid(period[1]),
            cell.z.rem_euclid(period[2]),
        ];
        let repeated = motif[(x + 8 * y + 64 * z) as usize % 256];
        let number = if stream.below(100) < noise { stream.below(5) as u32 } else { repeated };
        let hole = stream.below(100) < holes;
        assert!(layer.set(cell, (!hole).then_some(number)));
    }
    layer
}

#[rstest]
#[case::small([6, 5, 3])]
#[case::wide([19, 7, 4])]
#[case::deep([5, 21, 2])]
#[case::narrow([30, 1, 1])]
#[case::one([1, 1, 1])]
fn repeats_agree_with_the_slow_way(#[case] size: [u32; 3], #[values(0, 1, 2, 3)] lattice: usize) {
    let mut stream = Seed::from_number(12).stream(&["repeats", &lattice.to_string()]);
    let layout = layout_of(lattice, size, [false; 3]);
    let mut some = 0;
    for round in 0..12 {
        let layer = random_layer(layout, &mut stream);
        let (found, want) = (repeats(&layer, layout.lattice()), slowly(&layer, layout.lattice()));
        assert_eq!(found.is_some(), want.is_some(), "{round}");
        let (Some(found), Some(want)) = (found, want) else { continue };
        some += 1;
        let [x, y, z] = found.shift;
        let steps = |shift: [i32; 3]| shift.iter().map(|by| by.abs()).sum::<i32>();
        assert_eq!(steps(found.shift), steps(want.shift), "{round}: {found:?}, {want:?}");
        assert_eq!(Some(found.equal), equal(&layer, Cell { x, y, z }), "{round}: {found:?}");
        assert!(
            (found.equal - want.equal).abs() < 0.01 && found.beside == want.beside,
            "{found:?}, {want:?}"
        );
    }
    assert!(some > 6 || size[1] == 1, "{some} layers repeat at all");
}

/// Tiles of a tight set as a tileset.
fn planted(number: u64, per_pair: f64) -> Tileset {
    let mut stream = Seed::from_number(number).stream(&["planted"]);
    let torus = [2 + stream.below(2) as usize, 2 + stream.below(3) as usize];
    let mut set = TilesetBuilder::new(Lattice::Square);
    let colours: Vec<_> =
        (0..6).map(|n| set.socket(Socket::plain(format!("colour {n}")))).collect();
    let tiles = sets::planted_tiles(6, per_pair, torus, &mut stream);
    for (n, tile) in tiles.iter().enumerate() {
        set.tile(Tile::new(format!("tile {n}")).sides(tile.map(|colour| colours[colour])));
    }
    set.build().unwrap()
}

/// Sets whose maps are varied, and one that grows into its motif like a crystal whatever is tried.
#[rstest]
#[case::varied(100, 1.2, false)]
#[case::loose(100, 2.4, false)]
#[case::crystal(119, 1.2, true)]
fn sets_that_repeat_are_named(#[case] number: u64, #[case] per_pair: f64, #[case] named: bool) {
    let set = planted(number, per_pair);
    let trials = Trials::default().seeds(4);
    let report = missing_pieces(&set, &Constraints::default(), &trials);
    let found = audit_repeating(&set, &Constraints::default(), &trials, &report);
    assert_eq!(found.is_some(), named, "{found:?}");
    assert!(found.is_none_or(|one| one.code == Code::Repeating
        && one.message.contains(" % of the cells are as the one ")));
}
