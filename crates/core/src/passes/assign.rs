//! The `assign` pass: cells become something where a condition holds. Reach: the cell.

use super::becomes::Becomes;
use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::map::Tilemap;

/// Makes something of the cells of its pass.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::passes::{AssignStep, Becomes, Condition};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let rim = Condition::Border { least: 0, most: 0 };
/// let hedge = AssignStep { becomes: vec![Becomes::Terrain("hedge".into()), Becomes::Height(2)] };
/// let recipe = Recipe::new([Pass::new("hedge", hedge).within(rim)]);
/// let made = recipe.make(Layout::flat(Lattice::Square, 6, 5)?, &Seed::default())?;
/// assert_eq!(made.passes[0].cells, 2 * 18);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq)]
pub struct AssignStep {
    /// What they become, all of it.
    pub becomes: Vec<Becomes>,
}

impl Step for AssignStep {
    fn kind(&self) -> &'static str {
        "assign"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        self.becomes.iter().for_each(|becomes| becomes.note(&mut access.writes));
        access
    }

    fn reach(&self) -> Reach {
        Reach::Cell
    }

    /// Counts a cell once for each thing that it becomes and was not. O(cells) for each of them.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let place = scene.cells(map)?;
        let looks = scene.seed.keyed(&[scene.name, "look"]);
        let mut report = PassReport::new(scene.name);
        let mut next = map.clone();
        for becomes in &self.becomes {
            report.cells += becomes.lay(&mut next, looks, place.indices(), scene.pace)?;
        }
        *map = next;
        Ok(Work::Done(report))
    }
}
