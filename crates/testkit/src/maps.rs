//! Layouts of every kind, maps with something of everything, and distances the slow way.

use lantern_quilt_core::grid::{BitPlane, Plane, UNREACHED};
use lantern_quilt_core::map::{Item, Numbers, Terrain, Tilemap};
use lantern_quilt_core::passes::PassReport;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::{Made, Maker, Pass, Recipe};
use std::collections::BTreeSet;

/// A layout of one of the lattices; wrapping sizes are even where they must be.
pub fn layout_of(lattice: usize, size: [u32; 3], wrap: [bool; 3]) -> Layout {
    let lattice = Lattice::ALL[lattice];
    let solid = lattice.is_solid();
    let even = if solid || lattice == Lattice::Square { 1 } else { 2 };
    let size = [size[0] * even, size[1] * even, if solid { size[2] } else { 1 }];
    let extent = Extent::new(Cell::at(-3, 2, 0), size).unwrap();
    let wrap = Wrap { x: wrap[0], y: wrap[1], z: wrap[2] && solid };
    Layout::new(lattice, extent, wrap).unwrap()
}

/// Steps by trying longer and longer ways, cell by cell.
pub fn steps_between(layout: Layout, a: Cell, b: Cell) -> u32 {
    let mut reached = BTreeSet::from([a]);
    for steps in 0..10_000 {
        if reached.contains(&b) {
            return steps;
        }
        let sides = layout.lattice().sides();
        let more = reached.iter().flat_map(|&at| sides.iter().map(move |&side| (at, side)));
        let more: Vec<Cell> = more.filter_map(|(at, side)| layout.neighbour(at, side)).collect();
        reached.extend(more);
    }
    UNREACHED
}

/// The square of the straight distance, from middle to middle.
pub fn straight_between(layout: Layout, a: Cell, b: Cell) -> u32 {
    let ([w, h, d], wrap) = (layout.extent().size(), layout.wrap());
    let gap = |p: i32, q: i32, length: u32, closes: bool| {
        let gap = p.abs_diff(q);
        if closes { gap.min(length - gap) } else { gap }
    };
    let gaps = [gap(a.x, b.x, w, wrap.x), gap(a.y, b.y, h, wrap.y), gap(a.z, b.z, d, wrap.z)];
    gaps.iter().map(|gap| gap * gap).sum()
}

/// A map with something of everything.
pub fn any_map(layout: Layout, values: &[u8]) -> Tilemap {
    let extent = layout.extent();
    let mut map = Tilemap::new(layout);
    let mut terrain = Terrain::new(extent);
    for (index, value) in values.iter().take(extent.cells()).enumerate() {
        let names = [Some("moss"), Some("sand"), Some("pond"), None];
        let number = names[usize::from(value % 4)].map(|name| terrain.number(name));
        terrain.cells.set(index, number);
    }
    map.set_terrain(Some(terrain));
    let heights =
        values.iter().take(extent.cells()).map(|value| i32::from(value / 4 % 5)).collect();
    map.set_heights(Plane::from_values(extent, heights));
    let far = values.iter().take(extent.cells());
    let far = far.map(|value| (value % 7 > 0).then_some(i64::from(value / 7 % 6)));
    map.set_plane("far", Numbers::from_values(extent, far));
    let tagged = |cell: Cell| (values[extent.index(cell).unwrap()] / 20).is_multiple_of(3);
    map.set_tag("walk", Some(BitPlane::from_fn(extent, tagged)));
    let mut layer = Layer::new("ground", extent, vec![Placed::new("fern"), Placed::new("stone")]);
    for (index, cell) in extent.iter().enumerate() {
        layer.set(cell, [Some(0), Some(1), None][usize::from(values[index] / 60 % 3)]);
    }
    map.put_layer(layer);
    let lit = extent.iter().zip(values).filter(|(_, value)| **value % 7 == 0);
    map.set_items(lit.map(|(cell, _)| Item::new("lamp", cell)).collect());
    map
}

/// Does one pass on a map.
///
/// # Panics
/// When it cannot be done.
pub fn follow(pass: &Pass, map: &mut Tilemap, seed: &Seed) -> PassReport {
    let mut made = made(Recipe::new([pass.clone()]).over(map.clone(), seed));
    *map = made.map;
    made.passes.remove(0)
}

/// Follows a recipe to its end.
///
/// # Panics
/// When it cannot be followed.
pub fn made(mut maker: Maker) -> Made {
    if let Err(error) = maker.make() {
        panic!("seed {}: {}", maker.seed(), error.with_causes());
    }
    maker.finish()
}
