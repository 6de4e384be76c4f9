//! The `stamp` pass: small maps set in. Reach: that of the `place` pass that chooses where.

use super::place::{
    Choice, Chosen, Facing, Footprint, Part, PlacePass, Placing, Standing, What, moved, quarters,
    turned,
};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Layout, Side};
use crate::map::{Item, Layer, Terrain, Tilemap};
use crate::orient::Orientation;
use crate::seed::Seed;
use std::sync::Arc;

/// Small maps set into a larger one, wherever a `place` pass would set things.
///
/// A small map is held by the middle of its extent. Where it is empty the map stays as it is; its other
/// cells must all lie on the map and hold no item. One that has nothing but heights is empty nowhere. On
/// square and box lattices.
#[derive(Clone, Debug, PartialEq)]
pub struct StampPass {
    chooser: PlacePass,
    stamps: Vec<Stamp>,
    faces: Side,
}

/// A small map, and the cells it takes in each of its turns.
#[derive(Clone, Debug, PartialEq)]
struct Stamp {
    map: Arc<Tilemap>,
    /// Where it is not empty.
    full: BitPlane,
    footprints: [Footprint; 4],
}

impl Stamp {
    fn new(map: Arc<Tilemap>) -> Self {
        let full = full(&map);
        let held = middle(map.layout());
        let cells = |quarters: usize| {
            let mut cells: Vec<[i32; 2]> =
                full.iter().map(|cell| [cell.x - held.x, cell.y - held.y]).collect();
            for _ in 0..quarters {
                cells = cells.into_iter().map(|[x, y]| [-y, x]).collect();
            }
            Footprint::new(cells)
        };
        Self { footprints: std::array::from_fn(cells), full, map }
    }
}

impl StampPass {
    /// Sets in `stamps`, each with its weight, as `chooser` says; what that places is not used. All face
    /// `faces` as they are drawn. Where `chooser` faces any way, they face any side.
    pub fn new(mut chooser: PlacePass, stamps: Vec<(f64, Arc<Tilemap>)>, faces: Side) -> Self {
        if matches!(chooser.facing, Facing::Steps(steps) if !4_u16.is_multiple_of(steps)) {
            chooser.facing = Facing::Steps(4);
        }
        let part = Part { what: What::Room, faces, at: [0; 2], offset: [0.0; 2] };
        let choice = |&(weight, _): &(f64, _)| Choice { weight, parts: vec![part.clone()] };
        chooser.what = stamps.iter().map(choice).collect();
        let stamps = stamps.into_iter().map(|(_, map)| Stamp::new(map)).collect();
        Self { chooser, stamps, faces }
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.chooser.name
    }

    /// Sets the maps in; says what it did. O(cells of the map, rows of small maps for each place that is
    /// tried, and cells of all that is set in).
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> Placing {
        let footprints: Vec<&[Footprint; 4]> =
            self.stamps.iter().map(|stamp| &stamp.footprints).collect();
        let (chosen, mut told) = self.chooser.choose(map, seed, &footprints);
        let mut items = map.take_items();
        let before = items.len();
        for (number, one) in chosen.iter().enumerate() {
            self.paste(number as u32 + 1, *one, map, &mut items, &mut told);
        }
        told.items = (items.len() - before) as u64;
        map.set_items(items);
        self.chooser.mark(&chosen, map);
        told
    }

    fn paste(
        &self,
        number: u32,
        chosen: Chosen,
        map: &mut Tilemap,
        items: &mut Vec<Item>,
        told: &mut Placing,
    ) {
        let (Stamp { map: stamp, full, .. }, pass) = (&self.stamps[chosen.choice], &self.chooser);
        let layout = map.layout();
        let (extent, lattice) = (layout.extent(), layout.lattice());
        let held = middle(stamp.layout());
        let target = |cell: Cell| {
            let at = [cell.x - held.x, cell.y - held.y];
            moved(layout, chosen.site.cell, at, self.faces, chosen.facing)
        };
        let quarter = quarters(layout, self.faces, chosen.facing);
        let turn = Orientation::new(lattice, quarter as u8, false);
        let mut standing = Standing::default();
        let own = stamp.layout().extent();
        if let Some(ground) = &stamp.terrain {
            let terrain = map.terrain.get_or_insert_with(|| Terrain::new(extent));
            let numbers: Vec<u32> =
                ground.palette.iter().map(|name| terrain.number(name)).collect();
            for (cell, number) in own.iter().zip(ground.cells.iter()) {
                let Some((number, there)) = number.zip(target(cell)) else { continue };
                let index = extent.index(there).expect("inside");
                terrain.cells.set(index, Some(numbers[number as usize]));
            }
        }
        if let Some(heights) = &stamp.heights {
            let plane = map.heights.get_or_insert_with(|| Plane::new(extent, 0));
            for cell in full.iter() {
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
            let on_layer: Arc<str> = name.as_str().into();
            let mut numbers: Vec<Option<u32>> = vec![None; layer.palette().len()];
            for (cell, number) in layer.extent().iter().zip(layer.cells().iter()) {
                let Some((number, there)) = number.zip(target(cell)) else { continue };
                let number = *numbers[number as usize].get_or_insert_with(|| {
                    let mut placed = layer.palette()[number as usize].clone();
                    placed.orientation = placed.orientation.then(turn, lattice);
                    placed.pass = Some(pass.name.clone()).filter(|pass| pass != name);
                    placed.group.clone_from(&pass.group);
                    into.add(placed)
                });
                into.set(there, Some(number));
                told.tiles += 1;
                if told.least > 0 {
                    let tile = into.palette()[number as usize].tile.as_str().into();
                    standing.tiles.push((on_layer.clone(), there, tile));
                }
            }
        }
        let (name, group): (Arc<str>, Option<Arc<str>>) =
            (pass.name.as_str().into(), pass.group.as_deref().map(Into::into));
        let before = items.len();
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
        if told.least > 0 {
            standing.items = (items.len() - before) as u32;
            told.standing.push(standing);
        }
    }
}

/// The cell by which a small map is held.
fn middle(layout: Layout) -> Cell {
    let (origin, [width, height, _]) = (layout.extent().origin(), layout.extent().size());
    Cell { x: origin.x + width as i32 / 2, y: origin.y + height as i32 / 2, z: origin.z }
}

/// Where a small map has something. Heights are everywhere, so they count only where there is nothing
/// else.
fn full(map: &Tilemap) -> BitPlane {
    let extent = map.layout().extent();
    let mut full = BitPlane::new(extent);
    let terrain = map.terrain.iter().flat_map(|terrain| terrain.cells.iter().enumerate());
    for (index, _) in terrain.filter(|(_, number)| number.is_some()) {
        full.set(extent.cell(index), true);
    }
    for layer in &map.layers {
        let cells = layer.extent().iter().zip(layer.cells().iter());
        for (cell, _) in cells.filter(|(_, number)| number.is_some()) {
            full.set(cell, true);
        }
    }
    map.tags.iter().for_each(|(_, plane)| full.unite(plane));
    for item in map.items() {
        full.set(item.cell, true);
    }
    if full.count() == 0 && map.heights.is_some() {
        full = BitPlane::from_fn(extent, |_| true);
    }
    full
}
