//! What a pass was asked to place, watched until the recipe ends: later passes may take it away.

use crate::lattice::Cell;
use crate::map::Tilemap;
use crate::passes::report::{Placing, Standing};
use std::sync::Arc;

/// The sets that a pass placed of which so many must stand in the end.
///
/// Made by [`Placing::demand`].
#[derive(Clone, Debug)]
pub struct Quota {
    pass: String,
    sets: Vec<Standing>,
    /// How many of them stand.
    left: u64,
}

impl Placing {
    /// What must still stand when all passes are done; `None` when nothing was demanded or wished.
    pub fn demand(&self) -> Option<Quota> {
        let sets = self.standing.clone();
        (self.least > 0).then(|| Quota { pass: self.pass.clone(), left: self.sets, sets })
    }
}

impl Quota {
    /// The pass that placed the sets.
    pub fn pass(&self) -> &str {
        &self.pass
    }

    /// How many sets a map lost since it was looked at last. A set is lost when anything of it is gone.
    /// O(items, and tiles of the sets).
    pub fn lost(&mut self, map: &Tilemap) -> u64 {
        let mut items = vec![0; self.sets.len()];
        for item in map.items().iter().filter(|item| *item.pass == *self.pass) {
            let set = (item.number as usize).checked_sub(1);
            if let Some(count) = set.and_then(|set| items.get_mut(set)) {
                *count += 1;
            }
        }
        let stands = |(layer, cell, tile): &(Arc<str>, Cell, Arc<str>)| {
            let layer = map.layer(layer);
            layer.and_then(|layer| layer.get(*cell)).is_some_and(|placed| {
                let by = placed.pass.as_deref().or(layer.map(|layer| &*layer.name));
                *placed.tile == **tile && by == Some(&*self.pass)
            })
        };
        let whole =
            |(set, items): (&Standing, u32)| items >= set.items && set.tiles.iter().all(stands);
        let left = self.sets.iter().zip(items).filter(|&one| whole(one)).count() as u64;
        let lost = self.left.saturating_sub(left);
        self.left = left;
        lost
    }
}
