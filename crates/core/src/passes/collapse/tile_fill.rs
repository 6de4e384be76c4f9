//! A fill under way that knows its tiles: what a game keeps.

use super::{Collapse, Looks};
use crate::id::PoseId;
use crate::lattice::{Cell, Layout};
use crate::orient::Orientation;
use crate::seed::Seed;
use crate::solve::{Run, RunError};
use std::sync::Arc;

/// What a decided cell shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct CellTile<'f> {
    /// The tile.
    pub name: &'f str,
    /// How often it is turned, clockwise.
    pub turn: u8,
    /// Whether it is mirrored from west to east, before it is turned.
    pub mirror: bool,
    /// Which of its looks, counted from 0.
    pub look: u32,
    /// Which part of it, when it covers several cells: column, row and level as drawn.
    pub part: Option<[u32; 3]>,
}

impl CellTile<'_> {
    /// Turn and mirror as one.
    pub fn orientation(&self, layout: Layout) -> Orientation {
        Orientation::new(layout.lattice(), self.turn, self.mirror)
    }
}

/// A run and the tiles it fills with. It owns both, so it can be kept anywhere and sent to another thread.
///
/// Looks are those of the finished layer. Holes show nothing; what stands in them is put there by
/// [`Collapse::layer`].
///
/// ```
/// use lantern_quilt_core::passes::TileFill;
/// use lantern_quilt_core::prelude::*;
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let (moss, path) = (set.socket(Socket::plain("moss")), set.socket(Socket::plain("path")));
/// set.tile(Tile::new("moss").all(moss).weight(6.0));
/// set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
/// let ground = Collapse::new("ground", set.build().unwrap(), Constraints::default())?;
///
/// let layout = Layout::flat(Lattice::Square, 40, 25)?;
/// let mut ground = TileFill::new(ground, layout, &Seed::from_number(7))?;
/// let mut screen = vec![' '; 40 * 25];
/// while ground.run_mut().advance(60) == Status::Working {
///     for (cell, tile) in ground.drain_changes() {
///         let letter = tile.map_or(' ', |tile| if tile.name == "moss" { '.' } else { '#' });
///         screen[(cell.y * 40 + cell.x) as usize] = letter;
///     }
/// }
/// assert!(ground.tile(Cell::new(3, 2)).is_some_and(|tile| ["moss", "bend"].contains(&tile.name)));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct TileFill {
    collapse: Arc<Collapse>,
    run: Run,
}

impl TileFill {
    /// Begins to fill a layout.
    ///
    /// # Errors
    /// As [`Job::begin`](crate::solve::Job::begin).
    pub fn new(
        collapse: impl Into<Arc<Collapse>>,
        layout: Layout,
        seed: &Seed,
    ) -> Result<Self, RunError> {
        let collapse = collapse.into();
        let run = collapse.job(layout, seed).begin()?;
        Ok(Self { collapse, run })
    }

    /// The run.
    pub const fn run(&self) -> &Run {
        &self.run
    }

    /// The run, to continue with it.
    pub const fn run_mut(&mut self) -> &mut Run {
        &mut self.run
    }

    /// The pass it fills by.
    pub const fn collapse(&self) -> &Arc<Collapse> {
        &self.collapse
    }

    /// What a cell shows, when it is decided. O(poses / 64).
    pub fn tile(&self, cell: Cell) -> Option<CellTile<'_>> {
        self.run.decided(cell).map(|pose| self.shown(pose, cell))
    }

    fn shown(&self, pose: PoseId, cell: Cell) -> CellTile<'_> {
        let tileset = self.collapse.tileset();
        let looks = Looks::new(&self.run, tileset, self.run.name());
        let posed = self.run.rules().poses()[pose];
        let tile = &tileset.tiles()[posed.tile];
        CellTile {
            name: tile.name(),
            turn: posed.orientation.turns(),
            mirror: posed.orientation.mirrored(),
            look: looks.look(pose, cell),
            part: tile.part().map(|part| part.at),
        }
    }

    /// The cells that changed since it was last asked, with what they show now; see
    /// [`Run::drain_changes`].
    pub fn drain_changes(&mut self) -> Vec<(Cell, Option<CellTile<'_>>)> {
        let changes = self.run.drain_changes();
        let shown = |change: crate::solve::Change| {
            (change.cell, change.pose.map(|pose| self.shown(pose, change.cell)))
        };
        changes.into_iter().map(shown).collect()
    }

    /// The run alone.
    pub fn into_run(self) -> Run {
        self.run
    }
}
