//! The `route` pass: ways from somewhere to somewhere, judged or carved. Reach: the map.
//!
//! `options` says what it can be asked for, `targets` which cells are still wanted, `carve` puts ways on
//! the map.

mod carve;
mod options;
mod targets;

pub use options::{Carve, RouteError, RouteStep};

use self::carve::Carving;
use self::targets::Targets;
use super::condition::Condition;
use super::reach::Reach;
use super::report::{PassReport, Routed, Unreached, WayTo};
use super::step::{Access, Scene, Step, StepError, Work};
use super::ways::{Cheapest, Costs, Ground, Walls, Way, in_the_way};
use crate::grid::BitPlane;
use crate::limits::Stopped;
use crate::map::{Names, Numbers, Tilemap};

impl RouteStep {
    /// What entering each cell costs; empty where all cost 1.
    fn cell_costs(&self, map: &Tilemap, scene: &Scene<'_>) -> Result<Vec<u64>, Stopped> {
        if self.costs.is_empty() {
            return Ok(Vec::new());
        }
        let mut costs = vec![1; map.layout().extent().cells()];
        // The first that holds counts: it is written last.
        for (what, cost) in self.costs.iter().rev() {
            let cells = what.paced(map, scene.seed, scene.name, scene.pace)?;
            cells.indices().for_each(|index| costs[index] = *cost);
        }
        Ok(costs)
    }
}

impl Step for RouteStep {
    fn kind(&self) -> &'static str {
        "route"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        for what in [&self.from, &self.to, &self.through] {
            access.reads.unite(&what.reads());
        }
        self.costs.iter().for_each(|(what, _)| access.reads.unite(&what.reads()));
        access.reads.items |= !self.blocked_by.is_empty();
        access.reads.heights |= self.most_step.is_some();
        access.writes.tags = Names::of(&self.tag);
        access.writes.planes = Names::of(&self.plane);
        if let Some(carve) = &self.carve {
            carve.becomes.iter().for_each(|becomes| becomes.note(&mut access.writes));
            carve.clear_layers.iter().for_each(|layer| access.writes.layers.add(layer));
            access.writes.items |= carve.clear_items || carve.open.is_some();
            access.writes.heights |= carve.cut.is_some();
        }
        access
    }

    fn reach(&self) -> Reach {
        Reach::Map
    }

    /// O(n log n) of cells that are searched for each target joined, at most; where bends cost, of cells
    /// and directions. 16 bytes each.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let cells = |what: &Condition| what.paced(map, scene.seed, scene.name, scene.pace);
        let (from, to, open) = (cells(&self.from)?, cells(&self.to)?, cells(&self.through)?);
        let place = scene.cells(map)?;
        let walls = if self.blocked_by.is_empty() {
            Walls::default()
        } else {
            Walls::of(map, scene.pace, |item| self.blocks(item))?
        };
        let ground = Ground::new(map.layout(), self.around, &open)
            .walled(walls)
            .stepped(map.heights().filter(|_| self.most_step.is_some()), self.most_step);
        let starts: Vec<_> = from.iter().filter(|&cell| ground.is_open(cell)).collect();
        if starts.is_empty() {
            return Err(self.no_start(&from));
        }
        let carve = self.carve.as_ref();
        let costs = Costs {
            cells: self.cell_costs(map, scene)?,
            open: carve.and_then(|carve| carve.open),
            cut: carve.and_then(|carve| carve.cut),
            bend: carve.map_or(0, |carve| carve.bend),
        };
        let mut targets = Targets::new(map.layout(), &to, self.joined, scene.pace)?;
        let mut search = Cheapest::new(&ground, &costs);
        for &start in &starts {
            search.begin(start);
        }
        let mut ways: Vec<Way> = Vec::new();
        let mut routed =
            Routed { pass: scene.name.to_owned(), wished: self.wished, ..Routed::default() };
        while targets.left() > 0 {
            let Some(found) = search.nearest(scene.pace, |index| targets.wants(index))? else {
                break;
            };
            targets.reach(found);
            let way = search.way_to(found);
            if carve.is_some() {
                for &cell in &way.cells {
                    search.begin(cell);
                }
            }
            let target = map.layout().extent().cell(found);
            routed.ways.push(WayTo { target, steps: way.cells.len() as u32 - 1, cost: way.cost });
            ways.push(way);
        }
        let missed = targets.missed();
        if self.plane.is_some() || !missed.is_empty() {
            search.nearest(scene.pace, |_| false)?;
        }
        if !missed.is_empty() {
            let blocked = in_the_way(&ground, &search.reached(), &missed, scene.pace)?;
            let missed = missed.into_iter().zip(blocked);
            routed.missed = missed.map(|(target, blocked)| Unreached { target, blocked }).collect();
        }
        let far = self.plane.as_ref().map(|plane| {
            let number =
                |index| search.far(index).map(|far| i64::try_from(far).unwrap_or(i64::MAX));
            let extent = map.layout().extent();
            (plane, Numbers::from_values(extent, (0..extent.cells()).map(number)))
        });
        let carving = carve.map(|carve| Carving::new(self, carve, &ground, &ways, &place));
        let mut report = PassReport::new(scene.name);
        let mut next = map.clone();
        let middle = BitPlane::of_cells(open.extent(), ways.iter().flat_map(|way| &way.cells));
        let mut lined = middle;
        if let Some(carving) = carving {
            lined = carving.cells.clone();
            report.cells = carving.lay(&mut next, scene)?;
        }
        lined.intersect(&place);
        if let Some(tag) = &self.tag {
            let plane = next.tag_mut(tag);
            let before = plane.count();
            plane.unite(&lined);
            report.cells += (plane.count() - before) as u64;
        }
        if let Some((plane, Some(far))) = far {
            next.plane_mut(plane).take_at(&far, place.indices());
        }
        *map = next;
        report.routed = Some(routed);
        Ok(Work::Done(report))
    }
}

impl RouteStep {
    fn no_start(&self, from: &BitPlane) -> StepError {
        let named = self.from.to_string();
        let error = match from.iter().next() {
            None => RouteError::NoStart { from: named },
            Some(first) => RouteError::StartClosed { from: named, count: from.count(), first },
        };
        StepError::Other(Box::new(error))
    }
}
