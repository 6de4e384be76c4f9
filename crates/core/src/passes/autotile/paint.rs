//! Layers kept right while a map is painted.

use super::lay::{Autotile, STAND_IN};
use super::sight::{Picks, Sight, blank_layer, extent_of, inner};
use crate::autotile::{Scheme, ShapeSet};
use crate::lattice::{Cell, Extent, Layout};
use crate::map::Tilemap;
use crate::seed::Seed;

/// A cell whose tile changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Changed {
    /// The layer, by its number among those of the map.
    pub layer: usize,
    /// The cell of that layer.
    pub cell: Cell,
}

impl Autotile {
    /// Paints one cell with a terrain, or clears it, and puts right the tiles around it; says which
    /// changed, by layer and cell. A map that the pass has laid stays what the pass would make of it.
    /// O(neighbours x sets), whatever the size of the map, but for planes that it shares with a copy:
    /// those are copied first. Outside the map nothing happens.
    pub fn paint(
        &self,
        map: &mut Tilemap,
        seed: &Seed,
        cell: Cell,
        terrain: Option<&str>,
    ) -> Vec<Changed> {
        let extent = map.layout().extent();
        let Some(index) = extent.index(cell) else { return Vec::new() };
        map.terrain_mut().lay(index, terrain);
        self.put_right(map, seed, cell)
    }

    /// As [`paint`](Self::paint), for a height.
    pub fn raise(&self, map: &mut Tilemap, seed: &Seed, cell: Cell, height: i32) -> Vec<Changed> {
        let Some(slot) = map.heights_mut().get_mut(cell) else { return Vec::new() };
        *slot = height;
        self.put_right(map, seed, cell)
    }

    /// As [`paint`](Self::paint), for a tag.
    pub fn mark(
        &self,
        map: &mut Tilemap,
        seed: &Seed,
        cell: Cell,
        (tag, has): (&str, bool),
    ) -> Vec<Changed> {
        if !map.layout().extent().contains(cell) {
            return Vec::new();
        }
        map.tag_mut(tag).set(cell, has);
        self.put_right(map, seed, cell)
    }

    fn put_right(&self, map: &mut Tilemap, seed: &Seed, cell: Cell) -> Vec<Changed> {
        let whole = map.layout().extent();
        let mut changed = Vec::new();
        for set in &self.sets {
            let Some(extent) = extent_of(set, whole) else { continue };
            if map.layer(set.name()).is_none() {
                map.put_layer(blank_layer(set, extent));
            }
            let layer = map.layer(set.name()).expect("just put there");
            let mut picks = Picks::new(set, seed);
            let sight = Sight::new(set, map);
            let mut news = Vec::new();
            for near in touched(set, map.layout(), extent, cell) {
                let number = sight.around(near).and_then(|around| {
                    let pick = picks.number(around);
                    picks.choose(pick, near)
                });
                let index = extent.index(near).expect("inside");
                if layer.cells().get(index) != number {
                    news.push((near, number));
                }
            }
            let place = map.layers().position(|layer| layer.name == set.name());
            let number = place.expect("just put there");
            if !news.is_empty() {
                let layer = map.layer_mut(set.name());
                for (near, palette) in news {
                    layer.set(near, palette);
                    changed.push(Changed { layer: number, cell: near });
                }
            }
        }
        self.mark_again(map, seed, cell);
        changed.sort_unstable();
        changed
    }

    /// Marks the cells around one anew.
    fn mark_again(&self, map: &mut Tilemap, seed: &Seed, cell: Cell) {
        let (layout, whole) = (map.layout(), map.layout().extent());
        let mut marks: Vec<(Cell, bool)> =
            ring(layout, cell, 1).into_iter().map(|near| (near, false)).collect();
        for set in &self.sets {
            let Some(extent) = extent_of(set, whole) else { continue };
            let (sight, mut picks) = (Sight::new(set, map), Picks::new(set, seed));
            for (near, marked) in marks.iter_mut().filter(|(_, marked)| !marked) {
                let mut own = vec![*near];
                if set.scheme() == Scheme::Dual {
                    own.extend(past_the_end(whole, extent, *near));
                }
                *marked = own.into_iter().any(|cell| {
                    sight.around(cell).is_some_and(|around| {
                        let pick = picks.number(around);
                        picks.picks[pick as usize].stands_in
                    })
                });
            }
        }
        if map.tag(STAND_IN).is_none() && marks.iter().all(|(_, marked)| !marked) {
            return;
        }
        let plane = map.tag_mut(STAND_IN);
        for (cell, marked) in marks {
            plane.set(cell, marked);
        }
    }
}

/// Cells of a larger layer that [`inner`] brings to `cell`, besides itself.
fn past_the_end(map: Extent, layer: Extent, cell: Cell) -> Vec<Cell> {
    let beside = [(1, 0), (0, 1), (1, 1)];
    let there = |(dx, dy)| Cell { x: cell.x + dx, y: cell.y + dy, ..cell };
    let mut cells: Vec<Cell> = beside.into_iter().map(there).collect();
    cells.retain(|&one| layer.contains(one) && !map.contains(one) && inner(map, one) == cell);
    cells
}

/// The cells whose shape may change with one: itself and its neighbours, also past closing edges.
fn ring(layout: Layout, cell: Cell, reach: u32) -> Vec<Cell> {
    let mut cells: Vec<Cell> = Vec::new();
    let sides = layout.lattice().sides();
    let mut frontier = vec![cell];
    cells.push(cell);
    // Diagonal neighbours are two steps away.
    let steps = if layout.lattice().turns() == 6 { reach } else { 2 * reach };
    for _ in 0..steps {
        let from = std::mem::take(&mut frontier);
        for (at, &side) in from.iter().flat_map(|at| sides.iter().map(move |side| (at, side))) {
            if let Some(beyond) = layout.neighbour(*at, side)
                && !cells.contains(&beyond)
            {
                cells.push(beyond);
                frontier.push(beyond);
            }
        }
    }
    cells
}

/// The cells of a set's layer that see a cell of the map.
fn touched(set: &ShapeSet, layout: Layout, layer: Extent, cell: Cell) -> Vec<Cell> {
    let near = ring(layout, cell, 1);
    if set.scheme() != Scheme::Dual {
        return near;
    }
    let mut cells: Vec<Cell> = near;
    let (whole, last) = (layout.extent(), layer.cell(layer.cells() - 1));
    // The last column and row of the layer see the map's last, and across closing edges its first.
    for at in cells.clone() {
        cells.extend(past_the_end(whole, layer, at));
        let wrap = layout.wrap();
        let first = whole.origin();
        let (right, below) = (wrap.x && at.x == first.x, wrap.y && at.y == first.y);
        let far = [(right, false), (false, below), (right, below)];
        for (across, down) in far.into_iter().filter(|&(across, down)| across || down) {
            let x = if across { last.x } else { at.x };
            let y = if down { last.y } else { at.y };
            cells.push(Cell { x, y, ..at });
            cells.extend(past_the_end(whole, layer, Cell { x: x.min(last.x), y, ..at }));
        }
    }
    cells.sort_unstable();
    cells.dedup();
    cells.retain(|&one| layer.contains(one));
    cells
}
