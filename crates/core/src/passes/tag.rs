//! The `tag` pass: marks on cells. Reach: the cell.

use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::map::{Names, Tilemap};

/// Gives tags to cells and takes them away.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct TagStep {
    /// Tags that they get.
    pub add: Vec<String>,
    /// Tags that they lose.
    pub remove: Vec<String>,
}

impl Step for TagStep {
    fn kind(&self) -> &'static str {
        "tag"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        access.writes.tags = Names::of(self.add.iter().chain(&self.remove));
        access
    }

    fn reach(&self) -> Reach {
        Reach::Cell
    }

    /// O(cells x tags / 64), besides the condition.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let place = scene.cells(map)?;
        let mut report = PassReport::new(scene.name);
        let all = self.add.iter().map(|tag| (tag, true));
        for (tag, add) in all.chain(self.remove.iter().map(|tag| (tag, false))) {
            if !add && map.tag(tag).is_none() {
                continue;
            }
            let plane = map.tag_mut(tag);
            let before = plane.count();
            if add {
                plane.unite(&place);
            } else {
                plane.subtract(&place);
            }
            report.cells += before.abs_diff(plane.count()) as u64;
        }
        Ok(Work::Done(report))
    }
}
