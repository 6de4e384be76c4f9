//! A fill that repeats: the least torus that the rules close on.

use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use crate::observe::Silent;
use crate::rules::Rules;
use crate::seed::Stream;
use crate::solve::kernel::{Dead, Kernel as _, Pause};
use crate::solve::learn::Learner;
use crate::solve::space::{Place, Space};

/// Cells a side of the largest torus that is tried.
const LARGEST: u32 = 8;
/// Conflicts for one torus, and for all of them.
const CONFLICTS: u64 = 400;
const ALL_CONFLICTS: u64 = 2000;

/// Poses that repeat in every direction.
#[derive(Clone, Debug)]
pub(super) struct Base {
    size: [u32; 3],
    poses: Vec<PoseId>,
}

impl Base {
    /// The smallest there is for a space, as far as is looked. Only what holds everywhere is heeded.
    pub(super) fn find(rules: &Rules, space: &Space, stream: &mut Stream) -> Option<Self> {
        let layout = space.layout();
        let mut left = ALL_CONFLICTS;
        for size in sizes(layout) {
            let wrap = Wrap { x: true, y: true, z: layout.lattice().is_solid() };
            let extent = Extent::new(Cell::default(), size).ok()?;
            let torus = Layout::new(layout.lattice(), extent, wrap).ok()?;
            let mut small = Space::new(torus);
            for restriction in space.restrictions() {
                if restriction.place == Place::Everywhere {
                    small.restrict(Place::Everywhere, restriction.allowed.clone());
                }
            }
            let dead = Dead::at(Cell::default());
            let budget = CONFLICTS.min(left);
            let chances = stream.split();
            let mut learner = Learner::new(rules, &small, budget, dead, chances, |_| None);
            let pause = loop {
                match learner.work(&small, &mut 4096, &mut Silent) {
                    Ok(Pause::Working) => {}
                    Ok(pause) => break pause,
                    Err(_) => unreachable!("a learner has no tables"),
                }
            };
            if pause == Pause::Filled {
                let pose = |cell| {
                    let mut bits = crate::rules::bits(learner.words(cell));
                    Id::from_index(bits.next().expect("filled"))
                };
                return Some(Self { size, poses: extent.iter().map(pose).collect() });
            }
            left -= learner.tally().contradictions.min(left);
            if left == 0 {
                break;
            }
        }
        None
    }

    /// The pose of a cell.
    pub(super) fn at(&self, cell: Cell) -> PoseId {
        let [width, height, depth] = self.size;
        let fold = |at: i32, length: u32| at.rem_euclid(length as i32) as usize;
        let (x, y, z) = (fold(cell.x, width), fold(cell.y, height), fold(cell.z, depth));
        self.poses[(z * height as usize + y) * width as usize + x]
    }
}

/// Sizes of tori that fit a layout, smallest first.
fn sizes(layout: Layout) -> Vec<[u32; 3]> {
    let (size, wrap) = (layout.extent().size(), layout.wrap());
    let solid = layout.lattice().is_solid();
    let largest = if solid { LARGEST / 2 } else { LARGEST };
    let fits = |axis: usize, length: u32| {
        let closed = [wrap.x, wrap.y, wrap.z][axis];
        let even = match layout.lattice() {
            Lattice::HexPointy => axis == 1,
            Lattice::HexFlat => axis == 0,
            _ => false,
        };
        (!closed || size[axis].is_multiple_of(length)) && (!even || length.is_multiple_of(2))
    };
    let mut sizes = Vec::new();
    for depth in 1..=if solid { largest } else { 1 } {
        for height in 1..=largest {
            for width in 1..=largest {
                if fits(0, width) && fits(1, height) && (!solid || fits(2, depth)) {
                    sizes.push([width, height, depth]);
                }
            }
        }
    }
    sizes.sort_by_key(|[width, height, depth]| width * height * depth);
    sizes
}
