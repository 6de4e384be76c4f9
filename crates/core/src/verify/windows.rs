//! Windows of a map against those of samples, cell by cell as they lie.

use crate::constraints::{Posed, WindowRule, WindowSample};
use crate::lattice::{Cell, Extent, Layout, Shift, Side, Wrap};
use crate::orient::Orientation;
use crate::tileset::Tileset;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// The cells of a map whose window no sample shows, whatever its turns. What is empty and what lies off the map, but not
/// beyond an edge that is to be that of the map, may be anything. `at` has what stands in a cell.
///
/// O(cells of samples x turns x cells of a window) for each window that differs from all before: it lays each over every
/// place of every sample.
pub fn unseen_windows(
    set: &Tileset,
    windows: &WindowRule,
    layout: Layout,
    at: impl Fn(Cell) -> Option<Posed>,
) -> Vec<Cell> {
    let shifts = windows.window.shifts(set.lattice());
    let places: Vec<Place<'_>> = windows.samples.iter().flat_map(places).collect();
    let mut edges: Vec<Side> = places.iter().flat_map(Place::edges).collect();
    edges.sort_unstable();
    edges.dedup();
    let asked = |cell: Cell, shift: Shift| match out_over(layout, cell, shift) {
        None => layout.shifted(cell, shift).and_then(&at).map_or(Asked::Anything, Asked::Tile),
        Some(out) if out.iter().any(|side| edges.contains(side)) => Asked::Edge,
        Some(_) => Asked::Shown,
    };
    let is_shown = |window: &Window| {
        places.iter().any(|place| {
            place.looks_out_alike(&window.ends, &edges)
                && shifts.iter().zip(&window.cells).all(|(&shift, asked)| {
                    let there = place.over(set, shift);
                    match *asked {
                        Asked::Anything => true,
                        Asked::Tile(here) => there == Some(Over::Tile(here)),
                        Asked::Edge => there == Some(Over::Edge),
                        Asked::Shown => there.is_some(),
                    }
                })
        })
    };
    // Maps are large, and their windows few.
    let mut judged: HashMap<Window, bool, FxBuildHasher> = HashMap::default();
    let mut is_unseen = |cell: Cell| {
        let ends = |side: &&Side| layout.neighbour(cell, **side).is_none();
        let window = Window {
            cells: shifts.iter().map(|&shift| asked(cell, shift)).collect(),
            ends: edges.iter().filter(ends).copied().collect(),
        };
        !*judged.entry(window).or_insert_with_key(is_shown)
    };
    layout.extent().iter().filter(|&cell| at(cell).is_some() && is_unseen(cell)).collect()
}

/// What a map has over the cells of a window, and which edges its own cell lies at.
#[derive(PartialEq, Eq, Hash)]
struct Window {
    cells: Vec<Asked>,
    ends: Vec<Side>,
}

/// What is asked of a place of a sample.
#[derive(PartialEq, Eq, Hash)]
enum Asked {
    /// Nothing: the map is empty there.
    Anything,
    /// This tile.
    Tile(Posed),
    /// An edge.
    Edge,
    /// Whatever a whole window has: the map ends there, but not at an edge.
    Shown,
}

/// A cell of a sample that is turned.
struct Place<'a> {
    sample: &'a WindowSample,
    orientation: Orientation,
    cell: Cell,
}

/// What a place of a sample has.
#[derive(PartialEq, Eq)]
enum Over {
    Edge,
    Tile(Posed),
}

/// All places of a sample.
fn places(sample: &WindowSample) -> impl Iterator<Item = Place<'_>> {
    sample.sample.orientations().into_iter().flat_map(move |orientation| {
        let cells = sample.sample.layout.extent().iter();
        cells.map(move |cell| Place { sample, orientation, cell })
    })
}

impl Place<'_> {
    fn back(&self) -> Orientation {
        self.orientation.inverse(self.sample.sample.layout.lattice())
    }

    /// Its edges as they lie when it is turned.
    fn edges(&self) -> impl Iterator<Item = Side> + '_ {
        let lattice = self.sample.sample.layout.lattice();
        let wrap = self.sample.sample.layout.wrap();
        // A sample that wraps beyond a side has no edge there.
        let open = self.sample.edges.iter().filter(move |side| !wrap.is_over(**side));
        open.map(move |&side| self.orientation.side(lattice, side))
    }

    /// Whether it lies at those edges of all there are.
    fn looks_out_alike(&self, at: &[Side], edges: &[Side]) -> bool {
        let lattice = self.sample.sample.layout.lattice();
        edges.iter().all(|&side| {
            let shown = self.back().side(lattice, side);
            let ends = self.sample.edges.contains(&shown)
                && self.sample.sample.layout.neighbour(self.cell, shown).is_none();
            ends == at.contains(&side)
        })
    }

    /// What it has over a shift of the map; nothing where it shows no whole window.
    fn over(&self, set: &Tileset, shift: Shift) -> Option<Over> {
        let (sample, by) = (&self.sample.sample, self.back().shift(set.lattice(), shift));
        if let Some(out) = out_over(sample.layout, self.cell, by) {
            let edge = out.iter().any(|side| self.sample.edges.contains(side));
            return edge.then_some(Over::Edge);
        }
        let cell = sample.layout.shifted(self.cell, by)?;
        let (tile, shown) = sample.cells[sample.layout.extent().index(cell)?]?;
        let known = &set.tiles()[tile];
        let turned = match known.orientations() {
            [only] => *only,
            _ => known.stands_for(shown.then(self.orientation, set.lattice()))?,
        };
        Some(Over::Tile((tile, turned)))
    }
}

/// No cell of a window lies farther from its own, along one axis.
const MOST_FAR: i32 = 8;

/// Over which sides a shift leads out of a layout; `None` where it does not.
fn out_over(layout: Layout, cell: Cell, by: Shift) -> Option<Vec<Side>> {
    let (from, size, wrap) = (layout.extent().origin(), layout.extent().size(), layout.wrap());
    // As it would lie on a map without end.
    let solid = layout.lattice().is_solid();
    let before = |at: i32| at.saturating_sub(MOST_FAR);
    let z = if solid { before(cell.z) } else { cell.z };
    let most = 2 * MOST_FAR as u32 + 1;
    let around = [most, most, if solid { most } else { 1 }];
    let wide = Extent::new(Cell { x: before(cell.x), y: before(cell.y), z }, around).ok()?;
    let to = Layout::new(layout.lattice(), wide, Wrap::NONE).ok()?.shifted(cell, by)?;
    let mut out = Vec::new();
    let axes = [
        (to.x, from.x, size[0], wrap.x, [Side::West, Side::East]),
        (to.y, from.y, size[1], wrap.y, [Side::North, Side::South]),
        (to.z, from.z, size[2], wrap.z, [Side::Down, Side::Up]),
    ];
    for (to, from, length, wraps, [before, after]) in axes {
        let along = i64::from(to) - i64::from(from);
        match wraps {
            false if along < 0 => out.push(before),
            false if along >= i64::from(length) => out.push(after),
            _ => {}
        }
    }
    // The edge of hexagons is one.
    if layout.lattice().turns() == 6 && !out.is_empty() {
        out = layout.lattice().sides().to_vec();
    }
    (!out.is_empty()).then_some(out)
}
