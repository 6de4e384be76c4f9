//! The step: a fill that is due, and what becomes of its run.

use super::{Coarse, Collapse, HOLE, Refill, ShadeBy, mark_holes};
use crate::digest::digest;
use crate::grid::BitPlane;
use crate::limits::Stopped;
use crate::map::{Layer, Names, Tilemap};
use crate::passes::reach::Reach;
use crate::passes::report::PassReport;
use crate::passes::step::{Access, Lay, Scene, Step, StepError, Work};
use crate::solve::Run;
use std::sync::Arc;

/// A fill by wave function collapse: of cells, or of blocks of cells.
///
/// What stands on its layer already is kept, and the fill joins it.
#[derive(Clone, Debug)]
pub struct FillStep {
    /// The compiled pass.
    pub collapse: Arc<Collapse>,
    /// What becomes of its tiles, when they represent blocks of cells.
    pub coarse: Option<Coarse>,
}

impl FillStep {
    /// Fills cells.
    pub fn new(collapse: impl Into<Arc<Collapse>>) -> Self {
        Self { collapse: collapse.into(), coarse: None }
    }

    /// The same with tiles that represent blocks of cells.
    #[must_use]
    pub fn coarse(mut self, coarse: Coarse) -> Self {
        self.coarse = Some(coarse);
        self
    }
}

impl Step for FillStep {
    fn kind(&self) -> &'static str {
        "collapse"
    }

    fn access(&self, layer: &str) -> Access {
        let mut access = Access::default();
        if let Some(coarse) = &self.coarse {
            access.writes = coarse.writes();
            return access;
        }
        access.writes.layers = Names::of([layer]);
        access.writes.tags = Names::of([HOLE]);
        access.reads = access.writes.clone();
        for shade in &self.collapse.shades {
            if let ShadeBy::Where(what, _) = &shade.by {
                access.reads.unite(&what.reads());
            }
        }
        for (_, place) in &self.collapse.begins {
            access.reads.unite(&place.reads());
        }
        access
    }

    fn reach(&self) -> Reach {
        Reach::Map
    }

    /// Limits are not in it: they never change a map. Nor is what was compiled.
    fn fingerprint(&self) -> u64 {
        let Collapse { name, tileset, constraints, shades, begins, search, fallback, .. } =
            &*self.collapse;
        digest(&(name, tileset, constraints, (shades, begins), search, fallback, &self.coarse))
    }

    /// O(cells).
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let layout = map.layout();
        let by_map = !self.collapse.shades.is_empty() || !self.collapse.begins.is_empty();
        let by_map = by_map && self.coarse.is_none();
        let worked_out = by_map.then(|| self.collapse.worked_out(map, scene.seed));
        let collapse = worked_out.as_ref().unwrap_or(&self.collapse);
        let mut laying = Laying { step: self.clone(), place: None, refill: None };
        let job = if let Some(coarse) = &self.coarse {
            laying.place = Some(scene.cells(map)?);
            collapse.job(coarse.blocks(layout), scene.seed)
        } else if scene.place.is_everywhere() && map.layer(scene.layer()).is_none() {
            collapse.job(layout, scene.seed)
        } else {
            let place = scene.cells(map)?;
            let none = Layer::new("", layout.extent(), Vec::new());
            let layer = map.layer(scene.layer()).unwrap_or(&none);
            let open = |cell| place.get(cell) && layer.get(cell).is_none();
            let is_hole = |cell| map.tag(HOLE).is_some_and(|holes| holes.get(cell));
            let extent = layout.extent();
            let refill = collapse
                .refill_beside(layout, layer, extent, open, is_hole)
                .map_err(|error| StepError::Other(Box::new(error)))?;
            let job = refill.job(collapse, scene.seed);
            laying.refill = Some(refill);
            job
        };
        Ok(Work::Fill(Box::new(job.name(scene.name)), Box::new(laying)))
    }
}

/// A fill that is due.
#[derive(Debug)]
struct Laying {
    step: FillStep,
    /// The cells over which blocks are spread.
    place: Option<BitPlane>,
    /// What is kept, when anything is.
    refill: Option<Refill>,
}

impl Lay for Laying {
    fn lay(&self, run: &Run, map: &mut Tilemap, scene: &Scene<'_>) -> Result<PassReport, Stopped> {
        let collapse = &self.step.collapse;
        let mut report = PassReport::new(scene.name);
        if let Some((coarse, place)) = self.step.coarse.as_ref().zip(self.place.as_ref()) {
            let looks = run.seed().keyed(&[scene.name, "look"]);
            let mut next = map.clone();
            let layer = collapse.layer(run);
            report.cells = coarse.spread(&layer, looks, place, &mut next, scene.pace)?;
            *map = next;
            return Ok(report);
        }
        let mut layer = match &self.refill {
            Some(refill) => {
                let mut layer = Layer::new(scene.layer(), map.layout().extent(), Vec::new());
                refill.paste(collapse, run, &mut layer);
                refill.mark_holes(run, map);
                layer
            }
            None => {
                mark_holes(run, map);
                collapse.layer(run)
            }
        };
        report.cells = layer.cells().iter().flatten().count() as u64;
        scene.layer().clone_into(&mut layer.name);
        layer.sign(scene.name, scene.group);
        map.overlay(layer);
        Ok(report)
    }
}
