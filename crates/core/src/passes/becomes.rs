//! What cells become: terrain, a tag, a height, a number or a tile.

use crate::limits::{Pace, Stopped};
use crate::map::{MapParts, Placed, Tilemap};
use crate::seed::{Keyed, Weighted};

/// What the cells of a band become.
#[derive(Clone, Debug, PartialEq)]
pub enum Becomes {
    /// A terrain.
    Terrain(String),
    /// They get a tag.
    Tag(String),
    /// A height.
    Height(i32),
    /// They get a number in a plane.
    Number {
        /// The plane.
        plane: String,
        /// The number.
        number: i32,
    },
    /// A tile stands on them.
    Tile {
        /// On this layer, which is made where there is none.
        layer: String,
        /// What stands there.
        placed: Placed,
        /// How common each of its looks is; without any it has that of `placed`.
        looks: Vec<f64>,
    },
    /// Nothing.
    AsIs,
}

impl Becomes {
    /// What it changes.
    pub(super) fn note(&self, writes: &mut MapParts) {
        match self {
            Self::AsIs => {}
            Self::Terrain(_) => writes.terrain = true,
            Self::Tag(name) => writes.tags.add(name),
            Self::Height(_) => writes.heights = true,
            Self::Number { plane, .. } => writes.planes.add(plane),
            Self::Tile { layer, .. } => writes.layers.add(layer),
        }
    }

    /// Makes it of some cells, by their place in the map; says how many of them were something else.
    /// `chance` picks the looks of tiles. O(cells).
    ///
    /// # Panics
    /// When a cell lies outside.
    pub(super) fn lay(
        &self,
        map: &mut Tilemap,
        chance: Keyed,
        cells: impl Iterator<Item = usize>,
        pace: &Pace<'_>,
    ) -> Result<u64, Stopped> {
        let extent = map.layout().extent();
        let mut changed = 0;
        match self {
            Self::AsIs => {}
            Self::Terrain(name) => {
                let terrain = map.terrain_mut();
                let number = Some(terrain.number(name));
                for index in cells {
                    pace.cells(1)?;
                    changed += u64::from(terrain.cells.get(index) != number);
                    terrain.cells.set(index, number);
                }
            }
            Self::Height(height) => {
                let heights = map.heights_mut();
                for index in cells {
                    pace.cells(1)?;
                    changed += u64::from(heights.values()[index] != *height);
                    heights.values_mut()[index] = *height;
                }
            }
            Self::Number { plane, number } => {
                let plane = map.plane_mut(plane);
                for (index, cell) in cells.map(|index| (index, extent.cell(index))) {
                    pace.cells(1)?;
                    changed += u64::from(plane.at(index) != Some(*number));
                    plane.set(cell, Some(i64::from(*number)));
                }
            }
            Self::Tile { layer, placed, looks } => {
                let layer = map.layer_mut(layer);
                let weighted = Weighted::new(looks.iter().copied());
                let numbers = (0..looks.len().max(1) as u32).map(|look| {
                    let look = if looks.is_empty() { placed.look } else { look };
                    layer.add(Placed { look, ..placed.clone() })
                });
                let numbers: Vec<u32> = numbers.collect();
                for cell in cells.map(|index| extent.cell(index)) {
                    pace.cells(1)?;
                    let look = weighted.pick(chance.bits(cell)).unwrap_or(0);
                    let number = numbers[look];
                    let index = layer.extent().index(cell);
                    let before = index.and_then(|index| layer.cells().get(index));
                    changed += u64::from(before != Some(number));
                    layer.set(cell, Some(number));
                }
            }
            Self::Tag(name) => {
                let plane = map.tag_mut(name);
                for cell in cells.map(|index| extent.cell(index)) {
                    pace.cells(1)?;
                    changed += u64::from(!plane.get(cell));
                    plane.set(cell, true);
                }
            }
        }
        Ok(changed)
    }
}
