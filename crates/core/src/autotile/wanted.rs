//! The shapes that a set lacks, each as the drawing of a tile to be made.

use super::coverage::{Coverage, first_of_alike};
use super::drawing::{Drawing, MOST_KINDS, Neighbourhood, Sign};
use super::set::{ShapeBasis, ShapeSet};
use crate::tileset::{Mirror, orientations};

/// A tile that a set of shapes lacks.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WantedShape {
    /// The first of the neighbourhoods that it is for.
    pub around: Neighbourhood,
    /// All of them; of a tile that is turned, as it is drawn.
    pub drawing: Drawing,
    /// How many ways round it is used.
    pub turns: u8,
    /// Whether it is mirrored as well.
    pub mirror: Mirror,
}

/// The tiles that a set lacks: one for each neighbourhood without a tile, and one for all that are turns or mirror
/// images of one another where the set has tiles that turn so.
///
/// `coverage` is that of the set. With these tiles added every neighbourhood has a tile. O(missing x turns).
///
/// ```
/// use lantern_quilt_core::autotile::{
///     Coverage, Drawing, Kinds, Scheme, ShapeBasis, ShapeSet, ShapeTile, wanted_shapes,
/// };
/// use lantern_quilt_core::lattice::Lattice;
///
/// let names = ["moss".to_owned()];
/// let of = ShapeBasis::Terrain { on: names.to_vec(), kinds: Kinds::new(names.to_vec(), Vec::new()) };
/// let (scheme, same) = (Scheme::Four, of.same());
/// // An end of a strip in four turns; all else is missing.
/// let end = ShapeTile { turns: 4, ..ShapeTile::new("end", Drawing::of_shape(scheme, 1, same)) };
/// let set = ShapeSet::new("moss", scheme, Lattice::Square, of, vec![end]).unwrap();
/// let wanted = wanted_shapes(&set, &Coverage::of(&set));
/// let turns: Vec<u8> = wanted.iter().map(|shape| shape.turns).collect();
/// // An island, a strip, a bend, a tee and the inside: five of the six shapes that differ.
/// assert_eq!(turns, [1, 4, 4, 4, 1]);
/// ```
pub fn wanted_shapes(set: &ShapeSet, coverage: &Coverage) -> Vec<WantedShape> {
    let (scheme, lattice) = (set.scheme(), set.lattice());
    let first = first_of_alike(set, set.of().kinds() as u64);
    let mut missing: Vec<(Neighbourhood, Drawing)> = coverage
        .missing
        .iter()
        .map(|&(around, _)| (around, drawing_of(set, around, &first)))
        .collect();
    let turns = set.tiles().iter().map(|tile| tile.turns).max().unwrap_or(1);
    let mirrors = set.tiles().iter().map(|tile| tile.mirror);
    let mirror = mirrors.max_by_key(|mirror| *mirror as u8).unwrap_or_default();
    let group = orientations(lattice, turns, mirror);
    let mut wanted = Vec::new();
    while let Some(&(around, drawing)) = missing.first() {
        let all: Vec<Drawing> =
            group.iter().map(|&turn| drawing.turned(scheme, lattice, turn)).collect();
        let is_lacking = |one: &Drawing| missing.iter().any(|(_, drawing)| drawing == one);
        let is_even = all.iter().all(|one| *one == drawing);
        // Turned it must not take the place of tiles that are there.
        if !is_even && all.iter().all(is_lacking) {
            missing.retain(|(_, drawing)| !all.contains(drawing));
            wanted.push(WantedShape { around, drawing, turns, mirror });
        } else {
            missing.remove(0);
            wanted.push(WantedShape { around, drawing, turns: 1, mirror: Mirror::No });
        }
    }
    wanted
}

/// The drawing of a neighbourhood and of all that the set treats alike.
fn drawing_of(set: &ShapeSet, around: Neighbourhood, first: &[u8]) -> Drawing {
    let (scheme, same) = (set.scheme(), set.of().same());
    let slots = scheme.slots();
    let joins = (0..slots)
        .filter(|&slot| same >> around[slot] & 1 == 1)
        .fold(0, |joins, slot| joins | 1 << slot);
    let shape = Drawing::of_shape(scheme, joins, same);
    let told_by_joins = !matches!(set.of(), ShapeBasis::Blend(_));
    let all = Sign::MAX >> (MOST_KINDS - first.len());
    let signs: Vec<Sign> = (0..slots)
        .map(|slot| {
            if told_by_joins && shape.sign(slot) == Sign::MAX {
                return Sign::MAX;
            }
            let kind = first[usize::from(around[slot])];
            let alike = (0..first.len()).filter(|&other| first[other] == kind);
            let alike = alike.fold(0, |alike: Sign, other| alike | 1 << other);
            // As drawings are written, where there is a sign for just these.
            [same, !same].into_iter().find(|sign| sign & all == alike).unwrap_or(alike)
        })
        .collect();
    Drawing::new(&signs)
}
