//! What must hold of the map as a whole, walked cell by cell.

use super::{Break, find};
use crate::constraints::{Connected, Constraints};
use crate::grid::BitPlane;
use crate::id::TileId;
use crate::lattice::{Cell, Layout};
use crate::map::Layer;
use crate::orient::Orientation;
use crate::tileset::Tileset;
use std::collections::VecDeque;

type PoseAt<'a> = &'a dyn Fn(Cell) -> Option<(TileId, Orientation)>;

/// The pieces of what hangs together on a layer, the largest first. O(cells).
///
/// ```
/// use lantern_quilt_core::constraints::{Connected, Selector};
/// use lantern_quilt_core::prelude::*;
/// use lantern_quilt_core::verify::pieces;
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let moss = set.socket(Socket::plain("moss"));
/// let walk = set.tile(Tile::new("walk").all(moss));
/// let set = set.build()?;
/// let layout = Layout::flat(Lattice::Square, 5, 1)?;
/// let mut layer = Layer::new("ground", layout.extent(), vec![Placed::new("walk")]);
/// for x in [0, 2, 3] {
///     layer.set(Cell::new(x, 0), Some(0));
/// }
/// let rule = Connected::new(vec![Selector::any(Accept::Tile(walk))]);
/// let pieces = pieces(&layer, layout, &set, &rule);
/// assert_eq!(pieces.iter().map(Vec::len).collect::<Vec<_>>(), [2, 1]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn pieces(
    layer: &Layer,
    layout: Layout,
    tileset: &Tileset,
    rule: &Connected,
) -> Vec<Vec<Cell>> {
    let at = |cell| find(tileset, layer.get(cell)?);
    let mut all = pieces_of(layout, tileset, rule, &at);
    all.sort_by_key(|piece| std::cmp::Reverse(piece.len()));
    all
}

/// The pieces of what hangs together, by their first cells.
fn pieces_of(
    layout: Layout,
    tileset: &Tileset,
    rule: &Connected,
    at: PoseAt<'_>,
) -> Vec<Vec<Cell>> {
    let mut met = BitPlane::new(layout.extent());
    let mut pieces = Vec::new();
    for first in layout.extent().iter() {
        let belongs = |(tile, turned)| rule.concerns(tileset, tile, turned);
        if met.get(first) || !at(first).is_some_and(belongs) {
            continue;
        }
        let (mut piece, mut next) = (vec![first], 0);
        met.set(first, true);
        while let Some(&cell) = piece.get(next) {
            next += 1;
            let Some((tile, turned)) = at(cell) else { continue };
            for &side in layout.lattice().sides() {
                let Some(beyond) = layout.neighbour(cell, side) else { continue };
                let Some((other, there)) = at(beyond) else { continue };
                let joined = rule.reaches(tileset, tile, turned, side)
                    && rule.reaches(tileset, other, there, side.opposite());
                if joined && !met.get(beyond) {
                    met.set(beyond, true);
                    piece.push(beyond);
                }
            }
        }
        pieces.push(piece);
    }
    pieces
}

/// Every piece that stands apart.
pub(super) fn connected(
    layout: Layout,
    tileset: &Tileset,
    constraints: &Constraints,
    at: PoseAt<'_>,
    breaks: &mut Vec<Break>,
) {
    for (number, rule) in constraints.connected.iter().enumerate() {
        let begins = rule.from.as_ref().map(|area| area.cells(layout));
        let (begun, apart): (Vec<_>, Vec<_>) =
            pieces_of(layout, tileset, rule, at).into_iter().partition(|piece| {
                begins.as_ref().is_some_and(|begins| piece.iter().any(|&cell| begins.get(cell)))
            });
        let pieces: Vec<Cell> = apart.iter().filter_map(|piece| piece.first().copied()).collect();
        let reached = begun.len();
        let fine = match (&begins, rule.regions as usize) {
            (Some(_), _) => pieces.is_empty(),
            (None, 1) => pieces.len() <= 1,
            (None, regions) => pieces.len() + reached == regions,
        };
        if !fine {
            breaks.push(Break::Apart { number, pieces });
        }
    }
}

/// Every tile that is too near to another, or too far from all.
pub(super) fn distances(
    layout: Layout,
    tileset: &Tileset,
    constraints: &Constraints,
    at: PoseAt<'_>,
    breaks: &mut Vec<Break>,
) {
    let lattice = layout.lattice();
    for (number, rule) in constraints.distances.iter().enumerate() {
        let is = |cell: Cell, which: usize| {
            at(cell).is_some_and(|(tile, turned)| rule.concerns(tileset, tile, turned)[which])
        };
        let reach = rule.most.unwrap_or(0).max(rule.least.saturating_sub(1));
        for cell in layout.extent().iter().filter(|&cell| is(cell, 0)) {
            // How many steps it is to each cell around, by going there.
            let mut met = BitPlane::new(layout.extent());
            met.set(cell, true);
            let mut next = VecDeque::from([(cell, 0_u32)]);
            let (mut too_near, mut near_enough) = (None, rule.most.is_none());
            while let Some((here, steps)) = next.pop_front() {
                if steps > 0 && is(here, 1) {
                    near_enough |= rule.most.is_some_and(|most| steps <= most);
                    if steps < rule.least {
                        too_near = too_near.or(Some(here));
                    }
                }
                if steps == reach {
                    continue;
                }
                for beyond in
                    lattice.sides().iter().filter_map(|&side| layout.neighbour(here, side))
                {
                    if !met.get(beyond) {
                        met.set(beyond, true);
                        next.push_back((beyond, steps + 1));
                    }
                }
            }
            if too_near.is_some() || !near_enough {
                breaks.push(Break::Distance { number, cell, near: too_near });
            }
        }
    }
}
