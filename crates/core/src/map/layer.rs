//! A layer of tiles: a palette, and one index (or nothing) a cell.

use super::numbers::Numbers;
use crate::digest::Digest;
use crate::lattice::{Cell, Extent};
use crate::orient::Orientation;
use std::fmt;

/// One entry of a layer's palette: what a cell shows.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Placed {
    /// The tile's name.
    pub tile: String,
    /// How it is turned and mirrored.
    pub orientation: Orientation,
    /// Which of its looks, counted from 0.
    pub look: u32,
    /// Which part of it stands here, when it covers several cells: column, row and level as drawn.
    pub part: Option<[u32; 3]>,
    /// The pass that laid it; `None` when that is the one the layer is named after.
    pub pass: Option<String>,
    /// The group of that pass.
    pub group: Option<String>,
}

impl Placed {
    /// A tile of one cell as drawn, in its first look.
    pub fn new(tile: impl Into<String>) -> Self {
        Self {
            tile: tile.into(),
            orientation: Orientation::AS_DRAWN,
            look: 0,
            part: None,
            pass: None,
            group: None,
        }
    }

    /// The same, turned and mirrored.
    #[must_use]
    pub fn oriented(mut self, orientation: Orientation) -> Self {
        self.orientation = orientation;
        self
    }
}

/// One palette number (or nothing) a cell, in two or four bytes each.
#[derive(Clone, PartialEq, Eq)]
pub struct Indices {
    store: Store,
}

impl fmt::Debug for Indices {
    /// With a digest of its cells, of which there may be millions. How wide they are stored is not in it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut cells = Digest::new();
        for number in self.iter() {
            cells.bytes(&number.unwrap_or(u32::MAX).to_le_bytes());
        }
        f.debug_struct("Indices")
            .field("cells", &self.len())
            .field("digest", &cells.finish())
            .finish()
    }
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Store {
    Narrow(Vec<u16>),
    Wide(Vec<u32>),
}

impl Indices {
    /// `cells` empty cells for a palette of up to `palette` entries.
    pub fn new(cells: usize, palette: usize) -> Self {
        let store = if palette < usize::from(u16::MAX) {
            Store::Narrow(vec![u16::MAX; cells])
        } else {
            Store::Wide(vec![u32::MAX; cells])
        };
        Self { store }
    }

    /// No cells, with room for some.
    pub fn with_capacity(cells: usize) -> Self {
        Self { store: Store::Narrow(Vec::with_capacity(cells)) }
    }

    /// One cell more.
    ///
    /// # Panics
    /// When `value` is `u32::MAX`.
    pub fn push(&mut self, value: Option<u32>) {
        match &mut self.store {
            Store::Narrow(values) => values.push(u16::MAX),
            Store::Wide(values) => values.push(u32::MAX),
        }
        if value.is_some() {
            self.set(self.len() - 1, value);
        }
    }

    /// Gives back room that no cell took.
    pub fn shrink_to_fit(&mut self) {
        match &mut self.store {
            Store::Narrow(values) => values.shrink_to_fit(),
            Store::Wide(values) => values.shrink_to_fit(),
        }
    }

    /// The number of cells.
    pub fn len(&self) -> usize {
        match &self.store {
            Store::Narrow(values) => values.len(),
            Store::Wide(values) => values.len(),
        }
    }

    /// Whether there is no cell.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The palette number at `index`, or `None` where nothing stands.
    ///
    /// # Panics
    /// When `index` is out of range.
    pub fn get(&self, index: usize) -> Option<u32> {
        match &self.store {
            Store::Narrow(values) => Some(values[index]).filter(|&v| v != u16::MAX).map(u32::from),
            Store::Wide(values) => Some(values[index]).filter(|&v| v != u32::MAX),
        }
    }

    /// Sets or empties a cell, widening the store when the number needs it.
    ///
    /// # Panics
    /// When `index` is out of range, or `value` is `u32::MAX`.
    pub fn set(&mut self, index: usize, value: Option<u32>) {
        assert_ne!(value, Some(u32::MAX), "the palette is too long");
        if let (Store::Narrow(values), Some(v)) = (&self.store, value)
            && v >= u32::from(u16::MAX)
        {
            let wide = values.iter().map(|&v| if v == u16::MAX { u32::MAX } else { u32::from(v) });
            self.store = Store::Wide(wide.collect());
        }
        match &mut self.store {
            Store::Narrow(values) => values[index] = value.map_or(u16::MAX, |v| v as u16),
            Store::Wide(values) => values[index] = value.unwrap_or(u32::MAX),
        }
    }

    /// The cells in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = Option<u32>> + '_ {
        (0..self.len()).map(|index| self.get(index))
    }
}

/// Tiles over an extent of their own, with a palette of their own.
///
/// A layer that is drawn between cells has its own size and an offset in cells.
#[derive(Clone, Debug, PartialEq)]
pub struct Layer {
    /// Its name, by default that of the pass that made it.
    pub name: String,
    extent: Extent,
    offset: [f32; 3],
    palette: Vec<Placed>,
    cells: Indices,
    decided: Option<Numbers>,
}

impl Layer {
    /// An empty layer.
    pub fn new(name: impl Into<String>, extent: Extent, palette: Vec<Placed>) -> Self {
        let cells = Indices::new(extent.cells(), palette.len());
        Self { name: name.into(), extent, offset: [0.0; 3], palette, cells, decided: None }
    }

    /// A layer of such cells; `None` when there is not one number (or nothing) a cell, or one is past the
    /// palette. O(cells).
    pub fn from_cells(
        name: impl Into<String>,
        extent: Extent,
        palette: Vec<Placed>,
        cells: Indices,
    ) -> Option<Self> {
        let known = |number: u32| (number as usize) < palette.len();
        let fits = cells.len() == extent.cells() && cells.iter().flatten().all(known);
        fits.then_some(Self {
            name: name.into(),
            extent,
            offset: [0.0; 3],
            palette,
            cells,
            decided: None,
        })
    }

    /// When each cell was decided, counted from 0, where that is kept.
    pub const fn decided(&self) -> Option<&Numbers> {
        self.decided.as_ref()
    }

    /// The cells in the order in which they were decided, each with its turn; none where that is not kept. Cells of one
    /// turn go row by row. O(n log n).
    ///
    /// A game replays a map from it, each cell after a delay, growing in:
    ///
    /// ```
    /// use lantern_quilt_core::lattice::{Cell, Extent};
    /// use lantern_quilt_core::map::{Layer, Numbers};
    ///
    /// let extent = Extent::new(Cell::default(), [2, 1, 1])?;
    /// let mut layer = Layer::new("ground", extent, Vec::new());
    /// let mut decided = Numbers::new(extent);
    /// decided.set(Cell::new(0, 0), Some(1));
    /// decided.set(Cell::new(1, 0), Some(0));
    /// layer.set_decided(Some(decided));
    ///
    /// let (delay, grows, now) = (0.02_f32, 0.25_f32, 0.1_f32); // seconds
    /// let sizes = layer.in_order().into_iter().map(|(turn, cell)| {
    ///     let age = now - turn as f32 * delay;
    ///     (cell, (age / grows).clamp(0.0, 1.0))
    /// });
    /// let sizes: Vec<_> = sizes.filter(|(_, size)| *size > 0.0).collect();
    /// assert_eq!(sizes[0], (Cell::new(1, 0), 0.4));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn in_order(&self) -> Vec<(i32, Cell)> {
        let decided = self.decided.iter();
        let turns = decided.flat_map(|decided| decided.iter().zip(self.extent.iter()));
        let mut all: Vec<(i32, Cell)> =
            turns.filter_map(|(turn, cell)| turn.map(|turn| (turn, cell))).collect();
        all.sort_by_key(|&(turn, _)| turn);
        all
    }

    /// Keeps when each cell was decided, or forgets it.
    ///
    /// # Panics
    /// When the plane is of another extent.
    pub fn set_decided(&mut self, decided: Option<Numbers>) {
        let extent = self.extent;
        assert!(decided.as_ref().is_none_or(|one| one.extent() == extent), "of one extent");
        self.decided = decided;
    }

    /// The same, drawn `offset` cells away from its coordinates.
    #[must_use]
    pub fn offset_by(mut self, offset: [f32; 3]) -> Self {
        self.offset = offset;
        self
    }

    /// The cells it covers.
    pub const fn extent(&self) -> Extent {
        self.extent
    }

    /// How far from its coordinates it is drawn, in cells.
    pub const fn offset(&self) -> [f32; 3] {
        self.offset
    }

    /// Everything its cells show.
    pub fn palette(&self) -> &[Placed] {
        &self.palette
    }

    /// The palette numbers in cell order.
    pub const fn cells(&self) -> &Indices {
        &self.cells
    }

    /// What stands on `cell`; `None` when it is empty or outside.
    pub fn get(&self, cell: Cell) -> Option<&Placed> {
        let index = self.extent.index(cell)?;
        self.cells.get(index).map(|number| &self.palette[number as usize])
    }

    /// Puts palette entry `number` (or nothing) on `cell`; returns whether both exist.
    pub fn set(&mut self, cell: Cell, number: Option<u32>) -> bool {
        match self.extent.index(cell) {
            Some(index) if number.is_none_or(|n| (n as usize) < self.palette.len()) => {
                self.cells.set(index, number);
                true
            }
            _ => false,
        }
    }

    /// Says of all its tiles which pass laid them, unless it is the one the layer is named after, and
    /// the group of that pass. O(palette).
    pub fn sign(&mut self, pass: &str, group: Option<&str>) {
        let pass = Some(pass).filter(|pass| *pass != self.name).map(str::to_owned);
        for placed in &mut self.palette {
            (placed.pass, placed.group) = (pass.clone(), group.map(str::to_owned));
        }
    }

    /// Lays another layer over this one; where that one is empty or ends, this one stays. O(cells).
    pub fn overlay(&mut self, other: &Self) {
        let numbers: Vec<u32> = other.palette.iter().map(|one| self.add(one.clone())).collect();
        for (index, number) in other.cells.iter().enumerate() {
            if let Some(number) = number {
                self.set(other.extent.cell(index), Some(numbers[number as usize]));
            }
        }
        if self.decided.is_none() && other.decided.is_none() {
            return;
        }
        let mut decided = self.take_decided();
        for (index, _) in other.cells.iter().enumerate().filter(|(_, number)| number.is_some()) {
            let when = other.decided.as_ref().and_then(|numbers| numbers.at(index));
            decided.set(other.extent.cell(index), when.map(i64::from));
        }
        self.decided = Some(decided);
    }

    /// When cells were decided, taken out to be changed; none of them, when that is not kept.
    pub(crate) fn take_decided(&mut self) -> Numbers {
        self.decided.take().unwrap_or_else(|| Numbers::new(self.extent))
    }

    /// Sets every cell at once; `u16::MAX` is an empty one. Panics when there is not one a cell.
    pub(crate) fn fill_from(&mut self, cells: Vec<u16>) {
        assert_eq!(cells.len(), self.extent.cells(), "one a cell");
        self.cells = Indices { store: Store::Narrow(cells) };
    }

    /// Adds a palette entry and returns its number; an equal one is used again. O(palette).
    pub fn add(&mut self, placed: Placed) -> u32 {
        let known = self.palette.iter().position(|p| *p == placed);
        known.unwrap_or_else(|| {
            self.palette.push(placed);
            self.palette.len() - 1
        }) as u32
    }
}
