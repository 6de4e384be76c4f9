//! Where a thing could stand, and which way it would face there.

use super::options::{Amount, CellSpot, Density, Facing, PlaceStep, SiteOrder};
use super::regions::{Regions, middles as middles_of};
use crate::grid::{BitPlane, Plane, straight};
use crate::lattice::{Cell, Extent, Layout, Side};
use crate::limits::{Pace, Stopped};
use crate::map::Tilemap;
use crate::passes::condition::Condition;
use crate::passes::report::Placing;
use crate::passes::step::Scene;
use crate::seed::{Keyed, part_of_one, scale};
use std::collections::BTreeMap;

/// A place where something could stand.
#[derive(Clone, Copy, Debug)]
pub(in crate::passes) struct Site {
    pub(in crate::passes) cell: Cell,
    pub(super) side: Option<Side>,
    /// From the middle of the cell, in cells.
    pub(super) offset: [f32; 2],
}

impl Site {
    /// The random bits of this place: those of its cell, mixed with its side.
    pub(super) fn bits(self, keyed: Keyed) -> u64 {
        let bits = keyed.bits(self.cell);
        match self.side {
            Some(side) => {
                keyed.bits(Cell { x: bits as i32, y: (bits >> 32) as i32, z: side as i32 })
            }
            None => bits,
        }
    }
}

/// What decides which way things face.
pub(super) struct Ways<'a> {
    facing: &'a Facing,
    /// Where the condition of the facing holds.
    there: Option<BitPlane>,
    keyed: Keyed,
}

impl<'a> Ways<'a> {
    pub(super) fn new(
        step: &'a PlaceStep,
        map: &Tilemap,
        scene: &Scene<'_>,
    ) -> Result<Self, Stopped> {
        let there = match &step.facing {
            Facing::Towards(what) | Facing::Away(what) | Facing::Along(what) => {
                Some(cells_of(what, map, scene)?)
            }
            _ => None,
        };
        let keyed = scene.seed.keyed(&[scene.name, "place", "facing"]);
        Ok(Self { facing: &step.facing, there, keyed })
    }

    /// Whether something could face the way it should.
    fn can_face(&self, layout: Layout, cell: Cell) -> bool {
        self.there.as_ref().is_none_or(|there| sides_to(layout, cell, there).next().is_some())
    }

    /// The side that a thing faces there, when it is one; `faces` is the one it faces as drawn.
    pub(super) fn facing(&self, layout: Layout, site: Site, faces: Side) -> Option<Side> {
        let sides = layout.lattice().around();
        let towards = || {
            let all: Vec<Side> = sides_to(layout, site.cell, self.there.as_ref()?).collect();
            let pick = scale(site.bits(self.keyed), all.len() as u64);
            all.get(pick as usize).copied()
        };
        match self.facing {
            Facing::AsDrawn => site.side.filter(|side| !side.is_flat()),
            Facing::Side(side) => Some(*side),
            Facing::Inward => site.side.filter(|side| !side.is_flat()).map(Side::opposite),
            Facing::Towards(_) => towards(),
            Facing::Away(_) => towards().map(Side::opposite),
            Facing::Along(_) => towards().map(|side| {
                let at = sides.iter().position(|&one| one == side).unwrap_or(0);
                // A quarter turn back, so that the neighbour lies to the right.
                sides[(at + sides.len() - sides.len() / 4) % sides.len()]
            }),
            Facing::Steps(steps) if usize::from(*steps) == sides.len() => {
                let at = scale(site.bits(self.keyed), u64::from(*steps));
                Some(sides[at as usize])
            }
            Facing::Steps(steps) if sides.len().is_multiple_of(usize::from(*steps)) => {
                let first = sides.iter().position(|&side| side == faces)?;
                let at = scale(site.bits(self.keyed), u64::from(*steps));
                let step = sides.len() / usize::from(*steps);
                Some(sides[(first + at as usize * step) % sides.len()])
            }
            Facing::Steps(_) => None,
        }
    }

    /// Degrees from the way a thing is drawn, when it faces no side.
    pub(super) fn free_turn(&self, site: Site) -> f32 {
        match self.facing {
            Facing::Steps(steps) => {
                let at = scale(site.bits(self.keyed), u64::from(*steps));
                at as f32 * 360.0 / f32::from((*steps).max(1))
            }
            _ => 0.0,
        }
    }
}

/// The sides of a cell across which a cell is set.
fn sides_to(layout: Layout, cell: Cell, set: &BitPlane) -> impl Iterator<Item = Side> + '_ {
    let sides = layout.lattice().around().iter().copied();
    sides.filter(move |&side| layout.neighbour(cell, side).is_some_and(|there| set.get(there)))
}

/// The cells for which another condition of the pass holds.
fn cells_of(what: &Condition, map: &Tilemap, scene: &Scene<'_>) -> Result<BitPlane, Stopped> {
    what.paced(map, scene.seed, scene.name, scene.pace)
}

/// The cells that a pass would use, told condition by condition.
fn meeting(map: &Tilemap, scene: &Scene<'_>, told: &mut Placing) -> Result<BitPlane, Stopped> {
    let extent = map.layout().extent();
    told.note("cells in all", extent.cells());
    let parts = match scene.place {
        Condition::All(parts) => &parts[..],
        one => std::slice::from_ref(one),
    };
    let mut cells = BitPlane::full(extent);
    for part in parts {
        cells.intersect(&cells_of(part, map, scene)?);
        told.note(part.to_string(), cells.count());
    }
    Ok(cells)
}

impl PlaceStep {
    /// The places where a set could stand, in the order in which they are taken.
    pub(super) fn sites(
        &self,
        map: &Tilemap,
        scene: &Scene<'_>,
        ways: &Ways<'_>,
        told: &mut Placing,
    ) -> Result<Sites, Stopped> {
        let layout = map.layout();
        let extent = layout.extent();
        let cells = meeting(map, scene, told)?;
        let mut middles = BTreeMap::new();
        let sites: Vec<(u32, Option<Side>)> = match &self.on {
            CellSpot::Cell => cells.indices().map(|index| (index as u32, None)).collect(),
            CellSpot::Side(side) => {
                cells.indices().map(|index| (index as u32, Some(*side))).collect()
            }
            CellSpot::SideTowards(what) => {
                let there = cells_of(what, map, scene)?;
                let mut sites = Vec::new();
                for index in cells.indices() {
                    scene.pace.cells(1)?;
                    let sides = sides_to(layout, extent.cell(index), &there);
                    sites.extend(sides.map(|side| (index as u32, Some(side))));
                }
                told.note(format!("sides towards {what}"), sites.len());
                sites
            }
            CellSpot::Region => {
                middles = middles_of(layout, &cells, scene.pace)?;
                told.note("regions", middles.len());
                middles.keys().map(|&index| (index, None)).collect()
            }
        };
        let regions = match self.per {
            Some(_) => Some(Regions::new(layout, &cells, scene.pace)?),
            None => None,
        };
        if let (Some(regions), false) = (&regions, self.on == CellSpot::Region) {
            told.note("regions", regions.len());
        }
        let mut sites = Sites { extent, sites, middles, regions, ranked: Ranked::default() };
        if ways.there.is_some() {
            sites.retain(scene.pace, |site| ways.can_face(layout, site.cell))?;
            told.note("with a neighbour to face by", sites.len());
        }
        self.leave_to_chance(layout, scene, &mut sites, told)?;
        self.arrange(map, scene, &mut sites)?;
        Ok(sites)
    }

    fn leave_to_chance(
        &self,
        layout: Layout,
        scene: &Scene<'_>,
        sites: &mut Sites,
        told: &mut Placing,
    ) -> Result<(), Stopped> {
        let (seed, pace) = (scene.seed, scene.pace);
        let keyed = seed.keyed(&[scene.name, "place", "chance"]);
        let value = |site: Site| part_of_one(site.bits(keyed));
        match &self.amount {
            Amount::All | Amount::Between { .. } => return Ok(()),
            Amount::Chance(chance) => {
                let regions = sites.regions.take();
                let larger = |cell| match (&regions, self.per) {
                    (Some(regions), Some(per)) => regions.size(cell, per),
                    _ => 1.0,
                };
                sites.retain(pace, |site| value(site) < *chance * larger(site.cell))?;
            }
            Amount::Density(Density::Picture(plane)) => sites.retain(pace, |site| {
                let dense = plane.get(site.cell).copied().unwrap_or(0);
                value(site) < f64::from(dense) / 255.0
            })?,
            Amount::Density(Density::Noise { noise, above, most }) => {
                let at = noise.sampler(layout.lattice(), seed, scene.name);
                let room = f64::from(1.0 - above).max(1e-6);
                sites.retain(pace, |site| {
                    let over = f64::from(at(site.cell) - above) / room;
                    value(site) < over.clamp(0.0, 1.0) * most
                })?;
            }
        }
        told.note("by chance", sites.len());
        Ok(())
    }

    /// Puts the places in order. Where each is taken by itself that decides nothing but the numbers.
    fn arrange(&self, map: &Tilemap, scene: &Scene<'_>, sites: &mut Sites) -> Result<(), Stopped> {
        let layout = map.layout();
        let distance = |what: &Condition| -> Result<Plane<u32>, Stopped> {
            straight(layout, &cells_of(what, map, scene)?, scene.pace)
        };
        let far = match &self.order {
            SiteOrder::Rows => return Ok(()),
            SiteOrder::Random => None,
            SiteOrder::Nearest(what) => Some((distance(what)?, false)),
            SiteOrder::Farthest(what) => Some((distance(what)?, true)),
        };
        let alone = self.apart <= 0.0 && !matches!(self.amount, Amount::Between { .. });
        if far.is_none() && alone {
            return Ok(());
        }
        let keyed = scene.seed.keyed(&[scene.name, "place", "order"]);
        let mut ranked = Vec::with_capacity(sites.len());
        for &(index, side) in &sites.sites {
            scene.pace.cells(1)?;
            let bits = sites.site(index, side).bits(keyed);
            let rank = far.as_ref().map(|(far, last)| {
                let far = far.values()[index as usize];
                u64::from(if *last { u32::MAX - far } else { far })
            });
            ranked.push((rank.map_or(bits, |rank| rank << 32 | bits >> 32), index, side));
        }
        sites.ranked = Ranked { all: ranked, sorted: 0, next: 0 };
        sites.sites = Vec::new();
        Ok(())
    }
}

/// Places where something could stand, in the order in which they are taken.
pub(super) struct Sites {
    extent: Extent,
    sites: Vec<(u32, Option<Side>)>,
    /// Where in its cell the middle of a region lies.
    middles: BTreeMap<u32, [f32; 2]>,
    /// Where numbers are for so many cells of a region.
    pub(super) regions: Option<Regions>,
    /// The same places in another order, when there is one.
    ranked: Ranked,
}

/// Places by rank, sorted only as far as they are asked for: mostly a few of many are.
#[derive(Default)]
struct Ranked {
    all: Vec<(u64, u32, Option<Side>)>,
    sorted: usize,
    next: usize,
}

impl Ranked {
    fn next(&mut self) -> Option<(u32, Option<Side>)> {
        if self.next == self.sorted && self.sorted < self.all.len() {
            let (from, rest) = (self.sorted, self.all.len() - self.sorted);
            // Each part is larger than the one before, so that all of them cost as much as one sort.
            let count = (from * 3).max(256).min(rest);
            let part = &mut self.all[from..];
            if count < rest {
                part.select_nth_unstable(count);
            }
            part[..count].sort_unstable();
            self.sorted += count;
        }
        let &(_, index, side) = self.all.get(self.next)?;
        self.next += 1;
        Some((index, side))
    }
}

impl Sites {
    fn site(&self, index: u32, side: Option<Side>) -> Site {
        let offset = self.middles.get(&index).copied().unwrap_or_default();
        Site { cell: self.extent.cell(index as usize), side, offset }
    }

    fn len(&self) -> usize {
        self.sites.len()
    }

    fn retain(&mut self, pace: &Pace<'_>, keep: impl Fn(Site) -> bool) -> Result<(), Stopped> {
        let sites = std::mem::take(&mut self.sites);
        for (index, side) in sites {
            pace.cells(1)?;
            if keep(self.site(index, side)) {
                self.sites.push((index, side));
            }
        }
        Ok(())
    }

    /// The places in their order.
    pub(super) fn in_order(mut self) -> impl Iterator<Item = Site> {
        let plain = std::mem::take(&mut self.sites);
        let mut ranked = std::mem::take(&mut self.ranked);
        let ranked = std::iter::from_fn(move || ranked.next());
        plain.into_iter().chain(ranked).map(move |(index, side)| self.site(index, side))
    }
}
