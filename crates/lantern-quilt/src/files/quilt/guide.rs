//! Guide images: what each tile of a sheet is for, painted flat beside it.

use super::cursor::{Notes, Value};
use super::terrains::Terrains;
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::autotile::{Drawing, Scheme, ShapeBasis, Sign};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Lattice;

/// Where one slot lies in a cell, in twelfths of its width and height.
fn point(scheme: Scheme, lattice: Lattice, slot: usize) -> [u32; 2] {
    const EIGHT: [[u32; 2]; 8] =
        [[6, 2], [10, 2], [10, 6], [10, 10], [6, 10], [2, 10], [2, 6], [2, 2]];
    const POINTY: [[u32; 2]; 6] = [[8, 3], [10, 6], [8, 9], [4, 9], [2, 6], [4, 3]];
    const FLAT: [[u32; 2]; 6] = [[6, 2], [9, 4], [9, 8], [6, 10], [3, 8], [3, 4]];
    const DUAL: [[u32; 2]; 4] = [[9, 3], [9, 9], [3, 9], [3, 3]];
    match (scheme, lattice) {
        (Scheme::Eight, _) => EIGHT[slot],
        (Scheme::Four, _) => EIGHT[slot * 2],
        (Scheme::Dual, _) => DUAL[slot],
        (Scheme::Six, Lattice::HexFlat) => FLAT[slot],
        (Scheme::Six, _) => POINTY[slot],
    }
}

/// A guide image and the set that it speaks of.
pub(super) struct Guide<'a, 'k> {
    pub(super) scheme: Scheme,
    pub(super) lattice: Lattice,
    pub(super) of: &'a ShapeBasis,
    pub(super) terrains: &'a Terrains,
    /// Where it is named.
    pub(super) value: &'a Value<'k>,
    /// Colours off the key that were reported.
    pub(super) strange: Vec<Rgba>,
}

impl Guide<'_, '_> {
    /// The drawing of one cell; nothing when it is not a tile of the set. Colours off the key are findings, once
    /// each.
    pub(super) fn read(
        &mut self,
        cell: &Picture,
        [column, row]: [u32; 2],
        notes: &mut Notes,
    ) -> Option<Drawing> {
        let (scheme, lattice, of) = (self.scheme, self.lattice, self.of);
        let mut terrain_at = |[x, y]: [u32; 2]| -> Option<&str> {
            let (x, y) = (cell.width() * x / 12, cell.height() * y / 12);
            let colour = cell.get(x, y)?;
            if colour[3] == 0 {
                return None;
            }
            let known =
                self.terrains.key.colours.iter().find(|([r, g, b], _)| colour == [*r, *g, *b, 255]);
            if known.is_none() && !self.strange.contains(&colour) {
                self.strange.push(colour);
                let text = format!(
                    "{} at pixel [{x}, {y}] of cell [{column}, {row}] of the guide is not a terrain",
                    to_hex(colour)
                );
                let near = self.terrains.key.colour_key(0);
                let nearest = near.colours.iter().min_by_key(|([r, g, b], _)| {
                    let apart = |a: u8, b: u8| u32::from(a.abs_diff(b)).pow(2);
                    apart(*r, colour[0]) + apart(*g, colour[1]) + apart(*b, colour[2])
                });
                let help = nearest.map_or_else(
                    || "give terrains colours in `[terrains]`".to_owned(),
                    |([r, g, b], name)| {
                        format!("the nearest is {} for `{name}`", to_hex([*r, *g, *b, 255]))
                    },
                );
                let finding = Finding::new(Code::OffKey, self.value.subject(), text).help(help);
                notes.add(finding, self.value.span.clone());
            }
            known.map(|(_, name)| name.as_str())
        };
        if let (ShapeBasis::Terrain { on, .. }, false) = (of, scheme == Scheme::Dual) {
            let here = terrain_at([6, 6])?;
            if !on.iter().any(|name| name == here) {
                return None;
            }
        }
        let mut signs = [Sign::MAX; 8];
        let mut said = false;
        for (slot, sign) in signs.iter_mut().enumerate().take(scheme.slots()) {
            let Some(name) = terrain_at(point(scheme, lattice, slot)) else { continue };
            said = true;
            *sign = match of {
                ShapeBasis::Terrain { kinds, .. }
                    if kinds.same() >> kinds.kind(Some(name)) & 1 == 1 =>
                {
                    kinds.same()
                }
                ShapeBasis::Blend(kinds) => kinds.only(name).unwrap_or(0),
                _ => !of.same(),
            };
        }
        let is_tile = match of {
            // Between cells a tile has something of its terrain.
            ShapeBasis::Terrain { .. } if scheme == Scheme::Dual => {
                signs[..scheme.slots()].contains(&of.same())
            }
            ShapeBasis::Terrain { .. } => true,
            _ => said,
        };
        is_tile.then(|| Drawing::new(&signs).relaxed(scheme, of.same()))
    }
}
