//! The `collapse` pass: a layer filled by wave function collapse. Reach: the whole map.
//!
//! This file compiles what a pass must keep, and reads layers off runs. `refill` fills parts of a layer
//! again, `coarse` spreads tiles over blocks of cells, `fill` is the step.

mod coarse;
mod fill;
mod tile_fill;
mod refill;

pub use coarse::Coarse;
pub use fill::FillStep;
pub use refill::{Refill, RefillError, mark_holes};
pub use tile_fill::{CellTile, TileFill};

use crate::constraints::{Area, Constraints, Selector};
use crate::domains::FirstDomains;
use crate::explain::{Explanation, explain, wanted};
use crate::grid::Plane;
use crate::id::{Id, PoseId, TileId};
use crate::lattice::{Cell, Layout};
use crate::limits::Limits;
use crate::map::{Layer, Numbers, Placed, Tilemap};
use crate::noise::Noise;
use crate::passes::condition::Condition;
use crate::pattern::{PatternError, Patterns};
use crate::rules::{Pose, Rules, RulesError};
use crate::seed::{Keyed, Seed};
use crate::solve::{Contradiction, Job, Run, RunError, Scratch, Search, Space};
use crate::tileset::{CheckedTile, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;
use std::sync::Arc;
use thiserror::Error;

/// The tag of cells that were left as holes; see [`Search::holes`].
pub const HOLE: &str = "hole";

/// Why a pass cannot be compiled.
#[derive(Clone, Debug, PartialEq, Error)]
#[non_exhaustive]
pub enum CollapseError {
    /// Its tileset has too many poses.
    #[error(transparent)]
    Rules(#[from] RulesError),
    /// Its samples have no windows to go by.
    #[error(transparent)]
    Patterns(#[from] PatternError),
}

/// A compiled `collapse` pass; cheap to clone and to begin again with another seed.
///
/// ```
/// use lantern_quilt_core::constraints::Constraints;
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::passes::{Collapse, layer_of};
/// use lantern_quilt_core::seed::Seed;
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let moss = set.socket(Socket::plain("moss"));
/// let path = set.socket(Socket::plain("path"));
/// set.tile(Tile::new("hedge").all(moss).weight(3.0));
/// set.tile(Tile::new("straight").sides([path, moss, path, moss]).turns(4));
/// set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4));
/// let set = set.build().unwrap();
/// let collapse = Collapse::new("ground", set, Constraints::default())?;
/// let layout = Layout::flat(Lattice::Square, 12, 8)?;
/// let mut run = collapse.job(layout, &Seed::from_text("first lamp")).begin()?;
/// assert!(run.fill().is_filled());
/// let layer = layer_of(&run, collapse.tileset(), "ground");
/// assert!(layer.cells().iter().all(|cell| cell.is_some()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Collapse {
    name: String,
    tileset: Arc<Tileset>,
    rules: Rules,
    constraints: Arc<Constraints>,
    patterns: Option<Arc<Patterns>>,
    /// Weights that vary from cell to cell.
    pub shades: Vec<Shade>,
    /// Where pieces of a `connected` rule, by its number, begin: each has a cell where the condition holds. Until
    /// [`worked_out`](Self::worked_out) what the rule says itself holds.
    pub begins: Vec<(usize, Condition)>,
    /// How it searches.
    pub search: Search,
    /// What stands in cells that are left as holes, whatever the rules say; see [`Search::holes`].
    pub fallback: Option<TileId>,
    /// What it may use.
    pub limits: Limits,
}

/// Kinds of tiles that are more common in some cells than in others; see
/// [`Space::scale`](crate::solve::Space::scale).
#[derive(Clone, Debug, PartialEq)]
pub struct Shade {
    /// What it speaks of. A socket means what carries it on any side.
    pub kinds: Vec<Selector>,
    /// What the weight is multiplied with.
    pub by: ShadeBy,
}

/// What weights are multiplied with, from 0 to 1, cell by cell.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum ShadeBy {
    /// In 1/255; cells beyond it are as common as by weight.
    Plane(Plane<u8>),
    /// A factor for each level from the lowest up, in 1/255; the last holds for those above.
    Levels(Vec<u8>),
    /// A noise; its name is that of the pass.
    Noise(Noise),
    /// One factor where a condition holds, another where it does not, in 1/255.
    Where(Box<Condition>, [u8; 2]),
}

impl Shade {
    /// The factors of a map that is being filled. O(cells), and as the condition.
    fn plane(&self, map: &Tilemap, seed: &Seed, name: &str) -> Plane<u8> {
        let layout = map.layout();
        let extent = layout.extent();
        let of = |factor: &dyn Fn(Cell) -> u8| {
            let values = extent.iter().map(factor).collect();
            Plane::from_values(extent, values).expect("one value a cell")
        };
        match &self.by {
            ShadeBy::Plane(plane) => of(&|cell| plane.get(cell).copied().unwrap_or(u8::MAX)),
            ShadeBy::Levels(factors) => of(&|cell| {
                let level = cell.z.abs_diff(extent.origin().z) as usize;
                let factor = factors.get(level).or(factors.last());
                factor.copied().unwrap_or(u8::MAX)
            }),
            ShadeBy::Noise(noise) => {
                let at = noise.sampler(layout.lattice(), seed, name);
                of(&|cell| (at(cell).clamp(0.0, 1.0) * 255.0 + 0.5) as u8)
            }
            ShadeBy::Where(what, [yes, no]) => {
                let cells = what.cells(map, seed, name);
                of(&|cell| if cells.get(cell) { *yes } else { *no })
            }
        }
    }
}

impl Collapse {
    /// Compiles the rules of a pass.
    ///
    /// # Errors
    /// When the tileset has too many poses, or the windows of its samples cannot be read.
    pub fn new(
        name: impl Into<String>,
        tileset: impl Into<Arc<Tileset>>,
        constraints: Constraints,
    ) -> Result<Self, CollapseError> {
        let tileset = tileset.into();
        if let Some(windows) = constraints.windows.as_deref() {
            let patterns = Arc::new(Patterns::read(&tileset, windows)?);
            return Ok(Self::by_patterns(name, tileset, constraints, patterns));
        }
        let rules = Rules::compile_with(&tileset, &constraints)?;
        Ok(Self::by_rules(name.into(), tileset, rules, constraints))
    }

    /// A pass that goes by windows which were read before, from the samples of its constraints with the same tileset.
    pub fn by_patterns(
        name: impl Into<String>,
        tileset: impl Into<Arc<Tileset>>,
        constraints: Constraints,
        patterns: Arc<Patterns>,
    ) -> Self {
        let rules = patterns.rules().clone();
        let plain = Self::by_rules(name.into(), tileset.into(), rules, constraints);
        Self { patterns: Some(patterns), ..plain }
    }

    fn by_rules(
        name: String,
        tileset: Arc<Tileset>,
        rules: Rules,
        constraints: Constraints,
    ) -> Self {
        let search = Search::default().steer(tileset.has_shares());
        Self {
            name,
            tileset,
            rules,
            constraints: Arc::new(constraints),
            patterns: None,
            shades: Vec::new(),
            begins: Vec::new(),
            search,
            fallback: None,
            limits: Limits::default(),
        }
    }

    /// The name of the pass and of the layer it makes.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The tiles.
    pub fn tileset(&self) -> &Tileset {
        &self.tileset
    }

    /// The compiled rules.
    pub const fn rules(&self) -> &Rules {
        &self.rules
    }

    /// The windows of its samples, where it goes by those.
    pub fn patterns(&self) -> Option<&Patterns> {
        self.patterns.as_deref()
    }

    /// The constraints.
    pub fn constraints(&self) -> &Constraints {
        &self.constraints
    }

    /// Why a run of this pass failed, in words; where it goes by windows of samples with the one that was wanted.
    /// O(poses x (sides + restrictions)), and O(patterns x cells of a window x sides).
    pub fn explain(&self, contradiction: &Contradiction, run: &Run) -> Explanation {
        let (space, set) = (run.space(), self.tileset());
        let mut told = explain(contradiction, space, run.rules(), set);
        if let Some(patterns) = self.patterns() {
            told.missing.clear();
            told.window = wanted(contradiction, space, patterns, set);
        }
        told
    }

    fn first_domains(&self) -> FirstDomains<'_> {
        let Self { tileset, rules, constraints, .. } = self;
        FirstDomains { tileset, rules, constraints, patterns: self.patterns() }
    }

    /// The same with all worked out that depends on the map before it: noises and conditions of shades become planes,
    /// and conditions where pieces begin become areas. O(cells), and as the conditions.
    #[must_use]
    pub fn worked_out(&self, map: &Tilemap, seed: &Seed) -> Self {
        let mut other = self.clone();
        for shade in &mut other.shades {
            shade.by = ShadeBy::Plane(shade.plane(map, seed, &self.name));
        }
        let constraints = Arc::make_mut(&mut other.constraints);
        for (number, place) in other.begins.drain(..) {
            if let Some(rule) = constraints.connected.get_mut(number) {
                rule.from = Some(Area::Cells(place.cells(map, seed, &self.name)));
            }
        }
        other
    }

    /// The space of a layout under the constraints: borders, pins and limits as first domains, counts,
    /// and shades. Noise is that of the seed 0 and conditions see an empty map, unless
    /// they are [`worked_out`](Self::worked_out).
    pub fn space(&self, layout: Layout) -> Space {
        let first = self.first_domains();
        let mut space = Space::new(layout);
        first.restrict(&mut space);
        let map = Tilemap::new(layout);
        for shade in &self.shades {
            let plane = shade.plane(&map, &Seed::default(), &self.name);
            space.scale(first.poses_of(&shade.kinds), plane);
        }
        space
    }

    /// A fill of `layout`, ready to begin.
    pub fn job(&self, layout: Layout, seed: &Seed) -> Job {
        self.job_in(self.space(layout), seed)
    }

    fn job_in(&self, space: Space, seed: &Seed) -> Job {
        Job::new(&self.rules, space)
            .name(self.name.clone())
            .seed(seed.clone())
            .search(self.search)
            .limits(self.limits)
    }

    /// The tile layer of a run of this pass: as [`layer_of`], with the fallback in its holes. O(cells).
    pub fn layer(&self, run: &Run) -> Layer {
        let mut layer = layer_of(run, &self.tileset, run.name());
        self.fill_holes(run, &mut layer);
        layer
    }

    /// Puts the fallback, if there is one, into the holes of a run.
    fn fill_holes(&self, run: &Run, layer: &mut Layer) {
        let Some(tile) = self.fallback.filter(|_| !run.holes().is_empty()) else { return };
        let tile = &self.tileset.tiles()[tile];
        let looks = Looks::new(run, &self.tileset, &layer.name);
        let entries: Vec<u32> = (0..tile.looks().max(1) as u32)
            .map(|look| layer.add(Placed { look, ..Placed::new(tile.name()) }))
            .collect();
        for &cell in run.holes() {
            layer.set(cell, Some(entries[looks.of(tile, cell) as usize]));
        }
    }

    /// Begins a fill of `layout` in memory of an earlier run.
    ///
    /// # Errors
    /// As [`Job::begin`].
    pub fn begin(&self, layout: Layout, seed: &Seed, scratch: Scratch) -> Result<Run, RunError> {
        self.job(layout, seed).begin_with(scratch)
    }
}

/// What the poses of a run show: one palette entry for each look of each pose.
struct Looks<'a> {
    rules: &'a Rules,
    tileset: &'a Tileset,
    keyed: Keyed,
}

impl<'a> Looks<'a> {
    fn new(run: &'a Run, tileset: &'a Tileset, name: &str) -> Self {
        Self { rules: run.rules(), tileset, keyed: run.seed().keyed(&[name, "look"]) }
    }

    /// The look of a pose in a cell.
    fn look(&self, pose: PoseId, cell: Cell) -> u32 {
        self.of(&self.tileset.tiles()[self.rules.poses()[pose].tile], cell)
    }

    /// The look of a tile in a cell.
    fn of(&self, tile: &CheckedTile, cell: Cell) -> u32 {
        if tile.looks() > 1 { tile.look(self.keyed.bits(cell)) } else { 0 }
    }

    fn placed(&self, pose: PoseId, look: u32) -> Placed {
        let pose = self.rules.poses()[pose];
        let tile = &self.tileset.tiles()[pose.tile];
        Placed {
            tile: tile.name().to_owned(),
            orientation: pose.orientation,
            look,
            part: tile.part().map(|part| part.at),
            pass: None,
            group: None,
        }
    }
}

/// The tile layer of a run: decided cells hold their tile, open ones nothing. O(cells).
///
/// Looks are picked by seed, layer name and cell, so they stay when the map grows or another part of
/// it changes.
pub fn layer_of(run: &Run, tileset: &Tileset, name: &str) -> Layer {
    let looks = Looks::new(run, tileset, name);
    let (mut palette, mut first) = (Vec::new(), Vec::new());
    // Many patterns place the same tile.
    let mut known: HashMap<Pose, u32, FxBuildHasher> = HashMap::default();
    for (id, pose) in run.rules().poses().pairs() {
        first.push(*known.entry(*pose).or_insert_with(|| {
            let count = tileset.tiles()[pose.tile].looks() as u32;
            let number = palette.len() as u32;
            palette.extend((0..count).map(|look| looks.placed(id, look)));
            number
        }));
    }
    let mut layer = Layer::new(name, run.space().layout().extent(), palette);
    let extent = layer.extent();
    for cell in extent.iter() {
        let number = run.decided(cell).map(|pose| first[pose.index()] + looks.look(pose, cell));
        layer.set(cell, number);
    }
    layer.set_decided(moments(run));
    layer
}

/// When each cell of a run was decided, where that is kept. O(cells).
fn moments(run: &Run) -> Option<Numbers> {
    let extent = run.space().layout().extent();
    let after = |cell| run.decision_of(cell).map(i64::from);
    Numbers::from_values(extent, extent.iter().map(after)).filter(|_| run.search().record_decisions)
}
