//! Where everything of a map stands: what is drawn shaded and what is written as GLB are the same.

use super::block::{block_model, floor_model};
use super::hidden::{Entry, Hides};
use super::turned::Turned;
use crate::art::TileArt;
use crate::models::voxels::towards;
use crate::models::{Model, ModelArt};
use crate::picture::{Picture, Rgba};
use glam::Vec3;
use lantern_quilt_core::lattice::{Cell, Side};
use lantern_quilt_core::map::{Item, Layer, Placed, Tilemap};
use lantern_quilt_core::orient::Orientation;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A model as it occurs in a map; turned ones share it, mirrored ones are one of their own.
#[derive(Clone, Debug)]
pub struct Shape {
    /// The tile or item.
    pub name: String,
    /// Which of its looks.
    pub look: u32,
    /// Whether it is mirrored west to east; its model is.
    pub mirrored: bool,
    /// The model.
    pub model: Arc<Model>,
}

/// What of the map stands there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StoodSource {
    /// A cell of a layer, by the number of the layer and of its palette entry.
    Tile {
        /// Which layer, from the ground up.
        layer: usize,
        /// Which entry of its palette.
        entry: u32,
    },
    /// An item, by its number in the map.
    Item(usize),
}

/// One thing that stands somewhere.
#[derive(Clone, Copy, Debug)]
pub struct Stood {
    /// The number of its shape.
    pub shape: u32,
    /// Its cell.
    pub cell: Cell,
    /// Where its zero lies, in metres.
    pub at: Vec3,
    /// How it is turned.
    pub turned: Turned,
    /// Against its natural size.
    pub scale: f32,
    /// What it is.
    pub source: StoodSource,
}

/// Everything that can be seen of a map, in metres: the north-west corner of the cell 0, 0 on level 0 is zero.
#[derive(Clone, Debug)]
pub struct Scene {
    /// Every model that occurs.
    pub shapes: Vec<Shape>,
    /// Everything that stands: layer by layer, cell by cell, then the items.
    pub stood: Vec<Stood>,
    /// The size of a cell.
    pub module: Vec3,
}

/// Colours of blocks that have none of their own.
const BLOCKS: [[u8; 3]; 8] = [
    [126, 142, 110],
    [176, 150, 112],
    [108, 130, 158],
    [168, 118, 98],
    [186, 178, 150],
    [118, 108, 140],
    [96, 136, 132],
    [200, 168, 96],
];

/// Where the middle of a cell's floor lies.
pub(crate) fn floor_of(cell: Cell, module: Vec3) -> Vec3 {
    module * Vec3::new(cell.x as f32 + 0.5, cell.z as f32, cell.y as f32 + 0.5)
}

/// How high the ground of a cell lies above its level, in cells.
fn ground(map: &Tilemap, cell: Cell) -> f32 {
    map.heights().and_then(|heights| heights.get(cell)).map_or(0.0, |&height| height as f32)
}

impl Scene {
    /// Everything of a map that stands on some levels (all without), with blocks in place of tiles that have
    /// no model. O(cells + items).
    pub fn new(map: &Tilemap, art: &TileArt, levels: Option<[i32; 2]>) -> Self {
        Self::with_grounds(map, art, levels, &[])
    }

    /// As [`new`](Self::new), with flat ground in the colours of terrains where a square map has them.
    pub fn with_grounds(
        map: &Tilemap,
        art: &TileArt,
        levels: Option<[i32; 2]>,
        grounds: &[(String, Rgba)],
    ) -> Self {
        let none = ModelArt::default();
        let models = art.models().unwrap_or(&none);
        let module = models.module();
        let mut builder =
            Builder { map, art, models, module, levels, scene: Vec::new(), shapes: Vec::new() };
        builder.grounds(grounds);
        for (number, layer) in map.layers().enumerate() {
            builder.layer(number, layer);
        }
        builder.items();
        Self { shapes: builder.shapes, stood: builder.scene, module }
    }
}

struct Builder<'a> {
    map: &'a Tilemap,
    art: &'a TileArt,
    models: &'a ModelArt,
    module: Vec3,
    levels: Option<[i32; 2]>,
    scene: Vec<Stood>,
    shapes: Vec<Shape>,
}

impl Builder<'_> {
    fn shows(&self, cell: Cell) -> bool {
        self.levels.is_none_or(|[least, most]| (least..=most).contains(&cell.z))
    }

    fn shape(&mut self, name: &str, look: u32, mirrored: bool, model: &Arc<Model>) -> u32 {
        let same = |one: &Shape| one.name == name && one.look == look && one.mirrored == mirrored;
        let known = self.shapes.iter().position(same);
        known.unwrap_or_else(|| {
            let lattice = self.map.layout().lattice();
            let model = if mirrored {
                Arc::new(model.oriented(lattice, Orientation::new(lattice, 0, true)))
            } else {
                model.clone()
            };
            self.shapes.push(Shape { name: name.to_owned(), look, mirrored, model });
            self.shapes.len() - 1
        }) as u32
    }

    fn layer(&mut self, number: usize, layer: &Layer) {
        let lattice = self.map.layout().lattice();
        // What each entry of the palette shows.
        let entries: Vec<Option<Entry>> = (layer.palette().iter())
            .map(|placed| {
                if self.models.is_air(&placed.tile) {
                    return None;
                }
                if let Some(voxels) = self.models.voxels(&placed.tile, placed.look) {
                    let Placed { orientation, .. } = placed;
                    return Some(Entry::Voxels(
                        voxels.posed(orientation.turns(), orientation.mirrored()),
                    ));
                }
                let Some(model) = self.models.tile(&placed.tile, placed.look).cloned() else {
                    let picture = self.art.placed(lattice, placed);
                    if lattice.is_solid() {
                        return Some(Entry::Block(self.colour_of(&placed.tile), picture));
                    }
                    let model = Arc::new(self.floor(&placed.tile, picture)?);
                    self.shapes.push(Shape {
                        name: placed.tile.clone(),
                        look: placed.look,
                        mirrored: placed.orientation.mirrored(),
                        model,
                    });
                    return Some(Entry::Whole(self.shapes.len() as u32 - 1, Turned::NOT));
                };
                // A model of several cells stands by its first part.
                if placed.part.is_some_and(|part| part != [0; 3]) {
                    return None;
                }
                let mirrored = placed.orientation.mirrored();
                let shape = self.shape(&placed.tile, placed.look, mirrored, &model);
                let step = 360.0 / f32::from(lattice.turns());
                let degrees = f32::from(placed.orientation.turns()) * step;
                Some(Entry::Whole(shape, Turned { degrees, ..Turned::NOT }))
            })
            .collect();
        let mut hides = Hides::new(&entries);
        let mut cut: BTreeMap<(u32, u8), u32> = BTreeMap::new();
        let [dx, dy, dz] = layer.offset();
        for (index, entry) in layer.cells().iter().enumerate() {
            let Some(entry) = entry else { continue };
            let Some(shown) = &entries[entry as usize] else { continue };
            let cell = layer.extent().cell(index);
            if !self.shows(cell) {
                continue;
            }
            let (shape, turned) = if let Entry::Whole(shape, turned) = shown {
                (*shape, *turned)
            } else {
                let beyond = |side| {
                    let [dx, dy, dz] = towards(side);
                    let next = Cell { x: cell.x + dx, y: cell.y + dy, z: cell.z + dz };
                    let index = layer.extent().index(next).filter(|_| self.shows(next))?;
                    layer.cells().get(index)
                };
                let hidden = hides.sides(entry, beyond);
                let shape = *cut.entry((entry, hidden)).or_insert_with(|| {
                    let placed = &layer.palette()[entry as usize];
                    let model = shown.model(&placed.tile, self.module, hidden);
                    self.shapes.push(Shape {
                        name: placed.tile.clone(),
                        look: placed.look,
                        mirrored: placed.orientation.mirrored(),
                        model: Arc::new(model),
                    });
                    self.shapes.len() as u32 - 1
                });
                (shape, Turned::NOT)
            };
            let up = ground(self.map, cell) + dz;
            let at = floor_of(cell, self.module) + self.module * Vec3::new(dx, up, dy);
            let source = StoodSource::Tile { layer: number, entry };
            self.scene.push(Stood { shape, cell, at, turned, scale: 1.0, source });
        }
    }

    /// The colour of a tile's block, its own or one by its name.
    fn colour_of(&self, tile: &str) -> Rgba {
        self.models.colour(tile).unwrap_or_else(|| {
            let sum: usize = tile.bytes().map(usize::from).sum();
            let [r, g, b] = BLOCKS[sum % BLOCKS.len()];
            [r, g, b, 255]
        })
    }

    /// A floor on a flat map, for a tile without a model.
    fn floor(&self, tile: &str, picture: Option<Picture>) -> Option<Model> {
        if picture.is_none() && self.models.colour(tile).is_none() {
            return None;
        }
        Some(floor_model(self.module, self.colour_of(tile), picture))
    }

    /// Flat ground under a square map, a step where heights differ.
    fn grounds(&mut self, grounds: &[(String, Rgba)]) {
        let map = self.map;
        let (Some(terrain), false) = (map.terrain(), map.layout().lattice().is_solid()) else {
            return;
        };
        let lowest = map.heights().and_then(|heights| heights.values().iter().min().copied());
        let lowest = lowest.unwrap_or(0);
        let mut shapes: BTreeMap<(u32, i32), u32> = BTreeMap::new();
        for (index, number) in terrain.cells.iter().enumerate() {
            let Some(number) = number else { continue };
            let name = &terrain.palette[number as usize];
            let Some((_, colour)) = grounds.iter().find(|(known, _)| known == name) else {
                continue;
            };
            let cell = map.layout().extent().cell(index);
            let height = map.heights().and_then(|heights| heights.get(cell)).copied().unwrap_or(0);
            let steps = (i64::from(height) - i64::from(lowest) + 1).min(1 << 16) as f32;
            let shape = *shapes.entry((number, height)).or_insert_with(|| {
                let size = Vec3 { y: self.module.y * steps, ..self.module };
                let model = Arc::new(block_model(size, Some(*colour), None, 0));
                let name = format!("ground {name}");
                self.shapes.push(Shape { name, look: 0, mirrored: false, model });
                self.shapes.len() as u32 - 1
            });
            // From just below the floor down to the lowest ground, so that steps have sides.
            let at = floor_of(cell, self.module)
                + self.module * Vec3::new(0.0, height as f32 - steps, 0.0)
                - Vec3::new(0.0, 0.002 * self.module.y, 0.0);
            let source = StoodSource::Tile { layer: usize::MAX, entry: number };
            self.scene.push(Stood { shape, cell, at, turned: Turned::NOT, scale: 1.0, source });
        }
    }

    fn items(&mut self) {
        let mut surfaces = Surfaces::new(self.map, self.models);
        for (number, item) in self.map.items().iter().enumerate() {
            if !self.shows(item.cell) {
                continue;
            }
            let Some(model) =
                item.look.and_then(|look| self.models.item(&item.name, look)).cloned()
            else {
                continue;
            };
            let shape = self.shape(&item.name, item.look.unwrap_or(0), false, &model);
            let mut at = place_of(self.map, item, self.module);
            let height = match (item.stands, item.height) {
                (true, 0.0) => surfaces.below(item, at),
                (_, height) => height,
            };
            at.y += height * self.module.y;
            let lattice = self.map.layout().lattice();
            let facing = item.facing.and_then(|side| lattice.angle(side)).map(f32::from);
            let turned = Turned {
                degrees: item.turn.rem_euclid(360.0),
                tilt: item.tilt,
                tilt_to: facing.unwrap_or(180.0 + item.turn),
            };
            let source = StoodSource::Item(number);
            self.scene.push(Stood {
                shape,
                cell: item.cell,
                at,
                turned,
                scale: item.scale,
                source,
            });
        }
    }
}

/// Where an item stands before it is set on what is below: its place, offset and the height of the ground.
pub(crate) fn place_of(map: &Tilemap, item: &Item, module: Vec3) -> Vec3 {
    let lattice = map.layout().lattice();
    let mut at = floor_of(item.cell, module);
    if let Some(side) = item.side {
        if let Some(angle) = lattice.angle(side) {
            let (sin, cos) = match angle {
                0 => (0.0, 1.0),
                90 => (1.0, 0.0),
                180 => (0.0, -1.0),
                _ => (-1.0, 0.0),
            };
            at += module * Vec3::new(sin / 2.0, 0.0, -cos / 2.0);
        } else if side == Side::Up {
            at.y += module.y;
        }
    }
    let [east, south, up] = item.offset;
    at + module * Vec3::new(east, ground(map, item.cell) + up, south)
}

/// The models of tiles as they stand, to be stood upon.
struct Surfaces<'a> {
    map: &'a Tilemap,
    models: &'a ModelArt,
    /// Models turned, by layer and palette entry.
    turned: BTreeMap<(usize, u32), Option<Model>>,
}

impl<'a> Surfaces<'a> {
    fn new(map: &'a Tilemap, models: &'a ModelArt) -> Self {
        Self { map, models, turned: BTreeMap::new() }
    }

    /// The highest surface below the top of an item's cell at its spot, above the floor of its cell, in
    /// cells; 0 when there is none.
    fn below(&mut self, item: &Item, at: Vec3) -> f32 {
        let (module, extent) = (self.models.module(), self.map.layout().extent());
        let lattice = self.map.layout().lattice();
        let base = at.y;
        // On the rim between two cells either may hold it.
        let spot = Cell::at(
            (at.x / module.x).floor() as i32,
            (at.z / module.z).floor() as i32,
            item.cell.z,
        );
        let column = if extent.contains(spot) { spot } else { item.cell };
        let lowest = extent.origin().z;
        for level in (lowest..=item.cell.z).rev() {
            let cell = Cell { z: level, ..column };
            let mut top: Option<f32> = None;
            for (number, layer) in self.map.layers().enumerate() {
                let entry = layer.extent().index(cell).and_then(|index| layer.cells().get(index));
                let Some(entry) = entry else { continue };
                let placed = &layer.palette()[entry as usize];
                let model = self.turned.entry((number, entry)).or_insert_with(|| {
                    let model = self.models.tile(&placed.tile, placed.look)?;
                    Some(model.oriented(lattice, placed.orientation))
                });
                let [dx, dy, dz] = layer.offset();
                let up = ground(self.map, cell) + dz;
                let floor = floor_of(cell, module) + module * Vec3::new(dx, up, dy);
                let height = match model {
                    Some(model) => model.top_at(at.x - floor.x, at.z - floor.z),
                    // A block is flat on top.
                    None if lattice.is_solid() && !self.models.is_air(&placed.tile) => {
                        Some(module.y)
                    }
                    None => None,
                };
                if let Some(height) = height.map(|height| height + floor.y) {
                    top = Some(top.map_or(height, |top| top.max(height)));
                }
            }
            if let Some(top) = top {
                return (top - base) / module.y;
            }
        }
        0.0
    }
}

/// Sets items that stand on the surface below upon it, and keeps how high that is.
/// O(items x triangles of a model).
pub fn settle_heights(map: &mut Tilemap, art: &TileArt) {
    let Some(models) = art.models() else { return };
    if !map.items().iter().any(|item| item.stands) {
        return;
    }
    let heights: Vec<f32> = {
        let mut surfaces = Surfaces::new(map, models);
        let all = map.items().iter().map(|item| {
            if item.stands {
                surfaces.below(item, place_of(map, item, models.module()))
            } else {
                item.height
            }
        });
        all.collect()
    };
    let mut items = map.take_items();
    for (item, height) in items.iter_mut().zip(heights) {
        item.height = height;
    }
    map.set_items(items);
}
