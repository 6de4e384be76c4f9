//! Filling block by block over a fill that repeats: seamless, in any order and by any number of hands.
//!
//! The rules give a small fill that closes on itself (`base`), and from there a larger one without its motif (`vary`);
//! laid over the map it breaks no rule.
//! Where borders, pins or limits do not allow it, it is mended first (`lay`). Then the boxes of a fixed grid
//! (`grid`) are filled anew (`piece`), class by class, each with what stands around it kept (`part`); a box
//! that cannot be filled stays as it is. So at every moment the map is whole.
//!
//! A box reads only the cells around it, and there are at most four classes (eight in boxes), so what
//! a cell becomes depends on nothing farther away than [`BLOCK_REACH`] cells, but for the base and the
//! mended places. Across an edge that closes it may depend on twice as much: the last boxes there are
//! classes of their own.

mod base;
mod grid;
mod lay;
mod part;
mod piece;
mod torus;
mod vary;

pub(super) use self::lay::{Laid, Laying};

use self::piece::{Around, Piece};
use super::engines::bytes_of_domain;
use super::kernel::{Kernel, Pause, Tries};
use super::outcome::Tally;
use super::propagate::TablesFull;
use super::settings::Search;
use super::space::Space;
use crate::grid::Plane;
use crate::id::{Id, PoseId};
use crate::lattice::{Cell, Extent};
use crate::limits::Crew;
use crate::observe::Observer;
use crate::rules::{PoseSet, Rules};
use crate::seed::Seed;
use std::borrow::Cow;
use std::sync::{Arc, Mutex};

/// Boxes under way at once, and bytes of what their cells hold, at most; the result does not depend on it.
const AT_ONCE: u64 = 16;
const BYTES_AT_ONCE: u64 = 1 << 29;
/// Steps of each before boxes that are done make room for others.
const PIECE_STEPS: u64 = 1024;
/// How far away, in cells along each axis, what a cell becomes can depend on when a map is filled block
/// by block; the base and places where it is mended aside, and across an edge that closes.
pub const BLOCK_REACH: i32 = 3 * grid::SIDE;

/// A map filled block by block.
#[derive(Debug)]
pub(super) struct Blocks {
    rules: Rules,
    search: Search,
    fill: Plane<u16>,
    cells: usize,
    classes: Vec<Vec<Extent>>,
    /// The class under way, and how many of its boxes are begun and done.
    class: usize,
    begun: usize,
    done: usize,
    pieces: Vec<Mutex<Piece>>,
    /// How many of them there may be.
    at_once: usize,
    seed: Seed,
    name: String,
    crew: Arc<dyn Crew>,
    /// Kernels to be used again; which one serves a box never shows.
    spare: Mutex<Vec<Box<dyn Tries>>>,
    /// For each pose the set of just it.
    alone: Vec<PoseSet>,
    tally: Tally,
}

/// How many boxes may be under way at once.
fn at_once(rules: &Rules) -> usize {
    let depth = if rules.lattice().is_solid() { 3 } else { 2 };
    let bytes = bytes_of_domain(rules) * (grid::SIDE as u64).pow(depth);
    (BYTES_AT_ONCE / bytes).clamp(2, AT_ONCE) as usize
}

impl Blocks {
    /// Has every box under way work for so many steps at most; the most that one took.
    fn work_on_pieces(&self, space: &Space, steps: u64) -> u64 {
        let pose = |cell| -> Option<PoseId> {
            self.fill.get(cell).map(|&pose| Id::from_index(usize::from(pose)))
        };
        let around = Around {
            rules: &self.rules,
            space,
            search: self.search,
            seed: &self.seed,
            name: &self.name,
            fill: &pose,
            spare: &self.spare,
        };
        let most = Mutex::new(1);
        self.crew.each(self.pieces.len(), &|number| {
            let mut piece = self.pieces[number].lock().expect("no piece panics");
            let took = piece.work(&around, steps);
            let mut most = most.lock().expect("no piece panics");
            *most = took.max(*most);
        });
        most.into_inner().expect("no piece panics")
    }
}

impl Kernel for Blocks {
    fn work(
        &mut self,
        space: &Space,
        steps: &mut u64,
        observer: &mut dyn Observer,
    ) -> Result<Pause, TablesFull> {
        let tell = observer.wants_decisions();
        while let Some(boxes) = self.classes.get(self.class) {
            if *steps == 0 {
                return Ok(Pause::Working);
            }
            let room = self.at_once - self.pieces.len();
            let before: usize = self.classes[..self.class].iter().map(Vec::len).sum();
            let next = boxes.iter().enumerate().skip(self.begun).take(room);
            self.pieces.extend(next.map(|(number, &box_of)| {
                Mutex::new(Piece::new(space, box_of, (before + number) as u64 + 1))
            }));
            self.begun = boxes.len().min(self.begun + room);
            let took = self.work_on_pieces(space, PIECE_STEPS.min(*steps));
            *steps = steps.saturating_sub(took);
            // Boxes of one class do not see each other, so each is put down when it is done.
            let Self { pieces, fill, tally, done, .. } = self;
            pieces.retain_mut(|piece| {
                let piece = piece.get_mut().expect("no piece panics");
                if !piece.is_done() {
                    return true;
                }
                *tally = tally.and(piece.tally);
                *done += 1;
                let became = piece.became();
                tally.blocks_kept += u64::from(became.is_none());
                if let Some(poses) = became {
                    tally.blocks += 1;
                    fill.paste(piece.box_of, &poses);
                    if tell {
                        let closed = piece.box_of.iter().filter(|&cell| space.contains(cell));
                        closed.for_each(|cell| observer.closed(cell, piece.number));
                    }
                }
                false
            });
            if self.done >= self.classes[self.class].len() {
                (self.class, self.begun, self.done) = (self.class + 1, 0, 0);
            }
        }
        Ok(Pause::Filled)
    }

    fn words(&self, cell: Cell) -> Cow<'_, [u64]> {
        let pose = *self.fill.get(cell).expect("takes part");
        Cow::Borrowed(self.alone[usize::from(pose)].words())
    }

    fn newest(&self) -> Option<Cell> {
        None
    }

    /// Cells that no box was filled around yet count as open.
    fn open(&self) -> usize {
        let all = self.classes.iter().map(Vec::len).sum::<usize>().max(1);
        let done = self.classes[..self.class].iter().map(Vec::len).sum::<usize>() + self.done;
        self.cells - (self.cells as u64 * done as u64 / all as u64) as usize
    }

    fn choosing(&self) -> bool {
        true
    }

    fn tally(&self) -> Tally {
        self.tally
    }
}
