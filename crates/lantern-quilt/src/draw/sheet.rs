//! One sheet of every picture that a map shows, turned and put together as drawn.

use super::{DrawError, mark};
use crate::art::TileArt;
use crate::picture::Picture;
use lantern_quilt_core::map::Tilemap;
use std::collections::BTreeMap;

/// Columns of a packed sheet.
const COLUMNS: u32 = 16;

/// A sheet and where in it the entries of each layer's palette are.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Packed {
    /// The sheet.
    pub sheet: Picture,
    /// Column and row of each palette entry of each layer, in the order of the map; nothing for entries
    /// that no cell shows.
    pub places: Vec<Vec<Option<[u32; 2]>>>,
}

/// Packs the pictures of a map; pictures that are the same stand there once. O(pixels).
///
/// # Errors
/// When there is no art, or the sheet would be too large.
pub fn pack(map: &Tilemap, art: &TileArt) -> Result<Packed, DrawError> {
    let [width, height] = art.cell();
    if width == 0 || height == 0 {
        return Err(DrawError::NoArt);
    }
    let lattice = map.layout().lattice();
    let mut pictures: Vec<Picture> = Vec::new();
    let mut known: BTreeMap<Vec<[u8; 4]>, usize> = BTreeMap::new();
    let mut numbers = Vec::new();
    for layer in map.layers() {
        let mut shown = vec![false; layer.palette().len()];
        for number in layer.cells().iter().flatten() {
            shown[number as usize] = true;
        }
        let place = |(placed, shown): (&lantern_quilt_core::map::Placed, bool)| {
            shown.then(|| {
                let drawn =
                    art.placed(lattice, placed).unwrap_or_else(|| mark::hatching(art.cell()));
                *known.entry(drawn.pixels().to_vec()).or_insert_with(|| {
                    pictures.push(drawn);
                    pictures.len() - 1
                })
            })
        };
        numbers.push(layer.palette().iter().zip(shown).map(place).collect::<Vec<_>>());
    }
    let columns = COLUMNS.min(pictures.len().max(1) as u32);
    let rows = (pictures.len() as u32).div_ceil(columns).max(1);
    let mut sheet = Picture::new(width * columns, height * rows, [0; 4])?;
    let at = |number: usize| [number as u32 % columns, number as u32 / columns];
    for (number, drawn) in pictures.iter().enumerate() {
        let [column, row] = at(number);
        sheet.lay(drawn, i64::from(column * width), i64::from(row * height));
    }
    let places =
        numbers.into_iter().map(|layer| layer.into_iter().map(|one| one.map(at)).collect());
    Ok(Packed { sheet, places: places.collect() })
}
