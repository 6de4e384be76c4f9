//! The `distance` pass: how many steps it is from each cell to what a condition names. Reach: the map.

use super::condition::Condition;
use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::grid::{UNREACHED, steps};
use crate::map::{Names, Numbers, Tilemap};

/// Writes into a plane how many steps across sides it is to the nearest cell that meets a condition.
///
/// Cells from which none can be reached have no number.
#[derive(Clone, Debug, PartialEq)]
pub struct DistanceStep {
    /// The cells at distance 0.
    pub from: Condition,
    /// The plane.
    pub plane: String,
}

impl Step for DistanceStep {
    fn kind(&self) -> &'static str {
        "distance"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access { reads: self.from.reads(), ..Access::default() };
        access.writes.planes = Names::of([&self.plane]);
        access
    }

    fn reach(&self) -> Reach {
        Reach::Map
    }

    /// O(cells), besides the conditions.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let place = scene.cells(map)?;
        let from = self.from.paced(map, scene.seed, scene.name, scene.pace)?;
        let far = steps(map.layout(), &from, scene.pace)?;
        let number = |&far: &u32| (far != UNREACHED).then_some(i64::from(far));
        let far = Numbers::from_values(far.extent(), far.values().iter().map(number));
        let mut report = PassReport::new(scene.name);
        report.cells = place.count() as u64;
        let plane = map.plane_mut(&self.plane);
        plane.take_at(&far.expect("one a cell"), place.indices());
        Ok(Work::Done(report))
    }
}
