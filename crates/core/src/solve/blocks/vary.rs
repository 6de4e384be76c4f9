//! A larger fill that repeats: a torus whose cells are drawn as any others are, so that no motif shows.

use super::torus::{Base, base_of, torus};
use crate::id::PoseId;
use crate::lattice::{Cell, Extent, Lattice, Layout};
use crate::limits::Climb;
use crate::observe::Silent;
use crate::rules::Rules;
use crate::seed::Stream;
use crate::solve::engines::plain_kernel;
use crate::solve::kernel::{Pause, Tries};
use crate::solve::outcome::Tally;
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::collections::BTreeMap;

/// Cells a side, at least and at most, the largest first; on boxes half of it.
const SIDES: [[u32; 2]; 3] = [[25, 32], [13, 16], [9, 12]];

/// Fills tried for each size, and cells that each may open again: one that needs more seldom succeeds. No other limit ends
/// a fill, so that engines and slices make no difference.
const TRIES: u32 = 6;
const OPENS: u64 = 1 << 13;

/// Changes that each can take back, at most.
const WINDOW: u32 = 4096;

/// A torus that repeats more than this is a motif again: tight sets grow into one like crystals.
const VARIED: f64 = 0.3;

/// The shifts that are looked at, in cells; on boxes half of it.
const FARTHEST: i32 = 8;

/// The search for such a torus.
#[derive(Debug)]
pub(super) struct Varying {
    /// Sizes to be tried, the next one last.
    sizes: Vec<[u32; 3]>,
    now: Option<Trying>,
    stream: Stream,
    /// The work of all fills; of the current one only its steps.
    pub(super) tally: Tally,
}

#[derive(Debug)]
struct Trying {
    space: Box<Space>,
    tries: Box<dyn Tries>,
    begun: u32,
}

/// What comes of a unit of work.
#[derive(Debug)]
pub(super) enum Varied {
    Working,
    Found(Base),
    /// None of the sizes was filled.
    Nothing,
}

impl Varying {
    pub(super) fn new(layout: Layout, stream: Stream) -> Self {
        let sizes = SIDES.iter().rev().filter_map(|&sides| size_within(layout, sides)).collect();
        Self { sizes, now: None, stream, tally: Tally::default() }
    }

    /// Works for a part of `steps`, which are counted down.
    pub(super) fn work(
        &mut self,
        rules: &Rules,
        space: &Space,
        search: Search,
        steps: &mut u64,
    ) -> Varied {
        let window = search.window.min(WINDOW);
        let search = Search { climb: Climb::Reopen, opens: OPENS, window, ..search };
        let Some(mut now) = self.now.take() else {
            let Some(size) = self.sizes.pop() else { return Varied::Nothing };
            let Some(space) = torus(size, rules, space) else { return Varied::Working };
            // Over bits: the tables of the fill before are still held.
            let tries = plain_kernel(rules, search, space.layout());
            let now = Trying { space: Box::new(space), tries, begun: 0 };
            self.now = Some(now.begin(&mut self.stream, search));
            return Varied::Working;
        };
        let before = now.tries.tally().steps;
        let work = now.tries.work(&now.space, &mut (*steps + 1), &mut Silent);
        let took = now.tries.tally().steps - before;
        self.tally.steps += took;
        *steps = (*steps + 1).saturating_sub(took.max(1));
        match work {
            Ok(Pause::Working) => self.now = Some(now),
            Err(_) => {
                now.tries = now.tries.widened();
                self.now = Some(now);
            }
            Ok(pause) => {
                // Its steps are counted already.
                self.tally = self.tally.and(Tally { steps: 0, ..now.tries.tally() });
                if pause == Pause::Filled {
                    let found = base_of(&now.space, &|cell| now.tries.words(cell));
                    if repetition(&found, space.layout().lattice()) < VARIED {
                        return Varied::Found(found);
                    }
                }
                if now.begun < TRIES {
                    self.now = Some(now.begin(&mut self.stream, search));
                }
            }
        }
        Varied::Working
    }
}

impl Trying {
    fn begin(mut self, stream: &mut Stream, search: Search) -> Self {
        self.begun += 1;
        let stream = stream.split();
        if self.tries.begin(&self.space, search, stream.clone()).is_err() {
            self.tries = self.tries.widened();
            self.tries.begin(&self.space, search, stream).expect("bits hold any domain");
        }
        self
    }
}

/// The largest torus with sides between these that a layout allows; none where it closes after a number of cells that
/// has no such part.
fn size_within(layout: Layout, [least, most]: [u32; 2]) -> Option<[u32; 3]> {
    let (whole, wrap) = (layout.extent().size(), layout.wrap());
    let solid = layout.lattice().is_solid();
    let parts = if solid { 2 } else { 1 };
    let side = |axis: usize, closes: bool| {
        let even = match layout.lattice() {
            Lattice::HexPointy => axis == 1,
            Lattice::HexFlat => axis == 0,
            _ => false,
        };
        let fits = |side: &u32| {
            (!closes || whole[axis].is_multiple_of(*side)) && (!even || side.is_multiple_of(2))
        };
        (least / parts..=most / parts).rev().find(fits)
    };
    let depth = if solid { side(2, wrap.z)? } else { 1 };
    Some([side(0, wrap.x)?, side(1, wrap.y)?, depth])
}

/// What part of a torus equals the cell a shift away, beyond chance; the largest over all shifts. O(cells x shifts).
fn repetition(base: &Base, lattice: Lattice) -> f64 {
    let extent = Extent::new(Cell::default(), base.size).expect("a torus that was filled");
    let cells = extent.cells() as f64;
    let mut counts: BTreeMap<PoseId, u32> = BTreeMap::new();
    for &pose in &base.poses {
        *counts.entry(pose).or_default() += 1;
    }
    let chance: f64 = counts.values().map(|&count| (f64::from(count) / cells).powi(2)).sum();
    let far = if lattice.is_solid() { FARTHEST / 2 } else { FARTHEST };
    let deep = if lattice.is_solid() { far } else { 0 };
    let shifts = (-deep..=deep)
        .flat_map(|z| (0..=far).flat_map(move |y| (-far..=far).map(move |x| Cell { x, y, z })));
    // Rows that lie half a cell further on are no copies.
    let is_whole = |shift: &Cell| match lattice {
        Lattice::HexPointy => shift.y % 2 == 0,
        Lattice::HexFlat => shift.x % 2 == 0,
        _ => true,
    };
    let closes = |shift: &Cell| {
        let by = [shift.x, shift.y, shift.z];
        by.iter().zip(base.size).all(|(by, size)| by.rem_euclid(size as i32) == 0)
    };
    let equal = |shift: Cell| {
        let same = |cell: &Cell| {
            let beyond = Cell { x: cell.x + shift.x, y: cell.y + shift.y, z: cell.z + shift.z };
            base.at(*cell) == base.at(beyond)
        };
        extent.iter().filter(same).count() as f64 / cells
    };
    let most =
        shifts.filter(is_whole).filter(|shift| !closes(shift)).map(equal).fold(0.0, f64::max);
    if chance < 1.0 { (most - chance) / (1.0 - chance) } else { 1.0 }
}
