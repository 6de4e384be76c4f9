//! A fill that repeats: the least torus that the rules close on.

use super::torus::{Base, Learned, Torus};
use crate::lattice::{Lattice, Layout};
use crate::rules::Rules;
use crate::seed::Stream;
use crate::solve::space::Space;

/// Cells a side of the largest torus that is tried.
const LARGEST: u32 = 8;
/// Conflicts for one torus, and for all of them.
const CONFLICTS: u64 = 400;
const ALL_CONFLICTS: u64 = 2000;

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
        match torus.work(rules) {
            Learned::Working => return Sought::Working,
            Learned::Found(base) => return Sought::Found(base),
            Learned::Nothing(conflicts) => self.left -= conflicts.min(self.left),
        }
        self.now = None;
        Sought::Working
    }

    fn begin(&mut self, size: [u32; 3], rules: &Rules, space: &Space) -> Option<Torus> {
        Torus::new(size, rules, space, CONFLICTS.min(self.left), self.stream.split())
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
