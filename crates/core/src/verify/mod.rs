//! Checks a map against its tileset and constraints, sharing no table with the solver.
//!
//! It reads sockets, turns and rules as they were written and walks over every pair of cells. That
//! is slow against the solver and deliberately plain: it is the judge of everything below it.

use crate::constraints::Constraints;
use crate::id::TileId;
use crate::lattice::{Cell, Layout, Side};
use crate::map::{Layer, Placed};
use crate::orient::Orientation;
use crate::tileset::Tileset;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::fmt;

mod whole;
mod windows;

pub use whole::pieces;
pub use windows::unseen_windows;

/// One broken rule of a map.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Break {
    /// A cell that should hold a tile holds none.
    Empty {
        /// Where.
        cell: Cell,
    },
    /// A tile, or a pose of it, that the set does not have.
    Unknown {
        /// Where.
        cell: Cell,
        /// What stands there.
        pose: String,
    },
    /// Two neighbours whose sides do not meet.
    Adjacency {
        /// The first cell.
        cell: Cell,
        /// The side of the first cell that the second lies beyond.
        side: Side,
        /// The second cell.
        beyond: Cell,
        /// What the first shows there.
        here: String,
        /// What the second shows there.
        there: String,
    },
    /// A border rule that does not hold.
    Border {
        /// Where.
        cell: Cell,
        /// The side that looks out.
        side: Side,
        /// What stands there.
        pose: String,
    },
    /// A tile outside the area it is kept to, or in the one it is kept out of.
    Limit {
        /// Where.
        cell: Cell,
        /// What stands there.
        pose: String,
    },
    /// Too few or too many of something.
    Count {
        /// Which of the constraints' counts.
        number: usize,
        /// How many there are.
        found: u64,
        /// The fewest there must be.
        least: u64,
        /// The most there may be.
        most: Option<u64>,
    },
    /// Cells that should hang together and do not.
    Apart {
        /// Which of the constraints' connections.
        number: usize,
        /// A cell of each piece; where all begins somewhere, of each piece that is not reached from there.
        pieces: Vec<Cell>,
    },
    /// A side that should not end looks out of the map, at an empty cell or at a hole.
    End {
        /// Where.
        cell: Cell,
        /// The side.
        side: Side,
        /// What stands there.
        pose: String,
    },
    /// A tile too near to another, or with none near enough.
    Distance {
        /// Which of the constraints' distances.
        number: usize,
        /// Where it stands.
        cell: Cell,
        /// The one that is too near; none where none is near enough.
        near: Option<Cell>,
    },
    /// A window that no sample shows.
    Window {
        /// The cell that it belongs to.
        cell: Cell,
    },
    /// A pinned cell that holds something else.
    Pin {
        /// Where.
        cell: Cell,
        /// What stands there.
        pose: String,
    },
}

impl Break {
    /// The cell it is about; of a pair the first. A count is about none.
    pub const fn cell(&self) -> Option<Cell> {
        match self {
            Self::Count { .. } => None,
            Self::Apart { pieces, .. } => match pieces.as_slice() {
                [.., last] => Some(*last),
                [] => None,
            },
            Self::Empty { cell }
            | Self::Unknown { cell, .. }
            | Self::Adjacency { cell, .. }
            | Self::Border { cell, .. }
            | Self::Limit { cell, .. }
            | Self::End { cell, .. }
            | Self::Distance { cell, .. }
            | Self::Window { cell }
            | Self::Pin { cell, .. } => Some(*cell),
        }
    }
}

impl fmt::Display for Break {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Empty { cell } => write!(f, "cell {cell} holds no tile"),
            Self::Unknown { cell, pose } => {
                write!(f, "cell {cell} holds `{pose}`, which the set does not have")
            }
            Self::Adjacency { cell, side, beyond, here, there } => {
                write!(f, "the {side} side of {cell}, {here}, does not meet {there} of {beyond}")
            }
            Self::Border { cell, side, pose } => {
                write!(f, "`{pose}` at {cell} may not face out {side}")
            }
            Self::Limit { cell, pose } => write!(f, "`{pose}` may not stand at {cell}"),
            Self::Count { number, found, least, most } => {
                write!(f, "count {number} finds {found}, where at least {least}")?;
                match most {
                    Some(most) => write!(f, " and at most {most} must stand"),
                    None => f.write_str(" must stand"),
                }
            }
            Self::Apart { number, pieces } => {
                let pieces: Vec<String> = pieces.iter().take(6).map(ToString::to_string).collect();
                write!(f, "what `connected` {number} joins is apart, at {}", pieces.join("; "))
            }
            Self::End { cell, side, pose } => {
                write!(f, "the {side} side of `{pose}` at {cell} may not end there")
            }
            Self::Distance { number, cell, near: Some(near) } => {
                write!(f, "distance {number}: {near} is too near to {cell}")
            }
            Self::Distance { number, cell, near: None } => {
                write!(f, "distance {number}: nothing is near enough to {cell}")
            }
            Self::Window { cell } => write!(f, "no sample shows the window at {cell}"),
            Self::Pin { cell, pose } => write!(f, "`{pose}` stands on the pinned cell {cell}"),
        }
    }
}

/// Every broken rule of `layer`, which must hold a tile on each cell of `layout` that `inside`
/// accepts and is not looked at elsewhere; in cell order, then limits, pins and counts.
///
/// A pair of cells is reported once, from the cell that comes first. O(cells x sides).
pub fn verify(
    layer: &Layer,
    layout: Layout,
    inside: impl Fn(Cell) -> bool,
    tileset: &Tileset,
    constraints: &Constraints,
) -> Vec<Break> {
    let sides = tileset.lattice().sides();
    let poses: Vec<Option<(TileId, Orientation)>> =
        layer.palette().iter().map(|placed| find(tileset, placed)).collect();
    let at = |cell: Cell| -> Option<(&Placed, Option<(TileId, Orientation)>)> {
        let number = layer.extent().index(cell).and_then(|index| layer.cells().get(index))?;
        Some((&layer.palette()[number as usize], poses[number as usize]))
    };
    // Only pairs of kinds that occur are judged, each once: maps are large, sets are small.
    let mut judged: HashMap<
        (usize, TileId, Orientation, TileId, Orientation),
        bool,
        FxBuildHasher,
    > = HashMap::default();
    let mut breaks = Vec::new();
    for cell in layout.extent().iter().filter(|&cell| inside(cell)) {
        let Some((placed, pose)) = at(cell) else {
            breaks.push(Break::Empty { cell });
            continue;
        };
        let Some((tile, orientation)) = pose else {
            breaks.push(Break::Unknown { cell, pose: name(placed) });
            continue;
        };
        for (index, &side) in sides.iter().enumerate() {
            match layout.neighbour(cell, side).filter(|&beyond| inside(beyond)) {
                None if tileset.goes_on(tile, orientation, side) => {
                    breaks.push(Break::Border { cell, side, pose: name(placed) });
                }
                None => {
                    for rule in constraints.borders.iter().filter(|rule| rule.side == side) {
                        if !rule.admits(tileset, tile, orientation) {
                            breaks.push(Break::Border { cell, side, pose: name(placed) });
                        }
                    }
                }
                Some(beyond) => {
                    let Some((_, Some((other, turned)))) = at(beyond) else { continue };
                    let fits = *judged
                        .entry((index, tile, orientation, other, turned))
                        .or_insert_with(|| {
                            let (here, there) = ((tile, orientation), (other, turned));
                            // Where windows are judged, sides do not matter.
                            constraints.windows.is_some()
                                || may_touch(tileset, constraints, here, side, there)
                        });
                    let first = layout.extent().index(cell) <= layout.extent().index(beyond);
                    if !fits && first {
                        breaks.push(Break::Adjacency {
                            cell,
                            side,
                            beyond,
                            here: words(tileset, tile, orientation, side),
                            there: words(tileset, other, turned, side.opposite()),
                        });
                    }
                }
            }
        }
    }
    for limit in &constraints.areas {
        let area = limit.area.cells(layout);
        for cell in layout.extent().iter().filter(|&cell| inside(cell)) {
            let Some((placed, Some((tile, orientation)))) = at(cell) else { continue };
            let meant = sides.iter().any(|&side| {
                limit.kinds.iter().any(|kind| kind.covers(tileset, tile, orientation, side))
            });
            if !limit.keep.admits(area.get(cell), meant) {
                breaks.push(Break::Limit { cell, pose: name(placed) });
            }
        }
    }
    for pin in &constraints.pins {
        if let Some((placed, Some((tile, orientation)))) = at(pin.cell_in(layout.extent()))
            && !pin.admits(tileset, tile, orientation)
        {
            breaks.push(Break::Pin { cell: pin.cell_in(layout.extent()), pose: name(placed) });
        }
    }
    for (number, count) in constraints.counts.iter().enumerate() {
        let counted = |cell: &Cell| {
            inside(*cell)
                && at(*cell)
                    .and_then(|(_, pose)| pose)
                    .is_some_and(|(t, o)| count.counts(tileset, t, o))
        };
        let found = layout.extent().iter().filter(counted).count() as u64;
        if found < count.least || count.most.is_some_and(|most| found > most) {
            breaks.push(Break::Count { number, found, least: count.least, most: count.most });
        }
    }
    let pose_at = |cell: Cell| inside(cell).then(|| at(cell)).flatten().and_then(|(_, pose)| pose);
    let layout_cells = || layout.extent().iter();
    for rule in &constraints.closed {
        for cell in layout_cells() {
            let Some((tile, turned)) = pose_at(cell) else { continue };
            for &side in sides {
                let looks_at = layout.neighbour(cell, side).and_then(pose_at);
                if looks_at.is_none() && !rule.admits(tileset, tile, turned, side) {
                    breaks.push(Break::End { cell, side, pose: tileset.pose_name(tile, turned) });
                }
            }
        }
    }
    if let Some(windows) = &constraints.windows {
        let unseen = unseen_windows(tileset, windows, layout, pose_at);
        breaks.extend(unseen.into_iter().map(|cell| Break::Window { cell }));
    }
    whole::connected(layout, tileset, constraints, &pose_at, &mut breaks);
    whole::distances(layout, tileset, constraints, &pose_at, &mut breaks);
    breaks
}

fn find(tileset: &Tileset, placed: &Placed) -> Option<(TileId, Orientation)> {
    let tile = tileset.find_at(&placed.tile, placed.part)?;
    let orientation = tileset.tiles()[tile].stands_for(placed.orientation)?;
    Some((tile, orientation))
}

/// Whether any face of the first meets any face of the second, or a sample or list says so.
fn may_touch(
    tileset: &Tileset,
    constraints: &Constraints,
    here: (TileId, Orientation),
    side: Side,
    there: (TileId, Orientation),
) -> bool {
    let said = |allow: bool| {
        let mut lists = constraints.pairs.iter().filter(|list| list.allow == allow);
        lists.any(|list| list.concerns(tileset, here, side, there))
    };
    let others = tileset.faces(there.0, there.1, side.opposite());
    let own = tileset.faces(here.0, here.1, side);
    let meet = own.iter().any(|&a| others.iter().any(|&b| tileset.faces_meet(a, b, side)));
    // Nothing comes between the parts of a tile.
    if tileset.goes_on(here.0, here.1, side) || tileset.goes_on(there.0, there.1, side.opposite()) {
        return meet;
    }
    let shown = || constraints.samples.iter().any(|one| one.shows(tileset, here, side, there));
    (meet || shown() || said(true)) && !said(false)
}

fn name(placed: &Placed) -> String {
    let mut words = placed.tile.clone();
    if placed.orientation != Orientation::AS_DRAWN {
        words.push_str(&format!(" {}", placed.orientation));
    }
    if let Some([x, y, _]) = placed.part {
        words.push_str(&format!(", part {x}, {y}"));
    }
    words
}

fn words(tileset: &Tileset, tile: TileId, orientation: Orientation, side: Side) -> String {
    let faces = tileset.faces(tile, orientation, side);
    let names: Vec<String> = faces.iter().map(|&face| tileset.face_name(face)).collect();
    format!("{} of `{}`", names.join(" or "), tileset.pose_name(tile, orientation))
}
