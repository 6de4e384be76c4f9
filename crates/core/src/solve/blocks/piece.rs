//! A box that is being filled anew.

use super::part::{Parted, Parting};
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::observe::Silent;
use crate::rules::{Rules, bits};
use crate::seed::Seed;
use crate::solve::engines::kernel;
use crate::solve::kernel::{Pause, Tries};
use crate::solve::outcome::Tally;
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::fmt::Debug;
use std::sync::Mutex;

/// How often a box is tried.
const TRIES: u32 = 2;
/// Cells read in one unit.
const AT_ONCE: usize = 1024;

/// What all boxes share.
pub(super) struct Around<'a> {
    pub(super) rules: &'a Rules,
    pub(super) space: &'a Space,
    pub(super) search: Search,
    pub(super) seed: &'a Seed,
    pub(super) name: &'a str,
    /// What stands in each cell.
    pub(super) fill: &'a (dyn Fn(Cell) -> Option<PoseId> + Sync),
    /// Kernels to be used again; which one serves a box never shows.
    pub(super) spare: &'a Mutex<Vec<Box<dyn Tries>>>,
}

/// A box that is being filled anew, with what stands around it kept.
#[derive(Debug)]
pub(super) struct Piece {
    pub(super) box_of: Extent,
    /// Counted from 1 through all classes, in whatever order boxes are done.
    pub(super) number: u64,
    pub(super) tally: Tally,
    state: State,
}

#[derive(Debug)]
enum State {
    Part(Box<Parting>),
    Try {
        part: Box<Space>,
        tries: Box<dyn Tries>,
        number: u32,
    },
    Read {
        part: Box<Space>,
        tries: Box<dyn Tries>,
        poses: Vec<u16>,
    },
    /// What it became; nothing when it stays as it is.
    Done(Option<Vec<u16>>),
}

impl Piece {
    pub(super) fn new(space: &Space, box_of: Extent, number: u64) -> Self {
        let layout = layout_of(space.layout(), box_of);
        let state = State::Part(Box::new(Parting::new(space, layout, None)));
        Self { box_of, number, tally: Tally::default(), state }
    }

    pub(super) fn is_done(&self) -> bool {
        matches!(self.state, State::Done(_))
    }

    /// What it became; nothing when it stays as it is, or is not done.
    pub(super) fn became(&mut self) -> Option<Vec<u16>> {
        match &mut self.state {
            State::Done(poses) => poses.take(),
            _ => None,
        }
    }

    /// Works for so many steps at most, and says how many it took.
    pub(super) fn work(&mut self, around: &Around<'_>, steps: u64) -> u64 {
        let mut left = steps;
        while left > 0 && !matches!(self.state, State::Done(_)) {
            let state = std::mem::replace(&mut self.state, State::Done(None));
            self.state = self.unit(around, state, &mut left);
        }
        steps - left
    }

    fn unit(&mut self, around: &Around<'_>, state: State, left: &mut u64) -> State {
        match state {
            State::Part(mut parting) => {
                *left -= 1;
                match parting.work(around.rules, around.space, around.fill) {
                    Parted::Working => State::Part(parting),
                    Parted::Nothing => State::Done(None),
                    Parted::Part(part, _) => {
                        let tries = Self::tries(around, &part);
                        self.begin(around, Box::new(part), tries, 0)
                    }
                }
            }
            State::Try { part, mut tries, number } => match tries.work(&part, left, &mut Silent) {
                Ok(Pause::Working) => State::Try { part, tries, number },
                Ok(pause) => {
                    self.tally = self.tally.and(tries.tally());
                    if pause == Pause::Filled {
                        State::Read { part, tries, poses: Vec::new() }
                    } else if number + 1 < TRIES {
                        self.begin(around, part, tries, number + 1)
                    } else {
                        give_back(around, tries);
                        State::Done(None)
                    }
                }
                Err(_) => State::Try { part, tries: tries.widened(), number },
            },
            State::Read { part, tries, mut poses } => {
                *left -= 1;
                let kept = |cell| (around.fill)(cell).map_or(0, Id::index);
                for cell in self.box_of.iter().skip(poses.len()).take(AT_ONCE) {
                    let pose = if part.contains(cell) {
                        bits(&tries.words(cell)).next().expect("filled")
                    } else {
                        kept(cell)
                    };
                    poses.push(pose as u16);
                }
                if poses.len() < self.box_of.cells() {
                    return State::Read { part, tries, poses };
                }
                give_back(around, tries);
                State::Done(Some(poses))
            }
            done @ State::Done(_) => done,
        }
    }

    /// A kernel for the box, used before where there is one.
    fn tries(around: &Around<'_>, part: &Space) -> Box<dyn Tries> {
        let spare = around.spare.lock().expect("no piece panics").pop();
        match spare.filter(|spare| spare.serves(around.rules, part, around.search)) {
            Some(mut spare) => {
                spare.relayout(part.layout());
                spare
            }
            None => kernel(around.rules, around.search, part.layout()),
        }
    }

    fn begin(
        &self,
        around: &Around<'_>,
        part: Box<Space>,
        mut tries: Box<dyn Tries>,
        number: u32,
    ) -> State {
        let Cell { x, y, z } = self.box_of.origin();
        let path = [around.name, "block", &format!("{x},{y},{z}"), &number.to_string()];
        let stream = around.seed.stream(&path);
        if tries.begin(&part, around.search, stream.clone()).is_err() {
            tries = tries.widened();
            tries.begin(&part, around.search, stream).expect("bits hold any domain");
        }
        State::Try { part, tries, number }
    }
}

fn give_back(around: &Around<'_>, tries: Box<dyn Tries>) {
    around.spare.lock().expect("no piece panics").push(tries);
}

/// A box as a layout of its own. Along axes that close and that it covers, it closes as well.
fn layout_of(layout: Layout, box_of: Extent) -> Layout {
    let (wrap, whole, size) = (layout.wrap(), layout.extent().size(), box_of.size());
    let wrap = Wrap {
        x: wrap.x && size[0] == whole[0],
        y: wrap.y && size[1] == whole[1],
        z: wrap.z && size[2] == whole[2],
    };
    Layout::new(layout.lattice(), box_of, wrap).expect("it closes as the whole does")
}
