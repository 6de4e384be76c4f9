//! A map as CSV: a row a cell with all that is there, and a row an item. Box maps have a column `z` more.

use super::MapError;
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Side};
use lantern_quilt_core::map::{Item, Layer, Numbers, Placed, Terrain, Tilemap};
use lantern_quilt_core::orient::Orientation;
use std::io::{Read, Write};

/// Writes a row for each cell: `x,y`, on boxes `z`, then what the map has of `terrain`, `height`, a column
/// `tag.NAME` of 0 or 1 for each tag, `plane.NAME` for each plane of numbers, and for each layer `tile`,
/// `turn`, `mirror` and `look`, also `part`, `pass`, `group` and `decided` where a tile says so. Where there
/// are several layers, the name of each follows: `tile.ground`. Empty fields are nothing. O(cells x columns).
///
/// Layers that are drawn between cells reach one cell farther than the map: there all else is empty.
///
/// # Errors
/// When `out` fails.
pub fn write_cells(map: &Tilemap, out: impl Write) -> Result<(), MapError> {
    let mut out = csv::Writer::from_writer(out);
    let layout = map.layout();
    let solid = layout.lattice().is_solid();
    let several = map.layers().len() > 1;
    let mut columns: Vec<Column> = Vec::new();
    columns.extend(map.terrain().map(Column::Terrain));
    if map.heights().is_some() {
        columns.push(Column::Height);
    }
    columns.extend(map.tags().map(|(name, plane)| Column::Tag(name, plane)));
    columns.extend(map.planes().map(|(name, plane)| Column::Plane(name, plane)));
    for layer in map.layers() {
        columns.extend(Shown::of(layer).map(|shown| Column::Layer(layer, shown)));
    }
    let mut names: Vec<String> = ["x", "y"].map(str::to_owned).into();
    names.extend(solid.then(|| "z".to_owned()));
    names.extend(columns.iter().map(|column| column.name(several)));
    out.write_record(&names)?;
    let mut text = String::new();
    for cell in around(map).iter() {
        out.write_field(cell.x.to_string())?;
        out.write_field(cell.y.to_string())?;
        if solid {
            out.write_field(cell.z.to_string())?;
        }
        for column in &columns {
            text.clear();
            column.say(map, cell, solid, &mut text);
            out.write_field(&text)?;
        }
        out.write_record(None::<&[u8]>)?;
    }
    out.flush().map_err(csv::Error::from)?;
    Ok(())
}

/// The smallest box around a map and all its layers.
fn around(map: &Tilemap) -> Extent {
    let mut all = map.layout().extent();
    for layer in map.layers() {
        let [one, other] = [all, layer.extent()].map(|extent| {
            let (from, size) = (extent.origin(), extent.size());
            [(from.x, size[0]), (from.y, size[1]), (from.z, size[2])]
        });
        let joined: [(i32, u32); 3] = std::array::from_fn(|axis| {
            let ((a, m), (b, n)) = (one[axis], other[axis]);
            let end = (i64::from(a) + i64::from(m)).max(i64::from(b) + i64::from(n));
            (a.min(b), (end - i64::from(a.min(b))) as u32)
        });
        let [x, y, z] = joined.map(|(from, _)| from);
        // Layers far away from their map are read apart from it.
        all = Extent::new(Cell { x, y, z }, joined.map(|(_, size)| size)).unwrap_or(all);
    }
    all
}

/// What a column says of a cell.
enum Column<'m> {
    Terrain(&'m Terrain),
    Height,
    Tag(&'m str, &'m BitPlane),
    Plane(&'m str, &'m Numbers),
    Layer(&'m Layer, Shown),
}

/// What a column says of the tile of a layer.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Shown {
    Tile,
    Turn,
    Mirror,
    Look,
    Part,
    Pass,
    Group,
    Decided,
}

impl Shown {
    const ALL: [(Self, &'static str); 8] = [
        (Self::Tile, "tile"),
        (Self::Turn, "turn"),
        (Self::Mirror, "mirror"),
        (Self::Look, "look"),
        (Self::Part, "part"),
        (Self::Pass, "pass"),
        (Self::Group, "group"),
        (Self::Decided, "decided"),
    ];

    /// The columns of a layer.
    fn of(layer: &Layer) -> impl Iterator<Item = Self> {
        let any = |says: fn(&Placed) -> bool| layer.palette().iter().any(says);
        let more = [
            (Self::Part, any(|placed| placed.part.is_some())),
            (Self::Pass, any(|placed| placed.pass.is_some())),
            (Self::Group, any(|placed| placed.group.is_some())),
            (Self::Decided, layer.decided().is_some()),
        ];
        let more = more.into_iter().filter(|(_, there)| *there).map(|(shown, _)| shown);
        [Self::Tile, Self::Turn, Self::Mirror, Self::Look].into_iter().chain(more)
    }

    fn name(self) -> &'static str {
        Self::ALL.into_iter().find(|(shown, _)| *shown == self).map_or("", |(_, name)| name)
    }
}

impl Column<'_> {
    fn name(&self, several: bool) -> String {
        match self {
            Self::Terrain(_) => "terrain".to_owned(),
            Self::Height => "height".to_owned(),
            Self::Tag(name, _) => format!("tag.{name}"),
            Self::Plane(name, _) => format!("plane.{name}"),
            Self::Layer(layer, shown) if several => format!("{}.{}", shown.name(), layer.name),
            Self::Layer(_, shown) => shown.name().to_owned(),
        }
    }

    /// Adds what it says of a cell.
    fn say(&self, map: &Tilemap, cell: Cell, solid: bool, text: &mut String) {
        let extent = map.layout().extent();
        match self {
            Self::Terrain(terrain) => text.push_str(terrain.at(cell, extent).unwrap_or_default()),
            Self::Height => {
                let height = map.heights().and_then(|heights| heights.get(cell));
                text.extend(height.map(ToString::to_string));
            }
            Self::Tag(_, plane) if extent.contains(cell) => {
                text.push(if plane.get(cell) { '1' } else { '0' });
            }
            Self::Tag(..) => {}
            Self::Plane(_, plane) => text.extend(plane.get(cell).map(|number| number.to_string())),
            Self::Layer(layer, Shown::Decided) => {
                let when = layer.decided().and_then(|decided| decided.get(cell));
                text.extend(when.map(|when| when.to_string()));
            }
            Self::Layer(layer, shown) => {
                let Some(placed) = layer.get(cell) else { return };
                let owned = match shown {
                    Shown::Turn => placed.orientation.turns().to_string(),
                    Shown::Mirror => u8::from(placed.orientation.mirrored()).to_string(),
                    Shown::Look => placed.look.to_string(),
                    Shown::Part => placed.part.map_or_else(String::new, |[x, y, z]| {
                        if solid { format!("{x} {y} {z}") } else { format!("{x} {y}") }
                    }),
                    Shown::Pass => placed.pass.clone().unwrap_or_default(),
                    Shown::Group => placed.group.clone().unwrap_or_default(),
                    Shown::Tile | Shown::Decided => placed.tile.clone(),
                };
                text.push_str(&owned);
            }
        }
    }
}

/// The columns of items, but for `z`.
const ITEM: [&str; 20] = [
    "x", "y", "side", "name", "look", "east", "south", "up", "facing", "turn", "tilt", "scale",
    "stacked", "stands", "height", "drawn", "tags", "pass", "group", "number",
];

/// Writes a row for each item; the columns are named as in the map's JSON, `east`, `south` and `up` are its
/// offset in cells, and tags are joined by spaces. O(items).
///
/// # Errors
/// When `out` fails.
pub fn write_items(map: &Tilemap, out: impl Write) -> Result<(), MapError> {
    let mut out = csv::Writer::from_writer(out);
    let solid = map.layout().lattice().is_solid();
    let mut names = ITEM.to_vec();
    if solid {
        names.insert(2, "z");
    }
    out.write_record(&names)?;
    for item in map.items() {
        let Item { cell, side, facing, offset: [east, south, up], .. } = item;
        let side_name = |side: &Option<Side>| side.map(Side::name).unwrap_or_default().to_owned();
        let mut row = vec![cell.x.to_string(), cell.y.to_string()];
        row.extend(solid.then(|| cell.z.to_string()));
        row.extend([
            side_name(side),
            item.name.to_string(),
            item.look.map_or_else(String::new, |look| look.to_string()),
            east.to_string(),
            south.to_string(),
            up.to_string(),
            side_name(facing),
            item.turn.to_string(),
            item.tilt.to_string(),
            item.scale.to_string(),
            item.stacked.to_string(),
            u8::from(item.stands).to_string(),
            item.height.to_string(),
            item.drawn.to_string(),
            item.tags.join(" "),
            item.pass.to_string(),
            item.group.as_deref().unwrap_or_default().to_owned(),
            item.number.to_string(),
        ]);
        out.write_record(&row)?;
    }
    out.flush().map_err(csv::Error::from)?;
    Ok(())
}

/// Where the columns of a layer are in a row.
struct Places {
    x: usize,
    y: usize,
    z: Option<usize>,
    /// A column that names the layer of each row, as older files have.
    layer: Option<usize>,
    tile: usize,
    turn: Option<usize>,
    mirror: Option<usize>,
    look: Option<usize>,
    part: Option<usize>,
}

impl Places {
    fn of(heading: &csv::StringRecord, layer: &str) -> Result<Self, MapError> {
        let find = |name: &str| heading.iter().position(|column| column == name);
        let need = |name: &str, place: Option<usize>| {
            place.ok_or_else(|| MapError::Inconsistent(format!("there is no column `{name}`")))
        };
        let of_layer = |name: &str| find(&format!("{name}.{layer}")).or_else(|| find(name));
        Ok(Self {
            x: need("x", find("x"))?,
            y: need("y", find("y"))?,
            z: find("z"),
            layer: find("layer"),
            tile: need("tile", of_layer("tile"))?,
            turn: of_layer("turn"),
            mirror: of_layer("mirror"),
            look: of_layer("look"),
            part: of_layer("part"),
        })
    }
}

/// Reads a layer; its extent is the box around all its rows, in any order. Of several layers, `name` is
/// the one that is read.
///
/// # Errors
/// When it is not CSV of those columns, holds no row, or its rows do not fill their box.
pub fn read_csv(name: &str, lattice: Lattice, data: impl Read) -> Result<Layer, MapError> {
    let mut data = csv::Reader::from_reader(data);
    let places = Places::of(data.headers()?, name)?;
    let mut rows: Vec<(Cell, Option<Placed>)> = Vec::new();
    for row in data.into_records() {
        let row = row?;
        let text = |place: Option<usize>| place.and_then(|place| row.get(place)).unwrap_or("");
        if places.layer.is_some() && text(places.layer) != name {
            continue;
        }
        let line = row.position().map_or(0, csv::Position::line);
        let number = |what: &str, place: Option<usize>| match text(place) {
            "" => Ok(0),
            text => text.parse::<i32>().map_err(|_| {
                let text =
                    format!("line {line}: `{text}` in column `{what}` is not a whole number");
                MapError::Inconsistent(text)
            }),
        };
        let count = |what, place| {
            let number = number(what, place)?;
            u32::try_from(number).map_err(|_| {
                MapError::Inconsistent(format!("line {line}: `{what}` is {number}, below 0"))
            })
        };
        let (x, y) = (number("x", Some(places.x))?, number("y", Some(places.y))?);
        let cell = Cell { x, y, z: number("z", places.z)? };
        let placed = match text(Some(places.tile)) {
            "" => None,
            tile => {
                let turns = count("turn", places.turn)? % u32::from(lattice.turns());
                let mirrored = count("mirror", places.mirror)? != 0;
                let orientation = Orientation::new(lattice, turns as u8, mirrored);
                let part = Some(text(places.part)).filter(|words| !words.is_empty());
                let part = part.map(read_part).transpose()?;
                let look = count("look", places.look)?;
                Some(Placed { look, part, ..Placed::new(tile).oriented(orientation) })
            }
        };
        rows.push((cell, placed));
    }
    let cells = rows.iter().map(|(cell, _)| [cell.x, cell.y, cell.z]);
    let Some(first) = cells.clone().next() else {
        return Err(MapError::Inconsistent("there is no row".to_owned()));
    };
    let (mut least, mut most) = (first, first);
    for cell in cells {
        for axis in 0..3 {
            least[axis] = least[axis].min(cell[axis]);
            most[axis] = most[axis].max(cell[axis]);
        }
    }
    let size: [u32; 3] = std::array::from_fn(|axis| {
        u32::try_from(i64::from(most[axis]) - i64::from(least[axis]) + 1).unwrap_or(u32::MAX)
    });
    let [x, y, z] = least;
    let extent =
        Extent::new(Cell { x, y, z }, size).map_err(|e| MapError::Inconsistent(e.to_string()))?;
    if extent.cells() != rows.len() {
        let text = format!("{} rows for a box of {} cells", rows.len(), extent.cells());
        return Err(MapError::Inconsistent(text));
    }
    let mut layer = Layer::new(name, extent, Vec::new());
    for (cell, placed) in rows {
        if let Some(placed) = placed {
            let number = layer.add(placed);
            layer.set(cell, Some(number));
        }
    }
    Ok(layer)
}

/// `1 0`, or with a level `1 0 2`.
fn read_part(words: &str) -> Result<[u32; 3], MapError> {
    let numbers: Result<Vec<u32>, _> = words.split(' ').map(str::parse).collect();
    match numbers.as_deref() {
        Ok(&[x, y]) => Ok([x, y, 0]),
        Ok(&[x, y, z]) => Ok([x, y, z]),
        _ => Err(MapError::Inconsistent(format!(
            "`{words}` is not a part: write column and row, `1 0`"
        ))),
    }
}
