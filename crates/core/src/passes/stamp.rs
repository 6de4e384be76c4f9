//! The `stamp` pass: small maps set in. Reach: that of the `place` pass that chooses where.

use super::place::{Choice, Chosen, Part, PlacePass, Placing, What, moved, quarters, turned};
use crate::lattice::{Cell, Layout, Side};
use crate::map::{Item, Layer, Terrain, Tilemap};
use crate::orient::Orientation;
use crate::seed::Seed;
use std::sync::Arc;

/// Small maps set into a larger one, wherever a `place` pass would set things.
///
/// A small map is held by the middle of its extent. Where it is empty the map stays as it is; its other
/// cells must all lie on the map and hold no item. On square and box lattices.
#[derive(Clone, Debug, PartialEq)]
pub struct StampPass {
    chooser: PlacePass,
    stamps: Vec<Arc<Tilemap>>,
}

impl StampPass {
    /// Sets in `stamps`, each with its weight, as `chooser` says; what that places is not used. All face
    /// `faces` as they are drawn.
    pub fn new(mut chooser: PlacePass, stamps: Vec<(f64, Arc<Tilemap>)>, faces: Side) -> Self {
        chooser.what = stamps
            .iter()
            .map(|(weight, stamp)| {
                let extent = stamp.layout().extent();
                let held = middle(stamp.layout());
                let cells = extent.iter().filter(|&cell| !is_blank(stamp, cell));
                let part = |cell: Cell| Part {
                    what: What::Room,
                    faces,
                    at: [cell.x - held.x, cell.y - held.y],
                    offset: [0.0; 2],
                };
                Choice { weight: *weight, parts: cells.map(part).collect() }
            })
            .collect();
        Self { chooser, stamps: stamps.into_iter().map(|(_, stamp)| stamp).collect() }
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.chooser.name
    }

    /// Sets the maps in; says what it did. O(cells of the map, and of all that is set in).
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> Placing {
        let (chosen, mut told) = self.chooser.choose(map, seed);
        for (number, one) in chosen.iter().enumerate() {
            self.paste(number as u32 + 1, *one, map, &mut told);
        }
        self.chooser.mark(&chosen, map);
        told
    }

    fn paste(&self, number: u32, chosen: Chosen, map: &mut Tilemap, told: &mut Placing) {
        let (stamp, pass) = (&self.stamps[chosen.choice], &self.chooser);
        let layout = map.layout();
        let (extent, lattice) = (layout.extent(), layout.lattice());
        let faces = pass.what[chosen.choice].parts.first().map_or(Side::South, |part| part.faces);
        let held = middle(stamp.layout());
        let target = |cell: Cell| {
            let at = [cell.x - held.x, cell.y - held.y];
            let there = moved(layout, chosen.site.cell, at, faces, chosen.facing)?;
            extent.contains(there).then_some(there)
        };
        let quarter = quarters(layout, faces, chosen.facing);
        let turn = Orientation::new(lattice, quarter as u8, false);
        let own = stamp.layout().extent();
        if let Some(ground) = &stamp.terrain {
            let terrain = map.terrain.get_or_insert_with(|| Terrain::new(extent));
            for cell in own.iter() {
                let Some((name, there)) = ground.at(cell, own).zip(target(cell)) else { continue };
                let number = terrain.number(name);
                terrain.cells.set(extent.index(there).expect("inside"), Some(number));
            }
        }
        if let Some(heights) = &stamp.heights {
            let plane = map.heights.get_or_insert_with(|| crate::grid::Plane::new(extent, 0));
            for cell in own.iter().filter(|&cell| !is_blank(stamp, cell)) {
                let slot = target(cell).and_then(|there| plane.get_mut(there));
                if let Some((slot, &height)) = slot.zip(heights.get(cell)) {
                    *slot = height;
                }
            }
        }
        for (tag, cells) in &stamp.tags {
            let plane = map.tag_mut(tag);
            for there in cells.iter().filter_map(target) {
                plane.set(there, true);
            }
        }
        for layer in &stamp.layers {
            let name = pass.into.as_ref().unwrap_or(&layer.name);
            let place = map.layers.iter().position(|known| known.name == *name);
            let place = place.unwrap_or_else(|| {
                map.layers.push(Layer::new(name, extent, Vec::new()).offset_by(layer.offset()));
                map.layers.len() - 1
            });
            let into = &mut map.layers[place];
            for cell in layer.extent().iter() {
                let Some((placed, there)) = layer.get(cell).zip(target(cell)) else { continue };
                let mut placed = placed.clone();
                placed.orientation = placed.orientation.then(turn, lattice);
                placed.pass = Some(pass.name.clone()).filter(|pass| pass != name);
                placed.group.clone_from(&pass.group);
                let number = into.add(placed);
                into.set(there, Some(number));
                told.tiles += 1;
            }
        }
        let mut items = map.take_items();
        let before = items.len();
        let (name, group): (Arc<str>, Option<Arc<str>>) =
            (pass.name.as_str().into(), pass.group.as_deref().map(Into::into));
        items.extend(stamp.items().iter().filter_map(|item| {
            let degrees = f32::from(quarter) * 90.0;
            let [x, y] = turned([item.offset[0], item.offset[1]], degrees);
            Some(Item {
                cell: target(item.cell)?,
                side: item.side.map(|side| turn.side(lattice, side)),
                facing: item.facing.map(|side| turn.side(lattice, side)),
                turn: (item.turn + degrees) % 360.0,
                offset: [x, y, item.offset[2]],
                pass: name.clone(),
                group: group.clone(),
                number,
                ..item.clone()
            })
        }));
        told.items += (items.len() - before) as u64;
        map.set_items(items);
    }
}

/// The cell by which a small map is held.
fn middle(layout: Layout) -> Cell {
    let (origin, [width, height, _]) = (layout.extent().origin(), layout.extent().size());
    Cell { x: origin.x + width as i32 / 2, y: origin.y + height as i32 / 2, z: origin.z }
}

/// Whether a small map has nothing there.
fn is_blank(stamp: &Tilemap, cell: Cell) -> bool {
    let extent = stamp.layout().extent();
    stamp.terrain.as_ref().is_none_or(|terrain| terrain.at(cell, extent).is_none())
        && stamp.layers.iter().all(|layer| layer.get(cell).is_none())
        && stamp.tags.iter().all(|(_, plane)| !plane.get(cell))
        && stamp.items().iter().all(|item| item.cell != cell)
}
