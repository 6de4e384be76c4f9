//! When each cell was decided, heard from the search as it goes.

use crate::id::PoseId;
use crate::lattice::{Cell, Extent, Layout};
use crate::limits::Climb;
use crate::observe::{Flow, Observer, Progress};

/// After how many decisions one pose was left of each cell.
#[derive(Debug)]
pub(super) struct Moments {
    extent: Extent,
    after: Vec<u32>,
}

impl Moments {
    pub(super) fn new(layout: Layout) -> Self {
        let extent = layout.extent();
        Self { extent, after: vec![0; extent.cells()] }
    }

    pub(super) fn of(&self, cell: Cell) -> Option<u32> {
        self.extent.index(cell).map(|index| self.after[index])
    }

    /// Everything is as before any decision.
    pub(super) fn forget(&mut self) {
        // New memory is zero without being touched.
        self.after = vec![0; self.extent.cells()];
    }
}

/// Keeps moments while another observer hears what it wants.
pub(super) struct Keeping<'a> {
    pub(super) moments: &'a mut Moments,
    pub(super) observer: &'a mut dyn Observer,
}

impl Observer for Keeping<'_> {
    fn pass(&mut self, name: &str, number: usize, of: usize) {
        self.observer.pass(name, number, of);
    }

    fn attempt(&mut self, number: u32) {
        self.observer.attempt(number);
    }

    fn rung(&mut self, rung: Climb) {
        self.observer.rung(rung);
    }

    fn progress(&mut self, progress: &Progress) -> Flow {
        self.observer.progress(progress)
    }

    fn contradiction(&mut self, cell: Cell) {
        self.observer.contradiction(cell);
    }

    fn wants_decisions(&self) -> bool {
        true
    }

    fn decided(&mut self, cell: Cell, pose: PoseId) {
        self.observer.decided(cell, pose);
    }

    fn closed(&mut self, cell: Cell, after: u64) {
        if let Some(index) = self.moments.extent.index(cell) {
            self.moments.after[index] = u32::try_from(after).unwrap_or(u32::MAX);
        }
        self.observer.closed(cell, after);
    }
}
