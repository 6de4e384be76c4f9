//! The `stamp` pass: small maps set in. Reach: that of the `place` pass that chooses where.

use super::place::{
    Choice, Choosing, Chosen, Facing, Footprint, PlaceStep, SetPiece, Thing, exchange, turned,
    turns,
};
use super::reach::Reach;
use super::report::{PassReport, Placing, Standing};
use super::step::{Access, Scene, Step, StepError, Work};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Lattice, Layout, Shift, Side};
use crate::limits::Stopped;
use crate::map::{Item, Layer, Tilemap};
use crate::orient::Orientation;
use std::sync::Arc;

/// Small maps set into a larger one, wherever a `place` pass would set things.
///
/// A small map is held by the middle of its extent. Where it is empty the map stays as it is; its other
/// cells must all lie on the map and hold no item. One that has nothing but heights is empty nowhere. It turns
/// as the lattice does: by quarters, or on hexagons by sixths.
#[derive(Clone, Debug, PartialEq)]
pub struct StampStep {
    chooser: PlaceStep,
    stamps: Vec<Stamp>,
    faces: Side,
}

/// A small map, and the cells it takes in each of its turns.
#[derive(Clone, Debug, PartialEq)]
struct Stamp {
    map: Arc<Tilemap>,
    /// Where it is not empty.
    full: BitPlane,
    footprints: Vec<Footprint>,
}

impl Stamp {
    fn new(map: Arc<Tilemap>) -> Self {
        let full = full(&map);
        let (held, lattice) = (StampStep::held(map.layout()), map.layout().lattice());
        let footprint = |turns: u8| {
            let shift = |cell| Shift::between(lattice, held, cell).turned(lattice, turns);
            Footprint::new(lattice, full.iter().map(shift).collect())
        };
        Self { footprints: (0..lattice.turns()).map(footprint).collect(), full, map }
    }
}

impl StampStep {
    /// Sets in `stamps`, each with its weight, as `chooser` says; what that places is not used. All face
    /// `faces` as they are drawn. Where `chooser` faces any way, they face any side.
    pub fn new(mut chooser: PlaceStep, stamps: Vec<(f64, Arc<Tilemap>)>, faces: Side) -> Self {
        let lattice = stamps.first().map_or(Lattice::Square, |(_, map)| map.layout().lattice());
        let turns = u16::from(lattice.turns());
        if matches!(chooser.facing, Facing::Steps(steps) if !turns.is_multiple_of(steps)) {
            chooser.facing = Facing::Steps(turns);
        }
        let part = SetPiece { what: Thing::Room, faces, at: [0; 2], offset: [0.0; 2] };
        let choice = |&(weight, _): &(f64, _)| Choice { weight, parts: vec![part.clone()] };
        chooser.what = stamps.iter().map(choice).collect();
        let stamps = stamps.into_iter().map(|(_, map)| Stamp::new(map)).collect();
        Self { chooser, stamps, faces }
    }

    /// The cell of a small map by which it is held: that in its middle.
    pub fn held(layout: Layout) -> Cell {
        let (origin, [width, height, _]) = (layout.extent().origin(), layout.extent().size());
        Cell { x: origin.x + width as i32 / 2, y: origin.y + height as i32 / 2, z: origin.z }
    }

    fn paste(
        &self,
        number: u32,
        chosen: Chosen,
        scene: &Scene<'_>,
        map: &mut Tilemap,
        items: &mut Vec<Item>,
        told: &mut Placing,
    ) -> Result<(), Stopped> {
        let Stamp { map: stamp, full, .. } = &self.stamps[chosen.choice];
        let layout = map.layout();
        let (extent, lattice) = (layout.extent(), layout.lattice());
        let held = Self::held(stamp.layout());
        let turns = turns(layout, self.faces, chosen.facing);
        let target = |cell: Cell| {
            let shift = Shift::between(lattice, held, cell).turned(lattice, turns);
            layout.shifted(chosen.site.cell, shift)
        };
        let turn = Orientation::new(lattice, turns, false);
        let mut standing = Standing::default();
        let own = stamp.layout().extent();
        scene.pace.cells(own.cells())?;
        if let Some(ground) = stamp.terrain() {
            let terrain = map.terrain_mut();
            let numbers: Vec<u32> =
                ground.palette.iter().map(|name| terrain.number(name)).collect();
            for (cell, number) in own.iter().zip(ground.cells.iter()) {
                let Some((number, there)) = number.zip(target(cell)) else { continue };
                let index = extent.index(there).expect("inside");
                terrain.cells.set(index, Some(numbers[number as usize]));
            }
        }
        if let Some(heights) = stamp.heights() {
            let plane = map.heights_mut();
            for cell in full.iter() {
                let slot = target(cell).and_then(|there| plane.get_mut(there));
                if let Some((slot, &height)) = slot.zip(heights.get(cell)) {
                    *slot = height;
                }
            }
        }
        for (tag, cells) in stamp.tags() {
            let plane = map.tag_mut(tag);
            for there in cells.iter().filter_map(target) {
                plane.set(there, true);
            }
        }
        for layer in stamp.layers() {
            let name = scene.into.unwrap_or(&layer.name);
            if map.layer(name).is_none() {
                map.put_layer(Layer::new(name, extent, Vec::new()).offset_by(layer.offset()));
            }
            let into = map.layer_mut(name);
            let on_layer: Arc<str> = name.into();
            let mut numbers: Vec<Option<u32>> = vec![None; layer.palette().len()];
            for (cell, number) in layer.extent().iter().zip(layer.cells().iter()) {
                let Some((number, there)) = number.zip(target(cell)) else { continue };
                let number = *numbers[number as usize].get_or_insert_with(|| {
                    let mut placed = layer.palette()[number as usize].clone();
                    placed.orientation = placed.orientation.then(turn, lattice);
                    let laid_by = Some(scene.name).filter(|pass| *pass != name);
                    placed.pass = laid_by.map(str::to_owned);
                    placed.group = scene.group.map(str::to_owned);
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
            (scene.name.into(), scene.group.map(Into::into));
        let before = items.len();
        items.extend(stamp.items().iter().filter_map(|item| {
            let degrees = f32::from(turns) * 360.0 / f32::from(lattice.turns());
            let [x, y] = turned([item.offset[0], item.offset[1]], degrees);
            Some(Item {
                cell: target(item.cell)?,
                side: item.side.map(|side| turn.side(lattice, side)),
                facing: item.facing.map(|side| turn.side(lattice, side)),
                turn: (item.turn + degrees) % 360.0,
                offset: [x, y, item.offset[2]],
                drawn: scene.drawn,
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
        Ok(())
    }
}

impl Step for StampStep {
    fn kind(&self) -> &'static str {
        "stamp"
    }

    fn access(&self, layer: &str) -> Access {
        let mut access = self.chooser.access_of_sites();
        let writes = &mut access.writes;
        for Stamp { map, .. } in &self.stamps {
            writes.terrain |= map.terrain().is_some();
            writes.heights |= map.heights().is_some();
            writes.items |= !map.items().is_empty();
            map.tags().for_each(|(tag, _)| writes.tags.add(tag));
            // Without a layer of its pass each of its layers goes to the one of its name.
            map.layers().for_each(|own| writes.layers.add(own.name.as_str()));
            if map.layers().len() > 0 {
                writes.layers.add(layer);
            }
        }
        access
    }

    fn places(&self) -> bool {
        true
    }

    fn reach(&self) -> Reach {
        Reach::Map
    }

    /// O(cells of the map, rows of small maps for each place that is tried, and cells of all that is set
    /// in).
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let footprints: Vec<&[Footprint]> =
            self.stamps.iter().map(|stamp| &stamp.footprints[..]).collect();
        let Choosing { chosen, replaced, mut told } =
            self.chooser.choose(map, scene, &footprints)?;
        let mut items = Vec::new();
        let mut next = map.clone();
        let mut report = PassReport::new(scene.name);
        for (number, one) in chosen.iter().enumerate() {
            self.paste(number as u32 + 1, *one, scene, &mut next, &mut items, &mut told)?;
            report.cells += self.stamps[one.choice].full.count() as u64;
        }
        self.chooser.mark(&chosen, &mut next, scene.pace)?;
        *map = next;
        told.items = items.len() as u64;
        exchange(map, &replaced, |item| self.chooser.replace.takes(item, scene), items);
        report.items = told.items;
        report.placing = Some(told);
        Ok(Work::Done(report))
    }
}

/// Where a small map has something. Heights are everywhere, so they count only where there is nothing
/// else.
fn full(map: &Tilemap) -> BitPlane {
    let extent = map.layout().extent();
    let mut full = BitPlane::new(extent);
    let terrain = map.terrain().into_iter().flat_map(|terrain| terrain.cells.iter().enumerate());
    for (index, _) in terrain.filter(|(_, number)| number.is_some()) {
        full.set(extent.cell(index), true);
    }
    for layer in map.layers() {
        let cells = layer.extent().iter().zip(layer.cells().iter());
        for (cell, _) in cells.filter(|(_, number)| number.is_some()) {
            full.set(cell, true);
        }
    }
    map.tags().for_each(|(_, plane)| full.unite(plane));
    for item in map.items() {
        full.set(item.cell, true);
    }
    if full.count() == 0 && map.heights().is_some() {
        full = BitPlane::from_fn(extent, |_| true);
    }
    full
}
