//! The `clear` pass: what lies on cells is taken away. Reach: the cell.

use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::map::{Names, Tilemap};

/// Takes away what lies on cells.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClearStep {
    /// Whether terrain goes.
    pub terrain: bool,
    /// Whether items go.
    pub items: bool,
    /// The layers whose tiles go.
    pub layers: Vec<String>,
}

impl Step for ClearStep {
    fn kind(&self) -> &'static str {
        "clear"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        access.writes.terrain = self.terrain;
        access.writes.items = self.items;
        access.writes.layers = Names::of(&self.layers);
        access
    }

    fn reach(&self) -> Reach {
        Reach::Cell
    }

    /// Counts what went, on each layer by itself. O(cells x layers), besides the condition.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let place = scene.cells(map)?;
        let extent = map.layout().extent();
        let mut report = PassReport::new(scene.name);
        let mut next = map.clone();
        if self.terrain && map.terrain().is_some() {
            let terrain = next.terrain_mut();
            for index in place.indices() {
                scene.pace.cells(1)?;
                report.cells += u64::from(terrain.cells.get(index).is_some());
                terrain.cells.set(index, None);
            }
        }
        for name in &self.layers {
            let Some(before) = map.layer(name) else { continue };
            let layer = next.layer_mut(name);
            for cell in place.indices().map(|index| extent.cell(index)) {
                scene.pace.cells(1)?;
                report.cells += u64::from(before.get(cell).is_some());
                layer.set(cell, None);
            }
        }
        *map = next;
        if self.items {
            let mut items = map.take_items();
            let before = items.len();
            items.retain(|item| !place.get(item.cell) || scene.keeps(&item.pass));
            report.cells += (before - items.len()) as u64;
            map.set_items(items);
        }
        Ok(Work::Done(report))
    }
}
