//! Which shape a tile of a set is.

use super::ShapeSpec;
use super::compose::quarter_name;
use crate::draw::QUARTERS;
use lantern_quilt_core::autotile::{Drawing, Joins, ShapeSet};

impl ShapeSpec {
    /// What is joined in a shape, and its number; of a drawing of quarters as if it were one.
    pub(in crate::files::quilt) fn shape_of(&self, tile: &str) -> Option<(Joins, usize)> {
        let set = &self.set;
        if let Some(looks) = self.quarters {
            let name = set.name();
            let mut all = (0..looks).flat_map(|look| (0..5).map(move |quarter| (look, quarter)));
            let (_, quarter) = all.find(|&(look, one)| quarter_name(name, look, one) == tile)?;
            return Some((QUARTERS[quarter as usize], quarter as usize));
        }
        let known = set.tiles().iter().find(|one| one.tile.as_deref() == Some(tile))?;
        let joins = joins_of(set, &known.drawing);
        Some((joins, set.scheme().number(joins)))
    }
}

/// Which slots a drawing wants to be joined; what makes no difference counts as joined.
pub(in crate::files::quilt) fn joins_of(set: &ShapeSet, drawing: &Drawing) -> Joins {
    let (scheme, same) = (set.scheme(), set.of().same());
    let slots = (0..scheme.slots()).filter(|&slot| drawing.sign(slot) & same != 0);
    scheme.reduce(slots.fold(0, |joins, slot| joins | 1 << slot))
}
