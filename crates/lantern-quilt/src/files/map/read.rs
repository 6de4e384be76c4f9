//! A map from JSON, value by value. Sizes are believed only as far as the rows bear them out.

use super::cells::{Bits, Grid, Heights, Kept, room};
use super::tables::{Each, Keys, Table};
use super::things::{ConnectorIn, Finite, ItemIn, PlacedIn, Shared, misplaced};
use super::{MapError, OLDEST, VERSION};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use lantern_quilt_core::map::{Connector, Indices, Item, Layer, Origin, Terrain, Tilemap};
use serde::Deserialize;
use serde::de::{DeserializeSeed, MapAccess};
use std::io::Read;

/// The most planes of one kind, and the most layers; more of them are a slip.
const MOST_PLANES: usize = 1024;

/// Reads a map from JSON of this version or an older one. O(cells) time; besides the map, memory for one
/// row. Keys may come in any order; it takes less memory while it works when the size comes before the rows, as
/// it does in files this program writes.
///
/// # Errors
/// When it is not JSON of the right shape, or its parts do not fit together.
pub fn read_json(data: impl Read) -> Result<Tilemap, MapError> {
    let mut file = File::default();
    let mut json = serde_json::Deserializer::from_reader(std::io::BufReader::new(data));
    Table(&mut file).deserialize(&mut json)?;
    json.end()?;
    file.map()
}

fn wrong(text: impl Into<String>) -> MapError {
    MapError::Inconsistent(text.into())
}

/// A map as far as it has been read.
#[derive(Default)]
struct File {
    version: Option<u32>,
    quilt: QuiltIn,
    seed: String,
    lattice: Option<String>,
    area: Area,
    wrap: Vec<String>,
    terrain: Option<TerrainIn>,
    heights: Option<Grid<Heights>>,
    tags: Vec<(String, Grid<Bits>)>,
    planes: Vec<(String, Grid<Kept>)>,
    items: Vec<Item>,
    connectors: Vec<Connector>,
    layers: Vec<LayerIn>,
    shared: Shared,
}

impl Keys for File {
    const WHAT: &'static str = "a map";

    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        // What another version holds is nobody's business.
        if self.version.is_some_and(|version| !(OLDEST..=VERSION).contains(&version)) {
            return Ok(false);
        }
        let cells = self.area.cells();
        match key {
            "lantern_quilt_map" => self.version = Some(table.next_value()?),
            "quilt" => self.quilt = table.next_value()?,
            "seed" => self.seed = table.next_value()?,
            "lattice" => self.lattice = Some(table.next_value()?),
            "wrap" => self.wrap = table.next_value()?,
            "terrain" => {
                let mut terrain = TerrainIn { cells, ..TerrainIn::default() };
                table.next_value_seed(Table(&mut terrain))?;
                self.terrain = Some(terrain);
            }
            "heights" => {
                let heights = Heights(Vec::with_capacity(room(cells)));
                self.heights = Some(Grid::read(heights, table)?);
            }
            "tags" => table.next_value_seed(Table(&mut Tags(&mut self.tags, cells)))?,
            "planes" => table.next_value_seed(Table(&mut Planes(&mut self.planes, cells)))?,
            "items" => {
                let (items, shared) = (&mut self.items, &mut self.shared);
                table.next_value_seed(Each::new(|one: ItemIn| {
                    items.push(one.item(shared)?);
                    Ok(())
                }))?;
            }
            "connectors" => {
                let (connectors, shared) = (&mut self.connectors, &mut self.shared);
                table.next_value_seed(Each::new(|one: ConnectorIn| {
                    connectors.push(one.connector(shared)?);
                    Ok(())
                }))?;
            }
            "layers" => {
                let layers = &mut self.layers;
                table.next_value_seed(Layers(layers))?;
            }
            _ => return self.area.take(key, table),
        }
        Ok(true)
    }
}

impl File {
    fn map(self) -> Result<Tilemap, MapError> {
        match self.version {
            Some(version) if (OLDEST..=VERSION).contains(&version) => {}
            Some(version) => {
                return Err(wrong(format!(
                    "map version {version} is not one this program reads (it reads {OLDEST} and \
                     {VERSION})"
                )));
            }
            None => return Err(wrong("it does not say `lantern_quilt_map`, its version")),
        }
        let name = self.lattice.ok_or_else(|| wrong("it does not say its `lattice`"))?;
        let lattice = Lattice::from_name(&name)
            .ok_or_else(|| wrong(format!("no lattice is named `{name}`")))?;
        let extent = self.area.extent("the map")?;
        let mut wrap = Wrap::NONE;
        for axis in &self.wrap {
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
            quilt: self.quilt.file,
            hash: self.quilt.hash,
            seed: self.seed,
            variant: self.quilt.variant,
            set: self.quilt.set,
        };
        if let Some(terrain) = self.terrain {
            map.set_terrain(Some(terrain.terrain(extent)?));
        }
        if let Some(heights) = self.heights {
            map.set_heights(heights.of(extent, "heights")?.plane(extent));
        }
        for (name, bits) in self.tags {
            let bits = bits.of(extent, &format!("tag `{name}`"))?;
            map.set_tag(&name, bits.plane(extent));
        }
        for (name, kept) in self.planes {
            let kept = kept.of(extent, &format!("plane `{name}`"))?;
            map.set_plane(&name, kept.numbers(extent));
        }
        for layer in self.layers {
            let layer = layer.layer(lattice)?;
            if map.layer(&layer.name).is_some() {
                return Err(wrong(format!("two layers are named `{}`", layer.name)));
            }
            map.put_layer(layer);
        }
        map.set_items(self.items);
        if let Some(text) = self.connectors.iter().find_map(|one| misplaced(one, layout)) {
            return Err(wrong(text));
        }
        map.set_connectors(self.connectors);
        Ok(map)
    }
}

/// Where something lies and how large it is.
#[derive(Default)]
struct Area {
    origin: [i32; 3],
    size: Option<[u32; 3]>,
}

impl Area {
    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        match key {
            "origin" => self.origin = table.next_value()?,
            "size" => self.size = Some(table.next_value()?),
            _ => return Ok(false),
        }
        Ok(true)
    }

    /// How many cells it says it has, where it has said so.
    fn cells(&self) -> Option<u64> {
        self.size.map(|size| size.into_iter().map(u64::from).fold(1, u64::saturating_mul))
    }

    fn extent(&self, what: &str) -> Result<Extent, MapError> {
        let size = self.size.ok_or_else(|| wrong(format!("{what} does not say its `size`")))?;
        let [x, y, z] = self.origin;
        Extent::new(Cell { x, y, z }, size).map_err(|e| wrong(e.to_string()))
    }
}

#[derive(Deserialize, Default)]
struct QuiltIn {
    #[serde(default)]
    file: String,
    #[serde(default)]
    hash: String,
    #[serde(default)]
    variant: String,
    #[serde(default)]
    set: Vec<String>,
}

/// Planes of one kind by name, and how many cells each should have.
struct Tags<'f>(&'f mut Vec<(String, Grid<Bits>)>, Option<u64>);
struct Planes<'f>(&'f mut Vec<(String, Grid<Kept>)>, Option<u64>);

impl Keys for Tags<'_> {
    const WHAT: &'static str = "a table of tags";

    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        check_count::<A::Error>(self.0.len(), "tags")?;
        let bits = Grid::read(Bits::with_room(room(self.1)), table)?;
        self.0.push((key.to_owned(), bits));
        Ok(true)
    }
}

impl Keys for Planes<'_> {
    const WHAT: &'static str = "a table of planes";

    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        check_count::<A::Error>(self.0.len(), "planes")?;
        let kept = Grid::read(Kept(Vec::with_capacity(room(self.1))), table)?;
        self.0.push((key.to_owned(), kept));
        Ok(true)
    }
}

fn check_count<E: serde::de::Error>(count: usize, what: &str) -> Result<(), E> {
    if count < MOST_PLANES {
        return Ok(());
    }
    Err(E::custom(format!("a map has {MOST_PLANES} {what} at most")))
}

#[derive(Default)]
struct TerrainIn {
    palette: Vec<String>,
    rows: Option<Grid<Indices>>,
    cells: Option<u64>,
}

impl Keys for TerrainIn {
    const WHAT: &'static str = "a palette and rows";

    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        match key {
            "palette" => self.palette = table.next_value()?,
            "rows" => {
                let cells = Indices::with_capacity(room(self.cells));
                self.rows = Some(Grid::read(cells, table)?);
            }
            _ => return Ok(false),
        }
        Ok(true)
    }
}

impl TerrainIn {
    fn terrain(self, extent: Extent) -> Result<Terrain, MapError> {
        let rows = self.rows.ok_or_else(|| wrong("terrain has no `rows`"))?;
        let cells = rows.of(extent, "terrain")?;
        check_numbers(&cells, extent, self.palette.len(), "terrain")?;
        Ok(Terrain { palette: self.palette, cells })
    }
}

/// That every number is one of the palette.
fn check_numbers(
    cells: &Indices,
    extent: Extent,
    palette: usize,
    what: &str,
) -> Result<(), MapError> {
    let mut numbers = cells.iter().enumerate();
    let past = numbers
        .find_map(|(index, number)| Some((index, number.filter(|&n| n as usize >= palette)?)));
    past.map_or(Ok(()), |(index, number)| {
        let cell = extent.cell(index);
        Err(wrong(format!("{what}: {number} at {cell} is past the palette of {palette}")))
    })
}

/// Reads a list of layers.
struct Layers<'f>(&'f mut Vec<LayerIn>);

impl<'de> DeserializeSeed<'de> for Layers<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de> serde::de::Visitor<'de> for Layers<'_> {
    type Value = ();

    fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a list of layers")
    }

    fn visit_seq<A: serde::de::SeqAccess<'de>>(self, mut list: A) -> Result<(), A::Error> {
        loop {
            let mut layer = LayerIn::default();
            let Some(()) = list.next_element_seed(Table(&mut layer))? else { return Ok(()) };
            check_count::<A::Error>(self.0.len(), "layers")?;
            self.0.push(layer);
        }
    }
}

#[derive(Default)]
struct LayerIn {
    name: Option<String>,
    area: Area,
    offset: [f32; 3],
    palette: Vec<PlacedIn>,
    rows: Option<Grid<Indices>>,
    decided: Option<Grid<Kept>>,
}

impl Keys for LayerIn {
    const WHAT: &'static str = "a layer";

    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error> {
        let room = room(self.area.cells());
        match key {
            "name" => self.name = Some(table.next_value()?),
            "offset" => {
                let offset: [Finite; 3] = table.next_value()?;
                self.offset = offset.map(|Finite(number)| number);
            }
            "palette" => self.palette = table.next_value()?,
            "rows" => self.rows = Some(Grid::read(Indices::with_capacity(room), table)?),
            "decided" => {
                self.decided = Some(Grid::read(Kept(Vec::with_capacity(room)), table)?);
            }
            _ => return self.area.take(key, table),
        }
        Ok(true)
    }
}

impl LayerIn {
    fn layer(self, lattice: Lattice) -> Result<Layer, MapError> {
        let name = self.name.ok_or_else(|| wrong("a layer has no `name`"))?;
        let what = format!("layer `{name}`");
        let extent = self.area.extent(&what)?;
        let palette: Vec<_> = self.palette.into_iter().map(|one| one.placed(lattice)).collect();
        let rows = self.rows.ok_or_else(|| wrong(format!("{what} has no `rows`")))?;
        let cells = rows.of(extent, &what)?;
        check_numbers(&cells, extent, palette.len(), &what)?;
        let layer = Layer::from_cells(name, extent, palette, cells).expect("checked");
        let mut layer = layer.offset_by(self.offset);
        if let Some(decided) = self.decided {
            let decided = decided.of(extent, &format!("`decided` of {what}"))?;
            layer.set_decided(decided.numbers(extent));
        }
        Ok(layer)
    }
}
