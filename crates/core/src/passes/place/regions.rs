//! Connected regions of cells: their middles, their sizes, and how many things each of them gets.

use super::options::{Amount, PlaceStep};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Layout};
use crate::limits::{Pace, Stopped};
use crate::noise::{is_near, middle};
use crate::passes::step::Scene;
use crate::seed::scale;
use std::collections::BTreeMap;
use std::num::NonZeroU32;

/// Calls with each connected region of cells: its cells, each with where it lies in steps from the first one,
/// across closing edges too. By their first cells. O(cells).
fn each_region(
    layout: Layout,
    cells: &BitPlane,
    pace: &Pace<'_>,
    mut call: impl FnMut(&[(Cell, Cell)]),
) -> Result<(), Stopped> {
    let lattice = layout.lattice();
    let mut seen = BitPlane::new(layout.extent());
    let mut region = Vec::new();
    for first in cells.iter() {
        if seen.get(first) {
            continue;
        }
        seen.set(first, true);
        region.clear();
        region.push((first, first));
        let mut next = 0;
        while let Some(&(cell, unrolled)) = region.get(next) {
            next += 1;
            pace.cells(1)?;
            for &side in lattice.around() {
                let beyond = layout.neighbour(cell, side).zip(lattice.step(unrolled, side));
                let Some((there, unrolled)) = beyond else { continue };
                if cells.get(there) && !seen.get(there) {
                    seen.set(there, true);
                    region.push((there, unrolled));
                }
            }
        }
        call(&region);
    }
    Ok(())
}

/// The cell in the middle of each connected region of cells, and where in it that is.
pub(super) fn middles(
    layout: Layout,
    cells: &BitPlane,
    pace: &Pace<'_>,
) -> Result<BTreeMap<u32, [f32; 2]>, Stopped> {
    let lattice = layout.lattice();
    let mut middles = BTreeMap::new();
    each_region(layout, cells, pace, |region| {
        let mut sum = [0.0; 2];
        for &(_, unrolled) in region {
            let middle = middle(lattice, unrolled);
            sum = [sum[0] + middle[0], sum[1] + middle[1]];
        }
        let mean = sum.map(|sum| sum / region.len() as f64);
        let near = region.first().is_some_and(|&(first, _)| is_near(first));
        let mean = if near { mean.map(|mean| f64::from(mean as f32)) } else { mean };
        let away = |unrolled: Cell| {
            let middle = middle(lattice, unrolled);
            [0, 1].map(|axis| (mean[axis] - middle[axis]) as f32)
        };
        let square = |[a, b]: [f32; 2]| a * a + b * b;
        let nearest = region
            .iter()
            .min_by(|a, b| square(away(a.1)).total_cmp(&square(away(b.1))).then(a.0.cmp(&b.0)));
        if let Some(&(cell, unrolled)) = nearest {
            // The middle of a bent region may lie outside it.
            let offset = away(unrolled);
            let inside = offset.iter().all(|part| part.abs() <= 0.5);
            let index = layout.extent().index(cell).expect("inside");
            middles.insert(index as u32, if inside { offset } else { [0.0; 2] });
        }
    })?;
    Ok(middles)
}

/// The connected region of each cell, and how large it is.
pub(super) struct Regions {
    /// The region of each cell, in cell order; 0 where there is none.
    of: Vec<u32>,
    /// The first cell and how many there are, from region 1 on.
    all: Vec<(Cell, u32)>,
    layout: Layout,
}

impl Regions {
    pub(super) fn new(layout: Layout, cells: &BitPlane, pace: &Pace<'_>) -> Result<Self, Stopped> {
        let extent = layout.extent();
        let (mut of, mut all) = (vec![0; extent.cells()], Vec::new());
        each_region(layout, cells, pace, |region| {
            all.push((region[0].0, region.len() as u32));
            for index in region.iter().filter_map(|&(cell, _)| extent.index(cell)) {
                of[index] = all.len() as u32;
            }
        })?;
        Ok(Self { of, all, layout })
    }

    pub(super) fn len(&self) -> usize {
        self.all.len()
    }

    fn number(&self, cell: Cell) -> Option<usize> {
        let index = self.layout.extent().index(cell)?;
        (self.of[index] as usize).checked_sub(1)
    }

    /// How large the region of a cell is, in so many cells each.
    pub(super) fn size(&self, cell: Cell, per: NonZeroU32) -> f64 {
        let cells = self.number(cell).map_or(0, |number| self.all[number].1);
        f64::from(cells) / f64::from(per.get())
    }
}

/// How many sets are still to be placed: in all, or in each region.
pub(super) struct Wanted {
    pub(super) least: u64,
    all: u64,
    regions: Option<(Regions, Vec<u64>)>,
}

impl Wanted {
    /// As a step asks for; the seed draws each number that lies between two.
    pub(super) fn new(step: &PlaceStep, scene: &Scene<'_>, regions: Option<Regions>) -> Self {
        let Amount::Between { least, most } = step.amount else {
            return Self { least: 0, all: u64::MAX, regions: None };
        };
        let more = most.saturating_sub(least).saturating_add(1);
        let Some((regions, per)) = regions.zip(step.per) else {
            let more = if most == u64::MAX {
                u64::MAX - least
            } else {
                scene.seed.stream(&[scene.name, "place", "many"]).below(more)
            };
            return Self { least, all: least.saturating_add(more), regions: None };
        };
        let keyed = scene.seed.keyed(&[scene.name, "place", "many"]);
        let share = |number: u64, cells: u32| {
            let product = u128::from(number) * u128::from(cells) / u128::from(per.get());
            u64::try_from(product).unwrap_or(u64::MAX)
        };
        let wanted = |&(first, cells): &(Cell, u32)| {
            if most == u64::MAX {
                return u64::MAX;
            }
            share(least + scale(keyed.bits(first), more), cells)
        };
        let each: Vec<u64> = regions.all.iter().map(wanted).collect();
        let least = regions.all.iter().map(|&(_, cells)| share(least, cells)).sum();
        let all = each.iter().fold(0_u64, |sum, &one| sum.saturating_add(one));
        Self { least, all, regions: Some((regions, each)) }
    }

    pub(super) const fn is_met(&self) -> bool {
        self.all == 0
    }

    /// Whether one may be placed there.
    pub(super) fn is_wanted(&self, cell: Cell) -> bool {
        let Some((regions, left)) = &self.regions else { return self.all > 0 };
        regions.number(cell).is_some_and(|number| left[number] > 0)
    }

    /// Notes that one was placed there.
    pub(super) fn take(&mut self, cell: Cell) {
        self.all = self.all.saturating_sub(1);
        let Some((regions, left)) = &mut self.regions else { return };
        if let Some(number) = regions.number(cell) {
            left[number] = left[number].saturating_sub(1);
        }
    }
}
