//! Maps that close on themselves: what stands in one, and a search for one that learns.

use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::observe::Silent;
use crate::rules::{Rules, bits};
use crate::seed::Stream;
use crate::solve::kernel::{Dead, Kernel as _, Pause};
use crate::solve::learn::{Learner, Learning};
use crate::solve::space::{Region, Space};
use std::borrow::Cow;

/// Bytes that one search may learn: tori are small, so this is far more than it comes to.
const BYTES: u64 = 4 << 20;

/// Poses that repeat in every direction.
#[derive(Clone, Debug)]
pub(super) struct Base {
    pub(super) size: [u32; 3],
    /// In the order of cells.
    pub(super) poses: Vec<PoseId>,
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

/// A space that closes on itself, with what holds everywhere in another.
pub(super) fn torus(size: [u32; 3], rules: &Rules, space: &Space) -> Option<Space> {
    let lattice = rules.lattice();
    let wrap = Wrap { x: true, y: true, z: lattice.is_solid() };
    let extent = Extent::new(Cell::default(), size).ok()?;
    let mut small = Space::new(Layout::new(lattice, extent, wrap).ok()?);
    for restriction in space.restrictions() {
        if restriction.place == Region::Everywhere {
            small.restrict(Region::Everywhere, restriction.allowed.clone());
        }
    }
    Some(small)
}

/// What stands in the cells of a torus that is filled.
pub(super) fn base_of<'w>(space: &Space, words: &dyn Fn(Cell) -> Cow<'w, [u64]>) -> Base {
    let extent = space.layout().extent();
    let pose = |cell| Id::from_index(bits(&words(cell)).next().expect("filled"));
    Base { size: extent.size(), poses: extent.iter().map(pose).collect() }
}

/// A torus that is being filled.
#[derive(Debug)]
pub(super) struct Torus {
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
pub(super) enum Learned {
    Working,
    Found(Base),
    /// There is none, or none was found in so many conflicts.
    Nothing(u64),
}

impl Torus {
    /// A search of so many conflicts; none where no map of that size closes.
    pub(super) fn new(
        size: [u32; 3],
        rules: &Rules,
        space: &Space,
        conflicts: u64,
        stream: Stream,
    ) -> Option<Self> {
        let space = torus(size, rules, space)?;
        let dead = Dead::at(Cell::default());
        let learning = Learning::new(rules, &space, (conflicts, BYTES), dead, stream);
        Some(Self { space, state: State::Begun(Box::new(learning)) })
    }

    /// One unit of work.
    pub(super) fn work(&mut self, rules: &Rules) -> Learned {
        let learner = match &mut self.state {
            State::Begun(learning) => {
                if let Some(learner) = learning.work(rules, &self.space, &|_| None) {
                    self.state = State::Ready(Box::new(learner));
                }
                return Learned::Working;
            }
            State::Ready(learner) => learner,
        };
        match learner.work(&self.space, &mut 1, &mut Silent) {
            Ok(Pause::Working) => Learned::Working,
            Ok(Pause::Filled) => Learned::Found(base_of(&self.space, &|cell| learner.words(cell))),
            Ok(_) => Learned::Nothing(learner.tally().contradictions),
            Err(_) => unreachable!("a learner has no tables"),
        }
    }
}
