//! A map from JSON. Sizes are believed only as far as the rows bear them out.

use super::{MapError, VERSION};
use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Side, Wrap};
use lantern_quilt_core::map::{Indices, Item, Layer, Origin, Placed, Terrain, Tilemap};
use lantern_quilt_core::orient::Orientation;
use serde::de::{Error as _, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use std::collections::BTreeMap;
use std::fmt;
use std::io::Read;
use std::marker::PhantomData;

/// Reads a map from JSON. O(cells).
///
/// # Errors
/// When it is not JSON of the right shape, or its parts do not fit together.
pub fn read_json(data: impl Read) -> Result<Tilemap, MapError> {
    let file: File = serde_json::from_reader(std::io::BufReader::new(data))?;
    if file.lantern_quilt_map != VERSION {
        return Err(wrong(format!(
            "map version {} is not one this program reads (it reads {VERSION})",
            file.lantern_quilt_map
        )));
    }
    let lattice = Lattice::from_name(&file.lattice)
        .ok_or_else(|| wrong(format!("no lattice is named `{}`", file.lattice)))?;
    let extent = extent(file.origin, file.size)?;
    let mut wrap = Wrap::NONE;
    for axis in &file.wrap {
        match axis.as_str() {
            "x" => wrap.x = true,
            "y" => wrap.y = true,
            "z" => wrap.z = true,
            other => return Err(wrong(format!("no axis is named `{other}`"))),
        }
    }
    let layout = Layout::new(lattice, extent, wrap).map_err(|e| wrong(e.to_string()))?;
    let mut map = Tilemap::new(layout);
    map.origin = Origin {
        quilt: file.quilt.file,
        hash: file.quilt.hash,
        seed: file.seed,
        variant: file.quilt.variant,
        set: file.quilt.set,
    };
    if let Some(terrain) = file.terrain {
        let cells = indices(terrain.rows, extent, terrain.palette.len(), "terrain")?;
        map.set_terrain(Some(Terrain { palette: terrain.palette, cells }));
    }
    if let Some(rows) = file.heights {
        rows.check(extent, "heights")?;
        map.set_heights(Plane::from_values(extent, rows.values));
    }
    for (name, rows) in file.tags {
        let mut plane = BitPlane::new(extent);
        let lines = extent.height() as usize * extent.depth() as usize;
        let width = extent.width() as usize;
        if rows.len() != lines || rows.iter().any(|row| row.len() != width) {
            return Err(wrong(format!("tag `{name}` does not have {lines} rows of {width}")));
        }
        for (index, bit) in rows.iter().flat_map(|row| row.bytes()).enumerate() {
            plane.set(extent.cell(index), bit == b'#');
        }
        map.set_tag(&name, Some(plane));
    }
    for layer in file.layers {
        let layer = read_layer(layer, lattice)?;
        if map.layer(&layer.name).is_some() {
            return Err(wrong(format!("two layers are named `{}`", layer.name)));
        }
        map.put_layer(layer);
    }
    let items: Result<Vec<Item>, MapError> = file.items.into_iter().map(read_item).collect();
    map.set_items(items?);
    Ok(map)
}

fn wrong(text: String) -> MapError {
    MapError::Inconsistent(text)
}

fn extent(origin: [i32; 3], size: [u32; 3]) -> Result<Extent, MapError> {
    let [x, y, z] = origin;
    Extent::new(Cell { x, y, z }, size).map_err(|e| wrong(e.to_string()))
}

fn indices(
    rows: Rows<Option<u32>>,
    extent: Extent,
    palette: usize,
    what: &str,
) -> Result<Indices, MapError> {
    rows.check(extent, what)?;
    let mut cells = Indices::new(extent.cells(), palette);
    for (index, value) in rows.values.into_iter().enumerate() {
        if let Some(number) = value.filter(|&number| number as usize >= palette) {
            let cell = extent.cell(index);
            return Err(wrong(format!(
                "{what}: {number} at {cell} is past the palette of {palette}"
            )));
        }
        cells.set(index, value);
    }
    Ok(cells)
}

fn read_layer(file: LayerFile, lattice: Lattice) -> Result<Layer, MapError> {
    let extent = extent(file.origin, file.size)?;
    let palette: Vec<Placed> = file
        .palette
        .into_iter()
        .map(|entry| Placed {
            tile: entry.tile,
            orientation: Orientation::new(lattice, entry.turn, entry.mirror),
            look: entry.look,
            part: entry.part,
            pass: entry.pass,
            group: entry.group,
        })
        .collect();
    let cells = indices(file.rows, extent, palette.len(), &format!("layer `{}`", file.name))?;
    let mut layer = Layer::new(file.name, extent, palette).offset_by(file.offset);
    for (index, value) in cells.iter().enumerate() {
        layer.set(extent.cell(index), value);
    }
    Ok(layer)
}

fn read_item(file: ItemFile) -> Result<Item, MapError> {
    let side = |name: Option<String>| match name {
        Some(name) => {
            let side = Side::from_name(&name);
            side.map(Some).ok_or_else(|| wrong(format!("no side is named `{name}`")))
        }
        None => Ok(None),
    };
    let [x, y, z] = file.cell;
    Ok(Item {
        cell: Cell { x, y, z },
        side: side(file.side)?,
        name: file.name.into(),
        look: file.look,
        offset: file.offset,
        facing: side(file.facing)?,
        turn: file.turn,
        scale: file.scale,
        tags: file.tags.into(),
        pass: file.pass.into(),
        group: file.group.map(Into::into),
        number: file.number,
    })
}

#[derive(Deserialize)]
struct File {
    lantern_quilt_map: u32,
    #[serde(default)]
    quilt: QuiltFile,
    #[serde(default)]
    seed: String,
    lattice: String,
    #[serde(default)]
    origin: [i32; 3],
    size: [u32; 3],
    #[serde(default)]
    wrap: Vec<String>,
    terrain: Option<TerrainFile>,
    heights: Option<Rows<i32>>,
    #[serde(default)]
    tags: BTreeMap<String, Vec<String>>,
    #[serde(default)]
    layers: Vec<LayerFile>,
    #[serde(default)]
    items: Vec<ItemFile>,
}

#[derive(Deserialize, Default)]
struct QuiltFile {
    #[serde(default)]
    file: String,
    #[serde(default)]
    hash: String,
    #[serde(default)]
    variant: String,
    #[serde(default)]
    set: Vec<String>,
}

#[derive(Deserialize)]
struct TerrainFile {
    palette: Vec<String>,
    rows: Rows<Option<u32>>,
}

#[derive(Deserialize)]
struct LayerFile {
    name: String,
    #[serde(default)]
    origin: [i32; 3],
    size: [u32; 3],
    #[serde(default, deserialize_with = "finite_three")]
    offset: [f32; 3],
    palette: Vec<Entry>,
    rows: Rows<Option<u32>>,
}

#[derive(Deserialize)]
struct Entry {
    tile: String,
    #[serde(default)]
    turn: u8,
    #[serde(default)]
    mirror: bool,
    #[serde(default)]
    look: u32,
    part: Option<[u32; 3]>,
    pass: Option<String>,
    group: Option<String>,
}

#[derive(Deserialize)]
struct ItemFile {
    cell: [i32; 3],
    name: String,
    side: Option<String>,
    look: Option<u32>,
    #[serde(default, deserialize_with = "finite_three")]
    offset: [f32; 3],
    #[serde(default, deserialize_with = "finite")]
    turn: f32,
    #[serde(default = "one", deserialize_with = "finite")]
    scale: f32,
    #[serde(default)]
    tags: Vec<String>,
    facing: Option<String>,
    #[serde(default)]
    pass: String,
    group: Option<String>,
    #[serde(default)]
    number: u32,
}

const fn one() -> f32 {
    1.0
}

/// A number that is one in 32 bits as well.
fn finite<'de, D: Deserializer<'de>>(deserializer: D) -> Result<f32, D::Error> {
    let number = f64::deserialize(deserializer)?;
    let narrow = number as f32;
    if narrow.is_finite() {
        return Ok(narrow);
    }
    Err(D::Error::custom(format!("{number:e} is too large a number")))
}

fn finite_three<'de, D: Deserializer<'de>>(deserializer: D) -> Result<[f32; 3], D::Error> {
    #[derive(Deserialize)]
    struct Finite(#[serde(deserialize_with = "finite")] f32);
    let three = <[Finite; 3]>::deserialize(deserializer)?;
    Ok(three.map(|Finite(number)| number))
}

/// A list of rows, kept as one list and the length that all rows share.
struct Rows<T> {
    values: Vec<T>,
    rows: usize,
    /// The first row whose length differs from the first one's.
    ragged: Option<usize>,
}

impl<T> Rows<T> {
    fn check(&self, extent: Extent, what: &str) -> Result<(), MapError> {
        let rows = extent.height() as usize * extent.depth() as usize;
        if let Some(row) = self.ragged {
            return Err(wrong(format!("{what}: row {row} is not as long as the others")));
        }
        if self.rows != rows || self.values.len() != extent.cells() {
            let width = self.values.len().checked_div(self.rows).unwrap_or(0);
            return Err(wrong(format!(
                "{what}: {} rows of {width} cells where the size says {rows} of {}",
                self.rows,
                extent.width()
            )));
        }
        Ok(())
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Rows<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Walk<T>(PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for Walk<T> {
            type Value = Rows<T>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a list of rows")
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Rows<T>, A::Error> {
                let mut rows = Rows { values: Vec::new(), rows: 0, ragged: None };
                let mut width = None;
                while let Some(row) = seq.next_element::<Vec<T>>()? {
                    if *width.get_or_insert(row.len()) != row.len() && rows.ragged.is_none() {
                        rows.ragged = Some(rows.rows);
                    }
                    rows.values.extend(row);
                    rows.rows += 1;
                }
                Ok(rows)
            }
        }
        deserializer.deserialize_seq(Walk(PhantomData))
    }
}
