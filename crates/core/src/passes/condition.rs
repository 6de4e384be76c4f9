//! Which cells a pass speaks of: one grammar for all of them.

use super::reach::Reach;
use super::sums::{CountArea, Sums};
use crate::constraints::Level;
use crate::grid::{BitPlane, Plane, UNREACHED, steps, steps_over, steps_to, straight};
use crate::lattice::{Cell, Extent, Lattice, Layout, Side};
use crate::limits::{Pace, Stopped};
use crate::map::{Layer, MapParts, Names, Numbers, Tilemap};
use crate::noise::Noise;
use crate::seed::Seed;
use std::collections::BTreeSet;
use std::fmt;

/// How distance is measured.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub enum Metric {
    /// Steps across sides.
    #[default]
    Steps,
    /// Straight, in cells, from middle to middle; on hexagons the same as steps.
    Straight,
    /// Steps across sides over cells for which a condition holds. What is looked for need not meet it.
    Through(Box<Condition>),
    /// Steps towards one side.
    Towards(Side),
}

/// A condition on cells. Planes that a map does not have hold for no cell.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::map::Tilemap;
/// use lantern_quilt_core::passes::{Condition, Metric};
/// use lantern_quilt_core::seed::Seed;
///
/// let map = Tilemap::new(Layout::flat(Lattice::Square, 8, 6)?);
/// let rim = Condition::Border { least: 0, most: 0 };
/// let inside = Condition::None(vec![Condition::Near {
///     what: Box::new(rim),
///     least: 0.0,
///     most: 1.0,
///     metric: Metric::Steps,
/// }]);
/// assert_eq!(inside.cells(&map, &Seed::default(), "props").count(), 4 * 2);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Condition {
    /// One of these terrains lies there.
    Terrain(Vec<String>),
    /// One of these tiles stands there, on any layer or on the one that is named.
    Tile {
        /// The layer.
        layer: Option<String>,
        /// The tiles by name.
        tiles: Vec<String>,
    },
    /// No tile stands there, on any layer or on the one that is named.
    Empty(Option<String>),
    /// It has the tag.
    Tag(String),
    /// Its height lies in a range, ends included.
    Height {
        /// The lowest.
        least: i32,
        /// The highest.
        most: i32,
    },
    /// Its number in a plane lies in a range, ends included; where it has none, it does not.
    Value {
        /// The plane.
        plane: String,
        /// The least.
        least: i32,
        /// The greatest.
        most: i32,
    },
    /// So many steps from the border of the map; 0 is at it. Edges that close are no border.
    Border {
        /// The nearest.
        least: u32,
        /// The farthest.
        most: u32,
    },
    /// It lies in a box.
    Within(Extent),
    /// It lies between two corners, both included; they may reach out of the map.
    Between {
        /// The least x, y and z.
        least: Cell,
        /// The greatest x, y and z.
        most: Cell,
    },
    /// It lies on one of these levels of a box map, ends included.
    Levels {
        /// The lowest.
        least: Level,
        /// The highest.
        most: Level,
    },
    /// One of these items stands in it or on a side of it that it is faced from.
    Item(Vec<String>),
    /// It is one of these cells.
    Painted {
        /// The cells.
        cells: BitPlane,
        /// What they are called.
        of: String,
    },
    /// The nearest cell for which `what` holds is so far away, ends included.
    Near {
        /// What is looked for.
        what: Box<Condition>,
        /// The nearest.
        least: f32,
        /// The farthest.
        most: f32,
        /// How distance is measured.
        metric: Metric,
    },
    /// It can be reached from a cell for which `from` holds, over cells for which `through` holds, its
    /// own and the first included.
    Reachable {
        /// Where the way begins.
        from: Box<Condition>,
        /// Where it may go.
        through: Box<Condition>,
        /// The most steps across sides.
        most: u32,
    },
    /// So many cells around it meet `what`, ends included. Outside the map nothing does.
    Count {
        /// What is counted.
        what: Box<Condition>,
        /// Where.
        around: CountArea,
        /// The fewest.
        least: u32,
        /// The most.
        most: u32,
    },
    /// `what` holds there and not across every side; outside the map it does not hold.
    Edge(Box<Condition>),
    /// The noise there lies in a range, ends included.
    Noise {
        /// The noise; its name is that of the pass.
        noise: Noise,
        /// The lowest value, from 0.
        least: f32,
        /// The highest value, to 1.
        most: f32,
    },
    /// All of these hold; without any, every cell.
    All(Vec<Condition>),
    /// At least one of these holds.
    Any(Vec<Condition>),
    /// None of these holds.
    None(Vec<Condition>),
}

impl Default for Condition {
    /// Every cell.
    fn default() -> Self {
        Self::All(Vec::new())
    }
}

impl Condition {
    /// The cells for which it holds; `name` is that of the pass, which its noise is named by. O(cells)
    /// for each part of the condition, and O(cells x steps) for counting within steps,
    /// O(cells x steps²) on flat hexagons and boxes.
    pub fn cells(&self, map: &Tilemap, seed: &Seed, name: &str) -> BitPlane {
        self.paced(map, seed, name, &Pace::free()).expect("nobody stops it")
    }

    /// As [`cells`](Self::cells), at a pace.
    ///
    /// # Errors
    /// When it is stopped.
    pub fn paced(
        &self,
        map: &Tilemap,
        seed: &Seed,
        name: &str,
        pace: &Pace<'_>,
    ) -> Result<BitPlane, Stopped> {
        let layout = map.layout();
        let extent = layout.extent();
        let of = |hold: &dyn Fn(usize, Cell) -> bool| BitPlane::paced(extent, pace, hold);
        let cells_of = |what: &Self| what.paced(map, seed, name, pace);
        let nowhere = || Ok(BitPlane::new(extent));
        match self {
            Self::Terrain(names) => {
                let Some(terrain) = map.terrain() else { return nowhere() };
                let meant: Vec<bool> =
                    terrain.palette.iter().map(|name| names.contains(name)).collect();
                of(&|index, _| terrain.cells.get(index).is_some_and(|n| meant[n as usize]))
            }
            Self::Tile { layer, tiles } => {
                let mut all = BitPlane::new(extent);
                for layer in named(map, layer.as_deref()) {
                    let meant: Vec<bool> =
                        layer.palette().iter().map(|placed| tiles.contains(&placed.tile)).collect();
                    all.unite(&of(&|_, cell| {
                        let index = layer.extent().index(cell);
                        let number = index.and_then(|index| layer.cells().get(index));
                        number.is_some_and(|number| meant[number as usize])
                    })?);
                }
                Ok(all)
            }
            Self::Empty(layer) => {
                let layers: Vec<_> = named(map, layer.as_deref()).collect();
                of(&|_, cell| layers.iter().all(|layer| layer.get(cell).is_none()))
            }
            Self::Tag(tag) => map.tag(tag).map_or_else(nowhere, |plane| Ok(plane.clone())),
            Self::Height { least, most } => {
                let Some(heights) = map.heights() else { return nowhere() };
                of(&|index, _| (*least..=*most).contains(&heights.values()[index]))
            }
            Self::Value { plane, least, most } => {
                let Some(numbers) = map.plane(plane) else { return nowhere() };
                let range = *least..=*most;
                of(&|index, _| numbers.at(index).is_some_and(|number| range.contains(&number)))
            }
            Self::Border { least, most } => {
                of(&|_, cell| (*least..=*most).contains(&steps_to_border(layout, cell)))
            }
            Self::Between { least, most } => of(&|_, cell| {
                (least.x..=most.x).contains(&cell.x)
                    && (least.y..=most.y).contains(&cell.y)
                    && (least.z..=most.z).contains(&cell.z)
            }),
            Self::Levels { least, most } => {
                let range = least.of(extent)..=most.of(extent);
                of(&|_, cell| range.contains(&cell.z))
            }
            Self::Within(inside) => of(&|_, cell| inside.contains(cell)),
            Self::Item(names) => {
                let mut plane = BitPlane::new(extent);
                for item in map.items() {
                    pace.cells(1)?;
                    if names.iter().any(|name| **name == *item.name) {
                        plane.set(item.cell, true);
                    }
                }
                Ok(plane)
            }
            Self::Painted { cells, .. } => of(&|_, cell| cells.get(cell)),
            Self::Near { what, least, most, metric } => {
                let set = cells_of(what)?;
                let (far, square): (Plane<u32>, bool) = match metric {
                    Metric::Steps => (steps(layout, &set, pace)?, false),
                    Metric::Straight => (straight(layout, &set, pace)?, true),
                    Metric::Through(through) => {
                        let through = cells_of(through)?;
                        // No farther than is asked for.
                        let end = if *most < 1e9 { most.max(0.0) as u32 } else { u32::MAX };
                        (steps_over(layout, &set, Some(&through), end, pace)?, false)
                    }
                    Metric::Towards(side) => (steps_to(layout, &set, *side, pace)?, false),
                };
                let bound = |bound: f32| {
                    let bound = f64::from(bound.max(0.0));
                    if square { bound * bound } else { bound }
                };
                let range = bound(*least)..=bound(*most);
                of(&|index, _| {
                    let far = far.values()[index];
                    far != UNREACHED && *most >= 0.0 && range.contains(&f64::from(far))
                })
            }
            Self::Reachable { from, through, most } => {
                let through = cells_of(through)?;
                let mut from = cells_of(from)?;
                from.intersect(&through);
                let far = steps_over(layout, &from, Some(&through), *most, pace)?;
                of(&|index, _| far.values()[index] != UNREACHED)
            }
            Self::Count { what, around, least, most } => {
                let set = cells_of(what)?;
                let range = *least..=*most;
                match Sums::new(layout, &set, *around, pace)? {
                    Some(sums) => of(&|index, cell| range.contains(&sums.around(index, cell))),
                    None => of(&|_, cell| {
                        let met = neighbours(layout, cell, *around).filter(|&there| set.get(there));
                        range.contains(&(met.count() as u32))
                    }),
                }
            }
            Self::Edge(what) => {
                let set = cells_of(what)?;
                let inner = |cell: Cell| {
                    let mut sides = layout.lattice().sides().iter();
                    sides.all(|&side| {
                        layout.neighbour(cell, side).is_some_and(|there| set.get(there))
                    })
                };
                of(&|_, cell| set.get(cell) && !inner(cell))
            }
            Self::Noise { noise, least, most } => {
                let at = noise.sampler(layout.lattice(), seed, name);
                of(&|_, cell| (*least..=*most).contains(&at(cell)))
            }
            Self::All(parts) => {
                let mut all = BitPlane::full(extent);
                for part in parts {
                    all.intersect(&cells_of(part)?);
                }
                Ok(all)
            }
            Self::Any(parts) => {
                let mut any = BitPlane::new(extent);
                for part in parts {
                    any.unite(&cells_of(part)?);
                }
                Ok(any)
            }
            Self::None(parts) => {
                let mut none = BitPlane::full(extent);
                for part in parts {
                    none.subtract(&cells_of(part)?);
                }
                Ok(none)
            }
        }
    }

    /// Whether it is every cell, whatever the map.
    pub fn is_everywhere(&self) -> bool {
        *self == Self::default()
    }

    /// The parts of a map that it looks at.
    pub fn reads(&self) -> MapParts {
        let mut parts = MapParts::none();
        let names = |layer: &Option<String>| match layer {
            Some(layer) => Names::of([layer]),
            None => Names::All,
        };
        match self {
            Self::Terrain(_) => parts.terrain = true,
            Self::Height { .. } => parts.heights = true,
            Self::Item(_) => parts.items = true,
            Self::Tag(tag) => parts.tags.add(tag),
            Self::Value { plane, .. } => parts.planes.add(plane),
            Self::Tile { layer, .. } | Self::Empty(layer) => parts.layers = names(layer),
            Self::Border { .. }
            | Self::Within(_)
            | Self::Between { .. }
            | Self::Levels { .. }
            | Self::Painted { .. }
            | Self::Noise { .. } => {}
            Self::Near { what, metric, .. } => {
                parts = what.reads();
                if let Metric::Through(through) = metric {
                    parts.unite(&through.reads());
                }
            }
            Self::Reachable { from, through, .. } => {
                parts = from.reads();
                parts.unite(&through.reads());
            }
            Self::Count { what, .. } | Self::Edge(what) => parts = what.reads(),
            Self::All(all) | Self::Any(all) | Self::None(all) => {
                for one in all {
                    parts.unite(&one.reads());
                }
            }
        }
        parts
    }

    /// How far from a cell lies what decides whether it holds there.
    pub fn reach(&self) -> Reach {
        match self {
            Self::Near { what, most, metric, .. } => {
                let through = match metric {
                    Metric::Through(through) => through.reach(),
                    Metric::Steps | Metric::Straight | Metric::Towards(_) => Reach::Cell,
                };
                what.reach().max(through).and(match most.ceil() {
                    most if most < 1e6 => Reach::Within(most.max(0.0) as u32),
                    _ => Reach::Map,
                })
            }
            Self::Reachable { from, through, most } => from
                .reach()
                .max(through.reach())
                .and(if *most < 1_000_000 { Reach::Within(*most) } else { Reach::Map }),
            Self::Count { what, around, .. } => what.reach().and(match around {
                CountArea::Sides => Reach::Within(1),
                CountArea::Moore => Reach::Within(2),
                CountArea::Steps(steps) => Reach::Within(*steps),
            }),
            Self::Edge(what) => what.reach().and(Reach::Within(1)),
            Self::All(all) | Self::Any(all) | Self::None(all) => {
                all.iter().map(Self::reach).max().unwrap_or(Reach::Cell)
            }
            _ => Reach::Cell,
        }
    }
}

/// The layers of a map, or the one of that name.
fn named<'m>(map: &'m Tilemap, layer: Option<&'m str>) -> impl Iterator<Item = &'m Layer> {
    map.layers().filter(move |one| layer.is_none_or(|layer| layer == one.name))
}

impl fmt::Display for Condition {
    /// In words, as a message lists it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        const NAMED: usize = 4;
        let names = |names: &[String]| {
            let more = names.len().saturating_sub(NAMED);
            let named = names[..names.len() - more].join(" or ");
            if more > 0 { format!("{named} or {more} more") } else { named }
        };
        let on = |layer: &Option<String>| {
            layer.as_ref().map(|layer| format!(" on {layer}")).unwrap_or_default()
        };
        let join = |parts: &[Self], word: &str| {
            let parts: Vec<String> = parts.iter().map(ToString::to_string).collect();
            parts.join(word)
        };
        match self {
            Self::Terrain(terrains) => write!(f, "terrain {}", names(terrains)),
            Self::Tile { layer, tiles } => write!(f, "tile {}{}", names(tiles), on(layer)),
            Self::Empty(layer) => write!(f, "empty{}", on(layer)),
            Self::Tag(tag) => write!(f, "tag {tag}"),
            Self::Height { least, most } => write!(f, "height {least} to {most}"),
            Self::Value { plane, least: Numbers::LEAST, most } => {
                write!(f, "{plane} {most} at most")
            }
            Self::Value { plane, least, most: i32::MAX } => write!(f, "{plane} {least} or more"),
            Self::Value { plane, least, most } => write!(f, "{plane} {least} to {most}"),
            Self::Border { least, most } => write!(f, "{least} to {most} from the border"),
            Self::Within(area) => {
                let ([width, height, _], from) = (area.size(), area.origin());
                // What one axis alone limits is as long as any map.
                const ANY: u32 = 40_001;
                let range = |what, from: i32, length: u32| {
                    let to = i64::from(from) + i64::from(length) - 1;
                    if to == i64::from(from) {
                        format!("{what} {from}")
                    } else {
                        format!("{what}s {from} to {to}")
                    }
                };
                match (width >= ANY, height >= ANY) {
                    (true, true) => f.write_str("every cell"),
                    (false, true) => f.write_str(&range("column", from.x, width)),
                    (true, false) => f.write_str(&range("row", from.y, height)),
                    _ => write!(f, "the {width} x {height} cells from {from}"),
                }
            }
            Self::Between { least, most } => {
                let parts = [("column", least.x, most.x), ("row", least.y, most.y)];
                let parts = parts.into_iter().filter(|(_, from, to)| to.abs_diff(*from) < 40_000);
                let parts = parts.map(|(what, from, to)| {
                    if from == to {
                        format!("{what} {from}")
                    } else {
                        format!("{what}s {from} to {to}")
                    }
                });
                let parts: Vec<String> = parts.collect();
                f.write_str(&if parts.is_empty() {
                    "every cell".into()
                } else {
                    parts.join(" and ")
                })
            }
            Self::Levels { least, most } if least == most => write!(f, "level {least}"),
            Self::Levels { least, most } => write!(f, "levels {least} to {most}"),
            Self::Item(items) => write!(f, "item {}", names(items)),
            Self::Painted { of, .. } => f.write_str(of),
            Self::Near { what, least, most, metric } => {
                match (*least <= 0.0, *most >= 1e6) {
                    (true, _) => write!(f, "within {most} of {what}")?,
                    (_, true) => write!(f, "at least {least} from {what}")?,
                    _ => write!(f, "{least} to {most} from {what}")?,
                }
                match metric {
                    Metric::Through(through) => write!(f, " over {through}"),
                    Metric::Towards(side) => write!(f, " to the {}", side.name().replace('_', "-")),
                    Metric::Steps | Metric::Straight => Ok(()),
                }
            }
            Self::Reachable { from, through, most: u32::MAX } => {
                write!(f, "reachable from {from} over {through}")
            }
            Self::Reachable { from, through, most } => {
                write!(f, "reachable within {most} steps from {from} over {through}")
            }
            Self::Count { what, least, most: u32::MAX, .. } => {
                write!(f, "at least {least} around with {what}")
            }
            Self::Count { what, least, most, .. } => {
                write!(f, "{least} to {most} around with {what}")
            }
            Self::Edge(what) => write!(f, "the edge of {what}"),
            Self::Noise { least, most, .. } => write!(f, "noise {least} to {most}"),
            Self::All(parts) if parts.is_empty() => f.write_str("every cell"),
            Self::All(parts) => f.write_str(&join(parts, " and ")),
            Self::Any(parts) => f.write_str(&join(parts, " or ")),
            Self::None(parts) => write!(f, "not {}", join(parts, ", nor ")),
        }
    }
}

/// Steps to the nearest edge that does not close; `u32::MAX` when all do.
fn steps_to_border(layout: Layout, cell: Cell) -> u32 {
    let (extent, wrap) = (layout.extent(), layout.wrap());
    let (origin, size) = (extent.origin(), extent.size());
    let axes = [
        (cell.x, origin.x, size[0], !wrap.x),
        (cell.y, origin.y, size[1], !wrap.y),
        (cell.z, origin.z, size[2], !wrap.z && layout.lattice().is_solid()),
    ];
    axes.into_iter()
        .filter(|&(_, _, _, open)| open)
        .map(|(at, from, length, _)| {
            let before = i64::from(at) - i64::from(from);
            before.min(i64::from(length) - 1 - before) as u32
        })
        .min()
        .unwrap_or(u32::MAX)
}

/// The cells at most so many steps away.
pub(super) fn within(layout: Layout, cell: Cell, steps: u32) -> Vec<Cell> {
    let mut all = BTreeSet::from([cell]);
    let mut frontier = vec![cell];
    for _ in 0..steps {
        let sides = layout.lattice().sides();
        let beyond = frontier.iter().flat_map(|&at| sides.iter().map(move |&side| (at, side)));
        let beyond = beyond.filter_map(|(at, side)| layout.neighbour(at, side));
        frontier = beyond.filter(|&there| all.insert(there)).collect();
    }
    all.into_iter().collect()
}

/// The cells around one that are counted, each once.
fn neighbours(layout: Layout, cell: Cell, around: CountArea) -> impl Iterator<Item = Cell> {
    let mut cells: Vec<Cell> = match around {
        CountArea::Steps(steps) => within(layout, cell, steps),
        _ => {
            let sides = layout.lattice().sides();
            sides.iter().filter_map(|&side| layout.neighbour(cell, side)).collect()
        }
    };
    if around == CountArea::Moore && layout.lattice() == Lattice::Square {
        use crate::lattice::Side::{East, North, South, West};
        for (first, then) in [(North, East), (North, West), (South, East), (South, West)] {
            let straight = layout.neighbour(cell, first);
            cells.extend(straight.and_then(|there| layout.neighbour(there, then)));
        }
    }
    cells.sort_unstable();
    cells.dedup();
    cells.retain(|&there| there != cell);
    cells.into_iter()
}
