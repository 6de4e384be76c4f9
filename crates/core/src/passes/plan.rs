//! The `plan` pass: painted pixels or letters to terrain and heights. Reach: the cell.

use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::lattice::{Cell, Extent};
use crate::map::{Indices, Terrain, Tilemap};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::cmp::Reverse;

/// Red, green, blue and opacity.
type Colour = [u8; 4];

/// Pixels that are named of each colour off the key.
const NAMED: usize = 8;
/// Colours off the key that are distinguished; further ones only count.
const MOST_STRAYS: usize = 4096;

/// Which colour is which terrain.
///
/// A pixel that is wholly transparent is left empty. Any other must be a colour of the key, or lie
/// within [`near`](Self::near) of one.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ColourKey {
    /// Opaque colours and the terrains they mean.
    pub colours: Vec<([u8; 3], String)>,
    /// How far a colour may be from that of the key: the root of the summed squares of the differences
    /// in red, green, blue and opacity, each from 0 to 255. The nearest is taken, of equals the first.
    pub near: u32,
}

impl ColourKey {
    /// The place of the nearest colour, and the square of how far it is. O(colours).
    fn nearest(&self, [r, g, b, a]: Colour) -> Option<(usize, u32)> {
        let apart = |&([kr, kg, kb], _): &([u8; 3], String)| {
            let pairs = [(r, kr), (g, kg), (b, kb), (a, 255)];
            pairs.into_iter().map(|(p, q)| u32::from(p.abs_diff(q)).pow(2)).sum::<u32>()
        };
        self.colours.iter().map(apart).enumerate().min_by_key(|&(place, far)| (far, place))
    }
}

/// A colour that no entry of the key is near enough to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stray {
    /// The colour.
    pub colour: Colour,
    /// How many pixels have it.
    pub count: u64,
    /// The first of them, at most eight: column and row.
    pub first: Vec<[u32; 2]>,
    /// The nearest colour of the key, its terrain, and how far it is, rounded up.
    pub nearest: Option<([u8; 3], String, u32)>,
}

/// What a plan says, before it is laid.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Planned {
    /// Terrain by name, and by number for each cell from the plan's own corner.
    pub terrain: Terrain,
    /// Colours off the key, the most frequent first.
    pub strays: Vec<Stray>,
    /// Pixels of further such colours.
    pub uncounted: u64,
}

/// Terrain or heights that lie somewhere on a map.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::passes::{ColourKey, Plan};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let key = ColourKey { colours: vec![([47, 107, 58], "moss".to_owned())], near: 0 };
/// let pixels = [[47, 107, 58, 255], [0; 4], [47, 107, 59, 255]];
/// let planned = Plan::read(&pixels, 3, &key).unwrap();
/// assert_eq!((planned.strays.len(), planned.strays[0].first[0]), (1, [2, 0]));
///
/// let plan = Plan::of_terrain([3, 1], planned.terrain).unwrap().at(Cell::new(1, 0));
/// let layout = Layout::flat(Lattice::Square, 4, 1)?;
/// let made = Recipe::new([Pass::new("ground", plan)]).make(layout, &Seed::default())?;
/// assert_eq!(made.passes[0].outside, 0, "no cell of the plan lies outside");
/// let ground = made.map.terrain().unwrap();
/// assert_eq!(ground.at(Cell::new(1, 0), layout.extent()), Some("moss"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Plan {
    /// The cell of its upper left corner.
    corner: Cell,
    size: [u32; 2],
    /// Its own levels; without, it holds for every level of the map.
    depth: Option<u32>,
    terrain: Option<Terrain>,
    heights: Option<Vec<i32>>,
}

impl Plan {
    /// Reads pixels through a key. `None` when `width` does not divide them, or is 0. O(pixels) and, for
    /// each colour, O(key).
    pub fn read(pixels: &[Colour], width: u32, key: &ColourKey) -> Option<Planned> {
        if width == 0 || !pixels.len().is_multiple_of(width as usize) {
            return None;
        }
        // A terrain that several colours mean stands in the palette once.
        let mut terrain = Terrain { palette: Vec::new(), cells: Indices::new(pixels.len(), 0) };
        let numbers: Vec<u32> = key.colours.iter().map(|(_, name)| terrain.number(name)).collect();
        let mut strays: HashMap<Colour, Stray, FxBuildHasher> = HashMap::default();
        let mut known: HashMap<Colour, Option<u32>, FxBuildHasher> = HashMap::default();
        let mut uncounted = 0;
        let most = key.near.saturating_pow(2);
        let mut last = ([0; 4], None);
        for (index, &colour) in pixels.iter().enumerate() {
            if colour[3] == 0 {
                continue;
            }
            if last.0 != colour {
                let found = *known.entry(colour).or_insert_with(|| {
                    let near = key.nearest(colour).filter(|&(_, far)| far <= most);
                    near.map(|(place, _)| numbers[place])
                });
                // A gradient has very many colours, each of which is used once or twice.
                if known.len() > MOST_STRAYS {
                    known.clear();
                }
                last = (colour, found);
            }
            if last.1.is_some() {
                terrain.cells.set(index, last.1);
                continue;
            }
            if strays.len() >= MOST_STRAYS && !strays.contains_key(&colour) {
                uncounted += 1;
                continue;
            }
            let stray = strays.entry(colour).or_insert_with(|| {
                let nearest = key.nearest(colour).map(|(place, far)| {
                    let (colour, name) = &key.colours[place];
                    let root = far.isqrt();
                    (*colour, name.clone(), root + u32::from(root * root < far))
                });
                Stray { colour, count: 0, first: Vec::new(), nearest }
            });
            stray.count += 1;
            if stray.first.len() < NAMED {
                stray.first.push([index as u32 % width, index as u32 / width]);
            }
        }
        let mut strays: Vec<Stray> = strays.into_values().collect();
        strays.sort_by_key(|stray| (Reverse(stray.count), stray.first[0][1], stray.first[0][0]));
        Some(Planned { terrain, strays, uncounted })
    }

    /// A plan of terrain; `None` when there is not one number a cell.
    pub fn of_terrain(size: [u32; 2], terrain: Terrain) -> Option<Self> {
        let whole = terrain.cells.len() == cells_of(size);
        let plan = Self {
            corner: Cell::default(),
            size,
            depth: None,
            terrain: Some(terrain),
            heights: None,
        };
        whole.then_some(plan)
    }

    /// A plan of heights; `None` when there is not one a cell.
    pub fn of_heights(size: [u32; 2], heights: Vec<i32>) -> Option<Self> {
        let whole = heights.len() == cells_of(size);
        let plan = Self {
            corner: Cell::default(),
            size,
            depth: None,
            terrain: None,
            heights: Some(heights),
        };
        whole.then_some(plan)
    }

    /// The same with its upper left corner elsewhere.
    #[must_use]
    pub const fn at(mut self, corner: Cell) -> Self {
        self.corner = corner;
        self
    }

    /// The same with so many levels, one after the other from the lowest, instead of one for all: its rows
    /// are those of all levels. `None` when they do not divide into them.
    pub fn levels(mut self, levels: u32) -> Option<Self> {
        let [width, rows] = self.size;
        if levels == 0 || rows % levels != 0 {
            return None;
        }
        (self.size, self.depth) = ([width, rows / levels], Some(levels));
        Some(self)
    }

    /// Columns and rows.
    pub const fn size(&self) -> [u32; 2] {
        self.size
    }

    /// The cell of its upper left corner.
    pub const fn corner(&self) -> Cell {
        self.corner
    }

    /// The terrain it lays, from its own corner.
    pub const fn terrain(&self) -> Option<&Terrain> {
        self.terrain.as_ref()
    }

    /// The heights it lays, row by row from its own corner.
    pub fn heights(&self) -> Option<&[i32]> {
        self.heights.as_deref()
    }

    /// Cells that lie outside of a map.
    pub fn outside(&self, map: Extent) -> u64 {
        let own = self.extent(map);
        let inside = own.and_then(|own| own.intersection(&map)).map_or(0, |s| s.cells() as u64);
        own.map_or(0, |own| own.cells() as u64) - inside
    }

    /// The cells it is about, in a map of that extent.
    fn extent(&self, map: Extent) -> Option<Extent> {
        let [width, height] = self.size;
        let (z, depth) = match self.depth {
            Some(depth) => (self.corner.z, depth),
            None => (map.origin().z, map.depth()),
        };
        Extent::new(Cell { z, ..self.corner }, [width, height, depth]).ok()
    }

    /// The terrains that some cell of it has. O(cells).
    pub fn painted(&self) -> impl Iterator<Item = &String> {
        let terrain = self.terrain.iter();
        terrain.flat_map(|terrain| {
            let mut used = vec![false; terrain.palette.len()];
            let cells = (0..terrain.cells.len()).filter_map(|index| terrain.cells.get(index));
            cells.for_each(|number| used[number as usize] = true);
            let names = terrain.palette.iter().zip(used);
            names.filter_map(|(name, used)| used.then_some(name))
        })
    }

    /// The terrains that its colours represent.
    pub fn terrains(&self) -> impl Iterator<Item = &String> {
        self.terrain.iter().flat_map(|terrain| &terrain.palette)
    }
}

impl Step for Plan {
    fn kind(&self) -> &'static str {
        "plan"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        access.writes.terrain = self.terrain.is_some();
        access.writes.heights = self.heights.is_some();
        access
    }

    fn reach(&self) -> Reach {
        Reach::Cell
    }

    /// Where it is empty the map stays as it is. O(cells of the plan), besides the condition.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let extent = map.layout().extent();
        let [width, height] = self.size.map(|length| length as usize);
        let mut report = PassReport::new(scene.name);
        report.outside = self.outside(extent);
        let Some(shared) = self.extent(extent).and_then(|own| own.intersection(&extent)) else {
            return Ok(Work::Done(report));
        };
        let place = scene.cells(map)?;
        let mut next = map.clone();
        // Its own cells and those of the map, by their places in each.
        let here = |cell: Cell| {
            let (x, y) = (cell.x - self.corner.x, cell.y - self.corner.y);
            let level = self.depth.map_or(0, |_| (cell.z - self.corner.z) as usize);
            (level * height + y as usize) * width + x as usize
        };
        let cells = || shared.iter().filter(|&cell| place.get(cell));
        let there = |cell: Cell| extent.index(cell).expect("shared");
        if let Some(terrain) = &self.terrain {
            let ground = next.terrain_mut();
            let numbers: Vec<u32> =
                terrain.palette.iter().map(|name| ground.number(name)).collect();
            for cell in cells() {
                scene.pace.cells(1)?;
                if let Some(number) = terrain.cells.get(here(cell)) {
                    ground.cells.set(there(cell), Some(numbers[number as usize]));
                    report.cells += 1;
                }
            }
        }
        if let Some(heights) = &self.heights {
            let ground = next.heights_mut().values_mut();
            for cell in cells() {
                scene.pace.cells(1)?;
                ground[there(cell)] = heights[here(cell)];
                report.cells += 1;
            }
        }
        *map = next;
        Ok(Work::Done(report))
    }
}

/// The cells of a plan of that size.
fn cells_of([width, height]: [u32; 2]) -> usize {
    width as usize * height as usize
}

/// Heights of grey values: how many whole steps each holds, rounded down.
///
/// ```
/// use lantern_quilt_core::passes::steps_of;
/// assert_eq!(steps_of(&[0, 15, 16, 255], 16), [0, 0, 1, 15]);
/// ```
pub fn steps_of(grey: &[u8], step: u8) -> Vec<i32> {
    let step = i32::from(step.max(1));
    grey.iter().map(|&value| i32::from(value) / step).collect()
}
