//! Samples to overlapping windows, and those to the same compiled rules as everything else.
//!
//! A map that holds only windows of a sample keeps what is wider than a pair of cells: strings stay tied to their hooks,
//! posts stand on their plinths. Each distinct window is a [`Pattern`], and a pose of the [`Rules`]: two patterns may
//! touch if they agree in the cells that both windows cover. Each pattern places the tile of its own cell, so the result
//! is an ordinary map, and pins, counts and conditions on tiles apply to every pattern that places them. Sets of maps
//! defined by their windows are local picture languages (Giammarresi and Restivo 1997, Two-Dimensional Languages).
//!
//! `read` collects the windows of samples, `compile` turns them into rules, `near` finds those of a map. [`verify`](crate::verify) judges finished maps
//! by the samples alone.

mod compile;
mod near;
mod read;

pub use near::{SeenWindow, UnseenWindow};

use crate::constraints::{Posed, WindowRule, WindowSample};
use crate::id::{IdVec, PoseId};
use crate::lattice::{Cell, Lattice, Shift, Side};
use crate::orient::Orientation;
use crate::rules::{PoseSet, Rules, RulesError};
use crate::tileset::Tileset;
use thiserror::Error;

/// A window that samples show.
#[derive(Clone, Debug, PartialEq)]
pub struct Pattern {
    /// What stands in its cells, in the order of [`Patterns::shifts`]; nothing beyond an edge of the map.
    pub cells: Vec<Option<Posed>>,
    /// Sides on which its own cell lies at the edge of the map.
    pub looks_out: Vec<Side>,
    /// How often samples show it, turns and their weights included.
    pub frequency: f64,
    /// Where it is shown first.
    pub shown: SamplePlace,
}

/// Where a sample shows a window.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SamplePlace {
    /// Which sample.
    pub sample: usize,
    /// The cell that it belongs to.
    pub cell: Cell,
    /// How the sample is turned and mirrored.
    pub orientation: Orientation,
}

/// Why samples have no patterns.
#[derive(Clone, Debug, PartialEq, Error)]
#[non_exhaustive]
pub enum PatternError {
    /// A window of a size that there is not.
    #[error(
        "{0} is no size of a window: give a block of 2 to 5 cells each way, or 1 to 3 steps around a cell"
    )]
    BadWindow(String),
    /// A block on hexagons, whose rows and columns shift.
    #[error("blocks do not fit on hexagons: give how many steps around a cell, as `within = 1`")]
    BlockOnHexagons,
    /// Some edges of a hexagon sample.
    #[error(
        "a sample of hexagons is the edge of the map on all sides or on none: name all sides, or no edge"
    )]
    SomeEdges,
    /// A sample of another lattice than the tileset.
    #[error("sample {} has cells of another lattice than the tileset: draw it on the same", .sample + 1)]
    OtherLattice {
        /// Which.
        sample: usize,
    },
    /// A sample without a whole window.
    #[error(
        "sample {} shows no whole window: it has {size} cells, and a window takes {needs}. \
         Give a larger sample or a smaller window, or have it wrap", .sample + 1
    )]
    TooSmall {
        /// Which.
        sample: usize,
        /// Its columns, rows and levels.
        size: String,
        /// Those of a window.
        needs: String,
    },
    /// No sample at all.
    #[error("windows need a sample that shows them: give one at least")]
    NoSamples,
    /// A sample that counts nothing, or less.
    #[error("sample {} has the weight {weight}: give a number greater than 0", .sample + 1)]
    BadWeight {
        /// Which.
        sample: usize,
        /// What was given.
        weight: f64,
    },
    /// Samples of a single tile.
    #[error(
        "the samples show one kind of cell everywhere, and a map of it needs no samples: show at least two"
    )]
    OneKind,
    /// More patterns than rules may have.
    #[error(
        "the samples show {patterns} windows, more than the {most} a fill can hold, and their rules would take \
         {} MiB: give smaller windows, fewer turns and mirrors, or samples with fewer colours (a photo has too \
         many: reduce it to a few first)", .bytes >> 20
    )]
    TooMany {
        /// How many distinct ones there are.
        patterns: usize,
        /// What their rules would take, at most.
        bytes: u64,
        /// How many there may be.
        most: usize,
    },
    /// A weight that cannot be.
    #[error(transparent)]
    Rules(#[from] RulesError),
}

/// All windows of some samples, and their rules.
#[derive(Clone, Debug)]
pub struct Patterns {
    shifts: Vec<Shift>,
    patterns: IdVec<PoseId, Pattern>,
    edges: Vec<Side>,
    rules: Rules,
}

impl Patterns {
    /// Reads the windows of samples and compiles them. Patterns are numbered as they are met: sample by sample, turn by
    /// turn, cell by cell.
    ///
    /// O(cells x turns x cells of a window), and patterns^2 / 64 for each side.
    ///
    /// # Errors
    /// [`PatternError`], when there is nothing to learn, or too much.
    ///
    /// ```
    /// use lantern_quilt_core::constraints::{Sample, Window, WindowRule, WindowSample};
    /// use lantern_quilt_core::pattern::Patterns;
    /// use lantern_quilt_core::prelude::*;
    ///
    /// let mut set = TilesetBuilder::new(Lattice::Square);
    /// let any = set.socket(Socket::plain("any"));
    /// let [moss, stone] = ["moss", "stone"].map(|name| set.tile(Tile::new(name).all(any)));
    /// let set = set.build().unwrap();
    ///
    /// // Stones lie in pairs, one south of the other, with moss all around.
    /// let rows = ["........", "..#.....", "..#...#.", "......#.", "........", "........"];
    /// let posed = |letter| Some((if letter == '#' { stone } else { moss }, Orientation::AS_DRAWN));
    /// let wrap = Wrap { x: true, y: true, z: false };
    /// let sample = Sample {
    ///     layout: Layout::new(Lattice::Square, Extent::flat(8, 6)?, wrap)?,
    ///     cells: rows.iter().flat_map(|row| row.chars().map(posed)).collect(),
    ///     turns: 1,
    ///     mirror: Mirror::No,
    ///     alike: Vec::new(),
    /// };
    /// let windows = WindowRule::new(Window::Block([3, 3, 1]), [WindowSample::new(sample)]);
    /// let patterns = Patterns::read(&set, &windows)?;
    ///
    /// let space = Space::new(Layout::flat(Lattice::Square, 40, 20)?);
    /// let mut run = Job::new(patterns.rules(), space).begin()?;
    /// assert!(run.fill().is_filled());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn read(set: &Tileset, windows: &WindowRule) -> Result<Self, PatternError> {
        let lattice = set.lattice();
        read::check(lattice, windows)?;
        let shifts = windows.window.shifts(lattice);
        let patterns = read::patterns(set, windows, &shifts)?;
        let rules = compile::rules(lattice, &shifts, &patterns)?;
        Ok(Self { edges: edges(lattice, &windows.samples), shifts, patterns, rules })
    }

    /// How many patterns there are, nothing compiled; `None` where they cannot be read.
    pub(crate) fn count(set: &Tileset, windows: &WindowRule) -> Option<usize> {
        let lattice = set.lattice();
        read::check(lattice, windows).ok()?;
        let patterns = read::patterns(set, windows, &windows.window.shifts(lattice));
        patterns.ok().map(|patterns| patterns.len())
    }

    /// The rules: a pose for each pattern, with the tile of its own cell.
    pub const fn rules(&self) -> &Rules {
        &self.rules
    }

    /// All patterns, by their poses.
    pub const fn patterns(&self) -> &IdVec<PoseId, Pattern> {
        &self.patterns
    }

    /// Where the cells of a window lie, seen from its own.
    pub fn shifts(&self) -> &[Shift] {
        &self.shifts
    }

    /// What may stand where a side looks out of the map; `None` where anything may.
    pub fn at_edge(&self, side: Side) -> Option<PoseSet> {
        self.edges.contains(&side).then(|| {
            PoseSet::from_fn(self.patterns.len(), |id| self.patterns[id].looks_out.contains(&side))
        })
    }

    /// Patterns that can stand in no map that is large: beyond a side there is none that could stand there, and so on.
    /// O(patterns^2 x sides) at worst.
    pub fn dead_ends(&self) -> PoseSet {
        let sides = self.rules.lattice().sides();
        let all = self.patterns.len();
        let mut left = PoseSet::full(all);
        loop {
            let stands = |id: PoseId| {
                sides.iter().enumerate().all(|(number, side)| {
                    self.patterns[id].looks_out.contains(side)
                        || self.rules.support(number, id).iter().any(|other| left.contains(other))
                })
            };
            let next = PoseSet::from_fn(all, |id| left.contains(id) && stands(id));
            if next == left {
                return PoseSet::from_fn(all, |id| !left.contains(id));
            }
            left = next;
        }
    }
}

/// The sides over which some sample, turned, looks out of the map.
fn edges(lattice: Lattice, samples: &[WindowSample]) -> Vec<Side> {
    let turned = |sample: &WindowSample| -> Vec<Side> {
        let orientations = sample.sample.orientations();
        let all = orientations.into_iter().flat_map(|orientation| {
            sample.open_edges().map(move |side| orientation.side(lattice, side))
        });
        all.collect()
    };
    let mut edges: Vec<Side> = samples.iter().flat_map(turned).collect();
    edges.sort_unstable();
    edges.dedup();
    edges
}
