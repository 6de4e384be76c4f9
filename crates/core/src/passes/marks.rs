//! The passes `tag` and `clear`: marks by conditions, and taking away by conditions. Reach: that of their
//! condition.

use super::condition::Condition;
use crate::map::Tilemap;
use crate::seed::Seed;

/// Gives tags to cells and takes them away.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct TagPass {
    /// Its name.
    pub name: String,
    /// Which cells.
    pub place: Condition,
    /// Tags that they get.
    pub add: Vec<String>,
    /// Tags that they lose.
    pub remove: Vec<String>,
}

impl TagPass {
    /// Marks the cells; says how many changed. O(cells x tags), besides the condition.
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> u64 {
        let place = self.place.cells(map, seed, &self.name);
        let mut changed = 0;
        for (tag, add) in
            self.add.iter().map(|tag| (tag, true)).chain(self.remove.iter().map(|tag| (tag, false)))
        {
            if !add && !map.tags.iter().any(|(name, _)| name == tag) {
                continue;
            }
            let plane = map.tag_mut(tag);
            let before = plane.count();
            if add {
                plane.unite(&place);
            } else {
                plane.subtract(&place);
            }
            changed += before.abs_diff(plane.count()) as u64;
        }
        changed
    }
}

/// Takes away what lies on cells.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClearPass {
    /// Its name.
    pub name: String,
    /// Which cells.
    pub place: Condition,
    /// Whether terrain goes.
    pub terrain: bool,
    /// Whether items go.
    pub items: bool,
    /// The layers whose tiles go.
    pub layers: Vec<String>,
}

impl ClearPass {
    /// Clears the cells; says how many changed, on each layer by itself. O(cells x layers), besides the
    /// condition.
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> u64 {
        let place = self.place.cells(map, seed, &self.name);
        let extent = map.layout().extent();
        let mut changed = 0;
        if let Some(terrain) = map.terrain.as_mut().filter(|_| self.terrain) {
            for index in place.iter().filter_map(|cell| extent.index(cell)) {
                changed += u64::from(terrain.cells.get(index).is_some());
                terrain.cells.set(index, None);
            }
        }
        if self.items {
            let mut items = map.take_items();
            let before = items.len();
            items.retain(|item| !place.get(item.cell));
            changed += (before - items.len()) as u64;
            map.set_items(items);
        }
        for layer in map.layers.iter_mut().filter(|layer| self.layers.contains(&layer.name)) {
            for cell in place.iter() {
                changed += u64::from(layer.get(cell).is_some());
                layer.set(cell, None);
            }
        }
        changed
    }
}
