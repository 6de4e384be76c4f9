//! Ways put on the map.

use super::options::{Carve, RouteStep};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Lattice, Layout, Side};
use crate::limits::Stopped;
use crate::map::{Spot, Tilemap};
use crate::passes::step::Scene;
use crate::passes::ways::{Ground, Way};
use std::collections::BTreeSet;

/// What will be changed, found while the map is as it was.
#[derive(Debug)]
pub(super) struct Carving<'a> {
    route: &'a RouteStep,
    carve: &'a Carve,
    /// The cells of the ways in all their width, as far as they may be changed.
    pub(super) cells: BitPlane,
    /// Places of items that go because they block.
    opened: BTreeSet<Spot>,
    /// Cells and the height that they get.
    heights: Vec<(Cell, i32)>,
}

impl<'a> Carving<'a> {
    pub(super) fn new(
        route: &'a RouteStep,
        carve: &'a Carve,
        ground: &Ground<'_>,
        ways: &[Way],
        place: &BitPlane,
    ) -> Self {
        let layout = ground.layout();
        let mut cells = BitPlane::new(layout.extent());
        for &cell in ways.iter().flat_map(|way| &way.cells) {
            let wide = brush(layout, cell, carve.width).filter(|&there| ground.open.get(there));
            wide.filter(|&there| place.get(there)).for_each(|there| {
                cells.set(there, true);
            });
        }
        let mut opened = BTreeSet::new();
        let steps =
            ways.iter().flat_map(|way| way.cells.windows(2)).filter(|_| carve.open.is_some());
        for step in steps {
            let (from, to) = (step[0], step[1]);
            let way = (0..ground.ways()).find(|&way| ground.beyond(from, way) == Some(to));
            let walled =
                way.filter(|&way| ground.step(from, way).is_some_and(|step| step.walls > 0));
            if let Some(way) = walled.filter(|_| place.get(from) || place.get(to)) {
                opened.insert(Spot::new(layout, from, Some(ground.side(way))));
                opened.insert(Spot::new(layout, to, None));
            }
        }
        Self { route, carve, cells, opened, heights: Vec::new() }.cut(ground, ways)
    }

    /// Finds the heights of cells so that no step of the ways is too high: each cell is raised or lowered
    /// to what the one before it allows.
    fn cut(mut self, ground: &Ground<'_>, ways: &[Way]) -> Self {
        let (Some(_), Some(most)) = (self.carve.cut, self.route.most_step) else { return self };
        let Some(mut heights) = ground.heights().cloned() else { return self };
        let most = most.min(1 << 30) as i32;
        let layout = ground.layout();
        for way in ways {
            let mut before: Option<i32> = None;
            for &cell in &way.cells {
                let own = heights.get(cell).copied().unwrap_or(0);
                let fits = |from: i32, own: i32| {
                    own.clamp(from.saturating_sub(most), from.saturating_add(most))
                };
                let height = before.map_or(own, |from| fits(from, own));
                before = Some(height);
                for there in brush(layout, cell, self.carve.width) {
                    let slot = heights.get_mut(there).filter(|_| self.cells.get(there));
                    let Some(slot) = slot else { continue };
                    let next = if there == cell { height } else { fits(height, *slot) };
                    if *slot != next {
                        *slot = next;
                        self.heights.push((there, next));
                    }
                }
            }
        }
        self
    }

    /// Changes the map; says how much of it was something else.
    pub(super) fn lay(self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<u64, Stopped> {
        let mut changed = 0;
        for name in &self.carve.clear_layers {
            if map.layer(name).is_none() {
                continue;
            }
            let layer = map.layer_mut(name);
            for cell in self.cells.iter() {
                scene.pace.cells(1)?;
                changed += u64::from(layer.get(cell).is_some());
                layer.set(cell, None);
            }
        }
        if self.carve.clear_items || !self.opened.is_empty() {
            let layout = map.layout();
            let mut items = map.take_items();
            let before = items.len();
            items.retain(|item| {
                let cleared = self.carve.clear_items && self.cells.get(item.cell);
                let blocks = self.route.blocks(item) && self.opened.contains(&item.spot(layout));
                !(cleared && item.side.is_none() || blocks) || scene.keeps(&item.pass)
            });
            changed += (before - items.len()) as u64;
            map.set_items(items);
        }
        for (cell, height) in &self.heights {
            if let Some(slot) = map.heights_mut().get_mut(*cell) {
                *slot = *height;
                changed += 1;
            }
        }
        let chance = scene.seed.keyed(&[scene.name, "look"]);
        for becomes in &self.carve.becomes {
            changed += becomes.lay(map, chance, self.cells.indices(), scene.pace)?;
        }
        Ok(changed)
    }
}

/// The cells of a way so wide around one of its middle; of an even width, one more to the south and east.
fn brush(layout: Layout, cell: Cell, width: u32) -> impl Iterator<Item = Cell> {
    let (before, after) = ((width.max(1) as i32 - 1) / 2, width.max(1) as i32 / 2);
    let square = matches!(layout.lattice(), Lattice::Square | Lattice::Box);
    let mut all = Vec::new();
    if square {
        let rows = (-before..=after).flat_map(|y| (-before..=after).map(move |x| [x, y, 0]));
        all.extend(rows.filter_map(|by| layout.moved(cell, by)));
    } else {
        all.push(cell);
        let sides: &[Side] = layout.lattice().sides();
        let mut rim = vec![cell];
        for _ in 0..before {
            let beyond = rim.iter().flat_map(|&at| sides.iter().map(move |&side| (at, side)));
            let beyond: BTreeSet<Cell> =
                beyond.filter_map(|(at, side)| layout.neighbour(at, side)).collect();
            rim = beyond.into_iter().filter(|there| !all.contains(there)).collect();
            all.extend(&rim);
        }
    }
    all.into_iter()
}
