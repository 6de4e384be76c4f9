//! A fill that repeats: the least torus that the rules close on.

use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use crate::observe::Silent;
use crate::rules::{Rules, bits};
use crate::seed::Stream;
use crate::solve::kernel::{Dead, Kernel as _, Pause};
use crate::solve::learn::{Learner, Learning};
use crate::solve::space::{Region, Space};

/// Cells a side of the largest torus that is tried.
const LARGEST: u32 = 8;
/// Bytes that the search for one torus may learn: tori are small, so this is far more than it comes to.
const BYTES: u64 = 4 << 20;
/// Conflicts for one torus, and for all of them.
const CONFLICTS: u64 = 400;
const ALL_CONFLICTS: u64 = 2000;

/// Poses that repeat in every direction.
#[derive(Clone, Debug)]
pub(super) struct Base {
    size: [u32; 3],
    poses: Vec<PoseId>,
}

/// The search for a base: the smallest there is for a space, as far as is looked. Only what holds
/// everywhere is respected.
#[derive(Debug)]
pub(super) struct Seeking {
    /// Tori to be tried, the next one last.
    sizes: Vec<[u32; 3]>,
    now: Option<Torus>,
    /// Conflicts left for all of them.
    left: u64,
    stream: Stream,
}

#[derive(Debug)]
struct Torus {
    size: [u32; 3],
    space: Space,
    state: State,
}

#[derive(Debug)]
enum State {
    Ready(Box<Learner>),
    Begun(Box<Learning>),
}

/// What comes of a unit of work.
#[derive(Debug)]
pub(super) enum Sought {
    Working,
    Found(Base),
    /// There is none.
    Nothing,
}

impl Seeking {
    pub(super) fn new(layout: Layout, stream: Stream) -> Self {
        let mut sizes = sizes(layout);
        sizes.reverse();
        Self { sizes, now: None, left: ALL_CONFLICTS, stream }
    }

    /// One unit of work.
    pub(super) fn work(&mut self, rules: &Rules, space: &Space) -> Sought {
        let Some(torus) = &mut self.now else {
            let Some(size) = self.sizes.pop().filter(|_| self.left > 0) else {
                return Sought::Nothing;
            };
            self.now = self.begin(size, rules, space);
            return if self.now.is_some() { Sought::Working } else { Sought::Nothing };
        };
        let learner = match &mut torus.state {
            State::Begun(learning) => {
                if let Some(learner) = learning.work(rules, &torus.space, &|_| None) {
                    torus.state = State::Ready(Box::new(learner));
                }
                return Sought::Working;
            }
            State::Ready(learner) => learner,
        };
        match learner.work(&torus.space, &mut 1, &mut Silent) {
            Ok(Pause::Working) => return Sought::Working,
            Ok(Pause::Filled) => {
                let pose = |cell| {
                    let words = learner.words(cell);
                    Id::from_index(bits(&words).next().expect("filled"))
                };
                let extent = torus.space.layout().extent();
                let poses = extent.iter().map(pose).collect();
                return Sought::Found(Base { size: torus.size, poses });
            }
            Ok(_) => {}
            Err(_) => unreachable!("a learner has no tables"),
        }
        self.left -= learner.tally().contradictions.min(self.left);
        self.now = None;
        Sought::Working
    }

    fn begin(&mut self, size: [u32; 3], rules: &Rules, space: &Space) -> Option<Torus> {
        let lattice = space.layout().lattice();
        let wrap = Wrap { x: true, y: true, z: lattice.is_solid() };
        let extent = Extent::new(Cell::default(), size).ok()?;
        let mut small = Space::new(Layout::new(lattice, extent, wrap).ok()?);
        for restriction in space.restrictions() {
            if restriction.place == Region::Everywhere {
                small.restrict(Region::Everywhere, restriction.allowed.clone());
            }
        }
        let dead = Dead::at(Cell::default());
        let budget = CONFLICTS.min(self.left);
        let learning = Learning::new(rules, &small, (budget, BYTES), dead, self.stream.split());
        Some(Torus { size, space: small, state: State::Begun(Box::new(learning)) })
    }
}

impl Base {
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
