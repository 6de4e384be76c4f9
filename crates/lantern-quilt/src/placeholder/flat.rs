//! Placeholders as pictures.

use super::showing;
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::audit::pieces::WantedPiece;
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::tileset::Tileset;

const WHITE: Rgba = [250, 246, 236, 255];
const AMBER: Rgba = [240, 160, 40, 255];

/// How far from the middle of a cell to its side the neighbours' pixels begin.
const INNER: f64 = 0.45;

/// A picture of the size of a cell: along each side the pixels of a tile that shows there what the piece must
/// show, and hatching within and where anything fits. O(pixels + poses).
pub fn placeholder_picture(set: &Tileset, piece: &WantedPiece, art: &TileArt) -> Picture {
    let lattice = set.lattice();
    let [wide, high] = art.cell();
    let drawn: Vec<Option<Picture>> = lattice
        .sides()
        .iter()
        .zip(&piece.sides)
        .map(|(&side, faces)| {
            let (tile, orientation) = showing(set, side, *faces.first()?)?;
            let tile = &set.tiles()[tile];
            art.posed(tile.name(), 0, tile.part(), lattice, orientation)
        })
        .collect();
    let mut picture = Picture::new(wide, high, [0; 4])
        .unwrap_or_else(|_| Picture::new(1, 1, WHITE).expect("one pixel is never too large"));
    let stripe = (wide.min(high) / 8).max(1);
    for y in 0..picture.height() {
        for x in 0..picture.width() {
            let (number, out) = sector(lattice, [x, y], [wide, high]);
            let shown = drawn.get(number).and_then(Option::as_ref);
            let pixel = shown.and_then(|picture| picture.get(x, y));
            let colour = match pixel {
                Some(pixel) if out > INNER => pixel,
                _ if out > 1.0 => [0; 4],
                _ if (x + y) % (2 * stripe) < stripe => WHITE,
                _ => AMBER,
            };
            picture.set(x, y, colour);
        }
    }
    picture
}

/// The side that a pixel lies nearest to, and how far out: 0 in the middle, 1 at the side.
fn sector(lattice: Lattice, [x, y]: [u32; 2], [wide, high]: [u32; 2]) -> (usize, f64) {
    let half = [f64::from(wide) / 2.0, f64::from(high) / 2.0];
    let (dx, dy) = (f64::from(x) + 0.5 - half[0], f64::from(y) + 0.5 - half[1]);
    let (first, apothem) = match lattice {
        Lattice::HexPointy => (30.0, [half[0]; 2]),
        Lattice::HexFlat => (0.0, [half[1]; 2]),
        Lattice::Square | Lattice::Box => (0.0, half),
    };
    let count = usize::from(lattice.turns());
    let out = |number: usize| {
        let angle = (first + 360.0 / count as f64 * number as f64).to_radians();
        dx / apothem[0] * angle.sin() - dy / apothem[1] * angle.cos()
    };
    let nearest = (0..count).max_by(|&a, &b| out(a).total_cmp(&out(b))).unwrap_or(0);
    (nearest, out(nearest))
}
