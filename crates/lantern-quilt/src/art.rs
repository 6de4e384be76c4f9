//! The pictures of tiles, all of one size.

use crate::models::ModelArt;
use crate::picture::Picture;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::map::Placed;
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::block::Part;
use std::collections::BTreeMap;

/// One look of a tile: its picture as drawn, and what becomes of it when the tile turns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Look {
    drawn: Picture,
    turning: Turning,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Turning {
    /// The picture turns with the tile.
    WithTile,
    /// It stays as drawn, whatever the tile does.
    Upright,
    /// A picture for each further turn, evenly spaced; mirrored poses mirror it.
    Own(Vec<Picture>),
}

impl Look {
    /// A picture that turns with its tile.
    pub const fn new(drawn: Picture) -> Self {
        Self { drawn, turning: Turning::WithTile }
    }

    /// The same, staying upright when the tile turns: things with a shadow, or with writing.
    #[must_use]
    pub fn upright(mut self) -> Self {
        self.turning = Turning::Upright;
        self
    }

    /// The same with pictures of its own for each turn after the first, evenly spaced over the
    /// whole circle.
    #[must_use]
    pub fn turned(mut self, pictures: Vec<Picture>) -> Self {
        self.turning = Turning::Own(pictures);
        self
    }

    /// A part of it, of all its pictures the same: column, row, width and height in pixels.
    fn cut(&self, [x, y, wide, high]: [u32; 4]) -> Option<Self> {
        let cut = |picture: &Picture| picture.cut(x, y, wide, high);
        let turning = match &self.turning {
            Turning::Own(own) => Turning::Own(own.iter().map(cut).collect::<Option<_>>()?),
            other => other.clone(),
        };
        Some(Self { drawn: cut(&self.drawn)?, turning })
    }

    /// The picture as drawn.
    pub const fn drawn(&self) -> &Picture {
        &self.drawn
    }

    /// Whether its sides are those of the tile, turned.
    pub fn turns_with_tile(&self) -> bool {
        self.turning == Turning::WithTile
    }

    /// The picture of the tile in an orientation. O(pixels).
    #[must_use]
    pub fn posed(&self, lattice: Lattice, orientation: Orientation) -> Picture {
        let own = match &self.turning {
            Turning::WithTile => return self.drawn.oriented(lattice, orientation),
            Turning::Upright => return self.drawn.clone(),
            Turning::Own(own) => own,
        };
        let (full, count) = (lattice.turns(), own.len() as u8 + 1);
        let step = (full / count).max(1);
        // Mirrored first and turned then is turned the other way and mirrored then.
        let turns = if orientation.mirrored() {
            (full - orientation.turns()) % full
        } else {
            orientation.turns()
        };
        let number = usize::from(turns / step);
        let picture =
            if number == 0 { &self.drawn } else { own.get(number - 1).unwrap_or(&self.drawn) };
        picture.oriented(lattice, Orientation::new(lattice, 0, orientation.mirrored()))
    }
}

/// Two sides that would meet but for a few pixels.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NearSeam {
    /// The tiles and the sides of them, as drawn.
    pub sides: [(String, Side); 2],
    /// How many pixels differ.
    pub pixels: usize,
    /// Of how many.
    pub of: usize,
}

impl NearSeam {
    /// How the second tile lies beyond the first so that they nearly meet. O(pixels of a side).
    pub fn orientation(&self, art: &TileArt, lattice: Lattice) -> Option<Orientation> {
        let [(a, side), (b, beyond)] = &self.sides;
        let row = art.tile(a)?.side(lattice, *side);
        let other = art.look(b, 0)?;
        let facing = Orientation::all(lattice)
            .filter(|turned| turned.side(lattice, *beyond) == side.opposite());
        facing.min_by_key(|&turned| {
            let there = other.posed(lattice, turned).side(lattice, side.opposite());
            row.iter().zip(there.iter().rev()).filter(|(a, b)| a != b).count()
        })
    }
}

/// The picture of an item, and which pixel of it stands in the middle of its place.
#[derive(Clone, Debug, PartialEq, Eq)]
struct ItemArt {
    looks: Vec<Look>,
    anchor: Option<[i32; 2]>,
}

/// The looks of each tile, all of one size, and those of items, each of its own.
#[derive(Clone, Debug, Default)]
pub struct TileArt {
    cell: [u32; 2],
    tiles: BTreeMap<String, Vec<Look>>,
    items: BTreeMap<String, ItemArt>,
    /// Column and row in its sheet of the first look of a tile.
    places: BTreeMap<String, [u32; 2]>,
    models: Option<ModelArt>,
}

impl TileArt {
    /// Art of tiles of `cell` (width and height) pixels.
    pub const fn new(cell: [u32; 2]) -> Self {
        Self {
            cell,
            tiles: BTreeMap::new(),
            items: BTreeMap::new(),
            places: BTreeMap::new(),
            models: None,
        }
    }

    /// Adds a picture of a tile, its next look; returns whether it has the size of a cell.
    pub fn add(&mut self, tile: impl Into<String>, picture: Picture) -> bool {
        self.add_look(tile, Look::new(picture))
    }

    /// Adds the next look of a tile; returns whether it has the size of a cell, or of several.
    pub fn add_look(&mut self, tile: impl Into<String>, look: Look) -> bool {
        let [wide, high] = self.cell;
        let whole = |length: u32, cell: u32| cell > 0 && length > 0 && length.is_multiple_of(cell);
        let fits = whole(look.drawn.width(), wide) && whole(look.drawn.height(), high);
        if fits {
            self.tiles.entry(tile.into()).or_default().push(look);
        }
        fits
    }

    /// The models of tiles and items, where there are any.
    pub const fn models(&self) -> Option<&ModelArt> {
        self.models.as_ref()
    }

    /// Gives tiles and items their models.
    pub fn set_models(&mut self, models: ModelArt) {
        self.models = Some(models);
    }

    /// Says where in its sheet a tile lies: column and row.
    pub fn set_place(&mut self, tile: impl Into<String>, place: [u32; 2]) {
        self.places.entry(tile.into()).or_insert(place);
    }

    /// Column and row of a tile in its sheet, when it lies in one.
    pub fn place(&self, tile: &str) -> Option<[u32; 2]> {
        self.places.get(tile).copied()
    }

    /// Adds the next look of an item. `anchor` is the pixel that stands in the middle of its place; by
    /// default the middle of a picture, of one higher than a cell that of its lowest cell.
    pub fn add_item(&mut self, item: impl Into<String>, look: Look, anchor: Option<[i32; 2]>) {
        let known = self.items.entry(item.into());
        let known = known.or_insert_with(|| ItemArt { looks: Vec::new(), anchor });
        known.looks.push(look);
    }

    /// One look of an item, and the pixel of it that stands in the middle of its place.
    pub fn item(&self, name: &str, number: u32) -> Option<(&Look, [i32; 2])> {
        let art = self.items.get(name)?;
        let look = art.looks.get(number as usize).or_else(|| art.looks.first())?;
        let [wide, high] = [look.drawn.width() as i32, look.drawn.height() as i32];
        let lowest = high.min(self.cell[1].max(1) as i32);
        Some((look, art.anchor.unwrap_or([wide / 2, high - lowest / 2])))
    }

    /// Takes the first look of a tile out, with all others of it.
    pub fn take(&mut self, name: &str) -> Option<Picture> {
        self.tiles.remove(name)?.into_iter().next().map(|look| look.drawn)
    }

    /// How many pixels the slanted sides of hexagons take, from top to bottom (of flat ones from left to
    /// right), where that is not a quarter of a cell: read from what is clear in the corners of the first
    /// tile. O(pixels of a cell).
    pub fn slant(&self, lattice: Lattice) -> Option<u32> {
        let flat = match lattice {
            Lattice::HexPointy => false,
            Lattice::HexFlat => true,
            _ => return None,
        };
        let drawn = self.tiles.values().find_map(|looks| looks.first())?.drawn();
        let [wide, high] = self.cell;
        if [drawn.width(), drawn.height()] != [wide, high] {
            return None;
        }
        let (length, breadth) = if flat { (wide, high) } else { (high, wide) };
        let is_seen = |along: u32, across: u32| {
            let (x, y) = if flat { (along, across) } else { (across, along) };
            drawn.get(x, y).is_some_and(|pixel| pixel[3] > 0)
        };
        let whole = |&along: &u32| is_seen(along, 0) || is_seen(along, breadth - 1);
        let slant = (0..length / 2).find(whole)?;
        // A pixel more or less is how somebody paints a regular one.
        (slant > 0 && slant.abs_diff(length / 4) > 1 + length / 32).then_some(slant)
    }

    /// Width and height of a cell in pixels; zero when no tile has a picture.
    pub const fn cell(&self) -> [u32; 2] {
        self.cell
    }

    /// The first look of a tile, as drawn.
    pub fn tile(&self, name: &str) -> Option<&Picture> {
        self.look(name, 0).map(Look::drawn)
    }

    /// One look of a tile.
    pub fn look(&self, name: &str, number: u32) -> Option<&Look> {
        self.tiles.get(name)?.get(number as usize)
    }

    /// What a cell shows: a look of a tile in an orientation, of a tile of several cells just one
    /// part. O(pixels).
    pub fn posed(
        &self,
        name: &str,
        number: u32,
        part: Option<Part>,
        lattice: Lattice,
        orientation: Orientation,
    ) -> Option<Picture> {
        let look = self.look(name, number)?;
        let Some(part) = part else { return Some(look.posed(lattice, orientation)) };
        let [wide, high] = self.cell;
        if lattice.turns() == 6 {
            // Each part turns about its own middle.
            let [x, y, _] = part.at;
            let own = look.cut([x.checked_mul(wide)?, y.checked_mul(high)?, wide, high])?;
            return Some(own.posed(lattice, orientation));
        }
        let (whole, [x, y, _]) = (look.posed(lattice, orientation), part.placed(orientation));
        whole.cut(x.checked_mul(wide)?, y.checked_mul(high)?, wide, high)
    }

    /// As [`posed`](Self::posed), for what a layer holds; a look that is not there is the first.
    pub fn placed(&self, lattice: Lattice, placed: &Placed) -> Option<Picture> {
        let look = self.look(&placed.tile, placed.look).map_or(0, |_| placed.look);
        let drawn = self.look(&placed.tile, look)?.drawn();
        let part = placed.part.map(|at| {
            let count =
                |axis: usize, length: u32| (length / self.cell[axis].max(1)).max(at[axis] + 1);
            Part { at, span: [count(0, drawn.width()), count(1, drawn.height()), at[2] + 1] }
        });
        self.posed(&placed.tile, look, part, lattice, placed.orientation)
    }

    /// All looks of a tile.
    pub fn looks(&self, name: &str) -> &[Look] {
        self.tiles.get(name).map_or(&[], Vec::as_slice)
    }
}
