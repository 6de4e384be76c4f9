//! The form of the `noise` pass for worlds seen from the side: a surface, and strata below it. Reach: as
//! many columns as the surface takes to climb from its lowest to its highest.

use super::becomes::Becomes;
use super::reach::Reach;
use super::report::PassReport;
use super::step::{Access, Scene, Step, StepError, Work};
use crate::lattice::{Cell, Layout};
use crate::limits::{Pace, Stopped};
use crate::map::Tilemap;
use crate::noise::Noise;
use crate::seed::Seed;

/// A surface over the columns of a map, and what lies below it.
///
/// Heights count cells from the bottom row up (in a box from the lowest level up). Where noise is
/// steeper than `step`, the higher column is lowered; so what a column becomes depends on the columns
/// near it alone.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::noise::Noise;
/// use lantern_quilt_core::passes::{Becomes, SurfaceStep};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let clay = (None, vec![Becomes::Terrain("clay".into())]);
/// let noise = Noise::new(10.0);
/// let hill = SurfaceStep { noise, surface: [2, 6], step: Some(1), strata: vec![clay] };
/// let layout = Layout::flat(Lattice::Square, 40, 8)?;
/// let made = Recipe::new([Pass::new("hill", hill)]).make(layout, &Seed::default())?;
/// let ground = made.map.terrain().unwrap();
/// let at = |y| ground.at(Cell::new(5, y), layout.extent());
/// assert!(at(7) == Some("clay") && at(6) == Some("clay") && at(1).is_none());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct SurfaceStep {
    /// The noise; its name is that of the pass.
    pub noise: Noise,
    /// The lowest and the highest surface, in cells from the bottom.
    pub surface: [u32; 2],
    /// The largest step from one column to the next.
    pub step: Option<u32>,
    /// From the surface down: how many cells deep, or all that is left, and what they become.
    pub strata: Vec<(Option<u32>, Vec<Becomes>)>,
}

impl Step for SurfaceStep {
    fn kind(&self) -> &'static str {
        "noise"
    }

    fn access(&self, _: &str) -> Access {
        let mut access = Access::default();
        let all = self.strata.iter().flat_map(|(_, becomes)| becomes);
        all.for_each(|becomes| becomes.note(&mut access.writes));
        access
    }

    fn reach(&self) -> Reach {
        let climb = self.surface[1].saturating_sub(self.surface[0]);
        match self.step {
            Some(0) => Reach::Map,
            Some(step) => Reach::Within(climb.div_ceil(step)),
            None => Reach::Cell,
        }
    }

    /// O(cells).
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let place = scene.cells(map)?;
        let (layout, extent) = (map.layout(), map.layout().extent());
        let solid = layout.lattice().is_solid();
        let heights = self.columns(layout, scene.seed, scene.name, scene.pace)?;
        let (origin, [width, height, _]) = (extent.origin(), extent.size());
        // How many cells of a column lie from this one to the surface.
        let below = |cell: Cell| {
            let column = if solid { (cell.y - origin.y) as usize * width as usize } else { 0 };
            let up =
                if solid { cell.z - origin.z } else { height as i32 - 1 - (cell.y - origin.y) };
            i64::from(heights[column + (cell.x - origin.x) as usize]) - i64::from(up)
        };
        let mut strata: Vec<Vec<usize>> = vec![Vec::new(); self.strata.len()];
        let mut ends = Vec::new();
        let mut end = 0_i64;
        for (deep, _) in &self.strata {
            end = deep.map_or(i64::MAX, |deep| end.saturating_add(i64::from(deep)));
            ends.push(end);
        }
        for (index, cell) in extent.iter().enumerate() {
            scene.pace.cells(1)?;
            let deep = below(cell);
            if deep > 0
                && place.get(cell)
                && let Some(stratum) = ends.iter().position(|&end| deep <= end)
            {
                strata[stratum].push(index);
            }
        }
        let looks = scene.seed.keyed(&[scene.name, "look"]);
        let mut report = PassReport::new(scene.name);
        let mut next = map.clone();
        for ((_, becomes), cells) in self.strata.iter().zip(&strata) {
            for one in becomes {
                let cells = cells.iter().copied();
                report.cells += one.lay(&mut next, looks, cells, scene.pace)?;
            }
        }
        *map = next;
        Ok(Work::Done(report))
    }
}

impl SurfaceStep {
    /// The surface of each column, in cells from the bottom; `name` is that of the pass. O(columns).
    pub fn heights(&self, layout: Layout, seed: &Seed, name: &str) -> Vec<u32> {
        self.columns(layout, seed, name, &Pace::free()).expect("nobody stops it")
    }

    fn columns(
        &self,
        layout: Layout,
        seed: &Seed,
        name: &str,
        pace: &Pace<'_>,
    ) -> Result<Vec<u32>, Stopped> {
        let (origin, [width, height, _]) = (layout.extent().origin(), layout.extent().size());
        let rows = if layout.lattice().is_solid() { height } else { 1 };
        let at = self.noise.sampler(layout.lattice(), seed, name);
        let [least, most] = self.surface;
        let span = most.saturating_sub(least);
        let mut heights = Vec::with_capacity(width as usize * rows as usize);
        for (x, y) in (0..rows).flat_map(|y| (0..width).map(move |x| (x, y))) {
            pace.cells(1)?;
            let y = if rows > 1 { origin.y + y as i32 } else { 0 };
            let value = f64::from(at(Cell { x: origin.x + x as i32, y, z: 0 }));
            heights.push(least + ((value * (f64::from(span) + 1.0)) as u32).min(span));
        }
        if let Some(step) = self.step {
            let (wide, high) = (width as usize, rows as usize);
            let wrap = layout.wrap();
            slope(&mut heights, wide, high, wrap.x, wrap.y && high > 1, step);
        }
        Ok(heights)
    }
}

/// Lowers columns until none is more than a step above one beside it.
fn slope(heights: &mut [u32], wide: usize, high: usize, x: bool, y: bool, step: u32) {
    // Twice each way: what begins behind a closing edge comes round once.
    for _ in 0..if x || y { 2 } else { 1 } {
        for index in 0..heights.len() {
            lower(heights, index, wide, high, [x, y], step);
        }
        for index in (0..heights.len()).rev() {
            lower(heights, index, wide, high, [x, y], step);
        }
    }
}

fn lower(heights: &mut [u32], at: usize, wide: usize, high: usize, [x, y]: [bool; 2], step: u32) {
    let (column, row) = (at % wide, at / wide);
    let beside = |place: usize, length: usize, wraps: bool| {
        let before = if place > 0 { Some(place - 1) } else { wraps.then_some(length - 1) };
        let after = if place + 1 < length { Some(place + 1) } else { wraps.then_some(0) };
        [before, after]
    };
    let across = beside(column, wide, x).into_iter().flatten().map(|column| row * wide + column);
    let along = beside(row, high, y).into_iter().flatten().map(|row| row * wide + column);
    let lowest = across.chain(along).map(|there| heights[there]).min().unwrap_or(u32::MAX);
    heights[at] = heights[at].min(lowest.saturating_add(step));
}
