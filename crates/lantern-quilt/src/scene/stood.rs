//! Where everything of a map stands: what is drawn shaded and what is written as GLB are the same.

use crate::art::TileArt;
use crate::models::{Material, Model, ModelArt, Part, Texture, matrix_of};
use crate::picture::{Picture, Rgba};
use glam::{Mat3, Quat, Vec2, Vec3};
use lantern_quilt_core::lattice::{Cell, Lattice, Side};
use lantern_quilt_core::map::{Item, Layer, Tilemap};
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

/// How something is turned.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Turned {
    /// Clockwise seen from above, in degrees.
    pub degrees: f32,
    /// How far it leans, in degrees.
    pub tilt: f32,
    /// Where it leans to: degrees from north, clockwise.
    pub tilt_to: f32,
}

impl Turned {
    /// As drawn.
    pub const NOT: Self = Self { degrees: 0.0, tilt: 0.0, tilt_to: 0.0 };

    /// As a quaternion of glTF.
    pub fn rotation(&self) -> Quat {
        let half = std::f32::consts::FRAC_1_SQRT_2;
        // Quarters are exact.
        let turned = match self.degrees {
            0.0 => Quat::IDENTITY,
            90.0 => Quat::from_xyzw(0.0, -half, 0.0, half),
            180.0 => Quat::from_xyzw(0.0, -1.0, 0.0, 0.0),
            270.0 => Quat::from_xyzw(0.0, half, 0.0, half),
            other => Quat::from_rotation_y(-other.to_radians()),
        };
        if self.tilt == 0.0 {
            return turned;
        }
        // Leaning to the north turns about the axis that points west.
        let to = Quat::from_rotation_y(-self.tilt_to.to_radians());
        Quat::from_axis_angle(to * Vec3::NEG_X, self.tilt.to_radians()) * turned
    }

    /// As a matrix; quarters are exact.
    pub fn matrix(&self) -> Mat3 {
        if self.tilt == 0.0 && self.degrees % 90.0 == 0.0 {
            let turns = (self.degrees / 90.0) as u8;
            return matrix_of(Lattice::Box, Orientation::new(Lattice::Box, turns, false));
        }
        Mat3::from_quat(self.rotation())
    }
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
        // What each entry of the palette shows: its shape and how it is turned.
        let entries: Vec<Option<(u32, Turned)>> = (layer.palette().iter().enumerate())
            .map(|(entry, placed)| {
                if self.models.is_air(&placed.tile) {
                    return None;
                }
                let Some(model) = self.models.tile(&placed.tile, placed.look).cloned() else {
                    let model =
                        Arc::new(self.block(&placed.tile, || self.art.placed(lattice, placed))?);
                    self.shapes.push(Shape {
                        name: placed.tile.clone(),
                        look: placed.look,
                        mirrored: placed.orientation.mirrored(),
                        model,
                    });
                    let _ = entry;
                    return Some((self.shapes.len() as u32 - 1, Turned::NOT));
                };
                // A model of several cells stands by its first part.
                if placed.part.is_some_and(|part| part != [0; 3]) {
                    return None;
                }
                let mirrored = placed.orientation.mirrored();
                let shape = self.shape(&placed.tile, placed.look, mirrored, &model);
                let step = 360.0 / f32::from(lattice.turns());
                let degrees = f32::from(placed.orientation.turns()) * step;
                Some((shape, Turned { degrees, ..Turned::NOT }))
            })
            .collect();
        let [dx, dy, dz] = layer.offset();
        for (index, entry) in layer.cells().iter().enumerate() {
            let Some(entry) = entry else { continue };
            let Some((shape, turned)) = entries[entry as usize] else { continue };
            let cell = layer.extent().cell(index);
            if !self.shows(cell) {
                continue;
            }
            let up = ground(self.map, cell) + dz;
            let at = floor_of(cell, self.module) + self.module * Vec3::new(dx, up, dy);
            let source = StoodSource::Tile { layer: number, entry };
            self.scene.push(Stood { shape, cell, at, turned, scale: 1.0, source });
        }
    }

    /// A block, or on flat maps a floor, for a tile without a model.
    fn block(&self, tile: &str, picture: impl FnOnce() -> Option<Picture>) -> Option<Model> {
        let picture = picture();
        let colour = self.models.colour(tile);
        let solid = self.map.layout().lattice().is_solid();
        if !solid && picture.is_none() && colour.is_none() {
            return None;
        }
        let colour = colour.unwrap_or_else(|| {
            let sum: usize = tile.bytes().map(usize::from).sum();
            let [r, g, b] = BLOCKS[sum % BLOCKS.len()];
            [r, g, b, 255]
        });
        Some(match (solid, picture) {
            (true, None) => block_model(self.module, Some(colour), None),
            (true, Some(picture)) => block_model(self.module, None, Some(picture)),
            (false, picture) => floor_model(self.module, colour, picture),
        })
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
                let model = Arc::new(block_model(size, Some(*colour), None));
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

/// From a stored colour to light: the square is near enough to the standard curve for a picture.
pub(crate) fn to_light([r, g, b, _]: Rgba) -> [f32; 3] {
    [r, g, b].map(|value| {
        let value = f32::from(value) / 255.0;
        value * value
    })
}

/// The box that a cell takes, in one colour or with a picture on each face.
pub(crate) fn block_model(module: Vec3, colour: Option<Rgba>, picture: Option<Picture>) -> Model {
    let faces: [(Vec3, Vec3, Vec3); 6] = [
        (Vec3::Z, Vec3::X, Vec3::Y),
        (Vec3::X, Vec3::NEG_Z, Vec3::Y),
        (Vec3::NEG_Z, Vec3::NEG_X, Vec3::Y),
        (Vec3::NEG_X, Vec3::Z, Vec3::Y),
        (Vec3::Y, Vec3::X, Vec3::NEG_Z),
        (Vec3::NEG_Y, Vec3::X, Vec3::Z),
    ];
    let half = Vec3::splat(0.5);
    let mut part = Part { material: Some(Arc::new(material(colour, picture))), ..Part::default() };
    part.uvs.push(Vec::new());
    for (out, right, up) in faces {
        push_face(&mut part, out * half, right * half, up * half, out);
    }
    for point in &mut part.points {
        *point = (*point + Vec3::new(0.0, 0.5, 0.0)) * module;
    }
    Model { name: "block".to_owned(), parts: vec![part] }
}

/// A flat floor.
fn floor_model(module: Vec3, colour: Rgba, picture: Option<Picture>) -> Model {
    let colour = picture.is_none().then_some(colour);
    let mut part = Part { material: Some(Arc::new(material(colour, picture))), ..Part::default() };
    part.uvs.push(Vec::new());
    push_face(&mut part, Vec3::ZERO, Vec3::X * 0.5, Vec3::NEG_Z * 0.5, Vec3::Y);
    for point in &mut part.points {
        *point *= module;
    }
    Model { name: "floor".to_owned(), parts: vec![part] }
}

fn push_face(part: &mut Part, middle: Vec3, right: Vec3, up: Vec3, out: Vec3) {
    let first = part.points.len() as u32;
    for (x, y) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
        part.points.push(middle + right * x + up * y);
        part.normals.push(out);
        part.uvs[0].push(Vec2::new(f32::midpoint(x, 1.0), (1.0 - y) / 2.0));
    }
    part.triangles.push([first, first + 1, first + 2]);
    part.triangles.push([first, first + 2, first + 3]);
}

fn material(colour: Option<Rgba>, picture: Option<Picture>) -> Material {
    let light = colour.map_or([1.0; 3], to_light);
    let mut material = Material::plain(if picture.is_some() { "picture" } else { "block" }, light);
    if let Some(picture) = picture {
        let mut data = Vec::new();
        // A picture in memory is written whole.
        let _ = picture.write_png(&mut data, &[]);
        let sampler = Some(r#"{"magFilter":9728,"minFilter":9728}"#.to_owned());
        let texture = Arc::new(Texture { picture, data: data.into(), mime: "image/png", sampler });
        material.texture = Some((texture.clone(), 0));
        material.textures.push(texture);
        material.cutoff = Some(0.5);
    }
    material
}
