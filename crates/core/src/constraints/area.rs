//! Where kinds of tiles may stand.

use super::pairs::Selector;
use super::source::{Source, SourceKind};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Cell, Extent, Layout};
use std::collections::VecDeque;
use std::fmt;

/// Some cells of a map.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Area {
    /// The cells between two corners, both included; they may reach out of the map.
    Between {
        /// The least x, y and z.
        least: Cell,
        /// The greatest x, y and z.
        most: Cell,
    },
    /// Whole levels of a box map, both ends included; see [`Level`].
    Levels {
        /// The lowest.
        least: Level,
        /// The highest.
        most: Level,
    },
    /// Cells so many steps from the border, both ends included; a cell at it is 0 steps away.
    /// Edges that wrap are no border.
    FromBorder {
        /// The fewest steps.
        least: u32,
        /// The most steps.
        most: u32,
    },
    /// The cells that are set.
    Cells(BitPlane),
    /// The cells of all of these.
    All(Vec<Area>),
}

/// A level of a box map.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Level {
    /// By its coordinate.
    At(i32),
    /// Counted down from the highest, which is 0.
    FromTop(u32),
}

impl Level {
    /// Its coordinate in a map.
    pub fn of(self, extent: Extent) -> i32 {
        match self {
            Self::At(z) => z,
            Self::FromTop(count) => {
                let above = i64::from(extent.origin().z) + i64::from(extent.depth());
                (above - 1 - i64::from(count)).max(i64::from(i32::MIN)) as i32
            }
        }
    }
}

impl fmt::Display for Level {
    /// As quilts say it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::At(z) => write!(f, "{z}"),
            Self::FromTop(0) => f.write_str("top"),
            Self::FromTop(down) => write!(f, "top-{down}"),
        }
    }
}

impl Area {
    /// Whether it is levels and nothing less.
    pub fn is_of_levels(&self) -> bool {
        match self {
            Self::Levels { .. } => true,
            Self::Between { least, most } => {
                [least.x, least.y] == [i32::MIN; 2] && [most.x, most.y] == [i32::MAX; 2]
            }
            _ => false,
        }
    }

    /// Its cells in a layout. O(cells).
    pub fn cells(&self, layout: Layout) -> BitPlane {
        let extent = layout.extent();
        match self {
            Self::Between { least, most } => BitPlane::from_fn(extent, |cell| {
                (least.x..=most.x).contains(&cell.x)
                    && (least.y..=most.y).contains(&cell.y)
                    && (least.z..=most.z).contains(&cell.z)
            }),
            Self::Levels { least, most } => {
                let range = least.of(extent)..=most.of(extent);
                BitPlane::from_fn(extent, |cell| range.contains(&cell.z))
            }
            Self::All(all) => {
                let mut shared = BitPlane::full(extent);
                for one in all {
                    shared.intersect(&one.cells(layout));
                }
                shared
            }
            Self::Cells(cells) => BitPlane::from_fn(extent, |cell| cells.get(cell)),
            Self::FromBorder { least, most } => {
                let steps = steps_from_border(layout);
                BitPlane::from_fn(extent, |cell| {
                    let steps = steps.get(cell).copied().flatten();
                    steps.is_some_and(|steps| (*least..=*most).contains(&steps))
                })
            }
        }
    }
}

/// How many steps each cell is from one at the border; `None` where there is no border.
pub fn steps_from_border(layout: Layout) -> Plane<Option<u32>> {
    let sides = layout.lattice().sides();
    let mut steps: Plane<Option<u32>> = Plane::new(layout.extent(), None);
    let mut next: VecDeque<Cell> = VecDeque::new();
    for cell in layout.extent().iter() {
        if sides.iter().any(|&side| layout.neighbour(cell, side).is_none()) {
            *steps.get_mut(cell).expect("a cell of the map") = Some(0);
            next.push_back(cell);
        }
    }
    while let Some(cell) = next.pop_front() {
        let further = steps.get(cell).copied().flatten().expect("visited") + 1;
        for beyond in sides.iter().filter_map(|&side| layout.neighbour(cell, side)) {
            let slot = steps.get_mut(beyond).expect("a cell of the map");
            if slot.is_none() {
                *slot = Some(further);
                next.push_back(beyond);
            }
        }
    }
    steps
}

/// How tiles are kept to an area.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Keep {
    /// They stand inside it only.
    Inside,
    /// They stand outside it only.
    Outside,
    /// Nothing else stands inside it.
    Filling,
}

impl Keep {
    /// Whether a cell may hold a tile, by whether the cell is in the area and the tile is meant.
    pub const fn admits(self, in_area: bool, meant: bool) -> bool {
        match self {
            Self::Inside => in_area || !meant,
            Self::Outside => !in_area || !meant,
            Self::Filling => !in_area || meant,
        }
    }
}

/// Keeps kinds of tiles to an area, or out of it, or everything else out of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AreaRule {
    /// What is limited: anything of one of these. A socket means what carries it on any side.
    pub kinds: Vec<Selector>,
    /// The area.
    pub area: Area,
    /// How they are kept.
    pub keep: Keep,
    /// Where it is written.
    pub source: Source,
}

impl AreaRule {
    /// Keeps these to an area, or out of it, or everything else out of it.
    pub fn new(kinds: Vec<Selector>, area: Area, keep: Keep) -> Self {
        Self { kinds, area, keep, source: Source::of(SourceKind::Limit) }
    }
}
