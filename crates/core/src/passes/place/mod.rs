//! The `place` pass: items and tiles set by rule. Reach: the cell for chances, the whole map for counts
//! and where things keep apart.
//!
//! `options` says what it can be asked for. `sites` finds where a thing could stand and which way it would
//! face, `regions` how many each region of cells gets, `spacing` keeps things apart and off what is taken, `choose` takes places, `set` puts things on
//! them, `turning` turns what belongs together. `demand` watches that things stay.

mod choose;
mod demand;
mod footprint;
mod options;
mod regions;
mod set;
mod sites;
mod spacing;
mod turning;

pub(super) use choose::{Choosing, Chosen};
pub use demand::Quota;
pub(super) use footprint::Footprint;
pub use options::{
    Amount, CellSpot, Choice, Density, Facing, Mark, PlaceStep, Replace, SetPiece, SiteOrder, Thing,
};
pub(super) use set::exchange;
pub(super) use turning::{turned, turns};

use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::map::Tilemap;

impl Step for PlaceStep {
    fn kind(&self) -> &'static str {
        "place"
    }

    fn access(&self, layer: &str) -> Access {
        let mut access = self.access_of_sites();
        let mut parts = self.what.iter().flat_map(|choice| &choice.parts);
        access.writes.items |= parts.any(|part| matches!(part.what, Thing::Item { .. }));
        if self.what.iter().any(Choice::is_tiled) {
            access.writes.layers.add(layer);
        }
        access
    }

    fn places(&self) -> bool {
        true
    }

    fn reach(&self) -> Reach {
        let alone = matches!(self.amount, Amount::All | Amount::Chance(_) | Amount::Density(_))
            && self.apart <= 0.0
            && self.per.is_none()
            && self.on != CellSpot::Region
            && self.what.iter().all(|choice| choice.parts.len() < 2)
            && self.marks.is_empty();
        if !alone {
            return Reach::Map;
        }
        let beside = |what: &super::condition::Condition| what.reach().and(Reach::Within(1));
        self.conditions().map(beside).max().unwrap_or(Reach::Cell)
    }

    /// O(cells), and sorting where not every place is taken by itself.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let Choosing { chosen, replaced, mut told } = self.choose(map, scene, &[])?;
        let mut next = map.clone();
        let items = self.set(&chosen, &mut next, scene, &mut told)?;
        let cells = self.cells_of(&chosen, next.layout());
        let changed = self.make(&cells, &mut next, scene)?;
        self.mark(&chosen, &mut next, scene.pace)?;
        *map = next;
        exchange(map, &replaced, |item| self.replace.takes(item, scene), items);
        let mut report = PassReport::new(scene.name);
        (report.cells, report.items) = (told.tiles + changed, told.items);
        report.placing = Some(told);
        Ok(Work::Done(report))
    }
}

impl PlaceStep {
    /// What choosing places and marking them looks at and changes.
    pub(super) fn access_of_sites(&self) -> Access {
        let mut access = Access::default();
        self.conditions().for_each(|what| access.reads.unite(&what.reads()));
        access.reads.items |= !self.overlap;
        access.writes.items |= self.replace != Replace::Nothing;
        self.becomes.iter().for_each(|becomes| becomes.note(&mut access.writes));
        for tag in self.marks.iter().flat_map(|mark| mark.add.iter().chain(&mark.remove)) {
            access.writes.tags.add(tag);
        }
        access
    }
}
