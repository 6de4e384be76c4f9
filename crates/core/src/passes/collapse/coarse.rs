//! Tiles that represent blocks of cells.

use crate::grid::BitPlane;
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::limits::{Pace, Stopped};
use crate::map::{Layer, MapParts, Tilemap};
use crate::passes::becomes::Becomes;
use crate::seed::Keyed;

/// How tiles represent blocks of cells.
#[derive(Clone, Debug, PartialEq)]
pub struct Coarse {
    /// Columns and rows of a block.
    pub block: u32,
    /// What the cells of each tile's block become.
    pub becomes: Vec<(String, Vec<Becomes>)>,
}

impl Coarse {
    /// The grid of blocks over a map.
    pub(super) fn blocks(&self, layout: Layout) -> Layout {
        let (extent, wrap, lattice) = (layout.extent(), layout.wrap(), layout.lattice());
        let [width, height, depth] = extent.size();
        let block = self.block.max(1);
        let (wide, high) = (width.div_ceil(block), height.div_ceil(block));
        let closes = |wraps: bool, length: u32| wraps && length.is_multiple_of(block);
        let wrap = Wrap { x: closes(wrap.x, width), y: closes(wrap.y, height), z: wrap.z };
        let blocks = Extent::new(extent.origin(), [wide, high, depth]).unwrap_or(extent);
        Layout::new(lattice, blocks, wrap).unwrap_or(layout)
    }

    /// What it changes.
    pub(super) fn writes(&self) -> MapParts {
        let mut writes = MapParts::none();
        self.becomes.iter().flat_map(|(_, all)| all).for_each(|one| one.note(&mut writes));
        writes
    }

    /// Makes of some cells what the tiles of their blocks say; says how many changed. O(cells x tiles).
    pub(super) fn spread(
        &self,
        layer: &Layer,
        looks: Keyed,
        place: &BitPlane,
        map: &mut Tilemap,
        pace: &Pace<'_>,
    ) -> Result<u64, Stopped> {
        let (extent, origin) = (map.layout().extent(), map.layout().extent().origin());
        let side = self.block.max(1) as i32;
        let block = |cell: Cell| Cell {
            x: origin.x + (cell.x - origin.x) / side,
            y: origin.y + (cell.y - origin.y) / side,
            z: cell.z,
        };
        let mut cells_of = vec![Vec::new(); self.becomes.len()];
        for index in place.indices() {
            pace.cells(1)?;
            let Some(placed) = layer.get(block(extent.cell(index))) else { continue };
            let named = self.becomes.iter().position(|(name, _)| *name == placed.tile);
            if let Some(number) = named {
                cells_of[number].push(index);
            }
        }
        let mut changed = 0;
        for ((_, all), cells) in self.becomes.iter().zip(cells_of) {
            for one in all {
                changed += one.lay(map, looks, cells.iter().copied(), pace)?;
            }
        }
        Ok(changed)
    }
}
