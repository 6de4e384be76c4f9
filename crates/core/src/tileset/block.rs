//! Tiles that cover several cells: parts held together by sockets of their own.

use super::{Face, Socket, Tile, TilesetBuilder};
use crate::id::{SocketId, TileId};
use crate::lattice::{Cell, Lattice, Shift, Side};
use crate::orient::Orientation;
use std::collections::BTreeMap;

/// The most cells a tile may cover.
pub const MOST_PARTS: u32 = 256;

/// Which cell of a tile that covers several.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Part {
    /// Column, row and level as drawn, from the north-west (and lowest) cell.
    pub at: [u32; 3],
    /// How many cells the tile covers each way, as drawn.
    pub span: [u32; 3],
}

impl Part {
    /// Where it lies once the tile is mirrored and turned, again from the north-west cell. On square and box
    /// lattices; see [`from_first`](Self::from_first).
    ///
    /// ```
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::orient::Orientation;
    /// use lantern_quilt_core::tileset::block::Part;
    ///
    /// let east_end = Part { at: [2, 0, 0], span: [3, 1, 1] };
    /// let turned = Orientation::new(Lattice::Square, 1, false);
    /// assert_eq!(east_end.placed(turned), [0, 2, 0]);
    /// ```
    pub fn placed(self, orientation: Orientation) -> [u32; 3] {
        let ([mut x, mut y, z], [mut wide, mut deep, _]) = (self.at, self.span);
        if orientation.mirrored() {
            x = wide - 1 - x;
        }
        for _ in 0..orientation.turns() % 4 {
            (x, y) = (deep - 1 - y, x);
            (wide, deep) = (deep, wide);
        }
        [x, y, z]
    }

    /// From the first part to this one, once the tile is mirrored and turned.
    pub fn from_first(self, lattice: Lattice, orientation: Orientation) -> Shift {
        let at = self.at.map(|at| at as i32);
        let drawn = Shift::between(lattice, Cell::default(), Cell::at(at[0], at[1], at[2]));
        orientation.shift(lattice, drawn)
    }

    /// The part beyond a side of this one as drawn, when the tile continues there.
    pub fn beyond(self, lattice: Lattice, side: Side) -> Option<[u32; 3]> {
        let [x, y, z] = self.at.map(|at| at as i32);
        let there = lattice.step(Cell::at(x, y, z), side)?;
        let [x, y, z] = [there.x, there.y, there.z].map(u32::try_from);
        let at = [x.ok()?, y.ok()?, z.ok()?];
        at.iter().zip(self.span).all(|(&at, span)| at < span).then_some(at)
    }
}

/// A tile that covers a block of cells: columns and rows of them, and on boxes levels. On hexagons its first
/// row (or column) is not shifted.
///
/// Its sides are those of the block: each part at an edge shows what the tile shows there, unless
/// the part says otherwise. Between parts lie sockets that meet nothing else and never face out of a
/// map, so that a fill holds all of a block or none of it. The weight is that of the whole.
#[derive(Clone, Debug)]
pub struct Block {
    tile: Tile,
    span: [u32; 3],
    own: Vec<([u32; 3], Side, Vec<Face>)>,
}

impl Block {
    /// A block of `span` columns, rows and levels.
    ///
    /// # Panics
    /// When a span is zero, or the block has more than [`MOST_PARTS`] cells.
    pub fn new(tile: Tile, span: [u32; 3]) -> Self {
        let cells = span.into_iter().map(u64::from).product::<u64>();
        assert!((1..=u64::from(MOST_PARTS)).contains(&cells), "a block of {cells} cells");
        Self { tile, span, own: Vec::new() }
    }

    /// The same, where one part shows faces of its own on an outer side.
    #[must_use]
    pub fn part<F: Into<Face>>(
        mut self,
        at: [u32; 3],
        side: Side,
        faces: impl IntoIterator<Item = F>,
    ) -> Self {
        self.own.push((at, side, faces.into_iter().map(Into::into).collect()));
        self
    }
}

impl TilesetBuilder {
    /// Adds a tile that covers several cells: one tile a part, all of the same name, in rows.
    pub fn block(&mut self, block: &Block) -> Vec<TileId> {
        let [wide, deep, high] = block.span;
        let count = f64::from(wide * deep * high);
        let outer = block.tile.faces_in_order(self.lattice);
        let cells =
            (0..high).flat_map(|z| (0..deep).flat_map(move |y| (0..wide).map(move |x| [x, y, z])));
        let mut joints: BTreeMap<[[u32; 3]; 2], [SocketId; 2]> = BTreeMap::new();
        let mut ids = Vec::new();
        for at in cells {
            let mut faces = Vec::new();
            for (number, &side) in self.lattice.sides().iter().enumerate() {
                let joined = Part { at, span: block.span }.beyond(self.lattice, side);
                faces.push(match joined {
                    Some(beyond) => {
                        let ends = [at.min(beyond), at.max(beyond)];
                        let joint = joints.entry(ends).or_insert_with(|| {
                            let half =
                                |end| Socket::joint(format!("{} {ends:?} {end}", block.tile.name));
                            let [a, b] = [self.socket(half(0)), self.socket(half(1))];
                            self.mate(a, b);
                            [a, b]
                        });
                        // Who looks out of a standing side sees what lies beyond mirrored.
                        let (second, flat) = (at == ends[1], side.is_flat());
                        let show = if second && !flat { Face::right } else { Face::new };
                        vec![show(joint[usize::from(second)])]
                    }
                    None => {
                        let own = block.own.iter().rev().find(|(a, s, _)| *a == at && *s == side);
                        own.map_or_else(|| outer[number].clone(), |(_, _, faces)| faces.clone())
                    }
                });
            }
            let part = Some(Part { at, span: block.span });
            let (weight, share) =
                (block.tile.weight / count, block.tile.share.map(|all| all / count));
            ids.push(self.tile(Tile { weight, share, part, ..block.tile.clone() }.in_order(faces)));
        }
        ids
    }
}
